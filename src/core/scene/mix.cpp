// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/mix.h"

#include <algorithm>
#include <numeric>
#include <unordered_map>

#include <Eigen/Geometry>

#include "maths/rigid_fit.h"

namespace wyc {

Result<std::size_t> Pose::pointCount() const {
    return bySample_ ? shape_.pointCount(sample_) : shape_.pointCountAt(seconds_);
}
Status Pose::read(std::size_t first, std::span<Vec3f> into) const {
    return bySample_ ? shape_.readRange(sample_, first, into) : shape_.readAt(seconds_, first, into);
}
Result<TopologyPtr> Pose::topology() const {
    return bySample_ ? shape_.topology(sample_) : shape_.topologyAt(seconds_);
}
Result<FaceSetsPtr> Pose::faceSets() const {
    return bySample_ ? shape_.faceSets(sample_) : shape_.faceSetsAt(seconds_);
}
Result<IdsPtr> Pose::ids() const {
    return bySample_ ? shape_.ids(sample_) : shape_.idsAt(seconds_);
}

Result<PointMatch> matchOf(const Pose& earlier, const Pose& later) {
    PointMatch match;
    WYC_TRY(ids, earlier.ids());
    WYC_TRY(laterIds, later.ids());
    if (ids && laterIds) {
        if (*ids == *laterIds) {
            match.by = PointMatch::By::Number;
            return match;
        }
        match.by = PointMatch::By::Id;
        std::unordered_map<std::uint64_t, std::int32_t> places;
        places.reserve(laterIds->size());
        for (std::size_t i = 0; i < laterIds->size(); ++i)
            places.emplace((*laterIds)[i], static_cast<std::int32_t>(i));
        match.later.reserve(ids->size());
        for (const std::uint64_t id : *ids) {
            const auto found = places.find(id);
            match.later.push_back(found == places.end() ? -1 : found->second);
        }
        return match;
    }
    WYC_TRY(count, earlier.pointCount());
    WYC_TRY(laterCount, later.pointCount());
    if (count != laterCount)
        return match;
    WYC_TRY(faces, earlier.topology());
    WYC_TRY(laterFaces, later.topology());
    if (faces == laterFaces || faces->hash() == laterFaces->hash())
        match.by = PointMatch::By::Number;
    return match;
}

Status mixPoints(const Pose& earlier, const Pose& later, double weight, std::size_t first, std::span<Vec3f> into) {
    WYC_CHECK(earlier.read(first, into));
    return mixFurther(earlier, later, weight, first, into);
}

Status mixFurther(const Pose& base, const Pose& other, double weight, std::size_t first, std::span<Vec3f> into) {
    if (into.empty() || weight == 0.0)
        return {};
    WYC_TRY(match, matchOf(base, other));
    const auto mix = [weight](Vec3f& point, const Vec3f& to) {
        point.x = static_cast<float>(between(static_cast<double>(point.x), static_cast<double>(to.x), weight));
        point.y = static_cast<float>(between(static_cast<double>(point.y), static_cast<double>(to.y), weight));
        point.z = static_cast<float>(between(static_cast<double>(point.z), static_cast<double>(to.z), weight));
    };
    if (match.by == PointMatch::By::Number) {
        std::vector<Vec3f> others(into.size());
        WYC_CHECK(other.read(first, others));
        for (std::size_t i = 0; i < into.size(); ++i)
            mix(into[i], others[i]);
    } else if (match.by == PointMatch::By::Id) {
        WYC_TRY(count, other.pointCount());
        std::vector<Vec3f> others(count);
        WYC_CHECK(other.read(0, others));
        for (std::size_t i = 0; i < into.size(); ++i)
            if (const std::int32_t number = match.later[first + i]; number >= 0)
                mix(into[i], others.at(static_cast<std::size_t>(number)));
    }
    return {};
}

namespace {

Eigen::Vector3d toEigen(const Vec3f& p) {
    return {double(p.x), double(p.y), double(p.z)};
}

} // namespace

void mixWholes(std::span<const Vec3f> earlier, std::span<const Vec3f> later, const std::vector<std::uint32_t>& pieces,
               double weight, std::span<Vec3f> into) {
    struct Whole {
        std::size_t count = 0;
        Eigen::Vector3d middle = Eigen::Vector3d::Zero();
        Eigen::Vector3d laterMiddle = Eigen::Vector3d::Zero();
        Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();
        Eigen::Quaterniond turn;  // from earlier to later
        Eigen::Matrix3d forward;  // of the earlier pose, as far as the weight goes
        Eigen::Matrix3d backward; // of the later pose, the rest of the way
    };
    std::vector<Whole> wholes;
    for (const std::uint32_t piece : pieces)
        if (piece >= wholes.size())
            wholes.resize(piece + 1);
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        Whole& whole = wholes[pieces[i]];
        ++whole.count;
        whole.middle += toEigen(earlier[i]);
        whole.laterMiddle += toEigen(later[i]);
    }
    for (Whole& whole : wholes) {
        const double share = 1.0 / static_cast<double>(std::max<std::size_t>(1, whole.count));
        whole.middle *= share;
        whole.laterMiddle *= share;
    }
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        Whole& whole = wholes[pieces[i]];
        whole.covariance += (toEigen(earlier[i]) - whole.middle) * (toEigen(later[i]) - whole.laterMiddle).transpose();
    }
    for (Whole& whole : wholes) {
        whole.turn = Eigen::Quaterniond(bestTurn(whole.covariance));
        const Eigen::Quaterniond none = Eigen::Quaterniond::Identity();
        whole.forward = none.slerp(weight, whole.turn).toRotationMatrix();
        whole.backward = none.slerp(1.0 - weight, whole.turn.conjugate()).toRotationMatrix();
    }
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        const Whole& whole = wholes[pieces[i]];
        const Eigen::Vector3d middle = whole.middle * (1.0 - weight) + whole.laterMiddle * weight;
        const Eigen::Vector3d p = middle + whole.forward * (toEigen(earlier[i]) - whole.middle) * (1.0 - weight) +
                                  whole.backward * (toEigen(later[i]) - whole.laterMiddle) * weight;
        into[i] = {static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z())};
    }
}

