// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/deformers_write.h"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/write/names.h"
#include "formats/usd/write/together.h"
#include "scene/channels.h"
#include "scene/components/skeleton.h"
#include "scene/deform/deformers.h"

namespace wyc::usd {
namespace {

constexpr const char* kAnimation = "animation";
constexpr const char* kWholeShape = "whole"; // as a reader calls it

bool isPose(Meaning meaning) {
    return meaning == Meaning::JointPlaces || meaning == Meaning::JointTurns || meaning == Meaning::JointSizes;
}

const PropertyNode* childOf(const PropertyNode& group, Meaning meaning) {
    const auto found = std::find_if(group.children.begin(), group.children.end(),
                                    [&](const PropertyNode& p) { return p.meaning == meaning; });
    return found == group.children.end() ? nullptr : &*found;
}
bool isShape(const PropertyNode& group) {
    return !group.values && childOf(group, Meaning::MorphAt) && childOf(group, Meaning::MorphPoints) &&
           childOf(group, Meaning::MorphOffsets);
}

template<class T> std::vector<T> firstValues(const PropertyNode& property) {
    return property.values && property.values->sampling().count() > 0
               ? wyc::valuesOf<T>(*property.values, 0).value_or(std::vector<T>{})
               : std::vector<T>{};
}

std::vector<PropertyNode> listOf(const Node& node) {
    return node.properties ? node.properties->all() : std::vector<PropertyNode>();
}

class DeformersPrepared {
  public:
    explicit DeformersPrepared(Scene scene) : scene_(std::move(scene)) {}

    Result<Scene> prepared() {
        for (Node& node : scene_.nodes) {
            if (node.kind != NodeKind::Skeleton)
                continue;
            if (sizesFit(node)) {
                prepareSkeleton(node);
                continue;
            }
            node.kind = NodeKind::Transform;
            node.properties = nullptr;
            scene_.report.notCarried.push_back(
                {node.path, "its joints, whose sizes layers hold as half floats alone: a place is left"});
        }
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i)
            if (isDeformed(scene_.nodes[i]) && !fits(i)) {
                (void)dropDeformers(scene_.nodes[i]);
                tell(scene_.nodes[i]);
            }
        shareTimes();
        return deformedByStored(std::move(scene_));
    }

  private:
    void tell(const Node& node) { scene_.report.notCarried.push_back({node.path, std::string(kDeformersGone)}); }

    static bool sizesFit(const Node& skeleton) {
        const auto sizes = findMeaning(skeleton.properties, Meaning::JointSizes);
        for (std::size_t s = 0; sizes && sizes->values && s < sizes->values->sampling().count(); ++s) {
            const auto numbers = wyc::numbersOf(*sizes->values, s);
            if (!numbers || std::any_of(numbers->begin(), numbers->end(),
                                        [](double n) { return halfToDouble(doubleToHalf(n)) != n; }))
                return false;
        }
        return true;
    }

    // Names of joints are paths.
    static void prepareSkeleton(Node& node) {
        const auto joints = jointsOf(node);
        if (!joints)
            return;
        std::vector<std::string> paths;
        UniqueNames names;
        for (const Joint& joint : *joints) {
            const std::string above = joint.parent < 0 ? "" : paths[static_cast<std::size_t>(joint.parent)] + "/";
            const bool isPath = joint.name.starts_with(above) && joint.name.size() > above.size();
            std::string own = joint.name.substr(isPath ? above.size() : 0);
            std::replace(own.begin(), own.end(), '/', '_');
            paths.push_back(above + primName(own));
            for (int n = 2; std::count(paths.begin(), paths.end(), paths.back()) > 1; ++n)
                paths.back() = above + primName(own) + "_" + std::to_string(n);
        }
        PropertyValue texts;
        for (const std::string& path : paths) {
            const auto raw = std::as_bytes(std::span(path.c_str(), path.size() + 1));
            texts.bytes.insert(texts.bytes.end(), raw.begin(), raw.end());
        }
        std::vector<PropertyNode> list = listOf(node);
        std::vector<Sampling> samplings;
        for (const PropertyNode& property : list)
            if (isPose(property.meaning) && property.values)
                samplings.push_back(property.values->sampling());
        const Sampling common = commonSampling(samplings);
        for (PropertyNode& property : list) {
            if (property.meaning == Meaning::JointNames)
                property.values = std::make_shared<MemoryValues>(ValueType::String, 1, true, Sampling::still(),
                                                                 std::vector<PropertyValue>{texts});
            if (isPose(property.meaning) && property.values && !(property.values->sampling() == common))
                property.values = std::make_shared<Together>(property.values, common, property.role);
        }
        node.properties = relisted(node.properties, std::move(list));
    }

