// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Time steps as a list of picks: every new sample is an old one, or lies between two.
#include <functional>

#include "scene/scene.h"

namespace wyc {

struct Pick {
    std::uint32_t below = 0;
    std::uint32_t above = 0;
    float weight = 0.0F; // 0 = exactly `below`
};

struct Retiming {
    Sampling sampling;
    std::vector<Pick> picks; // one a sample
};

/// Kept by what is read later, so it may refer to nothing that ends before. Not called for what is still.
using RetimingRule = std::function<Result<Retiming>(const Sampling&)>;

/// Applies a retiming rule to everything sampled in the scene: points, transforms, visibility, properties. A shape that
/// keeps no sample becomes an error naming it; anything else then holds its value.
[[nodiscard]] Result<Scene> retimed(const Scene& scene, const RetimingRule& rule);
/// Keeps the samples for which keep(i) holds, at their times.
[[nodiscard]] Retiming keptSamples(const Sampling& sampling, const std::function<bool(std::size_t)>& keep);

/// New samples at other times, in straight lines between the old ones.
[[nodiscard]] Retiming retimingOnto(const Sampling& from, const Sampling& onto, const FrameRate& rate);

[[nodiscard]] GeometryPtr retimedGeometry(GeometryPtr inner, Retiming retiming);
[[nodiscard]] ValuesPtr retimedValues(ValuesPtr inner, Retiming retiming);

} // namespace wyc
