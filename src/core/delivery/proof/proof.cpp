// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <cstring>
#include <mutex>
#include <set>

#include <fmt/format.h>

#include "base/hash.h"
#include "base/parallel.h"
#include "base/text.h"
#include "delivery/proof/proof_parts.h"
#include "formats/pictures.h"
#include "gather/sequence.h"
#include "measure/motion.h"
#include "scene/channels.h"
#include "scene/stand_in.h"

namespace wyc {

Result<Scene> readBack(const Format& format, const fs::path& path, const FrameRate& rate,
                       const std::optional<fs::path>& restFile, const fs::path& standsIn) {
    OpenRequest request;
    request.path = path;
    request.standsIn = standsIn;
    request.assumedRate = rate;
    request.restName = "rest mesh";
    if (restFile) {
        OpenRequest restRequest;
        restRequest.path = *restFile;
        if (const Format* restFormat = formatOfName(*restFile)) {
            WYC_TRY(scene, restFormat->read(std::move(restRequest)));
            if (const auto shapes = shapesOf(scene); !shapes.empty())
                request.rest = std::make_shared<const Node>(scene.nodes[shapes.front()]);
            request.restMaterials = scene.materials;
        }
    }
    if (format.sequence) {
        WYC_TRY(sequence, sequenceOfPattern(path));
        request.path = sequence.files.front().path;
        request.sequence = sequence.files;
        request.name = sequence.name;
    }
    return format.read(std::move(request));
}

std::vector<std::size_t> shapesOf(const Scene& scene) {
    std::vector<std::size_t> result;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].geometry)
            result.push_back(i);
    return result;
}

std::optional<std::size_t> writtenNode(const Scene& found, const SceneTree& tree, const std::string& path,
                                       const Format& format) {
    if (!format.manyItems) {
        const auto shapes = shapesOf(found);
        return shapes.size() == 1 ? std::optional(shapes.front()) : std::nullopt;
    }
    return tree.find(path);
}

Result<std::vector<HashedChannel>> writtenChannels(const Scene& found, std::size_t node, bool apart,
                                                   const Format& format) {
    WYC_TRY(channels, channelsOf(found, node, format));
    if (apart && found.nodes[node].parent >= 0) {
        WYC_TRY(above, channelsOf(found, static_cast<std::size_t>(found.nodes[node].parent), format));
        if (const HashedChannel* transform = channelNamed(above, "transform"))
            channels.push_back(*transform);
    }
    return channels;
}

const HashedChannel* channelNamed(const std::vector<HashedChannel>& channels, const std::string& name) {
    const auto found =
        std::find_if(channels.begin(), channels.end(), [&](const HashedChannel& c) { return c.name == name; });
    return found == channels.end() ? nullptr : &*found;
}

namespace {

// Whether one of these float32 numbers has all exponent bits set: infinite, or no number. Eight at a time: this is
// asked of every byte that a proof reads.
bool anyNotFinite(std::span<const std::byte> bytes) {
    using Four = std::uint32_t __attribute__((vector_size(16)));
    constexpr std::uint32_t kExponent = 0x7F800000U;
    constexpr std::uint32_t kCarry = 0x00800000U; // lifts a full exponent into the sign's place
    Four seen{};
    Four also{};
    std::size_t at = 0;
    for (; at + 2 * sizeof(Four) <= bytes.size(); at += 2 * sizeof(Four)) {
        Four one;
        Four next;
        std::memcpy(&one, bytes.data() + at, sizeof one);
        std::memcpy(&next, bytes.data() + at + sizeof one, sizeof next);
        seen |= (one & kExponent) + kCarry;
        also |= (next & kExponent) + kCarry;
    }
    for (; at + sizeof(std::uint32_t) <= bytes.size(); at += sizeof(std::uint32_t)) {
        std::uint32_t one = 0;
        std::memcpy(&one, bytes.data() + at, sizeof one);
        seen[0] |= (one & kExponent) + kCarry;
    }
    seen |= also;
    return ((seen[0] | seen[1] | seen[2] | seen[3]) & 0x80000000U) != 0;
}

struct PointComparison {
    std::uint64_t hash = 0; // of `found`
    bool equal = false;
    bool finite = true; // all numbers of `found`
};

// One walk over both while they are in the first cache.
PointComparison compareInOneWalk(std::span<const Vec3f> meantPoints, std::span<const Vec3f> foundPoints) {
    constexpr std::size_t kChunk = 16384;
    const auto meant = std::as_bytes(meantPoints);
    const auto found = std::as_bytes(foundPoints);
    PointComparison result{0, meant.size() == found.size(), true};
    Hasher64 hasher(kSampleHash);
    for (std::size_t at = 0; at < found.size(); at += kChunk) {
        const auto part = found.subspan(at, std::min(kChunk, found.size() - at));
        hasher.add(part);
        result.equal = result.equal && std::memcmp(meant.data() + at, part.data(), part.size()) == 0;
        result.finite = result.finite && !anyNotFinite(part);
    }
    result.hash = hasher.hash();
    return result;
}

} // namespace

