// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/layers.h"

#include <cmath>
#include <limits>

#include <fmt/format.h>

namespace wyc {

const Attribute& layerOf(const MeshExtras& extras, Layer layer) {
    return layer == Layer::Uvs ? extras.uvs : layer == Layer::Normals ? extras.normals : extras.colours;
}

const char* layerName(Layer layer) {
    return layer == Layer::Uvs ? "UVs" : layer == Layer::Normals ? "normals" : "colours";
}

std::int32_t valueNumber(const Attribute& attribute, std::size_t face, std::size_t corner, std::int32_t point) {
    std::size_t element = 0;
    switch (attribute.scope) {
    case Scope::Constant: element = 0; break;
    case Scope::Face: element = face; break;
    case Scope::Point: element = static_cast<std::size_t>(point); break;
    case Scope::Corner: element = corner; break;
    }
    std::int32_t number = -1;
    if (attribute.indices.empty())
        number = element < attribute.valueCount() ? static_cast<std::int32_t>(element) : -1;
    else if (element < attribute.indices.size())
        number = attribute.indices[element];
    return number >= 0 && static_cast<std::size_t>(number) < attribute.valueCount() ? number : -1;
}

std::vector<float> cornerValues(const Attribute& attribute, const Topology& topology, std::size_t pointCount,
                                std::size_t extent) {
    const bool faces = topology.faceCount() > 0;
    std::vector<float> result;
    result.reserve((faces ? topology.cornerCount() : pointCount) * extent);
    const auto add = [&](std::int32_t number) {
        const auto own = static_cast<std::size_t>(attribute.extent);
        for (std::size_t k = 0; k < extent; ++k)
            result.push_back(number >= 0 && k < own ? attribute.values[static_cast<std::size_t>(number) * own + k]
                                                    : std::numeric_limits<float>::quiet_NaN());
    };
    if (!faces) {
        for (std::size_t point = 0; point < pointCount; ++point)
            add(valueNumber(attribute, 0, point, static_cast<std::int32_t>(point)));
        return result;
    }
    std::size_t corner = 0;
    for (std::size_t face = 0; face < topology.faceCount(); ++face)
        for (std::int32_t k = 0; k < topology.faceSizes()[face]; ++k, ++corner)
            add(valueNumber(attribute, face, corner, topology.corners()[corner]));
    return result;
}

bool normalsTurn(const Geometry& geometry) {
    if (!geometry.extrasVary() || geometry.topologyVaries() || geometry.sampling().count() < 2)
        return false;
    const auto extras = geometry.extras(0);
    return extras && !(*extras)->normals.isEmpty();
}

std::string LayerGaps::words() const {
    return corners > 0 ? fmt::format("{} corners have none", corners) : fmt::format("{} samples have none", samples);
}

Result<LayerGaps> layerGaps(const Geometry& geometry, Layer layer) {
    LayerGaps gaps;
    const std::size_t count =
        geometry.extrasVary() ? geometry.sampling().count() : std::min<std::size_t>(1, geometry.sampling().count());
    for (std::size_t i = 0; i < count; ++i) {
        WYC_TRY(extras, geometry.extras(i));
        const Attribute& attribute = layerOf(*extras, layer);
        if (attribute.isEmpty()) {
            ++gaps.samples;
            continue;
        }
        gaps.there = true;
        // One value each, in full: nothing can be missing, whatever the faces are.
        WYC_TRY(topology, geometry.topology(i));
        std::size_t corner = 0;
        for (std::size_t face = 0; face < topology->faceCount(); ++face)
            for (std::int32_t k = 0; k < topology->faceSizes()[face]; ++k, ++corner)
                gaps.corners += valueNumber(attribute, face, corner, topology->corners()[corner]) < 0;
    }
    return gaps.there ? gaps : LayerGaps{};
}

} // namespace wyc
