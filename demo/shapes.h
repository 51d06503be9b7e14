// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The shapes of the demo scenario, from closed formulas: deterministic, metres, Y up.
#include <vector>

#include "scene/geometry.h"

namespace wyc::demo {

struct Shape {
    std::vector<Vec3f> points;
    std::vector<std::int32_t> faceSizes;
    std::vector<std::int32_t> corners;
    [[nodiscard]] TopologyPtr topology() const;
    void addFace(std::initializer_list<std::int32_t> face);
    /// Quads between two rows of points.
    void addGridFaces(std::int32_t first, std::int32_t rows, std::int32_t columns, bool closed);
};

/// Pulsing bell and ribbons at a time; `detail` 1 gives about 8,000 points. Rest pose: seconds = rest.
[[nodiscard]] Shape lanternJelly(double seconds, double detail);
/// One frond of kelp swaying at a time.
[[nodiscard]] Shape kelpFrond(double seconds);
/// A sand bed of rows × rows points.
[[nodiscard]] Shape seabed(int rows);

[[nodiscard]] Shape lathe(const std::vector<std::pair<float, float>>& profile,
                          int segments); // (x, radius) about X
[[nodiscard]] Shape box(const Vec3d& low, const Vec3d& high);
[[nodiscard]] Shape propeller(int blades, double radius);

} // namespace wyc::demo
