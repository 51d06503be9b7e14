// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/scene_write.h"

#include <algorithm>
#include <unordered_map>

#include <fmt/format.h>

#include "formats/usd/compose/stage.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/schema/places.h"
#include "formats/usd/usd.h"
#include "formats/usd/write/deformers_write.h"
#include "formats/usd/write/materials_write.h"
#include "formats/usd/write/names.h"
#include "formats/usd/write/shapes_write.h"
#include "formats/usd/write/turns.h"
#include "scene/channels.h"
#include "scene/components/curves.h"
#include "scene/components/light.h"
#include "scene/deform/deformers.h"
#include "scene/layers.h"

namespace wyc::usd {
namespace {

using Kind = TransformOp::Kind;

class SceneLayer {
  public:
    SceneLayer(const Scene& scene, const SceneAsLayer& how)
        : scene_(scene), how_(how), clock_{how.rate}, prims_(scene.nodes.size(), nullptr) {
        for (std::size_t i = 0; i < scene.nodes.size(); ++i)
            byId_.emplace(scene.nodes[i].id.value, i);
    }

    Result<LayerPtr> made() {
        auto layer = std::make_shared<Layer>();
        root_ = layer->root.get();
        writeHead(*root_, scene_, how_);
        placeMaterials();
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i)
            if (auto status = writeNode(i); !status)
                return fail(std::move(status.error()).forItem(scene_.nodes[i].path));
        writeMaterials();
        sortProperties(*root_);
        return LayerPtr(std::move(layer));
    }

  private:
    // As a reader lists them.
    static void sortProperties(PrimSpec& prim) {
        std::stable_sort(
            prim.properties.begin(), prim.properties.end(),
            [](const PropertySpec& a, const PropertySpec& b) { return inDictionaryOrder(a.name, b.name); });
        for (auto& child : prim.children)
            sortProperties(*child);
    }

    // Below the one prim at the top, where there is one: so they come along wherever that is referenced.
    void placeMaterials() {
        if (scene_.materials.empty())
            return;
        const auto roots = scene_.childrenOf(-1);
        const bool below = roots.size() == 1 && scene_.nodes[roots.front()].is().place;
        materialsBelow_ = below ? static_cast<int>(roots.front()) : -1;
        std::vector<std::string> taken;
        for (const std::size_t i : scene_.childrenOf(materialsBelow_))
            taken.push_back(scene_.nodes[i].name);
        UniqueNames beside(taken);
        materialsName_ = beside.next("materials");
        const std::string parent = below ? scene_.nodes[roots.front()].path : "/";
        materialsPath_ = childPath(parent, materialsName_);
        UniqueNames names;
        for (const Material& material : scene_.materials)
            materialPrims_.push_back(names.next(material.name));
    }

    std::string pathOfMaterial(NodeId id, const std::string& name) const {
        const Material* material = materialOf(scene_, id, name);
        if (!material)
            return {};
        const auto which = static_cast<std::size_t>(material - scene_.materials.data());
        return childPath(materialsPath_, materialPrims_[which]);
    }

    void writeMaterials() {
        if (scene_.materials.empty())
            return;
        PrimSpec& parent = materialsBelow_ < 0 ? *root_ : *prims_[static_cast<std::size_t>(materialsBelow_)];
        PrimSpec& scope = addPrim(parent, materialsName_, "Scope");
        for (std::size_t i = 0; i < scene_.materials.size(); ++i)
            writeMaterial(scope, materialsPath_, materialPrims_[i], scene_.materials[i], clock_);
    }

    static std::string placeType(const Node& node) {
        const bool stated = node.schema == "Scope" || node.schema == "SkelRoot";
        return stated && (node.schema == "SkelRoot" || !node.transform) ? node.schema : "Xform";
    }

