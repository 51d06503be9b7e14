// SPDX-License-Identifier: GPL-3.0-or-later
#include "evaluate/baked.h"

#include <algorithm>
#include <mutex>

#include <Eigen/LU>
#include <fmt/format.h>

#include "evaluate/mapped.h"
#include "scene/channels.h"
#include "scene/layers.h"
#include "scene/winding.h"

namespace wyc {
namespace {

using Linear = Eigen::Matrix<double, 3, 3, Eigen::RowMajor>;

Linear linearOf(const Mat4& m) {
    Linear result;
    for (Eigen::Index r = 0; r < 3; ++r)
        for (Eigen::Index c = 0; c < 3; ++c)
            result(r, c) = m.at(static_cast<std::size_t>(r), static_cast<std::size_t>(c));
    return result;
}

// Normals go by the inverse transpose; a matrix that flattens space leaves them as they are.
Linear normalMatrix(const Mat4& m) {
    const Linear linear = linearOf(m);
    return std::abs(linear.determinant()) > 1e-300 ? Linear(linear.inverse().transpose()) : Linear::Identity();
}

bool mirrors(const Mat4& m) {
    return linearOf(m).determinant() < 0.0;
}

template<class T> void turnDirections(std::span<T> values, const Linear& matrix, bool keepLength) {
    for (std::size_t i = 0; i + 3 <= values.size(); i += 3) {
        const Eigen::RowVector3d before(static_cast<double>(values[i]), static_cast<double>(values[i + 1]),
                                        static_cast<double>(values[i + 2]));
        Eigen::RowVector3d after = before * matrix;
        if (keepLength && after.norm() > 0.0)
            after *= before.norm() / after.norm();
        for (std::size_t k = 0; k < 3; ++k)
            values[i + k] = static_cast<T>(after(static_cast<Eigen::Index>(k)));
    }
}

class BakedGeometry final : public MomentWrapper {
  public:
    BakedGeometry(GeometryPtr inner, std::shared_ptr<const WorldTrack> world)
        : MomentWrapper(std::move(inner)), world_(std::move(world)), mirrored_(world_->mirrored()) {}
    [[nodiscard]] const Sampling& sampling() const override { return world_->sampling(); }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t s) const override {
        return inner().pointCountAt(timeOf(s));
    }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(timeOf(s), first, into);
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readAt(t, first, into));
        WYC_TRY(matrix, world_->at(t));
        if (!matrix.isIdentity())
            for (Vec3f& point : into)
                point = transformedPoint(point, matrix);
        return {};
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t s) const override { return topologyAt(timeOf(s)); }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double t) const override {
        WYC_TRY(faces, inner().topologyAt(t));
        WYC_TRY(mirrored, mirrorsAt(t));
        if (!mirrored)
            return faces;
        const std::lock_guard lock(mutex_);
        if (turnedFrom_ != faces) {
            WYC_TRY(made, turned(*faces));
            turnedFrom_ = faces;
            turned_ = made;
        }
        return turned_;
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t s) const override { return inner().faceSetsAt(timeOf(s)); }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t s) const override { return inner().idsAt(timeOf(s)); }
    [[nodiscard]] bool topologyVaries() const override { return !mirrored_ || inner().topologyVaries(); }
    [[nodiscard]] bool faceSetsVary() const override { return inner().faceSetsVary(); }
    [[nodiscard]] bool pointsConstant() const override { return sampling().isStill() || sameAlways(); }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t s) const override { return tokenAt(timeOf(s)); }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override {
        return world_->varies() ? std::nullopt : inner().tokenAt(t);
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] bool straightBetween() const override { return world_->straight(); }
    [[nodiscard]] bool sameAlways() const override { return !world_->varies() && inner().sameAlways(); }

  private:
    [[nodiscard]] double timeOf(std::size_t sample) const { return sampling().time(sample); }
    // A mirror that stays one is known; else every moment is asked.
    [[nodiscard]] Result<bool> mirrorsAt(double t) const {
        if (mirrored_)
            return *mirrored_;
        WYC_TRY(matrix, world_->at(t));
        return mirrors(matrix);
    }
    std::shared_ptr<const WorldTrack> world_;
    std::optional<bool> mirrored_;
    mutable std::mutex mutex_;
    mutable TopologyPtr turnedFrom_;
    mutable TopologyPtr turned_;
};

