// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/mesh_graph.h"

#include <algorithm>

#include <fmt/format.h>

#include "base/parallel.h"

namespace wyc {
namespace {

// The finishing step of SplitMix64 (G. Steele, D. Lea and C. Flood, 2014).
std::uint64_t mixed(std::uint64_t z) {
    z += 0x9E3779B97F4A7C15U;
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9U;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBU;
    return z ^ (z >> 31);
}

} // namespace

Result<MeshGraph> MeshGraph::of(const Topology& topology, std::size_t points, bool turned) {
    MeshGraph graph;
    WYC_CHECK(graph.build(topology, {}, points, turned));
    return graph;
}

Result<MeshGraph> MeshGraph::of(const Topology& topology, std::span<const std::uint32_t> standIn, bool turned) {
    MeshGraph graph;
    WYC_CHECK(graph.build(topology, standIn, standIn.size(), turned));
    return graph;
}

Status MeshGraph::build(const Topology& topology, std::span<const std::uint32_t> standIn, std::size_t points,
                        bool turned) {
    if (!topology.fits(points))
        return fail(makeError(ErrorKind::BadInput,
                              fmt::format("faces name point {}, of {} points", topology.highestCorner(), points)));
    if (topology.cornerCount() >= kLargest || points >= kLargest)
        return fail(makeError(ErrorKind::Unsupported, "more than four billion points or corners"));
    const auto& sizes = topology.faceSizes();
    const auto& corners = topology.corners();
    faceStart_.resize(sizes.size() + 1, 0);
    for (std::size_t f = 0; f < sizes.size(); ++f)
        faceStart_[f + 1] = faceStart_[f] + static_cast<std::uint32_t>(sizes[f]);
    cornerPoint_.resize(corners.size());
    cornerFace_.resize(corners.size());
    pointStart_.assign(points + 1, 0);
    for (std::size_t f = 0; f < sizes.size(); ++f) {
        const std::uint32_t first = faceStart_[f];
        const std::uint32_t end = faceStart_[f + 1];
        for (std::uint32_t c = first; c < end; ++c) {
            // Turned, the first corner stays the first.
            const std::uint32_t from = turned && c > first ? end - (c - first) : c;
            const auto named = static_cast<std::uint32_t>(corners[from]);
            const std::uint32_t point = standIn.empty() ? named : standIn[named];
            cornerPoint_[c] = point;
            cornerFace_[c] = static_cast<std::uint32_t>(f);
            ++pointStart_[point + 1];
        }
    }
    for (std::size_t p = 0; p < points; ++p)
        pointStart_[p + 1] += pointStart_[p];
    pointCorners_.resize(corners.size());
    std::vector<std::uint32_t> at(pointStart_.begin(), pointStart_.end() - 1);
    for (std::uint32_t c = 0; c < cornerPoint_.size(); ++c)
        pointCorners_[at[cornerPoint_[c]]++] = c;
    joinEdges();
    findParts();
    return {};
}

// An edge is found at its point with the lower number, among the few edges there.
void MeshGraph::joinEdges() {
    beyond_.assign(cornerPoint_.size(), kNone);
    struct Edge {
        std::uint32_t other; // point
        std::uint32_t corner;
        bool leaves; // runs from the lower point to the other
    };
    std::vector<Edge> edges;
    for (std::uint32_t p = 0; p + 1 < pointStart_.size(); ++p) {
        edges.clear();
        for (const std::uint32_t c : cornersAt(p)) {
            const std::uint32_t to = cornerPoint_[next(c)];
            const std::uint32_t before = previous(c);
            const std::uint32_t from = cornerPoint_[before];
            if (to > p)
                edges.push_back({to, c, true});
            if (from > p)
                edges.push_back({from, before, false});
        }
        std::sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.other < b.other; });
        for (std::size_t i = 0; i < edges.size();) {
            std::size_t end = i + 1;
            while (end < edges.size() && edges[end].other == edges[i].other)
                ++end;
            if (end - i == 2 && edges[i].leaves != edges[i + 1].leaves) {
                beyond_[edges[i].corner] = edges[i + 1].corner;
                beyond_[edges[i + 1].corner] = edges[i].corner;
            } else if (end - i > 1) {
                for (std::size_t k = i; k < end; ++k)
                    beyond_[edges[k].corner] = kSeveral;
            }
            i = end;
        }
    }
}

void MeshGraph::findParts() {
    const std::size_t points = pointStart_.size() - 1;
    pointParts_.assign(points, kNone);
    std::vector<std::uint32_t> open;
    std::uint32_t part = 0;
    for (std::uint32_t p = 0; p < points; ++p) {
        if (pointParts_[p] != kNone || pointStart_[p] == pointStart_[p + 1])
            continue;
        pointParts_[p] = part;
        open.push_back(p);
        while (!open.empty()) {
            const std::uint32_t q = open.back();
            open.pop_back();
            for (const std::uint32_t c : cornersAt(q))
                for (const std::uint32_t beside : {cornerPoint_[next(c)], cornerPoint_[previous(c)]})
                    if (pointParts_[beside] == kNone) {
                        pointParts_[beside] = part;
                        open.push_back(beside);
                    }
        }
        ++part;
    }
    partStart_.assign(part + 1U, 0);
    for (const std::uint32_t own : pointParts_)
        if (own != kNone)
            ++partStart_[own + 1];
    for (std::size_t k = 0; k < part; ++k)
        partStart_[k + 1] += partStart_[k];
    partPoints_.resize(partStart_[part]);
    std::vector<std::uint32_t> at(partStart_.begin(), partStart_.end() - 1);
    for (std::uint32_t p = 0; p < points; ++p)
        if (pointParts_[p] != kNone)
            partPoints_[at[pointParts_[p]]++] = p;
}

std::vector<std::uint64_t> MeshGraph::colours(int rounds) const {
    std::vector<std::uint64_t> colour(points(), 0);
    for (std::uint32_t p = 0; p < colour.size(); ++p)
        for (const std::uint32_t c : cornersAt(p))
            colour[p] += mixed(faceSize(cornerFace_[c]) * 2U + (beyond_[c] == kNone ? 1U : 0U));
    for (int k = 0; k < rounds; ++k)
        refineColours(*this, colour);
    return colour;
}

void refineColours(const MeshGraph& graph, std::vector<std::uint64_t>& colours) {
    constexpr std::size_t kPoints = 1 << 15;
    std::vector<std::uint64_t> finer(colours.size());
    const std::size_t blocks = (colours.size() + kPoints - 1) / kPoints;
    // The sum over corners does not depend on their order; which way a face runs does count.
    static_cast<void>(parallelFor(blocks, {}, [&](std::size_t block) -> Status {
        const std::size_t end = std::min(colours.size(), (block + 1) * kPoints);
        for (std::size_t p = block * kPoints; p < end; ++p) {
            std::uint64_t sum = 0;
            for (const std::uint32_t c : graph.cornersAt(static_cast<std::uint32_t>(p))) {
                const std::uint32_t after = graph.next(c);
                const std::uint64_t ahead = colours[graph.pointOf(after)];
                const std::uint64_t across = colours[graph.pointOf(graph.next(after))];
                const std::uint64_t behind = colours[graph.pointOf(graph.previous(c))];
                sum += mixed(ahead + mixed(behind * 3U + mixed(across * 5U + graph.faceSize(graph.faceOf(c)))));
            }
            finer[p] = sum == 0 ? colours[p] : mixed(colours[p] * 7U + sum);
        }
        return {};
    }));
    colours = std::move(finer);
}

} // namespace wyc
