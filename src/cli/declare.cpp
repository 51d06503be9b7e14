// SPDX-License-Identifier: GPL-3.0-or-later
#include "declare.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "steps/step.h"

namespace wyc::cli {
namespace {

const CLI::Validator& kindCheck() {
    static const std::vector<std::string> kNames(itemKinds().begin(), itemKinds().end());
    static const CLI::IsMember kCheck(kNames);
    return kCheck;
}

} // namespace

const CLI::Validator kSomething([](const std::string& text) { return text.empty() ? "it is empty" : ""; }, "", "");

void addText(CLI::App& verb, const char* name, std::string& value, const char* help, const char* type) {
    verb.add_option(name, value, help)->check(kSomething)->type_name(type);
}

void addChoice(CLI::App& verb, std::vector<std::string>& items, std::vector<std::string>& kinds) {
    verb.add_option("--items", items,
                    "Items by name, by a group's name (with all below) or by pattern, repeatable; !PATTERN leaves out")
        ->type_name("PATTERN")
        ->check(kSomething)
        ->allow_extra_args(false);
    verb.add_option("--kind", kinds, "Only seen, moving, shapes, cameras, lights or points; repeatable")
        ->type_name("seen|moving|shapes|cameras|lights|points")
        ->check(kindCheck())
        ->allow_extra_args(false);
}

void addCommon(CLI::App& verb, Common& common) {
    verb.add_flag("--json", common.json, "One JSON document on standard output and nothing else");
    verb.add_flag("-q,--quiet", common.quiet, "No progress, no remarks");
    verb.add_flag("-v,--verbose", common.verbose, "Remarks on what was passed over");
    verb.add_option("--threads", common.threads, "Number of threads (default: all)")
        ->check(CLI::Range(0, 1024))
        ->type_name("N");
}

void addSources(CLI::App& verb, OpenArguments& open) {
    verb.add_option("source", open.paths, "Files, folders, or patterns as sheet.####.obj")
        ->required()
        ->type_name("SOURCE");
    verb.add_option("--rest", open.rest, "Mesh of a bare point cache")->type_name("FILE");
    verb.add_option("--rest-object", open.restObject, "One object of the rest file")->type_name("NAME");
    verb.add_flag("--single", open.single, "A numbered file is one file, not its sequence");
    addText(verb, "--is-unit", open.isUnit, "Unit of sources that state none: mm cm m in ft, or metres", "U");
    verb.add_option("--is-up", open.isUp, "Up axis of sources that state none")
        ->check(CLI::IsMember({"X", "Y", "Z"}, CLI::ignore_case))
        ->type_name("X|Y|Z");
    addText(verb, "--is-rate", open.isRate, "Rate of sources that state none", "R");
    addFormatOptions(verb, &Format::openOptions, open.options);
}

void addRange(CLI::App& verb, ShotArguments& shot) {
    addText(verb, "--range", shot.range, "First and last frame, as 1009:1128", "A:B");
    verb.add_option("--handles", shot.handles, "Frames beyond both ends")
        ->check(CLI::NonNegativeNumber)
        ->type_name("N");
    addText(verb, "--rate", shot.rate, "Frames a second: 24, 23.976, 30000/1001", "R");
}

void addSteps(CLI::App& verb, StepArguments& steps) {
    addRange(verb, steps.range);
    verb.add_option("--every", steps.every, "Keep every n-th sample")->check(CLI::Range(1, 1000000))->type_name("N");
    verb.add_option("--resample", steps.resample, "Between samples: linear or nearest")
        ->check(CLI::IsMember({"linear", "nearest"}))
        ->type_name("linear|nearest");
    verb.add_option("--offset", steps.offset, "Move all samples in time")->type_name("FRAMES");
    addText(verb, "--first", steps.first, "Number of the first frame in the target", "FRAME");
    addText(verb, "--unit", steps.unit, "From one unit to another, as cm:m", "FROM:TO");
    auto* world = verb.add_flag("--world", steps.world, "Put all transforms into the points");
    verb.add_flag("--own-space", steps.ownSpace,
                  "Leave points in their own space where the format has no transforms (else these go into the points)")
        ->excludes(world);
    verb.add_option("--lead", steps.lead, "Settling frames left out at the start")
        ->check(CLI::NonNegativeNumber)
        ->type_name("N");
    addText(verb, "--frames", steps.frames, "Only these frames, as 1009,1020:1024", "LIST");
    verb.add_option("--length", steps.length, "Exactly so many frames")->check(CLI::PositiveNumber)->type_name("N");
    addText(verb, "--shutter", steps.shutter, "Samples within every frame, as -0.25:0.25:3", "OPEN:CLOSE:N");
    verb.add_option("--scale", steps.scale, "Multiply all sizes")->type_name("X");
    addText(verb, "--up", steps.up, "Turn one up axis onto another, as Z:Y", "FROM:TO");
    addText(verb, "--steps", steps.stepsFile, "A chain of steps, as the job file has it", "FILE.json");
    addText(verb, "--read-as", steps.readAs, "Read every frame as at this rate (keeps frame numbers)", "R");
    addText(verb, "--drop", steps.drop, "Frames left out, as 1009,1020:1024", "LIST");
    verb.add_flag("--close", steps.close, "What is behind dropped frames moves up");
    addText(verb, "--hold", steps.hold, "Frames for which the first and last pose are held", "BEFORE:AFTER");
    addText(verb, "--start", steps.start, "Frame at which the first sample comes", "FRAME");
    verb.add_option("--split", steps.split,
                    "One item for each piece, each set of faces (objects and groups of an OBJ file) or each material, "
                    "before --items chooses among them")
        ->check(CLI::IsMember({"pieces", "sets", "materials"}))
        ->type_name("pieces|sets|materials");
}

void addTarget(CLI::App& verb, ConvertArguments& convert) {
    verb.add_option("-o,--output", convert.target, "Target; its extension chooses the format")
        ->required()
        ->type_name("TARGET");
    verb.add_flag("--strict", convert.strict, "What was asked for and is not there is an error");
    auto* perItem =
        verb.add_flag("--per-item", convert.perItem, "One file per item; the item's name goes into the target's");
    verb.add_flag("--one-file")->description("All items in one file (the default)")->excludes(perItem);
    verb.add_flag("--replace", convert.replace, "A target that exists is replaced");
    verb.add_flag("--prove", convert.prove, "Read back and compare before the target appears");
    verb.add_flag("--record", convert.record, "The same, and a .record.json beside it");
    addFormatOptions(verb, &Format::writeOptions, convert.formatOptions);
}

CLI::Option* addDeclared(CLI::App& verb, const std::string& name, const Option& option,
                         const std::function<void(const std::string&)>& take) {
    const std::string help(option.help);
    if (option.kind == OptionKind::Switch)
        return verb.add_flag_function(
            fmt::format("--{0},!--no-{0}", name),
            [take, name](std::int64_t count) {
                if (count == 0) // once each
                    throw CLI::ValidationError("--" + name, "given together with --no-" + name);
                take(count > 0 ? "true" : "false");
            },
            help);
    auto* added = verb.add_option_function<std::string>("--" + name, take, help);
    std::string type =
        option.choices.empty() ? optionKindName(option.kind) : fmt::format("{}", fmt::join(option.choices, "|"));
    if (option.standard.is_null())
        type += "|none";
    return added->type_name(type)->check(kSomething);
}

void addFormatOptions(CLI::App& verb, Options Format::*which, std::map<std::string, std::string>& typed) {
    // One that several formats have is one option of the command line.
    std::map<std::string, std::pair<const Option*, std::string>> all;
    for (const Format& format : formats())
        for (const Option& option : format.*which) {
            auto& [known, names] = all[std::string(option.name)];
            known = known ? known : &option;
            names += (names.empty() ? "" : ", ") + std::string(format.name);
        }
    for (const auto& [name, known] : all) {
        const auto& [option, names] = known;
        Option shown = *option;
        const std::string help = fmt::format("{}: {}", names, option->help);
        shown.help = help;
        const bool several = option->kind == OptionKind::Texts;
        auto* added = addDeclared(verb, name, shown, [&typed, name = name, several](const std::string& text) {
            std::string& before = typed[name];
            before = several && !before.empty() ? before + "\n" + text : text;
        });
        if (several) // each time that it is given
            added->trigger_on_parse()->take_all();
        added->group("Options of formats");
    }
}

nlohmann::json optionsJson(const Options& options) {
    nlohmann::json list = nlohmann::json::array();
    for (const Option& option : options) {
        nlohmann::json entry{{"name", option.name},
                             {"kind", optionKindName(option.kind)},
                             {"unit", option.unit.empty() ? nlohmann::json(nullptr) : nlohmann::json(option.unit)},
                             {"help", option.help},
                             {"standard", option.standard}};
        if (!option.choices.empty())
            entry["choices"] = option.choices;
        list.push_back(std::move(entry));
    }
    return list;
}

void addFailOn(CLI::App& verb, std::string& severity, const char* help) {
    verb.add_option("--fail-on", severity, help)
        ->check(CLI::IsMember({"note", "caution", "fault"}))
        ->type_name("note|caution|fault");
}

} // namespace wyc::cli
