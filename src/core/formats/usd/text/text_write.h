// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

/// A layer as text, behind what stands in a file: all that the layer says, in its order, numbers as the
/// shortest that read back to the same bits (of NaN neither sign nor payload). Samples are read one after another.
/// Unsupported where the text has no form for a value.
[[nodiscard]] Status writeText(const Layer& layer, AtomicFile& file, const Progress& progress);

} // namespace wyc::usd
