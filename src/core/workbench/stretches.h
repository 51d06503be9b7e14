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
struct MadeOfTime {
    std::vector<TimeStretch> stretches; // in order of time; of more than a few hundred cycles none is told
    /// Where steps that a person puts on for that hold a pose or lead from one to another, in seconds after all steps:
    /// what rests there is no fault.
    std::vector<TimeSpan> held;
};
[[nodiscard]] MadeOfTime madeOfTime(const Scene& asItCame, const std::vector<Step>& steps);

} // namespace wyc
