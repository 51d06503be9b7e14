// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Edits of arrays from one encoding into the other, as far as both forms are known: values put in front and behind.
#include <optional>
#include <string>

#include "formats/usd/layer/value.h"

namespace wyc::usd {

/// "[append 7; prepend 3]" of values and instructions; empty where these say something else.
[[nodiscard]] std::string wordsOf(const ArrayEdit& edit);
/// The edit with values and instructions of its words; nothing where these say something else.
[[nodiscard]] std::optional<ArrayEdit> withInstructions(const ArrayEdit& edit);

} // namespace wyc::usd
