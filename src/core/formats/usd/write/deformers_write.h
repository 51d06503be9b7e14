// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Skeletons, skins and morphs as they are: the poses of a skeleton and the weights of all morphs that go with it are
// one animation below it.
#include "formats/usd/write/values_write.h"
#include "scene/scene.h"

namespace wyc::usd {

/// Deformers as layers can hold them: morphs that share their times, joints named by their paths. Where that cannot be,
/// the points that they make, which is told.
[[nodiscard]] Result<Scene> preparedDeformers(Scene scene);

void writeSkeleton(PrimSpec& prim, const Scene& scene, std::size_t node, const WriteClock& clock);
/// The bindings of a mesh that is deformed. Its points are those at rest.
void writeDeformers(PrimSpec& prim, const Scene& scene, const Node& mesh, const std::string& skeletonPath);
/// Points at rest of what is deformed.
[[nodiscard]] Result<std::vector<Vec3f>> restPointsOf(const Node& mesh);

} // namespace wyc::usd
