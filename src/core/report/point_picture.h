// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Points of a frame as a small picture on a page.
#include <optional>
#include <string>
#include <vector>

#include "maths/math.h"

namespace wyc {

struct DottedPoints {
    std::vector<Vec3f> places;
    std::vector<float> off; // of each, metres; empty: they are of one colour
    bool zUp = false;
};

/// A figure: from in front and a little above, farther points first, a choice of them where there are many. Dark where
/// nothing is off, light at `top` metres or, where more is, at the most; the caption says so. Empty without points.
[[nodiscard]] std::string pointPicture(const DottedPoints& points, double top, const std::string& caption);

} // namespace wyc
