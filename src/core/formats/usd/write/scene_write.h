// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "formats/usd/layer/layer.h"
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

} // namespace wyc::usd
