// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What several verbs are given.
#include <optional>
#include <string>
#include <vector>

#include "common.h"
#include "delivery/delivery.h"
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
    bool ownSpace = false;
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
    bool together = false;    // several sources: a first frame that no range numbers is left to startTogether
    /// The chain of the file, then what the options ask for in the order of every delivery (delivery/chain.h).
    /// `target`: the format that the result is for; null: none.
    [[nodiscard]] Result<std::vector<Step>> steps(const Scene& scene, const Format* target = nullptr) const;
};

struct ConvertArguments {
    OpenArguments open;
    StepArguments steps;
    /// Items of one source that have steps of their own: patterns, and what comes behind all else. Empty: all alike.
    std::vector<std::pair<std::vector<std::string>, std::vector<Step>>> each = {};
    std::string target;
    bool replace = false;
    bool perItem = false;
    bool prove = false;
    bool record = false;
    bool strict = false;
    std::map<std::string, std::string> formatOptions; // for writing, as typed
};

/// "OPEN:CLOSE:SAMPLES"
[[nodiscard]] Result<ShutterSpec> shutterOf(const std::string& text);

/// Items by pattern, of these kinds.
[[nodiscard]] Result<Scene> chosenItems(const Scene& scene, const std::vector<std::string>& patterns,
                                        const std::vector<std::string>& kinds);

/// The source with these items only.
[[nodiscard]] Result<SourcePtr> chosenOf(const SourcePtr& source, const std::vector<std::string>& items,
                                         const std::vector<std::string>& kinds);

/// A chain of steps in a file, as a job has it.
[[nodiscard]] Result<std::vector<Step>> stepsOfFile(const fs::path& file);

} // namespace wyc::cli
