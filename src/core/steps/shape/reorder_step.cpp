// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "steps/shape/point_order.h"
#include "steps/shape/rearranged.h"
#include "steps/shape/take.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<PlacesPtr> reordered(const PointOrder& order, const Topology& topology, std::size_t points) {
    const std::vector<std::uint32_t> starts = startsOf(topology);
    constexpr std::uint32_t kNowhere = 0xFFFFFFFFU;
    std::vector<std::uint32_t> now(points, kNowhere); // of several the first
    for (std::size_t p = order.points.size(); p-- > 0;)
        now[order.points[p]] = static_cast<std::uint32_t>(p);
    auto places = std::make_shared<Places>();
    places->points = order.points;
    places->faces = order.faces;
    std::vector<std::int32_t> sizes;
    std::vector<std::int32_t> corners;
    std::size_t at = 0;
    for (const std::uint32_t f : order.faces) {
        sizes.push_back(topology.faceSizes()[f]);
        for (std::int32_t k = 0; k < sizes.back(); ++k, ++at) {
            const std::uint32_t corner = starts[f] + order.turns[at];
            places->corners.push_back(corner);
            const std::uint32_t point =
                order.corners.empty() ? now[static_cast<std::size_t>(topology.corners()[corner])] : order.corners[at];
            if (point == kNowhere)
                return fail(
                    makeError(ErrorKind::BadInput, fmt::format("face {} has a point that this order leaves out", f)));
            corners.push_back(static_cast<std::int32_t>(point));
        }
    }
    WYC_TRY(made, Topology::make(std::move(sizes), std::move(corners)));
    places->topology = std::move(made);
    return places;
}

Result<Scene> applyReorder(const Scene& scene, const json& options) {
    WYC_TRY(order, PointOrder::from(options["order"].get<std::string>()));
    std::optional<Error> misfit;
    auto made = rearrangedScene(scene, true, [&](const Topology& topology, std::size_t points) -> Result<PlacesPtr> {
        if (const auto fits = order.fits(topology, points); !fits) {
            misfit = fits.error(); // an order is for one of several meshes
            return PlacesPtr();
        }
        return reordered(order, topology, points);
    });
    return !made && misfit ? Result<Scene>(fail(*misfit)) : std::move(made);
}

} // namespace

StepType reorderStep() {
    StepType type{
        "reorder",
        "Reorder",
        "Gives points and faces the numbers that they have in another mesh; split points become one, welded ones "
        "several",
        {{"order", OptionKind::Text, "", "an order of points, or the path of a file that has one", "", {}}},
        nullptr,
        nullptr,
        &applyReorder,
        [](const json& o) {
            const std::string order = o["order"];
            if (order.empty() || order.front() != '{')
                return order.empty() ? std::string("no order is given") : "by " + order;
            const auto parsed = PointOrder::parse(order);
            return parsed ? fmt::format("{} points, {} faces", parsed->points.size(), parsed->faces.size())
                          : parsed.error().what;
        },
        StepGroup::Shape};
    type.reads = [](const json& o) { return filesOf(o, {"order"}); };
    type.renumbers = true;
    return type;
}

} // namespace wyc
