// SPDX-License-Identifier: GPL-3.0-or-later
// Steps on the build of a scene: to world space, merge, split.
#include <algorithm>
#include <array>
#include <numeric>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "evaluate/baked.h"
#include "evaluate/mapped.h"
#include "scene/carried_words.h"
#include "scene/channels.h"
#include "scene/components/face_sets.h"
#include "scene/components/instancer.h"
#include "scene/deform/deformers.h"
#include "scene/instances.h"
#include "steps/shape/pieces.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

// What belongs to single points or faces of a shape that is made anew from others has no place any more.
void tellDropped(const Node& node, const char* how, Scene& scene) {
    if (isDeformed(node))
        scene.report.notCarried.push_back({node.path, std::string(kDeformersGone)});
    for (const std::string& words : carriedWords(node))
        scene.report.notCarried.push_back({node.path, fmt::format("{}: it was {}", words, how)});
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
std::optional<VisibilityTrack> resolvedVisibility(const std::shared_ptr<const Scene>& kept, std::size_t node) {
    const Scene& scene = *kept;
    std::vector<Sampling> samplings;
    bool stated = false;
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const auto& track = scene.nodes[static_cast<std::size_t>(at)].visibility;
        stated = stated || track;
        if (track)
            samplings.push_back(track->sampling);
    }
    if (!stated)
        return std::nullopt;
    VisibilityTrack result;
    result.exact = std::make_shared<const std::function<Visibility(double)>>([kept, node](double t) {
        const auto placement = placementAt(*kept, node, t);
        return placement && !placement->visible ? Visibility::Hidden : Visibility::Visible;
    });
    result.sampling = commonSampling(samplings);
    // Tracks with one sample left were asked at that moment.
    if (result.sampling.isStill() && scene.view.range)
        result.sampling = Sampling::still(scene.view.range->first);
    for (const double time : result.sampling.times())
        result.values.push_back(result.at(time));
    return result;
}

// The whole way to the world as one matrix.
class WorldTransform final : public Transform {
  public:
    explicit WorldTransform(std::shared_ptr<const WorldTrack> world) : world_(std::move(world)) {}
    [[nodiscard]] const Sampling& sampling() const override { return world_->sampling(); }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override {
        static const std::vector<TransformOp> kMatrix{{TransformOp::Kind::Matrix, 0}};
        return kMatrix;
    }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        return channelsAt(sampling().time(sample));
    }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double seconds) const override {
        WYC_TRY(matrix, world_->at(seconds));
        return std::vector<double>(matrix.m.begin(), matrix.m.end());
    }
    [[nodiscard]] bool constant() const override { return !world_->moves(); }
    [[nodiscard]] bool straightBetween() const override { return world_->straight(); }
    [[nodiscard]] bool sameAlways() const override { return !world_->varies(); }

  private:
    std::shared_ptr<const WorldTrack> world_;
};

// All shapes in world space. Groups stay, without a transform, or go.
// When something of a node, or of what it shows, stands elsewhere in its own space.
Sampling poseSampling(const Scene& scene, std::size_t own, const std::vector<bool>& belowInstancer) {
    std::vector<Sampling> all;
    std::vector<bool> below(scene.nodes.size(), false);
    for (std::size_t i = own; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        below[i] = i == own || (belowInstancer[i] && below[static_cast<std::size_t>(node.parent)]);
        if (!below[i])
            continue;
        if (node.geometry)
            all.push_back(node.geometry->sampling());
        if (i != own && node.transform)
            all.push_back(node.transform->sampling());
        for (const Channel& channel : channelsOf(node.properties))
            if (channel.space != SpaceRole::None && channel.space != SpaceRole::Length &&
                channel.space != SpaceRole::Box)
                all.push_back(channel.values->sampling());
    }
    return commonSampling(all);
}

