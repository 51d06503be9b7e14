// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a scene shows at a moment, worked out from its samples, and what its source says between them: few lines, slow,
// obvious. The proof judges the steps by it, so nothing here is shared with their evaluation or their choice of
// samples.
#include <vector>

#include "scene/channels.h"
#include "scene/scene.h"

namespace wyc {

/// Samples around a time: plain, without tolerance but for rounding.
struct PlainPosition {
    std::size_t below = 0;
    std::size_t above = 0;
    double weight = 0.0;
};
[[nodiscard]] PlainPosition plainPosition(const Sampling& sampling, double seconds);

/// What lies between two samples: straight lines, as a file of samples shows it; or, of a source that says more than
/// its samples (curves, turns along the sphere, skins), what that says.
enum class Between { Lines, AsTold };
[[nodiscard]] Result<Mat4> plainWorld(const Scene& scene, std::size_t node, double seconds,
                                      Between between = Between::Lines);
[[nodiscard]] bool plainVisible(const Scene& scene, std::size_t node, double seconds);

/// Points of a pose between two samples: those that have a successor are on their way to it.
struct PlainPose {
    std::vector<Vec3f> below;
    std::vector<Vec3f> above;          // in the order of `below`; empty = nothing lies between
    std::vector<std::uint8_t> follows; // whether a point has a successor; empty = all
    double weight = 0.0;
    [[nodiscard]] Vec3d at(std::size_t i) const {
        if (weight == 0.0 || above.empty() || (!follows.empty() && !follows[i]))
            return Vec3d(below[i]);
        const Vec3d from(below[i]);
        return from + (Vec3d(above[i]) - from) * weight;
    }
};
/// `count` points from number `first` on, as many as are there.
[[nodiscard]] Result<PlainPose> plainPose(const Geometry& shape, double seconds, std::size_t first, std::size_t count,
                                          Between between = Between::Lines);

/// Numbers of a channel: in straight lines between two samples of one size, directions of the length in between, else
/// as the sample before says; likewise where elements have other values of it by number. `atSample`: the time is one of
/// its samples.
struct PlainNumbers {
    std::vector<double> numbers;
    bool atSample = true;
};
/// Whether elements have their values by the same numbers at both times; true where they have them in turn.
[[nodiscard]] Result<bool> haveOneNumbering(const Channel& channel, double earlier, double later);
[[nodiscard]] Result<PlainNumbers> plainNumbers(const Channel& channel, double seconds,
                                                Between between = Between::Lines);

} // namespace wyc
