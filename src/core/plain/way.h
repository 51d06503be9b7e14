// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// As far as a chain of steps has come, told by its options alone: what is shown when, over which span, at which
// moments.
#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>
#include <string_view>
#include <vector>

#include "plain/asked.h"

namespace wyc::plain {

using Times = std::vector<double>;
using Shows = std::function<std::optional<AskedPoses>(double)>;

inline constexpr double kBeside = 4e-6;      // seconds that are one moment
inline constexpr double kFrameBeside = 1e-4; // frames that are one

// As far as a chain has come.
struct Way {
    FrameRate rate;
    std::optional<TimeSpan> span;
    bool bounded = false;       // by a step, not by what moves
    std::optional<Times> only;  // just these moments are wanted
    Times counted;              // samples as a person counts them
    Times own;                  // of them those of points
    std::vector<TimeSpan> gaps; // of what was dropped
    bool known = true;          // what is counted
    bool hasPoints = false;     // that move
    Shows all = [](double t) { return std::optional(AskedPoses{{t, 1.0, false}}); };
    Shows points = all;
    /// As long as time was moved and stretched and nothing else: when the source's times are seen.
    std::function<double(double)> out = [](double t) { return t; };

    [[nodiscard]] double frame(double t) const {
        const double f = rate.frameAt(t);
        return std::abs(f - std::round(f)) < kFrameBeside ? std::round(f) : f;
    }
    [[nodiscard]] double at(double frame) const { return rate.secondsAt(frame); }
    [[nodiscard]] bool inSpan(double t) const { return t >= span->first - kBeside && t <= span->last + kBeside; }
    /// Those wanted, else those counted.
    [[nodiscard]] Times moments() const {
        Times times = only.value_or(counted);
        std::erase_if(times, [&](double t) { return !inSpan(t); });
        return times;
    }
    /// From now on another time is looked at, for all.
    void look(const std::function<std::optional<AskedPoses>(double)>& where) {
        for (Shows* shows : {&all, &points})
            *shows = [where, before = *shows](double t) -> std::optional<AskedPoses> {
                const auto parts = where(t);
                if (!parts)
                    return std::nullopt;
                AskedPoses sum;
                for (const AskedPose& part : *parts) {
                    const auto poses = before(part.seconds);
                    if (!poses)
                        return std::nullopt;
                    for (const AskedPose& pose : *poses)
                        sum.push_back({pose.seconds, pose.weight * part.weight, pose.rest || part.rest});
                }
                return sum;
            };
    }
    void lookAt(const std::function<double(double)>& where) {
        look([where](double t) { return std::optional(AskedPoses{{where(t), 1.0, false}}); });
    }
    /// What stood at t stands at out(t).
    void move(const std::function<double(double)>& to, const std::function<double(double)>& back) {
        lookAt(back);
        if (span)
            span = TimeSpan{to(span->first), to(span->last)};
        for (Times* times : {&counted, &own, only ? &*only : nullptr})
            if (times)
                for (double& t : *times)
                    t = to(t);
        for (TimeSpan& gap : gaps)
            gap = {to(gap.first), to(gap.last)};
        if (out)
            out = [to, before = out](double t) { return to(before(t)); };
    }
    /// Time is no longer as even as it was, and a step says when it ends.
    void bent() {
        out = nullptr;
        bounded = true;
    }
    void cut(const TimeSpan& to) {
        const TimeSpan both{std::max(span->first, to.first), std::min(span->last, to.last)};
        span = both.last < both.first - kBeside ? to : both; // a thing that rests there holds
        bounded = true;
        within();
    }
    void leaveGaps(Times& times) const {
        for (const TimeSpan& gap : gaps)
            std::erase_if(times, [&](double t) { return t > gap.first + kBeside && t < gap.last - kBeside; });
    }
    /// Nothing outside of the span.
    void within() {
        for (Times* times : {&counted, &own, only ? &*only : nullptr})
            if (times)
                std::erase_if(*times, [&](double t) { return !inSpan(t); });
        if (only && !only->empty())
            span = TimeSpan{only->front(), only->back()};
    }
    /// Frames more in front and behind; of points, as far as they reach that end.
    void add(const Times& front, const Times& back) {
        const bool first = !own.empty() && !counted.empty() && own.front() <= counted.front() + kBeside;
        const bool last = !own.empty() && !counted.empty() && own.back() >= counted.back() - kBeside;
        for (Times* times : {&counted, &own, only ? &*only : nullptr}) {
            if (!times)
                continue;
            if (times != &own || first)
                times->insert(times->end(), front.begin(), front.end());
            if (times != &own || last)
                times->insert(times->end(), back.begin(), back.end());
            std::sort(times->begin(), times->end());
        }
    }
    /// Just these, and no range beside them.
    void want(Times times) {
        std::sort(times.begin(), times.end());
        times.erase(std::unique(times.begin(), times.end(), [](double a, double b) { return b - a < kBeside; }),
                    times.end());
        only = std::move(times);
        gaps.clear();
        counted = own = *only;
        known = true;
        if (!only->empty())
            span = TimeSpan{only->front(), only->back()};
    }
    [[nodiscard]] Times frames(const TimeSpan& of, const FrameRate& in) const {
        Times times;
        const double first = std::ceil(in.frameAt(of.first) - kFrameBeside);
        const double last = in.frameAt(of.last) + kFrameBeside;
        if (!(last - first < 1e7)) // nobody means that many
            return times;
        for (double f = first; f <= last; f += 1.0)
            times.push_back(in.secondsAt(f));
        return times;
    }
};

/// Before the first step.
[[nodiscard]] Way wayOf(const Scene& source);
/// What is left moves at other times, or not at all.
void moveWith(const Scene& content, const Scene& before, Way& way);
/// Other points are left from here on: they have other samples, and may move at other times.
void goOnWith(const Scene& content, const Scene& before, Way& way);

/// What a step on time asks, as a change of the way; false where that cannot be said. Null for steps that are not known
/// here.
using Asks = bool (*)(Way& way, const nlohmann::json& options);
[[nodiscard]] Asks asksOf(std::string_view step);

} // namespace wyc::plain
