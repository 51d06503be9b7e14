// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include <fmt/format.h>

#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

// The first and the last sample of points: as they are, left out, or equal to their neighbours. Where other things move
// beyond them, or an end keeps its time, they alone change.
Result<TimeChange> endsMeans(const Scene& scene, const json& options) {
    const std::vector<double> times = momentsOfPoints(scene);
    const std::string first = options["first"];
    const std::string last = options["last"];
    const auto whole = spanOf(scene);
    const bool points = scene.view.moments ? leadShape(scene) != nullptr : !countedIn(scene)->ofPoints.empty();
    if ((first == "as it is" && last == "as it is") || !whole)
        return asItIs(scene);
    if (times.size() < 4)
        return fail(badInput(fmt::format("{} samples have no ends to mend", times.size()), "It takes four or more"));
    const TimeSpan inner{times[1], times[times.size() - 2]};
    const bool cutsFirst = first == "left out" && times.front() <= whole->first + kSameMoment;
    const bool cutsLast = last == "left out" && times.back() >= whole->last - kSameMoment;
    View view = scene.view;
    view.counted = countedIn(scene);
    view.range = TimeSpan{cutsFirst ? inner.first : whole->first, cutsLast ? inner.last : whole->last};
    if (view.moments) {
        std::vector<double> kept = view.moments->times();
        std::erase_if(kept, [&](double t) { return !insideSpan(*view.range, t); });
        view.moments = samplingFromTimes(kept);
    }
    const double from = first != "as it is" && !cutsFirst ? inner.first : -kForever;
    const double to = last != "as it is" && !cutsLast ? inner.last : kForever;
    TimeChange change{TimeMap(), view};
    if (!std::isfinite(from) && !std::isfinite(to))
        return change;
    std::vector<TimePiece> pieces;
    if (std::isfinite(from))
        pieces.push_back(runPiece(-kForever, from, from, 0.0));
    TimePiece between;
    between.from = from;
    between.to = to;
    pieces.push_back(between);
    if (std::isfinite(to))
        pieces.push_back(runPiece(to, kForever, to, 0.0));
    for (TimePiece& piece : pieces)
        if (piece.speed == 0.0)
            piece.anchor = piece.inFrom;
    (points ? change.points.emplace() : change.map) = TimeMap(std::move(pieces));
    return change;
}

} // namespace

StepType endsStep() {
    const std::vector<std::string_view> choices{"as it is", "left out", "as its neighbour"};
    return {"ends",
            "Mend ends",
            "Leaves a stale, doubled or empty first or last sample of the points out, or gives it the pose of its "
            "neighbour; what else moves there goes on",
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
