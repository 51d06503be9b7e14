// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/shape_pair.h"

#include <algorithm>
#include <numeric>

namespace wyc {

std::vector<std::uint32_t> inTurn(std::size_t count) {
    std::vector<std::uint32_t> numbers(count);
    std::iota(numbers.begin(), numbers.end(), 0U);
    return numbers;
}

std::vector<std::uint32_t> spreadOver(const std::vector<std::uint32_t>& all, std::size_t most) {
    if (all.size() <= most)
        return all;
    std::vector<std::uint32_t> some;
    std::uint64_t state = 0x9E3779B97F4A7C15U;
    for (std::size_t i = 0; i < most; ++i) {
        const std::size_t low = i * all.size() / most;
        const std::size_t high = (i + 1) * all.size() / most;
        state = state * 6364136223846793005U + 1442695040888963407U;
        some.push_back(all[low + (state >> 33) % std::max<std::size_t>(1, high - low)]);
    }
    return some;
}

} // namespace wyc
