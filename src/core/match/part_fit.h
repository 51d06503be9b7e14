// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How one shape lies over another of which it may be a part only.
#include <optional>

#include "match/shape_pair.h"

namespace wyc {

/// Nothing but a known size, quarter turns and a mirror, all about the origin, at the same seconds or sample by sample:
/// the plainest with which nearly all points of the one that has fewer find a point of the other in their place.
[[nodiscard]] Result<std::optional<Alignment>> plainFit(const ShapePair& pair);

/// By points around which faces lie as they do around one point alone of either mesh. Pairs that are off where the
/// others fit are left out; nothing where few are left.
[[nodiscard]] Result<std::optional<Alignment>> neighbourhoodFit(const ShapePair& pair);

} // namespace wyc
