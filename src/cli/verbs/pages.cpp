// SPDX-License-Identifier: GPL-3.0-or-later
// Man page and shell completions, written from the parsed option table.
#include <algorithm>

#include <fmt/format.h>

#include "base/file.h"
#include "base/text.h"
#include "base/version.h"
#include "declare.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

std::string roff(std::string_view text) {
    std::string result;
    for (const char c : text) {
        if (c == '-')
            result += "\\-";
        else if (c == '\\')
            result += "\\e";
        else
            result += c;
    }
    return result;
}

struct OptionInfo {
    std::vector<std::string> names; // "-o", "--output"
    std::string value;
    std::string help;
};

// "note|caution|fault": words to choose from, apart by blanks; empty where the value is free.
std::string choicesOf(const OptionInfo& option) {
    std::string words = option.value;
    if (words.find('|') == std::string::npos)
        return {};
    std::replace(words.begin(), words.end(), '|', ' ');
    return words;
}

std::vector<const CLI::App*> actsOf(const CLI::App& verb) {
    return verb.get_subcommands([](const CLI::App*) { return true; });
}

std::vector<OptionInfo> optionsOf(const CLI::App& verb) {
    std::vector<OptionInfo> result;
    for (const CLI::Option* option : verb.get_options()) {
        if (option->nonpositional()) {
            OptionInfo info;
            for (const std::string& name : option->get_snames())
                info.names.push_back("-" + name);
            for (const std::string& name : option->get_lnames())
                info.names.push_back("--" + name);
            info.value = option->get_items_expected_max() == 0 ? "" : option->get_type_name();
            info.help = option->get_description();
            result.push_back(std::move(info));
        }
    }
    // Of a verb with acts, those of all of them.
    for (const CLI::App* act : actsOf(verb))
        for (OptionInfo& info : optionsOf(*act))
            if (std::none_of(result.begin(), result.end(),
                             [&](const OptionInfo& known) { return known.names == info.names; }))
                result.push_back(std::move(info));
    return result;
}

std::vector<const CLI::App*> verbsOf(const CLI::App& app) {
    std::vector<const CLI::App*> result;
    for (const CLI::App* verb : app.get_subcommands([](const CLI::App*) { return true; }))
        if (!verb->get_group().empty())
            result.push_back(verb);
    return result;
}

std::string manPage(const CLI::App& app) {
    std::string page = fmt::format(".TH WYC 1 \"\" \"Wychronos {}\" \"User Commands\"\n.SH NAME\nwyc \\- "
                                   "{}\n.SH SYNOPSIS\n.B wyc\n.I VERB\n[options] ...\n.SH VERBS\n",
                                   version(), roff(app.get_description()));
    for (const CLI::App* verb : verbsOf(app)) {
        page += fmt::format(".SS {}\n{}.\n", verb->get_name(), roff(verb->get_description()));
        for (const CLI::App* act : actsOf(*verb))
            page += fmt::format(".TP\n.B {}\n{}. {}\n", act->get_name(), roff(act->get_description()),
                                roff(act->get_footer()));
        for (const CLI::Option* option : verb->get_options())
            if (!option->nonpositional())
                page += fmt::format(".TP\n.I {}\n{}\n", roff(option->get_type_name()), roff(option->get_description()));
        for (const OptionInfo& option : optionsOf(*verb))
            page += fmt::format(".TP\n\\fB{}\\fR{}\n{}\n", roff(fmt::format("{}", fmt::join(option.names, ", "))),
                                option.value.empty() ? "" : " \\fI" + roff(option.value) + "\\fR", roff(option.help));
        if (!verb->get_footer().empty())
            page += fmt::format(".PP\n{}\n", roff(verb->get_footer()));
    }
    page += ".SH EXIT STATUS\n0 clean; 1 findings at or above \\-\\-fail\\-on, or not proven; 2 error; 130 "
            "stopped.\n";
    return page;
}

