// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a scene shows at a moment, worked out from its samples alone, as a reader of the file would: nothing here is
// shared with the steps, nor with the core's own evaluation.
#include <algorithm>
#include <cmath>
#include <map>

#include <gtest/gtest.h>

#include "plain/deformed.h"
#include "scene/channels.h"
#include "scene/components/camera.h"
#include "scene/components/light.h"
#include "scene/deform/deformers.h"
#include "support/scenes.h"

namespace wyc::test {

struct PlainPosition {
    std::size_t below = 0;
    std::size_t above = 0;
    double weight = 0.0;
};

[[nodiscard]] PlainPosition plainLocate(const Sampling& sampling, double t);

[[nodiscard]] double mixed(double a, double b, double w);

[[nodiscard]] Mat4 plainMatrix(const Scene& scene, std::size_t node, double t);

[[nodiscard]] bool plainVisible(const Scene& scene, std::size_t node, double t);

/// World points in double, keyed by id, or by number where there are no ids.
[[nodiscard]] std::map<std::uint64_t, Vec3d> plainPoints(const Scene& scene, std::size_t node, double t);

/// Numbers of a channel: straight lines between two samples of one size, directions of the length in between, else as
/// the sample before says.
[[nodiscard]] std::vector<double> plainNumbers(const Channel& channel, double t);

} // namespace wyc::test
