// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/materials.h"

#include <algorithm>
#include <set>

#include "base/text.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/schema/places.h"
#include "formats/usd/usd.h"

namespace wyc::usd {
namespace {

constexpr std::string_view kBinding = "material:binding";

bool isStronger(const ComposedScene& scene, const Prim& prim, const std::string& relationship) {
    const Value value = scene.metadata(prim, relationship, "bindMaterialAs");
    return value.text() && *value.text() == "strongerThanDescendants";
}

struct Source {
    const Prim* prim = nullptr;
    std::string property;
};

// Where an input gets its value from: through connections to interfaces and node graphs, to the attribute of a shader's
// output, or to an input that has a value.
Source sourceOf(const ComposedScene& scene, const Prim& prim, const std::string& property, int depth = 0) {
    if (depth > 32)
        return {};
    const std::vector<std::string> connected = scene.connections(prim, property);
    if (connected.empty())
        return {&prim, property};
    const std::string part = propertyPartOf(connected.front());
    const Prim* to = part.size() > 1 ? scene.prim(primPathOf(connected.front())) : nullptr;
    if (!to)
        return {};
    const std::string name = part.substr(1);
    // The output of a shader is an end; that of a graph leads on.
    if (to->typeName == "Shader" && name.starts_with("outputs:"))
        return {to, name};
    return sourceOf(scene, *to, name, depth + 1);
}

std::string shaderType(const ComposedScene& scene, const Prim& prim) {
    return textAtCode(scene.attribute(prim, "info:id"), 0.0);
}

struct LookName {
    LookInput Look::*input;
    std::vector<const char*> names; // as surface shaders call it
};
const std::vector<LookName>& lookNames() {
    static const std::vector<LookName> kNames{
        {&Look::baseColour, {"diffuseColor", "base_color", "baseColor", "diffuse_color", "color"}},
        {&Look::metal, {"metallic", "metalness", "base_metalness"}},
        {&Look::roughness, {"roughness", "specular_roughness"}},
        {&Look::opacity, {"opacity", "geometry_opacity"}},
        {&Look::normal, {"normal", "geometry_normal"}},
        {&Look::emission, {"emissiveColor", "emission_color"}}};
    return kNames;
}

std::size_t numbersOf(LookInput Look::*input) {
    const bool colour = input == &Look::baseColour || input == &Look::emission || input == &Look::normal;
    return colour ? 3 : 1;
}

// What a picture is multiplied by, where that is all that is done to it. `output`: of the shader that reads it;
// `count`: numbers of what it feeds.
std::vector<float> factorsOf(const ComposedScene& scene, const Prim& reader, const std::string& output,
                             std::size_t count) {
    const auto bias = numbersAtCode(scene.attribute(reader, "inputs:bias"), 0.0);
    if (bias && std::any_of(bias->begin(), bias->end(), [](double number) { return number != 0.0; }))
        return {};
    const auto scale = numbersAtCode(scene.attribute(reader, "inputs:scale"), 0.0);
    if (!scale || scale->size() != 4)
        return {};
    static constexpr std::string_view kChannels = "rgba";
    const std::size_t channel = output.size() == 9 ? kChannels.find(output.back()) : std::string_view::npos;
    const std::size_t first = count == 1 && channel != std::string_view::npos ? channel : 0;
    std::vector<float> factors;
    for (std::size_t i = 0; i < count; ++i)
        factors.push_back(static_cast<float>((*scale)[first + i]));
    return factors;
}

// A picture among the inputs of a shader, or of those that feed it.
void findTexture(const ComposedScene& scene, const Source& from, LookInput& into, std::size_t count, int depth = 0) {
    const Prim& shader = *from.prim;
    if (depth > 8 || !into.texture.empty())
        return;
    for (const std::string& name : scene.propertyNames(shader)) {
        if (!name.starts_with("inputs:") || scene.isRelationship(shader, name))
            continue;
        const Source source = sourceOf(scene, shader, name);
        if (!source.prim)
            continue;
        const Attribute attribute = scene.attribute(*source.prim, source.property);
        if (attribute.type.base == Base::Asset && !attribute.type.array && attribute.hasValue()) {
            into.texture = textAtCode(attribute, 0.0);
            into.file = assetFile(scene, *source.prim, attribute, into.texture);
            if (into.texture.empty())
                continue;
            into.value = factorsOf(scene, shader, from.property, count);
            return;
        }
    }
    for (const std::string& name : scene.propertyNames(shader)) {
        if (!name.starts_with("inputs:") || scene.isRelationship(shader, name))
            continue;
        const Source source = sourceOf(scene, shader, name);
        if (source.prim && source.prim != &shader && source.prim->typeName == "Shader")
            findTexture(scene, source, into, count, depth + 1);
    }
}

Look lookOf(const ComposedScene& scene, const Prim& material) {
    Look look;
    Source surface;
    for (const std::string& name : scene.propertyNames(material))
        if (name == "outputs:surface" || (!surface.prim && name.starts_with("outputs:") && name.ends_with(":surface")))
            surface = sourceOf(scene, material, name);
    if (!surface.prim || surface.prim == &material)
        return look;
    for (const LookName& one : lookNames())
        for (const char* name : one.names) {
            const std::string input = std::string("inputs:") + name;
            const Attribute own = scene.attribute(*surface.prim, input);
            if (!own.isThere())
                continue;
            LookInput& into = look.*one.input;
            const Source source = sourceOf(scene, *surface.prim, input);
            if (source.prim && source.property.starts_with("outputs:")) {
                findTexture(scene, source, into, one.input == &Look::normal ? 0 : numbersOf(one.input));
            } else if (source.prim) {
                if (const auto numbers = numbersAtCode(scene.attribute(*source.prim, source.property), 0.0))
                    for (const double number : *numbers)
                        into.value.push_back(static_cast<float>(number));
            }
            break;
        }
    return look;
}

void addShaders(const ComposedScene& scene, const Prim& prim, const std::string& below, const Clock& clock,
                std::vector<PropertyNode>& graph) {
    PropertyNode group = plainProperty(Meaning::Unknown, below.empty() ? kMaterialGroup : below, nullptr);
    group.metadata[kPrimRemark] = prim.typeName;
    const std::size_t levels =
        below.empty() ? 0 : 1 + static_cast<std::size_t>(std::count(below.begin(), below.end(), '/'));
    std::string material = prim.path;
    for (std::size_t i = 0; i < levels; ++i)
        material = parentPath(material);
    if (const std::string type = shaderType(scene, prim); !type.empty()) {
        PropertyValue text;
        const auto raw = std::as_bytes(std::span(type.c_str(), type.size() + 1));
        text.bytes.assign(raw.begin(), raw.end());
        group.children.push_back(
            plainProperty(Meaning::ShaderType, "type",
                          std::make_shared<MemoryValues>(ValueType::String, 1, false, Sampling::still(),
                                                         std::vector<PropertyValue>{std::move(text)})));
    }
    for (const std::string& name : scene.propertyNames(prim)) {
        const bool input = name.starts_with("inputs:");
        const bool output = name.starts_with("outputs:");
        if (scene.isRelationship(prim, name) || name == "info:id")
            continue;
        const Attribute attribute = scene.attribute(prim, name);
        const auto remark = [&](PropertyNode& property) {
            property.metadata[kNameRemark] = name;
            property.metadata[kTypeRemark] = attribute.typeName;
            if (attribute.uniform)
                property.metadata[kUniformRemark] = "1";
            if (const Value space = scene.metadata(prim, name, "colorSpace"); space.text())
                property.metadata["colorSpace"] = *space.text();
        };
        if (!input && !output) { // nobody here knows it; it goes along
            if (auto values = namingFiles(valuesOf(attribute, clock), scene, prim, attribute)) {
                group.children.push_back(plainProperty(Meaning::Unknown, name, std::move(values)));
                remark(group.children.back());
            }
            continue;
        }
        const std::string called = name.substr(input ? 7 : 8);
        if (output)
            group.metadata[name] = attribute.typeName;
        if (const auto values = input ? namingFiles(valuesOf(attribute, clock), scene, prim, attribute) : nullptr) {
            group.children.push_back(plainProperty(
                attribute.type.base == Base::Asset ? Meaning::ShaderTexture : Meaning::ShaderInput, called, values));
            remark(group.children.back());
        }
        if (const auto connected = scene.connections(prim, name); !connected.empty()) {
            std::string link = propertyPartOf(connected.front());
            link = link.empty() ? link : link.substr(1);
            for (const char* part : {"outputs:", "inputs:"})
                if (link.starts_with(part))
                    link = link.substr(std::string_view(part).size());
            link = lastName(primPathOf(connected.front())) + "." + link;
            PropertyValue text;
            const auto raw = std::as_bytes(std::span(link.c_str(), link.size() + 1));
            text.bytes.assign(raw.begin(), raw.end());
            group.children.push_back(
                plainProperty(Meaning::ShaderLink, called,
                              std::make_shared<MemoryValues>(ValueType::String, 1, false, Sampling::still(),
                                                             std::vector<PropertyValue>{std::move(text)})));
            remark(group.children.back());
            const std::string& to = connected.front();
            group.children.back().metadata[kLinkRemark] = to.starts_with(material + "/")
                                                              ? to.substr(material.size() + 1)
                                                          : to.starts_with(material + ".") ? to.substr(material.size())
                                                                                           : to;
        }
    }
    if (!group.children.empty())
        graph.push_back(std::move(group));
    for (const int child : prim.children) {
        const Prim& one = scene.prims()[static_cast<std::size_t>(child)];
        if (one.active && one.defined)
            addShaders(scene, one, below.empty() ? one.name : below + "/" + one.name, clock, graph);
    }
}

} // namespace

bool collectionHolds(const ComposedScene& scene, const Prim& owner, const std::string& name, const std::string& path,
                     int depth) {
    if (depth > 16)
        return false;
    const std::string prefix = "collection:" + name + ":";
    const std::string rule = textAtCode(scene.attribute(owner, prefix + "expansionRule"), 0.0, "expandPrims");
    std::size_t longest = 0;
    bool holds = false;
    const auto consider = [&](const std::string& rootPath, bool included, bool expands) {
        if (expands ? isBelow(path, rootPath) : path == rootPath)
            if (rootPath.size() >= longest) {
                longest = rootPath.size();
                holds = included;
            }
    };
    if (const Attribute root = scene.attribute(owner, prefix + "includeRoot"); root.isThere())
        if (const auto value = root.at(0.0); value && value->boolean().value_or(false))
            consider("/", true, rule != "explicitOnly");
    bool nested = false;
    for (const std::string& target : scene.targets(owner, prefix + "includes")) {
        const std::string part = propertyPartOf(target);
        if (part.starts_with(".collection:")) {
            const Prim* other = scene.prim(primPathOf(target));
            std::string inner = part.substr(12);
            nested = nested || (other && collectionHolds(scene, *other, inner, path, depth + 1));
        } else {
            consider(target, true, rule != "explicitOnly");
        }
    }
    for (const std::string& target : scene.targets(owner, prefix + "excludes"))
        consider(target, false, true);
    return holds || (nested && longest == 0);
}

Bound boundMaterial(const ComposedScene& scene, const Prim& prim) {
    Bound found;
    for (const Prim* at = &prim; at; at = scene.parentOf(*at)) {
        const std::vector<std::string> names = scene.propertyNames(*at);
        const auto take = [&](const std::string& relationship, const std::string& material) {
            if (found.material.empty() || isStronger(scene, *at, relationship))
                found = {material, at->path + "." + relationship};
        };
        // Those by collections come before the one of the prim itself.
        bool byCollection = false;
        for (const std::string& name : names) {
            if (!name.starts_with("material:binding:collection:") || std::count(name.begin(), name.end(), ':') != 3)
                continue;
            const std::vector<std::string> targets = scene.targets(*at, name);
            if (targets.size() != 2)
                continue;
            const std::string part = propertyPartOf(targets[0]);
            const Prim* owner = scene.prim(primPathOf(targets[0]));
            if (owner && part.starts_with(".collection:") && !byCollection &&
                collectionHolds(scene, *owner, part.substr(12), prim.path)) {
                take(name, targets[1]);
                byCollection = true;
            }
        }
        if (!byCollection && std::find(names.begin(), names.end(), kBinding) != names.end())
            if (const auto targets = scene.targets(*at, std::string(kBinding)); !targets.empty())
                take(std::string(kBinding), targets.front());
    }
    const Prim* material = scene.prim(found.material);
    return material ? found : Bound{};
}

std::string assetFile(const ComposedScene& scene, const Prim& prim, const Attribute& attribute,
                      const std::string& written) {
    const auto asset = scene.assetPath(prim, attribute.source.node, written);
    if (!asset || asset->empty())
        return {};
    constexpr std::string_view kTiles = "<UDIM>";
    const std::size_t tile = asset->find(kTiles);
    if (tile == std::string::npos)
        return scene.resolved(*asset, attribute.source.layer);
    // Any tile: of ten by a hundred the first that is there.
    for (int number = 1001; number < 2000; ++number) {
        const std::string digits = std::to_string(number);
        std::string one = *asset;
        one.replace(tile, kTiles.size(), digits);
        if (std::string found = scene.resolved(one, attribute.source.layer); !found.empty()) {
            // The last place where the number stands before what follows it.
            const std::string behind = asset->substr(tile + kTiles.size());
            const std::size_t at = found.rfind(digits + behind);
            return at == std::string::npos ? std::string() : found.replace(at, digits.size(), kTiles);
        }
    }
    return {};
}

namespace {

class NamingFiles final : public ValuesWrapper {
  public:
    NamingFiles(ValuesPtr inner, std::map<std::string, std::string> files)
        : ValuesWrapper(std::move(inner)), files_(std::move(files)) {}
    [[nodiscard]] const std::map<std::string, std::string>* files() const override { return &files_; }

  private:
    std::map<std::string, std::string> files_;
};

} // namespace

ValuesPtr namingFiles(ValuesPtr values, const ComposedScene& scene, const Prim& prim, const Attribute& attribute) {
    if (!values || attribute.type.base != Base::Asset)
        return values;
    std::map<std::string, std::string> files;
    for (std::size_t i = 0; i < values->sampling().count(); ++i)
        for (const std::string& text : stringsOf(*values, i).value_or(std::vector<std::string>{}))
            if (!text.empty() && !files.contains(text))
                files.emplace(text, assetFile(scene, prim, attribute, text));
    return std::make_shared<NamingFiles>(std::move(values), std::move(files));
}

Material materialFrom(const ComposedScene& scene, const Prim& prim, const Clock& clock) {
    Material material;
    material.name = prim.name;
    material.look = lookOf(scene, prim);
    std::vector<PropertyNode> graph;
    addShaders(scene, prim, {}, clock, graph);
    if (!graph.empty())
        material.graph =
            std::make_shared<MemoryProperties>(std::move(graph), std::map<std::string, std::string>{}, kFormatId);
    return material;
}

} // namespace wyc::usd
