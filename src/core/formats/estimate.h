// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "scene/scene.h"

namespace wyc {

/// Bytes that a scene takes in a binary format that holds all of it, equal samples once; within a fifth or so. Nothing
/// is read for it but a sample of the faces.
[[nodiscard]] std::uint64_t estimatedBytes(const Scene& scene);

} // namespace wyc
