// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <memory>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "declare.h"
#include "report/report.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct SampleArguments {
    OpenArguments open;
    std::string at;
    std::string atSeconds;
    std::string item;
    std::string rate;
    bool world = false;
};

int runSample(const Common& common, const SampleArguments& arguments) {
    FrameRate rate;
    if (!arguments.rate.empty()) {
        const auto parsed = FrameRate::parse(arguments.rate);
        if (!parsed)
            return report(common, parsed.error());
        rate = *parsed;
    }
    std::vector<double> frames;
    for (const std::string& part : arguments.at.empty() ? std::vector<std::string>{} : splitText(arguments.at, ',')) {
        const auto frame = parseNumber(part);
        if (!frame)
            return report(common, makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame", part)));
        frames.push_back(*frame);
    }
    std::vector<double> seconds;
    for (const std::string& part :
         arguments.atSeconds.empty() ? std::vector<std::string>{} : splitText(arguments.atSeconds, ',')) {
        const auto moment = parseNumber(part);
        if (!moment)
            return report(common, makeError(ErrorKind::BadInput, fmt::format("'{}' is no number of seconds", part)));
        seconds.push_back(*moment);
    }
    const auto sources = openAll(common, arguments.open, rate);
    if (!sources)
        return report(common, sources.error());
    json documents = json::array();
    for (const SourcePtr& source : *sources) {
        std::vector<double> all = frames;
        for (const double moment : seconds)
            all.push_back(source->scene.view.rate.frameAt(moment));
        auto document = sampleDocument(*source, all, arguments.item, arguments.world);
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

} // namespace

Run declareSample(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<SampleArguments>();
    addSources(app, given->open);
    auto* moments = app.add_option_group("moments", "When; one of these at least");
    moments->add_option("--at", given->at, "Frames, as 1001 or 1001,1002.5")->type_name("FRAME[,FRAME...]");
    moments->add_option("--at-seconds", given->atSeconds, "Moments in seconds, as 41.7,42")->type_name("S[,S...]");
    moments->require_option(1, 2);
    app.add_option("--item", given->item, "Only items that fit this path or pattern")->type_name("PATH");
    app.add_option("--rate", given->rate, "Rate of a source that states none")->type_name("R");
    app.add_flag("--world", given->world, "Points and matrix in world space");
    return [given, &common] { return runSample(common, *given); };
}

} // namespace wyc::cli
