// SPDX-License-Identifier: GPL-3.0-or-later
#include <memory>

#include <fmt/format.h>

#include "converted.h"
#include "declare.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

int runConvert(const Common& common, const ConvertArguments& arguments) {
    const TerminalProgress terminal(common);
    const auto documents = writeConverted(common, arguments, terminal.progress());
    if (!documents)
        return report(common, documents.error());
    if (common.json)
        printJson({{"outputs", *documents}});
    return kClean;
}

} // namespace

Run declareConvert(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<ConvertArguments>();
    addSources(app, given->open);
    addChoice(app, given->steps.items, given->steps.kinds);
    addSteps(app, given->steps);
    addTarget(app, *given);
    return [given, &common] { return runConvert(common, *given); };
}

} // namespace wyc::cli
