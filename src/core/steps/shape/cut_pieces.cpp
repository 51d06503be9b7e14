// SPDX-License-Identifier: GPL-3.0-or-later
// One mesh as several.
#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "scene/components/face_sets.h"
#include "scene/layers.h"
#include "scene/mix.h"
#include "steps/shape/pieces.h"
#include "steps/shape/pieces_parts.h"

namespace wyc {
namespace {

// Connected pieces by union of the points of each face, in the order of their first faces.
std::vector<FaceSet> connectedPieces(const Topology& topology, std::size_t points) {
    const std::vector<std::uint32_t> pieceOf = piecesOfPoints(topology, points);
    std::map<std::uint32_t, std::size_t> number;
    std::vector<FaceSet> sets;
    std::size_t start = 0;
    for (std::size_t face = 0; face < topology.faceCount(); ++face) {
        const auto size = static_cast<std::size_t>(topology.faceSizes()[face]);
        if (size > 0) {
            const auto [at, added] =
                number.try_emplace(pieceOf[static_cast<std::size_t>(topology.corners()[start])], sets.size());
            if (added)
                sets.push_back({FaceSet::Kind::Group, fmt::format("{:03}", sets.size() + 1), {}});
            sets[at->second].faces.push_back(static_cast<std::int32_t>(face));
        }
        start += size;
    }
    return sets;
}

class CutGeometry final : public MomentWrapper {
  public:
    CutGeometry(GeometryPtr whole, std::vector<std::uint32_t> points, std::vector<std::uint32_t> corners,
                std::vector<std::uint32_t> faces, TopologyPtr topology)
        : MomentWrapper(std::move(whole)),
          points_(std::move(points)),
          corners_(std::move(corners)),
          faces_(std::move(faces)),
          topology_(std::move(topology)) {}
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return points_.size(); }
    [[nodiscard]] Result<std::size_t> pointCountAt(double) const override { return points_.size(); }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readOf(Pose::ofSample(inner(), sample), first, into);
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        return readOf(Pose::atTime(inner(), t), first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double) const override { return topology_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        return setsOf(Pose::ofSample(inner(), sample));
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double t) const override { return setsOf(Pose::atTime(inner(), t)); }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t) const override { return IdsPtr(); }
    [[nodiscard]] Result<IdsPtr> idsAt(double) const override { return IdsPtr(); }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool faceSetsVary() const override { return inner().faceSetsVary(); }
    [[nodiscard]] const std::vector<std::uint32_t>& elements(Scope scope) const {
        return scope == Scope::Corner ? corners_ : scope == Scope::Point ? points_ : faces_;
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    [[nodiscard]] Status readOf(const Pose& whole, std::size_t first, std::span<Vec3f> into) const {
        if (first > points_.size() || into.size() > points_.size() - first)
            return fail(ErrorKind::Internal, "the buffer reaches beyond the piece's points");
        if (into.empty())
            return {};
        WYC_TRY(count, whole.pointCount());
        if (points_.back() >= count)
            return fail(ErrorKind::BadInput, "the mesh has fewer points in this sample than in its first");
        // A piece's points mostly lie close together in the whole.
        const std::size_t low = points_[first];
        const std::size_t span = points_[first + into.size() - 1] - low + 1;
        if (span == into.size())
            return whole.read(low, into);
        std::vector<Vec3f> around(span);
        WYC_CHECK(whole.read(low, around));
        for (std::size_t i = 0; i < into.size(); ++i)
            into[i] = around[points_[first + i] - low];
        return {};
    }
    [[nodiscard]] Result<FaceSetsPtr> setsOf(const Pose& whole) const {
        WYC_TRY(all, whole.faceSets());
        std::vector<FaceSet> cut;
        for (const FaceSet& set : *all) {
            if (set.faces.empty() || faces_.empty() || set.faces.back() < static_cast<std::int32_t>(faces_.front()) ||
                set.faces.front() > static_cast<std::int32_t>(faces_.back()))
                continue;
            FaceSet part{set.kind, set.name, {}};
            for (std::size_t f = 0; f < faces_.size(); ++f)
                if (std::binary_search(set.faces.begin(), set.faces.end(), static_cast<std::int32_t>(faces_[f])))
                    part.faces.push_back(static_cast<std::int32_t>(f));
            if (!part.faces.empty())
                cut.push_back(std::move(part));
        }
        return std::make_shared<const std::vector<FaceSet>>(std::move(cut));
    }
    std::vector<std::uint32_t> points_;
    std::vector<std::uint32_t> corners_;
    std::vector<std::uint32_t> faces_;
    TopologyPtr topology_;
};

// What a layer of the whole is on a piece.
class CutLayer final : public LayerSource {
  public:
    CutLayer(std::shared_ptr<const KeptLayer> whole, std::shared_ptr<const CutGeometry> piece, const View& view)
        : whole_(std::move(whole)),
          piece_(std::move(piece)),
          sampling_(isRenumbered(whole_->layer()) ? withWholeFrames(whole_->sampling(), view) : whole_->sampling()) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] bool sameAlways() const override { return whole_->sameAlways(); }
    [[nodiscard]] Result<std::shared_ptr<const Attribute>> at(double seconds) const override {
        WYC_TRY(all, whole_->at(seconds));
        return std::make_shared<const Attribute>(chosenElements(*all, piece_->elements(all->scope)));
    }

  private:
    std::shared_ptr<const KeptLayer> whole_;
    std::shared_ptr<const CutGeometry> piece_;
    Sampling sampling_;
};

} // namespace

