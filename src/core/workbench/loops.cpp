// SPDX-License-Identifier: GPL-3.0-or-later
#include "workbench/loops.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/scene_tree.h"

namespace wyc {

std::vector<MovingItem> movingItemsOf(const Scene& scene) {
    std::vector<MovingItem> items;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].geometry && movingSpan(scene, i) && !neverSeen(scene, i))
            items.push_back({&scene, i, scene.unitMetres.value_or(1.0)});
    return items;
}

Result<FrameRange> rangeOrOne(const std::string& text) {
    if (const auto number = parseNumber(text))
        return FrameRange{*number, *number};
    return FrameRange::parse(text);
}

Result<LoopCandidate> candidateFor(const SeamMap& map, const LoopBounds& bounds) {
    const bool chosen = bounds.start && bounds.length && sameFrame(bounds.start->first, bounds.start->last) &&
                        sameFrame(bounds.length->first, bounds.length->last);
    if (!chosen) {
        WYC_TRY(found, loopCandidates(map, bounds));
        if (found.empty())
            return fail(makeError(ErrorKind::BadInput, "it never comes back to where it was: no cycle was found")
                            .withAdvice("Choose start and length by hand, and bridge or fade it"));
        return found.front();
    }
    LoopCandidate candidate;
    candidate.start = bounds.start->first;
    candidate.length = bounds.length->first;
    const double first = candidate.start - map.frames().front();
    const double end = first + candidate.length;
    if (first >= 0.0 && end <= static_cast<double>(map.count() - 1)) {
        const auto s = static_cast<std::size_t>(std::lround(first));
        const auto e = static_cast<std::size_t>(std::lround(end));
        candidate.gap = map.distance(s, e);
        candidate.velocityGap = map.velocityGap(s, e);
        candidate.gapSteps = map.usualStep() > 0.0 ? candidate.gap / map.usualStep() : 0.0;
    }
    return candidate;
}

LoopClosing closingFor(const SeamMap& map, const LoopCandidate& candidate) {
    constexpr double kNoSeam = 0.02; // of a usual step
    constexpr double kMostFade = 24.0;
    LoopClosing closing;
    if (candidate.gapSteps <= kNoSeam) {
        closing.close = "cut";
        return closing;
    }
    const double before = candidate.start - map.frames().front();
    const double behind = map.frames().back() - (candidate.start + candidate.length - 1.0);
    const double room = std::floor(std::max(before, behind) + kFrameTolerance);
    const double wanted = std::clamp(std::floor(candidate.length / 4.0), 2.0, kMostFade);
    closing.fade = std::min(wanted, room);
    if (closing.fade < 2.0) {
        closing.close = "bridge";
        closing.fade = std::clamp(std::ceil(2.0 * candidate.gapSteps), 2.0, wanted);
    }
    return closing;
}

Result<LoopCandidate> ofExactLength(const SeamMap& map, const LoopBounds& bounds, const LoopCandidate& candidate,
                                    const LoopClosing& closing) {
    const bool exact = bounds.length && sameFrame(bounds.length->first, bounds.length->last);
    if (!exact || closing.close != "bridge")
        return candidate;
    const double bridged = bounds.length->first - closing.fade;
    if (bridged < 2.0)
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("a bridge of {} frames leaves nothing of a cycle of {}",
                                                       frameText(closing.fade), frameText(bounds.length->first)))
                .withAdvice("Give it fewer frames (--fade), or a longer cycle"));
    LoopBounds shorter = bounds;
    shorter.length = FrameRange{bridged, bridged};
    return candidateFor(map, shorter);
}

bool ClosedLoop::speedGrew() const {
    constexpr double kGrown = 1.05;
    return check.velocityGap > kGrown * cut.velocityGap && check.velocityGap > kGrown * check.largestVelocityGap;
}

Step loopStepFor(const LoopCandidate& candidate, const LoopClosing& closing) {
    const bool fades = closing.close != "cut";
    nlohmann::json options{{"start", candidate.start},
                           {"length", candidate.length},
                           {"close", closing.close},
                           {"fade", fades ? closing.fade : 0.0},
                           {"weight", closing.weight},
                           {"weights", closing.weights},
                           {"side", closing.side},
                           {"keep_shape", closing.keepShape},
                           {"closing_copy", closing.closingCopy},
                           {"cycles", static_cast<double>(closing.cycles)},
                           {"frames", 0.0},
                           {"fill", closing.fill},
                           {"travel", closing.travel}};
    return {"loop", std::move(options), true};
}

Step oneCycleOf(const Step& loopStep) {
    Step cycle = loopStep;
    cycle.options["cycles"] = 1.0;
    cycle.options["frames"] = 0.0;
    cycle.options["fill"] = "";
    cycle.options["closing_copy"] = false;
    if (cycle.options.value("travel", std::string()) == "goes on")
        cycle.options["travel"] = "taken out";
    return cycle;
}

