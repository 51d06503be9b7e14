// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/reorder.h"

#include <algorithm>
#include <unordered_map>

namespace wyc {
namespace {

std::vector<std::size_t> startsOf(const Topology& topology) {
    std::vector<std::size_t> starts{0};
    for (const std::int32_t size : topology.faceSizes())
        starts.push_back(starts.back() + static_cast<std::size_t>(size));
    return starts;
}

// A face by its points, whatever corner it begins with.
std::uint64_t lookOf(std::span<const std::uint32_t> points) {
    std::uint64_t look = points.size();
    for (std::uint64_t p : points) {
        p = (p + 1) * 0x9E3779B97F4A7C15U;
        p ^= p >> 29;
        look += p * 0xBF58476D1CE4E5B9U;
    }
    return look;
}

} // namespace

Reordering reorderingOf(const OrderMap& map, const Topology& a, const Topology& b) {
    Reordering made;
    PointOrder& order = made.order;
    order.pointsBefore = map.aOfB.size();
    order.facesBefore = b.faceCount();
    order.topologyBefore = b.faceCount() > 0 ? b.hash() : 0;
    std::vector<std::uint32_t> newOfA(map.bOfA.size(), kNone);
    for (std::uint32_t p = 0; p < map.bOfA.size(); ++p)
        if (map.bOfA[p] != kNone) {
            newOfA[p] = static_cast<std::uint32_t>(order.points.size());
            order.points.push_back(map.bOfA[p]);
            made.aOfNew.push_back(p);
        }
    std::vector<std::uint32_t> newOfB(map.aOfB.size(), kNone);
    for (std::uint32_t p = 0; p < map.aOfB.size(); ++p)
        if (map.aOfB[p] != kNone && newOfA[map.aOfB[p]] != kNone) {
            newOfB[p] = newOfA[map.aOfB[p]];
        } else {
            newOfB[p] = static_cast<std::uint32_t>(order.points.size());
            order.points.push_back(p);
            made.aOfNew.push_back(kNone);
        }
    const std::vector<std::size_t> startsA = startsOf(a);
    const std::vector<std::size_t> startsB = startsOf(b);
    // Several points of A may stand in one of B: faces are known by the one that stands for all of them.
    const auto standing = [&](std::uint32_t pointOfA) {
        const std::uint32_t own = map.bOfA[pointOfA];
        return own == kNone ? kNone : newOfB[own];
    };
    std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> byLook;
    std::vector<std::uint32_t> points;
    for (std::uint32_t f = 0; f < b.faceCount(); ++f) {
        points.clear();
        for (std::size_t c = startsB[f]; c < startsB[f + 1]; ++c)
            points.push_back(newOfB[static_cast<std::size_t>(b.corners()[c])]);
        byLook[lookOf(points)].push_back(f);
    }
    std::vector<char> used(b.faceCount(), 0);
    const bool explicitly = map.split > 0 || map.welded > 0;
    for (std::size_t f = 0; f < a.faceCount(); ++f) {
        points.clear();
        bool whole = true;
        for (std::size_t c = startsA[f]; c < startsA[f + 1] && whole; ++c) {
            points.push_back(standing(static_cast<std::uint32_t>(a.corners()[c])));
            whole = points.back() != kNone;
        }
        const auto found = whole ? byLook.find(lookOf(points)) : byLook.end();
        if (found == byLook.end())
            continue;
        const auto size = static_cast<std::uint32_t>(points.size());
        for (const std::uint32_t g : found->second) {
            if (used[g] || startsB[g + 1] - startsB[g] != size)
                continue;
            const auto at = [&](std::uint32_t k) {
                return newOfB[static_cast<std::size_t>(b.corners()[startsB[g] + k % size])];
            };
            // Where A's first corner is in it, and which way round it goes.
            std::uint32_t first = kNone;
            bool turned = false;
            for (std::uint32_t r = 0; r < size && first == kNone; ++r) {
                bool along = true;
                bool back = true;
                for (std::uint32_t k = 0; k < size; ++k) {
                    along = along && at(r + k) == points[k];
                    back = back && at(r + size - k) == points[k];
                }
                if (along || back) {
                    first = r;
                    turned = !along;
                }
            }
            if (first == kNone)
                continue;
            used[g] = 1;
            ++made.facesAlike;
            made.facesTurned += turned;
            order.faces.push_back(g);
            for (std::uint32_t k = 0; k < size; ++k) {
                order.turns.push_back((first + k) % size);
                if (!explicitly)
                    continue;
                // The corner that stands there in A has a point of its own where B's was welded.
                const std::size_t corner = startsA[f] + (turned ? (size - k) % size : k);
                order.corners.push_back(newOfA[static_cast<std::size_t>(a.corners()[corner])]);
            }
            break;
        }
    }
    for (std::uint32_t g = 0; g < b.faceCount(); ++g) {
        if (used[g])
            continue;
        order.faces.push_back(g);
        for (std::size_t c = startsB[g]; c < startsB[g + 1]; ++c) {
            order.turns.push_back(static_cast<std::uint32_t>(c - startsB[g]));
            if (explicitly)
                order.corners.push_back(newOfB[static_cast<std::size_t>(b.corners()[c])]);
        }
    }
    return made;
}

} // namespace wyc
