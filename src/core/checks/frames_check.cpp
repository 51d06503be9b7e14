// SPDX-License-Identifier: GPL-3.0-or-later
// Frames that are missing, unreadable, doubled or held.
#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
#include "checks/motion_parts.h"

namespace wyc {
namespace {

// Samples at one distance with a few whole ones left out.
void checkGaps(const MeasuredItem& item, std::vector<Finding>& findings) {
    const MotionProfile& profile = *item.profile;
    const auto& remarks = item.scene->report.remarks;
    const bool told =
        std::any_of(remarks.begin(), remarks.end(), [](const ReaderRemark& r) { return r.id == "frames.missing"; });
    if (profile.count() < 6 || told)
        return;
    std::vector<double> gaps;
    for (std::size_t i = 1; i < profile.count(); ++i)
        gaps.push_back(item.frameAt(i) - item.frameAt(i - 1));
    const double usual = middleOf(gaps);
    std::vector<std::size_t> wide;
    for (std::size_t i = 0; i < gaps.size(); ++i) {
        if (sameFrame(gaps[i], usual))
            continue;
        const double steps = gaps[i] / usual;
        if (!(usual > 0.0) || steps < 1.5 || std::abs(steps - std::round(steps)) > 0.01)
            return; // uneven by nature
        wide.push_back(i);
    }
    if (wide.size() * 10 > gaps.size())
        return;
    for (const std::size_t i : wide) {
        const double first = item.frameAt(i) + usual;
        const double last = item.frameAt(i + 1) - usual;
        const double count = std::round(gaps[i] / usual) - 1.0;
        findings.push_back(
            {"frames.missing",
             Severity::Caution,
             item.label,
             first,
             count,
             "frames",
             fmt::format("{} missing: {} and {} are there",
                         sameFrame(first, last) ? "Frame " + frameText(first) + " is"
                                                : fmt::format("Frames {} – {} are", frameText(first), frameText(last)),
                         frameText(item.frameAt(i)), frameText(item.frameAt(i + 1))),
             "Export these frames again, or fill in between",
             "Fill in between",
             {Step{"fill", nlohmann::json::object(), true}}});
    }
}

// Samples that repeat the one before, in a row.
struct Hold {
    std::size_t first = 0;
    std::size_t last = 0;
    [[nodiscard]] std::size_t count() const { return last - first + 1; }
};

std::vector<Hold> holdsOf(const MotionProfile& profile) {
    std::vector<Hold> result;
    for (std::size_t i = 1; i < profile.count(); ++i) {
        if (!profile.sameAsPrevious[i])
            continue;
        if (result.empty() || result.back().last + 1 != i)
            result.push_back({i, i});
        result.back().last = i;
    }
    return result;
}

// Frames each pose stands, where motion is on twos, threes or fours; 0 where it is not.
std::size_t framesEach(const MotionProfile& profile, const std::vector<Hold>& holds) {
    std::map<std::size_t, std::size_t> lengths;
    std::size_t moving = 0;
    for (std::size_t i = 1; i < profile.count(); ++i)
        moving += !profile.sameAsPrevious[i];
    for (const Hold& hold : holds)
        ++lengths[hold.count()];
    for (const std::size_t each : {2U, 3U, 4U})
        if (lengths[each - 1] >= 4 && lengths[each - 1] * 10 >= moving * 7)
            return each;
    return 0;
}

void reportHold(const CheckInput& input, const MeasuredItem& item, const Hold& hold, float before, float after,
                std::vector<Finding>& findings) {
    const MotionProfile& profile = *item.profile;
    const bool last = hold.last + 1 == profile.count();
    const std::size_t run = hold.count();
    Finding finding{last && run == 1 ? "frames.last_doubled" : "frames.held",
                    Severity::Caution,
                    item.label,
                    item.frameAt(hold.first),
                    static_cast<double>(run),
                    "frames",
                    {},
                    {},
                    {},
                    {}};
    const std::string frames = framesText(item, hold.first, hold.last);
    finding.text =
        fmt::format("{}{} repeat{} {}: no point moves; neighbours move {}", run == 1 ? "Frame" : "Frames",
                    frames.substr(frames.find(' ')), run == 1 ? "s" : "", frameText(item.frameAt(hold.first - 1)),
                    lengthOf(item, static_cast<double>(std::min(before, after))));
    if (last) {
        const auto wanted = input.shot.rangeWithHandles();
        // Without these frames it would fall short of the shot.
        const bool needed = wanted && item.frameAt(hold.first) < wanted->last + 1.0 - kFrameTolerance;
        finding.advice = needed ? "Export the end again: the shot needs these frames" : "Drop the repeated end";
        if (!needed) {
            finding.mendLabel = "Drop it";
            finding.mend = {withoutSamples(item, hold.first, hold.last)};
        }
    } else if (after > 1.5F * std::max(before, hold.last + 2 < profile.count() ? profile.step[hold.last + 2] : 0.0F)) {
        finding.advice = "Export these frames again, or fill them from their neighbours: the motion catches up behind";
        finding.mendLabel = "Fill from neighbours";
        finding.mend = filledFromNeighbours(item, hold.first, hold.last);
    } else {
        finding.advice = "Drop them and close the gap: all behind them is late by as much";
        finding.mendLabel = "Drop and close";
        finding.mend = {withoutSamples(item, hold.first, hold.last, true)};
    }
    finding.moments = momentsOf(item, hold.first, hold.last);
    findings.push_back(std::move(finding));
}

// What rests is innocent: before a launch, after a stop, between two moves. A frame held by mistake stands amid motion
// that goes on behind it; a simulation that died stands still from full speed on, in the middle of a deformation.
void checkHolds(const CheckInput& input, const MeasuredItem& item, std::vector<Finding>& findings) {
    constexpr double kBends = 0.15;    // of the way: beyond it something deforms, below it moves as one piece
    constexpr std::size_t kHiccup = 2; // samples that no one lets a thing rest for
    constexpr std::size_t kStall = 24; // longest that a stall in the middle is taken for one
    constexpr std::size_t kDead = 12;  // held samples at the end that are no slip but a death
    const MotionProfile& profile = *item.profile;
    if (profile.count() < 3 || !profile.moves())
        return;
    const auto holds = holdsOf(profile);
    const std::size_t each = framesEach(profile, holds);
    if (each > 0)
        findings.push_back({"motion.on_twos",
                            Severity::Note,
                            item.label,
                            {},
                            static_cast<double>(each),
                            "frames",
                            fmt::format("It moves on {}: each pose stands for {} frames",
                                        each == 2   ? "twos"
                                        : each == 3 ? "threes"
                                                    : "fours",
                                        each),
                            "Nothing to do if it was animated so",
                            {},
                            {}});
    const float usual = movingMedian(profile);
    if (usual < 0.01F * leastWay(item)) // it trembles by rounding
        return;
    Closer closer(item);
    for (const Hold& hold : holds) {
        const std::size_t run = hold.count();
        const bool first = hold.first == 1;
        const bool last = hold.last + 1 == profile.count();
        const auto meant = [&](const TimeSpan& span) {
            return profile.times[hold.first] > span.first - kSameMoment &&
                   profile.times[hold.last] < span.last + kSameMoment;
        };
        if (std::any_of(item.heldBySteps.begin(), item.heldBySteps.end(), meant))
            continue;
        if (run + 1 == each || (each > 0 && last && run < each))
            continue;
        const float before = first ? 0.0F : profile.step[hold.first - 1];
        const float after = last ? before : profile.step[hold.last + 1];
        // Bent on the way in: amid a deformation, not a body that stands.
        const auto bends = [&](std::size_t sample) { return closer.bend(sample - 1, sample) > kBends; };
        if (first) { // a rest before a launch, but for one doubled frame amid a deformation at its speed
            const bool launched = run > 1 || last || hold.last + 2 >= profile.count();
            const float next = launched ? 0.0F : profile.step[hold.last + 2];
            if (!launched && after > 0.5F * usual && std::abs(next / after - 1.0F) < 0.3F && bends(hold.last + 1))
                reportHold(input, item, hold, after, after, findings);
            continue;
        }
        if (last) {
            const bool fullSpeed =
                before > 0.5F * usual && (hold.first < 3 || before > 0.6F * profile.step[hold.first - 2]);
            if (run == 1 ? before > 0.2F * usual : run < kDead && fullSpeed && bends(hold.first - 1)) {
                reportHold(input, item, hold, before, before, findings);
            } else if (run >= kDead && fullSpeed && bends(hold.first - 1)) {
                findings.push_back({"motion.dies",
                                    Severity::Fault,
                                    item.label,
                                    item.frameAt(hold.first),
                                    static_cast<double>(run),
                                    "frames",
                                    fmt::format("It stops dead after {}: it deforms by {} a frame, then the last {} "
                                                "frames are all the same",
                                                frameText(item.frameAt(hold.first - 1)),
                                                lengthOf(item, static_cast<double>(before)), run),
                                    "The simulation may have failed there: run it again from this frame",
                                    {},
                                    {}});
            }
            continue;
        }
        const float threshold = 0.2F * usual;
        if (!(before > threshold && after > threshold) || run > kStall)
            continue;
        if (run <= kHiccup || (before > 0.5F * usual && after > 0.5F * usual && bends(hold.first - 1)))
            reportHold(input, item, hold, before, after, findings);
    }
}

} // namespace

void checkFrames(const CheckInput& input, std::vector<Finding>& findings) {
    for (const MeasuredItem& item : input.items) {
        if (!item.profile)
            continue;
        checkGaps(item, findings);
        std::vector<std::size_t> samples;
        for (const UnreadableSample& bad : item.profile->unreadable)
            samples.push_back(bad.sample);
        for (const UnreadableSample& bad : item.profile->unreadable) {
            const auto [first, last] = runAround(samples, bad.sample);
            findings.push_back({"frames.unreadable",
                                Severity::Fault,
                                item.label,
                                item.frameAt(bad.sample),
                                {},
                                "",
                                bad.error.text(),
                                "Export this frame again, or fill it from its neighbours",
                                "Fill from neighbours",
                                filledFromNeighbours(item, first, last),
                                1,
                                momentsOf(item, first, last)});
        }
        checkHolds(input, item, findings);
    }
}

} // namespace wyc
