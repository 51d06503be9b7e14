// SPDX-License-Identifier: GPL-3.0-or-later
// compare, and order: both go by which point is which.
#include <algorithm>
#include <memory>
#include <tuple>

#include <fmt/format.h>

#include "base/file.h"
#include "base/text.h"
#include "compare/comparison.h"
#include "converted.h"
#include "declare.h"
#include "maths/lengths.h"
#include "steps/shape/point_order.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct CompareArguments {
    OpenArguments open; // what both have in common; `rest` is A's
    std::string a;
    std::string b;
    std::string restB;
    std::vector<std::string> items;
    std::vector<std::string> pairs; // A=B
    std::string tolerance = "0.1mm";
    bool explain = false;
    std::string apply;  // target of the mended copy
    std::string report; // HTML
    std::string camera; // drift in its picture too
    double pictureWidth = 1920.0;
    std::string output; // of an order
    bool replace = false;
};

struct Sides {
    SourcePtr a;
    SourcePtr b;
    Scene chosenA;
    Scene chosenB;
};

OpenArguments openOf(const CompareArguments& arguments, bool second) {
    OpenArguments open = arguments.open;
    open.paths = {second ? arguments.b : arguments.a};
    open.rest = second ? arguments.restB : arguments.open.rest;
    // An option that the other side alone has is meant for that one.
    const Format* own = formatOfSource(second ? arguments.b : arguments.a);
    const Format* other = formatOfSource(second ? arguments.a : arguments.b);
    std::erase_if(open.options, [&](const auto& typed) {
        return !(own && optionNamed(own->openOptions, typed.first)) && other &&
               optionNamed(other->openOptions, typed.first);
    });
    return open;
}

Result<Sides> sidesOf(const Common& common, const CompareArguments& arguments) {
    Sides sides;
    for (const bool second : {false, true}) {
        WYC_TRY(sources, openAll(common, openOf(arguments, second), FrameRate()));
        if (sources.size() != 1)
            return fail(makeError(ErrorKind::BadInput, fmt::format("{} holds {} sources",
                                                                   second ? arguments.b : arguments.a, sources.size()))
                            .withAdvice("Name one file on each side"));
        (second ? sides.b : sides.a) = sources.front();
        WYC_TRY(chosen, chosenItems(sources.front()->shown(), arguments.items, {}));
        (second ? sides.chosenB : sides.chosenA) = std::move(chosen);
    }
    return sides;
}

// A camera of A, else of B, whatever items were chosen.
Result<Picture> pictureOf(const Sides& sides, const CompareArguments& arguments) {
    for (const SourcePtr& source : {sides.a, sides.b}) {
        const Scene& scene = source->shown();
        std::vector<std::size_t> fitting;
        for (std::size_t i = 0; i < scene.nodes.size(); ++i)
            if (const Node& node = scene.nodes[i];
                node.kind == NodeKind::Camera &&
                (matchesPattern(node.path, arguments.camera) || matchesPattern(node.name, arguments.camera)))
                fitting.push_back(i);
        if (fitting.size() > 1)
            return fail(makeError(ErrorKind::BadInput, fmt::format("{} cameras are called '{}' in {}", fitting.size(),
                                                                   arguments.camera, source->name))
                            .withAdvice("Name one by its path"));
        if (!fitting.empty())
            return Picture{std::make_shared<const Scene>(scene), fitting.front(), arguments.pictureWidth};
    }
    return fail(makeError(ErrorKind::BadInput, fmt::format("no camera is called '{}'", arguments.camera))
                    .withAdvice("`wyc info` lists the items of A and B"));
}

