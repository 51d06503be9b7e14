// SPDX-License-Identifier: GPL-3.0-or-later
#include <exception>

#include <fmt/format.h>

#include "base/parallel.h"
#include "command_line.h"

int main(int argc, char** argv) {
    using namespace wyc::cli;
    CommandLine line;
    try {
        line.app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        const int code = line.app.exit(error);
        return code == 0 ? kClean : kError;
    }
    installStopHandler();
    if (line.common.threads > 0)
        wyc::setThreadCount(line.common.threads);
    try {
        const std::string verb = line.app.get_subcommands().front()->get_name();
        if (verb == "info")
            return runInfo(line.common, line.info);
        if (verb == "sample")
            return runSample(line.common, line.sample);
        if (verb == "check")
            return runCheck(line.common, line.check);
        if (verb == "convert")
            return runConvert(line.common, line.convert);
        if (verb == "deliver")
            return runDeliver(line.common, line.deliver);
        if (verb == "prove")
            return runProve(line.common, line.prove);
        if (verb == "formats")
            return runFormats(line.common);
        if (verb == "steps")
            return runSteps(line.common, line.step);
        if (verb == "demo")
            return runDemo(line.common, line.demoFolder);
        return runPages(line.common, line.app, line.pagesFolder);
    } catch (const std::exception& error) { // out of memory and the like
        return report(line.common, wyc::makeError(wyc::ErrorKind::Internal, error.what()));
    }
}
