// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <utility>
#include <vector>

namespace wyc {

/// The value in the middle of some, the upper of two; there must be one.
template<class T> [[nodiscard]] T middleOf(std::vector<T> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// The step from one to the next in the middle of all steps of a list; 0 of fewer than two.
[[nodiscard]] inline double middleStep(const std::vector<double>& list) {
    std::vector<double> steps;
    for (std::size_t i = 1; i < list.size(); ++i)
        steps.push_back(list[i] - list[i - 1]);
    return steps.empty() ? 0.0 : middleOf(std::move(steps));
}

} // namespace wyc
