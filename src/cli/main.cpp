// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <exception>
#include <numeric>
#include <optional>
#include <system_error>

#include <fmt/format.h>

#include "base/parallel.h"
#include "base/text.h"
#include "command_line.h"

namespace {

using namespace wyc::cli;

// Letters to change, add or take away to make one word of another.
std::size_t lettersBetween(const std::string& a, const std::string& b) {
    std::vector<std::size_t> row(b.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 1; i <= a.size(); ++i) {
        std::size_t corner = row[0];
        row[0] = i;
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const std::size_t changed = corner + (a[i - 1] == b[j - 1] ? 0 : 1);
            corner = row[j];
            row[j] = std::min({row[j] + 1, row[j - 1] + 1, changed});
        }
    }
    return row.back();
}

// The verb that a word stands for which is none; nothing where a verb was named.
std::optional<std::string> noVerb(const CLI::App& app, const std::vector<std::string>& words) {
    const CLI::App* at = &app;
    for (const CLI::App* chosen : app.get_subcommands())
        at = chosen;
    if (at->get_subcommands(nullptr).empty() || !at->get_subcommands().empty())
        return std::nullopt;
    const auto named = at == &app ? words.begin() : std::find(words.begin(), words.end(), at->get_name());
    const auto word = std::find_if(named, words.end(),
                                   [&](const std::string& w) { return !w.starts_with("-") && w != at->get_name(); });
    return word == words.end() ? std::string() : *word;
}

// The verb or option that a word which nobody knows is nearest to.
std::string meant(const CLI::App& app, const std::vector<std::string>& words) {
    std::vector<std::string> known;
    std::vector<std::string> odd;
    if (const auto none = noVerb(app, words)) {
        const auto chosen = app.get_subcommands();
        for (const CLI::App* verb : (chosen.empty() ? &app : chosen.front())->get_subcommands(nullptr))
            known.push_back(verb->get_name());
        odd.push_back(*none);
    } else {
        for (const CLI::App* verb : app.get_subcommands())
            for (const CLI::App* at : {verb, verb->get_subcommands().empty() ? verb : verb->get_subcommands().front()})
                for (const CLI::Option* option : at->get_options())
                    for (const std::string& name : option->get_lnames())
                        known.push_back("--" + name);
        for (const std::string& word : words)
            if (const std::string name = word.substr(0, word.find('=')); name.starts_with("--"))
                odd.push_back(name);
    }
    std::string best;
    std::size_t least = 3;
    for (const std::string& word : odd) {
        if (std::find(known.begin(), known.end(), word) != known.end())
            continue;
        for (const std::string& one : known)
            if (const std::size_t far = lettersBetween(word, one); far < least) {
                least = far;
                best = one;
            }
    }
    return best;
}

int usageError(CommandLine& line, const CLI::ParseError& error, const std::vector<std::string>& words) {
    if (error.get_exit_code() == 0) // help, version
        return finished(line.app.exit(error) == 0 ? kClean : kError);
    wyc::Error told = wyc::makeError(wyc::ErrorKind::BadInput, error.what());
    if (const auto word = noVerb(line.app, words))
        told.what = word->empty() ? "it is not said what to do" : fmt::format("'{}' is no verb", *word);
    const std::string near = meant(line.app, words);
    const auto chosen = line.app.get_subcommands();
    told.advice = !near.empty()    ? fmt::format("Did you mean {}?", near)
                  : chosen.empty() ? "`wyc --help` lists the verbs"
                                   : fmt::format("`wyc {} --help` lists its options", chosen.front()->get_name());
    // The flag may stand behind what could not be read.
    line.common.json = std::find(words.begin(), words.end(), "--json") != words.end();
    return finished(report(line.common, told));
}

} // namespace

int main(int argc, char** argv) {
    CommandLine line;
    installStopHandler();
    try {
        try {
            line.app.parse(argc, argv);
        } catch (const CLI::ParseError& error) {
            return usageError(line, error, {argv + 1, argv + argc});
        }
        if (line.common.threads > 0)
            wyc::setThreadCount(line.common.threads);
        return finished(line.run());
    } catch (const std::system_error& error) {
        if (error.code().value() == EPIPE) // whoever read it has seen enough
            return kClean;
        fmt::print(stderr, "wyc: standard output cannot be written: {}\n", error.code().message());
        return kError;
    } catch (const std::exception& error) { // out of memory and the like
        return report(line.common, wyc::makeError(wyc::ErrorKind::Internal, error.what()));
    }
}
