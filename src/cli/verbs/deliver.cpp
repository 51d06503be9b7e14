// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "base/text.h"
#include "converted.h"
#include "declare.h"
#include "delivery/plan/earlier.h"
#include "job/job.h"
#include "verbs/verbs.h"
#include "workbench/workbench.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct DeliverArguments {
    std::string job;
    std::vector<std::string> only;
    bool dryRun = false;
    bool strict = false;
    bool againstLast = false; // what changed since the last delivery of the same items
    std::string failOn;       // findings of this severity stop it
};

// Against what was delivered last of the same items; null where nothing was.
Result<json> changesOf(const Common& common, const PlannedOutput& output, const Shot& shot, const Progress& progress) {
    WYC_TRY(earlier, earlierDelivery(output, progress));
    if (!earlier) {
        if (!common.quiet && !common.json)
            fmt::print("{}: nothing was delivered of it before\n", output.item);
        return json();
    }
    WYC_TRY(comparison, againstEarlier(output, *earlier, {0.0001, shot.unitMetres}, progress));
    if (!common.quiet && !common.json)
        fmt::print("{}, against {}: {}\n", output.item, earlier->target.filename().string(), changesText(comparison));
    json document = toJson(comparison);
    document["target"] = earlier->target.string();
    document["written"] = earlier->written;
    document["changes"] = changesText(comparison);
    return document;
}

int runDeliver(const Common& common, const DeliverArguments& arguments) {
    const auto job = loadJob(arguments.job);
    if (!job)
        return report(common, job.error());
    if (job->deliveries.empty())
        return report(common, makeError(ErrorKind::BadInput, "the job has no delivery")
                                  .inFile(arguments.job)
                                  .withAdvice("Set one up in the window, or use `wyc convert`"));
    const std::vector<OpenedSource> opened = openedSources(*job);
    std::vector<SourcePtr> sources;
    for (const OpenedSource& entry : opened) {
        sources.push_back(entry.source);
        if (entry.error)
            remark(common, "caution: " + entry.error->text());
    }
    const TerminalProgress terminal(common);
    if (!arguments.failOn.empty()) {
        const auto severity = parseSeverity(arguments.failOn);
        if (!severity)
            return report(common, severity.error());
        const auto items = measuredItemsOf(*job, opened, terminal.progress());
        if (!items)
            return report(common, items.error());
        std::vector<Finding> bad;
        for (ItemFinding& found : findingsOf(*job, opened, *items))
            // Where a source that is not open is needed, the plan says so.
            if (found.finding.severity >= *severity && found.finding.id != "source.unreadable")
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
    // All of the run is planned, and what stops it is said, before the first of it is written.
    const auto plan = [&] { return plannedRun(*job, sources, arguments.only); };
    auto run = arguments.dryRun ? plan().map([](std::vector<PlannedOutput> planned) {
        return ReservedRun{std::move(planned), nullptr, {}};
    })
                                : reservedRun(plan);
    if (!run)
        return report(common, run.error());
    sayLeftovers(common, *run);
    const std::vector<PlannedOutput>& outputs = run->outputs;
    if (outputs.empty())
        return report(common, makeError(ErrorKind::BadInput, "nothing fits --only"));
    for (const PlannedOutput& output : outputs) {
        if (!common.quiet && !common.json)
            printLosses(output);
        if (const auto filled = sayShortfalls(common, output, arguments.strict); !filled)
            return report(common, filled.error());
    }
    std::vector<json> against(outputs.size());
    for (std::size_t i = 0; arguments.againstLast && i < outputs.size(); ++i) {
        auto changes = changesOf(common, outputs[i], job->shot, terminal.progress());
        if (!changes)
            return report(common, changes.error());
        against[i] = std::move(*changes);
    }
    json documents = json::array();
    for (std::size_t i = 0; i < outputs.size(); ++i) {
        const PlannedOutput& output = outputs[i];
        if (arguments.dryRun) {
            documents.push_back(toJson(output));
            if (!common.json)
                fmt::print("{}  {} sample{}, about {}\n", output.target.string(), output.sampleCount,
                           output.sampleCount == 1 ? "" : "s", sizeText(output.sizeEstimate));
        } else {
            const double share = 1.0 / static_cast<double>(outputs.size());
            const auto result =
                runOutput(output, {},
                          terminal.progress().part(static_cast<double>(i) * share, static_cast<double>(i + 1) * share));
            if (!result)
                return report(common, result.error());
            documents.push_back(resultJson(output, *result, true));
            if (!common.json) {
                printNotCompared(common, result->proof);
                fmt::print("{}  {}  {}\n", output.target.string(), sizeText(result->sizeBytes), result->proof.words());
            }
        }
        if (arguments.againstLast)
            documents.back()["against_last"] = std::move(against[i]);
    }
    if (common.json)
        printJson({{"outputs", documents}});
    return kClean;
}

} // namespace

Run declareDeliver(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<DeliverArguments>();
    app.add_option("job", given->job, "The job")->required()->type_name("JOB.wyc");
    app.add_option("--only", given->only, "Only deliveries or items that fit")->type_name("PATTERN");
    app.add_flag("--dry-run", given->dryRun, "Say what would be written and lost; write nothing");
    app.add_flag("--against-last", given->againstLast, "Say what is other than in the last delivery of the same items");
    app.add_flag("--strict", given->strict, "What was asked for and is not there is an error");
    addFailOn(app, given->failOn, "Findings of this severity stop it before anything is written");
    return [given, &common] { return runDeliver(common, *given); };
}

} // namespace wyc::cli
