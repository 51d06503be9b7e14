// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The options of the verbs, declared once: parsing, help, man page and completions all come from here.
#include <CLI/CLI.hpp>

#include "options.h"

namespace wyc::cli {

struct CommandLine {
    CommandLine();
    CLI::App app;
    Common common;
    InfoArguments info;
    SampleArguments sample;
    CheckArguments check;
    ConvertArguments convert;
    LoopArguments loop;
    RetimeArguments retime;
    CompareArguments compare;
    JobArguments job;
    DeliverArguments deliver;
    ProveArguments prove;
    std::string step;
    std::string demoFolder;
    std::string pagesFolder;
};

/// Writes man page and completions into a folder.
int runPages(const Common& common, CLI::App& app, const std::string& folder);

} // namespace wyc::cli
