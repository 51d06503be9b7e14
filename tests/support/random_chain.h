// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Random chains of steps, and what they mean, kept beside them in plain sums.
#include <optional>

#include <fmt/format.h>

#include "steps/step.h"
#include "support/random_scene.h"

namespace wyc::test {

// What a chain means, kept beside it: the source's time for every output time, the change of space, and the moments
// for which that is promised.
struct ChainMeaning {
    std::function<double(double)> toSource = [](double t) { return t; };
    double scale = 1.0;
    Mat4 turn;
    FrameRate rate;
    double first = 0.0; // output seconds
    double last = 0.0;
    std::vector<double> only; // just these moments; empty = all
    bool baked = false;       // transforms went into what moves
    bool oneSpeed = true;     // everywhere, beyond the ends too
};

[[nodiscard]] std::optional<std::pair<double, double>> movingTimes(const Scene& scene);

[[nodiscard]] std::vector<double> framesOf(double first, double last, const FrameRate& rate, double step = 1.0);

/// A random step, and what it means. Nothing when it has no use here.
[[nodiscard]] std::optional<Step> randomStep(Random& r, ChainMeaning& m);

/// A cycle that is cut, shown a few times: promised at whole frames. It ends a chain.
[[nodiscard]] std::optional<Step> randomLoop(Random& r, ChainMeaning& m);

} // namespace wyc::test
