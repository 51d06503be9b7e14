// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <cstring>
#include <limits>
#include <numeric>
#include <set>
#include <unordered_map>

#include <fmt/format.h>

#include "base/parallel.h"
#include "base/text.h"
#include "formats/abc/abc.h"
#include "formats/abc/archive_write.h"
#include "formats/abc/camera_core.h"
#include "formats/abc/layout.h"
#include "formats/estimate.h"
#include "scene/layers.h"
#include "scene/winding.h"

namespace wyc::abc {

namespace {

// A shape, camera, light or instance with a transform of its own: the format wants the transform above it, under the
// same name.
bool standsApart(const Node& node) {
    return node.transform && node.kind != NodeKind::Transform;
}

WrittenPlace writtenAt(const Node& node) {
    const bool apart = standsApart(node);
    return {apart ? node.path + "/" + node.name : node.path, apart};
}

struct SchemaName {
    const char* name;
    const char* group; // the compound that holds it
    bool geometry;
};

SchemaName schemaOf(NodeKind kind) {
    switch (kind) {
    case NodeKind::Mesh: return {"AbcGeom_PolyMesh_v1", ".geom", true};
    case NodeKind::Subdivision: return {"AbcGeom_SubD_v1", ".geom", true};
    case NodeKind::Points: return {"AbcGeom_Points_v1", ".geom", true};
    case NodeKind::Curves: return {"AbcGeom_Curve_v2", ".geom", true};
    case NodeKind::Camera: return {"AbcGeom_Camera_v1", ".geom", false};
    case NodeKind::Light: return {"AbcGeom_Light_v1", ".geom", false};
    case NodeKind::FaceSet: return {"AbcGeom_FaceSet_v1", ".faceset", true};
    default: return {"AbcGeom_Xform_v3", ".xform", false};
    }
}

Metadata schemaMetadata(NodeKind kind, bool forObject) {
    const SchemaName schema = schemaOf(kind);
    Metadata result{{"schema", schema.name}};
    if (schema.geometry)
        result["schemaBaseType"] = "AbcGeom_GeomBase_v1";
    if (forObject)
        result["schemaObjTitle"] = std::string(schema.name) + ":" + schema.group;
    return result;
}

// What the source says about the object, else what its kind asks for.
Metadata objectMetadata(const Node& node) {
    if (node.properties && !node.properties->metadata().empty())
        return node.properties->metadata();
    if (node.kind == NodeKind::Instances)
        return {{"isInstance", "1"}};
    return node.kind == NodeKind::Other ? Metadata{} : schemaMetadata(node.kind, true);
}

class SceneWriter {
  public:
    SceneWriter(ArchiveWriter& archive, const Scene& scene, const Progress& progress)
        : archive_(archive), scene_(scene), progress_(progress), ids_(scene.nodes.size()) {
        for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
            byId_.emplace(scene.nodes[i].id.value, i);
            if (scene.nodes[i].geometry)
                totalSamples_ += scene.nodes[i].geometry->sampling().count();
        }
    }

    Status write() {
        for (std::size_t i = 0; i < scene_.container.samplings.size(); ++i)
            archive_.declareTimeSampling(scene_.container.samplings[i].sampling,
                                         scene_.container.samplings[i].mostSamples, i == 0);
        if (scene_.properties)
            for (const PropertyNode& property : scene_.properties->all())
                WYC_CHECK(copyProperty(archive_.topObject(), property));
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            const Node& node = scene_.nodes[i];
            if (auto status = writeNode(node, i); !status)
                return fail(std::move(status.error()).forItem(node.path));
        }
        return {};
    }

