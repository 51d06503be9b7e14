// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Files that a scene names: pictures of materials and of lights, and what values name besides.
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "scene/scene.h"

namespace wyc {

/// One name of one file. A name with "<UDIM>" in it is one for all its tiles.
struct NamedFile {
    std::string item; // a node's path, or "material 'skin'"
    std::string path; // as it is written
    std::string file; // where that is, in a package "PACKAGE[NAME]"; empty: nowhere
    auto operator<=>(const NamedFile&) const = default;
};
/// All of them, once for each item that names them.
[[nodiscard]] std::vector<NamedFile> filesNamed(const Scene& scene);

/// Names for files, and where those are. Nothing: it stays.
struct FileName {
    std::string path;
    std::string file;
};
using NameFile = std::function<std::optional<FileName>(const NamedFile&)>;
/// The scene with other names for its files, in materials and in values.
[[nodiscard]] Scene withFilesNamed(Scene scene, const NameFile& name);

} // namespace wyc
