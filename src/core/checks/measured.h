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

/// Fills in the rest mesh that a cache was opened with: its faces, and its points as they came and after these steps.
void addRest(const Source& source, const std::vector<Step>& steps, MeasuredItem& item);

} // namespace wyc
