// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/instances.h"

#include <algorithm>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/deform/deformers.h"

namespace wyc {
namespace {

constexpr std::size_t kMostNested = 64;

class Expander {
  public:
    Expander(const Scene& scene, std::size_t mostNodes)
        : scene_(scene), mostNodes_(mostNodes), children_(scene.nodes.size() + 1) {
        for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
            byId_[scene.nodes[i].id.value] = i;
            children_[static_cast<std::size_t>(scene.nodes[i].parent + 1)].push_back(i);
        }
    }

    Result<Scene> expand() {
        result_ = scene_;
        result_.nodes.clear();
        for (const std::size_t top : children_[0])
            WYC_CHECK(add(top, -1, 0, false));
        return std::move(result_);
    }

  private:
    // `copied`: what stands here is also somewhere else.
    Status add(std::size_t index, int parent, std::size_t nested, bool copied) {
        const Node& original = scene_.nodes[index];
        std::size_t shown = index;
        while (scene_.nodes[shown].isInstance()) {
            const auto& source = scene_.nodes[shown].instanceOf;
            const auto found = source ? byId_.find(source->value) : byId_.end();
            if (found == byId_.end())
                return fail(makeError(ErrorKind::BadInput, fmt::format("it shows '{}', which is not there",
                                                                       scene_.nodes[shown].instanceLabel))
                                .forItem(original.path)
                                .withAdvice("Keep the source of an instance, or leave the instance out"));
            parent = addPlace(scene_.nodes[shown], original.name, parent, shown == index && !copied);
            shown = found->second;
            if (++nested > kMostNested)
                return fail(
                    makeError(ErrorKind::BadInput, "instances show each other in a circle").forItem(original.path));
        }
        if (result_.nodes.size() >= mostNodes_)
            return fail(makeError(ErrorKind::Unsupported, fmt::format("more than {} nodes come out of the instances",
                                                                      groupedDigits(mostNodes_)))
                            .forItem(original.path));
        Node node = scene_.nodes[shown];
        if (shown != index || copied)
            node.id = NodeId::fresh();
        node.name = original.name;
        node.parent = parent;
        node.path =
            (parent < 0 ? std::string() : result_.nodes[static_cast<std::size_t>(parent)].path) + "/" + node.name;
        if (shown != index)
            result_.report.notCarried.push_back(
                {node.path, fmt::format("that it is '{}' once more: it becomes a copy", original.instanceLabel)});
        const auto here = result_.nodes.size();
        result_.nodes.push_back(std::move(node));
        originals_.push_back(original.id);
        for (const std::size_t child : children_[shown + 1])
            WYC_CHECK(add(child, static_cast<int>(here), nested, copied || shown != index));
        if (const auto& shows = result_.nodes[here].prototypes) { // of a copy what is below the copy
            std::vector<NodeId> ids = *shows;
            for (std::size_t n = here + 1; n < result_.nodes.size(); ++n)
                std::replace(ids.begin(), ids.end(), originals_[n], result_.nodes[n].id);
            result_.nodes[here].prototypes = std::make_shared<const std::vector<NodeId>>(std::move(ids));
        }
        return {};
    }

    // An instance that stands elsewhere, or is seen at other times, than what it shows: a place for the copy.
    int addPlace(const Node& instance, const std::string& name, int parent, bool itself) {
        if (!instance.transform && !instance.visibility)
            return parent;
        Node place;
        place.name = name;
        place.path = (parent < 0 ? std::string() : result_.nodes[static_cast<std::size_t>(parent)].path) + "/" + name;
        place.parent = parent;
        place.kind = NodeKind::Transform;
        place.transform = instance.transform;
        place.visibility = instance.visibility;
        if (itself) // not one that another instance shows
            place.id = instance.id;
        originals_.push_back(instance.id);
        result_.nodes.push_back(std::move(place));
        return static_cast<int>(result_.nodes.size()) - 1;
    }

    const Scene& scene_;
    std::size_t mostNodes_;
    Scene result_;
    std::vector<NodeId> originals_; // of the nodes of the result
    std::unordered_map<std::uint64_t, std::size_t> byId_;
    std::vector<std::vector<std::size_t>> children_; // by parent + 1
};

} // namespace

bool hasInstances(const Scene& scene) {
    return std::any_of(scene.nodes.begin(), scene.nodes.end(), [](const Node& n) { return n.isInstance(); });
}

Result<Scene> expandedInstances(const Scene& scene, std::size_t mostNodes) {
    if (!hasInstances(scene))
        return scene;
    WYC_TRY(expanded, Expander(scene, mostNodes).expand());
    return settledDeformers(std::move(expanded)); // a copy elsewhere has no skeleton there
}

} // namespace wyc
