// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "formats/usd/layer/layer.h"
#include "formats/usd/write/values_write.h"
#include "scene/scene.h"

namespace wyc::usd {

struct SceneAsLayer {
    FrameRate rate; // time codes a second
    std::string application = {};
    std::string description = {};
};

/// A scene, as preparedForLayers makes it, as one layer. What is sampled is read when the layer is written; the scene
/// must live until then.
[[nodiscard]] Result<LayerPtr> layerOf(const Scene& scene, const SceneAsLayer& how);
/// Of such a layer what it says of itself: rate, range, unit, axis, default prim, where it comes from.
void writeHead(PrimSpec& root, const Scene& scene, const SceneAsLayer& how);
/// Whether it is seen, where it says that.
void writeVisibility(PrimSpec& prim, const Node& node, const WriteClock& clock);
/// One property as an attribute of its node's prim. Returns the attribute's name; empty where it has no place.
std::string writeProperty(PrimSpec& prim, const PropertyNode& property, const Node& node, const Scene& scene,
                          const WriteClock& clock);

} // namespace wyc::usd
