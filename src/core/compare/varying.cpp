// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/varying.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

struct Pose {
    std::vector<Vec3d> points; // in the world
    IdsPtr ids;
    std::uint64_t faces = 0; // hash
};

Result<Pose> poseAt(const Scene& scene, std::size_t node, double seconds) {
    const Geometry& geometry = *scene.nodes[node].geometry;
    WYC_TRY(placement, placementAt(scene, node, seconds));
    std::vector<Vec3f> points;
    WYC_CHECK(readPointsAt(geometry, seconds, points));
    WYC_TRY(ids, geometry.idsAt(seconds));
    WYC_TRY(topology, geometry.topologyAt(seconds));
    Pose pose;
    for (const Vec3f& p : points)
        pose.points.push_back(transformedPoint(Vec3d(p), placement.matrix));
    pose.ids = ids && ids->size() == points.size() ? ids : IdsPtr();
    pose.faces = topology->hash();
    return pose;
}

// B's points in the order of A's; nothing where an id of A is not there.
std::optional<std::vector<Vec3d>> inOrderOf(const Pose& a, const Pose& b) {
    if (!a.ids || !b.ids || *a.ids == *b.ids)
        return b.points;
    std::unordered_map<std::uint64_t, std::size_t> places;
    for (std::size_t i = 0; i < b.ids->size(); ++i)
        places.emplace((*b.ids)[i], i);
    std::vector<Vec3d> points;
    for (const std::uint64_t id : *a.ids) {
        const auto found = places.find(id);
        if (found == places.end())
            return std::nullopt;
        points.push_back(b.points[found->second]);
    }
    return points;
}

std::vector<double> timesOf(const Scene& scene, std::size_t node) {
    std::vector<double> times = scene.nodes[node].geometry->sampling().times();
    for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent)
        if (const TransformPtr& transform = scene.nodes[static_cast<std::size_t>(i)].transform)
            if (const auto own = transform->sampling().times(); own.size() > 1)
                times.insert(times.end(), own.begin(), own.end());
    sortMoments(times);
    return times;
}

} // namespace

Result<Reconciled> reconcileVarying(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                    const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                    const ReconcileSettings& settings, const Progress& progress) {
    Reconciled found;
    found.a = a->nodes[nodeA].path;
    found.b = b->nodes[nodeB].path;
    found.metres = a->unitMetres.value_or(1.0);
    found.order.by = "position";
    const auto tell = [&](const char* id, double figure, const char* unit, std::string text, std::string evidence) {
        if (std::none_of(found.causes.begin(), found.causes.end(), [&](const Cause& c) { return c.id == id; }))
            found.causes.push_back({id, figure, unit, 0.99, std::move(text), std::move(evidence), {}});
    };
    const auto samplesOf = [](const Scene& scene, std::size_t node) {
        return scene.nodes[node].geometry->sampling().times();
    };
    const std::vector<double> own = samplesOf(*a, nodeA);
    const std::vector<double> other = samplesOf(*b, nodeB);
    if (own.size() != other.size())
        tell("range", static_cast<double>(other.size()) - static_cast<double>(own.size()), "frames",
             fmt::format("{} samples, A has {}", groupedDigits(other.size()), groupedDigits(own.size())),
             "by the list of their times");
    else
        for (std::size_t i = 0; i < own.size(); ++i)
            if (std::abs(own[i] - other[i]) > 1e-6) {
                tell("range", 0.0, "frames", "its samples are at other times",
                     fmt::format("first at frame {}", frameText(snappedFrame(a->view.rate.frameAt(own[i])))));
                break;
            }
    std::vector<double> times = timesOf(*a, nodeA);
    const std::vector<double> more = timesOf(*b, nodeB);
    times.insert(times.end(), more.begin(), more.end());
    sortMoments(times);
    Drift drift;
    double sum = 0.0;
    std::size_t count = 0;
    for (std::size_t t = 0; t < times.size(); ++t) {
        WYC_CHECK(progress.poll());
        progress.report(static_cast<double>(t) / static_cast<double>(times.size()), "comparing", found.b);
        WYC_TRY(x, poseAt(*a, nodeA, times[t]));
        WYC_TRY(y, poseAt(*b, nodeB, times[t]));
        const double frame = snappedFrame(a->view.rate.frameAt(times[t]));
        found.order.certain = std::max(found.order.certain, y.points.size());
        const auto ordered = inOrderOf(x, y);
        if (x.points.size() != y.points.size() || !ordered) {
            tell("count", static_cast<double>(y.points.size()) - static_cast<double>(x.points.size()), "points",
                 x.points.size() == y.points.size()
                     ? fmt::format("other points are there at frame {}", frameText(frame))
                     : fmt::format("{} points at frame {}, A has {}", groupedDigits(y.points.size()), frameText(frame),
                                   groupedDigits(x.points.size())),
                 "the first sample that differs");
            continue;
        }
        if (x.faces != y.faces)
            tell("faces", 0.0, "faces", fmt::format("faces between other points at frame {}", frameText(frame)),
                 "the first sample that differs");
        double squares = 0.0;
        double largest = 0.0;
        for (std::size_t p = 0; p < x.points.size(); ++p) {
            const Vec3d off = (*ordered)[p] - x.points[p];
            const double far = length(off);
            if (!std::isfinite(far)) {
                if (std::isfinite(length(x.points[p])) != std::isfinite(length((*ordered)[p])) && drift.broken++ == 0) {
                    drift.brokenFrame = frame;
                    drift.brokenPoint = static_cast<std::uint32_t>(p);
                }
                continue;
            }
            squares += far * far;
            ++count;
            if (far > largest)
                largest = far;
            if (far > drift.largest) {
                drift.largest = far;
                drift.worstFrame = frame;
                drift.worstPoint = static_cast<std::uint32_t>(p);
            }
        }
        sum += squares;
        drift.frames.push_back(frame);
        drift.largestAt.push_back(largest);
        drift.rmsAt.push_back(x.points.empty() ? 0.0 : std::sqrt(squares / static_cast<double>(x.points.size())));
        ++drift.moments;
    }
    if (drift.moments > 0) {
        drift.rms = count > 0 ? std::sqrt(sum / static_cast<double>(count)) : 0.0;
        drift.p99 = drift.largest;
        if (drift.largest * found.metres > settings.toleranceMetres)
            tell("other_motion", drift.rms * found.metres * 1000.0, "mm", "its points are elsewhere",
                 fmt::format("{} off (RMS), {} at most, at {}", lengthText(drift.rms * found.metres),
                             lengthText(drift.largest * found.metres), frameText(drift.worstFrame)));
        if (drift.broken > 0)
            tell("not_finite", static_cast<double>(drift.broken), "values", "some of its places are no numbers",
                 fmt::format("first at frame {}", frameText(drift.brokenFrame)));
        found.drift = drift;
        found.undone = std::move(drift);
    }
    found.order.same = found.causes.empty();
    found.withinTolerance = found.causes.empty();
    return found;
}

} // namespace wyc
