// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <mutex>

#include <fmt/format.h>

#include "base/text.h"
#include "gather/source.h"
#include "scene/scene_tree.h"
#include "steps/shape/pieces.h"
#include "steps/shape/take.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

// The last few caches that points were taken from, so that a chain that is applied often opens them once.
class OpenCaches {
  public:
    Result<SourcePtr> open(const SourceSpec& spec, const FrameRate& assumed) {
        {
            const std::lock_guard lock(mutex_);
            for (const Entry& entry : entries_)
                if (entry.source->spec == spec && entry.assumed == assumed && stampOf(*entry.source) == entry.stamp)
                    return entry.source;
        }
        WYC_TRY(source, openSource(spec, assumed));
        const std::lock_guard lock(mutex_);
        std::erase_if(entries_, [&](const Entry& e) { return e.source->spec == spec && e.assumed == assumed; });
        if (entries_.size() >= kKept)
            entries_.erase(entries_.begin());
        entries_.push_back({source, assumed, stampOf(*source)});
        return source;
    }

  private:
    static constexpr std::size_t kKept = 8;
    struct Entry {
        SourcePtr source;
        FrameRate assumed;
        std::uint64_t stamp = 0;
    };
    std::mutex mutex_;
    std::vector<Entry> entries_;
};

bool hasPoints(const Node& node) {
    return node.geometry && !node.is().strands;
}

// A's points over time, B's faces and what lies on them.
class TakenGeometry final : public MomentWrapper {
  public:
    TakenGeometry(GeometryPtr points, TopologyPtr topology, FaceSetsPtr sets)
        : MomentWrapper(std::move(points)), topology_(std::move(topology)), sets_(std::move(sets)) {}
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double) const override { return topology_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return sets_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double) const override { return sets_; }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t) const override { return IdsPtr(); }
    [[nodiscard]] Result<IdsPtr> idsAt(double) const override { return IdsPtr(); }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool faceSetsVary() const override { return false; }

  private:
    TopologyPtr topology_;
    FaceSetsPtr sets_;
};

// Every face has the same points, wherever it begins and whichever way it is walked.
bool sameFaces(const Topology& a, const Topology& b) {
    if (a.hash() == b.hash())
        return true;
    if (a.faceSizes() != b.faceSizes())
        return false;
    std::size_t at = 0;
    for (const std::int32_t size : a.faceSizes()) {
        const auto n = static_cast<std::size_t>(size);
        const auto sorted = [&](const Topology& of) {
            const auto first = of.corners().begin() + static_cast<std::ptrdiff_t>(at);
            std::vector<std::int32_t> points(first, first + size);
            std::sort(points.begin(), points.end());
            return points;
        };
        if (sorted(a) != sorted(b))
            return false;
        at += n;
    }
    return true;
}

Error noItem(const SourceSpec& spec, const std::string& why) {
    return makeError(ErrorKind::BadInput, why)
        .inFile(spec.path.string())
        .withAdvice("Say which with item=PATH; `wyc info` lists them");
}

// What lies on the mesh and says where its points are, or how they move, says so of other points.
void leaveOutMotion(Node& node, Scene& scene) {
    KeptProperties kept =
        keptProperties(node.properties, [](const PropertyNode& property, const PropertyNode*) -> ValuesPtr {
            switch (property.role) {
            case SpaceRole::Normal:
            case SpaceRole::Turn:
            case SpaceRole::Axes:
            case SpaceRole::Position:
            case SpaceRole::Vector: return nullptr;
            default: return property.meaning == Meaning::Velocities ? nullptr : property.values;
            }
        });
    for (const std::string& name : kept.gone)
        scene.report.notCarried.push_back({node.path, fmt::format("'{}': the points are another's", name)});
    node.properties = std::move(kept.kept);
}

