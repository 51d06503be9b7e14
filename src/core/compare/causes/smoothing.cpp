// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/causes/smoothing.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Cholesky>
#include <Eigen/Core>

namespace wyc {
namespace {

constexpr int kRounds = 3;

// Neighbours of every point along edges, one after another.
struct Neighbours {
    std::vector<std::size_t> starts;
    std::vector<std::uint32_t> points;
};

Neighbours neighboursOf(const Topology& topology, std::size_t count) {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
    std::size_t at = 0;
    for (const std::int32_t size : topology.faceSizes()) {
        const auto n = static_cast<std::size_t>(size);
        for (std::size_t k = 0; k < n; ++k) {
            const auto p = static_cast<std::uint32_t>(topology.corners()[at + k]);
            const auto q = static_cast<std::uint32_t>(topology.corners()[at + (k + 1) % n]);
            edges.emplace_back(p, q);
            edges.emplace_back(q, p);
        }
        at += n;
    }
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    Neighbours made{std::vector<std::size_t>(count + 1, 0), {}};
    for (const auto& [p, q] : edges) {
        ++made.starts[p + 1];
        made.points.push_back(q);
    }
    for (std::size_t p = 0; p < count; ++p)
        made.starts[p + 1] += made.starts[p];
    return made;
}

// From every point to the middle of its neighbours.
std::vector<Vec3d> umbrellas(const Neighbours& neighbours, const std::vector<Vec3d>& values) {
    std::vector<Vec3d> result(values.size());
    for (std::size_t p = 0; p < values.size(); ++p) {
        const std::size_t first = neighbours.starts[p];
        const std::size_t last = neighbours.starts[p + 1];
        if (first == last)
            continue;
        Vec3d sum;
        for (std::size_t k = first; k < last; ++k)
            sum = sum + values[neighbours.points[k]];
        result[p] = sum * (1.0 / static_cast<double>(last - first)) - values[p];
    }
    return result;
}

} // namespace

std::optional<Smoothing> smoothingOf(const Topology& topology, const std::vector<SmoothedMoment>& moments) {
    if (moments.empty() || topology.faceCount() == 0 || !topology.fits(moments.front().before.size()))
        return std::nullopt;
    const Neighbours neighbours = neighboursOf(topology, moments.front().before.size());
    Eigen::Matrix3d products = Eigen::Matrix3d::Zero();
    Eigen::Vector3d wanted = Eigen::Vector3d::Zero();
    double moved = 0.0;
    std::size_t count = 0;
    for (const SmoothedMoment& moment : moments) {
        std::array<std::vector<Vec3d>, kRounds> rounds;
        for (std::size_t r = 0; r < kRounds; ++r)
            rounds[r] = umbrellas(neighbours, r == 0 ? moment.before : rounds[r - 1]);
        for (std::size_t p = 0; p < moment.before.size(); ++p) {
            const Vec3d off = moment.after[p] - moment.before[p];
            if (!std::isfinite(dot(off, off)))
                return std::nullopt;
            moved += dot(off, off);
            ++count;
            for (std::size_t r = 0; r < kRounds; ++r) {
                wanted(static_cast<Eigen::Index>(r)) += dot(rounds[r][p], off);
                for (std::size_t q = 0; q < kRounds; ++q)
                    products(static_cast<Eigen::Index>(r), static_cast<Eigen::Index>(q)) +=
                        dot(rounds[r][p], rounds[q][p]);
            }
        }
    }
    if (!(moved > 0.0) || !(products(0, 0) > 0.0))
        return std::nullopt;
    const Eigen::Vector3d weights = products.ldlt().solve(wanted);
    if (!weights.allFinite())
        return std::nullopt;
    const double left = std::max(0.0, moved - 2.0 * weights.dot(wanted) + weights.dot(products * weights));
    const auto number = static_cast<double>(count);
    return Smoothing{weights(0), std::sqrt(moved / number), std::sqrt(left / number)};
}

} // namespace wyc
