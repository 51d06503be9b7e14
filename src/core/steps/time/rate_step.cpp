// SPDX-License-Identifier: GPL-3.0-or-later

#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> rateMeans(const Scene& scene, const json& options) {
    WYC_TRY(rate, FrameRate::parse(options["rate"].get<std::string>()));
    const FrameRate before = scene.view.rate;
    const double speed = rate.value() / before.value();
    const auto out = [&](double t) { return snappedToFrame(rate.secondsAt(snappedFrame(before.frameAt(t))), rate); };
    TimeChange change{TimeMap(), scene.view, true};
    change.view.rate = rate;
    if (speed != 1.0) {
        change.map = TimeMap::run(0.0, 0.0, speed);
        change.view = shifted(change.view, out, speed);
    }
    return change;
}

} // namespace

StepType rateStep() {
    return {"rate",
            "Read as rate",
            "Keeps every frame and its number, and changes how long a frame lasts",
            {{"rate", OptionKind::Rate, "fps", "the rate the frames were made for", "24", {}}},
            &rateMeans,
            nullptr,
            nullptr,
            [](const json& o) { return o["rate"].get<std::string>() + " fps, frames kept"; }};
}

} // namespace wyc
