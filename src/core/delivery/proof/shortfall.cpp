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

// Where an item is at a moment: its points, or what a transform alone makes of the corners of a unit.
Result<std::vector<Vec3f>> placesAt(const Scene& scene, std::size_t node, double seconds) {
    std::vector<Vec3f> points{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    if (const GeometryPtr& shape = scene.nodes[node].geometry)
        WYC_CHECK(readPointsAt(*shape, seconds, points));
    WYC_TRY(placement, placementAt(scene, node, seconds));
    for (Vec3f& point : points)
        point = transformedPoint(point, placement.matrix);
    return points;
}

// What eases into rest has a step at its end that is small beside those before; what is cut off has not.
bool endsInMotion(const Scene& scene, std::size_t node, double frame, bool atEnd) {
    constexpr int kSteps = 8;
    constexpr float kAtRest = 0.2F;
    const auto seconds = [&](int k) { return scene.view.rate.secondsAt(atEnd ? frame - k : frame + k); };
    if (const auto stands = placementAt(scene, node, seconds(0)); stands && !stands->visible)
        return false;
    auto earlier = placesAt(scene, node, seconds(0));
    float last = 0.0F;
    float largest = 0.0F;
    for (int k = 1; k <= kSteps && earlier; ++k) {
        auto later = placesAt(scene, node, seconds(k));
        const float way = later ? rmsDistance(*earlier, *later) : std::nanf("");
        if (std::isnan(way))
            return true; // points came or went, or nothing says that it rests
        largest = std::max(largest, way);
        last = k == 1 ? way : last;
        earlier = std::move(later);
    }
    return !earlier || last > kAtRest * largest;
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
    const FrameRate& rate = before.view.rate;
    const FrameRange whole{snappedFrame(rate.frameAt(span->first)), snappedFrame(rate.frameAt(span->last))};
    std::vector<std::string> words;
    if (const Lack lack = lackOf(asks, whole); lack.any())
        words.push_back(lack.words(asks, whole));
    std::map<std::string, std::vector<std::string>> items; // by what they lack
    for (std::size_t i = 0; i < before.nodes.size(); ++i) {
        const Node& node = before.nodes[i];
        const bool shows = node.geometry || node.kind == NodeKind::Camera || node.kind == NodeKind::Light;
        const auto own = shows ? movingFrames(before, i) : std::nullopt;
        if (!own)
            continue;
        const FrameRange& has = *own;
        const bool start = has.first > whole.first + kFrameTolerance;
        const bool end = has.last < whole.last - kFrameTolerance;
        if (!lackOf(asks, has, start, end).any())
            continue;
        const Lack lack = lackOf(asks, has, start && endsInMotion(before, i, has.first, false),
                                 end && endsInMotion(before, i, has.last, true));
        if (lack.any())
            items[lack.words(asks, has)].push_back(node.name);
    }
    for (const auto& [lack, names] : items)
        words.push_back(fmt::format("{}: {}", firstNames(names), lack));
    return words;
}

} // namespace wyc