Result<Scene> toWorld(const Scene& given, bool keepGroups) {
    WYC_TRY(expanded, expandedInstances(given));
    const auto scene = std::make_shared<const Scene>(std::move(expanded));
    Scene result = *scene;
    result.nodes.clear();
    result.container.samplings.clear();
    std::unordered_map<std::string, int> taken;
    std::vector<int> newIndex(scene->nodes.size(), -1);
    const std::vector<bool> below = belowInstancers(*scene);
    std::vector<std::size_t> childCount(scene->nodes.size(), 0);
    for (const Node& node : scene->nodes)
        if (node.parent >= 0)
            ++childCount[static_cast<std::size_t>(node.parent)];
    for (std::size_t i = 0; i < scene->nodes.size(); ++i) {
        Node node = scene->nodes[i];
        const int above = node.parent;
        int parent = above < 0 ? -1 : newIndex[static_cast<std::size_t>(above)];
        const bool prototype = below[i]; // in a space of its instancer
        // What stands below a shape (a face set) stays there, groups or not.
        if (!prototype && node.is().place && !node.geometry) {
            if (!keepGroups) {
                newIndex[i] = parent;
                continue;
            }
            node.transform = nullptr;
            // Its own values stay; a box was given for a space that is gone.
            node.properties = changedChannels(node.properties, [](const Channel& channel) {
                return channel.space == SpaceRole::Box ? nullptr : channel.values;
            });
        }
        if (!prototype && !keepGroups && (node.geometry || node.is().ownSpace))
            node.visibility = resolvedVisibility(scene, i);
        const auto parentPath = [&] {
            return parent < 0 ? std::string() : result.nodes[static_cast<std::size_t>(parent)].path;
        };
        if (prototype) {
        } else if (node.is().ownSpace) {
            // A camera has no points to move, what an instancer shows is turned too: the whole way is their matrix.
            // Instancers and skeletons have poses of their own, which the way must meet where they are.
            auto way = worldTrack(scene, i);
            if (const Sampling own = poseSampling(*scene, i, below); !own.isStill() && way->varies())
                way = std::make_shared<const WorldTrack>(scene, i, own, true);
            const auto place = std::make_shared<WorldTransform>(std::move(way));
            node.transform = nullptr;
            // A group that is there for it alone takes it, so that a camera stays the node that it was.
            if (parent >= 0 && keepGroups && childCount[static_cast<std::size_t>(above)] == 1 &&
                result.nodes[static_cast<std::size_t>(parent)].is().place)
                result.nodes[static_cast<std::size_t>(parent)].transform = place;
            else
                node.transform = place;
        } else if (node.geometry) {
            WYC_TRY(geometry, bakedGeometry(scene, i));
            WYC_TRY(properties, bakedProperties(scene, i));
            node.geometry = geometry;
            node.properties = properties;
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
    const bool keepGroups = options["groups"].get<std::string>() == "kept";
    if (options["instancers"].get<std::string>() != "points" || !hasInstancers(scene))
        return toWorld(scene, keepGroups);
    WYC_TRY(result, toWorld(instancersAsPoints(scene), keepGroups));
    for (Node& node : result.nodes) {
        const auto before = scene.find(node.id);
        if (!before || scene.nodes[*before].kind != NodeKind::Instancer ||
            node.geometry == scene.nodes[*before].geometry)
            continue;
        // A way that stretches or mirrors leaves no turn and no size.
        KeptProperties kept = keptProperties(node.properties, [](const PropertyNode& property, const PropertyNode*) {
            const bool ofOwnAxes = property.role == SpaceRole::Turn || property.role == SpaceRole::Axes;
            return ofOwnAxes ? nullptr : property.values;
        });
        for (const std::string& name : kept.gone)
            result.report.notCarried.push_back({node.path, fmt::format("'{}': its points went into the world", name)});
        node.properties = std::move(kept.kept);
    }
    return result;
}

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
    WYC_TRY(mesh, mergedMesh(parts, scene.view.rate));
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
        WYC_TRY(cuts, cutPieces(node, sets, scene.view.rate));
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

StepType worldStep() {
    return {"world",
            "To world space",
            "Puts every transform into the points; cameras get the whole way as one matrix",
            {{"groups", OptionKind::Choice, "", "transforms that are left empty", "kept", {"kept", "dropped"}},
             {"instancers", OptionKind::Choice, "", "what shows others many times", "kept", {"kept", "points"}}},
            nullptr,
            nullptr,
            &applyWorld,
            [](const json& o) { return "groups " + o["groups"].get<std::string>(); },
            StepGroup::Place};
}

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
