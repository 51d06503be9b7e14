// SPDX-License-Identifier: GPL-3.0-or-later
// Several scenes as one.
#include <set>
#include <unordered_map>

#include <fmt/format.h>

#include "delivery/delivery.h"
#include "scene/channels.h"
#include "scene/deform/deformers.h"
#include "scene/materials.h"

namespace wyc {
namespace {

// Two looks at one group: the same object, or the same after steps of their own.
bool sameGroup(const Node& a, const Node& b) {
    if (a.visibility.has_value() != b.visibility.has_value() ||
        (a.visibility &&
         (a.visibility->sampling != b.visibility->sampling || a.visibility->values != b.visibility->values)))
        return false;
    if (a.transform == b.transform)
        return true;
    if (!a.transform || !b.transform || a.transform->ops() != b.transform->ops() ||
        a.transform->sampling() != b.transform->sampling())
        return false;
    for (std::size_t i = 0; i < std::max<std::size_t>(1, a.transform->sampling().count()); ++i) {
        const auto one = a.transform->channels(i);
        const auto other = b.transform->channels(i);
        const auto inherits = a.transform->inherits(i);
        const auto otherInherits = b.transform->inherits(i);
        if (!one || !other || *one != *other || !inherits || !otherInherits || *inherits != *otherInherits)
            return false;
    }
    return true;
}

// Two looks at one thing say the same.
bool sameChannels(const PropertiesPtr& a, const PropertiesPtr& b) {
    const auto one = channelsOf(a);
    const auto other = channelsOf(b);
    if (one.size() != other.size())
        return false;
    for (std::size_t c = 0; c < one.size(); ++c) {
        const SampledValues& x = *one[c].values;
        const SampledValues& y = *other[c].values;
        if (one[c].name != other[c].name || x.sampling() != y.sampling())
            return false;
        for (std::size_t i = 0; i < x.sampling().count(); ++i)
            if (const auto here = x.read(i), there = y.read(i); !here || !there || !(*here == *there))
                return false;
    }
    return true;
}

bool sameSkeleton(const Node& a, const Node& b) {
    return a.kind == NodeKind::Skeleton && b.kind == NodeKind::Skeleton && a.id == b.id && sameGroup(a, b) &&
           sameChannels(a.properties, b.properties);
}

// Of what is there already, by other steps: another one, as far as something is made of it.
void addMaterials(Scene& scene, Scene& result) {
    for (std::size_t m = 0; m < scene.materials.size(); ++m) {
        const Material& own = scene.materials[m];
        const Material* there = materialOf(result, own.id, {});
        if (there && ((there->look == own.look && sameChannels(there->graph, own.graph)) || !usesMaterial(scene, own)))
            continue;
        std::string name = own.name;
        for (int number = 2; materialOf(result, {}, name); ++number)
            name = fmt::format("{}_{}", own.name, number);
        if (there || name != own.name)
            renameMaterial(scene, m, name, there ? NodeId::fresh() : own.id);
        result.materials.push_back(scene.materials[m]);
    }
}

} // namespace

Scene mergedScenes(const std::vector<Scene>& scenes) {
    Scene result;
    std::unordered_map<std::string, std::size_t> byPath;
    std::set<std::pair<std::string, std::string>> told;
    bool first = true;
    for (const Scene& given : scenes) {
        Scene scene = given;
        if (first) {
            result = scene;
            first = false;
            for (std::size_t i = 0; i < result.nodes.size(); ++i)
                byPath.emplace(result.nodes[i].path, i);
            for (const NotCarried& n : result.report.notCarried)
                told.emplace(n.item, n.what);
            continue;
        }
        // One file says one unit and one axis for all; of several that are not the same it says none.
        const auto part = [&](auto& own, const auto& other, const char* what) {
            if (own != other && told.emplace(std::string(), what).second)
                result.report.notCarried.push_back({{}, what});
            if (own != other)
                own.reset();
        };
        part(result.unitMetres, scene.unitMetres, "the unit: its items state different ones, or some none");
        part(result.upAxis, scene.upAxis, "the up axis: its items state different ones, or some none");
        if (result.container.format != scene.container.format)
            result.container.metadata.clear();
        if (result.rate != scene.rate) // one that some state and others do not
            result.rate = result.rate ? result.rate : scene.rate;
        result.container.samplings.clear(); // what one archive declared does not hold for several
        result.properties = nullptr;
        addMaterials(scene, result);
        result.report.carried.insert(result.report.carried.end(), scene.report.carried.begin(),
                                     scene.report.carried.end());
        std::vector<int> newIndex(scene.nodes.size());
        std::set<std::uint64_t> otherwise; // skeletons that are there already, and not like this
        for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
            Node node = scene.nodes[i];
            node.parent = node.parent < 0 ? -1 : newIndex[static_cast<std::size_t>(node.parent)];
            const std::string above =
                node.parent < 0 ? std::string() : result.nodes[static_cast<std::size_t>(node.parent)].path;
            node.path = above + "/" + node.name;
            const auto same = byPath.find(node.path);
            if (same != byPath.end() && ((node.is().place && sameGroup(result.nodes[same->second], node)) ||
                                         sameSkeleton(result.nodes[same->second], node))) {
                newIndex[i] = static_cast<int>(same->second);
                continue;
            }
            for (int number = 2; byPath.contains(node.path); ++number) {
                node.name = fmt::format("{}_{}", scene.nodes[i].name, number);
                node.path = above + "/" + node.name;
            }
            if (node.kind == NodeKind::Skeleton && result.find(node.id))
                otherwise.insert(node.id.value);
            byPath.emplace(node.path, result.nodes.size());
            newIndex[i] = static_cast<int>(result.nodes.size());
            result.nodes.push_back(std::move(node));
        }
        // A skeleton that other steps went over is another one: what follows it becomes points.
        for (const int i : newIndex)
            if (auto& deformation = result.nodes[static_cast<std::size_t>(i)].deformation;
                deformation && deformation->skeleton && otherwise.contains(deformation->skeleton->value))
                deformation->makes = nullptr;
        if (!otherwise.empty())
            result = settledDeformers(std::move(result));
        for (const NotCarried& n : scene.report.notCarried)
            if (told.emplace(n.item, n.what).second)
                result.report.notCarried.push_back(n);
    }
    return result;
}

} // namespace wyc
