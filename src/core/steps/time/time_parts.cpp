// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
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
    // Where single moments are wanted, what lies on still points and changes gives them samples.
    const auto moves = [&](const Geometry& shape) {
        return !shape.sampling().isStill() && !(scene.view.moments && shape.sameAlways());
    };
    for (const Node& node : scene.nodes)
        if (node.geometry && moves(*node.geometry) &&
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

namespace {

// Points that are keyed here and there only are counted in whole frames too.
CountedMoments countedOf(const Scene& scene) {
    CountedMoments counted;
    if (const Node* lead = leadShape(scene)) {
        counted.ofPoints = lead->geometry->sampling().times();
        const double frames = scene.view.rate.frameAt(counted.ofPoints.back() - counted.ofPoints.front()) + 1.0;
        if (static_cast<double>(counted.ofPoints.size()) < 0.45 * frames)
            counted.ofPoints.clear();
    }
    counted.all = counted.ofPoints;
    if (const auto span = movingSpan(scene)) {
        const std::vector<double> frames = wholeFrames(span->first, span->last, scene.view.rate);
        const std::vector<double>& own = counted.ofPoints;
        std::copy_if(frames.begin(), frames.end(), std::back_inserter(counted.all), [&](double t) {
            return own.empty() || t < own.front() - kSameMoment || t > own.back() + kSameMoment;
        });
        sortMoments(counted.all);
    }
    return counted;
}

std::vector<double> inRange(std::vector<double> times, const View& view) {
    if (view.range)
        std::erase_if(times, [&](double t) { return !insideSpan(*view.range, t); });
    return times;
}

} // namespace

std::shared_ptr<const CountedMoments> countedIn(const Scene& scene) {
    return scene.view.counted ? scene.view.counted : std::make_shared<const CountedMoments>(countedOf(scene));
}

std::vector<double> countedMoments(const Scene& scene) {
    return inRange(scene.view.moments ? scene.view.moments->times() : countedIn(scene)->all, scene.view);
}

std::vector<double> momentsOfPoints(const Scene& scene) {
    if (scene.view.moments)
        return countedMoments(scene);
    std::vector<double> own = inRange(countedIn(scene)->ofPoints, scene.view);
    return own.empty() ? countedMoments(scene) : own;
}

std::shared_ptr<const CountedMoments> countedAfter(std::vector<double> all, std::vector<double> ofPoints) {
    sortMoments(all);
    sortMoments(ofPoints);
    return std::make_shared<const CountedMoments>(CountedMoments{std::move(all), std::move(ofPoints)});
}

std::shared_ptr<const CountedMoments> countedWith(const Scene& scene, const std::vector<double>& front,
                                                  const std::vector<double>& back) {
    std::vector<double> all = countedMoments(scene);
    std::vector<double> own = inRange(countedIn(scene)->ofPoints, scene.view);
    const bool first = !own.empty() && own.front() <= all.front() + kSameMoment;
    const bool last = !own.empty() && own.back() >= all.back() - kSameMoment;
    for (const auto& [more, reached] : {std::pair{&front, first}, std::pair{&back, last}}) {
        all.insert(all.end(), more->begin(), more->end());
        if (reached)
            own.insert(own.end(), more->begin(), more->end());
    }
    return countedAfter(std::move(all), std::move(own));
}

double usualStep(const Scene& scene) {
    const std::vector<double> times = countedMoments(scene);
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
    const auto seen = [&](std::vector<double> times) {
        for (double& time : times)
            time = out(time);
        return times;
    };
    if (result.counted)
        result.counted = countedAfter(seen(result.counted->all), seen(result.counted->ofPoints));
    for (TimeSpan& gap : result.gaps)
        gap = {out(gap.first), out(gap.last)};
    if (result.range)
        result.range = TimeSpan{out(result.range->first), out(result.range->last)};
    if (result.moments) {
        const std::vector<double> stored = seen(result.moments->storedTimes());
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
    const auto span = spanOf(scene);
    return makeError(ErrorKind::BadInput, "no sample of this item is left" +
                                              (span ? ": it has " + rangeWords(*span, scene.view.rate) : std::string()))
        .forItem(lead ? lead->path : std::string())
        .withAdvice("Choose a range that its samples lie in, or leave the item out");
}

namespace {

TimeSpan intersection(const TimeSpan& a, const TimeSpan& b) {
    return {std::max(a.first, b.first), std::min(a.last, b.last)};
}

} // namespace

// Nothing beyond a range, nor beyond what is there or was wanted. A scene without moving points holds where it does not
// move.
Result<TimeChange> cutTo(const Scene& scene, const TimeSpan& span) {
    View view = scene.view;
    const auto there = spanOf(scene);
    const TimeSpan both = there ? intersection(*there, span) : span;
    const auto moments = view.moments ? countedMoments(scene) : std::vector<double>();
    const bool apart = both.last < both.first - kSameMoment;
    const bool between =
        view.moments && std::none_of(moments.begin(), moments.end(), [&](double t) { return insideSpan(both, t); });
    if ((apart || between) && (leadShape(scene) || view.range || view.moments))
        return fail(nothingLeft(scene));
    view.range = apart ? span : both;
    return TimeChange{TimeMap(), view};
}

bool holdsFrame(const std::set<double>& frames, double frame) {
    const auto near = frames.lower_bound(frame - kFrameTolerance);
    return near != frames.end() && *near <= frame + kFrameTolerance;
}

// Frames part where their samples are furthest apart: a shutter's samples go with their frame, on both sides of it.
// Where all are as far apart, a frame lasts until the next.
SamplesOfFrames::SamplesOfFrames(std::set<double> frames, const std::vector<double>& moments, const FrameRate& rate,
                                 bool exactly)
    : frames_(std::move(frames)), rate_(rate), exactly_(exactly) {
    std::set<double> shares; // in thousandths
    for (const double t : moments) {
        const double frame = snappedFrame(rate.frameAt(t));
        shares.insert(std::round((frame - std::floor(frame)) * 1000.0));
    }
    if (shares.empty())
        return;
    double widest = *shares.begin() + 1000.0 - *shares.rbegin(); // across the whole frame
    parts_ = (*shares.rbegin() + widest / 2.0) / 1000.0;
    for (auto it = shares.begin(); std::next(it) != shares.end(); ++it)
        if (const double gap = *std::next(it) - *it; gap > widest) {
            widest = gap;
            parts_ = (*it + gap / 2.0) / 1000.0;
        }
}

bool SamplesOfFrames::holds(double seconds) const {
    const double frame = snappedFrame(rate_.frameAt(seconds));
    if (holdsFrame(frames_, frame) || exactly_)
        return holdsFrame(frames_, frame);
    const double share = frame - std::floor(frame);
    return holdsFrame(frames_, std::floor(frame) + (share < parts_ - kFrameTolerance ? 0.0 : 1.0));
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
