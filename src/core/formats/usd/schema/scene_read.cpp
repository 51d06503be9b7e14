// SPDX-License-Identifier: GPL-3.0-or-later
// A composed scene as nodes of ours.
#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/schema/instancer.h"
#include "formats/usd/schema/layers_told.h"
#include "formats/usd/schema/materials.h"
#include "formats/usd/schema/places.h"
#include "formats/usd/schema/shapes.h"
#include "formats/usd/schema/skin.h"
#include "formats/usd/schema/transform.h"
#include "formats/usd/usd.h"
#include "scene/components/camera.h"
#include "scene/components/curves.h"
#include "scene/layers.h"
#include "scene/winding.h"

namespace wyc::usd {
namespace {

// What is said elsewhere: by a material, a skin, a set of faces; and what below it is.
bool isFolded(std::string_view type) {
    static const std::set<std::string_view> kTypes{"Material",       "Shader",        "NodeGraph",
                                                   "BlendShape",     "GeomSubset",    "SkelAnimation",
                                                   "RenderSettings", "RenderProduct", "RenderVar"};
    return kTypes.contains(type);
}

bool isLight(std::string_view type) {
    return type.ends_with("Light") && type != "Light";
}

bool isPlaceOnly(std::string_view type) {
    return type.empty() || type == "Xform" || type == "Scope" || type == "SkelRoot";
}

class SceneBuilder {
  public:
    SceneBuilder(std::shared_ptr<ComposedScene> stage, const OpenRequest& request)
        : stage_(std::move(stage)), request_(request), nodeOf_(stage_->prims().size(), -1) {}

    Result<Scene> build() {
        WYC_CHECK(setClock());
        addMaterials();
        const auto& prims = stage_->prims();
        findWholeInstances();
        for (std::size_t i = 1; i < prims.size(); ++i)
            WYC_CHECK(addPrim(i));
        for (const auto& [node, shown] : wholeInstances_)
            showAgain(node, nodeOf_[static_cast<std::size_t>(shown)]);
        for (const auto& [node, prim] : skinned_)
            WYC_CHECK(addSkinOf(node, prim));
        for (const auto& [node, prim] : instancers_)
            WYC_CHECK(addPrototypes(node, prim));
        dropEmptyPlaces();
        keepOwnFields();
        tellOfLayers(scene_, *stage_, primOf_, materials_, request_.path);
        for (const auto& [what, items] : noted_)
            scene_.report.notCarried.push_back(
                {items.size() == 1 ? items.front() : std::string(),
                 items.size() == 1 ? what : fmt::format("{} (on {} prims)", what, items.size())});
        return std::move(scene_);
    }

  private:
    void note(std::string what, const std::string& item) { noted_[std::move(what)].push_back(item); }
    template<class... Told> void remark(Told&&... told) {
        scene_.report.remarks.push_back(remarkOf(std::forward<Told>(told)...));
    }

    Status setClock() {
        const Layer& root = stage_->rootLayer();
        const auto codes = root.number("timeCodesPerSecond");
        const auto frames = root.number("framesPerSecond");
        const auto stated = codes ? codes : frames;
        FrameRate rate = request_.assumedRate;
        if (stated) {
            const auto exact = FrameRate::nearest(*stated);
            if (!exact)
                return fail(makeError(ErrorKind::BadFormat, fmt::format("it states {} time codes a second", *stated))
                                .inFile(request_.path.string()));
            rate = *exact;
            scene_.rate = rate;
        }
        clock_ = {rate.value(), rate};
        scene_.view.rate = rate;
        scene_.container.format = kFormatId;
        if (const auto metres = root.number("metersPerUnit"); metres && *metres > 0.0)
            scene_.unitMetres = *metres;
        if (const Value* up = root.field("upAxis"); up && up->text())
            if (const auto axis = parseUpAxis(*up->text()))
                scene_.upAxis = *axis;
        if (codes && frames && *codes != *frames)
            remark("rate.two", std::string(),
                   fmt::format("It counts {} time codes a second and is to be shown at {} frames a second", *codes,
                               *frames),
                   "Frames are counted in time codes here; say which of both the receiver needs", 1, *frames,
                   "frames a second");
        for (const char* word : {"comment", "documentation"})
            if (const Value* text = root.field(word); text && text->text() && !text->text()->empty())
                scene_.container.metadata[word] = *text->text();
        return {};
    }

    void addMaterials() {
        std::map<std::string, std::size_t> names;
        const auto isOne = [](const Prim& prim) {
            return prim.typeName == "Material" && prim.active && prim.defined && !prim.abstract;
        };
        for (const Prim& prim : stage_->prims())
            if (isOne(prim))
                ++names[prim.name];
        for (const Prim& prim : stage_->prims())
            if (isOne(prim)) {
                Material material = materialFrom(*stage_, prim, clock_);
                material.name = names[prim.name] > 1 ? prim.path.substr(1) : prim.name;
                materials_.emplace(prim.path, material.id);
                scene_.materials.push_back(std::move(material));
            }
    }

    NodeId materialAt(const std::string& path) const {
        const auto found = materials_.find(path);
        return found == materials_.end() ? NodeId{} : found->second;
    }

