// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/properties.h"

#include <algorithm>
#include <array>

namespace wyc {
namespace {

void appendUtf8(std::string& text, std::uint32_t code) {
    const auto tail = [&](unsigned shift) { text += static_cast<char>(0x80 | ((code >> shift) & 63)); };
    if (code < 0x80) {
        text += static_cast<char>(code);
    } else if (code < 0x800) {
        text += static_cast<char>(0xC0 | (code >> 6));
        tail(0);
    } else if (code < 0x10000) {
        text += static_cast<char>(0xE0 | (code >> 12));
        tail(6);
        tail(0);
    } else {
        text += static_cast<char>(0xF0 | ((code >> 18) & 7));
        tail(12);
        tail(6);
        tail(0);
    }
}

class ChangedProperties final : public Properties {
  public:
    ChangedProperties(PropertiesPtr inner, PropertyChange change)
        : inner_(std::move(inner)), change_(std::move(change)) {}
    [[nodiscard]] std::vector<PropertyNode> all() const override {
        std::vector<PropertyNode> list = inner_->all();
        changeList(list, nullptr, {});
        return list;
    }
    [[nodiscard]] std::string_view layout() const override { return inner_->layout(); }
    [[nodiscard]] FormatsOwn formatsOwn() const override { return inner_->formatsOwn(); }
    [[nodiscard]] const Geometry* shape() const override { return inner_->shape(); }
    [[nodiscard]] const Transform* transform() const override { return inner_->transform(); }
    [[nodiscard]] const std::map<std::string, std::string>& metadata() const override { return inner_->metadata(); }

  private:
    void changeList(std::vector<PropertyNode>& list, const PropertyNode* in, const std::string& path) const {
        std::vector<PropertyNode> after;
        for (PropertyNode& property : list) {
            const bool group = !property.values;
            if (group) {
                const PropertyNode whole = property; // as it was: its members are changed one by one
                changeList(property.children, &whole, toldAs(whole, path));
            } else {
                property.values = change_(property, in, path);
            }
            if (group || property.values)
                after.push_back(std::move(property));
        }
        list = std::move(after);
    }
    PropertiesPtr inner_;
    PropertyChange change_;
};

class StoredValues final : public ValuesWrapper {
  public:
    using ValuesWrapper::ValuesWrapper;
    [[nodiscard]] bool straightBetween() const override { return true; }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return SampledValues::readAt(seconds, how);
    }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double seconds) const override {
        return SampledValues::tokenAt(seconds);
    }
};

class AlignedValues final : public ValuesWrapper {
  public:
    AlignedValues(ValuesPtr inner, Sampling sampling)
        : ValuesWrapper(std::move(inner)), sampling_(std::move(sampling)) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const Sampling& statedSampling() const override { return inner().statedSampling(); }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return SampledValues::readAt(seconds, how);
    }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double seconds) const override {
        return SampledValues::tokenAt(seconds);
    }

  private:
    Sampling sampling_;
};

} // namespace

std::size_t elementSize(ValueType type) {
    constexpr std::array<std::size_t, 14> kSizes{1, 1, 1, 2, 2, 4, 4, 8, 8, 2, 4, 8, 0, 0};
    return kSizes[static_cast<std::size_t>(type)];
}

