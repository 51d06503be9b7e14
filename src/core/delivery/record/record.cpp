// SPDX-License-Identifier: GPL-3.0-or-later
// The record beside a delivery: from what and how it was made, and a hash of everything in it.
#include <algorithm>
#include <chrono>
#include <cmath>
#include <ctime>

#include <fmt/format.h>

#include "base/hash.h"
#include "base/parallel.h"
#include "base/text.h"
#include "base/version.h"
#include "delivery/proof/proof_parts.h"
#include "delivery/record/earlier_records.h"
#include "scene/layers.h"

namespace wyc {
namespace {

using nlohmann::json;

constexpr int kRecordVersion = 4;
constexpr std::size_t kChunk = std::size_t{1} << 22;

std::string isoTime(std::chrono::system_clock::time_point when) {
    const std::time_t seconds = std::chrono::system_clock::to_time_t(when);
    std::tm parts{};
    gmtime_r(&seconds, &parts);
    char text[32];
    std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &parts);
    return text;
}

template<class T> json orNull(const std::optional<T>& value) {
    return value ? json(*value) : json(nullptr);
}

Result<std::uint64_t> fileHash(const fs::path& path) {
    WYC_TRY(file, RandomAccessFile::open(path));
    Hasher64 hasher;
    std::vector<std::byte> buffer(std::min<std::uint64_t>(kChunk, file->size()));
    for (std::uint64_t at = 0; at < file->size(); at += buffer.size()) {
        const auto part = std::span(buffer).first(
            static_cast<std::size_t>(std::min<std::uint64_t>(buffer.size(), file->size() - at)));
        WYC_CHECK(file->readAt(at, part));
        hasher.add(part);
    }
    return hasher.hash();
}

json channelsJson(const std::map<std::string, std::uint64_t>& channels) {
    json result = json::object();
    for (const auto& [name, hash] : channels)
        result[validUtf8(name)] = hashText(hash);
    return result;
}

std::uint64_t timesHash(const std::vector<double>& times) {
    return hash64(std::as_bytes(std::span(times)));
}

// Of all the record says, but for the hash itself.
std::string recordHash(json record) {
    record.erase("record_xxh64");
    const std::string text = record.dump();
    return hashText(hash64(std::as_bytes(std::span(text.data(), text.size()))));
}

json number(double value) {
    return std::isfinite(value) ? json(value) : json("inf");
}

} // namespace

json toJson(const Proof& proof) {
    json items = json::array();
    for (const ProvenItem& item : proof.items) {
        json shown = nullptr;
        if (proof.sourceCompared)
            shown = {{"moments", item.shown.moments.count()},
                     {"frames", item.shown.moments.frames(proof.rate)},
                     {"between", item.shown.between},
                     {"largest", number(item.shown.worst)},
                     {"largest_between", number(item.shown.worstBetween)},
                     {"disagreements", item.shown.disagreements},
                     {"not_compared", item.shown.notCompared}};
        items.push_back({{"item", validUtf8(item.item)},
                         {"kind", item.kind},
                         {"points", item.points},
                         {"faces", item.faces},
                         {"samples", item.samples},
                         {"first", orNull(item.first)},
                         {"last", orNull(item.last)},
                         {"topology", hashText(item.topology)},
                         {"largest_drift", number(item.largestDrift)},
                         {"largest_drift_mm", number(item.largestDriftMetres * 1000.0)},
                         {"not_numbers", item.notNumbers},
                         {"compared", item.compared()},
                         {"shown", std::move(shown)},
                         {"disagreements", item.disagreements}});
    }
    return {{"passed", proof.passed},
            {"rate", proof.rate.text()},
            {"source_compared", proof.sourceCompared},
            {"items", items},
            {"disagreements", proof.disagreements},
            {"not_compared", proof.notCompared}};
}