    // A prim that is a node, or no prim of the scene.
    bool isWanted(std::size_t i) {
        const Prim& prim = stage_->prims()[i];
        const bool above = prim.parent <= 0 || (nodeOf_[static_cast<std::size_t>(prim.parent)] >= 0 &&
                                                standsFor_[static_cast<std::size_t>(prim.parent)] < 0);
        if (!above || !prim.active || prim.abstract)
            return false;
        if (!prim.defined) {
            if (prim.specifier == "over" &&
                (prim.parent <= 0 || stage_->prims()[static_cast<std::size_t>(prim.parent)].defined))
                note("an over of something that no layer defines", prim.path);
            return false;
        }
        return !isFolded(prim.typeName);
    }

    // Instances that say nothing but what other prim of the scene they show once more: what is shown is that prim.
    void findWholeInstances() {
        const auto& prims = stage_->prims();
        standsFor_.assign(prims.size(), -1);
        std::set<int> shared; // others show what is below them
        for (const Prim& prim : prims)
            shared.insert(prim.shares);
        for (std::size_t i = 1; i < prims.size(); ++i) {
            const int shown = prims[i].instance ? shownWhole(prims[i]) : -1;
            if (shown >= 0 && (shown < static_cast<int>(i) || !shared.contains(static_cast<int>(i))))
                standsFor_[i] = shown;
        }
    }
    static bool saysNothing(const IndexNode& node) {
        return std::all_of(node.specs.begin(), node.specs.end(), [](const SpecAt& at) {
            const PrimSpec& spec = *at.prim;
            return spec.children.empty() && spec.properties.empty() && spec.variantSets.empty() &&
                   std::all_of(spec.fields.begin(), spec.fields.end(), [](const Field& field) {
                       return field.name == "specifier" || field.name == "instanceable" || field.name == "references";
                   });
        });
    }
    // Places that speak of a prim, from the first that says more than that it shows another.
    static std::vector<int> speaking(const PrimIndex& index) {
        std::vector<int> nodes = index.byStrength;
        const auto first = std::find_if(nodes.begin(), nodes.end(),
                                        [&](int n) { return !saysNothing(index.nodes[static_cast<std::size_t>(n)]); });
        nodes.erase(nodes.begin(), first);
        return nodes;
    }
    // The prim of the scene that a reference inside of one file leads to, where just the same speaks of it, and what
    // comes down to both is the same.
    int shownWhole(const Prim& prim) const {
        if (stage_->choices().maySpeakBelow(prim.path))
            return -1;
        const PrimIndex& index = *prim.index;
        const std::vector<int> own = speaking(index);
        const std::size_t asking = index.byStrength.size() - own.size();
        if (own.empty() || asking == 0)
            return -1;
        // The one reference that the last of those says which say nothing else.
        const int site = index.byStrength[asking - 1];
        std::vector<ListItem> references;
        for (const SpecAt& at : index.nodes[static_cast<std::size_t>(site)].specs)
            if (const Value* held = at.prim->field("references"); held && held->list())
                held->list()->applyTo(references);
        if (references.size() != 1 || !references.front().text.empty() || references.front().offset != 0.0 ||
            references.front().scale != 1.0)
            return -1;
        const auto path = index.pathAtRoot(site, references.front().prim);
        const Prim* shown = path ? stage_->prim(*path) : nullptr;
        if (!shown || shown->instance || !shown->active || shown->abstract || !shown->defined ||
            isFolded(shown->typeName) || isBelow(prim.path, shown->path) || isBelow(shown->path, prim.path) ||
            stage_->choices().maySpeakBelow(shown->path))
            return -1;
        const std::vector<int> others = speaking(*shown->index);
        const bool same = std::equal(own.begin(), own.end(), others.begin(), others.end(), [&](int a, int b) {
            const IndexNode& one = index.nodes[static_cast<std::size_t>(a)];
            const IndexNode& other = shown->index->nodes[static_cast<std::size_t>(b)];
            return one.stack == other.stack && one.path == other.path && one.toRoot == other.toRoot;
        });
        if (!same)
            return -1;
        const Prim& above = stage_->prims()[static_cast<std::size_t>(std::max(prim.parent, 0))];
        const Prim& aboveShown = stage_->prims()[static_cast<std::size_t>(std::max(shown->parent, 0))];
        const bool alike = above.handsDown == aboveShown.handsDown && !above.handsDownByPlace &&
                           !aboveShown.handsDownByPlace && prim.clips == shown->clips;
        return alike ? static_cast<int>(shown - stage_->prims().data()) : -1;
    }
    void showAgain(int number, int shown) {
        Node& node = scene_.nodes[static_cast<std::size_t>(number)];
        if (shown < 0) {
            note("an instance of what is shown nowhere", node.path);
            return;
        }
        const Node& source = scene_.nodes[static_cast<std::size_t>(shown)];
        node.instanceOf = source.id;
        node.instanceLabel = source.path;
        shows_.emplace(number, shown);
    }

