// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Length units and up axes.
#include <optional>
#include <string>
#include <string_view>

#include "base/error.h"
#include "maths/math.h"

namespace wyc {

enum class UpAxis { X, Y, Z };

[[nodiscard]] Result<UpAxis> parseUpAxis(std::string_view text);
[[nodiscard]] const char* upAxisName(UpAxis axis);
/// The turn (a pure rotation, handedness kept) that brings one up axis onto another. Entries are exactly 0
/// and ±1, so points survive it bit for bit.
[[nodiscard]] Mat4 upAxisTurn(UpAxis from, UpAxis to);

/// Metres in one unit: mm cm m in ft, or metres as a number.
[[nodiscard]] Result<double> parseUnit(std::string_view text);
/// "cm", "m" … or "0.5 m" for an unnamed one.
[[nodiscard]] std::string unitName(double unitMetres);

} // namespace wyc
