// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/values.h"

#include <algorithm>
#include <cmath>

#include "formats/usd/schema/places.h"

namespace wyc::usd {
namespace {

class AttributeValues final : public SampledValues {
  public:
    AttributeValues(Attribute attribute, const Clock& clock, ValuesAs as)
        : attribute_(std::move(attribute)), clock_(clock), as_(std::move(as)) {
        const Type& type = attribute_.type;
        own_ = valueTypeOf(type.base);
        type_ = as_.type.value_or(own_);
        const auto size = static_cast<std::uint32_t>(type.count) *
                          static_cast<std::uint32_t>(type.array ? attribute_.elementSize : 1);
        extent_ = as_.extent > 0 ? as_.extent : size;
        // Numbers of values are unsigned elsewhere: their bits stay.
        const bool sameBits = type_ == own_ || (own_ == ValueType::Int32 && type_ == ValueType::UInt32);
        asIs_ = sameBits && type.base != Base::Half && as_.factor == 1.0 && as_.first == 0 &&
                (type.array || extent_ == size);
        codes_ = codesOf(attribute_);
        sampling_ = codes_.size() < 2 ? Sampling::still() : clock_.sampling(codes_);
    }
    [[nodiscard]] ValueType type() const override { return type_; }
    [[nodiscard]] std::uint32_t extent() const override { return extent_; }
    [[nodiscard]] bool isArray() const override { return attribute_.type.array; }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return at(codes_.empty() ? 0.0 : codes_[sample]);
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        if (!straightBetween() && sampling_.locate(seconds).weight > 0.0)
            return at(clock_.code(seconds));
        return SampledValues::readAt(seconds, how);
    }
    [[nodiscard]] bool straightBetween() const override { return attribute_.source.from != ValueSource::From::Spline; }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        const ValueSource& source = attribute_.source;
        if (source.from != ValueSource::From::Samples)
            return std::nullopt;
        const auto value = source.samples->value(sample);
        const Data* data = value ? value->data() : nullptr;
        return data && data->source ? std::optional(data->source->token()) : std::nullopt;
    }

  private:
    [[nodiscard]] Result<PropertyValue> at(double code) const {
        WYC_TRY(value, attribute_.at(code));
        const Data* data = value.data();
        PropertyValue result;
        if (type_ == ValueType::String) {
            if (data && data->texts)
                for (const std::string& text : *data->texts) {
                    const auto raw = std::as_bytes(std::span(text.c_str(), text.size() + 1));
                    result.bytes.insert(result.bytes.end(), raw.begin(), raw.end());
                }
            if (result.bytes.empty() && !attribute_.type.array)
                result.bytes.push_back(std::byte{0});
            return result;
        }
        if (!data || data->texts) { // a block
            if (!attribute_.type.array) {
                std::vector<double> numbers = as_.otherwise;
                numbers.resize(extent_, 0.0);
                result.bytes = bytesFrom({baseOf(type_)}, numbers);
            }
            return result;
        }
        WYC_TRY(bytes, bytesOf(*data));
        if (asIs_) {
            result.bytes = *bytes;
            return result;
        }
        std::vector<double> numbers = numbersOf(data->type, *bytes);
        if (!attribute_.type.array && extent_ < numbers.size())
            numbers = {numbers.begin() + as_.first, numbers.begin() + as_.first + static_cast<std::ptrdiff_t>(extent_)};
        if (as_.factor != 1.0)
            for (double& number : numbers)
                number *= as_.factor;
        result.bytes = bytesFrom({baseOf(type_)}, numbers);
        return result;
    }

    Attribute attribute_;
    Clock clock_;
    ValuesAs as_;
    ValueType own_{};
    ValueType type_{};
    std::uint32_t extent_ = 1;
    bool asIs_ = false;
    std::vector<double> codes_;
    Sampling sampling_;
};

} // namespace

double Clock::seconds(double code) const {
    return rate.secondsAt(code);
}

Sampling Clock::sampling(const std::vector<double>& codes) const {
    std::vector<double> times;
    times.reserve(codes.size());
    for (const double code : codes)
        times.push_back(seconds(code));
    return samplingFromTimes(times);
}

namespace {

// Where a value jumps, two samples lie at one moment but for a rounding. For us these would be one: the earlier moves a
// little away, onto the way that leads to it.
void partJumps(std::vector<double>& codes) {
    constexpr double kNear = 1e-6;
    constexpr double kAway = 2e-3;
    for (std::size_t i = 0; i + 1 < codes.size(); ++i)
        if (codes[i + 1] - codes[i] < kNear && (i == 0 || codes[i] - codes[i - 1] > 2.0 * kAway))
            codes[i] = codes[i + 1] - kAway;
}

} // namespace

std::vector<double> codesOf(const Attribute& attribute) {
    if (attribute.source.from == ValueSource::From::Clips) {
        std::vector<double> codes = attribute.times();
        partJumps(codes);
        return codes;
    }
    if (attribute.source.from != ValueSource::From::Spline)
        return attribute.times();
    std::vector<double> codes;
    for (const Spline::Knot& knot : attribute.source.spline->knots)
        codes.push_back(attribute.source.toRoot.outside(knot.time));
    std::sort(codes.begin(), codes.end());
    if (codes.size() > 1) // it bends between its knots
        for (double frame = std::ceil(codes.front()), last = codes.back(); frame <= last && codes.size() < 1'000'000;
             frame += 1.0)
            codes.push_back(frame);
    std::sort(codes.begin(), codes.end());
    codes.erase(std::unique(codes.begin(), codes.end()), codes.end());
    return codes;
}

std::vector<double> codesOf(const std::vector<const Attribute*>& attributes) {
    std::vector<double> codes;
    for (const Attribute* attribute : attributes) {
        const std::vector<double> own = codesOf(*attribute);
        codes.insert(codes.end(), own.begin(), own.end());
    }
    std::sort(codes.begin(), codes.end());
    codes.erase(std::unique(codes.begin(), codes.end()), codes.end());
    return codes;
}

Result<std::vector<double>> numbersAtCode(const Attribute& attribute, double code) {
    if (!attribute.isThere())
        return std::vector<double>{};
    WYC_TRY(value, attribute.at(code));
    return numbersOf(value);
}

Result<std::vector<std::int64_t>> wholesAtCode(const Attribute& attribute, double code) {
    if (!attribute.isThere())
        return std::vector<std::int64_t>{};
    WYC_TRY(value, attribute.at(code));
    return wholesOf(value);
}

std::string textAtCode(const Attribute& attribute, double code, std::string otherwise) {
    if (!attribute.isThere())
        return otherwise;
    const auto value = attribute.at(code);
    return value && value->text() ? *value->text() : otherwise;
}

ValuesPtr valuesOf(const Attribute& attribute, const Clock& clock, const ValuesAs& as) {
    if (!attribute.hasValue() || attribute.type.base == Base::None)
        return nullptr;
    const ValueType own = valueTypeOf(attribute.type.base);
    if (as.type && (own == ValueType::String) != (*as.type == ValueType::String))
        return nullptr;
    if (as.extent > 0 && !attribute.type.array &&
        attribute.type.count < as.extent + static_cast<std::uint32_t>(as.first))
        return nullptr;
    if (attribute.source.from == ValueSource::From::Default &&
        (attribute.source.value.as<Opaque>() || attribute.source.value.pointed<ArrayEdit>()))
        return nullptr;
    return std::make_shared<AttributeValues>(attribute, clock, as);
}

} // namespace wyc::usd
