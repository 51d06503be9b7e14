// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/abc/layout.h"

#include <algorithm>
#include <set>

#include "formats/abc/camera_core.h"
#include "scene/layers.h"
#include "scene/winding.h"

namespace wyc::abc {
namespace {

struct Place {
    const char* group; // below ".geom", or ".xform" for a transform; empty = in it
    const char* name;  // null = its own
    std::map<std::string, std::string> metadata;
};

std::map<std::string, std::string> parameterMetadata(const PropertyNode& property, NodeKind kind) {
    const bool loose = kind == NodeKind::Points;
    const char* scope = property.scope == Scope::Constant ? "con"
                        : property.scope == Scope::Face   ? "uni"
                        : property.scope == Scope::Corner ? "fvr"
                        : loose                           ? "var"
                                                          : "vtx";
    std::map<std::string, std::string> metadata{{"geoScope", scope}, {"isGeomParam", "true"}, {"arrayExtent", "1"}};
    if (property.role == SpaceRole::Position)
        metadata["interpretation"] = "point";
    else if (property.role == SpaceRole::Vector)
        metadata["interpretation"] = "vector";
    else if (property.role == SpaceRole::Normal)
        metadata["interpretation"] = "normal";
    if (property.values) {
        metadata["podExtent"] = std::to_string(property.values->extent());
        if (property.values->type() == ValueType::Float)
            metadata["podName"] = "float32_t";
    }
    return metadata;
}

std::map<std::string, std::string> layerMetadata(const PropertyNode& property, std::uint32_t extent, const char* said) {
    const char* scope = property.scope == Scope::Constant ? "con"
                        : property.scope == Scope::Face   ? "uni"
                        : property.scope == Scope::Point  ? "vtx"
                                                          : "fvr";
    return {{"arrayExtent", "1"},
            {"geoScope", scope},
            {"interpretation", said},
            {"isGeomParam", "true"},
            {"podExtent", std::to_string(extent)},
            {"podName", "float32_t"}};
}

// Numbers of values as archives have them; their bits stay.
class Unsigned final : public ValuesWrapper {
  public:
    using ValuesWrapper::ValuesWrapper;
    [[nodiscard]] const Sampling& statedSampling() const override { return inner().statedSampling(); }
    [[nodiscard]] ValueType type() const override { return ValueType::UInt32; }
};

std::optional<Place> placeOf(const PropertyNode& property, NodeKind kind) {
    const bool curves = kind == NodeKind::Curves;
    switch (property.meaning) {
    case Meaning::Itself: return std::nullopt;
    case Meaning::Widths: {
        PropertyNode ofPoints = property;
        ofPoints.scope = Scope::Point;
        return Place{"", curves ? "width" : ".widths", parameterMetadata(ofPoints, kind)};
    }
    case Meaning::Velocities: return Place{"", ".velocities", {{"geoScope", "var"}, {"interpretation", "vector"}}};
    case Meaning::PointIds: return Place{"", ".pointIds", {}};
    case Meaning::CurveSizes: return Place{"", "nVertices", {}};
    case Meaning::CurveKind: return Place{"", "curveBasisAndType", {}};
    case Meaning::CurveOrders: return Place{"", ".orders", {}};
    case Meaning::CurveKnots: return Place{"", ".knots", {}};
    case Meaning::CurveWeights: return Place{"", "w", {}};
    case Meaning::FilmBack: return Place{"", nullptr, {}};
    case Meaning::Uvs: return Place{"", "uv", layerMetadata(property, 2, "vector")};
    case Meaning::Normals: return Place{"", "N", layerMetadata(property, 3, "normal")};
    case Meaning::Colours: {
        const PropertyNode& values = property.values ? property : property.children.front();
        const std::uint32_t extent = values.values ? values.values->extent() : 3;
        return Place{".arbGeomParams", nullptr, layerMetadata(property, extent, extent == 4 ? "rgba" : "rgb")};
    }
    case Meaning::Parameter: return Place{".arbGeomParams", nullptr, parameterMetadata(property, kind)};
    case Meaning::SurfaceSetting:
        return kind == NodeKind::Subdivision ? std::optional(Place{"", nullptr, {}}) : std::nullopt;
    default: break;
    }
    if (traitsOf(property.meaning).of == Owner::Camera)
        return Place{".core", nullptr, {}};
    for (const LightName& light : kLightNames)
        if (light.meaning == property.meaning)
            return Place{".userProperties", light.name.data(),
                         property.meaning == Meaning::LightColour
                             ? std::map<std::string, std::string>{{"interpretation", "rgb"}}
                             : std::map<std::string, std::string>{}};
    return property.meaning == Meaning::UserValue ? std::optional(Place{".userProperties", nullptr, {}}) : std::nullopt;
}

} // namespace

bool isMadeAnew(std::string_view group, std::string_view name, NodeKind kind) {
    const auto among = [&](std::initializer_list<std::string_view> names) {
        return std::find(names.begin(), names.end(), name) != names.end();
    };
    if (group.empty())
        return among({"visible", ".instanceSource"});
    if (group == ".xform")
        return among({".inherits", ".ops", ".vals", "isNotConstantIdentity", ".animChans"});
    if (group != ".geom" || !traitsOf(kind).points)
        return false;
    const bool mesh = kind == NodeKind::Mesh || kind == NodeKind::Subdivision;
    return among({".selfBnds", "P"}) || (mesh && among({".faceIndices", ".faceCounts"}));
}

void turnCornerValues(std::vector<PropertyNode>& list, NodeKind kind, const GeometryPtr& mesh) {
    if (!mesh || (kind != NodeKind::Mesh && kind != NodeKind::Subdivision))
        return;
    for (PropertyNode& property : list) {
        const bool corners = isAttribute(property.meaning) && property.scope == Scope::Corner;
        if (!corners) {
            turnCornerValues(property.children, kind, mesh);
            continue;
        }
        // Of values and numbers into them the numbers lie on the corners.
        PropertyNode* onCorners = &property;
        for (const char* part : {".vals", ".indices"})
            for (PropertyNode& child : property.children)
                if (child.name == part)
                    onCorners = &child;
        if (onCorners->values && onCorners->values->isArray())
            onCorners->values = turnedCorners(onCorners->values, mesh);
    }
}

std::vector<PropertyNode> laidOut(const Node& node) {
    if (!node.properties)
        return {};
    std::vector<PropertyNode> all = node.properties->all();
    if (node.properties->layout() == kFormatId) {
        joinLens(all);
        turnCornerValues(all, node.kind, node.geometry);
        return all;
    }
    PropertyNode schema;
    schema.name = node.kind == NodeKind::Transform ? ".xform" : ".geom";
    if (node.kind == NodeKind::FaceSet)
        schema.name = ".faceset";
    const auto group = [&](std::string_view name) -> std::vector<PropertyNode>& {
        if (name.empty())
            return schema.children;
        for (PropertyNode& child : schema.children)
            if (child.name == name)
                return child.children;
        schema.children.push_back({std::string(name), {}, nullptr, {}});
        return schema.children.back().children;
    };
    std::set<Meaning> first;
    for (PropertyNode& property : all) {
        if (property.meaning == Meaning::SurfaceSetting && !property.name.starts_with('.'))
            property.name.insert(0, 1, '.');
        if (node.kind == NodeKind::FaceSet && property.meaning == Meaning::SetFaces) {
            property.name = ".faces";
            schema.children.push_back(std::move(property));
            continue;
        }
        auto place = placeOf(property, node.kind);
        if (!place)
            continue;
        // The first set of UVs, and of normals, of a mesh has a place of its own; further ones are parameters.
        const bool mesh = node.kind == NodeKind::Mesh || node.kind == NodeKind::Subdivision;
        const bool another =
            isLayer(property.meaning) && place->name && (!mesh || !first.insert(property.meaning).second);
        if (another)
            place->group = ".arbGeomParams";
        else if (place->name)
            property.name = place->name;
        property.metadata = std::move(place->metadata);
        if (another || property.meaning == Meaning::Colours)
            property.metadata[kLayerRemark] = meaningName(property.meaning);
        if (isAttribute(property.meaning) && property.children.size() == 2) {
            property.children[0].name = ".vals";
            property.children[0].metadata = property.metadata;
            property.children[1].name = ".indices";
            property.children[1].values = std::make_shared<Unsigned>(property.children[1].values);
        }
        group(place->group).push_back(std::move(property));
    }
    if (schema.children.empty())
        return {};
    std::vector<PropertyNode> result{std::move(schema)};
    joinLens(result);
    turnCornerValues(result, node.kind, node.geometry);
    return result;
}

} // namespace wyc::abc