Attribute chosenElements(const Attribute& from, std::span<const std::uint32_t> elements) {
    if (from.isEmpty() || from.scope == Scope::Constant)
        return from;
    Attribute result{from.scope, from.extent, {}, {}};
    const auto extent = static_cast<std::size_t>(from.extent);
    if (!from.indices.empty()) {
        // Only the values in use, in their old order.
        const auto has = [&](std::uint32_t e) {
            return e < from.indices.size() && from.indices[e] >= 0 &&
                   static_cast<std::size_t>(from.indices[e]) < from.valueCount();
        };
        std::map<std::int32_t, std::int32_t> newNumber;
        for (const std::uint32_t e : elements)
            if (has(e))
                newNumber.emplace(from.indices[e], 0);
        for (auto& [old, number] : newNumber) {
            number = static_cast<std::int32_t>(result.valueCount());
            const auto value =
                from.values.begin() + static_cast<std::ptrdiff_t>(static_cast<std::size_t>(old) * extent);
            result.values.insert(result.values.end(), value, value + from.extent);
        }
        for (const std::uint32_t e : elements)
            result.indices.push_back(has(e) ? newNumber[from.indices[e]] : -1);
        return result;
    }
    for (const std::uint32_t e : elements)
        for (std::size_t k = 0; k < extent; ++k)
            result.values.push_back(e < from.valueCount() ? from.values[e * extent + k] : 0.0F);
    return result;
}

Result<std::vector<FaceSet>> piecesOf(const Scene& scene, std::size_t mesh, const std::string& by) {
    const Node& node = scene.nodes[mesh];
    WYC_TRY(changes, node.geometry->topologyChanges());
    if (changes)
        return fail(varying(node.path));
    WYC_TRY(topology, node.geometry->topology(0));
    WYC_TRY(points, node.geometry->pointCount(0));
    if (!topology->fits(points))
        return fail(makeError(ErrorKind::BadInput, "a face refers to a point that is not there").forItem(node.path));
    if (by == "pieces")
        return connectedPieces(*topology, points);
    WYC_TRY(all, faceSetsOf(scene, mesh));
    std::vector<FaceSet> sets;
    std::vector<bool> taken(topology->faceCount(), false);
    for (const FaceSet& set : all) {
        if ((set.kind == FaceSet::Kind::Material) != (by == "materials"))
            continue;
        FaceSet own{set.kind, set.name, {}};
        for (const std::int32_t face : set.faces)
            if (!taken[static_cast<std::size_t>(face)]) {
                taken[static_cast<std::size_t>(face)] = true;
                own.faces.push_back(face);
            }
        std::sort(own.faces.begin(), own.faces.end());
        if (!own.faces.empty())
            sets.push_back(std::move(own));
    }
    FaceSet rest{FaceSet::Kind::Group, "rest", {}};
    for (std::size_t face = 0; face < taken.size(); ++face)
        if (!taken[face])
            rest.faces.push_back(static_cast<std::int32_t>(face));
    if (!rest.faces.empty() && !sets.empty())
        sets.push_back(std::move(rest));
    return sets;
}

Result<std::vector<CutPiece>> cutPieces(const Node& node, const std::vector<FaceSet>& sets, const View& view) {
    const GeometryPtr& whole = node.geometry;
    WYC_TRY(changes, whole->topologyChanges());
    if (changes)
        return fail(varying({}));
    WYC_TRY(topology, whole->topology(0));
    WYC_TRY(count, whole->pointCount(0));
    std::vector<std::size_t> starts(topology->faceCount() + 1, 0);
    for (std::size_t f = 0; f < topology->faceCount(); ++f)
        starts[f + 1] = starts[f] + static_cast<std::size_t>(topology->faceSizes()[f]);
    std::vector<std::shared_ptr<const KeptLayer>> layers;
    for (Layer& layer : layersOf(node.properties))
        layers.push_back(std::make_shared<const KeptLayer>(std::move(layer), whole));
    std::vector<std::int32_t> newNumber(count);
    std::vector<CutPiece> result;
    for (const FaceSet& set : sets) {
        CutPiece piece;
        std::vector<std::int32_t> sizes;
        std::vector<std::uint32_t> corners;
        std::vector<std::uint32_t> kept;
        for (const std::int32_t face : set.faces) {
            const auto f = static_cast<std::size_t>(face);
            sizes.push_back(topology->faceSizes()[f]);
            kept.push_back(static_cast<std::uint32_t>(f));
            for (std::size_t c = starts[f]; c < starts[f + 1]; ++c) {
                corners.push_back(static_cast<std::uint32_t>(c));
                piece.points.push_back(static_cast<std::uint32_t>(topology->corners()[c]));
            }
        }
        std::sort(piece.points.begin(), piece.points.end());
        piece.points.erase(std::unique(piece.points.begin(), piece.points.end()), piece.points.end());
        for (std::size_t p = 0; p < piece.points.size(); ++p)
            newNumber[piece.points[p]] = static_cast<std::int32_t>(p);
        std::vector<std::int32_t> numbers;
        for (const std::uint32_t c : corners)
            numbers.push_back(newNumber[static_cast<std::size_t>(topology->corners()[c])]);
        WYC_TRY(made, Topology::make(std::move(sizes), std::move(numbers)));
        const auto cut = std::make_shared<const CutGeometry>(whole, piece.points, std::move(corners), std::move(kept),
                                                             std::move(made));
        for (const auto& layer : layers)
            piece.layers.push_back(
                layerProperty(layerFrom(std::make_shared<CutLayer>(layer, cut, view), layer->layer(),
                                        layer->layer().values->extent(), layer->layer().numbers != nullptr)));
        piece.geometry = cut;
        result.push_back(std::move(piece));
    }
    return result;
}

} // namespace wyc
