// SPDX-License-Identifier: GPL-3.0-or-later
// Several meshes as one.
#include <algorithm>
#include <map>
#include <numeric>

#include "scene/layers.h"
#include "steps/shape/pieces.h"
#include "steps/shape/pieces_parts.h"

namespace wyc {
namespace {

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
    [[nodiscard]] Result<std::size_t> pointCountAt(double) const override { return layout_.points; }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(sampling_.time(sample), first, into);
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        std::vector<Vec3f> all(layout_.points);
        std::vector<Vec3f> own;
        for (std::size_t p = 0; p < parts_.size(); ++p) {
            WYC_CHECK(readPointsAt(*parts_[p].geometry, t, own));
            const auto& places = layout_.places[p];
            if (own.size() != places.size())
                return fail(makeError(ErrorKind::BadInput, "its point count changes in time").forItem(parts_[p].name));
            for (std::size_t i = 0; i < own.size(); ++i)
                all[places[i]] = own[i];
        }
        return copyRange(all, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double) const override { return topology_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        return faceSetsAt(sampling_.time(sample));
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double t) const override {
        std::vector<FaceSet> merged;
        std::map<std::pair<FaceSet::Kind, std::string>, std::size_t> setNumbers;
        for (std::size_t p = 0; p < parts_.size(); ++p) {
            WYC_TRY(own, parts_[p].geometry->faceSetsAt(t));
            FaceSet whole{FaceSet::Kind::Group, parts_[p].name, {layout_.faces[p].begin(), layout_.faces[p].end()}};
            std::sort(whole.faces.begin(), whole.faces.end());
            merged.push_back(std::move(whole));
            for (const FaceSet& set : *own) {
                // One material stays one; groups of one name in two parts are two.
                const bool material = set.kind == FaceSet::Kind::Material;
                const std::pair key{set.kind, material ? set.name : parts_[p].name + "_" + set.name};
                const auto [at, added] = setNumbers.try_emplace(key, merged.size());
                if (added)
                    merged.push_back({set.kind, key.second, {}});
                std::vector<std::int32_t>& into = merged[at->second].faces;
                for (const std::int32_t face : set.faces)
                    if (face >= 0 && static_cast<std::size_t>(face) < layout_.faces[p].size())
                        into.push_back(static_cast<std::int32_t>(layout_.faces[p][static_cast<std::size_t>(face)]));
                std::sort(into.begin(), into.end());
            }
        }
        return std::make_shared<const std::vector<FaceSet>>(std::move(merged));
    }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool faceSetsVary() const override {
        return std::any_of(parts_.begin(), parts_.end(), [](const MergePart& p) { return p.geometry->faceSetsVary(); });
    }
    [[nodiscard]] bool straightBetween() const override {
        return std::all_of(parts_.begin(), parts_.end(),
                           [](const MergePart& p) { return p.geometry->straightBetween(); });
    }
    [[nodiscard]] bool sameAlways() const override {
        return std::all_of(parts_.begin(), parts_.end(), [](const MergePart& p) { return p.geometry->sameAlways(); });
    }

    [[nodiscard]] const MergeLayout& layout() const { return layout_; }

  private:
    std::vector<MergePart> parts_;
    Sampling sampling_;
    MergeLayout layout_;
    TopologyPtr topology_;
};

// A layer of all parts: an index for every corner, −1 on parts that do not have it.
class MergedLayer final : public LayerSource {
  public:
    /// One for each part; null where it has none.
    MergedLayer(std::vector<std::shared_ptr<const KeptLayer>> parts, std::shared_ptr<const MergedGeometry> mesh,
                std::vector<TopologyPtr> faces, int extent, const View& view)
        : parts_(std::move(parts)), mesh_(std::move(mesh)), faces_(std::move(faces)), extent_(extent) {
        std::vector<Sampling> changing;
        for (const auto& part : parts_)
            if (part && !part->layer().constant())
                changing.push_back(part->sampling());
        sampling_ = changing.empty() ? Sampling::still() : commonSampling(changing);
        if (changing.size() > 1 && std::any_of(parts_.begin(), parts_.end(),
                                               [](const auto& part) { return part && isRenumbered(part->layer()); }))
            sampling_ = withWholeFrames(sampling_, view);
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] bool sameAlways() const override {
        return std::all_of(parts_.begin(), parts_.end(), [](const auto& p) { return !p || p->sameAlways(); });
    }
    [[nodiscard]] Result<std::shared_ptr<const Attribute>> at(double seconds) const override {
        Attribute merged{Scope::Corner, extent_, {}, std::vector<std::int32_t>(mesh_->layout().starts.back(), -1)};
        for (std::size_t p = 0; p < parts_.size(); ++p) {
            if (!parts_[p])
                continue;
            WYC_TRY(own, parts_[p]->at(seconds));
            addPart(*own, *faces_[p], p, merged);
        }
        if (merged.values.empty())
            merged.indices.clear();
        return std::make_shared<const Attribute>(std::move(merged));
    }

