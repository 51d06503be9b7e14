// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/job.h"

#include <algorithm>
#include <iterator>
#include <map>

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/ask/chosen.h"
#include "delivery/ask/delivery_options.h"
#include "scene/stand_in.h"

namespace wyc {
namespace {

using nlohmann::json;

// 2: options of formats, of sources and of deliveries. A job of version 1 has none.
constexpr int kJobVersion = 2;
constexpr std::uint64_t kMostJobBytes = 64 << 20;

Error jobError(std::string what) {
    return makeError(ErrorKind::BadFormat, std::move(what))
        .withAdvice("The job file was changed by hand or is damaged");
}

std::string pathText(const fs::path& path, const fs::path& folder) {
    std::error_code code;
    const fs::path absolute = fs::absolute(path, code).lexically_normal();
    const fs::path relative = absolute.lexically_relative(fs::absolute(folder, code).lexically_normal());
    if (!relative.empty() && *relative.begin() != "..")
        return relative.generic_string();
    return absolute.generic_string();
}

fs::path pathFrom(const std::string& text, const fs::path& folder) {
    const fs::path path(text);
    return path.is_absolute() ? path : (folder / path).lexically_normal();
}

// Typed access to a JSON object; the first wrong thing becomes the error.
class ObjectReader {
  public:
    ObjectReader(const json& object, std::string where) : object_(object), where_(std::move(where)) {
        if (!object.is_object())
            problem("an object");
    }
    [[nodiscard]] const json* find(const char* key) const {
        if (!object_.is_object())
            return nullptr;
        const auto found = object_.find(key);
        return found == object_.end() || found->is_null() ? nullptr : &*found;
    }
    std::optional<double> number(const char* key) {
        const json* value = find(key);
        if (!value)
            return std::nullopt;
        if (!value->is_number())
            problem(fmt::format("a number for \"{}\"", key));
        return value->is_number() ? std::optional(value->get<double>()) : std::nullopt;
    }
    std::string text(const char* key, std::string standard = {}) {
        const json* value = find(key);
        if (!value)
            return standard;
        if (!value->is_string())
            problem(fmt::format("a text for \"{}\"", key));
        return value->is_string() ? value->get<std::string>() : standard;
    }
    bool flag(const char* key, bool standard) {
        const json* value = find(key);
        if (!value)
            return standard;
        if (!value->is_boolean())
            problem(fmt::format("true or false for \"{}\"", key));
        return value->is_boolean() ? value->get<bool>() : standard;
    }
    const json& list(const char* key) {
        static const json kEmpty = json::array();
        const json* value = find(key);
        if (value && !value->is_array())
            problem(fmt::format("a list for \"{}\"", key));
        return value && value->is_array() ? *value : kEmpty;
    }
    json object(const char* key) {
        const json* value = find(key);
        if (value && !value->is_object())
            problem(fmt::format("an object for \"{}\"", key));
        return value && value->is_object() ? *value : json::object();
    }
    template<class T> void take(std::optional<T>& into, const Result<T>& value) {
        if (value)
            into = *value;
        else if (!error_)
            error_ = value.error();
    }
    [[nodiscard]] Status status() const {
        if (error_)
            return fail(*error_);
        return {};
    }

