// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// From a search to a step: what window and command line do with a loop alike.
#include <string>
#include <vector>

#include "checks/finding.h"
#include "measure/loop.h"
#include "steps/step.h"

namespace wyc {

/// Items of a scene that move and have a shape, or a body to be seen by.
[[nodiscard]] std::vector<MovingItem> movingItemsOf(const Scene& scene);

struct LoopClosing {
    std::string close = "overlap"; // cut, overlap, bridge
    double fade = 0.0;             // frames
    std::string weight = "smooth";
    std::string weights; // drawn keys, instead; see the step
    std::string side = "either";
    bool keepShape = false;
    bool closingCopy = false;
    int cycles = 1;
    std::string fill;                  // a range, or empty
    std::string travel = "comes back"; // as the step has it
};
/// "1009:1060", or one frame.
[[nodiscard]] Result<FrameRange> rangeOrOne(const std::string& text);
/// The best candidate within bounds. Where start and length are one frame each, that one, whatever it costs.
[[nodiscard]] Result<LoopCandidate> candidateFor(const SeamMap& map, const LoopBounds& bounds);
/// What closes it best: a cut where the seam is none already, a fade as long as there are frames for (a quarter of the
/// cycle at most), a bridge where there are none.
[[nodiscard]] LoopClosing closingFor(const SeamMap& map, const LoopCandidate& candidate);
/// The candidate whose cycle has as many frames as the bounds ask for, where they ask for one length: what a bridge
/// adds is taken from what it bridges.
[[nodiscard]] Result<LoopCandidate> ofExactLength(const SeamMap& map, const LoopBounds& bounds,
                                                  const LoopCandidate& candidate, const LoopClosing& closing);
[[nodiscard]] Step loopStepFor(const LoopCandidate& candidate, const LoopClosing& closing);

/// A loop step for each of several items: what travels goes the same way with all of them, each in its own unit.
[[nodiscard]] Result<std::vector<Step>> loopStepsFor(const std::vector<MovingItem>& items, const Step& loopStep);

/// The same cycle once, without a closing copy: what is looked at. One that travels on is looked at in place.
[[nodiscard]] Step oneCycleOf(const Step& loopStep);

/// How much shorter edges get in the fade of a loop step than between the poses it mixes, at its worst frame, RMS over
/// edges (0.1 = a tenth). 0 without a fade or without faces.
[[nodiscard]] Result<double> fadeShrink(const Scene& before, std::size_t node, const Step& loopStep);

struct ClosedLoop {
    std::vector<Step> steps; // one cycle of each item
    LoopCheck check;         // of one cycle of all items together
    LoopCheck cut;           // and of the same frames only cut
    double shrink = 0.0;     // of edges in a straight fade, as fadeShrink has it
    double keptShrink = 0.0; // and in one that keeps shape
    /// Its speed changes more over the seam than a cut's would, and more than anywhere inside.
    [[nodiscard]] bool speedGrew() const;
    [[nodiscard]] bool closes() const { return check.loops && !speedGrew(); }
};
/// What a loop step makes of the items.
[[nodiscard]] Result<ClosedLoop> closedBy(const std::vector<MovingItem>& items, const Step& loopStep,
                                          const Progress& progress);

/// What keeps a cycle from closing, each with the step that mends it: loop.open, loop.pause, loop.closing_copy,
/// loop.doubled_end.
[[nodiscard]] std::vector<Finding> loopFindings(const LoopCheck& check, const std::string& item);

} // namespace wyc
