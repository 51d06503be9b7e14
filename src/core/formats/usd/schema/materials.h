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
/// Where the file is that an asset path names; one with <UDIM> in it stands for all its tiles. Empty: nowhere.
[[nodiscard]] std::string assetFile(const ComposedScene& scene, const Prim& prim, const Attribute& attribute,
                                    const std::string& written);
/// Values of an attribute, which know where their files are if they name any.
[[nodiscard]] ValuesPtr namingFiles(ValuesPtr values, const ComposedScene& scene, const Prim& prim,
                                    const Attribute& attribute);

} // namespace wyc::usd
