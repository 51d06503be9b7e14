// SPDX-License-Identifier: GPL-3.0-or-later
// loop find, loop make, loop check, retime
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "measure/loop.h"
#include "options.h"
#include "scene/scene_tree.h"
#include "scene/stand_in.h"
#include "workbench/loops.h"

namespace wyc::cli {

using nlohmann::json;

namespace {

json number(double value) {
    return std::isfinite(value) ? json(value) : json(nullptr);
}

json toJson(const LoopCandidate& candidate) {
    return {{"start", candidate.start},
            {"length", candidate.length},
            {"gap_metres", number(candidate.gap)},
            {"gap_steps", number(candidate.gapSteps)},
            {"velocity_gap", number(candidate.velocityGap)},
            {"good", candidate.good}};
}

json toJson(const LoopCheck& check) {
    return {{"loops", check.loops},
            {"first", check.first},
            {"last", check.last},
            {"length", check.length},
            {"closing_copy", check.closingCopy},
            {"doubled_end", check.doubledEnd},
            {"pause", check.pause},
            {"step_metres", check.step},
            {"usual_step_metres", check.usualStep},
            {"gap_metres", check.gap},
            {"gap_steps", check.gapSteps},
            {"largest_inside_metres", check.largestInside},
            {"velocity_gap", check.velocityGap}};
}

// What is looked at, and keeps what it looks at alive.
struct Looked {
    SourcePtr source;
    std::shared_ptr<const Scene> scene; // what was chosen, with bodies for what has none
    std::vector<MovingItem> items;
    [[nodiscard]] std::string name() const {
        return items.size() == 1 ? scene->nodes[items.front().node].path : fmt::format("{} items", items.size());
    }
};

Result<Looked> lookedAt(const Common& common, const OpenArguments& open, const StepArguments& steps) {
    WYC_TRY(shot, steps.range.shot());
    WYC_TRY(sources, openAll(common, open, shot.rateOrDefault()));
    if (sources.size() != 1)
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("{} sources: a loop is looked for in one", sources.size()))
                .withAdvice("Name one of them"));
    Looked looked;
    looked.source = sources.front();
    WYC_TRY(chosen, chosenItems(looked.source->shown(), steps.items, steps.kinds));
    WYC_TRY(further, steps.steps(chosen));
    WYC_TRY(scene, applySteps(chosen, further));
    looked.scene = std::make_shared<const Scene>(withStandIns(scene));
    looked.items = movingItemsOf(*looked.scene);
    if (looked.items.empty())
        return fail(makeError(ErrorKind::BadInput, "nothing that is chosen moves")
                        .inFile(looked.source->spec.path.string())
                        .withAdvice("Choose an item that moves (--items)"));
    return looked;
}

Result<LoopBounds> boundsOf(const LoopArguments& arguments) {
    LoopBounds bounds;
    bounds.count = static_cast<std::size_t>(arguments.count);
    bounds.velocityFrames = arguments.velocity;
    if (!arguments.start.empty()) {
        WYC_TRY(range, rangeOrOne(arguments.start));
        bounds.start = range;
    }
    if (!arguments.length.empty()) {
        WYC_TRY(range, rangeOrOne(arguments.length));
        bounds.length = range;
    }
    return bounds;
}

// What is looked at, within which bounds, and how far apart its frames are.
struct Searched {
    Looked looked;
    LoopBounds bounds;
    SeamMap map;
};

Result<Searched> searched(const Common& common, const LoopArguments& arguments, const Progress& progress) {
    WYC_TRY(looked, lookedAt(common, arguments.convert.open, arguments.convert.steps));
    WYC_TRY(bounds, boundsOf(arguments));
    SeamMapSettings settings;
    settings.inPlace = arguments.inPlace || arguments.travel != "comes-back";
    WYC_TRY(map, seamMapOf(looked.items, settings, progress));
    return Searched{std::move(looked), bounds, std::move(map)};
}

void printCandidates(const std::vector<LoopCandidate>& candidates, bool inSteps) {
    if (candidates.empty())
        fmt::print("no cycle: it never comes back\n");
    for (const LoopCandidate& c : candidates)
        fmt::print("{}  {} – {}  {} frames  gap {} ({:.2f} steps), speed {}{}/s\n", c.good ? "ok" : "  ",
                   frameText(c.start), frameText(c.start + c.length - 1.0), frameText(c.length),
                   inSteps ? fmt::format("{:.3g} steps", c.gap) : lengthText(c.gap), c.gapSteps,
                   inSteps ? fmt::format("{:.3g} steps", c.velocityGap) : lengthText(c.velocityGap), "");
}

void printCheck(const LoopCheck& check) {
    fmt::print("{}  {} – {}, {} frames: over the seam {}, usual {}; off by {} ({:.2f} steps)\n",
               check.loops ? "loops" : "does not loop", frameText(check.first), frameText(check.last),
               frameText(check.length), lengthText(check.step), lengthText(check.usualStep), lengthText(check.gap),
               check.gapSteps);
}

} // namespace