  private:
    Status writeNode(const Node& node, std::size_t index) {
        auto parent = node.parent < 0 ? archive_.topObject() : ids_[static_cast<std::size_t>(node.parent)];
        const PropertiesPtr& properties = node.properties;
        // What stands where it is by itself: the format wants the transform above it. It has the same name.
        const bool placed = standsApart(node);
        if (placed) {
            parent = archive_.addObject(parent, node.name, schemaMetadata(NodeKind::Transform, true));
            WYC_CHECK(writeTransform(node, parent));
        }
        if (node.kind == NodeKind::Instances) {
            ids_[index] = archive_.addObject(parent, node.name, objectMetadata(node));
            const auto source =
                archive_.addProperty(ids_[index], {".instanceSource", Property::Kind::Scalar, Pod::String, 1, {}, 0});
            const auto shown = node.instanceOf ? byId_.find(node.instanceOf->value) : byId_.end();
            const std::string& path = shown == byId_.end() ? node.instanceLabel : scene_.nodes[shown->second].path;
            WYC_CHECK(archive_.addSample(source, std::as_bytes(std::span(path.c_str(), path.size() + 1))));
            return copyRest(node, ids_[index]);
        }
        // Shape and transform as the source has them: so are all their properties.
        const bool sameShape = properties && properties->shape() == node.geometry.get();
        if (sameShape && (placed || properties->transform() == node.transform.get())) {
            ids_[index] = archive_.addObject(parent, node.name, objectMetadata(node));
            return copyRest(node, ids_[index]);
        }
        if (node.geometry)
            return writeShape(node, parent, index);
        if (placed) {
            ids_[index] = archive_.addObject(parent, node.name, objectMetadata(node));
            return copyRest(node, ids_[index]);
        }
        // Kinds that have nothing to write keep their place as a plain transform, so that children stand.
        ids_[index] = archive_.addObject(parent, node.name,
                                         node.kind == NodeKind::Transform ? objectMetadata(node)
                                                                          : schemaMetadata(NodeKind::Transform, true));
        WYC_CHECK(writeTransform(node, ids_[index]));
        return copyRest(node, ids_[index], ".xform");
    }

    // The node's properties but for those that were made anew and the group that they were in; visibility in its place.
    Status copyRest(const Node& node, ArchiveWriter::ObjectId object, std::string_view group = {}) {
        bool visibilityWritten = false;
        for (PropertyNode& property : laidOut(node)) {
            if (property.name == "visible") {
                visibilityWritten = true;
                WYC_CHECK(writeVisibility(node, object));
            } else if (property.name != group && !isMadeAnew({}, property.name, node.kind)) {
                const bool schema = !property.values && property.name == schemaOf(node.kind).group;
                if (schema && property.metadata.empty() && node.kind != NodeKind::Other)
                    property.metadata = schemaMetadata(node.kind, false);
                WYC_CHECK(copyProperty(object, property));
            }
        }
        return visibilityWritten ? Status{} : writeVisibility(node, object);
    }

    using LayerNames = std::set<std::pair<Meaning, std::string>>;
    // Layers without a value for each corner of each sample: nothing is made up where the source has none.
    static Result<LayerNames> partialLayers(const std::vector<PropertyNode>& all, const Node& node) {
        LayerNames partial;
        const std::vector<Layer> layers = node.geometry ? layersOf(plainProperties(all)) : std::vector<Layer>();
        WYC_TRY(gaps, layers.empty() ? std::vector<LayerGaps>() : layerGaps(layers, *node.geometry));
        for (std::size_t i = 0; i < layers.size(); ++i)
            if (!gaps[i].there || gaps[i].any())
                partial.emplace(layers[i].meaning, layers[i].label);
        return partial;
    }
    static std::optional<PropertyNode> without(const LayerNames& partial, const PropertyNode& property) {
        if (partial.contains({property.meaning, property.name}))
            return std::nullopt;
        PropertyNode kept = property;
        kept.children.clear();
        for (const PropertyNode& child : property.children)
            if (auto own = without(partial, child))
                kept.children.push_back(std::move(*own));
        const bool emptied = kept.children.empty() && !property.children.empty();
        return emptied ? std::nullopt : std::optional(std::move(kept));
    }

    // Members of a group ("P" of ".geom") that were not made anew.
    Status copyMembers(const Node& node, std::string_view group, ArchiveWriter::PropertyId into) {
        const std::vector<PropertyNode> all = laidOut(node);
        const auto found = std::find_if(all.begin(), all.end(), [&](const PropertyNode& p) { return p.name == group; });
        if (found == all.end())
            return {};
        WYC_TRY(partial, partialLayers(found->children, node));
        for (const PropertyNode& property : found->children) {
            if (isMadeAnew(group, property.name, node.kind))
                continue;
            if (const auto kept = without(partial, property))
                WYC_CHECK(copyProperty(into, *kept));
        }
        return {};
    }