constexpr std::array<std::pair<Meaning, MeaningTraits>, kMeaningCount> kMeanings{{
    {Meaning::Unknown, {.name = ""}},
    {Meaning::Itself, {.name = "itself"}},
    {Meaning::Uvs, {.name = "UVs", .named = true, .attribute = true}},
    {Meaning::Normals, {.name = "normals", .named = true, .attribute = true}},
    {Meaning::Colours, {.name = "colours", .named = true, .attribute = true}},
    {Meaning::Parameter, {.name = "attribute", .named = true, .attribute = true}},
    {Meaning::UserValue, {.name = "user value", .named = true}},
    {Meaning::Widths, {.name = "widths", .scope = Scope::Point}},
    {Meaning::Velocities, {.name = "velocities", .scope = Scope::Point}},
    {Meaning::PointIds, {.name = "point ids", .scope = Scope::Point}},
    {Meaning::CurveSizes, {.name = "curve sizes"}},
    {Meaning::CurveKind, {.name = "curve kind"}},
    {Meaning::CurveOrders, {.name = "curve orders"}},
    {Meaning::CurveKnots, {.name = "curve knots"}},
    {Meaning::CurveWeights, {.name = "curve weights", .scope = Scope::Point}},
    {Meaning::SurfaceSetting, {.name = "surface setting", .named = true}},
    {Meaning::FocalLength, {.name = "focal length", .of = Owner::Camera}},
    {Meaning::GateWidth, {.name = "width of the gate", .of = Owner::Camera}},
    {Meaning::GateHeight, {.name = "height of the gate", .of = Owner::Camera}},
    {Meaning::GateX, {.name = "offset of the gate in x", .of = Owner::Camera}},
    {Meaning::GateY, {.name = "offset of the gate in y", .of = Owner::Camera}},
    {Meaning::Squeeze, {.name = "squeeze", .of = Owner::Camera}},
    {Meaning::Overscan, {.name = "overscan", .of = Owner::Camera}},
    {Meaning::FStop, {.name = "f-stop", .of = Owner::Camera}},
    {Meaning::FocusDistance, {.name = "focus distance", .of = Owner::Camera}},
    {Meaning::ShutterOpen, {.name = "opening of the shutter", .of = Owner::Camera}},
    {Meaning::ShutterClose, {.name = "closing of the shutter", .of = Owner::Camera}},
    {Meaning::NearClip, {.name = "near clipping", .of = Owner::Camera}},
    {Meaning::FarClip, {.name = "far clipping", .of = Owner::Camera}},
    {Meaning::FilmBack, {.name = "film back", .of = Owner::Camera}},
    {Meaning::Turns, {.name = "attribute", .named = true, .scope = Scope::Point, .of = Owner::Instancer}},
    {Meaning::Sizes, {.name = "attribute", .named = true, .scope = Scope::Point, .of = Owner::Instancer}},
    {Meaning::PrototypeNumbers, {.name = "attribute", .named = true, .scope = Scope::Point, .of = Owner::Instancer}},
    {Meaning::SetFaces, {.name = "faces of the set"}},
    {Meaning::LightColour, {.name = "colour", .of = Owner::Light}},
    {Meaning::LightIntensity, {.name = "intensity", .of = Owner::Light}},
    {Meaning::LightExposure, {.name = "exposure", .of = Owner::Light}},
    {Meaning::LightConeDegrees, {.name = "cone", .of = Owner::Light}},
    {Meaning::LightKind, {.name = "kind of light", .of = Owner::Light}},
    {Meaning::JointNames, {.name = "names of joints"}},
    {Meaning::JointParents, {.name = "joints above joints"}},
    {Meaning::JointBinds, {.name = "joints when bound"}},
    {Meaning::JointRests, {.name = "joints at rest"}},
    {Meaning::JointPlaces, {.name = "places of joints"}},
    {Meaning::JointTurns, {.name = "turns of joints"}},
    {Meaning::JointSizes, {.name = "sizes of joints"}},
    {Meaning::RestPoints, {.name = "points at rest", .scope = Scope::Point, .of = Owner::Deformers}},
    {Meaning::SkinBind, {.name = "placing of the skin", .of = Owner::Deformers}},
    {Meaning::SkinJoints, {.name = "joints of points", .scope = Scope::Point, .of = Owner::Deformers}},
    {Meaning::SkinWeights, {.name = "weights of joints", .scope = Scope::Point, .of = Owner::Deformers}},
    {Meaning::Morph, {.name = "morph", .named = true, .of = Owner::Deformers}},
    {Meaning::MorphWeight, {.name = "weight", .of = Owner::Deformers, .ofGroup = true}},
    {Meaning::MorphAt, {.name = "whole at", .of = Owner::Deformers, .ofGroup = true}},
    {Meaning::MorphPoints, {.name = "points", .of = Owner::Deformers, .ofGroup = true}},
    {Meaning::MorphOffsets, {.name = "offsets", .of = Owner::Deformers, .ofGroup = true}},
    {Meaning::ShaderInput, {.name = "input", .named = true, .ofGroup = true}},
    {Meaning::ShaderTexture, {.name = "texture", .named = true, .ofGroup = true}},
    {Meaning::ShaderLink, {.name = "link", .named = true, .ofGroup = true}},
    {Meaning::ShaderType, {.name = "type", .ofGroup = true}},
}};
static_assert(
    [] {
        for (std::size_t i = 0; i < kMeanings.size(); ++i)
            if (static_cast<std::size_t>(kMeanings[i].first) != i)
                return false;
        return true;
    }(),
    "a row for every meaning, in their order");

