// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Sources: what a path, a pattern or a folder means, and the opened result.
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "formats/format.h"
#include "gather/sequence.h"
#include "scene/scene_tree.h"

namespace wyc {

/// One source as a person named it, before it is opened.
struct SourceSpec {
    fs::path path;                                     // a file, or a pattern with #
    std::optional<fs::path> rest;                      // mesh for a bare point cache
    std::string restObject;                            // one object of it
    bool searchRest = true;                            // without `rest`: look beside the cache
    nlohmann::json options = nlohmann::json::object(); // of its format's open options those that were chosen
    bool operator==(const SourceSpec&) const = default;
};

struct Source {
    SourceSpec spec;
    std::string name; // file name or pattern, for people
    const Format* format = nullptr;
    std::optional<fs::path> restUsed;
    NodePtr rest;                         // the mesh a cache was opened with
    std::vector<fs::path> restCandidates; // several fit and none is nearer by name: the person has to say
    std::size_t fileCount = 1;
    std::uint64_t sizeBytes = 0;
    Scene scene;
    std::shared_ptr<const Scene> expanded; // with a copy for every instance; null where there is none
    std::shared_ptr<const SceneTree> tree; // of what is shown

    /// What a person chooses items from: instances count as what they show.
    [[nodiscard]] const Scene& shown() const { return expanded ? *expanded : scene; }
};
using SourcePtr = std::shared_ptr<const Source>;

/// The file or pattern, the rest mesh and the material files that it is read from.
[[nodiscard]] std::vector<fs::path> filesOf(const Source& source);

/// Of when its files were written last, and their sizes: another value says that they have changed on disk.
[[nodiscard]] std::uint64_t stampOf(const Source& source);
/// The file that was opened, or every file of a sequence, is not there any more.
[[nodiscard]] bool isGone(const Source& source);

[[nodiscard]] Result<SourcePtr> openSource(const SourceSpec& spec, const FrameRate& assumedRate);

struct Gathered {
    std::vector<SourceSpec> specs;
    std::vector<std::string> remarks; // files that were passed over, and why
};

/// What a set of files and folders means. A folder holding one sequence and nothing that moves beside it is
/// that sequence; one file of a sequence stands for it unless `single`; OBJ files that are the rest mesh of a
/// cache in the same set, and files of a folder that others of the set take content from, are not sources of their own.
[[nodiscard]] Result<Gathered> gather(const std::vector<fs::path>& paths, bool single);

/// Nearness of two file names: number of words they share (case aside), numbers and "rest", "base", "mesh"
/// not counted.
[[nodiscard]] int nameNearness(const std::string& a, const std::string& b);

} // namespace wyc
