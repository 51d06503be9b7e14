// SPDX-License-Identifier: GPL-3.0-or-later
// Steps on time. Each says what it means as a time map, and which moments it wants.
#include <algorithm>
#include <cctype>
#include <cmath>
#include <functional>
#include <set>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
#include "evaluate/mapped.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
bool insideSpan(const TimeSpan& span, double t) {
    return t >= span.first - kSameMoment && t <= span.last + kSameMoment;
}

// The shape that the scene is about: the moving one with the most samples.
const Node* leadShape(const Scene& scene) {
    const Node* lead = nullptr;
    for (const Node& node : scene.nodes)
        if (node.geometry && !node.geometry->sampling().isStill() &&
            (!lead || node.geometry->sampling().count() > lead->geometry->sampling().count()))
            lead = &node;
    return lead;
}

// As far as the scene goes: what is wanted of it, else what moves in it.
std::optional<TimeSpan> spanOf(const Scene& scene) {
    if (scene.view.moments) {
        std::vector<double> times = scene.view.moments->times();
        if (scene.view.range)
            std::erase_if(times, [&](double t) { return !insideSpan(*scene.view.range, t); });
        return times.empty() ? std::nullopt : std::optional(TimeSpan{times.front(), times.back()});
    }
    return scene.view.range ? scene.view.range : movingSpan(scene);
}

// The samples that a person counts: those wanted, else those of the points, else whole frames of the motion. Points
// that are keyed here and there only are counted in whole frames too.
std::vector<double> leadMoments(const Scene& scene) {
    std::vector<double> times;
    const auto span = spanOf(scene);
    const Node* lead = leadShape(scene);
    if (scene.view.moments) {
        times = scene.view.moments->times();
    } else if (lead) {
        times = lead->geometry->sampling().times();
        const double frames = scene.view.rate.frameAt(times.back() - times.front()) + 1.0;
        if (static_cast<double>(times.size()) < 0.45 * frames)
            times.clear();
    }
    if (times.empty() && span)
        times = wholeFrames(span->first, span->last, scene.view.rate);
    if (scene.view.range)
        std::erase_if(times, [&](double t) { return !insideSpan(*scene.view.range, t); });
    return times;
}

double usualStep(const Scene& scene) {
    const std::vector<double> times = leadMoments(scene);
    if (times.size() < 2)
        return scene.view.rate.secondsAt(1.0);
    std::vector<double> steps;
    for (std::size_t i = 1; i < times.size(); ++i)
        steps.push_back(times[i] - times[i - 1]);
    return middleOf(std::move(steps));
}

TimePiece runPiece(double from, double to, double inFrom, double speed) {
    TimePiece piece;
    piece.from = from;
    piece.to = to;
    piece.anchor = from;
    piece.inFrom = inFrom;
    piece.speed = speed;
    return piece;
}

// Nothing happens.
TimeChange asItIs(const Scene& scene) {
    return {TimeMap(), scene.view};
}

namespace {

View shifted(const View& view, const std::function<double(double)>& out, double speed) {
    View result = view;
    if (result.range)
        result.range = TimeSpan{out(result.range->first), out(result.range->last)};
    if (result.moments) {
        std::vector<double> stored = result.moments->storedTimes();
        for (double& time : stored)
            time = out(time);
        const std::size_t count = result.moments->count();
        const double cycle = result.moments->cycleSeconds() / speed;
        switch (result.moments->kind()) {
        case Sampling::Kind::Still: break;
        case Sampling::Kind::Uniform: result.moments = Sampling::uniform(stored[0], cycle, count); break;
        case Sampling::Kind::Cyclic: result.moments = Sampling::cyclic(stored, cycle, count); break;
        case Sampling::Kind::Acyclic: result.moments = Sampling::acyclic(stored); break;
        }
    }
    return result;
}

} // namespace

TimeChange moved(const Scene& scene, double frames) {
    const FrameRate rate = scene.view.rate;
    const double seconds = rate.secondsAt(frames);
    const auto out = [&](double t) { return snappedToFrame(t + seconds, rate); };
    return {TimeMap::run(seconds, 0.0), shifted(scene.view, out, 1.0)};
}

