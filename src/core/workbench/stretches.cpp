// SPDX-License-Identifier: GPL-3.0-or-later
#include "workbench/stretches.h"

#include <algorithm>
#include <cmath>

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
        const bool bridged = step.options.value("close", std::string()) == "bridge";
        const double period = (frames("length") + (bridged ? frames("fade") : 0.0)) * frame;
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

} // namespace

std::vector<TimeStretch> stretchesOf(const Scene& asItCame, const std::vector<Step>& steps) {
    const bool any = std::any_of(steps.begin(), steps.end(), [](const Step& step) {
        return step.on && (step.type == "lead_in" || step.type == "hold" || step.type == "loop");
    });
    std::vector<TimeStretch> stretches;
    if (!any)
        return stretches;
    Scene scene = asItCame;
    for (const Step& step : steps) {
        if (!step.on)
            continue;
        const auto meaning = meaningOf(scene, step);
        if (!meaning)
            return {};
        if (meaning->time) {
            const TimeChange& change = *meaning->time;
            if (step.type == "loop")
                stretches.clear(); // a cycle of what had stretches has none of its own
            std::vector<TimeStretch> kept;
            for (TimeStretch stretch : stretches) {
                const auto seen = change.map.outputSpanOf(stretch.span);
                if (!seen || !std::isfinite(seen->first) || !std::isfinite(seen->last))
                    continue;
                stretch.span = *seen;
                if (change.view.range)
                    stretch.span = {std::max(stretch.span.first, change.view.range->first),
                                    std::min(stretch.span.last, change.view.range->last)};
                if (stretch.span.last >= stretch.span.first)
                    kept.push_back(stretch);
            }
            stretches = std::move(kept);
            const auto made = madeBy(step, scene, change);
            stretches.insert(stretches.end(), made.begin(), made.end());
        }
        auto next = applySteps(scene, {step});
        if (!next)
            return {};
        scene = std::move(*next);
    }
    std::sort(stretches.begin(), stretches.end(),
              [](const TimeStretch& a, const TimeStretch& b) { return a.span.first < b.span.first; });
    return stretches;
}

} // namespace wyc
