// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A scene seen through a time map.
#include "evaluate/chosen_times.h"

namespace wyc {

/// Every track of the scene through the map, and then at what is wanted; `result.view` is `view`. Points follow their
/// ids where they have some and are never mixed across other faces; velocities and shutters follow the map's speed.
/// `ofPoints`: the map of points and of what is said on their nodes, where it is another one.
[[nodiscard]] Scene mappedScene(const Scene& scene, const TimeMap& map, const View& view,
                                const TimeMap* ofPoints = nullptr);

/// For who knows nothing but straight lines between samples: tracks that go otherwise get a sample at every whole frame
/// of theirs too. As it is where there are none.
[[nodiscard]] Scene inStraightLines(Scene scene);

} // namespace wyc
