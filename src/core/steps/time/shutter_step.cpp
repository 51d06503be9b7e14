// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "evaluate/chosen_times.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

// Samples around every frame that is wanted. They are those of the motion itself: what lies beyond the ends of a range,
// and between frames that were kept, is asked of the source.
Result<TimeChange> shutterMeans(const Scene& scene, const json& options) {
    const double open = options["open"];
    const double close = options["close"];
    const auto count = static_cast<std::size_t>(options["samples"].get<double>());
    if (close < open || (count > 1 && close == open))
        return fail(makeError(ErrorKind::BadInput, "the shutter closes before it opens"));
    if (close - open > 1.0)
        return fail(makeError(ErrorKind::BadInput, "the shutter is open for more than a frame"));
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    const FrameRate rate = scene.view.rate;
    std::vector<double> frames =
        scene.view.moments ? countedMoments(scene) : wholeFrames(span->first, span->last, rate);
    keepGaps(frames, scene.view);
    if (frames.empty())
        return fail(nothingLeft(scene));
    std::vector<double> offsets;
    for (std::size_t k = 0; k < count; ++k)
        offsets.push_back(open +
                          (close - open) * (count > 1 ? static_cast<double>(k) / static_cast<double>(count - 1) : 0.5));
    // The whole frame's shutter ends where the next one begins: that sample would stand twice.
    if (count > 1 && close - open == 1.0)
        offsets.pop_back();
    const double frame = rate.secondsAt(1.0);
    bool even = true;
    for (std::size_t i = 1; i < frames.size() && even; ++i)
        even = std::abs(frames[i] - frames[0] - static_cast<double>(i) * frame) < kSameMoment;
    View view{.rate = rate};
    view.withinFrames = true;
    if (even) {
        std::vector<double> times;
        for (const double offset : offsets)
            times.push_back(rate.secondsAt(rate.frameAt(frames[0]) + offset));
        view.moments = times.size() == 1 ? Sampling::uniform(times[0], frame, frames.size())
                                         : Sampling::cyclic(times, frame, frames.size() * times.size());
    } else {
        std::vector<double> times;
        for (const double at : frames)
            for (const double offset : offsets)
                times.push_back(at + rate.secondsAt(offset));
        sortMoments(times);
        view.moments = samplingFromTimes(times);
    }
    return TimeChange{TimeMap(), view};
}

} // namespace

StepType shutterStep() {
    return {"shutter",
            "Shutter samples",
            "Takes several samples within every frame, from shutter open to shutter close",
            {{"open", OptionKind::Number, "frames", "from the frame; negative is before it", -0.25, {}, -1.0, 1.0},
             {"close", OptionKind::Number, "frames", "from the frame", 0.25, {}, -1.0, 1.0},
             {"samples", OptionKind::WholeNumber, "", "samples a frame, both ends included", 3.0, {}, 1.0, 64.0}},
            &shutterMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("{} from {} to {} frame", frameText(o["samples"]), shortestNumber(o["open"]),
                                   shortestNumber(o["close"]));
            }};
}

} // namespace wyc
