// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The command line: parsing, help, man page and completions all come from what the verbs declare.
#include <map>

#include <CLI/CLI.hpp>

#include "verbs/verbs.h"

namespace wyc::cli {

struct CommandLine {
    CommandLine();
    CommandLine(const CommandLine&) = delete;
    CommandLine& operator=(const CommandLine&) = delete;
    /// Runs the verb that was read.
    [[nodiscard]] int run() const;
    CLI::App app;
    Common common;

  private:
    std::map<const CLI::App*, Run> runs_;
};

} // namespace wyc::cli
