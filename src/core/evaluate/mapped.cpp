// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>

#include "evaluate/chosen_times.h"
#include "evaluate/mapped.h"
#include "evaluate/mapped_values.h"
#include "scene/channels.h"
#include "scene/deform/deformers.h"
#include "scene/layers.h"
#include "scene/mix.h"

namespace wyc {
namespace {

class MappedGeometry final : public Geometry {
  public:
    /// `rest`: the pose that a map may begin with; may be null where it does not.
    MappedGeometry(GeometryPtr inner, TimeMap map, Sampling sampling, bool straight, GeometryPtr rest)
        : inner_(std::move(inner)),
          map_(std::move(map)),
          sampling_(std::move(sampling)),
          straight_(straight),
          rest_(std::move(rest)) {}

    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t s) const override { return pointCountAt(timeOf(s)); }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(timeOf(s), first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t s) const override { return topologyAt(timeOf(s)); }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t s) const override { return faceSetsAt(timeOf(s)); }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t s) const override { return idsAt(timeOf(s)); }
    [[nodiscard]] bool topologyVaries() const override { return inner_->topologyVaries(); }
    [[nodiscard]] Result<bool> topologyChanges() const override { return inner_->topologyChanges(); }
    [[nodiscard]] bool faceSetsVary() const override { return inner_->faceSetsVary(); }
    [[nodiscard]] bool pointsConstant() const override {
        return sampling_.isStill() || (inner_->sameAlways() && !rest_);
    }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t s) const override { return tokenAt(timeOf(s)); }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t s) const override {
        const auto poses = map_.at(timeOf(s));
        const auto at = inner_->sampling().locate(poses.front().seconds);
        return poses.size() > 1 || poses.front().rest || at.weight > 0.0 ? std::nullopt
                                                                         : inner_->byteOfPoints(at.below);
    }

    [[nodiscard]] Result<std::size_t> pointCountAt(double t) const override {
        return inner_->pointCountAt(map_.heldAt(t));
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        WYC_TRY(poses, posesShown(*inner_, map_, t));
        if (poses.size() == 1 && !poses.front().rest)
            return inner_->readAt(poses.front().seconds, first, into);
        if (poses.size() > 1 && poses[1].keepsShape)
            return readWholes(poses, first, into);
        const Pose base = poseOf(poses.front());
        WYC_CHECK(base.read(first, into));
        return mixInTurn(poses, [&](const TimedPose& pose, double weight) {
            return mixFurther(base, poseOf(pose), weight, first, into);
        });
    }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double t) const override { return inner_->topologyAt(map_.heldAt(t)); }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double t) const override { return inner_->faceSetsAt(map_.heldAt(t)); }
    [[nodiscard]] Result<IdsPtr> idsAt(double t) const override { return inner_->idsAt(map_.heldAt(t)); }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override {
        const auto poses = map_.at(t);
        return poses.size() > 1 || poses.front().rest ? std::nullopt : inner_->tokenAt(poses.front().seconds);
    }
    [[nodiscard]] bool straightBetween() const override { return straight_; }
    [[nodiscard]] bool sameAlways() const override { return inner_->sameAlways() && !rest_; }

  private:
    [[nodiscard]] double timeOf(std::size_t sample) const { return sampling_.time(sample); }
    [[nodiscard]] Pose poseOf(const TimedPose& pose) const {
        return pose.rest && rest_ ? Pose::ofSample(*rest_, 0) : Pose::atTime(*inner_, pose.seconds);
    }
    // Pieces as wholes: that takes all of their points, whichever are asked for.
    [[nodiscard]] Status readWholes(const std::vector<TimedPose>& poses, std::size_t first,
                                    std::span<Vec3f> into) const {
        const Pose earlier = poseOf(poses[0]);
        const Pose later = poseOf(poses[1]);
        WYC_TRY(match, matchOf(earlier, later));
        if (match.by != PointMatch::By::Number) // nothing that could be turned as a whole
            return mixPoints(earlier, later, poses[1].weight, first, into);
        WYC_TRY(count, earlier.pointCount());
        WYC_TRY(topology, earlier.topology());
        std::vector<Vec3f> a(count);
        std::vector<Vec3f> b(count);
        WYC_CHECK(earlier.read(0, a));
        WYC_CHECK(later.read(0, b));
        std::vector<Vec3f> mixed(count);
        mixWholes(a, b, piecesOfPoints(*topology, count), poses[1].weight, mixed);
        std::copy_n(mixed.begin() + static_cast<std::ptrdiff_t>(first), into.size(), into.begin());
        return {};
    }
    GeometryPtr inner_;
    TimeMap map_;
    Sampling sampling_;
    bool straight_;
    GeometryPtr rest_;
};

