// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// New points over an asset: a light layer that lies over the asset's own and says points alone.
#include "formats/usd/layer/layer.h"
#include "formats/usd/write/scene_write.h"
#include "scene/scene.h"

namespace wyc::usd {

/// The asset's scene with the points of a scene, and with its velocities and normals where it has some. A shape is that
/// of the asset at the same path, or else the only one there of its name, or else the only one that it fits; it has the
/// same points and faces, and is told as made of the scene's. What else the scene says of it is told as not carried.
/// Errors name what stands in the way: nothing of that name, other faces, other units, transforms that move. `target`:
/// the layer to be, which is neither the asset nor one that the asset takes in.
[[nodiscard]] Result<Scene> overAsset(const Scene& scene, const fs::path& asset, const fs::path& target);

/// The layer that makes it of the asset, in a file at `target`.
[[nodiscard]] Result<LayerPtr> layerOfOvers(const Scene& meant, const fs::path& asset, const fs::path& target,
                                            const SceneAsLayer& how);

} // namespace wyc::usd
