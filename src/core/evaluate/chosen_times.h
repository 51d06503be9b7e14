// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The choice of samples: which moments of a track are worth storing.
#include "scene/scene.h"

namespace wyc {

/// Within the span, up to what counts as the same moment.
[[nodiscard]] bool inSpan(const TimeSpan& span, double seconds);

/// Leaves out the times that lie in gaps.
void keepGaps(std::vector<double>& times, const View& view);

/// What the choice of a track's samples depends on, beside its own times.
struct TrackNature {
    bool straight = true;    // between its samples it goes in straight lines, or holds
    bool held = false;       // what a sample says holds until the next
    bool sameAlways = false; // it is the same at all moments, not only at its samples
    bool everyFrame = false; // rests get a sample a frame: point caches have no other way to say them
};

/// Output times of a track with these sample times, seen through the map:
/// - the wanted moments, where some are;
/// - else its own samples, at which nothing is computed that was not before; the ends of what the map shows in another
///   way; whole frames where it goes in no straight lines; and the ends of the wanted range where it moves across them.
/// A track that does not change in the wanted range is one sample, taken there.
[[nodiscard]] Sampling chosenTimes(const Sampling& own, const TrackNature& nature, const TimeMap& map,
                                   const View& view);

} // namespace wyc