    Status addPrim(std::size_t i) {
        if (!isWanted(i))
            return {};
        const Prim& prim = stage_->prims()[i];
        if (standsFor_[i] >= 0) {
            Node node;
            node.name = prim.name;
            node.path = prim.path;
            node.parent = prim.parent <= 0 ? -1 : nodeOf_[static_cast<std::size_t>(prim.parent)];
            node.kind = NodeKind::Instances;
            nodeOf_[i] = static_cast<int>(scene_.nodes.size());
            wholeInstances_.emplace_back(nodeOf_[i], standsFor_[i]);
            place_.push_back(false);
            primOf_.push_back(static_cast<int>(i));
            scene_.nodes.push_back(std::move(node));
            return {};
        }
        Node node;
        node.name = prim.name;
        node.path = prim.path;
        node.parent = prim.parent <= 0 ? -1 : nodeOf_[static_cast<std::size_t>(prim.parent)];
        node.schema = prim.typeName;
        node.kind = NodeKind::Transform;
        node.transform = transformOf(*stage_, prim, clock_);
        const std::string purpose = purposeOf(*stage_, prim);
        const auto& asked = stage_->choices().purposes;
        const bool told = std::find(asked.begin(), asked.end(), purpose) != asked.end();
        if (!told)
            hidden_.insert(static_cast<int>(scene_.nodes.size()));
        addVisibility(prim, node);
        if (told && !isPlaceOnly(prim.typeName)) {
            auto status = addComponent(prim, node);
            if (!status)
                return fail(std::move(status.error()).inFile(request_.path.string()).forItem(prim.path));
        }
        if (told && isPlaceOnly(prim.typeName))
            addUserValues(prim, node, {});
        const int number = static_cast<int>(scene_.nodes.size());
        nodeOf_[i] = number;
        place_.push_back(prim.typeName.empty() || prim.typeName == "Scope");
        primOf_.push_back(static_cast<int>(i));
        scene_.nodes.push_back(std::move(node));
        if (prim.shares >= 0 && nodeOf_[static_cast<std::size_t>(prim.shares)] < 0)
            note("an instance of what is shown nowhere", prim.path);
        else if (prim.shares >= 0)
            addShared(prim, number);
        return {};
    }

    // What a shared instance shows is that of the first that shows it, once more.
    void addShared(const Prim& prim, int parent) {
        const int whole = standsFor_[static_cast<std::size_t>(prim.shares)];
        for (const int child : stage_->prims()[static_cast<std::size_t>(whole < 0 ? prim.shares : whole)].children) {
            const int shown = nodeOf_[static_cast<std::size_t>(child)];
            if (shown < 0)
                continue;
            Node node;
            const Node& source = scene_.nodes[static_cast<std::size_t>(shown)];
            node.name = source.name;
            node.path = childPath(prim.path, source.name);
            node.parent = parent;
            node.kind = NodeKind::Instances;
            node.instanceOf = source.id;
            node.instanceLabel = source.path;
            shows_.emplace(static_cast<int>(scene_.nodes.size()), shown);
            place_.push_back(false);
            primOf_.push_back(child);
            scene_.nodes.push_back(std::move(node));
        }
    }

    void addVisibility(const Prim& prim, Node& node) {
        const Attribute attribute = stage_->attribute(prim, "visibility");
        if (!attribute.hasValue())
            return;
        VisibilityTrack track;
        const std::vector<double> codes = codesOf(attribute);
        track.sampling = codes.size() < 2 ? Sampling::still() : clock_.sampling(codes);
        bool says = false;
        for (std::size_t k = 0; k < std::max<std::size_t>(1, codes.size()); ++k) {
            const bool hidden = textAtCode(attribute, codes.empty() ? 0.0 : codes[k]) == "invisible";
            says = says || hidden;
            track.values.push_back(hidden ? Visibility::Hidden : Visibility::AsParent);
        }
        if (says)
            node.visibility = std::move(track);
    }

    Status addComponent(const Prim& prim, Node& node) {
        const std::string& type = prim.typeName;
        if (type == "Mesh")
            return addMesh(prim, node);
        if (isImplicitShape(type)) {
            node.kind = NodeKind::Mesh;
            node.geometry = implicitShape(*stage_, prim, clock_);
            node.material = materialAt(boundMaterial(*stage_, prim).material);
            addUserValues(prim, node, {});
            note(fmt::format("that it is a {} by its numbers: it is read as a mesh", lowerCase(type)), prim.path);
            return {};
        }
        if (type == "Points")
            return addPoints(prim, node);
        if (type == "BasisCurves" || type == "NurbsCurves" || type == "HermiteCurves")
            return addCurves(prim, node);
        if (type == "PointInstancer") {
            instancers_.emplace_back(static_cast<int>(scene_.nodes.size()), &prim);
            node.kind = NodeKind::Instancer;
            std::vector<PropertyNode> list;
            addPrimvars(prim, node.kind, nullptr, list);
            addUserValues(prim, node, std::move(list));
            return {};
        }
        if (type == "Camera") {
            addCamera(prim, node);
            return {};
        }
        if (isLight(type)) {
            addLight(prim, node);
            return {};
        }
        if (type == "Skeleton") {
            WYC_CHECK(addSkeleton(node, *stage_, prim, clock_));
            return {};
        }
        note(fmt::format("a prim of type '{}'", validUtf8(type)), prim.path);
        node.kind = NodeKind::Transform;
        addUserValues(prim, node, {});
        return {};
    }

