// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>

#include <fmt/format.h>

#include "base/parallel.h"
#include "base/text.h"
#include "delivery/carried.h"
#include "delivery/delivery.h"
#include "gather/sequence.h"
#include "measure/motion.h"
#include "scene/stand_in.h"

namespace wyc {
namespace {

Result<Scene> readBack(const Format& format, const fs::path& path, const FrameRate& rate, GeometryPtr rest) {
    OpenRequest request;
    request.path = path;
    request.assumedRate = rate;
    request.rest = std::move(rest);
    request.restName = "rest mesh";
    if (format.traits.sequence) {
        WYC_TRY(sequence, sequenceOfPattern(path));
        request.path = sequence.files.front().path;
        request.sequence = sequence.files;
        request.name = sequence.name;
    }
    return format.open(request);
}

std::vector<std::size_t> shapesOf(const Scene& scene) {
    std::vector<std::size_t> result;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].geometry)
            result.push_back(i);
    return result;
}

// What is proven: every shape, and what has no points where the format has a place for it.
std::vector<std::size_t> provenNodes(const Scene& scene, const FormatTraits& traits) {
    if (!traits.properties)
        return shapesOf(scene);
    std::vector<std::size_t> result;
    const std::vector<bool> mask = itemMask(scene);
    for (std::size_t i = 0; i < mask.size(); ++i) {
        const auto carried = mask[i] ? Result<std::map<std::string, std::uint64_t>>() : carriedHashes(scene.nodes[i]);
        if (mask[i] || !carried || !carried->empty()) // sets, materials, groups with values of their own
            result.push_back(i);
    }
    return result;
}

// Everything the meant node carries has to be there, the same; the writer may have added something.
Status compareCarried(const Node& meant, const Node& found, ProvenItem& item) {
    WYC_TRY(wanted, carriedHashes(meant));
    WYC_TRY(there, carriedHashes(found));
    for (const auto& [path, hash] : wanted) {
        const auto same = there.find(path);
        if (same == there.end() || same->second != hash)
            item.disagreements.push_back(fmt::format("what it carries as '{}' is {}", path,
                                                     same == there.end() ? "not there" : "not what was meant"));
    }
    item.carried = std::move(wanted);
    return {};
}

// The node of the read-back scene that stands for a meant one: by path, or the only shape of a one-item
// format.
std::optional<std::size_t> counterpart(const Scene& meant, std::size_t node, const Scene& found, bool manyItems) {
    if (!manyItems) {
        const auto shapes = shapesOf(found);
        return shapes.size() == 1 ? std::optional(shapes.front()) : std::nullopt;
    }
    if (const auto same = found.find(meant.nodes[node].path))
        return same;
    // A shape with a transform of its own got one above it.
    const Node& it = meant.nodes[node];
    const std::string above = it.path.substr(0, it.path.rfind('/'));
    return found.find(above + "/" + it.name + "_place/" + it.name);
}

// Frames of samples, where both sides are at the same rate.
double frameOf(const Sampling& sampling, std::size_t i, const FrameRate& rate) {
    return snappedFrame(rate.frameAt(sampling.time(i)));
}

struct WorstDrift {
    double largest = 0.0;
    std::size_t sample = 0;
    std::size_t point = 0;
};

