// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <map>
#include <memory>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/measured.h"
#include "declare.h"
#include "job/job.h"
#include "scene/stand_in.h"
#include "verbs/verbs.h"
#include "workbench/workbench.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct CheckArguments {
    OpenArguments open;
    ShotArguments shot;
    std::string failOn = "fault";
    std::vector<std::string> items;
    std::vector<std::string> kinds;
};

struct Checked {
    std::vector<SourcePtr> sources;
    std::vector<Scene> scenes; // one an entry of `sources`; of a job none, its items were looked at one by one
    Shot shot;
    std::size_t itemCount = 0;
    std::vector<Finding> findings;                                     // of a job
    std::map<std::string, std::pair<std::string, std::string>> places; // label → source, item
};

Result<Checked> gatherForCheck(const Common& common, const CheckArguments& arguments, const Progress& progress) {
    Checked result;
    WYC_TRY(shot, arguments.shot.shot());
    result.shot = shot;
    const bool isJob = arguments.open.paths.size() == 1 && arguments.open.paths.front().ends_with(".wyc");
    if (isJob) {
        WYC_TRY(job, loadJob(arguments.open.paths.front()));
        result.shot = job.shot;
        WYC_TRY(opened, openSources(job));
        for (const OpenedSource& entry : opened)
            result.sources.push_back(entry.source);
        WYC_TRY(items, measuredItemsOf(job, opened, progress));
        for (const ItemView& view : items) // a step that fails is a finding; what cannot be had at all is an error
            if (view.error && !view.scene)
                return fail(Error(*view.error).forItem(itemLabel(*view.source, view.key.path)));
        if (!arguments.items.empty() || !arguments.kinds.empty()) {
            std::set<std::pair<int, std::string>> wanted;
            for (const OpenedSource& entry : opened)
                if (const auto chosen = chosenItems(entry.source->shown(), arguments.items, arguments.kinds))
                    for (const Node& node : chosen->nodes)
                        wanted.emplace(entry.id.value, node.path);
            std::erase_if(items, [&](const ItemView& view) {
                return !wanted.contains({view.key.source.value, view.key.path});
            });
            if (items.empty())
                return fail(makeError(ErrorKind::BadInput, "no item of the job is chosen")
                                .withAdvice("`wyc info` lists the items of a source"));
        }
        result.itemCount = items.size();
        for (ItemFinding& found : findingsOf(job, opened, items)) {
            const auto source = std::find_if(opened.begin(), opened.end(),
                                             [&](const OpenedSource& s) { return s.id == found.key.source; });
            const bool known = source != opened.end();
            // What a reader remarked names the item alone.
            if (known && (found.finding.item.empty() || found.finding.item == found.key.path))
                found.finding.item = itemLabel(*source->source, found.finding.item);
            // Two folders may each have a file of one name.
            const bool twice = known && std::count_if(opened.begin(), opened.end(), [&](const OpenedSource& s) {
                                            return s.source->name == source->source->name;
                                        }) > 1;
            if (twice && found.finding.item.starts_with(source->source->name))
                found.finding.item.replace(0, source->source->name.size(), source->source->spec.path.string());
            if (known) {
                const bool whole = found.finding.item == source->source->name || found.key.path.empty();
                result.places[found.finding.item] = {source->source->spec.path.string(),
                                                     whole ? std::string() : found.key.path};
            }
            result.findings.push_back(std::move(found.finding));
        }
        return result;
    }
    // The shot of a job beside what is checked, when no option says anything about the shot.
    if (!arguments.shot.any() && arguments.open.paths.size() == 1) {
        if (const auto beside = jobBeside(arguments.open.paths.front())) {
            if (const auto job = loadJob(*beside)) {
                result.shot = job->shot;
                remark(common, fmt::format("the shot is that of '{}': {} ± {}", beside->filename().string(),
                                           job->shot.range ? job->shot.range->text() : "no range",
                                           frameText(job->shot.handles)));
            }
        }
    }
    WYC_TRY(sources, openAll(common, arguments.open, result.shot.rateOrDefault()));
    for (SourcePtr& source : sources) {
        WYC_TRY(chosen, chosenOf(source, arguments.items, arguments.kinds));
        result.sources.push_back(std::move(chosen));
    }
    for (const SourcePtr& source : result.sources)
        result.scenes.push_back(withStandIns(source->shown()));
    return result;
}

