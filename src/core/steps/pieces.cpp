// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/pieces.h"

#include <algorithm>
#include <map>
#include <numeric>

#include <fmt/format.h>

#include "scene/face_sets.h"
#include "steps/retimed.h"

namespace wyc {
namespace {

Error varying(const std::string& name) {
    return makeError(ErrorKind::BadInput, "its faces change in time: it can be neither cut nor merged")
        .forItem(name)
        .withAdvice("Leave it out of this step");
}

// Connected pieces by union of the points of each face, in the order of their first faces.
std::vector<FaceSet> connectedPieces(const Topology& topology, std::size_t points) {
    std::vector<std::uint32_t> parent(points);
    std::iota(parent.begin(), parent.end(), 0U);
    const auto rootOf = [&](std::uint32_t p) {
        while (parent[p] != p)
            p = parent[p] = parent[parent[p]];
        return p;
    };
    std::size_t start = 0;
    for (const std::int32_t size : topology.faceSizes()) {
        for (std::size_t c = 1; c < static_cast<std::size_t>(size); ++c)
            parent[rootOf(static_cast<std::uint32_t>(topology.corners()[start + c]))] =
                rootOf(static_cast<std::uint32_t>(topology.corners()[start]));
        start += static_cast<std::size_t>(size);
    }
    std::map<std::uint32_t, std::size_t> number;
    std::vector<FaceSet> sets;
    start = 0;
    for (std::size_t face = 0; face < topology.faceCount(); ++face) {
        const auto size = static_cast<std::size_t>(topology.faceSizes()[face]);
        if (size > 0) {
            const auto [at, added] =
                number.try_emplace(rootOf(static_cast<std::uint32_t>(topology.corners()[start])), sets.size());
            if (added)
                sets.push_back({FaceSet::Kind::Group, fmt::format("{:03}", sets.size() + 1), {}});
            sets[at->second].faces.push_back(static_cast<std::int32_t>(face));
        }
        start += size;
    }
    return sets;
}

// The chosen elements of an attribute, as indices into the same values.
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

class CutGeometry final : public GeometryWrapper {
  public:
    CutGeometry(GeometryPtr whole, std::vector<std::uint32_t> points, std::vector<std::uint32_t> corners,
                std::vector<std::uint32_t> faces, TopologyPtr topology)
        : GeometryWrapper(std::move(whole)),
          points_(std::move(points)),
          corners_(std::move(corners)),
          faces_(std::move(faces)),
          topology_(std::move(topology)) {}
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return points_.size(); }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        if (first > points_.size() || into.size() > points_.size() - first)
            return fail(ErrorKind::Internal, "the buffer reaches beyond the piece's points");
        if (into.empty())
            return {};
        WYC_TRY(count, inner().pointCount(sample));
        if (points_.back() >= count)
            return fail(ErrorKind::BadInput, "the mesh has fewer points in this sample than in its first");
        // A piece's points mostly lie close together in the whole.
        const std::size_t low = points_[first];
        const std::size_t span = points_[first + into.size() - 1] - low + 1;
        if (span == into.size())
            return inner().readRange(sample, low, into);
        std::vector<Vec3f> around(span);
        WYC_CHECK(inner().readRange(sample, low, around));
        for (std::size_t i = 0; i < into.size(); ++i)
            into[i] = around[points_[first + i] - low];
        return {};
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] Result<ExtrasPtr> extras(std::size_t sample) const override {
        WYC_TRY(all, inner().extras(sample));
        MeshExtras cut;
        const auto choose = [&](const Attribute& from) {
            return chosenElements(from, from.scope == Scope::Corner  ? corners_
                                        : from.scope == Scope::Point ? points_
                                                                     : faces_);
        };
        cut.uvs = choose(all->uvs);
        cut.normals = choose(all->normals);
        cut.colours = choose(all->colours);
        for (const FaceSet& set : all->faceSets) {
            if (set.faces.empty() || faces_.empty() || set.faces.back() < static_cast<std::int32_t>(faces_.front()) ||
                set.faces.front() > static_cast<std::int32_t>(faces_.back()))
                continue;
            FaceSet part{set.kind, set.name, {}};
            for (std::size_t f = 0; f < faces_.size(); ++f)
                if (std::binary_search(set.faces.begin(), set.faces.end(), static_cast<std::int32_t>(faces_[f])))
                    part.faces.push_back(static_cast<std::int32_t>(f));
            if (!part.faces.empty())
                cut.faceSets.push_back(std::move(part));
        }
        return std::make_shared<const MeshExtras>(std::move(cut));
    }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool extrasVary() const override { return inner().extrasVary(); }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    std::vector<std::uint32_t> points_;
    std::vector<std::uint32_t> corners_;
    std::vector<std::uint32_t> faces_;
    TopologyPtr topology_;
};