// "left=right": names or paths of what belongs together.
Result<std::vector<std::pair<std::string, std::string>>> pairsOf(const std::vector<std::string>& typed,
                                                                 const Sides& sides) {
    std::vector<std::pair<std::string, std::string>> pairs;
    for (const std::string& one : typed) {
        const std::size_t at = one.find('=');
        if (at == std::string::npos || at == 0 || at + 1 == one.size())
            return fail(makeError(ErrorKind::BadInput, fmt::format("--pair takes A=B, not '{}'", one))
                            .withAdvice("An item of A, =, and the item of B that belongs to it"));
        pairs.emplace_back(one.substr(0, at), one.substr(at + 1));
        for (const auto& [scene, name, side] :
             {std::tuple{&sides.chosenA, pairs.back().first, "A"}, {&sides.chosenB, pairs.back().second, "B"}})
            if (std::none_of(scene->nodes.begin(), scene->nodes.end(), [&name = name](const Node& node) {
                    return node.geometry && (node.path == name || node.name == name);
                }))
                return fail(makeError(ErrorKind::BadInput, fmt::format("{} has no item '{}' with points", side, name))
                                .withAdvice("`wyc info` lists the items of A and B"));
    }
    return pairs;
}

Result<Comparison> compared(const Common& common, const CompareArguments& arguments, const Progress& progress) {
    WYC_TRY(sides, sidesOf(common, arguments));
    ReconcileSettings settings;
    WYC_TRY(tolerance, parseLength(arguments.tolerance));
    settings.toleranceMetres = tolerance;
    const bool pictured = !arguments.camera.empty();
    WYC_TRY(pairs, pairsOf(arguments.pairs, sides));
    WYC_TRY(comparison,
            compare(sides.chosenA, sides.chosenB, settings, progress.part(0.0, pictured ? 0.6 : 1.0), pairs));
    comparison.a = sides.a->name;
    comparison.b = sides.b->name;
    if (pictured) {
        WYC_TRY(picture, pictureOf(sides, arguments));
        WYC_CHECK(measureInPicture(comparison, picture, progress.part(0.6, 1.0)));
    }
    return comparison;
}

void print(const Comparison& comparison, bool explain) {
    for (const ComparedPair& pair : comparison.pairs) {
        const Reconciled& found = pair.found;
        if (comparison.pairs.size() > 1)
            fmt::print("{} against {}\n", found.b, found.a);
        if (pair.error) {
            fmt::print("  {}\n", pair.error->text());
            continue;
        }
        const auto drift = [&](const std::string& name, const std::optional<Drift>& of) {
            if (of)
                fmt::print("{}: {} RMS, 99 % under {}, at most {} (frame {}, point {})\n", name,
                           lengthText(of->rms * found.metres), lengthText(of->p99 * found.metres),
                           lengthText(of->largest * found.metres), frameText(of->worstFrame), of->worstPoint);
            else
                fmt::print("{}: no point or no frame in common\n", name);
        };
        const auto pixels = [&](const std::string& name, const std::optional<Drift>& of) {
            if (of)
                fmt::print("{}, in the picture: {} RMS, 99 % under {}, at most {} (frame {}, point {})\n", name,
                           pixelsText(of->rms), pixelsText(of->p99), pixelsText(of->largest), frameText(of->worstFrame),
                           of->worstPoint);
            else
                fmt::print("{}, in the picture: no point that both have is in it\n", name);
        };
        drift(measuredAs(pair), found.drift);
        if (pair.pictured)
            pixels(measuredAs(pair), pair.pictured->drift);
        if (!explain)
            continue;
        fmt::print("{}\n", found.text);
        for (const Cause& cause : found.causes) {
            std::string steps;
            for (const Step& step : cause.undo)
                steps += (steps.empty() ? "" : ", ") + step.type;
            fmt::print("  {:3.0f} %  {}: {}{}\n", cause.confidence * 100.0, cause.text, cause.evidence,
                       steps.empty() ? "" : fmt::format("  [{}]", steps));
        }
        drift("undone", found.undone);
        if (pair.pictured)
            pixels("undone", pair.pictured->undone);
    }
    for (const OtherPair& other : comparison.others)
        fmt::print("{} against {}: {}\n", other.b, other.a, other.text);
    for (const auto& [paths, words] : {std::pair{&comparison.onlyA, "only in A"}, {&comparison.onlyB, "only in B"}})
        for (const std::string& path : *paths)
            fmt::print("{}: {}\n", words, path);
}

