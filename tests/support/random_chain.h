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
    std::vector<double> only;                     // just these moments; empty = all
    bool baked = false;                           // transforms went into what moves
    bool oneSpeed = true;                         // everywhere, beyond the ends too
    bool wholeFrames = false;                     // points have samples at whole frames and nowhere else
    std::vector<std::pair<double, double>> loose; // between these, ends left aside, poses are mixed: not judged
    [[nodiscard]] bool isLoose(double t) const {
        return std::any_of(loose.begin(), loose.end(),
                           [&](const auto& span) { return t > span.first + 1e-6 && t < span.second - 1e-6; });
    }
};

[[nodiscard]] std::optional<std::pair<double, double>> movingTimes(const Scene& scene);

[[nodiscard]] std::vector<double> framesOf(double first, double last, const FrameRate& rate, double step = 1.0);

/// A random step, and what it means. Nothing when it has no use here.
[[nodiscard]] std::optional<Step> randomStep(Random& r, ChainMeaning& m);

/// A step behind which no other comes: a cycle that is cut, shown a few times; frames dropped, filled, mended, led
/// into.
[[nodiscard]] std::optional<Step> randomEnding(Random& r, ChainMeaning& m);
/// A scene and a chain for it. Nothing when nothing moves in the scene.
struct RandomCase {
    Scene source;
    ChainMeaning meaning;
    std::vector<Step> chain;
};
[[nodiscard]] std::optional<RandomCase> randomCase(unsigned seed, int mostSteps, bool floatTimes = false);
/// What a person needs to see of a case that failed.
[[nodiscard]] std::string described(const Scene& scene);
/// So many, ten times as many in long tests, or as told by WYC_TRUTH_CASES; from the number in WYC_TRUTH_FIRST on.
[[nodiscard]] int casesAsked(int standard);
[[nodiscard]] int firstCase();

/// Points that move have samples at whole frames, one a frame.
[[nodiscard]] bool hasWholeFrames(const Scene& scene);

} // namespace wyc::test
