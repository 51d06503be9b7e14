// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

/// A layer as a binary container, behind what stands in a file. Of version 0.8, or the first that has all
/// that is in it. Equal values are stored once. Samples are read one after another, by rising times of all attributes
/// together. Unsupported where the container has no form for a value.
[[nodiscard]] Status writeBinary(const Layer& layer, AtomicFile& file, const Progress& progress);

} // namespace wyc::usd
