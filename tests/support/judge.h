// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Whether a scene shows what another shows at the moments that a chain means: both read sample by sample, by a plain
// evaluator that shares nothing with the steps.
#include "scene/stand_in.h"
#include "support/random_chain.h"

namespace wyc::test {

/// The first thing that is not as the source shows it; nothing when all is well.
/// `points`: nothing but those is looked at. `rounding`: what a coordinate may be off, as a share of the size; times
/// kept as float32 add to it.
[[nodiscard]] std::optional<std::string> firstFault(const Scene& source, const Scene& result, const ChainMeaning& m,
                                                    double* worst, double rounding = 2e-6, bool points = false,
                                                    double slipSeconds = 0.0);

} // namespace wyc::test
