// SPDX-License-Identifier: GPL-3.0-or-later

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> trimMeans(const Scene& scene, const json& options) {
    const double handles = options["handles"].get<double>();
    const FrameRange range = FrameRange{options["first"].get<double>(), options["last"].get<double>()}.widened(handles);
    if (range.last < range.first)
        return fail(makeError(ErrorKind::BadInput, fmt::format("the range {} ends before it begins", range.text())));
    return cutTo(scene, {scene.view.rate.secondsAt(range.first), scene.view.rate.secondsAt(range.last)});
}

} // namespace

StepType trimStep() {
    StepType type{"trim",
                  "Trim",
                  "Keeps the samples of a range and its handles; invents nothing beyond them",
                  {{"first", OptionKind::Frame, "", "first frame kept", 1.0, {}, -1e7, 1e7},
                   {"last", OptionKind::Frame, "", "last frame kept", 100.0, {}, -1e7, 1e7},
                   {"handles", OptionKind::Frame, "frames", "kept beyond both ends", 0.0, {}, 0.0, 1e6}},
                  &trimMeans,
                  nullptr,
                  nullptr,
                  [](const json& o) {
                      const double handles = o["handles"];
                      return fmt::format("{} – {}{}", frameText(o["first"]), frameText(o["last"]),
                                         handles > 0 ? " ± " + frameText(handles) : "");
                  }};
    type.asks = [](const json& o) {
        return AskedFrames{FrameRange{o["first"].get<double>(), o["last"].get<double>()}.widened(o["handles"]), {}};
    };
    return type;
}

} // namespace wyc
