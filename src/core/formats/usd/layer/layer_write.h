// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

/// A layer in an encoding, behind what stands in a file. The same layer makes the same bytes.
[[nodiscard]] Status writeLayer(const Layer& layer, Encoding encoding, AtomicFile& file, const Progress& progress);

} // namespace wyc::usd