namespace {

using nlohmann::json;

Error nothingLeft(const Scene& scene) {
    const Node* lead = leadShape(scene);
    return makeError(ErrorKind::BadInput, "no sample of this item is left")
        .forItem(lead ? lead->path : std::string())
        .withAdvice("Choose a range that its samples lie in, or leave the item out");
}

TimeSpan intersection(const TimeSpan& a, const TimeSpan& b) {
    return {std::max(a.first, b.first), std::min(a.last, b.last)};
}

// Nothing beyond a range, nor beyond what is there. A scene without moving points holds where it does not move.
Result<TimeChange> cutTo(const Scene& scene, const TimeSpan& span) {
    View view = scene.view;
    const auto there = spanOf(scene);
    const TimeSpan both = there ? intersection(*there, span) : span;
    const auto moments = view.moments ? leadMoments(scene) : std::vector<double>();
    const bool apart = both.last < both.first - kSameMoment;
    const bool between =
        view.moments && std::none_of(moments.begin(), moments.end(), [&](double t) { return insideSpan(both, t); });
    if ((apart || between) && leadShape(scene))
        return fail(nothingLeft(scene));
    view.range = apart ? span : both;
    return TimeChange{TimeMap(), view};
}

Result<TimeChange> offsetMeans(const Scene& scene, const json& options) {
    return moved(scene, options["frames"].get<double>());
}

Result<TimeChange> startMeans(const Scene& scene, const json& options) {
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    return moved(scene, options["frame"].get<double>() - snappedFrame(scene.view.rate.frameAt(span->first)));
}

Result<TimeChange> trimMeans(const Scene& scene, const json& options) {
    const double handles = options["handles"].get<double>();
    const FrameRange range = FrameRange{options["first"].get<double>(), options["last"].get<double>()}.widened(handles);
    if (range.last < range.first)
        return fail(makeError(ErrorKind::BadInput, fmt::format("the range {} ends before it begins", range.text())));
    return cutTo(scene, {scene.view.rate.secondsAt(range.first), scene.view.rate.secondsAt(range.last)});
}

Result<TimeChange> holdMeans(const Scene& scene, const json& options) {
    const double before = options["before"].get<double>();
    const double after = options["after"].get<double>();
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    const FrameRate rate = scene.view.rate;
    View view = scene.view;
    const auto away = [&](double t, double frames) { return snappedToFrame(t + rate.secondsAt(frames), rate); };
    if (view.moments) {
        std::vector<double> times = leadMoments(scene);
        if (times.empty())
            return fail(nothingLeft(scene));
        const double first = times.front();
        const double last = times.back();
        for (double k = 1; k <= before; k += 1.0)
            times.push_back(away(first, -k));
        for (double k = 1; k <= after; k += 1.0)
            times.push_back(away(last, k));
        sortMoments(times);
        view.moments = samplingFromTimes(times);
    }
    view.range = TimeSpan{away(span->first, -before), away(span->last, after)};
    return TimeChange{TimeMap::heldOutside(*span), view};
}

bool holdsFrame(const std::set<double>& frames, double frame) {
    const auto near = frames.lower_bound(frame - kFrameTolerance);
    return near != frames.end() && *near <= frame + kFrameTolerance;
}

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
        for (const double t : leadMoments(scene))
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
    view.moments = samplingFromTimes(times);
    return TimeChange{TimeMap(), view};
}

Result<TimeChange> lengthMeans(const Scene& scene, const json& options) {
    const double count = options["frames"];
    const auto span = spanOf(scene);
    if (!span)
        return asItIs(scene);
    const FrameRate rate = scene.view.rate;
    const double first = snappedFrame(rate.frameAt(span->first));
    const double there = std::floor(rate.frameAt(span->last) - first + kFrameTolerance) + 1.0;
    if (there < count)
        return fail(makeError(ErrorKind::BadInput,
                              fmt::format("{} frames are asked for, {} are there", frameText(count), frameText(there)))
                        .withAdvice("Ask for fewer, or hold the last pose with a Hold step"));
    return cutTo(scene, {span->first, rate.secondsAt(first + count - 1.0)});
}

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
    const std::vector<double> frames =
        scene.view.moments ? leadMoments(scene) : wholeFrames(span->first, span->last, rate);
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

