// SPDX-License-Identifier: GPL-3.0-or-later
// Steps on the build of a scene: to world space, merge, split.
#include <algorithm>
#include <array>
#include <numeric>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/carried_words.h"
#include "scene/face_sets.h"
#include "scene/instances.h"
#include "steps/baked.h"
#include "steps/pieces.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

// What belongs to single points or faces of a shape that is made anew from others has no place any more.
void tellDropped(const Node& node, const char* how, Scene& scene) {
    for (const std::string& words : carriedWords(node))
        scene.notCarried.push_back({node.path, fmt::format("{}: it was {}", words, how)});
}

bool needsPlace(const Node& node) {
    return node.kind == NodeKind::Camera || node.kind == NodeKind::Light;
}

// A name that no sibling has yet.
std::string freeName(std::unordered_map<std::string, int>& taken, const std::string& parentPath,
                     const std::string& name) {
    std::string result = name;
    for (int number = 2; !taken.try_emplace(parentPath + "/" + result, 1).second; ++number)
        result = fmt::format("{}_{}", name, number);
    return result;
}

// Whether the node is seen, as a track of its own: what its parents said is part of it.
std::optional<VisibilityTrack> resolvedVisibility(const Scene& scene, std::size_t node) {
    std::vector<double> times;
    bool stated = false;
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const auto& track = scene.nodes[static_cast<std::size_t>(at)].visibility;
        stated = stated || track;
        for (std::size_t i = 0; track && !track->sampling.isStill() && i < track->sampling.count(); ++i)
            times.push_back(track->sampling.time(i));
    }
    if (!stated)
        return std::nullopt;
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    VisibilityTrack result;
    if (times.empty())
        times.push_back(0.0);
    else
        result.sampling = samplingFromTimes(times);
    for (const double time : times) {
        const auto placement = placementAt(scene, node, time);
        result.values.push_back(placement && !placement->visible ? Visibility::Hidden : Visibility::Visible);
    }
    return result;
}

// All shapes in world space. Groups stay, without a transform, or go.
Result<Scene> toWorld(const Scene& given, bool keepGroups) {
    WYC_TRY(expanded, expandedInstances(given));
    const auto scene = std::make_shared<const Scene>(std::move(expanded));
    Scene result = *scene;
    result.nodes.clear();
    result.samplings.clear();
    std::unordered_map<std::string, int> taken;
    std::vector<int> newIndex(scene->nodes.size(), -1);
    for (std::size_t i = 0; i < scene->nodes.size(); ++i) {
        Node node = scene->nodes[i];
        const int above = node.parent;
        int parent = above < 0 ? -1 : newIndex[static_cast<std::size_t>(above)];
        // What stands below a shape (a face set) stays there, groups or not.
        if (node.kind == NodeKind::Transform && !node.geometry) {
            if (!keepGroups) {
                newIndex[i] = parent;
                continue;
            }
            node.transform = nullptr;
            // Its own values stay; a box was given for a space that is gone.
            node.properties =
                changedProperties(node.properties, [](const PropertyNode& property, const std::string&, const auto&) {
                    return property.role == SpaceRole::Box ? nullptr : property.values;
                });
        }
        if (!keepGroups && (node.geometry || needsPlace(node)))
            node.visibility = resolvedVisibility(*scene, i);
        const auto parentPath = [&] {
            return parent < 0 ? std::string() : result.nodes[static_cast<std::size_t>(parent)].path;
        };
        if (node.geometry) {
            WYC_TRY(geometry, bakedGeometry(*scene, i));
            WYC_TRY(properties, bakedProperties(scene, i));
            node.geometry = geometry;
            node.properties = properties;
            node.transform = nullptr;
        } else if (needsPlace(node)) {
            // A camera has no points to move: it gets the whole way as one matrix above it.
            WYC_TRY(world, worldMatrices(*scene, i, worldSampling(*scene, i, Sampling::still())));
            std::vector<std::vector<double>> channels;
            for (const Mat4& matrix : world.matrices)
                channels.emplace_back(matrix.m.begin(), matrix.m.end());
            Node place;
            place.kind = NodeKind::Transform;
            place.name = freeName(taken, parentPath(), node.name + "_place");
            place.path = parentPath() + "/" + place.name;
            place.parent = parent;
            place.transform = std::make_shared<MemoryTransform>(
                world.sampling, std::vector<TransformOp>{{TransformOp::Kind::Matrix, 0}}, std::move(channels));
            parent = static_cast<int>(result.nodes.size());
            result.nodes.push_back(std::move(place));
            node.transform = nullptr;
        }
        node.parent = parent;
        node.name = freeName(taken, parentPath(), node.name);
        node.path = parentPath() + "/" + node.name;
        newIndex[i] = static_cast<int>(result.nodes.size());
        result.nodes.push_back(std::move(node));
    }
    return result;
}