    template<class Parent> Status copyProperty(Parent parent, const PropertyNode& property) {
        if (!property.values) {
            const auto group = archive_.addCompound(parent, property.name, property.metadata);
            for (const PropertyNode& child : property.children)
                WYC_CHECK(copyProperty(group, child));
            return {};
        }
        const SampledValues& values = *property.values;
        const auto id = archive_.addProperty(
            parent, {property.name, values.isArray() ? Property::Kind::Array : Property::Kind::Scalar, values.type(),
                     values.extent(), property.metadata, archive_.addTimeSampling(values.statedSampling())});
        const std::size_t count = values.sampling().count();
        const auto sameAsBefore = [&](std::size_t i) {
            return i > 0 && (values.constant() || (values.token(i) && values.token(i) == values.token(i - 1)));
        };
        constexpr std::size_t kSlots = 4;
        std::array<PropertyValue, kSlots> slots;
        std::array<Key128, kSlots> keys;
        return orderedPipeline(
            count, kSlots, progress_,
            [&](std::size_t i, std::size_t s) -> Status {
                if (sameAsBefore(i))
                    return {};
                WYC_TRY(value, values.read(i));
                slots[s] = std::move(value);
                keys[s] = ArchiveWriter::sampleKey(values.type(), slots[s].bytes);
                return {};
            },
            [&](std::size_t i, std::size_t s) -> Status {
                if (sameAsBefore(i))
                    archive_.repeatSample(id);
                else
                    WYC_CHECK(archive_.addSample(id, slots[s].bytes, keys[s], slots[s].dimensions));
                if (property.name == "P")
                    reportSample();
                return {};
            });
    }

    void reportSample(const std::string& words = {}) {
        ++doneSamples_;
        progress_.report(static_cast<double>(doneSamples_) /
                             static_cast<double>(std::max<std::size_t>(1, totalSamples_)),
                         "writing", words);
    }

    Status writeVisibility(const Node& node, ArchiveWriter::ObjectId object) {
        if (!node.visibility)
            return {};
        const auto property = archive_.addProperty(
            object,
            {"visible", Property::Kind::Scalar, Pod::Int8, 1, {}, archive_.addTimeSampling(node.visibility->sampling)});
        for (const Visibility value : node.visibility->values) {
            const auto raw = static_cast<std::int8_t>(value);
            WYC_CHECK(archive_.addValues<std::int8_t>(property, std::span(&raw, 1)));
        }
        return {};
    }