  private:
    void problem(const std::string& wanted) {
        if (!error_)
            error_ = jobError(fmt::format("{} needs {}", where_, wanted));
    }
    const json& object_;
    std::string where_;
    std::optional<Error> error_;
};

json optionalNumber(const std::optional<double>& value) {
    return value ? json(*value) : json(nullptr);
}

json shotJson(const Shot& shot) {
    return {{"name", shot.name},
            {"first", shot.range ? json(shot.range->first) : json(nullptr)},
            {"last", shot.range ? json(shot.range->last) : json(nullptr)},
            {"handles", shot.handles},
            {"rate", shot.rate ? json(shot.rate->text()) : json(nullptr)},
            {"unit_metres", optionalNumber(shot.unitMetres)},
            {"up_axis", shot.upAxis ? json(upAxisName(*shot.upAxis)) : json(nullptr)}};
}

Result<Shot> shotFrom(const json& value) {
    Shot shot;
    ObjectReader reader(value, "the shot");
    shot.name = reader.text("name");
    const auto first = reader.number("first");
    const auto last = reader.number("last");
    if (first && last) {
        if (*last < *first)
            return fail(jobError("the shot ends before it begins"));
        shot.range = FrameRange{*first, *last};
    }
    shot.handles = reader.number("handles").value_or(0.0);
    if (reader.find("rate"))
        reader.take(shot.rate, FrameRate::parse(reader.text("rate")));
    shot.unitMetres = reader.number("unit_metres");
    if (reader.find("up_axis"))
        reader.take(shot.upAxis, parseUpAxis(reader.text("up_axis")));
    WYC_CHECK(reader.status());
    if (shot.handles < 0.0 || (shot.unitMetres && !(*shot.unitMetres > 0.0)))
        return fail(jobError("the shot's handles or unit make no sense"));
    return shot;
}

json deliveryJson(const DeliverySpec& spec, const fs::path& folder) {
    json result{{"name", spec.name},
                {"items", spec.items},
                {"format", spec.format},
                {"format_options", spec.formatOptions},
                {"first", spec.range ? json(spec.range->first) : json(nullptr)},
                {"last", spec.range ? json(spec.range->last) : json(nullptr)},
                {"shutter", spec.shutter ? json{{"open", spec.shutter->open},
                                                {"close", spec.shutter->close},
                                                {"samples", spec.shutter->samples}}
                                         : json(nullptr)},
                {"folder", pathText(spec.folder, folder)}};
    for (const DeliveryOption& it : deliveryOptions())
        result[std::string(it.option.name)] = it.get(spec);
    return result;
}

Result<DeliverySpec> deliveryFrom(const json& value, const fs::path& folder) {
    DeliverySpec spec;
    ObjectReader reader(value, "a delivery");
    spec.name = reader.text("name", spec.name);
    for (const json& item : reader.list("items"))
        if (item.is_string())
            spec.items.push_back(item.get<std::string>());
    spec.format = reader.text("format", spec.format);
    spec.formatOptions = reader.object("format_options");
    const auto first = reader.number("first");
    const auto last = reader.number("last");
    if (first && last) // one that ends before it begins is refused when it is planned
        spec.range = FrameRange{*first, *last};
    if (const json* shutter = reader.find("shutter"); shutter && !shutter->is_null()) {
        ObjectReader inner(*shutter, "a delivery's shutter");
        spec.shutter = ShutterSpec{inner.number("open").value_or(-0.25), inner.number("close").value_or(0.25),
                                   static_cast<int>(inner.number("samples").value_or(3.0))};
        WYC_CHECK(inner.status());
    }
    spec.folder = pathFrom(reader.text("folder", "."), folder);
    WYC_CHECK(reader.status());
    for (const DeliveryOption& it : deliveryOptions())
        if (const json* given = reader.find(std::string(it.option.name).c_str())) {
            const auto checked = checkedValue(it.option, *given);
            if (!checked)
                return fail(jobError("a delivery: " + checked.error().what));
            it.set(spec, *checked);
        }
    return spec;
}

} // namespace

const JobItem* Job::item(SourceId source, const std::string& path) const {
    const auto found = std::find_if(items.begin(), items.end(),
                                    [&](const JobItem& i) { return i.source == source && i.path == path; });
    return found == items.end() ? nullptr : &*found;
}

JobItem& Job::itemFor(SourceId source, const std::string& path) {
    const auto found = std::find_if(items.begin(), items.end(),
                                    [&](const JobItem& i) { return i.source == source && i.path == path; });
    if (found != items.end())
        return *found;
    items.push_back({source, path, {}, false});
    return items.back();
}

const JobSource* Job::source(SourceId id) const {
    const auto found = std::find_if(sources.begin(), sources.end(), [&](const JobSource& s) { return s.id == id; });
    return found == sources.end() ? nullptr : &*found;
}

SourceId Job::freeSourceId() const {
    int highest = 0;
    for (const JobSource& source : sources)
        highest = std::max(highest, source.id.value);
    for (const JobItem& item : items)
        highest = std::max(highest, item.source.value);
    return {highest + 1};
}

json toJson(const Job& job, const fs::path& folder) {
    json result;
    result["wychronos_job"] = kJobVersion;
    result["shot"] = shotJson(job.shot);
    json sources = json::array();
    for (const JobSource& source : job.sources)
        sources.push_back({{"id", source.id.value},
                           {"path", pathText(source.spec.path, folder)},
                           {"rest", source.spec.rest ? json(pathText(*source.spec.rest, folder)) : json(nullptr)},
                           {"rest_object", source.spec.restObject},
                           {"search_rest", source.spec.searchRest},
                           {"options", source.spec.options}});
    result["sources"] = std::move(sources);
    json items = json::array();
    for (const JobItem& item : job.items)
        items.push_back({{"source", item.source.value},
                         {"path", item.path},
                         {"left_out", item.leftOut},
                         {"loops", item.loops},
                         {"steps", toJson(item.steps)}});
    result["items"] = std::move(items);
    json deliveries = json::array();
    for (const DeliverySpec& spec : job.deliveries)
        deliveries.push_back(deliveryJson(spec, folder));
    result["deliveries"] = std::move(deliveries);
    return result;
}

Result<Job> jobFromJson(const json& value, const fs::path& folder) {
    ObjectReader reader(value, "the job");
    const auto jobVersion = reader.number("wychronos_job");
    if (!jobVersion)
        return fail(jobError("this is no Wychronos job"));
    if (*jobVersion > kJobVersion)
        return fail(
            makeError(ErrorKind::Unsupported, fmt::format("the job was made by a later version ({}; this one reads {})",
                                                          *jobVersion, kJobVersion)));
    Job job;
    if (const json* shot = reader.find("shot")) {
        WYC_TRY(made, shotFrom(*shot));
        job.shot = std::move(made);
    }
    for (const json& entry : reader.list("sources")) {
        ObjectReader source(entry, "a source");
        JobSource made;
        made.id.value = static_cast<int>(source.number("id").value_or(0));
        made.spec.path = pathFrom(source.text("path"), folder);
        if (source.find("rest"))
            made.spec.rest = pathFrom(source.text("rest"), folder);
        made.spec.restObject = source.text("rest_object");
        made.spec.searchRest = source.flag("search_rest", true);
        made.spec.options = source.object("options");
        WYC_CHECK(source.status());
        if (made.id.value <= 0 || job.source(made.id))
            return fail(jobError("two sources have the same id, or one has none"));
        job.sources.push_back(std::move(made));
    }
    for (const json& entry : reader.list("items")) {
        ObjectReader item(entry, "an item");
        JobItem made;
        made.source.value = static_cast<int>(item.number("source").value_or(0));
        made.path = item.text("path");
        made.leftOut = item.flag("left_out", false);
        made.loops = item.flag("loops", false);
        WYC_TRY(steps, stepsFromJson(item.list("steps")));
        made.steps = std::move(steps);
        WYC_CHECK(item.status());
        job.items.push_back(std::move(made));
    }
    for (const json& entry : reader.list("deliveries")) {
        WYC_TRY(spec, deliveryFrom(entry, folder));
        job.deliveries.push_back(std::move(spec));
    }
    WYC_CHECK(reader.status());
    return job;
}

Result<Job> loadJob(const fs::path& path) {
    std::error_code code;
    if (!fs::exists(path, code))
        return fail(makeError(ErrorKind::NotFound, "there is no such job")
                        .inFile(path.string())
                        .withAdvice("`wyc job NAME.wyc --new --add SOURCE` makes one, and so does the window"));
    WYC_TRY(bytes, readWholeFile(path, kMostJobBytes));
    const json value = json::parse(bytes.begin(), bytes.end(), nullptr, false);
    if (value.is_discarded())
        return fail(jobError("this is no JSON").inFile(path.string()));
    auto job = jobFromJson(value, fs::absolute(path, code).parent_path());
    if (!job)
        return fail(std::move(job.error()).inFile(path.string()));
    return job;
}

Status isUtf8(const json& value) {
    const auto refuse = [](const std::string& text) {
        return fail(makeError(ErrorKind::BadInput,
                              fmt::format("'{}' is not UTF-8, and a job holds nothing else", validUtf8(text)))
                        .withAdvice("Rename the file, the folder or the item"));
    };
    if (value.is_string())
        if (const auto& text = value.get_ref<const std::string&>(); validUtf8(text) != text)
            return refuse(text);
    if (value.is_structured())
        for (const auto& [key, entry] : value.items()) {
            if (value.is_object() && validUtf8(key) != key)
                return refuse(key);
            WYC_CHECK(isUtf8(entry));
        }
    return {};
}

Status saveJob(const Job& job, const fs::path& path, const Job* asRead) {
    std::error_code code;
    const fs::path folder = fs::absolute(path, code).parent_path();
    const json value = toJson(job, folder);
    WYC_CHECK(isUtf8(value));
    // From looking to writing nobody else of ours writes it.
    const FileLock lock(path);
    if (asRead && fs::exists(path, code)) {
        WYC_TRY(there, loadJob(path));
        if (toJson(there, folder) != toJson(*asRead, folder))
            return fail(makeError(ErrorKind::Changed, "somebody else changed the job meanwhile: it is not written over")
                            .inFile(path.string())
                            .withAdvice("Read it again, or save this one under another name"));
    }
    return writeTextFile(path, value.dump(1) + "\n", AtomicFile::Replace::Yes);
}

std::string itemLabel(const Source& source, const std::string& path) {
    return source.name + path;
}

Result<Scene> itemScene(const Source& source, const std::string& path, const std::vector<Step>& steps) {
    WYC_TRY(scene, itemBranch(source, path));
    return applySteps(scene, steps);
}

Result<Scene> itemBranch(const Source& source, const std::string& path) {
    const Scene& all = source.shown();
    const auto node = source.tree->find(path);
    if (!node)
        return fail(makeError(ErrorKind::BadInput, fmt::format("the source has no item '{}'", path))
                        .inFile(source.spec.path.string()));
    return branchOf(all, *source.tree, *node);
}

std::optional<fs::path> jobBeside(const fs::path& path) {
    std::error_code code;
    const fs::path given = fs::absolute(path, code).lexically_normal();
    fs::path folder = fs::is_directory(given, code) ? given : given.parent_path();
    for (int up = 0; up < 3 && !folder.empty(); ++up, folder = folder.parent_path()) {
        std::vector<fs::path> jobs;
        for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code))
            if (it->path().extension() == ".wyc")
                jobs.push_back(it->path());
        if (jobs.size() == 1)
            return jobs.front();
        if (!jobs.empty() || fs::exists(folder / ".git", code) || folder == folder.root_path())
            return std::nullopt;
    }
    return std::nullopt;
}

