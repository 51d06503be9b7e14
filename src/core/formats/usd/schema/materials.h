// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Materials of a composed scene: what is bound to what, graphs, and the look that is worked out of them.
#include "formats/usd/schema/values.h"
#include "scene/materials.h"

namespace wyc::usd {

struct Bound {
    std::string material; // path; empty: none
    std::string by;       // path of the relationship
};
/// What is bound to a prim for all purposes: by itself, by a collection, or by what is above it, where the nearer is
/// stronger unless the farther says it is.
[[nodiscard]] Bound boundMaterial(const ComposedScene& scene, const Prim& prim);
/// Whether a collection holds a path.
[[nodiscard]] bool collectionHolds(const ComposedScene& scene, const Prim& owner, const std::string& name,
                                   const std::string& path, int depth = 0);

[[nodiscard]] Material materialFrom(const ComposedScene& scene, const Prim& prim, const Clock& clock);
/// True when an asset path with <UDIM> in it has any tile, or any other a file.
[[nodiscard]] bool assetIsThere(const ComposedScene& scene, const Prim& prim, const Attribute& attribute,
                                const std::string& written);

} // namespace wyc::usd
