// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Steps: adjustments that wrap a Scene in a Scene. Nothing is computed for a frame nobody asks for.
// Adding a step = one file and one line in step.cpp.
#include <string>
#include <string_view>
#include <vector>

#include <nlohmann/json.hpp>

#include "scene/scene.h"
#include "scene/shot.h"

namespace wyc {

enum class OptionKind { Number, WholeNumber, Frame, Rate, Unit, Axis, Choice, Text, Switch };

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

struct StepType {
    std::string_view id;
    std::string_view title;
    std::string_view help;
    std::vector<StepOption> options;
    /// The scene after the step. `options` has every option, checked.
    Result<Scene> (*apply)(const Scene&, const nlohmann::json& options) = nullptr;
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

[[nodiscard]] nlohmann::json toJson(const std::vector<Step>& steps);
[[nodiscard]] Result<std::vector<Step>> stepsFromJson(const nlohmann::json& list);

/// Chooses nodes by patterns over path or name ("!PATTERN" leaves out); their parents stay. No pattern = all.
[[nodiscard]] Result<Scene> selectedItems(const Scene& scene, const std::vector<std::string>& patterns);

} // namespace wyc
