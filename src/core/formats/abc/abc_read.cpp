// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <atomic>
#include <mutex>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/abc/abc.h"
#include "formats/abc/archive.h"
#include "formats/abc/layout.h"
#include "formats/abc/properties_read.h"
#include "scene/winding.h"

namespace wyc::abc {
namespace {

using ArchivePtr = std::shared_ptr<const Archive>;

/// Sample of a companion property (faces, sets) that belongs to sample i of the points: by number where both
/// were sampled alike, the last one where it has fewer.
std::uint64_t companionSample(const Property& property, std::size_t i) {
    return property.sampleCount == 0 ? 0 : std::min<std::uint64_t>(i, property.sampleCount - 1);
}

bool changes(const Property* property) {
    return property && property->sampleCount > 1 && !property->constant;
}

struct MeshProperties {
    const Property* points = nullptr;
    const Property* counts = nullptr;
    const Property* indices = nullptr;
    const Property* curveSizes = nullptr; // points of each curve
    const Property* ids = nullptr;        // of points that come and go
};
struct FaceSetRef {
    std::string name;
    const Property* faces = nullptr;
};

class ArchiveGeometry final : public Geometry {
  public:
    ArchiveGeometry(ArchivePtr archive, MeshProperties properties, std::string item)
        : archive_(std::move(archive)),
          p_(properties),
          item_(std::move(item)),
          sampling_(archive_->samplingOf(*p_.points)) {}

    /// Before anything is read.
    void addFaceSet(FaceSetRef set) { sets_.push_back(std::move(set)); }

    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override {
        WYC_TRY(count, archive_->elementCount(*p_.points, sample));
        return static_cast<std::size_t>(count / 3);
    }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(archive_->container().file().verifyUnchanged());
        WYC_TRY(at, archive_->sample(*p_.points, sample));
        const std::uint64_t from = first * sizeof(Vec3f);
        if (first > at.sizeBytes / sizeof(Vec3f) || into.size_bytes() > at.sizeBytes - from)
            return fail(ErrorKind::Internal, "the buffer reaches beyond the sample's points");
        if (into.empty())
            return {};
        return archive_->container().readData(at.position, at.elementOffset + from, std::as_writable_bytes(into));
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t sample) const override {
        if (!p_.counts)
            return emptyTopology();
        const std::uint64_t countsAt = companionSample(*p_.counts, sample);
        const std::uint64_t indicesAt = companionSample(*p_.indices, sample);
        const std::pair key{p_.counts->storedIndex(countsAt), p_.indices->storedIndex(indicesAt)};
        {
            const std::lock_guard lock(mutex_);
            if (topology_ && topologyKey_ == key)
                return topology_;
        }
        WYC_TRY(sizes, archive_->values<std::int32_t>(*p_.counts, countsAt));
        WYC_TRY(corners, archive_->values<std::int32_t>(*p_.indices, indicesAt));
        auto made = Topology::make(std::move(sizes), std::move(corners));
        if (made)
            made = turned(**made);
        if (!made)
            return fail(archive_->container().damage(p_.indices->position, made.error().what).forItem(item_));
        const std::lock_guard lock(mutex_);
        topology_ = *made;
        topologyKey_ = key;
        return topology_;
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        if (sets_.empty())
            return noFaceSets();
        if (!faceSetsVary()) {
            const std::lock_guard lock(mutex_);
            if (keptSets_)
                return keptSets_;
        }
        std::vector<FaceSet> made;
        for (const FaceSetRef& set : sets_) {
            WYC_TRY(numbers, archive_->values<std::int32_t>(*set.faces, companionSample(*set.faces, sample)));
            std::sort(numbers.begin(), numbers.end());
            made.push_back({FaceSet::Kind::Group, set.name, std::move(numbers)});
        }
        auto result = std::make_shared<const std::vector<FaceSet>>(std::move(made));
        const std::lock_guard lock(mutex_);
        keptSets_ = result;
        return FaceSetsPtr(result);
    }
    [[nodiscard]] bool topologyVaries() const override {
        if (changes(p_.counts) || changes(p_.indices) || changes(p_.curveSizes) || changes(p_.ids))
            return true;
        if (varies_ < 0) {
            // Constant faces: the point count can still change. Its sizes are in the index.
            const std::lock_guard lock(mutex_);
            varies_ = 0;
            const auto first = pointCount(0);
            for (std::size_t i = 1; first && i < sampling_.count() && !p_.counts; ++i)
                if (const auto count = pointCount(i); count && *count != *first) {
                    varies_ = 1;
                    break;
                }
        }
        return varies_ > 0;
    }
    [[nodiscard]] bool faceSetsVary() const override {
        return topologyVaries() ||
               std::any_of(sets_.begin(), sets_.end(), [](const FaceSetRef& s) { return changes(s.faces); });
    }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t sample) const override {
        if (!p_.ids)
            return IdsPtr();
        WYC_TRY(numbers, archive_->values<std::uint64_t>(*p_.ids, companionSample(*p_.ids, sample)));
        WYC_TRY(count, pointCount(sample));
        if (numbers.size() != count) // of no use: they say nothing of these points
            return IdsPtr();
        return std::make_shared<const std::vector<std::uint64_t>>(std::move(numbers));
    }
    [[nodiscard]] bool pointsConstant() const override { return p_.points->constant || p_.points->sampleCount < 2; }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t sample) const override {
        const auto at = archive_->sample(*p_.points, sample);
        return at ? std::optional(at->position) : std::nullopt;
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t sample) const override {
        const auto at = archive_->sample(*p_.points, sample);
        return at && at->position ? std::optional(at->position + 8 + at->elementOffset) : std::nullopt;
    }

  private:
    ArchivePtr archive_;
    MeshProperties p_;
    std::vector<FaceSetRef> sets_;
    std::string item_;
    Sampling sampling_;
    mutable std::mutex mutex_;
    mutable TopologyPtr topology_;
    mutable std::pair<std::uint64_t, std::uint64_t> topologyKey_;
    mutable FaceSetsPtr keptSets_;
    mutable std::atomic<int> varies_{-1};
};

