// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// An archive's properties as those of a scene's node, read when they are asked for.
#include "formats/abc/archive.h"
#include "scene/scene.h"

namespace wyc::abc {

/// What a property's name, place and stated interpretation say it is in space, and what it is.
struct Roles {
    SpaceRole space = SpaceRole::None;
    TimeRole time = TimeRole::Plain;
};
[[nodiscard]] Roles rolesOf(const PropertyNode& property, const std::string& path);
[[nodiscard]] Meaning meaningOf(const std::string& name, const std::string& path, NodeKind kind);

/// Of a geometry parameter, by what its metadata say; corners where they say nothing.
[[nodiscard]] Scope scopeOf(const Metadata& metadata);

/// Properties of object number `object`. `shape` and `transform` are what they describe; `carrier` is the shape whose
/// samples those go with that sit on no time of their own.
[[nodiscard]] PropertiesPtr propertiesOf(std::shared_ptr<const Archive> archive, std::size_t object, NodeKind kind,
                                         const GeometryPtr& shape, const TransformPtr& transform,
                                         const GeometryPtr& carrier);

} // namespace wyc::abc
