// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// MDD point caches: big-endian; int32 frames, int32 points, float32 time of every frame in seconds, then x y
// z of every point of every frame as float32; nothing after that.
#include "formats/format.h"

namespace wyc::mdd {

[[nodiscard]] Format format();

} // namespace wyc::mdd