class MappedTransform final : public Transform {
  public:
    /// `unroll`: the map joins moments that are far apart, where an angle may be another by whole turns.
    MappedTransform(TransformPtr inner, TimeMap map, Sampling sampling, bool straight, bool unroll)
        : inner_(std::move(inner)),
          map_(std::move(map)),
          sampling_(std::move(sampling)),
          straight_(straight),
          unroll_(unroll) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return inner_->ops(); }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t s) const override {
        return channelsAt(sampling_.time(s));
    }
    [[nodiscard]] Result<bool> inherits(std::size_t s) const override { return inheritsAt(sampling_.time(s)); }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double t) const override {
        WYC_TRY(values, rawAt(t));
        if (!unroll_ || sampling_.count() < 2)
            return values;
        const std::size_t below = sampling_.locate(t).below;
        WYC_TRY(before, unrolledSample(below));
        goOnFrom(before, sampling_.time(below), t, values);
        return values;
    }
    [[nodiscard]] Result<bool> inheritsAt(double t) const override { return inner_->inheritsAt(map_.heldAt(t)); }
    [[nodiscard]] bool constant() const override { return sampling_.isStill() || inner_->sameAlways(); }
    [[nodiscard]] bool straightBetween() const override { return straight_; }
    [[nodiscard]] bool sameAlways() const override { return inner_->sameAlways(); }

  private:
    [[nodiscard]] Result<std::vector<double>> rawAt(double t) const {
        const auto poses = map_.at(t);
        WYC_TRY(values, inner_->channelsAt(poses.front().seconds));
        WYC_CHECK(mixInTurn(poses, [&](const TimedPose& pose, double weight) -> Status {
            WYC_TRY(other, inner_->channelsAt(pose.seconds));
            if (unroll_)
                turnNearest(values, other);
            values = mixedChannels(ops(), values, other, weight);
            return {};
        }));
        return values;
    }
    // Angles by whole turns, as near to those of another moment as may be.
    void turnNearest(const std::vector<double>& to, std::vector<double>& values) const {
        std::size_t at = 0;
        for (const TransformOp& op : ops()) {
            const bool angle = op.kind == TransformOp::Kind::RotateX || op.kind == TransformOp::Kind::RotateY ||
                               op.kind == TransformOp::Kind::RotateZ;
            if (angle && at < values.size() && at < to.size())
                values[at] += 360.0 * std::round((to[at] - values[at]) / 360.0);
            at += channelCount(op.kind);
        }
    }
    // A moment as it came, and with the whole turns that keep it beside the moments before it.
    struct Unrolled {
        std::vector<double> raw;
        std::vector<double> values;
    };
    // Along one run a motion turns as far as it turns; only where moments are joined the nearest way is taken.
    void goOnFrom(const Unrolled& before, double from, double to, std::vector<double>& values) const {
        const auto a = map_.at(from);
        const auto b = map_.at(to);
        const bool oneRun =
            a.size() == 1 && b.size() == 1 &&
            std::abs(b.front().seconds - a.front().seconds - b.front().speed * (to - from)) <= kSameMoment;
        if (!oneRun) {
            turnNearest(before.values, values);
            return;
        }
        for (std::size_t i = 0; i < values.size() && i < before.raw.size(); ++i)
            values[i] += before.values[i] - before.raw[i];
    }
    // Sample after sample, each worked out once.
    [[nodiscard]] Result<Unrolled> unrolledSample(std::size_t sample) const {
        const std::lock_guard lock(mutex_);
        while (unrolled_.size() <= sample) {
            const double t = sampling_.time(unrolled_.size());
            WYC_TRY(raw, rawAt(t));
            Unrolled next{raw, raw};
            if (!unrolled_.empty())
                goOnFrom(unrolled_.back(), sampling_.time(unrolled_.size() - 1), t, next.values);
            unrolled_.push_back(std::move(next));
        }
        return unrolled_[sample];
    }
    TransformPtr inner_;
    TimeMap map_;
    Sampling sampling_;
    bool straight_;
    bool unroll_;
    mutable std::mutex mutex_;
    mutable std::vector<Unrolled> unrolled_;
};

