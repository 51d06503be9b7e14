// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <memory>

#include <fmt/format.h>

#include "base/text.h"
#include "converted.h"
#include "declare.h"
#include "measure/loop.h"
#include "scene/scene_tree.h"
#include "scene/stand_in.h"
#include "verbs/verbs.h"
#include "workbench/loops.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct LoopArguments {
    ConvertArguments convert; // sources, choices, steps; of `make` the target too
    std::string start;        // A:B
    std::string length;       // A:B
    int count = 8;
    double velocity = 2.0; // frames
    bool inPlace = false;
    std::string close;
    std::optional<double> fade;
    std::string weight = "smooth";
    bool keepShape = false;
    std::string travel = "comes-back";
    bool closingCopy = false;
    int cycles = 1;
    std::string fill;
};

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
            {"velocity_gap", check.velocityGap},
            {"in_steps", check.inSteps},
            {"travel_metres", check.travel},
            {"loops_going_on", check.loopsGoingOn},
            {"seen_changes", check.seenChanges},
            {"points_popping", check.popping},
            {"points_followed", check.followed},
            {"points", check.points}};
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
        fmt::print("{}  {} – {}  {} frames  gap {} ({:.2f} steps), speed {}/s\n", c.good ? "ok" : "  ",
                   frameText(c.start), frameText(c.start + c.length - 1.0), frameText(c.length),
                   loopLengthText(c.gap, inSteps), c.gapSteps, loopLengthText(c.velocityGap, inSteps));
}

void printCheck(const LoopCheck& check) {
    const auto length = [&](double value) { return loopLengthText(value, check.inSteps); };
    fmt::print("{}  {} – {}, {} frames: over the seam {}, usual {}; off by {} ({:.2f} steps)\n",
               check.loops          ? "loops"
               : check.loopsGoingOn ? "loops, with its travel going on"
                                    : "does not loop",
               frameText(check.first), frameText(check.last), frameText(check.length), length(check.step),
               length(check.usualStep), length(check.gap), check.gapSteps);
    if (check.followed < check.points)
        fmt::print(
            "  by {} of {} points, which are there all the time; over the seam {:.0f} % come or go, inside {:.0f} % "
            "at most\n",
            groupedDigits(check.followed), groupedDigits(check.points), check.popping * 100.0,
            check.usuallyPopping * 100.0);
}

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
                   {"rate", looked.scene->view.rate.text()},
                   {"first", map.frames().front()},
                   {"last", map.frames().back()},
                   {"step_metres", map.usualStep()},
                   {"candidates", list}});
    } else {
        printCandidates(*candidates, map.inSteps());
        if (!any && !candidates->empty())
            remark(common, "none closes by itself: fade or bridge it (wyc loop make), where it comes near enough");
    }
    return any ? kClean : kFindings;
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
    auto candidate = candidateFor(map, bounds);
    if (!candidate)
        return report(common, candidate.error());
    LoopClosing closing = closingFor(map, *candidate);
    if (!arguments.close.empty())
        closing.close = arguments.close;
    if (arguments.fade)
        closing.fade = *arguments.fade;
    candidate = ofExactLength(map, bounds, *candidate, closing);
    if (!candidate)
        return report(common, candidate.error());
    if (arguments.weight == "linear" || arguments.weight == "smooth" || arguments.weight == "smoother") {
        closing.weight = arguments.weight;
    } else {
        const auto keys = readTextFile(arguments.weight, 1 << 20);
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
    const double shrink = closing.keepShape ? closed->keptShrink : closed->shrink;
    if (common.json) {
        json after = toJson(closed->check);
        after["closes"] = closed->closes();
        after["edges_shrink"] = closed->shrink;
        after["edges_shrink_shape_kept"] = closed->keptShrink;
        printJson({{"source", looked.source->spec.path.string()},
                   {"item", looked.name()},
                   {"candidate", toJson(*candidate)},
                   {"step", {{"type", step.type}, {"options", step.options}}},
                   {"says", describeStep(step)},
                   {"before",
                    {{"gap_metres", number(closed->cut.gap)},
                     {"gap_steps", number(closed->cut.gapSteps)},
                     {"velocity_gap", number(closed->cut.velocityGap)}}},
                   {"after", after},
                   {"outputs", *written}});
    } else {
        fmt::print("{}\n", describeStep(step));
        printCheck(closed->check);
        const auto length = [&](double value) { return loopLengthText(value, closed->check.inSteps); };
        fmt::print("  cut: off by {} -> {}, speed over the seam changes by {}/s -> {}/s; edges shrink by {:.1f} %\n",
                   length(closed->cut.gap), length(closed->check.gap), length(closed->cut.velocityGap),
                   length(closed->check.velocityGap), std::max(0.0, shrink) * 100.0);
        if (closed->speedGrew())
            remark(common, "its speed changes more over the seam than it would with a cut: try a longer fade");
    }
    return closed->closes() ? kClean : kFindings;
}

} // namespace

