// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/mdd/mdd.h"
#include "scene/layers.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>

#include <fmt/format.h>

#include "base/bytes.h"
#include "base/parallel.h"
#include "base/text.h"

namespace wyc::mdd {
namespace {

struct Header {
    std::size_t frames = 0;
    std::size_t points = 0;
};

// Times are float32: their spacing is 4e-6 s at 42 s and grows with the time.
double jitterAt(double seconds) {
    return std::max(2e-6, std::abs(seconds) * 1.2e-7);
}

std::uint64_t expectedSize(std::uint64_t frames, std::uint64_t points) {
    return 8 + 4 * frames + 12 * frames * points; // counts are below 2^31: no overflow in 64 bits
}

Result<Header> headerOf(const RandomAccessFile& file) {
    const auto refuse = [&](std::string what, std::uint64_t byte) {
        return fail(makeError(ErrorKind::BadFormat, std::move(what))
                        .inFile(file.path().string())
                        .atByte(byte)
                        .withAdvice("Write the point cache again; this file is not whole or is no MDD"));
    };
    if (file.size() < 8)
        return refuse(fmt::format("an MDD begins with two counts of 4 bytes, the file has {} bytes", file.size()),
                      file.size());
    std::array<std::int32_t, 2> raw{};
    WYC_CHECK(file.readAt(0, std::as_writable_bytes(std::span(raw))));
    const std::int32_t frames = byteSwapped(raw[0]);
    const std::int32_t points = byteSwapped(raw[1]);
    const bool positive = frames >= 0 && points >= 0;
    if (positive && expectedSize(static_cast<std::uint64_t>(frames), static_cast<std::uint64_t>(points)) == file.size())
        return Header{static_cast<std::size_t>(frames), static_cast<std::size_t>(points)};
    if (raw[0] >= 0 && raw[1] >= 0 &&
        expectedSize(static_cast<std::uint64_t>(raw[0]), static_cast<std::uint64_t>(raw[1])) == file.size())
        return refuse(
            fmt::format("the numbers are little-endian: read so, {} frames of {} points fit the size exactly; "
                        "an MDD is big-endian",
                        raw[0], raw[1]),
            0);
    if (!positive)
        return refuse(fmt::format("the header says {} frames of {} points", frames, points), frames < 0 ? 0 : 4);
    return refuse(fmt::format("the header says {} frames of {} points = {} bytes, the file has {}", frames, points,
                              expectedSize(static_cast<std::uint64_t>(frames), static_cast<std::uint64_t>(points)),
                              file.size()),
                  file.size());
}

class MddGeometry final : public Geometry {
  public:
    MddGeometry(std::shared_ptr<const RandomAccessFile> file, Header header, Sampling sampling, TopologyPtr topology,
                FaceSetsPtr faceSets)
        : file_(std::move(file)),
          header_(header),
          sampling_(std::move(sampling)),
          topology_(std::move(topology)),
          faceSets_(std::move(faceSets)) {}

    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return header_.points; }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        if (sample >= header_.frames || first > header_.points || into.size() > header_.points - first)
            return fail(ErrorKind::Internal, fmt::format("sample {} of {}", sample, header_.frames));
        WYC_CHECK(file_->verifyUnchanged());
        WYC_CHECK(file_->readAt(offsetOf(sample) + first * sizeof(Vec3f), std::as_writable_bytes(into)));
        // Through integers: a float register may quieten a signalling not-a-number.
        auto* words = reinterpret_cast<std::byte*>(into.data());
        for (std::size_t i = 0; i < into.size() * 3; ++i) {
            std::uint32_t word;
            std::memcpy(&word, words + i * 4, 4);
            word = __builtin_bswap32(word);
            std::memcpy(words + i * 4, &word, 4);
        }
        return {};
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return faceSets_; }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t sample) const override {
        return offsetOf(sample);
    }

  private:
    [[nodiscard]] std::uint64_t offsetOf(std::size_t sample) const {
        return 8 + 4 * header_.frames + static_cast<std::uint64_t>(sample) * header_.points * 12;
    }
    std::shared_ptr<const RandomAccessFile> file_;
    Header header_;
    Sampling sampling_;
    TopologyPtr topology_;
    FaceSetsPtr faceSets_;
};

