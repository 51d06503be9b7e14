// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/prepare.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/schema/places.h"
#include "formats/usd/usd.h"
#include "formats/usd/write/deformers_write.h"
#include "formats/usd/write/names.h"
#include "formats/usd/write/sets_named.h"
#include "formats/usd/write/together.h"
#include "formats/usd/write/turns.h"
#include "scene/channels.h"
#include "scene/components/curves.h"
#include "scene/layers.h"

namespace wyc::usd {
namespace {

// Values as they are read back: of the attribute's type, numbers through its precision and factor.
class Stored final : public ValuesWrapper {
  public:
    Stored(ValuesPtr inner, Place place, std::optional<StoredKind> as)
        : ValuesWrapper(std::move(inner)), place_(std::move(place)), kind_(as.value_or(storedKind(place_.type))) {}
    [[nodiscard]] ValueType type() const override { return kind_.type; }
    [[nodiscard]] std::uint32_t extent() const override { return kind_.extent; }
    [[nodiscard]] bool isArray() const override { return kind_.array; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        return stored(std::move(value));
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        WYC_TRY(value, inner().readAt(seconds, how));
        return stored(std::move(value));
    }

  private:
    Result<PropertyValue> stored(PropertyValue value) const {
        PropertyValue result;
        if (kind_.type == ValueType::String) {
            for (const std::string& text : stringsOf(inner().type(), value.bytes)) {
                const auto raw = std::as_bytes(std::span(text.c_str(), text.size() + 1));
                result.bytes.insert(result.bytes.end(), raw.begin(), raw.end());
            }
            return result;
        }
        const bool sameBits =
            inner().type() == kind_.type && place_.factor == 1.0 && storedKind(place_.type).type == kind_.type;
        if (sameBits) {
            result.bytes = std::move(value.bytes);
            return result;
        }
        // Until it changes no more: what is written is read back as just that.
        std::vector<double> numbers = numbersOfBytes(value);
        for (int i = 0; i < 4; ++i) {
            std::vector<double> back = throughFile(numbers);
            if (back == numbers)
                break;
            numbers = std::move(back);
        }
        result.bytes = bytesFrom({baseOf(kind_.type)}, numbers);
        return result;
    }
    std::vector<double> throughFile(std::vector<double> numbers) const {
        for (double& number : numbers)
            number *= place_.factor;
        const std::vector<std::byte> inFile = bytesFrom(place_.type.type.single(), numbers);
        std::vector<double> back = usd::numbersOf(place_.type.type, inFile);
        if (place_.factor != 1.0)
            for (double& number : back)
                number *= inverse_;
        return usd::numbersOf({baseOf(kind_.type)}, bytesFrom({baseOf(kind_.type)}, back));
    }
    std::vector<double> numbersOfBytes(const PropertyValue& value) const {
        const MemoryValues one(inner().type(), inner().extent(), inner().isArray(), Sampling::still(), {value});
        return wyc::numbersOf(one, 0).value_or(std::vector<double>{});
    }

    Place place_;
    StoredKind kind_;
    double inverse_ = 1.0 / place_.factor;
};

class Preparing {
  public:
    explicit Preparing(Scene scene) : scene_(std::move(scene)), lensUnit_(usd::lensUnit(scene_)) {}

    Result<Scene> prepared() {
        foldFaceSets();
        giveNames();
        WYC_CHECK(nameSetsOfFaces(scene_));
        settleVisibility();
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            Node& node = scene_.nodes[i];
            WYC_CHECK(checkTransform(node));
            if (node.transform)
                node.transform = storedTransform(node.transform, scene_.view.rate);
            if (node.properties)
                WYC_CHECK(prepareProperties(node));
        }
        comeDown();
        for (Material& material : scene_.materials)
            if (!material.graph || material.graph->layout() != kFormatId)
                prepareLook(material.look);
        return preparedDeformers(std::move(scene_));
    }

  private:
    void tell(const Node& node, std::string what) { scene_.report.notCarried.push_back({node.path, std::move(what)}); }

