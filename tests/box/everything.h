// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A small scene with one of everything that a scene can say.
#include "scene/scene.h"

namespace wyc::box {

/// Frames 1001 to 1013 at 24, metres, Y up: under a group that turns, a swimmer with a skin, two morphs and three UV
/// sets, its rig, a mesh in one material, drifting spores with ids and speeds, an instancer; a camera, a light whose
/// cone opens, a curve; materials with a graph whose inputs change.
[[nodiscard]] Scene everything();

} // namespace wyc::box
