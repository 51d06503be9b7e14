// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/abc/properties_read.h"

#include <algorithm>

#include "formats/abc/abc.h"
#include "formats/abc/camera_core.h"
#include "formats/abc/layout.h"
#include "scene/layers.h"

namespace wyc::abc {

Roles rolesOf(const PropertyNode& property, const std::string& path) {
    if (!property.values)
        return {};
    const SampledValues& values = *property.values;
    const bool real = values.type() == ValueType::Float || values.type() == ValueType::Double;
    if (!real)
        return {};
    const std::string& name = property.name;
    if ((name == ".childBnds" || name == ".selfBnds") && values.extent() == 6)
        return {SpaceRole::Box};
    const bool below = path == ".geom" || path.starts_with(".geom/");
    if (!below)
        return {};
    // A parameter that is indexed keeps its values one group further down.
    const std::string parent = path.substr(path.rfind('/') + 1);
    if (name == ".widths" || name == "width" || (name == ".vals" && (parent == ".widths" || parent == "width")))
        return {SpaceRole::Length};
    if (values.extent() != 3)
        return {};
    if (name == "P")
        return {SpaceRole::Position};
    if (name == ".velocities")
        return {SpaceRole::Vector, TimeRole::Rate};
    if (name == "N" || parent == "N")
        return {SpaceRole::Normal};
    const auto said = property.metadata.find("interpretation");
    if (path.find(".arbGeomParams") == std::string::npos || said == property.metadata.end())
        return {};
    if (said->second == "vector") {
        const std::string& its = name == ".vals" ? parent : name;
        return {SpaceRole::Vector, its == "v" || its == "velocity" ? TimeRole::Rate : TimeRole::Plain};
    }
    return {said->second == "point"    ? SpaceRole::Position
            : said->second == "normal" ? SpaceRole::Normal
                                       : SpaceRole::None};
}

Scope scopeOf(const Metadata& metadata) {
    const auto found = metadata.find("geoScope");
    if (found == metadata.end() || found->second == "fvr")
        return Scope::Corner;
    if (found->second == "con")
        return Scope::Constant;
    if (found->second == "uni")
        return Scope::Face;
    return Scope::Point;
}

Meaning meaningOf(const std::string& name, const std::string& path, NodeKind kind) {
    const auto among = [&](std::initializer_list<std::string_view> names) {
        return std::find(names.begin(), names.end(), name) != names.end();
    };
    if (isMadeAnew(path, name, kind))
        return Meaning::Itself;
    if (path.ends_with("/.arbGeomParams") || path.ends_with("/.userProperties")) {
        if (kind == NodeKind::Light) {
            for (const LightName& light : kLightNames)
                if (name == light.name)
                    return light.meaning;
        }
        return path.ends_with(".arbGeomParams") ? Meaning::Parameter : Meaning::UserValue;
    }
    if (path == ".faceset" && name == ".faces")
        return Meaning::SetFaces;
    if (path != ".geom")
        return Meaning::Unknown;
    switch (kind) {
    case NodeKind::Curves:
        if (name == "nVertices")
            return Meaning::CurveSizes;
        if (name == "curveBasisAndType")
            return Meaning::CurveKind;
        if (name == ".orders")
            return Meaning::CurveOrders;
        if (name == ".knots")
            return Meaning::CurveKnots;
        if (name == "w")
            return Meaning::CurveWeights;
        break;
    case NodeKind::Subdivision:
        if (name.starts_with(".crease") || name.starts_with(".corner") ||
            among({".holes", ".scheme", ".interpolateBoundary", ".faceVaryingInterpolateBoundary",
                   ".faceVaryingPropagateCorners"}))
            return Meaning::SurfaceSetting;
        break;
    default: break;
    }
    if (name == (kind == NodeKind::Curves ? "width" : ".widths"))
        return Meaning::Widths;
    if (name == ".velocities")
        return Meaning::Velocities;
    return name == ".pointIds" ? Meaning::PointIds : Meaning::Unknown;
}

namespace {

using ArchivePtr = std::shared_ptr<const Archive>;

class ArchiveValues final : public SampledValues {
  public:
    ArchiveValues(ArchivePtr archive, const Property& property)
        : archive_(std::move(archive)), property_(property), sampling_(archive_->samplingOf(property)) {}
    [[nodiscard]] ValueType type() const override { return property_.pod; }
    [[nodiscard]] std::uint32_t extent() const override { return property_.extent; }
    [[nodiscard]] bool isArray() const override { return property_.kind == Property::Kind::Array; }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_CHECK(archive_->container().file().verifyUnchanged());
        PropertyValue value;
        WYC_TRY(bytes, archive_->bytes(property_, sample));
        WYC_TRY(dimensions, archive_->dimensions(property_, sample));
        value.bytes = std::move(bytes);
        value.dimensions = std::move(dimensions);
        return value;
    }
    [[nodiscard]] bool constant() const override { return property_.constant || property_.sampleCount < 2; }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        return property_.storedIndex(sample);
    }

  private:
    ArchivePtr archive_;
    const Property& property_; // lives as long as the archive
    Sampling sampling_;
};

