// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/channels.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <set>

#include <fmt/format.h>

#include "base/bytes.h"
#include "base/hash.h"
#include "base/text.h"
#include "scene/channels.h"
#include "scene/layers.h"

namespace wyc {

std::vector<double> timesOf(const Sampling& sampling) {
    return sampling.count() > 1 ? sampling.times() : std::vector<double>();
}

namespace {

template<class T> std::uint64_t hashOf(const std::vector<T>& values) {
    return hash64(std::as_bytes(std::span(values)));
}

// Channels that the format (null: any) carries, by the hash of each sample; those that are equal for sure are read
// once.
Status addValues(const std::vector<Channel>& channels, const Format* format, std::vector<HashedChannel>& into) {
    for (const Channel& channel : channels) {
        if (isLayer(channel.meaning)) // compared corner by corner
            continue;
        if (format && !format->carriesAsIs(kindOf(channel)))
            continue;
        const SampledValues& values = *channel.values;
        const std::size_t count = values.sampling().count();
        HashedChannel hashed{channel.name, timesOf(values.sampling()), {}};
        std::optional<std::uint64_t> token;
        for (std::size_t i = 0; i < count; ++i) {
            const auto now = values.token(i);
            if (i == 0 || !now || now != token) {
                WYC_TRY(value, values.read(i));
                std::vector<std::byte> bytes;
                appendBytes(bytes, static_cast<std::uint8_t>(values.type()));
                appendBytes(bytes, values.extent());
                hashed.samples.push_back(hash64(bytes, value.bytes));
            } else {
                hashed.samples.push_back(hashed.samples.back());
            }
            token = now;
        }
        into.push_back(std::move(hashed));
    }
    return {};
}

Status addTransform(const Scene& scene, std::size_t node, std::vector<HashedChannel>& into) {
    const Node& it = scene.nodes[node];
    const TransformPtr& transform = it.transform;
    if (!transform)
        return {};
    HashedChannel channel{"transform", timesOf(transform->sampling()), {}};
    bool identity = true;
    for (std::size_t i = 0; i < std::max<std::size_t>(1, transform->sampling().count()); ++i) {
        WYC_TRY(values, transform->channels(i));
        WYC_TRY(inherits, transform->inherits(i));
        std::vector<std::byte> bytes;
        for (const TransformOp& op : transform->ops())
            appendBytes(bytes, static_cast<std::uint8_t>(op.kind));
        appendBytes(bytes, static_cast<std::uint8_t>(inherits ? 1 : 0));
        for (const double value : values)
            appendBytes(bytes, value + 0.0); // −0 is 0
        identity = identity && inherits && matrixOf(transform->ops(), values).isIdentity();
        channel.samples.push_back(hash64(bytes));
    }
    if (!identity || channel.samples.size() > 1) // nothing at all and an identity are the same
        into.push_back(std::move(channel));
    return {};
}

void addVisibility(const Node& node, std::vector<HashedChannel>& into) {
    if (!node.visibility || node.visibility->values.empty())
        return;
    HashedChannel channel{"visibility", timesOf(node.visibility->sampling), {}};
    for (const Visibility value : node.visibility->values)
        channel.samples.push_back(static_cast<std::uint64_t>(static_cast<std::int64_t>(value) + 1));
    if (channel.times.empty() && channel.samples.size() > 1)
        channel.samples.resize(1);
    into.push_back(std::move(channel));
}

constexpr const char* kGroups = "groups";
std::string groupChannel(const std::string& name) {
    return fmt::format("group '{}'", name);
}

// Of all sets of a kind, or of those of one name.
std::uint64_t setsHash(const Scene& scene, const std::vector<FaceSet>& sets, bool materials, const Format& format,
                       const std::string* only = nullptr) {
    std::vector<std::uint64_t> hashes;
    for (const FaceSet& set : sets) {
        if ((set.kind == FaceSet::Kind::Material) != materials || set.faces.empty() || (only && set.name != *only))
            continue;
        const Material* bound = materials && set.material.value ? materialOf(scene, set.material, {}) : nullptr;
        const std::string name = bound ? bound->name
                                 : format.groupName && !materials && set.kind == FaceSet::Kind::Group
                                     ? format.groupName(set.name)
                                     : set.name;
        hashes.push_back(
            hash64(std::as_bytes(std::span(name.data(), name.size())), std::as_bytes(std::span(set.faces))));
    }
    std::sort(hashes.begin(), hashes.end());
    return hashes.empty() ? 0 : hashOf(hashes);
}

// A channel of hashes, one a time; 0 where nothing is there.
struct Series {
    std::string name;
    Sampling times;
    bool withTimes = false;
    std::function<Result<std::uint64_t>(double seconds)> hashAt;
    std::vector<std::uint64_t> hashes = {};
};

// Moment by moment through all of them: a file that holds one frame is read once.
Status workOut(std::vector<Series>& all) {
    for (;;) {
        std::optional<double> now;
        for (const Series& one : all)
            if (const std::size_t next = one.hashes.size(); next < one.times.count())
                now = std::min(now.value_or(one.times.time(next)), one.times.time(next));
        if (!now)
            return {};
        for (Series& one : all)
            if (const std::size_t next = one.hashes.size();
                next < one.times.count() && one.times.time(next) - *now <= kSameMoment) {
                WYC_TRY(hash, one.hashAt(one.times.time(next)));
                one.hashes.push_back(hash);
            }
    }
}

// Where all samples are alike one stands for all: another file may know at once that they are.
void addSeries(std::vector<Series> all, std::vector<HashedChannel>& into) {
    for (Series& one : all) {
        if (std::all_of(one.hashes.begin(), one.hashes.end(), [](std::uint64_t h) { return h == 0; }))
            continue;
        HashedChannel channel{std::move(one.name), {}, std::move(one.hashes)};
        if (std::all_of(channel.samples.begin(), channel.samples.end(),
                        [&](std::uint64_t h) { return h == channel.samples.front(); }))
            channel.samples.resize(1);
        else if (one.withTimes)
            channel.times = timesOf(one.times);
        into.push_back(std::move(channel));
    }
}

// UVs, normals and colours, corner by corner.
Status addLayers(const Node& node, const Format& format, const Sampling& frames, std::vector<Series>& into) {
    const Geometry& mesh = *node.geometry;
    const std::vector<Layer> layers = layersOf(node.properties);
    std::vector<LayerGaps> gaps(layers.size());
    if (!format.keeps(Content::PartialLayers) && format.keeps(Content::Faces)) {
        WYC_TRY(found, layerGaps(layers, mesh));
        gaps = std::move(found);
    }
    for (std::size_t i = 0; i < layers.size(); ++i) {
        const Layer& layer = layers[i];
        // What is not carried, and what has gaps that the format cannot hold, is told as a loss.
        if (!format.carriesAsIs(kindOf(layer)) || !format.keeps(Content::Faces) || gaps[i].any())
            continue;
        const bool any = format.keeps(Content::Values); // whatever attributes there are
        const std::size_t extent = any ? layer.values->extent() : layer.comparedExtent();
        const Sampling own = layer.timesOn(mesh);
        // Where a file is a frame, all of it is.
        const bool withShape = format.sequence || !format.keeps(Content::Times);
        const Sampling times = withShape ? (own.isStill() ? Sampling::still(own.firstTime()) : frames) : own;
        const auto hashAt = [&mesh, layer, extent](double seconds) -> Result<std::uint64_t> {
            WYC_TRY(attribute, layer.at(seconds, &mesh));
            if (attribute.isEmpty())
                return std::uint64_t{0};
            WYC_TRY(topology, mesh.topologyAt(seconds));
            WYC_TRY(points, mesh.pointCountAt(seconds));
            return hashOf(cornerValues(attribute, *topology, points, extent));
        };
        into.push_back({layer.name, times, !withShape && !(own == mesh.sampling()), hashAt});
    }
    return {};
}

// Faces and what lies on them. One sample stands for all where none can differ.
Status addMesh(const Scene& scene, const Node& node, const Format& format, std::vector<HashedChannel>& into) {
    const Geometry& geometry = *node.geometry;
    const Sampling first = Sampling::still(geometry.sampling().firstTime());
    const Sampling frames = format.keeps(Content::Times) || format.sequence ? geometry.sampling() : first;
    std::vector<Series> all;
    if (format.keeps(Content::Faces))
        all.push_back({"faces", geometry.topologyVaries() ? frames : first, false,
                       [&geometry](double seconds) -> Result<std::uint64_t> {
                           WYC_TRY(topology, geometry.topologyAt(seconds));
                           return topology->faceCount() ? topology->hash() : 0;
                       }});
    WYC_CHECK(addLayers(node, format, frames, all));
    const Sampling times = geometry.faceSetsVary() ? frames : first;
    std::set<std::string> names;
    if (format.keeps(Content::Materials))
        all.push_back({"material faces", times, false, [&](double seconds) -> Result<std::uint64_t> {
                           WYC_TRY(sets, geometry.faceSetsAt(seconds));
                           return setsHash(scene, *sets, true, format);
                       }});
    if (format.keeps(Content::Groups))
        all.push_back({kGroups, times, false, [&](double seconds) -> Result<std::uint64_t> {
                           WYC_TRY(sets, geometry.faceSetsAt(seconds));
                           for (const FaceSet& set : *sets)
                               if (set.kind != FaceSet::Kind::Material)
                                   names.insert(set.name);
                           return setsHash(scene, *sets, false, format);
                       }});
    WYC_CHECK(workOut(all));
    std::vector<Series> groups;
    for (const std::string& name : names)
        groups.push_back({groupChannel(name), times, false,
                          [&scene, &geometry, &format, name](double seconds) -> Result<std::uint64_t> {
                              WYC_TRY(sets, geometry.faceSetsAt(seconds));
                              return setsHash(scene, *sets, false, format, &name);
                          }});
    WYC_CHECK(workOut(groups));
    addSeries(std::move(all), into);
    addSeries(std::move(groups), into);
    return {};
}

} // namespace

std::uint64_t HashedChannel::hash() const {
    return hash64(std::as_bytes(std::span(times)), std::as_bytes(std::span(samples)));
}

void keepMeantGroups(const Scene& scene, std::size_t node, const Format& format, std::vector<HashedChannel>& channels) {
    std::set<std::string> apart;
    if (format.keeps(Content::Values) &&
        std::any_of(channels.begin(), channels.end(), [](const HashedChannel& c) { return c.name == kGroups; }))
        for (std::size_t i = node + 1; i < scene.nodes.size(); ++i)
            if (scene.nodes[i].is().part && scene.nodes[i].parent == static_cast<int>(node))
                apart.insert(groupChannel(scene.nodes[i].name));
    std::erase_if(channels, [&](const HashedChannel& channel) {
        return apart.empty() ? channel.name.starts_with("group '")
                             : channel.name == kGroups || apart.contains(channel.name);
    });
}

Result<std::vector<HashedChannel>> channelsOf(const Scene& scene, std::size_t node, const Format& format) {
    const Node& it = scene.nodes[node];
    std::vector<HashedChannel> result;
    if (it.properties)
        WYC_CHECK(addValues(channelsOf(it.properties), &format, result));
    if (format.keeps(Content::Transforms))
        WYC_CHECK(addTransform(scene, node, result));
    if (format.keeps(Content::Visibility))
        addVisibility(it, result);
    if (it.geometry && !it.is().strands && it.geometry->sampling().count() > 0) {
        WYC_CHECK(addMesh(scene, it, format, result));
        // Ids that the scene keeps with the points, not among the properties.
        const auto named = [](const HashedChannel& c) { return c.name == meaningName(Meaning::PointIds); };
        if (format.keeps(Content::Values) && it.is().cloud && std::none_of(result.begin(), result.end(), named)) {
            HashedChannel channel{meaningName(Meaning::PointIds), timesOf(it.geometry->sampling()), {}};
            for (std::size_t i = 0; i < it.geometry->sampling().count(); ++i) {
                WYC_TRY(ids, it.geometry->ids(i));
                if (!ids)
                    break;
                std::vector<std::byte> bytes;
                appendBytes(bytes, static_cast<std::uint8_t>(ValueType::UInt64));
                appendBytes(bytes, std::uint32_t{1});
                channel.samples.push_back(hash64(bytes, std::as_bytes(std::span(*ids))));
            }
            if (channel.samples.size() == it.geometry->sampling().count())
                result.push_back(std::move(channel));
        }
    }
    std::vector<NodeId> shown;
    if (it.prototypes && format.keeps(Content::Instancers))
        shown = *it.prototypes;
    if (it.isInstance() && it.instanceOf && format.keeps(Content::Instances))
        shown = {*it.instanceOf};
    if (!shown.empty()) {
        std::string paths;
        for (const NodeId id : shown)
            if (const auto other = scene.find(id))
                paths += scene.nodes[*other].path + "\n";
        result.push_back({"what it shows", {}, {hash64(std::as_bytes(std::span(paths.data(), paths.size())))}});
    }
    if (const Material* material = materialOf(scene, it.material, {});
        material && it.material.value != 0 && format.keeps(Content::Materials) && it.is().faces)
        result.push_back(
            {"material", {}, {hash64(std::as_bytes(std::span(material->name.data(), material->name.size())))}});
    std::sort(result.begin(), result.end(),
              [](const HashedChannel& a, const HashedChannel& b) { return a.name < b.name; });
    return result;
}

Result<std::vector<HashedChannel>> sceneChannels(const Scene& scene, const Format& format, bool rest) {
    std::vector<HashedChannel> result;
    const auto text = [](const std::string& words) {
        return hash64(std::as_bytes(std::span(words.data(), words.size())));
    };
    if (format.keeps(Content::Unit) && scene.unitMetres)
        result.push_back({"unit", {}, {text(shortestNumber(*scene.unitMetres))}});
    if (format.keeps(Content::UpAxis) && scene.upAxis)
        result.push_back({"up axis", {}, {text(upAxisName(*scene.upAxis))}});
    if (format.keeps(Content::Rate) && format.manyItems && scene.rate)
        result.push_back({"rate", {}, {text(scene.rate->text())}});
    if (format.keeps(Content::Materials) || (rest && !format.loses(Content::Materials)))
        for (const Material& material : scene.materials) {
            std::string words;
            for (const auto& [name, member] : kLookInputs) {
                const LookInput& input = material.look.*member;
                if (!format.keeps(Content::Shading) && member != &Look::baseColour)
                    continue;
                words += input.texture;
                for (const float part : input.value)
                    words += fmt::format(" {}", part);
                if (format.keeps(Content::Shading))
                    words += ';';
            }
            const std::string called = fmt::format("material '{}'", material.name);
            result.push_back({called, {}, {text(words)}});
            if (!format.keeps(Content::Shading))
                continue;
            std::vector<HashedChannel> graph;
            WYC_CHECK(addValues(channelsOf(material.graph), nullptr, graph));
            for (HashedChannel& channel : graph) {
                channel.name = called + ": " + channel.name;
                result.push_back(std::move(channel));
            }
        }
    std::sort(result.begin(), result.end(),
              [](const HashedChannel& a, const HashedChannel& b) { return a.name < b.name; });
    return result;
}

std::string difference(const HashedChannel& meant, const HashedChannel* found, double secondsTolerance,
                       const FrameRate& rate) {
    if (!found)
        return fmt::format("{}: not there", meant.name);
    if (meant.samples.size() != found->samples.size())
        return fmt::format("{}: {} sample{} were meant, {} are there", meant.name, meant.samples.size(),
                           meant.samples.size() == 1 ? "" : "s", found->samples.size());
    const auto at = [&](std::size_t i) {
        return i < meant.times.size()
                   ? fmt::format(" at frame {}", frameText(snappedFrame(rate.frameAt(meant.times[i]))))
                   : std::string();
    };
    for (std::size_t i = 0; i < meant.samples.size(); ++i) {
        if (i < meant.times.size() && i < found->times.size() &&
            std::abs(meant.times[i] - found->times[i]) > secondsTolerance)
            return fmt::format("{}: sample {} was meant for frame {}, it is at {}", meant.name, i,
                               frameText(snappedFrame(rate.frameAt(meant.times[i]))),
                               frameText(snappedFrame(rate.frameAt(found->times[i]))));
        if (meant.samples[i] != found->samples[i])
            return fmt::format("{}: not what was meant{}", meant.name, at(i));
    }
    return {};
}

} // namespace wyc
