// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What lies between two poses of a shape, and what cannot.
#include <array>
#include <span>

#include "scene/geometry.h"

namespace wyc {

/// A pose of a shape: one of its samples, or what it is at a moment.
class Pose {
  public:
    [[nodiscard]] static Pose ofSample(const Geometry& shape, std::size_t sample) { return {shape, sample, 0.0, true}; }
    [[nodiscard]] static Pose atTime(const Geometry& shape, double seconds) { return {shape, 0, seconds, false}; }
    [[nodiscard]] Result<std::size_t> pointCount() const;
    [[nodiscard]] Status read(std::size_t first, std::span<Vec3f> into) const;
    [[nodiscard]] Result<TopologyPtr> topology() const;
    [[nodiscard]] Result<FaceSetsPtr> faceSets() const;
    [[nodiscard]] Result<IdsPtr> ids() const;

  private:
    Pose(const Geometry& shape, std::size_t sample, double seconds, bool bySample)
        : shape_(shape), sample_(sample), seconds_(seconds), bySample_(bySample) {}
    const Geometry& shape_;
    std::size_t sample_;
    double seconds_;
    bool bySample_;
};

/// Which point of a later pose each point of an earlier one becomes.
struct PointMatch {
    enum class By { Nothing, Number, Id };
    By by = By::Nothing;
    std::vector<std::int32_t> later; // by id: number in the later pose, −1 where it is gone
};
/// By number where both have the same faces and as many points, by id where they have ids, else not at all.
[[nodiscard]] Result<PointMatch> matchOf(const Pose& earlier, const Pose& later);

/// Points between two poses: straight lines from earlier to later; those without a match stay. `weight` 0 … 1.
[[nodiscard]] Status mixPoints(const Pose& earlier, const Pose& later, double weight, std::size_t first,
                               std::span<Vec3f> into);
/// Points that are in `into` already, in the order of `base`, on their way to another pose; `weight` is its share, and
/// may lie outside of 0 … 1.
[[nodiscard]] Status mixFurther(const Pose& base, const Pose& other, double weight, std::size_t first,
                                std::span<Vec3f> into);
/// For every point the number of the connected piece it belongs to, in the order of their first points.
[[nodiscard]] std::vector<std::uint32_t> piecesOfPoints(const Topology& topology, std::size_t points);
/// Between two poses with the same points, connected pieces as wholes: each turns about its middle along the shortest
/// way by its best rigid fit, and what is left of the difference goes in straight lines (W. Kabsch, 1976, for the fit).
/// `pieces` as above.
void mixWholes(std::span<const Vec3f> earlier, std::span<const Vec3f> later, const std::vector<std::uint32_t>& pieces,
               double weight, std::span<Vec3f> into);

/// One quaternion x, y, z, w on its way to another; the earlier where either has no length.
[[nodiscard]] std::array<double, 4> mixedTurn(const std::array<double, 4>& earlier, const std::array<double, 4>& later,
                                              double weight);
[[nodiscard]] inline double between(double a, double b, double weight) {
    return a + (b - a) * weight;
}
/// Triples with the length that lies between those of the two; opposite ones stay the earlier. `into` may be `earlier`.
template<class T>
void mixDirections(std::span<const T> earlier, std::span<const T> later, double weight, std::span<T> into) {
    for (std::size_t i = 0; i + 3 <= into.size(); i += 3) {
        const Vec3d a{double(earlier[i]), double(earlier[i + 1]), double(earlier[i + 2])};
        const Vec3d b{double(later[i]), double(later[i + 1]), double(later[i + 2])};
        const Vec3d straight = a * (1.0 - weight) + b * weight;
        const double now = length(straight);
        const double wanted = between(length(a), length(b), weight);
        const Vec3d result = now > wanted * 1e-9 ? straight * (wanted / now) : a;
        into[i] = static_cast<T>(result.x);
        into[i + 1] = static_cast<T>(result.y);
        into[i + 2] = static_cast<T>(result.z);
    }
}

/// Quaternions x, y, z, w in turn, along the shorter way of the sphere (K. Shoemake, 1985); those of no length stay.
/// `into` may be `earlier`.
template<class T>
void mixTurns(std::span<const T> earlier, std::span<const T> later, double weight, std::span<T> into) {
    for (std::size_t i = 0; i + 4 <= into.size(); i += 4) {
        std::array<double, 4> a{};
        std::array<double, 4> b{};
        for (std::size_t k = 0; k < 4; ++k) {
            a[k] = static_cast<double>(earlier[i + k]);
            b[k] = static_cast<double>(later[i + k]);
        }
        const std::array<double, 4> mixed = mixedTurn(a, b, weight);
        for (std::size_t k = 0; k < 4; ++k)
            into[i + k] = static_cast<T>(mixed[k]);
    }
}

} // namespace wyc
