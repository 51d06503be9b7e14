// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What the opening of a layered scene tells: its layers and who speaks of what, choices, what did not compose.
#include "formats/usd/compose/stage.h"
#include "scene/scene.h"

namespace wyc::usd {

[[nodiscard]] inline ReaderRemark remarkOf(std::string id, std::string item, std::string text, std::string advice,
                                           int severity, std::optional<double> figure = {}, std::string unit = {}) {
    return {std::move(id), std::move(item), {}, figure, std::move(unit), std::move(text), std::move(advice), severity};
}

/// `primOf`: of each node the number of its prim. `materials`: ids by path. `opened`: the file that names are seen
/// from.
void tellOfLayers(Scene& scene, const ComposedScene& stage, const std::vector<int>& primOf,
                  const std::map<std::string, NodeId>& materials, const fs::path& opened);

} // namespace wyc::usd
