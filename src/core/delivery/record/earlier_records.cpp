// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/record/earlier_records.h"

#include <algorithm>
#include <array>

#include "base/bytes.h"
#include "base/hash.h"
#include "maths/units.h"
#include "scene/channels.h"
#include "scene/layers.h"
#include "scene/winding.h"

namespace wyc {
namespace {

// In the order of the sixteen, with how many of their unit are a metre.
constexpr std::array<std::pair<Meaning, double>, 13> kLens{{{Meaning::FocalLength, 1000.0},
                                                            {Meaning::GateWidth, 100.0},
                                                            {Meaning::GateX, 100.0},
                                                            {Meaning::GateHeight, 100.0},
                                                            {Meaning::GateY, 100.0},
                                                            {Meaning::Squeeze, 1.0},
                                                            {Meaning::Overscan, 1.0},
                                                            {Meaning::FStop, 1.0},
                                                            {Meaning::FocusDistance, 1.0},
                                                            {Meaning::ShutterOpen, 1.0},
                                                            {Meaning::ShutterClose, 1.0},
                                                            {Meaning::NearClip, 1.0},
                                                            {Meaning::FarClip, 1.0}}};

std::uint64_t hashOf(const SampledValues& values, std::uint32_t extent, std::span<const std::byte> value) {
    std::vector<std::byte> bytes;
    appendBytes(bytes, static_cast<std::uint8_t>(values.type()));
    appendBytes(bytes, extent);
    return hash64(bytes, value);
}

Result<std::optional<HashedChannel>> lensOf(const std::vector<Channel>& channels) {
    std::array<const Channel*, kLens.size()> parts{};
    for (const Channel& channel : channels)
        for (std::size_t p = 0; p < kLens.size(); ++p)
            if (kLens[p].first == channel.meaning && !parts[p])
                parts[p] = &channel;
    std::optional<HashedChannel> lens;
    if (std::any_of(parts.begin(), parts.end(), [](const Channel* part) { return part == nullptr; }))
        return lens;
    const Sampling& sampling = parts.front()->values->sampling();
    lens = HashedChannel{"lens", timesOf(sampling), {}};
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        std::vector<double> all;
        for (std::size_t p = 0; p < kLens.size(); ++p) {
            WYC_TRY(numbers, numbersOf(*parts[p]->values, i));
            for (const double number : numbers)
                all.push_back(fromMetres(number, kLens[p].second));
        }
        lens->samples.push_back(hashOf(*parts.front()->values, 16, std::as_bytes(std::span(all))));
    }
    return lens;
}

} // namespace

Result<std::vector<HashedChannel>> channelsOfVersion3(const Node& node, std::vector<HashedChannel> channels) {
    const std::vector<Channel> all = channelsOf(node.properties);
    WYC_TRY(lens, lensOf(all));
    if (lens)
        channels.push_back(std::move(*lens));
    const bool mesh = node.is().faces;
    for (const Channel& channel : all) {
        if (!mesh || isLayer(channel.meaning) || channel.scope != Scope::Corner || channel.numbers || !node.geometry)
            continue;
        const ValuesPtr filed = turnedCorners(channel.values, node.geometry);
        HashedChannel old{channel.name, timesOf(filed->sampling()), {}};
        for (std::size_t i = 0; i < filed->sampling().count(); ++i) {
            WYC_TRY(value, filed->read(i));
            old.samples.push_back(hashOf(*filed, filed->extent(), value.bytes));
        }
        std::erase_if(channels, [&](const HashedChannel& c) { return c.name == channel.name; });
        channels.push_back(std::move(old));
    }
    return channels;
}

} // namespace wyc
