// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Skinned meshes and blend shapes: as skins and morphs of ours where mesh and skeleton stand in one space and the
// morphs act first, else as the points that they make.
#include "formats/usd/schema/values.h"
#include "scene/deform/deformers.h"

namespace wyc::usd {

/// Path of the skeleton that a mesh follows; empty where it follows none. A binding comes down from what is above, but
/// for untyped prims.
[[nodiscard]] std::string skeletonOf(const ComposedScene& scene, const Prim& mesh);
/// Makes the node a skeleton with its joints over time.
[[nodiscard]] Status addSkeleton(Node& node, const ComposedScene& scene, const Prim& prim, const Clock& clock);
/// Transforms from the node up to the top, the nearest first.
struct SkinPlace {
    const Node* skeleton = nullptr;
    std::string skeletonPath;
    std::vector<TransformPtr> aboveMesh;
    std::vector<TransformPtr> aboveSkeleton;
};
/// Gives the node of a mesh that follows a skeleton its skin and morphs, or its points. False where it follows none.
/// Morphs act on the rest points, then the skin; by choice the other way round.
[[nodiscard]] Result<bool> addSkin(Node& node, const ComposedScene& scene, const Prim& prim, const Clock& clock,
                                   const SkinPlace& place, std::vector<std::string>& remarks);

} // namespace wyc::usd