    std::string typeOf(const Node& node) const {
        switch (node.kind) {
        case NodeKind::Mesh:
        case NodeKind::Subdivision: return "Mesh";
        case NodeKind::Points: return "Points";
        case NodeKind::Curves: return isVariable(node) ? "NurbsCurves" : "BasisCurves";
        case NodeKind::Camera: return "Camera";
        case NodeKind::Light: {
            const std::string type = lightType(kindOfLight(node));
            return type.empty() ? "SphereLight" : type;
        }
        case NodeKind::Instancer: return "PointInstancer";
        case NodeKind::Skeleton: return "Skeleton";
        case NodeKind::Instances: return "";
        default: return placeType(node);
        }
    }
    static bool isVariable(const Node& node) {
        const auto layout = curveLayout(node, 0);
        return layout && layout->type == CurveLayout::Type::Variable;
    }
    static std::string kindOfLight(const Node& node) {
        const auto kind = findMeaning(node.properties, Meaning::LightKind);
        if (!kind || !kind->values || kind->values->sampling().count() == 0)
            return {};
        const auto texts = stringsOf(*kind->values, 0);
        return texts && !texts->empty() ? texts->front() : std::string();
    }

    Status writeNode(std::size_t i) {
        const Node& node = scene_.nodes[i];
        if (node.kind == NodeKind::Instances && standsForPrototype(node))
            return {};
        PrimSpec* parent = node.parent < 0 ? root_ : prims_[static_cast<std::size_t>(node.parent)];
        if (!parent)
            return {};
        PrimSpec& prim = addPrim(*parent, node.name, typeOf(node));
        prims_[i] = &prim;
        if (const Fields* own = ownFields(node))
            for (const Field& field : *own)
                setField(prim.fields, field.name, field.value);
        if (node.kind == NodeKind::Instances)
            return writeInstance(prim, node);
        writeTransform(prim, node);
        writeVisibility(prim, node, clock_);
        if (isDeformed(node)) {
            WYC_TRY(rest, restPointsOf(node));
            WYC_TRY(faces, node.geometry->topology(0));
            Node atRest = node;
            atRest.geometry = std::make_shared<MemoryGeometry>(Sampling::still(), faces,
                                                               std::vector<std::vector<Vec3f>>{std::move(rest)});
            writeShape(prim, atRest, clock_);
            const auto skeleton = byId_.find(node.deformation->skeleton->value);
            if (skeleton != byId_.end())
                writeDeformers(prim, scene_, node, scene_.nodes[skeleton->second].path);
        } else if (node.geometry && node.kind != NodeKind::Instancer) {
            writeShape(prim, node, clock_);
        }
        switch (node.kind) {
        case NodeKind::Mesh: uniformToken(prim, "subdivisionScheme", "none"); break;
        case NodeKind::Subdivision: writeSurfaceSettings(prim, node); break;
        case NodeKind::Curves: writeCurveKind(prim, node); break;
        case NodeKind::Camera: writeClipping(prim, node); break;
        case NodeKind::Light: writeLight(prim, node); break;
        case NodeKind::Instancer: writeInstancer(prim, i); break;
        case NodeKind::Skeleton: writeSkeleton(prim, scene_, i, clock_); break;
        default: break;
        }
        writeProperties(prim, node);
        if (node.material.value != 0)
            if (const std::string path = pathOfMaterial(node.material, {}); !path.empty()) {
                applySchema(prim, "MaterialBindingAPI");
                relationshipOf(prim, "material:binding", {path});
            }
        if (!node.is().faces || !node.geometry)
            return {};
        std::vector<std::string> taken;
        for (const std::size_t child : scene_.childrenOf(static_cast<int>(i)))
            taken.push_back(scene_.nodes[child].name);
        return writeFaceSets(prim, node, clock_, taken,
                             [this](NodeId id, const std::string& name) { return pathOfMaterial(id, name); });
    }

