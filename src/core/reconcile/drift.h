// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How far points are from where they should be.
#include "reconcile/reconcile.h"
#include "reconcile/shape_motion.h"

namespace wyc {

/// Of B against A at the same seconds; `aOfB` as OrderFacts has it. Nothing where no point, or no moment, is shared.
[[nodiscard]] Result<std::optional<Drift>> driftBetween(const ShapeMotion& a, const ShapeMotion& b,
                                                        const std::vector<std::uint32_t>& aOfB,
                                                        const Progress& progress);

} // namespace wyc
