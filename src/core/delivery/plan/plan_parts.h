// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by both ways to plan an output.
#include "delivery/delivery.h"

namespace wyc {

[[nodiscard]] bool hasFaces(const Scene& scene);
/// The scene with the samples that the format needs: a numbered sequence has whole frames and nothing else; neither it
/// nor a point cache can hold a pose, so that rests are written frame by frame. `meant`: what its steps mean; of one
/// item from where to where frames are asked for, and which frames its source does not have. An error, with the frame,
/// where its points or faces change and the format has one number of them for all.
[[nodiscard]] Result<Scene> sampledFor(const Format& format, Scene scene, const std::vector<Intention>& meant = {});
/// What follows from scene, format and targets: names of pictures, rate, frames, counts, losses and size estimate.
[[nodiscard]] Status settle(PlannedOutput& output);

} // namespace wyc