// Values of points at the moments that the points have in the world: readers pair them by number.
class ValuesWithPoints final : public ValuesWrapper {
  public:
    ValuesWithPoints(const ValuesPtr& values, SpaceRole role, GeometryPtr carrier, Sampling sampling)
        : ValuesWrapper(values), role_(role), carrier_(std::move(carrier)), sampling_(std::move(sampling)) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const Sampling& statedSampling() const override { return sampling_; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return inner().readAt(sampling_.time(sample), {role_, carrier_.get()});
    }
    [[nodiscard]] bool constant() const override { return inner().sameAlways(); }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        return inner().tokenAt(sampling_.time(sample));
    }

  private:
    SpaceRole role_;
    GeometryPtr carrier_;
    Sampling sampling_;
};

class BakedValues final : public ValuesWrapper {
  public:
    /// `carrier`: the shape that the values belong to, in its own space; may be null.
    BakedValues(const Channel& channel, std::shared_ptr<const WorldTrack> world, GeometryPtr carrier)
        : ValuesWrapper(channel.values),
          role_(channel.space),
          ofPoints_(isSpeedOfPoints(channel)),
          world_(std::move(world)),
          carrier_(std::move(carrier)) {}
    [[nodiscard]] const Sampling& sampling() const override { return world_->sampling(); }
    [[nodiscard]] const Sampling& statedSampling() const override { return world_->sampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return readAt(sampling().time(sample), {});
    }
    [[nodiscard]] Result<PropertyValue> readAt(double t, const ValueMix&) const override {
        WYC_TRY(value, inner().readAt(t, {role_, carrier_.get()}));
        WYC_TRY(matrix, world_->at(t));
        std::vector<Vec3f> points;
        std::optional<Mat4> speed;
        if (ofPoints_ && carrier_) {
            WYC_TRY(found, world_->speedAt(t));
            speed = found;
        }
        if (!speed && matrix.isIdentity()) // to the last bit
            return value;
        if (speed)
            WYC_CHECK(readPointsAt(*carrier_, t, points));
        changeNumbers(type(), value, [&](auto numbers) { bake(numbers, matrix, points, speed.value_or(Mat4{})); });
        return value;
    }
    [[nodiscard]] bool straightBetween() const override { return inner().straightBetween() && world_->straight(); }
    [[nodiscard]] bool constant() const override { return sampling().isStill() || sameAlways(); }
    [[nodiscard]] bool sameAlways() const override { return !world_->varies() && inner().sameAlways(); }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }

  private:
    template<class T>
    void bake(std::span<T> numbers, const Mat4& matrix, std::span<const Vec3f> points, const Mat4& speed) const {
        const auto triple = [&](std::size_t i) {
            return Vec3d{static_cast<double>(numbers[i]), static_cast<double>(numbers[i + 1]),
                         static_cast<double>(numbers[i + 2])};
        };
        const auto put = [&](std::size_t i, const Vec3d& v) {
            numbers[i] = static_cast<T>(v.x);
            numbers[i + 1] = static_cast<T>(v.y);
            numbers[i + 2] = static_cast<T>(v.z);
        };
        switch (role_) {
        case SpaceRole::Length: {
            const double scale = std::cbrt(std::abs(linearOf(matrix).determinant()));
            for (T& number : numbers)
                number = static_cast<T>(static_cast<double>(number) * scale);
            break;
        }
        case SpaceRole::Normal: turnDirections<T>(numbers, normalMatrix(matrix), true); break;
        case SpaceRole::Vector:
            turnDirections<T>(numbers, linearOf(matrix), false);
            if (!points.empty() && points.size() * 3 == numbers.size())
                for (std::size_t i = 0; i < points.size(); ++i)
                    put(i * 3, triple(i * 3) + transformedPoint(Vec3d(points[i]), speed));
            break;
        case SpaceRole::Position:
            for (std::size_t i = 0; i + 3 <= numbers.size(); i += 3)
                put(i, transformedPoint(triple(i), matrix));
            break;
        case SpaceRole::None:
        case SpaceRole::Turn:
        case SpaceRole::Axes:
        case SpaceRole::Placement: // of what takes a transform instead
        case SpaceRole::Box: break;
        }
    }
    SpaceRole role_;
    bool ofPoints_;
    std::shared_ptr<const WorldTrack> world_;
    GeometryPtr carrier_;
};