Status compareShape(const Scene& meant, std::size_t node, const Geometry& found, const FormatTraits& traits,
                    const FrameRate& rate, ProvenItem& item, const Progress& progress) {
    const Geometry& wanted = *meant.nodes[node].geometry;
    const std::size_t samples = traits.times || traits.sequence ? wanted.sampling().count()
                                                                : std::min<std::size_t>(1, wanted.sampling().count());
    const std::size_t foundSamples = found.sampling().count();
    if (foundSamples < samples || (foundSamples != samples && !(wanted.pointsConstant() && found.pointsConstant()))) {
        item.disagreements.push_back(fmt::format("{} samples were meant, {} are there", samples, foundSamples));
        return {};
    }
    item.samples = samples;
    if (!wanted.sampling().isStill() && samples > 1) {
        item.first = frameOf(found.sampling(), 0, rate);
        item.last = frameOf(found.sampling(), samples - 1, rate);
        for (std::size_t i = 0; i < samples; ++i) {
            // float32 times are up to 4e-6 s off at 42 s: a frame tolerance of a hundredth covers any shot.
            if (std::abs(rate.frameAt(wanted.sampling().time(i)) - rate.frameAt(found.sampling().time(i))) < 0.01)
                continue;
            item.disagreements.push_back(fmt::format("sample {} was meant for frame {}, it is at {}", i,
                                                     frameText(frameOf(wanted.sampling(), i, rate)),
                                                     frameText(frameOf(found.sampling(), i, rate))));
            break;
        }
    }
    item.sampleHashes.assign(samples, 0);
    std::mutex mutex;
    WorstDrift worst;
    std::atomic<std::size_t> done{0};
    // Blocks, so that buffers are kept from sample to sample.
    constexpr std::size_t kBlock = 8;
    const std::size_t blocks = (samples + kBlock - 1) / kBlock;
    return [&]() -> Status {
        WYC_CHECK(parallelFor(blocks, progress, [&](std::size_t block) -> Status {
            std::vector<Vec3f> a;
            std::vector<Vec3f> b;
            for (std::size_t i = block * kBlock; i < std::min(samples, (block + 1) * kBlock); ++i) {
                WYC_CHECK(progress.poll());
                WYC_CHECK(readPoints(wanted, i, a));
                WYC_CHECK(readPoints(found, i, b));
                const auto compared = hashAndCompare(std::as_bytes(std::span(a)), std::as_bytes(std::span(b)));
                item.sampleHashes[i] = compared.hash;
                if (a.size() != b.size()) {
                    const std::lock_guard lock(mutex);
                    item.disagreements.push_back(
                        fmt::format("sample {} has {} points, {} were meant", i, b.size(), a.size()));
                    continue;
                }
                const DriftFigure drift = compared.equal ? DriftFigure{} : driftOf(a, b);
                WYC_TRY(facesMeant, wanted.topology(i));
                WYC_TRY(facesFound, found.topology(i));
                const std::lock_guard lock(mutex);
                if (facesMeant != facesFound && facesMeant->hash() != facesFound->hash() &&
                    item.disagreements.size() < 8)
                    item.disagreements.push_back(fmt::format("sample {} has other faces than were meant", i));
                if (drift.largest > worst.largest ||
                    (drift.largest == worst.largest && drift.largest > 0.0 && i < worst.sample))
                    worst = {drift.largest, i, drift.point};
                progress.report(static_cast<double>(++done) / static_cast<double>(samples), "proving",
                                fmt::format("{}, sample {} of {}", meant.nodes[node].name, done.load(), samples));
            }
            return {};
        }));
        item.largestDrift = worst.largest;
        item.worstFrame = samples > 1 ? frameOf(wanted.sampling(), worst.sample, rate) : 0.0;
        item.worstPoint = worst.point;
        WYC_TRY(count, found.pointCount(0));
        WYC_TRY(topology, found.topology(0));
        item.points = count;
        item.faces = topology->faceCount();
        item.topology = topology->hash();
        return {};
    }();
}

Status compareTransform(const Scene& meant, std::size_t node, const Scene& found, std::size_t foundNode,
                        const FrameRate& rate, ProvenItem& item) {
    for (const double time : placementTimes(meant, node)) {
        WYC_TRY(a, placementAt(meant, node, time));
        WYC_TRY(b, placementAt(found, foundNode, time));
        for (std::size_t k = 0; k < 16; ++k) {
            if (std::abs(a.matrix.m[k] - b.matrix.m[k]) > 1e-9 * std::max(1.0, std::abs(a.matrix.m[k]))) {
                item.disagreements.push_back(
                    fmt::format("its placement at frame {} is another", frameText(snappedFrame(rate.frameAt(time)))));
                return {};
            }
        }
        if (a.visible != b.visible) {
            item.disagreements.push_back("its visibility is another");
            return {};
        }
    }
    return {};
}

// Placement and what is carried, against a record that has them.
Status compareRecorded(const Scene& found, std::size_t node, const nlohmann::json& entry, ProvenItem& item) {
    if (const auto recorded = entry.find("placement_xxh64"); recorded != entry.end() && recorded->is_string()) {
        WYC_TRY(placement, placementHash(found, node));
        item.placement = placement;
        if (hashText(placement) != recorded->get<std::string>())
            item.disagreements.push_back("its placement is not the recorded one");
    }
    if (const auto recorded = entry.find("carried_xxh64"); recorded != entry.end() && recorded->is_object()) {
        WYC_TRY(there, carriedHashes(found.nodes[node]));
        for (const auto& [path, hash] : recorded->items()) {
            const auto same = there.find(path);
            if (same == there.end() || hash != hashText(same->second))
                item.disagreements.push_back(fmt::format("what it carries as '{}' is not what the record says", path));
        }
    }
    return {};
}

} // namespace

double Proof::largestDriftMetres() const {
    double largest = 0.0;
    for (const ProvenItem& item : items)
        largest = std::max(largest, item.largestDriftMetres);
    return largest;
}

