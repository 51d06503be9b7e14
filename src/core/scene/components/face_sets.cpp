// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/components/face_sets.h"

#include <algorithm>

namespace wyc {

Result<std::vector<FaceSet>> faceSetsOf(const Scene& scene, std::size_t mesh) {
    std::vector<FaceSet> sets;
    const GeometryPtr& geometry = scene.nodes[mesh].geometry;
    if (!geometry || geometry->sampling().count() == 0)
        return sets;
    WYC_TRY(own, geometry->faceSets(0));
    WYC_TRY(topology, geometry->topology(0));
    sets = *own;
    for (std::size_t i = mesh + 1; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (node.kind != NodeKind::FaceSet || node.parent != static_cast<int>(mesh))
            continue;
        const auto named = [&](const FaceSet& set) { return set.name == node.name; };
        if (std::any_of(sets.begin(), sets.end(), named)) // the mesh brought it along
            continue;
        const auto faces = findMeaning(node.properties, Meaning::SetFaces);
        if (!faces || !faces->values)
            continue;
        WYC_TRY(numbers, valuesOf<std::int32_t>(*faces->values, 0));
        sets.push_back({FaceSet::Kind::Group, node.name, std::move(numbers)});
    }
    for (FaceSet& set : sets)
        std::erase_if(set.faces, [&](std::int32_t face) {
            return face < 0 || static_cast<std::size_t>(face) >= topology->faceCount();
        });
    return sets;
}

} // namespace wyc
