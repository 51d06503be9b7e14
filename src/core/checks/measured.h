// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// From opened sources (with their steps) to what the checks ask for.
#include "checks/check.h"
#include "gather/source.h"

namespace wyc {

/// Measures every item with points (cameras, lights and bare transforms by their stand-ins, where the scene has them).
/// `scene` is the source's scene, with or without steps; it must outlive the result. Labels are the item's path; with
/// `labelBySource` they begin with the source's name.
[[nodiscard]] Result<std::vector<MeasuredItem>> measuredItems(const Source& source, const Scene& scene,
                                                              bool labelBySource, const Progress& progress);

/// Points of the rest mesh a cache was opened with, changed by the same steps as the cache; null without one.
[[nodiscard]] std::shared_ptr<const std::vector<Vec3f>> restPointsOf(const Source& source);

} // namespace wyc