std::string Proof::words() const {
    for (const ProvenItem& item : items)
        if (!item.disagreements.empty())
            return fmt::format("{}: {}", item.item, item.disagreements.front());
    return passed ? fmt::format("proven, {}", lengthText(largestDriftMetres()))
                  : fmt::format("drift of {}", lengthText(largestDriftMetres()));
}

Result<Proof> proveAgainst(const Scene& meant, const PlannedOutput& output, const fs::path& written,
                           const Progress& progress) {
    Proof proof;
    proof.rate = output.rate;
    const Format& format = *output.format;
    GeometryPtr rest;
    if (!format.traits.faces && output.restTarget) {
        OpenRequest request;
        request.path = written.parent_path() / output.restTarget->filename();
        const Format* restFormat = formatOfName(request.path);
        WYC_TRY(scene, restFormat->open(request));
        const auto shapes = shapesOf(scene);
        if (!shapes.empty())
            rest = scene.nodes[shapes.front()].geometry;
    }
    WYC_TRY(found, readBack(format, written, output.rate, rest));
    const auto shapes = provenNodes(meant, format.traits);
    for (std::size_t n = 0; n < shapes.size(); ++n) {
        const std::size_t node = shapes[n];
        ProvenItem item;
        item.item = meant.nodes[node].path;
        const auto other = counterpart(meant, node, found, format.traits.manyItems);
        const bool shaped = meant.nodes[node].geometry != nullptr;
        if (!other || (shaped && !found.nodes[*other].geometry)) {
            item.disagreements.push_back("it is not in what was written");
        } else {
            item.kind = nodeKindName(found.nodes[*other].kind);
            if (found.nodes[*other].kind != meant.nodes[node].kind && format.traits.properties)
                item.disagreements.push_back(
                    fmt::format("it was meant as {}, it is {}", nodeKindName(meant.nodes[node].kind), item.kind));
            const double share = 1.0 / static_cast<double>(shapes.size());
            if (shaped)
                WYC_CHECK(
                    compareShape(meant, node, *found.nodes[*other].geometry, format.traits, output.rate, item,
                                 progress.part(static_cast<double>(n) * share, static_cast<double>(n + 1) * share)));
            if (format.traits.transforms) {
                WYC_CHECK(compareTransform(meant, node, found, *other, output.rate, item));
                WYC_TRY(placement, placementHash(found, *other));
                item.placement = placement;
            }
            if (format.traits.properties)
                WYC_CHECK(compareCarried(meant.nodes[node], found.nodes[*other], item));
        }
        item.largestDriftMetres = item.largestDrift * meant.unitMetres.value_or(1.0);
        proof.items.push_back(std::move(item));
    }
    proof.passed = std::all_of(proof.items.begin(), proof.items.end(),
                               [](const ProvenItem& i) { return i.disagreements.empty() && i.largestDrift == 0.0; });
    return proof;
}

nlohmann::json toJson(const Proof& proof) {
    nlohmann::json items = nlohmann::json::array();
    for (const ProvenItem& item : proof.items)
        items.push_back({{"item", validUtf8(item.item)},
                         {"kind", item.kind},
                         {"points", item.points},
                         {"faces", item.faces},
                         {"samples", item.samples},
                         {"first", item.first ? nlohmann::json(*item.first) : nlohmann::json(nullptr)},
                         {"last", item.last ? nlohmann::json(*item.last) : nlohmann::json(nullptr)},
                         {"topology", hashText(item.topology)},
                         {"largest_drift",
                          std::isfinite(item.largestDrift) ? nlohmann::json(item.largestDrift) : nlohmann::json("inf")},
                         {"largest_drift_mm", std::isfinite(item.largestDriftMetres)
                                                  ? nlohmann::json(item.largestDriftMetres * 1000.0)
                                                  : nlohmann::json("inf")},
                         {"disagreements", item.disagreements}});
    return {{"passed", proof.passed}, {"rate", proof.rate.text()}, {"items", items}};
}

