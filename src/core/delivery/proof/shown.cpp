// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/shown.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
#include "delivery/proof/shown_channels.h"
#include "scene/instances.h"

namespace wyc {
namespace {

constexpr std::size_t kMostBetween = 48;    // moments between samples, evenly over the item
constexpr std::size_t kPointsBetween = 512; // points looked at there
constexpr double kFloatSteps = 2e-6;        // of a coordinate's size: float32 in, a few sums, float32 out

struct Stretch {
    std::size_t first = 0;
    std::size_t count = static_cast<std::size_t>(-1);
};

// From the lowest to the highest of these numbers; all where there are none.
Stretch stretchOf(const std::vector<std::uint32_t>* numbers) {
    if (!numbers || numbers->empty())
        return {};
    const auto [low, high] = std::minmax_element(numbers->begin(), numbers->end());
    return {*low, static_cast<std::size_t>(*high - *low) + 1};
}

double largest(const Mat4& m) {
    double size = 0.0;
    for (std::size_t i = 0; i < 12; ++i)
        size = std::max(size, std::abs(m.m[i]));
    return size;
}

double reach(const Vec3d& p) {
    return std::max({std::abs(p.x), std::abs(p.y), std::abs(p.z)});
}

bool isBare(const Scene& scene, std::size_t node) {
    const Node& it = scene.nodes[node];
    return it.is().place && it.transform && !it.geometry &&
           std::none_of(scene.nodes.begin(), scene.nodes.end(),
                        [&](const Node& other) { return other.parent == static_cast<int>(node); });
}

} // namespace

ShownNode::ShownNode(const Scene& meant, std::size_t node, const Intention& intention)
    : meant_(&meant), node_(node), intention_(&intention), bare_(isBare(meant, node)) {}

std::optional<ShownNode> ShownNode::find(const Scene& meant, std::size_t node,
                                         const std::vector<Intention>& intentions) {
    const Node& it = meant.nodes[node];
    for (const Intention& intention : intentions) {
        ShownNode result(meant, node, intention);
        const auto indexOf = [&](NodeId id) -> std::optional<std::size_t> {
            const auto found = intention.nodes->find(id.value);
            return found == intention.nodes->end() ? std::nullopt : std::optional(found->second);
        };
        const auto fromSource = [&] {
            result.scene_ = intention.source;
            if (!it.madeOf) {
                if (const auto own = indexOf(it.id); own && (!it.geometry || intention.source->nodes[*own].geometry))
                    result.parts_.push_back({*own, nullptr, nullptr});
                return !result.parts_.empty();
            }
            for (const MadeOf& origin : *it.madeOf) {
                const auto part = indexOf(origin.source);
                if (!part)
                    return false;
                result.parts_.push_back({*part, origin.from, origin.to});
            }
            return !result.parts_.empty();
        };
        if (fromSource())
            return result;
        // A copy of an instance stands where the copies of the source's instances stand.
        if (hasInstances(*intention.source) && !it.madeOf)
            if (auto expanded = expandedInstances(*intention.source)) {
                result.scene_ = std::make_shared<const Scene>(std::move(*expanded));
                auto same = result.scene_->find(it.path);
                // Below the place that an instance with a transform of its own has.
                if (same && it.geometry && !result.scene_->nodes[*same].geometry)
                    same = result.scene_->find(it.path + "/" + it.name);
                if (same && !it.geometry == !result.scene_->nodes[*same].geometry) {
                    result.parts_ = {{*same, nullptr, nullptr}};
                    return result;
                }
            }
    }
    return std::nullopt;
}

std::optional<double> ShownNode::sourceTime(double seconds) const {
    return onlyTime(intention_->time, seconds);
}

std::optional<double> ShownNode::poseTime(double seconds) const {
    return onlyTime(intention_->points, seconds);
}

// Poses that are mixed add up point by point where the place of the shape is the same for all of them. Pieces that turn
// as wholes, and places that are mixed as turns, are no such sums.
std::vector<TimedPose> ShownNode::sourcePoses(double seconds) const {
    std::vector<TimedPose> poses = intention_->points.at(seconds);
    if (poses.size() == 1 && !poses.front().rest)
        return poses;
    for (const Part& part : parts_) {
        const Node& node = scene_->nodes[part.node];
        if (!node.geometry || node.geometry->topologyVaries())
            return {};
        for (int i = static_cast<int>(part.node); i >= 0; i = scene_->nodes[static_cast<std::size_t>(i)].parent)
            if (const TransformPtr& place = scene_->nodes[static_cast<std::size_t>(i)].transform;
                place && !place->constant())
                return {};
        for (const TimedPose& pose : poses)
            if (pose.keepsShape || (pose.rest && (!scene_->rest || scene_->restOf.value != node.id.value)))
                return {};
    }
    return poses;
}

Result<std::optional<std::size_t>> ShownNode::exactSample(double seconds) const {
    std::optional<std::size_t> none;
    const auto time = poseTime(seconds);
    const auto placeTime = onlyTime(intention_->placesOf(*meant_, node_), seconds);
    if (!time || !placeTime || !source().geometry || source().deformation || parts_.size() != 1 ||
        parts_.front().from || parts_.front().to || !intention_->spaceAt(seconds).isIdentity())
        return none;
    const auto at = plainPosition(source().geometry->sampling(), *time);
    if (at.weight > 0.0)
        return none;
    WYC_TRY(here, plainWorld(*meant_, node_, seconds));
    WYC_TRY(there, plainWorld(*scene_, parts_.front().node, *placeTime, Between::AsTold));
    return here == there ? std::optional(at.below) : none;
}

// Largest distance of points [first, …) of the result from where the source shows them; `size` is what rounding is
// measured by. Moments between samples leave out what comes or goes meanwhile.
Result<double> ShownNode::gapAt(double seconds, std::span<const Vec3f> points, std::size_t first, std::size_t total,
                                bool between, double& size) const {
    const std::vector<TimedPose> shown = sourcePoses(seconds);
    if (shown.empty())
        return 0.0;
    WYC_TRY(world, plainWorld(*meant_, node_, seconds));
    const double placeTime = intention_->placesOf(*meant_, node_).at(seconds).front().seconds;
    double gap = 0.0;
    std::size_t counted = 0;
    for (const Part& part : parts_) {
        const Geometry& shape = *scene_->nodes[part.node].geometry;
        WYC_TRY(own, plainWorld(*scene_, part.node, placeTime, Between::AsTold));
        const Mat4 there = own * intention_->spaceAt(seconds);
        const bool direct = !part.from && !part.to;
        // A piece reads its own stretch of the whole.
        const Stretch stretch = direct ? Stretch{first, points.size()} : stretchOf(part.from.get());
        std::vector<PlainPose> poses;
        for (const TimedPose& one : shown) {
            WYC_TRY(read, plainPose(one.rest ? *scene_->rest : shape, one.seconds, stretch.first, stretch.count,
                                    Between::AsTold));
            poses.push_back(std::move(read));
        }
        const PlainPose& pose = poses.front();
        if (std::any_of(poses.begin(), poses.end(),
                        [&](const PlainPose& one) { return one.below.size() != pose.below.size(); }))
            return std::numeric_limits<double>::infinity();
        if (direct && pose.below.size() != points.size() && !between)
            return std::numeric_limits<double>::infinity();
        const double matrixSize = std::max(largest(world), largest(there));
        const std::size_t count = part.from ? part.from->size() : pose.below.size();
        for (std::size_t k = 0; k < count; ++k) {
            const std::size_t from = part.from ? (*part.from)[k] - stretch.first : k;
            const std::size_t to = part.to ? (*part.to)[k] : k;
            if (from >= pose.below.size())
                return std::numeric_limits<double>::infinity();
            if (direct ? to >= points.size() : (to < first || to >= first + points.size()))
                continue;
            if (between && !pose.follows.empty() && !pose.follows[from])
                continue;
            const Vec3f& local = points[direct ? to : to - first];
            Vec3d before = pose.at(from);
            double far = reach(before);
            if (poses.size() > 1) {
                before = before * shown.front().weight;
                far = reach(before);
                for (std::size_t i = 1; i < poses.size(); ++i) {
                    const Vec3d further = poses[i].at(from) * shown[i].weight;
                    before = before + further;
                    far += reach(further);
                }
            }
            const Vec3d here = transformedPoint(Vec3d(local), world);
            const Vec3d wanted = transformedPoint(before, there);
            ++counted;
            if (!isFinite(local)) { // the same in the source, or not
                const bool also = !std::isfinite(before.x + before.y + before.z);
                if (!also)
                    return std::numeric_limits<double>::infinity();
                continue;
            }
            size = std::max({size, reach(here), reach(wanted), reach(Vec3d(local)) * matrixSize, far * matrixSize});
            const Vec3d off = here - wanted;
            gap = std::max(gap, dot(off, off));
        }
    }
    if (!between && counted != total)
        return std::numeric_limits<double>::infinity();
    return std::sqrt(gap);
}

void ShownNode::note(double seconds, double gap, double size, Shown& shown) const {
    if (gap > shown.worst) {
        shown.worst = gap;
        shown.worstSeconds = seconds;
    }
    if (!(gap <= kFloatSteps * size) && shown.disagreements.size() < kMostWords)
        shown.disagreements.push_back(fmt::format("at frame {} it is not where the source shows it: {:.6g} off",
                                                  frameText(snappedFrame(intention_->rate.frameAt(seconds))), gap));
}

void Shown::Moments::add(const Moments& other) {
    seconds.insert(seconds.end(), other.seconds.begin(), other.seconds.end());
}

std::string Shown::Moments::frames(const FrameRate& rate) const {
    std::vector<double> all;
    for (const double at : seconds)
        all.push_back(snappedFrame(rate.frameAt(at)));
    std::sort(all.begin(), all.end());
    all.erase(std::unique(all.begin(), all.end(), [](double a, double b) { return sameFrame(a, b); }), all.end());
    std::vector<double> steps;
    for (std::size_t i = 1; i < all.size(); ++i)
        steps.push_back(all[i] - all[i - 1]);
    const double usual = steps.empty() ? 1.0 : std::max(1.0, middleOf(steps)); // every second frame has no gaps
    std::vector<std::string> runs;
    std::size_t left = 0;
    for (std::size_t i = 0, first = 0; i < all.size(); ++i) {
        if (i + 1 < all.size() && all[i + 1] - all[i] < 1.5 * usual)
            continue;
        if (runs.size() < kMostWords)
            runs.push_back(first == i ? frameText(all[i]) : frameText(all[first]) + " – " + frameText(all[i]));
        else
            ++left;
        first = i + 1;
    }
    return fmt::format("{}{}", fmt::join(runs, ", "), left > 0 ? fmt::format(" and {} more stretches", left) : "");
}

std::string Shown::Moments::words(const FrameRate& rate) const {
    if (count() == 1)
        return "one moment"; // of what is still, at any time
    const std::string where = frames(rate);
    const bool one = where.find_first_of(",–") == std::string::npos;
    return one ? fmt::format("frame {}", where) : fmt::format("frames {} ({} of them)", where, groupedDigits(count()));
}

Status ShownNode::compareSample(double seconds, std::span<const Vec3f> points, Shown& shown) const {
    if (sourcePoses(seconds).empty()) {
        shown.mixed.add(seconds);
        return {};
    }
    double size = 0.0;
    WYC_TRY(gap, gapAt(seconds, points, 0, points.size(), false, size));
    shown.moments.add(seconds);
    note(seconds, gap, size, shown);
    return {};
}

Status ShownNode::compareLook(double seconds, bool placeToo, Shown& shown) const {
    const auto time = sourceTime(seconds);
    if (!time)
        return {};
    const Node& it = meant_->nodes[node_];
    const std::string when = frameText(snappedFrame(intention_->rate.frameAt(seconds)));
    const auto say = [&](std::string words) {
        if (shown.disagreements.size() < kMostWords)
            shown.disagreements.push_back(std::move(words));
    };
    const std::size_t own = parts_.front().node;
    // A moment after the sample: at the very sample rounding decides which side of a flip it is on.
    constexpr double kAfter = 2e-5;
    const auto wantedAt = [&](double after) -> std::optional<bool> {
        const auto there = sourceTime(seconds + after);
        return there ? std::optional(plainVisible(*scene_, own, *there)) : std::nullopt;
    };
    const auto wanted = wantedAt(kAfter);
    // Backwards, what holds from a sample on would hold until it: there the moment itself counts, and at a flip either.
    const bool backwards =
        intention_->time.at(seconds).front().speed < 0.0 || intention_->time.at(seconds + kAfter).front().speed < 0.0;
    const bool steady = wanted && wantedAt(kAfter / 2.0) == wanted && wantedAt(kAfter * 1.5) == wanted;
    bool differs = steady && *wanted != plainVisible(*meant_, node_, seconds + kAfter);
    if (backwards) {
        const bool here = plainVisible(*meant_, node_, seconds);
        differs = true;
        for (const double beside : {-kAfter, 0.0, kAfter})
            differs = differs && plainVisible(*scene_, own, *time + beside) != here;
    }
    if (parts_.size() == 1 && differs)
        say(fmt::format("at frame {} the source shows it {}", when,
                        plainVisible(*meant_, node_, seconds) ? "hidden" : "visible"));
    // Cameras, lights and bare transforms have no points: their place is compared.
    if (placeToo && (it.is().aimed || bare_)) {
        WYC_TRY(world, plainWorld(*meant_, node_, seconds));
        WYC_TRY(place, plainWorld(*scene_, own, *time, Between::AsTold));
        // A unit of its own is another length after a change of size.
        const Mat4 there = place * intention_->spaceAt(seconds);
        const auto off = [&](const Vec3d& p) {
            const Vec3d tip = bare_ ? transformedPoint(p, intention_->axes) : p * intention_->scale;
            return length(transformedPoint(tip, world) - transformedPoint(p, there));
        };
        const double size = std::max({1.0, reach({there.m[12], there.m[13], there.m[14]})});
        for (const Vec3d& p : {Vec3d{0, 0, 0}, Vec3d{0, 0, -1}, Vec3d{0, 1, 0}})
            if (const double gap = off(p); gap > 1e-6 * size) {
                note(seconds, gap, 0.0, shown);
                break;
            }
    }
    return {};
}

// How far the source is from straight lines between whole frames, and between half frames, around a time.
namespace {

// Points of their own space, and the way into the world.
struct OnItsWay {
    std::vector<Vec3d> points;
    Mat4 way;
};

Mat4 straightBetween(const Mat4& a, const Mat4& b, double share) {
    Mat4 result;
    for (std::size_t i = 0; i < 16; ++i)
        result.m[i] = a.m[i] + (b.m[i] - a.m[i]) * share;
    return result;
}

// How far off straight lines are: of the points in the world; of the points alone on their true way; of the way alone.
// Each may be what was written, and two that bend apart may hide each other in the first.
double bendBetween(const OnItsWay& a, const OnItsWay& b, const OnItsWay& here, double share) {
    double bend = 0.0;
    const Mat4 straight = straightBetween(a.way, b.way, share);
    for (std::size_t i = 0; i < here.points.size() && i < a.points.size(); ++i) {
        const Vec3d truly = transformedPoint(here.points[i], here.way);
        const Vec3d from = transformedPoint(a.points[i], a.way);
        if (i >= b.points.size()) { // it stays until it goes
            bend = std::max(bend, length(from - truly));
            continue;
        }
        const Vec3d to = transformedPoint(b.points[i], b.way);
        const Vec3d own = a.points[i] + (b.points[i] - a.points[i]) * share;
        bend =
            std::max({bend, length(from + (to - from) * share - truly), length(transformedPoint(own, here.way) - truly),
                      length(transformedPoint(here.points[i], straight) - truly)});
    }
    return bend;
}

} // namespace

Result<double> ShownNode::sourceBend(double seconds, std::size_t first, std::size_t count) const {
    const double frame = intention_->rate.secondsAt(1.0);
    const double low = intention_->rate.secondsAt(std::floor(intention_->rate.frameAt(seconds)));
    double bend = 0.0;
    std::vector<std::pair<double, double>> stretches{
        {low, low + frame}, {low, low + frame / 2.0}, {low + frame / 2.0, low + frame}};
    // Its own samples may lie a frame apart and on no whole frame: an offset by a part of one put them there.
    const auto own = [&](const Sampling& sampling) {
        const auto around = plainPosition(sampling, seconds);
        if (around.above == around.below)
            return;
        const double from = sampling.time(around.below);
        const double to = sampling.time(around.above);
        if (to - from <= frame + kSameMoment)
            stretches.emplace_back(from, to);
    };
    if (const Node& it = meant_->nodes[node_]; it.geometry)
        own(it.geometry->sampling());
    for (int i = static_cast<int>(node_); i >= 0; i = meant_->nodes[static_cast<std::size_t>(i)].parent)
        if (const TransformPtr& transform = meant_->nodes[static_cast<std::size_t>(i)].transform)
            own(transform->sampling());
    for (const Part& part : parts_) {
        const Geometry& shape = *scene_->nodes[part.node].geometry;
        const Stretch stretch = !part.from && !part.to ? Stretch{first, count} : stretchOf(part.from.get());
        const auto at = [&](double t) -> Result<OnItsWay> {
            OnItsWay result;
            const auto time = onlyTime(intention_->placesOf(*meant_, node_), t);
            const auto ofPoints = poseTime(t);
            if (!time || !ofPoints)
                return result;
            WYC_TRY(world, plainWorld(*scene_, part.node, *time, Between::AsTold));
            WYC_TRY(pose, plainPose(shape, *ofPoints, stretch.first, stretch.count, Between::AsTold));
            result.way = world * intention_->spaceAt(t);
            for (std::size_t i = 0; i < pose.below.size(); ++i)
                result.points.push_back(pose.at(i));
            return result;
        };
        for (const auto& [from, to] : stretches) {
            WYC_TRY(a, at(from));
            WYC_TRY(b, at(to));
            for (const double share : {0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875}) {
                WYC_TRY(here, at(from + (to - from) * share));
                bend = std::max(bend, bendBetween(a, b, here, share));
            }
        }
    }
    return bend;
}

bool ShownNode::madeAsMeant() const {
    const Node& it = meant_->nodes[node_];
    const auto found = intention_->madeOf.find(it.id.value);
    // A piece of a split has another id every time: it is known by its points alone.
    if (found == intention_->madeOf.end() || found->second == it.madeOf)
        return true;
    if (!it.madeOf || it.madeOf->size() != found->second->size())
        return false;
    const auto same = [](const auto& a, const auto& b) { return a == b || (a && b && *a == *b); };
    for (std::size_t i = 0; i < it.madeOf->size(); ++i) {
        const MadeOf& a = (*it.madeOf)[i];
        const MadeOf& b = (*found->second)[i];
        if (a.source != b.source || !same(a.from, b.from) || !same(a.to, b.to))
            return false;
    }
    return true;
}

namespace {

void addTimes(const Sampling& sampling, std::vector<double>& into) {
    if (sampling.count() > 1) {
        const auto all = sampling.times();
        into.insert(into.end(), all.begin(), all.end());
    }
}

// Points by the plain evaluator, rounded as a file rounds them.
Status readPlain(const Geometry& shape, double t, std::size_t first, std::size_t count, std::vector<Vec3f>& points) {
    WYC_TRY(pose, plainPose(shape, t, first, count));
    points.clear();
    for (std::size_t i = 0; i < pose.below.size(); ++i) {
        const Vec3d p = pose.at(i);
        points.push_back({static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
    }
    return {};
}

} // namespace

// From the first to the last time at which something changes, also where only the source does: a result that lost its
// motion must not pass.
std::optional<TimeSpan> ShownNode::spanOf(const std::vector<double>& times) const {
    std::optional<TimeSpan> span;
    if (!times.empty()) {
        const auto [low, high] = std::minmax_element(times.begin(), times.end());
        span = TimeSpan{*low, *high};
    }
    for (const Part& part : parts_)
        if (const auto moving = movingSpan(*scene_, part.node))
            for (const TimeMap* map : {&intention_->time, &intention_->points})
                if (const auto seen = map->outputSpanOf(*moving);
                    seen && std::isfinite(seen->first) && std::isfinite(seen->last))
                    span =
                        span ? TimeSpan{std::min(span->first, seen->first), std::max(span->last, seen->last)} : *seen;
    const View& wanted = intention_->wanted;
    if (span && wanted.range)
        span = TimeSpan{std::max(span->first, wanted.range->first), std::min(span->last, wanted.range->last)};
    return span;
}

// Every time at which something of it has a sample, and whole frames from the first to the last.
std::vector<double> ShownNode::momentsToCompare(const std::vector<Channel>& channels) const {
    const Node& it = meant_->nodes[node_];
    std::vector<double> times;
    if (it.geometry)
        addTimes(it.geometry->sampling(), times);
    for (const Channel& channel : channels)
        if (channel.meaning != Meaning::Unknown)
            addTimes(channel.values->sampling(), times);
    for (int i = static_cast<int>(node_); i >= 0; i = meant_->nodes[static_cast<std::size_t>(i)].parent) {
        const Node& above = meant_->nodes[static_cast<std::size_t>(i)];
        if (above.transform)
            addTimes(above.transform->sampling(), times);
        if (above.visibility)
            addTimes(above.visibility->sampling, times);
    }
    const auto span = spanOf(times);
    const FrameRate& rate = intention_->rate;
    const View& wanted = intention_->wanted;
    if (wanted.moments) {
        times = wanted.moments->times();
        if (wanted.range)
            std::erase_if(times, [&](double t) {
                return t < wanted.range->first - kSameMoment || t > wanted.range->last + kSameMoment;
            });
    } else if (span && span->last > span->first) {
        const auto frames = wholeFrames(span->first, span->last, rate);
        times.insert(times.end(), frames.begin(), frames.end());
    }
    if (times.empty())
        times.push_back(wanted.range ? wanted.range->first : 0.0);
    sortMoments(times);
    // At least one moment, and for points that do not change a whole frame among them.
    if (it.geometry && it.geometry->sampling().count() < 2 && !wanted.moments &&
        std::none_of(times.begin(), times.end(),
                     [&](double t) { return sameFrame(rate.frameAt(t), std::round(rate.frameAt(t))); }))
        times = {times.front()};
    return times;
}

Status ShownNode::compareMoments(const Format& format, const Progress& progress, Shown& shown) const {
    const Node& it = meant_->nodes[node_];
    if (!madeAsMeant() && shown.disagreements.size() < kMostWords)
        shown.disagreements.push_back("its points are in another order than its steps say");
    const FrameRate& rate = intention_->rate;
    using Elements = ShownChannels::Elements;
    auto channels = ShownChannels::of(*meant_, node_, *scene_, parts_.front().node, *intention_, format,
                                      parts_.size() > 1                            ? Elements::Others
                                      : !it.madeOf                                 ? Elements::Same
                                      : !parts_.front().from && !parts_.front().to ? Elements::PointsAlone
                                                                                   : Elements::Others);
    std::vector<double> own; // of its points
    if (it.geometry)
        addTimes(it.geometry->sampling(), own);
    std::sort(own.begin(), own.end());
    const std::vector<double> times = momentsToCompare(channels.meant());
    std::vector<Vec3f> points;
    // Points that are the same at all moments on both sides were looked at one by one at the first: where some hundred
    // of them are carried along, all are.
    const bool rigid = it.geometry && parts_.size() == 1 && it.geometry->sampling().isStill() &&
                       scene_->nodes[parts_.front().node].geometry->sampling().isStill() && !parts_.front().from;
    channels.tellWhatIsLeftAside(shown);
    bool looked = false;
    for (const double t : times) {
        WYC_CHECK(progress.poll());
        const auto near = std::lower_bound(own.begin(), own.end(), t - kSameMoment);
        const bool sampled = near != own.end() && *near <= t + kSameMoment;
        // A moment of another track, within a frame, is one between samples for the points.
        const bool whole = intention_->wanted.moments || sameFrame(rate.frameAt(t), std::round(rate.frameAt(t)));
        WYC_CHECK(compareLook(t, whole || times.size() == 1, shown));
        WYC_CHECK(channels.compareAt(t, whole || times.size() == 1, t == times.front() || t == times.back(), shown));
        const bool judged = !sampled && (whole || times.size() == 1); // samples of points are compared one by one
        if (judged && (it.geometry ? sourcePoses(t).empty() : !sourceTime(t))) {
            shown.mixed.add(t);
        } else if (it.geometry && it.geometry->sampling().count() > 0 && judged) {
            const bool part = rigid && looked;
            WYC_CHECK(readPlain(*it.geometry, t, 0, part ? kPointsBetween : static_cast<std::size_t>(-1), points));
            // Between its own samples a point that is about to go is nowhere for sure.
            const bool loose = it.geometry->topologyVaries();
            double size = 0.0;
            WYC_TRY(gap, gapAt(t, points, 0, points.size(), loose || part, size));
            looked = true;
            shown.moments.add(t);
            note(t, gap, size, shown);
        } else if (!it.geometry) {
            shown.moments.add(t);
        }
    }
    channels.tellWhatWasNeverCompared(shown);
    return intention_->wanted.moments || !it.geometry ? Status() : compareBetween(times, progress, shown);
}

// Between two moments: no further off than straight lines between whole frames of the source are.
Status ShownNode::compareBetween(const std::vector<double>& times, const Progress& progress, Shown& shown) const {
    const Geometry& shape = *meant_->nodes[node_].geometry;
    std::vector<Vec3f> points;
    const std::size_t step = std::max<std::size_t>(1, (times.size() - 1) / kMostBetween);
    for (std::size_t i = 0; i + 1 < times.size(); i += step) {
        WYC_CHECK(progress.poll());
        const double t = times[i] + (times[i + 1] - times[i]) * 0.4;
        if (times[i + 1] - times[i] < 4.0 * kSameMoment) // it jumps there
            continue;
        if (!onlyTime(intention_->placesOf(*meant_, node_), t) || !poseTime(t))
            continue;
        WYC_TRY(count, shape.pointCount(plainPosition(shape.sampling(), t).below));
        const std::size_t first = count > kPointsBetween ? (i * 7919) % (count - kPointsBetween) : 0;
        WYC_CHECK(readPlain(shape, t, first, kPointsBetween, points));
        double size = 0.0;
        WYC_TRY(gap, gapAt(t, points, first, points.size(), true, size));
        ++shown.between;
        shown.worstBetween = std::max(shown.worstBetween, gap);
        // Two poses, each rounded, mixed and rounded again.
        const double rounding = 2.0 * kFloatSteps * size;
        if (gap <= rounding)
            continue;
        WYC_TRY(bend, sourceBend(t, first, kPointsBetween));
        if (gap > bend * 1.3 + rounding && shown.disagreements.size() < kMostWords)
            shown.disagreements.push_back(
                fmt::format("between frames, at {:.2f}, it is {:.6g} off; the source bends by {:.6g} there",
                            intention_->rate.frameAt(t), gap, bend));
    }
    return {};
}

} // namespace wyc