class ArchiveTransform final : public Transform {
  public:
    ArchiveTransform(ArchivePtr archive, std::vector<TransformOp> ops, const Property* values, const Property* inherits)
        : archive_(std::move(archive)), ops_(std::move(ops)), values_(values), inherits_(inherits) {
        const Property* lead = values_;
        if (!lead || (inherits_ && inherits_->sampleCount > lead->sampleCount))
            lead = inherits_;
        if (lead && lead->sampleCount > 0)
            sampling_ = lead->sampleCount == 1 ? Sampling::still() : archive_->samplingOf(*lead);
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        if (!values_ || values_->sampleCount == 0)
            return std::vector<double>{};
        WYC_CHECK(archive_->container().file().verifyUnchanged());
        return archive_->values<double>(*values_, companionSample(*values_, sample));
    }
    [[nodiscard]] Result<bool> inherits(std::size_t sample) const override {
        if (!inherits_ || inherits_->sampleCount == 0)
            return true;
        WYC_TRY(raw, archive_->bytes(*inherits_, companionSample(*inherits_, sample)));
        return raw.empty() || raw[0] != std::byte{0};
    }
    [[nodiscard]] bool constant() const override { return !changes(values_) && !changes(inherits_); }

  private:
    ArchivePtr archive_;
    std::vector<TransformOp> ops_;
    const Property* values_;
    const Property* inherits_;
    Sampling sampling_;
};

class SceneBuilder {
  public:
    SceneBuilder(ArchivePtr archive, const OpenRequest& request) : archive_(std::move(archive)) {
        scene_.rate = archive_->rate();
        scene_.view.rate = scene_.rate.value_or(request.assumedRate);
        scene_.container.metadata = archive_->metadata();
        scene_.container.format = kFormatId;
        if (const auto unit = metadataValue("wyc_unit_metres"))
            if (const auto metres = parseUnit(*unit))
                scene_.unitMetres = *metres;
        if (const auto up = metadataValue("wyc_up_axis"))
            if (const auto axis = parseUpAxis(*up))
                scene_.upAxis = *axis;
    }

    Result<Scene> build() {
        const auto& objects = archive_->objects();
        for (const TimeSampling& sampling : archive_->timeSamplings())
            scene_.container.samplings.push_back({sampling.sampling(sampling.stored.size()), sampling.maxSamples});
        scene_.properties = propertiesOf(archive_, 0, NodeKind::Other, nullptr, nullptr, nullptr);
        for (const Property& property : objects.front().properties)
            if (property.name != ".childBnds")
                note(fmt::format("property '{}' of the archive", validUtf8(property.name)), {});
        scene_.nodes.reserve(objects.size());
        for (std::size_t i = 1; i < objects.size(); ++i) {
            auto status = addObject(objects[i], i);
            if (!status)
                return fail(std::move(status.error())
                                .inFile(archive_->container().file().path().string())
                                .forItem(validUtf8(objects[i].path)));
        }
        std::unordered_map<std::string_view, NodeId> byPath;
        for (const Node& node : scene_.nodes)
            byPath.emplace(node.path, node.id);
        for (Node& node : scene_.nodes)
            if (const auto shown = byPath.find(node.instanceLabel); node.isInstance() && shown != byPath.end())
                node.instanceOf = shown->second;
        for (const auto& [what, items] : noted_)
            scene_.report.carried.push_back(
                {items.size() == 1 ? items.front() : std::string(),
                 items.size() == 1 ? what : fmt::format("{} (on {} items)", what, items.size())});
        return std::move(scene_);
    }