namespace {

// What an item is called: by its own name, or by the one that a step gives it.
std::string calledName(const Node& node, const JobItem* entry) {
    std::string name = node.name;
    if (entry)
        for (const Step& step : entry->steps)
            if (step.on && step.type == "rename")
                name = safeName(step.options.value("name", node.name));
    return name;
}

// By source and node; see uniqueNames.
std::map<std::pair<std::size_t, std::size_t>, std::string> namesOfItems(const Job& job,
                                                                        const std::vector<SourcePtr>& opened) {
    std::vector<NamedItem> items;
    std::vector<std::pair<std::size_t, std::size_t>> places;
    for (std::size_t s = 0; s < job.sources.size() && s < opened.size(); ++s) {
        if (!opened[s])
            continue;
        const Scene& scene = opened[s]->shown();
        const std::vector<bool> isItem = itemMask(scene);
        for (std::size_t n = 0; n < scene.nodes.size(); ++n)
            if (isItem[n]) {
                const Node& node = scene.nodes[n];
                items.push_back({calledName(node, job.item(job.sources[s].id, node.path)), node.path,
                                 fs::path(opened[s]->name).stem().string()});
                places.emplace_back(s, n);
            }
    }
    const auto names = uniqueNames(items);
    std::map<std::pair<std::size_t, std::size_t>, std::string> result;
    for (std::size_t i = 0; i < names.size(); ++i)
        result[places[i]] = names[i];
    return result;
}

// An error where the delivery may take something of a source that is not open, and `needs` says that it matters.
Status whatItNeedsIsOpen(const Job& job, const DeliverySpec& spec, const std::vector<SourcePtr>& opened,
                         const std::function<bool(const std::string& source)>& needs = {}) {
    for (std::size_t s = 0; s < job.sources.size(); ++s) {
        const std::string name = job.sources[s].spec.path.filename().string();
        if ((s < opened.size() && opened[s]) || !mayTakeFrom(spec.items, name) || (needs && !needs(name)))
            continue;
        return fail(
            makeError(ErrorKind::NotFound,
                      fmt::format("this source is not open, and the delivery '{}' may take from it", spec.name))
                .inFile(job.sources[s].spec.path.string())
                .withAdvice("Put the file right and read it again, or choose items of other sources, as SOURCE/ITEM"));
    }
    return {};
}

Result<std::vector<DeliveryInput>> inputsOf(const Job& job, const DeliverySpec& spec,
                                            const std::vector<SourcePtr>& opened) {
    // A choice whose item is gone would make the delivery smaller without a word.
    for (const std::string& pattern : spec.items) {
        if (pattern.starts_with("!"))
            continue;
        bool fits = false;
        bool allOpen = true;
        for (std::size_t s = 0; s < job.sources.size() && !fits; ++s) {
            const SourcePtr source = s < opened.size() ? opened[s] : nullptr;
            allOpen = allOpen && source;
            for (std::size_t n = 0; source && n < source->shown().nodes.size() && !fits; ++n) {
                const Node& node = source->shown().nodes[n];
                fits = isTaken({pattern}, {itemLabel(*source, node.path), node.path, node.name, false});
            }
        }
        if (!fits && allOpen)
            return fail(
                makeError(ErrorKind::BadInput,
                          fmt::format("the delivery '{}' takes '{}', and nothing is called so", spec.name, pattern))
                    .withAdvice("Choose the item that took its place, or take the name out"));
    }
    const auto names = namesOfItems(job, opened);
    auto reads = std::make_shared<std::vector<fs::path>>(); // no source of the job may be written over
    for (const JobSource& entry : job.sources) {
        reads->push_back(entry.spec.path);
        if (entry.spec.rest)
            reads->push_back(*entry.spec.rest);
    }
    for (const SourcePtr& source : opened)
        if (source)
            for (fs::path& path : filesOf(*source))
                reads->push_back(std::move(path));
    for (const JobItem& entry : job.items)
        for (fs::path& path : filesReadBy(entry.steps))
            reads->push_back(std::move(path));
    std::vector<DeliveryInput> inputs;
    for (std::size_t s = 0; s < job.sources.size(); ++s) {
        const SourcePtr source = s < opened.size() ? opened[s] : nullptr;
        if (!source)
            continue;
        const Scene& scene = source->shown();
        // A step whose item is gone would be dropped without a word.
        for (const JobItem& entry : job.items)
            if (entry.source == job.sources[s].id && !entry.steps.empty() && !entry.leftOut &&
                !source->tree->find(entry.path) &&
                isTaken(spec.items, {itemLabel(*source, entry.path), entry.path,
                                     entry.path.substr(entry.path.rfind('/') + 1), false}))
                return fail(makeError(ErrorKind::BadInput, "its steps are for an item that the source no longer has")
                                .forItem(itemLabel(*source, entry.path))
                                .withAdvice("Move the steps to the item that took its place, or remove them"));
        const std::vector<bool> isItem = itemMask(scene);
        const FormatPtr format = formatOf(spec);
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
            const Node& node = scene.nodes[n];
            // Cameras, lights and bare transforms go where a format has a place for them.
            if (!isItem[n] || (!node.geometry && format && !format->keeps(Content::Values)))
                continue;
            const std::string label = itemLabel(*source, node.path);
            const JobItem* entry = job.item(job.sources[s].id, node.path);
            if (!isTaken(spec.items, {label, node.path, node.name, entry && entry->leftOut}))
                continue;
            const std::vector<Step> steps = entry ? entry->steps : std::vector<Step>{};
            auto before = itemBranch(*source, node.path);
            if (!before)
                return fail(std::move(before.error()).forItem(label));
            if (!before->rate && job.shot.rate) // it was opened at the shot's: the person said it
                before->rate = job.shot.rate;
            auto made = applySteps(*before, steps);
            if (!made)
                return fail(std::move(made.error()).forItem(label));
            DeliveryInput input = deliveryInput(*source, std::move(*before), std::move(*made), steps);
            input.label = label;
            input.itemName = names.at({s, n});
            input.parentName = node.parent >= 0 ? scene.nodes[static_cast<std::size_t>(node.parent)].name : "";
            input.path = node.path;
            input.reads = reads;
            input.provenance["item"] = validUtf8(node.path);
            inputs.push_back(std::move(input));
        }
    }
    return inputs;
}