Result<json> recordOf(const PlannedOutput& output, const std::vector<fs::path>& files, const Proof& proof) {
    json record;
    record["wychronos_record"] = kRecordVersion;
    record["application"] = std::string("Wychronos ") + version();
    record["written"] = isoTime(std::chrono::system_clock::now());
    record["format"] = output.format->id;
    if (!output.format->chosen.empty())
        record["format_options"] = output.format->chosen;
    record["rate"] = output.rate.text();
    record["first"] = output.frames ? json(output.frames->first) : json(nullptr);
    record["last"] = output.frames ? json(output.frames->last) : json(nullptr);
    record["unit_metres"] = orNull(output.scene.unitMetres);
    record["up_axis"] = output.scene.upAxis ? json(upAxisName(*output.scene.upAxis)) : json(nullptr);
    record["rest"] = output.restTarget ? json(output.restTarget->filename().string()) : json(nullptr);
    if (output.format->sequence)
        record["pattern"] = output.target.filename().string();
    json fileList = json::array();
    for (const fs::path& file : files) {
        std::error_code code;
        WYC_TRY(hash, fileHash(file));
        fileList.push_back({{"name", validUtf8(file.filename().string())},
                            {"size", fs::file_size(file, code)},
                            {"xxh64", hashText(hash)}});
    }
    record["files"] = std::move(fileList);
    record["made_from"] = output.provenance;
    const json plan = toJson(output);
    record["lost"] = plan["will_be_lost"];
    record["not_filled"] = plan["not_filled"];
    record["proof"] = toJson(proof);
    record["channels"] = channelsJson(proof.channels);
    json items = json::array();
    const SceneTree tree(output.scene);
    for (const ProvenItem& item : proof.items) {
        json hashes = json::array();
        for (const std::uint64_t hash : item.sampleHashes)
            hashes.push_back(hashText(hash));
        const auto node = tree.find(item.item);
        if (!node) // a material: its channels are among those of the whole
            continue;
        const WrittenPlace place = output.format->placeOf(output.scene.nodes[*node]);
        items.push_back({{"item", validUtf8(item.item)},
                         {"written", validUtf8(place.path)},
                         {"placed", place.apart},
                         {"channels", channelsJson(item.channels)},
                         {"points", item.points},
                         {"faces", item.faces},
                         {"topology", hashText(item.topology)},
                         {"first", orNull(item.first)},
                         {"last", orNull(item.last)},
                         {"times_xxh64", hashText(timesHash(item.times))},
                         {"sample_xxh3", hashes}});
    }
    record["items"] = std::move(items);
    record["record_xxh64"] = recordHash(record);
    return record;
}

