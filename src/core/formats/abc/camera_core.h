// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The sixteen numbers that an archive keeps of a camera, and the operations of its film back, as the named channels of
// a scene's camera; and back, bit for bit where nothing changed them.
#include "scene/scene.h"

namespace wyc::abc {

/// Makes a group of the list's ".core" that holds the named channels, and adds the film back that the operations beside
/// it come to. Lists without a readable ".core" stay as they are.
void nameLens(std::vector<PropertyNode>& list);
/// The other way, at any depth: a ".core" group becomes sixteen numbers; a film back that no operations stand beside
/// becomes one.
void joinLens(std::vector<PropertyNode>& list);

/// Lengths of lenses rounded to what the archive's units hold, so that what is meant is what can be read back.
[[nodiscard]] Result<Scene> withWritableLenses(Scene scene);

} // namespace wyc::abc
