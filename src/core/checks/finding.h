// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include <nlohmann/json_fwd.hpp>

#include "base/error.h"
#include "steps/step.h"

namespace wyc {

enum class Severity { Note, Caution, Fault };
[[nodiscard]] const char* severityName(Severity severity);
[[nodiscard]] Result<Severity> parseSeverity(std::string_view text);

/// What a check found: where, how much, and what to do. `mend` holds steps that put it right, where there are
/// any.
struct Finding {
    std::string id; // "range.short"
    Severity severity = Severity::Note;
    std::string item;
    std::optional<double> frame;
    std::optional<double> figure;
    std::string unit;
    std::string text;
    std::string advice;
    std::string mendLabel; // "Drop it"
    std::vector<Step> mend;
    std::size_t count = 1;            // frames that it stands for
    std::vector<double> moments = {}; // seconds: the samples that are wrong, where it says so of some
};

[[nodiscard]] nlohmann::json toJson(const Finding& finding);
/// Worst first, then by item and frame.
void sortFindings(std::vector<Finding>& findings);

} // namespace wyc