    // Sets of faces that are nodes come with their mesh as well; here they are one thing.
    void foldFaceSets() {
        std::vector<int> numbers(scene_.nodes.size(), -1);
        std::vector<Node> kept;
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            Node& node = scene_.nodes[i];
            const Node* mesh = node.parent < 0
                                   ? nullptr
                                   : &kept[static_cast<std::size_t>(numbers[static_cast<std::size_t>(node.parent)])];
            if (node.kind == NodeKind::FaceSet && mesh && mesh->geometry) {
                const auto sets = mesh->geometry->faceSets(0);
                if (!sets || std::none_of((*sets)->begin(), (*sets)->end(),
                                          [&](const FaceSet& set) { return set.name == node.name; }))
                    tell(node, "the set of faces itself, which its mesh does not have");
                numbers[i] = numbers[static_cast<std::size_t>(node.parent)];
                continue;
            }
            if (node.parent >= 0)
                node.parent = numbers[static_cast<std::size_t>(node.parent)];
            numbers[i] = static_cast<int>(kept.size());
            kept.push_back(std::move(node));
        }
        scene_.nodes = std::move(kept);
    }

    void giveNames() {
        std::map<int, UniqueNames> beside; // by parent
        for (Node& node : scene_.nodes) {
            const std::string name = beside[node.parent].next(node.name);
            const std::string parent =
                node.parent < 0 ? std::string("/") : scene_.nodes[static_cast<std::size_t>(node.parent)].path;
            const std::string path = childPath(parent, name);
            if (name != node.name)
                tell(node, fmt::format("its name '{}': prims are named by letters, digits and '_', so it is '{}'",
                                       validUtf8(node.name), name));
            node.name = name;
            node.path = path;
        }
    }

    // A prim lets go of its parents always or never.
    static Status checkTransform(const Node& node) {
        if (!node.transform)
            return {};
        std::optional<bool> first;
        for (std::size_t i = 0; i < std::max<std::size_t>(1, node.transform->sampling().count()); ++i) {
            WYC_TRY(inherits, node.transform->inherits(i));
            if (first && *first != inherits)
                return fail(
                    makeError(ErrorKind::Unsupported,
                              "it lets go of its parents at one time and not at another, which no layer can say")
                        .forItem(node.path)
                        .withAdvice("Put it into world space by a step"));
            first = inherits;
        }
        return {};
    }

