// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Names of materials and of sets of faces, as their prims have them.
#include "scene/scene.h"

namespace wyc::usd {

/// Every material and every set of faces gets a name that a prim can have and no other beside it has; other names are
/// told as not carried. A set that is made of a material alone gets a set of its own, as a layer says it; a material
/// that a mesh knows by its name alone becomes one that says nothing. Nodes have their names already.
[[nodiscard]] Status nameSetsOfFaces(Scene& scene);

} // namespace wyc::usd