    Status addMesh(const Prim& prim, Node& node) {
        // Where nothing is said, a mesh is a subdivision surface.
        const std::string scheme = textAtCode(stage_->attribute(prim, "subdivisionScheme"), 0.0, "catmullClark");
        node.kind = scheme == "none" ? NodeKind::Mesh : NodeKind::Subdivision;
        ShapeParts parts;
        parts.item = prim.path;
        parts.points = stage_->attribute(prim, "points");
        parts.counts = stage_->attribute(prim, "faceVertexCounts");
        parts.corners = stage_->attribute(prim, "faceVertexIndices");
        parts.turned = textAtCode(stage_->attribute(prim, "orientation"), 0.0) == "leftHanded";
        for (const int child : prim.children) {
            const Prim& subset = stage_->prims()[static_cast<std::size_t>(child)];
            if (subset.typeName != "GeomSubset" || !subset.active || !subset.defined)
                continue;
            const std::string element = textAtCode(stage_->attribute(subset, "elementType"), 0.0, "face");
            if (element != "face") {
                note(fmt::format("a set of {}s", element), subset.path);
                continue;
            }
            SubsetOfFaces faces{subset.name, FaceSet::Kind::Group, {}, stage_->attribute(subset, "indices")};
            const Bound bound = boundMaterial(*stage_, subset);
            if (!bound.material.empty() && bound.by.starts_with(subset.path)) {
                // The set, and what it is made of, by the material's name.
                const NodeId id = materialAt(bound.material);
                if (const Material* material = materialOf(scene_, id, {}))
                    parts.subsets.push_back({material->name, FaceSet::Kind::Material, id, faces.indices});
            }
            parts.subsets.push_back(std::move(faces));
        }
        if (!parts.points.hasValue()) {
            note("a mesh without points", prim.path);
            node.kind = NodeKind::Transform;
            return {};
        }
        const bool isTurned = parts.turned;
        node.geometry = shapeOf(std::move(parts), clock_);
        node.material = materialAt(boundMaterial(*stage_, prim).material);
        std::vector<PropertyNode> list;
        addPrimvars(prim, node.kind, isTurned ? node.geometry : nullptr, list);
        addVelocities(prim, list);
        if (node.kind == NodeKind::Subdivision)
            addSurfaceSettings(prim, scheme, list);
        addUserValues(prim, node, std::move(list));
        if (!skeletonOf(*stage_, prim).empty())
            skinned_.emplace_back(static_cast<int>(scene_.nodes.size()), &prim);
        return {};
    }

    void addSurfaceSettings(const Prim& prim, const std::string& scheme, std::vector<PropertyNode>& list) {
        const auto add = [&](const char* name, const char* ours, ValueType type) {
            if (auto values = valuesOf(stage_->attribute(prim, name), clock_, {.type = type}))
                list.push_back(plainProperty(Meaning::SurfaceSetting, ours, std::move(values)));
        };
        add("creaseIndices", "creaseIndices", ValueType::Int32);
        add("creaseLengths", "creaseLengths", ValueType::Int32);
        add("creaseSharpnesses", "creaseSharpnesses", ValueType::Float);
        add("cornerIndices", "cornerIndices", ValueType::Int32);
        add("cornerSharpnesses", "cornerSharpnesses", ValueType::Float);
        add("holeIndices", "holes", ValueType::Int32);
        const auto text = [&](const char* name, const std::string& word) {
            PropertyValue value;
            const auto raw = std::as_bytes(std::span(word.c_str(), word.size() + 1));
            value.bytes.assign(raw.begin(), raw.end());
            list.push_back(plainProperty(Meaning::SurfaceSetting, name,
                                         std::make_shared<MemoryValues>(ValueType::String, 1, false, Sampling::still(),
                                                                        std::vector<PropertyValue>{std::move(value)})));
        };
        text("scheme", scheme == "catmullClark" ? "catmull-clark" : scheme);
        const std::string boundary = textAtCode(stage_->attribute(prim, "interpolateBoundary"), 0.0, "edgeAndCorner");
        const std::int32_t number = boundary == "none" ? 0 : boundary == "edgeOnly" ? 2 : 1;
        list.push_back(plainProperty(Meaning::SurfaceSetting, "interpolateBoundary",
                                     stillValues(ValueType::Int32, 1, false, std::vector<std::int32_t>{number})));
    }

    void addVelocities(const Prim& prim, std::vector<PropertyNode>& list) {
        if (auto values = valuesOf(stage_->attribute(prim, "velocities"), clock_, {.type = ValueType::Float})) {
            list.push_back(
                plainProperty(Meaning::Velocities, "velocities", std::move(values), SpaceRole::Vector, TimeRole::Rate));
            list.back().scope = Scope::Point;
        }
        if (stage_->attribute(prim, "accelerations").hasValue())
            note("accelerations", prim.path);
    }

    void addWidths(const Prim& prim, std::size_t, std::vector<PropertyNode>& list) {
        Attribute widths = stage_->attribute(prim, "primvars:widths");
        if (!widths.hasValue())
            widths = stage_->attribute(prim, "widths");
        if (!widths.hasValue())
            return;
        if (widths.interpolation == "uniform" || widths.interpolation == "varying") {
            note(fmt::format("widths that are one a {}", widths.interpolation == "uniform" ? "curve" : "span"),
                 prim.path);
            return;
        }
        if (auto values = valuesOf(widths, clock_, {.type = ValueType::Float}))
            list.push_back(plainProperty(Meaning::Widths, "widths", std::move(values), SpaceRole::Length));
    }

    Status addPoints(const Prim& prim, Node& node) {
        node.kind = NodeKind::Points;
        ShapeParts parts;
        parts.item = prim.path;
        parts.points = stage_->attribute(prim, "points");
        parts.ids = stage_->attribute(prim, "ids");
        node.geometry = shapeOf(std::move(parts), clock_);
        node.material = materialAt(boundMaterial(*stage_, prim).material);
        std::vector<PropertyNode> list;
        if (auto ids = valuesOf(stage_->attribute(prim, "ids"), clock_, {.type = ValueType::UInt64}))
            list.push_back(plainProperty(Meaning::PointIds, "ids", std::move(ids)));
        addWidths(prim, 0, list);
        addVelocities(prim, list);
        addPrimvars(prim, node.kind, nullptr, list);
        addUserValues(prim, node, std::move(list));
        return {};
    }

