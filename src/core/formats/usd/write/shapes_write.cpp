// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/shapes_write.h"

#include <algorithm>
#include <mutex>

#include "formats/usd/write/names.h"
#include "maths/math.h"
#include "scene/components/curves.h"

namespace wyc::usd {
namespace {

constexpr Type kTriples{Base::Float, 3, false, true};
constexpr Type kWholes{Base::Int, 1, false, true};

// The last few samples: points and their extent are written one after another.
class RecentPoints {
  public:
    explicit RecentPoints(GeometryPtr geometry) : geometry_(std::move(geometry)) {}
    using Points = std::shared_ptr<const std::vector<std::byte>>;
    Result<Points> at(std::size_t sample) {
        {
            const std::lock_guard lock(mutex_);
            for (const auto& [number, points] : kept_)
                if (number == sample)
                    return points;
        }
        std::vector<Vec3f> read;
        WYC_CHECK(readPoints(*geometry_, sample, read));
        const auto raw = std::as_bytes(std::span(read));
        auto points = std::make_shared<const std::vector<std::byte>>(raw.begin(), raw.end());
        const std::lock_guard lock(mutex_);
        kept_.emplace_back(sample, points);
        if (kept_.size() > 4)
            kept_.erase(kept_.begin());
        return Points(points);
    }

  private:
    GeometryPtr geometry_;
    std::mutex mutex_;
    std::vector<std::pair<std::size_t, Points>> kept_;
};

template<class Numbers> Value wholes(const Numbers& numbers) {
    return valueOfArray<std::int32_t>(kWholes, numbers);
}

} // namespace

namespace {

std::vector<double> codesOf(const Geometry& shape, const WriteClock& clock) {
    return shape.sampling().count() < 2 ? std::vector<double>{} : clock.codes(shape.sampling());
}

} // namespace

void writePoints(PrimSpec& prim, const Node& node, const WriteClock& clock) {
    const std::vector<double> codes = codesOf(*node.geometry, clock);
    const auto recent = std::make_shared<RecentPoints>(node.geometry);
    const bool padded = node.is().strands || node.is().cloud;
    PropertySpec& extent = attributeOf(prim, "extent", "float3[]");
    setTrack(extent, kTriples, codes, [recent, node, padded](std::size_t sample) -> Result<Value> {
        WYC_TRY(bytes, recent->at(sample));
        std::vector<Vec3f> points(bytes->size() / sizeof(Vec3f));
        if (!points.empty())
            std::memcpy(points.data(), bytes->data(), bytes->size());
        const Bounds box = boundsOf(points);
        float pad = 0.0F;
        if (padded)
            for (const float width : widthsOf(node, sample, points.size(), 1.0))
                pad = std::max(pad, 0.5F * width);
        std::array<Vec3f, 2> corners{};
        if (!box.isEmpty())
            corners = {Vec3f{static_cast<float>(box.low.x) - pad, static_cast<float>(box.low.y) - pad,
                             static_cast<float>(box.low.z) - pad},
                       Vec3f{static_cast<float>(box.high.x) + pad, static_cast<float>(box.high.y) + pad,
                             static_cast<float>(box.high.z) + pad}};
        return valueOfArray<Vec3f>(kTriples, corners);
    });
    PropertySpec& points = attributeOf(prim, "points", "point3f[]");
    setTrack(points, kTriples, codes, [recent](std::size_t sample) -> Result<Value> {
        WYC_TRY(bytes, recent->at(sample));
        return Value(Data{kTriples, bytes, {}, {}});
    });
}

void writeShape(PrimSpec& prim, const Node& node, const WriteClock& clock) {
    const GeometryPtr geometry = node.geometry;
    const Geometry& shape = *geometry;
    if (shape.sampling().count() == 0)
        return;
    const std::vector<double> codes = codesOf(shape, clock);
    writePoints(prim, node, clock);
    if (node.is().faces) {
        const std::vector<double> faceCodes = shape.topologyVaries() ? codes : std::vector<double>{};
        setTrack(
            attributeOf(prim, "faceVertexCounts", "int[]"), kWholes, faceCodes,
            [geometry](std::size_t sample) -> Result<Value> {
                WYC_TRY(topology, geometry->topology(sample));
                return wholes(topology->faceSizes());
            },
            true);
        setTrack(
            attributeOf(prim, "faceVertexIndices", "int[]"), kWholes, faceCodes,
            [geometry](std::size_t sample) -> Result<Value> {
                WYC_TRY(topology, geometry->topology(sample));
                return wholes(topology->corners());
            },
            true);
    }
    const auto first = shape.ids(0);
    if (node.is().cloud && first && *first)
        setTrack(attributeOf(prim, "ids", "int64[]"), {Base::Int64, 1, false, true}, codes,
                 [geometry](std::size_t sample) -> Result<Value> {
                     WYC_TRY(ids, geometry->ids(sample));
                     return valueOfArray<std::uint64_t>({Base::Int64, 1, false, true},
                                                        ids ? *ids : std::vector<std::uint64_t>{});
                 });
}

Status writeFaceSets(PrimSpec& prim, const Node& node, const WriteClock& clock, const std::vector<std::string>& taken,
                     const MaterialPath& material) {
    const Geometry& shape = *node.geometry;
    const std::size_t count = shape.sampling().count();
    if (count == 0)
        return {};
    const bool vary = shape.faceSetsVary() && count > 1;
    WYC_TRY(first, shape.faceSets(0));
    std::vector<FaceSet> sets = *first; // of those that come later the names alone
    for (std::size_t i = 1; i < count && vary; ++i) {
        WYC_TRY(now, shape.faceSets(i));
        for (const FaceSet& set : *now)
            if (std::none_of(sets.begin(), sets.end(),
                             [&](const FaceSet& s) { return s.kind == set.kind && s.name == set.name; }))
                sets.push_back({set.kind, set.name, {}, set.material});
    }
    UniqueNames names(taken);
    for (std::size_t i = 0; i < sets.size(); ++i) {
        const FaceSet& set = sets[i];
        // What a set is made of comes before it: both are one.
        const bool both = set.kind == FaceSet::Kind::Material && i + 1 < sets.size() &&
                          sets[i + 1].kind != FaceSet::Kind::Material && sets[i + 1].faces == set.faces;
        const std::string path = set.kind == FaceSet::Kind::Material ? material(set.material, set.name) : std::string();
        const FaceSet& called = both ? sets[i + 1] : set;
        PrimSpec& child = addPrim(prim, names.next(called.name), "GeomSubset");
        uniformToken(child, "elementType", "face");
        if (!path.empty()) {
            uniformToken(child, "familyName", "materialBind");
            applySchema(child, "MaterialBindingAPI");
            relationshipOf(child, "material:binding", {path});
        }
        const auto read = [geometry = node.geometry, kind = called.kind,
                           name = called.name](std::size_t sample) -> Result<Value> {
            WYC_TRY(now, geometry->faceSets(sample));
            for (const FaceSet& one : *now)
                if (one.kind == kind && one.name == name)
                    return wholes(one.faces);
            return wholes(std::vector<std::int32_t>{});
        };
        setTrack(attributeOf(child, "indices", "int[]"), kWholes,
                 vary ? clock.codes(shape.sampling()) : std::vector<double>{}, read, true);
        i += both ? 1 : 0;
    }
    return {};
}

} // namespace wyc::usd