void remarkTimes(Scene& scene, const std::vector<double>& times, const std::string& item) {
    const double usual =
        times.size() > 1 ? (times.back() - times.front()) / static_cast<double>(times.size() - 1) : 0.0;
    std::vector<double> steps;
    for (std::size_t i = 1; i < times.size(); ++i)
        steps.push_back(times[i] - times[i - 1]);
    std::vector<double> sorted = steps;
    std::sort(sorted.begin(), sorted.end());
    const double median = sorted.empty() ? usual : sorted[sorted.size() / 2];
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (steps[i] > 0.0)
            continue;
        scene.report.remarks.push_back({"time.not_rising", item, std::round(scene.view.rate.frameAt(times[i + 1])),
                                        steps[i], "s",
                                        fmt::format("The time of sample {} is {} that of sample {}", i + 1,
                                                    steps[i] == 0.0 ? "the same as" : "before", i),
                                        "Write the cache again, or resample it to an even rate", 2});
        return;
    }
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (std::abs(steps[i] - median) <= 2.0 * jitterAt(times[i + 1]))
            continue;
        scene.report.remarks.push_back(
            {"time.uneven", item, std::round(scene.view.rate.frameAt(times[i + 1])), steps[i], "s",
             fmt::format("The times are not even: sample {} comes {:.6f} s after the one before, "
                         "others {:.6f} s",
                         i + 1, steps[i], median),
             "Resample to a rate, or write the cache again", 2});
        return;
    }
}

Result<Scene> openMdd(const OpenRequest& request) {
    WYC_TRY(file, RandomAccessFile::open(request.path));
    WYC_TRY(header, headerOf(*file));
    std::vector<std::uint32_t> raw(header.frames);
    WYC_CHECK(file->readAt(8, std::as_writable_bytes(std::span(raw))));
    std::vector<double> times(header.frames);
    for (std::size_t i = 0; i < raw.size(); ++i) {
        const auto seconds = std::bit_cast<float>(__builtin_bswap32(raw[i]));
        if (!std::isfinite(seconds))
            return fail(makeError(ErrorKind::BadFormat, fmt::format("the time of sample {} is not finite", i))
                            .inFile(request.path.string())
                            .atByte(8 + 4 * i)
                            .withAdvice("Write the point cache again"));
        times[i] = static_cast<double>(seconds);
    }

    Scene scene;
    const double largest = times.empty() ? 0.0 : std::max(std::abs(times.front()), std::abs(times.back()));
    scene.rate = rateOfTimes(times, jitterAt(largest));
    scene.view.rate = scene.rate.value_or(request.assumedRate);
    const std::string name = safeName(request.name.empty() ? request.path.stem().string() : request.name);
    Node node;
    node.name = name;
    node.path = "/" + name;

    Sampling sampling = Sampling::acyclic(times);
    if (scene.rate && times.size() > 1) {
        // Float32 times stand for exact frames: take the frames where they are within the jitter of whole
        // ones.
        const double first = scene.rate->frameAt(times.front());
        const double whole = std::round(first);
        const double start = std::abs(first - whole) < scene.rate->frameAt(2.0 * jitterAt(largest))
                                 ? scene.rate->secondsAt(whole)
                                 : times.front();
        sampling = Sampling::uniform(start, scene.rate->secondsAt(1.0), times.size());
    } else {
        times = timesAsMeant(times, scene.view.rate);
        sampling = Sampling::acyclic(times);
        remarkTimes(scene, times, node.path);
    }
    if (header.frames == 0)
        scene.report.remarks.push_back({"frames.none",
                                        node.path,
                                        {},
                                        0.0,
                                        "frames",
                                        "The cache holds no frames",
                                        "Bake it again with a frame range",
                                        2});
    if (header.points == 0)
        scene.report.remarks.push_back({"mesh.empty",
                                        node.path,
                                        {},
                                        0.0,
                                        "points",
                                        "The cache holds no points",
                                        "Bake it again with the mesh chosen",
                                        2});

    TopologyPtr topology = emptyTopology();
    FaceSetsPtr faceSets = noFaceSets();
    node.kind = NodeKind::Points;
    if (request.rest) {
        const Geometry& rest = *request.rest->geometry;
        WYC_TRY(restPoints, rest.pointCount(0));
        if (restPoints != header.points)
            return fail(makeError(ErrorKind::BadInput, fmt::format("the cache has {} points, the rest mesh '{}' has {}",
                                                                   groupedDigits(header.points), request.restName,
                                                                   groupedDigits(restPoints)))
                            .inFile(request.path.string())
                            .withAdvice("Give the mesh this cache was baked from"));
        WYC_TRY(restTopology, rest.topology(0));
        WYC_TRY(restSets, rest.faceSets(0));
        topology = restTopology;
        faceSets = restSets;
        scene.materials = request.restMaterials;
        // Normals of the rest pose would be wrong on every other pose.
        WYC_TRY(layers, layersAt(rest.sampling().firstTime(), request.rest->properties, rest,
                                 [](Meaning meaning) { return meaning != Meaning::Normals; }));
        if (!layers.empty())
            node.properties = plainProperties(std::move(layers));
        node.kind = topology->faceCount() > 0 ? NodeKind::Mesh : NodeKind::Points;
    }
    node.geometry = std::make_shared<MddGeometry>(std::move(file), header, std::move(sampling), topology, faceSets);
    scene.nodes.push_back(std::move(node));
    return scene;
}

