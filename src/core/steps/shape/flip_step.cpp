// SPDX-License-Identifier: GPL-3.0-or-later
#include <numeric>

#include "steps/shape/rearranged.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<Scene> applyFlip(const Scene& scene, const json&) {
    return rearrangedScene(scene, false, [](const Topology& topology, std::size_t points) -> Result<PlacesPtr> {
        if (topology.faceCount() == 0)
            return PlacesPtr();
        const std::vector<std::uint32_t> starts = startsOf(topology);
        auto places = std::make_shared<Places>();
        places->points.resize(points);
        std::iota(places->points.begin(), places->points.end(), 0U);
        std::vector<std::int32_t> corners;
        for (std::uint32_t f = 0; f < topology.faceCount(); ++f) {
            places->faces.push_back(f);
            const std::uint32_t size = starts[f + 1] - starts[f];
            for (std::uint32_t k = 0; k < size; ++k) { // the first corner stays the first
                const std::uint32_t corner = starts[f] + (k == 0 ? 0 : size - k);
                places->corners.push_back(corner);
                corners.push_back(topology.corners()[corner]);
            }
        }
        WYC_TRY(made, Topology::make(topology.faceSizes(), std::move(corners)));
        places->topology = std::move(made);
        return places;
    });
}

} // namespace

StepType flipStep() {
    return {"flip",
            "Flip winding",
            "Walks every face the other way round; its first corner, UVs and normals stay",
            {},
            nullptr,
            nullptr,
            &applyFlip,
            [](const json&) { return std::string("faces the other way round"); },
            StepGroup::Shape};
}

} // namespace wyc
