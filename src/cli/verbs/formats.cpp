// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "declare.h"
#include "formats/format.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

void printOptions(const char* when, const Options& options) {
    for (const Option& option : options)
        fmt::print("  {:<10} --{} {}: {}\n", when, option.name,
                   option.choices.empty() ? std::string(optionKindName(option.kind))
                                          : fmt::format("{}", fmt::join(option.choices, "|")),
                   option.help);
}

int runFormats(const Common& common) {
    json documents = json::array();
    for (const Format& format : formats()) {
        json contents = json::object();
        for (std::size_t i = 0; i < kContentCount; ++i) {
            const Answer& answer = format.answers[i];
            contents[contentName(static_cast<Content>(i))] = {
                {"answer", fateName(answer.fate)}, {"how", answer.how.empty() ? json(nullptr) : json(answer.how)}};
        }
        documents.push_back({{"open_options", optionsJson(format.openOptions)},
                             {"write_options", optionsJson(format.writeOptions)},
                             {"id", format.id},
                             {"name", format.name},
                             {"extensions", format.extensions},
                             {"written", format.write != nullptr},
                             {"many_items", format.manyItems},
                             {"sequence", format.sequence},
                             {"contents", contents}});
    }
    if (common.json) {
        printJson({{"formats", documents}});
        return kClean;
    }
    for (const Format& format : formats()) {
        fmt::print("{} ({}{}{})\n", format.name, fmt::join(format.extensions, " "),
                   format.sequence ? ", one file a frame" : "", format.write ? "" : ", read only");
        for (const Fate fate : {Fate::Kept, Fate::Converted, Fate::Lost})
            for (std::size_t i = 0; i < kContentCount; ++i)
                if (format.write && format.answers[i].fate == fate)
                    fmt::print("  {:<10} {}{}\n", fateName(fate), contentName(static_cast<Content>(i)),
                               format.answers[i].how.empty() ? "" : fmt::format(": {}", format.answers[i].how));
        printOptions("opening", format.openOptions);
        printOptions("writing", format.writeOptions);
    }
    return kClean;
}

} // namespace

Run declareFormats(CLI::App&, const Common& common) {
    return [&common] { return runFormats(common); };
}

} // namespace wyc::cli