std::size_t countNotNumbers(std::span<const Vec3f> points) {
    return anyNotFinite(std::as_bytes(points))
               ? static_cast<std::size_t>(
                     std::count_if(points.begin(), points.end(), [](const Vec3f& p) { return !isFinite(p); }))
               : 0;
}

double frameOf(const Sampling& sampling, std::size_t sample, const FrameRate& rate) {
    return snappedFrame(rate.frameAt(sampling.time(sample)));
}

std::optional<FrameRange> carriedFrames(const Scene& found, std::size_t node) {
    const auto& geometry = found.nodes[node].geometry;
    return geometry && geometry->pointsConstant() ? movingFrames(found, node) : std::nullopt;
}

bool holds(const Proof& proof) {
    return proof.disagreements.empty() && std::all_of(proof.items.begin(), proof.items.end(), [](const ProvenItem& i) {
               return i.disagreements.empty() && i.shown.disagreements.empty() && i.largestDrift == 0.0;
           });
}

namespace {

// What is proven: all that a format of many items holds, else every shape.
std::vector<std::size_t> provenNodes(const Scene& scene, const Format& format) {
    if (!format.manyItems)
        return shapesOf(scene);
    std::vector<std::size_t> result(scene.nodes.size());
    for (std::size_t i = 0; i < result.size(); ++i)
        result[i] = i;
    return result;
}

struct Worst {
    double largest = 0.0;
    std::size_t sample = 0;
    std::size_t point = 0;
};

// Times are kept as float32 by some: 4e-6 s at 42 s. A hundredth of a frame covers any shot.
constexpr double kFramesTolerance = 0.01;

class ShapeComparison {
  public:
    ShapeComparison(const Scene& meant, std::size_t node, const Geometry& found, const PlannedOutput& output,
                    const ShownNode* source, ProvenItem& item)
        : meant_(meant),
          node_(node),
          wanted_(*meant.nodes[node].geometry),
          found_(found),
          format_(*output.format),
          rate_(output.rate),
          source_(source),
          item_(item) {}