// What stands at the top of a scene, moved by what the map carries.
class CarriedTransform final : public Transform {
  public:
    /// `onlyFree`: carried just while the transforms above do not apply; else those take it along.
    CarriedTransform(TransformPtr inner, TimeMap map, Sampling sampling, bool onlyFree)
        : inner_(std::move(inner)),
          map_(std::move(map)),
          sampling_(std::move(sampling)),
          onlyFree_(onlyFree),
          ops_{{TransformOp::Kind::Translate, 0}} {
        if (inner_)
            ops_.insert(ops_.end(), inner_->ops().begin(), inner_->ops().end());
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t s) const override {
        return channelsAt(sampling_.time(s));
    }
    [[nodiscard]] Result<bool> inherits(std::size_t s) const override { return inheritsAt(sampling_.time(s)); }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double t) const override {
        Carry carry = map_.carryAt(t);
        if (onlyFree_) {
            WYC_TRY(inherits, inheritsAt(t));
            if (inherits)
                carry = {};
        }
        std::vector<double> values(carry.begin(), carry.end());
        if (inner_) {
            WYC_TRY(own, inner_->channelsAt(t));
            values.insert(values.end(), own.begin(), own.end());
        }
        return values;
    }
    [[nodiscard]] Result<bool> inheritsAt(double t) const override {
        return inner_ ? inner_->inheritsAt(t) : Result<bool>(true);
    }
    [[nodiscard]] bool constant() const override { return sampling_.isStill(); }
    [[nodiscard]] bool straightBetween() const override { return false; }
    [[nodiscard]] bool sameAlways() const override { return false; }

  private:
    TransformPtr inner_; // after the map
    TimeMap map_;
    Sampling sampling_;
    bool onlyFree_;
    std::vector<TransformOp> ops_;
};

// The same for points that stand at the top themselves.
class CarriedGeometry final : public MomentWrapper {
  public:
    CarriedGeometry(GeometryPtr inner, TimeMap map, Sampling sampling)
        : MomentWrapper(std::move(inner)), map_(std::move(map)), sampling_(std::move(sampling)) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t s) const override { return pointCountAt(timeOf(s)); }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(timeOf(s), first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t s) const override { return topologyAt(timeOf(s)); }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t s) const override { return faceSetsAt(timeOf(s)); }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t s) const override { return idsAt(timeOf(s)); }
    [[nodiscard]] bool pointsConstant() const override { return sampling_.isStill(); }
    [[nodiscard]] bool sameAlways() const override { return false; }
    [[nodiscard]] bool straightBetween() const override { return false; }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t s) const override { return tokenAt(timeOf(s)); }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override {
        return map_.carryAt(t) == Carry{} ? inner().tokenAt(t) : std::nullopt;
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readAt(t, first, into));
        const Carry carry = map_.carryAt(t);
        if (carry != Carry{})
            for (Vec3f& p : into)
                p = {static_cast<float>(static_cast<double>(p.x) + carry[0]),
                     static_cast<float>(static_cast<double>(p.y) + carry[1]),
                     static_cast<float>(static_cast<double>(p.z) + carry[2])};
        return {};
    }

  private:
    [[nodiscard]] double timeOf(std::size_t sample) const { return sampling_.time(sample); }
    TimeMap map_;
    Sampling sampling_;
};

bool mixesPoses(const TimeMap& map) {
    const auto spans = map.holds();
    return std::any_of(spans.begin(), spans.end(), [&](const TimeSpan& span) {
        return std::isfinite(span.first) && std::isfinite(span.last) &&
               map.at((span.first + span.last) / 2.0).size() > 1;
    });
}

// A map begins with the rest pose somewhere: only then does a shape need it.
bool showsRest(const TimeMap& map) {
    const auto spans = map.bends();
    return std::any_of(spans.begin(), spans.end(), [&](const TimeSpan& span) {
        const auto poses = map.at(span.first);
        return std::any_of(poses.begin(), poses.end(), [](const TimedPose& pose) { return pose.rest; });
    });
}

bool turnsInMixes(const std::vector<TransformOp>& ops) {
    return std::any_of(ops.begin(), ops.end(), [](const TransformOp& op) {
        return op.kind == TransformOp::Kind::Matrix || op.kind == TransformOp::Kind::Rotate;
    });
}

} // namespace