int runCheck(const Common& common, const CheckArguments& arguments) {
    const auto failOn = parseSeverity(arguments.failOn);
    if (!failOn)
        return report(common, failOn.error());
    const TerminalProgress terminal(common);
    const auto checked = gatherForCheck(common, arguments, terminal.progress());
    if (!checked)
        return report(common, checked.error());
    CheckInput input;
    input.shot = checked->shot;
    std::vector<Finding> findings = checked->findings;
    std::map<std::string, std::pair<std::string, std::string>> places = checked->places;
    const double share = 1.0 / static_cast<double>(std::max<std::size_t>(1, checked->sources.size()));
    for (std::size_t i = 0; i < checked->scenes.size(); ++i) {
        const Source& source = *checked->sources[i];
        auto items =
            measuredItems(source, checked->scenes[i], true,
                          terminal.progress().part(static_cast<double>(i) * share, static_cast<double>(i + 1) * share));
        if (!items)
            return report(common, items.error());
        for (MeasuredItem& item : *items) {
            places[item.label] = {source.spec.path.string(), item.at().path};
            input.items.push_back(std::move(item));
        }
        for (Finding& finding : readerFindings(checked->scenes[i])) {
            const std::string label = itemLabel(source, finding.item);
            places[label] = {source.spec.path.string(), finding.item};
            finding.item = label;
            findings.push_back(std::move(finding));
        }
    }
    auto fromChecks = runChecks(input);
    findings.insert(findings.end(), std::make_move_iterator(fromChecks.begin()),
                    std::make_move_iterator(fromChecks.end()));
    sortFindings(findings);
    bool fails = false;
    json list = json::array();
    std::map<std::string, int> counts{{"fault", 0}, {"caution", 0}, {"note", 0}};
    for (const Finding& finding : findings) {
        fails = fails || finding.severity >= *failOn;
        ++counts[severityName(finding.severity)];
        json entry = toJson(finding);
        if (const auto place = places.find(finding.item); place != places.end()) {
            entry["source"] = validUtf8(place->second.first);
            entry["item"] = place->second.second.empty() ? json(nullptr) : json(validUtf8(place->second.second));
        }
        list.push_back(std::move(entry));
    }
    if (common.json) {
        json sources = json::array();
        for (const SourcePtr& source : checked->sources)
            if (std::find(sources.begin(), sources.end(), json(source->spec.path.string())) == sources.end())
                sources.push_back(source->spec.path.string());
        printJson({{"sources", sources}, {"findings", list}, {"counts", counts}});
    } else {
        printFindings(common, findings);
        const std::size_t items = checked->itemCount + input.items.size();
        fmt::print("{} faults, {} cautions, {} notes in {} item{}\n", counts["fault"], counts["caution"],
                   counts["note"], items, items == 1 ? "" : "s");
    }
    return fails ? kFindings : kClean;
}

} // namespace

Run declareCheck(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<CheckArguments>();
    addSources(app, given->open);
    addRange(app, given->shot);
    addChoice(app, given->items, given->kinds);
    app.add_option("--unit", given->shot.unit, "Unit of the shot: mm cm m in ft, or metres as a number")
        ->type_name("U");
    app.add_option("--up", given->shot.up, "Up axis of the shot")->type_name("X|Y|Z");
    addFailOn(app, given->failOn, "Least severity that makes the exit code 1");
    return [given, &common] { return runCheck(common, *given); };
}

} // namespace wyc::cli