    Status writeTransform(const Node& node, ArchiveWriter::ObjectId object) {
        const auto xform = archive_.addCompound(object, ".xform", schemaMetadata(NodeKind::Transform, false));
        if (!node.transform)
            return copyMembers(node, ".xform", xform);
        const Transform& transform = *node.transform;
        const std::uint32_t sampling = archive_.addTimeSampling(transform.sampling());
        const auto inherits =
            archive_.addProperty(xform, {".inherits", Property::Kind::Scalar, Pod::Bool, 1, {}, sampling});
        std::vector<std::uint8_t> ops;
        std::size_t channels = 0;
        for (const TransformOp& op : transform.ops()) {
            ops.push_back(static_cast<std::uint8_t>((static_cast<unsigned>(op.kind) << 4) | op.hint));
            channels += channelCount(op.kind);
        }
        if (ops.size() > 255 || channels > 255)
            return fail(ErrorKind::Unsupported,
                        fmt::format("a stack of {} transform operations is too long", ops.size()));
        std::optional<ArchiveWriter::PropertyId> values;
        if (!ops.empty()) {
            const auto opsId = archive_.addProperty(
                xform, {".ops", Property::Kind::Scalar, Pod::UInt8, static_cast<std::uint32_t>(ops.size()), {}, 0});
            WYC_CHECK(archive_.addValues<std::uint8_t>(opsId, ops));
            for (std::size_t i = 1; i < transform.sampling().count(); ++i)
                archive_.repeatSample(opsId);
            values = archive_.addProperty(
                xform,
                {".vals", Property::Kind::Scalar, Pod::Double, static_cast<std::uint32_t>(channels), {}, sampling});
        }
        bool identity = true;
        std::vector<double> first;
        std::vector<bool> moves(channels, false);
        for (std::size_t i = 0; i < std::max<std::size_t>(1, transform.sampling().count()); ++i) {
            WYC_TRY(inheriting, transform.inherits(i));
            const std::uint8_t flag = inheriting ? 1 : 0;
            WYC_CHECK(archive_.addValues<std::uint8_t>(inherits, std::span(&flag, 1)));
            if (!values)
                continue;
            WYC_TRY(numbers, transform.channels(i));
            numbers.resize(channels);
            if (i == 0)
                first = numbers;
            for (std::size_t c = 0; c < channels; ++c)
                moves[c] = moves[c] || numbers[c] != first[c];
            identity = identity && matrixOf(transform.ops(), numbers).isIdentity();
            WYC_CHECK(archive_.addValues<double>(*values, numbers));
        }
        if (!identity) {
            const auto flagId =
                archive_.addProperty(xform, {"isNotConstantIdentity", Property::Kind::Scalar, Pod::Bool, 1, {}, 0});
            const std::uint8_t flag = 1;
            WYC_CHECK(archive_.addValues<std::uint8_t>(flagId, std::span(&flag, 1)));
        }
        std::vector<std::uint32_t> animated;
        for (std::size_t c = 0; c < channels; ++c)
            if (moves[c])
                animated.push_back(static_cast<std::uint32_t>(c));
        if (!animated.empty()) {
            const auto channelsId =
                archive_.addProperty(xform, {".animChans", Property::Kind::Array, Pod::UInt32, 1, {}, sampling});
            WYC_CHECK(archive_.addValues<std::uint32_t>(channelsId, animated));
        }
        return node.kind == NodeKind::Transform ? copyMembers(node, ".xform", xform) : Status{};
    }

    // One frame of a mesh on its way: filled by any thread, stored in order.
    struct Slot {
        std::vector<Vec3f> points;
        Key128 key{};
        std::array<double, 6> bounds{};
        TopologyPtr topology;
        std::vector<std::uint64_t> ids;
    };