bool isOfDeliveryOrItem(const std::string& pattern, const Job& job, const std::vector<SourcePtr>& sources) {
    if (std::any_of(job.deliveries.begin(), job.deliveries.end(),
                    [&](const DeliverySpec& spec) { return matchesPattern(spec.name, pattern); }))
        return true;
    return std::any_of(sources.begin(), sources.end(), [&](const SourcePtr& source) {
        if (!source)
            return false;
        const auto& nodes = source->shown().nodes;
        return std::any_of(nodes.begin(), nodes.end(), [&](const Node& node) {
            return matchesPattern(itemLabel(*source, node.path), pattern) || matchesPattern(node.name, pattern);
        });
    });
}

} // namespace

Result<std::vector<DeliveryInput>> deliveryInputs(const Job& job, const DeliverySpec& spec,
                                                  const std::vector<SourcePtr>& opened) {
    WYC_CHECK(whatItNeedsIsOpen(job, spec, opened));
    return inputsOf(job, spec, opened);
}

Result<std::vector<PlannedOutput>> plannedPart(std::vector<DeliveryInput> inputs, const DeliverySpec& spec,
                                               const Shot& shot,
                                               const std::function<bool(const DeliveryInput&)>& wanted, RunSoFar run) {
    const auto others = std::stable_partition(inputs.begin(), inputs.end(), wanted);
    run.inStep.assign(std::make_move_iterator(others), std::make_move_iterator(inputs.end()));
    inputs.erase(others, inputs.end());
    return planDelivery(inputs, spec, shot, run);
}