Result<Scene> applyWorld(const Scene& scene, const json& options) {
    return toWorld(scene, options["groups"].get<std::string>() == "kept");
}

Result<Scene> applyMerge(const Scene& given, const json& options) {
    WYC_TRY(scene, toWorld(given, false));
    std::vector<MergePart> parts;
    Scene result = scene;
    result.nodes.clear();
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (node.geometry && (node.kind == NodeKind::Mesh || node.kind == NodeKind::Subdivision)) {
            MergePart part{node.name, node.geometry, {}};
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
        const bool part = node.geometry && (node.kind == NodeKind::Mesh || node.kind == NodeKind::Subdivision);
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
    WYC_TRY(geometry, mergedGeometry(parts, scene.workingRate));
    merged.geometry = geometry;
    result.nodes.push_back(std::move(merged));
    return result;
}

Result<Scene> applySplit(const Scene& scene, const json& options) {
    const std::string by = options["by"].get<std::string>();
    Scene result = scene;
    result.nodes.clear();
    result.samplings.clear();
    std::vector<int> newIndex(scene.nodes.size(), -1);
    std::unordered_map<std::string, int> taken;
    bool any = false;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        const int parent = node.parent < 0 ? -1 : newIndex[static_cast<std::size_t>(node.parent)];
        if (node.parent >= 0 && parent < 0)
            continue; // below a mesh that was split: its sets are the pieces now
        std::vector<FaceSet> sets;
        if (node.geometry && (node.kind == NodeKind::Mesh || node.kind == NodeKind::Subdivision)) {
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
        WYC_TRY(cuts, cutPieces(node.geometry, sets));
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
            piece.properties = splitProperties(node.path, {cuts[s].points, {set.faces.begin(), set.faces.end()}});
            result.nodes.push_back(std::move(piece));
        }
    }
    if (!any)
        return fail(makeError(ErrorKind::BadInput, fmt::format("no mesh falls into several pieces by {}", by))
                        .withAdvice("The Facts desk says which face sets and materials a mesh has"));
    return result;
}

} // namespace

StepType worldStep() {
    return {"world",
            "To world space",
            "Puts every transform into the points; cameras get the whole way as one matrix",
            {{"groups", OptionKind::Choice, "", "transforms that are left empty", "kept", {"kept", "dropped"}}},
            &applyWorld,
            [](const json& o) { return "groups " + o["groups"].get<std::string>(); }};
}

StepType mergeStep() {
    return {"merge",
            "Merge",
            "Makes one mesh of all meshes, point order item by item; pieces of one split go back to their old order",
            {{"name", OptionKind::Text, "", "name of the mesh", "merged", {}}},
            &applyMerge,
            [](const json& o) { return o["name"].get<std::string>(); }};
}

StepType splitStep() {
    return {"split",
            "Split",
            "Makes several meshes of one; merging them gives the old point order back",
            {{"by", OptionKind::Choice, "", "what a piece is", "pieces", {"pieces", "face sets", "materials"}}},
            &applySplit,
            [](const json& o) { return "by " + o["by"].get<std::string>(); }};
}

} // namespace wyc