const MeaningTraits& traitsOf(Meaning meaning) {
    return kMeanings[static_cast<std::size_t>(meaning)].second;
}

std::string toldAs(const PropertyNode& property, const std::string& group) {
    const MeaningTraits& traits = traitsOf(property.meaning);
    if (property.meaning == Meaning::Unknown)
        return group.empty() ? property.name : group + "/" + property.name;
    std::string name = traits.name;
    // Some formats mark settings of surfaces by a dot.
    const bool marked = property.meaning == Meaning::SurfaceSetting && property.name.starts_with('.');
    if (traits.named)
        name += " '" + property.name.substr(marked ? 1 : 0) + "'";
    return traits.ofGroup && !group.empty() ? group + " " + name : name;
}

const PropertyNode* numberingOf(const PropertyNode& group) {
    if (group.children.size() != 2 || !group.children.front().values)
        return nullptr;
    const PropertyNode& last = group.children.back();
    const bool whole =
        last.values && (last.values->type() == ValueType::UInt32 || last.values->type() == ValueType::Int32);
    return whole && last.values->isArray() && last.values->extent() == 1 ? &last : nullptr;
}

const PropertyNode* PropertyNode::child(std::string_view childName) const {
    const auto found =
        std::find_if(children.begin(), children.end(), [&](const PropertyNode& p) { return p.name == childName; });
    return found == children.end() ? nullptr : &*found;
}

PropertiesPtr changedProperties(PropertiesPtr inner, PropertyChange change) {
    return inner ? std::make_shared<ChangedProperties>(std::move(inner), std::move(change)) : nullptr;
}

namespace {

// UVs, normals and colours by what they are; all else by its name.
std::string toldName(const PropertyNode& property) {
    const bool named = property.meaning == Meaning::Parameter || !isAttribute(property.meaning);
    return named ? property.name : meaningName(property.meaning);
}

std::vector<PropertyNode> keptOf(std::vector<PropertyNode> list, const PropertyNode* group, const KeepProperty& keep,
                                 std::vector<std::string>& gone) {
    std::vector<PropertyNode> kept;
    for (PropertyNode& property : list) {
        if (property.meaning == Meaning::Itself) {
            kept.push_back(std::move(property));
            continue;
        }
        if (property.values) {
            property.values = keep(property, group);
            if (property.values) {
                kept.push_back(std::move(property));
                continue;
            }
            const std::string name = toldName(group && isAttribute(group->meaning) ? *group : property);
            if (std::find(gone.begin(), gone.end(), name) == gone.end())
                gone.push_back(name);
            continue;
        }
        const bool any = !property.children.empty();
        PropertyNode whole = property;
        property.children = keptOf(std::move(property.children), &whole, keep, gone);
        // Of an attribute all its parts are there, or none is.
        const bool torn = isAttribute(whole.meaning) && property.children.size() < whole.children.size();
        if (!torn && (!any || !property.children.empty()))
            kept.push_back(std::move(property));
    }
    return kept;
}

} // namespace