    bool fits(std::size_t i) {
        Node& mesh = scene_.nodes[i];
        const auto skeleton = mesh.deformation->skeleton ? scene_.find(*mesh.deformation->skeleton) : std::nullopt;
        if (!skeleton || scene_.nodes[*skeleton].kind != NodeKind::Skeleton || !traitsOf(mesh.kind).faces)
            return false;
        std::vector<PropertyNode> list = listOf(mesh);
        for (PropertyNode& property : list)
            if (property.meaning == Meaning::Morph && !prepareMorph(property, *skeleton))
                return false;
        // All of it stands below one prim that says so.
        int top = static_cast<int>(i);
        bool said = false;
        while (scene_.nodes[static_cast<std::size_t>(top)].parent >= 0) {
            top = scene_.nodes[static_cast<std::size_t>(top)].parent;
            const Node& above = scene_.nodes[static_cast<std::size_t>(top)];
            said = said || (above.schema == "SkelRoot" && above.is().place);
        }
        if (!said) {
            Node& above = scene_.nodes[static_cast<std::size_t>(top)];
            if (!above.is().place || top == static_cast<int>(i))
                return false;
            above.schema = "SkelRoot";
        }
        mesh.properties = relisted(mesh.properties, std::move(list));
        return true;
    }

    // One whole shape, and in-betweens that move the same points.
    bool prepareMorph(PropertyNode& morph, std::size_t skeleton) {
        const PropertyNode* weight = childOf(morph, Meaning::MorphWeight);
        if (!weight || !weight->values || !names_[skeleton].insert(morph.name).second)
            return false;
        UniqueNames between;
        std::optional<std::vector<std::int32_t>> points;
        bool whole = false;
        std::vector<PropertyNode> shapes;
        for (PropertyNode& shape : morph.children) {
            if (!isShape(shape))
                continue;
            const auto at = firstValues<float>(*childOf(shape, Meaning::MorphAt));
            auto which = firstValues<std::int32_t>(*childOf(shape, Meaning::MorphPoints));
            if (at.size() != 1 || at.front() == 0.0F || which.empty() || (points && *points != which))
                return false;
            points = std::move(which);
            const bool isWhole = at.front() == 1.0F;
            if (isWhole && whole)
                return false;
            whole = whole || isWhole;
            shape.name = isWhole ? std::string(kWholeShape) : between.next(shape.name);
            shapes.push_back(shape);
        }
        if (!whole)
            return false;
        std::stable_sort(shapes.begin(), shapes.end(), [](const PropertyNode& a, const PropertyNode& b) {
            const bool first = a.name == kWholeShape;
            const bool second = b.name == kWholeShape;
            return first != second ? first : !first && a.name < b.name;
        });
        shapes.insert(shapes.begin(), *weight);
        morph.children = std::move(shapes);
        return true;
    }

    // Weights of all morphs that go with one skeleton are one attribute.
    void shareTimes() {
        std::map<std::uint64_t, std::vector<Sampling>> samplings;
        const auto forEachWeight = [&](const auto& act) {
            for (Node& node : scene_.nodes) {
                if (!isDeformed(node) || !node.deformation->skeleton)
                    continue;
                std::vector<PropertyNode> list = listOf(node);
                bool changed = false;
                for (PropertyNode& morph : list)
                    if (morph.meaning == Meaning::Morph)
                        for (PropertyNode& property : morph.children)
                            if (property.meaning == Meaning::MorphWeight && property.values)
                                changed = act(node.deformation->skeleton->value, property) || changed;
                if (changed)
                    node.properties = relisted(node.properties, std::move(list));
            }
        };
        forEachWeight([&](std::uint64_t skeleton, PropertyNode& property) {
            samplings[skeleton].push_back(property.values->sampling());
            return false;
        });
        std::map<std::uint64_t, Sampling> common;
        for (const auto& [skeleton, all] : samplings)
            common[skeleton] = commonSampling(all);
        forEachWeight([&](std::uint64_t skeleton, PropertyNode& property) {
            if (property.values->sampling() == common[skeleton])
                return false;
            property.values = std::make_shared<Together>(property.values, common[skeleton]);
            return true;
        });
    }

