// SPDX-License-Identifier: GPL-3.0-or-later

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> everyMeans(const Scene& scene, const json& options) {
    const auto count = static_cast<std::size_t>(options["count"].get<double>());
    const std::vector<double> moments = countedMoments(scene);
    if (moments.empty() || count == 1)
        return asItIs(scene);
    std::vector<double> kept;
    for (std::size_t i = 0; i < moments.size(); i += count)
        kept.push_back(moments[i]);
    View view = scene.view;
    view.gaps.clear();
    view.moments = samplingFromTimes(kept);
    return TimeChange{TimeMap(), view};
}

} // namespace

StepType everyStep() {
    return {"every",
            "Every n-th",
            "Keeps every n-th sample, beginning with the first",
            {{"count", OptionKind::WholeNumber, "samples", "2 keeps every second", 2.0, {}, 1.0, 1e6}},
            &everyMeans,
            nullptr,
            nullptr,
            [](const json& o) { return fmt::format("one of {}", frameText(o["count"])); }};
}

} // namespace wyc
