// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "match/shape_pair.h"

namespace wyc {

/// A fit of two clouds of which no pair of points is known: sizes by their spread, turns by quarters and by their axes,
/// the best of those that a nearest-point fit (P. J. Besl and N. D. McKay, 1992) brings together. Nothing where none
/// comes near.
[[nodiscard]] Result<std::optional<Alignment>> cloudFit(const ShapePair& pair);

} // namespace wyc