  private:
    // Whatever the part's scope was.
    void addPart(const Attribute& from, const Topology& own, std::size_t part, Attribute& into) const {
        if (from.isEmpty())
            return;
        const auto base = static_cast<std::int32_t>(into.valueCount());
        for (std::size_t v = 0; v < from.valueCount(); ++v)
            for (int k = 0; k < into.extent; ++k) // a colour without coverage covers
                into.values.push_back(
                    k < from.extent
                        ? from.values[v * static_cast<std::size_t>(from.extent) + static_cast<std::size_t>(k)]
                        : 1.0F);
        std::size_t corner = 0;
        for (std::size_t face = 0; face < own.faceCount(); ++face) {
            const std::size_t start = mesh_->layout().starts[mesh_->layout().faces[part][face]];
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
    std::vector<std::shared_ptr<const KeptLayer>> parts_;
    std::shared_ptr<const MergedGeometry> mesh_;
    std::vector<TopologyPtr> faces_;
    int extent_;
    Sampling sampling_;
};

// Layers of one name become one.
Result<std::vector<PropertyNode>> mergedLayers(const std::vector<MergePart>& parts,
                                               const std::shared_ptr<const MergedGeometry>& mesh, const View& view) {
    std::vector<TopologyPtr> faces;
    std::vector<Layer> shapes; // of the first part that has it
    std::vector<std::vector<std::shared_ptr<const KeptLayer>>> all;
    for (std::size_t p = 0; p < parts.size(); ++p) {
        WYC_TRY(own, parts[p].geometry->topology(0));
        faces.push_back(std::move(own));
        for (Layer& layer : layersOf(parts[p].properties)) {
            auto known =
                std::find_if(shapes.begin(), shapes.end(), [&](const Layer& s) { return s.name == layer.name; });
            if (known == shapes.end()) {
                shapes.push_back(layer);
                all.emplace_back(parts.size());
                known = std::prev(shapes.end());
            }
            all[static_cast<std::size_t>(known - shapes.begin())][p] =
                std::make_shared<const KeptLayer>(std::move(layer), parts[p].geometry);
        }
    }
    std::vector<PropertyNode> result;
    for (std::size_t s = 0; s < shapes.size(); ++s) {
        std::uint32_t extent = 0;
        for (const auto& part : all[s])
            extent = std::max(extent, part ? part->layer().values->extent() : 0U);
        shapes[s].scope = Scope::Corner;
        result.push_back(layerProperty(
            layerFrom(std::make_shared<MergedLayer>(std::move(all[s]), mesh, faces, static_cast<int>(extent), view),
                      shapes[s], extent, true)));
    }
    return result;
}

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

Result<MergedMesh> mergedMesh(const std::vector<MergePart>& parts, const View& view) {
    std::vector<Sampling> samplings;
    for (const MergePart& part : parts) {
        WYC_TRY(changes, part.geometry->topologyChanges());
        if (changes)
            return fail(varying(part.name));
        samplings.push_back(part.geometry->sampling());
    }
    const Sampling common = commonSampling(samplings);
    std::vector<MergePart> aligned = parts;
    MergeLayout layout;
    std::vector<std::vector<std::uint32_t>> oldPoints;
    std::vector<std::vector<std::uint32_t>> oldFaces;
    std::size_t faceTotal = 0;
    for (MergePart& part : aligned) {
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
    MergedMesh result{nullptr, {}, layout.places};
    const auto mesh = std::make_shared<const MergedGeometry>(aligned, common, std::move(layout), std::move(topology));
    WYC_TRY(layers, mergedLayers(aligned, mesh, view));
    result.layers = std::move(layers);
    result.geometry = mesh;
    return result;
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
        const bool mesh = node.is().faces;
        const auto origin = splitOrigin(node);
        const bool beside =
            !first || (node.parent == scene.nodes[*first].parent && node.transform == scene.nodes[*first].transform);
        if (!mesh || !beside || !origin || origin->points.empty() || hasChildren[i])
            return {scene, 1};
        first = first.value_or(i);
        parts.push_back({node.name, node.geometry, {}, *origin, nullptr});
    }
    if (parts.size() < 2)
        return {scene, 1};
    const auto merged = mergedMesh(parts, scene.view);
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
            node.geometry = merged->geometry;
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