std::string bashCompletion(const CLI::App& app) {
    std::string verbs;
    std::string cases;
    std::string values;
    for (const CLI::App* verb : verbsOf(app)) {
        verbs += verb->get_name() + " ";
        std::string words;
        for (const CLI::App* act : actsOf(*verb))
            words += act->get_name() + " ";
        for (const OptionInfo& option : optionsOf(*verb)) {
            words += fmt::format("{} ", fmt::join(option.names, " "));
            if (const std::string choices = choicesOf(option); !choices.empty())
                values +=
                    fmt::format("        \"{} {}\") COMPREPLY=($(compgen -W \"{}\" -- \"$current\")); return ;;\n",
                                verb->get_name(), option.names.back(), choices);
        }
        cases += fmt::format("        {}) words=\"{}\" ;;\n", verb->get_name(), words);
    }
    return fmt::format(
        "_wyc() {{\n    local current=\"${{COMP_WORDS[COMP_CWORD]}}\" words\n    if [ \"$COMP_CWORD\" -eq 1 "
        "]; then\n"
        "        COMPREPLY=($(compgen -W \"{}\" -- \"$current\"))\n        return\n    fi\n    case "
        "\"${{COMP_WORDS[1]}}\" in\n{}    esac\n"
        "    case \"${{COMP_WORDS[1]}} ${{COMP_WORDS[COMP_CWORD-1]}}\" in\n{}    esac\n"
        "    if [[ \"$current\" == -* ]]; then\n        COMPREPLY=($(compgen -W \"$words\" -- "
        "\"$current\"))\n    else\n"
        "        COMPREPLY=($(compgen -f -- \"$current\"))\n    fi\n}}\ncomplete -o filenames -F _wyc wyc\n",
        verbs, cases, values);
}

std::string quoted(std::string text) {
    for (std::size_t at = 0; (at = text.find('\'', at)) != std::string::npos; at += 4)
        text.replace(at, 1, "'\\''");
    return text;
}

std::string zshCompletion(const CLI::App& app) {
    std::string verbs;
    std::string cases;
    for (const CLI::App* verb : verbsOf(app)) {
        verbs += fmt::format("        '{}:{}'\n", verb->get_name(), quoted(verb->get_description()));
        cases += fmt::format("        {}) _arguments", verb->get_name());
        for (const OptionInfo& option : optionsOf(*verb)) {
            std::string help = quoted(option.help);
            std::replace(help.begin(), help.end(), '[', '(');
            std::replace(help.begin(), help.end(), ']', ')');
            for (const std::string& name : option.names)
                cases += fmt::format(" '{}[{}]{}'", name, help,
                                     option.value.empty()        ? ""
                                     : choicesOf(option).empty() ? ":value:_files"
                                                                 : fmt::format(":value:({})", choicesOf(option)));
        }
        cases += " '*:file:_files' ;;\n";
    }
    return fmt::format("#compdef wyc\n_wyc() {{\n    local -a verbs\n    verbs=(\n{}    )\n    if (( CURRENT "
                       "== 2 )); then\n        _describe verb verbs\n        return\n    fi\n"
                       "    local verb=$words[2]\n    shift words\n    (( CURRENT-- ))\n    case $verb "
                       "in\n{}    esac\n}}\n_wyc \"$@\"\n",
                       verbs, cases);
}

std::string fishCompletion(const CLI::App& app) {
    std::string text;
    for (const CLI::App* verb : verbsOf(app)) {
        text += fmt::format("complete -c wyc -n __fish_use_subcommand -a {} -d '{}'\n", verb->get_name(),
                            quoted(verb->get_description()));
        for (const OptionInfo& option : optionsOf(*verb)) {
            std::string names;
            for (const std::string& name : option.names)
                names += name.starts_with("--") ? " -l " + name.substr(2) : " -s " + name.substr(1);
            text += fmt::format("complete -c wyc -n '__fish_seen_subcommand_from {}'{}{} -d '{}'\n", verb->get_name(),
                                names,
                                option.value.empty()        ? std::string()
                                : choicesOf(option).empty() ? " -r"
                                                            : fmt::format(" -x -a '{}'", choicesOf(option)),
                                quoted(option.help));
        }
    }
    return text;
}

int runPages(const Common& common, const CLI::App& app, const std::string& folder) {
    const std::vector<std::pair<const char*, std::string>> pages{{"wyc.1", manPage(app)},
                                                                 {"wyc.bash", bashCompletion(app)},
                                                                 {"_wyc", zshCompletion(app)},
                                                                 {"wyc.fish", fishCompletion(app)}};
    for (const auto& [name, text] : pages)
        if (const auto status = writeTextFile(fs::path(folder) / name, text, AtomicFile::Replace::Yes); !status)
            return report(common, status.error());
    return kClean;
}

} // namespace

Run declarePages(CLI::App& app, const Common& common) {
    const auto folder = std::make_shared<std::string>();
    app.add_option("folder", *folder, "An existing folder")->required()->type_name("DIR");
    return [folder, &app, &common] { return runPages(common, *app.get_parent(), *folder); };
}

} // namespace wyc::cli
