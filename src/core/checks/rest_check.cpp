// SPDX-License-Identifier: GPL-3.0-or-later
// Whether the points of a cache can belong to its rest mesh, by the lengths of edges.
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/check.h"

namespace wyc {
namespace {

// RMS distance of points from their middle.
double spreadOf(std::span<const Vec3f> points) {
    Vec3d middle;
    double count = 0.0;
    for (const Vec3f& p : points)
        if (isFinite(p)) {
            middle = middle + Vec3d(p);
            count += 1.0;
        }
    if (count == 0.0)
        return 0.0;
    middle = middle * (1.0 / count);
    double sum = 0.0;
    for (const Vec3f& p : points)
        if (isFinite(p))
            sum += dot(Vec3d(p) - middle, Vec3d(p) - middle);
    return std::sqrt(sum / count);
}

} // namespace

void checkRestOrder(const CheckInput& input, std::vector<Finding>& findings) {
    constexpr double kTorn = 6.0;     // times as long as at rest, the size of the whole taken out
    constexpr double kTooMany = 0.25; // share of edges
    for (const MeasuredItem& item : input.items) {
        if (item.restPoses.empty() || !item.restTopology || !item.at().geometry || !item.profile ||
            item.profile->count() == 0)
            continue;
        const std::vector<Vec3f>& rest = *item.restPoses.front();
        std::vector<Vec3f> pose;
        const std::size_t sample = firstSampleIsStale(item) ? 1 : 0;
        if (!readPoints(*item.at().geometry, sample, pose) || pose.size() != rest.size() ||
            !item.restTopology->fits(rest.size()))
            continue;
        const double restSpread = spreadOf(rest);
        const double poseSpread = spreadOf(pose);
        if (!(restSpread > 0.0) || !(poseSpread > 0.0))
            continue;
        const double scale = poseSpread / restSpread;
        std::size_t edges = 0;
        std::size_t torn = 0;
        std::size_t corner = 0;
        for (const std::int32_t size : item.restTopology->faceSizes()) {
            for (std::int32_t k = 0; k < size; ++k) {
                const auto a =
                    static_cast<std::size_t>(item.restTopology->corners()[corner + static_cast<std::size_t>(k)]);
                const auto b = static_cast<std::size_t>(
                    item.restTopology->corners()[corner + static_cast<std::size_t>((k + 1) % size)]);
                const double before = length(Vec3d(rest[a]) - Vec3d(rest[b]));
                const double now = length(Vec3d(pose[a]) - Vec3d(pose[b]));
                if (!(before > 0.0) || !std::isfinite(now))
                    continue;
                ++edges;
                torn += now > kTorn * scale * before;
            }
            corner += static_cast<std::size_t>(size);
        }
        if (edges == 0 || static_cast<double>(torn) < kTooMany * static_cast<double>(edges))
            continue;
        const double share = 100.0 * static_cast<double>(torn) / static_cast<double>(edges);
        findings.push_back(
            {"order.not_of_rest",
             Severity::Fault,
             item.label,
             item.frameAt(sample),
             share,
             "% of edges",
             fmt::format(
                 "Its points stand in another order than those of its rest mesh: {:.0f} % of the edges are more "
                 "than {:.0f} times as long as at rest from the first frame on",
                 share, kTorn),
             "Give the mesh it was baked from; or lay it against a cache whose order is right (the Reconcile desk, wyc "
             "compare): that tells the order and puts it right",
             {},
             {}});
    }
}

} // namespace wyc
