// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Options that are declared once: of steps, and of how a format is read and written. Command line, desks, job file and
// docs follow from the declaration.
#include <string>
#include <string_view>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/error.h"

namespace wyc {

/// Files and folders are texts that a window lets people look for. A curve is keys OUT=IN of frames, weights are keys
/// WAY=WEIGHT from 0 to 1; both are texts. Texts: any number of them.
enum class OptionKind {
    Number,
    WholeNumber,
    Frame,
    Rate,
    Unit,
    Axis,
    Choice,
    Text,
    Texts,
    File,
    Folder,
    Curve,
    Weights,
    Switch
};
[[nodiscard]] const char* optionKindName(OptionKind kind);

struct Option {
    std::string_view name;
    OptionKind kind = OptionKind::Number;
    std::string_view unit; // "frames", "" …
    std::string_view help;
    nlohmann::json standard;               // value when not given; null: it may be none, and is then
    std::vector<std::string_view> choices; // for Choice
    double least = -1e9;
    double most = 1e9;
    std::string_view onlyWith = {}; // it counts only where this other one ...
    std::string_view onlyFor = {};  // ... has this value, and is asked for there alone
    [[nodiscard]] bool isNumber() const {
        return kind == OptionKind::Number || kind == OptionKind::WholeNumber || kind == OptionKind::Frame;
    }
};
using Options = std::vector<Option>;

[[nodiscard]] const Option* optionNamed(const Options& options, std::string_view name);
/// As it is kept; an error says what it takes.
[[nodiscard]] Result<nlohmann::json> checkedValue(const Option& option, const nlohmann::json& value);
/// All of them, with standard values where none are given. An error names `whose` option it is ("step 'drop'"), its
/// limits and what was given.
[[nodiscard]] Result<nlohmann::json> checkedOptions(std::string_view whose, const Options& options,
                                                    const nlohmann::json& given);
/// What a person typed for an option, not yet checked; "none" where it may be none. Of several texts: one a line, or
/// with ';' between them.
[[nodiscard]] nlohmann::json typedValue(const Option& option, const std::string& text);
/// As a person would type it.
[[nodiscard]] std::string typedText(const Option& option, const nlohmann::json& value);

} // namespace wyc