  private:
    [[nodiscard]] std::optional<std::string> metadataValue(const std::string& key) const {
        const auto found = archive_->metadata().find(key);
        return found == archive_->metadata().end() ? std::nullopt : std::optional(found->second);
    }

    // Carried without being understood.
    void note(const std::string& what, const std::string& item) { noted_[what].push_back(item); }

    Status addObject(const Object& object, std::size_t index) {
        Node node;
        node.name = object.name;
        node.path = object.path;
        node.parent = object.parent - 1; // the top object is no node
        node.schema = object.schema();
        const std::string_view schema = node.schema;
        if (const Property* source = object.property(".instanceSource")) {
            node.kind = NodeKind::Instances;
            WYC_CHECK(addInstance(*source, node));
        } else if (schema.starts_with("AbcGeom_Xform")) {
            node.kind = NodeKind::Transform;
            WYC_CHECK(addTransform(object, node));
        } else if (schema.starts_with("AbcGeom_PolyMesh")) {
            node.kind = NodeKind::Mesh;
            WYC_CHECK(addShape(object, node));
        } else if (schema.starts_with("AbcGeom_SubD")) {
            node.kind = NodeKind::Subdivision;
            WYC_CHECK(addShape(object, node));
        } else if (schema.starts_with("AbcGeom_Points")) {
            node.kind = NodeKind::Points;
            WYC_CHECK(addShape(object, node));
        } else if (schema.starts_with("AbcGeom_Curve")) {
            node.kind = NodeKind::Curves;
            WYC_CHECK(addShape(object, node));
        } else if (schema.starts_with("AbcGeom_Camera")) {
            node.kind = NodeKind::Camera;
        } else if (schema.starts_with("AbcGeom_Light")) {
            node.kind = NodeKind::Light;
        } else if (schema.starts_with("AbcGeom_FaceSet")) {
            node.kind = NodeKind::FaceSet;
            addFaceSet(object, node);
        } else {
            note(schema.empty() ? "an object without a schema"
                                : fmt::format("an object of schema '{}'", validUtf8(schema)),
                 node.path);
        }
        WYC_CHECK(addVisibility(object, node));
        const bool set = node.kind == NodeKind::FaceSet && node.parent >= 0;
        node.properties =
            propertiesOf(archive_, index, node.kind, node.geometry, node.transform,
                         set ? scene_.nodes[static_cast<std::size_t>(node.parent)].geometry : node.geometry);
        scene_.nodes.push_back(std::move(node));
        return {};
    }

    void addFaceSet(const Object& object, const Node& node) {
        const Property* group = object.property(".faceset");
        const Property* faces = group ? group->child(".faces") : nullptr;
        const auto mesh = shapes_.find(node.parent);
        if (mesh != shapes_.end() && faces && faces->kind == Property::Kind::Array && faces->pod == Pod::Int32 &&
            faces->extent == 1 && faces->sampleCount > 0)
            mesh->second->addFaceSet({node.name, faces});
    }

    Status addInstance(const Property& source, Node& node) {
        if (source.kind != Property::Kind::Scalar || source.pod != Pod::String || source.sampleCount == 0)
            return fail(archive_->container().damage(source.position, "an instance does not name its source"));
        WYC_TRY(paths, archive_->strings(source, 0));
        if (!paths.empty())
            node.instanceLabel = paths.front();
        return {};
    }

