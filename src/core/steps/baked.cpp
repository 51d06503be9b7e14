// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/baked.h"

#include <algorithm>
#include <mutex>

#include <Eigen/LU>
#include <fmt/format.h>

#include "scene/winding.h"
#include "steps/retimed.h"

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

class BakedGeometry final : public GeometryWrapper {
  public:
    BakedGeometry(GeometryPtr inner, WorldMatrices world)
        : GeometryWrapper(std::move(inner)), world_(std::move(world)) {
        for (const Mat4& matrix : world_.matrices) {
            mirrored_.push_back(mirrors(matrix));
            flips_ = flips_ || mirrored_.back() != mirrored_.front();
            moves_ = moves_ || matrix != world_.matrices.front();
        }
    }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readRange(sample, first, into));
        const Mat4& matrix = world_.at(sample);
        if (!matrix.isIdentity())
            for (Vec3f& point : into)
                point = transformedPoint(point, matrix);
        return {};
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t sample) const override {
        WYC_TRY(faces, inner().topology(sample));
        if (!mirrorsAt(sample))
            return faces;
        const std::lock_guard lock(mutex_);
        if (turnedFrom_ != faces) {
            WYC_TRY(made, turned(*faces));
            turnedFrom_ = faces;
            turned_ = made;
        }
        return turned_;
    }
    [[nodiscard]] Result<ExtrasPtr> extras(std::size_t sample) const override {
        WYC_TRY(extras, inner().extras(sample));
        const bool mirrored = mirrorsAt(sample);
        if ((extras->normals.isEmpty() && !mirrored) || world_.at(sample).isIdentity())
            return extras;
        MeshExtras changed = *extras;
        turnDirections<float>(changed.normals.values, normalMatrix(world_.at(sample)), true);
        if (mirrored) {
            WYC_TRY(faces, inner().topology(sample));
            for (Attribute* attribute : {&changed.uvs, &changed.normals, &changed.colours})
                turnCorners(*faces, *attribute);
        }
        return std::make_shared<const MeshExtras>(std::move(changed));
    }
    [[nodiscard]] bool topologyVaries() const override { return flips_ || inner().topologyVaries(); }
    [[nodiscard]] bool extrasVary() const override {
        return flips_ || inner().extrasVary() || (moves_ && hasNormals());
    }
    [[nodiscard]] bool pointsConstant() const override { return !moves_ && inner().pointsConstant(); }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t s) const override {
        return moves_ ? std::nullopt : inner().pointsToken(s);
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    [[nodiscard]] bool mirrorsAt(std::size_t sample) const { return mirrored_[std::min(sample, mirrored_.size() - 1)]; }
    [[nodiscard]] bool hasNormals() const {
        const auto extras = inner().extras(0);
        return extras && !(*extras)->normals.isEmpty();
    }
    WorldMatrices world_;
    std::vector<bool> mirrored_;
    bool flips_ = false;
    bool moves_ = false;
    mutable std::mutex mutex_;
    mutable TopologyPtr turnedFrom_;
    mutable TopologyPtr turned_;
};

class BakedValues final : public ValuesWrapper {
  public:
    /// `carrier`: for velocities, the points they belong to, sampled alike; may be null.
    BakedValues(ValuesPtr inner, SpaceRole role, WorldMatrices world, GeometryPtr carrier)
        : ValuesWrapper(std::move(inner)), role_(role), world_(std::move(world)), carrier_(std::move(carrier)) {}
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        std::vector<Vec3f> points;
        std::optional<Mat4> speed;
        if (role_ == SpaceRole::Velocity && carrier_)
            speed = world_.speedAt(sample);
        if (speed)
            WYC_CHECK(wyc::readPoints(*carrier_, sample, points));
        changeNumbers(type(), value,
                      [&](auto numbers) { bake(numbers, world_.at(sample), points, speed.value_or(Mat4{})); });
        return value;
    }
    [[nodiscard]] bool constant() const override { return sampling().count() < 2; }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }

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
        case SpaceRole::Vector: turnDirections<T>(numbers, linearOf(matrix), false); break;
        case SpaceRole::Velocity:
            turnDirections<T>(numbers, linearOf(matrix), false);
            if (points.size() * 3 == numbers.size())
                for (std::size_t i = 0; i < points.size(); ++i)
                    put(i * 3, triple(i * 3) + transformedPoint(Vec3d(points[i]), speed));
            break;
        case SpaceRole::Position:
            for (std::size_t i = 0; i + 3 <= numbers.size(); i += 3)
                put(i, transformedPoint(triple(i), matrix));
            break;
        case SpaceRole::None:
        case SpaceRole::Box:
        case SpaceRole::CameraCore: break;
        }
    }
    SpaceRole role_;
    WorldMatrices world_;
    GeometryPtr carrier_;
};

} // namespace