KeptProperties keptProperties(const PropertiesPtr& properties, const KeepProperty& keep) {
    KeptProperties result;
    if (!properties)
        return result;
    auto list = keptOf(properties->all(), nullptr, keep, result.gone);
    result.kept = std::make_shared<MemoryProperties>(std::move(list), properties->metadata(), properties->layout());
    return result;
}

std::optional<PropertyNode> findProperty(const PropertiesPtr& properties, std::string_view path) {
    if (!properties)
        return std::nullopt;
    PropertyNode top;
    top.children = properties->all();
    const PropertyNode* at = &top;
    while (at && !path.empty()) {
        const auto slash = path.find('/');
        at = at->child(path.substr(0, slash));
        path = slash == std::string_view::npos ? std::string_view() : path.substr(slash + 1);
    }
    if (!at || (at->values && at->values->sampling().count() == 0))
        return std::nullopt;
    return *at;
}

std::vector<std::string> stringsOf(ValueType type, std::span<const std::byte> bytes) {
    std::vector<std::string> result;
    const std::size_t unit = type == ValueType::WideString ? 4 : 1;
    std::string text;
    for (std::size_t i = 0; i + unit <= bytes.size(); i += unit) {
        std::uint32_t code = 0;
        std::memcpy(&code, bytes.data() + i, unit);
        if (code == 0) {
            result.push_back(std::move(text));
            text.clear();
        } else if (unit == 1) {
            text += static_cast<char>(code);
        } else {
            appendUtf8(text, code);
        }
    }
    if (!text.empty())
        result.push_back(std::move(text));
    return result;
}

Result<std::vector<std::string>> stringsOf(const SampledValues& values, std::size_t sample) {
    if (elementSize(values.type()) != 0)
        return fail(ErrorKind::BadInput, "a property holds numbers where text is needed");
    WYC_TRY(value, values.read(sample));
    return stringsOf(values.type(), value.bytes);
}

namespace {

const PropertyNode* firstOf(const std::vector<PropertyNode>& list, Meaning meaning, std::string_view name) {
    for (const PropertyNode& property : list) {
        const bool fits = property.meaning == meaning && (name.empty() || property.name == name);
        if (fits && property.values && property.values->sampling().count() > 0)
            return &property;
        if (fits && !property.values) { // an indexed one keeps its values below, first
            for (const PropertyNode& child : property.children)
                if (child.values && child.values->sampling().count() > 0)
                    return &child;
        }
        if (const PropertyNode* below = firstOf(property.children, meaning, name))
            return below;
    }
    return nullptr;
}

} // namespace

std::optional<PropertyNode> findMeaning(const PropertiesPtr& properties, Meaning meaning, std::string_view name) {
    if (!properties)
        return std::nullopt;
    const std::vector<PropertyNode> all = properties->all();
    const PropertyNode* found = firstOf(all, meaning, name);
    return found ? std::optional(*found) : std::nullopt;
}

PropertiesPtr plainProperties(std::vector<PropertyNode> list) {
    return std::make_shared<MemoryProperties>(std::move(list));
}

PropertiesPtr relisted(const PropertiesPtr& properties, std::vector<PropertyNode> list) {
    if (!properties)
        return plainProperties(std::move(list));
    return std::make_shared<MemoryProperties>(std::move(list), properties->metadata(), properties->layout(),
                                              properties->formatsOwn());
}

PropertyNode plainProperty(Meaning meaning, std::string name, ValuesPtr values, SpaceRole role, TimeRole time) {
    return {std::move(name), {}, std::move(values), {}, role, time, meaning};
}

