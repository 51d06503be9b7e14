// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A format made up for the tests: all that a scene can say, in a container of a few lines. It shows that a format is
// one folder and one line, and gives skins, morphs, instancers and graphs of materials a file to come from.
#include <nlohmann/json.hpp>

#include "formats/format.h"

namespace wyc::box {

[[nodiscard]] Format format();
/// The document in a file, and back.
[[nodiscard]] Result<nlohmann::json> documentOf(const fs::path& path);
[[nodiscard]] Status writeDocument(const fs::path& path, const nlohmann::json& document);

} // namespace wyc::box
