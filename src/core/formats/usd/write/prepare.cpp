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
    static Base baseOf(ValueType type) {
        switch (type) {
        case ValueType::Bool: return Base::Bool;
        case ValueType::UInt8: return Base::UChar;
        case ValueType::Int32: return Base::Int;
        case ValueType::UInt32: return Base::UInt;
        case ValueType::Int64: return Base::Int64;
        case ValueType::UInt64: return Base::UInt64;
        case ValueType::Double: return Base::Double;
        default: return Base::Float;
        }
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
        settleVisibility();
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            Node& node = scene_.nodes[i];
            WYC_CHECK(checkTransform(node));
            if (node.transform)
                node.transform = storedTransform(node.transform, scene_.view.rate);
            if (node.properties)
                prepareProperties(node);
        }
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
                    node.visibility = effective(above[i]);
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
    // As a node and all above it say together; the lowest that says something counts.
    static VisibilityTrack effective(const std::vector<VisibilityTrack>& chain) {
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

    // All that is said, as a plain list, whatever layout it came in.
    void prepareProperties(Node& node) {
        std::vector<PropertyNode> list;
        collect(node.properties->all(), {}, node, list);
        const std::map<std::string, std::string> metadata = node.properties->metadata();
        if (node.kind == NodeKind::Camera)
            prepareLens(node, list);
        Names names;
        for (PropertyNode& property : list)
            prepareOne(property, node, names);
        std::erase_if(list, [](const PropertyNode& p) { return !p.values && p.children.empty(); });
        node.properties = std::make_shared<MemoryProperties>(
            std::move(list), node.properties->layout() == kFormatId ? metadata : std::map<std::string, std::string>{},
            kFormatId);
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
        const std::string before = property.name;
        if (property.meaning == Meaning::SurfaceSetting && property.name.starts_with('.'))
            property.name.erase(0, 1);
        if (property.meaning == Meaning::CurveKind)
            prepareCurveKind(property, node);
        const bool numbered = !property.values && numberingOf(property) != nullptr;
        PropertyNode& holder = numbered ? property.children.front() : property;
        if (isAttribute(property.meaning))
            nameAttribute(property, holder, names);
        else if (property.meaning == Meaning::UserValue)
            nameUserValue(property, names);
        if (property.name != before && property.meaning == Meaning::Parameter)
            tell(node, fmt::format("the name of its attribute '{}': it is '{}'", validUtf8(before), property.name));
        else if (property.name != before && property.meaning == Meaning::UserValue)
            tell(node, fmt::format("the name of its value '{}': it is '{}'", validUtf8(before), property.name));
        const auto place = placeOf(property, node, lensUnit_, scene_.view.rate);
        if (!place)
            return;
        holder.values = std::make_shared<Stored>(holder.values, *place, readAs(property, *holder.values));
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
        const bool reserved =
            property.name == "widths" || property.name.starts_with("skel:") || property.name.ends_with(":indices");
        if (reserved)
            property.name = "attribute_" + property.name;
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

    // Of kinds that layers know.
    void prepareCurveKind(PropertyNode& property, const Node& node) {
        const auto layout = curveLayout(node, 0);
        if (!layout)
            return;
        using Basis = CurveLayout::Basis;
        using Type = CurveLayout::Type;
        Type type = layout->type;
        Basis basis = layout->basis;
        if (type == Type::Cubic && (basis == Basis::Hermite || basis == Basis::Power)) {
            tell(node, "the basis of its curves, which layers do not have: they are drawn through their points");
            type = Type::Linear;
        }
        if (type != Type::Cubic)
            basis = Basis::None;
        else if (basis == Basis::None)
            basis = Basis::Bezier;
        const std::vector<std::uint8_t> kind{static_cast<std::uint8_t>(type),
                                             static_cast<std::uint8_t>(layout->periodic ? 1 : 0),
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

Result<Scene> preparedForLayers(Scene scene, const nlohmann::json&) {
    return Preparing(std::move(scene)).prepared();
}

} // namespace wyc::usd
