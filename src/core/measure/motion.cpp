// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/motion.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>
#include <mutex>
#include <unordered_map>

#include <Eigen/Geometry>

#include "base/middle.h"
#include "base/parallel.h"

namespace wyc {
namespace {

constexpr std::size_t kBlock = 16;
constexpr float kNotMeasured = std::numeric_limits<float>::quiet_NaN();

struct SampleBuffer {
    std::vector<Vec3f> points;
    std::vector<std::uint64_t> ids; // of points that come and go; empty without
    bool valid = false;
    std::uint64_t topology = 0;
};

struct StepFigure {
    float rms = kNotMeasured;
    float farthest = kNotMeasured;
    std::uint32_t point = 0; // of the later sample
};

// Of points that stand for one another; those that are not finite are passed over.
StepFigure stepOf(std::span<const Vec3f> before, std::span<const Vec3f> after) {
    if (before.size() != after.size())
        return {};
    double sum = 0.0;
    std::size_t count = 0;
    float largest = 0.0F;
    StepFigure result;
    for (std::size_t i = 0; i < before.size(); ++i) {
        const Vec3f d{before[i].x - after[i].x, before[i].y - after[i].y, before[i].z - after[i].z};
        const float square = d.x * d.x + d.y * d.y + d.z * d.z;
        if (!std::isfinite(square))
            continue;
        sum += static_cast<double>(square);
        ++count;
        if (square > largest) {
            largest = square;
            result.point = static_cast<std::uint32_t>(i);
        }
    }
    result.rms = count == 0 ? 0.0F : static_cast<float>(std::sqrt(sum / static_cast<double>(count)));
    result.farthest = std::sqrt(largest);
    return result;
}

// Of the points that both samples hold; nothing when they share none.
StepFigure stepOfSameIds(const SampleBuffer& before, const SampleBuffer& after) {
    std::unordered_map<std::uint64_t, std::size_t> places;
    places.reserve(before.ids.size());
    for (std::size_t i = 0; i < before.ids.size(); ++i)
        places.emplace(before.ids[i], i);
    std::vector<Vec3f> a;
    std::vector<Vec3f> b;
    std::vector<std::uint32_t> numbers;
    for (std::size_t i = 0; i < after.ids.size(); ++i)
        if (const auto found = places.find(after.ids[i]); found != places.end()) {
            a.push_back(before.points[found->second]);
            b.push_back(after.points[i]);
            numbers.push_back(static_cast<std::uint32_t>(i));
        }
    if (a.empty())
        return {};
    StepFigure result = stepOf(a, b);
    result.point = numbers[result.point];
    return result;
}

} // namespace

std::vector<std::size_t> framesMissingBefore(const std::vector<double>& frames) {
    if (frames.size() < 3)
        return {};
    std::vector<double> steps;
    for (std::size_t i = 1; i < frames.size(); ++i)
        steps.push_back(frames[i] - frames[i - 1]);
    const double usual = middleOf(steps);
    const double least = usual < 1.0 - kFrameTolerance ? 1.0 + kFrameTolerance : usual * 1.5;
    std::vector<std::size_t> result;
    for (std::size_t i = 0; i < steps.size(); ++i)
        if (steps[i] >= least)
            result.push_back(i + 1);
    return result;
}

float rmsDistance(std::span<const Vec3f> a, std::span<const Vec3f> b) {
    return stepOf(a, b).rms;
}

double bendShare(std::span<const Vec3f> a, std::span<const Vec3f> b) {
    constexpr std::size_t kMost = 2000;
    const std::size_t step = std::max<std::size_t>(1, a.size() / kMost);
    std::vector<std::size_t> chosen;
    for (std::size_t i = 0; i < std::min(a.size(), b.size()); i += step)
        if (isFinite(a[i]) && isFinite(b[i]))
            chosen.push_back(i);
    if (chosen.size() < 4)
        return 0.0;
    Eigen::Matrix3Xd from(3, static_cast<Eigen::Index>(chosen.size()));
    Eigen::Matrix3Xd to(3, static_cast<Eigen::Index>(chosen.size()));
    for (std::size_t k = 0; k < chosen.size(); ++k) {
        const auto column = static_cast<Eigen::Index>(k);
        const Vec3d p(a[chosen[k]]);
        const Vec3d q(b[chosen[k]]);
        from.col(column) = Eigen::Vector3d(p.x, p.y, p.z);
        to.col(column) = Eigen::Vector3d(q.x, q.y, q.z);
    }
    const double way = (to - from).squaredNorm();
    if (!(way > 0.0))
        return 0.0;
    const Eigen::Matrix4d fit = Eigen::umeyama(from, to, false);
    const Eigen::Matrix3Xd left = (fit.topLeftCorner<3, 3>() * from).colwise() + fit.topRightCorner<3, 1>();
    return std::min(1.0, std::sqrt((to - left).squaredNorm() / way));
}

DriftFigure driftOf(std::span<const Vec3f> a, std::span<const Vec3f> b) {
    DriftFigure result;
    if (a.size_bytes() == b.size_bytes() && (a.empty() || std::memcmp(a.data(), b.data(), a.size_bytes()) == 0))
        return result;
    double sum = 0.0;
    double largest = -1.0;
    const std::size_t count = std::min(a.size(), b.size());
    for (std::size_t i = 0; i < count; ++i) {
        if (std::memcmp(&a[i], &b[i], sizeof(Vec3f)) == 0)
            continue;
        const Vec3d gap = Vec3d(b[i]) - Vec3d(a[i]);
        double square = dot(gap, gap);
        if (!std::isfinite(square))
            square = std::numeric_limits<double>::infinity();
        sum += square;
        if (square > largest) {
            largest = square;
            result.point = i;
        }
    }
    result.largest = std::sqrt(std::max(0.0, largest));
    result.rms = count ? std::sqrt(sum / static_cast<double>(count)) : 0.0;
    return result;
}

float MotionProfile::speedAt(std::size_t sample) const {
    if (sample == 0 || sample >= count())
        return kNotMeasured;
    const double seconds = times[sample] - times[sample - 1];
    return seconds > 0.0 ? static_cast<float>(static_cast<double>(step[sample]) / seconds) : kNotMeasured;
}

bool MotionProfile::moves() const {
    for (std::size_t i = 1; i < count(); ++i)
        if (!sameAsPrevious[i] && !(step[i] == 0.0F))
            return true;
    return false;
}

SampleReader::SampleReader(const Scene& scene, std::size_t node) : scene_(&scene), node_(node) {
    const Geometry& geometry = *scene.nodes[node].geometry;
    pointsMove_ = geometry.sampling().count() > 1;
    const Sampling* sampling = &geometry.sampling();
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const TransformPtr& transform = scene.nodes[static_cast<std::size_t>(at)].transform;
        if (transform && !transform->constant() && !pointsMove_ && transform->sampling().count() > sampling->count())
            sampling = &transform->sampling();
    }
    times_ = sampling->times();
}