// Where the parts of a merged mesh lie in it.
struct MergeLayout {
    std::vector<std::vector<std::uint32_t>> places; // by part: number of each point
    std::vector<std::vector<std::uint32_t>> faces;  // by part: number of each face
    std::vector<std::size_t> starts;                // first corner of each face, and the end
    std::size_t points = 0;
};

class MergedGeometry final : public Geometry {
  public:
    MergedGeometry(std::vector<MergePart> parts, Sampling sampling, MergeLayout layout, TopologyPtr topology)
        : parts_(std::move(parts)),
          sampling_(std::move(sampling)),
          layout_(std::move(layout)),
          topology_(std::move(topology)) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return layout_.points; }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        std::vector<Vec3f> all(layout_.points);
        std::vector<Vec3f> own;
        for (std::size_t p = 0; p < parts_.size(); ++p) {
            WYC_CHECK(wyc::readPoints(*parts_[p].geometry, sampleOf(p, sample), own));
            const auto& places = layout_.places[p];
            if (own.size() != places.size())
                return fail(makeError(ErrorKind::BadInput, "its point count changes in time").forItem(parts_[p].name));
            for (std::size_t i = 0; i < own.size(); ++i)
                all[places[i]] = own[i];
        }
        return copyRange(all, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] Result<ExtrasPtr> extras(std::size_t sample) const override {
        MeshExtras merged;
        merged.uvs = {Scope::Corner, 2, {}, std::vector<std::int32_t>(topology_->cornerCount(), -1)};
        merged.normals = {Scope::Corner, 3, {}, std::vector<std::int32_t>(topology_->cornerCount(), -1)};
        for (std::size_t p = 0; p < parts_.size(); ++p) {
            WYC_TRY(extras, parts_[p].geometry->extras(sampleOf(p, sample)));
            WYC_TRY(faces, parts_[p].geometry->topology(0));
            addPart(extras->uvs, *faces, p, merged.uvs);
            addPart(extras->normals, *faces, p, merged.normals);
            FaceSet set{FaceSet::Kind::Group, parts_[p].name, {layout_.faces[p].begin(), layout_.faces[p].end()}};
            std::sort(set.faces.begin(), set.faces.end());
            merged.faceSets.push_back(std::move(set));
        }
        for (Attribute* attribute : {&merged.uvs, &merged.normals})
            if (attribute->values.empty())
                *attribute = {};
        return std::make_shared<const MeshExtras>(std::move(merged));
    }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool extrasVary() const override {
        return std::any_of(parts_.begin(), parts_.end(), [](const MergePart& p) { return p.geometry->extrasVary(); });
    }

  private:
    [[nodiscard]] std::size_t sampleOf(std::size_t part, std::size_t sample) const {
        const std::size_t count = parts_[part].geometry->sampling().count();
        return count == 0 ? 0 : std::min(sample, count - 1);
    }
    // Whatever the part's scope was: an index for every corner.
    void addPart(const Attribute& from, const Topology& own, std::size_t part, Attribute& into) const {
        if (from.isEmpty())
            return;
        const auto base = static_cast<std::int32_t>(into.valueCount());
        into.values.insert(into.values.end(), from.values.begin(), from.values.end());
        std::size_t corner = 0;
        for (std::size_t face = 0; face < own.faceCount(); ++face) {
            const std::size_t start = layout_.starts[layout_.faces[part][face]];
            for (std::int32_t k = 0; k < own.faceSizes()[face]; ++k, ++corner) {
                const std::size_t element = from.scope == Scope::Constant ? 0
                                            : from.scope == Scope::Face   ? face
                                            : from.scope == Scope::Point
                                                ? static_cast<std::size_t>(own.corners()[corner])
                                                : corner;
                std::int32_t value = -1;
                if (from.indices.empty())
                    value = element < from.valueCount() ? static_cast<std::int32_t>(element) : -1;
                else if (element < from.indices.size())
                    value = from.indices[element];
                into.indices[start + static_cast<std::size_t>(k)] = value < 0 ? -1 : value + base;
            }
        }
    }
    std::vector<MergePart> parts_;
    Sampling sampling_;
    MergeLayout layout_;
    TopologyPtr topology_;
};

} // namespace

