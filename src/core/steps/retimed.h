// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Time steps as a list of picks: every new sample is an old one, or lies between two.
#include <algorithm>
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
    /// Beyond the last sample its pick holds.
    [[nodiscard]] Pick at(std::size_t sample) const {
        return picks.empty() ? Pick{} : picks[std::min(sample, picks.size() - 1)];
    }
};

/// Kept by what is read later, so it may refer to nothing that ends before. Not called for what is still.
using RetimingRule = std::function<Result<Retiming>(const Sampling&)>;

/// Applies a retiming rule to everything sampled in the scene: points, transforms, visibility, properties. A shape that
/// keeps no sample becomes an error naming it; anything else then holds its value.
[[nodiscard]] Result<Scene> retimed(const Scene& scene, const RetimingRule& rule);
/// Keeps the samples for which keep(i) holds, at their times.
[[nodiscard]] Retiming keptSamples(const Sampling& sampling, const std::function<bool(std::size_t)>& keep);

/// All times of several samplings together, those nearer than a frame's tolerance once; the one itself where all that
/// move are alike, still where none moves.
[[nodiscard]] Sampling commonSampling(const std::vector<Sampling>& samplings, const FrameRate& rate);
/// New samples at other times, in straight lines between the old ones.
[[nodiscard]] Retiming retimingOnto(const Sampling& from, const Sampling& onto, const FrameRate& rate);

[[nodiscard]] GeometryPtr retimedGeometry(GeometryPtr inner, Retiming retiming);
[[nodiscard]] ValuesPtr retimedValues(ValuesPtr inner, Retiming retiming);

} // namespace wyc
