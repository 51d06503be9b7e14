// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/carried.h"

#include <algorithm>

#include "base/bytes.h"
#include "base/hash.h"

namespace wyc {
namespace {

Status addHashes(const std::vector<PropertyNode>& list, const std::string& group, NodeKind kind,
                 std::map<std::string, std::uint64_t>& into) {
    for (const PropertyNode& property : list) {
        if (isMadeAnew(group, property.name, kind))
            continue;
        const std::string path = group.empty() ? property.name : group + "/" + property.name;
        if (!property.values) {
            WYC_CHECK(addHashes(property.children, path, kind, into));
            continue;
        }
        const SampledValues& values = *property.values;
        std::vector<std::byte> summary;
        appendBytes(summary, static_cast<std::uint8_t>(values.type()));
        appendBytes(summary, values.extent());
        const std::size_t count = values.sampling().count();
        std::optional<std::uint64_t> token;
        std::uint64_t last = 0;
        for (std::size_t i = 0; i < count; ++i) {
            appendBytes(summary, count > 1 ? values.sampling().time(i) : 0.0);
            const auto now = values.token(i);
            if (i == 0 || !now || now != token) {
                WYC_TRY(value, values.read(i));
                last = hash64(value.bytes);
            }
            token = now;
            appendBytes(summary, last);
        }
        into[path] = hash64(summary);
    }
    return {};
}

} // namespace

Result<std::map<std::string, std::uint64_t>> carriedHashes(const Node& node) {
    std::map<std::string, std::uint64_t> result;
    if (node.properties)
        WYC_CHECK(addHashes(node.properties->all(), {}, node.kind, result));
    return result;
}

std::vector<double> placementTimes(const Scene& scene, std::size_t node) {
    std::vector<double> times{0.0};
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        if (const auto& transform = scene.nodes[static_cast<std::size_t>(at)].transform;
            transform && transform->sampling().count() > 1)
            for (const double time : transform->sampling().times())
                times.push_back(time);
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    return times;
}

Result<std::uint64_t> placementHash(const Scene& scene, std::size_t node) {
    std::vector<std::byte> bytes;
    for (const double time : placementTimes(scene, node)) {
        WYC_TRY(placement, placementAt(scene, node, time));
        for (const double number : placement.matrix.m)
            appendBytes(bytes, number + 0.0); // −0 is 0
    }
    return hash64(bytes);
}

} // namespace wyc