    Status writeShape(const Node& node, ArchiveWriter::ObjectId parent, std::size_t index) {
        const Geometry& geometry = *node.geometry;
        const bool bare = node.kind == NodeKind::Points || node.kind == NodeKind::Curves;
        ids_[index] = archive_.addObject(parent, node.name, objectMetadata(node));
        const auto geom = archive_.addCompound(ids_[index], ".geom", schemaMetadata(node.kind, false));
        const std::uint32_t sampling = archive_.addTimeSampling(geometry.sampling());
        const auto bounds = archive_.addProperty(
            geom, {".selfBnds", Property::Kind::Scalar, Pod::Double, 6, {{"interpretation", "box"}}, sampling});
        const auto points = archive_.addProperty(
            geom, {"P",
                   Property::Kind::Array,
                   Pod::Float,
                   3,
                   {{"geoScope", node.kind == NodeKind::Points ? "var" : "vtx"}, {"interpretation", "point"}},
                   sampling});
        std::optional<ArchiveWriter::PropertyId> corners;
        std::optional<ArchiveWriter::PropertyId> sizes;
        std::optional<ArchiveWriter::PropertyId> ids;
        const bool numbered = node.kind == NodeKind::Points && !findMeaning(node.properties, Meaning::PointIds);
        if (numbered) {
            ids = archive_.addProperty(geom, {".pointIds", Property::Kind::Array, Pod::UInt64, 1, {}, sampling});
        } else if (!bare) {
            corners = archive_.addProperty(geom, {".faceIndices", Property::Kind::Array, Pod::Int32, 1, {}, sampling});
            sizes = archive_.addProperty(geom, {".faceCounts", Property::Kind::Array, Pod::Int32, 1, {}, sampling});
        }
        constexpr std::size_t kSlots = 4;
        std::array<Slot, kSlots> slots;
        TopologyPtr lastTopology;
        TopologyPtr lastTurned;
        Key128 cornersKey{};
        Key128 sizesKey{};
        const std::size_t count = geometry.sampling().count();
        WYC_CHECK(orderedPipeline(
            count, kSlots, progress_,
            [&](std::size_t i, std::size_t s) -> Status {
                Slot& slot = slots[s];
                WYC_CHECK(readPoints(geometry, i, slot.points));
                slot.key = hash128(std::as_bytes(std::span(slot.points)));
                const Bounds box = boundsOf(slot.points);
                constexpr double kMost = std::numeric_limits<double>::max();
                if (box.isEmpty()) // an inside-out box, as others write it
                    slot.bounds = {kMost, kMost, kMost, -kMost, -kMost, -kMost};
                else
                    slot.bounds = {box.low.x, box.low.y, box.low.z, box.high.x, box.high.y, box.high.z};
                WYC_TRY(topology, geometry.topology(i));
                slot.topology = topology;
                if (numbered) {
                    WYC_TRY(own, geometry.ids(i));
                    if (own) {
                        slot.ids = *own;
                    } else {
                        // The format wants numbers. Where points come and go without any, nobody knows which is which:
                        // no number stands twice.
                        slot.ids.resize(slot.points.size());
                        std::iota(slot.ids.begin(), slot.ids.end(),
                                  geometry.topologyVaries() ? static_cast<std::uint64_t>(i) << 32U : 0U);
                    }
                }
                return {};
            },
            [&](std::size_t i, std::size_t s) -> Status {
                const Slot& slot = slots[s];
                WYC_CHECK(archive_.addSample(points, std::as_bytes(std::span(slot.points)), slot.key));
                WYC_CHECK(archive_.addValues<double>(bounds, slot.bounds));
                if (numbered) {
                    WYC_CHECK(archive_.addValues<std::uint64_t>(*ids, slot.ids));
                } else if (!bare) {
                    if (slot.topology != lastTopology) {
                        WYC_TRY(turnedTopology, turned(*slot.topology));
                        lastTopology = slot.topology;
                        lastTurned = turnedTopology;
                        cornersKey = hash128(std::as_bytes(std::span(lastTurned->corners())));
                        sizesKey = hash128(std::as_bytes(std::span(lastTurned->faceSizes())));
                    }
                    WYC_CHECK(
                        archive_.addSample(*corners, std::as_bytes(std::span(lastTurned->corners())), cornersKey));
                    WYC_CHECK(archive_.addSample(*sizes, std::as_bytes(std::span(lastTurned->faceSizes())), sizesKey));
                }
                reportSample(fmt::format("{}, sample {} of {}", node.name, i + 1, count));
                return {};
            }));
        WYC_CHECK(copyMembers(node, ".geom", geom));
        if (!bare && count > 0)
            WYC_CHECK(writeFaceSets(geometry, index));
        return copyRest(node, ids_[index], ".geom");
    }

    // Sets that come with the mesh, but for those that stand below it as nodes.
    Status writeFaceSets(const Geometry& geometry, std::size_t index) {
        WYC_TRY(sets, geometry.faceSets(0));
        for (const FaceSet& set : *sets) {
            const auto isNode = [&](const Node& node) {
                return node.kind == NodeKind::FaceSet && node.parent == static_cast<int>(index) &&
                       node.name == set.name;
            };
            if (set.kind == FaceSet::Kind::Material || std::any_of(scene_.nodes.begin(), scene_.nodes.end(), isNode))
                continue;
            std::string name = set.name.empty() ? "set" : set.name;
            std::replace(name.begin(), name.end(), '/', '_');
            const std::string plain = name;
            for (int number = 2; archive_.hasChild(ids_[index], name); ++number)
                name = fmt::format("{}_{}", plain, number);
            const auto object = archive_.addObject(ids_[index], name, schemaMetadata(NodeKind::FaceSet, true));
            const auto group = archive_.addCompound(object, ".faceset", schemaMetadata(NodeKind::FaceSet, false));
            const auto bounds = archive_.addProperty(
                group, {".selfBnds", Property::Kind::Scalar, Pod::Double, 6, {{"interpretation", "box"}}, 0});
            constexpr double kMost = std::numeric_limits<double>::max();
            const std::array<double, 6> none{kMost, kMost, kMost, -kMost, -kMost, -kMost};
            WYC_CHECK(archive_.addValues<double>(bounds, none));
            const auto faces = archive_.addProperty(group, {".faces", Property::Kind::Array, Pod::Int32, 1, {}, 0});
            WYC_CHECK(archive_.addValues<std::int32_t>(faces, set.faces));
        }
        return {};
    }

