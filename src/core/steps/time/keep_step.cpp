// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "steps/steps.h"
#include "steps/time/time_parts.h"
#include "time/frame_text.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> keepMeans(const Scene& scene, const json& options) {
    WYC_TRY(listed, parseFrameList(options["frames"].get<std::string>()));
    if (listed.empty())
        return fail(makeError(ErrorKind::BadInput, "no frame is listed").withAdvice("Write them as 1009,1020:1024"));
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    const FrameRate rate = scene.view.rate;
    std::vector<double> times;
    if (scene.view.moments) {
        for (const double t : countedMoments(scene))
            if (holdsFrame(listed, rate.frameAt(t)))
                times.push_back(t);
    } else {
        for (const double frame : listed)
            if (const double t = rate.secondsAt(frame);
                insideSpan(*span, t) && (!scene.view.range || insideSpan(*scene.view.range, t)))
                times.push_back(t);
    }
    if (times.empty())
        return fail(nothingLeft(scene));
    View view = scene.view;
    view.gaps.clear();
    view.moments = samplingFromTimes(times);
    return TimeChange{TimeMap(), view};
}

} // namespace

StepType keepStep() {
    StepType type{"keep",
                  "Keep frames",
                  "Keeps chosen frames only",
                  {{"frames", OptionKind::Text, "", "frames kept, as 1009,1020:1024", "1001", {}}},
                  &keepMeans,
                  nullptr,
                  nullptr,
                  [](const json& o) { return o["frames"].get<std::string>(); }};
    type.asks = [](const json& o) {
        return AskedFrames{{}, parseFrameList(o["frames"].get<std::string>()).value_or(std::set<double>())};
    };
    return type;
}

} // namespace wyc
