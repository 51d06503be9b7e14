// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/layers.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>

#include <fmt/format.h>

namespace wyc {

bool isLayer(Meaning meaning) {
    return std::find(kLayers.begin(), kLayers.end(), meaning) != kLayers.end();
}

std::string renamedWords(const std::string& before, const std::string& now) {
    return fmt::format("the name of its {}: it is {}", before, now);
}

bool saysRenamed(const std::string& words, const std::string& name) {
    const std::string begin = renamedWords(name, {});
    const std::string end = ": it is " + name;
    return words.starts_with(begin) || (words.starts_with("the name of its ") && words.ends_with(end));
}

namespace {

template<class T> std::vector<T> elementsOf(const PropertyValue& value) {
    std::vector<T> result(value.bytes.size() / sizeof(T));
    if (!result.empty())
        std::memcpy(result.data(), value.bytes.data(), result.size() * sizeof(T));
    return result;
}

std::optional<Layer> layerAt(const PropertyNode& property) {
    Layer layer{property.meaning, {}, property.name, property.scope, property.values};
    if (!layer.values && !property.children.empty())
        layer.values = property.children.front().values;
    if (const PropertyNode* numbers = numberingOf(property); numbers && numbers->values->sampling().count() > 0)
        layer.numbers = numbers->values;
    const bool fits = layer.values && layer.values->type() == ValueType::Float && layer.values->isArray() &&
                      layer.values->sampling().count() > 0 && layer.values->extent() >= layer.comparedExtent();
    return fits ? std::optional(std::move(layer)) : std::nullopt;
}

void collect(const std::vector<PropertyNode>& list, std::vector<Layer>& into) {
    for (const PropertyNode& property : list) {
        if (!isLayer(property.meaning)) {
            collect(property.children, into);
            continue;
        }
        auto layer = layerAt(property);
        if (!layer)
            continue;
        layer->further = std::any_of(into.begin(), into.end(),
                                     [&](const Layer& other) { return other.meaning == property.meaning; });
        layer->name = meaningName(property.meaning);
        if (layer->further)
            layer->name += fmt::format(" '{}'", property.name);
        into.push_back(std::move(*layer));
    }
}

ValuesPtr floats(const Sampling& sampling, int extent, const std::vector<Attribute>& samples) {
    std::vector<std::vector<float>> values;
    for (const Attribute& sample : samples)
        values.push_back(sample.values);
    return memoryValues(ValueType::Float, static_cast<std::uint32_t>(extent), true, sampling, values);
}

} // namespace

Result<Attribute> Layer::at(double seconds, const Geometry* mesh) const {
    const ValueMix how{meaning == Meaning::Normals ? SpaceRole::Normal : SpaceRole::None, mesh};
    WYC_TRY(value, values->readAt(seconds, how));
    Attribute result{scope, static_cast<int>(values->extent()), elementsOf<float>(value), {}};
    if (numbers) {
        WYC_TRY(own, numbers->readAt(seconds, {}));
        result.indices = elementsOf<std::int32_t>(own);
    }
    return result;
}

Sampling Layer::times() const {
    std::vector<Sampling> changing;
    for (const ValuesPtr& part : {values, numbers})
        if (part && !part->constant())
            changing.push_back(part->sampling());
    return changing.empty() ? Sampling::still(values->sampling().firstTime()) : commonSampling(changing);
}

Sampling Layer::timesOn(const Geometry& mesh) const {
    const Sampling own = times();
    if (!mesh.topologyVaries() || mesh.sampling().count() < 2)
        return own;
    return own.isStill() ? mesh.sampling() : commonSampling({mesh.sampling(), own});
}

std::vector<Layer> layersOf(const PropertiesPtr& properties) {
    std::vector<Layer> result;
    if (properties)
        collect(properties->all(), result);
    return result;
}

std::optional<Layer> layerOf(const PropertiesPtr& properties, Meaning meaning) {
    for (Layer& layer : layersOf(properties))
        if (layer.meaning == meaning)
            return std::move(layer);
    return std::nullopt;
}

bool layersChange(const PropertiesPtr& properties) {
    const std::vector<Layer> layers = layersOf(properties);
    return std::any_of(layers.begin(), layers.end(), [](const Layer& layer) { return !layer.sameAlways(); });
}

PropertyNode layerProperty(const Layer& layer) {
    const SpaceRole role = layer.meaning == Meaning::Normals ? SpaceRole::Normal : SpaceRole::None;
    PropertyNode property{layer.label, {}, nullptr, {}, SpaceRole::None, TimeRole::Plain, layer.meaning};
    property.scope = layer.scope;
    if (!layer.numbers) {
        property.values = layer.values;
        property.role = role;
        return property;
    }
    property.children = {{"values", {}, pairedValues(layer.values, layer.numbers), {}, role},
                         {"numbers", {}, layer.numbers, {}}};
    return property;
}

PropertyNode layerProperty(Meaning meaning, std::string label, const Sampling& sampling,
                           const std::vector<Attribute>& samples) {
    Layer layer{
        meaning, {}, std::move(label), samples.front().scope, floats(sampling, samples.front().extent, samples)};
    const bool numbered =
        std::any_of(samples.begin(), samples.end(), [](const Attribute& a) { return !a.indices.empty(); });
    if (numbered) {
        std::vector<std::vector<std::int32_t>> numbers;
        for (const Attribute& sample : samples)
            numbers.push_back(sample.indices);
        layer.numbers = memoryValues(ValueType::Int32, 1, true, sampling, numbers);
    }
    return layerProperty(layer);
}

namespace {

// Values of a layer that is worked out whole, or the numbers of them.
class PartOfLayer final : public SampledValues {
  public:
    PartOfLayer(std::shared_ptr<const LayerSource> source, std::uint32_t extent, bool numbers)
        : source_(std::move(source)), extent_(extent), numbers_(numbers) {}
    [[nodiscard]] ValueType type() const override { return numbers_ ? ValueType::Int32 : ValueType::Float; }
    [[nodiscard]] std::uint32_t extent() const override { return numbers_ ? 1 : extent_; }
    [[nodiscard]] bool isArray() const override { return true; }
    [[nodiscard]] const Sampling& sampling() const override { return source_->sampling(); }
    [[nodiscard]] bool sameAlways() const override { return source_->sameAlways(); }
    [[nodiscard]] bool constant() const override { return sampling().count() < 2 || sameAlways(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return readAt(sampling().time(sample), {});
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix&) const override {
        WYC_TRY(attribute, source_->at(seconds));
        const auto raw =
            numbers_ ? std::as_bytes(std::span(attribute->indices)) : std::as_bytes(std::span(attribute->values));
        return PropertyValue{{raw.begin(), raw.end()}, {}};
    }

  private:
    std::shared_ptr<const LayerSource> source_;
    std::uint32_t extent_;
    bool numbers_;
};

} // namespace

Layer layerFrom(std::shared_ptr<const LayerSource> source, const Layer& shape, std::uint32_t extent, bool numbered) {
    Layer layer{shape.meaning, shape.name, shape.label, shape.scope, nullptr};
    layer.values = std::make_shared<PartOfLayer>(source, extent, false);
    if (numbered)
        layer.numbers = std::make_shared<PartOfLayer>(std::move(source), extent, true);
    return layer;
}

KeptLayer::KeptLayer(Layer layer, GeometryPtr mesh)
    : layer_(std::move(layer)), mesh_(std::move(mesh)), sampling_(layer_.times()) {}

Result<std::shared_ptr<const Attribute>> KeptLayer::at(double seconds) const {
    {
        const std::lock_guard lock(mutex_);
        if (kept_ && (keptAt_ == seconds || layer_.sameAlways()))
            return kept_;
    }
    WYC_TRY(attribute, layer_.at(seconds, mesh_.get()));
    auto made = std::make_shared<const Attribute>(std::move(attribute));
    const std::lock_guard lock(mutex_);
    keptAt_ = seconds;
    kept_ = made;
    return made;
}

Result<std::vector<PropertyNode>> layersAt(double seconds, const PropertiesPtr& properties, const Geometry& mesh,
                                           bool (*wanted)(Meaning)) {
    std::vector<PropertyNode> result;
    for (const Layer& layer : layersOf(properties)) {
        if (!wanted(layer.meaning))
            continue;
        WYC_TRY(attribute, layer.at(seconds, &mesh));
        if (!attribute.isEmpty())
            result.push_back(layerProperty(layer.meaning, layer.label, Sampling::still(), {attribute}));
    }
    return result;
}

std::int32_t valueNumber(const Attribute& attribute, std::size_t face, std::size_t corner, std::int32_t point) {
    std::size_t element = 0;
    switch (attribute.scope) {
    case Scope::Constant: element = 0; break;
    case Scope::Face: element = face; break;
    case Scope::Point: element = static_cast<std::size_t>(point); break;
    case Scope::Corner: element = corner; break;
    }
    std::int32_t number = -1;
    if (attribute.indices.empty())
        number = element < attribute.valueCount() ? static_cast<std::int32_t>(element) : -1;
    else if (element < attribute.indices.size())
        number = attribute.indices[element];
    return number >= 0 && static_cast<std::size_t>(number) < attribute.valueCount() ? number : -1;
}

std::vector<float> cornerValues(const Attribute& attribute, const Topology& topology, std::size_t pointCount,
                                std::size_t extent) {
    const bool faces = topology.faceCount() > 0;
    std::vector<float> result;
    result.reserve((faces ? topology.cornerCount() : pointCount) * extent);
    const auto add = [&](std::int32_t number) {
        const auto own = static_cast<std::size_t>(attribute.extent);
        for (std::size_t k = 0; k < extent; ++k)
            result.push_back(number >= 0 && k < own ? attribute.values[static_cast<std::size_t>(number) * own + k]
                                                    : std::numeric_limits<float>::quiet_NaN());
    };
    if (!faces) {
        for (std::size_t point = 0; point < pointCount; ++point)
            add(valueNumber(attribute, 0, point, static_cast<std::int32_t>(point)));
        return result;
    }
    std::size_t corner = 0;
    for (std::size_t face = 0; face < topology.faceCount(); ++face)
        for (std::int32_t k = 0; k < topology.faceSizes()[face]; ++k, ++corner)
            add(valueNumber(attribute, face, corner, topology.corners()[corner]));
    return result;
}

bool normalsTurn(const PropertiesPtr& properties, const Geometry& mesh) {
    if (mesh.topologyVaries() || mesh.sampling().count() < 2)
        return false;
    const auto normals = layerOf(properties, Meaning::Normals);
    return normals && !normals->constant() && normals->values->sampling() == mesh.sampling();
}

std::string LayerGaps::words() const {
    return corners > 0 ? fmt::format("{} corners have none", corners) : fmt::format("{} samples have none", samples);
}

namespace {

// Gaps of one layer, counted sample by sample.
class GapCount {
  public:
    GapCount(const Layer& layer, const Geometry& mesh) : layer_(layer), mesh_(mesh), times_(layer.timesOn(mesh)) {}
    /// Time of the sample that comes next; nothing behind the last.
    [[nodiscard]] std::optional<double> next() const {
        return at_ < times_.count() ? std::optional(times_.time(at_)) : std::nullopt;
    }
    Status count() {
        const double now = times_.time(at_++);
        const auto token = tokenAt(now);
        if (!token || token != lastToken_ || mesh_.topologyVaries()) {
            WYC_CHECK(look(now));
            // Known only now where the sample had to be read.
            lastToken_ = tokenAt(now);
        }
        gaps_.there = gaps_.there || !lastEmpty_;
        gaps_.samples += lastEmpty_;
        gaps_.corners += lastCorners_;
        return {};
    }
    [[nodiscard]] LayerGaps gaps() const { return gaps_.there ? gaps_ : LayerGaps{}; }