Result<std::vector<Step>> loopStepsFor(const std::vector<MovingItem>& items, const Step& loopStep) {
    std::vector<Step> steps(items.size(), loopStep);
    const bool told = !loopStep.options.value("by", std::string()).empty();
    if (items.size() < 2 || told || loopStep.options.value("travel", std::string("comes back")) == "comes back")
        return steps;
    // Where the first one begins its second cycle.
    Step twice = oneCycleOf(loopStep);
    twice.options["travel"] = "goes on";
    twice.options["cycles"] = 2.0;
    WYC_TRY(meaning, meaningOf(*items.front().scene, twice));
    const FrameRate rate = items.front().scene->view.rate;
    const double start = loopStep.options.value("start", 0.0);
    const double end = start + periodOf(loopStep);
    const Carry way = meaning.time ? meaning.time->map.carryAt(rate.secondsAt(end)) : Carry{};
    for (std::size_t i = 0; i < items.size(); ++i) {
        const double unit = items.front().metres / items[i].metres;
        steps[i].options["by"] = fmt::format("{}, {}, {}", shortestNumber(way[0] * unit), shortestNumber(way[1] * unit),
                                             shortestNumber(way[2] * unit));
    }
    return steps;
}

namespace {

// One cycle as the steps make it, each item by its own.
Result<LoopCheck> cycleOf(const std::vector<MovingItem>& items, const std::vector<Step>& steps,
                          const Progress& progress) {
    std::vector<Scene> scenes;
    std::vector<MovingItem> made;
    scenes.reserve(items.size()); // they are pointed at
    for (std::size_t i = 0; i < items.size(); ++i) {
        WYC_CHECK(progress.poll());
        WYC_TRY(scene, applySteps(*items[i].scene, {steps[i]}));
        const auto node = scene.find(items[i].scene->nodes[items[i].node].id);
        scenes.push_back(std::move(scene));
        made.push_back({&scenes.back(), node.value_or(items[i].node), items[i].metres});
    }
    return checkLoop(made, progress);
}

} // namespace

Result<ClosedLoop> closedBy(const std::vector<MovingItem>& items, const Step& loopStep, const Progress& progress) {
    ClosedLoop closed;
    WYC_TRY(steps, loopStepsFor(items, loopStep));
    for (Step& step : steps)
        step = oneCycleOf(step);
    closed.steps = steps;
    const std::string close = loopStep.options.value("close", std::string());
    for (std::size_t i = 0; i < items.size() && close == "overlap"; ++i)
        for (const bool kept : {false, true}) {
            WYC_CHECK(progress.poll());
            Step faded = steps[i];
            faded.options["keep_shape"] = kept;
            WYC_TRY(shrink, fadeShrink(*items[i].scene, items[i].node, faded));
            double& into = kept ? closed.keptShrink : closed.shrink;
            into = std::max(into, shrink);
        }
    WYC_TRY(check, cycleOf(items, steps, progress.part(0.0, 0.5)));
    closed.check = std::move(check);
    closed.cut = closed.check;
    if (close != "cut") {
        for (Step& step : steps)
            step.options["close"] = "cut";
        WYC_TRY(cut, cycleOf(items, steps, progress.part(0.5, 1.0)));
        closed.cut = std::move(cut);
    }
    return closed;
}

Result<double> fadeShrink(const Scene& before, std::size_t node, const Step& loopStep) {
    const Node& it = before.nodes.at(node);
    if (!it.geometry || it.geometry->topologyVaries())
        return 0.0;
    const Step cycle = oneCycleOf(loopStep);
    WYC_TRY(meaning, meaningOf(before, cycle));
    WYC_TRY(made, applySteps(before, {cycle}));
    const auto place = made.find(it.id);
    if (!meaning.time || !place || !meaning.time->view.range)
        return 0.0;
    WYC_TRY(count, it.geometry->pointCountAt(0.0));
    WYC_TRY(topology, it.geometry->topologyAt(0.0));
    std::vector<std::pair<std::size_t, std::size_t>> edges;
    std::size_t corner = 0;
    for (const std::int32_t size : topology->faceSizes()) {
        for (std::int32_t c = 0; c < size; ++c) {
            const auto a = static_cast<std::size_t>(topology->corners()[corner + static_cast<std::size_t>(c)]);
            const auto b =
                static_cast<std::size_t>(topology->corners()[corner + static_cast<std::size_t>((c + 1) % size)]);
            if (a < b && b < count)
                edges.emplace_back(a, b);
        }
        corner += static_cast<std::size_t>(size);
    }
    if (edges.empty())
        return 0.0;
    const auto lengthsAt = [&](const Geometry& shape, double t) -> Result<std::vector<double>> {
        std::vector<Vec3f> points(count);
        WYC_CHECK(shape.readAt(t, 0, points));
        std::vector<double> lengths;
        lengths.reserve(edges.size());
        for (const auto& [a, b] : edges)
            lengths.push_back(length(Vec3d(points[a]) - Vec3d(points[b])));
        return lengths;
    };
    double worst = 0.0;
    for (const double t :
         wholeFrames(meaning.time->view.range->first, meaning.time->view.range->last, before.view.rate)) {
        const std::vector<TimedPose> poses = meaning.time->map.at(t);
        if (poses.size() != 2)
            continue;
        WYC_TRY(a, lengthsAt(*it.geometry, poses[0].seconds));
        WYC_TRY(b, lengthsAt(*it.geometry, poses[1].seconds));
        WYC_TRY(mixed, lengthsAt(*made.nodes[*place].geometry, t));
        double is = 0.0;
        double should = 0.0;
        for (std::size_t e = 0; e < edges.size(); ++e) {
            const double wanted = a[e] * poses[0].weight + b[e] * poses[1].weight;
            is += mixed[e] * mixed[e];
            should += wanted * wanted;
        }
        if (should > 0.0)
            worst = std::max(worst, 1.0 - std::sqrt(is / should));
    }
    return worst;
}