    static std::pair<std::string, AttributeType> opType(Kind kind) {
        const AttributeType triple{"double3", {Base::Double, 3}, 1};
        const AttributeType angle{"double", {Base::Double}, 1};
        switch (kind) {
        case Kind::Translate: return {"translate", triple};
        case Kind::Scale: return {"scale", triple};
        case Kind::Rotate: return {"orient", {"quatd", {Base::Double, 4, true}, 1}};
        case Kind::RotateX: return {"rotateX", angle};
        case Kind::RotateY: return {"rotateY", angle};
        case Kind::RotateZ: return {"rotateZ", angle};
        case Kind::Matrix: break;
        }
        return {"transform", {"matrix4d", {Base::Double, 16}, 1}};
    }
    // Turns about all three axes that stand beside each other are one operation: its axes in the order in which they
    // act. Empty where they are not three.
    static std::string threeTurns(const std::vector<TransformOp>& ops, std::size_t first) {
        std::string axes;
        for (std::size_t i = first; i < first + 3 && i < ops.size(); ++i) {
            const Kind kind = ops[i].kind;
            const char axis = kind == Kind::RotateX   ? 'X'
                              : kind == Kind::RotateY ? 'Y'
                              : kind == Kind::RotateZ ? 'Z'
                                                      : ' ';
            if (axis == ' ' || axes.find(axis) != std::string::npos)
                return {};
            axes.insert(axes.begin(), axis);
        }
        return axes.size() == 3 ? axes : std::string();
    }

    // Operations under their own names; the one listed last acts first, here as there.
    void writeTransform(PrimSpec& prim, const Node& node) {
        if (!node.transform)
            return;
        const Transform& transform = *node.transform;
        const std::size_t count = transform.sampling().count();
        const std::vector<double> codes = count < 2 ? std::vector<double>{} : clock_.codes(transform.sampling());
        std::vector<std::string> order;
        if (const auto inherits = transform.inherits(0); inherits && !*inherits)
            order.emplace_back("!resetXformStack!");
        // Samples that are all the same stay as they are where something may lie between them.
        std::size_t total = 0;
        for (const TransformOp& op : transform.ops())
            total += channelCount(op.kind);
        const bool asItIs = !changes(transform, 0, total);
        UniqueNames names;
        std::size_t first = 0;
        const auto& ops = transform.ops();
        for (std::size_t i = 0; i < ops.size();) {
            const std::string together = threeTurns(ops, i);
            const std::size_t channels = together.empty() ? channelCount(ops[i].kind) : 3;
            const auto [base, type] =
                together.empty() ? opType(ops[i].kind)
                                 : std::pair{"rotate" + together, AttributeType{"double3", {Base::Double, 3}, 1}};
            std::string name = names.next(base);
            if (name != base) // a second one of its kind
                name = fmt::format("{}:n{}", base, name.substr(base.size() + 1));
            name = "xformOp:" + name;
            order.push_back(name);
            const auto read = [&transform, at = first, channels, number = i, together, kind = ops[i].kind,
                               made = type.type](std::size_t sample) -> Result<Value> {
                if (kind == Kind::Rotate) {
                    WYC_TRY(turn, quaternionAt(transform, number, at, sample));
                    return valueOfNumbers(made, turn);
                }
                WYC_TRY(all, transform.channels(sample));
                all.resize(std::max(all.size(), at + channels), 0.0);
                std::vector<double> own(all.begin() + static_cast<std::ptrdiff_t>(at),
                                        all.begin() + static_cast<std::ptrdiff_t>(at + channels));
                // About X, Y and Z, in whatever order they act; the one listed last acts first.
                for (std::size_t k = 0; k < together.size(); ++k)
                    own[static_cast<std::size_t>(together[k] - 'X')] = all[at + 2 - k];
                return valueOfNumbers(made, own);
            };
            setTrack(attributeOf(prim, name, type.name), type.type,
                     asItIs || changes(transform, first, channels) ? codes : std::vector<double>{}, read);
            first += channels;
            i += together.empty() ? 1U : 3U;
        }
        PropertySpec& listed = attributeOf(prim, "xformOpOrder", "token[]");
        setField(listed.fields, "variability", Value::ofText(Base::Token, "uniform"));
        setField(listed.fields, "default", Value::ofTexts(Base::Token, std::move(order)));
    }