// Values of corners, or numbers of their values, under a way that mirrors: there faces are walked the other way round.
class MirroredCorners final : public ValuesWrapper {
  public:
    /// `sampling`: where the way mirrors at times, when; else that of the values.
    MirroredCorners(ValuesPtr inner, std::shared_ptr<const WorldTrack> world, GeometryPtr carrier, Sampling sampling,
                    bool always)
        : ValuesWrapper(std::move(inner)),
          world_(std::move(world)),
          carrier_(std::move(carrier)),
          sampling_(std::move(sampling)),
          always_(always) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const Sampling& statedSampling() const override { return sampling_; }
    [[nodiscard]] bool constant() const override { return sampling_.isStill() || sameAlways(); }
    [[nodiscard]] bool sameAlways() const override {
        return always_ && inner().sameAlways() && !carrier_->topologyVaries();
    }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return readAt(sampling_.time(sample), {});
    }
    [[nodiscard]] Result<PropertyValue> readAt(double t, const ValueMix&) const override {
        WYC_TRY(value, inner().readAt(t, {SpaceRole::None, carrier_.get()}));
        WYC_TRY(matrix, world_->at(t));
        WYC_TRY(faces, carrier_->topologyAt(t));
        if (mirrors(matrix))
            turnCorners(*faces, value);
        return value;
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }

  private:
    std::shared_ptr<const WorldTrack> world_;
    GeometryPtr carrier_;
    Sampling sampling_;
    bool always_;
};

// Where nothing lies between two samples, a pose stays in its own space and goes with what carries it.
std::shared_ptr<const WorldTrack> worldOfShape(const std::shared_ptr<const Scene>& scene, std::size_t node,
                                               const Sampling& sampling) {
    const Geometry& shape = *scene->nodes[node].geometry;
    const bool straight =
        shape.straightBetween() && !shape.topologyVaries() && !normalsTurn(scene->nodes[node].properties, shape);
    return std::make_shared<const WorldTrack>(scene, node, sampling, straight);
}

// A way that rests and keeps angles: a direction between two others goes the same way before and after it.
bool keepsAngles(const WorldTrack& way) {
    if (way.varies())
        return false;
    const auto matrix = way.at(0.0);
    if (!matrix)
        return false;
    const Eigen::Matrix3d linear = linearOf(*matrix);
    const Eigen::Matrix3d square = linear * linear.transpose();
    const double size = square.trace() / 3.0;
    return (square - Eigen::Matrix3d::Identity() * size).cwiseAbs().maxCoeff() <= 1e-9 * size;
}

