// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by both ways to plan an output.
#include "delivery/delivery.h"

namespace wyc {

[[nodiscard]] bool hasFaces(const Scene& scene);
/// The scene with the samples that the format needs: a numbered sequence has whole frames and nothing else; neither it
/// nor a point cache can hold a pose, so that rests are written frame by frame. `asked`: from where to where frames are
/// asked of an item that moves somewhere in its source; nothing: as far as it moves. An error,
/// with the frame, where its points or faces change and the format has one number of them for all.
[[nodiscard]] Result<Scene> sampledFor(const Format& format, Scene scene,
                                       const std::optional<TimeSpan>& asked = std::nullopt);
/// Of the one item of a scene, from where to where frames are asked for; nothing where that is not known, or it is
/// still in its source.
[[nodiscard]] std::optional<TimeSpan> askedSpan(const Scene& scene, const std::vector<Intention>& meant);
/// What follows from scene, format and targets: names of pictures, rate, frames, counts, losses and size estimate.
[[nodiscard]] Status settle(PlannedOutput& output);

} // namespace wyc
