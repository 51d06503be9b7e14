// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cctype>
#include <functional>
#include <set>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
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

TimePiece mixPiece(double from, double to, double inFrom, double inTo) {
    return {TimePiece::Kind::Mix, from, to, from, inFrom, 0.0, inTo};
}

// Nothing happens.
TimeChange asItIs(const Scene& scene) {
    return {TimeMap(), scene.view};
}

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

TimeChange moved(const Scene& scene, double frames) {
    const FrameRate rate = scene.view.rate;
    const double seconds = rate.secondsAt(frames);
    const auto out = [&](double t) { return snappedToFrame(t + seconds, rate); };
    return {TimeMap::run(seconds, 0.0), shifted(scene.view, out, 1.0)};
}

Error nothingLeft(const Scene& scene) {
    const Node* lead = leadShape(scene);
    return makeError(ErrorKind::BadInput, "no sample of this item is left")
        .forItem(lead ? lead->path : std::string())
        .withAdvice("Choose a range that its samples lie in, or leave the item out");
}

namespace {

TimeSpan intersection(const TimeSpan& a, const TimeSpan& b) {
    return {std::max(a.first, b.first), std::min(a.last, b.last)};
}

} // namespace

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

bool holdsFrame(const std::set<double>& frames, double frame) {
    const auto near = frames.lower_bound(frame - kFrameTolerance);
    return near != frames.end() && *near <= frame + kFrameTolerance;
}

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

Error badInput(std::string what, std::string_view advice) {
    Error error = makeError(ErrorKind::BadInput, std::move(what));
    return advice.empty() ? error : std::move(error).withAdvice(advice);
}

std::string rangeWords(const TimeSpan& span, const FrameRate& rate) {
    return fmt::format("{} – {}", frameText(snappedFrame(rate.frameAt(span.first))),
                       frameText(snappedFrame(rate.frameAt(span.last))));
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

std::optional<Vec3d> meanOf(std::span<const Vec3f> points) {
    Vec3d sum;
    double count = 0.0;
    for (const Vec3f& p : points)
        if (isFinite(p)) {
            sum = sum + Vec3d(p);
            count += 1.0;
        }
    return count > 0.0 ? std::optional(sum * (1.0 / count)) : std::nullopt;
}

} // namespace wyc