// Values under the way into the world, before faces are turned over.
ValuesPtr bakedValues(const std::shared_ptr<const Scene>& scene, std::size_t node, const Channel& channel) {
    const GeometryPtr& carrier = scene->nodes[node].geometry;
    // Normals have a sample wherever their points have one.
    const bool withPoints = channel.meaning == Meaning::Normals && carrier && worldTrack(scene, node)->varies();
    if (!withPoints) {
        auto way = std::make_shared<const WorldTrack>(scene, node, channel.values->sampling(),
                                                      channel.values->straightBetween());
        if (channel.space == SpaceRole::Normal && !channel.values->constant() && !keepsAngles(*way))
            way = std::make_shared<const WorldTrack>(scene, node, channel.values->sampling(), false);
        return std::make_shared<BakedValues>(channel, std::move(way), carrier);
    }
    // Between two samples they keep their length: more samples there would be other normals, but on whole frames.
    const Sampling both = commonSampling({carrier->sampling(), channel.values->sampling()});
    const auto world = channel.values->constant() ? worldOfShape(scene, node, both)
                                                  : std::make_shared<const WorldTrack>(scene, node, both, false);
    return std::make_shared<BakedValues>(channel, world, carrier);
}

} // namespace

WorldTrack::WorldTrack(std::shared_ptr<const Scene> scene, std::size_t node, const Sampling& own, bool ownStraight)
    : scene_(std::move(scene)), node_(node) {
    std::vector<Sampling> samplings{own};
    for (int at = static_cast<int>(node); at >= 0; at = scene_->nodes[static_cast<std::size_t>(at)].parent) {
        const TransformPtr& transform = scene_->nodes[static_cast<std::size_t>(at)].transform;
        if (!transform)
            continue;
        varies_ = varies_ || !transform->sameAlways();
        if (transform->constant())
            continue;
        moves_ = true;
        samplings.push_back(transform->sampling());
        // Only what slides goes in straight lines; a turn or a growing size times anything else does not.
        straight_ = straight_ && transform->straightBetween() && onlySlides(*transform);
    }
    straight_ = straight_ && ownStraight;
    sampling_ = commonSampling(samplings);
    if (sampling_.isStill()) {
        // Nothing moves while it is wanted; elsewhere it may.
        const View& wanted = scene_->view;
        sampling_ = varies_ && wanted.range     ? Sampling::still(wanted.range->first)
                    : varies_ && wanted.moments ? Sampling::still(wanted.moments->firstTime())
                                                : own;
    } else if (scene_->view.moments) {
        sampling_ = chosenTimes(sampling_, {straight_, false, !varies_, true}, TimeMap(), scene_->view);
    } else if (!straight_) {
        std::vector<double> times = sampling_.times();
        const auto frames = wholeFrames(times.front(), times.back(), scene_->view.rate);
        times.insert(times.end(), frames.begin(), frames.end());
        const std::size_t before = sampling_.count();
        sortMoments(times);
        keepGaps(times, scene_->view);
        if (times.size() != before)
            sampling_ = samplingFromTimes(times);
    }
}

bool WorldTrack::onlySlides(const Transform& transform) {
    const auto first = transform.channels(0);
    for (std::size_t i = 0; i < transform.sampling().count(); ++i) {
        const auto now = transform.channels(i);
        const auto inherits = transform.inherits(i);
        if (!first || !now || !inherits || !*inherits || now->size() != first->size())
            return false;
        std::size_t at = 0;
        for (const TransformOp& op : transform.ops()) {
            const std::size_t count = channelCount(op.kind);
            for (std::size_t k = at; k < at + count && k < now->size(); ++k) {
                const bool place = op.kind == TransformOp::Kind::Translate ||
                                   (op.kind == TransformOp::Kind::Matrix && k - at >= 12 && k - at < 15);
                if (!place && (*now)[k] != (*first)[k])
                    return false;
            }
            at += count;
        }
    }
    return true;
}

Result<Mat4> WorldTrack::at(double seconds) const {
    WYC_TRY(placement, placementAt(*scene_, node_, seconds));
    return placement.matrix;
}

