// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
#include "checks/motion_parts.h"

namespace wyc {
namespace {

Step offsetOf(double frames) {
    return {"offset", {{"frames", frames}}, true};
}

std::string countText(double frames) {
    return fmt::format("{} frame{}", frameText(frames), std::abs(frames) == 1.0 ? "" : "s");
}

// Samples one second apart on whole seconds, or as many milliseconds apart as a frame has: times that were written as
// frame numbers or as milliseconds. Nothing when they are seconds.
struct NotSeconds {
    const char* words;
    FrameRate meant;
};
std::optional<NotSeconds> notSeconds(const MeasuredItem& item, const Shot& shot) {
    if (item.profile->count() < 8)
        return std::nullopt;
    // By its own samples: a format without a rate has them, too.
    const double gap = middleStep(item.profile->times);
    if (!(gap > 0.0))
        return std::nullopt;
    const double rate = 1.0 / gap;
    const double firstTime = item.profile->times.front();
    // Thinned to a sample a second is another thing: those seconds are not the frame numbers of a shot.
    const bool stated = item.scene->rate && std::abs(item.scene->rate->value() - rate) > 1e-3 * rate;
    if (stated && !(shot.range && firstTime >= shot.range->first - 100.0))
        return std::nullopt;
    if (std::abs(rate - 1.0) < 1e-6 && std::abs(firstTime - std::round(firstTime)) < 1e-6)
        return NotSeconds{"frame numbers", shot.rateOrDefault()};
    for (const FrameRate& usual : FrameRate::usual())
        if (rate < 0.2 && std::abs(rate * 1000.0 / usual.value() - 1.0) < 1e-3)
            return NotSeconds{"milliseconds", usual};
    return std::nullopt;
}

// An item's own frames beside those that the shot asks for, with handles.
struct Coverage {
    double first; // of the item, a stale first frame not counted
    double last;
    double late; // how much later than the shot it begins
    double over; // how much later it ends
    bool stale;
    /// What covers the shot is in order: a run-up, or settling at the end.
    [[nodiscard]] bool covers() const { return late < kFrameTolerance && over > -kFrameTolerance; }
    /// As long as the shot asks for, and shifted as a whole: one cause, not a short start and a long end.
    [[nodiscard]] bool sameLength() const { return std::abs(late - over) < kFrameTolerance; }
    [[nodiscard]] bool agrees() const { return std::abs(late) < kFrameTolerance && std::abs(over) < kFrameTolerance; }
};

// The span of what carries an item; nothing where nothing that moves stands above it.
std::optional<TimeSpan> carriedOver(const MeasuredItem& item) {
    std::optional<TimeSpan> span;
    for (int i = static_cast<int>(item.node); i >= 0; i = item.scene->nodes[static_cast<std::size_t>(i)].parent)
        if (const TransformPtr& above = item.scene->nodes[static_cast<std::size_t>(i)].transform;
            above && !above->constant() && above->sampling().count() > 1) {
            const double first = above->sampling().firstTime();
            const double last = above->sampling().lastTime();
            span = span ? TimeSpan{std::min(span->first, first), std::max(span->last, last)} : TimeSpan{first, last};
        }
    return span;
}

Coverage coverageOf(const MeasuredItem& item, const FrameRange& wanted, const Shot& shot) {
    // A stale first frame that the shot needs is told as such, not as a range that is short by it.
    const bool stale = item.profile->count() > 2 && firstSampleIsStale(item) && !shotNeedsStaleFirst(item, shot);
    double first = item.frameAt(stale ? 1 : 0);
    double last = item.frameAt(item.profile->count() - 1);
    // Points that come to rest, and are carried on, need no samples beyond; what is cut off at its speed does.
    if (const auto carried = carriedOver(item); carried && !stale) {
        constexpr double kBends = 0.35; // of the way: beyond it they still deform
        Closer closer(item);
        const std::size_t end = item.profile->count() - 1;
        const auto frame = [&](double seconds) { return snappedFrame(item.scene->view.rate.frameAt(seconds)); };
        if (closer.bend(0, 1) < kBends)
            first = std::min(first, frame(carried->first));
        if (closer.bend(end - 1, end) < kBends)
            last = std::max(last, frame(carried->last));
    }
    return {first, last, first - wanted.first, last - wanted.last, stale};
}

// The range as a whole lies elsewhere; false where it does not.
bool tellShifted(const MeasuredItem& item, const Coverage& its, const FrameRange& wanted,
                 std::vector<Finding>& findings) {
    const double own = item.frameAt(0);
    const bool fromZero = !its.covers() && own >= -kFrameTolerance && own <= 1.0 + kFrameTolerance &&
                          wanted.first > 1.0 + kFrameTolerance;
    if (!fromZero && !its.sameLength())
        return false;
    if (fromZero) {
        const double shift = wanted.first - its.first;
        findings.push_back(
            {"range.begins_at_zero",
             Severity::Fault,
             item.label,
             own,
             own,
             "frame",
             fmt::format("It begins at frame {}, the shot at {}", frameText(own), frameText(wanted.first)),
             fmt::format("Offset it by {}", countText(shift)),
             fmt::format("Offset {}{}", shift < 0 ? "−" : "+", frameText(std::abs(shift))),
             {offsetOf(shift)}});
    } else {
        const double by = std::abs(its.late);
        findings.push_back({its.late > 0 ? "range.late" : "range.early",
                            Severity::Fault,
                            item.label,
                            its.first,
                            by,
                            "frames",
                            fmt::format("It is {} {}: {} – {} where the shot with handles is {} – {}{}", countText(by),
                                        its.late > 0 ? "late" : "early", frameText(its.first), frameText(its.last),
                                        frameText(wanted.first), frameText(wanted.last),
                                        its.stale ? " (its stale first frame not counted)" : ""),
                            fmt::format("Offset it by {}{}", its.late < 0 ? "+" : "−", countText(by)),
                            fmt::format("Offset {}{}", its.late < 0 ? "+" : "−", frameText(by)),
                            {offsetOf(-its.late)}});
    }
    const double missing = wanted.count() - (its.last - its.first + 1.0);
    if (!its.sameLength() && missing > kFrameTolerance)
        findings.push_back({"range.short",
                            Severity::Fault,
                            item.label,
                            its.last,
                            missing,
                            "frames",
                            fmt::format("It has {}, the shot with handles {}", countText(its.last - its.first + 1.0),
                                        countText(wanted.count())),
                            "Bake it again over the whole range",
                            {},
                            {}});
    return true;
}

// Frames of the shot, or of its handles, that are not there.
void tellMissing(const MeasuredItem& item, const Coverage& its, const FrameRange& wanted, const FrameRange& shot,
                 std::vector<Finding>& findings) {
    const double start = std::max(0.0, its.late);
    const double end = std::max(0.0, -its.over);
    // What comes again and again goes on doing so; all else holds its ends.
    Step mend{"hold",
              {{"before", std::max(0.0, std::ceil(start - kFrameTolerance))},
               {"after", std::max(0.0, std::ceil(end - kFrameTolerance))}},
              true};
    std::string label = "Hold the ends";
    std::string otherwise = ", or hold its ends";
    if (item.goesOn) {
        mend = *item.goesOn;
        mend.options["fill"] = FrameRange{std::min(item.frameAt(0), std::floor(wanted.first)),
                                          std::max(item.frameAt(item.profile->count() - 1), std::ceil(wanted.last))}
                                   .text();
        label = "Repeat the cycle";
        otherwise = ", or repeat its cycle";
    }
    const bool beginsLate = its.first > shot.first + kFrameTolerance;
    if (beginsLate || its.last < shot.last - kFrameTolerance)
        findings.push_back({"range.short",
                            Severity::Fault,
                            item.label,
                            beginsLate ? its.first : its.last,
                            start + end,
                            "frames",
                            fmt::format("It covers {} – {}, the shot is {} – {}", frameText(its.first),
                                        frameText(its.last), frameText(shot.first), frameText(shot.last)),
                            "Bake it again over the whole range" + otherwise,
                            label,
                            {mend}});
    else if (start + end > kFrameTolerance)
        findings.push_back({"range.handles_missing",
                            Severity::Caution,
                            item.label,
                            start > 0 ? its.first : its.last,
                            start + end,
                            "frames",
                            fmt::format("{} of the handles {} missing: it covers {} – {}", countText(start + end),
                                        start + end == 1.0 ? "is" : "are", frameText(its.first), frameText(its.last)),
                            "Bake it again with handles" + otherwise,
                            label,
                            {mend}});
}

void tellBeyond(const MeasuredItem& item, const Coverage& its, const FrameRange& wanted,
                std::vector<Finding>& findings) {
    const double extra = std::max(0.0, -its.late) + std::max(0.0, its.over);
    if (extra > kFrameTolerance)
        findings.push_back({"range.long",
                            its.covers() ? Severity::Note : Severity::Caution,
                            item.label,
                            its.over > 0 ? wanted.last + 1 : its.first,
                            extra,
                            "frames",
                            fmt::format("It goes {} beyond the shot with handles: {} – {}", countText(extra),
                                        frameText(its.first), frameText(its.last)),
                            "Trim it to the shot, or deliver the shot's range",
                            "Trim to shot",
                            {Step{"trim", {{"first", wanted.first}, {"last", wanted.last}, {"handles", 0.0}}, true}}});
}

} // namespace

void checkRange(const CheckInput& input, std::vector<Finding>& findings) {
    const auto wanted = input.shot.rangeWithHandles();
    if (!wanted)
        return;
    for (const MeasuredItem& item : input.items) {
        if (!item.profile || item.profile->count() < 2 || !item.profile->moves() || notSeconds(item, input.shot))
            continue;
        const Coverage its = coverageOf(item, *wanted, input.shot);
        if (its.agrees() || tellShifted(item, its, *wanted, findings))
            continue;
        tellMissing(item, its, *wanted, *input.shot.range, findings);
        tellBeyond(item, its, *wanted, findings);
    }
}

void checkRate(const CheckInput& input, std::vector<Finding>& findings) {
    std::set<const Scene*> told;
    const auto wanted = input.shot.rangeWithHandles();
    for (const MeasuredItem& item : input.items) {
        if (!item.movesBySource || !item.profile || item.profile->count() < 2)
            continue;
        const auto covers = [&](double first, double last) {
            return wanted && first < wanted->first + kFrameTolerance && last > wanted->last - kFrameTolerance;
        };
        const double first = item.profile->times.front();
        const double last = item.profile->times.back();
        if (const auto wrong = notSeconds(item, input.shot)) {
            if (!told.insert(item.scene).second)
                continue;
            findings.push_back(
                {"times.not_seconds",
                 Severity::Fault,
                 item.label,
                 {},
                 last - first,
                 "s",
                 fmt::format("Its times look like {}, not seconds: {} samples over {}", wrong->words,
                             item.profile->count(), durationText(last - first)),
                 fmt::format("Read it as {} frames a second (keeps every frame)", wrong->meant.shortText()),
                 fmt::format("Read as {}", wrong->meant.shortText()),
                 {Step{"rate", {{"rate", wrong->meant.text()}}, true}}});
            continue;
        }
        // One finding a source: its rate holds for all its items.
        if (!item.scene->rate || !input.shot.rate || *item.scene->rate == *input.shot.rate ||
            !told.insert(item.scene).second)
            continue;
        const FrameRate& own = *item.scene->rate;
        const FrameRate& shot = *input.shot.rate;
        const double percent = (shot.value() / own.value() - 1.0) * 100.0;
        // Frame numbers that are the shot's, at seconds that are not: made for the shot, and marked wrongly.
        const bool keepFrames =
            covers(own.frameAt(first), own.frameAt(last)) && !covers(shot.frameAt(first), shot.frameAt(last));
        findings.push_back(
            {"rate.differs",
             Severity::Fault,
             item.label,
             {},
             own.value(),
             "fps",
             fmt::format("It is at {} frames a second, the shot at {}: frame for frame it plays {:.1f} % {}",
                         own.shortText(), shot.shortText(), std::abs(percent), percent > 0 ? "too fast" : "too slow"),
             keepFrames ? "Its frames are those of the shot: read it as the shot's rate (keeps frames), or resample it "
                          "(keeps seconds)"
                        : "Resample it to the shot's rate (keeps seconds), or read it as that rate (keeps frames)",
             fmt::format("{} {}", keepFrames ? "Read as" : "Resample to", shot.shortText()),
             keepFrames ? std::vector{Step{"rate", {{"rate", shot.text()}}, true}}
                        : std::vector{Step{"resample", {{"rate", shot.text()}, {"method", "linear"}}, true}}});
    }
}

void checkStatements(const CheckInput& input, std::vector<Finding>& findings) {
    std::set<const Scene*> told;
    std::set<std::string> silent; // a source that does not say: told once, however many scenes were made of it
    for (const MeasuredItem& item : input.items) {
        if (!told.insert(item.scene).second)
            continue;
        const Scene& scene = *item.scene;
        // Once the shot says what its unit and axis are, a source without a word of its own is read so.
        const bool noUnit = !scene.unitMetres && !input.shot.unitMetres;
        const bool noAxis = !scene.upAxis && !input.shot.upAxis;
        if ((noUnit || noAxis) && (item.source.empty() || silent.insert(item.source).second))
            findings.push_back({"source.not_stated",
                                Severity::Note,
                                item.label,
                                {},
                                {},
                                "",
                                fmt::format("{} stated, by the source or for the shot",
                                            noUnit && noAxis ? "Neither unit nor up axis is"
                                            : noUnit         ? "No unit is"
                                                             : "No up axis is"),
                                "Say what they are: sizes cannot be judged without",
                                {},
                                {}});
        if (scene.unitMetres && input.shot.unitMetres &&
            std::abs(*scene.unitMetres / *input.shot.unitMetres - 1.0) > 1e-9)
            findings.push_back(
                {"unit.differs",
                 Severity::Caution,
                 item.label,
                 {},
                 *scene.unitMetres / *input.shot.unitMetres,
                 "×",
                 fmt::format("It is in {}, the shot in {}", unitName(*scene.unitMetres),
                             unitName(*input.shot.unitMetres)),
                 "Add a unit step",
                 fmt::format("{} → {}", unitName(*scene.unitMetres), unitName(*input.shot.unitMetres)),
                 {Step{"unit",
                       {{"from", shortestNumber(*scene.unitMetres)}, {"to", shortestNumber(*input.shot.unitMetres)}},
                       true}}});
        if (scene.upAxis && input.shot.upAxis && *scene.upAxis != *input.shot.upAxis)
            findings.push_back(
                {"axis.differs",
                 Severity::Caution,
                 item.label,
                 {},
                 {},
                 "",
                 fmt::format("It has {} up, the shot {}", upAxisName(*scene.upAxis), upAxisName(*input.shot.upAxis)),
                 "Add a turn step",
                 fmt::format("Turn to {} up", upAxisName(*input.shot.upAxis)),
                 {Step{"turn", {{"from", upAxisName(*scene.upAxis)}, {"to", upAxisName(*input.shot.upAxis)}}, true}}});
    }
}

} // namespace wyc
