// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// From an order map to the step that puts an order right.
#include "match/order_map.h"
#include "steps/shape/point_order.h"

namespace wyc {

struct Reordering {
    PointOrder order;                  // of B: A's points that it has, in A's order, then what A has not
    std::vector<std::uint32_t> aOfNew; // for each new point the point of A; kNone: a point more
    std::size_t facesAlike = 0;        // faces of B that are faces of A …
    std::size_t facesTurned = 0;       // … walked the other way round
};
[[nodiscard]] Reordering reorderingOf(const OrderMap& map, const Topology& a, const Topology& b);

} // namespace wyc
