// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Whether steps mean what their options ask for.
#include <string>
#include <vector>

#include "plain/asked.h"
#include "time/time_map.h"

namespace wyc {

/// What a chain means, of everything and of points, and what it promises, held against what is asked: words for the
/// first few differences. Moments of which nobody says what is asked are passed over.
[[nodiscard]] std::vector<std::string> otherThanAsked(const Asked& asked, const TimeMap& time, const TimeMap& points,
                                                      const View& promised);

} // namespace wyc