    static bool changes(const Transform& transform, std::size_t at, std::size_t channels) {
        const auto first = transform.channels(0);
        for (std::size_t i = 1; i < transform.sampling().count(); ++i) {
            const auto now = transform.channels(i);
            if (!first || !now || now->size() < at + channels || first->size() < at + channels ||
                !std::equal(now->begin() + static_cast<std::ptrdiff_t>(at),
                            now->begin() + static_cast<std::ptrdiff_t>(at + channels),
                            first->begin() + static_cast<std::ptrdiff_t>(at)))
                return true;
        }
        return false;
    }

    void writeProperties(PrimSpec& prim, const Node& node) {
        if (!node.properties)
            return;
        std::vector<std::string> sets; // of UVs and colours, in our order
        for (const PropertyNode& property : node.properties->all())
            if (const std::string name = writeProperty(prim, property, node, scene_, clock_);
                isLayer(property.meaning) && name.starts_with("primvars:"))
                sets.push_back(name);
        std::vector<std::string> unsaid = sets;
        std::sort(unsaid.begin(), unsaid.end(), inDictionaryOrder);
        putUsualUvsFirst(unsaid);
        if (unsaid != sets)
            setField(prim.fields, "propertyOrder", Value::ofTexts(Base::Token, sets));
    }

    void writeSurfaceSettings(PrimSpec& prim, const Node& node) {
        const auto setting = [&](const char* name) -> ValuesPtr {
            const auto found = findMeaning(node.properties, Meaning::SurfaceSetting, name);
            return found && found->values && found->values->sampling().count() > 0 ? found->values : nullptr;
        };
        std::string scheme = "catmull-clark";
        if (const ValuesPtr stated = setting("scheme"))
            if (const auto texts = stringsOf(*stated, 0); texts && !texts->empty())
                scheme = texts->front();
        uniformToken(prim, "subdivisionScheme", scheme == "loop" || scheme == "bilinear" ? scheme : "catmullClark");
        if (const ValuesPtr stated = setting("interpolateBoundary"))
            if (const auto numbers = wyc::numbersOf(*stated, 0); numbers && !numbers->empty())
                setText(attributeOf(prim, "interpolateBoundary", "token"), Base::Token,
                        numbers->front() == 0.0   ? "none"
                        : numbers->front() == 2.0 ? "edgeOnly"
                                                  : "edgeAndCorner");
    }

    void writeCurveKind(PrimSpec& prim, const Node& node) {
        const auto layout = curveLayout(node, 0);
        if (!layout || layout->type == CurveLayout::Type::Variable)
            return;
        const bool cubic = layout->type == CurveLayout::Type::Cubic;
        uniformToken(prim, "type", cubic ? "cubic" : "linear");
        if (cubic)
            uniformToken(prim, "basis",
                         layout->basis == CurveLayout::Basis::BSpline      ? "bspline"
                         : layout->basis == CurveLayout::Basis::CatmullRom ? "catmullRom"
                                                                           : "bezier");
        uniformToken(prim, "wrap", layout->periodic ? "periodic" : "nonperiodic");
    }

    void writeClipping(PrimSpec& prim, const Node& node) {
        const auto nearClip = findMeaning(node.properties, Meaning::NearClip);
        const auto farClip = findMeaning(node.properties, Meaning::FarClip);
        if (!nearClip || !farClip || !nearClip->values || !farClip->values)
            return;
        const Sampling& sampling = nearClip->values->sampling();
        static constexpr Type kPair{Base::Float, 2};
        setTrack(attributeOf(prim, "clippingRange", "float2"), kPair,
                 sampling.count() < 2 ? std::vector<double>{} : clock_.codes(sampling),
                 [from = nearClip->values, to = farClip->values](std::size_t sample) -> Result<Value> {
                     WYC_TRY(low, wyc::numbersOf(*from, sample));
                     WYC_TRY(high, wyc::numbersOf(*to, std::min(sample, to->sampling().count() - 1)));
                     if (low.empty() || high.empty())
                         return fail(ErrorKind::BadInput, "what its lens sees has no ends");
                     return valueOfNumbers(kPair, std::array{low.front(), high.front()});
                 });
    }

