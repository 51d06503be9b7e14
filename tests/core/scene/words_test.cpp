// SPDX-License-Identifier: GPL-3.0-or-later
// Scene, steps, measures and checks know no file format: no word of a single one stands in them.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <regex>
#include <string>

namespace {

namespace fs = std::filesystem;

TEST(Words, NoFormatIsNamedWhereNoneIsKnown) {
    const std::regex words(
        R"((^|[^A-Za-z])(alembic|ogawa|abc|mdd|obj|mtl|ply|usd[acz]?|gltf|glb|collada|dae)([^A-Za-z]|$))"
        R"(|AbcGeom|geoScope|podName|podExtent|isGeomParam|arbGeom|userProperties|\.(geom|xform|faceset|selfBnds|childBnds)\b|"\.(inherits|vals|core)|_ai_|primvar|accessor)",
        std::regex::icase);
    std::size_t files = 0;
    for (const char* folder : {"scene", "steps", "measure", "checks", "time"})
        for (const auto& entry : fs::recursive_directory_iterator(fs::path(WYC_SOURCE) / "src/core" / folder)) {
            if (!entry.is_regular_file())
                continue;
            ++files;
            std::ifstream in(entry.path());
            std::string line;
            for (std::size_t number = 1; std::getline(in, line); ++number)
                EXPECT_FALSE(std::regex_search(line, words)) << entry.path() << ":" << number << ": " << line;
        }
    EXPECT_GT(files, 40U);
    // And the pattern finds what it is for.
    for (const char* told : {"an Alembic archive", "\".geom/.core\"", "as OBJ", "the .mdd file", "AbcGeom_Xform_v3"})
        EXPECT_TRUE(std::regex_search(told, words)) << told;
    for (const char* plain : {"an object", "abcissa", "core/scene", "replying", "values"})
        EXPECT_FALSE(std::regex_search(plain, words)) << plain;
}

} // namespace
