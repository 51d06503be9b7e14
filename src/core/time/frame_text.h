// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Frames and curves as people write them.
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "base/error.h"

namespace wyc {

/// "1009,1020:1024" or "1009,1020-1024" as frames.
[[nodiscard]] Result<std::set<double>> parseFrameList(const std::string& text);
/// "1001=1001, 1050=1100" as pairs of numbers, in their order; line breaks and ';' part pairs too, a blank may
/// stand for '='.
[[nodiscard]] Result<std::vector<std::pair<double, double>>> numberPairs(const std::string& text);
[[nodiscard]] std::string pairsText(const std::vector<std::pair<double, double>>& pairs);

} // namespace wyc
