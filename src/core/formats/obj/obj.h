// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// OBJ files and numbered OBJ sequences, with their material files.
#include "formats/format.h"
#include "formats/obj/obj_text.h"

namespace wyc::obj {

/// Both readers.
[[nodiscard]] Result<Scene> openObj(const OpenRequest& request);
[[nodiscard]] Format format();
[[nodiscard]] Format sequenceFormat();

/// Reads and parses one file.
[[nodiscard]] Result<ObjText> readObjFile(const fs::path& path);

/// One object of a file holding several, as a mesh of its own: the points declared with it, in order.
[[nodiscard]] Result<Node> extractObject(const fs::path& path, const std::string& object);
/// Number of points of a file, by its statements alone: much faster than reading it.
[[nodiscard]] Result<std::size_t> countPoints(const fs::path& path);
[[nodiscard]] Result<std::vector<ObjectSize>> objectSizes(const fs::path& path);

} // namespace wyc::obj
