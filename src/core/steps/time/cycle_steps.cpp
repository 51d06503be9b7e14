// SPDX-License-Identifier: GPL-3.0-or-later
// Steps that put time together anew: along a curve, in cycles, with a run-up and a rest behind it, gaps filled.
#include <algorithm>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include "base/text.h"
#include "evaluate/mapped.h"
#include "steps/steps.h"
#include "steps/time/retime_curve.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Error badInput(std::string what, std::string_view advice = {}) {
    Error error = makeError(ErrorKind::BadInput, std::move(what));
    return advice.empty() ? error : std::move(error).withAdvice(advice);
}

std::string rangeWords(const TimeSpan& span, const FrameRate& rate) {
    return fmt::format("{} – {}", frameText(snappedFrame(rate.frameAt(span.first))),
                       frameText(snappedFrame(rate.frameAt(span.last))));
}

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

Ease easeOf(const std::string& name) {
    return {name == "smooth" ? Ease::Kind::Smooth : name == "smoother" ? Ease::Kind::Smoother : Ease::Kind::Linear, {}};
}

// A step that is told where nothing moves would change nothing and look done.
Result<TimeSpan> movingOrRefused(const Scene& scene, std::string_view what) {
    if (const auto span = spanOf(scene); span && span->last > span->first + kSameMoment)
        return *span;
    return fail(badInput(fmt::format("nothing moves here: there is nothing to {}", what)));
}

