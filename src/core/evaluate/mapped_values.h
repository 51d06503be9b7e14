// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Values on a scene seen through a time map: for mapped.cpp.
#include "evaluate/chosen_times.h"
#include "scene/channels.h"

namespace wyc {

// Weight of pose i divided by the sum of weights 0 … i, so that mixing one after another gives the weighted sum.
template<class Mix> Status mixInTurn(const std::vector<TimedPose>& poses, const Mix& mix) {
    double sum = poses.front().weight;
    for (std::size_t i = 1; i < poses.size(); ++i) {
        sum += poses[i].weight;
        WYC_CHECK(mix(poses[i], poses[i].weight / sum));
    }
    return {};
}

/// What is shown of a shape at a moment: the poses of the map; where points come and go between the first of them and
/// the one that holds then, that one alone, as its numbers are those that count.
[[nodiscard]] Result<std::vector<TimedPose>> posesShown(const Geometry& shape, const TimeMap& map, double seconds);

/// Later, earlier, slower or faster: every sample stays one, and between them all is as it was.
[[nodiscard]] bool movedAsAWhole(const TimeMap& map, const View& view);

/// Every channel through the map, and then at what is wanted. Velocities are those of the motion that is shown.
/// `carrier`: the shape that they lie on, before the map, and `shown`, after it; null where there is none.
/// `carried`: it stands at the top, and goes where the map carries it.
[[nodiscard]] PropertiesPtr mappedProperties(const PropertiesPtr& properties, const TimeMap& map, const View& view,
                                             const GeometryPtr& carrier = nullptr, const GeometryPtr& shown = nullptr,
                                             bool carried = false);

} // namespace wyc
