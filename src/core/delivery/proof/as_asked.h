// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Whether steps mean what their options ask for.
#include <string>
#include <vector>

#include "delivery/proof/intention.h"

namespace wyc {

/// What a chain means, of everything and of points, and what it promises, held against what is asked: words for the
/// first few differences. Moments of which nobody says what is asked are passed over; with `wholeFrames` those between
/// them too.
[[nodiscard]] std::vector<std::string> otherThanAsked(const Asked& asked, const Intention& meant, bool wholeFrames);

} // namespace wyc