    Status run(const Progress& progress) {
        samples_ = format_.keeps(Content::Times) || format_.sequence
                       ? wanted_.sampling().count()
                       : std::min<std::size_t>(1, wanted_.sampling().count());
        const std::size_t there = found_.sampling().count();
        if (there < samples_ || (there != samples_ && !(wanted_.pointsConstant() && found_.pointsConstant()))) {
            item_.disagreements.push_back(fmt::format("{} samples were meant, {} are there", samples_, there));
            return {};
        }
        item_.samples = samples_;
        compareTimes();
        item_.sampleHashes.assign(samples_, 0);
        // Blocks, so that buffers are kept from sample to sample.
        constexpr std::size_t kBlock = 8;
        const std::size_t blocks = (samples_ + kBlock - 1) / kBlock;
        WYC_CHECK(parallelFor(blocks, progress, [&](std::size_t block) -> Status {
            Buffers buffers;
            for (std::size_t i = block * kBlock; i < std::min(samples_, (block + 1) * kBlock); ++i) {
                WYC_CHECK(progress.poll());
                WYC_CHECK(compareSample(i, buffers));
                progress.report(static_cast<double>(++done_) / static_cast<double>(samples_), "proving",
                                fmt::format("{}, sample {} of {}", meant_.nodes[node_].name, done_.load(), samples_));
            }
            return {};
        }));
        item_.largestDrift = worst_.largest;
        item_.worstFrame = samples_ > 1 ? frameOf(wanted_.sampling(), worst_.sample, rate_) : 0.0;
        item_.worstPoint = worst_.point;
        if (samples_ == 0)
            return {};
        WYC_TRY(count, found_.pointCount(0));
        WYC_TRY(topology, found_.topology(0));
        item_.points = count;
        item_.faces = topology->faceCount();
        item_.topology = topology->hash();
        return {};
    }

  private:
    struct Buffers {
        std::vector<Vec3f> meant;
        std::vector<Vec3f> found;
    };

    void compareTimes() {
        if (wanted_.sampling().isStill() || samples_ < 2)
            return;
        item_.first = frameOf(found_.sampling(), 0, rate_);
        item_.last = frameOf(found_.sampling(), samples_ - 1, rate_);
        for (std::size_t i = 0; i < samples_; ++i) {
            item_.times.push_back(found_.sampling().time(i));
            if (std::abs(rate_.frameAt(wanted_.sampling().time(i)) - rate_.frameAt(found_.sampling().time(i))) >
                    kFramesTolerance &&
                item_.disagreements.empty())
                item_.disagreements.push_back(fmt::format("sample {} was meant for frame {}, it is at {}", i,
                                                          frameText(frameOf(wanted_.sampling(), i, rate_)),
                                                          frameText(frameOf(found_.sampling(), i, rate_))));
        }
    }

