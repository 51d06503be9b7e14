// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/layer/value.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <unordered_map>

#include <Imath/half.h>

namespace wyc::usd {

std::size_t sizeOf(Base base) {
    switch (base) {
    case Base::Bool:
    case Base::UChar: return 1;
    case Base::Half: return 2;
    case Base::Int:
    case Base::UInt:
    case Base::Float: return 4;
    case Base::Int64:
    case Base::UInt64:
    case Base::Double:
    case Base::TimeCode:
    case Base::Duration: return 8;
    default: return 0;
    }
}

namespace {

using TypeTable = std::unordered_map<std::string_view, Type>;

const TypeTable& types() {
    static const TypeTable kTypes = [] {
        TypeTable table{{"bool", {Base::Bool}},
                        {"uchar", {Base::UChar}},
                        {"int", {Base::Int}},
                        {"uint", {Base::UInt}},
                        {"int64", {Base::Int64}},
                        {"uint64", {Base::UInt64}},
                        {"half", {Base::Half}},
                        {"float", {Base::Float}},
                        {"double", {Base::Double}},
                        {"timecode", {Base::TimeCode}},
                        {"duration", {Base::Duration}},
                        {"string", {Base::String}},
                        {"token", {Base::Token}},
                        {"asset", {Base::Asset}},
                        {"pathExpression", {Base::PathExpression}},
                        {"opaque", {Base::Token}},
                        {"group", {Base::Token}},
                        {"int2", {Base::Int, 2}},
                        {"int3", {Base::Int, 3}},
                        {"int4", {Base::Int, 4}},
                        {"half2", {Base::Half, 2}},
                        {"half3", {Base::Half, 3}},
                        {"half4", {Base::Half, 4}},
                        {"float2", {Base::Float, 2}},
                        {"float3", {Base::Float, 3}},
                        {"float4", {Base::Float, 4}},
                        {"double2", {Base::Double, 2}},
                        {"double3", {Base::Double, 3}},
                        {"double4", {Base::Double, 4}},
                        {"quath", {Base::Half, 4, true}},
                        {"quatf", {Base::Float, 4, true}},
                        {"quatd", {Base::Double, 4, true}},
                        {"matrix2d", {Base::Double, 4, false, false, true}},
                        {"matrix3d", {Base::Double, 9}},
                        {"matrix4d", {Base::Double, 16}},
                        {"frame4d", {Base::Double, 16}},
                        {"texCoord2h", {Base::Half, 2}},
                        {"texCoord2f", {Base::Float, 2}},
                        {"texCoord2d", {Base::Double, 2}},
                        {"texCoord3h", {Base::Half, 3}},
                        {"texCoord3f", {Base::Float, 3}},
                        {"texCoord3d", {Base::Double, 3}},
                        {"color4h", {Base::Half, 4}},
                        {"color4f", {Base::Float, 4}},
                        {"color4d", {Base::Double, 4}}};
        for (const char* role : {"point3", "vector3", "normal3", "color3"}) {
            static std::vector<std::unique_ptr<std::string>> names; // they outlive the table
            for (const auto& [letter, base] : {std::pair{'h', Base::Half}, {'f', Base::Float}, {'d', Base::Double}}) {
                names.push_back(std::make_unique<std::string>(std::string(role) + letter));
                table.emplace(*names.back(), Type{base, 3});
            }
        }
        return table;
    }();
    return kTypes;
}

template<class T> void appendNumbers(std::span<const std::byte> bytes, std::vector<double>& to) {
    const std::size_t count = bytes.size() / sizeof(T);
    for (std::size_t i = 0; i < count; ++i) {
        T value;
        std::memcpy(&value, bytes.data() + i * sizeof(T), sizeof(T));
        to.push_back(static_cast<double>(value));
    }
}

template<class T> void putNumbers(std::span<const double> numbers, std::vector<std::byte>& to) {
    for (const double number : numbers) {
        const T value = static_cast<T>(number);
        const auto* from = reinterpret_cast<const std::byte*>(&value);
        to.insert(to.end(), from, from + sizeof(T));
    }
}

} // namespace

Type typeNamed(std::string_view name) {
    const bool array = name.size() > 2 && name.ends_with("[]");
    if (array)
        name.remove_suffix(2);
    const auto found = types().find(name);
    if (found == types().end())
        return {};
    Type type = found->second;
    type.array = array;
    return type;
}

std::string nameOf(const Type& type) {
    static constexpr const char* kNames[] = {"none",   "bool",  "uchar", "int",           "uint",     "int64",
                                             "uint64", "half",  "float", "double",        "timecode", "duration",
                                             "string", "token", "asset", "pathExpression"};
    std::string name = kNames[static_cast<std::size_t>(type.base)];
    if (type.quaternion)
        name = type.base == Base::Half ? "quath" : type.base == Base::Float ? "quatf" : "quatd";
    else if (type.matrix2)
        name = "matrix2d";
    else if (type.count == 9)
        name = "matrix3d";
    else if (type.count == 16)
        name = "matrix4d";
    else if (type.count > 1)
        name += std::to_string(type.count);
    return type.array ? name + "[]" : name;
}

Result<std::uint64_t> countOf(const Data& data) {
    if (data.texts)
        return static_cast<std::uint64_t>(data.texts->size());
    if (data.source)
        return data.source->count();
    const std::size_t one = sizeOf(data.type);
    return static_cast<std::uint64_t>(data.bytes && one > 0 ? data.bytes->size() / one : 0);
}

Result<std::shared_ptr<const std::vector<std::byte>>> bytesOf(const Data& data) {
    if (!data.source)
        return data.bytes ? data.bytes : std::make_shared<const std::vector<std::byte>>();
    WYC_TRY(bytes, data.source->read());
    return std::make_shared<const std::vector<std::byte>>(std::move(bytes));
}

void ListEdit::applyTo(std::vector<ListItem>& list) const {
    if (isExplicit) {
        list = explicitItems;
        return;
    }
    const auto contains = [](const std::vector<ListItem>& items, const ListItem& item) {
        return std::find(items.begin(), items.end(), item) != items.end();
    };
    const auto takeOut = [&](const std::vector<ListItem>& items) {
        std::erase_if(list, [&](const ListItem& item) { return contains(items, item); });
    };
    takeOut(deleted);
    for (const ListItem& item : added)
        if (!contains(list, item))
            list.push_back(item);
    takeOut(prepended);
    list.insert(list.begin(), prepended.begin(), prepended.end());
    takeOut(appended);
    list.insert(list.end(), appended.begin(), appended.end());
    if (ordered.empty())
        return;
    // Each listed item takes along the unlisted ones that follow it; those in front of all stay in front.
    std::vector<ListItem> rest = list;
    std::vector<ListItem> result;
    std::vector<ListItem> order;
    for (const ListItem& item : ordered)
        if (contains(list, item) && !contains(order, item))
            order.push_back(item);
    for (const ListItem& item : order) {
        const auto at = std::find(rest.begin(), rest.end(), item);
        const auto end =
            std::find_if(at + 1, rest.end(), [&](const ListItem& other) { return contains(order, other); });
        result.insert(result.end(), at, end);
        rest.erase(at, end);
    }
    rest.insert(rest.end(), result.begin(), result.end());
    list = std::move(rest);
}

const std::string* Value::text() const {
    const Data* held = data();
    return held && held->texts && !held->type.array && held->texts->size() == 1 ? &held->texts->front() : nullptr;
}

std::optional<double> Value::number() const {
    const Data* held = data();
    if (!held || held->type.array || held->type.count != 1 || !held->bytes)
        return std::nullopt;
    const std::vector<double> numbers = numbersOf(held->type, *held->bytes);
    return numbers.size() == 1 ? std::optional(numbers.front()) : std::nullopt;
}

std::optional<bool> Value::boolean() const {
    const auto held = number();
    return held ? std::optional(*held != 0.0) : std::nullopt;
}

Value Value::ofText(Base base, std::string text) {
    return Value(Data{{base}, {}, std::make_shared<const std::vector<std::string>>(1, std::move(text)), {}});
}

Value Value::ofTexts(Base base, std::vector<std::string> texts) {
    Type type{base};
    type.array = true;
    return Value(Data{type, {}, std::make_shared<const std::vector<std::string>>(std::move(texts)), {}});
}

Value Value::ofBytes(const Type& type, std::vector<std::byte> bytes) {
    return Value(Data{type, std::make_shared<const std::vector<std::byte>>(std::move(bytes)), {}, {}});
}

Value Value::ofDouble(double number) {
    return ofBytes({Base::Double}, bytesFrom({Base::Double}, std::span(&number, 1)));
}

Value Value::ofBool(bool truth) {
    return ofBytes({Base::Bool}, {std::byte{truth ? std::uint8_t{1} : std::uint8_t{0}}});
}

std::vector<std::string> textsOf(const Value& value) {
    const Data* data = value.data();
    return data && data->texts ? *data->texts : std::vector<std::string>{};
}

Result<std::vector<double>> numbersOf(const Value& value) {
    const Data* data = value.data();
    if (!data || data->type.isText())
        return std::vector<double>{};
    WYC_TRY(bytes, bytesOf(*data));
    return numbersOf(data->type, *bytes);
}

std::vector<double> numbersOf(const Type& type, std::span<const std::byte> bytes) {
    std::vector<double> numbers;
    const std::size_t size = sizeOf(type.base);
    if (size == 0)
        return numbers;
    numbers.reserve(bytes.size() / size);
    switch (type.base) {
    case Base::Bool:
    case Base::UChar: appendNumbers<std::uint8_t>(bytes, numbers); break;
    case Base::Int: appendNumbers<std::int32_t>(bytes, numbers); break;
    case Base::UInt: appendNumbers<std::uint32_t>(bytes, numbers); break;
    case Base::Int64: appendNumbers<std::int64_t>(bytes, numbers); break;
    case Base::UInt64: appendNumbers<std::uint64_t>(bytes, numbers); break;
    case Base::Float: appendNumbers<float>(bytes, numbers); break;
    case Base::Half:
        for (std::size_t i = 0; i + 2 <= bytes.size(); i += 2) {
            std::uint16_t half = 0;
            std::memcpy(&half, bytes.data() + i, 2);
            numbers.push_back(halfToDouble(half));
        }
        break;
    default: appendNumbers<double>(bytes, numbers); break;
    }
    return numbers;
}

Result<std::vector<std::int64_t>> wholesOf(const Value& value) {
    const Data* data = value.data();
    std::vector<std::int64_t> result;
    if (!data || data->texts)
        return result;
    WYC_TRY(bytes, bytesOf(*data));
    if (data->type.count == 1 && (data->type.base == Base::Int64 || data->type.base == Base::UInt64)) {
        result.resize(bytes->size() / sizeof(std::int64_t));
        std::copy_n(bytes->begin(), sizeof(std::int64_t) * result.size(),
                    std::as_writable_bytes(std::span(result)).begin());
        return result;
    }
    constexpr double kMost = 9.2e18; // below 2⁶³
    for (const double number : numbersOf(data->type, *bytes))
        result.push_back(std::isnan(number) ? 0 : static_cast<std::int64_t>(std::clamp(number, -kMost, kMost)));
    return result;
}

std::vector<std::byte> bytesFrom(const Type& type, std::span<const double> numbers) {
    std::vector<std::byte> bytes;
    bytes.reserve(numbers.size() * sizeOf(type.base));
    switch (type.base) {
    case Base::Bool:
    case Base::UChar: putNumbers<std::uint8_t>(numbers, bytes); break;
    case Base::Int: putNumbers<std::int32_t>(numbers, bytes); break;
    case Base::UInt: putNumbers<std::uint32_t>(numbers, bytes); break;
    case Base::Int64: putNumbers<std::int64_t>(numbers, bytes); break;
    case Base::UInt64: putNumbers<std::uint64_t>(numbers, bytes); break;
    case Base::Float: putNumbers<float>(numbers, bytes); break;
    case Base::Half:
        for (const double number : numbers) {
            const std::uint16_t half = doubleToHalf(number);
            const auto* from = reinterpret_cast<const std::byte*>(&half);
            bytes.insert(bytes.end(), from, from + 2);
        }
        break;
    default: putNumbers<double>(numbers, bytes); break;
    }
    return bytes;
}

double halfToDouble(std::uint16_t bits) {
    Imath::half half;
    half.setBits(bits);
    return static_cast<double>(static_cast<float>(half));
}

std::uint16_t doubleToHalf(double number) {
    // Through float32 a number could be rounded twice: where it lies half way between two halves for float32 but not
    // for double, the float32 is moved off by its last bit towards the number.
    float single = static_cast<float>(number);
    if (const double back = static_cast<double>(single); back != number && std::isfinite(single)) {
        std::uint32_t bits = 0;
        std::memcpy(&bits, &single, 4);
        if ((bits & 0xfffU) == 0) // ends in zeros: it may be such a half way
            single = std::nextafter(single, number > back ? INFINITY : -INFINITY);
    }
    return Imath::half(single).bits();
}

const Value* entryOf(const Dictionary* dictionary, std::string_view key) {
    if (!dictionary)
        return nullptr;
    const auto found =
        std::find_if(dictionary->begin(), dictionary->end(), [&](const auto& e) { return e.first == key; });
    return found == dictionary->end() ? nullptr : &found->second;
}

} // namespace wyc::usd
