// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Layers written as text (.usda), versions 1.0 to 1.4.
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

/// Long arrays of numbers stay in the file until they are asked for; what is wrong in them is found then. Errors carry
/// line and column.
[[nodiscard]] Result<std::unique_ptr<Layer>> readText(const Bytes& bytes);

} // namespace wyc::usd
