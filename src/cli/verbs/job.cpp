// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cctype>
#include <memory>

#include <fmt/format.h>

#include "base/text.h"
#include "declare.h"
#include "delivery/ask/chosen.h"
#include "delivery/ask/delivery_options.h"
#include "job/job.h"
#include "scene/stand_in.h"
#include "time/frame_text.h"
#include "verbs/verbs.h"
#include "workbench/mending.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct JobArguments {
    std::string job;
    bool fresh = false;
    std::string shotName;
    ShotArguments shot;
    bool handlesGiven = false;
    std::vector<std::string> added;
    std::vector<std::string> removed;
    std::vector<std::string> items; // that the following is about
    std::vector<std::string> steps;
    std::string stepsFile;
    bool clear = false;
    bool leaveOut = false;
    bool takeIn = false;
    bool loops = false;
    bool noLoops = false;
    std::vector<std::string> mend;
    std::string delivery; // its name
    bool dropDelivery = false;
    std::string format;
    std::vector<std::string> take;
    std::string folder;
    std::map<std::string, json> settings; // of the delivery, by their names in a job
    std::string shutter;
    std::map<std::string, std::string> openOptions; // of formats, as typed
    std::map<std::string, std::string> writeOptions;
};

// "trim first=1009 last=1128": a type and its options, as `wyc steps` lists them.
Result<Step> stepOf(const std::string& text) {
    std::vector<std::string> words;
    for (const std::string& part : splitText(text, ' ')) {
        const std::string word(trimmed(part));
        if (word.empty())
            continue;
        // What begins no option goes on the value before it: curve=1001=1001, 1050=1100.
        const bool option =
            std::isalpha(static_cast<unsigned char>(word.front())) && word.find('=') != std::string::npos;
        if (words.size() > 1 && !option)
            words.back() += " " + word;
        else
            words.push_back(word);
    }
    const StepType* type = words.empty() ? nullptr : stepType(words.front());
    if (!type)
        return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' names no step", text))
                        .withAdvice("Write a type and its options, as \"trim first=1009 last=1128\"; `wyc steps` lists "
                                    "them"));
    json options = json::object();
    for (std::size_t i = 1; i < words.size(); ++i) {
        const auto equals = words[i].find('=');
        if (equals == std::string::npos)
            return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no option=value", words[i]))
                            .withAdvice(fmt::format("`wyc steps {}` lists its options", type->id)));
        const std::string name = words[i].substr(0, equals);
        std::string value = words[i].substr(equals + 1);
        if (value.size() > 1 && (value.front() == '"' || value.front() == '\'') && value.back() == value.front())
            value = value.substr(1, value.size() - 2); // not needed here, and meant to hold it together
        const Option* known = optionNamed(type->options, name);
        if (!known)
            return fail(makeError(ErrorKind::BadInput, fmt::format("the step {} has no option '{}'", type->id, name))
                            .withAdvice(fmt::format("`wyc steps {}` lists its options", type->id)));
        options[name] = typedValue(*known, value);
    }
    WYC_TRY(checked, checkedOptions(*type, options));
    return Step{std::string(type->id), std::move(checked), true};
}

struct Place {
    SourceId source;
    std::string path;
};

// Items of the job's sources that a pattern over label, path or name fits; with what is below, where it is a group.
Result<std::vector<Place>> placesOf(const std::vector<OpenedSource>& opened, const std::vector<std::string>& patterns,
                                    const Job& job) {
    std::vector<Place> places;
    for (const OpenedSource& entry : opened) {
        const Scene& scene = entry.source->shown();
        const std::vector<bool> isItem = itemMask(scene);
        std::vector<bool> hit(scene.nodes.size(), false);
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
            const Node& node = scene.nodes[n];
            const JobItem* known = job.item(entry.id, node.path);
            hit[n] = isTaken(patterns, {itemLabel(*entry.source, node.path), node.path, node.name,
                                        known && known->leftOut && patterns.empty()}) ||
                     (node.parent >= 0 && hit[static_cast<std::size_t>(node.parent)]);
            if (hit[n] && isItem[n])
                places.push_back({entry.id, node.path});
        }
    }
    if (places.empty())
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("no item of the job fits '{}'", fmt::join(patterns, "', '")))
                .withAdvice("`wyc job JOB.wyc` lists its sources, `wyc info` their items"));
    return places;
}

