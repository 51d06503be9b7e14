// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Which items a delivery takes: patterns in turn (see chosenBy), and what the job leaves out.
#include "delivery/delivery.h"

namespace wyc {

/// An item as patterns know it.
struct ItemNames {
    std::string label; // "SOURCE/PATH"
    std::string path;
    std::string name;
    bool leftOut = false;
};

/// False when the patterns can take in no item of a source of this name, whatever it holds.
[[nodiscard]] bool mayTakeFrom(const std::vector<std::string>& patterns, const std::string& source);
/// True when the patterns take the item in. What the job leaves out is taken by a pattern that means it only: "*" and
/// patterns that leave out do not.
[[nodiscard]] bool isTaken(const std::vector<std::string>& patterns, const ItemNames& item);
/// The patterns with this one item taken in or left out, all others as they were (an item that the job leaves out
/// becomes one that is meant).
[[nodiscard]] std::vector<std::string> withItem(std::vector<std::string> patterns, const ItemNames& item, bool taken);
/// A pattern that fits a label and, as far as patterns go, nothing else.
[[nodiscard]] std::string patternOf(std::string label);

} // namespace wyc
