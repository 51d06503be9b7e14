// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "declare.h"
#include "steps/step.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

json stepJson(const StepType& type) {
    return {{"type", type.id}, {"title", type.title}, {"help", type.help}, {"options", optionsJson(type.options)}};
}

int runSteps(const Common& common, const std::string& which) {
    const StepType* only = which.empty() ? nullptr : stepType(which);
    if (!which.empty() && !only)
        return report(common, makeError(ErrorKind::BadInput, fmt::format("there is no step '{}'", which))
                                  .withAdvice("`wyc steps` lists all"));
    json documents = json::array();
    for (const StepType& type : stepTypes()) {
        if (only && &type != only)
            continue;
        documents.push_back(stepJson(type));
        if (common.json)
            continue;
        fmt::print("{:<10} {}: {}\n", type.id, type.title, type.help);
        for (const Option& option : type.options)
            fmt::print("    {:<10} {} ({}{}{}{})\n", option.name, option.help, optionKindName(option.kind),
                       option.unit.empty() ? "" : fmt::format(", {}", option.unit),
                       option.choices.empty() ? "" : fmt::format(": {}", fmt::join(option.choices, ", ")),
                       option.standard.is_null() ? "" : fmt::format("; {}", option.standard.dump()));
    }
    if (common.json)
        printJson({{"steps", documents}});
    return kClean;
}

} // namespace

Run declareSteps(CLI::App& app, const Common& common) {
    const auto step = std::make_shared<std::string>();
    app.add_option("step", *step, "Only this one")->type_name("STEP");
    return [step, &common] { return runSteps(common, *step); };
}

} // namespace wyc::cli
