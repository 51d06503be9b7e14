// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/overs.h"

#include <algorithm>
#include <array>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/pictures.h"
#include "formats/usd/compose/stage.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/schema/values.h"
#include "formats/usd/usd.h"
#include "formats/usd/write/prepare.h"
#include "formats/usd/write/shapes_write.h"
#include "scene/layers.h"

namespace wyc::usd {
namespace {

// What is a shape's motion and not its look.
bool isOfMotion(Meaning meaning) {
    return meaning == Meaning::Normals || meaning == Meaning::Velocities;
}

// Its way into the world where that never changes.
std::optional<Mat4> stillWorld(const Scene& scene, std::size_t node) {
    Mat4 world;
    for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent) {
        const TransformPtr& own = scene.nodes[static_cast<std::size_t>(i)].transform;
        if (!own)
            continue;
        const auto numbers = own->constant() ? own->channels(0) : Result<std::vector<double>>(std::vector<double>());
        const auto inherits = own->inherits(0);
        if (!own->constant() || !numbers || !inherits)
            return std::nullopt;
        world = world * matrixOf(own->ops(), *numbers);
        if (!*inherits)
            break;
    }
    return world;
}

// Points seen from another place.
class Replaced final : public MomentWrapper {
  public:
    Replaced(GeometryPtr inner, const Mat4& matrix) : MomentWrapper(std::move(inner)), matrix_(matrix) {}
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readRange(sample, first, into));
        return moved(into);
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readAt(t, first, into));
        return moved(into);
    }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }

  private:
    Status moved(std::span<Vec3f> points) const {
        for (Vec3f& p : points) {
            const Vec3d at = transformedPoint(Vec3d{p.x, p.y, p.z}, matrix_);
            p = {static_cast<float>(at.x), static_cast<float>(at.y), static_cast<float>(at.z)};
        }
        return {};
    }
    Mat4 matrix_;
};

class Overlaying {
  public:
    Overlaying(const Scene& scene, const fs::path& asset, const fs::path& target)
        : scene_(scene), asset_(asset), target_(target) {}