Scene mappedScene(const Scene& scene, const TimeMap& map, const View& view, const TimeMap* ofPoints) {
    const TimeMap& points = ofPoints ? *ofPoints : map;
    Scene result = scene;
    result.container.samplings.clear();
    result.view = view;
    result.properties = mappedProperties(scene.properties, map, view);
    for (Material& material : result.materials)
        material.graph = mappedProperties(material.graph, map, view);
    const bool mixes = mixesPoses(map);
    const bool joins = map.joinsApart();
    const bool withRest = scene.rest && showsRest(map);
    const bool carries = map.carries();
    // Whole frames say where something is carried; it goes in straight lines between them.
    const auto carriedTimes = [&](const Sampling& own) {
        if (view.moments)
            return chosenTimes(own, {false, false, false, true}, map, view);
        std::vector<double> times = own.times();
        if (view.range) {
            const auto frames = wholeFrames(view.range->first, view.range->last, view.rate);
            times.insert(times.end(), frames.begin(), frames.end());
            times.insert(times.end(), {view.range->first, view.range->last});
            std::erase_if(times, [&](double t) { return !inSpan(*view.range, t); });
        }
        sortMoments(times);
        return samplingFromTimes(times);
    };
    for (std::size_t i = 0; i < result.nodes.size(); ++i) {
        const Node& before = scene.nodes[i];
        Node& node = result.nodes[i];
        const GeometryPtr own = node.geometry;
        const bool set = node.is().part && node.parent >= 0;
        // Where moments are wanted, a still shape has them as far as something on it changes.
        const bool still = own && own->sameAlways() && !(view.moments && layersChange(before.properties));
        if (own && !(own->sampling().isStill() && still)) {
            TrackNature nature{own->straightBetween() &&
                                   (movedAsAWhole(points, view) || !normalsTurn(before.properties, *own)),
                               false, still, true};
            node.geometry = std::make_shared<MappedGeometry>(
                own, points, chosenTimes(own->sampling(), nature, points, view),
                own->straightBetween() && points.bends().empty(),
                withRest && node.id.value == scene.restOf.value ? scene.rest : nullptr);
        }
        if (node.transform && !(node.transform->sampling().isStill() && node.transform->sameAlways())) {
            const bool straight = node.transform->straightBetween() && !(mixes && turnsInMixes(node.transform->ops()));
            node.transform = std::make_shared<MappedTransform>(
                node.transform, map,
                chosenTimes(node.transform->sampling(), {straight, false, node.transform->sameAlways(), false}, map,
                            view),
                straight && map.bends().empty(), joins);
        }
        if (node.visibility && !(node.visibility->sampling.isStill() && !node.visibility->exact)) {
            VisibilityTrack track;
            track.exact = std::make_shared<const std::function<Visibility(double)>>(
                [earlier = *node.visibility, map](double t) { return earlier.at(map.heldAt(t)); });
            track.sampling = chosenTimes(node.visibility->sampling, {true, true, false, false}, map, view);
            for (const double time : track.sampling.times())
                track.values.push_back(track.at(time));
            node.visibility = std::move(track);
        }
        const bool free = carries && node.parent >= 0 && standsFree(node);
        const bool carried = carries && (node.parent < 0 || free);
        if (carried && !free && node.geometry && !node.transform)
            node.geometry =
                std::make_shared<CarriedGeometry>(node.geometry, map, carriedTimes(node.geometry->sampling()));
        const GeometryPtr carrier = set ? scene.nodes[static_cast<std::size_t>(node.parent)].geometry : own;
        const GeometryPtr shown = set ? result.nodes[static_cast<std::size_t>(node.parent)].geometry : node.geometry;
        node.properties = mappedProperties(node.properties, carrier ? points : map, view, carrier, shown,
                                           carries && node.parent < 0 && !node.transform);
        // A sum of poses is no pose of a skin, and moments are asked of points.
        if (!ofPoints && !mixes && !joins && !carries && !withRest && !view.moments)
            stillDeformed(node, before);
        if (carried && (free || !node.geometry || node.transform) && (node.transform || node.is().place))
            node.transform = std::make_shared<CarriedTransform>(
                node.transform, map, carriedTimes(node.transform ? node.transform->sampling() : Sampling::still()),
                free);
    }
    return result;
}

Scene inStraightLines(Scene scene) {
    const auto bends = [](const auto& track) {
        return track && !track->straightBetween() && !(track->sampling().isStill() && track->sameAlways());
    };
    const auto valuesBend = [&](const PropertiesPtr& properties) {
        const std::vector<Channel> channels = channelsOf(properties);
        return std::any_of(channels.begin(), channels.end(), [&](const Channel& one) { return bends(one.values); });
    };
    const bool any =
        valuesBend(scene.properties) ||
        std::any_of(scene.nodes.begin(), scene.nodes.end(),
                    [&](const Node& node) {
                        return bends(node.geometry) || bends(node.transform) || valuesBend(node.properties);
                    }) ||
        std::any_of(scene.materials.begin(), scene.materials.end(),
                    [&](const Material& material) { return valuesBend(material.graph); });
    if (!any)
        return scene;
    return mappedScene(scene, TimeMap(), scene.view);
}

} // namespace wyc