  private:
    using Token = std::pair<std::uint64_t, std::uint64_t>;
    [[nodiscard]] std::optional<Token> tokenAt(double now) const {
        const auto values = layer_.values->tokenAt(now);
        const auto numbers = layer_.numbers ? layer_.numbers->tokenAt(now) : std::optional<std::uint64_t>(0);
        return values && numbers ? std::optional(Token{*values, *numbers}) : std::nullopt;
    }
    Status look(double now) {
        WYC_TRY(attribute, layer_.at(now, &mesh_));
        lastEmpty_ = attribute.isEmpty();
        lastCorners_ = 0;
        if (lastEmpty_)
            return {};
        WYC_TRY(topology, mesh_.topologyAt(now));
        std::size_t corner = 0;
        for (std::size_t face = 0; face < topology->faceCount(); ++face)
            for (std::int32_t k = 0; k < topology->faceSizes()[face]; ++k, ++corner)
                lastCorners_ += valueNumber(attribute, face, corner, topology->corners()[corner]) < 0;
        return {};
    }
    const Layer& layer_;
    const Geometry& mesh_;
    Sampling times_;
    std::size_t at_ = 0;
    std::optional<Token> lastToken_;
    bool lastEmpty_ = false;
    std::size_t lastCorners_ = 0;
    LayerGaps gaps_;
};

} // namespace

Result<std::vector<LayerGaps>> layerGaps(const std::vector<Layer>& layers, const Geometry& mesh) {
    std::vector<GapCount> counts;
    if (mesh.sampling().count() > 0)
        for (const Layer& layer : layers)
            counts.emplace_back(layer, mesh);
    for (;;) {
        std::optional<double> now;
        for (const GapCount& one : counts)
            if (const auto next = one.next(); next && (!now || *next < *now))
                now = next;
        if (!now)
            break;
        for (GapCount& one : counts)
            if (const auto next = one.next(); next && *next - *now <= kSameMoment)
                WYC_CHECK(one.count());
    }
    std::vector<LayerGaps> result(layers.size());
    for (std::size_t i = 0; i < counts.size(); ++i)
        result[i] = counts[i].gaps();
    return result;
}

} // namespace wyc
