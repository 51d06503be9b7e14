// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/retime_curve.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

constexpr double kMostInAFrame = 32.0; // samples

Result<TimeChange> retimeMeans(const Scene& scene, const json& options) {
    const FrameRate rate = scene.view.rate;
    WYC_TRY(span, movingOrRefused(scene, "retime"));
    const FrameRange there{snappedFrame(rate.frameAt(span.first)), snappedFrame(rate.frameAt(span.last))};
    WYC_TRY(curve, RetimeCurve::parse(options["curve"].get<std::string>(), there));
    WYC_CHECK(curve.staysWithin(there));
    if (options["shape"] == "smooth")
        curve.smooth();
    const bool curved = options["between"] == "curve";
    const double usual = usualStep(scene);
    std::vector<double> knots = countedMoments(scene);
    knots.insert(knots.end(), {span.first, span.last});
    sortMoments(knots);
    const auto poses = std::make_shared<const std::vector<double>>(std::move(knots));
    std::vector<TimePiece> pieces;
    const auto add = [&](double from, double to, double inFrom, double inTo) {
        const double length = rate.secondsAt(to - from);
        TimePiece piece = runPiece(rate.secondsAt(from), rate.secondsAt(to), rate.secondsAt(inFrom),
                                   rate.secondsAt(inTo - inFrom) / length);
        if (curved && piece.speed != 0.0) {
            piece.kind = TimePiece::Kind::Cubic;
            piece.knots = poses;
        }
        pieces.push_back(piece);
    };
    const std::vector<RetimeCurve::Key> runs = curve.runs();
    for (std::size_t i = 0; i + 1 < runs.size(); ++i)
        add(runs[i].out, runs[i + 1].out, runs[i].in, runs[i + 1].in);
    const double first = runs.front().out;
    double last = runs.back().out;
    TimeMap map(pieces);
    if (const double until = options["until"].get<double>(); until > last && options["beyond"] != "hold") {
        // The curve again and again, or there and back again.
        const bool back = options["beyond"] == "there and back";
        // A cycle's last frame is the next one's first where it shows the same; else it stands for itself.
        const double period = back || runs.front().in == runs.back().in ? last - first : last - first + 1.0;
        std::vector<TimePiece> cycles;
        for (double k = 0.0, at = first; at < until; k += 1.0, at += period) {
            const bool reversed = back && std::fmod(k, 2.0) == 1.0;
            cycles.push_back(runPiece(rate.secondsAt(at), rate.secondsAt(at + period),
                                      rate.secondsAt(reversed ? last : first), reversed ? -1.0 : 1.0));
            if (cycles.size() > 100000)
                return fail(badInput("the curve is repeated more than 100,000 times", "Choose an earlier end"));
        }
        map = TimeMap(std::move(cycles)).of(map);
        last = until;
    } else if (until > last) {
        last = until;
    }
    View view{.rate = rate};
    view.range = TimeSpan{rate.secondsAt(first), rate.secondsAt(last)};
    // As many samples a frame as there were.
    const double parts = std::clamp(std::round(rate.secondsAt(1.0) / usual), 1.0, kMostInAFrame);
    std::vector<double> moments;
    for (double n = std::ceil(first * parts - kFrameTolerance); n <= last * parts + kFrameTolerance; n += 1.0)
        moments.push_back(rate.secondsAt(n / parts));
    view.moments = samplingFromTimes(std::move(moments));
    return TimeChange{map, view};
}

} // namespace

StepType retimeStep() {
    return {
        "retime",
        "Retime",
        "Shows the motion along a curve: faster, slower, backwards, again and again",
        {{"curve",
          OptionKind::Curve,
          "",
          "pairs OUT=IN of frames (1001=1001, 1050=1100), or: x0.5, reverse, there and back, hold 1040",
          "x1",
          {}},
         {"shape",
          OptionKind::Choice,
          "",
          "straight between the keys, or smooth through them",
          "straight",
          {"straight", "smooth"}},
         {"between",
          OptionKind::Choice,
          "",
          "between samples: straight lines, or curves that keep the speed",
          "line",
          {"line", "curve"}},
         {"beyond",
          OptionKind::Choice,
          "",
          "behind the last key, up to the frame below",
          "hold",
          {"hold", "repeat", "there and back"}},
         {"until", OptionKind::Frame, "", "last frame; not later than the last key: ends there", -1e7, {}, -1e7, 1e7}},
        &retimeMeans,
        nullptr,
        nullptr,
        [](const json& o) {
            std::string words = o["curve"].get<std::string>();
            if (o["until"].get<double>() > -1e7)
                words += fmt::format(", {} to {}", o["beyond"].get<std::string>(), frameText(o["until"]));
            return words;
        }};
}

} // namespace wyc
