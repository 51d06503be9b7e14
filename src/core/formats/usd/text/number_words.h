// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Numbers as the text of a layer has them: the shortest that read back to the same bits.
#include <span>
#include <string>

#include "formats/usd/layer/value.h"

namespace wyc::usd {

/// Appends one value of a type; brackets around vectors, rows in brackets of their own. `bytes`: sizeOf(type).
void appendValueWords(const Type& type, std::span<const std::byte> bytes, std::string& to);

} // namespace wyc::usd
