// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Points and faces of composed prims: meshes, points, curves, shapes that are given by numbers.
#include "formats/usd/schema/values.h"
#include "scene/geometry.h"

namespace wyc::usd {

struct SubsetOfFaces {
    std::string name;
    FaceSet::Kind kind = FaceSet::Kind::Group;
    NodeId material = {};
    Attribute indices;
};
/// A shape whose points (and faces, where it has counts) are attributes.
struct ShapeParts {
    std::string item; // path, for errors
    Attribute points;
    Attribute counts; // corners of each face; not there: no faces
    Attribute corners;
    Attribute ids;
    bool turned = false; // its faces wind the other way
    std::vector<SubsetOfFaces> subsets = {};
};
[[nodiscard]] GeometryPtr shapeOf(ShapeParts parts, const Clock& clock);

/// A sphere, cube, cone, cylinder, capsule or plane as a mesh; null for other types.
[[nodiscard]] GeometryPtr implicitShape(const ComposedScene& scene, const Prim& prim, const Clock& clock);
[[nodiscard]] bool isImplicitShape(std::string_view type);

} // namespace wyc::usd
