// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What every format offers, and the table of them. Adding a format = one folder and one line in format.cpp.
#include <array>
#include <functional>
#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

#include "base/file.h"
#include "base/progress.h"
#include "scene/layers.h"
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

/// Kinds of content that a scene may have. For each of them a format says what becomes of it.
enum class Content {
    Transforms,
    Visibility,
    Faces,
    ChangingPoints, // numbers of points, and faces, that change in time
    Uvs,
    Normals,
    Colours,
    PartialLayers, // UVs and normals that some corners, or some samples, do not have
    Groups,
    Materials,
    Cameras,
    Lights,
    Curves,
    Subdivision,
    Values, // parameters, user values, settings: all else that a node carries
    Instances,
    Times, // when samples were taken, not only their order or number
    TimesBetweenFrames,
    UnevenTimes,
    Rate,
    Unit,
    UpAxis
};
inline constexpr std::size_t kContentCount = static_cast<std::size_t>(Content::UpAxis) + 1;
[[nodiscard]] const char* contentName(Content content);
[[nodiscard]] Content contentOf(Layer layer);

enum class Fate { Kept, Converted, Lost };
[[nodiscard]] const char* fateName(Fate fate);
struct Answer {
    Fate fate = Fate::Lost;
    std::string_view how = {}; // it is converted, or kept in part
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

/// Bytes that a scene will take, within a fifth or so.
using EstimateFunction = std::uint64_t (*)(const Scene&);

struct Format {
    std::string_view id;   // "alembic", in JSON and jobs
    std::string_view name; // for people
    std::vector<std::string_view> extensions;
    bool manyItems = false; // several items, a hierarchy; else one shape
    bool sequence = false;  // one file a frame
    std::array<Answer, kContentCount> answers;
    OpenFunction open = nullptr;
    WriteFunction write = nullptr;
    EstimateFunction estimate = nullptr;
    NameFunction groupName = nullptr; // null = it stays
    [[nodiscard]] const Answer& answer(Content content) const { return answers[static_cast<std::size_t>(content)]; }
    [[nodiscard]] bool keeps(Content content) const { return answer(content).fate == Fate::Kept; }
    [[nodiscard]] bool loses(Content content) const { return answer(content).fate == Fate::Lost; }
};
/// Answers for those listed; all else is lost.
[[nodiscard]] std::array<Answer, kContentCount> answersOf(std::initializer_list<std::pair<Content, Answer>> listed);

[[nodiscard]] const std::vector<Format>& formats();
[[nodiscard]] const Format* formatById(std::string_view id);
/// By the extension of a file name, upper or lower case.
[[nodiscard]] const Format* formatOfName(const fs::path& path);
/// The same, or an error that lists the formats there are.
[[nodiscard]] Result<const Format*> requireFormat(const fs::path& path);

} // namespace wyc