Result<Proof> proveFromRecord(const fs::path& target, const fs::path& recordFile, const Progress& progress) {
    WYC_TRY(bytes, readWholeFile(recordFile, 1ULL << 30));
    const nlohmann::json record = nlohmann::json::parse(bytes.begin(), bytes.end(), nullptr, false);
    const auto refuse = [&](std::string what) {
        return fail(makeError(ErrorKind::BadFormat, std::move(what))
                        .inFile(recordFile.string())
                        .withAdvice("Give the .record.json that was written beside the delivery"));
    };
    if (!record.is_object() || record.value("wychronos_record", 0) != 1 || !record.contains("items") ||
        !record["items"].is_array())
        return refuse("this is no record of a delivery");
    const Format* format = formatById(record.value("format", std::string()));
    const auto rate = FrameRate::parse(record.value("rate", std::string("24")));
    if (!format || !rate)
        return refuse("the record names a format or a rate that is not known");
    GeometryPtr rest;
    if (record.contains("rest") && record["rest"].is_string()) {
        OpenRequest request;
        request.path = target.parent_path() / record["rest"].get<std::string>();
        if (const Format* restFormat = formatOfName(request.path)) {
            WYC_TRY(scene, restFormat->open(request));
            for (const Node& node : scene.nodes)
                if (node.geometry)
                    rest = node.geometry;
        }
    }
    fs::path path = target;
    std::error_code code;
    if (format->traits.sequence && fs::is_directory(target, code) && record.contains("pattern") &&
        record["pattern"].is_string())
        path = target / record["pattern"].get<std::string>();
    WYC_TRY(found, readBack(*format, path, *rate, rest));
    Proof proof;
    proof.rate = *rate;
    const auto shapes = shapesOf(found);
    for (const auto& entry : record["items"]) {
        if (!entry.is_object() || !entry.value("item", nlohmann::json()).is_string() ||
            !entry.contains("sample_xxh64") || !entry["sample_xxh64"].is_array())
            return refuse("an item of the record is not whole");
        ProvenItem item;
        item.item = entry["item"].get<std::string>();
        std::size_t place = found.nodes.size();
        if (format->traits.manyItems)
            place = found.find(entry.value("path", item.item)).value_or(place);
        else if (shapes.size() == 1)
            place = shapes.front();
        const bool shaped = !entry["sample_xxh64"].empty() || entry.value("points", 0) > 0;
        if (place == found.nodes.size() || (shaped && !found.nodes[place].geometry)) {
            item.disagreements.push_back("it is not in the file");
            proof.items.push_back(std::move(item));
            continue;
        }
        WYC_CHECK(compareRecorded(found, place, entry, item));
        if (!shaped) {
            item.kind = nodeKindName(found.nodes[place].kind);
            proof.items.push_back(std::move(item));
            continue;
        }
        const Geometry& geometry = *found.nodes[place].geometry;
        const auto& hashes = entry["sample_xxh64"];
        item.kind = nodeKindName(found.nodes[place].kind);
        item.samples = geometry.sampling().count();
        if (item.samples < hashes.size() || (item.samples != hashes.size() && !geometry.pointsConstant()))
            item.disagreements.push_back(
                fmt::format("the record has {} samples, the file {}", hashes.size(), item.samples));
        if (!geometry.sampling().isStill()) {
            item.first = frameOf(geometry.sampling(), 0, *rate);
            item.last = frameOf(geometry.sampling(), item.samples - 1, *rate);
            const auto differs = [&](const char* key, double value) {
                return entry.contains(key) && entry[key].is_number() &&
                       std::abs(entry[key].get<double>() - value) > 0.01;
            };
            if (differs("first", *item.first) || differs("last", *item.last))
                item.disagreements.push_back(fmt::format(
                    "it covers {} – {}, the record says {} – {}", frameText(*item.first), frameText(*item.last),
                    frameText(entry["first"].get<double>()), frameText(entry["last"].get<double>())));
        }
        WYC_TRY(count, geometry.pointCount(0));
        WYC_TRY(topology, geometry.topology(0));
        item.points = count;
        item.faces = topology->faceCount();
        item.topology = topology->hash();
        if (entry.value("topology", std::string()) != hashText(item.topology))
            item.disagreements.push_back("its faces or its vertex order are not those of the record");
        const std::size_t samples = std::min<std::size_t>(item.samples, hashes.size());
        item.sampleHashes.assign(samples, 0);
        WYC_CHECK(parallelFor(samples, progress, [&](std::size_t i) -> Status {
            std::vector<Vec3f> points;
            WYC_CHECK(readPoints(geometry, i, points));
            item.sampleHashes[i] = hash64(std::as_bytes(std::span(points)));
            return {};
        }));
        std::size_t wrong = 0;
        std::size_t first = 0;
        for (std::size_t i = samples; i-- > 0;) {
            if (!hashes[i].is_string() || hashes[i].get<std::string>() != hashText(item.sampleHashes[i])) {
                ++wrong;
                first = i;
            }
        }
        if (wrong > 0)
            item.disagreements.push_back(
                fmt::format("{} of {} samples do not hold the recorded points, the first at frame {}", wrong, samples,
                            frameText(frameOf(geometry.sampling(), first, *rate))));
        proof.items.push_back(std::move(item));
    }
    proof.passed = !proof.items.empty() && std::all_of(proof.items.begin(), proof.items.end(),
                                                       [](const ProvenItem& i) { return i.disagreements.empty(); });
    return proof;
}

} // namespace wyc
