// SPDX-License-Identifier: GPL-3.0-or-later
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/components/instancer.h"
#include "steps/shape/pieces.h"
#include "steps/shape/shape_parts.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<Scene> applySplit(const Scene& scene, const json& options) {
    const std::string by = options["by"].get<std::string>();
    Scene result = scene;
    result.nodes.clear();
    result.container.samplings.clear();
    std::vector<int> newIndex(scene.nodes.size(), -1);
    std::unordered_map<std::string, int> taken;
    bool any = false;
    const std::vector<bool> below = belowInstancers(scene);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        const int parent = node.parent < 0 ? -1 : newIndex[static_cast<std::size_t>(node.parent)];
        if (node.parent >= 0 && parent < 0)
            continue; // below a mesh that was split: its sets are the pieces now
        std::vector<FaceSet> sets;
        if (node.geometry && node.is().faces && !below[i]) { // pieces of a prototype would be others
            WYC_TRY(pieces, piecesOf(scene, i, by));
            sets = std::move(pieces);
        }
        const std::string parentPath = parent < 0 ? std::string() : result.nodes[static_cast<std::size_t>(parent)].path;
        if (sets.size() < 2) {
            Node kept = node;
            kept.parent = parent;
            newIndex[i] = static_cast<int>(result.nodes.size());
            taken.try_emplace(kept.path, 1);
            result.nodes.push_back(std::move(kept));
            continue;
        }
        any = true;
        tellDropped(node, "split", result);
        WYC_TRY(cuts, cutPieces(node, sets, scene.view));
        for (std::size_t s = 0; s < sets.size(); ++s) {
            const FaceSet& set = sets[s];
            Node piece;
            piece.kind = node.kind;
            piece.transform = node.transform;
            piece.visibility = node.visibility;
            piece.name = freeName(taken, parentPath, safeName(node.name + "_" + set.name));
            piece.path = parentPath + "/" + piece.name;
            piece.parent = parent;
            piece.geometry = cuts[s].geometry;
            piece.madeOf = std::make_shared<const std::vector<MadeOf>>(pieceMadeOf(node, cuts[s].points));
            std::vector<PropertyNode> properties = std::move(cuts[s].layers);
            for (PropertyNode& way : splitProperties(node.path, {cuts[s].points, {set.faces.begin(), set.faces.end()}}))
                properties.push_back(std::move(way));
            piece.properties = plainProperties(std::move(properties));
            result.nodes.push_back(std::move(piece));
        }
    }
    if (!any)
        return fail(makeError(ErrorKind::BadInput, fmt::format("no mesh falls into several pieces by {}", by))
                        .withAdvice("The Facts desk says which face sets and materials a mesh has"));
    return result;
}

} // namespace

StepType splitStep() {
    return {"split",
            "Split",
            "Makes several meshes of one; merging them gives the old point order back",
            {{"by", OptionKind::Choice, "", "what a piece is", "pieces", {"pieces", "face sets", "materials"}}},
            nullptr,
            nullptr,
            &applySplit,
            [](const json& o) { return "by " + o["by"].get<std::string>(); },
            StepGroup::Shape};
}

} // namespace wyc
