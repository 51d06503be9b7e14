// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What every format offers, and the table of them. Adding a format = one folder and one line in format.cpp.
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "base/file.h"
#include "base/progress.h"
#include "scene/scene.h"

namespace wyc {

/// One file of a numbered sequence.
struct SequenceFile {
    double frame = 0.0;
    fs::path path;
};

struct OpenRequest {
    fs::path path;                      // the file; for a sequence its first file
    std::vector<SequenceFile> sequence; // rising frames; empty = a single file
    std::string name;                   // what its item is called where the file gives none
    FrameRate assumedRate;              // for frame numbers where the source states no rate
    /// Mesh for a bare point cache: faces and extras come from it. Its point count must agree.
    GeometryPtr rest;
    std::string restName;
};

/// What a format can hold; "what will be lost" is the difference to what a scene needs.
struct FormatTraits {
    bool manyItems = false; // several items, a hierarchy
    bool transforms = false;
    bool faces = false; // else points only: the rest mesh goes beside it
    bool uvs = false;
    bool normals = false;
    bool colours = false; // three numbers a point
    bool gaps = false;    // UVs and normals that some corners, or some samples, do not have
    bool groups = false;
    bool materials = false;
    bool visibility = false;
    bool varyingTopology = false;
    bool subFrame = false; // samples between frames
    bool unevenTimes = false;
    bool times = false; // keeps when samples were taken, not only their order or number
    bool statesRate = false;
    bool statesUnit = false;
    bool statesUpAxis = false;
    bool sequence = false;   // one file a frame
    bool properties = false; // cameras, curves, lights, subdivision settings, parameters: all that a node carries
    bool instances = false;
};

struct WriteOptions {
    FrameRate rate;
    std::string application; // goes where the format has a place for it
    std::string description;
    std::string dateText; // empty = none: same scene, same bytes
};

/// Writes a whole scene to `target` (for a sequence: a pattern with # in its name). Streams; memory stays
/// bounded by a few frames. Files appear whole or not at all. Returns the files written, the main one last.
using WriteFunction = Result<std::vector<fs::path>> (*)(const Scene&, const fs::path& target, const WriteOptions&,
                                                        const Progress&);
using OpenFunction = Result<Scene> (*)(const OpenRequest&);

/// What a format makes of the name of a group.
using NameFunction = std::string (*)(const std::string&);

struct Format {
    std::string_view id;   // "alembic", in JSON and jobs
    std::string_view name; // for people
    std::vector<std::string_view> extensions;
    FormatTraits traits;
    OpenFunction open = nullptr;
    WriteFunction write = nullptr;
    NameFunction groupName = nullptr; // null = it stays
};

[[nodiscard]] const std::vector<Format>& formats();
[[nodiscard]] const Format* formatById(std::string_view id);
/// By the extension of a file name, upper or lower case.
[[nodiscard]] const Format* formatOfName(const fs::path& path);
/// The same, or an error that lists the formats there are.
[[nodiscard]] Result<const Format*> requireFormat(const fs::path& path);

} // namespace wyc
