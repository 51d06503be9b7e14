// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Layers that a layer asks for, whatever is chosen: what a folder of layers is an assembly of.
#include <vector>

#include "base/file.h"

namespace wyc::usd {

/// Files that a layer names as sublayers, references, payloads or clips, in its variants too, found beside it. Nothing
/// of a file that cannot be read, nor of a text that is too long to be read for this.
[[nodiscard]] std::vector<fs::path> layersNamedIn(const fs::path& path);

} // namespace wyc::usd
