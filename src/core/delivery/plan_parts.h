// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by both ways to plan an output.
#include "delivery/delivery.h"

namespace wyc {

[[nodiscard]] bool hasFaces(const Scene& scene);
/// Rate, frames, counts, losses and size estimate, from the output's scene, format and targets.
void fillFigures(PlannedOutput& output);

} // namespace wyc
