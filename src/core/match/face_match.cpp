// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/face_match.h"

#include <algorithm>
#include <map>

namespace wyc {
namespace {

std::map<std::uint64_t, std::vector<std::size_t>> partsByLook(const MeshGraph& graph,
                                                              const std::vector<std::uint64_t>& colours) {
    std::map<std::uint64_t, std::vector<std::size_t>> parts;
    for (std::size_t part = 0; part < graph.parts(); ++part) {
        std::uint64_t look = graph.pointsOf(part).size() * 0x9E3779B97F4A7C15U;
        for (const std::uint32_t p : graph.pointsOf(part))
            look += colours[p] ^ (colours[p] >> 17);
        parts[look].push_back(part);
    }
    return parts;
}

std::size_t mostWays(std::size_t points) {
    return std::clamp<std::size_t>(4'000'000 / std::max<std::size_t>(1, points), 4, 256);
}

} // namespace

Result<FaceMatch> matchFaces(const Topology& a, std::size_t pointsA, const Topology& b, std::size_t pointsB,
                             std::vector<std::uint32_t> standInA, std::vector<std::uint32_t> standInB, bool turned,
                             const Progress& progress) {
    FaceMatch match;
    match.turned = turned;
    match.standInA = std::move(standInA);
    match.standInB = std::move(standInB);
    const auto graph = [](const Topology& topology, std::size_t points, const std::vector<std::uint32_t>& standIn,
                          bool walkBack) {
        return standIn.empty() ? MeshGraph::of(topology, points, walkBack)
                               : MeshGraph::of(topology, std::span<const std::uint32_t>(standIn), walkBack);
    };
    WYC_TRY(graphA, graph(a, pointsA, match.standInA, false));
    WYC_TRY(graphB, graph(b, pointsB, match.standInB, turned));
    match.a = std::move(graphA);
    match.b = std::move(graphB);
    // More rounds tell more points apart before a walk begins; in large meshes a few do, and each costs a pass.
    const int rounds = pointsA + pointsB <= 400'000 ? 8 : 2;
    match.coloursA = match.a->colours(rounds);
    match.coloursB = match.b->colours(rounds);
    const auto looksA = partsByLook(*match.a, match.coloursA);
    const auto looksB = partsByLook(*match.b, match.coloursB);
    PartWalker walker(*match.a, match.coloursA, *match.b, match.coloursB);
    for (const auto& [look, partsB] : looksB) {
        const auto other = looksA.find(look);
        if (other == looksA.end())
            continue;
        const std::vector<std::size_t>& partsA = other->second;
        if (partsA.size() == 1 && partsB.size() == 1) {
            WYC_TRY(ways, walker.ways(partsA[0], partsB[0], mostWays(match.a->pointsOf(partsA[0]).size()), progress));
            if (ways.ways.empty())
                continue;
            match.covered += match.b->pointsOf(partsB[0]).size();
            match.alone.push_back({partsA[0], partsB[0], std::move(ways.ways), ways.all});
        } else {
            match.covered += std::min(partsA.size(), partsB.size()) * match.b->pointsOf(partsB[0]).size();
            match.groups.emplace_back(partsA, partsB);
        }
    }
    return match;
}

std::size_t pointsWithFaces(const MeshGraph& graph) {
    std::size_t count = 0;
    for (std::size_t part = 0; part < graph.parts(); ++part)
        count += graph.pointsOf(part).size();
    return count;
}

} // namespace wyc
