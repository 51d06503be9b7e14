// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>

#include "maths/units.h"
#include "time/frame_rate.h"

namespace wyc {

/// What the work is for. What is not stated is not checked.
struct Shot {
    std::string name;
    std::optional<FrameRange> range; // without handles
    double handles = 0.0;
    std::optional<FrameRate> rate;
    std::optional<double> unitMetres;
    std::optional<UpAxis> upAxis;
    [[nodiscard]] std::optional<FrameRange> rangeWithHandles() const {
        return range ? std::optional(range->widened(handles)) : std::nullopt;
    }
    [[nodiscard]] FrameRate rateOrDefault() const { return rate.value_or(FrameRate()); }
    bool operator==(const Shot&) const = default;
};

} // namespace wyc