Status changeShot(const JobArguments& arguments, Shot& shot) {
    WYC_TRY(given, arguments.shot.shot());
    if (!arguments.shotName.empty())
        shot.name = safeName(arguments.shotName);
    if (given.range)
        shot.range = given.range;
    if (arguments.handlesGiven)
        shot.handles = given.handles;
    if (given.rate)
        shot.rate = given.rate;
    if (given.unitMetres)
        shot.unitMetres = given.unitMetres;
    if (given.upAxis)
        shot.upAxis = given.upAxis;
    return {};
}

Status changeSources(const JobArguments& arguments, Job& job) {
    for (const std::string& name : arguments.removed) {
        const auto gone = [&](const JobSource& source) {
            return matchesPattern(source.spec.path.filename().string(), name) || source.spec.path == fs::path(name);
        };
        std::vector<SourceId> ids;
        for (const JobSource& source : job.sources)
            if (gone(source))
                ids.push_back(source.id);
        if (ids.empty())
            return fail(makeError(ErrorKind::BadInput, fmt::format("the job has no source '{}'", name)));
        std::erase_if(job.sources, gone);
        std::erase_if(job.items,
                      [&](const JobItem& item) { return std::find(ids.begin(), ids.end(), item.source) != ids.end(); });
    }
    std::set<std::string> used;
    const auto choose = [&](SourceSpec& spec) {
        if (const Format* format = formatOfSource(spec.path))
            spec.options.update(optionsFor(format->openOptions, arguments.openOptions, used));
    };
    if (arguments.added.empty()) {
        for (JobSource& source : job.sources)
            choose(source.spec);
        return allUsed(arguments.openOptions, used);
    }
    std::error_code code;
    std::vector<fs::path> paths;
    for (const std::string& path : arguments.added)
        paths.push_back(fs::absolute(path, code).lexically_normal());
    WYC_TRY(gathered, gather(paths, false));
    for (SourceSpec& spec : gathered.specs) {
        choose(spec);
        const auto there = std::find_if(job.sources.begin(), job.sources.end(),
                                        [&](const JobSource& source) { return source.spec.path == spec.path; });
        if (there == job.sources.end())
            job.sources.push_back({job.freeSourceId(), spec});
        else
            there->spec.options.update(spec.options);
    }
    return allUsed(arguments.openOptions, used);
}

Status changeItems(const Common& common, const JobArguments& arguments, Job& job) {
    const bool any = !arguments.steps.empty() || !arguments.stepsFile.empty() || arguments.clear ||
                     arguments.leaveOut || arguments.takeIn || arguments.loops || arguments.noLoops ||
                     !arguments.mend.empty();
    if (!any)
        return {};
    if (arguments.items.empty() && arguments.mend.empty())
        return fail(makeError(ErrorKind::BadInput, "which items is it about?")
                        .withAdvice("Say it with --items; --items '*' means all"));
    WYC_TRY(opened, openSources(job));
    std::vector<Step> steps;
    if (!arguments.stepsFile.empty()) {
        WYC_TRY(chain, stepsOfFile(arguments.stepsFile));
        steps = std::move(chain);
    }
    for (const std::string& text : arguments.steps) {
        WYC_TRY(step, stepOf(text));
        steps.push_back(std::move(step));
    }
    WYC_TRY(places, placesOf(opened, arguments.items, job));
    for (const Place& place : places) {
        JobItem& item = job.itemFor(place.source, place.path);
        if (arguments.clear)
            item.steps.clear();
        item.steps.insert(item.steps.end(), steps.begin(), steps.end());
        if (arguments.leaveOut || arguments.takeIn)
            item.leftOut = arguments.leaveOut;
        if (arguments.loops || arguments.noLoops)
            item.loops = arguments.loops;
    }
    if (arguments.mend.empty())
        return {};
    const TerminalProgress terminal(common);
    WYC_TRY(items, measuredItemsOf(job, opened, terminal.progress()));
    std::size_t count = 0;
    const auto wanted = [&](const Finding& finding) {
        return std::any_of(arguments.mend.begin(), arguments.mend.end(),
                           [&](const std::string& id) { return id == "all" || matchesPattern(finding.id, id); });
    };
    std::set<ItemKey> keys;
    for (const Place& place : places)
        keys.insert({place.source, place.path});
    WYC_TRY(outcomes, mended(job, items, keys, wanted, terminal.progress()));
    for (const Mended& outcome : outcomes) {
        if (!outcome.done.empty())
            job.itemFor(outcome.key.source, outcome.key.path).steps = outcome.steps;
        for (const Finding& finding : outcome.done)
            remark(common, fmt::format("{}: {} ({})", finding.item, finding.mendLabel, finding.id));
        for (const Finding& finding : outcome.left)
            if (!finding.mend.empty())
                remark(common, fmt::format("{}: {} ({}) would not help, and is left out", finding.item,
                                           finding.mendLabel, finding.id));
        count += outcome.done.size();
    }
    if (count == 0)
        remark(common, "no finding of that id has a mend that helps");
    return {};
}

