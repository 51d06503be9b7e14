// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/channels.h"

#include <algorithm>

#include <Eigen/Core>
#include <fmt/format.h>

#include "scene/layers.h"

namespace wyc {
namespace {

// Halves are not mixed: nothing here reads them as numbers that lie between.
bool isReal(ValueType type) {
    return type == ValueType::Float || type == ValueType::Double;
}

Scope scopeOf(Meaning meaning, Scope stated) {
    const MeaningTraits& traits = traitsOf(meaning);
    return traits.attribute ? stated : traits.scope.value_or(Scope::Constant);
}

Channel channelOf(const PropertyNode& property, const PropertyNode* group, const std::string& path) {
    // Parts of a group with a meaning (values, and numbers into them) are of what the group is.
    const bool part = group && group->meaning != Meaning::Unknown && property.meaning == Meaning::Unknown;
    Channel channel;
    channel.name = toldAs(property, path);
    channel.meaning = part ? group->meaning : property.meaning;
    channel.space = property.role;
    channel.time = property.time;
    channel.scope = scopeOf(channel.meaning, part ? group->scope : property.scope);
    channel.values = property.values;
    channel.blend = !isReal(property.values->type())     ? Blend::Held
                    : property.role == SpaceRole::Normal ? Blend::UnitLength
                    : property.role == SpaceRole::Turn   ? Blend::Sphere
                                                         : Blend::Linear;
    if (const PropertyNode* numbers = part ? numberingOf(*group) : nullptr) {
        channel.indices = numbers->name == property.name;
        channel.name = path + (channel.indices ? "/numbers" : "/values"); // whatever its format calls them
        if (!channel.indices)
            channel.numbers = numbers->values;
    }
    return channel;
}

void collect(const std::vector<PropertyNode>& list, const PropertyNode* group, const std::string& path,
             std::vector<Channel>& into) {
    for (const PropertyNode& property : list) {
        if (property.meaning == Meaning::Itself)
            continue;
        if (property.values)
            into.push_back(channelOf(property, group, path));
        else
            collect(property.children, &property, toldAs(property, path), into);
    }
}

// UVs, normals or colours of a mesh, whatever way they are stored: a value for every corner.
class LaidOutLayer final : public SampledValues {
  public:
    LaidOutLayer(GeometryPtr mesh, Layer layer)
        : mesh_(std::move(mesh)), layer_(std::move(layer)), sampling_(layer_.timesOn(*mesh_)) {}
    [[nodiscard]] ValueType type() const override { return ValueType::Float; }
    [[nodiscard]] std::uint32_t extent() const override { return layer_.comparedExtent(); }
    [[nodiscard]] bool isArray() const override { return true; }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] bool constant() const override { return sampling_.count() < 2; }
    [[nodiscard]] bool sameAlways() const override { return layer_.sameAlways() && !mesh_->topologyVaries(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return readAt(sampling_.time(sample), {});
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix&) const override {
        WYC_TRY(attribute, layer_.at(seconds, mesh_.get()));
        if (attribute.isEmpty())
            return PropertyValue{};
        WYC_TRY(topology, mesh_->topologyAt(seconds));
        WYC_TRY(points, mesh_->pointCountAt(seconds));
        const std::vector<float> values = cornerValues(attribute, *topology, points, extent());
        const auto raw = std::as_bytes(std::span(values));
        return PropertyValue{{raw.begin(), raw.end()}, {}};
    }

  private:
    GeometryPtr mesh_;
    Layer layer_;
    Sampling sampling_;
};

template<class T> std::vector<double> widened(std::span<const std::byte> bytes) {
    std::vector<T> values(bytes.size() / sizeof(T));
    if (!values.empty())
        std::memcpy(values.data(), bytes.data(), values.size() * sizeof(T));
    std::vector<double> result(values.size());
    for (std::size_t i = 0; i < values.size(); ++i)
        result[i] = static_cast<double>(values[i]);
    return result;
}

std::vector<double> numbersIn(ValueType type, std::span<const std::byte> bytes) {
    switch (type) {
    case ValueType::Bool:
    case ValueType::UInt8: return widened<std::uint8_t>(bytes);
    case ValueType::Int8: return widened<std::int8_t>(bytes);
    case ValueType::UInt16: return widened<std::uint16_t>(bytes);
    case ValueType::Int16: return widened<std::int16_t>(bytes);
    case ValueType::UInt32: return widened<std::uint32_t>(bytes);
    case ValueType::Int32: return widened<std::int32_t>(bytes);
    case ValueType::UInt64: return widened<std::uint64_t>(bytes);
    case ValueType::Int64: return widened<std::int64_t>(bytes);
    case ValueType::Half: return widened<Eigen::half>(bytes);
    case ValueType::Float: return widened<float>(bytes);
    case ValueType::Double: return widened<double>(bytes);
    case ValueType::String:
    case ValueType::WideString: break;
    }
    return {};
}

} // namespace

std::vector<Channel> channelsOf(const PropertiesPtr& properties) {
    std::vector<Channel> result;
    if (properties)
        collect(properties->all(), nullptr, {}, result);
    return result;
}

std::vector<Channel> channelsOf(const Node& node) {
    std::vector<Channel> result = channelsOf(node.properties);
    std::erase_if(result, [](const Channel& channel) { return isLayer(channel.meaning); });
    if (!node.geometry || node.geometry->sampling().count() == 0)
        return result;
    for (Layer& layer : layersOf(node.properties)) {
        Channel channel;
        channel.name = layer.name;
        channel.meaning = layer.meaning;
        channel.space = layer.meaning == Meaning::Normals ? SpaceRole::Normal : SpaceRole::None;
        channel.blend = layer.meaning == Meaning::Normals ? Blend::UnitLength : Blend::Linear;
        channel.scope = Scope::Corner;
        channel.numbers = layer.numbers;
        channel.values = std::make_shared<LaidOutLayer>(node.geometry, std::move(layer));
        result.push_back(std::move(channel));
    }
    return result;
}

const Channel* channelNamed(const std::vector<Channel>& channels, std::string_view name) {
    const auto found = std::find_if(channels.begin(), channels.end(), [&](const Channel& c) { return c.name == name; });
    return found == channels.end() ? nullptr : &*found;
}

bool isSpeedOfPoints(const Channel& channel) {
    return channel.time == TimeRole::Rate && channel.space == SpaceRole::Vector && channel.values->extent() == 3 &&
           channel.values->isArray();
}

PropertiesPtr changedChannels(const PropertiesPtr& properties, ChannelChange change) {
    return changedProperties(properties,
                             [change = std::move(change)](const PropertyNode& property, const PropertyNode* group,
                                                          const std::string& path) -> ValuesPtr {
                                 return property.meaning == Meaning::Itself ? property.values
                                                                            : change(channelOf(property, group, path));
                             });
}

Result<std::vector<double>> numbersAt(const SampledValues& values, double seconds, const ValueMix& how) {
    WYC_TRY(value, values.readAt(seconds, how));
    return numbersIn(values.type(), value.bytes);
}

Result<std::vector<double>> numbersOf(const SampledValues& values, std::size_t sample) {
    WYC_TRY(value, values.read(sample));
    return numbersIn(values.type(), value.bytes);
}

} // namespace wyc
