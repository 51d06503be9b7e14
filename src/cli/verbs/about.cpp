// SPDX-License-Identifier: GPL-3.0-or-later
// formats, steps: what there is
#include <algorithm>

#include <fmt/format.h>

#include "formats/format.h"
#include "options.h"
#include "steps/step.h"

namespace wyc::cli {

using nlohmann::json;

namespace {

const char* optionKindName(OptionKind kind) {
    switch (kind) {
    case OptionKind::Number: return "number";
    case OptionKind::WholeNumber: return "whole number";
    case OptionKind::Frame: return "frame";
    case OptionKind::Rate: return "rate";
    case OptionKind::Unit: return "unit";
    case OptionKind::Axis: return "axis";
    case OptionKind::Choice: return "choice";
    case OptionKind::Text: return "text";
    case OptionKind::Curve: return "curve";
    case OptionKind::Weights: return "weights";
    case OptionKind::Switch: return "switch";
    }
    return "";
}

json stepJson(const StepType& type) {
    json options = json::array();
    for (const StepOption& option : type.options) {
        json entry{{"name", option.name},
                   {"kind", optionKindName(option.kind)},
                   {"unit", option.unit.empty() ? json(nullptr) : json(option.unit)},
                   {"help", option.help},
                   {"standard", option.standard}};
        if (!option.choices.empty())
            entry["choices"] = option.choices;
        options.push_back(std::move(entry));
    }
    return {{"type", type.id}, {"title", type.title}, {"help", type.help}, {"options", options}};
}

} // namespace

int runFormats(const Common& common) {
    json documents = json::array();
    for (const Format& format : formats()) {
        json contents = json::object();
        for (std::size_t i = 0; i < kContentCount; ++i) {
            const Answer& answer = format.answers[i];
            contents[contentName(static_cast<Content>(i))] = {
                {"answer", fateName(answer.fate)}, {"how", answer.how.empty() ? json(nullptr) : json(answer.how)}};
        }
        documents.push_back({{"id", format.id},
                             {"name", format.name},
                             {"extensions", format.extensions},
                             {"many_items", format.manyItems},
                             {"sequence", format.sequence},
                             {"contents", contents}});
    }
    if (common.json) {
        printJson({{"formats", documents}});
        return kClean;
    }
    for (const Format& format : formats()) {
        fmt::print("{} ({}{})\n", format.name, format.extensions.front(), format.sequence ? ", one file a frame" : "");
        for (const Fate fate : {Fate::Kept, Fate::Converted, Fate::Lost})
            for (std::size_t i = 0; i < kContentCount; ++i)
                if (format.answers[i].fate == fate)
                    fmt::print("  {:<10} {}{}\n", fateName(fate), contentName(static_cast<Content>(i)),
                               format.answers[i].how.empty() ? "" : fmt::format(": {}", format.answers[i].how));
    }
    return kClean;
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
        for (const StepOption& option : type.options)
            fmt::print("    {:<10} {} ({}{}{}{})\n", option.name, option.help, optionKindName(option.kind),
                       option.unit.empty() ? "" : fmt::format(", {}", option.unit),
                       option.choices.empty() ? "" : fmt::format(": {}", fmt::join(option.choices, ", ")),
                       option.standard.is_null() ? "" : fmt::format("; {}", option.standard.dump()));
    }
    if (common.json)
        printJson({{"steps", documents}});
    return kClean;
}

} // namespace wyc::cli
