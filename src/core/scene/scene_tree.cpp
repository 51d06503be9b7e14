// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/scene_tree.h"

#include <algorithm>
#include <set>

#include "scene/instances.h"

namespace wyc {

SceneTree::SceneTree(const Scene& scene) : children_(scene.nodes.size() + 1) {
    byPath_.reserve(scene.nodes.size());
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        byPath_.emplace(scene.nodes[i].path, i);
        byId_.emplace(scene.nodes[i].id.value, i);
        children_[static_cast<std::size_t>(scene.nodes[i].parent + 1)].push_back(i);
    }
    for (std::size_t i = 0; i < scene.report.notCarried.size(); ++i)
        said_[scene.report.notCarried[i].item].notCarried.push_back(i);
    for (std::size_t i = 0; i < scene.report.carried.size(); ++i)
        said_[scene.report.carried[i].item].carried.push_back(i);
    for (std::size_t i = 0; i < scene.report.remarks.size(); ++i)
        said_[scene.report.remarks[i].item].remarks.push_back(i);
}

std::optional<std::size_t> SceneTree::find(const std::string& path) const {
    const auto found = byPath_.find(path);
    return found == byPath_.end() ? std::nullopt : std::optional(found->second);
}

std::optional<std::size_t> SceneTree::find(NodeId id) const {
    const auto found = byId_.find(id.value);
    return found == byId_.end() ? std::nullopt : std::optional(found->second);
}

std::vector<std::size_t> SceneTree::branchOf(const Scene& scene, std::size_t node) const {
    std::vector<std::size_t> branch;
    for (int at = scene.nodes[node].parent; at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        branch.push_back(static_cast<std::size_t>(at));
    std::vector<std::size_t> open{node};
    while (!open.empty()) {
        const std::size_t at = open.back();
        open.pop_back();
        branch.push_back(at);
        const auto& below = children_[at + 1];
        open.insert(open.end(), below.begin(), below.end());
    }
    std::sort(branch.begin(), branch.end());
    return branch;
}

const SceneTree::Said& SceneTree::saidOf(const std::string& path) const {
    static const Said kNothing;
    const auto found = said_.find(path);
    return found == said_.end() ? kNothing : found->second;
}

namespace {

// Of skins in the branch, wherever they stand.
void addSkeletons(const Scene& scene, const SceneTree& tree, std::vector<std::size_t>& branch) {
    std::set<std::size_t> all;
    for (const std::size_t i : branch)
        if (const auto& deformation = scene.nodes[i].deformation; deformation && deformation->skeleton)
            if (const auto skeleton = tree.find(*deformation->skeleton))
                for (int at = static_cast<int>(*skeleton); at >= 0;
                     at = scene.nodes[static_cast<std::size_t>(at)].parent)
                    all.insert(static_cast<std::size_t>(at));
    if (all.empty())
        return;
    all.insert(branch.begin(), branch.end());
    branch.assign(all.begin(), all.end());
}

} // namespace

Result<Scene> branchOf(const Scene& scene, const SceneTree& tree, std::size_t node) {
    std::vector<std::size_t> branch = tree.branchOf(scene, node);
    addSkeletons(scene, tree, branch);
    const bool instances =
        std::any_of(branch.begin(), branch.end(), [&](std::size_t i) { return scene.nodes[i].isInstance(); });
    if (instances) { // what they show may lie outside of the branch
        WYC_TRY(expanded, expandedInstances(scene));
        const SceneTree all(expanded);
        if (const auto same = all.find(scene.nodes[node].path); same && !hasInstances(expanded))
            return branchOf(expanded, all, *same);
    }
    Scene result = scene.withoutNodes();
    std::unordered_map<int, int> newIndex{{-1, -1}};
    const auto say = [&](const std::string& path) {
        const SceneTree::Said& said = tree.saidOf(path);
        for (const std::size_t i : said.notCarried)
            result.report.notCarried.push_back(scene.report.notCarried[i]);
        for (const std::size_t i : said.carried)
            result.report.carried.push_back(scene.report.carried[i]);
        for (const std::size_t i : said.remarks)
            result.report.remarks.push_back(scene.report.remarks[i]);
    };
    say({});
    for (const std::size_t i : branch) {
        newIndex[static_cast<int>(i)] = static_cast<int>(result.nodes.size());
        result.nodes.push_back(scene.nodes[i]);
        result.nodes.back().parent = newIndex.at(scene.nodes[i].parent);
        say(scene.nodes[i].path);
    }
    return result;
}

} // namespace wyc
