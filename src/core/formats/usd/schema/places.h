// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Where a prim keeps what a node of ours says beside its shape: the attribute, its type, and how numbers become its
// numbers.
#include "formats/usd/layer/layer.h"
#include "scene/scene.h"

namespace wyc::usd {

/// The file's own remarks that values keep on their way: type, custom, uniform.
inline constexpr const char* kTypeRemark = "usd.type";
inline constexpr const char* kCustomRemark = "usd.custom";
inline constexpr const char* kUniformRemark = "usd.uniform";
/// Of a material's graph: what a property is called whole ("inputs:file"), where a link leads ("noise.outputs:out",
/// from the material; a whole path where that is outside), the type of a node's prim, and what outputs it declares
/// ("outputs:rgb" – "float3").
inline constexpr const char* kNameRemark = "usd.name";
inline constexpr const char* kLinkRemark = "usd.link";
inline constexpr const char* kPrimRemark = "usd.prim";
inline constexpr const char* kMaterialGroup = "material"; // the group of the material itself

/// The type of one number in a file, and as we read it. What the other side does not have becomes the next wider.
[[nodiscard]] Base baseOf(ValueType type);
[[nodiscard]] ValueType valueTypeOf(Base base);

/// What an attribute is to be.
struct AttributeType {
    std::string name; // "texCoord2f[]"
    Type type;
    std::uint32_t elementSize = 1; // numbers of an array that belong together
};
/// For values of these, widened where the format has no such type; `role` and `meaning` choose among those of one make.
[[nodiscard]] AttributeType attributeType(ValueType type, std::uint32_t extent, bool array, SpaceRole role,
                                          Meaning meaning);
/// Of values as they will be read back: type, numbers a value, whether an array.
struct StoredKind {
    ValueType type = ValueType::Float;
    std::uint32_t extent = 1;
    bool array = false;
};
[[nodiscard]] StoredKind storedKind(const AttributeType& type);

struct Place {
    std::string attribute;
    AttributeType type;
    std::string interpolation = {}; // of a primvar
    double factor = 1.0;            // numbers of ours times this are the file's
    bool custom = false;
    bool uniform = false;
};
/// What a prim says of itself that goes along and means nothing here: kind, custom data, asset info, words for people.
[[nodiscard]] bool isOwnField(std::string_view name);
/// These fields of a node that came from a prim; null where there are none.
[[nodiscard]] const Fields* ownFields(const Node& node);
/// Metres in a tenth of a scene unit: what lengths of lenses are counted in.
[[nodiscard]] inline double lensUnit(const Scene& scene) {
    return 0.1 * scene.unitMetres.value_or(0.01);
}
/// Of a property with values, or of values by number; nothing where it has no place of its own: it is said in another
/// way, or not at all.
[[nodiscard]] std::optional<Place> placeOf(const PropertyNode& property, const Node& node, double lensUnit,
                                           const FrameRate& rate);
/// Of attributes in dictionary order: sets of UVs that everybody calls so count before others, where no order is
/// stated.
void putUsualUvsFirst(std::vector<std::string>& names);
/// Types of prims for kinds of lights ("sphere" – "SphereLight"); empty for a kind that has none.
[[nodiscard]] std::string lightType(const std::string& kind);
/// A name that a schema knows and would read as something else.
[[nodiscard]] bool isOfSchema(const std::string& name);
/// Likewise of lights.
[[nodiscard]] bool isLightFigure(const std::string& name);
/// A light's own word for its kind, where no type of prim says it.
inline constexpr const char* kLightKind = "light_kind";

} // namespace wyc::usd
