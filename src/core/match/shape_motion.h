// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A shape's points over time, in world space, as a comparison reads them.
#include <memory>
#include <optional>

#include "base/progress.h"
#include "match/alignment.h"
#include "scene/scene.h"

namespace wyc {

class ShapeMotion {
  public:
    /// An error where the node has no points, or where they change in number.
    [[nodiscard]] static Result<ShapeMotion> of(std::shared_ptr<const Scene> scene, std::size_t node);
    [[nodiscard]] const Scene& scene() const { return *scene_; }
    [[nodiscard]] const std::shared_ptr<const Scene>& sharedScene() const { return scene_; }
    [[nodiscard]] std::size_t node() const { return node_; }
    [[nodiscard]] const Node& item() const { return scene_->nodes[node_]; }
    [[nodiscard]] std::size_t points() const { return points_; }
    [[nodiscard]] const TopologyPtr& topology() const { return topology_; }
    [[nodiscard]] const FrameRate& rate() const { return scene_->view.rate; }
    /// Of all that moves it; one where nothing does.
    [[nodiscard]] const std::vector<double>& times() const { return times_; }
    /// The farthest that its points are at any moment from where they were at the first, RMS, against how far they are
    /// from their middle (RMS); 0 where nothing moves.
    [[nodiscard]] Result<double> extent(const Progress& progress) const;
    /// All points at a moment in their own space, and what places them in the world.
    [[nodiscard]] Status readAt(double seconds, std::vector<Vec3f>& points, Mat4& place) const;
    /// Some of its points (null: all) at some times.
    [[nodiscard]] Result<Track> read(const std::vector<std::uint32_t>* which, const std::vector<double>& times,
                                     const Progress& progress) const;
    /// The same without the transforms above it.
    [[nodiscard]] Result<Track> readLocal(const std::vector<std::uint32_t>* which, const std::vector<double>& times,
                                          const Progress& progress) const;
    /// Points that are one place at all of these times stand in for one another: the first of them for all.
    [[nodiscard]] Result<std::vector<std::uint32_t>> coinciding(const std::vector<double>& times) const;

  private:
    [[nodiscard]] Result<std::vector<Vec3d>> placedAt(double seconds) const;
    [[nodiscard]] Result<double> extentOfAll(const Progress& progress) const;
    [[nodiscard]] Result<Track> read(const std::vector<std::uint32_t>* which, const std::vector<double>& times,
                                     bool world, const Progress& progress) const;
    std::shared_ptr<const Scene> scene_;
    std::size_t node_ = 0;
    std::size_t points_ = 0;
    TopologyPtr topology_;
    std::vector<double> times_;
    mutable std::optional<double> extent_; // once it was asked for
};

/// B rests where A moves: not at all, or by a hundredth of A's way at most.
[[nodiscard]] inline bool restsBeside(double extentB, double extentA) {
    return extentA > 1e-6 && extentB <= 0.01 * extentA;
}

/// So many of them, evenly, the first and the last among them.
[[nodiscard]] std::vector<double> someOf(const std::vector<double>& times, std::size_t most);

} // namespace wyc
