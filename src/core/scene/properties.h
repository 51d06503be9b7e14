// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Everything sampled that a node has besides its points, faces, UVs, normals, transform and visibility: geometry
// parameters, user properties, camera figures, widths, velocities, settings that only another application knows.
// Carried through every step; what a step on space means for a property follows from its role.
#include <cstdint>
#include <cstring>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "scene/geometry.h"
#include "time/sampling.h"

namespace wyc {

class Transform;

/// Element types in the order in which archives number them.
enum class ValueType : std::uint8_t {
    Bool,
    UInt8,
    Int8,
    UInt16,
    Int16,
    UInt32,
    Int32,
    UInt64,
    Int64,
    Half,
    Float,
    Double,
    String,
    WideString
};
/// Bytes of one element; 0 for strings.
[[nodiscard]] std::size_t elementSize(ValueType type);

/// Elements one after another, little-endian. Each string ends in a zero; wide strings are 32-bit units.
struct PropertyValue {
    std::vector<std::byte> bytes;
    std::vector<std::uint64_t> dimensions; // of an array, where they do not follow from the size
    bool operator==(const PropertyValue&) const = default;
};

/// A sampled value or array of values. Immutable and safe to read from several threads.
class SampledValues {
  public:
    virtual ~SampledValues() = default;
    [[nodiscard]] virtual ValueType type() const = 0;
    [[nodiscard]] virtual std::uint32_t extent() const = 0; // elements in one value
    [[nodiscard]] virtual bool isArray() const = 0;
    /// Its count is the number of samples, and may be 0.
    [[nodiscard]] virtual const Sampling& sampling() const = 0;
    [[nodiscard]] virtual Result<PropertyValue> read(std::size_t sample) const = 0;
    /// True when all samples are known to be equal.
    [[nodiscard]] virtual bool constant() const { return sampling().count() < 2; }
    /// A number that is equal for samples known to be equal without reading them.
    [[nodiscard]] virtual std::optional<std::uint64_t> token(std::size_t) const { return std::nullopt; }
};
using ValuesPtr = std::shared_ptr<const SampledValues>;

class MemoryValues final : public SampledValues {
  public:
    MemoryValues(ValueType type, std::uint32_t extent, bool array, Sampling sampling,
                 std::vector<PropertyValue> samples)
        : type_(type), extent_(extent), array_(array), sampling_(std::move(sampling)), samples_(std::move(samples)) {}
    [[nodiscard]] ValueType type() const override { return type_; }
    [[nodiscard]] std::uint32_t extent() const override { return extent_; }
    [[nodiscard]] bool isArray() const override { return array_; }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override { return samples_.at(sample); }

  private:
    ValueType type_;
    std::uint32_t extent_;
    bool array_;
    Sampling sampling_;
    std::vector<PropertyValue> samples_;
};

/// Passes everything on; base of what changes one aspect.
class ValuesWrapper : public SampledValues {
  public:
    explicit ValuesWrapper(ValuesPtr inner) : inner_(std::move(inner)) {}
    [[nodiscard]] ValueType type() const override { return inner_->type(); }
    [[nodiscard]] std::uint32_t extent() const override { return inner_->extent(); }
    [[nodiscard]] bool isArray() const override { return inner_->isArray(); }
    [[nodiscard]] const Sampling& sampling() const override { return inner_->sampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override { return inner_->read(sample); }
    [[nodiscard]] bool constant() const override { return inner_->constant(); }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t s) const override { return inner_->token(s); }

  protected:
    [[nodiscard]] const SampledValues& inner() const { return *inner_; }

  private:
    ValuesPtr inner_;
};

/// What a number means in space.
enum class SpaceRole {
    None,
    Length,    // scaled
    Position,  // a place: moved, turned and scaled, in triples
    Vector,    // a difference of places: turned and scaled
    Velocity,  // such a difference a second, of the point of the same number: moved along by what moves its space
    Normal,    // turned by the inverse transpose, its length kept
    Box,       // low and high corner: turned and scaled
    CameraCore // the sixteen camera figures: near, far and focus distance are scaled
};

struct PropertyNode {
    std::string name;
    std::map<std::string, std::string> metadata;
    ValuesPtr values; // null = a group
    std::vector<PropertyNode> children;
    SpaceRole role = SpaceRole::None;

