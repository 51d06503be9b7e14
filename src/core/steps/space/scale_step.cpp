// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/text.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<SpaceChange> scaleMeans(const json& options) {
    return SpaceChange{options["factor"].get<double>(), {}};
}

} // namespace

StepType scaleStep() {
    return {"scale",
            "Scale",
            "Multiplies all sizes and distances",
            {{"factor", OptionKind::Number, "×", "the factor", 1.0, {}, 1e-9, 1e9}},
            nullptr,
            &scaleMeans,
            nullptr,
            [](const json& o) { return "× " + shortestNumber(o["factor"]); }};
}

} // namespace wyc
