// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> offsetMeans(const Scene& scene, const json& options) {
    return moved(scene, options["frames"].get<double>());
}

std::string signedFrames(double frames) {
    return fmt::format("{}{} frame{}", frames > 0 ? "+" : "", frameText(frames), std::abs(frames) == 1.0 ? "" : "s");
}

} // namespace

StepType offsetStep() {
    return {"offset",
            "Offset",
            "Moves all samples in time",
            {{"frames", OptionKind::Frame, "frames", "how far; negative is earlier", 0.0, {}, -1e7, 1e7}},
            &offsetMeans,
            nullptr,
            nullptr,
            [](const json& o) { return signedFrames(o["frames"]); }};
}

} // namespace wyc
