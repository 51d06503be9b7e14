// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a node carries beside its shape, and where it stands, as figures that can be proven.
#include <map>
#include <string>

#include "scene/scene.h"

namespace wyc {

/// Path of every property that is carried as it is → XXH64 of its type, extent, sample times and all its samples.
/// Properties that are made anew with the shape and the transform are not among them: they are proven as such.
[[nodiscard]] Result<std::map<std::string, std::uint64_t>> carriedHashes(const Node& node);

/// Time 0 and every sample time of the transforms above, rising.
[[nodiscard]] std::vector<double> placementTimes(const Scene& scene, std::size_t node);
/// XXH64 of the world matrices at those times.
[[nodiscard]] Result<std::uint64_t> placementHash(const Scene& scene, std::size_t node);

} // namespace wyc
