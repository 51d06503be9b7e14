// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Expressions in asset paths and variant choices: `"shots/${SHOT}/cam.usda"`.
#include <optional>
#include <string>

#include "formats/usd/layer/value.h"

namespace wyc::usd {

/// Texts with ${NAME} in them, ${NAME} alone, and if(), eq(), neq(), and(), or(), not(), contains(), defined() over
/// such. Nothing where it cannot be worked out: an unknown name, another function, no text.
[[nodiscard]] std::optional<std::string> evaluatedExpression(const std::string& written, const Dictionary* variables);

} // namespace wyc::usd