    // Where the source shows this very sample, the file is held against the source itself: both questions in one look.
    Status compareSample(std::size_t i, Buffers& buffers) {
        std::optional<std::size_t> exact;
        const double seconds = wanted_.sampling().time(i);
        // The time of a still sample says nothing; it is looked at with the other moments.
        const bool timed = source_ && !wanted_.sampling().isStill();
        if (timed) {
            WYC_TRY(sample, source_->exactSample(seconds));
            exact = sample;
        }
        if (exact) {
            WYC_TRY(hash, hashIfEqual(i, *exact, buffers));
            if (hash) {
                item_.sampleHashes[i] = *hash;
                const std::lock_guard lock(mutex_);
                item_.shown.moments.add(seconds);
                return {};
            }
        }
        WYC_CHECK(readPoints(found_, i, buffers.found));
        if (exact) {
            WYC_CHECK(readPoints(source_->sourceShape(), *exact, buffers.meant));
            const auto compared = compare(buffers, i);
            if (compared.equal) {
                const std::lock_guard lock(mutex_);
                item_.shown.moments.add(seconds);
                return {};
            }
        }
        WYC_CHECK(readPoints(wanted_, i, buffers.meant));
        const auto compared = compare(buffers, i);
        Shown shown;
        if (timed)
            WYC_CHECK(source_->compareSample(seconds, buffers.meant, shown));
        const bool sameCount = buffers.meant.size() == buffers.found.size();
        const DriftFigure drift = compared.equal || !sameCount ? DriftFigure{} : driftOf(buffers.meant, buffers.found);
        const std::lock_guard lock(mutex_);
        add(shown);
        if (!sameCount)
            item_.disagreements.push_back(
                fmt::format("sample {} has {} points, {} were meant", i, buffers.found.size(), buffers.meant.size()));
        if (drift.largest > worst_.largest ||
            (drift.largest == worst_.largest && drift.largest > 0.0 && i < worst_.sample))
            worst_ = {drift.largest, i, drift.point};
        return {};
    }
    // Points that lie in a file as they are are read and compared piece by piece, each while it is in the cache. The
    // hash of a sample that is the source's; nothing where it is not, or not for sure: all else looks closer.
    Result<std::optional<std::uint64_t>> hashIfEqual(std::size_t i, std::size_t exact, Buffers& buffers) {
        constexpr std::size_t kPiece = 8192; // points
        const Geometry& source = source_->sourceShape();
        std::optional<std::uint64_t> none;
        if (!found_.byteOfPoints(i) || !source.byteOfPoints(exact))
            return none;
        WYC_TRY(count, found_.pointCount(i));
        WYC_TRY(wanted, source.pointCount(exact));
        if (count != wanted)
            return none;
        Hasher64 hasher(kSampleHash);
        for (std::size_t at = 0; at < count; at += kPiece) {
            const std::size_t size = std::min(kPiece, count - at);
            buffers.found.resize(size);
            buffers.meant.resize(size);
            WYC_CHECK(found_.readRange(i, at, buffers.found));
            WYC_CHECK(source.readRange(exact, at, buffers.meant));
            const auto there = std::as_bytes(std::span(buffers.found));
            if (std::memcmp(there.data(), buffers.meant.data(), there.size()) != 0 || anyNotFinite(there))
                return none;
            hasher.add(there);
        }
        return std::optional(hasher.hash());
    }
    PointComparison compare(const Buffers& buffers, std::size_t i) {
        const auto result = compareInOneWalk(buffers.meant, buffers.found);
        item_.sampleHashes[i] = result.hash;
        if (!result.finite) {
            const std::size_t bad = countNotNumbers(buffers.found);
            const std::lock_guard lock(mutex_);
            if (notNumbersIn_.insert(i).second)
                item_.notNumbers += bad;
        }
        return result;
    }
    void add(const Shown& shown) {
        item_.shown.moments.add(shown.moments);
        item_.shown.mixed.add(shown.mixed);
        if (shown.worst > item_.shown.worst) {
            item_.shown.worst = shown.worst;
            item_.shown.worstSeconds = shown.worstSeconds;
        }
        for (const std::string& words : shown.disagreements)
            if (item_.shown.disagreements.size() < 4)
                item_.shown.disagreements.push_back(words);
    }

