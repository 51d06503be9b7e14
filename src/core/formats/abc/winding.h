// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The archive winds faces clockwise seen from outside, a Scene counter-clockwise. Each face keeps its first
// corner and has the rest reversed, its corner values with it: the same turn leads there and back, exactly.
#include "scene/geometry.h"

namespace wyc::abc {

[[nodiscard]] Result<TopologyPtr> turned(const Topology& topology);
/// Turns the order of corner values (or of their indices); other scopes stay.
void turnCorners(const Topology& topology, Attribute& attribute);

} // namespace wyc::abc
