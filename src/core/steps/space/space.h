// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A scene after a change of space: points, transforms operation by operation, and whatever says something about space.
#include "steps/step.h"

namespace wyc {

/// The top of the scene takes a matrix, and all below goes along.
[[nodiscard]] Scene placedInSpace(const Scene& scene, const Mat4& place);
[[nodiscard]] Scene changedInSpace(const Scene& scene, const SpaceChange& change);

} // namespace wyc