    Result<Scene> over() {
        // As it counts below another layer: time codes of one that states no rate are those of the standard.
        OpenRequest request;
        request.path = asset_;
        request.assumedRate = FrameRate();
        WYC_TRY(stage, ComposedScene::open(asset_, {}));
        WYC_TRY(meant, sceneFrom(stage, request));
        stage_ = std::move(stage);
        meant_ = std::move(meant);
        WYC_CHECK(standsApart());
        WYC_CHECK(sameMeasures());
        meant_.report = {};
        meant_.report.notCarried = scene_.report.notCarried;
        meant_.report.remarks = scene_.report.remarks;
        meant_.view = scene_.view;
        meant_.rate = scene_.rate;
        std::size_t shapes = 0;
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            const Node& node = scene_.nodes[i];
            if (!node.geometry) {
                if (!node.is().place && !node.is().part)
                    tell(node.path, fmt::format("the {} itself: points alone are written", node.is().name));
                continue;
            }
            ++shapes;
            if (auto status = overlay(i); !status)
                return fail(std::move(status.error()).forItem(node.path));
        }
        if (shapes == 0)
            return fail(makeError(ErrorKind::BadInput, "there is no item with points to lay over the asset"));
        return std::move(meant_);
    }

  private:
    void tell(const std::string& item, std::string what) {
        meant_.report.notCarried.push_back({item, std::move(what)});
    }

    // The layer to be is none of those that the asset takes in, whether that is there yet or not: each would take in
    // the other.
    Status standsApart() const {
        const auto plain = [](const fs::path& path) {
            std::error_code code;
            return fs::weakly_canonical(fs::absolute(path, code), code);
        };
        std::set<fs::path> taken;
        for (const auto& [name, layer] : stage_->assets().layers())
            taken.insert(plain(name));
        for (const ReadLayer& layer : meant_.report.layers)
            taken.insert(plain(layer.path));
        if (!taken.contains(plain(target_)))
            return {};
        return refuse("the asset itself takes in the layer that would be written", "Choose another name");
    }

    Status sameMeasures() {
        if (scene_.unitMetres && meant_.unitMetres && *scene_.unitMetres != *meant_.unitMetres)
            return refuse(fmt::format("the asset is in {}, the new points are in {}", unitName(*meant_.unitMetres),
                                      unitName(*scene_.unitMetres)),
                          "Convert them to the asset's unit");
        if (scene_.upAxis && meant_.upAxis && *scene_.upAxis != *meant_.upAxis)
            return refuse(fmt::format("the asset's up axis is {}, that of the new points {}",
                                      upAxisName(*meant_.upAxis), upAxisName(*scene_.upAxis)),
                          "Turn them to the asset's axis");
        if (!meant_.unitMetres)
            meant_.unitMetres = scene_.unitMetres;
        if (!meant_.upAxis)
            meant_.upAxis = scene_.upAxis;
        return {};
    }
    Status refuse(std::string what, const char* advice) const {
        return fail(makeError(ErrorKind::BadInput, std::move(what)).inFile(asset_.string()).withAdvice(advice));
    }

    bool fits(const Node& node, const Node& other) const {
        if (!other.geometry || other.geometry->sampling().count() == 0 || other.is().faces != node.is().faces)
            return false;
        const auto a = node.geometry->topology(0);
        const auto b = other.geometry->topology(0);
        const auto points = node.geometry->pointCount(0);
        const auto others = other.geometry->pointCount(0);
        return a && b && points && others && *points == *others && (*a)->hash() == (*b)->hash();
    }

    Result<std::size_t> partnerOf(const Node& node) const {
        std::vector<std::size_t> named;
        std::vector<std::size_t> fitting;
        for (std::size_t i = 0; i < meant_.nodes.size(); ++i) {
            const Node& other = meant_.nodes[i];
            if (!other.geometry || (other.path != node.path && other.name != node.name))
                continue;
            if (other.path == node.path)
                named.insert(named.begin(), i);
            else
                named.push_back(i);
        }
        // Of another name: the only one that it fits.
        for (std::size_t i = 0; named.empty() && i < meant_.nodes.size(); ++i)
            if (fits(node, meant_.nodes[i]))
                fitting.push_back(i);
        if (fitting.size() == 1)
            named = fitting;
        const bool sure = named.size() == 1 || (!named.empty() && meant_.nodes[named.front()].path == node.path);
        if (!sure) {
            WYC_CHECK(refuse(named.empty() ? fmt::format("the asset has no shape '{}'", node.name)
                                           : fmt::format("the asset has {} shapes '{}'", named.size(), node.name),
                             "Give the item the name of the asset's shape, by a step"));
        }
        const Node& other = meant_.nodes[named.front()];
        if (!fits(node, other))
            WYC_CHECK(refuse(fmt::format("'{}' in the asset has other points or faces", other.path),
                             "Compare both, and bring the points into the asset's order first"));
        if (node.geometry->topologyVaries() || other.geometry->topologyVaries())
            WYC_CHECK(refuse("its faces change in time", "Deliver it whole"));
        const Prim* prim = stage_->prim(other.path);
        bool alone = prim != nullptr;
        for (int at = other.parent; at >= 0; at = meant_.nodes[static_cast<std::size_t>(at)].parent)
            alone = alone && meant_.nodes[static_cast<std::size_t>(at)].kind != NodeKind::Instances;
        if (!alone)
            WYC_CHECK(refuse(fmt::format("'{}' is shown by an instance, over which no layer speaks", other.path),
                             "Lay the points over the prim that it shows"));
        if (other.deformation)
            WYC_CHECK(refuse(
                fmt::format("'{}' follows a skin or morphs, which would bend the new points once more", other.path),
                "Take an asset without them"));
        return named.front();
    }

    Status overlay(std::size_t own) {
        const Node& node = scene_.nodes[own];
        if (node.kind == NodeKind::Instancer)
            return refuse("it is an instancer: points only are those of meshes, curves and points",
                          "Deliver it whole, or leave it out");
        WYC_TRY(which, partnerOf(node));
        Node& other = meant_.nodes[which];
        if (other.name != node.name)
            tell(other.path,
                 fmt::format(
                     "its name: it is that of the asset instead of '{}': the only shape there with its points and "
                     "faces",
                     node.name));
        if (other.madeOf)
            return refuse(fmt::format("two items are the asset's '{}'", other.path), "Choose one of them");
        const auto from = stillWorld(scene_, own);
        const auto to = stillWorld(meant_, which);
        if (!from)
            return refuse("its transforms move", "Put its transforms into the points first");
        const auto back = to ? inverseOf(*to) : std::nullopt;
        if (!back)
            return refuse(fmt::format("the asset's transforms of '{}' move, or turn into nothing", other.path),
                          "Lay the points over an asset that stands still");
        const bool inPlace = from->m == to->m;
        other.geometry = node.geometry;
        if (!inPlace) {
            other.geometry = std::make_shared<Replaced>(node.geometry, *from * *back);
            tell(other.path, "how its points are stated: they are seen from the asset's own place");
        }
        other.madeOf = std::make_shared<const std::vector<MadeOf>>(std::vector{MadeOf{node.id}});
        // Corners of faces that the asset walks the other way round are not ours.
        const Prim* prim = stage_->prim(other.path);
        leftHanded_ = prim && textAtCode(stage_->attribute(*prim, "orientation"), 0.0) == "leftHanded";
        takeProperties(node, other, inPlace);
        return takeVisibility(own, which);
    }

    // It is seen when the new one is.
    Status takeVisibility(std::size_t own, std::size_t which) {
        const auto above = [](const Scene& scene, int i) {
            std::vector<VisibilityTrack> chain;
            for (; i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent)
                if (const auto& track = scene.nodes[static_cast<std::size_t>(i)].visibility)
                    chain.insert(chain.begin(), *track);
            return chain;
        };
        const auto hides = [](const std::vector<VisibilityTrack>& chain) {
            return std::any_of(chain.begin(), chain.end(), [](const VisibilityTrack& track) {
                return std::find(track.values.begin(), track.values.end(), Visibility::Hidden) != track.values.end();
            });
        };
        Node& other = meant_.nodes[which];
        if (hides(above(meant_, other.parent)))
            return refuse(fmt::format("the asset hides what stands above '{}'", other.path),
                          "Lay the points over an asset that is seen");
        const auto chain = above(scene_, static_cast<int>(own));
        if (hides(chain))
            other.visibility = seenTogether(chain);
        else
            other.visibility.reset();
        return {};
    }

    void takeProperties(const Node& node, Node& other, bool inPlace) {
        std::vector<PropertyNode> list;
        for (const PropertyNode& property : other.properties ? other.properties->all() : std::vector<PropertyNode>())
            if (!isOfMotion(property.meaning))
                list.push_back(property);
            else if (!inPlace || !has(node, property.meaning))
                tell(other.path, fmt::format("the {} of the asset: they do not go with other points",
                                             meaningName(property.meaning)));
        bool more = false;
        for (const PropertyNode& property : node.properties ? node.properties->all() : std::vector<PropertyNode>()) {
            const bool turned = leftHanded_ && property.scope == Scope::Corner;
            if (inPlace && isOfMotion(property.meaning) && !turned)
                list.push_back(property);
            else if (isOfMotion(property.meaning))
                tell(other.path, fmt::format("its {}: {}", meaningName(property.meaning),
                                             turned ? "the asset walks its faces the other way round"
                                                    : "its points are seen from the asset's own place"));
            else if (property.role != SpaceRole::Box)
                more = true;
        }
        if (more || (node.geometry->faceSets(0) && !(*node.geometry->faceSets(0))->empty()))
            tell(other.path, "what it says besides its motion: what the asset says stays");
        other.properties = relisted(other.properties, std::move(list));
    }
    static bool has(const Node& node, Meaning meaning) {
        const auto all = node.properties ? node.properties->all() : std::vector<PropertyNode>();
        return std::any_of(all.begin(), all.end(), [&](const PropertyNode& p) { return p.meaning == meaning; });
    }

    const Scene& scene_;
    fs::path asset_;
    fs::path target_;
    Scene meant_;
    bool leftHanded_ = false; // the shape of the asset that is laid over now
    std::shared_ptr<ComposedScene> stage_;
};

} // namespace

