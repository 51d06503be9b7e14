// SPDX-License-Identifier: GPL-3.0-or-later
#include "command_line.h"

#include "base/version.h"
#include "declare.h"

namespace wyc::cli {

CommandLine::CommandLine() : app("Wychronos: point caches and scene caches that arrive as they left", "wyc") {
    app.set_version_flag("--version", std::string("wyc ") + version());
    app.require_subcommand(1);
    app.failure_message(CLI::FailureMessage::simple);
    for (const Verb& verb : verbs()) {
        CLI::App* added = app.add_subcommand(verb.name, verb.help);
        added->footer(verb.footer);
        if (!verb.listed)
            added->group("");
        runs_[added] = verb.declare(*added, common);
        // A verb of several acts has the common options at each of them.
        const auto acts = added->get_subcommands({});
        for (CLI::App* act : acts.empty() ? std::vector<CLI::App*>{added} : acts)
            addCommon(*act, common);
    }
}

int CommandLine::run() const {
    return runs_.at(app.get_subcommands().front())();
}

} // namespace wyc::cli
