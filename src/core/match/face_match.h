// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What faces alone tell of two meshes: which part is which, and in how many ways one lies over the other.
#include <optional>
#include <utility>
#include <vector>

#include "base/progress.h"
#include "match/mesh_graph.h"
#include "match/part_walk.h"

namespace wyc {

/// What B's part is laid over, and in how many ways.
struct PartMatch {
    std::size_t partA = 0;
    std::size_t partB = 0;
    std::vector<PartWay> ways;
    bool all = true;
};

/// Everything that faces alone tell.
struct FaceMatch {
    std::vector<std::uint32_t> standInA; // empty: none
    std::vector<std::uint32_t> standInB;
    bool turned = false;
    std::optional<MeshGraph> a;
    std::optional<MeshGraph> b;
    std::vector<std::uint64_t> coloursA;
    std::vector<std::uint64_t> coloursB;
    std::vector<PartMatch> alone;                                                      // part to part
    std::vector<std::pair<std::vector<std::size_t>, std::vector<std::size_t>>> groups; // several alike
    std::size_t covered = 0;                                                           // points of B
};

/// `standIn…`: points that stand in for others (empty: none); `turned`: B's faces walked the other way round.
[[nodiscard]] Result<FaceMatch> matchFaces(const Topology& a, std::size_t pointsA, const Topology& b,
                                           std::size_t pointsB, std::vector<std::uint32_t> standInA,
                                           std::vector<std::uint32_t> standInB, bool turned, const Progress& progress);

[[nodiscard]] std::size_t pointsWithFaces(const MeshGraph& graph);

} // namespace wyc
