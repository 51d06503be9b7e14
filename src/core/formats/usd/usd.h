// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Layered scenes: text, binary and packages, composed and evaluated. Read.
#include "formats/format.h"
#include "formats/usd/compose/stage.h"

namespace wyc::usd {

[[nodiscard]] Result<Scene> openUsd(const OpenRequest& request);
/// The scene of what was composed already; of the request its path and assumed rate.
[[nodiscard]] Result<Scene> sceneFrom(std::shared_ptr<ComposedScene> stage, const OpenRequest& request);
[[nodiscard]] Format format();
inline constexpr std::string_view kFormatId = "usd";

/// Choices as options of opening keep them; an error says what is wrong with one.
[[nodiscard]] Result<Choices> choicesOf(const nlohmann::json& options);

/// Purpose of a prim: its own, or that of the nearest above that states one, else "default".
[[nodiscard]] std::string purposeOf(const ComposedScene& scene, const Prim& prim);

/// A layer as it is, uncomposed.
[[nodiscard]] Result<nlohmann::json> structureOf(const fs::path& path);

} // namespace wyc::usd
