// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a chain of steps asks of a source: when which of its moments is to be seen. Worked out from the options of the
// steps and the source's own samples, in plain sums: nothing here is shared with what the steps do, as the proof
// judges them by it.
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "scene/scene.h"
#include "steps/step.h"

namespace wyc {

/// A moment of the source that has a part in one of the result; the weights of one moment add up to 1.
struct AskedPose {
    double seconds = 0.0;
    double weight = 1.0;
    bool rest = false; // the rest pose instead
};
using AskedPoses = std::vector<AskedPose>;

struct Asked {
    FrameRate rate;               // of the result
    std::optional<TimeSpan> span; // of the result; nothing where nothing moves
    std::vector<double> moments;  // of the result: each is promised; rising
    bool onlyThese = false;       // and no other
    std::vector<TimeSpan> gaps;   // between these ends nothing is to be: it was dropped
    /// What is asked for at a time of the result; nothing where a step shows what no sum of the source's poses says.
    std::function<std::optional<AskedPoses>(double)> poses;
    /// The same of points and what is sampled with them, where a mend changes them alone.
    std::function<std::optional<AskedPoses>(double)> pointPoses;
    /// A step whose asking is not known here: then nothing is said of the chain.
    std::optional<std::string> unknown;
};
[[nodiscard]] Asked asked(const Scene& source, const std::vector<Step>& steps);

} // namespace wyc
