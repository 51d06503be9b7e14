// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A scene as several layers: one for each item, one for all materials, and an assembly that pulls them together.
#include "formats/usd/layer/layer.h"
#include "scene/scene.h"

namespace wyc::usd {

/// How an assembly takes in its layers.
enum class Layout {
    OneFile,
    SubLayers, // each stands in the whole tree: all lie over each other
    References,
    Payloads,  // references that may be left out when the scene is opened
    PointsOnly // over an asset that has all else, see overs.h
};

struct PartLayer {
    std::string label; // "bell", "materials": unlike all others
    std::shared_ptr<Layer> layer;
};
struct Assembly {
    std::shared_ptr<Layer> layer;
    std::vector<PartLayer> parts; // materials first
};
/// Parts a layer that was made of a scene. What shows other things of the scene (instances, instancers of what stands
/// elsewhere) stays in the assembly. `fileOf`: what a part is called where the assembly names it.
using PartName = std::function<std::string(const std::string& label)>;
[[nodiscard]] Assembly parted(const Scene& scene, const Layer& whole, Layout layout);
/// What those parts will be called, in that order.
[[nodiscard]] std::vector<std::string> partLabels(const Scene& scene);
inline constexpr const char* kMaterialsLabel = "materials";
/// Gives the assembly the names of its parts, once they are known.
void nameParts(Assembly& assembly, Layout layout, const PartName& fileOf);

} // namespace wyc::usd
