// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>

#include "evaluate/chosen_times.h"
#include "scene/layers.h"
#include "scene/mix.h"

namespace wyc {
bool inSpan(const TimeSpan& span, double t) {
    return t >= span.first - kSameMoment && t <= span.last + kSameMoment;
}

void keepGaps(std::vector<double>& times, const View& view) {
    for (const TimeSpan& gap : view.gaps)
        std::erase_if(times, [&](double t) { return t > gap.first + kSameMoment && t < gap.last - kSameMoment; });
}

namespace {

std::optional<Sampling> throughOneRun(const Sampling& own, const TimeMap& map, const FrameRate& rate) {
    const auto run = map.asOneRun();
    if (!run || !(run->speed > 0.0))
        return std::nullopt;
    // input = out · speed + inFrom
    const auto out = [&](double in) { return snappedToFrame((in - run->inFrom) / run->speed, rate); };
    const auto outs = [&] {
        std::vector<double> stored = own.storedTimes();
        for (double& time : stored)
            time = out(time);
        return stored;
    };
    const auto length = [&](double seconds) { return snappedToFrame(seconds / run->speed, rate); };
    switch (own.kind()) {
    case Sampling::Kind::Still: return own;
    case Sampling::Kind::Uniform: return Sampling::uniform(out(own.time(0)), length(own.cycleSeconds()), own.count());
    case Sampling::Kind::Cyclic: return Sampling::cyclic(outs(), length(own.cycleSeconds()), own.count());
    case Sampling::Kind::Acyclic: return Sampling::acyclic(outs());
    }
    return std::nullopt;
}

Sampling fromTimes(const std::vector<double>& times, const std::optional<Sampling>& run) {
    // A stretch of even samples stays even, to the last bit.
    if (run && run->kind() == Sampling::Kind::Uniform && times.size() > 1) {
        const auto first = run->locate(times.front());
        if (first.weight == 0.0 && first.below + times.size() <= run->count()) {
            bool stretch = true;
            for (std::size_t i = 0; i < times.size() && stretch; ++i)
                stretch = std::abs(run->time(first.below + i) - times[i]) <= kSameMoment;
            if (stretch)
                return Sampling::uniform(times.front(), run->cycleSeconds(), times.size());
        }
    }
    return samplingFromTimes(times);
}

// A track that has one sample left, though it moves elsewhere: the time at which that sample is shown now.
Sampling stillThrough(const Sampling& own, const TimeMap& map) {
    if (map.isIdentity() || own.count() == 0)
        return own;
    const double wanted = own.time(0);
    double best = wanted;
    double nearest = std::numeric_limits<double>::infinity();
    for (const double t : map.outputTimesOf({wanted}))
        if (const double gap = std::abs(map.heldAt(t) - wanted); gap < nearest) {
            nearest = gap;
            best = t;
        }
    return own.kind() == Sampling::Kind::Still ? Sampling::still(best)
                                               : Sampling::uniform(best, own.cycleSeconds(), own.count());
}

} // namespace

Sampling chosenTimes(const Sampling& own, const TrackNature& nature, const TimeMap& map, const View& view) {
    static constexpr std::array<double, 3> kBeside{0.0, -2.0 * kSameMoment, 2.0 * kSameMoment};
    if (own.isStill() && (nature.sameAlways || !view.moments))
        return stillThrough(own, map);
    const auto run = throughOneRun(own, map, view.rate);
    if (run && nature.straight && !view.range && !view.moments && view.gaps.empty())
        return *run;
    const TimeSpan ownSpan{own.firstTime(), own.lastTime()};
    std::vector<double> times;
    if (view.moments) {
        if (!view.range || (view.moments->count() > 0 && inSpan(*view.range, view.moments->firstTime()) &&
                            inSpan(*view.range, view.moments->lastTime())))
            return *view.moments;
        times = view.moments->times();
    } else {
        // Ends of pieces count only where the track is on its way there: right before or behind it, too, as a fade
        // may begin within what it moves and end beyond.
        const auto shows = [&](double t) {
            return std::any_of(kBeside.begin(), kBeside.end(), [&](double aside) {
                const auto poses = map.at(t + aside);
                return std::any_of(poses.begin(), poses.end(),
                                   [&](const TimedPose& pose) { return inSpan(ownSpan, pose.seconds); });
            });
        };
        times = run ? run->times() : map.outputTimesOf(own.times());
        // Where far moments are joined, a track that rests there is elsewhere right behind.
        const bool joins = map.joinsApart();
        const std::vector<double> ends = joins ? map.outputTimesOf({}) : std::vector<double>();
        const auto joinsAt = [&](double t) {
            const auto near = std::lower_bound(ends.begin(), ends.end(), t - kSameMoment);
            return near != ends.end() && *near <= t + kSameMoment;
        };
        if (!run)
            std::erase_if(times, [&](double t) { return !shows(t) && !joinsAt(t); });
        for (TimeSpan rest : map.holds()) {
            if (view.range)
                rest = {std::max(rest.first, view.range->first), std::min(rest.last, view.range->last)};
            if (!std::isfinite(rest.first) || !std::isfinite(rest.last) || rest.last < rest.first ||
                !shows(rest.first) || map.at((rest.first + rest.last) / 2.0).size() > 1)
                continue;
            // A rest that was asked for is told by its ends.
            times.insert(times.end(), {rest.first, rest.last});
            if (!nature.everyFrame)
                continue;
            // Frames of a rest count from the pose that rests: half frames stay half frames.
            const double base = own.firstTime() > map.heldAt(rest.first) - kSameMoment ? rest.last : rest.first;
            const double frame = view.rate.secondsAt(1.0);
            const double from = std::ceil((rest.first - base) / frame - kFrameTolerance);
            for (double k = from; base + k * frame <= rest.last + kSameMoment && k < from + 1e7; k += 1.0)
                times.push_back(base + k * frame);
        }
        // Where it bends, whole frames say how.
        for (TimeSpan bend : nature.held ? std::vector<TimeSpan>() : map.bends()) {
            if (view.range)
                bend = {std::max(bend.first, view.range->first), std::min(bend.last, view.range->last)};
            if (!std::isfinite(bend.first) || !std::isfinite(bend.last) || bend.last < bend.first ||
                (!joins && !shows(bend.first)))
                continue;
            const auto frames = wholeFrames(bend.first, bend.last, view.rate);
            times.insert(times.end(), frames.begin(), frames.end());
        }
        for (double& time : times)
            time = snappedToFrame(time, view.rate);
        if (!nature.straight && !times.empty()) {
            const auto [low, high] = std::minmax_element(times.begin(), times.end());
            const auto frames = wholeFrames(*low, *high, view.rate);
            times.insert(times.end(), frames.begin(), frames.end());
        }
    }
    sortMoments(times);
    if (!view.moments)
        keepGaps(times, view);
    if (view.range) {
        const TimeSpan& range = *view.range;
        const bool cut = !times.empty() && times.front() < range.first - kSameMoment;
        const bool beyond = !times.empty() && times.back() > range.last + kSameMoment;
        const bool before = cut && times.back() > range.first + kSameMoment;   // on its way across the first end
        const bool after = beyond && times.front() < range.last - kSameMoment; // … and across the last
        const bool state = cut && nature.held;
        std::erase_if(times, [&](double t) { return !inSpan(range, t); });
        // Where one of its own is there already, that one stays, to the last bit.
        if (!view.moments && (before || state) && (times.empty() || times.front() > range.first + kSameMoment))
            times.insert(times.begin(), range.first);
        if (!view.moments && after && !nature.held && (times.empty() || times.back() < range.last - kSameMoment))
            times.push_back(range.last);
        if (times.empty())
            return Sampling::still(range.first);
    }
    if (times.empty())
        return Sampling::still(map.isIdentity() ? own.firstTime() : 0.0);
    return times.size() == 1 && !nature.everyFrame ? Sampling::still(times.front()) : fromTimes(times, run);
}

} // namespace wyc
