// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a step asks of a scene and the scene does not have.
#include <string>
#include <vector>

#include "scene/scene.h"
#include "steps/step.h"

namespace wyc {

/// In words: first of the scene as a whole ("16 frames at the end of 1001 – 1040 missing: it has 1001 – 1024"), then of
/// items that have still less and are cut off in motion. One that comes to rest, or hides, needs no frames beyond.
[[nodiscard]] std::vector<std::string> shortfallsOf(const Scene& before, const Step& step);

} // namespace wyc
