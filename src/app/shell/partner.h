// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Which item another is likely to be a return of.
#include <functional>

#include "shell/workspace.h"

namespace wyc::app {

/// What an item is most likely meant to be held against: the other of two that are chosen; else what has the most in
/// common with it, of other sources (name, points, faces). Null where nothing has. Items with points only.
[[nodiscard]] const ItemView* likelyPartner(const Workspace& workspace, const ItemView& item);
/// Of those that `fits`, as above, whatever is chosen.
[[nodiscard]] const ItemView* mostAlike(const Workspace& workspace, const ItemView& item,
                                        const std::function<bool(const ItemView&)>& fits);

} // namespace wyc::app