    const Scene& meant_;
    std::size_t node_;
    const Geometry& wanted_;
    const Geometry& found_;
    const Format& format_;
    FrameRate rate_;
    const ShownNode* source_;
    ProvenItem& item_;
    std::size_t samples_ = 0;
    std::mutex mutex_;
    Worst worst_;
    std::set<std::size_t> notNumbersIn_;
    std::atomic<std::size_t> done_{0};
};

Status compareChannels(const std::vector<HashedChannel>& meant, const std::vector<HashedChannel>& found,
                       const FrameRate& rate, std::map<std::string, std::uint64_t>& channels,
                       std::vector<std::string>& disagreements) {
    for (const HashedChannel& channel : meant) {
        const HashedChannel* there = channelNamed(found, channel.name);
        if (std::string words = difference(channel, there, rate.secondsAt(kFramesTolerance), rate); !words.empty())
            disagreements.push_back(std::move(words));
        else if (there)
            channels[channel.name] = there->hash();
    }
    return {};
}

// What formats always say (a rate, a squeeze of 1) is there unasked. Layers and values of somebody's own are not.
void compareUnasked(const std::vector<HashedChannel>& meant, const std::vector<HashedChannel>& found, bool shape,
                    std::vector<std::string>& disagreements) {
    static constexpr std::array kOfShapes{Meaning::Uvs, Meaning::Normals, Meaning::Colours, Meaning::Parameter,
                                          Meaning::Widths};
    const auto startsWith = [](const std::string& name, Meaning meaning) {
        return name.starts_with(meaningName(meaning));
    };
    for (const HashedChannel& channel : found) {
        const bool somebodys = startsWith(channel.name, Meaning::UserValue) ||
                               (shape && std::any_of(kOfShapes.begin(), kOfShapes.end(), [&](Meaning meaning) {
                                    return startsWith(channel.name, meaning);
                                }));
        if (somebodys && !channelNamed(meant, channel.name))
            disagreements.push_back(fmt::format("{}: there, and was not meant", channel.name));
    }
}

// Groups of a source are compared by what stands in them.
bool isGroup(const Node& node) {
    return !node.geometry && !node.is().aimed;
}

// Values that somebody attached to a group, and all else that it says in numbers.
bool saysSomething(const Node& node) {
    const std::vector<Channel> channels = channelsOf(node.properties);
    return std::any_of(channels.begin(), channels.end(), [](const Channel& channel) {
        return channel.space != SpaceRole::Box && channel.values->sampling().count() > 0;
    });
}

void sayWhatIsLeftAside(const Scene& meant, const Format& format, Proof& proof) {
    std::set<std::string> said;
    const auto say = [&](std::string words) {
        if (said.insert(words).second)
            proof.notCompared.push_back(std::move(words));
    };
    bool transforms = false;
    bool visibility = false;
    for (const Node& node : meant.nodes) {
        transforms = transforms || node.transform;
        visibility = visibility || node.visibility;
    }
    if (transforms && !format.keeps(Content::Transforms))
        say("transforms: the format has no place for them");
    if (visibility && !format.keeps(Content::Visibility))
        say("visibility: the format has no place for it");
    if (format.keeps(Content::Values))
        say("bounds: made anew from the points");
}

// Materials as nodes without a place: their graphs are held against the source as all channels are.
Scene materialNodes(const Scene& scene) {
    Scene result = scene.withoutNodes();
    for (const Material& material : scene.materials) {
        Node node;
        node.name = fmt::format("material '{}'", material.name);
        node.path = node.name;
        node.id = material.id;
        node.properties = material.graph;
        result.nodes.push_back(std::move(node));
    }
    return result;
}

Status holdMaterials(const Scene& meant, const PlannedOutput& output, const Progress& progress, Proof& proof) {
    const Scene materials = materialNodes(meant);
    std::vector<Intention> intentions = output.intentions;
    for (Intention& intention : intentions)
        intention.setSource(std::make_shared<const Scene>(materialNodes(*intention.source)));
    for (std::size_t i = 0; i < materials.nodes.size(); ++i) {
        if (!materials.nodes[i].properties || intentions.empty())
            continue;
        ProvenItem item;
        item.item = materials.nodes[i].path;
        item.kind = "material";
        item.group = true;
        if (const auto source = ShownNode::find(materials, i, intentions))
            WYC_CHECK(source->compareMoments(*output.format, progress, item.shown));
        else
            item.shown.notCompared.push_back("the source has nothing that it could be held against");
        proof.items.push_back(std::move(item));
    }
    return {};
}

// What is written leads to the very pictures that are meant, or has the same bytes in their place.
void holdPictures(const Scene& meant, const Scene& found, const fs::path& target, Proof& proof) {
    std::map<std::pair<std::string, std::string>, std::string> there;
    for (const NamedFile& one : filesNamed(found))
        if (!one.file.empty())
            there.emplace(std::pair{one.item, one.path}, one.file);
    const auto same = [](const std::string& a, const std::string& b) -> Result<bool> {
        std::error_code code;
        if (fs::equivalent(a, b, code) && !code)
            return true;
        WYC_TRY(own, bytesOfFile(a));
        WYC_TRY(other, bytesOfFile(b));
        return own.sameAs(other);
    };
    for (const NamedFile& one : filesNamed(meant)) {
        if (one.file.empty())
            continue;
        const auto inside = there.find({one.item, one.path});
        const std::string leads =
            inside == there.end() ? (folderOf(target) / one.path).lexically_normal().string() : inside->second;
        const auto wanted = tilesOf(one.file);
        const auto tiles = tilesOf(leads);
        bool equal = !wanted.empty() && wanted.size() == tiles.size();
        for (std::size_t i = 0; equal && i < wanted.size(); ++i)
            equal = wanted[i].number == tiles[i].number && same(wanted[i].file, tiles[i].file).value_or(false);
        if (!equal)
            proof.disagreements.push_back(
                fmt::format("{}: its picture '{}' is not the one that is meant", one.item, validUtf8(one.path)));
    }
}

} // namespace

