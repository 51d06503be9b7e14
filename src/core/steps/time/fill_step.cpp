// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

// A sample at every step of the usual distance; those that were missing lie between their neighbours.
Result<TimeChange> fillMeans(const Scene& scene, const json&) {
    const double usual = usualStep(scene);
    std::vector<double> times = countedMoments(scene);
    std::vector<double> all = times;
    for (std::size_t i = 0; i + 1 < times.size(); ++i) {
        const double count = std::round((times[i + 1] - times[i]) / usual);
        for (double k = 1.0; k < count && all.size() < 10'000'000; k += 1.0)
            all.push_back(snappedToFrame(times[i] + (times[i + 1] - times[i]) * k / count, scene.view.rate));
    }
    if (all.size() == times.size())
        return asItIs(scene);
    sortMoments(all);
    View view = scene.view;
    view.gaps.clear();
    view.moments = samplingFromTimes(all);
    return TimeChange{TimeMap(), view};
}

} // namespace

StepType fillStep() {
    return {"fill",
            "Fill gaps",
            "Puts missing samples between their neighbours, in straight lines",
            {},
            &fillMeans,
            nullptr,
            nullptr,
            [](const json&) { return std::string("missing frames from their neighbours"); }};
}

} // namespace wyc
