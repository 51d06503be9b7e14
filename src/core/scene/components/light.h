// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Lights: their figures over time, whatever a format calls them. A light shines along its own −Z.
#include <array>
#include <optional>
#include <string>

#include "scene/scene.h"

namespace wyc {

/// What is not stated is nothing: no figure is made up.
struct LightFigures {
    std::string kind; // as the source has it ("spot"); empty = not stated
    std::optional<std::array<double, 3>> colour;
    std::optional<double> intensity;   // as a factor
    std::optional<double> exposure;    // in stops: × 2^exposure
    std::optional<double> coneDegrees; // the whole angle
    bool operator==(const LightFigures&) const = default;
    /// Colour × intensity × 2^exposure, with 1, 1 and 0 for what is not stated.
    [[nodiscard]] std::array<double, 3> strength() const;
};

/// Figures at a time; an error where one of them holds another type than a light's.
[[nodiscard]] Result<LightFigures> lightAt(const Scene& scene, std::size_t node, double seconds);
/// Times of the figure with the most samples; still when none changes.
[[nodiscard]] Sampling lightSampling(const Node& node);
/// Makes a node a light with these figures, one a sample. What the first one states, all do.
void setLight(Node& node, const Sampling& sampling, const std::vector<LightFigures>& samples);

} // namespace wyc
