// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "scene/scene.h"

namespace wyc {

/// What a shape carries beside points, faces, UVs and normals, in words: "its velocities", "2 geometry parameters (…)".
/// `which`: those to be named; null = all.
[[nodiscard]] std::vector<std::string> carriedWords(const Node& node,
                                                    const std::function<bool(const PropertyNode&)>& which = nullptr);

} // namespace wyc
