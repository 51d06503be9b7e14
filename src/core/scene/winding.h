// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Turning faces over. Each face keeps its first corner and has the rest reversed, its corner values with it: the same
// turn leads there and back, exactly. Some formats wind clockwise seen from outside, a Scene counter-clockwise; a
// mirror turns faces over too.
#include "scene/geometry.h"
#include "scene/properties.h"

namespace wyc {

[[nodiscard]] Result<TopologyPtr> turned(const Topology& topology);
/// Turns the order of values of corners, or of numbers of their values, however many each corner has.
void turnCorners(const Topology& topology, PropertyValue& value);
/// Values of a mesh's corners with every sample turned; turned twice they are the very same again.
[[nodiscard]] ValuesPtr turnedCorners(const ValuesPtr& values, GeometryPtr mesh);

} // namespace wyc