Result<std::vector<FaceSet>> piecesOf(const Scene& scene, std::size_t mesh, const std::string& by) {
    const Node& node = scene.nodes[mesh];
    if (node.geometry->topologyVaries())
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

Result<std::vector<CutPiece>> cutPieces(const GeometryPtr& whole, const std::vector<FaceSet>& sets) {
    if (whole->topologyVaries())
        return fail(varying({}));
    WYC_TRY(topology, whole->topology(0));
    WYC_TRY(count, whole->pointCount(0));
    std::vector<std::size_t> starts(topology->faceCount() + 1, 0);
    for (std::size_t f = 0; f < topology->faceCount(); ++f)
        starts[f + 1] = starts[f] + static_cast<std::size_t>(topology->faceSizes()[f]);
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
        piece.geometry =
            std::make_shared<CutGeometry>(whole, piece.points, std::move(corners), std::move(kept), std::move(made));
        result.push_back(std::move(piece));
    }
    return result;
}

namespace {

constexpr const char* kSplitPoints = "wyc_split_points";
constexpr const char* kSplitFaces = "wyc_split_faces";
constexpr const char* kSplitOf = "wyc_split_of";

// True when the numbers of all parts together are 0 … n − 1; `twice` allows one number in several parts.
bool fillWhole(const std::vector<std::vector<std::uint32_t>>& numbers, bool twice, std::size_t& total) {
    std::size_t count = 0;
    std::size_t highest = 0;
    for (const auto& part : numbers) {
        count += part.size();
        for (const std::uint32_t n : part)
            highest = std::max<std::size_t>(highest, n + std::size_t{1});
    }
    if (highest > count || (!twice && highest != count))
        return false;
    std::vector<bool> seen(highest, false);
    for (const auto& part : numbers)
        for (const std::uint32_t n : part)
            seen[n] = true;
    total = highest;
    return std::all_of(seen.begin(), seen.end(), [](bool s) { return s; });
}

} // namespace

PropertiesPtr splitProperties(const std::string& wholePath, const SplitOrigin& origin) {
    std::vector<char> name(wholePath.begin(), wholePath.end());
    name.push_back('\0');
    const auto numbers = [](const char* called, const std::vector<std::uint32_t>& values) {
        return PropertyNode{called,
                            {},
                            memoryValues<std::uint32_t>(ValueType::UInt32, 1, true, Sampling::still(), {values}),
                            {},
                            SpaceRole::None};
    };
    std::vector<PropertyNode> user{numbers(kSplitPoints, origin.points), numbers(kSplitFaces, origin.faces)};
    user.push_back({kSplitOf,
                    {},
                    memoryValues<char>(ValueType::String, 1, false, Sampling::still(), {name}),
                    {},
                    SpaceRole::None});
    PropertyNode group{".userProperties", {}, nullptr, std::move(user), SpaceRole::None};
    return std::make_shared<MemoryProperties>(
        std::vector<PropertyNode>{{".geom", {}, nullptr, {std::move(group)}, SpaceRole::None}});
}

Result<SplitOrigin> splitOrigin(const Node& node) {
    SplitOrigin origin;
    const auto read = [&](const char* name, std::vector<std::uint32_t>& into) -> Status {
        const auto found = findProperty(node.properties, std::string(".geom/.userProperties/") + name);
        if (!found || !found->values || found->values->type() != ValueType::UInt32)
            return {};
        WYC_TRY(values, valuesOf<std::uint32_t>(*found->values, 0));
        into = std::move(values);
        return {};
    };
    WYC_CHECK(read(kSplitPoints, origin.points));
    WYC_CHECK(read(kSplitFaces, origin.faces));
    return origin;
}