    Status addCurves(const Prim& prim, Node& node) {
        node.kind = NodeKind::Curves;
        ShapeParts parts;
        parts.item = prim.path;
        parts.points = stage_->attribute(prim, "points");
        node.geometry = shapeOf(std::move(parts), clock_);
        node.material = materialAt(boundMaterial(*stage_, prim).material);
        std::vector<PropertyNode> list;
        auto sizes = valuesOf(stage_->attribute(prim, "curveVertexCounts"), clock_, {.type = ValueType::Int32});
        if (!sizes) {
            note("curves without the number of their points", prim.path);
            node.kind = NodeKind::Transform;
            node.geometry = nullptr;
            return {};
        }
        list.push_back(plainProperty(Meaning::CurveSizes, "sizes", std::move(sizes)));
        using Type = CurveLayout::Type;
        using Basis = CurveLayout::Basis;
        Type type = Type::Linear;
        Basis basis = Basis::None;
        const std::string wrap = textAtCode(stage_->attribute(prim, "wrap"), 0.0, "nonperiodic");
        if (prim.typeName == "BasisCurves") {
            if (textAtCode(stage_->attribute(prim, "type"), 0.0, "cubic") == "cubic") {
                type = Type::Cubic;
                const std::string stated = textAtCode(stage_->attribute(prim, "basis"), 0.0, "bezier");
                basis = stated == "bspline"      ? Basis::BSpline
                        : stated == "catmullRom" ? Basis::CatmullRom
                                                 : Basis::Bezier;
            }
            if (wrap == "pinned")
                note("that the ends of curves are pinned", prim.path);
        } else if (prim.typeName == "NurbsCurves") {
            type = Type::Variable;
            if (auto orders = valuesOf(stage_->attribute(prim, "order"), clock_, {.type = ValueType::UInt8}))
                list.push_back(plainProperty(Meaning::CurveOrders, "orders", std::move(orders)));
            if (auto knots = valuesOf(stage_->attribute(prim, "knots"), clock_, {.type = ValueType::Float}))
                list.push_back(plainProperty(Meaning::CurveKnots, "knots", std::move(knots)));
            if (auto weights = valuesOf(stage_->attribute(prim, "pointWeights"), clock_, {.type = ValueType::Float}))
                list.push_back(plainProperty(Meaning::CurveWeights, "weights", std::move(weights)));
        } else {
            note("tangents of Hermite curves: they are drawn through their points", prim.path);
        }
        const std::vector<std::uint8_t> kind{static_cast<std::uint8_t>(type),
                                             static_cast<std::uint8_t>(wrap == "periodic" ? 1 : 0),
                                             static_cast<std::uint8_t>(basis), static_cast<std::uint8_t>(basis)};
        list.push_back(plainProperty(Meaning::CurveKind, "kind", stillValues(ValueType::UInt8, 4, false, kind)));
        addWidths(prim, 0, list);
        addVelocities(prim, list);
        addPrimvars(prim, node.kind, nullptr, list);
        addUserValues(prim, node, std::move(list));
        return {};
    }

    // `turned`: the mesh whose corners are turned; null where none are.
    void addPrimvars(const Prim& prim, NodeKind kind, const GeometryPtr& turned, std::vector<PropertyNode>& list) {
        std::set<std::string> seen;
        const auto addOne = [&](const Prim& owner, const std::string& attributeName, const std::string& label) {
            const Attribute attribute = stage_->attribute(owner, attributeName);
            if (!attribute.hasValue() || !seen.insert(label).second)
                return;
            addPrimvar(owner, attribute, attributeName, label, kind, turned, list);
        };
        std::vector<std::string> names = stage_->propertyNames(prim);
        if (stage_->statedOrder(prim).empty())
            putUsualUvsFirst(names);
        for (const std::string& name : names)
            if (name.starts_with("primvars:") && !name.ends_with(":indices") && !stage_->isRelationship(prim, name) &&
                !name.starts_with("primvars:skel:") && name != "primvars:widths")
                addOne(prim, name, name.substr(9));
        if (traitsOf(kind).points && kind != NodeKind::Instancer && !seen.contains("normals"))
            addOne(prim, "normals", "normals");
        // Constant ones come down from what is above, as far as the next one of their name.
        for (int up = prim.parent; up > 0; up = stage_->prims()[static_cast<std::size_t>(up)].parent) {
            const Prim& above = stage_->prims()[static_cast<std::size_t>(up)];
            for (const std::string& name : stage_->propertyNames(above))
                if (name.starts_with("primvars:") && !name.ends_with(":indices") &&
                    !name.starts_with("primvars:skel:")) {
                    const Attribute attribute = stage_->attribute(above, name);
                    if (attribute.interpolation.empty() || attribute.interpolation == "constant")
                        addOne(above, name, name.substr(9));
                    else if (attribute.hasValue())
                        seen.insert(name.substr(9));
                }
        }
    }