    Status addTransform(const Object& object, Node& node) {
        const Property* xform = object.property(".xform");
        if (!xform || xform->children.empty()) // declared, and never set
            return {};
        const Property* opsProperty = xform->child(".ops");
        const Property* values = xform->child(".vals");
        std::vector<TransformOp> ops;
        std::size_t channels = 0;
        if (opsProperty && opsProperty->kind == Property::Kind::Scalar && opsProperty->sampleCount > 0) {
            WYC_TRY(raw, archive_->values<std::uint8_t>(*opsProperty, 0));
            for (const std::uint8_t code : raw) {
                if ((code >> 4) > 6)
                    return fail(archive_->container().damage(
                        opsProperty->position, fmt::format("transform operation {} is not known", code >> 4)));
                ops.push_back({static_cast<TransformOp::Kind>(code >> 4), static_cast<std::uint8_t>(code & 15)});
                channels += channelCount(ops.back().kind);
            }
        }
        // More than 255 numbers do not fit a scalar's extent: others write them as an array.
        if (values && values->pod == Pod::Double && values->sampleCount > 0) {
            WYC_TRY(count, archive_->elementCount(*values, 0));
            if (count < channels)
                return fail(archive_->container().damage(
                    values->position, fmt::format("the operations need {} numbers, {} are stored", channels, count)));
        } else if (channels > 0) {
            return fail(archive_->container().damage(xform->position, "a transform has operations and no numbers"));
        }
        const Property* inherits = xform->child(".inherits");
        if (inherits && (inherits->pod != Pod::Bool || inherits->sampleCount == 0))
            inherits = nullptr;
        node.transform =
            std::make_shared<ArchiveTransform>(archive_, std::move(ops), channels > 0 ? values : nullptr, inherits);
        return {};
    }

    Status addShape(const Object& object, Node& node) {
        const Property* geom = object.property(".geom");
        MeshProperties properties;
        if (geom) {
            properties.points = geom->child("P");
            properties.counts = geom->child(".faceCounts");
            properties.indices = geom->child(".faceIndices");
        }
        const auto wellTyped = [](const Property* p, Pod pod, std::uint32_t extent) {
            return p && p->kind == Property::Kind::Array && p->pod == pod && p->extent == extent;
        };
        if (!properties.points || properties.points->sampleCount == 0) {
            note("a shape without a sample", node.path);
            return {};
        }
        if (!wellTyped(properties.points, Pod::Float, 3))
            return fail(
                archive_->container().damage(properties.points->position, "the points are not float32 triples"));
        if (node.kind == NodeKind::Points || node.kind == NodeKind::Curves) {
            properties.counts = properties.indices = nullptr;
            properties.curveSizes = geom->child("nVertices");
            const Property* ids = geom->child(".pointIds");
            if (node.kind == NodeKind::Points && wellTyped(ids, Pod::UInt64, 1) && ids->sampleCount > 0)
                properties.ids = ids;
            if (node.kind == NodeKind::Curves &&
                (!wellTyped(properties.curveSizes, Pod::Int32, 1) || properties.curveSizes->sampleCount == 0))
                return fail(archive_->container().damage(geom->position, "curves without the number of their points"));
        } else if (!wellTyped(properties.counts, Pod::Int32, 1) || !wellTyped(properties.indices, Pod::Int32, 1) ||
                   properties.counts->sampleCount == 0 || properties.indices->sampleCount == 0) {
            return fail(archive_->container().damage(geom->position, "a mesh has no face counts and indices"));
        }
        const auto shape = std::make_shared<ArchiveGeometry>(archive_, properties, node.path);
        shapes_[static_cast<int>(scene_.nodes.size())] = shape;
        node.geometry = shape;
        return {};
    }

    Status addVisibility(const Object& object, Node& node) {
        const Property* visible = object.property("visible");
        if (!visible || visible->kind != Property::Kind::Scalar || podSize(visible->pod) != 1 ||
            visible->sampleCount == 0)
            return {};
        VisibilityTrack track;
        track.sampling = visible->sampleCount == 1 ? Sampling::still() : archive_->samplingOf(*visible);
        for (std::uint32_t i = 0; i < visible->sampleCount; ++i) {
            WYC_TRY(raw, archive_->values<std::int8_t>(*visible, i));
            track.values.push_back(raw.empty() || raw[0] < 0 ? Visibility::AsParent
                                   : raw[0] == 0             ? Visibility::Hidden
                                                             : Visibility::Visible);
        }
        node.visibility = std::move(track);
        return {};
    }

    ArchivePtr archive_;
    Scene scene_;
    std::unordered_map<int, std::shared_ptr<ArchiveGeometry>> shapes_; // by number of the node
    std::map<std::string, std::vector<std::string>> noted_;
};

} // namespace

Result<Scene> openArchive(const OpenRequest& request) {
    WYC_TRY(archive, Archive::open(request.path));
    return SceneBuilder(archive, request).build();
}

} // namespace wyc::abc
