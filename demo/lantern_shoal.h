// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// "Lantern Shoal": the demo scenario, its clean sources, and the same items as other applications returned
// them.
#include "base/file.h"
#include "base/progress.h"
#include "scene/scene.h"
#include "scene/shot.h"

namespace wyc::demo {

struct DemoFiles {
    fs::path job;
    std::vector<fs::path> files;
};

/// Writes the scenario into `folder`, which must be empty or not there yet.
[[nodiscard]] Result<DemoFiles> writeDemo(const fs::path& folder, const Progress& progress);

[[nodiscard]] Shot demoShot();
/// The scenario as a layered scene: files below the demo's folder and their text, the assembly last.
[[nodiscard]] std::vector<std::pair<std::string, std::string>> shoalLayers();
/// The survey sub with its 14 parts under moving transforms.
[[nodiscard]] Scene surveySub();
/// The whole scenario in one scene.
[[nodiscard]] Scene lanternShoal();
/// boom_cam under its dolly, over these frames at this rate.
void addBoomCamera(Scene& scene, const FrameRange& range, const FrameRate& rate);

} // namespace wyc::demo