std::vector<Finding> loopFindings(const LoopCheck& check, const std::string& item) {
    std::vector<Finding> found;
    const auto length = [&](double value) { return loopLengthText(value, check.inSteps); };
    const double figured = check.inSteps ? 1.0 : 1000.0;
    const char* figureUnit = check.inSteps ? "steps" : "mm";
    const auto add = [&](std::string id, Severity severity, double figure, std::string unit, std::string text,
                         std::string advice, std::vector<Step> mend, std::string label) {
        Finding one;
        one.id = std::move(id);
        one.severity = severity;
        one.item = item;
        one.frame = check.last;
        one.figure = figure;
        one.unit = std::move(unit);
        one.text = std::move(text);
        one.advice = std::move(advice);
        one.mend = std::move(mend);
        one.mendLabel = std::move(label);
        found.push_back(std::move(one));
    };
    const Step dropLast{"drop", {{"end", 1.0}}, true};
    if (check.closingCopy)
        add("loop.closing_copy", Severity::Caution, 1.0, "frames",
            fmt::format("Its last frame ({}) equals its first: played again and again, that pose stands twice",
                        frameText(check.last)),
            "Leave the last frame out, unless the receiver wants the closing copy", {dropLast}, "drop last frame");
    else if (check.doubledEnd)
        add("loop.doubled_end", Severity::Fault, 1.0, "frames",
            fmt::format("Its last two frames are equal: the cycle hesitates at {}", frameText(check.last)),
            "Leave the last frame out", {dropLast}, "drop last frame");
    if (check.length < 4.0)
        add("loop.open", Severity::Fault, check.length, "frames", "It is too short to be a cycle",
            "Give it four frames or more", {}, {});
    else if (check.eases)
        add("loop.pause", Severity::Fault, check.step * figured, figureUnit,
            fmt::format("It slows down towards its seam and all but stops there: {} a frame, {} usually; played again "
                        "and again it pauses each time",
                        length(check.step), length(check.usualStep)),
            "Cut a cycle from where it moves evenly (wyc loop make, or the Loop desk)", {}, {});
    else if (check.pause)
        add("loop.pause", Severity::Fault, check.step * figured, figureUnit,
            fmt::format("It pauses over its seam: {} there, {} usually", length(check.step), length(check.usualStep)),
            "Its last frame is nearly its first: leave it out", {dropLast}, "drop last frame");
    else if (check.seenChanges)
        add("loop.visibility", Severity::Fault, 1.0, "",
            "It is seen at one end of the cycle and not at the other: it blinks each time round",
            "Export it seen throughout, or cut the cycle elsewhere", {}, {});
    else if (check.popping > 1.5 * check.usuallyPopping + 0.05)
        add("loop.points_pop", Severity::Fault, check.popping * 100.0, "%",
            fmt::format("{:.0f} % of its points appear or are gone over the seam, {:.0f} % at most inside",
                        check.popping * 100.0, check.usuallyPopping * 100.0),
            "Let the last points live on, or fade the ends (wyc loop make)", {}, {});
    else if (check.loopsGoingOn)
        add("loop.travels", Severity::Caution, check.travel * 1000.0, "mm",
            fmt::format("It goes on by {} each cycle: it loops where its travel goes on, and jumps back where it does "
                        "not",
                        lengthText(check.travel)),
            "Take its travel out, or let it go on (wyc loop make --travel)", {}, {});
    else if (!check.loops)
        add("loop.open", Severity::Fault, check.gap * figured, figureUnit,
            fmt::format("It does not close: the step over its seam is {} off ({:.2f} steps)", length(check.gap),
                        check.gapSteps),
            "Close it by a fade or a bridge (wyc loop make, or the Loop desk)", {}, {});
    return found;
}

} // namespace wyc