// Every item with its own steps, and what else there is as it came.
std::vector<std::pair<std::vector<std::string>, std::vector<Step>>> undoOfEach(const Comparison& comparison,
                                                                               const std::vector<std::string>& items) {
    std::vector<std::pair<std::vector<std::string>, std::vector<Step>>> each;
    std::vector<std::string> rest = items;
    for (const ComparedPair& pair : comparison.pairs) {
        if (pair.error || pair.joined)
            continue;
        each.emplace_back(std::vector<std::string>{pair.found.b}, pair.found.undo());
        rest.push_back("!" + pair.found.b);
    }
    const bool more = !comparison.others.empty() || !comparison.onlyB.empty() ||
                      std::any_of(comparison.pairs.begin(), comparison.pairs.end(),
                                  [](const ComparedPair& pair) { return pair.error || pair.joined; });
    if (more)
        each.emplace_back(rest, std::vector<Step>());
    return each;
}

// What no step undoes, and what is one of several explanations.
void sayWhatStays(const Common& common, const Comparison& comparison) {
    for (const ComparedPair& pair : comparison.pairs)
        for (const Cause& cause : pair.found.causes) {
            if (!cause.isGuess() && cause.undo.empty())
                remark(common, fmt::format("{}: it stays as it is: {}", pair.found.b, cause.text));
            if (!cause.isGuess() && !cause.instead.empty())
                remark(common, fmt::format("{}: undone as the first of several that explain it alike: {}", pair.found.b,
                                           cause.text));
        }
}

int runCompare(const Common& common, const CompareArguments& arguments) {
    const TerminalProgress terminal(common);
    const bool applies = !arguments.apply.empty();
    const auto comparison = compared(common, arguments, terminal.progress().part(0.0, applies ? 0.6 : 1.0));
    if (!comparison)
        return report(common, comparison.error());
    if (!arguments.report.empty())
        if (const auto written = writeHtmlReport(*comparison, arguments.report); !written)
            return report(common, written.error());
    json document = toJson(*comparison);
    if (!arguments.explain && !applies)
        for (json& pair : document["pairs"])
            pair.erase("causes");
    if (applies) {
        ConvertArguments convert;
        convert.open = openOf(arguments, true);
        convert.steps.items = arguments.items;
        sayWhatStays(common, *comparison);
        if (const auto undo = undoOfAll(*comparison)) {
            if (undo->empty())
                remark(common, "nothing is to be undone: the copy is B as it came");
            convert.steps.behind = *undo;
        } else {
            convert.each = undoOfEach(*comparison, arguments.items);
        }
        convert.target = arguments.apply;
        convert.replace = arguments.replace;
        convert.record = true;
        if (!common.json)
            print(*comparison, true);
        const auto written = writeConverted(common, convert, terminal.progress().part(0.6, 1.0));
        if (!written)
            return report(common, written.error());
        document["outputs"] = *written;
    } else if (!common.json) {
        print(*comparison, arguments.explain);
    }
    if (common.json)
        printJson(document);
    else if (!common.quiet)
        fmt::print("{} {}{}\n", comparison->withinTolerance() ? "within" : "not within",
                   lengthText(comparison->toleranceMetres),
                   comparison->withinTolerance() || arguments.explain || applies ? "" : "; --explain says why");
    return comparison->withinTolerance() ? kClean : kFindings;
}

