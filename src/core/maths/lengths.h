// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string_view>

#include "base/error.h"

namespace wyc {

/// A length in metres: "0.1mm", "0.5 cm", "0.001" (metres). Not negative.
[[nodiscard]] Result<double> parseLength(std::string_view text);

} // namespace wyc