Result<GeometryPtr> mergedGeometry(const std::vector<MergePart>& parts, const FrameRate& rate) {
    std::vector<Sampling> samplings;
    for (const MergePart& part : parts) {
        if (part.geometry->topologyVaries())
            return fail(varying(part.name));
        samplings.push_back(part.geometry->sampling());
    }
    const Sampling common = commonSampling(samplings, rate);
    std::vector<MergePart> aligned = parts;
    MergeLayout layout;
    std::vector<std::vector<std::uint32_t>> oldPoints;
    std::vector<std::vector<std::uint32_t>> oldFaces;
    std::size_t faceTotal = 0;
    for (MergePart& part : aligned) {
        const Sampling& own = part.geometry->sampling();
        if (!own.isStill() && own != common)
            part.geometry = retimedGeometry(part.geometry, retimingOnto(own, common, rate));
        WYC_TRY(count, part.geometry->pointCount(0));
        WYC_TRY(faces, part.geometry->topology(0));
        if (!faces->fits(count))
            return fail(
                makeError(ErrorKind::BadInput, "a face refers to a point that is not there").forItem(part.name));
        std::vector<std::uint32_t> place(count);
        std::iota(place.begin(), place.end(), static_cast<std::uint32_t>(layout.points));
        layout.places.push_back(std::move(place));
        std::vector<std::uint32_t> faceNumbers(faces->faceCount());
        std::iota(faceNumbers.begin(), faceNumbers.end(), static_cast<std::uint32_t>(faceTotal));
        layout.faces.push_back(std::move(faceNumbers));
        layout.points += count;
        faceTotal += faces->faceCount();
        if (part.origin.points.size() == count && part.origin.faces.size() == faces->faceCount()) {
            oldPoints.push_back(part.origin.points);
            oldFaces.push_back(part.origin.faces);
        }
    }
    // Pieces of one split, and all of them (two may share points along a cut): back to the old numbers.
    std::size_t points = 0;
    if (oldPoints.size() == aligned.size() && fillWhole(oldPoints, true, points) &&
        fillWhole(oldFaces, false, faceTotal)) {
        layout.places = std::move(oldPoints);
        layout.faces = std::move(oldFaces);
        layout.points = points;
    }
    std::vector<std::int32_t> sizes(faceTotal);
    for (std::size_t p = 0; p < aligned.size(); ++p) {
        WYC_TRY(faces, aligned[p].geometry->topology(0));
        for (std::size_t f = 0; f < faces->faceCount(); ++f)
            sizes[layout.faces[p][f]] = faces->faceSizes()[f];
    }
    layout.starts.resize(faceTotal + 1, 0);
    for (std::size_t f = 0; f < faceTotal; ++f)
        layout.starts[f + 1] = layout.starts[f] + static_cast<std::size_t>(sizes[f]);
    std::vector<std::int32_t> corners(layout.starts.back());
    for (std::size_t p = 0; p < aligned.size(); ++p) {
        WYC_TRY(faces, aligned[p].geometry->topology(0));
        std::size_t own = 0;
        for (std::size_t f = 0; f < faces->faceCount(); ++f)
            for (std::int32_t k = 0; k < faces->faceSizes()[f]; ++k)
                corners[layout.starts[layout.faces[p][f]] + static_cast<std::size_t>(k)] =
                    static_cast<std::int32_t>(layout.places[p][static_cast<std::size_t>(faces->corners()[own++])]);
    }
    WYC_TRY(topology, Topology::make(std::move(sizes), std::move(corners)));
    return std::make_shared<MergedGeometry>(std::move(aligned), common, std::move(layout), std::move(topology));
}

SeenTogether piecesTogether(const Scene& scene) {
    std::vector<MergePart> parts;
    std::optional<std::size_t> first;
    std::vector<bool> hasChildren(scene.nodes.size(), false);
    for (const Node& node : scene.nodes)
        if (node.parent >= 0)
            hasChildren[static_cast<std::size_t>(node.parent)] = true;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (!node.geometry)
            continue;
        const bool mesh = node.kind == NodeKind::Mesh || node.kind == NodeKind::Subdivision;
        const auto origin = splitOrigin(node);
        const bool beside =
            !first || (node.parent == scene.nodes[*first].parent && node.transform == scene.nodes[*first].transform);
        if (!mesh || !beside || !origin || origin->points.empty() || hasChildren[i])
            return {scene, 1};
        first = first.value_or(i);
        parts.push_back({node.name, node.geometry, *origin});
    }
    if (parts.size() < 2)
        return {scene, 1};
    auto merged = mergedGeometry(parts, scene.workingRate);
    if (!merged)
        return {scene, 1};
    SeenTogether result{scene, parts.size()};
    result.scene.nodes.clear();
    std::vector<int> newIndex(scene.nodes.size(), -1);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (scene.nodes[i].geometry && i != *first)
            continue;
        Node node = scene.nodes[i];
        if (i == *first) {
            node.geometry = *merged;
            node.properties = nullptr;
        }
        if (node.parent >= 0)
            node.parent = newIndex[static_cast<std::size_t>(node.parent)];
        newIndex[i] = static_cast<int>(result.scene.nodes.size());
        result.scene.nodes.push_back(std::move(node));
    }
    return result;
}

} // namespace wyc
