// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

/// A layer in an encoding, into a file in which nothing stands yet. The same layer makes the same bytes.
[[nodiscard]] Status writeLayer(const Layer& layer, Encoding encoding, AtomicFile& file, const Progress& progress);

} // namespace wyc::usd