    ArchiveWriter& archive_;
    const Scene& scene_;
    const Progress& progress_;
    std::vector<ArchiveWriter::ObjectId> ids_;
    std::unordered_map<std::uint64_t, std::size_t> byId_;
    std::size_t totalSamples_ = 0;
    std::size_t doneSamples_ = 0;
};

Result<std::vector<fs::path>> writeArchive(const Scene& scene, const fs::path& target, const WriteOptions& options,
                                           const Progress& progress) {
    // What another archive says of itself goes on, but for what is not true of this one.
    Metadata metadata;
    if (scene.container.format == kFormatId)
        metadata = scene.container.metadata;
    for (const char* own : {"_ai_DCC_FPS", "_ai_DateWritten", "wyc_unit_metres", "wyc_up_axis"})
        metadata.erase(own);
    metadata["_ai_AlembicVersion"] = "Alembic 1.8.5 layout, written by Wychronos";
    metadata["_ai_Application"] = options.application;
    if (scene.rate)
        metadata["_ai_DCC_FPS"] = fmt::format("{:.6f}", scene.rate->value());
    if (!options.dateText.empty())
        metadata["_ai_DateWritten"] = options.dateText;
    if (!options.description.empty())
        metadata["_ai_Description"] = options.description;
    if (scene.unitMetres)
        metadata["wyc_unit_metres"] = shortestNumber(*scene.unitMetres);
    if (scene.upAxis)
        metadata["wyc_up_axis"] = upAxisName(*scene.upAxis);
    for (auto& [key, value] : metadata) // ';' and '=' part the entries
        std::replace_if(
            value.begin(), value.end(), [](char c) { return c == ';' || c == '='; }, ',');
    WYC_TRY(archive, ArchiveWriter::create(target, std::move(metadata)));
    WYC_CHECK(SceneWriter(*archive, scene, progress).write());
    WYC_CHECK(progress.poll());
    WYC_CHECK(archive->finish());
    return std::vector<fs::path>{target};
}

std::uint64_t estimate(const Scene& scene, const nlohmann::json&) {
    return 600 + estimatedBytes(scene);
}

} // namespace

Format format() {
    constexpr Answer kKept{Fate::Kept};
    Format format;
    format.id = kFormatId;
    format.name = "Alembic archive";
    format.extensions = {".abc"};
    format.manyItems = true;
    format.answers =
        answersOf({{Content::Transforms, kKept},
                   {Content::Visibility, kKept},
                   {Content::Faces, kKept},
                   {Content::ChangingPoints, kKept},
                   {Content::Uvs, kKept},
                   {Content::Normals, kKept},
                   {Content::Colours, {Fate::Kept, "as an attribute"}},
                   {Content::Groups, {Fate::Kept, "as sets of faces"}},
                   {Content::Materials, {Fate::Lost, "an archive's own assignments stay"}},
                   {Content::Cameras, kKept},
                   {Content::Lights, kKept},
                   {Content::Curves, kKept},
                   {Content::Subdivision, kKept},
                   {Content::Values, kKept},
                   {Content::Instances, kKept},
                   {Content::Instancers,
                    {Fate::Converted, "points; turns, sizes and numbers of what stands there as attributes"}},
                   {Content::Deformers, {Fate::Converted, "the points that they make"}},
                   {Content::Times, kKept},
                   {Content::TimesBetweenFrames, kKept},
                   {Content::UnevenTimes, kKept},
                   {Content::Rate, kKept},
                   {Content::Unit, kKept},
                   {Content::UpAxis, kKept}});
    format.open = &openArchive;
    format.write = &writeArchive;
    format.estimate = &estimate;
    format.prepare = [](Scene scene, const nlohmann::json&) { return withWritableLenses(std::move(scene)); };
    format.identify = [](std::span<const std::byte> head, std::uint64_t) {
        constexpr std::string_view kMagic = "Ogawa";
        return head.size() >= kMagic.size() && std::memcmp(head.data(), kMagic.data(), kMagic.size()) == 0 ? 1.0 : 0.0;
    };
    format.structure = &structure;
    format.writtenAt = &writtenAt;
    return format;
}

} // namespace wyc::abc
