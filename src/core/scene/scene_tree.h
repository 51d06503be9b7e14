// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Ways through a large scene: nodes by path, and what lies below each.
#include <unordered_map>

#include "scene/scene.h"

namespace wyc {

/// Made once for a scene that does not change afterwards; refers to its nodes by index only.
class SceneTree {
  public:
    explicit SceneTree(const Scene& scene);
    [[nodiscard]] std::optional<std::size_t> find(const std::string& path) const;
    [[nodiscard]] std::optional<std::size_t> find(NodeId id) const;
    /// The node, all above it and all below it, rising.
    [[nodiscard]] std::vector<std::size_t> branchOf(const Scene& scene, std::size_t node) const;
    /// What the scene says of a node, or as a whole for an empty path: indices into its lists.
    struct Said {
        std::vector<std::size_t> notCarried;
        std::vector<std::size_t> carried;
        std::vector<std::size_t> remarks;
    };
    [[nodiscard]] const Said& saidOf(const std::string& path) const;

  private:
    std::unordered_map<std::string, std::size_t> byPath_;
    std::unordered_map<std::uint64_t, std::size_t> byId_;
    std::vector<std::vector<std::size_t>> children_; // by node + 1, rising
    std::unordered_map<std::string, Said> said_;
};

/// One node with all above and all below it, and skeletons that skins in it follow. Samples stay shared; the cost is
/// that of the branch, not of the scene.
[[nodiscard]] Result<Scene> branchOf(const Scene& scene, const SceneTree& tree, std::size_t node);

} // namespace wyc