    void addPrimvar(const Prim& owner, const Attribute& attribute, const std::string& name, const std::string& label,
                    NodeKind kind, const GeometryPtr& turned, std::vector<PropertyNode>& list) {
        const bool ofNormals = name == "normals" || label == "normals";
        const std::string interpolation =
            attribute.interpolation.empty() ? (name == "normals" ? "vertex" : "constant") : attribute.interpolation;
        Scope scope = interpolation == "constant"      ? Scope::Constant
                      : interpolation == "uniform"     ? Scope::Face
                      : interpolation == "faceVarying" ? Scope::Corner
                                                       : Scope::Point;
        if ((kind == NodeKind::Curves && interpolation == "varying") ||
            (kind == NodeKind::Instancer && interpolation == "uniform")) {
            note(fmt::format("values '{}' that are one a {}", validUtf8(label),
                             kind == NodeKind::Curves ? "span" : "face"),
                 owner.path);
            return;
        }
        const Type& type = attribute.type;
        const bool numbers =
            !type.isText() && (type.base == Base::Half || type.base == Base::Float || type.base == Base::Double);
        Meaning meaning = Meaning::Parameter;
        std::uint32_t extent = 0;
        if (ofNormals && numbers && type.count == 3)
            meaning = Meaning::Normals;
        else if (numbers && type.count == 2 &&
                 (attribute.typeName.starts_with("texCoord2") || label == "st" || label == "uv") &&
                 scope != Scope::Constant)
            meaning = Meaning::Uvs;
        else if (numbers && ((label == "displayColor" && type.count == 3) ||
                             (type.array &&
                              (attribute.typeName.starts_with("color3") || attribute.typeName.starts_with("color4")))))
            meaning = Meaning::Colours;
        std::optional<ValueType> as;
        if (isLayer(meaning))
            as = ValueType::Float;
        auto values = valuesOf(attribute, clock_, {.type = as, .extent = extent});
        if (!values) {
            note(fmt::format("values '{}' of type {}", validUtf8(label), attribute.typeName), owner.path);
            return;
        }
        SpaceRole role = SpaceRole::None;
        if (meaning == Meaning::Normals || attribute.typeName.starts_with("normal3"))
            role = SpaceRole::Normal;
        else if (attribute.typeName.starts_with("vector3"))
            role = SpaceRole::Vector;
        else if (attribute.typeName.starts_with("point3"))
            role = SpaceRole::Position;
        const Attribute indices = stage_->attribute(owner, name + ":indices");
        PropertyNode property = plainProperty(meaning, label, nullptr);
        property.scope = scope;
        property.metadata[kTypeRemark] = attribute.typeName;
        auto which = indices.hasValue() ? valuesOf(indices, clock_, {.type = ValueType::UInt32}) : nullptr;
        if (which && turned && scope == Scope::Corner)
            which = turnedCorners(which, turned);
        if (!which && turned && scope == Scope::Corner)
            values = turnedCorners(values, turned);
        if (which) {
            property.children = {{"values", {}, pairedValues(values, which), {}, role}, {"numbers", {}, which, {}}};
        } else {
            property.values = std::move(values);
            property.role = role;
        }
        list.push_back(std::move(property));
    }

    void addUserValues(const Prim& prim, Node& node, std::vector<PropertyNode> list) {
        const bool shader = isLight(prim.typeName);
        for (const std::string& name : stage_->propertyNames(prim)) {
            if (stage_->isRelationship(prim, name)) {
                if (!isOfSchema(name) && !name.starts_with("light:") && !name.starts_with("proxyPrim"))
                    note(fmt::format("relationship '{}'", validUtf8(name)), prim.path);
                continue;
            }
            if ((isOfSchema(name) && name != "purpose") || (shader && isLightFigure(name)))
                continue;
            const Attribute attribute = stage_->attribute(prim, name);
            if (!attribute.hasValue())
                continue;
            if (auto values = namingFiles(valuesOf(attribute, clock_), *stage_, prim, attribute)) {
                list.push_back(plainProperty(Meaning::UserValue, name, std::move(values)));
                auto& remarks = list.back().metadata;
                remarks[kTypeRemark] = attribute.typeName;
                if (attribute.custom)
                    remarks[kCustomRemark] = "1";
                if (attribute.uniform)
                    remarks[kUniformRemark] = "1";
            } else
                note(fmt::format("value '{}' of type {}", validUtf8(name), validUtf8(attribute.typeName)), prim.path);
        }
        if (!list.empty())
            node.properties = plainProperties(std::move(list));
    }

