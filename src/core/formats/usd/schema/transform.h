// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Transform stacks: the operations that a prim's order names, as ours.
#include "formats/usd/schema/values.h"
#include "scene/scene.h"

namespace wyc::usd {

/// Null where the prim has none.
[[nodiscard]] TransformPtr transformOf(const ComposedScene& scene, const Prim& prim, const Clock& clock);

} // namespace wyc::usd