std::string ProvenItem::compared() const {
    std::string result;
    const auto add = [&](const std::string& word) { result += (result.empty() ? "" : ", ") + word; };
    if (!sampleHashes.empty())
        add("points");
    if (!times.empty())
        add("times");
    if (faces > 0)
        add("faces and vertex order");
    bool bounds = false;
    for (const auto& [name, hash] : channels) {
        if (name.ends_with("Bnds")) // as archives call them
            bounds = true;
        else if (name != "faces" || faces == 0)
            add(name);
    }
    if (bounds)
        add("bounds");
    return result;
}

std::string Proof::comparedOfAll() const {
    std::string result;
    for (const auto& [name, hash] : channels)
        result += (result.empty() ? "" : ", ") + name;
    return result;
}

double Proof::largestDriftMetres() const {
    double largest = 0.0;
    for (const ProvenItem& item : items)
        largest = std::max(largest, item.largestDriftMetres);
    return largest;
}

std::size_t Proof::itemCount() const {
    return static_cast<std::size_t>(
        std::count_if(items.begin(), items.end(), [](const ProvenItem& item) { return !item.group; }));
}

std::string Proof::words() const {
    // What is wrong in an item says more than that the bytes are others.
    std::size_t bad = 0;
    for (const ProvenItem& item : items) {
        bad += item.notNumbers;
        for (const auto* list : {&item.disagreements, &item.shown.disagreements})
            if (!list->empty())
                return fmt::format("{}: {}", item.item, list->front());
    }
    if (!disagreements.empty())
        return disagreements.front();
    if (!passed)
        return fmt::format("drift of {}", lengthText(largestDriftMetres()));
    std::string words = fmt::format("proven, {}", lengthText(largestDriftMetres()));
    if (bad > 0)
        words +=
            fmt::format("; {} point{} no number, as in the source", groupedDigits(bad), bad == 1 ? " is" : "s are");
    // What was not held against the source is not proven to be what it shows.
    const auto unheld = std::count_if(items.begin(), items.end(),
                                      [](const ProvenItem& item) { return !item.shown.notCompared.empty(); });
    if (unheld > 0)
        words += fmt::format("; of {} item{} not everything could be compared with the source", unheld,
                             unheld == 1 ? "" : "s");
    return words;
}

namespace {

// What can hold no pose has samples from the first frame that was asked for to the last. Of one item from a source of
// its own: of several, each moves as long as it does.
void holdEnds(const PlannedOutput& output, Proof& proof) {
    const Format& format = *output.format;
    if ((!format.sequence && !format.wantsRest()) || output.intentions.size() != 1 || proof.items.size() != 1)
        return;
    const Intention& intention = output.intentions.front();
    const ProvenItem& item = proof.items.front();
    if (!intention.asks || !intention.source || !intention.madeOf.empty() || shapesOf(*intention.source).size() != 1)
        return;
    const Asked& asks = *intention.asks;
    if (asks.unknown || asks.onlyThese || !asks.span || intention.wanted.moments || !item.first || !item.last)
        return;
    double first = snappedFrame(asks.rate.frameAt(asks.span->first));
    double last = snappedFrame(asks.rate.frameAt(asks.span->last));
    if (format.sequence) {
        first = std::ceil(first - kFrameTolerance);
        last = std::floor(last + kFrameTolerance);
    }
    constexpr double kNear = 0.02; // frames: times may have gone through float32
    if (std::abs(*item.first - first) > kNear || std::abs(*item.last - last) > kNear)
        proof.disagreements.push_back(fmt::format("frames {} – {} were asked for, {} – {} are there", frameText(first),
                                                  frameText(last), frameText(*item.first), frameText(*item.last)));
}

} // namespace