Run declareLoop(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<LoopArguments>();
    app.require_subcommand(1);
    const auto act = [&](const char* name, const char* help) {
        CLI::App* made = app.add_subcommand(name, help);
        addSources(*made, given->convert.open);
        addChoice(*made, given->convert.steps.items, given->convert.steps.kinds);
        return made;
    };
    const auto bounds = [&](CLI::App& verb) {
        addText(verb, "--start", given->start, "First frames to try, as 1009:1060, or one", "A:B");
        addText(verb, "--length", given->length, "Lengths to try, as 24:96, or one", "A:B");
        verb.add_option("--velocity", given->velocity,
                        "How much speeds count against places: the way gone in so many frames (default 2)")
            ->check(CLI::NonNegativeNumber)
            ->type_name("FRAMES");
        verb.add_flag("--in-place", given->inPlace, "Rigid travel is left out of account");
    };
    auto* findVerb = act("find", "Cycles in a motion, best first");
    addRange(*findVerb, given->convert.steps.range);
    bounds(*findVerb);
    findVerb->add_option("--count", given->count, "At most so many")->check(CLI::Range(1, 1000))->type_name("N");
    findVerb->footer("Example: wyc loop find jelly_sim.abc --length 40:100");
    auto* loopCheckVerb = act("check", "Whether a cycle closes when it is played again and again");
    addRange(*loopCheckVerb, given->convert.steps.range);
    loopCheckVerb->footer("Example: wyc loop check jelly_cycle.abc");
    auto* makeVerb = act("make", "A closed cycle; the best one where none is named");
    addTarget(*makeVerb, given->convert);
    addRange(*makeVerb, given->convert.steps.range);
    bounds(*makeVerb);
    makeVerb->add_option("--close", given->close, "How it is closed (default: what closes it best)")
        ->check(CLI::IsMember({"cut", "overlap", "bridge"}))
        ->type_name("cut|overlap|bridge");
    makeVerb->add_option("--fade", given->fade, "Frames of the overlap or bridge")
        ->check(CLI::NonNegativeNumber)
        ->type_name("N");
    addText(*makeVerb, "--weight", given->weight,
            "How the fade goes, or a file of keys WAY WEIGHT from 0 to 1, a line each", "linear|smooth|smoother|FILE");
    makeVerb->add_flag("--keep-shape", given->keepShape, "Pieces turn as wholes in the fade");
    makeVerb
        ->add_option("--travel", given->travel,
                     "What travels: each cycle begins where the first did, or where the one before ended, or its "
                     "travel is taken out")
        ->check(CLI::IsMember({"comes-back", "goes-on", "taken-out"}));
    makeVerb->add_flag("--closing-copy", given->closingCopy, "One frame more, equal to the first");
    makeVerb->add_option("--cycles", given->cycles, "How often it is shown")
        ->check(CLI::Range(1, 100000))
        ->type_name("N");
    addText(*makeVerb, "--fill", given->fill, "Fill this range; the cycle stays where it is", "A:B");
    makeVerb->footer("Example: wyc loop make jelly_sim.abc --fade 12 -o jelly_cycle.abc");
    return [given, &app, &common] {
        const std::string chosen = app.get_subcommands().front()->get_name();
        return chosen == "find"   ? runLoopFind(common, *given)
               : chosen == "make" ? runLoopMake(common, *given)
                                  : runLoopCheck(common, *given);
    };
}

} // namespace wyc::cli
