// SPDX-License-Identifier: GPL-3.0-or-later
#include <memory>

#include <fmt/format.h>

#include "declare.h"
#include "demo/lantern_shoal.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

int runDemo(const Common& common, const std::string& folder) {
    const TerminalProgress terminal(common);
    const auto files = demo::writeDemo(folder, terminal.progress());
    if (!files)
        return report(common, files.error());
    if (common.json)
        printJson({{"job", files->job.string()}, {"files", files->files.size()}});
    else
        fmt::print("{}\n", files->job.string());
    return kClean;
}

} // namespace

Run declareDemo(CLI::App& app, const Common& common) {
    const auto folder = std::make_shared<std::string>();
    app.add_option("folder", *folder, "A folder that is empty or not there")->required()->type_name("DIR");
    return [folder, &common] { return runDemo(common, *folder); };
}

} // namespace wyc::cli