std::array<double, 4> mixedTurn(const std::array<double, 4>& earlier, const std::array<double, 4>& later,
                                double weight) {
    const Eigen::Quaterniond a(earlier[3], earlier[0], earlier[1], earlier[2]);
    const Eigen::Quaterniond b(later[3], later[0], later[1], later[2]);
    if (!(a.norm() > 0.0) || !(b.norm() > 0.0) || weight == 0.0)
        return earlier;
    const Eigen::Quaterniond mixed = a.normalized().slerp(weight, b.normalized());
    return {mixed.x(), mixed.y(), mixed.z(), mixed.w()};
}

std::vector<std::uint32_t> piecesOfPoints(const Topology& topology, std::size_t points) {
    std::vector<std::uint32_t> parent(points);
    std::iota(parent.begin(), parent.end(), 0U);
    const auto rootOf = [&](std::uint32_t p) {
        while (parent[p] != p)
            p = parent[p] = parent[parent[p]];
        return p;
    };
    std::size_t corner = 0;
    for (const std::int32_t size : topology.faceSizes()) {
        for (std::int32_t c = 1; c < size; ++c) {
            const auto a = static_cast<std::size_t>(topology.corners()[corner]);
            const auto b = static_cast<std::size_t>(topology.corners()[corner + static_cast<std::size_t>(c)]);
            if (a < points && b < points)
                parent[rootOf(static_cast<std::uint32_t>(b))] = rootOf(static_cast<std::uint32_t>(a));
        }
        corner += static_cast<std::size_t>(size);
    }
    std::vector<std::uint32_t> number(points, ~0U);
    std::vector<std::uint32_t> result(points);
    std::uint32_t next = 0;
    for (std::uint32_t p = 0; p < points; ++p) {
        std::uint32_t& of = number[rootOf(p)];
        if (of == ~0U)
            of = next++;
        result[p] = of;
    }
    return result;
}

} // namespace wyc
