// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/components/instancer.h"
#include "steps/shape/pieces.h"
#include "steps/shape/shape_parts.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<Scene> applyMerge(const Scene& given, const json& options) {
    WYC_TRY(scene, toWorld(given, false));
    // What is hidden, now or at times, would be seen in one mesh with the others: it stays by itself.
    const std::vector<bool> below = belowInstancers(scene);
    const auto isPart = [](const Node& node) {
        const bool hidden = node.visibility && std::find(node.visibility->values.begin(), node.visibility->values.end(),
                                                         Visibility::Hidden) != node.visibility->values.end();
        return node.geometry && node.is().faces && !hidden;
    };
    std::vector<MergePart> parts;
    Scene result = scene;
    result.nodes.clear();
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (isPart(node) && !below[i]) {
            MergePart part{node.name, node.geometry, node.properties, {}, &node};
            WYC_TRY(origin, splitOrigin(node));
            part.origin = std::move(origin);
            if (part.origin.points.empty()) // a piece carries nothing but its way back
                tellDropped(node, "merged", result);
            parts.push_back(std::move(part));
        }
    }
    if (parts.empty())
        return fail(makeError(ErrorKind::BadInput, "no mesh is there to merge"));
    // What is no mesh stays beside it; face sets of the parts are parts now.
    std::vector<int> newIndex(scene.nodes.size(), -1);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        Node node = scene.nodes[i];
        const bool part = isPart(node) && !below[i];
        const bool orphan = node.parent >= 0 && newIndex[static_cast<std::size_t>(node.parent)] < 0;
        if (part || orphan)
            continue;
        if (node.parent >= 0)
            node.parent = newIndex[static_cast<std::size_t>(node.parent)];
        newIndex[i] = static_cast<int>(result.nodes.size());
        result.nodes.push_back(std::move(node));
    }
    Node merged;
    merged.kind = NodeKind::Mesh;
    merged.name = safeName(options["name"].get<std::string>());
    merged.path = "/" + merged.name;
    for (int number = 2; result.find(merged.path); ++number)
        merged.path = fmt::format("/{}_{}", merged.name, number);
    merged.name = merged.path.substr(1);
    WYC_TRY(mesh, mergedMesh(parts, scene.view));
    merged.geometry = mesh.geometry;
    if (!mesh.layers.empty())
        merged.properties = plainProperties(std::move(mesh.layers));
    std::vector<MadeOf> origins;
    for (std::size_t p = 0; p < parts.size(); ++p)
        for (MadeOf& origin : placedMadeOf(*parts[p].node, mesh.places[p]))
            origins.push_back(std::move(origin));
    merged.madeOf = std::make_shared<const std::vector<MadeOf>>(std::move(origins));
    result.nodes.push_back(std::move(merged));
    return result;
}

} // namespace

StepType mergeStep() {
    return {"merge",
            "Merge",
            "Makes one mesh of all meshes, point order item by item; pieces of one split go back to their old order",
            {{"name", OptionKind::Text, "", "name of the mesh", "merged", {}}},
            nullptr,
            nullptr,
            &applyMerge,
            [](const json& o) { return o["name"].get<std::string>(); },
            StepGroup::Shape};
}

} // namespace wyc
