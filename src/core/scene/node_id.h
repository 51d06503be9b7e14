// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <compare>
#include <cstdint>

namespace wyc {

/// Says which node or material is meant whatever it is called and wherever it stands: names and paths are labels. A
/// copy of a scene keeps the ids of its nodes.
struct NodeId {
    std::uint64_t value = 0; // 0: none
    /// One that no node has yet.
    [[nodiscard]] static NodeId fresh();
    auto operator<=>(const NodeId&) const = default;
};

} // namespace wyc
