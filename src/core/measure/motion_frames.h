// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The whole frames of moving items, read by blocks of points.
#include <vector>

#include <Eigen/Core>

#include "measure/seam_map.h"

namespace wyc {

/// A stretch of an item's points.
struct PointStretch {
    std::size_t first = 0;
    std::size_t count = 0;
};

/// A column a frame: x, y, z of point after point.
using FrameBlock = Eigen::MatrixXf;

/// The whole frames, in seconds, that all items have. Errors as of a seam map.
[[nodiscard]] Result<std::vector<double>> commonTimes(const std::vector<MovingItem>& items);

[[nodiscard]] Error doesNotMove(const MovingItem& item);

/// An item's points at some times, in world space and metres; by their ids where they come and go: those that are there
/// all the time.
class MotionFrames {
  public:
    [[nodiscard]] static Result<MotionFrames> of(const MovingItem& item, const std::vector<double>& times,
                                                 const Progress& progress);
    [[nodiscard]] std::size_t points() const { return count_; }
    /// Stretches such that a block of one stays within some hundred MB; with a sketch, even ones with so many points in
    /// all.
    [[nodiscard]] std::vector<PointStretch> stretches(std::size_t sketchPoints = 0) const;
    [[nodiscard]] Result<FrameBlock> read(const PointStretch& stretch, const Progress& progress) const;

  private:
    MotionFrames(const MovingItem& item, const std::vector<double>& times) : item_(item), times_(times) {}
    [[nodiscard]] const Node& node() const { return item_.scene->nodes[item_.node]; }
    [[nodiscard]] const Geometry& shape() const { return *node().geometry; }
    [[nodiscard]] Status readFrame(std::size_t frame, const PointStretch& stretch, float* into) const;
    MovingItem item_;
    std::vector<double> times_;
    std::vector<Mat4> places_;
    std::size_t count_ = 0;
    std::vector<std::uint64_t> ids_; // of the points that count, where they go by ids
};

} // namespace wyc
