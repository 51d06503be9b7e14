// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Where a motion could loop, and whether a cycle closes.
#include <optional>
#include <string>
#include <vector>

#include "measure/seam_map.h"

namespace wyc {

struct LoopBounds {
    std::optional<FrameRange> start;  // first frames to try
    std::optional<FrameRange> length; // in frames
    std::size_t count = 8;            // candidates at most
    double velocityFrames = 2.0;      // weight of velocities against positions: the way gone in so many frames
};

/// Takes `length` samples from `start` on; the one behind them would equal the first.
struct LoopCandidate {
    double start = 0.0;
    double length = 0.0;
    double gap = 0.0;         // metres: distance of the frame at its end from that at its start
    double gapSteps = 0.0;    // in usual steps within it
    double velocityGap = 0.0; // metres a second
    bool good = false;        // over the seam it goes on like from any other frame to the next
};

/// Best first. Lengths are local minima of the best a length can do; of one length starts that lie apart.
[[nodiscard]] Result<std::vector<LoopCandidate>> loopCandidates(const SeamMap& map, const LoopBounds& bounds);

/// A cycle as it would be played: after its last frame its first.
struct LoopCheck {
    double first = 0.0;
    double last = 0.0;
    double length = 0.0;       // frames of the cycle, without a closing copy
    bool closingCopy = false;  // the last frame equals the first: played on, it would stand twice
    bool doubledEnd = false;   // the last two frames are equal
    bool pause = false;        // slower over the seam than anywhere else
    bool eases = false;        // it slows down over several frames, all but stops at the seam, and goes on the same way
    bool inSteps = false;      // of several items distances are in usual steps of each, not in metres
    std::vector<double> steps; // metres from each frame to the one behind it, RMS; the last is that over the seam
    double step = 0.0;         // that one
    double usualStep = 0.0;
    double usualMetres = 0.0;  // the same in metres, the mean of several items
    double smallestStep = 0.0; // inside
    double largestStep = 0.0;
    double gap = 0.0;                // metres: how far the step over the seam is from those before and after it
    double gapSteps = 0.0;           // in usual steps
    double largestInside = 0.0;      // the same inside the cycle, in metres
    double velocityGap = 0.0;        // metres a second, from before the seam to after it
    double largestVelocityGap = 0.0; // the same inside
    double travel = 0.0;             // metres that it goes on each cycle; 0 where it comes back
    bool loopsGoingOn = false;       // with its travel going on it loops
    bool seenChanges = false;        // seen at the one end of the cycle, and not at the other
    double popping = 0.0;            // of points that come and go: the share that appears or is gone over the seam
    double usuallyPopping = 0.0;     // the most inside
    std::size_t followed = 0;        // points that are there all the time, by which all else is judged …
    std::size_t points = 0;          // … of so many at most
    bool loops = false;
};
/// A distance of candidates and checks: in the unit that fits it, or in usual steps.
[[nodiscard]] std::string loopLengthText(double length, bool inSteps);

/// Of the whole frames of all items together; errors as of a seam map.
[[nodiscard]] Result<LoopCheck> checkLoop(const std::vector<MovingItem>& items, const Progress& progress);

} // namespace wyc