Result<Scene> applyTake(const Scene& before, const json& options) {
    WYC_TRY(item, takenItem(before, options));
    WYC_TRY(brought, applySteps(*item.scene, item.chain));
    const auto from = brought.find(item.scene->nodes[item.node].id);
    if (!from || !brought.nodes[*from].geometry)
        return fail(makeError(ErrorKind::BadInput, "its own steps leave nothing of what points are taken from"));
    const Node& giver = brought.nodes[*from];
    WYC_TRY(giverChanges, giver.geometry->topologyChanges());
    if (giverChanges)
        return fail(makeError(ErrorKind::BadInput, "its points change in number: none of them stays the same one")
                        .forItem(giver.path));
    if (brought.upAxis && before.upAxis && *brought.upAxis != *before.upAxis)
        return fail(makeError(ErrorKind::BadInput, fmt::format("the points come with {} up, the mesh has {} up",
                                                               upAxisName(*brought.upAxis), upAxisName(*before.upAxis)))
                        .withAdvice("Turn one of them first"));
    WYC_TRY(count, giver.geometry->pointCount(0));
    WYC_TRY(given, giver.geometry->topology(0));
    // Transforms above the mesh would move points that are in the world already.
    WYC_TRY(result, applySteps(before, {Step{"world"}}));
    std::optional<std::size_t> taker;
    std::string misfit = "no mesh is there to take them";
    std::size_t fitting = 0;
    for (std::size_t i = 0; i < result.nodes.size(); ++i) {
        const Node& node = result.nodes[i];
        if (!hasPoints(node))
            continue;
        WYC_TRY(points, node.geometry->pointCount(0));
        WYC_TRY(faces, node.geometry->topology(0));
        WYC_TRY(changes, node.geometry->topologyChanges());
        if (changes) {
            misfit = fmt::format("'{}' has faces that change in time", node.path);
        } else if (points != count) {
            misfit =
                fmt::format("'{}' has {} points, and {} come", node.path, groupedDigits(points), groupedDigits(count));
        } else if (given->faceCount() > 0 && faces->faceCount() > 0 && !sameFaces(*given, *faces)) {
            misfit = fmt::format("'{}' has as many points, and other faces between them", node.path);
        } else {
            taker = i;
            ++fitting;
        }
    }
    if (!taker)
        return fail(makeError(ErrorKind::BadInput, misfit)
                        .withAdvice("Give an order: wyc order TO FROM -o FILE, or the Reconcile desk"));
    if (fitting > 1)
        return fail(makeError(ErrorKind::BadInput, fmt::format("{} meshes could take these points", fitting))
                        .withAdvice("Choose one with --items"));
    Node& node = result.nodes[*taker];
    WYC_TRY(faces, node.geometry->topology(0));
    WYC_TRY(sets, node.geometry->faceSets(0));
    if (node.geometry->faceSetsVary() && !node.geometry->sampling().isStill())
        result.report.notCarried.push_back({node.path, "sets that change in time: those of the first sample stay"});
    leaveOutMotion(node, result);
    for (const PropertyNode& property : giver.properties ? giver.properties->all() : std::vector<PropertyNode>())
        if (property.meaning == Meaning::Velocities)
            result.report.notCarried.push_back({node.path, "velocities of the cache: its points alone are taken"});
    node.geometry = std::make_shared<TakenGeometry>(giver.geometry, faces, sets);
    node.madeOf =
        giver.madeOf ? giver.madeOf : std::make_shared<const std::vector<MadeOf>>(std::vector<MadeOf>{{giver.id}});
    // It is seen while its points are.
    node.visibility = giver.visibility;
    if (!node.visibility)
        node.visibility = VisibilityTrack{Sampling::still(), {Visibility::Visible}};
    result.view = brought.view;
    result.view.rate = before.view.rate;
    if (brought.rate && (!before.rate || !movingSpan(before))) {
        result.rate = brought.rate;
        result.view.rate = brought.view.rate;
    }
    result.container.samplings.clear();
    return result;
}

} // namespace