Status SampleReader::points(std::size_t sample, std::vector<Vec3f>& into) const {
    WYC_CHECK(readPoints(*scene_->nodes[node_].geometry, pointSample(sample), into));
    return place(sample, into);
}

Status SampleReader::place(std::size_t sample, std::span<Vec3f> points) const {
    WYC_TRY(placement, placementAt(*scene_, node_, times_[sample]));
    if (!placement.matrix.isIdentity())
        for (Vec3f& p : points)
            p = transformedPoint(p, placement.matrix);
    return {};
}

namespace {

// Measures the samples of a shape block by block, each block with the sample before it.
class Measuring {
  public:
    Measuring(const Scene& scene, std::size_t node)
        : scene_(scene), node_(node), geometry_(*scene.nodes[node].geometry), reader_(scene, node) {
        const std::size_t count = reader_.times().size();
        profile_.times = reader_.times();
        profile_.step.assign(count, kNotMeasured);
        profile_.farthest.assign(count, kNotMeasured);
        profile_.farthestPoint.assign(count, 0);
        profile_.pointCounts.assign(count, 0);
        profile_.topologies.assign(count, 0);
        profile_.bounds.assign(count, {});
        same_.assign(count, 0);
    }
    [[nodiscard]] std::size_t count() const { return same_.size(); }
    Status measureBlock(std::size_t block, const Progress& progress);
    [[nodiscard]] MotionProfile done();

  private:
    Status fetch(std::size_t i, SampleBuffer& buffer) const;
    void noteNotFinite(std::size_t i, const std::vector<Vec3f>& points);
    void noteStep(std::size_t i, const SampleBuffer& previous, const SampleBuffer& current);