Result<Proof> proveAgainst(const Scene& meant, const PlannedOutput& output, const fs::path& written,
                           const Progress& progress) {
    Proof proof;
    proof.rate = output.rate;
    const Format& format = *output.format;
    std::optional<fs::path> rest;
    if (format.wantsRest() && output.restTarget)
        rest = written.parent_path() / output.restTarget->filename();
    WYC_TRY(found, readBack(format, written, output.rate, rest, folderOf(output.target)));
    WYC_TRY(wholeMeant, sceneChannels(meant, format, rest.has_value()));
    WYC_TRY(wholeFound, sceneChannels(found, format, rest.has_value()));
    WYC_CHECK(compareChannels(wholeMeant, wholeFound, output.rate, proof.channels, proof.disagreements));
    proof.sourceCompared = !output.intentions.empty();
    for (const Intention& intention : output.intentions) {
        for (const std::string& words : intention.otherThanAsked)
            proof.disagreements.push_back("the steps do other than they were asked: " + words);
        if (intention.asks && intention.asks->unknown)
            proof.notCompared.push_back(fmt::format(
                "whether just the frames that were asked for are shown: the step '{}' does not say so beforehand",
                *intention.asks->unknown));
    }
    const SceneTree tree(found);
    const auto nodes = provenNodes(meant, format);
    const std::vector<bool> isItem = itemMask(meant);
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        const std::size_t node = nodes[n];
        const Node& it = meant.nodes[node];
        ProvenItem item;
        item.item = it.path;
        item.group = !isItem[node];
        const auto source = ShownNode::find(meant, node, output.intentions);
        if (proof.sourceCompared && !source && isItem[node])
            item.shown.notCompared.push_back("the source has nothing that it could be held against");
        const WrittenPlace place = format.placeOf(it);
        const auto other = writtenNode(found, tree, place.path, format);
        if (!other || (it.geometry && !found.nodes[*other].geometry)) {
            item.disagreements.push_back("it is not in what was written");
        } else {
            item.kind = found.nodes[*other].is().name;
            if (found.nodes[*other].kind != it.kind && format.keeps(Content::Values))
                item.disagreements.push_back(fmt::format("it was meant as {}, it is {}", it.is().name, item.kind));
            const double share = 1.0 / static_cast<double>(nodes.size());
            const Progress part = progress.part(static_cast<double>(n) * share, static_cast<double>(n + 1) * share);
            if (it.geometry)
                WYC_CHECK(ShapeComparison(meant, node, *found.nodes[*other].geometry, output,
                                          source ? &*source : nullptr, item)
                              .run(part));
            if (source && (!isGroup(it) || source->isPlace() || saysSomething(it)))
                WYC_CHECK(source->compareMoments(format, part, item.shown));
            if (item.shown.mixed.count() > 0)
                item.shown.notCompared.push_back(item.shown.mixed.words(output.rate) +
                                                 ": there the steps mix poses, and no sum of the source's says how");
            WYC_TRY(wanted, channelsOf(meant, node, format));
            keepMeantGroups(meant, node, format, wanted);
            item.carried = carriedFrames(found, *other);
            WYC_TRY(there, writtenChannels(found, *other, place.apart, format));
            WYC_CHECK(compareChannels(wanted, there, output.rate, item.channels, item.disagreements));
            compareUnasked(wanted, there, meant.nodes[node].is().points, item.disagreements);
        }
        item.largestDriftMetres = item.largestDrift * meant.unitMetres.value_or(1.0);
        // A plain group that says nothing is no item of a proof.
        if (isItem[node] || !item.channels.empty() || !item.disagreements.empty())
            proof.items.push_back(std::move(item));
    }
    if (format.keeps(Content::Shading))
        WYC_CHECK(holdMaterials(meant, output, progress, proof));
    if (format.placedAt)
        holdPictures(meant, found, output.target, proof);
    sayWhatIsLeftAside(meant, format, proof);
    holdEnds(output, proof);
    proof.passed = holds(proof);
    return proof;
}

} // namespace wyc
