// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Which point of one shape is which point of another.
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "match/alignment.h"
#include "match/mesh_graph.h"
#include "match/shape_motion.h"

namespace wyc {

struct OrderMap {
    enum class By { Hash, Position, Connectivity, Motion, None };
    By by = By::None;
    /// For each point of B the point of A; kNone where there is none. Several may name one: B was split there.
    std::vector<std::uint32_t> aOfB;
    /// For each point of A a point of B, the first of several. Several of A may name one: B was welded there.
    std::vector<std::uint32_t> bOfA;
    /// Points of B for which another of A would do as well.
    std::vector<std::uint32_t> unsure;
    std::size_t split = 0;  // points of B more, for points of A that became several
    std::size_t welded = 0; // points of A more
    bool turned = false;    // laid over one another with B's faces walked the other way round
    /// How B lies over A with it; nothing where too few points are known.
    std::optional<Alignment> alignment;
    /// What that was found by, where it is at hand.
    std::optional<SampledPairs> sample;
    /// How it lies in other orders that explain as much and claim hardly more: what is symmetric has such ones.
    std::vector<Alignment> instead;

    /// Every point has its own number in the other.
    [[nodiscard]] bool same() const;
    [[nodiscard]] std::size_t moved() const; // points of B that have another number in A
    [[nodiscard]] std::size_t certain() const;
    [[nodiscard]] std::vector<std::uint32_t> unmatchedA() const;
    [[nodiscard]] std::vector<std::uint32_t> unmatchedB() const;
};
[[nodiscard]] const char* orderWayName(OrderMap::By by);

/// In this order: faces alike; the same numbers in the same places; faces alone (colour refinement, then a walk over
/// both at once), whole or part by part, with points that stand in one place taken for one; places, and places over
/// time. Where symmetry or pieces alike leave several answers, the least way off decides.
[[nodiscard]] Result<OrderMap> orderOf(const ShapeMotion& a, const ShapeMotion& b, const Progress& progress);

/// By faces alone: no places are looked at. `all` is false where there are other ways; `unsure` then has the points
/// that some of those tried put elsewhere.
[[nodiscard]] Result<OrderMap> orderByFaces(const Topology& a, std::size_t pointsA, const Topology& b,
                                            std::size_t pointsB, const Progress& progress);

} // namespace wyc