Result<TimeChange> retimeMeans(const Scene& scene, const json& options) {
    const FrameRate rate = scene.view.rate;
    WYC_TRY(span, movingOrRefused(scene, "retime"));
    const FrameRange there{snappedFrame(rate.frameAt(span.first)), snappedFrame(rate.frameAt(span.last))};
    WYC_TRY(curve, RetimeCurve::parse(options["curve"].get<std::string>(), there));
    WYC_CHECK(curve.staysWithin(there));
    if (options["shape"] == "smooth")
        curve.smooth();
    const bool curved = options["between"] == "curve";
    const double grid = usualStep(scene);
    std::vector<TimePiece> pieces;
    const auto add = [&](double from, double to, double inFrom, double inTo) {
        const double length = rate.secondsAt(to - from);
        TimePiece piece = runPiece(rate.secondsAt(from), rate.secondsAt(to), rate.secondsAt(inFrom),
                                   rate.secondsAt(inTo - inFrom) / length);
        if (curved && piece.speed != 0.0) {
            piece.kind = TimePiece::Kind::Cubic;
            piece.grid = grid;
            piece.there = span;
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
    view.moments = samplingFromTimes(wholeFrames(view.range->first, view.range->last, rate));
    return TimeChange{map, view};
}

// Where the middle of what moves is, in the world.
Result<Vec3d> middleAt(const Scene& scene, std::size_t node, double seconds) {
    WYC_TRY(place, placementAt(scene, node, seconds));
    const GeometryPtr& shape = scene.nodes[node].geometry;
    if (!shape)
        return transformedPoint(Vec3d{}, place.matrix);
    std::vector<Vec3f> points;
    WYC_CHECK(readPointsAt(*shape, seconds, points));
    Vec3d sum;
    double count = 0.0;
    for (const Vec3f& p : points)
        if (isFinite(p)) {
            sum = sum + transformedPoint(Vec3d(p), place.matrix);
            count += 1.0;
        }
    return count > 0.0 ? sum * (1.0 / count) : sum;
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
        WYC_TRY(ids, node.geometry->ids(0));
        if (!ids)
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
    if (options["closing_copy"].get<bool>())
        range.last += 1.0;
    if ((range.last - range.first) / period > 100000.0)
        return fail(badInput("more than 100,000 cycles", "Choose fewer"));
    std::vector<TimePiece> cycles;
    for (double k = std::floor((range.first - start) / period); start + k * period <= range.last; k += 1.0) {
        cycles.push_back(
            runPiece(rate.secondsAt(start + k * period), rate.secondsAt(start + (k + 1.0) * period), cycle.start, 1.0));
        if (goesOn)
            cycles.back().carry = times(travel, k);
    }
    View view{.rate = rate};
    view.range = TimeSpan{rate.secondsAt(range.first), rate.secondsAt(range.last)};
    if (scene.view.moments) { // what was wanted of the cycle, in each of them
        std::vector<double> times;
        for (const TimePiece& one : cycles) {
            for (const double t : leadMoments(scene))
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

Result<TimeChange> leadInMeans(const Scene& scene, const json& options) {
    const FrameRate rate = scene.view.rate;
    WYC_TRY(span, movingOrRefused(scene, "lead into"));
    const double count = options["frames"].get<double>();
    const bool rest = options["from"] == "rest pose";
    if (rest && !scene.rest)
        return fail(
            badInput("no rest pose is known here", "Choose a frame to begin from, or give the cache its rest mesh"));
    double pose = span.first;
    if (options["from"] == "frame") {
        pose = rate.secondsAt(options["frame"].get<double>());
        if (!insideSpan(span, pose))
            return fail(badInput(fmt::format("frame {} is not there", frameText(options["frame"].get<double>())),
                                 fmt::format("There is {}", rangeWords(span, rate))));
    }
    if (count < 1.0)
        return asItIs(scene);
    TimePiece lead{TimePiece::Kind::Fade};
    lead.from = snappedToFrame(span.first - rate.secondsAt(count), rate);
    lead.to = span.first;
    lead.anchor = lead.from;
    lead.inFrom = pose;
    lead.inTo = span.first;
    lead.speed = lead.speedTo = 0.0;
    lead.fromRest = rest;
    lead.keepsShape = true; // parts turn, they do not slide
    lead.ease = std::make_shared<const Ease>(easeOf(options["ease"]));
    View view = scene.view;
    std::vector<double> times;
    if (view.moments) {
        times = leadMoments(scene);
        for (double k = 1.0; k <= count; k += 1.0)
            times.push_back(snappedToFrame(span.first - rate.secondsAt(k), rate));
        sortMoments(times);
        view.moments = samplingFromTimes(times);
    }
    view.range = TimeSpan{lead.from, span.last};
    TimeMap map({lead, runPiece(span.first, kForever, span.first, 1.0)});
    if (options["place"] == "before the shot")
        return TimeChange{map, view};
    // All of it later, so that it begins where it began.
    const double by = rate.secondsAt(count);
    const auto later = [&](double t) { return snappedToFrame(t + by, rate); };
    view.range = TimeSpan{later(view.range->first), later(view.range->last)};
    if (view.moments) {
        for (double& t : times)
            t = later(t);
        view.moments = samplingFromTimes(times);
    }
    return TimeChange{TimeMap::run(by, 0.0).of(map), view};
}

// A sample at every step of the usual distance; those that were missing lie between their neighbours.
Result<TimeChange> fillMeans(const Scene& scene, const json&) {
    const double usual = usualStep(scene);
    std::vector<double> times = leadMoments(scene);
    std::vector<double> all = times;
    for (std::size_t i = 0; i + 1 < times.size(); ++i) {
        const double count = std::round((times[i + 1] - times[i]) / usual);
        for (double k = 1.0; k < count && all.size() < 10'000'000; k += 1.0)
            all.push_back(snappedToFrame(times[i] + (times[i + 1] - times[i]) * k / count, scene.view.rate));
    }
    if (all.size() == times.size())
        return asItIs(scene);
    sortMoments(all);
    View view = scene.view;
    view.moments = samplingFromTimes(all);
    return TimeChange{TimeMap(), view};
}

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
                const double length = o["length"];
                const bool bridged = o["close"] == "bridge";
                const double period = length + (bridged ? o["fade"].get<double>() : 0.0);
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

StepType leadInStep() {
    return {"lead_in",
            "Lead-in",
            "Frames in front that lead from the rest pose, or a frame's, into the first pose",
            {{"frames", OptionKind::WholeNumber, "frames", "how many", 24.0, {}, 0, 1e5},
             {"from", OptionKind::Choice, "", "what it begins with", "rest pose", {"rest pose", "frame"}},
             {"frame", OptionKind::Frame, "", "the frame that it begins with", 1.0, {}, -1e7, 1e7},
             {"ease", OptionKind::Choice, "", "how it goes", "smooth", {"linear", "smooth", "smoother"}},
             {"place",
              OptionKind::Choice,
              "",
              "the shot's own frames stay where they are, or all goes later",
              "before the shot",
              {"before the shot", "shot later"}}},
            &leadInMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("{} frames from {}, {}", frameText(o["frames"]),
                                   o["from"] == "frame" ? "frame " + frameText(o["frame"])
                                                        : std::string("the rest pose"),
                                   o["place"].get<std::string>());
            }};
}

StepType fillStep() {
    return {"fill",
            "Fill gaps",
            "Puts missing samples between their neighbours, in straight lines",
            {},
            &fillMeans,
            nullptr,
            nullptr,
            [](const json&) { return std::string("missing frames from their neighbours"); }};
}

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
