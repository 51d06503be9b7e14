// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Meshes whose points, faces or corners have other numbers, with all that lies on them.
#include <functional>

#include "scene/scene.h"

namespace wyc {

/// What the new elements of a mesh were before.
struct Places {
    std::vector<std::uint32_t> points;
    std::vector<std::uint32_t> corners;
    std::vector<std::uint32_t> faces;
    TopologyPtr topology;
    [[nodiscard]] const std::vector<std::uint32_t>* of(Scope scope) const {
        return scope == Scope::Point    ? &points
               : scope == Scope::Corner ? &corners
               : scope == Scope::Face   ? &faces
                                        : nullptr;
    }
};

using PlacesPtr = std::shared_ptr<const Places>;

using PlacesOf = std::function<Result<PlacesPtr>(const Topology& topology, std::size_t points)>;
/// `renumbers`: points have other numbers afterwards. `placesOf`: for a mesh; null leaves it as it is.
[[nodiscard]] Result<Scene> rearrangedScene(const Scene& scene, bool renumbers, const PlacesOf& placesOf);

/// Number of the first corner of each face.
[[nodiscard]] std::vector<std::uint32_t> startsOf(const Topology& topology);

} // namespace wyc
