// SPDX-License-Identifier: GPL-3.0-or-later
// convert, deliver, prove, demo
#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/plan/earlier.h"
#include "delivery/proof/proof_page.h"
#include "demo/lantern_shoal.h"
#include "job/job.h"
#include "options.h"
#include "workbench/workbench.h"

namespace wyc::cli {

using nlohmann::json;

namespace {

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

Result<std::vector<PlannedOutput>> planConvert(const Common& common, const ConvertArguments& arguments) {
    WYC_TRY(shot, arguments.steps.range.shot());
    WYC_TRY(sources, openAll(common, arguments.open, shot.rateOrDefault()));
    std::vector<DeliveryInput> inputs;
    for (const SourcePtr& source : sources) {
        std::vector<Step> steps;
        if (!arguments.steps.split.empty())
            steps.push_back(
                {"split", {{"by", arguments.steps.split == "sets" ? "face sets" : arguments.steps.split}}, true});
        WYC_TRY(whole, applySteps(source->scene, steps));
        WYC_TRY(chosen, chosenItems(whole, arguments.steps.items, arguments.steps.kinds));
        WYC_TRY(further, arguments.steps.steps(chosen, formatOfName(arguments.target)));
        if (!chosen.rate && shot.rate) // it was opened at this one: the person said it
            chosen.rate = shot.rate;
        WYC_TRY(scene, applySteps(chosen, further));
        // Without a split what is chosen is all that the proof asks the source about.
        Scene before = steps.empty() ? std::move(chosen) : source->scene;
        if (!before.rate && shot.rate)
            before.rate = shot.rate;
        steps.insert(steps.end(), further.begin(), further.end());
        inputs.push_back(deliveryInput(*source, std::move(before), std::move(scene), steps));
        for (const Node& node : source->scene.nodes)
            if (node.geometry)
                inputs.back().siblings.push_back({node.name, node.path, fs::path(source->name).stem().string()});
    }
    return planConversion(inputs, {arguments.target, arguments.perItem, arguments.replace});
}

} // namespace

Result<json> writeConverted(const Common& common, const ConvertArguments& arguments, const Progress& progress) {
    WYC_TRY(outputs, planConvert(common, arguments));
    json documents = json::array();
    const bool proven = arguments.prove || arguments.record;
    for (std::size_t i = 0; i < outputs.size(); ++i) {
        const PlannedOutput& output = outputs[i];
        if (!common.quiet && !common.json)
            printLosses(output);
        WYC_CHECK(sayShortfalls(common, output, arguments.strict));
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

int runConvert(const Common& common, const ConvertArguments& arguments) {
    const TerminalProgress terminal(common);
    const auto documents = writeConverted(common, arguments, terminal.progress());
    if (!documents)
        return report(common, documents.error());
    if (common.json)
        printJson({{"outputs", *documents}});
    return kClean;
}

namespace {

// Against what was delivered last of the same items; null where nothing was.
Result<json> changesOf(const Common& common, const PlannedOutput& output, const Progress& progress) {
    WYC_TRY(earlier, earlierDelivery(output, progress));
    if (!earlier) {
        if (!common.quiet && !common.json)
            fmt::print("{}: nothing was delivered of it before\n", output.item);
        return json();
    }
    WYC_TRY(comparison, againstEarlier(output, *earlier, {}, progress));
    if (!common.quiet && !common.json)
        fmt::print("{}, against {}: {}\n", output.item, earlier->target.filename().string(), changesText(comparison));
    json document = toJson(comparison);
    document["target"] = earlier->target.string();
    document["written"] = earlier->written;
    document["changes"] = changesText(comparison);
    return document;
}

} // namespace

int runDeliver(const Common& common, const DeliverArguments& arguments) {
    const auto job = loadJob(arguments.job);
    if (!job)
        return report(common, job.error());
    if (job->deliveries.empty())
        return report(common, makeError(ErrorKind::BadInput, "the job has no delivery")
                                  .inFile(arguments.job)
                                  .withAdvice("Set one up in the window, or use `wyc convert`"));
    const auto opened = openSources(*job);
    if (!opened)
        return report(common, opened.error());
    std::vector<SourcePtr> sources;
    for (const OpenedSource& entry : *opened)
        sources.push_back(entry.source);
    const TerminalProgress terminal(common);
    if (!arguments.failOn.empty()) {
        const auto severity = parseSeverity(arguments.failOn);
        if (!severity)
            return report(common, severity.error());
        const auto items = measuredItemsOf(*job, *opened, terminal.progress());
        if (!items)
            return report(common, items.error());
        std::vector<Finding> bad;
        for (ItemFinding& found : findingsOf(*job, *opened, *items))
            if (found.finding.severity >= *severity)
                bad.push_back(std::move(found.finding));
        if (!bad.empty()) {
            json list = json::array();
            for (const Finding& finding : bad)
                list.push_back(toJson(finding));
            if (common.json)
                printJson({{"outputs", json::array()}, {"findings", list}});
            else
                printFindings(common, bad);
            remark(common, fmt::format("nothing was written: {} finding{} of severity {} or worse", bad.size(),
                                       bad.size() == 1 ? "" : "s", arguments.failOn));
            return kFindings;
        }
    }
    json documents = json::array();
    std::size_t matched = 0;
    for (const DeliverySpec& spec : job->deliveries) {
        auto inputs = deliveryInputs(*job, spec, sources);
        if (!inputs)
            return report(common, inputs.error());
        if (!arguments.only.empty())
            std::erase_if(*inputs, [&](const DeliveryInput& input) {
                return std::none_of(arguments.only.begin(), arguments.only.end(), [&](const std::string& pattern) {
                    return matchesPattern(spec.name, pattern) || matchesPattern(input.label, pattern) ||
                           matchesPattern(input.itemName, pattern);
                });
            });
        if (inputs->empty() && !arguments.only.empty())
            continue;
        auto outputs = planDelivery(*inputs, spec, job->shot);
        if (!outputs)
            return report(common, outputs.error());
        for (std::size_t i = 0; i < outputs->size(); ++i) {
            const PlannedOutput& output = (*outputs)[i];
            ++matched;
            if (!common.quiet && !common.json)
                printLosses(output);
            if (const auto filled = sayShortfalls(common, output, arguments.strict); !filled)
                return report(common, filled.error());
            json against;
            if (arguments.againstLast) {
                auto changes = changesOf(common, output, terminal.progress());
                if (!changes)
                    return report(common, changes.error());
                against = std::move(*changes);
            }
            if (arguments.dryRun) {
                documents.push_back(toJson(output));
                if (arguments.againstLast)
                    documents.back()["against_last"] = std::move(against);
                if (!common.json)
                    fmt::print("{}  {} sample{}, about {}\n", output.target.string(), output.sampleCount,
                               output.sampleCount == 1 ? "" : "s", sizeText(output.sizeEstimate));
                continue;
            }
            const double share = 1.0 / static_cast<double>(outputs->size());
            const auto result =
                runOutput(output, {},
                          terminal.progress().part(static_cast<double>(i) * share, static_cast<double>(i + 1) * share));
            if (!result)
                return report(common, result.error());
            documents.push_back(resultJson(output, *result, true));
            if (arguments.againstLast)
                documents.back()["against_last"] = std::move(against);
            if (!common.json)
                printNotCompared(common, result->proof);
            if (!common.json)
                fmt::print("{}  {}  {}\n", output.target.string(), sizeText(result->sizeBytes), result->proof.words());
        }
    }
    if (matched == 0)
        return report(common, makeError(ErrorKind::BadInput, "nothing fits --only"));
    if (common.json)
        printJson({{"outputs", documents}});
    return kClean;
}

int runProve(const Common& common, const ProveArguments& arguments) {
    const fs::path target = arguments.target;
    fs::path record = arguments.record;
    std::error_code code;
    if (record.empty()) {
        record = target.parent_path() / recordName(target);
        if (fs::is_directory(target, code)) // a sequence in its own folder
            for (fs::directory_iterator it(target, code), end; !code && it != end; it.increment(code))
                if (it->path().filename().string().ends_with(".record.json"))
                    record = it->path();
    }
    const TerminalProgress terminal(common);
    const auto proof = proveFromRecord(target, record, terminal.progress());
    if (!proof)
        return report(common, proof.error());
    if (!arguments.report.empty())
        if (const auto written = writeProofPage(target, record, *proof, arguments.report); !written)
            return report(common, written.error());
    if (common.json) {
        json document = toJson(*proof);
        document["target"] = target.string();
        document["record"] = record.string();
        printJson(document);
    } else {
        for (const std::string& words : proof->disagreements)
            fmt::print("x  {}\n", words);
        for (const ProvenItem& item : proof->items) {
            fmt::print("{} {}  {} points, {} samples; compared: {}\n", item.disagreements.empty() ? "ok" : "x ",
                       item.item, groupedDigits(item.points), item.samples, item.compared());
            for (const std::string& words : item.disagreements)
                fmt::print("     {}\n", words);
        }
        for (const std::string& words : proof->notCompared)
            fmt::print("not compared: {}\n", words);
        fmt::print("{}\n",
                   proof->passed ? proof->words() + ": all is as it was recorded" : "not proven: " + proof->words());
    }
    return proof->passed ? kClean : kFindings;
}

int runDemo(const Common& common, const std::string& folder) {
    const TerminalProgress terminal(common);
    const auto files = demo::writeDemo(folder, terminal.progress());
    if (!files)
        return report(common, files.error());
    if (common.json)
        printJson({{"job", files->job.string()}, {"files", files->files.size()}});
    else
        fmt::print("{}\n", files->job.string());
    return kClean;
}

} // namespace wyc::cli
