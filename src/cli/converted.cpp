// SPDX-License-Identifier: GPL-3.0-or-later
#include "converted.h"

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/ask/chain.h"
#include "workbench/workbench.h"

namespace wyc::cli {

using nlohmann::json;

namespace {

struct Asked {
    std::vector<DeliveryInput> inputs;
    ConversionSpec spec;
};

Result<Asked> askedOf(const Common& common, const ConvertArguments& given) {
    ConvertArguments arguments = given;
    WYC_TRY(target, targetPattern(arguments.target));
    arguments.target = target.string();
    WYC_TRY(shot, arguments.steps.range.shot());
    WYC_TRY(sources, openAll(common, arguments.open, shot.rateOrDefault()));
    struct Chosen {
        Scene before;
        Scene scene;
        std::vector<Step> steps;
    };
    std::vector<Chosen> all;
    StepArguments asked = arguments.steps;
    asked.together = sources.size() > 1 && asked.behind.empty();
    std::vector<SourcePtr> of; // for each of those that are chosen
    const auto choose = [&](const SourcePtr& source) -> Status {
        std::vector<Step> steps;
        if (!asked.split.empty())
            steps.push_back({"split", {{"by", asked.split == "sets" ? "face sets" : asked.split}}, true});
        WYC_TRY(whole, applySteps(source->scene, steps));
        WYC_TRY(chosen, chosenItems(whole, asked.items, asked.kinds));
        const Format* format = formatOfName(target);
        WYC_TRY(further, asked.steps(chosen, format));
        if (format && !asked.world && !asked.ownSpace)
            chosen = tellingOfPlaces(std::move(chosen), *format);
        if (!chosen.rate && shot.rate) // it was opened at this one: the person said it
            chosen.rate = shot.rate;
        WYC_TRY(scene, applySteps(chosen, further));
        // Without a split what is chosen is all that the proof asks the source about.
        Scene before = steps.empty() ? std::move(chosen) : source->scene;
        if (!before.rate && shot.rate)
            before.rate = shot.rate;
        steps.insert(steps.end(), further.begin(), further.end());
        all.push_back({std::move(before), std::move(scene), std::move(steps)});
        of.push_back(source);
        return {};
    };
    for (const SourcePtr& source : sources) {
        if (arguments.each.empty())
            WYC_CHECK(choose(source));
        for (const auto& [items, behind] : arguments.each) {
            asked.items = items;
            asked.behind = behind;
            WYC_CHECK(choose(source));
        }
    }
    if (asked.together && !asked.first.empty() && !shot.range) {
        std::vector<const Scene*> scenes;
        for (const Chosen& one : all)
            scenes.push_back(&one.scene);
        const std::vector<Step> starts = startTogether(scenes, parseNumber(asked.first).value_or(0.0));
        for (std::size_t i = 0; i < all.size(); ++i) {
            WYC_TRY(moved, applySteps(all[i].scene, {starts[i]}));
            all[i].scene = std::move(moved);
            all[i].steps.push_back(starts[i]);
        }
    }
    Asked result;
    auto& [inputs, spec] = result;
    for (std::size_t i = 0; i < all.size(); ++i) {
        inputs.push_back(deliveryInput(*of[i], std::move(all[i].before), std::move(all[i].scene), all[i].steps));
        for (const Node& node : of[i]->scene.nodes)
            if (node.geometry)
                inputs.back().siblings.push_back({node.name, node.path, fs::path(of[i]->name).stem().string()});
    }
    spec.target = arguments.target;
    spec.perItem = arguments.perItem;
    spec.replace = arguments.replace;
    std::set<std::string> used;
    if (const Format* format = formatOfName(spec.target))
        spec.formatOptions = optionsFor(format->writeOptions, arguments.formatOptions, used);
    WYC_CHECK(allUsed(arguments.formatOptions, used));
    return result;
}

} // namespace

void sayLeftovers(const Common& common, const ReservedRun& run) {
    for (const Leftover& left : run.leftovers)
        remark(common, left.words());
}

void printLosses(const PlannedOutput& output) {
    for (const Loss& loss : output.losses)
        fmt::print(stderr, "wyc: not carried into {}: {}{}\n", output.format->name,
                   loss.item.empty() ? "" : loss.item + ": ", validUtf8(loss.what));
}

// What was asked for and is not there; an error where nothing less is wanted.
Status sayShortfalls(const Common& common, const PlannedOutput& output, bool strict) {
    for (const Loss& one : output.shortfalls) {
        if (strict)
            return fail(makeError(ErrorKind::BadInput, one.what)
                            .forItem(one.item)
                            .withAdvice("Ask for what there is, hold the ends (--hold), or leave --strict out"));
        remark(common, fmt::format("caution: {}{}", one.item.empty() ? "" : one.item + ": ", one.what));
    }
    return {};
}

// What of the items was not held against the source.
void printNotCompared(const Common& common, const Proof& proof) {
    for (const ProvenItem& item : proof.items)
        for (const std::string& words : item.shown.notCompared)
            remark(common, fmt::format("not compared with the source: {}: {}", item.item, words));
}

json resultJson(const PlannedOutput& output, const OutputResult& result, bool proven) {
    json files = json::array();
    for (const fs::path& file : result.files)
        files.push_back(file.string());
    json entry = toJson(output);
    entry["files"] = files;
    entry["size"] = result.sizeBytes;
    entry["record"] = result.record.empty() ? json(nullptr) : json(result.record.string());
    entry["proof"] = proven ? toJson(result.proof) : json(nullptr);
    return entry;
}

Result<json> writeConverted(const Common& common, const ConvertArguments& arguments, const Progress& progress) {
    WYC_TRY(asked, askedOf(common, arguments));
    WYC_TRY(run, reservedRun([&] { return planConversion(asked.inputs, asked.spec); }));
    sayLeftovers(common, run);
    const std::vector<PlannedOutput>& outputs = run.outputs;
    json documents = json::array();
    const bool proven = arguments.prove || arguments.record;
    for (const PlannedOutput& output : outputs) {
        if (!common.quiet && !common.json)
            printLosses(output);
        WYC_CHECK(sayShortfalls(common, output, arguments.strict));
    }
    for (std::size_t i = 0; i < outputs.size(); ++i) {
        const PlannedOutput& output = outputs[i];
        const double share = 1.0 / static_cast<double>(outputs.size());
        WYC_TRY(result, runOutput(output, {proven, arguments.record},
                                  progress.part(static_cast<double>(i) * share, static_cast<double>(i + 1) * share)));
        documents.push_back(resultJson(output, result, proven));
        if (proven && !common.json)
            printNotCompared(common, result.proof);
        if (!common.json)
            fmt::print("{}  {}{}\n", output.target.string(), sizeText(result.sizeBytes),
                       proven ? "  " + result.proof.words() : "");
    }
    return documents;
}

} // namespace wyc::cli
