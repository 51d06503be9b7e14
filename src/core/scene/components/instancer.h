// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Instancers: one node that shows other nodes many times over, as many as it has points. It is never expanded: its
// points are the places, and channels of points say how each is turned, how large it is and what stands there.
#include <array>

#include "scene/scene.h"

namespace wyc {

/// What stands at one place. A point p of the prototype stands at p · matrix() in the instancer's own space.
struct InstanceFigures {
    std::uint64_t id = 0; // its own while others come and go; else its number
    Vec3d place;
    std::array<double, 4> turn{0, 0, 0, 1}; // quaternion: x, y, z, w
    Vec3d size{1, 1, 1};                    // along the prototype's own axes, before the turn
    std::int32_t prototype = 0;             // number among Node::prototypes
    /// Size, then turn, then place; rows are what axes become.
    [[nodiscard]] Mat4 matrix() const;
};

/// What an instancer shows at a moment, in the order of its points. An error where channels of its points have other
/// numbers of values than there are points.
[[nodiscard]] Result<std::vector<InstanceFigures>> instancesAt(const Node& node, double seconds);
/// Makes a node an instancer, one list a sample. `prototypes`: ids of the nodes that it shows, which must stand below
/// it.
void setInstancer(Node& node, Sampling sampling, const std::vector<std::vector<InstanceFigures>>& samples,
                  std::vector<NodeId> prototypes);
/// What a node shows, by name, in the order of the numbers; "?" for what is not there. Empty where it is none.
[[nodiscard]] std::vector<std::string> prototypeNames(const Scene& scene, const Node& node);
[[nodiscard]] bool hasInstancers(const Scene& scene);
/// For every node whether it stands below an instancer: it is seen where the instancer puts it, and is no item.
[[nodiscard]] std::vector<bool> belowInstancers(const Scene& scene);
/// The scene for formats that have no instancers: points with their turns, sizes and numbers as attributes; what
/// stands there goes, which is said in `notCarried`.
[[nodiscard]] Scene instancersAsPoints(const Scene& scene);

} // namespace wyc
