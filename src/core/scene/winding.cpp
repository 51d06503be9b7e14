// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/winding.h"

#include <algorithm>

namespace wyc {
namespace {

// Calls swap(a, b) for every pair of corners that change places.
template<class Swap> void forEachPair(const Topology& topology, const Swap& swap) {
    std::size_t start = 0;
    for (const std::int32_t size : topology.faceSizes()) {
        for (std::size_t low = start + 1, high = start + static_cast<std::size_t>(size) - 1; size > 2 && low < high;
             ++low, --high)
            swap(low, high);
        start += static_cast<std::size_t>(size);
    }
}

} // namespace

Result<TopologyPtr> turned(const Topology& topology) {
    std::vector<std::int32_t> corners = topology.corners();
    forEachPair(topology, [&](std::size_t a, std::size_t b) { std::swap(corners[a], corners[b]); });
    return Topology::make(topology.faceSizes(), std::move(corners));
}

void turnCorners(const Topology& topology, Attribute& attribute) {
    if (attribute.scope != Scope::Corner)
        return;
    if (!attribute.indices.empty()) {
        if (attribute.indices.size() == topology.cornerCount())
            forEachPair(topology,
                        [&](std::size_t a, std::size_t b) { std::swap(attribute.indices[a], attribute.indices[b]); });
        return;
    }
    const auto extent = static_cast<std::size_t>(attribute.extent);
    if (attribute.valueCount() != topology.cornerCount())
        return;
    forEachPair(topology, [&](std::size_t a, std::size_t b) {
        std::swap_ranges(attribute.values.begin() + static_cast<std::ptrdiff_t>(a * extent),
                         attribute.values.begin() + static_cast<std::ptrdiff_t>((a + 1) * extent),
                         attribute.values.begin() + static_cast<std::ptrdiff_t>(b * extent));
    });
}

} // namespace wyc
