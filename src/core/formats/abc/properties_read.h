// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// An archive's properties as those of a scene's node, read when they are asked for.
#include "formats/abc/archive.h"
#include "scene/scene.h"

namespace wyc::abc {

/// Properties of object number `object`. `shape` and `transform` are what they describe.
[[nodiscard]] PropertiesPtr propertiesOf(std::shared_ptr<const Archive> archive, std::size_t object,
                                         const GeometryPtr& shape, const TransformPtr& transform);

} // namespace wyc::abc
