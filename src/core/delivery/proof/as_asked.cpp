// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/as_asked.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

constexpr std::size_t kMostSaid = 3;
constexpr double kWeights = 1e-4; // of a pose that are one

struct Pose {
    double seconds;
    double weight;
    bool rest;
};

// Rising, those of one moment as one, those of no weight left out.
template<class T> std::vector<Pose> together(const std::vector<T>& poses) {
    std::vector<Pose> sum;
    for (const T& one : poses)
        sum.push_back({one.seconds, one.weight, one.rest});
    std::sort(sum.begin(), sum.end(), [](const Pose& a, const Pose& b) { return a.seconds < b.seconds; });
    std::vector<Pose> result;
    for (const Pose& one : sum) {
        if (!result.empty() && one.seconds - result.back().seconds <= kSameMoment && one.rest == result.back().rest)
            result.back().weight += one.weight;
        else
            result.push_back(one);
    }
    std::erase_if(result, [](const Pose& one) { return std::abs(one.weight) < kWeights; });
    return result;
}

// How far a pose may be: float32 lies behind many times, and each step on time rounds to whole frames.
double tolerance(double seconds) {
    return 2.0 * kSameMoment + std::abs(seconds) * 1e-7;
}

bool same(const std::vector<Pose>& a, const std::vector<Pose>& b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const Pose& x, const Pose& y) {
        return std::abs(x.seconds - y.seconds) <= tolerance(x.seconds) && std::abs(x.weight - y.weight) <= 1e-3 &&
               x.rest == y.rest;
    });
}

std::string text(const std::vector<Pose>& poses, const FrameRate& rate) {
    std::string words;
    for (const Pose& pose : poses)
        words += fmt::format("{}{}{}", words.empty() ? "" : " and ",
                             pose.rest ? "the rest pose" : frameText(snappedFrame(rate.frameAt(pose.seconds))),
                             poses.size() > 1 ? fmt::format(" by {:.0f} %", pose.weight * 100.0) : "");
    return words.empty() ? "nothing" : words;
}

} // namespace

std::vector<std::string> otherThanAsked(const Asked& asked, const Intention& meant, bool wholeFrames) {
    const View& promised = meant.wanted;
    std::vector<std::string> words;
    if (asked.unknown || !asked.span)
        return words;
    const auto frame = [&](double t) { return frameText(snappedFrame(asked.rate.frameAt(t))); };
    const auto say = [&](std::string one) {
        if (words.size() < kMostSaid)
            words.push_back(std::move(one));
    };
    if (promised.rate != asked.rate)
        say(fmt::format("frames are counted at {} a second, {} are asked for", promised.rate.shortText(),
                        asked.rate.shortText()));
    const std::vector<double> only = promised.moments ? promised.moments->times() : std::vector<double>();
    const auto isPromised = [&](double t) {
        if (promised.range && (t < promised.range->first - tolerance(t) || t > promised.range->last + tolerance(t)))
            return false;
        if (std::any_of(promised.gaps.begin(), promised.gaps.end(), [&](const TimeSpan& gap) {
                return t > gap.first + tolerance(t) && t < gap.last - tolerance(t);
            }))
            return false;
        if (!promised.moments)
            return true;
        const auto near = std::lower_bound(only.begin(), only.end(), t - tolerance(t));
        return near != only.end() && *near <= t + tolerance(t);
    };
    for (const double t : asked.moments) {
        if (words.size() >= kMostSaid)
            return words;
        if (const double at = asked.rate.frameAt(t); wholeFrames && !sameFrame(at, std::round(at)))
            continue;
        if (!isPromised(t)) {
            say(fmt::format("frame {} is asked for and left out", frame(t)));
            continue;
        }
        for (const auto& [asks, means] :
             {std::pair{&asked.poses, &meant.time}, std::pair{&asked.pointPoses, &meant.points}}) {
            const auto wanted = (*asks)(t);
            if (!wanted)
                continue;
            const auto shows = together(means->at(t));
            if (const auto wants = together(*wanted); !same(wants, shows)) {
                say(fmt::format("frame {} would show the source's {}; {} is asked for", frame(t),
                                text(shows, asked.rate), text(wants, asked.rate)));
                break;
            }
        }
    }
    // And nothing beside.
    if (asked.onlyThese && !promised.moments)
        say("single moments are asked for, and all are kept");
    for (const double t : only) {
        if (promised.range && (t < promised.range->first - tolerance(t) || t > promised.range->last + tolerance(t)))
            continue;
        const auto near = std::lower_bound(asked.moments.begin(), asked.moments.end(), t - tolerance(t));
        if (near == asked.moments.end() || *near > t + tolerance(t)) {
            say(fmt::format("frame {} is kept, and not asked for", frame(t)));
            break;
        }
    }
    for (const TimeSpan& gap : asked.gaps)
        if (std::none_of(promised.gaps.begin(), promised.gaps.end(), [&](const TimeSpan& one) {
                return one.first <= gap.first + tolerance(gap.first) && one.last >= gap.last - tolerance(gap.last);
            })) {
            say(fmt::format("what lies between {} and {} was to be left out", frame(gap.first), frame(gap.last)));
            break;
        }
    if (promised.range && !promised.moments && asked.span &&
        (promised.range->first < asked.span->first - tolerance(asked.span->first) ||
         promised.range->last > asked.span->last + tolerance(asked.span->last)))
        say(fmt::format("{} – {} are kept, {} – {} are asked for", frame(promised.range->first),
                        frame(promised.range->last), frame(asked.span->first), frame(asked.span->last)));
    return words;
}

} // namespace wyc
