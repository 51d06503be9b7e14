// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What an item's steps made of its time, for a person to see: lead-ins, rests, cycles.
#include <string>
#include <vector>

#include "steps/step.h"

namespace wyc {

struct TimeStretch {
    enum class Kind { LeadIn, Rest, Cycle };
    Kind kind = Kind::Cycle;
    TimeSpan span;  // seconds after all steps; a cycle goes up to the frame before the next one
    int number = 0; // of a cycle, from 1
    bool operator==(const TimeStretch&) const = default;
};
/// In order of time; of more than a few hundred cycles none is told.
[[nodiscard]] std::vector<TimeStretch> stretchesOf(const Scene& asItCame, const std::vector<Step>& steps);

/// Where steps that a person puts on for that hold a pose or lead from one to another, in seconds after all steps: what
/// rests there is no fault.
[[nodiscard]] std::vector<TimeSpan> heldOnPurpose(const Scene& asItCame, const std::vector<Step>& steps);

} // namespace wyc
