// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/check.h"

namespace wyc {
namespace {

constexpr float kJumpFactor = 6.0F;    // a jump is a step beyond this many times the local median
constexpr std::size_t kJumpWindow = 4; // samples on each side that the local median is taken of

float medianOf(std::vector<float> values) {
    if (values.empty())
        return 0.0F;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

// Every one of these samples by its exact frame, not as a person would read it.
std::string exactFrames(const MeasuredItem& item, std::size_t first, std::size_t last) {
    std::string list;
    for (std::size_t i = first; i <= last; ++i)
        list += (list.empty() ? "" : ",") + shortestNumber(item.frameAt(i));
    return list;
}

// Median of the steps that are neither unknown nor zero.
float movingMedian(const MotionProfile& profile) {
    std::vector<float> steps;
    for (const float step : profile.step)
        if (step > 0.0F)
            steps.push_back(step);
    return medianOf(std::move(steps));
}

// Local median around sample i, without the sample itself.
float localMedian(const MotionProfile& profile, std::size_t i) {
    std::vector<float> steps;
    const std::size_t low = i > kJumpWindow ? i - kJumpWindow : 1;
    for (std::size_t k = low; k <= std::min(profile.count() - 1, i + kJumpWindow); ++k)
        if (k != i && profile.step[k] >= 0.0F)
            steps.push_back(profile.step[k]);
    return medianOf(std::move(steps));
}

bool isJump(const MotionProfile& profile, std::size_t i, float usual) {
    const float step = profile.step[i];
    if (!(step > 0.0F))
        return false;
    // Both the neighbours and the whole: something that starts quickly from rest is no jump.
    const float reference = std::max(localMedian(profile, i), 0.5F * usual);
    if (!(step > kJumpFactor * reference))
        return false;
    const auto near = [&](std::size_t k) { return k >= 1 && k < profile.count() && profile.step[k] > step / 3.0F; };
    return !near(i - 1) && !near(i + 1);
}

std::string lengthOf(const MeasuredItem& item, double value) {
    return item.unitMetres ? lengthText(value * *item.unitMetres) : fmt::format("{:.3g} units", value);
}

void setLength(Finding& finding, const MeasuredItem& item, double value) {
    finding.figure = item.unitMetres ? value * *item.unitMetres * 1000.0 : value;
    finding.unit = item.unitMetres ? "mm" : "units";
}

} // namespace

bool firstSampleIsStale(const MeasuredItem& item, bool* isRest) {
    const MotionProfile& profile = *item.profile;
    if (profile.count() < 4)
        return false;
    const float next = profile.step[1];
    if (!(next > 0.0F))
        return false;
    // The way to the next frame must stand out; a clean loop also begins near where it ends.
    std::vector<float> following;
    for (std::size_t i = 2; i < std::min<std::size_t>(profile.count(), 8); ++i)
        if (profile.step[i] >= 0.0F)
            following.push_back(profile.step[i]);
    const float usual = std::max(medianOf(following), 0.25F * movingMedian(profile));
    if (!(next > 2.5F * usual))
        return false;
    if (profile.firstToLast < next * 0.5F && profile.firstToLast < usual)
        return true;
    if (item.restPoints && item.at().geometry) {
        std::vector<Vec3f> first;
        if (readPoints(*item.at().geometry, 0, first) &&
            rmsDistance(first, *item.restPoints) < std::min(next * 0.5F, usual)) {
            if (isRest)
                *isRest = true;
            return true;
        }
    }
    return false;
}

void checkMotion(const CheckInput& input, std::vector<Finding>& findings) {
    for (const MeasuredItem& item : input.items) {
        if (!item.profile || item.profile->count() < 2)
            continue;
        const MotionProfile& profile = *item.profile;
        if (!profile.moves()) {
            if (item.movesBySource && profile.unreadable.empty() && profile.count() > 1)
                findings.push_back(
                    {"motion.static",
                     Severity::Caution,
                     item.label,
                     {},
                     static_cast<double>(profile.count()),
                     "samples",
                     fmt::format("It has {} samples, and all are the same: nothing moves", profile.count()),
                     "Switch its animation on and export again, or deliver it as one still sample",
                     {},
                     {}});
            continue;
        }
        bool rest = false;
        const bool stale = firstSampleIsStale(item, &rest);
        if (stale) {
            Finding finding{
                "frames.first_stale",
                Severity::Fault,
                item.label,
                item.frameAt(0),
                {},
                "",
                rest ? fmt::format("The first frame holds the rest pose: the next is {} away, later ones move {}",
                                   lengthOf(item, static_cast<double>(profile.step[1])),
                                   lengthOf(item, static_cast<double>(profile.step[2])))
                     : fmt::format("The first frame is stale: it is {} from the last frame, {} from the next",
                                   lengthOf(item, static_cast<double>(profile.firstToLast)),
                                   lengthOf(item, static_cast<double>(profile.step[1]))),
                "Drop the first frame",
                "Drop it",
                {Step{"drop", {{"start", 1.0}}, true}}};
            setLength(finding, item, static_cast<double>(profile.step[1]));
            findings.push_back(std::move(finding));
        }
        const float usual = movingMedian(profile);
        for (std::size_t i = stale ? 2 : 1; i < profile.count(); ++i) {
            if (!isJump(profile, i, usual))
                continue;
            const bool back = i + 1 < profile.count();
            Finding finding{"motion.jump",
                            Severity::Caution,
                            item.label,
                            item.frameAt(i),
                            {},
                            "",
                            fmt::format("A jump: the points move {} in this frame, {} in those around it",
                                        lengthOf(item, static_cast<double>(profile.step[i])),
                                        lengthOf(item, static_cast<double>(localMedian(profile, i)))),
                            back ? "Look at the frame before and after; a wrong pose can be dropped"
                                 : "Look at the last frame; it may belong to another take",
                            {},
                            {}};
            setLength(finding, item, static_cast<double>(profile.step[i]));
            findings.push_back(std::move(finding));
        }
    }
}

namespace {

// Samples at one distance with a few whole ones left out.
void checkGaps(const MeasuredItem& item, std::vector<Finding>& findings) {
    const MotionProfile& profile = *item.profile;
    const auto& remarks = item.scene->remarks;
    const bool told =
        std::any_of(remarks.begin(), remarks.end(), [](const ReaderRemark& r) { return r.id == "frames.missing"; });
    if (profile.count() < 6 || told)
        return;
    std::vector<double> gaps;
    for (std::size_t i = 1; i < profile.count(); ++i)
        gaps.push_back(item.frameAt(i) - item.frameAt(i - 1));
    std::vector<double> sorted = gaps;
    const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    const double usual = *middle;
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
             "Export these frames again, or resample to fill in between",
             "Fill in between",
             {Step{"resample", {{"rate", item.scene->workingRate.text()}, {"method", "linear"}}, true}}});
    }
}

} // namespace

