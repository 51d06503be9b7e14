// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Points, faces and sets of faces of a node as attributes of its prim.
#include "formats/usd/write/values_write.h"
#include "scene/scene.h"

namespace wyc::usd {

/// Points and extent.
void writePoints(PrimSpec& prim, const Node& node, const WriteClock& clock);
/// Points, extent and, where it has faces, these; ids of points that have some.
void writeShape(PrimSpec& prim, const Node& node, const WriteClock& clock);
/// What is bound to a set of faces, by the id of the material or its name; empty: nothing.
using MaterialPath = std::function<std::string(NodeId id, const std::string& name)>;
/// A prim below for each set of faces. `taken`: names of prims that stand there already.
[[nodiscard]] Status writeFaceSets(PrimSpec& prim, const Node& node, const WriteClock& clock,
                                   const std::vector<std::string>& taken, const MaterialPath& material);

} // namespace wyc::usd
