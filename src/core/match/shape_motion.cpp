// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/shape_motion.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>

#include "base/parallel.h"
#include "base/reused.h"
#include "evaluate/mapped.h"

namespace wyc {

std::vector<double> someOf(const std::vector<double>& times, std::size_t most) {
    if (times.size() <= most || most < 2)
        return times;
    std::vector<double> some;
    for (std::size_t i = 0; i < most; ++i)
        some.push_back(times[i * (times.size() - 1) / (most - 1)]);
    return some;
}

Result<ShapeMotion> ShapeMotion::of(std::shared_ptr<const Scene> scene, std::size_t node) {
    ShapeMotion motion;
    const Node& it = scene->nodes.at(node);
    if (!it.geometry)
        return fail(makeError(ErrorKind::BadInput, "it has no points to compare").forItem(it.path));
    const Geometry& shape = *it.geometry;
    if (shape.sampling().count() == 0)
        return fail(makeError(ErrorKind::BadInput, "it has no samples").forItem(it.path));
    WYC_TRY(points, shape.pointCount(0));
    if (points == 0)
        return fail(makeError(ErrorKind::BadInput, "it has no points").forItem(it.path));
    if (shape.topologyVaries())
        for (std::size_t s = 1; s < shape.sampling().count(); ++s) {
            WYC_TRY(count, shape.pointCount(s));
            if (count != points)
                return fail(makeError(ErrorKind::BadInput, "its points change in number: no point stays the same one")
                                .forItem(it.path)
                                .withAdvice("Compare a range in which they do not"));
        }
    WYC_TRY(topology, shape.topology(0));
    std::vector<Sampling> samplings;
    if (!shape.pointsConstant())
        samplings.push_back(shape.sampling());
    for (int i = static_cast<int>(node); i >= 0; i = scene->nodes[static_cast<std::size_t>(i)].parent)
        if (const TransformPtr& transform = scene->nodes[static_cast<std::size_t>(i)].transform;
            transform && !transform->constant())
            samplings.push_back(transform->sampling());
    motion.times_ = commonSampling(samplings).times();
    if (samplings.empty())
        motion.times_ = shape.sampling().times();
    motion.scene_ = std::move(scene);
    motion.node_ = node;
    motion.points_ = points;
    motion.topology_ = std::move(topology);
    return motion;
}

Result<double> ShapeMotion::extent(const Progress& progress) const {
    if (!extent_) {
        WYC_TRY(all, extentOfAll(progress));
        extent_ = all;
    }
    return *extent_;
}

Result<double> ShapeMotion::extentOfAll(const Progress& progress) const {
    if (times_.size() < 2)
        return 0.0;
    // Mostly a few moments tell; that it rests, only all do.
    double most = 0.0;
    for (const std::size_t moments : {std::size_t{8}, times_.size()}) {
        const std::vector<double> some = someOf(times_, moments);
        WYC_TRY(first, placedAt(some.front()));
        Vec3d middle;
        const auto isThere = [](const Vec3d& p) { return std::isfinite(dot(p, p)); };
        for (const Vec3d& p : first)
            if (isThere(p))
                middle = middle + p * (1.0 / static_cast<double>(first.size()));
        double spread = 0.0;
        for (const Vec3d& p : first)
            if (isThere(p))
                spread += dot(p - middle, p - middle);
        for (std::size_t t = 1; t < some.size(); ++t) {
            WYC_CHECK(progress.poll());
            WYC_TRY(now, placedAt(some[t]));
            double way = 0.0;
            for (std::size_t i = 0; i < now.size(); ++i)
                if (const double far = dot(now[i] - first[i], now[i] - first[i]); std::isfinite(far))
                    way += far;
            most = std::max(most, spread > 0.0 ? std::sqrt(way / spread) : way > 0.0 ? 1.0 : 0.0);
        }
        if (most > 0.02)
            break;
    }
    return most;
}

Status ShapeMotion::readAt(double seconds, std::vector<Vec3f>& points, Mat4& place) const {
    points.resize(points_);
    WYC_CHECK(item().geometry->readAt(seconds, 0, points));
    WYC_TRY(placement, placementAt(*scene_, node_, seconds));
    place = placement.matrix;
    return {};
}

Result<std::vector<Vec3d>> ShapeMotion::placedAt(double seconds) const {
    std::vector<Vec3f> points;
    Mat4 place;
    WYC_CHECK(readAt(seconds, points, place));
    std::vector<Vec3d> placed(points.size());
    for (std::size_t i = 0; i < points.size(); ++i)
        placed[i] = transformedPoint(Vec3d(points[i]), place);
    return placed;
}

Result<Track> ShapeMotion::read(const std::vector<std::uint32_t>* which, const std::vector<double>& times,
                                const Progress& progress) const {
    return read(which, times, true, progress);
}

Result<Track> ShapeMotion::readLocal(const std::vector<std::uint32_t>* which, const std::vector<double>& times,
                                     const Progress& progress) const {
    return read(which, times, false, progress);
}

Result<Track> ShapeMotion::read(const std::vector<std::uint32_t>* which, const std::vector<double>& times, bool world,
                                const Progress& progress) const {
    Track track;
    track.times = times;
    const std::size_t columns = which ? which->size() : points_;
    track.xyz.resize(static_cast<Eigen::Index>(3 * times.size()), static_cast<Eigen::Index>(columns));
    Reused<std::vector<Vec3f>> lender;
    WYC_CHECK(parallelFor(times.size(), progress, [&](std::size_t t) -> Status {
        auto lent = lender.lend();
        std::vector<Vec3f>& points = *lent;
        points.resize(points_);
        WYC_CHECK(item().geometry->readAt(times[t], 0, points));
        Mat4 place;
        if (world) {
            WYC_TRY(placement, placementAt(*scene_, node_, times[t]));
            place = placement.matrix;
        }
        const auto row = static_cast<Eigen::Index>(3 * t);
        for (std::size_t i = 0; i < columns; ++i) {
            const Vec3d p = transformedPoint(Vec3d(points[which ? (*which)[i] : i]), place);
            track.xyz.block<3, 1>(row, static_cast<Eigen::Index>(i)) << p.x, p.y, p.z;
        }
        return {};
    }));
    return track;
}

Result<std::vector<std::uint32_t>> ShapeMotion::coinciding(const std::vector<double>& times) const {
    // Points as texts of their places, sorted: equal ones stand side by side.
    std::vector<std::vector<Vec3f>> samples;
    for (const double t : times) {
        std::vector<Vec3f>& points = samples.emplace_back(points_);
        WYC_CHECK(item().geometry->readAt(t, 0, points));
        for (Vec3f& p : points) // zero has two signs
            p = {p.x + 0.0F, p.y + 0.0F, p.z + 0.0F};
    }
    const auto before = [&](std::uint32_t a, std::uint32_t b) {
        for (const auto& points : samples)
            if (const int order = std::memcmp(&points[a], &points[b], sizeof(Vec3f)); order != 0)
                return order < 0;
        return a < b;
    };
    const auto equal = [&](std::uint32_t a, std::uint32_t b) {
        return std::all_of(samples.begin(), samples.end(),
                           [&](const auto& points) { return std::memcmp(&points[a], &points[b], sizeof(Vec3f)) == 0; });
    };
    std::vector<std::uint32_t> sorted(points_);
    std::iota(sorted.begin(), sorted.end(), 0U);
    std::sort(sorted.begin(), sorted.end(), before);
    std::vector<std::uint32_t> standIn(points_);
    for (std::size_t i = 0; i < sorted.size();) {
        std::size_t end = i + 1;
        while (end < sorted.size() && equal(sorted[i], sorted[end]))
            ++end;
        for (std::size_t k = i; k < end; ++k)
            standIn[sorted[k]] = sorted[i];
        i = end;
    }
    return standIn;
}

} // namespace wyc
