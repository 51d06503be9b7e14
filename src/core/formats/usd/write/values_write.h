// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Tracks of ours as values of a layer: seconds become time codes.
#include <functional>

#include "formats/usd/layer/layer.h"
#include "formats/usd/schema/places.h"
#include "scene/properties.h"

namespace wyc::usd {

/// Time codes of the layer that is written, at `rate` a second.
struct WriteClock {
    FrameRate rate;
    /// The code whose moment is this one, where there is one that is read back to the last bit.
    [[nodiscard]] double code(double seconds) const;
    /// Of all samples; rising.
    [[nodiscard]] std::vector<double> codes(const Sampling& sampling) const;
};

/// Samples that are worked out when they are written.
class LazySamples final : public Samples {
  public:
    using Make = std::function<Result<Value>(std::size_t sample)>;
    LazySamples(std::vector<double> codes, Make make, bool stillIfEqual = false)
        : codes_(std::move(codes)), make_(std::move(make)), stillIfEqual_(stillIfEqual) {}
    [[nodiscard]] const std::vector<double>& times() const override { return codes_; }
    [[nodiscard]] Result<Value> value(std::size_t sample) const override { return make_(sample); }
    [[nodiscard]] bool stillIfEqual() const override { return stillIfEqual_; }

  private:
    std::vector<double> codes_;
    Make make_;
    bool stillIfEqual_;
};

// Fields of prims and properties.
/// A prim below another, defined there.
PrimSpec& addPrim(PrimSpec& parent, const std::string& name, const std::string& typeName);
void setField(Fields& fields, std::string_view name, Value value);
/// A property of a prim, added where it is not there.
PropertySpec& attributeOf(PrimSpec& prim, const std::string& name, const std::string& typeName);
PropertySpec& uniformToken(PrimSpec& prim, const std::string& name, const std::string& text);
/// Targets of a relationship, as they are.
PropertySpec& relationshipOf(PrimSpec& prim, const std::string& name, const std::vector<std::string>& targets);
/// A text's default.
void setText(PropertySpec& property, Base base, const std::string& text);
/// Adds to the schemas that are applied to a prim.
void applySchema(PrimSpec& prim, const std::string& schema);

/// One value where nothing moves, made when it is written; else one a sample.
void setTrack(PropertySpec& property, const Type& type, std::vector<double> codes, LazySamples::Make make,
              bool stillIfEqual = false);
/// What turns numbers of ours into those of the file, in place.
using ChangeNumbers = std::function<void(std::vector<double>& numbers)>;
/// A property of ours as an attribute: its values as they are, or `change`d numbers.
void setValues(PropertySpec& property, const ValuesPtr& values, const AttributeType& type, const WriteClock& clock,
               const ChangeNumbers& change = {});
/// Numbers as values of a type, rounded once each.
[[nodiscard]] Value valueOfNumbers(const Type& type, std::span<const double> numbers);
template<class T> [[nodiscard]] Value valueOfArray(const Type& type, std::span<const T> values) {
    const auto raw = std::as_bytes(values);
    return Value::ofBytes(type, {raw.begin(), raw.end()});
}

} // namespace wyc::usd
