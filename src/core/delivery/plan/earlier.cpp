// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/plan/earlier.h"

#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/write/placing.h"

namespace wyc {
namespace {

using nlohmann::json;

constexpr std::size_t kMostRecords = 4000; // looked at, the newest first
constexpr std::uintmax_t kMostBytes = std::uintmax_t{1} << 30;
constexpr const char* kEnding = ".record.json";

struct RecordFile {
    fs::path path;
    fs::file_time_type written;
};

// Beside the target, and of sequences with a folder of their own in the folders beside it.
std::vector<RecordFile> recordsBeside(const PlannedOutput& output) {
    std::vector<RecordFile> records;
    const auto look = [&](const fs::path& folder) {
        std::error_code code;
        for (fs::directory_iterator at(folder, code), end; !code && at != end; at.increment(code)) {
            const std::string name = at->path().filename().string();
            std::error_code own;
            if (name.ends_with(kEnding) && at->is_regular_file(own))
                records.push_back({at->path(), at->last_write_time(own)});
        }
    };
    const fs::path folder = output.target.parent_path();
    look(folder.empty() ? fs::path(".") : folder);
    if (output.ownFolder) {
        std::error_code code;
        for (fs::directory_iterator at(folder.parent_path(), code), end; !code && at != end; at.increment(code)) {
            std::error_code own;
            if (at->path() != folder && at->is_directory(own) && !at->path().filename().string().starts_with("."))
                look(at->path());
        }
    }
    std::stable_sort(records.begin(), records.end(),
                     [](const RecordFile& a, const RecordFile& b) { return a.written > b.written; });
    if (records.size() > kMostRecords)
        records.resize(kMostRecords);
    return records;
}

// What it says of the delivery as a whole: lists of every sample are passed over while reading.
json headOf(const fs::path& record) {
    const auto bytes = readWholeFile(record, kMostBytes);
    if (!bytes)
        return {};
    const auto keep = [](int depth, json::parse_event_t event, json& parsed) {
        return !(depth == 1 && event == json::parse_event_t::key && (parsed == "items" || parsed == "proof"));
    };
    json head = json::parse(bytes->begin(), bytes->end(), keep, false);
    return head.is_object() ? head : json();
}

std::string textOf(const json& object, const char* key) {
    const auto found = object.find(key);
    return found != object.end() && found->is_string() ? found->get<std::string>() : std::string();
}

std::string withoutDigits(std::string name) {
    std::erase_if(name, [](unsigned char c) { return std::isdigit(c) != 0 || c == '#'; });
    return name;
}

using Origins = std::set<std::pair<std::string, std::string>>;

std::set<std::string> itemsOf(const Origins& origins) {
    std::set<std::string> items;
    for (const auto& [source, item] : origins)
        items.insert(item);
    return items;
}

// What the record is of; nothing where it was left behind, or names what does not lie beside it.
std::optional<EarlierDelivery> deliveryOf(const RecordFile& record, const json& head) {
    const std::string name = record.path.filename().string();
    const std::string pattern = textOf(head, "pattern");
    const std::string rest = textOf(head, "rest");
    if ((pattern + rest).find('/') != std::string::npos)
        return std::nullopt;
    EarlierDelivery earlier;
    const fs::path folder = record.path.parent_path();
    earlier.target =
        folder / (pattern.empty() ? name.substr(0, name.size() - std::string_view(kEnding).size()) : pattern);
    if (!rest.empty())
        earlier.rest = folder / rest;
    earlier.written = textOf(head, "written");
    std::error_code code;
    return !pattern.empty() || fs::exists(earlier.target, code) ? std::optional(std::move(earlier)) : std::nullopt;
}

} // namespace

Result<std::vector<std::optional<EarlierDelivery>>> earlierDeliveries(const std::vector<PlannedOutput>& outputs,
                                                                      const Progress& progress) {
    std::vector<std::optional<EarlierDelivery>> found(outputs.size());
    if (outputs.empty())
        return found;
    std::vector<Origins> wanted;
    for (const PlannedOutput& output : outputs)
        wanted.push_back(originsOf(output.provenance));
    std::vector<char> same(outputs.size(), 0); // else what was found is of another source
    std::size_t open = outputs.size();
    for (const RecordFile& record : recordsBeside(outputs.front())) {
        WYC_CHECK(progress.poll());
        if (open == 0)
            break;
        const json head = headOf(record.path);
        if (!head.is_object() || !head.contains("made_from"))
            continue;
        const Origins origins = originsOf(head["made_from"]);
        const auto earlier = deliveryOf(record, head);
        if (!earlier)
            continue;
        for (std::size_t i = 0; i < outputs.size(); ++i) {
            const bool own = origins == wanted[i];
            const bool alike = !found[i] && itemsOf(origins) == itemsOf(wanted[i]) &&
                               withoutDigits(earlier->target.filename().string()) ==
                                   withoutDigits(outputs[i].target.filename().string());
            if (same[i] || !(own || alike))
                continue;
            found[i] = earlier;
            same[i] = own;
            open -= own;
        }
    }
    return found;
}

Result<std::optional<EarlierDelivery>> earlierDelivery(const PlannedOutput& output, const Progress& progress) {
    WYC_TRY(found, earlierDeliveries({output}, progress));
    return std::move(found.front());
}

Result<Comparison> againstEarlier(const PlannedOutput& output, const EarlierDelivery& earlier,
                                  const ReconcileSettings& settings, const Progress& progress) {
    SourceSpec spec;
    spec.path = earlier.target;
    spec.rest = earlier.rest;
    WYC_TRY(source, openSource(spec, output.rate));
    Scene before = source->shown();
    // A format that states no unit was written in that of its delivery.
    Scene now = output.scene;
    if (!now.unitMetres)
        now.unitMetres = settings.unitMetres;
    if (!before.unitMetres)
        before.unitMetres = now.unitMetres;
    WYC_TRY(comparison, compare(before, now, settings, progress));
    comparison.a = earlier.target.filename().string();
    comparison.b = output.target.filename().string();
    return comparison;
}

namespace {

// "12 of 240 frames differ: 1043-1054".
std::string framesText(const Reconciled& found, double toleranceMetres) {
    if (!found.drift)
        return {};
    const Drift& drift = *found.drift;
    std::vector<double> frames;
    for (std::size_t t = 0; t < drift.frames.size(); ++t)
        if (drift.largestAt[t] * found.metres > toleranceMetres)
            frames.push_back(drift.frames[t]);
    if (frames.empty())
        return {};
    std::string text = fmt::format("{} of {} frames differ, by {} at most at {}", frames.size(), drift.frames.size(),
                                   lengthText(drift.largest * found.metres), frameText(drift.worstFrame));
    if (frames.size() == drift.frames.size())
        return text;
    std::vector<std::string> runs;
    for (std::size_t i = 0; i < frames.size();) {
        std::size_t end = i + 1;
        while (end < frames.size() && frames[end] - frames[end - 1] <= 1.0 + 1e-6)
            ++end;
        runs.push_back(end - i > 1 ? fmt::format("{}-{}", frameText(frames[i]), frameText(frames[end - 1]))
                                   : frameText(frames[i]));
        i = end;
    }
    constexpr std::size_t kMostRuns = 6;
    const bool more = runs.size() > kMostRuns;
    runs.resize(std::min(kMostRuns, runs.size()));
    return fmt::format("{}: {}{}", text, fmt::join(runs, ", "), more ? " …" : "");
}

} // namespace

std::string changesText(const Comparison& comparison) {
    if (comparison.withinTolerance())
        return "as it was";
    const auto named = [](const std::string& path) { return path.substr(path.rfind('/') + 1); };
    std::vector<std::string> words;
    for (const ComparedPair& pair : comparison.pairs) {
        if (!pair.error && pair.found.withinTolerance)
            continue;
        std::vector<std::string> own;
        if (pair.error)
            own.push_back(pair.error->what);
        for (const Cause& cause : pair.found.causes)
            own.push_back(fmt::format("{}{}{}", cause.isGuess() ? "perhaps " : "", cause.text,
                                      cause.id == "other_motion" ? fmt::format(" ({})", cause.evidence) : ""));
        if (const std::string frames = framesText(pair.found, comparison.toleranceMetres);
            !pair.error && !frames.empty())
            own.push_back(frames);
        if (own.empty())
            own.push_back("not within the tolerance");
        words.push_back(
            fmt::format("{}{}", comparison.pairs.size() > 1 ? named(pair.found.b) + ": " : "", fmt::join(own, ", ")));
    }
    for (const OtherPair& other : comparison.others)
        if (!other.same)
            words.push_back(fmt::format("{}: {}", named(other.b), other.text));
    for (const std::string& path : comparison.onlyA)
        words.push_back(named(path) + " is gone");
    for (const std::string& path : comparison.onlyB)
        words.push_back(named(path) + " is new");
    return fmt::format("{}", fmt::join(words, "; "));
}

} // namespace wyc
