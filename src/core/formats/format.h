// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What every format offers, and the table of them. Adding a format = one folder and one line in table.cpp.
#include <array>
#include <functional>
#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

#include "base/file.h"
#include "base/progress.h"
#include "options/option.h"
#include "scene/channels.h"
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
    /// Mesh for a bare point cache: faces and what lies on them come from it. Its point count must agree.
    NodePtr rest;
    std::string restName;
    std::vector<Material> restMaterials;
    /// Folder in which the file will stand: what it names is looked for from there where it is not beside it.
    fs::path standsIn = {};
    /// Of the format's open options those that were chosen; a reader is given all of them.
    nlohmann::json options = nlohmann::json::object();
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
    Shading, // of materials all but the base colour: graphs, metal, roughness …
    Cameras,
    Lights,
    Curves,
    Subdivision,
    Values, // parameters, user values, settings: all else that a node carries
    Instances,
    Instancers,
    Deformers, // skins with their skeletons, morphs
    Times,     // when samples were taken, not only their order or number
    TimesBetweenFrames,
    UnevenTimes,
    Rate,
    Unit,
    UpAxis
};
inline constexpr std::size_t kContentCount = static_cast<std::size_t>(Content::UpAxis) + 1;
[[nodiscard]] const char* contentName(Content content);
/// Which content a property is.
[[nodiscard]] Content contentOf(Meaning meaning);

enum class Fate { Kept, Converted, Lost };
[[nodiscard]] const char* fateName(Fate fate);
struct Answer {
    Fate fate = Fate::Lost;
    std::string_view how = {}; // it is converted, or kept in part
};

/// All that a format's answer about one channel may depend on.
struct ChannelKind {
    Meaning meaning = Meaning::Unknown;
    ValueType type = ValueType::Float;
    std::uint32_t extent = 1;
    Scope scope = Scope::Constant;
    bool numbered = false; // elements have their values by number
    bool further = false;  // one of its meaning comes before
};
[[nodiscard]] ChannelKind kindOf(const Channel& channel);
[[nodiscard]] ChannelKind kindOf(const Layer& layer);
[[nodiscard]] ChannelKind kindOf(const PropertyNode& property);
/// What becomes of one channel.
struct Carried {
    Fate fate = Fate::Lost;
    std::string how = {}; // what of it goes, and why
};

struct WriteOptions {
    FrameRate rate;
    std::string application; // goes where the format has a place for it
    std::string description;
    std::string dateText;                              // empty = none: same scene, same bytes
    std::string beside;                                // name of the main file, where this one stands beside it
    fs::path standsIn;                                 // folder in which it will stand, where that is another
    nlohmann::json options = nlohmann::json::object(); // of the format's write options, all of them
};

/// First line of a text file that stands beside a main file: so it is known as ours, and of that one.
[[nodiscard]] std::string besideLine(const std::string& mainName);

/// Writes a whole scene to `target` (for a sequence: a pattern with # in its name). Streams; memory stays
/// bounded by a few frames. Files appear whole or not at all. Returns the files written, the main one last; among them
/// links to files of an earlier delivery in `standsIn` that it takes as they are.
using WriteFunction = Result<std::vector<fs::path>> (*)(const Scene&, const fs::path& target, const WriteOptions&,
                                                        const Progress&);
using OpenFunction = Result<Scene> (*)(const OpenRequest&);

/// What a format makes of the name of a group.
using NameFunction = std::string (*)(const std::string&);

/// The scene as the format can hold it: what is meant, once a person chose this format.
using PrepareFunction = Result<Scene> (*)(Scene, const nlohmann::json& writeOptions);

/// The scene with what depends on where it will stand: names of pictures. After preparing, before anything is written.
using PlaceFunction = Result<Scene> (*)(Scene, const fs::path& target, const nlohmann::json& writeOptions);

/// One of the files that will stand there, the main one first.
struct ComingFile {
    enum class Role { Main, Layer, Picture, Outside };
    std::string name;        // as it will be called if it is written; of one outside the way that leads there
    Role role = Role::Main;  // one outside is named and stays as it is
    std::string of = {};     // the item that a layer is for, or "materials"
    std::string before = {}; // the version that stands there, and is taken where it says the same
    std::size_t namedBy = 0; // which of the files names it
    std::uint64_t bytes = 0; // of what is copied
};
using FilesFunction = std::vector<ComingFile> (*)(const Scene&, const fs::path& target,
                                                  const nlohmann::json& writeOptions);

/// Bytes that a scene will take, within a fifth or so.
using EstimateFunction = std::uint64_t (*)(const Scene&, const nlohmann::json& writeOptions);

/// What becomes of a channel, where kinds of content do not say it.
using CarryFunction = Carried (*)(const ChannelKind&, const nlohmann::json& writeOptions);
/// Answers that write options change.
using AnswersFunction = std::array<Answer, kContentCount> (*)(std::array<Answer, kContentCount>,
                                                              const nlohmann::json& writeOptions);

/// Of a file that is written with these options.
using ExtensionFunction = std::string (*)(const nlohmann::json& writeOptions);

/// How sure it is that a file is of the format, from 0 to 1. `head`: its first bytes (kHeadBytes, or all there are).
inline constexpr std::size_t kHeadBytes = 512;
using IdentifyFunction = double (*)(std::span<const std::byte> head, std::uint64_t fileBytes);