Result<std::optional<Mat4>> WorldTrack::speedAt(double seconds) const {
    if (!varies_)
        return std::optional<Mat4>();
    // Differences over a frame, less where the motion ends: what the next and the last frame show.
    const double frame = scene_->view.rate.secondsAt(1.0);
    const double from = std::max(seconds - frame, sampling_.isStill() ? seconds : sampling_.firstTime());
    const double to = std::min(seconds + frame, sampling_.isStill() ? seconds : sampling_.lastTime());
    if (!(to - from > 0.0))
        return std::optional<Mat4>();
    WYC_TRY(before, at(from));
    WYC_TRY(after, at(to));
    if (before == after)
        return std::optional<Mat4>();
    Mat4 speed;
    for (std::size_t i = 0; i < speed.m.size(); ++i)
        speed.m[i] = (after.m[i] - before.m[i]) / (to - from);
    return std::optional<Mat4>(speed);
}

std::optional<bool> WorldTrack::mirrored() const {
    std::optional<bool> result;
    for (std::size_t i = 0; i < std::max<std::size_t>(1, varies_ ? sampling_.count() : 1); ++i) {
        const auto matrix = at(sampling_.count() ? sampling_.time(i) : 0.0);
        if (!matrix || (result && *result != mirrors(*matrix)))
            return std::nullopt;
        result = mirrors(*matrix);
    }
    return result;
}

Result<bool> WorldTrack::isIdentity() const {
    if (varies_)
        return false;
    WYC_TRY(matrix, at(0.0));
    return matrix.isIdentity();
}

std::shared_ptr<const WorldTrack> worldTrack(std::shared_ptr<const Scene> scene, std::size_t node) {
    return std::make_shared<const WorldTrack>(std::move(scene), node, Sampling::still(), true);
}

Result<GeometryPtr> bakedGeometry(std::shared_ptr<const Scene> scene, std::size_t node) {
    const GeometryPtr& geometry = scene->nodes[node].geometry;
    const auto world = worldOfShape(scene, node, geometry->sampling());
    WYC_TRY(identity, world->isIdentity());
    if (identity)
        return geometry;
    return std::make_shared<BakedGeometry>(geometry, world);
}

Result<PropertiesPtr> bakedProperties(std::shared_ptr<const Scene> kept, std::size_t node) {
    const Node& it = kept->nodes[node];
    if (!it.properties)
        return PropertiesPtr{};
    WYC_TRY(identity, worldTrack(kept, node)->isIdentity());
    if (identity)
        return it.properties;
    const bool eye = it.kind == NodeKind::Camera; // its lengths are those of a lens, whatever its transforms do
    return changedChannels(it.properties, [kept, node, eye](const Channel& channel) -> ValuesPtr {
        const GeometryPtr& carrier = kept->nodes[node].geometry;
        if (channel.space == SpaceRole::Box) // given for a space that is gone
            return nullptr;
        const ValuesPtr values =
            channel.space == SpaceRole::None || eye ? channel.values : bakedValues(kept, node, channel);
        const bool withPoints = carrier && values->isArray() && values->sampling().count() > 1 &&
                                values->sampling() == carrier->sampling() && channel.space == SpaceRole::None &&
                                channel.scope != Scope::Corner;
        if (withPoints)
            if (const Sampling moments = worldOfShape(kept, node, carrier->sampling())->sampling();
                !(moments == values->sampling()))
                return std::make_shared<ValuesWithPoints>(values, channel.space, carrier, moments);
        const bool corners = channel.scope == Scope::Corner && !channel.numbers && carrier && values->isArray();
        if (!corners)
            return values;
        const auto world = worldTrack(kept, node);
        const auto mirrored = world->mirrored();
        if (mirrored == false)
            return values;
        const Sampling sampling =
            mirrored ? values->sampling() : WorldTrack(kept, node, values->sampling(), true).sampling();
        return std::make_shared<MirroredCorners>(values, world, carrier, sampling, mirrored.has_value());
    });
}

} // namespace wyc
