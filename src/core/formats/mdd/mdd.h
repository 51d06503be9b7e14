// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// MDD point caches: big-endian; int32 frames, int32 points, float32 time of every frame in seconds, then x y
// z of every point of every frame as float32; nothing after that.
#include "formats/format.h"

namespace wyc::mdd {

[[nodiscard]] Format format();

struct Header {
    std::size_t frames = 0;
    std::size_t points = 0;
};
/// The two counts, checked against the file's size.
[[nodiscard]] Result<Header> readHeader(const fs::path& path);

} // namespace wyc::mdd
