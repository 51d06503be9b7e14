// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by what cuts meshes and what joins them.
#include "scene/layers.h"

namespace wyc {

/// Of a mesh whose faces change in time.
[[nodiscard]] Error varying(const std::string& name);
/// Where elements get other values by number nothing lies between two samples. A part of the elements may keep its
/// numbers there, and a whole of several parts lose them: whole frames say what they show.
[[nodiscard]] bool isRenumbered(const Layer& layer);
[[nodiscard]] Sampling withWholeFrames(const Sampling& sampling, const View& view);

} // namespace wyc