/// One of several objects of a mesh file.
struct ObjectSize {
    std::string name;
    std::size_t points = 0;
};
/// What a format has to do with the mesh beside a point cache.
struct RestMesh {
    /// Of a cache of bare points: extension of the mesh that stands beside it, read and written. Empty: it needs none.
    std::string_view extension;
    /// Number of points of a file, much faster than opening it; of a cache, or of a mesh that may stand beside one.
    Result<std::size_t> (*countPoints)(const fs::path&) = nullptr;
    /// Objects of a file that could be the mesh by themselves, and one of them. Null: a file is one mesh.
    Result<std::vector<ObjectSize>> (*objects)(const fs::path&) = nullptr;
    Result<Node> (*object)(const fs::path&, const std::string& name) = nullptr;
};

/// Where a node stands in what was written.
struct WrittenPlace {
    std::string path;
    bool apart = false; // its transform is that of the node above it
};
using WrittenFunction = WrittenPlace (*)(const Node&);

/// The container's structure, property by property, as `wyc info --deep` prints it.
using StructureFunction = Result<nlohmann::json> (*)(const fs::path&);

/// Files that one of its files takes further content from.
using DrawsOnFunction = std::vector<fs::path> (*)(const fs::path&);

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
    NameFunction groupName = nullptr;  // null = it stays
    PrepareFunction prepare = nullptr; // null = as it is
    IdentifyFunction identify = nullptr;
    RestMesh rest = {};
    DrawsOnFunction drawsOn = nullptr;     // null = a file stands alone; else a folder's others are not sources too
    StructureFunction structure = nullptr; // null = it has none worth telling
    WrittenFunction writtenAt = nullptr;   // null = where it stands in the scene
    bool offered = true;                   // among the choices of a delivery
    Options openOptions = {};              // as a job keeps them and window and command line offer them
    Options writeOptions = {};
    AnswersFunction answersWith = nullptr;   // null = write options change none
    CarryFunction carries = nullptr;         // null = by kinds of content
    PlaceFunction placedAt = nullptr;        // null = it is the same everywhere
    ExtensionFunction extensionOf = nullptr; // null = the first of its extensions
    /// With these options its main file names others and holds little else, and people write in it. Null: never.
    bool (*assembles)(const nlohmann::json& writeOptions) = nullptr;
    FilesFunction filesOf = nullptr;                  // null: one, of a sequence one a sample
    nlohmann::json chosen = nlohmann::json::object(); // write options, all of them: see chosenAs
    /// Opens with its options checked and filled in. Whoever opens goes this way.
    [[nodiscard]] Result<Scene> read(OpenRequest request) const;
    [[nodiscard]] WrittenPlace placeOf(const Node& node) const {
        return writtenAt ? writtenAt(node) : WrittenPlace{node.path};
    }
    /// Of files that are written as it was chosen.
    [[nodiscard]] std::string extension() const {
        return extensionOf ? extensionOf(chosen) : std::string(extensions.front());
    }
    /// A cache of bare points, whose faces a mesh beside it has.
    [[nodiscard]] bool wantsRest() const { return !rest.extension.empty(); }
    /// Its files may be the mesh beside a cache.
    [[nodiscard]] bool canBeRest() const { return rest.extension.empty() && rest.countPoints; }
    [[nodiscard]] const Answer& answer(Content content) const { return answers[static_cast<std::size_t>(content)]; }
    [[nodiscard]] bool keeps(Content content) const { return answer(content).fate == Fate::Kept; }
    [[nodiscard]] bool loses(Content content) const { return answer(content).fate == Fate::Lost; }
    /// What becomes of one channel of a node: plan, proof and record ask this of every channel.
    [[nodiscard]] Carried carry(const ChannelKind& channel) const;
    [[nodiscard]] bool carriesAsIs(const ChannelKind& channel) const { return carry(channel).fate == Fate::Kept; }
};
using FormatPtr = std::shared_ptr<const Format>;
/// The format as it writes with these options: its answers are those of what will be written. An error names an option
/// that it does not have, or a value that it does not take.
[[nodiscard]] Result<FormatPtr> chosenAs(const Format& format,
                                         const nlohmann::json& writeOptions = nlohmann::json::object());
/// Answers for those listed; all else is lost.
[[nodiscard]] std::array<Answer, kContentCount> answersOf(std::initializer_list<std::pair<Content, Answer>> listed);

[[nodiscard]] const std::vector<Format>& formats();
/// As a table has them: write options with their standard values.
[[nodiscard]] std::vector<Format> inTable(std::vector<Format> all);
[[nodiscard]] const Format* formatById(std::string_view id);
/// The one that a delivery has until somebody chooses.
[[nodiscard]] std::string standardFormat();
/// "Alembic archive .abc, MDD point cache .mdd, …": for advice; and "*.abc *.mdd …", for a dialog.
[[nodiscard]] std::string formatList(bool writtenOnly = false);
[[nodiscard]] std::string fileFilter(bool restMeshesOnly = false);
/// By the extension of a file name, upper or lower case.
[[nodiscard]] const Format* formatOfName(const fs::path& path);
/// The format of which a file with this name may be one frame; null where it can only stand by itself.
[[nodiscard]] const Format* sequenceFormatOf(const fs::path& path);
/// What a file is by its content; null where no format knows it.
[[nodiscard]] const Format* formatOfContent(const fs::path& path);
/// What is to be read: by its name, else by its content; null where neither says anything.
[[nodiscard]] const Format* formatOfSource(const fs::path& path);
/// What is to be written or read; or an error that lists the formats there are.
[[nodiscard]] Result<const Format*> requireTargetFormat(const fs::path& path);
[[nodiscard]] Result<const Format*> requireSourceFormat(const fs::path& path);

} // namespace wyc