Result<Scene> overAsset(const Scene& scene, const fs::path& asset, const fs::path& target) {
    std::error_code code;
    if (!fs::is_regular_file(asset, code))
        return fail(makeError(ErrorKind::NotFound, "the asset to lay the points over is not there")
                        .inFile(asset.string())
                        .withAdvice("Name the layer that has its faces and materials"));
    if (fs::equivalent(asset, target, code) && !code)
        return fail(makeError(ErrorKind::BadInput, "the points would be written over the asset itself")
                        .inFile(target.string())
                        .withAdvice("Choose another name"));
    return Overlaying(scene, asset, target).over();
}

Result<LayerPtr> layerOfOvers(const Scene& meant, const fs::path& asset, const fs::path& target,
                              const SceneAsLayer& how) {
    WYC_TRY(stage, ComposedScene::open(asset, {}));
    auto layer = std::make_shared<Layer>();
    writeHead(*layer->root, meant, how);
    if (const Value* first = stage->rootLayer().field("defaultPrim"))
        setField(layer->root->fields, "defaultPrim", *first);
    setField(layer->root->fields, "subLayers",
             Value::ofTexts(Base::String, {wayFrom(folderOf(target), asset.string())}));
    constexpr Type kPairs{Base::Double, 2, false, true};
    setField(layer->root->fields, "subLayerOffsets", valueOfNumbers(kPairs, std::array{0.0, 1.0}));
    const WriteClock clock{how.rate};
    for (const Node& node : meant.nodes) {
        if (!node.madeOf)
            continue;
        PrimSpec* prim = layer->root.get();
        for (const std::string& name : namesOf(node.path)) {
            const auto there = std::find_if(prim->children.begin(), prim->children.end(),
                                            [&](const auto& child) { return child->name == name; });
            if (there != prim->children.end()) {
                prim = there->get();
                continue;
            }
            prim = &addPrim(*prim, name, {});
            setField(prim->fields, "specifier", Value::ofText(Base::Token, "over"));
        }
        writePoints(*prim, node, clock);
        writeVisibility(*prim, node, clock);
        std::set<std::string> said;
        for (const PropertyNode& property : node.properties ? node.properties->all() : std::vector<PropertyNode>())
            if (isOfMotion(property.meaning))
                said.insert(writeProperty(*prim, property, node, meant, clock));
        // What the asset says of other points goes.
        const Prim* there = stage->prim(node.path);
        if (there && !node.visibility && stage->attribute(*there, "visibility").hasValue())
            setText(attributeOf(*prim, "visibility", "token"), Base::Token, "inherited");
        for (const auto& [name, type] : {std::pair{"normals", "normal3f[]"},
                                         {"primvars:normals", "normal3f[]"},
                                         {"velocities", "vector3f[]"},
                                         {"accelerations", "vector3f[]"}})
            if (there && !said.contains(name) && stage->attribute(*there, name).hasValue())
                setField(attributeOf(*prim, name, type).fields, "default", Value(Block{}));
    }
    return LayerPtr(std::move(layer));
}

} // namespace wyc::usd
