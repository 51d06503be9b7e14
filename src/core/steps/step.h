// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Steps: adjustments that wrap a Scene in a Scene. Nothing is computed for a frame nobody asks for.
// Adding a step = one file and one line in step.cpp.
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/file.h"
#include "options/option.h"
#include "scene/scene.h"
#include "scene/shot.h"

namespace wyc {

/// A step in a chain: type, options, and whether it is on.
struct Step {
    std::string type;
    nlohmann::json options = nlohmann::json::object();
    bool on = true;
    bool operator==(const Step&) const = default;
};

/// What a step on time means: which moment of the scene before is shown when, and which moments are wanted.
struct TimeChange {
    TimeMap map;
    View view;               // afterwards, with the rate of the frames
    bool statesRate = false; // the scene says that rate from now on
    /// Of points and what is sampled with them, where they alone are mended.
    std::optional<TimeMap> points = {};
};

/// What a step on space means: world points p become p · turn · scale · place.
struct SpaceChange {
    double scale = 1.0;
    Mat4 turn; // entries exactly 0 and ±1
    std::optional<double> unitMetres = {};
    std::optional<UpAxis> upAxis = {};
    std::optional<Mat4> place = {}; // behind turn and scale: any move, turn and size
    /// The axis that an axis becomes, and its sign.
    [[nodiscard]] std::pair<std::size_t, double> column(std::size_t row) const;
    [[nodiscard]] Mat4 matrix() const {
        const Mat4 own = turn * Mat4::scaling({scale, scale, scale});
        return place ? own * *place : own;
    }
};

/// Frames that a step is asked for by name: where the scene does not have them, that is told.
struct AskedFrames {
    std::optional<FrameRange> range;
    std::set<double> frames;
};

struct TakenItem;

/// What a step is about, as lists of steps are sorted.
enum class StepGroup { Time, Place, Shape, Names };

struct StepType {
    std::string_view id;
    std::string_view title;
    std::string_view help;
    Options options;
    // Just one of these: what it means. `options` has every option, checked.
    Result<TimeChange> (*time)(const Scene& before, const nlohmann::json& options) = nullptr;
    Result<SpaceChange> (*space)(const nlohmann::json& options) = nullptr;
    Result<Scene> (*build)(const Scene& before, const nlohmann::json& options) = nullptr; // other nodes; same places
    /// A few words on what it does with these options: "cm → m, × 0.01".
    std::string (*describe)(const nlohmann::json& options) = nullptr;
    StepGroup group = StepGroup::Time;
    // Declared by those that do it, said here so that nobody asks for a step by its id.
    AskedFrames (*asks)(const nlohmann::json& options) = nullptr;
    std::vector<fs::path> (*reads)(const nlohmann::json& options) = nullptr; // files other than the source
    /// Points are those of another source from here on.
    Result<TakenItem> (*takes)(const Scene& before, const nlohmann::json& options) = nullptr;
    bool keepsRest = false;  // one that builds leaves the rest pose as it is
    bool renumbers = false;  // points have other numbers afterwards
    bool bakes = false;      // transforms went into points
    bool namesFiles = false; // files have other names afterwards, or are others
    bool recounts = false;   // one that builds leaves other points: their samples are counted from then on
};

[[nodiscard]] const std::vector<StepType>& stepTypes();
[[nodiscard]] const StepType* stepType(std::string_view id);
/// Options with standard values filled in; an error names the option, its limits and what was given.
[[nodiscard]] Result<nlohmann::json> checkedOptions(const StepType& type, const nlohmann::json& given);
[[nodiscard]] std::string describeStep(const Step& step);
/// Its title and what it does: "Unit cm → m, × 0.01".
[[nodiscard]] std::string stepWords(const Step& step);
/// Applies the steps that are on, in order. The error says which step failed: by its number, as a person sees it in a
/// chain; or, of steps that nobody sees there, by whose it is ("the delivery's").
[[nodiscard]] Result<Scene> applySteps(const Scene& scene, const std::vector<Step>& steps, std::string_view whose = {});

/// Frames of a loop step's cycle, those of a bridge among them.
[[nodiscard]] double periodOf(const Step& loopStep);

/// Points have other numbers after it.
[[nodiscard]] bool renumbers(const Step& step);
/// Files other than their source that the steps read, where they are on.
[[nodiscard]] std::vector<fs::path> filesReadBy(const std::vector<Step>& steps);

/// A still mesh after the same steps as what it is the mesh of: what acts on space acts on it, what acts on time leaves
/// it alone. Null where the steps cannot be applied to it.
[[nodiscard]] NodePtr stillAfter(const NodePtr& mesh, const std::vector<Step>& steps);

/// What a step means for a scene: its change of time and of space (none for steps that build), options checked.
struct StepMeaning {
    std::optional<TimeChange> time;
    std::optional<SpaceChange> space;
};
[[nodiscard]] Result<StepMeaning> meaningOf(const Scene& before, const Step& step);

[[nodiscard]] nlohmann::json toJson(const std::vector<Step>& steps);
[[nodiscard]] Result<std::vector<Step>> stepsFromJson(const nlohmann::json& list);

/// Chooses nodes by patterns over path or name ("!PATTERN" leaves out); their parents stay. No pattern = all.
/// A group's name takes all below it.
[[nodiscard]] Result<Scene> selectedItems(const Scene& scene, const std::vector<std::string>& patterns);
/// seen, moving, shapes, cameras, lights, points
[[nodiscard]] const std::vector<std::string_view>& itemKinds();
/// Items of one of these kinds with what stands above them.
[[nodiscard]] Result<Scene> itemsOfKind(const Scene& scene, std::string_view kind);

} // namespace wyc