Result<TakenItem> takenItem(const Scene& before, const json& options) {
    static OpenCaches caches;
    SourceSpec spec;
    spec.path = options["from"].get<std::string>();
    if (spec.path.empty())
        return fail(makeError(ErrorKind::BadInput, "no cache is named that points are taken from")
                        .withAdvice("Say it with from=FILE"));
    if (const std::string rest = options["rest"]; !rest.empty())
        spec.rest = rest;
    WYC_TRY(source, caches.open(spec, before.view.rate));
    const Scene& shown = source->shown();
    const std::string path = options["item"];
    std::vector<std::size_t> fitting;
    for (std::size_t i = 0; i < shown.nodes.size(); ++i)
        if (hasPoints(shown.nodes[i]) && (path.empty() || shown.nodes[i].path == path || shown.nodes[i].name == path))
            fitting.push_back(i);
    if (fitting.empty())
        return fail(noItem(spec, path.empty() ? "nothing in it has points"
                                              : fmt::format("it has no item '{}' with "
                                                            "points",
                                                            path)));
    if (fitting.size() > 1)
        return fail(noItem(spec, fmt::format("{} items in it have points", fitting.size())));
    TakenItem item;
    WYC_TRY(branch, branchOf(shown, *source->tree, fitting.front()));
    const NodeId id = shown.nodes[fitting.front()].id;
    item.node = branch.find(id).value_or(0);
    item.scene = std::make_shared<const Scene>(std::move(branch));
    if (const std::string steps = options["steps"]; !steps.empty()) {
        const json list = json::parse(steps, nullptr, false);
        WYC_TRY(chain, stepsFromJson(list));
        item.chain = std::move(chain);
        for (const Step& step : item.chain)
            if (step.type == "take")
                return fail(makeError(ErrorKind::BadInput, "what points are taken from takes none itself"));
    }
    if (const std::string order = options["order"]; !order.empty())
        item.chain.push_back(Step{"reorder", {{"order", order}}});
    item.chain.push_back(Step{"world", {{"groups", "dropped"}}});
    // Where only one of them states a unit, numbers are what they are.
    WYC_TRY(own, applySteps(*item.scene, item.chain));
    if (own.unitMetres && before.unitMetres && *own.unitMetres != *before.unitMetres)
        item.chain.push_back(
            Step{"unit", {{"from", shortestNumber(*own.unitMetres)}, {"to", shortestNumber(*before.unitMetres)}}});
    return item;
}

std::vector<fs::path> filesOf(const json& options, std::initializer_list<const char*> names) {
    std::vector<fs::path> files;
    for (const char* name : names)
        if (const std::string text = options[name]; !text.empty() && text.front() != '{')
            files.emplace_back(text);
    return files;
}

StepType takeStep() {
    StepType type{
        "take",
        "Take points",
        "Takes the points of another cache, over all its time, and keeps the rest: faces, UVs, colours, sets, "
        "materials and names; transforms above go into the points, and it is seen while the other is",
        {{"from", OptionKind::Text, "", "the cache, a file or a pattern with #", "", {}},
         {"item", OptionKind::Text, "", "its item; empty: the only one with points", "", {}},
         {"rest", OptionKind::Text, "", "its mesh, where it is a bare point cache", "", {}},
         {"order",
          OptionKind::Text,
          "",
          "the order that gives its points this mesh's numbers; empty: they have them",
          "",
          {}},
         {"steps", OptionKind::Text, "", "its own steps before, as a list in JSON", "", {}}},
        nullptr,
        nullptr,
        &applyTake,
        [](const json& o) {
            const std::string from = o["from"];
            if (from.empty())
                return std::string("no cache is named");
            const std::string item = o["item"];
            const std::string name = fs::path(from).filename().string();
            return item.empty() ? name : fmt::format("{} › {}", name, item);
        },
        StepGroup::Shape};
    type.reads = [](const json& o) { return filesOf(o, {"order", "from", "rest"}); };
    type.takes = &takenItem;
    type.recounts = true;
    return type;
}

} // namespace wyc