Result<std::vector<fs::path>> writeMdd(const Scene& scene, const fs::path& target, const WriteOptions& options,
                                       const Progress& progress) {
    const Node* shape = nullptr;
    for (const Node& node : scene.nodes) {
        if (!node.geometry)
            continue;
        if (shape)
            return fail(makeError(ErrorKind::BadInput, "an MDD holds one item")
                            .withAdvice("Choose one item, or one file per item"));
        shape = &node;
    }
    if (!shape)
        return fail(
            makeError(ErrorKind::BadInput, "there are no points to write").withAdvice("Choose an item with points"));
    const Geometry& geometry = *shape->geometry;
    const std::size_t frames = geometry.sampling().count();
    WYC_TRY(points, geometry.pointCount(0));
    if (frames > 0x7fffffff || points > 0x7fffffff)
        return fail(ErrorKind::Unsupported, "an MDD counts frames and points in 31 bits");
    // Half the distance of neighbouring float32 numbers must stay far below a frame, or frames cannot be told apart.
    for (const double time : {geometry.sampling().firstTime(), geometry.sampling().lastTime()}) {
        const double frame = options.rate.frameAt(time);
        const double error = std::abs(options.rate.frameAt(static_cast<double>(static_cast<float>(time))) - frame);
        const double most = std::abs(frame) * 6e-8;
        if (!geometry.sampling().isStill() && (error > 0.005 || most > 0.005))
            return fail(
                makeError(ErrorKind::Unsupported,
                          fmt::format("frame {} lies at {:.1f} s; the float32 times of an MDD are good to {:.4f} "
                                      "frames there",
                                      frameText(snappedFrame(frame)), time, std::max(error, most)))
                    .withAdvice("Give the first frame a lower number (--first), or write an archive"));
    }
    WYC_TRY(file, AtomicFile::create(target));
    std::vector<std::byte> head;
    appendBytes(head, byteSwapped(static_cast<std::int32_t>(frames)));
    appendBytes(head, byteSwapped(static_cast<std::int32_t>(points)));
    for (std::size_t i = 0; i < frames; ++i)
        appendBytes(head, byteSwapped(std::bit_cast<std::uint32_t>(static_cast<float>(geometry.sampling().time(i)))));
    WYC_CHECK(file->append(head));

    constexpr std::size_t kSlots = 4;
    std::array<std::vector<Vec3f>, kSlots> buffers;
    WYC_CHECK(orderedPipeline(
        frames, kSlots, progress,
        [&](std::size_t frame, std::size_t slot) -> Status {
            auto& buffer = buffers[slot];
            WYC_CHECK(readPoints(geometry, frame, buffer));
            if (buffer.size() != points)
                return fail(makeError(ErrorKind::BadInput,
                                      fmt::format("sample {} has {} points, the first has {}; an MDD needs one count",
                                                  frame, buffer.size(), points))
                                .forItem(shape->path)
                                .withAdvice("Choose a format that carries a changing number of points"));
            auto* words = reinterpret_cast<std::byte*>(buffer.data());
            for (std::size_t i = 0; i < points * 3; ++i) {
                std::uint32_t word;
                std::memcpy(&word, words + i * 4, 4);
                word = __builtin_bswap32(word);
                std::memcpy(words + i * 4, &word, 4);
            }
            return {};
        },
        [&](std::size_t frame, std::size_t slot) -> Status {
            WYC_CHECK(file->append(std::as_bytes(std::span(buffers[slot]))));
            progress.report(static_cast<double>(frame + 1) / static_cast<double>(frames), "writing",
                            fmt::format("{}, frame {} of {}", target.filename().string(), frame + 1, frames));
            return {};
        }));
    WYC_CHECK(file->commit(AtomicFile::Replace::Yes));
    return std::vector<fs::path>{target};
}

