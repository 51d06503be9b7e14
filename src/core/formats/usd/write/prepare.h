// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json.hpp>

#include "scene/scene.h"

namespace wyc::usd {

/// The scene as a layer can hold it, so that writing and reading change nothing more: names that prims and properties
/// can have, types and precision of the schemas, figures of a lens together. What is lost by it is said in
/// `notCarried`. Unsupported where a node lets go of its parents at times.
[[nodiscard]] Result<Scene> preparedForLayers(Scene scene, const nlohmann::json& options);

/// As a node and all above it say together, the highest first: the lowest that says something counts.
[[nodiscard]] VisibilityTrack seenTogether(const std::vector<VisibilityTrack>& chain);

} // namespace wyc::usd
