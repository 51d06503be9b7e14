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

/// A length in another unit (`perMetre`: 1000 for millimetres) as metres, and the number that it came from: of the few
/// that give these metres the one with the fewest digits, as people write them. Where `perMetre` is 1 nothing changes.
[[nodiscard]] double toMetres(double value, double perMetre);
[[nodiscard]] double fromMetres(double metres, double perMetre);

} // namespace wyc
