// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/causes/subdivision.h"

#include <algorithm>
#include <map>

namespace wyc {
namespace {

using Edge = std::pair<std::int32_t, std::int32_t>;

std::vector<Edge> edgesOf(const Topology& topology) {
    std::vector<Edge> edges;
    std::size_t at = 0;
    for (const std::int32_t size : topology.faceSizes()) {
        const auto n = static_cast<std::size_t>(size);
        for (std::size_t k = 0; k < n; ++k) {
            const std::int32_t p = topology.corners()[at + k];
            const std::int32_t q = topology.corners()[at + (k + 1) % n];
            edges.emplace_back(std::min(p, q), std::max(p, q));
        }
        at += n;
    }
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    return edges;
}

// Who is beside whom in the mesh before, found once for all its poses.
struct Parts {
    std::size_t points = 0;
    TopologyPtr before;
    std::vector<Edge> edges;
    std::vector<std::vector<std::uint32_t>> facesAt; // of each edge
    TopologyPtr after;
    [[nodiscard]] std::size_t count() const { return points + edges.size() + before->faceCount(); }
};

Result<std::shared_ptr<const Parts>> partsOf(const TopologyPtr& topology, std::size_t points) {
    if (!topology->fits(points))
        return fail(ErrorKind::BadInput, "its faces name points that are not there");
    auto parts = std::make_shared<Parts>();
    parts->points = points;
    parts->before = topology;
    parts->edges = edgesOf(*topology);
    parts->facesAt.resize(parts->edges.size());
    const auto edge = [&](std::int32_t p, std::int32_t q) {
        const Edge wanted{std::min(p, q), std::max(p, q)};
        return static_cast<std::size_t>(std::lower_bound(parts->edges.begin(), parts->edges.end(), wanted) -
                                        parts->edges.begin());
    };
    std::vector<std::int32_t> corners;
    std::size_t at = 0;
    for (std::uint32_t f = 0; f < topology->faceCount(); ++f) {
        const auto n = static_cast<std::size_t>(topology->faceSizes()[f]);
        const auto corner = [&](std::size_t k) { return topology->corners()[at + k % n]; };
        for (std::size_t k = 0; k < n; ++k) {
            const std::size_t next = edge(corner(k), corner(k + 1));
            const std::size_t last = edge(corner(k + n - 1), corner(k));
            parts->facesAt[next].push_back(f);
            corners.insert(corners.end(), {corner(k), static_cast<std::int32_t>(points + next),
                                           static_cast<std::int32_t>(points + parts->edges.size() + f),
                                           static_cast<std::int32_t>(points + last)});
        }
        at += n;
    }
    const std::size_t quads = corners.size() / 4;
    WYC_TRY(made, Topology::make(std::vector<std::int32_t>(quads, 4), std::move(corners)));
    parts->after = std::move(made);
    return std::shared_ptr<const Parts>(std::move(parts));
}

std::vector<Vec3d> partedPoints(const Parts& parts, const std::vector<Vec3d>& before, bool smooth) {
    std::vector<Vec3d> after = before;
    std::vector<Vec3d> centres;
    std::size_t at = 0;
    for (const std::int32_t size : parts.before->faceSizes()) {
        Vec3d sum;
        for (std::int32_t k = 0; k < size; ++k)
            sum = sum + before[static_cast<std::size_t>(parts.before->corners()[at++])];
        centres.push_back(sum * (1.0 / std::max(1, size)));
    }
    struct Around {
        Vec3d middles; // of its edges
        double edges = 0.0;
        Vec3d centres; // of its faces, once an edge and face
        double faces = 0.0;
        Vec3d border; // ends of border edges
        double borders = 0.0;
    };
    std::vector<Around> around(smooth ? before.size() : 0);
    for (std::size_t e = 0; e < parts.edges.size(); ++e) {
        const auto p = static_cast<std::size_t>(parts.edges[e].first);
        const auto q = static_cast<std::size_t>(parts.edges[e].second);
        const Vec3d middle = (before[p] + before[q]) * 0.5;
        const std::vector<std::uint32_t>& faces = parts.facesAt[e];
        const bool inner = faces.size() == 2;
        after.push_back(smooth && inner ? (middle * 2.0 + centres[faces[0]] + centres[faces[1]]) * 0.25 : middle);
        if (!smooth)
            continue;
        for (const auto& [own, other] : {std::pair{p, q}, std::pair{q, p}}) {
            Around& a = around[own];
            a.middles = a.middles + middle;
            a.edges += 1.0;
            for (const std::uint32_t f : faces) {
                a.centres = a.centres + centres[f];
                a.faces += 1.0;
            }
            if (!inner) {
                a.border = a.border + before[other];
                a.borders += 1.0;
            }
        }
    }
    for (std::size_t p = 0; p < around.size(); ++p) {
        const Around& a = around[p];
        if (a.borders == 2.0)
            after[p] = before[p] * 0.75 + a.border * 0.125;
        else if (a.borders == 0.0 && a.edges > 2.0)
            after[p] = (a.centres * (1.0 / a.faces) + a.middles * (2.0 / a.edges) + before[p] * (a.edges - 3.0)) *
                       (1.0 / a.edges);
    }
    after.insert(after.end(), centres.begin(), centres.end());
    return after;
}

class PartedGeometry final : public MomentWrapper {
  public:
    PartedGeometry(GeometryPtr inner, std::shared_ptr<const Parts> parts, bool smooth)
        : MomentWrapper(std::move(inner)), parts_(std::move(parts)), smooth_(smooth) {}
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return parts_->count(); }
    [[nodiscard]] Result<std::size_t> pointCountAt(double) const override { return parts_->count(); }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        std::vector<Vec3f> before(parts_->points);
        WYC_CHECK(inner().readRange(s, 0, before));
        return parted(before, first, into);
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        std::vector<Vec3f> before(parts_->points);
        WYC_CHECK(inner().readAt(t, 0, before));
        return parted(before, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return parts_->after; }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double) const override { return parts_->after; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return noFaceSets(); }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double) const override { return noFaceSets(); }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t) const override { return IdsPtr(); }
    [[nodiscard]] Result<IdsPtr> idsAt(double) const override { return IdsPtr(); }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    [[nodiscard]] Status parted(const std::vector<Vec3f>& points, std::size_t first, std::span<Vec3f> into) const {
        const std::vector<Vec3d> before(points.begin(), points.end());
        std::vector<Vec3f> after;
        for (const Vec3d& p : partedPoints(*parts_, before, smooth_))
            after.push_back({static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
        return copyRange(after, first, into);
    }
    std::shared_ptr<const Parts> parts_;
    bool smooth_;
};

} // namespace

int levelsBetween(const Topology& a, std::size_t pointsA, const Topology& b, std::size_t pointsB) {
    constexpr int kMost = 3;
    if (a.faceCount() == 0 || b.faceCount() <= a.faceCount() || pointsB <= pointsA)
        return 0;
    std::size_t points = pointsA;
    std::size_t edges = edgesOf(a).size();
    std::size_t faces = a.faceCount();
    std::size_t corners = a.cornerCount();
    for (int level = 1; level <= kMost; ++level) {
        points += edges + faces;
        edges = 2 * edges + corners;
        faces = corners;
        corners *= 4;
        if (points == pointsB && faces == b.faceCount())
            return level;
        if (points > pointsB)
            break;
    }
    return 0;
}

Result<GeometryPtr> subdivided(const GeometryPtr& mesh, bool smooth) {
    if (mesh->topologyVaries())
        return fail(ErrorKind::BadInput, "its faces change in time");
    WYC_TRY(points, mesh->pointCount(0));
    WYC_TRY(topology, mesh->topology(0));
    WYC_TRY(parts, partsOf(topology, points));
    return std::make_shared<PartedGeometry>(mesh, parts, smooth);
}

} // namespace wyc
