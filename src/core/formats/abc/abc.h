// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Alembic archives in the Ogawa container. What the container and the schemas hold: docs/formats/alembic.md.
#include <nlohmann/json_fwd.hpp>

#include "formats/format.h"

namespace wyc::abc {

[[nodiscard]] Result<Scene> openArchive(const OpenRequest& request);
[[nodiscard]] Format format();

/// The container's structure, property by property, as `wyc info --deep` prints it.
[[nodiscard]] Result<nlohmann::json> structure(const fs::path& path);

} // namespace wyc::abc
