// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/values_write.h"

#include <algorithm>
#include <cmath>

#include "scene/channels.h"

namespace wyc::usd {
namespace {

// An array that is made when somebody writes it.
class LazyArray final : public ArraySource {
  public:
    LazyArray(Type type, LazySamples::Make make) : type_(type), make_(std::move(make)) {}
    [[nodiscard]] Result<std::uint64_t> count() const override {
        WYC_TRY(bytes, read());
        return static_cast<std::uint64_t>(bytes.size() / sizeOf(type_));
    }
    [[nodiscard]] Result<std::vector<std::byte>> read() const override {
        WYC_TRY(value, make_(0));
        if (!value.data())
            return std::vector<std::byte>{};
        WYC_TRY(bytes, bytesOf(*value.data()));
        return *bytes;
    }
    [[nodiscard]] Status readRange(std::uint64_t, std::span<std::byte>) const override {
        return fail(ErrorKind::Internal, "what is being written is not read in parts");
    }
    [[nodiscard]] std::uint64_t token() const override { return reinterpret_cast<std::uintptr_t>(this); }

  private:
    Type type_;
    LazySamples::Make make_;
};

} // namespace

// Of a frame: what adding up steps of a frame is off by, and no more.
constexpr double kRounded = 1e-7;

double WriteClock::code(double seconds) const {
    const double plain = rate.frameAt(seconds);
    if (const double whole = std::round(plain); std::abs(plain - whole) < kRounded)
        return whole;
    for (const double candidate : {plain, std::nextafter(plain, INFINITY), std::nextafter(plain, -INFINITY)})
        if (rate.secondsAt(candidate) == seconds)
            return candidate;
    return plain;
}

std::vector<double> WriteClock::codes(const Sampling& sampling) const {
    std::vector<double> codes;
    codes.reserve(sampling.count());
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        double one = code(sampling.time(i));
        if (!codes.empty() && one <= codes.back())
            one = std::nextafter(codes.back(), INFINITY);
        codes.push_back(one);
    }
    return codes;
}

void setField(Fields& fields, std::string_view name, Value value) {
    for (Field& field : fields)
        if (field.name == name) {
            field.value = std::move(value);
            return;
        }
    fields.push_back({std::string(name), std::move(value)});
}

PrimSpec& addPrim(PrimSpec& parent, const std::string& name, const std::string& typeName) {
    auto prim = std::make_unique<PrimSpec>();
    prim->name = name;
    prim->fields.push_back({"specifier", Value::ofText(Base::Token, "def")});
    if (!typeName.empty())
        prim->fields.push_back({"typeName", Value::ofText(Base::Token, typeName)});
    parent.children.push_back(std::move(prim));
    return *parent.children.back();
}

namespace {

PropertySpec& propertyOf(PrimSpec& prim, const std::string& name, bool relationship) {
    for (PropertySpec& property : prim.properties)
        if (property.name == name)
            return property;
    prim.properties.push_back({name, relationship, {}});
    return prim.properties.back();
}

} // namespace

PropertySpec& attributeOf(PrimSpec& prim, const std::string& name, const std::string& typeName) {
    PropertySpec& property = propertyOf(prim, name, false);
    setField(property.fields, "typeName", Value::ofText(Base::Token, typeName));
    return property;
}

PropertySpec& uniformToken(PrimSpec& prim, const std::string& name, const std::string& text) {
    PropertySpec& property = attributeOf(prim, name, "token");
    setField(property.fields, "variability", Value::ofText(Base::Token, "uniform"));
    setText(property, Base::Token, text);
    return property;
}

PropertySpec& relationshipOf(PrimSpec& prim, const std::string& name, const std::vector<std::string>& targets) {
    PropertySpec& property = propertyOf(prim, name, true);
    setField(property.fields, "variability", Value::ofText(Base::Token, "uniform"));
    ListEdit list;
    list.of = ListEdit::Of::Paths;
    list.isExplicit = true;
    for (const std::string& target : targets)
        list.explicitItems.push_back({target});
    setField(property.fields, "targetPaths", Value(std::make_shared<const ListEdit>(std::move(list))));
    return property;
}

void setText(PropertySpec& property, Base base, const std::string& text) {
    setField(property.fields, "default", Value::ofText(base, text));
}

void applySchema(PrimSpec& prim, const std::string& schema) {
    ListEdit list;
    if (const Value* held = prim.field("apiSchemas"); held && held->list())
        list = *held->list();
    list.of = ListEdit::Of::Tokens;
    const auto& there = list.prepended;
    if (std::any_of(there.begin(), there.end(), [&](const ListItem& item) { return item.text == schema; }))
        return;
    list.prepended.push_back({schema});
    setField(prim.fields, "apiSchemas", Value(std::make_shared<const ListEdit>(std::move(list))));
}

void setTrack(PropertySpec& property, const Type& type, std::vector<double> codes, LazySamples::Make make,
              bool stillIfEqual) {
    if (codes.size() > 1) {
        setField(property.fields, "timeSamples",
                 Value(std::shared_ptr<const Samples>(
                     std::make_shared<const LazySamples>(std::move(codes), std::move(make), stillIfEqual))));
        return;
    }
    if (type.array && !type.isText()) {
        setField(property.fields, "default",
                 Value(Data{type, {}, {}, std::make_shared<const LazyArray>(type, std::move(make))}));
        return;
    }
    // Single values and texts are small. What cannot be read is said when it is written.
    auto value = make(0);
    if (value)
        setField(property.fields, "default", std::move(*value));
    else
        setField(property.fields, "default",
                 Value(std::shared_ptr<const Samples>(std::make_shared<const LazySamples>(
                     std::vector<double>{0.0},
                     [error = value.error()](std::size_t) -> Result<Value> { return tl::unexpected<Error>(error); }))));
}

Value valueOfNumbers(const Type& type, std::span<const double> numbers) {
    return Value::ofBytes(type, bytesFrom(type, numbers));
}

void setValues(PropertySpec& property, const ValuesPtr& values, const AttributeType& type, const WriteClock& clock,
               const ChangeNumbers& change) {
    if (type.elementSize > 1)
        setField(
            property.fields, "elementSize",
            Value::ofBytes({Base::Int}, bytesFrom({Base::Int}, std::array{static_cast<double>(type.elementSize)})));
    const Type made = type.type;
    const StoredKind kind = storedKind(type);
    auto read = [values, made, kind, change](std::size_t sample) -> Result<Value> {
        if (made.isText()) {
            WYC_TRY(texts, stringsOf(*values, sample));
            if (made.array)
                return Value::ofTexts(made.base, std::move(texts));
            return Value::ofText(made.base, texts.empty() ? std::string() : std::move(texts.front()));
        }
        WYC_TRY(value, values->read(sample));
        const bool sameBits = values->type() == kind.type ||
                              (values->type() == ValueType::UInt32 && kind.type == ValueType::Int32) ||
                              (values->type() == ValueType::UInt64 && kind.type == ValueType::Int64);
        if (sameBits && made.base != Base::Half && !change)
            return Value::ofBytes(made, std::move(value.bytes));
        WYC_TRY(numbers, numbersOf(*values, sample));
        if (change)
            change(numbers);
        return valueOfNumbers(made, numbers);
    };
    const bool still = values->sampling().count() < 2;
    setTrack(property, made, still ? std::vector<double>{} : clock.codes(values->sampling()), std::move(read));
}

} // namespace wyc::usd
