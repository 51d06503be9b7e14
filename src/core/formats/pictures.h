// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Pictures that a scene names, on their way to another folder: under which names, and which of them go along.
#include "base/progress.h"
#include "formats/beside.h"
#include "formats/usd/layer/layer.h"
#include "options/option.h"
#include "scene/named_files.h"

namespace wyc {

enum class Pictures {
    AsWritten,    // paths as the source has them
    WhereTheyAre, // paths lead to the same files: relative ones from the new folder
    Collected     // each is put beside what is written, or into it
};
[[nodiscard]] Pictures picturesOf(const nlohmann::json& writeOptions);
/// As write options offer the choice.
[[nodiscard]] Option picturesOption(std::string_view help, std::string_view standard,
                                    std::vector<std::string_view> choices);

/// The scene with the names that its files have in what will stand at `target`. What is not there, what is no picture
/// and so does not go along, and names that other systems cannot read are told as not carried.
[[nodiscard]] Result<Scene> withPicturesNamed(Scene scene, const fs::path& target, Pictures how, bool inPackage);

/// One file that goes along: "./shoal.skin.v001.png", "./textures/skin.png" in a package.
struct CollectedFile {
    std::string name; // without "./"
    std::string file; // where it is now
};
/// Of a scene with collected names, tiles one by one, in the order of names.
[[nodiscard]] std::vector<CollectedFile> collectedFiles(const Scene& scene);
/// Puts them beside a main file in a staging folder; those that stand in `standsIn` just so are linked. Exists where
/// another file of that name stands there.
[[nodiscard]] Result<std::vector<fs::path>> putBeside(const std::vector<CollectedFile>& files, const fs::path& staging,
                                                      const fs::path& standsIn, const Progress& progress);

/// Bytes of a file that a scene names, in a package too.
[[nodiscard]] Result<usd::Bytes> bytesOfFile(const std::string& file);
/// How a file is named from a folder: "./skin.png", "../maps/skin.png"; whole where no way leads there.
[[nodiscard]] std::string wayFrom(const fs::path& folder, const std::string& file);
/// The files that a name stands for: itself, or its tiles, each with what "<UDIM>" is for it.
struct Tile {
    std::string number; // "1001"; empty where the name has no tiles
    std::string file;
};
[[nodiscard]] std::vector<Tile> tilesOf(const std::string& file);
inline constexpr std::string_view kTiles = "<UDIM>";

} // namespace wyc
