// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>
#include <memory>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/measured.h"
#include "declare.h"
#include "report/report.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct InfoArguments {
    OpenArguments open;
    bool deep = false;
    std::vector<std::string> items;
    std::vector<std::string> kinds;
};

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
    for (const json& layer : info.value("layers", json::array()))
        fmt::print("  layer {}{}{}{}\n", layer["path"].get<std::string>(),
                   layer["found"].get<bool>() ? "" : "  not there",
                   layer["offset"] == 0.0 && layer["scale"] == 1.0
                       ? ""
                       : fmt::format("  times × {} + {}", shortestNumber(layer["scale"].get<double>()),
                                     shortestNumber(layer["offset"].get<double>())),
                   layer["rate"].is_null() ? "" : "  " + layer["rate"].get<std::string>() + " a second");
    for (const json& variant : info.value("variants", json::array())) {
        std::string choices;
        for (const json& choice : variant["choices"])
            choices += (choices.empty() ? "" : ", ") + choice.get<std::string>();
        fmt::print("  variant {} {}: {} (of {})\n", variant["item"].get<std::string>(),
                   variant["set"].get<std::string>(),
                   variant["chosen"].is_null() ? "none" : variant["chosen"].get<std::string>(), choices);
    }
    for (const json& payload : info.value("payloads", json::array()))
        fmt::print("  payload {}: {}\n", payload["item"].get<std::string>(),
                   payload["loaded"].get<bool>() ? "loaded" : "not loaded");
    for (const json& lost : info["not_carried"])
        fmt::print("  not carried: {}{}\n", lost["item"].is_null() ? "" : lost["item"].get<std::string>() + ": ",
                   lost["what"].get<std::string>());
}

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

} // namespace

Run declareInfo(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<InfoArguments>();
    addSources(app, given->open);
    app.add_flag("--deep", given->deep, "Sample times, and the container's structure property by property");
    addChoice(app, given->items, given->kinds);
    return [given, &common] { return runInfo(common, *given); };
}

} // namespace wyc::cli
