// SPDX-License-Identifier: GPL-3.0-or-later

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> holdMeans(const Scene& scene, const json& options) {
    const double before = options["before"].get<double>();
    const double after = options["after"].get<double>();
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    const FrameRate rate = scene.view.rate;
    View view = scene.view;
    const auto away = [&](double t, double frames) { return snappedToFrame(t + rate.secondsAt(frames), rate); };
    const std::vector<double> times = countedMoments(scene);
    if (view.moments && times.empty())
        return fail(nothingLeft(scene));
    const double first = view.moments ? times.front() : span->first;
    const double last = view.moments ? times.back() : span->last;
    std::vector<double> front;
    std::vector<double> back;
    for (double k = 1; k <= before; k += 1.0)
        front.push_back(away(first, -k));
    for (double k = 1; k <= after; k += 1.0)
        back.push_back(away(last, k));
    view.counted = countedWith(scene, front, back);
    if (view.moments)
        view.moments = samplingFromTimes(view.counted->all);
    view.range = TimeSpan{away(span->first, -before), away(span->last, after)};
    return TimeChange{TimeMap::heldOutside(*span), view};
}

} // namespace

StepType holdStep() {
    return {"hold",
            "Hold",
            "Repeats the first and the last pose beyond the ends",
            {{"before", OptionKind::WholeNumber, "frames", "frames added in front", 0.0, {}, 0.0, 1e6},
             {"after", OptionKind::WholeNumber, "frames", "frames added at the end", 0.0, {}, 0.0, 1e6}},
            &holdMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("{} before, {} after", frameText(o["before"]), frameText(o["after"]));
            }};
}

} // namespace wyc
