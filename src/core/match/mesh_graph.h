// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A mesh as a graph of corners, without places: what connectivity alone tells of a point.
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "scene/geometry.h"

namespace wyc {

/// A number that names nothing: no point, no face, no corner beyond a border.
inline constexpr std::uint32_t kNone = 0xFFFFFFFFU;

/// Faces over points, each corner with its neighbours. Linear in the corners to build.
class MeshGraph {
  public:
    static constexpr std::uint32_t kSeveral = 0xFFFFFFFEU; // more than two faces at an edge, or two that run alike
    static constexpr std::uint32_t kLargest = 0xFFFFFFF0U; // corners and points that can be numbered

    /// `turned` walks every face the other way round. An error where corners lie outside the points.
    [[nodiscard]] static Result<MeshGraph> of(const Topology& topology, std::size_t points, bool turned = false);
    /// Points that stand in for others: `standIn[p]` instead of p; those that are replaced have no faces.
    [[nodiscard]] static Result<MeshGraph> of(const Topology& topology, std::span<const std::uint32_t> standIn,
                                              bool turned = false);

    [[nodiscard]] std::size_t points() const { return pointParts_.size(); }
    [[nodiscard]] std::size_t faces() const { return faceStart_.size() - 1; }
    [[nodiscard]] std::size_t corners() const { return cornerPoint_.size(); }
    [[nodiscard]] std::uint32_t pointOf(std::uint32_t corner) const { return cornerPoint_[corner]; }
    [[nodiscard]] std::uint32_t faceOf(std::uint32_t corner) const { return cornerFace_[corner]; }
    [[nodiscard]] std::uint32_t faceSize(std::uint32_t face) const { return faceStart_[face + 1] - faceStart_[face]; }
    [[nodiscard]] std::uint32_t firstCorner(std::uint32_t face) const { return faceStart_[face]; }
    [[nodiscard]] std::uint32_t next(std::uint32_t corner) const {
        const std::uint32_t face = cornerFace_[corner];
        return corner + 1 == faceStart_[face + 1] ? faceStart_[face] : corner + 1;
    }
    [[nodiscard]] std::uint32_t previous(std::uint32_t corner) const {
        const std::uint32_t face = cornerFace_[corner];
        return corner == faceStart_[face] ? faceStart_[face + 1] - 1 : corner - 1;
    }
    /// The corner at which the face beyond the edge (corner → next) runs along it, the other way.
    [[nodiscard]] std::uint32_t beyond(std::uint32_t corner) const { return beyond_[corner]; }
    /// Corners at a point.
    [[nodiscard]] std::span<const std::uint32_t> cornersAt(std::uint32_t point) const {
        return {pointCorners_.data() + pointStart_[point], pointStart_[point + 1] - pointStart_[point]};
    }

    /// Connected parts (over points that faces share), numbered as their first points come; kNone: no faces.
    [[nodiscard]] std::size_t parts() const { return partStart_.empty() ? 0 : partStart_.size() - 1; }
    [[nodiscard]] std::uint32_t partOf(std::uint32_t point) const { return pointParts_[point]; }
    /// Points of a part, rising.
    [[nodiscard]] std::span<const std::uint32_t> pointsOf(std::size_t part) const {
        return {partPoints_.data() + partStart_[part], partStart_[part + 1] - partStart_[part]};
    }

    /// What can be told of each point from the faces within `rounds` rings around it (colour refinement): equal for
    /// points that look alike in two meshes, whatever their numbers. A point without faces is 0.
    [[nodiscard]] std::vector<std::uint64_t> colours(int rounds) const;

  private:
    [[nodiscard]] Status build(const Topology& topology, std::span<const std::uint32_t> standIn, std::size_t points,
                               bool turned);
    void joinEdges();
    void findParts();
    std::vector<std::uint32_t> cornerPoint_;
    std::vector<std::uint32_t> cornerFace_;
    std::vector<std::uint32_t> faceStart_;
    std::vector<std::uint32_t> beyond_;
    std::vector<std::uint32_t> pointStart_;
    std::vector<std::uint32_t> pointCorners_;
    std::vector<std::uint32_t> pointParts_;
    std::vector<std::uint32_t> partStart_;
    std::vector<std::uint32_t> partPoints_;
};

/// One more round of colour refinement over the points of `graph`; `colours` as `MeshGraph::colours` has them.
void refineColours(const MeshGraph& graph, std::vector<std::uint64_t>& colours);

} // namespace wyc