int runLoopFind(const Common& common, const LoopArguments& arguments) {
    const TerminalProgress terminal(common);
    const auto found = searched(common, arguments, terminal.progress());
    if (!found)
        return report(common, found.error());
    const auto& [looked, bounds, map] = *found;
    const auto candidates = loopCandidates(map, bounds);
    if (!candidates)
        return report(common, candidates.error());
    const bool any = std::any_of(candidates->begin(), candidates->end(), [](const LoopCandidate& c) { return c.good; });
    if (common.json) {
        json list = json::array();
        for (const LoopCandidate& candidate : *candidates)
            list.push_back(toJson(candidate));
        printJson({{"source", looked.source->spec.path.string()},
                   {"item", looked.name()},
                   {"rate", looked.scene->workingRate.text()},
                   {"first", map.frames().front()},
                   {"last", map.frames().back()},
                   {"step_metres", map.usualStep()},
                   {"candidates", list}});
    } else {
        printCandidates(*candidates, map.inSteps());
        if (!any && !candidates->empty())
            remark(common, "none closes by itself: fade or bridge it (wyc loop make), where it comes near enough");
    }
    return kClean;
}

int runLoopCheck(const Common& common, const LoopArguments& arguments) {
    const TerminalProgress terminal(common);
    const auto looked = lookedAt(common, arguments.convert.open, arguments.convert.steps);
    if (!looked)
        return report(common, looked.error());
    const auto check = checkLoop(looked->items, terminal.progress());
    if (!check)
        return report(common, check.error());
    const std::vector<Finding> findings = loopFindings(*check, looked->name());
    if (common.json) {
        json document = toJson(*check);
        document["source"] = looked->source->spec.path.string();
        document["item"] = looked->name();
        document["findings"] = json::array();
        for (const Finding& finding : findings)
            document["findings"].push_back(wyc::toJson(finding));
        printJson(document);
    } else {
        printCheck(*check);
        printFindings(common, findings);
    }
    return check->loops ? kClean : kFindings;
}

int runLoopMake(const Common& common, const LoopArguments& arguments) {
    const TerminalProgress terminal(common);
    // Searched on what is chosen after its steps; made behind them.
    const auto found = searched(common, arguments, terminal.progress().part(0.0, 0.3));
    if (!found)
        return report(common, found.error());
    const auto& [looked, bounds, map] = *found;
    const auto candidate = candidateFor(map, bounds);
    if (!candidate)
        return report(common, candidate.error());
    LoopClosing closing = closingFor(map, *candidate);
    if (!arguments.close.empty())
        closing.close = arguments.close;
    if (arguments.fade)
        closing.fade = *arguments.fade;
    if (arguments.weight == "linear" || arguments.weight == "smooth" || arguments.weight == "smoother") {
        closing.weight = arguments.weight;
    } else {
        const auto keys = readWholeFile(arguments.weight, 1 << 20);
        if (!keys)
            return report(common, keys.error());
        closing.weights.assign(reinterpret_cast<const char*>(keys->data()), keys->size());
    }
    closing.keepShape = arguments.keepShape;
    closing.closingCopy = arguments.closingCopy;
    closing.travel = arguments.travel;
    std::replace(closing.travel.begin(), closing.travel.end(), '-', ' ');
    closing.cycles = arguments.cycles;
    closing.fill = arguments.fill;
    const Step step = loopStepFor(*candidate, closing);
    const auto closed = closedBy(looked.items, step, terminal.progress().part(0.3, 0.5));
    if (!closed)
        return report(common, closed.error());
    ConvertArguments convert = arguments.convert;
    convert.steps.behind.push_back(step);
    const auto written = writeConverted(common, convert, terminal.progress().part(0.5, 1.0));
    if (!written)
        return report(common, written.error());
    if (common.json) {
        json after = toJson(closed->check);
        after["edges_shrink"] = closed->shrink;
        after["edges_shrink_shape_kept"] = closed->keptShrink;
        printJson({{"source", looked.source->spec.path.string()},
                   {"item", looked.name()},
                   {"candidate", toJson(*candidate)},
                   {"step", {{"type", step.type}, {"options", step.options}}},
                   {"says", describeStep(step)},
                   {"before",
                    {{"gap_metres", number(candidate->gap)},
                     {"gap_steps", number(candidate->gapSteps)},
                     {"velocity_gap", number(candidate->velocityGap)}}},
                   {"after", after},
                   {"outputs", *written}});
    } else {
        fmt::print("{}\n", describeStep(step));
        printCheck(closed->check);
    }
    return closed->check.loops ? kClean : kFindings;
}

int runRetime(const Common& common, const RetimeArguments& arguments) {
    const TerminalProgress terminal(common);
    ConvertArguments convert = arguments.convert;
    std::string curve = arguments.curve;
    std::error_code code;
    if (fs::is_regular_file(curve, code)) {
        const auto bytes = readWholeFile(curve, 1 << 20);
        if (!bytes)
            return report(common, bytes.error());
        curve.assign(reinterpret_cast<const char*>(bytes->data()), bytes->size());
    }
    Step step{"retime", {{"curve", curve}, {"shape", arguments.smooth ? "smooth" : "straight"}}, true};
    step.options["between"] = arguments.curved ? "curve" : "line";
    if (!arguments.beyond.empty())
        step.options["beyond"] = arguments.beyond == "back" ? "there and back" : arguments.beyond;
    if (!arguments.until.empty()) {
        const auto frame = parseNumber(arguments.until);
        if (!frame)
            return report(common, makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame", arguments.until))
                                      .withAdvice("--until takes the last frame"));
        step.options["until"] = *frame;
    }
    convert.steps.behind.push_back(step);
    const auto written = writeConverted(common, convert, terminal.progress());
    if (!written)
        return report(common, written.error());
    if (common.json)
        printJson({{"step", {{"type", step.type}, {"options", step.options}}}, {"outputs", *written}});
    return kClean;
}

} // namespace wyc::cli
