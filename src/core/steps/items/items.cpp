// SPDX-License-Identifier: GPL-3.0-or-later
// Choosing items of a scene.
#include <algorithm>
#include <unordered_set>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/components/instancer.h"
#include "scene/deform/deformers.h"
#include "scene/instances.h"
#include "scene/stand_in.h"
#include "steps/step.h"
#include "steps/steps.h"

namespace wyc {
namespace {

// Keeps the marked nodes; the rest goes, indices are made anew.
Scene keptNodes(const Scene& scene, const std::vector<bool>& keep) {
    Scene result = scene;
    result.nodes.clear();
    std::vector<int> newIndex(scene.nodes.size(), -1);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (!keep[i])
            continue;
        newIndex[i] = static_cast<int>(result.nodes.size());
        Node node = scene.nodes[i];
        if (node.parent >= 0)
            node.parent = newIndex[static_cast<std::size_t>(node.parent)];
        result.nodes.push_back(std::move(node));
    }
    std::unordered_set<std::string_view> there;
    for (const Node& node : result.nodes)
        there.insert(node.path);
    const auto gone = [&](const std::string& item) { return !item.empty() && !there.contains(item); };
    std::erase_if(result.report.notCarried, [&](const NotCarried& n) { return gone(n.item); });
    std::erase_if(result.report.carried, [&](const NotCarried& n) { return gone(n.item); });
    std::erase_if(result.report.remarks, [&](const ReaderRemark& r) { return gone(r.item); });
    return result;
}

bool matches(const Node& node, const std::string& pattern) {
    return matchesPattern(node.path, pattern) || matchesPattern(node.name, pattern) ||
           node.path.starts_with(pattern + "/") || matchesPattern(node.path, pattern + "/*");
}

// Skeletons of skins that stay, and what stands above them.
void keepSkeletons(const Scene& scene, const std::vector<bool>& leftOut, std::vector<bool>& keep) {
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (const auto& deformation = scene.nodes[i].deformation; keep[i] && deformation && deformation->skeleton)
            if (const auto skeleton = scene.find(*deformation->skeleton); skeleton && !leftOut[*skeleton])
                for (int at = static_cast<int>(*skeleton); at >= 0;
                     at = scene.nodes[static_cast<std::size_t>(at)].parent)
                    keep[static_cast<std::size_t>(at)] = true;
}

} // namespace

Result<Scene> selectedItems(const Scene& scene, const std::vector<std::string>& patterns) {
    if (patterns.empty())
        return scene;
    const bool anyPositive =
        std::any_of(patterns.begin(), patterns.end(), [](const std::string& p) { return !p.starts_with("!"); });
    std::vector<bool> chosen(scene.nodes.size(), !anyPositive);
    for (const std::string& pattern : patterns) {
        const bool leave = pattern.starts_with("!");
        const std::string words = leave ? pattern.substr(1) : pattern;
        bool any = false;
        std::vector<bool> hit(scene.nodes.size(), false); // a group's name takes all below it
        for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
            const int parent = scene.nodes[i].parent;
            hit[i] = matches(scene.nodes[i], words) || (parent >= 0 && hit[static_cast<std::size_t>(parent)]);
            if (!hit[i])
                continue;
            chosen[i] = !leave;
            any = true;
        }
        if (!any && !leave)
            return fail(makeError(ErrorKind::BadInput, fmt::format("no item fits '{}'", words))
                            .withAdvice("`wyc info` lists the items; patterns may hold * and ?"));
    }
    // Nothing below a node that was left out stays, nor anything that its own pattern leaves out; parents of what
    // was chosen do.
    std::vector<bool> keep = chosen;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const int parent = scene.nodes[i].parent;
        if (!anyPositive && parent >= 0 && !keep[static_cast<std::size_t>(parent)])
            keep[i] = false;
    }
    for (std::size_t i = scene.nodes.size(); i-- > 0;)
        if (keep[i] && scene.nodes[i].parent >= 0)
            keep[static_cast<std::size_t>(scene.nodes[i].parent)] = true;
    // A transform with nothing left below it, chosen by nobody, is junk.
    std::vector<bool> hadChild(scene.nodes.size(), false);
    std::vector<bool> hasChild(scene.nodes.size(), false);
    for (std::size_t i = scene.nodes.size(); i-- > 0;) {
        if (keep[i] && !(anyPositive && chosen[i]) && scene.nodes[i].is().place)
            keep[i] = hasChild[i] || !hadChild[i];
        if (const int parent = scene.nodes[i].parent; parent >= 0) {
            hadChild[static_cast<std::size_t>(parent)] = true;
            if (keep[i])
                hasChild[static_cast<std::size_t>(parent)] = true;
        }
    }
    // Of a skin the skeleton comes along, but where it was left out by name.
    std::vector<bool> leftOut(scene.nodes.size(), false);
    for (const std::string& pattern : patterns)
        for (std::size_t i = 0; i < scene.nodes.size() && pattern.starts_with("!"); ++i)
            leftOut[i] = leftOut[i] || matches(scene.nodes[i], pattern.substr(1));
    keepSkeletons(scene, leftOut, keep);
    // An instance whose source goes becomes a copy of it first.
    std::unordered_set<std::uint64_t> kept;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (keep[i])
            kept.insert(scene.nodes[i].id.value);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (keep[i] && scene.nodes[i].instanceOf && !kept.contains(scene.nodes[i].instanceOf->value) &&
            scene.find(*scene.nodes[i].instanceOf)) {
            WYC_TRY(expanded, expandedInstances(scene));
            return selectedItems(expanded, patterns);
        }
    if (std::none_of(keep.begin(), keep.end(), [](bool k) { return k; }))
        return fail(makeError(ErrorKind::BadInput, "no item is left").withAdvice("Leave fewer items out"));
    return settledDeformers(keptNodes(scene, keep));
}

const std::vector<std::string_view>& itemKinds() {
    static const std::vector<std::string_view> kKinds{"seen", "moving", "shapes", "cameras", "lights", "points"};
    return kKinds;
}

Result<Scene> itemsOfKind(const Scene& scene, std::string_view kind) {
    const std::vector<bool> isItem = itemMask(scene);
    const std::vector<bool> below = belowInstancers(scene);
    std::vector<bool> keep(scene.nodes.size(), false);
    bool any = false;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const KindTraits& is = scene.nodes[i].is();
        // Sets of faces go with their mesh, what an instancer shows with it.
        const int parent = scene.nodes[i].parent;
        const bool part = (is.part || below[i]) && parent >= 0 && keep[static_cast<std::size_t>(parent)];
        const bool fits = kind == "seen"      ? !neverSeen(scene, i)
                          : kind == "moving"  ? movingSpan(scene, i).has_value()
                          : kind == "shapes"  ? is.points && !is.cloud
                          : kind == "cameras" ? scene.nodes[i].kind == NodeKind::Camera
                          : kind == "lights"  ? scene.nodes[i].kind == NodeKind::Light
                                              : is.cloud;
        keep[i] = part || (isItem[i] && fits);
        any = any || keep[i];
    }
    if (!any)
        return fail(makeError(ErrorKind::BadInput, fmt::format("nothing of it is of the kind '{}'", kind))
                        .withAdvice("`wyc info` lists the items"));
    for (std::size_t i = scene.nodes.size(); i-- > 0;)
        if (keep[i] && scene.nodes[i].parent >= 0)
            keep[static_cast<std::size_t>(scene.nodes[i].parent)] = true;
    keepSkeletons(scene, std::vector<bool>(scene.nodes.size(), false), keep);
    return settledDeformers(keptNodes(scene, keep));
}

} // namespace wyc
