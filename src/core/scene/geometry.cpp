// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/geometry.h"

#include <algorithm>

#include <fmt/format.h>

#include "scene/mix.h"

namespace wyc {

Result<TopologyPtr> Topology::make(std::vector<std::int32_t> faceSizes, std::vector<std::int32_t> corners) {
    std::uint64_t total = 0;
    for (std::size_t f = 0; f < faceSizes.size(); ++f) {
        if (faceSizes[f] < 0)
            return fail(ErrorKind::BadFormat, fmt::format("face {} has {} corners", f, faceSizes[f]));
        total += static_cast<std::uint64_t>(faceSizes[f]);
    }
    if (total != corners.size())
        return fail(
            ErrorKind::BadFormat,
            fmt::format("the face sizes add up to {} corners, {} corner numbers are given", total, corners.size()));
    std::shared_ptr<Topology> topology(new Topology());
    topology->faceSizes_ = std::move(faceSizes);
    topology->corners_ = std::move(corners);
    topology->hash_ =
        hash64(std::as_bytes(std::span(topology->faceSizes_)), std::as_bytes(std::span(topology->corners_)));
    if (!topology->corners_.empty()) {
        const auto [low, high] = std::minmax_element(topology->corners_.begin(), topology->corners_.end());
        topology->lowest_ = *low;
        topology->highest_ = *high;
    }
    return TopologyPtr(std::move(topology));
}

TopologyPtr emptyTopology() {
    static const TopologyPtr kEmpty = *Topology::make({}, {});
    return kEmpty;
}

Status Geometry::readPoints(std::size_t sample, std::span<Vec3f> into) const {
    WYC_TRY(count, pointCount(sample));
    if (into.size() != count)
        return fail(ErrorKind::Internal, "the buffer does not have the sample's size");
    return readRange(sample, 0, into);
}

Status copyRange(std::span<const Vec3f> from, std::size_t first, std::span<Vec3f> into) {
    if (first > from.size() || into.size() > from.size() - first)
        return fail(ErrorKind::Internal, "the buffer reaches beyond the sample's points");
    std::copy_n(from.begin() + static_cast<std::ptrdiff_t>(first), into.size(), into.begin());
    return {};
}

VaryingPoints::VaryingPoints(Sampling sampling, std::vector<std::vector<Vec3f>> points,
                             std::vector<std::vector<std::uint64_t>> ids)
    : sampling_(std::move(sampling)), points_(std::move(points)) {
    for (std::vector<std::uint64_t>& sample : ids)
        ids_.push_back(std::make_shared<const std::vector<std::uint64_t>>(std::move(sample)));
}

Status VaryingPoints::readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const {
    return copyRange(points_.at(sample), first, into);
}

Status readPoints(const Geometry& geometry, std::size_t sample, std::vector<Vec3f>& into) {
    WYC_TRY(count, geometry.pointCount(sample));
    into.resize(count);
    return geometry.readRange(sample, 0, into);
}

Status readPointsAt(const Geometry& geometry, double seconds, std::vector<Vec3f>& into) {
    WYC_TRY(count, geometry.pointCountAt(seconds));
    into.resize(count);
    return geometry.readAt(seconds, 0, into);
}

Result<bool> Geometry::topologyChanges() const {
    if (!topologyVaries() || sampling().count() < 2)
        return false;
    WYC_TRY(firstCount, pointCount(0));
    WYC_TRY(first, topology(0));
    for (std::size_t s = 1; s < sampling().count(); ++s) {
        WYC_TRY(count, pointCount(s));
        WYC_TRY(own, topology(s));
        if (count != firstCount || (own != first && own->hash() != first->hash()))
            return true;
    }
    return false;
}

Result<std::size_t> Geometry::pointCountAt(double seconds) const {
    return pointCount(sampling().locate(seconds).below);
}

Status Geometry::readAt(double seconds, std::size_t first, std::span<Vec3f> into) const {
    const auto at = sampling().locate(seconds);
    if (at.weight == 0.0)
        return readRange(at.below, first, into);
    return mixPoints(Pose::ofSample(*this, at.below), Pose::ofSample(*this, at.above), at.weight, first, into);
}

Result<TopologyPtr> Geometry::topologyAt(double seconds) const {
    return topology(sampling().locate(seconds).below);
}

FaceSetsPtr noFaceSets() {
    static const FaceSetsPtr kNone = std::make_shared<const std::vector<FaceSet>>();
    return kNone;
}

Result<FaceSetsPtr> Geometry::faceSetsAt(double seconds) const {
    return faceSets(sampling().locate(seconds).below);
}

Result<IdsPtr> Geometry::idsAt(double seconds) const {
    return ids(sampling().locate(seconds).below);
}

std::optional<std::uint64_t> Geometry::tokenAt(double seconds) const {
    const auto at = sampling().locate(seconds);
    return at.weight == 0.0 ? pointsToken(at.below) : std::nullopt;
}

MemoryGeometry::MemoryGeometry(Sampling sampling, TopologyPtr topology, std::vector<std::vector<Vec3f>> points,
                               std::vector<FaceSet> faceSets)
    : sampling_(std::move(sampling)),
      topology_(std::move(topology)),
      points_(std::move(points)),
      faceSets_(std::make_shared<const std::vector<FaceSet>>(std::move(faceSets))) {}

Result<std::size_t> MemoryGeometry::pointCount(std::size_t sample) const {
    if (sample >= points_.size())
        return fail(ErrorKind::Internal, fmt::format("sample {} of {}", sample, points_.size()));
    return points_[sample].size();
}

Status MemoryGeometry::readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const {
    if (sample >= points_.size())
        return fail(ErrorKind::Internal, fmt::format("sample {} of {}", sample, points_.size()));
    return copyRange(points_[sample], first, into);
}

} // namespace wyc