TimePiece shiftPiece(double from, double to, double shift) {
    TimePiece piece;
    piece.from = from;
    piece.to = to;
    piece.inFrom = shift;
    return piece;
}

TimePiece mixPiece(double from, double to, double inFrom, double inTo) {
    return {TimePiece::Kind::Mix, from, to, from, inFrom, 0.0, inTo};
}

// What was dropped is nowhere in the result: between its neighbours the one goes over into the other.
Result<TimeChange> dropMeans(const Scene& scene, const json& options) {
    const auto start = static_cast<std::size_t>(options["start"].get<double>());
    const auto end = static_cast<std::size_t>(options["end"].get<double>());
    const bool close = options["close"].get<bool>();
    WYC_TRY(listed, parseFrameList(options["frames"].get<std::string>()));
    const FrameRate rate = scene.view.rate;
    const std::vector<double> moments = leadMoments(scene);
    if (moments.empty())
        return asItIs(scene);
    std::vector<TimePiece> pieces;
    std::vector<double> kept; // output times
    std::optional<std::size_t> firstDropped;
    double shift = 0.0; // input − output
    double from = -kForever;
    std::optional<double> before; // input time of the last one kept
    for (std::size_t i = 0; i < moments.size(); ++i) {
        if (i < start || i + end >= moments.size() || holdsFrame(listed, rate.frameAt(moments[i]))) {
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
                from = out;
            }
            shift = newShift;
        }
        firstDropped.reset();
        before = moments[i];
        kept.push_back(snappedToFrame(moments[i] - shift, rate));
    }
    if (kept.empty())
        return fail(nothingLeft(scene));
    pieces.push_back(shiftPiece(from, kForever, shift));
    const bool endCut = firstDropped.has_value();
    const bool startCut = start > 0 || holdsFrame(listed, rate.frameAt(moments.front()));
    View view = scene.view;
    if (view.moments)
        view.moments = samplingFromTimes(kept);
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

Result<TimeChange> everyMeans(const Scene& scene, const json& options) {
    const auto count = static_cast<std::size_t>(options["count"].get<double>());
    const std::vector<double> moments = leadMoments(scene);
    if (moments.empty() || count == 1)
        return asItIs(scene);
    std::vector<double> kept;
    for (std::size_t i = 0; i < moments.size(); i += count)
        kept.push_back(moments[i]);
    View view = scene.view;
    view.moments = samplingFromTimes(kept);
    return TimeChange{TimeMap(), view};
}

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

Result<TimeChange> resampleMeans(const Scene& scene, const json& options) {
    WYC_TRY(rate, FrameRate::parse(options["rate"].get<std::string>()));
    const bool nearest = options["method"].get<std::string>() == "nearest";
    const auto span = spanOf(scene);
    TimeChange change{TimeMap(), scene.view, true};
    change.view.rate = rate;
    if (span) {
        const std::vector<double> frames = wholeFrames(span->first, span->last, rate);
        if (frames.empty())
            return fail(nothingLeft(scene));
        View view{.rate = rate};
        view.moments = Sampling::uniform(frames.front(), rate.secondsAt(1.0), frames.size());
        const std::vector<double> moments = nearest ? leadMoments(scene) : std::vector<double>();
        std::vector<TimePiece> pieces;
        if (!moments.empty()) {
            std::vector<double> shown;
            for (const double t : frames) {
                const auto after = std::lower_bound(moments.begin(), moments.end(), t);
                const bool first = after == moments.begin();
                const bool earlier = after == moments.end() || (!first && t - *(after - 1) < *after - t);
                shown.push_back(earlier ? *(after - 1) : *after);
            }
            for (std::size_t i = 0; i + 1 < frames.size(); ++i)
                pieces.push_back(mixPiece(frames[i], frames[i + 1], shown[i], shown[i + 1]));
            if (pieces.empty())
                pieces.push_back({TimePiece::Kind::Run, -kForever, kForever, shown[0], shown[0], 0.0, 0.0});
        }
        change.map = TimeMap(std::move(pieces));
        change.view = view;
    }
    return change;
}

