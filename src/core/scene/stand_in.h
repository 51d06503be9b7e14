// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Items: what a person chooses, checks and delivers. Those without points get a body to be seen and measured by.
#include "scene/scene.h"

namespace wyc {

/// For every node whether it is an item: a shape, a camera, a light, a skeleton, or a transform with nothing below it.
[[nodiscard]] std::vector<bool> itemMask(const Scene& scene);
/// The scene with a body of points for cameras (eye and gate), skeletons (their joints), lights and bare transforms,
/// about a third of a metre large. Only to be looked at and measured: it is never written.
[[nodiscard]] Scene withStandIns(const Scene& scene);
/// Pairs of points of a stand-in that are joined by a line.
[[nodiscard]] std::vector<std::uint32_t> standInEdges(const Node& node);

} // namespace wyc
