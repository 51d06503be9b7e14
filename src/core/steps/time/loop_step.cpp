// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "evaluate/chosen_times.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"
#include "time/frame_text.h"

namespace wyc {
namespace {

using nlohmann::json;

// "0.25=0.1, 0.5=0.8": ways and weights between 0 and 1, both rising.
Result<Ease> drawnEase(const std::string& text) {
    Ease ease{Ease::Kind::Drawn, {}};
    WYC_TRY(keys, numberPairs(text));
    std::pair<double, double> before{0.0, 0.0};
    for (const auto& [way, weight] : keys) {
        if (way < before.first || way > 1.0 || weight < before.second || weight > 1.0)
            return fail(
                badInput(fmt::format("{}={} is no key of a weight curve", shortestNumber(way), shortestNumber(weight)),
                         "Write pairs WAY=WEIGHT between 0 and 1, rising, as 0.25=0.1, 0.5=0.8"));
        before = {way, weight};
        ease.keys.push_back(before);
    }
    return ease;
}

// Where the middle of what moves is, in the world.
Result<Vec3d> middleAt(const Scene& scene, std::size_t node, double seconds) {
    WYC_TRY(place, placementAt(scene, node, seconds));
    const GeometryPtr& shape = scene.nodes[node].geometry;
    if (!shape)
        return transformedPoint(Vec3d{}, place.matrix);
    std::vector<Vec3f> points;
    WYC_CHECK(readPointsAt(*shape, seconds, points));
    return transformedPoint(meanOf(points).value_or(Vec3d{}), place.matrix);
}

// How far the scene travels from frame to frame of a stretch, times `frames`: as told, or as its leading shape does.
Result<Carry> travelOf(const Scene& scene, const TimeSpan& span, const json& options) {
    if (const std::string told = options["by"]; !told.empty()) {
        std::vector<double> numbers;
        for (const std::string& part : splitText(told, ','))
            if (const auto number = parseNumber(std::string(trimmed(part))))
                numbers.push_back(*number);
        if (numbers.size() != 3)
            return fail(badInput(fmt::format("'{}' is no way through space", told), "Write three numbers: 1.5, 0, 0"));
        return Carry{numbers[0], numbers[1], numbers[2]};
    }
    const Node* lead = leadShape(scene);
    std::size_t node = lead ? static_cast<std::size_t>(lead - scene.nodes.data()) : scene.nodes.size();
    for (std::size_t i = 0; node == scene.nodes.size() && i < scene.nodes.size(); ++i)
        if (movingSpan(scene, i))
            node = i;
    if (node == scene.nodes.size())
        return Carry{};
    // Where the frame behind the cycle is not there: as it goes up to the last.
    const FrameRate rate = scene.view.rate;
    const double start = rate.secondsAt(options["start"].get<double>());
    const double length = rate.secondsAt(options["length"].get<double>());
    const double end = std::min(start + length, span.last);
    if (!(end > start))
        return Carry{};
    WYC_TRY(from, middleAt(scene, node, start));
    WYC_TRY(to, middleAt(scene, node, end));
    const Vec3d way = (to - from) * (length / (end - start));
    return Carry{way.x, way.y, way.z};
}

Carry times(const Carry& carry, double by) {
    return {carry[0] * by, carry[1] * by, carry[2] * by};
}

// What is at the top of a scene is carried; what has neither points nor a place of its own cannot be.
Status mayBeCarried(const Scene& scene) {
    for (const Node& node : scene.nodes)
        if (node.parent < 0 && !node.geometry && !node.transform && !node.is().place && node.kind != NodeKind::Other)
            return fail(badInput("it stands at the top without a transform: it cannot be carried along",
                                 "Let it come back, or give it a transform above it")
                            .forItem(node.path));
    return {};
}

struct Cycle {
    double start = 0.0;  // seconds
    double period = 0.0; // of what is repeated
    std::vector<TimePiece> pieces;
};

// One cycle: what it shows from its start to the moment at which it would begin again; `travel` is how far it is then.
Result<Cycle> cycleOf(const Scene& scene, const TimeSpan& span, const json& options, const Carry& travel) {
    const FrameRate rate = scene.view.rate;
    const auto seconds = [&](double frames) { return rate.secondsAt(frames); };
    const double first = snappedFrame(rate.frameAt(span.first));
    const double last = snappedFrame(rate.frameAt(span.last));
    const double start = options["start"].get<double>();
    const double length = options["length"].get<double>();
    const double fade = options["fade"].get<double>();
    const std::string close = options["close"];
    if (start < first - kFrameTolerance || start + length - 1.0 > last + kFrameTolerance)
        return fail(badInput(fmt::format("a cycle of {} frames from {} on needs {} – {}", frameText(length),
                                         frameText(start), frameText(start), frameText(start + length - 1.0)),
                             fmt::format("There is {}", rangeWords(span, rate))));
    Cycle cycle;
    cycle.start = seconds(start);
    cycle.period = seconds(length);
    const double end = seconds(start + length);
    const double frame = seconds(1.0);
    if (close == "cut" || (close == "overlap" && fade < 1.0)) {
        cycle.pieces = {runPiece(cycle.start, end - frame, cycle.start, 1.0)};
        TimePiece seam{TimePiece::Kind::Mix};
        seam.from = end - frame;
        seam.to = end;
        seam.inFrom = end - frame;
        seam.inTo = cycle.start;
        seam.carryTo = travel;
        cycle.pieces.push_back(seam);
        return cycle;
    }
    Ease way = easeOf(options["weight"]);
    if (const std::string keys = options["weights"]; !keys.empty()) {
        WYC_TRY(drawn, drawnEase(keys));
        way = std::move(drawn);
    }
    const auto ease = std::make_shared<const Ease>(std::move(way));
    if (close == "bridge") {
        if (fade < 1.0)
            return fail(badInput("a bridge of no frames", "Give it frames, or cut"));
        TimePiece bridge{TimePiece::Kind::Bridge};
        bridge.from = end - frame;
        bridge.to = end + seconds(fade);
        bridge.inFrom = end - frame;
        bridge.inTo = cycle.start;
        bridge.grid = frame;
        bridge.carryTo = travel;
        cycle.period = seconds(length + fade);
        cycle.pieces = {runPiece(cycle.start, end - frame, cycle.start, 1.0), bridge};
        return cycle;
    }
    // The last frames go over into those that lead into the start; or the first come out of those behind the end.
    const double before = start - first;
    const double behind = last - (start + length - 1.0);
    const std::string side = options["side"];
    const bool atEnd = side == "end" || (side == "either" && before >= std::min(fade, behind));
    const double room = std::floor(std::min(atEnd ? before : behind, length - 1.0) + kFrameTolerance);
    if (fade > room)
        return fail(badInput(fmt::format("a fade of {} frames needs as many {}", frameText(fade),
                                         atEnd ? "before the start, and a cycle that is longer"
                                               : "behind the end, and a cycle that is longer"),
                             room >= 1.0 ? fmt::format("At most {} go here", frameText(room))
                                         : "Choose a cycle with frames beside it, bridge it, or cut it"));
    TimePiece mix{TimePiece::Kind::Fade};
    mix.ease = ease;
    mix.keepsShape = options["keep_shape"].get<bool>();
    mix.from = atEnd ? end - seconds(fade) : cycle.start;
    mix.to = mix.from + seconds(fade);
    mix.anchor = mix.from;
    mix.inFrom = atEnd ? mix.from : end;
    mix.inTo = atEnd ? cycle.start - seconds(fade) : cycle.start;
    (atEnd ? mix.carryTo : mix.carry) = atEnd ? travel : times(travel, -1.0);
    if (atEnd)
        cycle.pieces = {runPiece(cycle.start, mix.from, cycle.start, 1.0), mix};
    else
        cycle.pieces = {mix, runPiece(mix.to, end, mix.to, 1.0)};
    return cycle;
}

// Points that cannot be mixed hold one pose through a fade: that is no closing.
Status mayBeMixed(const Scene& scene, const json& options) {
    if (options["close"] == "cut")
        return {};
    for (const Node& node : scene.nodes) {
        if (!node.geometry || !node.geometry->topologyVaries() || node.geometry->sampling().count() < 2)
            continue;
        WYC_TRY(changes, node.geometry->topologyChanges());
        WYC_TRY(ids, node.geometry->ids(0));
        if (changes && !ids)
            return fail(
                badInput("its points change in number and have no ids: nothing can be mixed", "Close it by a cut")
                    .forItem(node.path));
    }
    return {};
}

Result<TimeChange> loopMeans(const Scene& scene, const json& options) {
    const FrameRate rate = scene.view.rate;
    WYC_TRY(span, movingOrRefused(scene, "loop"));
    WYC_CHECK(mayBeMixed(scene, options));
    const std::string travels = options["travel"];
    Carry travel{};
    if (travels != "comes back") {
        WYC_CHECK(mayBeCarried(scene));
        WYC_TRY(found, travelOf(scene, span, options));
        travel = found;
    }
    const bool goesOn = travels == "goes on";
    WYC_TRY(cycle, cycleOf(scene, span, options, goesOn ? travel : Carry{}));
    const double period = snappedFrame(rate.frameAt(cycle.period));
    const double start = options["start"].get<double>();
    FrameRange range{start, start + period * options["cycles"].get<double>() - 1.0};
    if (const double count = options["frames"].get<double>(); count > 0.0)
        range.last = start + count - 1.0;
    if (const std::string fill = options["fill"]; !fill.empty()) {
        WYC_TRY(asked, FrameRange::parse(fill));
        if (asked.last < asked.first)
            return fail(badInput(fmt::format("the range {} ends before it begins", asked.text())));
        range = asked;
    }
    if (options["closing_copy"].get<bool>()) {
        const double whole = (range.last + 1.0 - range.first) / period;
        if (range.first != start || std::abs(whole - std::round(whole)) > kFrameTolerance)
            return fail(
                badInput(fmt::format("a copy of the first frame closes whole cycles; {} are asked for", range.text()),
                         "Leave the closing copy out, or ask for whole cycles from the start on"));
        range.last += 1.0;
    }
    if ((range.last - range.first) / period > 100000.0)
        return fail(badInput("more than 100,000 cycles", "Choose fewer"));
    // One more on either side: a shutter looks beyond the ends.
    std::vector<TimePiece> cycles;
    const double before = std::floor((range.first - start) / period) - 1.0;
    for (double k = before; start + (k - 1.0) * period <= range.last; k += 1.0) {
        cycles.push_back(
            runPiece(rate.secondsAt(start + k * period), rate.secondsAt(start + (k + 1.0) * period), cycle.start, 1.0));
        if (goesOn)
            cycles.back().carry = times(travel, k);
    }
    View view{.rate = rate};
    view.range = TimeSpan{rate.secondsAt(range.first), rate.secondsAt(range.last)};
    for (const TimePiece& one : cycles)
        for (const TimePiece& run : cycle.pieces)
            for (const TimeSpan& gap : run.kind == TimePiece::Kind::Run ? scene.view.gaps : std::vector<TimeSpan>())
                if (gap.first >= run.from - kSameMoment && gap.last <= run.to + kSameMoment)
                    view.gaps.push_back({snappedToFrame(gap.first - cycle.start + one.from, rate),
                                         snappedToFrame(gap.last - cycle.start + one.from, rate)});
    std::vector<double> frames = wholeFrames(view.range->first, view.range->last, rate);
    keepGaps(frames, view);
    view.counted = countedAfter(frames, leadShape(scene) ? frames : std::vector<double>());
    if (scene.view.moments) { // what was wanted of the cycle, in each of them
        std::vector<double> times;
        for (const TimePiece& one : cycles) {
            if (one.to < view.range->first + kSameMoment || one.from > view.range->last + kSameMoment)
                continue;
            for (const double t : countedMoments(scene))
                if (t >= cycle.start - kSameMoment && t < cycle.start + cycle.period - kSameMoment)
                    times.push_back(snappedToFrame(t - cycle.start + one.from, rate));
            if (options["close"] == "bridge")
                for (const double t : wholeFrames(cycle.pieces.back().from, cycle.pieces.back().to, rate))
                    times.push_back(snappedToFrame(t - cycle.start + one.from, rate));
        }
        times.push_back(view.range->last);
        std::erase_if(times, [&](double t) { return !insideSpan(*view.range, t); });
        sortMoments(times);
        view.moments = samplingFromTimes(times);
        view.withinFrames = scene.view.withinFrames;
    }
    TimeMap map = TimeMap(std::move(cycles)).of(TimeMap(std::move(cycle.pieces)));
    if (travels == "taken out") {
        // As even as it goes from start to end, all along the source.
        TimePiece still = runPiece(-kForever, kForever, cycle.start, 1.0);
        still.anchor = cycle.start;
        still.carrySpeed = times(travel, -1.0 / rate.secondsAt(options["length"].get<double>()));
        map = map.of(TimeMap({still}));
    }
    return TimeChange{map, view};
}

} // namespace

StepType loopStep() {
    return {"loop",
            "Loop",
            "A cycle that closes, once or again and again",
            {{"start", OptionKind::Frame, "", "first frame of the cycle", 1.0, {}, -1e7, 1e7},
             {"length",
              OptionKind::WholeNumber,
              "frames",
              "frames of the cycle: the one behind would equal the first",
              24.0,
              {},
              2,
              1e6},
             {"close",
              OptionKind::Choice,
              "",
              "cut; fade into what leads into the start; or new frames between end and start",
              "overlap",
              {"cut", "overlap", "bridge"}},
             {"fade", OptionKind::WholeNumber, "frames", "frames of the overlap or of the bridge", 8.0, {}, 0, 1e5},
             {"weight", OptionKind::Choice, "", "how the fade goes", "smooth", {"linear", "smooth", "smoother"}},
             {"weights", OptionKind::Weights, "", "instead: keys WAY=WEIGHT from 0 to 1, as 0.25=0.1, 0.5=0.8", "", {}},
             {"side",
              OptionKind::Choice,
              "",
              "which end fades: the last frames, or the first",
              "either",
              {"either", "end", "start"}},
             {"keep_shape",
              OptionKind::Switch,
              "",
              "connected pieces turn as wholes where straight lines would shrink them",
              false,
              {}},
             {"closing_copy", OptionKind::Switch, "", "one frame more, equal to the first", false, {}},
             {"cycles", OptionKind::WholeNumber, "", "how often it is shown", 1.0, {}, 1, 1e5},
             {"frames", OptionKind::WholeNumber, "frames", "exactly so many; 0: whole cycles", 0.0, {}, 0, 1e6},
             {"fill", OptionKind::Text, "", "a range to fill, as 1001:1200; the cycle stays where it is", "", {}},
             {"travel",
              OptionKind::Choice,
              "",
              "each cycle begins where the first did; where the one before ended; or travel is taken out of it",
              "comes back",
              {"comes back", "goes on", "taken out"}},
             {"by",
              OptionKind::Text,
              "",
              "how far a cycle travels, as 1.5, 0, 0; empty: as far as its middle does",
              "",
              {}}},
            &loopMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                const double start = o["start"];
                const double period = periodOf({"loop", o, true});
                std::string words = fmt::format("{} frames, {} – {}", frameText(period), frameText(start),
                                                frameText(start + period - 1.0));
                words += fmt::format(", {}", o["close"].get<std::string>());
                if (o["close"] != "cut")
                    words += fmt::format(" over {}", frameText(o["fade"]));
                if (const std::string fill = o["fill"]; !fill.empty())
                    words += fmt::format(", filling {}", fill);
                else if (o["frames"].get<double>() > 0.0)
                    words += fmt::format(", {} frames in all", frameText(o["frames"]));
                else if (o["cycles"].get<double>() > 1.0)
                    words += fmt::format(", {} times", frameText(o["cycles"]));
                if (o["travel"] != "comes back")
                    words += o["travel"] == "goes on" ? ", travelling on" : ", in place";
                words += o["closing_copy"].get<bool>()
                             ? fmt::format("; {} equals {}", frameText(start + period), frameText(start))
                             : std::string();
                return words;
            }};
}

} // namespace wyc
