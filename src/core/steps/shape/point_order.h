// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Another order for a mesh's points and faces, as data: a file of its own, or within a step.
#include <cstdint>
#include <string>
#include <vector>

#include "base/file.h"
#include "scene/geometry.h"

namespace wyc {

struct PointOrder {
    std::size_t pointsBefore = 0;
    std::size_t facesBefore = 0;
    std::uint64_t topologyBefore = 0;  // hash; 0: not known, or no faces
    std::vector<std::uint32_t> points; // for each new point the old one; an old one may stand for several
    std::vector<std::uint32_t> faces;  // for each new face the old one
    /// For each new corner: which corner of its old face it is, counted from that face's first.
    std::vector<std::uint32_t> turns;
    /// For each new corner the new point; empty: the new number of the old corner's point (the first, where several).
    std::vector<std::uint32_t> corners;

    /// Lists within their limits, faces that fit their corners; an error says what is wrong.
    [[nodiscard]] Status fits(const Topology& before, std::size_t points) const;
    [[nodiscard]] std::string text() const;
    [[nodiscard]] static Result<PointOrder> parse(const std::string& text);
    /// A text as `text` gives it, or the path of a file that holds one.
    [[nodiscard]] static Result<PointOrder> from(const std::string& textOrPath);
    bool operator==(const PointOrder&) const = default;
};

/// "0-99,7,5-3": numbers, and runs of them up or down.
[[nodiscard]] std::string runsText(const std::vector<std::uint32_t>& numbers);
[[nodiscard]] Result<std::vector<std::uint32_t>> parseRuns(const std::string& text);

} // namespace wyc
