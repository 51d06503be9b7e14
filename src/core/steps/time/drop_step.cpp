// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"
#include "time/frame_text.h"

namespace wyc {
namespace {

using nlohmann::json;

TimePiece shiftPiece(double from, double to, double shift) {
    TimePiece piece;
    piece.from = from;
    piece.to = to;
    piece.inFrom = shift;
    return piece;
}

// What was dropped is nowhere in the result: between its neighbours the one goes over into the other.
Result<TimeChange> dropMeans(const Scene& scene, const json& options) {
    const auto start = static_cast<std::size_t>(options["start"].get<double>());
    const auto end = static_cast<std::size_t>(options["end"].get<double>());
    const bool close = options["close"].get<bool>();
    WYC_TRY(listed, parseFrameList(options["frames"].get<std::string>()));
    const FrameRate rate = scene.view.rate;
    const std::vector<double> moments = countedMoments(scene);
    if (moments.empty())
        return asItIs(scene);
    const SamplesOfFrames dropped(std::move(listed), moments, rate, options["exactly"].get<bool>());
    std::vector<TimePiece> pieces;
    std::vector<TimeSpan> gaps;
    const auto wasGap = [&](double first, double last) {
        return std::any_of(scene.view.gaps.begin(), scene.view.gaps.end(), [&](const TimeSpan& gap) {
            return gap.first >= first - kSameMoment && gap.last <= last + kSameMoment;
        });
    };
    std::vector<double> kept;     // output times
    std::vector<double> ofPoints; // of them
    const std::vector<double> pointMoments = countedIn(scene)->ofPoints;
    std::optional<std::size_t> firstDropped;
    double shift = 0.0; // input − output
    double from = -kForever;
    std::optional<double> before; // input time of the last one kept
    for (std::size_t i = 0; i < moments.size(); ++i) {
        if (i < start || i + end >= moments.size() || dropped.holds(moments[i])) {
            firstDropped = firstDropped.value_or(i);
            continue;
        }
        if (firstDropped) {
            const double newShift = close ? shift + moments[i] - moments[*firstDropped] : shift;
            const double out = snappedToFrame(moments[i] - newShift, rate);
            if (before) {
                const double last = *before - shift;
                pieces.push_back(shiftPiece(from, last, shift));
                pieces.push_back(mixPiece(last, out, *before, moments[i]));
                if (!close)
                    gaps.push_back({snappedToFrame(last, rate), out});
                from = out;
            }
            shift = newShift;
        } else if (before && wasGap(*before, moments[i])) {
            gaps.push_back({kept.back(), snappedToFrame(moments[i] - shift, rate)});
        }
        firstDropped.reset();
        before = moments[i];
        kept.push_back(snappedToFrame(moments[i] - shift, rate));
        if (std::binary_search(pointMoments.begin(), pointMoments.end(), moments[i]))
            ofPoints.push_back(kept.back());
    }
    if (kept.empty())
        return fail(nothingLeft(scene));
    pieces.push_back(shiftPiece(from, kForever, shift));
    const bool endCut = firstDropped.has_value();
    const bool startCut = start > 0 || dropped.holds(moments.front());
    View view = scene.view;
    if (view.moments)
        view.moments = samplingFromTimes(kept);
    if (!view.moments)
        view.gaps = std::move(gaps);
    view.counted = countedAfter(kept, std::move(ofPoints));
    TimeSpan range = view.range.value_or(TimeSpan{-kForever, kForever});
    range.first = startCut ? kept.front() : range.first;
    range.last = endCut ? kept.back() : range.last - shift;
    const auto moving = spanOf(scene);
    if (moving) { // an open end is that of the motion
        range.first = std::max(range.first, std::min(moving->first, kept.front()));
        range.last = std::min(range.last, std::max(moving->last - shift, kept.back()));
    }
    view.range = range;
    const bool nothingMoved = pieces.size() == 1 && shift == 0.0;
    return TimeChange{nothingMoved ? TimeMap() : TimeMap(std::move(pieces)), view};
}

} // namespace

StepType dropStep() {
    return {
        "drop",
        "Drop frames",
        "Leaves samples out at the start, at the end, or by frame number",
        {{"start", OptionKind::WholeNumber, "frames", "samples left out at the start", 0.0, {}, 0.0, 1e6},
         {"end", OptionKind::WholeNumber, "frames", "samples left out at the end", 0.0, {}, 0.0, 1e6},
         {"frames", OptionKind::Text, "", "frames left out, with all samples within them, as 1009,1020:1024", "", {}},
         {"exactly",
          OptionKind::Switch,
          "",
          "only the samples right at these frames, not those within them",
          false,
          {}},
         {"close", OptionKind::Switch, "", "later frames move up to close the gap", false, {}}},
        &dropMeans,
        nullptr,
        nullptr,
        [](const json& o) {
            std::string words;
            if (o["start"] > 0)
                words += fmt::format("{} at the start", frameText(o["start"]));
            if (o["end"] > 0)
                words += fmt::format("{}{} at the end", words.empty() ? "" : ", ", frameText(o["end"]));
            if (const auto frames = o["frames"].get<std::string>(); !frames.empty())
                words += fmt::format("{}{}", words.empty() ? "" : ", ", frames);
            return words + (o["close"].get<bool>() ? ", gap closed" : "");
        }};
}

} // namespace wyc