    const Scene& scene_;
    std::size_t node_;
    const Geometry& geometry_;
    SampleReader reader_;
    MotionProfile profile_;
    std::vector<char> same_;
    std::vector<Vec3f> firstPoints_;
    std::vector<Vec3f> lastPoints_;
    std::mutex mutex_; // over the lists of what is wrong
    std::atomic<std::size_t> finished_{0};
};

Status Measuring::fetch(std::size_t i, SampleBuffer& buffer) const {
    const std::size_t sample = reader_.pointSample(i);
    buffer.valid = false;
    WYC_CHECK(readPoints(geometry_, sample, buffer.points));
    WYC_TRY(topology, geometry_.topology(sample));
    buffer.topology = topology->hash();
    buffer.ids.clear();
    // Points that are born and die are known by their numbers.
    if (geometry_.topologyVaries()) {
        WYC_TRY(numbers, geometry_.ids(sample));
        if (numbers)
            buffer.ids = *numbers;
    }
    buffer.valid = true;
    return {};
}

void Measuring::noteNotFinite(std::size_t i, const std::vector<Vec3f>& points) {
    std::size_t bad = 0;
    NonFinite first;
    for (std::size_t p = 0; p < points.size(); ++p) {
        if (isFinite(points[p]))
            continue;
        if (bad++ == 0) {
            const Vec3f& v = points[p];
            const std::size_t axis = !std::isfinite(v.x) ? 0 : !std::isfinite(v.y) ? 1 : 2;
            first = {i, p, "xyz"[axis], 0, std::nullopt};
            if (const auto at = geometry_.byteOfPoints(reader_.pointSample(i)))
                first.byte = *at + p * 12 + axis * 4;
        }
    }
    if (bad == 0)
        return;
    first.countInSample = bad;
    const std::lock_guard lock(mutex_);
    profile_.nonFinite.push_back(first);
}

void Measuring::noteStep(std::size_t i, const SampleBuffer& previous, const SampleBuffer& current) {
    const bool equal = previous.points.size() == current.points.size() &&
                       (current.points.empty() || std::memcmp(previous.points.data(), current.points.data(),
                                                              current.points.size() * sizeof(Vec3f)) == 0);
    same_[i] = equal ? 1 : 0;
    const StepFigure figure = equal                                           ? StepFigure{0.0F, 0.0F, 0}
                              : !current.ids.empty() && !previous.ids.empty() ? stepOfSameIds(previous, current)
                                                                              : stepOf(previous.points, current.points);
    profile_.step[i] = figure.rms;
    profile_.farthest[i] = figure.farthest;
    profile_.farthestPoint[i] = figure.point;
}

Status Measuring::measureBlock(std::size_t block, const Progress& progress) {
    SampleBuffer previous;
    SampleBuffer current;
    const std::size_t begin = block * kBlock;
    const std::size_t end = std::min(count(), begin + kBlock);
    for (std::size_t i = begin == 0 ? 0 : begin - 1; i < end; ++i) {
        WYC_CHECK(progress.poll());
        std::swap(previous, current);
        const bool owned = i >= begin;
        if (auto status = fetch(i, current); !status) {
            if (status.error().kind == ErrorKind::Cancelled)
                return status;
            if (owned) {
                const std::lock_guard lock(mutex_);
                profile_.unreadable.push_back({i, std::move(status.error())});
            }
            continue;
        }
        if (owned) {
            noteNotFinite(i, current.points);
            profile_.pointCounts[i] = current.points.size();
            profile_.topologies[i] = current.topology;
        }
        WYC_CHECK(reader_.place(i, current.points));
        if (!owned)
            continue;
        profile_.bounds[i] = boundsOf(current.points);
        if (i == 0)
            firstPoints_ = current.points;
        if (i + 1 == count())
            lastPoints_ = current.points;
        if (i > 0 && previous.valid)
            noteStep(i, previous, current);
        progress.report(static_cast<double>(++finished_) / static_cast<double>(count()), "measuring",
                        scene_.nodes[node_].path);
    }
    return {};
}

MotionProfile Measuring::done() {
    profile_.sameAsPrevious.assign(same_.begin(), same_.end());
    for (const Bounds& bounds : profile_.bounds)
        profile_.extent.add(bounds);
    profile_.firstToLast = count() > 1 ? rmsDistance(firstPoints_, lastPoints_) : 0.0F;
    const auto bySample = [](const auto& a, const auto& b) { return a.sample < b.sample; };
    std::sort(profile_.nonFinite.begin(), profile_.nonFinite.end(), bySample);
    std::sort(profile_.unreadable.begin(), profile_.unreadable.end(), bySample);
    return std::move(profile_);
}

} // namespace

Result<MotionProfile> motionProfile(const Scene& scene, std::size_t node, const Progress& progress) {
    if (!scene.nodes[node].geometry || scene.nodes[node].geometry->sampling().count() == 0)
        return MotionProfile();
    Measuring measuring(scene, node);
    const std::size_t blocks = (measuring.count() + kBlock - 1) / kBlock;
    WYC_CHECK(parallelFor(blocks, progress, [&](std::size_t b) { return measuring.measureBlock(b, progress); }));
    return measuring.done();
}

} // namespace wyc
