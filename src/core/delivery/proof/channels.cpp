// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/channels.h"

#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "base/bytes.h"
#include "base/hash.h"
#include "base/text.h"
#include "scene/channels.h"
#include "scene/layers.h"

namespace wyc {
namespace {

template<class T> std::uint64_t hashOf(const std::vector<T>& values) {
    return hash64(std::as_bytes(std::span(values)));
}

std::vector<double> timesOf(const Sampling& sampling) {
    return sampling.count() > 1 ? sampling.times() : std::vector<double>();
}

// Carried channels by the hash of each sample; those that are equal for sure are read once.
Status addValues(const std::vector<Channel>& channels, std::vector<HashedChannel>& into) {
    for (const Channel& channel : channels) {
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
std::uint64_t setsHash(const std::vector<FaceSet>& sets, bool materials, const Format& format,
                       const std::string* only = nullptr) {
    std::vector<std::uint64_t> hashes;
    for (const FaceSet& set : sets) {
        if ((set.kind == FaceSet::Kind::Material) != materials || set.faces.empty() || (only && set.name != *only))
            continue;
        const std::string name =
            format.groupName && !materials && set.kind == FaceSet::Kind::Group ? format.groupName(set.name) : set.name;
        hashes.push_back(
            hash64(std::as_bytes(std::span(name.data(), name.size())), std::as_bytes(std::span(set.faces))));
    }
    std::sort(hashes.begin(), hashes.end());
    return hashes.empty() ? 0 : hashOf(hashes);
}

// Faces and what lies on them. One sample stands for all where none can differ.
Status addMesh(const Geometry& geometry, const Format& format, std::size_t samples, std::vector<HashedChannel>& into) {
    const auto add = [&](const std::string& name, bool varies, auto&& hashAt) -> Status {
        HashedChannel channel{name, {}, {}};
        bool any = false;
        for (std::size_t i = 0; i < (varies ? samples : std::min<std::size_t>(1, samples)); ++i) {
            Result<std::uint64_t> hash = hashAt(i);
            if (!hash)
                return fail(std::move(hash.error()));
            any = any || *hash != 0;
            channel.samples.push_back(*hash);
        }
        // Samples that turned out alike are one: another file may know at once that they are.
        if (std::all_of(channel.samples.begin(), channel.samples.end(),
                        [&](std::uint64_t h) { return h == channel.samples.front(); }))
            channel.samples.resize(std::min<std::size_t>(1, channel.samples.size()));
        if (any)
            into.push_back(std::move(channel));
        return {};
    };
    if (format.keeps(Content::Faces))
        WYC_CHECK(add("faces", geometry.topologyVaries(), [&](std::size_t i) -> Result<std::uint64_t> {
            WYC_TRY(topology, geometry.topology(i));
            return topology->faceCount() ? topology->hash() : 0;
        }));
    for (const Layer layer : {Layer::Uvs, Layer::Normals, Layer::Colours}) {
        const bool kept = format.keeps(contentOf(layer));
        if (!kept || !format.keeps(Content::Faces))
            continue;
        if (!format.keeps(Content::PartialLayers)) {
            WYC_TRY(gaps, layerGaps(geometry, layer));
            if (gaps.any())
                continue; // told as a loss
        }
        const std::size_t extent = layer == Layer::Uvs ? 2 : 3;
        WYC_CHECK(add(layerName(layer), geometry.extrasVary(), [&](std::size_t i) -> Result<std::uint64_t> {
            WYC_TRY(extras, geometry.extras(i));
            const Attribute& attribute = layerOf(*extras, layer);
            if (attribute.isEmpty() ||
                (layer == Layer::Colours && (attribute.scope != Scope::Point || !attribute.indices.empty())))
                return std::uint64_t{0};
            WYC_TRY(topology, geometry.topology(i));
            WYC_TRY(points, geometry.pointCount(i));
            return hashOf(cornerValues(attribute, *topology, points, extent));
        }));
    }
    const auto addSets = [&](const std::string& name, bool materials, const std::string* only) {
        return add(name, geometry.extrasVary(), [&](std::size_t i) -> Result<std::uint64_t> {
            WYC_TRY(extras, geometry.extras(i));
            return setsHash(extras->faceSets, materials, format, only);
        });
    };
    if (format.keeps(Content::Materials))
        WYC_CHECK(addSets("material faces", true, nullptr));
    if (!format.keeps(Content::Groups))
        return {};
    WYC_CHECK(addSets(kGroups, false, nullptr));
    std::set<std::string> names;
    for (std::size_t i = 0; i < (geometry.extrasVary() ? samples : std::min<std::size_t>(1, samples)); ++i) {
        WYC_TRY(extras, geometry.extras(i));
        for (const FaceSet& set : extras->faceSets)
            if (set.kind != FaceSet::Kind::Material)
                names.insert(set.name);
    }
    for (const std::string& name : names)
        WYC_CHECK(addSets(groupChannel(name), false, &name));
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
            if (scene.nodes[i].kind == NodeKind::FaceSet && scene.nodes[i].parent == static_cast<int>(node))
                apart.insert(groupChannel(scene.nodes[i].name));
    std::erase_if(channels, [&](const HashedChannel& channel) {
        return apart.empty() ? channel.name.starts_with("group '")
                             : channel.name == kGroups || apart.contains(channel.name);
    });
}

Result<std::vector<HashedChannel>> channelsOf(const Scene& scene, std::size_t node, const Format& format) {
    const Node& it = scene.nodes[node];
    std::vector<HashedChannel> result;
    if (format.keeps(Content::Values) && it.properties)
        WYC_CHECK(addValues(channelsOf(it.properties), result));
    if (format.keeps(Content::Transforms))
        WYC_CHECK(addTransform(scene, node, result));
    if (format.keeps(Content::Visibility))
        addVisibility(it, result);
    if (it.geometry && it.kind != NodeKind::Curves && it.geometry->sampling().count() > 0) {
        const bool all = format.keeps(Content::Times) || format.sequence;
        WYC_CHECK(addMesh(*it.geometry, format, all ? it.geometry->sampling().count() : 1, result));
        // Ids that the scene keeps with the points, not among the properties.
        const auto named = [](const HashedChannel& c) { return c.name == meaningName(Meaning::PointIds); };
        if (format.keeps(Content::Values) && it.kind == NodeKind::Points &&
            std::none_of(result.begin(), result.end(), named)) {
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
    std::sort(result.begin(), result.end(),
              [](const HashedChannel& a, const HashedChannel& b) { return a.name < b.name; });
    return result;
}

std::vector<HashedChannel> sceneChannels(const Scene& scene, const Format& format) {
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
    if (format.keeps(Content::Materials))
        for (const Material& material : scene.materials) {
            std::string words = material.texturePath;
            if (material.baseColour)
                for (const float part : *material.baseColour)
                    words += fmt::format(" {}", part);
            result.push_back({fmt::format("material '{}'", material.name), {}, {text(words)}});
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