std::uint64_t estimate(const Scene& scene, const nlohmann::json&) {
    for (const Node& node : scene.nodes) {
        if (!node.geometry || node.geometry->sampling().count() == 0)
            continue;
        const std::uint64_t samples = node.geometry->sampling().count();
        if (const auto points = node.geometry->pointCount(0))
            return 8 + samples * (sizeof(float) + *points * sizeof(Vec3f));
    }
    return 8;
}

// The two counts, checked against the file's size.
Result<std::size_t> countPoints(const fs::path& path) {
    WYC_TRY(file, RandomAccessFile::open(path));
    WYC_TRY(header, headerOf(*file));
    return header.points;
}

// Nothing marks such a file but that its two counts come to its size.
double identify(std::span<const std::byte> head, std::uint64_t fileBytes) {
    if (head.size() < 8)
        return 0.0;
    std::array<std::int32_t, 2> counts{};
    std::memcpy(counts.data(), head.data(), sizeof counts);
    const std::int32_t frames = byteSwapped(counts[0]);
    const std::int32_t points = byteSwapped(counts[1]);
    return frames > 0 && points > 0 &&
                   expectedSize(static_cast<std::uint64_t>(frames), static_cast<std::uint64_t>(points)) == fileBytes
               ? 0.9
               : 0.0;
}

} // namespace

Format format() {
    constexpr Answer kKept{Fate::Kept};
    constexpr Answer kBeside{Fate::Converted, "in the rest mesh beside it"};
    constexpr Answer kPoints{Fate::Converted, "its points alone"};
    return {"mdd",
            "MDD point cache",
            {".mdd"},
            false,
            false,
            answersOf({{Content::Transforms, {Fate::Lost, "in world space they go into the points"}},
                       {Content::Faces, kBeside},
                       {Content::Uvs, kBeside},
                       {Content::Normals, {Fate::Lost, "those of the first frame go into the rest mesh"}},
                       {Content::Colours, {Fate::Converted, "those of the first frame, in the rest mesh"}},
                       {Content::Groups, kBeside},
                       {Content::Materials, kBeside},
                       {Content::Curves, kPoints},
                       {Content::Subdivision, {Fate::Converted, "a plain mesh"}},
                       {Content::Instances, {Fate::Converted, "a copy for each"}},
                       {Content::Instancers, {Fate::Converted, "their places as points"}},
                       {Content::Deformers, {Fate::Converted, "the points that they make"}},
                       {Content::Times, {Fate::Kept, "as float32"}},
                       {Content::TimesBetweenFrames, kKept},
                       {Content::UnevenTimes, kKept},
                       {Content::Rate, {Fate::Kept, "by the times"}}}),
            &openMdd,
            &writeMdd,
            &estimate,
            nullptr,
            nullptr,
            &identify,
            {".obj", &countPoints, nullptr, nullptr}};
}

} // namespace wyc::mdd
