// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include <fmt/format.h>

#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

// The first and the last sample: as they are, left out, or equal to their neighbours.
Result<TimeChange> endsMeans(const Scene& scene, const json& options) {
    const std::vector<double> times = leadMoments(scene);
    const std::string first = options["first"];
    const std::string last = options["last"];
    if (first == "as it is" && last == "as it is")
        return asItIs(scene);
    if (times.size() < 4)
        return fail(badInput(fmt::format("{} samples have no ends to mend", times.size()), "It takes four or more"));
    const TimeSpan inner{times[1], times[times.size() - 2]};
    View view = scene.view;
    view.range =
        TimeSpan{first == "left out" ? inner.first : times.front(), last == "left out" ? inner.last : times.back()};
    if (view.moments) {
        std::vector<double> kept = view.moments->times();
        std::erase_if(kept, [&](double t) { return !insideSpan(*view.range, t); });
        view.moments = samplingFromTimes(kept);
    }
    std::vector<TimePiece> pieces;
    const double from = first == "as its neighbour" ? inner.first : -kForever;
    const double to = last == "as its neighbour" ? inner.last : kForever;
    const auto hold = [](double begins, double ends, double pose) {
        TimePiece piece = runPiece(begins, ends, pose, 0.0);
        piece.anchor = pose;
        return piece;
    };
    if (std::isfinite(from))
        pieces.push_back(hold(-kForever, from, from));
    TimePiece between;
    between.from = from;
    between.to = to;
    pieces.push_back(between);
    if (std::isfinite(to))
        pieces.push_back(hold(to, kForever, to));
    return TimeChange{pieces.size() > 1 ? TimeMap(std::move(pieces)) : TimeMap(), view};
}

} // namespace

StepType endsStep() {
    const std::vector<std::string_view> choices{"as it is", "left out", "as its neighbour"};
    return {"ends",
            "Mend ends",
            "Leaves a stale, doubled or empty first or last sample out, or gives it the pose of its neighbour",
            {{"first", OptionKind::Choice, "", "the first sample", "left out", choices},
             {"last", OptionKind::Choice, "", "the last sample", "as it is", choices}},
            &endsMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("first {}, last {}", o["first"].get<std::string>(), o["last"].get<std::string>());
            }};
}

} // namespace wyc