    [[nodiscard]] const PropertyNode* child(std::string_view childName) const;
};

/// A node's properties in their order, made when they are asked for. Names and grouping are those of the scene
/// archive: shape and camera properties under ".geom" (there ".arbGeomParams" and ".userProperties"), those of a
/// transform under ".xform".
class Properties {
  public:
    virtual ~Properties() = default;
    [[nodiscard]] virtual std::vector<PropertyNode> all() const = 0;
    /// The shape and transform that the properties describe. Where the node's are others (a step changed them),
    /// the properties of points, faces, UVs, normals, bounds and matrices are out of date and to be made anew.
    [[nodiscard]] virtual const Geometry* shape() const { return nullptr; }
    [[nodiscard]] virtual const Transform* transform() const { return nullptr; }
    /// The container's remarks about the node itself.
    [[nodiscard]] virtual const std::map<std::string, std::string>& metadata() const = 0;
};
using PropertiesPtr = std::shared_ptr<const Properties>;

class MemoryProperties final : public Properties {
  public:
    explicit MemoryProperties(std::vector<PropertyNode> list, std::map<std::string, std::string> metadata = {})
        : list_(std::move(list)), metadata_(std::move(metadata)) {}
    [[nodiscard]] std::vector<PropertyNode> all() const override { return list_; }
    [[nodiscard]] const std::map<std::string, std::string>& metadata() const override { return metadata_; }

  private:
    std::vector<PropertyNode> list_;
    std::map<std::string, std::string> metadata_;
};

/// The same properties with each one that has values replaced by what `change` gives; null takes it away. The
/// parents' names are given as a path: ".geom/.arbGeomParams".
using PropertyChange = std::function<ValuesPtr(const PropertyNode& property, const std::string& path,
                                               const std::vector<PropertyNode>& siblings)>;
[[nodiscard]] PropertiesPtr changedProperties(PropertiesPtr inner, PropertyChange change);

/// A property by its path (".geom/.core"); nothing where there is none, or no sample of it.
[[nodiscard]] std::optional<PropertyNode> findProperty(const PropertiesPtr& properties, std::string_view path);
/// Elements of a sample as T. An error when the type has another size.
template<class T> [[nodiscard]] Result<std::vector<T>> valuesOf(const SampledValues& values, std::size_t sample) {
    if (elementSize(values.type()) != sizeof(T))
        return fail(ErrorKind::BadInput, "a property holds another type than is needed here");
    WYC_TRY(value, values.read(sample));
    std::vector<T> result(value.bytes.size() / sizeof(T));
    if (!result.empty())
        std::memcpy(result.data(), value.bytes.data(), result.size() * sizeof(T));
    return result;
}
/// Calls change(std::span<float>) or change(std::span<double>) on a value's numbers; does nothing for other types.
template<class F> void changeNumbers(ValueType type, PropertyValue& value, F&& change) {
    const auto with = [&]<class T>(T) {
        std::vector<T> numbers(value.bytes.size() / sizeof(T));
        if (numbers.empty())
            return;
        std::memcpy(numbers.data(), value.bytes.data(), numbers.size() * sizeof(T));
        change(std::span<T>(numbers));
        std::memcpy(value.bytes.data(), numbers.data(), numbers.size() * sizeof(T));
    };
    if (type == ValueType::Float)
        with(0.0F);
    else if (type == ValueType::Double)
        with(0.0);
}
/// Strings of a sample as UTF-8.
[[nodiscard]] Result<std::vector<std::string>> stringsOf(const SampledValues& values, std::size_t sample);
[[nodiscard]] std::vector<std::string> stringsOf(ValueType type, std::span<const std::byte> bytes);

template<class T>
[[nodiscard]] ValuesPtr memoryValues(ValueType type, std::uint32_t extent, bool array, Sampling sampling,
                                     const std::vector<std::vector<T>>& samples) {
    std::vector<PropertyValue> made;
    for (const std::vector<T>& sample : samples) {
        const auto raw = std::as_bytes(std::span(sample));
        made.push_back({{raw.begin(), raw.end()}, {}});
    }
    return std::make_shared<MemoryValues>(type, extent, array, std::move(sampling), std::move(made));
}

/// What a property's name, place and stated interpretation say it is in space.
[[nodiscard]] SpaceRole roleOf(const PropertyNode& property, const std::string& path);

/// The sample that stands for a time.
[[nodiscard]] Sampling::Position locateIn(const SampledValues& values, double seconds, const FrameRate& rate);

} // namespace wyc
