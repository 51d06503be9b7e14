// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Instances: nodes that show another node, with all below it, once more.
#include "scene/scene.h"

namespace wyc {

/// The scene with every instance replaced by a copy of what it shows (samples stay shared). An error for an instance
/// of something that is not there, that lies above it, or that multiplies beyond so many nodes. What is lost by it,
/// that they are instances, is said in `notCarried`.
[[nodiscard]] Result<Scene> expandedInstances(const Scene& scene, std::size_t mostNodes = 1'000'000);
[[nodiscard]] bool hasInstances(const Scene& scene);

} // namespace wyc
