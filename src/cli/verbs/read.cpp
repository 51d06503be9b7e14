// SPDX-License-Identifier: GPL-3.0-or-later
// info, sample, check
#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/measured.h"
#include "job/job.h"
#include "options.h"
#include "report/report.h"
#include "scene/stand_in.h"
#include "workbench/workbench.h"

namespace wyc::cli {

using nlohmann::json;

namespace {

// The source with these items only.
Result<SourcePtr> chosenOf(const SourcePtr& source, const std::vector<std::string>& items,
                           const std::vector<std::string>& kinds) {
    if (items.empty() && kinds.empty())
        return source;
    auto result = std::make_shared<Source>(*source);
    WYC_TRY(scene, chosenItems(source->shown(), items, kinds));
    result->scene = std::move(scene);
    result->expanded = nullptr;
    result->tree = std::make_shared<const SceneTree>(result->scene);
    return SourcePtr(std::move(result));
}

// "312 items: 300 mesh, 8 camera, 4 light"
void printSummary(const json& items) {
    constexpr std::size_t kMany = 40;
    if (items.size() < kMany)
        return;
    std::map<std::string, std::size_t> kinds;
    std::size_t moving = 0;
    for (const json& item : items) {
        ++kinds[item["kind"].get<std::string>()];
        moving += !item["first"].is_null();
    }
    std::string words;
    for (const auto& [kind, count] : kinds)
        words += fmt::format("{}{} {}", words.empty() ? "" : ", ", count, kind);
    fmt::print("  {} nodes: {}; {} move\n", items.size(), words, moving);
}

void printInfo(const json& info) {
    const auto text = [&](const char* key, const char* missing) {
        return info[key].is_null()     ? std::string(missing)
               : info[key].is_string() ? info[key].get<std::string>()
                                       : info[key].dump();
    };
    fmt::print("{}\n  format {}  rate {}  unit {}  up {}", info["source"].get<std::string>(), text("format", "?"),
               text("rate", "not stated"),
               info["unit_metres"].is_null() ? "not stated" : unitName(info["unit_metres"].get<double>()),
               text("up_axis", "not stated"));
    if (!info["first"].is_null())
        fmt::print("  frames {} – {}", frameText(info["first"].get<double>()), frameText(info["last"].get<double>()));
    fmt::print("\n");
    printSummary(info["items"]);
    for (const json& item : info["items"]) {
        std::string range = "still";
        if (!item["first"].is_null())
            range = frameText(item["first"].get<double>()) + " – " + frameText(item["last"].get<double>());
        fmt::print("  {:<40} {:<12} {:>11} points {:>11} faces  {:>6} samples  {}{}\n", item["path"].get<std::string>(),
                   item["kind"].get<std::string>(),
                   item["points"].is_null() ? "–" : groupedDigits(item["points"].get<std::uint64_t>()),
                   item["faces"].is_null() ? "–" : groupedDigits(item["faces"].get<std::uint64_t>()),
                   item["samples"].get<std::uint64_t>(), range, item["visible"].get<bool>() ? "" : "  hidden");
    }
    for (const json& lost : info["not_carried"])
        fmt::print("  not carried: {}{}\n", lost["item"].is_null() ? "" : lost["item"].get<std::string>() + ": ",
                   lost["what"].get<std::string>());
}

} // namespace

int runInfo(const Common& common, const InfoArguments& arguments) {
    auto sources = openAll(common, arguments.open, FrameRate());
    if (!sources)
        return report(common, sources.error());
    json documents = json::array();
    for (SourcePtr& source : *sources) {
        auto chosen = chosenOf(source, arguments.items, arguments.kinds);
        if (!chosen)
            return report(common, chosen.error());
        source = std::move(*chosen);
        auto info = sourceInfo(*source, arguments.deep);
        if (!info)
            return report(common, info.error());
        if (arguments.deep && source->format->structure) {
            auto structure = source->format->structure(source->spec.path);
            if (!structure)
                return report(common, structure.error());
            (*info)["container"] = std::move(*structure);
        }
        documents.push_back(std::move(*info));
    }
    if (common.json) {
        printJson(documents.size() == 1 ? documents[0] : json{{"sources", documents}});
        return kClean;
    }
    for (std::size_t i = 0; i < documents.size(); ++i) {
        printInfo(documents[i]);
        auto findings = readerFindings((*sources)[i]->scene);
        sortFindings(findings);
        printFindings(common, findings);
        if (arguments.deep && documents[i].contains("container"))
            fmt::print("{}\n", documents[i]["container"].dump(1, ' ', false, json::error_handler_t::replace));
    }
    return kClean;
}

int runSample(const Common& common, const SampleArguments& arguments) {
    FrameRate rate;
    if (!arguments.rate.empty()) {
        const auto parsed = FrameRate::parse(arguments.rate);
        if (!parsed)
            return report(common, parsed.error());
        rate = *parsed;
    }
    std::vector<double> frames;
    for (const std::string& part : splitText(arguments.at, ',')) {
        const auto frame = parseNumber(part);
        if (!frame)
            return report(common, makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame", part)));
        frames.push_back(*frame);
    }
    const auto sources = openAll(common, arguments.open, rate);
    if (!sources)
        return report(common, sources.error());
    json documents = json::array();
    for (const SourcePtr& source : *sources) {
        auto document = sampleDocument(*source, frames, arguments.item, arguments.world);
        if (!document)
            return report(common, document.error());
        documents.push_back(std::move(*document));
    }
    if (common.json) {
        printJson(documents.size() == 1 ? documents[0] : json{{"sources", documents}});
        return kClean;
    }
    for (const json& document : documents) {
        for (const json& frame : document["frames"]) {
            fmt::print("{}  frame {}  {} s\n", document["source"].get<std::string>(),
                       frameText(frame["frame"].get<double>()), shortestNumber(frame["seconds"].get<double>()));
            for (const json& item : frame["items"]) {
                fmt::print("  {} ({}{})\n    matrix {}\n", item["path"].get<std::string>(),
                           item["kind"].get<std::string>(), item["visible"].get<bool>() ? "" : ", hidden",
                           item["matrix"].dump());
                if (item.contains("points")) {
                    std::size_t shown = 0;
                    for (const json& point : item["points"]) {
                        if (++shown > 8) {
                            fmt::print("    … {} points in all; --json gives them\n", item["points"].size());
                            break;
                        }
                        fmt::print("    {}\n", point.dump());
                    }
                }
            }
        }
    }
    return kClean;
}

namespace {

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

} // namespace

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

} // namespace wyc::cli
