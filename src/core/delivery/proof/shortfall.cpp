// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/shortfall.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "base/text.h"
#include "measure/motion.h"

namespace wyc {
namespace {

FrameRange framesOf(const Scene& scene, const TimeSpan& span) {
    return {snappedFrame(scene.view.rate.frameAt(span.first)), snappedFrame(scene.view.rate.frameAt(span.last))};
}

struct Lack {
    double atStart = 0.0; // frames
    double atEnd = 0.0;
    std::size_t single = 0; // frames that were named one by one
    [[nodiscard]] bool any() const { return atStart > 0.0 || atEnd > 0.0 || single > 0; }
    [[nodiscard]] std::string words(const AskedFrames& asks, const FrameRange& has) const {
        const std::string there = fmt::format("it has {} – {}", frameText(has.first), frameText(has.last));
        const auto frames = [](double count) {
            return fmt::format("{} frame{}", frameText(count), count == 1.0 ? "" : "s");
        };
        if (!asks.range)
            return fmt::format("{} of the frames asked for {} missing: {}", single, single == 1 ? "is" : "are", there);
        return fmt::format("{}{}{} of {} missing: {}", atStart > 0.0 ? frames(atStart) + " at the start" : "",
                           atStart > 0.0 && atEnd > 0.0 ? " and " : "",
                           atEnd > 0.0 ? frames(atEnd) + " at the end" : "", asks.range->text(), there);
    }
};

// `start`, `end`: whether what lies beyond counts.
Lack lackOf(const AskedFrames& asks, const FrameRange& has, bool start = true, bool end = true) {
    const auto over = [](double frames) { return frames < kFrameTolerance ? 0.0 : frames; };
    Lack lack;
    if (asks.range) {
        lack.atStart = start ? over(has.first - asks.range->first) : 0.0;
        lack.atEnd = end ? over(asks.range->last - has.last) : 0.0;
        return lack;
    }
    for (const double frame : asks.frames)
        lack.single += (start && frame < has.first - kFrameTolerance) || (end && frame > has.last + kFrameTolerance);
    return lack;
}

// What eases into rest has a step at its end that is small beside those before; what is cut off has not.
bool endsInMotion(const Scene& scene, std::size_t node, bool atEnd) {
    constexpr std::size_t kSteps = 8;
    constexpr float kAtRest = 0.2F;
    const SampleReader reader(scene, node);
    const std::size_t count = reader.times().size();
    if (count < 2)
        return false;
    if (const auto stands = placementAt(scene, node, atEnd ? reader.times().back() : reader.times().front());
        stands && !stands->visible)
        return false;
    std::vector<Vec3f> earlier;
    std::vector<Vec3f> later;
    float last = 0.0F;
    float largest = 0.0F;
    for (std::size_t i = 0; i < std::min(count, kSteps + 1); ++i) {
        if (!reader.points(atEnd ? count - 1 - i : i, later))
            return true; // nothing says that it rests
        if (i > 0) {
            const float way = rmsDistance(earlier, later);
            if (std::isnan(way))
                return true; // points came or went
            largest = std::max(largest, way);
            last = i == 1 ? way : last;
        }
        std::swap(earlier, later);
    }
    return last > kAtRest * largest;
}

} // namespace

std::vector<std::string> shortfallsOf(const Scene& before, const Step& step) {
    const auto span = movingSpan(before);
    const StepType* type = stepType(step.type);
    if (!span || !type || !type->asks)
        return {};
    const auto options = checkedOptions(*type, step.options);
    if (!options)
        return {}; // told when it is applied
    const AskedFrames asks = type->asks(*options);
    const FrameRange whole = framesOf(before, *span);
    std::vector<std::string> words;
    if (const Lack lack = lackOf(asks, whole); lack.any())
        words.push_back(lack.words(asks, whole));
    std::map<std::string, std::vector<std::string>> items; // by what they lack
    for (std::size_t i = 0; i < before.nodes.size(); ++i) {
        const Node& node = before.nodes[i];
        const auto own = node.geometry ? movingSpan(before, i) : std::nullopt;
        if (!own)
            continue;
        const FrameRange has = framesOf(before, *own);
        const bool start = has.first > whole.first + kFrameTolerance;
        const bool end = has.last < whole.last - kFrameTolerance;
        if (!lackOf(asks, has, start, end).any())
            continue;
        const Lack lack =
            lackOf(asks, has, start && endsInMotion(before, i, false), end && endsInMotion(before, i, true));
        if (lack.any())
            items[lack.words(asks, has)].push_back(node.name);
    }
    for (const auto& [lack, names] : items)
        words.push_back(fmt::format("{}: {}", firstNames(names), lack));
    return words;
}

} // namespace wyc
