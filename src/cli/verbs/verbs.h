// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The verbs: a file each in this folder, and a line in the table.
#include <functional>
#include <vector>

#include "common.h"

namespace CLI {
class App;
}

namespace wyc::cli {

/// Does what a verb does with what it was given, and returns the exit code.
using Run = std::function<int()>;

struct Verb {
    const char* name;
    const char* help;
    const char* footer; // an example, below the options
    /// Adds the verb's options to `app`; called once, before anything is read. `common` is filled when `Run` is called.
    Run (*declare)(CLI::App& app, const Common& common);
    bool listed = true; // among the verbs of the help
};
/// In the order of the help.
[[nodiscard]] const std::vector<Verb>& verbs();

Run declareInfo(CLI::App& app, const Common& common);
Run declareSample(CLI::App& app, const Common& common);
Run declareCheck(CLI::App& app, const Common& common);
Run declareConvert(CLI::App& app, const Common& common);
Run declareLoop(CLI::App& app, const Common& common);
Run declareRetime(CLI::App& app, const Common& common);
Run declareCompare(CLI::App& app, const Common& common);
Run declareOrder(CLI::App& app, const Common& common);
Run declareJob(CLI::App& app, const Common& common);
Run declareDeliver(CLI::App& app, const Common& common);
Run declareProve(CLI::App& app, const Common& common);
Run declareFormats(CLI::App& app, const Common& common);
Run declareSteps(CLI::App& app, const Common& common);
Run declareDemo(CLI::App& app, const Common& common);
Run declarePages(CLI::App& app, const Common& common);

} // namespace wyc::cli