class ArchiveProperties final : public Properties {
  public:
    ArchiveProperties(ArchivePtr archive, std::size_t object, NodeKind kind, GeometryPtr shape, TransformPtr transform,
                      GeometryPtr carrier)
        : archive_(std::move(archive)),
          object_(archive_->objects()[object]),
          kind_(kind),
          shape_(std::move(shape)),
          transform_(std::move(transform)),
          carrier_(std::move(carrier)) {}
    [[nodiscard]] std::vector<PropertyNode> all() const override {
        std::vector<PropertyNode> list = nodesOf(object_.properties, {});
        turnCornerValues(list, kind_, shape_);
        return list;
    }
    [[nodiscard]] std::string_view layout() const override { return kFormatId; }
    [[nodiscard]] const Geometry* shape() const override { return shape_.get(); }
    [[nodiscard]] const Transform* transform() const override { return transform_.get(); }
    [[nodiscard]] const Metadata& metadata() const override { return object_.metadata; }

  private:
    [[nodiscard]] std::vector<PropertyNode> nodesOf(const std::vector<Property>& list, const std::string& path) const {
        std::vector<PropertyNode> result;
        result.reserve(list.size());
        for (const Property& property : list) {
            PropertyNode node;
            node.name = property.name;
            node.metadata = property.metadata;
            if (property.kind == Property::Kind::Compound)
                node.children = nodesOf(property.children, path.empty() ? property.name : path + "/" + property.name);
            else
                node.values = std::make_shared<ArchiveValues>(archive_, property);
            const Roles roles = rolesOf(node, path);
            node.role = roles.space;
            node.time = roles.time;
            node.meaning = meaningOf(node.name, path, kind_);
            node.scope = scopeOf(property.metadata);
            if (traitsOf(kind_).points)
                nameLayer(node, path);
            if (isAttribute(node.meaning) && node.children.size() == 2 && node.children[0].name == ".vals" &&
                node.children[1].name == ".indices" && node.children[0].values && node.children[1].values)
                node.children[0].values = pairedValues(node.children[0].values, node.children[1].values);
            result.push_back(std::move(node));
        }
        for (PropertyNode& node : result)
            if (node.values && sitsOnNoTime(node.values->sampling()))
                if (const auto lead = leadOf(node.values->sampling().count(), result))
                    node.values = alignedValues(node.values, *lead);
        if (kind_ == NodeKind::Camera || kind_ == NodeKind::Light)
            nameLens(result);
        return result;
    }
    // UVs and normals of a type that they do not have elsewhere are what only archives know.
    void nameLayer(PropertyNode& property, const std::string& path) const {
        const PropertyNode* vals = property.values ? &property : property.child(".vals");
        if (!vals || !vals->values || !vals->values->isArray() || vals->values->type() != ValueType::Float ||
            vals->values->sampling().count() == 0)
            return;
        const std::uint32_t extent = vals->values->extent();
        const bool ofMesh = path == ".geom" && (kind_ == NodeKind::Mesh || kind_ == NodeKind::Subdivision);
        if (ofMesh && property.name == "uv" && extent == 2)
            property.meaning = Meaning::Uvs;
        else if (ofMesh && property.name == "N" && extent == 3)
            property.meaning = Meaning::Normals;
        const auto said = property.metadata.find(kLayerRemark);
        if (path != ".geom/.arbGeomParams" || said == property.metadata.end())
            return;
        for (const Meaning layer : kLayers)
            if (said->second == meaningName(layer) && extent >= (layer == Meaning::Uvs ? 2U : 3U))
                property.meaning = layer;
    }
    // Some numbers sit on the identity sampling (one a second from zero) though they change: film-back numbers, the
    // faces of a set. They go sample by sample with what they belong to.
    static bool sitsOnNoTime(const Sampling& sampling) {
        return sampling.count() > 1 && sampling.kind() == Sampling::Kind::Uniform && sampling.storedTimes()[0] == 0.0 &&
               sampling.cycleSeconds() == 1.0;
    }
    [[nodiscard]] std::optional<Sampling> leadOf(std::size_t count, const std::vector<PropertyNode>& siblings) const {
        if (carrier_ && carrier_->sampling().count() == count)
            return carrier_->sampling();
        for (const PropertyNode& other : siblings)
            if (other.name == ".core" && other.values && other.values->sampling().count() == count)
                return other.values->sampling();
        return std::nullopt;
    }
    ArchivePtr archive_;
    const Object& object_;
    NodeKind kind_;
    GeometryPtr shape_;
    TransformPtr transform_;
    GeometryPtr carrier_; // the shape it belongs to: its own, or of a set of faces the mesh's
};

} // namespace

PropertiesPtr propertiesOf(std::shared_ptr<const Archive> archive, std::size_t object, NodeKind kind,
                           const GeometryPtr& shape, const TransformPtr& transform, const GeometryPtr& carrier) {
    return std::make_shared<ArchiveProperties>(std::move(archive), object, kind, shape, transform, carrier);
}

} // namespace wyc::abc
