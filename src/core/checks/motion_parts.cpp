// SPDX-License-Identifier: GPL-3.0-or-later
#include "checks/motion_parts.h"

#include <algorithm>
#include <limits>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {

float medianOf(std::vector<float> values) {
    if (values.empty())
        return 0.0F;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

std::string exactFrames(const MeasuredItem& item, std::size_t first, std::size_t last) {
    std::string list;
    for (std::size_t i = first; i <= last; ++i)
        list += (list.empty() ? "" : ",") + shortestNumber(item.frameAt(i));
    return list;
}

float movingMedian(const MotionProfile& profile) {
    std::vector<float> steps;
    for (const float step : profile.step)
        if (step > 0.0F)
            steps.push_back(step);
    return medianOf(std::move(steps));
}

std::vector<double> momentsOf(const MeasuredItem& item, std::size_t first, std::size_t last) {
    const auto begin = item.profile->times.begin();
    return {begin + static_cast<std::ptrdiff_t>(first), begin + static_cast<std::ptrdiff_t>(last) + 1};
}

Step withoutSamples(const MeasuredItem& item, std::size_t first, std::size_t last, bool close) {
    return {"drop", {{"frames", exactFrames(item, first, last)}, {"exactly", true}, {"close", close}}, true};
}

std::vector<Step> filledFromNeighbours(const MeasuredItem& item, std::size_t first, std::size_t last) {
    const std::size_t count = last - first + 1;
    const std::size_t samples = item.profile->count();
    if (count == samples)
        return {};
    const bool atStart = first == 0;
    const bool atEnd = last + 1 == samples;
    if (!atStart && !atEnd)
        return {withoutSamples(item, first, last), Step{"fill", nlohmann::json::object(), true}};
    if (count == 1 && samples >= 4)
        return {Step{
            "ends",
            {{"first", atStart ? "as its neighbour" : "as it is"}, {"last", atEnd ? "as its neighbour" : "as it is"}},
            true}};
    // Frames are held, not samples within them.
    const double frames = std::round(item.frameAt(last) - item.frameAt(first)) + 1.0;
    if (frames != static_cast<double>(count))
        return {};
    return {withoutSamples(item, first, last), Step{"hold", {{atStart ? "before" : "after", frames}}, true}};
}

std::pair<std::size_t, std::size_t> runAround(const std::vector<std::size_t>& samples, std::size_t sample) {
    const auto has = [&](std::size_t s) { return std::find(samples.begin(), samples.end(), s) != samples.end(); };
    std::pair run{sample, sample};
    while (run.first > 0 && has(run.first - 1))
        --run.first;
    while (has(run.second + 1))
        ++run.second;
    return run;
}

float leastWay(const MeasuredItem& item) {
    return item.profile->extent.isEmpty() ? 0.0F : static_cast<float>(1e-4 * item.profile->extent.diagonal());
}

std::string framesText(const MeasuredItem& item, std::size_t first, std::size_t last) {
    return first == last ? "frame " + frameText(item.frameAt(first))
                         : fmt::format("frames {} – {}", frameText(item.frameAt(first)), frameText(item.frameAt(last)));
}

std::string lengthOf(const MeasuredItem& item, double value) {
    return item.unitMetres ? lengthText(value * *item.unitMetres) : fmt::format("{:.3g} units", value);
}

void setLength(Finding& finding, const MeasuredItem& item, double value) {
    finding.figure = item.unitMetres ? value * *item.unitMetres * 1000.0 : value;
    finding.unit = item.unitMetres ? "mm" : "units";
}

float Closer::gap(std::size_t a, std::size_t b) {
    const auto* from = points(a);
    const auto* to = points(b);
    return from && to ? rmsDistance(*from, *to) : std::numeric_limits<float>::quiet_NaN();
}

double Closer::bend(std::size_t a, std::size_t b) {
    const auto* from = points(a);
    const auto* to = points(b);
    return from && to && from->size() == to->size() ? bendShare(*from, *to) : 0.0;
}

const std::vector<Vec3f>* Closer::points(std::size_t sample) {
    constexpr std::size_t kKept = 8;
    // The one that was asked for last goes last.
    const auto known = std::find_if(kept_.begin(), kept_.end(), [&](const auto& kept) { return kept.first == sample; });
    if (known != kept_.end()) {
        std::rotate(known, std::next(known), kept_.end());
        return kept_.back().second.get();
    }
    auto read = std::make_unique<std::vector<Vec3f>>();
    if (!reader_.points(sample, *read))
        read.reset();
    if (kept_.size() >= kKept)
        kept_.pop_front();
    kept_.emplace_back(sample, std::move(read));
    return kept_.back().second.get();
}

} // namespace wyc
