// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The chain of steps that a delivery or a conversion adds behind an item's own: one function, one order.
#include "delivery/delivery.h"

namespace wyc {

struct ChainSpec {
    bool world = false;
    bool transforms = true;                                  // the target has them; else they go into the points
    bool ownSpace = false;                                   // but where these are wanted in their own space
    std::optional<std::pair<std::string, std::string>> unit; // from, to: as the unit step takes them
    double scale = 1.0;
    std::optional<std::pair<UpAxis, UpAxis>> up; // from, to
    double lead = 0.0;                           // frames left out at the start
    std::optional<FrameRate> rate;               // resampled to it
    std::string resample = "linear";
    double offset = 0.0;
    std::optional<FrameRange> range; // in frames of `rangeRate`, or of the scene
    std::optional<FrameRate> rangeRate;
    double handles = 0.0;
    std::string frames;
    int every = 1;
    std::optional<double> length;
    std::optional<ShutterSpec> shutter;
    std::optional<double> firstFrame;
    bool together = false; // a first frame that no range numbers is left to `startTogether`
};

/// The order in which they act: to world space, unit, scale, up axis, lead, rate (where it is the range's), offset,
/// range and handles, chosen frames, every n-th, rate (where it is another), length, shutter, first frame.
[[nodiscard]] std::vector<Step> chainOf(const Scene& scene, const ChainSpec& spec);

/// For steps that come behind the chain: what they placed goes into the points where the target has no transforms.
[[nodiscard]] std::optional<Step> placesIntoPoints(const Scene& scene, const ChainSpec& spec);

/// The scene, with what becomes of the transforms told of each item where the format has none and the chain puts them
/// into the points.
[[nodiscard]] Scene tellingOfPlaces(Scene scene, const Format& format);

/// What goes together stays in step: one step for each of the scenes as they came out of their chains, so that the
/// earliest of all begins at the first frame. A chain that numbers its range needs none (see numbersItsRange).
[[nodiscard]] std::vector<Step> startTogether(const std::vector<const Scene*>& scenes, double firstFrame);
[[nodiscard]] bool numbersItsRange(const Scene& scene, const ChainSpec& spec);

} // namespace wyc