Status changeDelivery(const JobArguments& arguments, Job& job) {
    if (arguments.delivery.empty())
        return allUsed(arguments.writeOptions, {});
    auto found = std::find_if(job.deliveries.begin(), job.deliveries.end(),
                              [&](const DeliverySpec& spec) { return spec.name == arguments.delivery; });
    if (arguments.dropDelivery) {
        if (found == job.deliveries.end())
            return fail(makeError(ErrorKind::BadInput, fmt::format("there is no delivery '{}'", arguments.delivery)));
        job.deliveries.erase(found);
        return {};
    }
    if (found == job.deliveries.end()) {
        job.deliveries.push_back({});
        found = std::prev(job.deliveries.end());
        found->name = arguments.delivery;
    }
    DeliverySpec& spec = *found;
    if (!arguments.format.empty() && arguments.format != spec.format) {
        spec.format = arguments.format;
        spec.formatOptions = json::object();
    }
    std::set<std::string> used;
    if (const Format* format = formatById(spec.format))
        spec.formatOptions.update(optionsFor(format->writeOptions, arguments.writeOptions, used));
    WYC_CHECK(allUsed(arguments.writeOptions, used));
    if (const Format* format = formatById(spec.format))
        WYC_CHECK(chosenAs(*format, spec.formatOptions));
    if (!arguments.take.empty()) {
        spec.items = arguments.take;
        WYC_TRY(opened, openSources(job));
        for (const std::string& pattern : arguments.take)
            if (!pattern.starts_with("!"))
                WYC_CHECK(placesOf(opened, {pattern}, job));
    }
    std::error_code code;
    if (!arguments.folder.empty())
        spec.folder = fs::absolute(arguments.folder, code).lexically_normal();
    for (const DeliveryOption& it : deliveryOptions())
        if (const auto given = arguments.settings.find(std::string(it.option.name));
            given != arguments.settings.end()) {
            auto checked = checkedValue(it.option, given->second);
            if (!checked) {
                checked.error().what = fmt::format("--{}: {}", it.typed, checked.error().what);
                return fail(std::move(checked.error()));
            }
            it.set(spec, *checked);
        }
    WYC_CHECK(nameFromTemplate(spec.nameTemplate, NameParts{"shot", "item", "parent", "/path", 1}));
    WYC_CHECK(parseFrameList(spec.frames));
    if (arguments.shutter == "none") {
        spec.shutter.reset();
    } else if (!arguments.shutter.empty()) {
        WYC_TRY(shutter, shutterOf(arguments.shutter));
        spec.shutter = shutter;
    }
    return {};
}

void printJob(const Job& job) {
    const Shot& shot = job.shot;
    fmt::print("shot {}  {} ± {}  rate {}  unit {}  up {}\n", shot.name.empty() ? "unnamed" : shot.name,
               shot.range ? shot.range->text() : "no range", frameText(shot.handles),
               shot.rate ? shot.rate->shortText() : "not stated",
               shot.unitMetres ? unitName(*shot.unitMetres) : "not stated",
               shot.upAxis ? upAxisName(*shot.upAxis) : "not stated");
    for (const JobSource& source : job.sources)
        fmt::print("  source {}  {}\n", source.id.value, source.spec.path.string());
    for (const JobItem& item : job.items) {
        if (item.steps.empty() && !item.leftOut)
            continue;
        std::string words;
        for (const Step& step : item.steps)
            words += fmt::format("{}{} {}{}", words.empty() ? "" : " · ", step.type, describeStep(step),
                                 step.on ? "" : " (off)");
        fmt::print("  item {}:{}  {}{}\n", item.source.value, item.path, item.leftOut ? "left out  " : "", words);
    }
    for (const DeliverySpec& spec : job.deliveries)
        fmt::print("  delivery {}  {} into {}  {}\n", spec.name, spec.format, spec.folder.string(), spec.nameTemplate);
}

