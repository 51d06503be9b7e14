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

/// Applies a retiming rule to everything sampled in the scene: points, transforms, visibility. The rule gets
/// the old sampling and is not called for what is still. What keeps no sample becomes an error naming the
/// item, unless it is a transform or visibility, which then holds its value.
[[nodiscard]] Result<Scene> retimed(const Scene& scene, const std::function<Result<Retiming>(const Sampling&)>& rule);
/// Keeps the samples for which keep(i) holds, at their times.
[[nodiscard]] Retiming keptSamples(const Sampling& sampling, const std::function<bool(std::size_t)>& keep);

[[nodiscard]] GeometryPtr retimedGeometry(GeometryPtr inner, Retiming retiming);

} // namespace wyc