    void writeLight(PrimSpec& prim, const Node& node) {
        const std::string kind = kindOfLight(node);
        if (lightType(kind).empty()) { // empty: nobody stated one
            PropertySpec& own = attributeOf(prim, kLightKind, "string");
            setField(own.fields, "custom", Value::ofBool(true));
            setText(own, Base::String, kind);
        }
        if (findMeaning(node.properties, Meaning::LightConeDegrees))
            applySchema(prim, "ShapingAPI");
    }

    // A prototype of an instancer that is shown elsewhere as well: the instancer names that.
    bool standsForPrototype(const Node& node) const {
        if (node.parent < 0 || !node.instanceOf || !byId_.contains(node.instanceOf->value))
            return false;
        const Node& above = scene_.nodes[static_cast<std::size_t>(node.parent)];
        return above.kind == NodeKind::Instancer && above.prototypes &&
               std::find(above.prototypes->begin(), above.prototypes->end(), node.id) != above.prototypes->end();
    }

    void writeInstancer(PrimSpec& prim, std::size_t i) {
        const Node& node = scene_.nodes[i];
        std::vector<std::string> targets;
        if (node.prototypes)
            for (const NodeId id : *node.prototypes) {
                const auto found = byId_.find(id.value);
                if (found == byId_.end()) {
                    targets.push_back(childPath(node.path, fmt::format("missing_{}", targets.size())));
                    continue;
                }
                const Node* shown = &scene_.nodes[found->second];
                if (shown->kind == NodeKind::Instances && standsForPrototype(*shown))
                    shown = &scene_.nodes[byId_.at(shown->instanceOf->value)];
                targets.push_back(shown->path);
            }
        relationshipOf(prim, "prototypes", targets);
        const Geometry* places = node.geometry.get();
        if (!places || places->sampling().count() == 0)
            return;
        static constexpr Type kPositions{Base::Float, 3, false, true};
        const std::vector<double> codes =
            places->sampling().count() < 2 ? std::vector<double>{} : clock_.codes(places->sampling());
        setTrack(attributeOf(prim, "positions", "point3f[]"), kPositions, codes,
                 [places](std::size_t sample) -> Result<Value> {
                     std::vector<Vec3f> points;
                     WYC_CHECK(readPoints(*places, sample, points));
                     return valueOfArray<Vec3f>(kPositions, points);
                 });
        if (const auto first = places->ids(0); first && *first)
            setTrack(
                attributeOf(prim, "ids", "int64[]"), {Base::Int64, 1, false, true}, codes,
                [places](std::size_t sample) -> Result<Value> {
                    WYC_TRY(ids, places->ids(sample));
                    return valueOfArray<std::uint64_t>({Base::Int64, 1, false, true},
                                                       ids ? *ids : std::vector<std::uint64_t>{});
                },
                true);
    }

    // Shown once more by a reference to it.
    Status writeInstance(PrimSpec& prim, const Node& node) {
        const auto shown = node.instanceOf ? byId_.find(node.instanceOf->value) : byId_.end();
        ListEdit list;
        list.of = ListEdit::Of::Arcs;
        ListItem item;
        item.prim = shown == byId_.end() ? node.instanceLabel : scene_.nodes[shown->second].path;
        if (!isPrimPath(item.prim))
            return {};
        list.prepended.push_back(std::move(item));
        setField(prim.fields, "instanceable", Value::ofBool(true));
        setField(prim.fields, "references", Value(std::make_shared<const ListEdit>(std::move(list))));
        writeTransform(prim, node);
        writeVisibility(prim, node, clock_);
        return {};
    }

    const Scene& scene_;
    const SceneAsLayer& how_;
    WriteClock clock_;
    PrimSpec* root_ = nullptr;
    std::vector<PrimSpec*> prims_; // of the nodes
    std::unordered_map<std::uint64_t, std::size_t> byId_;
    int materialsBelow_ = -1;
    std::string materialsName_;
    std::string materialsPath_;
    std::vector<std::string> materialPrims_; // names, in the order of the materials
};

} // namespace