std::string signedFrames(double frames) {
    return fmt::format("{}{} frame{}", frames > 0 ? "+" : "", frameText(frames), std::abs(frames) == 1.0 ? "" : "s");
}

} // namespace

Result<std::set<double>> parseFrameList(const std::string& text) {
    std::set<double> frames;
    for (const std::string& listed : splitText(text, ',')) {
        std::string part(trimmed(listed));
        if (part.empty())
            continue;
        // "1020-1024", but not the sign of "-5": a dash behind a digit stands between two frames.
        const auto dash = part.find('-', 1);
        if (part.find(':') == std::string::npos && dash != std::string::npos &&
            std::isdigit(static_cast<unsigned char>(part[dash - 1])) != 0)
            part[dash] = ':';
        if (part.find(':') != std::string::npos) {
            WYC_TRY(range, FrameRange::parse(part));
            if (range.count() > 1e6)
                return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is too many frames", part)));
            for (double frame = range.first; frame <= range.last + kFrameTolerance; frame += 1.0)
                frames.insert(frame);
        } else if (const auto frame = parseNumber(part)) {
            frames.insert(*frame);
        } else {
            return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame", part))
                            .withAdvice("Write frames and ranges, as 1009,1020:1024"));
        }
    }
    return frames;
}

StepType offsetStep() {
    return {"offset",
            "Offset",
            "Moves all samples in time",
            {{"frames", OptionKind::Frame, "frames", "how far; negative is earlier", 0.0, {}, -1e7, 1e7}},
            &offsetMeans,
            nullptr,
            nullptr,
            [](const json& o) { return signedFrames(o["frames"]); }};
}

StepType startStep() {
    return {"start",
            "Start at",
            "Moves all samples so that the first lies at a frame",
            {{"frame", OptionKind::Frame, "", "number of the first frame", 1.0, {}, -1e7, 1e7}},
            &startMeans,
            nullptr,
            nullptr,
            [](const json& o) { return fmt::format("frame {}", frameText(o["frame"])); }};
}

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

StepType holdStep() {
    return {"hold",
            "Hold",
            "Repeats the first and the last pose beyond the ends",
            {{"before", OptionKind::WholeNumber, "frames", "frames added in front", 0.0, {}, 0.0, 1e6},
             {"after", OptionKind::WholeNumber, "frames", "frames added at the end", 0.0, {}, 0.0, 1e6}},
            &holdMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("{} before, {} after", frameText(o["before"]), frameText(o["after"]));
            }};
}

StepType dropStep() {
    return {"drop",
            "Drop frames",
            "Leaves samples out at the start, at the end, or by frame number",
            {{"start", OptionKind::WholeNumber, "frames", "samples left out at the start", 0.0, {}, 0.0, 1e6},
             {"end", OptionKind::WholeNumber, "frames", "samples left out at the end", 0.0, {}, 0.0, 1e6},
             {"frames", OptionKind::Text, "", "frames left out, as 1009,1020:1024", "", {}},
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

StepType lengthStep() {
    return {"length",
            "Length",
            "Keeps exactly so many frames from the first on; an error where there are fewer",
            {{"frames", OptionKind::WholeNumber, "frames", "how many", 100.0, {}, 1.0, 1e7}},
            &lengthMeans,
            nullptr,
            nullptr,
            [](const json& o) { return frameText(o["frames"]) + " frames"; }};
}

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

StepType everyStep() {
    return {"every",
            "Every n-th",
            "Keeps every n-th sample, beginning with the first",
            {{"count", OptionKind::WholeNumber, "samples", "2 keeps every second", 2.0, {}, 1.0, 1e6}},
            &everyMeans,
            nullptr,
            nullptr,
            [](const json& o) { return fmt::format("one of {}", frameText(o["count"])); }};
}

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

StepType resampleStep() {
    return {"resample",
            "Resample",
            "Keeps the motion in seconds, and takes new samples at another rate",
            {{"rate", OptionKind::Rate, "fps", "the new rate", "24", {}},
             {"method", OptionKind::Choice, "", "between two samples", "linear", {"linear", "nearest"}}},
            &resampleMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("{} fps, {}", o["rate"].get<std::string>(), o["method"].get<std::string>());
            }};
}

} // namespace wyc
