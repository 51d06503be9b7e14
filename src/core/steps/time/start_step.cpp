// SPDX-License-Identifier: GPL-3.0-or-later

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> startMeans(const Scene& scene, const json& options) {
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    return moved(scene, options["frame"].get<double>() - snappedFrame(scene.view.rate.frameAt(span->first)));
}

} // namespace

StepType startStep() {
    return {"start",
            "Start at",
            "Moves all samples so that the first lies at a frame",
            {{"frame", OptionKind::Frame, "", "number of the first frame", 1.0, {}, -1e7, 1e7}},
            &startMeans,
            nullptr,
            nullptr,
            [](const json& o) { return fmt::format("frame {}", frameText(o["frame"])); }};
}

} // namespace wyc