int runOrder(const Common& common, const CompareArguments& arguments) {
    const TerminalProgress terminal(common);
    const auto comparison = compared(common, arguments, terminal.progress());
    if (!comparison)
        return report(common, comparison.error());
    std::vector<const ComparedPair*> pairs;
    for (const ComparedPair& pair : comparison->pairs)
        if (!pair.error)
            pairs.push_back(&pair);
    if (pairs.size() != 1)
        return report(common, makeError(ErrorKind::BadInput, fmt::format("{} items: an order is of one", pairs.size()))
                                  .withAdvice("Choose one with --items"));
    const auto order = pointOrderOf(*pairs.front());
    if (!order)
        return report(common, order.error());
    std::error_code code;
    if (!arguments.replace && fs::exists(arguments.output, code))
        return report(common, makeError(ErrorKind::Exists, "the target exists")
                                  .inFile(arguments.output)
                                  .withAdvice("Choose another name, or add --replace"));
    const auto written = [&]() -> Status {
        WYC_TRY(file, AtomicFile::create(arguments.output));
        WYC_CHECK(file->append(order->text()));
        return file->commit(arguments.replace ? AtomicFile::Replace::Yes : AtomicFile::Replace::No);
    }();
    if (!written)
        return report(common, written.error());
    const OrderFacts& facts = pairs.front()->found.order;
    const bool certain = facts.ambiguous == 0 && facts.unmatchedA.empty() && facts.unmatchedB.empty();
    if (common.json)
        printJson({{"a", pairs.front()->found.a},
                   {"b", pairs.front()->found.b},
                   {"order",
                    {{"same", facts.same},
                     {"by", facts.by},
                     {"certain", facts.certain},
                     {"ambiguous", facts.ambiguous},
                     {"unmatched_a", facts.unmatchedA.size()},
                     {"unmatched_b", facts.unmatchedB.size()}}},
                   {"ambiguous_points", facts.unsure},
                   {"unmatched_points_a", facts.unmatchedA},
                   {"unmatched_points_b", facts.unmatchedB},
                   {"output", arguments.output}});
    else
        fmt::print("{}: {} certain, {} ambiguous, {} of A and {} of B without one; by {}\n", arguments.output,
                   groupedDigits(facts.certain), groupedDigits(facts.ambiguous), groupedDigits(facts.unmatchedA.size()),
                   groupedDigits(facts.unmatchedB.size()), facts.by);
    return certain ? kClean : kFindings;
}

// What the options of both verbs share.
void addSides(CLI::App& app, CompareArguments& given) {
    app.add_option("a", given.a, "What it should be")->required()->type_name("A");
    app.add_option("b", given.b, "What came back")->required()->type_name("B");
    app.add_option("--rest", given.open.rest, "Mesh of A, where it is a bare point cache")->type_name("FILE");
    app.add_option("--rest-b", given.restB, "Mesh of B, where it is one")->type_name("FILE");
    app.add_option("--pair", given.pairs, "What belongs together, whatever it is called or looks like")
        ->type_name("A=B")
        ->allow_extra_args(false);
    app.add_flag("--single", given.open.single, "A numbered file is one file, not its sequence");
    addText(app, "--is-unit", given.open.isUnit, "Unit of sources that state none", "U");
    addFormatOptions(app, &Format::openOptions, given.open.options);
    addText(app, "--is-rate", given.open.isRate, "Rate of sources that state none", "R");
    app.add_option("--items", given.items, "Only items that fit, \"!PATTERN\" leaves out; repeatable")
        ->type_name("PATTERN")
        ->check(kSomething)
        ->allow_extra_args(false);
}

} // namespace

Run declareCompare(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<CompareArguments>();
    addSides(app, *given);
    app.add_flag("--explain", given->explain, "Every cause with its figure, evidence and confidence");
    addText(app, "--tolerance", given->tolerance, "Largest drift that is none, as 0.1mm (the default)", "LENGTH");
    addText(app, "--camera", given->camera, "Drift in the picture of this camera of A or B too, in pixels", "ITEM");
    app.add_option("--picture-width", given->pictureWidth, "Width of that picture, 1920 where not given")
        ->type_name("PIXELS")
        ->check(CLI::Range(1.0, 1e6));
    addText(app, "--apply", given->apply, "Write B with all causes undone, proven", "TARGET");
    addText(app, "--report", given->report, "All of it as one page", "FILE.html");
    app.add_flag("--replace", given->replace, "A target that exists is replaced");
    return [given, &common] { return runCompare(common, *given); };
}

Run declareOrder(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<CompareArguments>();
    addSides(app, *given);
    app.add_option("-o,--output", given->output, "The order")->required()->type_name("MAP");
    app.add_flag("--replace", given->replace, "A file that exists is replaced");
    return [given, &common] { return runOrder(common, *given); };
}

} // namespace wyc::cli