void checkFrames(const CheckInput& input, std::vector<Finding>& findings) {
    for (const MeasuredItem& item : input.items) {
        if (!item.profile)
            continue;
        const MotionProfile& profile = *item.profile;
        checkGaps(item, findings);
        for (const UnreadableSample& bad : profile.unreadable)
            findings.push_back({"frames.unreadable",
                                Severity::Fault,
                                item.label,
                                item.frameAt(bad.sample),
                                {},
                                "",
                                bad.error.text(),
                                "Export this frame again, or drop it",
                                "Drop it",
                                {Step{"drop", {{"frames", shortestNumber(item.frameAt(bad.sample))}}, true}}});
        if (profile.count() < 3 || !profile.moves())
            continue;
        const float usual = movingMedian(profile);
        for (std::size_t i = 1; i < profile.count(); ++i) {
            if (!profile.sameAsPrevious[i])
                continue;
            std::size_t end = i;
            while (end + 1 < profile.count() && profile.sameAsPrevious[end + 1])
                ++end;
            // Something that comes to rest slows down first; a frame held by mistake stands amid motion.
            const float before = i > 1 ? profile.step[i - 1] : profile.step[std::min(end + 1, profile.count() - 1)];
            const float after = end + 1 < profile.count() ? profile.step[end + 1] : before;
            const float threshold = 0.2F * usual;
            const std::size_t run = end - i + 1;
            const bool last = end + 1 == profile.count();
            if (before > threshold && after > threshold && run <= 24) {
                const std::string frames = run == 1 ? frameText(item.frameAt(i))
                                                    : frameText(item.frameAt(i)) + " – " + frameText(item.frameAt(end));
                Finding finding{last && run == 1 ? "frames.last_doubled" : "frames.held",
                                Severity::Caution,
                                item.label,
                                item.frameAt(i),
                                {},
                                "",
                                fmt::format("{} repeat{} {}: no point moves; neighbours move {}", frames,
                                            run == 1 ? "s" : "", frameText(item.frameAt(i - 1)),
                                            lengthOf(item, static_cast<double>(std::min(before, after)))),
                                last ? "Drop the repeated end"
                                     : "Export these frames again, or drop them and close the gap",
                                last ? "Drop it" : "Drop and close",
                                {}};
                if (last)
                    finding.mend = {Step{"drop", {{"end", static_cast<double>(run)}}, true}};
                else
                    finding.mend = {Step{"drop", {{"frames", exactFrames(item, i, end)}, {"close", true}}, true}};
                finding.figure = static_cast<double>(run);
                finding.unit = "frames";
                findings.push_back(std::move(finding));
            }
            i = end;
        }
    }
}

} // namespace wyc
