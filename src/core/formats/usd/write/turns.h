// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "formats/usd/schema/transform.h"
#include "scene/scene.h"

namespace wyc::usd {

/// A transform as a layer can hold it: it has turns about X, Y and Z by degrees, and quaternions, and no other. A turn
/// about an axis that stays becomes one about X, Y or Z, with the axis turned there and back around it: nothing
/// changes. One whose axis moves becomes quaternions, which go along the sphere between samples; then whole frames of
/// `rate` are samples as well. The same transform where it has no such turn.
[[nodiscard]] TransformPtr storedTransform(const TransformPtr& transform, const FrameRate& rate);

/// The quaternion (i, j, k, real) that stands for a turn of a transform: just the one whose turn it shows, where it is
/// a stored one. `op`: its number; `first`: where its numbers begin.
[[nodiscard]] Result<std::array<double, 4>> quaternionAt(const Transform& transform, std::size_t op, std::size_t first,
                                                         std::size_t sample);

} // namespace wyc::usd
