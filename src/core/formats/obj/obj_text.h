// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The text of one OBJ file and of its material files, as values.
#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "base/file.h"
#include "scene/scene.h"

namespace wyc::obj {

/// An object ("o") of the file: the points declared from here to the next one, and its faces.
struct ObjectSpan {
    std::string name;
    std::size_t firstPoint = 0;
    std::size_t pointCount = 0;
    std::vector<std::int32_t> faces;
};

struct ObjText {
    std::vector<Vec3f> points;
    std::vector<float> colours; // 3 a point, or empty; points without one are white
    bool someColours = false;
    std::size_t weightCount = 0; // points with a fourth number, which only curves use
    std::vector<float> uvs;      // 2 each
    std::vector<float> normals;  // 3 each
    std::vector<std::int32_t> faceSizes;
    std::vector<std::int32_t> corners;
    std::vector<std::int32_t> cornerUvs;     // one a corner, −1 = none; empty when no corner has one
    std::vector<std::int32_t> cornerNormals; // likewise
    std::vector<ObjectSpan> objects;
    std::vector<FaceSet> groups;    // in order of first use
    std::vector<FaceSet> materials; // likewise
    std::vector<std::string> materialFiles;
    std::size_t lineElements = 0;
    std::size_t pointElements = 0;
    std::map<std::string, std::size_t> notCarried; // statements by keyword
};

/// Parses a whole file. Errors carry the line; `path` is for messages only.
[[nodiscard]] Result<ObjText> parseObj(std::string_view text, const std::string& path);
/// Parses a material file: names, base colours, base colour textures (looked for beside the file).
[[nodiscard]] std::vector<Material> parseMaterials(std::string_view text, const fs::path& folder);
/// True when `written` names a file below `folder`, same letter case, without climbing out of it.
[[nodiscard]] bool textureIsThere(const std::string& written, const fs::path& folder);

} // namespace wyc::obj