    void addCamera(const Prim& prim, Node& node) {
        node.kind = NodeKind::Camera;
        std::vector<PropertyNode> list;
        // A tenth of a scene unit; of one that is not stated, a hundredth of a metre.
        const double tenth = 0.1 * scene_.unitMetres.value_or(0.01);
        const auto add = [&](Meaning meaning, const char* name, double factor, double standard, int first = 0) {
            const auto otherwise = static_cast<double>(static_cast<float>(standard)); // as the schema has it
            Attribute attribute = stage_->attribute(prim, name);
            const CameraChannel& channel = cameraChannel(meaning);
            ValuesPtr values = valuesOf(attribute, clock_, {ValueType::Double, 1, factor, first, {otherwise * factor}});
            if (!values)
                values = stillValues(ValueType::Double, 1, false, std::vector<double>{otherwise * factor});
            list.push_back(
                plainProperty(meaning, meaningName(meaning), std::move(values), channel.space, channel.time));
        };
        add(Meaning::FocalLength, "focalLength", tenth, 50.0);
        add(Meaning::GateWidth, "horizontalAperture", tenth, 20.955);
        add(Meaning::GateHeight, "verticalAperture", tenth, 15.2908);
        add(Meaning::GateX, "horizontalApertureOffset", tenth, 0.0);
        add(Meaning::GateY, "verticalApertureOffset", tenth, 0.0);
        add(Meaning::FStop, "fStop", 1.0, 0.0);
        add(Meaning::FocusDistance, "focusDistance", 1.0, 0.0);
        add(Meaning::ShutterOpen, "shutter:open", 1.0 / clock_.codesPerSecond, 0.0);
        add(Meaning::ShutterClose, "shutter:close", 1.0 / clock_.codesPerSecond, 0.0);
        add(Meaning::NearClip, "clippingRange", 1.0, 1.0, 0);
        add(Meaning::FarClip, "clippingRange", 1.0, 1'000'000.0, 1);
        // There are none: the gate is what is seen.
        list.push_back(plainProperty(Meaning::Squeeze, meaningName(Meaning::Squeeze),
                                     stillValues(ValueType::Double, 1, false, std::vector<double>{1.0})));
        list.push_back(plainProperty(Meaning::Overscan, meaningName(Meaning::Overscan),
                                     stillValues(ValueType::Double, 4, false, std::vector<double>(4, 0.0))));
        if (textAtCode(stage_->attribute(prim, "projection"), 0.0) == "orthographic")
            note("that its view is orthographic", prim.path);
        addUserValues(prim, node, std::move(list));
    }

    void addLight(const Prim& prim, Node& node) {
        node.kind = NodeKind::Light;
        std::vector<PropertyNode> list;
        const std::string kind = textAtCode(stage_->attribute(prim, kLightKind), 0.0,
                                            lowerCase(prim.typeName.substr(0, prim.typeName.size() - 5)));
        if (!kind.empty()) {
            PropertyValue text;
            const auto raw = std::as_bytes(std::span(kind.c_str(), kind.size() + 1));
            text.bytes.assign(raw.begin(), raw.end());
            list.push_back(plainProperty(Meaning::LightKind, "kind",
                                         std::make_shared<MemoryValues>(ValueType::String, 1, false, Sampling::still(),
                                                                        std::vector<PropertyValue>{std::move(text)})));
        }
        const auto add = [&](Meaning meaning, const char* name, std::uint32_t extent, double factor, double otherwise) {
            if (auto values = valuesOf(stage_->attribute(prim, name), clock_,
                                       {ValueType::Float, extent, factor, 0, std::vector<double>(extent, otherwise)}))
                list.push_back(plainProperty(meaning, meaningName(meaning), std::move(values)));
        };
        add(Meaning::LightColour, "inputs:color", 3, 1.0, 1.0);
        add(Meaning::LightIntensity, "inputs:intensity", 1, 1.0, 1.0);
        add(Meaning::LightExposure, "inputs:exposure", 1, 1.0, 0.0);
        // Stated from the axis; ours is the whole angle.
        add(Meaning::LightConeDegrees, "inputs:shaping:cone:angle", 1, 2.0, 180.0);
        addUserValues(prim, node, std::move(list));
    }

    std::vector<TransformPtr> transformsAbove(int node) const {
        std::vector<TransformPtr> chain;
        for (int at = node; at >= 0; at = scene_.nodes[static_cast<std::size_t>(at)].parent)
            chain.push_back(scene_.nodes[static_cast<std::size_t>(at)].transform);
        return chain;
    }

    Status addSkinOf(int number, const Prim* prim) {
        const std::string path = skeletonOf(*stage_, *prim);
        const auto skeleton = scene_.find(path);
        if (!skeleton) {
            remark("skin.no_skeleton", prim->path,
                   fmt::format("Its skin follows the skeleton {}, which is not there", path),
                   "It is shown at rest; put the skeleton back", 2);
            return {};
        }
        SkinPlace place{&scene_.nodes[*skeleton], path, transformsAbove(number),
                        transformsAbove(static_cast<int>(*skeleton))};
        std::vector<std::string> remarks;
        auto made = addSkin(scene_.nodes[static_cast<std::size_t>(number)], *stage_, *prim, clock_, place, remarks);
        if (!made)
            return fail(std::move(made.error()).forItem(prim->path));
        for (std::string& text : remarks)
            note(std::move(text), prim->path);
        return {};
    }

