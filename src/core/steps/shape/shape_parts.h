// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by the steps that make meshes of meshes.
#include <string>
#include <unordered_map>

#include "scene/scene.h"

namespace wyc {

/// What belongs to single points or faces of a shape that is made anew from others has no place any more: says so.
void tellDropped(const Node& node, const char* how, Scene& scene);
/// A name that no sibling has yet.
[[nodiscard]] std::string freeName(std::unordered_map<std::string, int>& taken, const std::string& parentPath,
                                   const std::string& name);
/// Every transform in the points; `keepGroups`: what is left empty stays.
[[nodiscard]] Result<Scene> toWorld(const Scene& scene, bool keepGroups);

} // namespace wyc