    Scene scene_;
    std::map<std::size_t, std::set<std::string>> names_; // of morphs, by skeleton
};

// Of all meshes that go with a skeleton, in their order.
std::vector<PropertyNode> morphsWith(const Scene& scene, const Node& skeleton) {
    std::vector<PropertyNode> morphs;
    for (const Node& node : scene.nodes)
        if (isDeformed(node) && node.deformation->skeleton && *node.deformation->skeleton == skeleton.id)
            for (PropertyNode& property : listOf(node))
                if (property.meaning == Meaning::Morph)
                    morphs.push_back(std::move(property));
    return morphs;
}

void uniformTexts(PrimSpec& prim, const char* name, const std::vector<std::string>& texts) {
    PropertySpec& property = attributeOf(prim, name, "token[]");
    setField(property.fields, "variability", Value::ofText(Base::Token, "uniform"));
    setField(property.fields, "default", Value::ofTexts(Base::Token, texts));
}

void matrices(PrimSpec& prim, const char* name, const std::vector<double>& numbers) {
    PropertySpec& property = attributeOf(prim, name, "matrix4d[]");
    setField(property.fields, "variability", Value::ofText(Base::Token, "uniform"));
    constexpr Type kMatrices{Base::Double, 16, false, true};
    setField(property.fields, "default", valueOfNumbers(kMatrices, numbers));
}

} // namespace

Result<Scene> preparedDeformers(Scene scene) {
    return DeformersPrepared(std::move(scene)).prepared();
}

Result<std::vector<Vec3f>> restPointsOf(const Node& mesh) {
    const auto rest = findMeaning(mesh.properties, Meaning::RestPoints);
    if (!rest || !rest->values)
        return std::vector<Vec3f>{};
    WYC_TRY(numbers, wyc::valuesOf<float>(*rest->values, 0));
    std::vector<Vec3f> points(numbers.size() / 3);
    if (!points.empty())
        std::copy_n(std::as_bytes(std::span(numbers)).begin(), points.size() * sizeof(Vec3f),
                    std::as_writable_bytes(std::span(points)).begin());
    return points;
}

void writeSkeleton(PrimSpec& prim, const Scene& scene, std::size_t node, const WriteClock& clock) {
    const Node& skeleton = scene.nodes[node];
    const auto joints = jointsOf(skeleton);
    if (!joints)
        return;
    std::vector<std::string> names;
    std::vector<double> binds;
    std::vector<double> rests;
    for (const Joint& joint : *joints) {
        names.push_back(joint.name);
        binds.insert(binds.end(), joint.bind.m.begin(), joint.bind.m.end());
        rests.insert(rests.end(), joint.rest.m.begin(), joint.rest.m.end());
    }
    uniformTexts(prim, "joints", names);
    matrices(prim, "bindTransforms", binds);
    matrices(prim, "restTransforms", rests);
    std::vector<std::string> taken;
    for (const std::size_t child : scene.childrenOf(static_cast<int>(node)))
        taken.push_back(scene.nodes[child].name);
    const std::string name = UniqueNames(taken).next(kAnimation);
    applySchema(prim, "SkelBindingAPI");
    relationshipOf(prim, "skel:animationSource", {childPath(skeleton.path, name)});
    PrimSpec& animation = addPrim(prim, name, "SkelAnimation");
    uniformTexts(animation, "joints", names);
    for (const auto& [meaning, attribute, type] : {std::tuple{Meaning::JointPlaces, "translations", "float3[]"},
                                                   {Meaning::JointTurns, "rotations", "quatf[]"},
                                                   {Meaning::JointSizes, "scales", "half3[]"}})
        if (const auto poses = findMeaning(skeleton.properties, meaning);
            poses && poses->values && poses->values->sampling().count() > 0)
            setValues(attributeOf(animation, attribute, type), poses->values, {type, typeNamed(type), 1}, clock);
    const auto morphs = std::make_shared<const std::vector<PropertyNode>>(morphsWith(scene, skeleton));
    if (morphs->empty())
        return;
    std::vector<std::string> shapes;
    for (const PropertyNode& morph : *morphs)
        shapes.push_back(morph.name);
    uniformTexts(animation, "blendShapes", shapes);
    const Sampling& sampling = childOf(morphs->front(), Meaning::MorphWeight)->values->sampling();
    constexpr Type kWeights{Base::Float, 1, false, true};
    setTrack(attributeOf(animation, "blendShapeWeights", "float[]"), kWeights,
             sampling.count() < 2 ? std::vector<double>{} : clock.codes(sampling),
             [morphs, weights = kWeights](std::size_t sample) -> Result<Value> {
                 std::vector<double> numbers;
                 for (const PropertyNode& morph : *morphs) {
                     WYC_TRY(own, wyc::numbersOf(*childOf(morph, Meaning::MorphWeight)->values, sample));
                     numbers.push_back(own.empty() ? 0.0 : own.front());
                 }
                 return valueOfNumbers(weights, numbers);
             });
}