bool WorldMatrices::allIdentity() const {
    return std::all_of(matrices.begin(), matrices.end(), [](const Mat4& m) { return m.isIdentity(); });
}

std::optional<Mat4> WorldMatrices::speedAt(std::size_t sample) const {
    if (matrices.size() < 2 || sample >= matrices.size())
        return std::nullopt;
    const std::size_t before = sample > 0 ? sample - 1 : 0;
    const std::size_t after = std::min(sample + 1, matrices.size() - 1);
    const double seconds = sampling.time(after) - sampling.time(before);
    if (matrices[before] == matrices[after] || !(seconds > 0.0))
        return std::nullopt;
    Mat4 speed;
    for (std::size_t i = 0; i < speed.m.size(); ++i)
        speed.m[i] = (matrices[after].m[i] - matrices[before].m[i]) / seconds;
    return speed;
}

Sampling worldSampling(const Scene& scene, std::size_t node, const Sampling& own) {
    std::vector<Sampling> samplings{own};
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        if (const auto& transform = scene.nodes[static_cast<std::size_t>(at)].transform;
            transform && !transform->constant())
            samplings.push_back(transform->sampling());
    const Sampling common = commonSampling(samplings, scene.workingRate);
    return common.isStill() ? own : common;
}

Result<WorldMatrices> worldMatrices(const Scene& scene, std::size_t node, const Sampling& sampling) {
    WorldMatrices result{sampling, {}};
    const std::size_t count = std::max<std::size_t>(1, sampling.count());
    for (std::size_t i = 0; i < count; ++i) {
        WYC_TRY(placement, placementAt(scene, node, sampling.count() ? sampling.time(i) : 0.0));
        result.matrices.push_back(placement.matrix);
    }
    return result;
}

Result<GeometryPtr> bakedGeometry(const Scene& scene, std::size_t node) {
    const GeometryPtr& geometry = scene.nodes[node].geometry;
    const Sampling sampling = worldSampling(scene, node, geometry->sampling());
    WYC_TRY(world, worldMatrices(scene, node, sampling));
    if (world.allIdentity())
        return geometry;
    GeometryPtr inner = geometry;
    if (sampling != geometry->sampling())
        inner = retimedGeometry(geometry, retimingOnto(geometry->sampling(), sampling, scene.workingRate));
    return std::make_shared<BakedGeometry>(std::move(inner), std::move(world));
}

Result<PropertiesPtr> bakedProperties(std::shared_ptr<const Scene> kept, std::size_t node) {
    const Node& it = kept->nodes[node];
    if (!it.properties)
        return PropertiesPtr{};
    WYC_TRY(still, worldMatrices(*kept, node, worldSampling(*kept, node, Sampling::still())));
    if (still.allIdentity())
        return it.properties;
    return changedProperties(
        it.properties,
        [kept, node](const PropertyNode& property, const std::string&, const std::vector<PropertyNode>&) -> ValuesPtr {
            if (property.role == SpaceRole::None || property.role == SpaceRole::CameraCore)
                return property.values;
            if (property.role == SpaceRole::Box) // given for a space that is gone
                return nullptr;
            const Sampling sampling = worldSampling(*kept, node, property.values->sampling());
            auto world = worldMatrices(*kept, node, sampling);
            if (!world)
                return nullptr;
            ValuesPtr values = property.values;
            if (sampling != values->sampling())
                values = retimedValues(values, retimingOnto(values->sampling(), sampling, kept->workingRate));
            GeometryPtr carrier = property.role == SpaceRole::Velocity ? kept->nodes[node].geometry : nullptr;
            if (carrier && carrier->sampling() != sampling)
                carrier = retimedGeometry(carrier, retimingOnto(carrier->sampling(), sampling, kept->workingRate));
            return std::make_shared<BakedValues>(std::move(values), property.role, std::move(*world),
                                                 std::move(carrier));
        });
}

} // namespace wyc