    // What is hidden hides all below it, whatever that says. Where something says that it is seen all the same, things
    // say it one by one.
    void settleVisibility() {
        const auto says = [&](std::size_t i, Visibility what) {
            const auto& track = scene_.nodes[i].visibility;
            return track && std::find(track->values.begin(), track->values.end(), what) != track->values.end();
        };
        std::set<std::size_t> tops; // the highest that hide something which says that it is seen
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            if (!says(i, Visibility::Visible))
                continue;
            std::optional<std::size_t> top;
            // What stands below an instancer is seen through it alone.
            for (int up = scene_.nodes[i].parent;
                 up >= 0 && scene_.nodes[static_cast<std::size_t>(up)].kind != NodeKind::Instancer;
                 up = scene_.nodes[static_cast<std::size_t>(up)].parent)
                if (says(static_cast<std::size_t>(up), Visibility::Hidden))
                    top = static_cast<std::size_t>(up);
            if (top)
                tops.insert(*top);
        }
        std::vector<std::vector<VisibilityTrack>> above(scene_.nodes.size()); // from below a top down to the node
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            Node& node = scene_.nodes[i];
            if (node.parent >= 0 && scene_.nodes[static_cast<std::size_t>(node.parent)].kind != NodeKind::Instancer)
                above[i] = above[static_cast<std::size_t>(node.parent)];
            const bool parted = tops.contains(i) || !above[i].empty();
            if (parted) {
                above[i].push_back(node.visibility.value_or(VisibilityTrack{{}, {Visibility::AsParent}}));
                node.visibility.reset();
                if (!node.is().place)
                    node.visibility = seenTogether(above[i]);
            }
            settleOne(node);
        }
    }
    static void settleOne(Node& node) {
        if (!node.visibility)
            return;
        bool hides = false;
        for (Visibility& value : node.visibility->values) {
            value = value == Visibility::Visible ? Visibility::AsParent : value;
            hides = hides || value == Visibility::Hidden;
        }
        if (!hides)
            node.visibility.reset();
        else if (const auto exact = node.visibility->exact)
            node.visibility->exact = std::make_shared<const std::function<Visibility(double)>>([exact](double seconds) {
                return (*exact)(seconds) == Visibility::Hidden ? Visibility::Hidden : Visibility::AsParent;
            });
    }
    // All that is said, as a plain list, whatever layout it came in.
    Status prepareProperties(Node& node) {
        std::vector<PropertyNode> list;
        collect(node.properties->all(), {}, node, list);
        if (node.kind == NodeKind::Camera)
            prepareLens(node, list);
        WYC_CHECK(dropGaps(node, list));
        // Names that values have already are theirs: attributes that become values come behind.
        Names names;
        const std::vector<std::string> before = namesOf(list);
        for (const bool late : {false, true})
            for (PropertyNode& property : list)
                if ((isAttribute(property.meaning) && !node.is().points) == late)
                    prepareOne(property, node, names);
        const std::vector<std::string> after = namesOf(list);
        for (std::size_t i = 0; i < list.size(); ++i)
            if (after[i] != before[i] && hasValues(list[i]))
                tell(node, renamedWords(validUtf8(before[i]), after[i]));
        std::erase_if(list, [](const PropertyNode& p) { return !hasValues(p); });
        node.properties = std::make_shared<MemoryProperties>(std::move(list), std::map<std::string, std::string>(),
                                                             std::string_view(), node.properties->formatsOwn());
        return {};
    }

    static bool hasValues(const PropertyNode& property) { return property.values || !property.children.empty(); }

    // As the proof calls them.
    static std::vector<std::string> namesOf(const std::vector<PropertyNode>& list) {
        std::map<std::string, std::string> layers;
        for (const wyc::Layer& layer : layersOf(plainProperties(list)))
            layers.emplace(toldAs(layerProperty(layer), {}), layer.name);
        std::vector<std::string> names;
        for (const PropertyNode& property : list) {
            names.push_back(toldAs(property, {}));
            if (const auto layer = layers.find(names.back()); layer != layers.end())
                names.back() = layer->second;
        }
        return names;
    }

    // Numbers of values must be numbers of values: nothing is made up where elements have none.
    Status dropGaps(const Node& node, std::vector<PropertyNode>& list) {
        std::set<std::string> gone;
        const auto layers = node.geometry ? layersOf(plainProperties(list)) : std::vector<wyc::Layer>();
        WYC_TRY(gaps, layers.empty() ? std::vector<LayerGaps>() : layerGaps(layers, *node.geometry));
        for (std::size_t i = 0; i < layers.size(); ++i)
            if (gaps[i].any()) {
                tell(node, fmt::format("its {}: {}", validUtf8(layers[i].name), gaps[i].words()));
                gone.insert(toldAs(layerProperty(layers[i]), {}));
            }
        std::set<Meaning> first; // that stay
        for (const wyc::Layer& layer : layers)
            if (!gone.contains(toldAs(layerProperty(layer), {})) && first.insert(layer.meaning).second && layer.further)
                tell(node, renamedWords(validUtf8(layer.name), meaningName(layer.meaning)));
        for (const PropertyNode& property : list) {
            const PropertyNode* numbers =
                isAttribute(property.meaning) && !property.values ? numberingOf(property) : nullptr;
            if (!numbers || gone.contains(toldAs(property, {})))
                continue;
            WYC_TRY(any, haveGaps(*numbers->values));
            if (any) {
                tell(node, fmt::format("its {}: elements have none", validUtf8(toldAs(property, {}))));
                gone.insert(toldAs(property, {}));
            }
        }
        std::erase_if(list, [&](const PropertyNode& property) {
            return isAttribute(property.meaning) && gone.contains(toldAs(property, {}));
        });
        return {};
    }
    static Result<bool> haveGaps(const SampledValues& numbers) {
        for (std::size_t i = 0, count = numbers.constant() ? 1 : numbers.sampling().count(); i < count; ++i) {
            WYC_TRY(own, valuesOf<std::int32_t>(numbers, i));
            if (std::any_of(own.begin(), own.end(), [](std::int32_t number) { return number < 0; }))
                return true;
        }
        return false;
    }

    static bool isKnown(const PropertyNode& property) {
        return property.meaning != Meaning::Itself && property.meaning != Meaning::Unknown;
    }

    void collect(const std::vector<PropertyNode>& from, const std::string& group, const Node& node,
                 std::vector<PropertyNode>& to) {
        for (const PropertyNode& property : from) {
            const bool attribute = isAttribute(property.meaning) && (property.values || numberingOf(property));
            const bool deformer = traitsOf(property.meaning).of == Owner::Deformers;
            if (attribute || deformer || (property.values && isKnown(property))) {
                to.push_back(property);
                if (property.meaning == Meaning::UserValue && !group.empty())
                    to.back().name = group + ":" + property.name;
            } else if (!property.values) {
                // Groups of values that somebody attached keep their names.
                const bool own = property.meaning == Meaning::Unknown && !property.name.starts_with('.');
                collect(property.children, own ? (group.empty() ? property.name : group + ":" + property.name) : group,
                        node, to);
            } else if (property.meaning == Meaning::Unknown) {
                to.push_back(property); // nobody reads it; it is told as lost
            }
        }
    }

    struct Names {
        UniqueNames attributes = {};
        UniqueNames values = {};
        bool uvs = false; // there is a set of them already
    };

    void prepareOne(PropertyNode& property, const Node& node, Names& names) {
        if (property.meaning == Meaning::SurfaceSetting && property.name.starts_with('.'))
            property.name.erase(0, 1);
        if (property.meaning == Meaning::CurveKind)
            prepareCurveKind(property, node);
        const bool numbered = !property.values && numberingOf(property) != nullptr;
        PropertyNode& holder = numbered ? property.children.front() : property;
        // Attributes of what has no shape would be those of all shapes below.
        if (isAttribute(property.meaning) && !node.is().points) {
            if (numbered)
                tell(node, fmt::format("its {}, which has its values by number", validUtf8(toldAs(property, {}))));
            property.meaning = Meaning::UserValue;
            if (numbered) {
                property.children.clear();
                return;
            }
        }
        if (isAttribute(property.meaning))
            nameAttribute(property, holder, names);
        else if (property.meaning == Meaning::UserValue)
            nameUserValue(property, names);
        const auto place = placeOf(property, node, lensUnit_, scene_.view.rate);
        if (!place)
            return;
        holder.values = std::make_shared<Stored>(holder.values, *place, readAs(property, *holder.values));
        if (numbered) {
            ValuesPtr& numbers = property.children.back().values;
            const Place whole{"", {"int[]", {Base::Int, 1, false, true}, 1}};
            numbers = std::make_shared<Stored>(numbers, whole, StoredKind{ValueType::UInt32, 1, true});
        }
    }

    // What the reader makes of it, where that is not the attribute's own type.
    static std::optional<StoredKind> readAs(const PropertyNode& property, const SampledValues& values) {
        const auto as = [&](ValueType type) { return StoredKind{type, values.extent(), values.isArray()}; };
        switch (property.meaning) {
        case Meaning::CurveOrders: return as(ValueType::UInt8);
        case Meaning::CurveKnots:
        case Meaning::CurveWeights:
        case Meaning::Widths:
        case Meaning::Velocities: return as(ValueType::Float);
        default: break;
        }
        if (traitsOf(property.meaning).of == Owner::Camera)
            return as(ValueType::Double);
        if (traitsOf(property.meaning).of == Owner::Light)
            return as(ValueType::Float);
        return std::nullopt;
    }

    static void nameAttribute(PropertyNode& property, const PropertyNode& holder, Names& names) {
        const SampledValues& values = *holder.values;
        const bool real =
            values.type() == ValueType::Float || values.type() == ValueType::Double || values.type() == ValueType::Half;
        if (property.meaning == Meaning::Uvs && property.scope == Scope::Constant)
            property.meaning = Meaning::Parameter;
        // The first set is called as everybody calls it.
        if (property.meaning == Meaning::Uvs) {
            if (!names.uvs && (property.name.empty() || property.name == "uv" || property.name == "UVs"))
                property.name = "st";
            names.uvs = true;
        }
        if (property.meaning == Meaning::Normals && (property.name.empty() || property.name == "N"))
            property.name = "normals";
        if (property.meaning == Meaning::Colours && property.name.empty())
            property.name = "displayColor";
        if (property.name.empty())
            property.name = "values";
        // Names that would be read as something else.
        const bool numbers3 = real && values.extent() == 3;
        const bool isColours = property.meaning == Meaning::Colours;
        const bool directed = property.meaning == Meaning::Normals ||
                              (property.meaning == Meaning::Parameter &&
                               (property.values ? property : property.children.front()).role != SpaceRole::None);
        if (property.name == "widths" || property.name.starts_with("skel:") ||
            (numbers3 && property.name == "displayColor" && directed) ||
            (numbers3 && property.name == "normals" && isColours))
            property.name = "attribute_" + property.name;
        if (property.name.ends_with(":indices"))
            property.name += "_";
        property.name = names.attributes.nextProperty(property.name);
        // What is named and made like one of them is one.
        if (property.meaning == Meaning::Parameter && real) {
            const std::uint32_t extent = values.extent();
            if (extent == 2 && (property.name == "st" || property.name == "uv") && property.scope != Scope::Constant)
                property.meaning = Meaning::Uvs;
            else if (extent == 3 && property.name == "normals")
                property.meaning = Meaning::Normals;
            else if (extent == 3 && property.name == "displayColor")
                property.meaning = Meaning::Colours;
        }
        // A set of normals that is not called so is an attribute with the role of normals.
        if (property.meaning == Meaning::Normals && property.name != "normals") {
            property.meaning = Meaning::Parameter;
            property.role = SpaceRole::Normal;
        }
    }

    static void nameUserValue(PropertyNode& property, Names& names) {
        std::string name = propertyName(property.name.empty() ? "value" : property.name);
        const bool fromFile = property.metadata.contains(kTypeRemark);
        if (!fromFile &&
            (isOfSchema(name) || isLightFigure(name) || name.starts_with("inputs:") || name.starts_with("outputs:")))
            name = "userProperties:" + name;
        property.name = names.values.nextProperty(name);
    }

    // What a shape has one of counts for all shapes below that have no values of that name.
    void comeDown() {
        std::vector<std::vector<PropertyNode>> from(scene_.nodes.size()); // what comes down from it
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            Node& node = scene_.nodes[i];
            if (node.parent >= 0)
                from[i] = from[static_cast<std::size_t>(node.parent)];
            if (!node.is().points)
                continue;
            std::vector<PropertyNode> own = node.properties ? node.properties->all() : std::vector<PropertyNode>();
            std::vector<PropertyNode> constant;
            std::set<std::string> names;
            const std::size_t before = own.size();
            for (const PropertyNode& property : own)
                if (const auto place = placeOf(property, node, lensUnit_, scene_.view.rate);
                    place && isAttribute(property.meaning)) {
                    names.insert(property.name);
                    if (property.scope == Scope::Constant && place->attribute != "normals")
                        constant.push_back(property);
                }
            for (const PropertyNode& property : from[i])
                if (!names.contains(property.name)) {
                    tell(node, fmt::format("that it has no '{}' of its own: what is above it has one for all below",
                                           property.name));
                    own.push_back(property);
                    constant.push_back(property);
                }
            if (own.size() > before)
                node.properties = relisted(node.properties, std::move(own));
            from[i] = std::move(constant);
        }
    }

    // Colours have three numbers, all else one; normals have none beside a picture.
    static void prepareLook(Look& look) {
        for (const auto& [name, member] : kLookInputs) {
            LookInput& input = look.*member;
            const bool colour = member == &Look::baseColour || member == &Look::emission || member == &Look::normal;
            if (!input.value.empty())
                input.value.resize(colour ? 3 : 1, input.value.back());
            if (member == &Look::normal && !input.texture.empty())
                input.value.clear();
        }
    }

    // Of kinds that layers know.
    void prepareCurveKind(PropertyNode& property, const Node& node) {
        const auto layout = curveLayout(node, 0);
        if (!layout)
            return;
        using Basis = CurveLayout::Basis;
        using Type = CurveLayout::Type;
        Type type = layout->type;
        Basis basis = layout->basis;
        bool periodic = layout->periodic;
        const auto loses = [&](const char* what) {
            tell(node, fmt::format("its {}: {}", meaningName(Meaning::CurveKind), what));
        };
        if (type == Type::Cubic && (basis == Basis::Hermite || basis == Basis::Power)) {
            loses("layers do not have its basis, so they are drawn straight through all their points");
            type = Type::Linear;
        } else if (type == Type::Cubic && basis == Basis::None) {
            loses("no basis is stated, so it is Bézier");
            basis = Basis::Bezier;
        } else if (type == Type::Variable && periodic) {
            loses("layers do not close curves of variable order");
            periodic = false;
        }
        if (type != Type::Cubic)
            basis = Basis::None;
        const std::vector<std::uint8_t> kind{static_cast<std::uint8_t>(type),
                                             static_cast<std::uint8_t>(periodic ? 1 : 0),
                                             static_cast<std::uint8_t>(basis), static_cast<std::uint8_t>(basis)};
        property.values = stillValues(ValueType::UInt8, 4, false, kind);
    }

    static PropertyNode* figure(std::vector<PropertyNode>& list, Meaning meaning) {
        const auto found = std::find_if(list.begin(), list.end(),
                                        [&](const PropertyNode& p) { return p.meaning == meaning && p.values; });
        return found == list.end() ? nullptr : &*found;
    }

    static bool isAlways(const SampledValues& values, double number) {
        const std::size_t count = values.constant() ? 1 : values.sampling().count();
        for (std::size_t i = 0; i < count; ++i) {
            const auto numbers = wyc::numbersOf(values, i);
            if (!numbers || std::any_of(numbers->begin(), numbers->end(), [&](double n) { return n != number; }))
                return false;
        }
        return true;
    }

    void prepareLens(const Node& node, std::vector<PropertyNode>& list) {
        // Both ends of what is seen are one attribute.
        PropertyNode* nearClip = figure(list, Meaning::NearClip);
        PropertyNode* farClip = figure(list, Meaning::FarClip);
        if (nearClip && farClip) {
            const Sampling common = commonSampling({nearClip->values->sampling(), farClip->values->sampling()});
            for (PropertyNode* clip : {nearClip, farClip}) {
                if (!(clip->values->sampling() == common))
                    clip->values = std::make_shared<Together>(clip->values, common);
                Place place;
                place.type = {"float", {Base::Float}, 1};
                clip->values = std::make_shared<Stored>(clip->values, place, StoredKind{ValueType::Double, 1, false});
            }
        }
        // There are none: the gate is what is seen.
        for (const auto& [meaning, none, count] :
             {std::tuple{Meaning::Squeeze, 1.0, 1U}, {Meaning::Overscan, 0.0, 4U}}) {
            PropertyNode* own = figure(list, meaning);
            if (!own)
                continue;
            const bool always = isAlways(*own->values, none);
            if (!always)
                tell(node, fmt::format("its {}, for which layers have no place", meaningName(meaning)));
            own->values =
                always ? stillValues(ValueType::Double, count, false, std::vector<double>(count, none)) : nullptr;
        }
    }

    Scene scene_;
    double lensUnit_;
};

} // namespace

VisibilityTrack seenTogether(const std::vector<VisibilityTrack>& chain) {
    const auto at = [chain](double seconds) {
        for (std::size_t i = chain.size(); i-- > 0;)
            if (const Visibility value = chain[i].at(seconds); value != Visibility::AsParent)
                return value;
        return Visibility::AsParent;
    };
    VisibilityTrack result;
    std::vector<Sampling> samplings;
    bool exact = false;
    for (const VisibilityTrack& track : chain) {
        samplings.push_back(track.sampling);
        exact = exact || track.exact;
    }
    result.sampling = commonSampling(samplings);
    for (std::size_t i = 0; i < std::max<std::size_t>(1, result.sampling.count()); ++i)
        result.values.push_back(at(result.sampling.time(i)));
    if (exact)
        result.exact = std::make_shared<const std::function<Visibility(double)>>(at);
    return result;
}

Result<Scene> preparedForLayers(Scene scene, const nlohmann::json&) {
    return Preparing(std::move(scene)).prepared();
}

} // namespace wyc::usd
