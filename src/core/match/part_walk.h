// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// One connected part of a mesh laid over another by its faces alone.
#include <cstdint>
#include <span>
#include <vector>

#include "base/progress.h"
#include "match/mesh_graph.h"

namespace wyc {

/// A part of B, point for point, in the order of A's points of the part.
using PartWay = std::vector<std::uint32_t>;

/// Walks both parts at once over their faces from one pair of corners, for every pair that could begin. Linear a walk.
class PartWalker {
  public:
    /// All four must outlive it. Colours of the same number of rounds.
    PartWalker(const MeshGraph& a, const std::vector<std::uint64_t>& coloursA, const MeshGraph& b,
               const std::vector<std::uint64_t>& coloursB);

    struct Ways {
        std::vector<PartWay> ways; // each once; more than one where the part is symmetric
        bool all = true;           // there are no others
    };
    /// `most` ways at most.
    [[nodiscard]] Result<Ways> ways(std::size_t partA, std::size_t partB, std::size_t most, const Progress& progress);

    /// The point of A from which all ways of a part begin.
    [[nodiscard]] std::uint32_t seedOf(std::size_t partA) const;
    /// Those ways alone that bring it to one of these points of B.
    [[nodiscard]] Result<std::vector<PartWay>> waysTo(std::size_t partA, std::span<const std::uint32_t> points,
                                                      const Progress& progress);

  private:
    struct Pair {
        std::uint32_t a, b; // corners
    };
    // The pairing of the walk that has just come through.
    [[nodiscard]] PartWay wayOf(std::size_t partA) const;
    [[nodiscard]] std::size_t facesOf(std::span<const std::uint32_t> points) const;
    bool walk(Pair from, std::size_t points);
    bool drain();
    bool pairFace(Pair corners);
    bool pairPoint(std::uint32_t a, std::uint32_t b);
    bool goOnAcross(std::uint32_t point);
    [[nodiscard]] bool mayPair(Pair corners) const;
    void forget();

    const MeshGraph& a_;
    const MeshGraph& b_;
    const std::vector<std::uint64_t>& coloursA_;
    const std::vector<std::uint64_t>& coloursB_;
    std::vector<std::uint32_t> pointOfA_; // B's, by A's; kNone while none
    std::vector<std::uint32_t> pointOfB_;
    std::vector<std::uint32_t> faceOfA_;
    std::vector<std::uint32_t> faceOfB_;
    std::vector<Pair> open_;
    std::vector<std::uint32_t> points_; // of A, paired, in turn
    std::vector<std::uint32_t> faces_;  // of A, paired
};

} // namespace wyc
