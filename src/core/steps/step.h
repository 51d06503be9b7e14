// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Steps: adjustments that wrap a Scene in a Scene. Nothing is computed for a frame nobody asks for.
// Adding a step = one file and one line in step.cpp.
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include <nlohmann/json.hpp>

#include "scene/scene.h"
#include "scene/shot.h"

namespace wyc {

/// A curve is keys OUT=IN of frames, weights are keys WAY=WEIGHT from 0 to 1; both are texts.
enum class OptionKind { Number, WholeNumber, Frame, Rate, Unit, Axis, Choice, Text, Curve, Weights, Switch };

/// One option, declared once: drives command line, desk, job file and docs.
struct StepOption {
    std::string_view name;
    OptionKind kind = OptionKind::Number;
    std::string_view unit; // "frames", "" …
    std::string_view help;
    nlohmann::json standard;               // value when not given
    std::vector<std::string_view> choices; // for Choice
    double least = -1e9;
    double most = 1e9;
};

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
    Wanted wanted;
    FrameRate rate;          // of the frames afterwards
    bool statesRate = false; // the scene says that rate from now on
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

struct StepType {
    std::string_view id;
    std::string_view title;
    std::string_view help;
    std::vector<StepOption> options;
    // Just one of these: what it means. `options` has every option, checked.
    Result<TimeChange> (*time)(const Scene& before, const nlohmann::json& options) = nullptr;
    Result<SpaceChange> (*space)(const nlohmann::json& options) = nullptr;
    Result<Scene> (*build)(const Scene& before, const nlohmann::json& options) = nullptr; // other nodes; same places
    /// A few words on what it does with these options: "cm → m, × 0.01".
    std::string (*describe)(const nlohmann::json& options) = nullptr;
};

[[nodiscard]] const std::vector<StepType>& stepTypes();
[[nodiscard]] const StepType* stepType(std::string_view id);
/// Options with standard values filled in; an error names the option, its limits and what was given.
[[nodiscard]] Result<nlohmann::json> checkedOptions(const StepType& type, const nlohmann::json& given);
[[nodiscard]] std::string describeStep(const Step& step);
/// Applies the steps that are on, in order. The error says which step failed.
[[nodiscard]] Result<Scene> applySteps(const Scene& scene, const std::vector<Step>& steps);

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

/// "1009,1020:1024" or "1009,1020-1024" as frames.
[[nodiscard]] Result<std::set<double>> parseFrameList(const std::string& text);

} // namespace wyc
