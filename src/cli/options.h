// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The verbs and what they are given.
#include <optional>
#include <string>
#include <vector>

#include "common.h"
#include "formats/format.h"
#include "scene/shot.h"
#include "steps/step.h"

namespace wyc::cli {

struct ShotArguments {
    std::string range;
    double handles = 0.0;
    std::string rate;
    std::string unit;
    std::string up;
    [[nodiscard]] Result<Shot> shot() const;
    [[nodiscard]] bool any() const { return !range.empty() || !rate.empty() || !unit.empty() || !up.empty(); }
};

/// Steps and choices of convert.
struct StepArguments {
    std::vector<std::string> items;
    ShotArguments range; // range, handles, rate
    int every = 1;
    std::string resample = "linear";
    double offset = 0.0;
    std::string first;
    std::string unit; // FROM:TO
    double scale = 1.0;
    std::string up; // FROM:TO
    bool world = false;
    double lead = 0.0;
    std::string frames;
    std::optional<double> length;
    std::string shutter; // OPEN:CLOSE:SAMPLES
    std::string stepsFile;
    std::vector<std::string> kinds;
    std::string hold; // BEFORE:AFTER
    std::string drop; // frames left out
    bool close = false;
    std::string readAs;       // rate
    std::string start;        // frame
    std::string split;        // pieces, sets, materials: before items are chosen
    std::vector<Step> behind; // that a verb adds behind all of them
    /// The chain of the file, then what the options ask for in the order of every delivery (delivery/chain.h).
    /// `target`: the format that the result is for; null: none.
    [[nodiscard]] Result<std::vector<Step>> steps(const Scene& scene, const Format* target = nullptr) const;
};

struct InfoArguments {
    OpenArguments open;
    bool deep = false;
    std::vector<std::string> items;
    std::vector<std::string> kinds;
};
struct SampleArguments {
    OpenArguments open;
    std::string at;
    std::string item;
    std::string rate;
    bool world = false;
};
struct CheckArguments {
    OpenArguments open;
    ShotArguments shot;
    std::string failOn = "fault";
    std::vector<std::string> items;
    std::vector<std::string> kinds;
};
struct ConvertArguments {
    OpenArguments open;
    StepArguments steps;
    std::string target;
    bool replace = false;
    bool perItem = false;
    bool prove = false;
    bool record = false;
    bool strict = false;
};
struct LoopArguments {
    ConvertArguments convert; // sources, choices, steps; of `make` the target too
    std::string start;        // A:B
    std::string length;       // A:B
    int count = 8;
    double velocity = 2.0; // frames
    bool inPlace = false;
    std::string close;
    std::optional<double> fade;
    std::string weight = "smooth";
    bool keepShape = false;
    std::string travel = "comes-back";
    bool closingCopy = false;
    int cycles = 1;
    std::string fill;
};
struct RetimeArguments {
    ConvertArguments convert;
    std::string curve; // a text or a file
    bool smooth = false;
    bool curved = false;
    std::string beyond;
    std::string until;
};
struct CompareArguments {
    OpenArguments open; // what both have in common; `rest` is A's
    std::string a;
    std::string b;
    std::string restB;
    std::vector<std::string> items;
    std::string tolerance = "0.1mm";
    bool explain = false;
    std::string apply;  // target of the mended copy
    std::string report; // HTML
    std::string camera; // drift in its picture too
    double pictureWidth = 1920.0;
    std::string output; // of an order
    bool replace = false;
};
struct JobArguments {
    std::string job;
    bool fresh = false;
    std::string shotName;
    ShotArguments shot;
    bool handlesGiven = false;
    std::vector<std::string> added;
    std::vector<std::string> removed;
    std::vector<std::string> items; // that the following is about
    std::vector<std::string> steps;
    std::string stepsFile;
    bool clear = false;
    bool leaveOut = false;
    bool takeIn = false;
    bool loops = false;
    bool noLoops = false;
    std::vector<std::string> mend;
    std::string delivery; // its name
    bool dropDelivery = false;
    std::string format;
    std::vector<std::string> take;
    std::string folder;
    std::string nameTemplate;
    std::string toUnit;
    std::string toUp;
    std::string toRate;
    bool wholeRange = false;
    bool world = false;
    bool oneFile = false;
    bool replace = false;
};
struct DeliverArguments {
    std::string job;
    std::vector<std::string> only;
    bool dryRun = false;
    bool strict = false;
    bool againstLast = false; // what changed since the last delivery of the same items
    std::string failOn;       // findings of this severity stop it
};
struct ProveArguments {
    std::string target;
    std::string record;
    std::string report; // HTML
};

/// Items by pattern, of these kinds.
[[nodiscard]] Result<Scene> chosenItems(const Scene& scene, const std::vector<std::string>& patterns,
                                        const std::vector<std::string>& kinds);

/// A chain of steps in a file, as a job has it.
[[nodiscard]] Result<std::vector<Step>> stepsOfFile(const fs::path& file);

int runInfo(const Common& common, const InfoArguments& arguments);
int runSample(const Common& common, const SampleArguments& arguments);
int runCheck(const Common& common, const CheckArguments& arguments);
int runConvert(const Common& common, const ConvertArguments& arguments);
/// Writes what convert would, and says so unless all is said at the end; one entry an output.
[[nodiscard]] Result<nlohmann::json> writeConverted(const Common& common, const ConvertArguments& arguments,
                                                    const Progress& progress);
int runLoopFind(const Common& common, const LoopArguments& arguments);
int runLoopMake(const Common& common, const LoopArguments& arguments);
int runLoopCheck(const Common& common, const LoopArguments& arguments);
int runCompare(const Common& common, const CompareArguments& arguments);
int runOrder(const Common& common, const CompareArguments& arguments);
int runRetime(const Common& common, const RetimeArguments& arguments);
int runDeliver(const Common& common, const DeliverArguments& arguments);
int runProve(const Common& common, const ProveArguments& arguments);
int runJob(const Common& common, const JobArguments& arguments);
int runFormats(const Common& common);
int runSteps(const Common& common, const std::string& which);
int runDemo(const Common& common, const std::string& folder);

} // namespace wyc::cli
