// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Layers in the binary container (.usdc), versions 0.4 to 0.16.
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

inline constexpr std::string_view kBinaryMagic = "PXR-USDC";

/// Reads the tables; arrays and samples stay in the file until they are asked for. Errors name a byte.
[[nodiscard]] Result<std::unique_ptr<Layer>> readBinary(const Bytes& bytes);

} // namespace wyc::usd