namespace {

Error noRecord(std::string what, const fs::path& file) {
    return makeError(ErrorKind::BadFormat, std::move(what))
        .inFile(file.string())
        .withAdvice("Give the .record.json that was written beside the delivery");
}

// Every file that was written is there with the bytes that it had. The main one may have another name by now.
Status compareFiles(const json& record, const fs::path& target, bool sequence, Proof& proof) {
    const auto list = record.find("files");
    if (list == record.end() || !list->is_array())
        return {};
    for (std::size_t i = 0; i < list->size(); ++i) {
        const json& entry = (*list)[i];
        if (!entry.is_object() || !entry.contains("name") || !entry["name"].is_string() || !entry.contains("xxh64"))
            continue;
        const std::string name = entry["name"];
        const bool main = i + 1 == list->size() && !sequence;
        std::error_code code;
        const fs::path folder = sequence && fs::is_directory(target, code) ? target : target.parent_path();
        const fs::path path = main ? target : folder / name;
        if (!fs::exists(path, code)) {
            proof.disagreements.push_back(fmt::format("the file '{}' is gone", name));
            continue;
        }
        WYC_TRY(hash, fileHash(path));
        if (const auto size = fs::file_size(path, code); size != entry.value("size", std::uint64_t{0}))
            proof.disagreements.push_back(fmt::format("the file '{}' has {} bytes, the record says {}", name, size,
                                                      entry.value("size", std::uint64_t{0})));
        else if (entry["xxh64"] != hashText(hash))
            proof.disagreements.push_back(fmt::format("the file '{}' has other bytes than were written", name));
    }
    return {};
}

// Values by number and their numbers had names of the archive in earlier records.
std::string nowCalled(const std::string& channel) {
    for (const auto& [before, now] :
         {std::pair<std::string_view, std::string_view>{"/.vals", "/values"}, {"/.indices", "/numbers"}})
        if (channel.ends_with(before))
            return channel.substr(0, channel.size() - before.size()) + std::string(now);
    return channel;
}

void compareRecorded(const std::vector<HashedChannel>& there, const json& recorded,
                     std::map<std::string, std::uint64_t>& channels, std::vector<std::string>& disagreements) {
    for (const auto& [name, hash] : recorded.items()) {
        const auto same = std::find_if(there.begin(), there.end(), [key = nowCalled(name)](const HashedChannel& c) {
            return validUtf8(c.name) == key;
        });
        if (same == there.end())
            disagreements.push_back(fmt::format("{}: not there", name));
        else if (hash != hashText(same->hash()))
            disagreements.push_back(fmt::format("{}: not what the record says", name));
        else
            channels[name] = same->hash();
    }
}

// Hashes of an item's samples as the record has them, and their kind; not an array where there are none.
std::pair<json, Hasher64::Kind> recordedSamples(const json& entry) {
    if (const auto fast = entry.find("sample_xxh3"); fast != entry.end())
        return {*fast, kSampleHash};
    const auto plain = entry.find("sample_xxh64"); // of versions 1 and 2
    return {plain == entry.end() ? json() : *plain, Hasher64::Kind::Xxh64};
}

// UVs, normals and colours that change at other times than the points do.
std::vector<std::string> layersApart(const Node& node) {
    std::vector<std::string> names;
    for (const Layer& layer : node.geometry ? layersOf(node.properties) : std::vector<Layer>())
        if (const Sampling times = layer.times(); !times.isStill() && !(times == node.geometry->sampling()))
            names.push_back(layer.name);
    return names;
}

Status proveItem(const Scene& found, const SceneTree& tree, const json& entry, const Format& format,
                 const FrameRate& rate, int version, const Progress& progress, ProvenItem& item) {
    const bool apart = entry.value("placed", false);
    const std::string written = entry.value(
        "written", apart ? item.item + item.item.substr(std::min(item.item.size(), item.item.rfind('/'))) : item.item);
    const auto place = writtenNode(found, tree, written, format);
    const auto recorded = recordedSamples(entry);
    const json& hashes = recorded.first;
    const bool shaped = !hashes.empty() || entry.value("points", 0) > 0;
    if (!place || (shaped && !found.nodes[*place].geometry)) {
        item.disagreements.push_back("it is not in the file");
        return {};
    }
    item.kind = found.nodes[*place].is().name;
    item.carried = carriedFrames(found, *place);
    if (const auto channels = entry.find("channels"); channels != entry.end() && channels->is_object()) {
        WYC_TRY(there, writtenChannels(found, *place, apart, format));
        json recordedChannels = *channels;
        if (version <= 3) {
            WYC_TRY(old, channelsOfVersion3(found.nodes[*place], std::move(there)));
            there = std::move(old);
            if (recordedChannels.erase("film back") + recordedChannels.erase("film back numbers") > 0)
                item.shown.notCompared.push_back("film back by itself, in a record of an earlier version");
            for (const std::string& layer : layersApart(found.nodes[*place]))
                if (recordedChannels.erase(layer) > 0)
                    item.shown.notCompared.push_back(layer +
                                                     ": a record of an earlier version has them where the points are");
        }
        compareRecorded(there, recordedChannels, item.channels, item.disagreements);
    }
    if (!shaped)
        return {};
    const Geometry& geometry = *found.nodes[*place].geometry;
    item.samples = geometry.sampling().count();
    if (item.samples < hashes.size() || (item.samples != hashes.size() && !geometry.pointsConstant()))
        item.disagreements.push_back(
            fmt::format("the record has {} samples, the file {}", hashes.size(), item.samples));
    const std::size_t samples = std::min<std::size_t>(item.samples, hashes.size());
    if (!geometry.sampling().isStill() && samples > 1) {
        item.first = frameOf(geometry.sampling(), 0, rate);
        item.last = frameOf(geometry.sampling(), samples - 1, rate);
        for (std::size_t i = 0; i < samples; ++i)
            item.times.push_back(geometry.sampling().time(i));
        const auto differs = [&](const char* key, double value) {
            return entry.contains(key) && entry[key].is_number() && std::abs(entry[key].get<double>() - value) > 0.01;
        };
        if (differs("first", *item.first) || differs("last", *item.last))
            item.disagreements.push_back(
                fmt::format("it covers {} – {}, the record says {} – {}", frameText(*item.first), frameText(*item.last),
                            frameText(entry["first"].get<double>()), frameText(entry["last"].get<double>())));
        else if (entry.contains("times_xxh64") && entry["times_xxh64"] != hashText(timesHash(item.times)))
            item.disagreements.push_back("its samples lie at other times than the record says");
    }
    WYC_TRY(count, geometry.pointCount(0));
    WYC_TRY(topology, geometry.topology(0));
    item.points = count;
    item.faces = topology->faceCount();
    item.topology = topology->hash();
    if (entry.value("topology", std::string()) != hashText(item.topology))
        item.disagreements.push_back("its faces or its vertex order are not those of the record");
    item.sampleHashes.assign(samples, 0);
    std::vector<std::size_t> bad(samples, 0);
    WYC_CHECK(parallelFor(samples, progress, [&](std::size_t i) -> Status {
        std::vector<Vec3f> points;
        WYC_CHECK(readPoints(geometry, i, points));
        Hasher64 hasher(recorded.second);
        hasher.add(std::as_bytes(std::span(points)));
        item.sampleHashes[i] = hasher.hash();
        bad[i] = countNotNumbers(points);
        return {};
    }));
    std::size_t wrong = 0;
    std::size_t first = 0;
    for (std::size_t i = samples; i-- > 0;) {
        item.notNumbers += bad[i];
        if (!hashes[i].is_string() || hashes[i].get<std::string>() != hashText(item.sampleHashes[i])) {
            ++wrong;
            first = i;
        }
    }
    if (wrong > 0)
        item.disagreements.push_back(fmt::format("{} of {} samples do not hold the recorded points, the first at "
                                                 "frame {}",
                                                 wrong, samples, frameText(frameOf(geometry.sampling(), first, rate))));
    return {};
}

std::string textOf(const json& record, const char* key) {
    const auto found = record.is_object() ? record.find(key) : record.end();
    return record.is_object() && found != record.end() && found->is_string() ? found->get<std::string>()
                                                                             : std::string();
}

} // namespace