void writeHead(PrimSpec& root, const Scene& scene, const SceneAsLayer& how) {
    Fields& fields = root.fields;
    const WriteClock clock{how.rate};
    const auto text = [&](const char* name, const std::string& value) {
        setField(fields, name, Value::ofText(Base::String, value));
    };
    if (scene.container.format == kFormatId)
        for (const auto& [name, value] : scene.container.metadata)
            if (name == "comment" || name == "documentation")
                text(name.c_str(), value);
    const auto roots = scene.childrenOf(-1);
    if (roots.size() == 1)
        setField(fields, "defaultPrim", Value::ofText(Base::Token, scene.nodes[roots.front()].name));
    if (const auto span = movingSpan(scene)) {
        setField(fields, "startTimeCode", Value::ofDouble(clock.code(span->first)));
        setField(fields, "endTimeCode", Value::ofDouble(clock.code(span->last)));
    }
    setField(fields, "framesPerSecond", Value::ofDouble(clock.rate.value()));
    setField(fields, "timeCodesPerSecond", Value::ofDouble(clock.rate.value()));
    if (scene.unitMetres)
        setField(fields, "metersPerUnit", Value::ofDouble(*scene.unitMetres));
    if (scene.upAxis)
        setField(fields, "upAxis", Value::ofText(Base::Token, upAxisName(*scene.upAxis)));
    if (!how.application.empty() || !how.description.empty()) {
        Dictionary told;
        if (!how.application.empty())
            told.emplace_back("application", Value::ofText(Base::String, how.application));
        if (!how.description.empty())
            told.emplace_back("description", Value::ofText(Base::String, how.description));
        setField(fields, "customLayerData", Value(std::make_shared<const Dictionary>(std::move(told))));
    }
}

void writeVisibility(PrimSpec& prim, const Node& node, const WriteClock& clock) {
    if (!node.visibility || node.visibility->values.empty())
        return;
    const VisibilityTrack& track = *node.visibility;
    const bool still = track.sampling.count() < 2;
    setTrack(attributeOf(prim, "visibility", "token"), {Base::Token},
             still ? std::vector<double>{} : clock.codes(track.sampling),
             [values = track.values](std::size_t sample) -> Result<Value> {
                 return Value::ofText(Base::Token, values[sample] == Visibility::Hidden ? "invisible" : "inherited");
             });
}

std::string writeProperty(PrimSpec& prim, const PropertyNode& property, const Node& node, const Scene& scene,
                          const WriteClock& clock) {
    const auto place = placeOf(property, node, lensUnit(scene), scene.view.rate);
    if (!place)
        return {};
    const bool numbered = !property.values;
    const PropertyNode& holder = numbered ? property.children.front() : property;
    PropertySpec& attribute = attributeOf(prim, place->attribute, place->type.name);
    if (place->custom)
        setField(attribute.fields, "custom", Value::ofBool(true));
    if (place->uniform)
        setField(attribute.fields, "variability", Value::ofText(Base::Token, "uniform"));
    if (!place->interpolation.empty())
        setField(attribute.fields, "interpolation", Value::ofText(Base::Token, place->interpolation));
    if (property.meaning == Meaning::Widths) {
        const auto first = holder.values->read(0);
        if (first && first->bytes.size() == elementSize(holder.values->type()))
            setField(attribute.fields, "interpolation", Value::ofText(Base::Token, "constant"));
    }
    ChangeNumbers change;
    if (place->factor != 1.0)
        change = [factor = place->factor](std::vector<double>& numbers) {
            for (double& number : numbers)
                number *= factor;
        };
    setValues(attribute, holder.values, place->type, clock, change);
    if (numbered)
        setValues(attributeOf(prim, place->attribute + ":indices", "int[]"), property.children.back().values,
                  {"int[]", {Base::Int, 1, false, true}, 1}, clock);
    return place->attribute;
}

Result<LayerPtr> layerOf(const Scene& scene, const SceneAsLayer& how) {
    return SceneLayer(scene, how).made();
}

} // namespace wyc::usd
