// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Delivery: what will be written and lost, the writing, the proof and the record.
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include <nlohmann/json.hpp>

#include "delivery/plan/naming.h"
#include "delivery/proof/shown.h"
#include "formats/format.h"
#include "gather/source.h"
#include "scene/shot.h"
#include "steps/step.h"

namespace wyc {

/// Samples within a frame, in frames from it.
struct ShutterSpec {
    double open = -0.25;
    double close = 0.25;
    int samples = 3;
    bool operator==(const ShutterSpec&) const = default;
};

/// What a person asks for.
struct DeliverySpec {
    std::string name = "delivery";
    std::vector<std::string> items;                          // "SOURCE/PATH" patterns over labels; empty = all
    std::string format = standardFormat();                   // id
    nlohmann::json formatOptions = nlohmann::json::object(); // of its write options those that were chosen
    bool wholeRange = false;                                 // else the shot's range and handles, where there is one
    std::optional<FrameRange> range;                         // else the shot's
    std::optional<double> handles;                           // else the shot's
    double lead = 0.0;                                       // settling frames left out at the start, before all else
    std::string frames;           // chosen ones of the range, as "1009,1020:1024"; empty = all
    std::optional<double> length; // exactly so many frames
    std::optional<ShutterSpec> shutter;
    bool world = false;            // transforms go into the points
    bool ownSpace = false;         // where the format has no transforms they stay out of the points all the same
    std::optional<FrameRate> rate; // resample to it; else as it is
    std::string resample = "linear";
    std::optional<double> unitMetres; // convert to it
    std::optional<UpAxis> upAxis;     // turn to it
    std::optional<double> firstFrame; // number of the range's first frame in the target
    bool oneFile = false;             // all items in one file, where the format can
    std::string nameTemplate = "{shot}_{item}_v{version}";
    fs::path folder = ".";
    bool replace = false;
    bool operator==(const DeliverySpec&) const = default;
};

/// The format of a delivery with its write options; null where it names none, or an option that there is not.
[[nodiscard]] FormatPtr formatOf(const DeliverySpec& spec);

/// One item on its way: its scene after its own steps.
struct DeliveryInput {
    std::string label;           // for people
    std::string itemName;        // {item}
    std::string parentName = {}; // {parent}
    std::string path = {};       // {path}
    Scene scene;
    NodePtr rest;              // rest mesh after the same steps, for formats that want it beside
    nlohmann::json provenance; // source, item, steps: goes into the record
    // What the scene came from, and by which steps: what is delivered is compared with it. Null: with nothing.
    std::shared_ptr<const Scene> source = {};
    std::vector<Step> steps = {};
    std::shared_ptr<const std::vector<fs::path>> reads = {}; // files that nothing is written over
    std::vector<NamedItem> siblings = {};                    // all items of its source, chosen or not
};

/// What a source brings along; `before` is its scene, or a part of it, `scene` the same after `steps`. Label and item
/// name are left to the caller.
[[nodiscard]] DeliveryInput deliveryInput(const Source& source, Scene before, Scene scene,
                                          const std::vector<Step>& steps);

struct Loss {
    std::string item;
    std::string what;
    bool keptInWorldSpace = false; // a delivery that is not in own space does not lose it
};

class ReadFiles;

/// One target file (or sequence) to be.
struct PlannedOutput {
    std::string item;
    std::string label = {}; // of the one item that is in it, as deliveries choose them; empty: of several
    int version = 1;        // that its name says, or would
    FormatPtr format;       // with the write options that were chosen
    Scene scene;            // exactly what is meant
    NodePtr rest;
    fs::path target;                    // a pattern for sequences
    std::optional<fs::path> restTarget; // OBJ beside a point cache
    bool ownFolder = false;             // the sequence gets its folder, moved into place as a whole
    FrameRate rate;
    std::optional<FrameRange> frames; // of what moves
    std::size_t sampleCount = 1;      // most samples of any item
    std::size_t fileCount = 1;
    std::vector<ComingFile> files = {}; // where the format says more than how many
    std::uint64_t sizeEstimate = 0;
    std::vector<Loss> losses;
    std::vector<Loss> shortfalls; // what was asked for and the sources do not have
    nlohmann::json provenance;
    bool replace = false;
    std::shared_ptr<const ReadFiles> reads = {}; // what nothing may be written over
    std::vector<Intention> intentions = {};      // what the steps mean, of every source that has a part in it
};

/// What else belongs to a run.
struct RunSoFar {
    std::span<const PlannedOutput> planned; // by its other deliveries: none takes another's name
    int leastVersion = 1;                   // what is missing of a run gets the version that the run had
    std::vector<DeliveryInput> inStep; // items of the delivery that are not written now: a first frame counts from all
};
[[nodiscard]] Result<std::vector<PlannedOutput>> planDelivery(const std::vector<DeliveryInput>& inputs,
                                                              const DeliverySpec& spec, const Shot& shot,
                                                              const RunSoFar& run = {});
/// One target named outright; the format is that of its name.
struct ConversionSpec {
    fs::path target;
    bool perItem = false; // one target an item, its name put in before the frame number or extension
    bool replace = false;
    nlohmann::json formatOptions = nlohmann::json::object(); // of its write options those that were chosen
};
[[nodiscard]] Result<std::vector<PlannedOutput>> planConversion(const std::vector<DeliveryInput>& inputs,
                                                                const ConversionSpec& spec);
/// What the format cannot carry of the scene.
[[nodiscard]] std::vector<Loss> lossesOf(const Scene& scene, const Format& format);

struct ProvenItem {
    std::string item;
    std::string kind;
    bool group = false; // it holds items and is none
    std::size_t points = 0;
    std::size_t faces = 0;
    std::size_t samples = 0;
    std::optional<double> first; // frame; nothing when still
    std::optional<double> last;
    std::optional<FrameRange> carried; // where still points are moved by the transforms above them
    std::uint64_t topology = 0;
    double largestDrift = 0.0;       // of the file from what was meant, in the delivery's unit
    double largestDriftMetres = 0.0; // where the unit is stated, else the same number
    double worstFrame = 0.0;
    std::size_t worstPoint = 0;
    std::size_t notNumbers = 0;                    // points that are no numbers, in all samples
    std::vector<double> times;                     // of the samples of points, in seconds
    std::vector<std::uint64_t> sampleHashes;       // XXH3 of every sample's points as float32
    std::map<std::string, std::uint64_t> channels; // all else that was compared: XXH64 by name, see channels.h
    Shown shown;                                   // what was meant, against the source
    std::vector<std::string> disagreements;        // in words
    /// "points, times, faces and vertex order, UVs"
    [[nodiscard]] std::string compared() const;
};

/// Two questions: does the file hold what was meant, and is what was meant what the source shows.
struct Proof {
    bool passed = false;
    FrameRate rate;
    std::vector<ProvenItem> items;
    std::map<std::string, std::uint64_t> channels; // of the scene as a whole
    std::vector<std::string> disagreements;        // of the whole: files, unit, materials, the record itself
    std::vector<std::string> notCompared;          // in words
    bool sourceCompared = false;                   // the second question was asked
    /// "rate, unit, up axis"
    [[nodiscard]] std::string comparedOfAll() const;
    [[nodiscard]] double largestDriftMetres() const;
    [[nodiscard]] std::size_t itemCount() const; // without groups
    /// "proven, 0 mm" or what disagrees.
    [[nodiscard]] std::string words() const;
};

/// Reads back what stands at `written` and compares all that the format keeps with what was meant, and what was meant
/// with the sources, as far as the output knows them.
[[nodiscard]] Result<Proof> proveAgainst(const Scene& meant, const PlannedOutput& output, const fs::path& written,
                                         const Progress& progress);

struct OutputResult {
    fs::path target;
    std::vector<fs::path> files; // as they stand now
    fs::path record;
    std::uint64_t sizeBytes = 0;
    Proof proof;
};

/// Writes, proves, records and only then moves into place. On any error, and on cancel, nothing is left
/// behind. A proof that does not pass is an error too.
struct RunOptions {
    bool prove = true;
    bool record = true; // needs the proof
};
[[nodiscard]] Result<OutputResult> runOutput(const PlannedOutput& output, const RunOptions& run,
                                             const Progress& progress);
/// Name of the record that stands beside a target.
[[nodiscard]] std::string recordName(const fs::path& target);

/// The record of an output that was written and proven; `files` stand as they will be read.
[[nodiscard]] Result<nlohmann::json> recordOf(const PlannedOutput& output, const std::vector<fs::path>& files,
                                              const Proof& proof);
/// Proof again, from the record alone: files byte by byte, every channel and every sample by its hash.
[[nodiscard]] Result<Proof> proveFromRecord(const fs::path& target, const fs::path& record, const Progress& progress);

[[nodiscard]] nlohmann::json toJson(const Proof& proof);
[[nodiscard]] nlohmann::json toJson(const PlannedOutput& output);

/// Several scenes as one: shared parents stay one, clashing names get a number.
[[nodiscard]] Scene mergedScenes(const std::vector<Scene>& scenes);

} // namespace wyc
