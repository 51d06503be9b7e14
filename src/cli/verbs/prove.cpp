// SPDX-License-Identifier: GPL-3.0-or-later
#include <memory>

#include <fmt/format.h>

#include "base/text.h"
#include "declare.h"
#include "delivery/delivery.h"
#include "delivery/proof/proof_page.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct ProveArguments {
    std::string target;
    std::string record;
    std::string report; // HTML
};

int runProve(const Common& common, const ProveArguments& arguments) {
    const auto named = targetPattern(arguments.target);
    if (!named)
        return report(common, named.error());
    const fs::path& target = *named;
    fs::path record = arguments.record;
    std::error_code code;
    if (record.empty()) {
        record = target.parent_path() / recordName(target);
        if (fs::is_directory(target, code)) // a sequence in its own folder
            for (fs::directory_iterator it(target, code), end; !code && it != end; it.increment(code))
                if (it->path().filename().string().ends_with(".record.json"))
                    record = it->path();
    }
    if (!fs::exists(record, code))
        return report(common, makeError(ErrorKind::NotFound, "there is no record of it")
                                  .inFile(record.string())
                                  .withAdvice(arguments.record.empty()
                                                  ? "Name the record with --record FILE, or write it anew: deliveries "
                                                    "have one, conversions with --record"
                                                  : "A record stands beside a delivery, as NAME.record.json"));
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
            const std::string size =
                item.points == 0
                    ? item.kind
                    : fmt::format("{} points, {} sample{}{}", groupedDigits(item.points), item.samples,
                                  item.samples == 1 ? "" : "s",
                                  item.first && item.last
                                      ? fmt::format(" at frames {} – {}", frameText(*item.first), frameText(*item.last))
                                      : std::string());
            fmt::print("{} {}  {}; compared: {}\n", item.disagreements.empty() ? "ok" : "x ", item.item, size,
                       item.compared());
            for (const std::string& words : item.disagreements)
                fmt::print("     {}\n", words);
        }
        if (const std::string all = proof->comparedOfAll(); !all.empty())
            fmt::print("ok the file as a whole; compared: {}\n", all);
        for (const std::string& words : proof->notCompared)
            fmt::print("not compared: {}\n", words);
        fmt::print("{}\n",
                   proof->passed ? proof->words() + ": all is as it was recorded" : "not proven: " + proof->words());
    }
    return proof->passed ? kClean : kFindings;
}

} // namespace

Run declareProve(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<ProveArguments>();
    app.add_option("target", given->target, "What was delivered")->required()->type_name("TARGET");
    app.add_option("--record", given->record, "Its record (default: the one beside it)")->type_name("FILE");
    addText(app, "--report", given->report, "All of it as one page", "FILE.html");
    return [given, &common] { return runProve(common, *given); };
}

} // namespace wyc::cli