namespace {

class PairedValues final : public ValuesWrapper {
  public:
    PairedValues(ValuesPtr inner, ValuesPtr numbers) : ValuesWrapper(std::move(inner)), numbers_(std::move(numbers)) {}
    [[nodiscard]] const Sampling& statedSampling() const override { return inner().statedSampling(); }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        if (sampling().count() == 0)
            return PropertyValue{};
        const auto at = sampling().locate(seconds);
        if (at.weight == 0.0 || numbers_->constant())
            return inner().readAt(seconds, how);
        WYC_TRY(before, numbers_->readAt(sampling().time(at.below), {}));
        WYC_TRY(after, numbers_->readAt(sampling().time(at.above), {}));
        return before.bytes == after.bytes ? inner().readAt(seconds, how) : inner().read(at.below);
    }

  private:
    ValuesPtr numbers_;
};

} // namespace

ValuesPtr pairedValues(ValuesPtr values, ValuesPtr numbers) {
    return std::make_shared<PairedValues>(std::move(values), std::move(numbers));
}

ValuesPtr storedValues(ValuesPtr inner) {
    return std::make_shared<StoredValues>(std::move(inner));
}

ValuesPtr alignedValues(ValuesPtr inner, const Sampling& sampling) {
    return std::make_shared<AlignedValues>(std::move(inner), sampling);
}

Result<PropertyValue> SampledValues::readAt(double seconds, const ValueMix& how) const {
    if (sampling().count() == 0)
        return PropertyValue{};
    const auto at = sampling().locate(seconds);
    WYC_TRY(value, read(at.below));
    const bool number = type() == ValueType::Float || type() == ValueType::Double || type() == ValueType::Half;
    if (at.weight == 0.0 || !number || constant())
        return value;
    WYC_TRY(above, read(at.above));
    PointMatch match;
    match.by = PointMatch::By::Number;
    if (how.carrier && isArray()) {
        WYC_TRY(found, matchOf(Pose::atTime(*how.carrier, sampling().time(at.below)),
                               Pose::atTime(*how.carrier, sampling().time(at.above))));
        match = std::move(found);
    }
    return mixedValues(type(), std::move(value), above, at.weight, how.role, match);
}

namespace {

// Values one after another, each in the way of its role.
template<class T> void mixValues(std::span<T> numbers, std::span<const T> later, double weight, SpaceRole role) {
    if (role == SpaceRole::Normal)
        return mixDirections<T>(numbers, later, weight, numbers);
    if (role == SpaceRole::Turn)
        return mixTurns<T>(numbers, later, weight, numbers);
    for (std::size_t i = 0; i < numbers.size(); ++i)
        numbers[i] = static_cast<T>(between(static_cast<double>(numbers[i]), static_cast<double>(later[i]), weight));
}

template<class T>
void mixNumbers(std::span<T> numbers, std::span<const T> later, double weight, SpaceRole role,
                const PointMatch& match) {
    const std::size_t count = match.later.size();
    if (match.by == PointMatch::By::Id && count > 0 && numbers.size() % count == 0) {
        const std::size_t extent = numbers.size() / count;
        for (std::size_t p = 0; p < count; ++p)
            if (const auto other = static_cast<std::size_t>(std::max(0, match.later[p])) * extent;
                match.later[p] >= 0 && other + extent <= later.size())
                mixValues(numbers.subspan(p * extent, extent), later.subspan(other, extent), weight, role);
        return;
    }
    if (later.size() == numbers.size())
        mixValues(numbers, later, weight, role);
}

} // namespace

PropertyValue mixedValues(ValueType type, PropertyValue earlier, const PropertyValue& later, double weight,
                          SpaceRole role, const PointMatch& match) {
    if (match.by == PointMatch::By::Nothing)
        return earlier;
    changeNumbers(type, earlier, [&]<class T>(std::span<T> numbers) {
        std::vector<T> others(later.bytes.size() / sizeof(T));
        if (!others.empty())
            std::memcpy(others.data(), later.bytes.data(), others.size() * sizeof(T));
        mixNumbers<T>(numbers, others, weight, role, match);
    });
    return earlier;
}

} // namespace wyc