Result<RecordedFiles> recordedFiles(const json& record, const fs::path& target) {
    const Format* known = formatById(textOf(record, "format"));
    // As it was written: with other options other channels are there.
    const auto chosen = known ? chosenAs(*known, record.value("format_options", json::object()))
                              : Result<FormatPtr>(fail(ErrorKind::Unsupported, "no format"));
    const std::string stated = textOf(record, "rate");
    const auto rate = FrameRate::parse(stated.empty() ? "24" : stated);
    if (!chosen || !rate)
        return fail(ErrorKind::BadInput, "the record names a format or a rate that is not known");
    RecordedFiles files{*chosen, *rate, target, std::nullopt};
    if (const std::string name = textOf(record, "rest"); !name.empty())
        files.rest = target.parent_path() / name;
    std::error_code code;
    if (files.format->sequence && fs::is_directory(target, code) && !textOf(record, "pattern").empty())
        files.path = target / textOf(record, "pattern");
    return files;
}

Result<Proof> proveFromRecord(const fs::path& target, const fs::path& recordFile, const Progress& progress) {
    WYC_TRY(bytes, readWholeFile(recordFile, 1ULL << 30));
    const json record = json::parse(bytes.begin(), bytes.end(), nullptr, false);
    const int recordVersion =
        record.is_object() && record.contains("wychronos_record") && record["wychronos_record"].is_number_integer()
            ? record["wychronos_record"].get<int>()
            : 0;
    if (recordVersion < 1 || !record.contains("items") || !record["items"].is_array())
        return fail(noRecord("this is no record of a delivery", recordFile));
    if (recordVersion > kRecordVersion)
        return fail(makeError(ErrorKind::Unsupported, "the record was made by a later version")
                        .inFile(recordFile.string())
                        .withAdvice("Use the version that wrote it, or a later one"));
    const auto files = recordedFiles(record, target);
    if (!files)
        return fail(noRecord(files.error().what, recordFile));
    const auto& [chosen, rate, path, rest] = *files;
    const Format* format = chosen.get();
    Proof proof;
    proof.rate = rate;
    if (recordVersion >= 2 && textOf(record, "record_xxh64") != recordHash(record))
        proof.disagreements.push_back("the record itself was changed after it was written");
    WYC_CHECK(compareFiles(record, target, format->sequence, proof));
    WYC_TRY(found, readBack(*format, path, rate, rest));
    if (const auto recorded = record.find("channels"); recorded != record.end() && recorded->is_object()) {
        WYC_TRY(channels, sceneChannels(found, *format, rest.has_value()));
        compareRecorded(channels, *recorded, proof.channels, proof.disagreements);
    }
    const SceneTree tree(found);
    for (const auto& entry : record["items"]) {
        if (!entry.is_object() || !entry.value("item", json()).is_string() || !recordedSamples(entry).first.is_array())
            return fail(noRecord("an item of the record is not whole", recordFile));
        ProvenItem item;
        item.item = entry["item"].get<std::string>();
        WYC_CHECK(proveItem(found, tree, entry, *format, rate, recordVersion, progress, item));
        proof.items.push_back(std::move(item));
    }
    proof.notCompared.emplace_back("the source: a record says what was written, not what it came from");
    if (recordVersion < 2)
        proof.notCompared.emplace_back("all but points and faces: the record is of an earlier version");
    // Nothing to compare is no proof; an archive without items has its bytes.
    const bool bytesCompared = recordVersion >= 2 && record.contains("files") && !record["files"].empty();
    proof.passed = (!proof.items.empty() || bytesCompared) && holds(proof);
    return proof;
}

} // namespace wyc
