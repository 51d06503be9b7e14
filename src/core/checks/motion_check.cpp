// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/motion_parts.h"
#include "scene/channels.h"

namespace wyc {
namespace {

constexpr float kJumpFactor = 6.0F;    // a jump is a step beyond this many times the local median
constexpr std::size_t kJumpWindow = 4; // samples on each side that the local median is taken of

// Local median around sample i, without the sample itself.
float localMedian(const MotionProfile& profile, std::size_t i) {
    std::vector<float> steps;
    const std::size_t low = i > kJumpWindow ? i - kJumpWindow : 1;
    for (std::size_t k = low; k <= std::min(profile.count() - 1, i + kJumpWindow); ++k)
        if (k != i && profile.step[k] >= 0.0F)
            steps.push_back(profile.step[k]);
    return medianOf(std::move(steps));
}

constexpr std::size_t kMostLooks = 200; // closer looks at one item
constexpr std::size_t kLongestPop = 4;  // samples

// A stretch of samples that does not belong: those before and after it fit one another without it.
struct Odd {
    std::size_t first = 0;
    std::size_t last = 0;
    float away = 0.0F; // RMS way out
};

// Median of steps near a stretch, those into it, in it and out of it left aside.
float medianAround(const std::vector<float>& steps, std::size_t first, std::size_t last) {
    std::vector<float> near;
    const std::size_t low = first > kJumpWindow ? first - kJumpWindow : 1;
    for (std::size_t k = low; k < steps.size() && k <= last + 1 + kJumpWindow; ++k)
        if ((k < first || k > last + 1) && steps[k] >= 0.0F)
            near.push_back(steps[k]);
    return medianOf(std::move(near));
}

// One point that leaves the rest and comes back, or that never does.
struct Spike {
    std::size_t first = 0;
    std::size_t last = 0;
    std::size_t point = 0;
    float away = 0.0F;
};

std::vector<Spike> spikesOf(const MeasuredItem& item, Closer& closer) {
    std::vector<Spike> result;
    const MotionProfile& profile = *item.profile;
    if (item.at().geometry->topologyVaries()) // points that come and go are no spikes
        return result;
    // Looks cost a pass over the points: fewer of them where there are millions.
    const std::size_t most = std::min(kMostLooks, 8 + 50'000'000 / (1 + profile.pointCounts.front()));
    std::size_t looks = 0;
    const auto near = [](const Vec3f& a, const Vec3f& b) { return length(Vec3d(a) - Vec3d(b)); };
    for (std::size_t i = 1; i < profile.count(); ++i) {
        const float far = profile.farthest[i];
        if (!(far > leastWay(item)) || !(far > 6.0F * medianAround(profile.farthest, i, i)) || ++looks > most)
            continue;
        const std::size_t p = profile.farthestPoint[i];
        const auto* before = closer.points(i - 1);
        const auto* now = closer.points(i);
        if (!before || !now || p >= before->size() || p >= now->size())
            continue;
        // All others must be calm: a whip's end has neighbours that go with it.
        std::size_t along = 0;
        for (std::size_t k = 0; k < now->size(); ++k)
            along += near((*before)[k], (*now)[k]) > 0.3 * static_cast<double>(far);
        if (along > std::max<std::size_t>(1, now->size() / 1000))
            continue;
        std::size_t back = 0;
        for (std::size_t k = i + 1; k < std::min(profile.count(), i + 1 + kLongestPop) && back == 0; ++k) {
            const auto* then = closer.points(k);
            if (then && p < then->size() && near((*before)[p], (*then)[p]) < 0.3 * static_cast<double>(far))
                back = k;
        }
        if (back > 0) {
            result.push_back({i, back - 1, p, far});
            i = back;
        } else if (i <= kLongestPop && far > 0.5F * static_cast<float>(profile.bounds[i].diagonal())) {
            result.push_back({0, i - 1, p, far}); // it was away from the first sample on
        } else if (far > 0.5F * static_cast<float>(profile.bounds[i - 1].diagonal())) {
            result.push_back({i, profile.count() - 1, p, far});
            break;
        }
    }
    return result;
}

// Whether the way to a sample is that of a stretch that was told already: into it, in it or out of it.
template<class T> bool isTold(const std::vector<T>& stretches, std::size_t sample) {
    return std::any_of(stretches.begin(), stretches.end(),
                       [&](const T& s) { return sample >= s.first && sample <= s.last + 1; });
}

// Far from both neighbours while these are near each other, and within it no further than elsewhere.
std::vector<Odd> popsOf(const MeasuredItem& item, const std::vector<Spike>& spikes, Closer& closer) {
    const MotionProfile& profile = *item.profile;
    std::vector<Odd> result;
    const std::size_t most = std::min(kMostLooks, 8 + 50'000'000 / (1 + profile.pointCounts.front()));
    std::size_t looks = 0;
    const std::vector<float>& step = profile.step;
    for (std::size_t i = 1; i + 1 < profile.count(); ++i) {
        if (!(step[i] > leastWay(item)) || isTold(spikes, i))
            continue;
        for (std::size_t length = 1; length <= kLongestPop && i + length < profile.count(); ++length) {
            const std::size_t back = i + length; // first sample after it
            const float around = medianAround(step, i, back - 1);
            const float way = std::min(step[i], step[back]);
            if (!(way > 4.0F * around))
                continue;
            bool calm = true;
            for (std::size_t k = i + 1; k < back; ++k)
                calm = calm && step[k] < 0.3F * way;
            if (!calm || ++looks > most)
                continue;
            const float gap = closer.gap(i - 1, back);
            if (!(gap < 0.35F * way) || !(gap < 3.0F * around * static_cast<float>(length + 1) + 1e-6F * way))
                continue;
            result.push_back({i, back - 1, way});
            i = back;
            break;
        }
    }
    return result;
}

// Whether a pop is that of a few points alone, while the others go on as before: lids that blink.
bool isOfAPart(const MeasuredItem& item, const Odd& odd, Closer& closer) {
    constexpr double kPart = 0.25; // of all points
    constexpr double kFar = 0.35;  // of its size: no lid goes as far
    const auto* before = closer.points(odd.first - 1);
    const auto* now = closer.points(odd.first);
    if (!before || !now || before->size() != now->size() || now->empty())
        return false;
    double farthest = 0.0;
    for (std::size_t k = 0; k < now->size(); ++k)
        farthest = std::max(farthest, length(Vec3d((*now)[k]) - Vec3d((*before)[k])));
    std::size_t along = 0;
    for (std::size_t k = 0; k < now->size(); ++k)
        along += length(Vec3d((*now)[k]) - Vec3d((*before)[k])) > 0.3 * farthest;
    const double least = static_cast<double>(leastWay(item));
    const double most = kFar * static_cast<double>(item.profile->bounds[odd.first - 1].diagonal());
    return farthest > least && farthest < most && along > 1 &&
           static_cast<double>(along) < kPart * static_cast<double>(now->size());
}

// What is not seen may be anywhere.
bool isHidden(const MeasuredItem& item, std::size_t sample) {
    if (sample >= item.profile->count())
        return false;
    const auto placement = placementAt(*item.scene, item.node, item.profile->times[sample]);
    return placement && !placement->visible;
}

// Two frames that stand in one another's place: there and back again amid a motion that goes on evenly.
std::vector<Odd> swapsOf(const MeasuredItem& item, Closer& closer) {
    const MotionProfile& profile = *item.profile;
    const std::vector<float>& step = profile.step;
    std::vector<Odd> result;
    constexpr float kLike = 0.35F;
    const auto like = [&](float is, float should) { return std::abs(is / should - 1.0F) < kLike; };
    for (std::size_t i = 3; i + 4 < profile.count(); ++i) {
        const float usual = medianAround(step, i, i + 1);
        if (!(usual > leastWay(item)) || !like(step[i - 1], usual) || !like(step[i - 2], usual) ||
            !like(step[i + 3], usual) || !like(step[i + 4], usual) || !like(step[i], 2.0F * usual) ||
            !like(step[i + 1], usual) || !like(step[i + 2], 2.0F * usual))
            continue;
        // The other way round they follow one another as all others do.
        if (like(closer.gap(i - 1, i + 1), usual) && like(closer.gap(i, i + 2), usual)) {
            result.push_back({i, i + 1, step[i]});
            i += 2;
        }
    }
    return result;
}

// Sample elsewhere in the cache whose pose this one is, point for point as far as a few hundred of them tell.
std::optional<std::size_t> sameElsewhere(const MeasuredItem& item, std::size_t sample, float away) {
    const Geometry& shape = *item.at().geometry;
    if (shape.sampling().count() != item.profile->count()) // it moves by transforms alone
        return std::nullopt;
    constexpr std::size_t kProbe = 512;
    const auto probe = [&](std::size_t i, std::vector<Vec3f>& into) {
        const auto count = shape.pointCount(i);
        if (!count || *count == 0)
            return false;
        into.resize(std::min(*count, kProbe));
        return shape.readRange(i, (*count - into.size()) / 2, into).has_value();
    };
    std::vector<Vec3f> own;
    std::vector<Vec3f> other;
    if (!probe(sample, own))
        return std::nullopt;
    std::optional<std::size_t> nearest;
    float least = 0.002F * away; // a copy, but for the rounding of a format
    for (std::size_t i = 0; i < item.profile->count(); ++i) {
        if (i + 1 >= sample && i <= sample + 1)
            continue;
        if (!probe(i, other) || other.size() != own.size())
            continue;
        if (const float gap = rmsDistance(own, other); gap <= least) {
            least = gap;
            nearest = i;
        }
    }
    return nearest;
}

bool isJump(const MotionProfile& profile, std::size_t i, float usual) {
    const float step = profile.step[i];
    if (!(step > 0.0F))
        return false;
    // Both the neighbours and the whole: something that starts quickly from rest is no jump.
    const float reference = std::max(localMedian(profile, i), 0.5F * usual);
    if (!(step > kJumpFactor * reference))
        return false;
    const auto near = [&](std::size_t k) { return k >= 1 && k < profile.count() && profile.step[k] > step / 3.0F; };
    if (near(i - 1) || near(i + 1))
        return false;
    // A burst: from rest, and from then on slower and slower.
    bool rested = true;
    for (std::size_t k = i > kJumpWindow ? i - kJumpWindow : 1; k < i; ++k)
        rested = rested && !(profile.step[k] > 0.02F * step);
    const bool dying = i + 2 < profile.count() && profile.step[i + 1] > 0.05F * step && profile.step[i + 2] > 0.0F &&
                       profile.step[i + 2] < profile.step[i + 1];
    return !(rested && dying);
}

void reportPops(const MeasuredItem& item, const std::vector<Odd>& pops, std::vector<Finding>& findings) {
    constexpr std::size_t kMostNamed = 8; // of which the cache is searched for the pose
    std::size_t named = 0;
    for (const Odd& odd : pops) {
        const auto elsewhere = odd.first == odd.last && named++ < kMostNamed ? sameElsewhere(item, odd.first, odd.away)
                                                                             : std::optional<std::size_t>();
        const std::string away = lengthOf(item, static_cast<double>(odd.away));
        Finding finding{elsewhere ? "motion.foreign_pose" : "motion.pop",
                        Severity::Fault,
                        item.label,
                        item.frameAt(odd.first),
                        {},
                        "",
                        elsewhere ? fmt::format("It holds the pose of frame {}: {} from the frames before and after",
                                                frameText(item.frameAt(*elsewhere)), away)
                                  : fmt::format("The pose of {} is {} from those before and after, which are near each "
                                                "other",
                                                framesText(item, odd.first, odd.last), away),
                        odd.first == odd.last ? "Export this frame again, or fill it from its neighbours"
                                              : "Export these frames again, or fill them from their neighbours",
                        "Fill from neighbours",
                        filledFromNeighbours(item, odd.first, odd.last),
                        1,
                        momentsOf(item, odd.first, odd.last)};
        setLength(finding, item, static_cast<double>(odd.away));
        findings.push_back(std::move(finding));
    }
}

bool evenFrames(const MeasuredItem& item) {
    for (std::size_t i = 1; i < item.profile->count(); ++i)
        if (!sameFrame(item.frameAt(i) - item.frameAt(i - 1), 1.0))
            return false;
    return true;
}

void reportSwaps(const MeasuredItem& item, const std::vector<Odd>& swaps, std::vector<Finding>& findings) {
    for (const Odd& odd : swaps) {
        const std::string first = exactFrames(item, odd.first, odd.first);
        const std::string second = exactFrames(item, odd.last, odd.last);
        const std::string before = exactFrames(item, odd.first - 1, odd.first - 1);
        const std::string behind = exactFrames(item, odd.last + 1, odd.last + 1);
        const std::string start = exactFrames(item, 0, 0);
        const std::size_t last = item.profile->count() - 1;
        const std::string end = exactFrames(item, last, last);
        Finding finding{"motion.swapped",
                        Severity::Fault,
                        item.label,
                        item.frameAt(odd.first),
                        2.0,
                        "frames",
                        fmt::format("Frames {} and {} have changed places: it goes on, back, and on again",
                                    frameText(item.frameAt(odd.first)), frameText(item.frameAt(odd.last))),
                        "Export them again, or put them in order",
                        "Put in order",
                        {},
                        1,
                        momentsOf(item, odd.first, odd.last)};
        if (!evenFrames(item)) { // the curve is one of whole frames
            finding.mendLabel.clear();
            findings.push_back(std::move(finding));
            continue;
        }
        finding.mend = {Step{"retime",
                             {{"curve", fmt::format("{0}={0}, {1}={1}, {2}={3}, {3}={2}, {4}={4}, {5}={5}", start,
                                                    before, first, second, behind, end)}},
                             true}};
        findings.push_back(std::move(finding));
    }
}

void reportSpikes(const MeasuredItem& item, const std::vector<Spike>& spikes, std::vector<Finding>& findings) {
    for (const Spike& spike : spikes) {
        const bool toTheEnd = spike.last + 1 == item.profile->count() && spike.last - spike.first >= kLongestPop;
        Finding finding{
            "points.spike",
            Severity::Fault,
            item.label,
            item.frameAt(spike.first),
            {},
            "",
            fmt::format("Point {} is {} from where it belongs {}; the others go on as before", spike.point,
                        lengthOf(item, static_cast<double>(spike.away)),
                        toTheEnd ? "from this frame on" : "in " + framesText(item, spike.first, spike.last)),
            "Export again from the simulation; short of that, fill the frames from their neighbours",
            {},
            {}};
        if (!toTheEnd) {
            finding.mendLabel = "Fill from neighbours";
            finding.mend = filledFromNeighbours(item, spike.first, spike.last);
        }
        finding.moments = momentsOf(item, spike.first, spike.last);
        setLength(finding, item, static_cast<double>(spike.away));
        findings.push_back(std::move(finding));
    }
}

} // namespace

bool firstSampleIsStale(const MeasuredItem& item, bool* isRest) {
    const MotionProfile& profile = *item.profile;
    if (profile.count() < 4)
        return false;
    const float next = profile.step[1];
    if (!(next > 0.0F))
        return false;
    // The way to the next frame must stand out; a clean loop also begins near where it ends.
    std::vector<float> following;
    for (std::size_t i = 2; i < std::min<std::size_t>(profile.count(), 8); ++i)
        if (profile.step[i] >= 0.0F)
            following.push_back(profile.step[i]);
    const float usual = std::max(medianOf(following), 0.25F * movingMedian(profile));
    if (!(next > 2.5F * usual))
        return false;
    // A burst from rest slows down over several frames; behind a stale frame the motion is at its speed at once.
    if (profile.step[2] > 1.4F * profile.step[3] && profile.step[3] > 1.1F * medianOf(following))
        return false;
    if (profile.firstToLast < next * 0.5F && profile.firstToLast < usual)
        return true;
    std::vector<Vec3f> first;
    if (item.restPoses.empty() || !item.at().geometry || !readPoints(*item.at().geometry, 0, first))
        return false;
    for (const auto& rest : item.restPoses)
        if (rmsDistance(first, *rest) < std::min(next * 0.5F, usual)) {
            if (isRest)
                *isRest = true;
            return true;
        }
    return false;
}

bool shotNeedsStaleFirst(const MeasuredItem& item, const Shot& shot) {
    const auto wanted = shot.rangeWithHandles();
    if (!wanted)
        return false;
    const double late = item.frameAt(1) - wanted->first;
    const double over = item.frameAt(item.profile->count() - 1) - wanted->last;
    // As long as the shot with it, and late or early as a whole: it is one of the shot's own.
    const double whole = item.frameAt(0) - wanted->first;
    if (std::abs(whole) > kFrameTolerance && std::abs(whole - over) < kFrameTolerance)
        return true;
    // As long as the shot without it, and late as a whole: it is one too many.
    return late > kFrameTolerance && item.frameAt(0) < wanted->first + kFrameTolerance &&
           std::abs(late - over) > kFrameTolerance;
}

namespace {

// The profile with every way as long as it would be over the usual gap between samples: what moves evenly has longer
// ways where samples lie further apart.
MotionProfile perUsualGap(MotionProfile profile) {
    std::vector<float> gaps;
    for (std::size_t i = 1; i < profile.count(); ++i)
        gaps.push_back(static_cast<float>(profile.times[i] - profile.times[i - 1]));
    const float usual = medianOf(gaps);
    for (std::size_t i = 1; i < profile.count(); ++i)
        if (gaps[i - 1] > 1.01F * usual) {
            profile.step[i] *= usual / gaps[i - 1];
            profile.farthest[i] *= usual / gaps[i - 1];
        }
    return profile;
}

// Whether samples of a value differ, or cannot be told to be equal.
bool changes(const SampledValues& values) {
    if (values.constant())
        return false;
    const auto first = values.read(0);
    for (std::size_t i = 1; i < values.sampling().count(); ++i)
        if (const auto value = values.read(i); !first || !value || !(*value == *first))
            return true;
    return false;
}

// Whether something is said of it that changes, as a light's intensity does: then it is not still.
bool figuresChange(const Node& node) {
    const std::vector<Channel> all = channelsOf(node.properties);
    return std::any_of(all.begin(), all.end(), [](const Channel& one) {
        return one.meaning != Meaning::Unknown && (changes(*one.values) || (one.numbers && changes(*one.numbers)));
    });
}

} // namespace

void checkMotion(const CheckInput& input, std::vector<Finding>& findings) {
    for (const MeasuredItem& item : input.items) {
        if (!item.profile || item.profile->count() < 2)
            continue;
        const MotionProfile& profile = *item.profile;
        if (!profile.moves()) {
            if (item.movesBySource && profile.unreadable.empty() && profile.count() > 1 && !figuresChange(item.at()))
                findings.push_back(
                    {"motion.static",
                     Severity::Note,
                     item.label,
                     {},
                     static_cast<double>(profile.count()),
                     "samples",
                     fmt::format("It has {} samples, and all are the same: nothing moves", profile.count()),
                     "Switch its animation on and export again, or deliver it as one still sample",
                     {},
                     {}});
            continue;
        }
        bool rest = false;
        const bool stale = firstSampleIsStale(item, &rest);
        if (stale) {
            const bool needed = shotNeedsStaleFirst(item, input.shot);
            Finding finding{
                "frames.first_stale",
                Severity::Fault,
                item.label,
                item.frameAt(0),
                {},
                "",
                rest ? fmt::format("The first frame holds the rest pose: the next is {} away, later ones move {}",
                                   lengthOf(item, static_cast<double>(profile.step[1])),
                                   lengthOf(item, static_cast<double>(profile.step[2])))
                     : fmt::format("The first frame is stale: it is {} from the last frame, {} from the next",
                                   lengthOf(item, static_cast<double>(profile.firstToLast)),
                                   lengthOf(item, static_cast<double>(profile.step[1]))),
                needed ? "Export it again, or hold the second frame in its place" : "Drop the first frame",
                needed ? "Hold the second" : "Drop it",
                needed ? filledFromNeighbours(item, 0, 0) : std::vector{withoutSamples(item, 0, 0)},
                1,
                momentsOf(item, 0, 0)};
            setLength(finding, item, static_cast<double>(profile.step[1]));
            findings.push_back(std::move(finding));
        }
        MeasuredItem even = item;
        even.profile = std::make_shared<const MotionProfile>(perUsualGap(profile));
        Closer closer(item);
        const auto spikes = spikesOf(even, closer);
        const auto swaps = swapsOf(even, closer);
        auto pops = popsOf(even, spikes, closer);
        std::erase_if(pops, [&](const Odd& odd) { return isTold(swaps, odd.first); });
        std::vector<Odd> blinks;
        for (const Odd& odd : pops)
            if (isOfAPart(item, odd, closer))
                blinks.push_back(odd);
        std::erase_if(pops, [&](const Odd& odd) { return isTold(blinks, odd.first); });
        const auto unseen = [&](std::size_t i) { return isHidden(item, i) || isHidden(item, i - 1); };
        std::erase_if(pops, [&](const Odd& odd) { return unseen(odd.first) || unseen(odd.last + 1); });
        reportSpikes(item, spikes, findings);
        reportSwaps(item, swaps, findings);
        reportPops(item, pops, findings);
        const float usual = movingMedian(*even.profile);
        for (std::size_t i = stale ? 2 : 1; i < profile.count(); ++i) {
            if (isTold(spikes, i) || isTold(pops, i) || isTold(blinks, i) || isTold(swaps, i) || unseen(i) ||
                !(even.profile->step[i] > leastWay(item)) || !isJump(*even.profile, i, usual))
                continue;
            const bool back = i + 1 < profile.count();
            Finding finding{"motion.jump",
                            Severity::Caution,
                            item.label,
                            item.frameAt(i),
                            {},
                            "",
                            fmt::format("A jump: the points move {} in this frame, {} in those around it",
                                        lengthOf(item, static_cast<double>(profile.step[i])),
                                        lengthOf(item, static_cast<double>(localMedian(profile, i)))),
                            back ? "Look at the frame before and after; a wrong pose can be dropped"
                                 : "Look at the last frame; it may belong to another take",
                            {},
                            {}};
            setLength(finding, item, static_cast<double>(profile.step[i]));
            findings.push_back(std::move(finding));
        }
    }
}

} // namespace wyc
