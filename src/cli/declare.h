// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Options that several verbs take, declared the same way for each.
#include <CLI/CLI.hpp>

#include "options.h"

namespace wyc::cli {

/// An empty value says nothing, and means a mistake.
extern const CLI::Validator kSomething;

/// A text that says something.
void addText(CLI::App& verb, const char* name, std::string& value, const char* help, const char* type);
void addChoice(CLI::App& verb, std::vector<std::string>& items, std::vector<std::string>& kinds);
void addCommon(CLI::App& verb, Common& common);
void addSources(CLI::App& verb, OpenArguments& open);
void addRange(CLI::App& verb, ShotArguments& shot);
/// Choices and steps, as every verb that writes takes them.
void addSteps(CLI::App& verb, StepArguments& steps);
void addTarget(CLI::App& verb, ConvertArguments& convert);
/// One declared option; `take` gets what was typed: "true" or "false" of a switch.
CLI::Option* addDeclared(CLI::App& verb, const std::string& name, const Option& option,
                         const std::function<void(const std::string&)>& take);
/// The options that formats have for opening, or for writing, each by its own name.
void addFormatOptions(CLI::App& verb, Options Format::*which, std::map<std::string, std::string>& typed);
[[nodiscard]] nlohmann::json optionsJson(const Options& options);
/// Least severity of a finding that counts.
void addFailOn(CLI::App& verb, std::string& severity, const char* help);

} // namespace wyc::cli
