// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/materials_write.h"

#include <algorithm>

#include "base/text.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/usd.h"
#include "formats/usd/write/names.h"

namespace wyc::usd {
namespace {

void connect(PropertySpec& property, const std::string& path) {
    ListEdit list;
    list.of = ListEdit::Of::Paths;
    list.isExplicit = true;
    list.explicitItems.push_back({path});
    setField(property.fields, "connectionPaths", Value(std::make_shared<const ListEdit>(std::move(list))));
}

PrimSpec& shader(PrimSpec& material, const std::string& name, const std::string& id) {
    PrimSpec& made = addPrim(material, name, "Shader");
    uniformToken(made, "info:id", id);
    return made;
}

// What a picture has to give: colours, or one number.
struct LookPlace {
    LookInput Look::*input;
    const char* name;
    const char* type;
    std::size_t count;
    const char* output; // of a picture
};
constexpr std::array<LookPlace, 6> kPlaces{{{&Look::baseColour, "diffuseColor", "color3f", 3, "rgb"},
                                            {&Look::metal, "metallic", "float", 1, "r"},
                                            {&Look::roughness, "roughness", "float", 1, "r"},
                                            {&Look::opacity, "opacity", "float", 1, "r"},
                                            {&Look::normal, "normal", "normal3f", 3, "rgb"},
                                            {&Look::emission, "emissiveColor", "color3f", 3, "rgb"}}};

void writeLook(PrimSpec& material, const std::string& path, const Look& look) {
    connect(attributeOf(material, "outputs:surface", "token"), path + "/surface.outputs:surface");
    std::vector<std::pair<const LookPlace*, const LookInput*>> pictures;
    {
        PrimSpec& made = shader(material, "surface", "UsdPreviewSurface");
        for (const LookPlace& place : kPlaces) {
            const LookInput& input = look.*place.input;
            if (input.value.empty() && input.texture.empty())
                continue;
            PropertySpec& attribute = attributeOf(made, std::string("inputs:") + place.name, place.type);
            if (!input.value.empty() && input.texture.empty()) {
                std::vector<double> numbers(input.value.begin(), input.value.end());
                numbers.resize(place.count, numbers.back());
                setField(attribute.fields, "default", valueOfNumbers(typeNamed(place.type), numbers));
            }
            if (!input.texture.empty()) {
                connect(attribute, path + "/" + place.name + ".outputs:" + place.output);
                pictures.emplace_back(&place, &input);
            }
        }
        attributeOf(made, "outputs:surface", "token");
    }
    if (pictures.empty())
        return;
    PrimSpec& reader = shader(material, "st", "UsdPrimvarReader_float2");
    setText(attributeOf(reader, "inputs:varname", "string"), Base::String, "st");
    attributeOf(reader, "outputs:result", "float2");
    for (const auto& [place, input] : pictures) {
        PrimSpec& picture = shader(material, place->name, "UsdUVTexture");
        setText(attributeOf(picture, "inputs:file", "asset"), Base::Asset, input->texture);
        connect(attributeOf(picture, "inputs:st", "float2"), path + "/st.outputs:result");
        if (!input->value.empty()) { // the picture times it
            std::vector<double> scale(input->value.begin(), input->value.end());
            scale.resize(3, scale.back());
            scale.push_back(1.0);
            setField(attributeOf(picture, "inputs:scale", "float4").fields, "default",
                     valueOfNumbers(typeNamed("float4"), scale));
        }
        for (const char* wrap : {"inputs:wrapS", "inputs:wrapT"})
            setText(attributeOf(picture, wrap, "token"), Base::Token, "repeat");
        attributeOf(picture, std::string("outputs:") + place->output, place->count == 1 ? "float" : "float3");
    }
}

std::string remark(const PropertyNode& property, const char* key) {
    const auto found = property.metadata.find(key);
    return found == property.metadata.end() ? std::string() : found->second;
}

// Groups are the prims of the graph, by their paths below the material; the first is the material itself.
void writeGraph(PrimSpec& material, const std::string& path, const std::vector<PropertyNode>& graph,
                const WriteClock& clock) {
    for (const PropertyNode& group : graph) {
        PrimSpec* prim = &material;
        std::string at = path;
        if (group.name != kMaterialGroup)
            for (const std::string& part : splitText(group.name, '/')) {
                const std::string name = primName(part);
                at += "/" + name;
                const auto found = std::find_if(prim->children.begin(), prim->children.end(),
                                                [&](const auto& child) { return child->name == name; });
                prim = found != prim->children.end() ? found->get() : &addPrim(*prim, name, "NodeGraph");
            }
        if (const std::string type = remark(group, kPrimRemark); !type.empty() && prim != &material)
            setField(prim->fields, "typeName", Value::ofText(Base::Token, type));
        for (const auto& [output, type] : group.metadata)
            if (output.starts_with("outputs:"))
                attributeOf(*prim, output, type);
        for (const PropertyNode& property : group.children) {
            const std::string name =
                remark(property, kNameRemark).empty()
                    ? (property.meaning == Meaning::ShaderType ? "info:id" : "inputs:" + property.name)
                    : remark(property, kNameRemark);
            const std::string stated = remark(property, kTypeRemark);
            if (property.meaning == Meaning::ShaderType) {
                const auto texts = stringsOf(*property.values, 0);
                uniformToken(*prim, "info:id", texts && !texts->empty() ? texts->front() : std::string());
                continue;
            }
            if (property.meaning == Meaning::ShaderLink) {
                PropertySpec& attribute = attributeOf(*prim, name, stated.empty() ? "token" : stated);
                const std::string link = remark(property, kLinkRemark);
                if (!link.empty()) // "./noise.outputs:out", or a whole path where it leads out of the material
                    connect(attribute, link.starts_with('/')   ? link
                                       : link.starts_with('.') ? path + link
                                                               : path + "/" + link);
                continue;
            }
            if (!property.values || property.values->sampling().count() == 0)
                continue;
            AttributeType type = attributeType(property.values->type(), property.values->extent(),
                                               property.values->isArray(), property.role, property.meaning);
            if (const Type known = typeNamed(stated); known.base != Base::None)
                type = {stated, known, 1};
            else if (property.meaning == Meaning::ShaderTexture)
                type = {"asset", {Base::Asset}, 1};
            PropertySpec& attribute = attributeOf(*prim, name, type.name);
            if (!remark(property, kUniformRemark).empty())
                setField(attribute.fields, "variability", Value::ofText(Base::Token, "uniform"));
            setValues(attribute, property.values, type, clock);
            if (const std::string space = remark(property, "colorSpace"); !space.empty())
                setField(attribute.fields, "colorSpace", Value::ofText(Base::Token, space));
        }
    }
}

} // namespace

void writeMaterial(PrimSpec& parent, const std::string& parentPath, const std::string& name, const Material& material,
                   const WriteClock& clock) {
    PrimSpec& prim = addPrim(parent, name, "Material");
    const std::string path = childPath(parentPath, name);
    if (material.graph && material.graph->layout() == kFormatId)
        writeGraph(prim, path, material.graph->all(), clock);
    else if (!(material.look == Look()))
        writeLook(prim, path, material.look);
}

} // namespace wyc::usd