void writeDeformers(PrimSpec& prim, const Scene& scene, const Node& mesh, const std::string& skeletonPath) {
    applySchema(prim, "SkelBindingAPI");
    relationshipOf(prim, "skel:skeleton", {skeletonPath});
    const std::vector<PropertyNode> list = listOf(mesh);
    UniqueNames names;
    for (const Node& node : scene.nodes)
        if (node.parent >= 0 && &scene.nodes[static_cast<std::size_t>(node.parent)] == &mesh)
            (void)names.next(node.name);
    std::vector<std::string> shapes;
    std::vector<std::string> targets;
    for (const PropertyNode& property : list) {
        const auto still = [&](const char* name, const char* type, std::uint32_t elements) {
            PropertySpec& attribute = attributeOf(prim, name, type);
            setValues(attribute, property.values, {type, typeNamed(type), elements}, {});
            if (std::string_view(name) != "primvars:skel:geomBindTransform")
                setField(attribute.fields, "interpolation", Value::ofText(Base::Token, "vertex"));
        };
        if (property.meaning == Meaning::SkinBind)
            still("primvars:skel:geomBindTransform", "matrix4d", 1);
        else if (property.meaning == Meaning::SkinJoints)
            still("primvars:skel:jointIndices", "int[]", property.values->extent());
        else if (property.meaning == Meaning::SkinWeights)
            still("primvars:skel:jointWeights", "float[]", property.values->extent());
        else if (property.meaning == Meaning::Morph) {
            const std::string name = names.next(property.name);
            shapes.push_back(property.name);
            targets.push_back(childPath(mesh.path, name));
            PrimSpec& target = addPrim(prim, name, "BlendShape");
            for (const PropertyNode& shape : property.children) {
                if (!isShape(shape))
                    continue;
                const bool whole = shape.name == kWholeShape;
                PropertySpec& offsets =
                    attributeOf(target, whole ? "offsets" : "inbetweens:" + shape.name, "vector3f[]");
                setField(offsets.fields, "variability", Value::ofText(Base::Token, "uniform"));
                if (!whole)
                    setField(offsets.fields, "weight",
                             valueOfNumbers({Base::Float},
                                            std::array{static_cast<double>(
                                                firstValues<float>(*childOf(shape, Meaning::MorphAt)).front())}));
                setValues(offsets, childOf(shape, Meaning::MorphOffsets)->values,
                          {"vector3f[]", typeNamed("vector3f[]"), 1}, {});
                if (!whole)
                    continue;
                PropertySpec& points = attributeOf(target, "pointIndices", "int[]");
                setField(points.fields, "variability", Value::ofText(Base::Token, "uniform"));
                setValues(points, childOf(shape, Meaning::MorphPoints)->values, {"int[]", typeNamed("int[]"), 1}, {});
            }
        }
    }
    if (shapes.empty())
        return;
    uniformTexts(prim, "skel:blendShapes", shapes);
    relationshipOf(prim, "skel:blendShapeTargets", targets);
}

} // namespace wyc::usd
