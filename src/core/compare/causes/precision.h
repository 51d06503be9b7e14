// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Numbers that were rounded: to decimals, to a binary grid, to half floats, or to so many steps over their bounds.
#include <optional>
#include <string>
#include <vector>

#include "maths/math.h"

namespace wyc {

struct Rounding {
    enum class Kind { Decimal, Grid, Half, Bounds };
    Kind kind = Kind::Decimal;
    double step = 0.0;     // the largest along an axis; of half floats that of the largest number
    double expected = 0.0; // RMS way off of a point that this rounding alone gives
    [[nodiscard]] std::string words() const;
};
/// Of points as they are stored; nothing where their numbers are no coarser than single precision is.
[[nodiscard]] std::optional<Rounding> roundingOf(const std::vector<Vec3f>& points);

} // namespace wyc
