// SPDX-License-Identifier: GPL-3.0-or-later
#include "workbench/stretches.h"

#include <algorithm>
#include <cmath>
#include <set>
#include <string_view>

namespace wyc {
namespace {

constexpr double kMostCycles = 400.0;

// What a step makes, in its own time.
std::vector<TimeStretch> madeBy(const Step& step, const Scene& before, const TimeChange& change) {
    using Kind = TimeStretch::Kind;
    std::vector<TimeStretch> made;
    if (!change.view.range)
        return made;
    const TimeSpan range = *change.view.range;
    const double frame = change.view.rate.secondsAt(1.0);
    const auto frames = [&](const char* name) { return step.options.value(name, 0.0); };
    if (step.type == "lead_in" && frames("frames") > 0.0)
        made.push_back({Kind::LeadIn, {range.first, range.first + (frames("frames") - 1.0) * frame}});
    if (step.type == "hold") {
        if (const double count = frames("before"); count > 0.0)
            made.push_back({Kind::Rest, {range.first, range.first + (count - 1.0) * frame}});
        if (const double count = frames("after"); count > 0.0)
            made.push_back({Kind::Rest, {range.last - (count - 1.0) * frame, range.last}});
    }
    if (step.type == "loop") {
        const double period = periodOf(step) * frame;
        const double start = before.view.rate.secondsAt(frames("start"));
        if (!(period > 0.0) || (range.last - range.first) / period > kMostCycles)
            return made;
        for (double k = std::floor((range.first - start) / period + kFrameTolerance);
             start + k * period <= range.last + kSameMoment; k += 1.0) {
            const TimeSpan cycle{std::max(range.first, start + k * period),
                                 std::min(range.last, start + (k + 1.0) * period - frame)};
            made.push_back({Kind::Cycle, cycle, static_cast<int>(made.size()) + 1});
        }
    }
    return made;
}

// Whether a step of the chain is switched on that holds poses, or leads from one to another, because a person wants it.
bool holdsOnPurpose(const std::vector<Step>& steps) {
    static const std::set<std::string_view> kTypes{"lead_in", "hold", "loop", "retime", "ends"};
    return std::any_of(steps.begin(), steps.end(),
                       [](const Step& step) { return step.on && kTypes.contains(step.type); });
}

// All steps on time in turn, with the scene that each finds; false where one fails.
template<class Act> bool walkChanges(const Scene& asItCame, const std::vector<Step>& steps, const Act& act) {
    Scene scene = asItCame;
    for (const Step& step : steps) {
        if (!step.on)
            continue;
        const auto meaning = meaningOf(scene, step);
        if (!meaning)
            return false;
        if (meaning->time)
            act(step, scene, *meaning->time);
        auto next = applySteps(scene, {step});
        if (!next)
            return false;
        scene = std::move(*next);
    }
    return true;
}

// Where a stretch is shown after a change, as far as it is.
std::optional<TimeSpan> shownAfter(const TimeChange& change, const TimeSpan& span) {
    auto seen = change.map.outputSpanOf(span);
    if (!seen || !std::isfinite(seen->first) || !std::isfinite(seen->last))
        return std::nullopt;
    if (change.view.range)
        seen = TimeSpan{std::max(seen->first, change.view.range->first), std::min(seen->last, change.view.range->last)};
    return seen->last >= seen->first ? seen : std::nullopt;
}

} // namespace

MadeOfTime madeOfTime(const Scene& asItCame, const std::vector<Step>& steps) {
    MadeOfTime result;
    if (!holdsOnPurpose(steps))
        return result;
    std::vector<TimeStretch>& stretches = result.stretches;
    const bool all = walkChanges(asItCame, steps, [&](const Step& step, const Scene& scene, const TimeChange& change) {
        if (step.type == "loop")
            stretches.clear(); // a cycle of what had stretches has none of its own
        std::vector<TimeStretch> kept;
        for (TimeStretch stretch : stretches)
            if (const auto seen = shownAfter(change, stretch.span)) {
                stretch.span = *seen;
                kept.push_back(stretch);
            }
        stretches = std::move(kept);
        const auto made = madeBy(step, scene, change);
        stretches.insert(stretches.end(), made.begin(), made.end());
        std::vector<TimeSpan> held;
        for (const TimeSpan& span : result.held)
            if (const auto seen = shownAfter(change, span))
                held.push_back(*seen);
        result.held = std::move(held);
        if (!holdsOnPurpose({step}))
            return;
        const TimeSpan range = change.view.range.value_or(TimeSpan{-kForever, kForever});
        for (const TimeSpan& span : (change.points ? *change.points : change.map).holds())
            if (const TimeSpan in{std::max(span.first, range.first), std::min(span.last, range.last)};
                in.last >= in.first)
                result.held.push_back(in);
    });
    if (!all)
        return {};
    std::sort(stretches.begin(), stretches.end(),
              [](const TimeStretch& a, const TimeStretch& b) { return a.span.first < b.span.first; });
    return result;
}

} // namespace wyc
