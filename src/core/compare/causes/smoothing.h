// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Whether points were drawn towards their neighbours.
#include <optional>
#include <vector>

#include "scene/geometry.h"

namespace wyc {

/// One mesh and what became of it, at some moments: places of the same points in both, in one space.
struct SmoothedMoment {
    std::vector<Vec3d> before;
    std::vector<Vec3d> after;
};
struct Smoothing {
    double share = 0.0; // of the way to the middle of its neighbours that a point went, in all rounds together
    double moved = 0.0; // RMS
    double left = 0.0;  // RMS, that it does not explain
};
/// Of what moved the points: the share that up to three rounds of drawing each towards the middle of its neighbours
/// explain (the umbrella operator of G. Taubin, 1995, with weights that are fitted to all moments together). Nothing
/// where there are no edges, or nothing moved.
[[nodiscard]] std::optional<Smoothing> smoothingOf(const Topology& topology,
                                                   const std::vector<SmoothedMoment>& moments);

} // namespace wyc
