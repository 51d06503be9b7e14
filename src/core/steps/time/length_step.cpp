// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> lengthMeans(const Scene& scene, const json& options) {
    const double count = options["frames"];
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    const FrameRate rate = scene.view.rate;
    const double first = snappedFrame(rate.frameAt(span->first));
    const double there = std::floor(rate.frameAt(span->last) - first + kFrameTolerance) + 1.0;
    if (there < count)
        return fail(makeError(ErrorKind::BadInput,
                              fmt::format("{} frames are asked for, {} are there", frameText(count), frameText(there)))
                        .withAdvice("Ask for fewer, or hold the last pose with a Hold step"));
    return cutTo(scene, {span->first, rate.secondsAt(first + count - 1.0)});
}

} // namespace

StepType lengthStep() {
    return {"length",
            "Length",
            "Keeps exactly so many frames from the first on; an error where there are fewer",
            {{"frames", OptionKind::WholeNumber, "frames", "how many", 100.0, {}, 1.0, 1e7}},
            &lengthMeans,
            nullptr,
            nullptr,
            [](const json& o) { return frameText(o["frames"]) + " frames"; }};
}

} // namespace wyc