    Status addPrototypes(int number, const Prim* prim) {
        std::vector<NodeId> prototypes;
        std::size_t nowhere = 0;
        for (const std::string& path : stage_->targets(*prim, "prototypes")) {
            const auto found = scene_.find(path);
            if (!found) {
                prototypes.push_back({});
                ++nowhere;
                continue;
            }
            bool below = false;
            for (int up = static_cast<int>(*found); up >= 0; up = scene_.nodes[static_cast<std::size_t>(up)].parent)
                below = below || up == number;
            if (below) {
                prototypes.push_back(scene_.nodes[*found].id);
                continue;
            }
            // What stands elsewhere is shown below once more.
            Node node;
            node.name = scene_.nodes[*found].name;
            node.path = childPath(scene_.nodes[static_cast<std::size_t>(number)].path, node.name);
            for (int i = 2; scene_.find(node.path); ++i)
                node.path = childPath(scene_.nodes[static_cast<std::size_t>(number)].path,
                                      fmt::format("{}_{}", scene_.nodes[*found].name, i));
            node.name = lastName(node.path);
            node.parent = number;
            node.kind = NodeKind::Instances;
            node.instanceOf = scene_.nodes[*found].id;
            node.instanceLabel = path;
            prototypes.push_back(node.id);
            place_.push_back(false);
            primOf_.push_back(primOf_[*found]);
            scene_.nodes.push_back(std::move(node));
        }
        if (nowhere > 0)
            remark("instancer.no_prototype", prim->path, fmt::format("{} of its prototypes are not there", nowhere),
                   "Put them back", 2, static_cast<double>(nowhere), "prototypes");
        auto tracks = std::make_shared<const InstancerTracks>(*stage_, *prim, clock_);
        const auto first = tracks->isPlain() ? Result<InstancesAtCode>(InstancesAtCode{})
                                             : tracks->at(tracks->codes().empty() ? 0.0 : tracks->codes().front());
        if (first && first->uneven)
            remark("instancer.uneven", prim->path,
                   "Its lists of places, turns, sizes and prototypes are of other lengths: the shortest counts",
                   "Have it written again", 2);
        return setInstancer(scene_.nodes[static_cast<std::size_t>(number)], std::move(tracks), std::move(prototypes));
    }

    // Scopes and untyped prims with nothing below, and what is of another purpose, are no things of their own; nor is
    // what would show them once more.
    void keepOwnFields() {
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            const Prim& prim = stage_->prims()[static_cast<std::size_t>(primOf_[i])];
            auto own = std::make_shared<Fields>();
            for (const std::string& name : stage_->metadataNames(prim))
                if (isOwnField(name))
                    own->push_back({name, stage_->metadata(prim, name)});
            Node& node = scene_.nodes[i];
            if (!own->empty())
                node.properties = std::make_shared<MemoryProperties>(
                    node.properties ? node.properties->all() : std::vector<PropertyNode>(),
                    std::map<std::string, std::string>(), std::string_view(),
                    Properties::FormatsOwn{kFormatId, std::move(own)});
        }
    }

    void dropEmptyPlaces() {
        const std::size_t count = scene_.nodes.size();
        std::vector<bool> keep(count, false);
        for (bool more = true; more;) {
            more = false;
            for (std::size_t i = count; i-- > 0;) {
                const auto shows = shows_.find(static_cast<int>(i));
                const bool own = shows != shows_.end() ? keep[static_cast<std::size_t>(shows->second)]
                                                       : !place_[i] && !hidden_.contains(static_cast<int>(i));
                if (!keep[i] && own) {
                    keep[i] = true;
                    // What it stands below is kept, and so is another that shows that.
                    for (int up = scene_.nodes[i].parent; up >= 0 && !keep[static_cast<std::size_t>(up)];
                         up = scene_.nodes[static_cast<std::size_t>(up)].parent)
                        keep[static_cast<std::size_t>(up)] = true;
                    more = more || !shows_.empty();
                }
            }
        }
        std::vector<int> numbers(scene_.nodes.size(), -1);
        std::vector<Node> nodes;
        std::vector<int> prims;
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            if (!keep[i])
                continue;
            numbers[i] = static_cast<int>(nodes.size());
            Node node = std::move(scene_.nodes[i]);
            node.parent = node.parent < 0 ? -1 : numbers[static_cast<std::size_t>(node.parent)];
            nodes.push_back(std::move(node));
            prims.push_back(primOf_[i]);
        }
        scene_.nodes = std::move(nodes);
        primOf_ = std::move(prims);
    }

    std::shared_ptr<ComposedScene> stage_;
    const OpenRequest& request_;
    Scene scene_;
    Clock clock_;
    std::vector<int> nodeOf_;                         // of a prim
    std::vector<int> primOf_;                         // of a node
    std::vector<bool> place_;                         // a scope, or untyped
    std::vector<int> standsFor_;                      // of an instance that shows another prim whole: that prim
    std::vector<std::pair<int, int>> wholeInstances_; // node, prim that it shows
    std::map<int, int> shows_;                        // nodes that show another once more
    std::set<int> hidden_;                            // of a purpose that is not asked for
    std::map<std::string, NodeId> materials_;
    std::vector<std::pair<int, const Prim*>> skinned_;
    std::vector<std::pair<int, const Prim*>> instancers_;
    std::map<std::string, std::vector<std::string>> noted_;
};

} // namespace

std::string purposeOf(const ComposedScene& scene, const Prim& prim) {
    for (int at = static_cast<int>(&prim - scene.prims().data()); at > 0;
         at = scene.prims()[static_cast<std::size_t>(at)].parent) {
        const Attribute own = scene.attribute(scene.prims()[static_cast<std::size_t>(at)], "purpose");
        if (own.hasValue())
            return textAtCode(own, 0.0, "default");
    }
    return "default";
}

Result<Scene> openUsd(const OpenRequest& request) {
    WYC_TRY(choices, choicesOf(request.options));
    if (!request.standsIn.empty()) {
        choices.standing = folderOf(request.path);
        choices.standsIn = request.standsIn;
    }
    WYC_TRY(stage, ComposedScene::open(request.path, choices));
    return sceneFrom(std::move(stage), request);
}

Result<Scene> sceneFrom(std::shared_ptr<ComposedScene> stage, const OpenRequest& request) {
    return SceneBuilder(std::move(stage), request).build();
}

} // namespace wyc::usd
