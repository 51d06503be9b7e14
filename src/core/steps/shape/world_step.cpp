// SPDX-License-Identifier: GPL-3.0-or-later
#include <span>
#include <unordered_map>

#include <fmt/format.h>

#include "evaluate/baked.h"
#include "scene/channels.h"
#include "scene/components/instancer.h"
#include "scene/instances.h"
#include "steps/shape/shape_parts.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

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

// A group that goes takes along what somebody attached to it. Boxes are made anew where they are wanted.
void tellOfValues(const Node& group, ReadReport& report) {
    constexpr std::size_t kNamed = 3;
    std::vector<std::string> names;
    for (const Channel& channel : channelsOf(group.properties))
        if (channel.space != SpaceRole::Box && channel.values->sampling().count() > 0)
            names.push_back(channel.name);
    if (names.empty())
        return;
    const auto shown = std::span(names).first(std::min(kNamed, names.size()));
    report.notCarried.push_back(
        {group.path, fmt::format("the group goes, with {} value{} ({}{})", names.size(), names.size() == 1 ? "" : "s",
                                 fmt::join(shown, ", "), names.size() > kNamed ? " …" : "")});
}

} // namespace

// All shapes in world space. Groups stay, without a transform, or go.
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
        // A transform that nothing stands below is there for its own way.
        const bool bare = node.is().place && !node.geometry && node.transform && childCount[i] == 0;
        if (!prototype && node.is().place && !node.geometry && !bare) {
            if (!keepGroups) {
                tellOfValues(node, result.report);
                newIndex[i] = parent;
                continue;
            }
            node.transform = nullptr;
            // Its own values stay where they are in the world.
            WYC_TRY(properties, bakedProperties(scene, i));
            node.properties = properties;
        }
        if (!prototype && !keepGroups && (node.geometry || node.is().ownSpace || bare))
            node.visibility = resolvedVisibility(scene, i);
        const auto parentPath = [&] {
            return parent < 0 ? std::string() : result.nodes[static_cast<std::size_t>(parent)].path;
        };
        if (prototype) {
        } else if (node.is().ownSpace || bare) {
            // A camera has no points to move, what an instancer shows is turned too: the whole way is their matrix.
            // Instancers and skeletons have poses of their own, which the way must meet where they are.
            auto way = worldTrack(scene, i);
            if (const Sampling own = poseSampling(*scene, i, below); !own.isStill() && way->varies())
                way = std::make_shared<const WorldTrack>(scene, i, own, true);
            const auto place = std::make_shared<WorldTransform>(std::move(way));
            node.transform = nullptr;
            // A group that is there for it alone takes it, so that a camera stays the node that it was.
            if (!bare && parent >= 0 && keepGroups && childCount[static_cast<std::size_t>(above)] == 1 &&
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

namespace {

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

} // namespace

StepType worldStep() {
    StepType type{"world",
                  "To world space",
                  "Puts every transform into the points; cameras get the whole way as one matrix",
                  {{"groups", OptionKind::Choice, "", "transforms that are left empty", "kept", {"kept", "dropped"}},
                   {"instancers", OptionKind::Choice, "", "what shows others many times", "kept", {"kept", "points"}}},
                  nullptr,
                  nullptr,
                  &applyWorld,
                  [](const json& o) { return "groups " + o["groups"].get<std::string>(); },
                  StepGroup::Place};
    type.bakes = true;
    return type;
}

} // namespace wyc
