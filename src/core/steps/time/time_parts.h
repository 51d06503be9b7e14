// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by the steps on time.
#include <optional>
#include <vector>

#include "steps/step.h"

namespace wyc {

/// The shape that the scene is about: the moving one with the most samples; null where none moves.
[[nodiscard]] const Node* leadShape(const Scene& scene);
/// As far as the scene goes: what is wanted of it, else what moves in it.
[[nodiscard]] std::optional<TimeSpan> spanOf(const Scene& scene);
/// The samples that a person counts: those wanted, else those of the points, else whole frames of the motion.
[[nodiscard]] std::vector<double> leadMoments(const Scene& scene);
/// Usual distance of those samples, in seconds; a frame where there are fewer than two.
[[nodiscard]] double usualStep(const Scene& scene);
/// A change that changes nothing.
[[nodiscard]] TimeChange asItIs(const Scene& scene);
/// All of the scene later by so many frames.
[[nodiscard]] TimeChange moved(const Scene& scene, double frames);
[[nodiscard]] bool insideSpan(const TimeSpan& span, double seconds);

/// A stretch of output time that runs through the input from `inFrom` on.
[[nodiscard]] TimePiece runPiece(double from, double to, double inFrom, double speed);

} // namespace wyc
