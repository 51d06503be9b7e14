// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Sets of a mesh's faces, wherever a format keeps them: with the mesh, or as nodes below it.
#include "scene/scene.h"

namespace wyc {

/// All sets of the mesh's first sample, in the source's order. Face numbers outside the mesh are left out.
[[nodiscard]] Result<std::vector<FaceSet>> faceSetsOf(const Scene& scene, std::size_t mesh);

} // namespace wyc
