// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/causes/smoothing.h"

#include <algorithm>
#include <array>
#include <cmath>

#include <Eigen/Cholesky>

namespace wyc {

SmoothingFit::SmoothingFit(const Topology& topology, std::size_t points) : starts_(points + 1, 0) {
    if (!topology.fits(points))
        return;
    // Each point with the neighbours that any of its faces names, then without those that several name.
    const auto eachEdge = [&](const auto& act) {
        std::size_t at = 0;
        for (const std::int32_t size : topology.faceSizes()) {
            const auto n = static_cast<std::size_t>(size);
            for (std::size_t k = 0; k < n; ++k)
                act(static_cast<std::uint32_t>(topology.corners()[at + k]),
                    static_cast<std::uint32_t>(topology.corners()[at + (k + 1) % n]));
            at += n;
        }
    };
    std::vector<std::size_t> ends(points + 1, 0);
    eachEdge([&](std::uint32_t p, std::uint32_t q) {
        ++ends[p + 1];
        ++ends[q + 1];
    });
    for (std::size_t p = 0; p < points; ++p)
        ends[p + 1] += ends[p];
    std::vector<std::size_t> next(ends.begin(), ends.end() - 1);
    std::vector<std::uint32_t> named(ends.back());
    eachEdge([&](std::uint32_t p, std::uint32_t q) {
        named[next[p]++] = q;
        named[next[q]++] = p;
    });
    neighbours_.reserve(named.size() / 2);
    for (std::size_t p = 0; p < points; ++p) {
        const auto first = named.begin() + static_cast<std::ptrdiff_t>(ends[p]);
        const auto last = named.begin() + static_cast<std::ptrdiff_t>(ends[p + 1]);
        std::sort(first, last);
        neighbours_.insert(neighbours_.end(), first, std::unique(first, last));
        starts_[p + 1] = neighbours_.size();
    }
}

// From every point to the middle of its neighbours.
std::vector<Vec3d> SmoothingFit::umbrellas(const std::vector<Vec3d>& values) const {
    std::vector<Vec3d> result(values.size());
    for (std::size_t p = 0; p < values.size(); ++p) {
        const std::size_t first = starts_[p];
        const std::size_t last = starts_[p + 1];
        if (first == last)
            continue;
        Vec3d sum;
        for (std::size_t k = first; k < last; ++k)
            sum = sum + values[neighbours_[k]];
        result[p] = sum * (1.0 / static_cast<double>(last - first)) - values[p];
    }
    return result;
}

namespace {
constexpr double kMoved = 1e-12; // of the square of a place: beyond what float32 rounds
}

bool SmoothingFit::add(const std::vector<Vec3d>& before, const std::vector<Vec3d>& after) {
    last_ = {};
    std::array<std::vector<Vec3d>, kRounds> rounds;
    for (std::size_t r = 0; r < kRounds; ++r)
        rounds[r] = umbrellas(r == 0 ? before : rounds[r - 1]);
    for (std::size_t p = 0; p < before.size(); ++p) {
        const Vec3d off = after[p] - before[p];
        if (!std::isfinite(dot(off, off)))
            return false;
        ++last_.count;
        // A part may have been smoothed: what has not moved says nothing of how.
        if (!(dot(off, off) > kMoved * dot(before[p], before[p])))
            continue;
        last_.moved += dot(off, off);
        ++last_.movedCount;
        for (std::size_t r = 0; r < kRounds; ++r) {
            last_.wanted(static_cast<Eigen::Index>(r)) += dot(rounds[r][p], off);
            for (std::size_t q = 0; q < kRounds; ++q)
                last_.products(static_cast<Eigen::Index>(r), static_cast<Eigen::Index>(q)) +=
                    dot(rounds[r][p], rounds[q][p]);
        }
    }
    all_.products += last_.products;
    all_.wanted += last_.wanted;
    all_.moved += last_.moved;
    all_.count += last_.count;
    all_.movedCount += last_.movedCount;
    return true;
}

std::optional<Smoothing> SmoothingFit::Sums::fitted() const {
    // A few points are explained by any three weights.
    constexpr std::size_t kLeastPoints = 24;
    if (!(moved > 0.0) || !(products(0, 0) > 0.0) || movedCount < std::max(kLeastPoints, count / 20))
        return std::nullopt;
    const Eigen::Vector3d weights = products.ldlt().solve(wanted);
    if (!weights.allFinite())
        return std::nullopt;
    const double left = std::max(0.0, moved - 2.0 * weights.dot(wanted) + weights.dot(products * weights));
    const auto number = static_cast<double>(count);
    return Smoothing{weights(0), std::sqrt(moved / number), std::sqrt(left / number)};
}

} // namespace wyc
