// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/places.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "base/text.h"
#include "formats/usd/usd.h"

namespace wyc::usd {
namespace {

const char* roleName(SpaceRole role, Meaning meaning, std::uint32_t extent) {
    if (meaning == Meaning::Uvs && extent == 2)
        return "texCoord2";
    if (meaning == Meaning::Colours && (extent == 3 || extent == 4))
        return extent == 3 ? "color3" : "color4";
    if (extent != 3)
        return nullptr;
    switch (role) {
    case SpaceRole::Position: return "point3";
    case SpaceRole::Vector: return "vector3";
    case SpaceRole::Normal: return "normal3";
    default: return meaning == Meaning::Normals ? "normal3" : nullptr;
    }
}

const char* interpolationOf(Scope scope) {
    switch (scope) {
    case Scope::Constant: return "constant";
    case Scope::Face: return "uniform";
    case Scope::Point: return "vertex";
    case Scope::Corner: return "faceVarying";
    }
    return "constant";
}

// Where the schema says the type.
struct Fixed {
    const char* attribute;
    const char* typeName;
    double factor = 1.0;
    bool uniform = false;
};

std::optional<Fixed> fixedPlace(const PropertyNode& property, const Node& node, double lensUnit,
                                const FrameRate& rate) {
    const double perUnit = 1.0 / lensUnit;
    switch (property.meaning) {
    case Meaning::Widths: return Fixed{"widths", "float[]"};
    case Meaning::Velocities: return Fixed{"velocities", "vector3f[]"};
    case Meaning::CurveSizes: return Fixed{"curveVertexCounts", "int[]"};
    case Meaning::CurveOrders: return Fixed{"order", "int[]"};
    case Meaning::CurveKnots: return Fixed{"knots", "double[]"};
    case Meaning::CurveWeights: return Fixed{"pointWeights", "double[]"};
    case Meaning::FocalLength: return Fixed{"focalLength", "float", perUnit};
    case Meaning::GateWidth: return Fixed{"horizontalAperture", "float", perUnit};
    case Meaning::GateHeight: return Fixed{"verticalAperture", "float", perUnit};
    case Meaning::GateX: return Fixed{"horizontalApertureOffset", "float", perUnit};
    case Meaning::GateY: return Fixed{"verticalApertureOffset", "float", perUnit};
    case Meaning::FStop: return Fixed{"fStop", "float"};
    case Meaning::FocusDistance: return Fixed{"focusDistance", "float"};
    case Meaning::ShutterOpen: return Fixed{"shutter:open", "double", rate.value()};
    case Meaning::ShutterClose: return Fixed{"shutter:close", "double", rate.value()};
    case Meaning::LightColour: return Fixed{"inputs:color", "color3f"};
    case Meaning::LightIntensity: return Fixed{"inputs:intensity", "float"};
    case Meaning::LightExposure: return Fixed{"inputs:exposure", "float"};
    case Meaning::LightConeDegrees: return Fixed{"inputs:shaping:cone:angle", "float", 0.5};
    case Meaning::Turns: return Fixed{"orientationsf", "quatf[]"};
    case Meaning::Sizes: return Fixed{"scales", "float3[]"};
    case Meaning::PrototypeNumbers: return Fixed{"protoIndices", "int[]"};
    case Meaning::SurfaceSetting: {
        if (node.kind != NodeKind::Subdivision)
            return std::nullopt;
        static const std::map<std::string, Fixed> kSettings{
            {"creaseIndices", {"creaseIndices", "int[]"}},           {"creaseLengths", {"creaseLengths", "int[]"}},
            {"creaseSharpnesses", {"creaseSharpnesses", "float[]"}}, {"cornerIndices", {"cornerIndices", "int[]"}},
            {"cornerSharpnesses", {"cornerSharpnesses", "float[]"}}, {"holes", {"holeIndices", "int[]"}}};
        const auto found = kSettings.find(property.name);
        return found == kSettings.end() ? std::nullopt : std::optional(found->second);
    }
    default: return std::nullopt;
    }
}

// The type that the file gave it, where its values still are of that make.
std::optional<AttributeType> statedType(const PropertyNode& property, const SampledValues& values) {
    const auto remark = property.metadata.find(kTypeRemark);
    if (remark == property.metadata.end())
        return std::nullopt;
    AttributeType stated{remark->second, typeNamed(remark->second), 1};
    if (stated.type.base == Base::None)
        return std::nullopt;
    if (stated.type.array && values.extent() > stated.type.count && values.extent() % stated.type.count == 0)
        stated.elementSize = values.extent() / stated.type.count;
    const StoredKind kind = storedKind(stated);
    const bool texts = values.type() == ValueType::String && stated.type.isText();
    const bool same = texts || kind.type == values.type();
    if (!same || kind.extent != values.extent() || kind.array != values.isArray())
        return std::nullopt;
    return stated;
}

} // namespace

Base baseOf(ValueType type) {
    switch (type) {
    case ValueType::Bool: return Base::Bool;
    case ValueType::UInt8: return Base::UChar;
    case ValueType::Int8:
    case ValueType::Int16:
    case ValueType::Int32: return Base::Int;
    case ValueType::UInt16:
    case ValueType::UInt32: return Base::UInt;
    case ValueType::Int64: return Base::Int64;
    case ValueType::UInt64: return Base::UInt64;
    case ValueType::Half:
    case ValueType::Float: return Base::Float;
    case ValueType::Double: return Base::Double;
    case ValueType::String:
    case ValueType::WideString: return Base::String;
    }
    return Base::Float;
}

ValueType valueTypeOf(Base base) {
    switch (base) {
    case Base::Bool: return ValueType::Bool;
    case Base::UChar: return ValueType::UInt8;
    case Base::Int: return ValueType::Int32;
    case Base::UInt: return ValueType::UInt32;
    case Base::Int64: return ValueType::Int64;
    case Base::UInt64: return ValueType::UInt64;
    case Base::Half:
    case Base::Float: return ValueType::Float;
    case Base::Double:
    case Base::TimeCode:
    case Base::Duration: return ValueType::Double;
    default: return ValueType::String;
    }
}

AttributeType attributeType(ValueType type, std::uint32_t extent, bool array, SpaceRole role, Meaning meaning) {
    AttributeType made;
    made.type.base = baseOf(type);
    const bool real = made.type.base == Base::Float || made.type.base == Base::Double;
    const bool vectors = real || made.type.base == Base::Int;
    const char letter = made.type.base == Base::Double ? 'd' : 'f';
    if (extent >= 2 && extent <= 4 && vectors) {
        made.type.count = static_cast<std::uint8_t>(extent);
    } else if (made.type.base == Base::Double && (extent == 9 || extent == 16)) {
        made.type.count = static_cast<std::uint8_t>(extent);
    } else if (extent > 1) {
        array = true;
        made.elementSize = extent;
    }
    made.type.array = array;
    const char* special = real ? roleName(role, meaning, made.type.count) : nullptr;
    made.name = special ? std::string(special) + letter + (array ? "[]" : "") : nameOf(made.type);
    return made;
}

StoredKind storedKind(const AttributeType& made) {
    return {valueTypeOf(made.type.base), made.type.count * made.elementSize, made.type.array};
}

void putUsualUvsFirst(std::vector<std::string>& names) {
    static constexpr std::array<std::string_view, 3> kUsual{"primvars:st", "primvars:UVMap", "primvars:uv"};
    const auto rank = [](const std::string& name) { return std::find(kUsual.begin(), kUsual.end(), name); };
    std::stable_sort(names.begin(), names.end(),
                     [&](const std::string& a, const std::string& b) { return rank(a) < rank(b); });
}

std::optional<Place> placeOf(const PropertyNode& property, const Node& node, double lensUnit, const FrameRate& rate) {
    const bool numbered = !property.values && numberingOf(property) != nullptr;
    const PropertyNode& holder = numbered ? property.children.front() : property;
    if (!holder.values || holder.values->sampling().count() == 0)
        return std::nullopt;
    const SampledValues& values = *holder.values;
    Place place;
    if (const auto fixed = fixedPlace(property, node, lensUnit, rate)) {
        place.attribute = fixed->attribute;
        place.type = {fixed->typeName, typeNamed(fixed->typeName), 1};
        place.factor = fixed->factor;
        if (property.meaning == Meaning::LightColour && values.extent() != 3)
            return std::nullopt;
        return place;
    }
    if (isAttribute(property.meaning)) {
        const bool plainNormals = property.meaning == Meaning::Normals && property.name == "normals" && !numbered;
        place.attribute = plainNormals ? "normals" : "primvars:" + property.name;
        place.interpolation = interpolationOf(property.scope);
        const SpaceRole role = numbered ? holder.role : property.role;
        const auto stated = statedType(property, values);
        place.type =
            stated ? *stated : attributeType(values.type(), values.extent(), values.isArray(), role, property.meaning);
        return place;
    }
    if (property.meaning != Meaning::UserValue)
        return std::nullopt;
    const auto stated = statedType(property, values);
    place.attribute = property.name;
    place.type = stated
                     ? *stated
                     : attributeType(values.type(), values.extent(), values.isArray(), property.role, property.meaning);
    place.custom = !property.metadata.contains(kTypeRemark) || property.metadata.contains(kCustomRemark);
    place.uniform = property.metadata.contains(kUniformRemark);
    return place;
}

bool isOwnField(std::string_view name) {
    static constexpr std::array<std::string_view, 7> kNames{"kind",    "customData",  "assetInfo", "documentation",
                                                            "comment", "displayName", "hidden"};
    return std::find(kNames.begin(), kNames.end(), name) != kNames.end();
}

const Fields* ownFields(const Node& node) {
    const Properties::FormatsOwn own = node.properties ? node.properties->formatsOwn() : Properties::FormatsOwn();
    return own.format == kFormatId ? static_cast<const Fields*>(own.what.get()) : nullptr;
}

std::string lightType(const std::string& kind) {
    static const std::map<std::string, std::string> kTypes{
        {"sphere", "SphereLight"},     {"distant", "DistantLight"},   {"disk", "DiskLight"},
        {"rect", "RectLight"},         {"cylinder", "CylinderLight"}, {"dome", "DomeLight"},
        {"geometry", "GeometryLight"}, {"portal", "PortalLight"},     {"plugin", "PluginLight"}};
    const auto found = kTypes.find(kind);
    return found == kTypes.end() ? std::string() : found->second;
}

bool isOfSchema(const std::string& name) {
    static const std::set<std::string> kNames{"points",
                                              "faceVertexCounts",
                                              "faceVertexIndices",
                                              "normals",
                                              "velocities",
                                              "accelerations",
                                              "widths",
                                              "ids",
                                              "orientation",
                                              "doubleSided",
                                              "extent",
                                              "extentsHint",
                                              "visibility",
                                              "purpose",
                                              "xformOpOrder",
                                              "subdivisionScheme",
                                              "curveVertexCounts",
                                              "type",
                                              "basis",
                                              "wrap",
                                              "order",
                                              "knots",
                                              "ranges",
                                              "pointWeights",
                                              "positions",
                                              "protoIndices",
                                              "orientations",
                                              "orientationsf",
                                              "scales",
                                              "invisibleIds",
                                              "angularVelocities",
                                              "prototypes",
                                              "joints",
                                              "bindTransforms",
                                              "restTransforms",
                                              "translations",
                                              "rotations",
                                              "blendShapes",
                                              "blendShapeWeights",
                                              "creaseIndices",
                                              "creaseLengths",
                                              "creaseSharpnesses",
                                              "cornerIndices",
                                              "cornerSharpnesses",
                                              "holeIndices",
                                              "interpolateBoundary",
                                              "proxyPrim",
                                              "size",
                                              "radius",
                                              "height",
                                              "width",
                                              "length",
                                              "axis",
                                              "radiusTop",
                                              "radiusBottom",
                                              "focalLength",
                                              "horizontalAperture",
                                              "verticalAperture",
                                              "horizontalApertureOffset",
                                              "verticalApertureOffset",
                                              "clippingRange",
                                              "fStop",
                                              "focusDistance",
                                              "shutter:open",
                                              "shutter:close",
                                              "tangents"};
    for (const char* prefix : {"xformOp:", "primvars:", "material:binding", "skel:", "collection:", "subsetFamily:"})
        if (name.starts_with(prefix))
            return true;
    return kNames.contains(name);
}

bool isLightFigure(const std::string& name) {
    return name == "inputs:color" || name == "inputs:intensity" || name == "inputs:exposure" ||
           name == "inputs:shaping:cone:angle" || name == kLightKind;
}

} // namespace wyc::usd
