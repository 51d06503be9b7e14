// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The step that takes points from another cache and leaves all else to the mesh that it stands on.
#include <memory>

#include "base/file.h"
#include "steps/step.h"

namespace wyc {

/// Where a step "take" has its points from: the item with what stands above it, as its file shows it, and the steps
/// that bring it to the mesh that takes them (its own, the order, world space).
struct TakenItem {
    std::shared_ptr<const Scene> scene;
    std::size_t node = 0;
    std::vector<Step> chain;
};
/// `before`: the scene that takes. An error where the file cannot be opened, the item is not there or several fit.
/// Asked again, the same scene comes back as long as its files stay what they are.
[[nodiscard]] Result<TakenItem> takenItem(const Scene& before, const nlohmann::json& options);

/// Files that these options name; an order may be written out instead.
[[nodiscard]] std::vector<fs::path> filesOf(const nlohmann::json& options, std::initializer_list<const char*> names);

} // namespace wyc
