// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Which of many points is nearest to a place.
#include <cstdint>
#include <memory>
#include <vector>

#include <Eigen/Core>

namespace wyc {

class PointIndex {
  public:
    /// A column a point. What is not finite is never found.
    explicit PointIndex(const Eigen::Matrix3Xd& points);
    ~PointIndex();
    PointIndex(PointIndex&&) noexcept;
    PointIndex& operator=(PointIndex&&) noexcept;

    struct Near {
        std::uint32_t point = 0;
        double square = 0.0; // of the distance
    };
    /// The nearest ones, nearest first; fewer where there are fewer.
    [[nodiscard]] std::vector<Near> nearest(const Eigen::Vector3d& place, std::size_t count) const;

  private:
    struct Tree;
    std::unique_ptr<Tree> tree_;
};

} // namespace wyc
