// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How far points are from where they should be.
#include "compare/reconcile.h"
#include "match/shape_motion.h"

namespace wyc {

/// Of B against A at the same seconds; `aOfB` as OrderFacts has it. Nothing where no point, or no moment, is shared.
/// In a picture: in its pixels, of points that one of the two has in it; none is farther off than the picture's
/// diagonal, which also stands for those that are behind the camera on the other side. `metres`: of a unit of A.
[[nodiscard]] Result<std::optional<Drift>> driftBetween(const ShapeMotion& a, const ShapeMotion& b,
                                                        const std::vector<std::uint32_t>& aOfB,
                                                        const Progress& progress, const Picture* picture = nullptr,
                                                        double metres = 1.0);

} // namespace wyc