int runJob(const Common& common, const JobArguments& arguments) {
    const fs::path path = arguments.job;
    std::error_code code;
    const bool there = fs::exists(fs::symlink_status(path, code));
    if (arguments.fresh && there)
        return report(common, makeError(ErrorKind::Exists, "the job is there already")
                                  .inFile(path.string())
                                  .withAdvice("Leave --new out to change it, or choose another name"));
    if (path.extension() != ".wyc")
        return report(common, makeError(ErrorKind::BadInput, "a job's name ends in .wyc").inFile(path.string()));
    constexpr int kMostTries = 50;
    Job job;
    for (int tries = 0;; ++tries) {
        job = {};
        if (!arguments.fresh) {
            auto loaded = loadJob(path);
            if (!loaded)
                return report(common, loaded.error());
            job = std::move(*loaded);
        }
        const Job before = job;
        const auto change = [&]() -> Status {
            WYC_CHECK(changeShot(arguments, job.shot));
            WYC_CHECK(changeSources(arguments, job));
            WYC_CHECK(changeItems(common, arguments, job));
            return changeDelivery(arguments, job);
        };
        if (const auto status = change(); !status)
            return report(common, status.error());
        if (!arguments.fresh && job == before)
            break;
        const auto status = saveJob(job, path, arguments.fresh ? nullptr : &before);
        if (status)
            break;
        // Somebody else was faster: the same edit on what they wrote keeps both.
        if (status.error().kind != ErrorKind::Changed || tries == kMostTries)
            return report(common, status.error());
    }
    if (common.json)
        printJson(toJson(job, path.parent_path()));
    else
        printJob(job);
    return kClean;
}

} // namespace

Run declareJob(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<JobArguments>();
    app.add_option("job", given->job, "The job")->required()->type_name("JOB.wyc");
    app.add_flag("--new", given->fresh, "Make it; an error where it is there already");
    const auto some = [&](const char* name, std::string& value, const char* help, const char* type) {
        return app.add_option(name, value, help)->check(kSomething)->type_name(type);
    };
    const auto list = [&](const char* name, std::vector<std::string>& value, const char* help, const char* type) {
        return app.add_option(name, value, help)->check(kSomething)->allow_extra_args(false)->type_name(type);
    };
    list("--add", given->added, "Add a source: a file, folder or pattern; repeatable", "SOURCE");
    list("--remove", given->removed, "Take a source out, by name or pattern; repeatable", "SOURCE");
    some("--name", given->shotName, "Name of the shot", "NAME");
    addRange(app, given->shot);
    some("--unit", given->shot.unit, "Unit of the shot: mm cm m in ft, or metres as a number", "U");
    some("--up", given->shot.up, "Up axis of the shot", "X|Y|Z");
    list("--items", given->items, "Items that the next options are about, by pattern; repeatable", "PATTERN");
    list("--step", given->steps, "Add a step, as \"trim first=1009 last=1128\"; repeatable", "STEP");
    some("--steps", given->stepsFile, "Add a chain of steps", "FILE.json");
    app.add_flag("--clear-steps", given->clear, "Take all their steps away first");
    auto* leaveOut = app.add_flag("--leave-out", given->leaveOut, "They take no part");
    app.add_flag("--take-in", given->takeIn, "They take part")->excludes(leaveOut);
    auto* loops = app.add_flag("--loops", given->loops, "They are meant to loop: their seam is checked");
    app.add_flag("--no-loops", given->noLoops, "They are not")->excludes(loops);
    list("--mend", given->mend, "Add the mends of findings of this id, or of all; repeatable", "ID");
    some("--delivery", given->delivery, "A delivery of this name, made where there is none", "NAME");
    app.add_flag("--drop-delivery", given->dropDelivery, "Take it away");
    std::vector<std::string> ids;
    for (const Format& format : formats())
        ids.emplace_back(format.id);
    some("--format", given->format, "Its format", fmt::format("{}", fmt::join(ids, "|")).c_str())
        ->check(CLI::IsMember(ids));
    list("--take", given->take, "Items it takes, by pattern; repeatable", "PATTERN");
    some("--folder", given->folder, "Where it goes", "DIR");
    some("--shutter", given->shutter, "Samples within every frame, as -0.25:0.25:3, or none", "OPEN:CLOSE:N");
    for (const DeliveryOption& it : deliveryOptions())
        addDeclared(app, it.typed, it.option, [given, &it](const std::string& text) {
            given->settings[std::string(it.option.name)] = typedValue(it.option, text);
        });
    addFormatOptions(app, &Format::openOptions, given->openOptions);
    addFormatOptions(app, &Format::writeOptions, given->writeOptions);
    return [given, &app, &common] {
        given->handlesGiven = app.count("--handles") > 0;
        return runJob(common, *given);
    };
}

} // namespace wyc::cli
