// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/ask/chain.h"

#include <cmath>

#include "base/text.h"
#include "scene/components/instancer.h"
#include "steps/time/time_parts.h"

namespace wyc {

namespace {

bool resamples(const Scene& scene, const ChainSpec& spec) {
    return spec.rate && *spec.rate != scene.view.rate;
}

// The range counts in the rate that the scene is resampled to.
bool resamplesFirst(const Scene& scene, const ChainSpec& spec) {
    return resamples(scene, spec) && *spec.rate == spec.rangeRate.value_or(*spec.rate);
}

std::vector<std::size_t> placedShapes(const Scene& scene) {
    std::vector<std::size_t> placed;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].geometry && isPlaced(scene, i))
            placed.push_back(i);
    return placed;
}

Step intoPoints(const Scene& scene, const ChainSpec& spec) {
    return {"world",
            hasInstancers(scene) && !spec.transforms ? nlohmann::json{{"groups", "kept"}, {"instancers", "points"}}
                                                     : nlohmann::json{{"groups", "kept"}},
            true};
}

} // namespace

std::optional<Step> placesIntoPoints(const Scene& scene, const ChainSpec& spec) {
    if (spec.transforms || spec.ownSpace || placedShapes(scene).empty())
        return std::nullopt;
    return intoPoints(scene, spec);
}

Scene tellingOfPlaces(Scene scene, const Format& format) {
    if (!format.keeps(Content::Transforms))
        for (const std::size_t i : placedShapes(scene))
            scene.report.notCarried.push_back({scene.nodes[i].path, "its transform: it goes into the points"});
    return scene;
}

bool numbersItsRange(const Scene& scene, const ChainSpec& spec) {
    return spec.range && spec.firstFrame && (!resamples(scene, spec) || resamplesFirst(scene, spec));
}

std::vector<Step> startTogether(const std::vector<const Scene*>& scenes, double firstFrame) {
    double earliest = kForever;
    for (const Scene* scene : scenes)
        if (const auto span = spanOf(*scene))
            earliest = std::min(earliest, span->first);
    std::vector<Step> steps;
    for (const Scene* scene : scenes)
        steps.push_back(
            {"offset",
             {{"frames",
               std::isfinite(earliest) ? firstFrame - snappedFrame(scene->view.rate.frameAt(earliest)) : 0.0}},
             true});
    return steps;
}

std::vector<Step> chainOf(const Scene& scene, const ChainSpec& spec) {
    std::vector<Step> steps;
    const auto add = [&](const char* type, nlohmann::json options) {
        steps.push_back({type, std::move(options), true});
    };
    if (spec.world || (!spec.transforms && !spec.ownSpace && !placedShapes(scene).empty()))
        steps.push_back(intoPoints(scene, spec));
    if (spec.unit)
        add("unit", {{"from", spec.unit->first}, {"to", spec.unit->second}});
    if (spec.scale != 1.0)
        add("scale", {{"factor", spec.scale}});
    if (spec.up)
        add("turn", {{"from", upAxisName(spec.up->first)}, {"to", upAxisName(spec.up->second)}});
    if (spec.lead > 0.0)
        add("drop", {{"start", spec.lead}});
    const auto resample = [&] {
        if (resamples(scene, spec))
            add("resample", {{"rate", spec.rate->text()}, {"method", spec.resample}});
    };
    const bool towardsRange = resamplesFirst(scene, spec);
    if (towardsRange)
        resample();
    if (spec.offset != 0.0)
        add("offset", {{"frames", spec.offset}});
    const FrameRate now = towardsRange ? *spec.rate : scene.view.rate;
    const bool numbered = numbersItsRange(scene, spec);
    if (spec.range) {
        double first = spec.range->first - spec.handles;
        double last = spec.range->last + spec.handles;
        // The range's seconds, in whole frames of what it cuts.
        if (const FrameRate own = spec.rangeRate.value_or(now); own != now) {
            first = std::ceil(now.frameAt(own.secondsAt(first)) - kFrameTolerance);
            last = std::floor(now.frameAt(own.secondsAt(last)) + kFrameTolerance);
            add("trim", {{"first", first}, {"last", last}, {"handles", 0.0}});
        } else {
            add("trim", {{"first", spec.range->first}, {"last", spec.range->last}, {"handles", spec.handles}});
        }
        if (numbered)
            add("offset", {{"frames", *spec.firstFrame - first}});
    }
    if (!spec.frames.empty())
        add("keep", {{"frames", spec.frames}});
    if (spec.every > 1)
        add("every", {{"count", static_cast<double>(spec.every)}});
    if (!towardsRange)
        resample();
    if (spec.length)
        add("length", {{"frames", *spec.length}});
    if (spec.shutter)
        add("shutter", {{"open", spec.shutter->open},
                        {"close", spec.shutter->close},
                        {"samples", static_cast<double>(spec.shutter->samples)}});
    if (spec.firstFrame && !numbered && !spec.together)
        add("start", {{"frame", *spec.firstFrame}});
    return steps;
}

} // namespace wyc