Result<std::vector<PlannedOutput>> plannedRun(const Job& job, const std::vector<SourcePtr>& sources,
                                              const std::vector<std::string>& only) {
    std::vector<PlannedOutput> all;
    RunSoFar run;
    // What is named by --only and nowhere in sight may be in a source that is not open.
    std::vector<std::string> unknown = only;
    std::erase_if(unknown, [&](const std::string& pattern) { return isOfDeliveryOrItem(pattern, job, sources); });
    for (const DeliverySpec& spec : job.deliveries) {
        const bool whole = only.empty() || std::any_of(only.begin(), only.end(), [&](const std::string& pattern) {
                               return matchesPattern(spec.name, pattern);
                           });
        WYC_CHECK(whatItNeedsIsOpen(job, spec, sources, [&](const std::string& source) {
            return whole || std::any_of(unknown.begin(), unknown.end(),
                                        [&](const std::string& pattern) { return mayTakeFrom({pattern}, source); });
        }));
        WYC_TRY(inputs, inputsOf(job, spec, sources));
        const auto fits = [&](const DeliveryInput& input) {
            return whole || std::any_of(only.begin(), only.end(), [&](const std::string& pattern) {
                       return matchesPattern(input.label, pattern) || matchesPattern(input.itemName, pattern);
                   });
        };
        const bool any = std::any_of(inputs.begin(), inputs.end(), fits);
        if (!any && !only.empty())
            continue;
        if (spec.firstFrame) // it counts from all items, whether they are written now or not
            WYC_CHECK(whatItNeedsIsOpen(job, spec, sources));
        WYC_TRY(outputs, plannedPart(std::move(inputs), spec, job.shot, fits, run));
        all.insert(all.end(), std::make_move_iterator(outputs.begin()), std::make_move_iterator(outputs.end()));
        run.planned = all;
    }
    return all;
}

} // namespace wyc
