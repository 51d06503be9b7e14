// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Whether points were drawn towards their neighbours.
#include <optional>
#include <vector>

#include <Eigen/Core>

#include "scene/geometry.h"

namespace wyc {

struct Smoothing {
    double share = 0.0; // of the way to the middle of its neighbours that a point went, in all rounds together
    double moved = 0.0; // RMS
    double left = 0.0;  // RMS, that it does not explain
};
/// Of what moved the points: the share that up to three rounds of drawing each towards the middle of its neighbours
/// explain (the umbrella operator of G. Taubin, 1995, with weights that are fitted to all moments together).
class SmoothingFit {
  public:
    SmoothingFit(const Topology& topology, std::size_t points);
    /// Places of the same points before and after, in one space. False where one of them is no number.
    [[nodiscard]] bool add(const std::vector<Vec3d>& before, const std::vector<Vec3d>& after);
    /// Nothing where there are no edges, or less than a twentieth of the points moved.
    [[nodiscard]] std::optional<Smoothing> ofAll() const { return all_.fitted(); }
    [[nodiscard]] std::optional<Smoothing> ofLast() const { return last_.fitted(); }

  private:
    static constexpr int kRounds = 3;
    struct Sums {
        Eigen::Matrix<double, kRounds, kRounds> products = Eigen::Matrix<double, kRounds, kRounds>::Zero();
        Eigen::Matrix<double, kRounds, 1> wanted = Eigen::Matrix<double, kRounds, 1>::Zero();
        double moved = 0.0;
        std::size_t count = 0;
        std::size_t movedCount = 0;
        [[nodiscard]] std::optional<Smoothing> fitted() const;
    };
    // Neighbours of every point along edges, one after another.
    std::vector<std::size_t> starts_;
    std::vector<std::uint32_t> neighbours_;
    Sums all_;
    Sums last_;
    [[nodiscard]] std::vector<Vec3d> umbrellas(const std::vector<Vec3d>& values) const;
};

} // namespace wyc
