// SPDX-License-Identifier: GPL-3.0-or-later
// Values of the binary container, by the words that stand for them.
#include <map>

#include "base/text.h"
#include "formats/usd/binary/coding.h"
#include "formats/usd/binary/container.h"
#include "formats/usd/binary/container_parts.h"
#include "formats/usd/binary/value_kinds.h"
#include "formats/usd/layer/array_edit.h"

namespace wyc::usd {
namespace {

class BinaryArray final : public ArraySource {
  public:
    BinaryArray(std::shared_ptr<const Container> container, ValueWord word, const Type& type)
        : container_(std::move(container)), word_(word), type_(type) {}
    [[nodiscard]] Result<std::uint64_t> count() const override {
        WYC_TRY(found, container_->arrayCount(word_, sizeOf(type_)));
        return found.first;
    }
    [[nodiscard]] Result<std::vector<std::byte>> read() const override {
        WYC_CHECK(container_->bytes().verifyUnchanged());
        return container_->arrayNumbers(word_, type_);
    }
    [[nodiscard]] Status readRange(std::uint64_t first, std::span<std::byte> into) const override {
        WYC_CHECK(container_->bytes().verifyUnchanged());
        const std::uint64_t from = first * sizeOf(type_);
        if (isPlain()) {
            WYC_TRY(found, container_->arrayCount(word_, sizeOf(type_)));
            const std::uint64_t size = found.first * sizeOf(type_);
            if (from > size || into.size() > size - from)
                return fail(ErrorKind::Internal, "more values are asked for than the array has");
            return container_->bytes().read(found.second + from, into);
        }
        WYC_TRY(all, container_->arrayNumbers(word_, type_));
        if (from > all.size() || into.size() > all.size() - from)
            return fail(ErrorKind::Internal, "more values are asked for than the array has");
        std::copy_n(all.begin() + static_cast<std::ptrdiff_t>(from), into.size(), into.begin());
        return {};
    }
    [[nodiscard]] std::uint64_t token() const override { return container_->bytes().offset() + word_.payload(); }
    [[nodiscard]] std::optional<std::uint64_t> byteInFile() const override {
        const auto found = container_->arrayCount(word_, sizeOf(type_));
        return isPlain() && found ? std::optional(container_->bytes().offset() + found->second) : std::nullopt;
    }

  private:
    [[nodiscard]] bool isPlain() const { return !word_.isPacked(); }
    std::shared_ptr<const Container> container_;
    ValueWord word_;
    Type type_;
};

class BinarySamples final : public Samples {
  public:
    BinarySamples(std::shared_ptr<const Container> container, std::shared_ptr<const std::vector<double>> times,
                  std::uint64_t words)
        : container_(std::move(container)), times_(std::move(times)), words_(words) {}
    [[nodiscard]] const std::vector<double>& times() const override { return *times_; }
    [[nodiscard]] Result<Value> value(std::size_t sample) const override {
        ValueWord word;
        WYC_CHECK(container_->bytes().read(words_ + 8 * sample, std::as_writable_bytes(std::span(&word.bits, 1))));
        return container_->value(word);
    }

  private:
    std::shared_ptr<const Container> container_;
    std::shared_ptr<const std::vector<double>> times_;
    std::uint64_t words_; // where they begin
};

} // namespace

Result<std::pair<std::uint64_t, std::uint64_t>> Container::arrayCount(ValueWord word, std::size_t size) const {
    if (word.payload() == 0)
        return std::pair<std::uint64_t, std::uint64_t>{0, 0};
    Cursor cursor(*this, word.payload());
    if (minor_ < 5)
        WYC_CHECK(cursor.read<std::uint32_t>()); // number of dimensions
    std::uint64_t count = 0;
    if (minor_ < 7) {
        WYC_TRY(small, cursor.read<std::uint32_t>());
        count = small;
    } else {
        WYC_TRY(large, cursor.read<std::uint64_t>());
        count = large;
    }
    const std::uint64_t left = bytes_.size() - cursor.at();
    // Packed: two bits a value, and these packed 255 times at most.
    const bool packed = word.isPacked() && count >= kFewestPacked;
    if (packed ? count / 1020 > left : count > left / size)
        return fail(damage(word.payload(),
                           fmt::format("an array is said to have {} values, more than the file can hold", count)));
    return std::pair{count, cursor.at()};
}

Result<std::vector<std::byte>> Container::arrayNumbers(ValueWord word, const Type& type) const {
    const std::size_t size = sizeOf(type);
    WYC_TRY(found, arrayCount(word, size));
    const auto [count, start] = found;
    if (!word.isPacked() || count < kFewestPacked) {
        std::vector<std::byte> bytes(static_cast<std::size_t>(count * size));
        WYC_CHECK(bytes_.read(start, bytes));
        return bytes;
    }
    Cursor cursor(*this, start);
    const auto block = [&]() -> Result<std::vector<std::byte>> {
        WYC_TRY(packedSize, cursor.count(1));
        std::vector<std::byte> bytes(static_cast<std::size_t>(packedSize));
        WYC_CHECK(cursor.readInto(bytes));
        return bytes;
    };
    const auto numbers = [&]<class T>(T, std::uint64_t wanted) -> Result<std::vector<T>> {
        const std::uint64_t where = cursor.at();
        WYC_TRY(bytes, block());
        auto result = unpackedNumbers<T>(bytes, wanted);
        if (!result)
            return fail(damage(where, result.error().what));
        return result;
    };
    const auto asBytes = [](const auto& values) {
        const auto raw = std::as_bytes(std::span(values));
        return std::vector<std::byte>(raw.begin(), raw.end());
    };
    switch (type.base) {
    case Base::Int:
    case Base::UInt: {
        WYC_TRY(values, numbers(std::int32_t{}, count));
        return asBytes(values);
    }
    case Base::Int64:
    case Base::UInt64: {
        WYC_TRY(values, numbers(std::int64_t{}, count));
        return asBytes(values);
    }
    case Base::Half:
    case Base::Float:
    case Base::Double: {
        const std::uint64_t where = cursor.at();
        WYC_TRY(code, cursor.read<char>());
        if (code == 'i') {
            WYC_TRY(values, numbers(std::int32_t{}, count));
            const std::vector<double> wide(values.begin(), values.end());
            return bytesFrom(type, wide);
        }
        if (code != 't')
            return fail(damage(where, "numbers are packed in a way that is not known"));
        WYC_TRY(distinct, cursor.read<std::uint32_t>());
        if (distinct > (bytes_.size() - cursor.at()) / size)
            return fail(damage(where, fmt::format("a table of {} numbers is said to follow", distinct)));
        std::vector<std::byte> table(distinct * size);
        WYC_CHECK(cursor.readInto(table));
        WYC_TRY(which, numbers(std::int32_t{}, count));
        std::vector<std::byte> bytes(static_cast<std::size_t>(count * size));
        for (std::size_t i = 0; i < which.size(); ++i) {
            if (static_cast<std::uint32_t>(which[i]) >= distinct)
                return fail(damage(where, fmt::format("number {} of a table of {} is named", which[i], distinct)));
            std::memcpy(bytes.data() + i * size, table.data() + static_cast<std::size_t>(which[i]) * size, size);
        }
        return bytes;
    }
    default: return fail(damage(word.payload(), "values are packed that never are"));
    }
}

Result<Value> Container::value(ValueWord word) const {
    Walk walk;
    return value(word, walk);
}

Result<Value> Container::value(ValueWord word, Walk& walk) const {
    if (walk.left-- == 0)
        return fail(damage(word.payload(), "a value holds more than a million others"));
    if (word.isArrayEdit()) {
        Type type = numberType(word.type());
        type.array = true;
        return arrayEdit(word, type, walk);
    }
    Type type = numberType(word.type());
    if (word.isArray()) {
        type.array = true;
        if (word.payload() >= bytes_.size())
            return fail(damage(word.payload(), "an array is said to lie behind the end of the file"));
        if (type.base != Base::None) {
            if (word.payload() == 0)
                return Value::ofBytes(type, {});
            return Value(Data{type, {}, {}, std::make_shared<const BinaryArray>(shared_from_this(), word, type)});
        }
        switch (word.type()) {
        case kString: return textArray(word, Base::String);
        case kToken: return textArray(word, Base::Token);
        case kAsset: return textArray(word, Base::Asset);
        case kPathExpression: return textArray(word, Base::PathExpression);
        default: return Value(Opaque{fmt::format("an array of type {}", word.type()), false});
        }
    }
    if (word.isInlined())
        return inlined(word);
    return stored(word, walk);
}

Result<Value> Container::arrayEdit(ValueWord word, const Type& type, Walk& walk) const {
    // The word of its values, then that of its instructions.
    Cursor cursor(*this, word.payload());
    ArrayEdit edit{type};
    ValueWord part;
    WYC_TRY(valuesBits, cursor.read<std::uint64_t>());
    part.bits = valuesBits;
    WYC_TRY(values, value(part, walk));
    WYC_TRY(instructionsBits, cursor.read<std::uint64_t>());
    part.bits = instructionsBits;
    WYC_TRY(instructions, value(part, walk));
    const Data* data = values.data();
    const Data* numbers = instructions.data();
    if (!data || !(data->type == type) || !numbers || !(numbers->type == Type{Base::Int64, 1, false, true}))
        return Value(Opaque{"an edit of an array", false});
    WYC_TRY(bytes, bytesOf(*data));
    edit.values = bytes;
    WYC_TRY(raw, bytesOf(*numbers));
    edit.instructions.resize(raw->size() / sizeof(std::int64_t));
    std::copy_n(raw->begin(), sizeof(std::int64_t) * edit.instructions.size(),
                std::as_writable_bytes(std::span(edit.instructions)).begin());
    edit.words = wordsOf(edit);
    return Value(std::make_shared<const ArrayEdit>(std::move(edit)));
}

Result<Value> Container::textArray(ValueWord word, Base base) const {
    std::vector<std::string> texts;
    WYC_TRY(found, arrayCount(word, sizeof(std::uint32_t)));
    const auto [count, start] = found;
    Cursor cursor(*this, start);
    std::uint64_t characters = 0;
    for (std::uint64_t i = 0; i < count; ++i) {
        const std::uint64_t where = cursor.at();
        WYC_TRY(number, cursor.read<std::uint32_t>());
        WYC_TRY(text, base == Base::Token ? token(number, where) : string(number, where));
        texts.push_back(*text);
        characters += text->size();
        if (characters > kMostTableBytes)
            return fail(damage(where, "an array has more than 4 GB of text"));
    }
    return Value::ofTexts(base, std::move(texts));
}

Result<Value> Container::inlined(ValueWord word) const {
    const std::uint64_t payload = word.payload();
    const auto low = static_cast<std::uint32_t>(payload);
    const Type type = numberType(word.type());
    if (type.base != Base::None) {
        std::vector<double> numbers;
        const auto small = [&](unsigned which) {
            return static_cast<double>(static_cast<std::int8_t>(payload >> (8 * which)));
        };
        if (type.isMatrix()) { // its diagonal
            const unsigned rows = type.matrix2 ? 2 : type.count == 9 ? 3 : 4;
            for (unsigned i = 0; i < rows; ++i)
                for (unsigned k = 0; k < rows; ++k)
                    numbers.push_back(i == k ? small(i) : 0.0);
            return Value::ofBytes(type, bytesFrom(type, numbers));
        }
        if (sizeOf(type) <= 4) { // as it is
            std::vector<std::byte> bytes(sizeOf(type));
            std::copy_n(std::as_bytes(std::span(&low, 1)).begin(), bytes.size(), bytes.begin());
            return Value::ofBytes(type, std::move(bytes));
        }
        if (type.count > 1) {
            for (unsigned i = 0; i < type.count; ++i)
                numbers.push_back(small(i));
            return Value::ofBytes(type, bytesFrom(type, numbers));
        }
        std::vector<std::byte> bytes(sizeOf(type.base));
        switch (type.base) {
        case Base::Double:
        case Base::TimeCode:
        case Base::Duration: {
            float single = 0.0F;
            std::memcpy(&single, &low, 4);
            const auto wide = static_cast<double>(single);
            std::memcpy(bytes.data(), &wide, 8);
            break;
        }
        case Base::Int64: {
            const std::int64_t wide = static_cast<std::int32_t>(low);
            std::memcpy(bytes.data(), &wide, 8);
            break;
        }
        case Base::UInt64: {
            const std::uint64_t wide = low;
            std::memcpy(bytes.data(), &wide, 8);
            break;
        }
        default: break;
        }
        return Value::ofBytes(type, std::move(bytes));
    }
    static constexpr std::uint64_t kInTable = 0; // the word itself has no place in the file
    switch (word.type()) {
    case kString:
    case kPathExpression: {
        WYC_TRY(text, string(low, kInTable));
        return Value::ofText(word.type() == kString ? Base::String : Base::PathExpression, *text);
    }
    case kToken:
    case kAsset: {
        WYC_TRY(text, token(low, kInTable));
        return Value::ofText(word.type() == kToken ? Base::Token : Base::Asset, *text);
    }
    case kSpecifier: return Value::ofText(Base::Token, low == 0 ? "def" : low == 1 ? "over" : "class");
    case kPermission: return Value::ofText(Base::Token, low == 0 ? "public" : "private");
    case kVariability: return Value::ofText(Base::Token, low == 0 ? "varying" : low == 1 ? "uniform" : "config");
    case kDictionary: return Value(std::make_shared<const Dictionary>());
    case kBlock: return Value(Block{});
    case kAnimationBlock: return Value(AnimationBlock{});
    default: return Value(Opaque{fmt::format("a value of type {}", word.type()), false});
    }
}

Result<Value> Container::nested(Cursor& cursor, Walk& walk) const {
    // A jump from here to a word; what follows stands behind the word.
    const std::uint64_t from = cursor.at();
    WYC_TRY(jump, cursor.read<std::int64_t>());
    const auto to = static_cast<std::uint64_t>(static_cast<std::int64_t>(from) + jump);
    if (jump < 0 && static_cast<std::uint64_t>(-jump) > from)
        return fail(damage(from, "a value is said to lie in front of the file"));
    cursor.moveTo(to);
    ValueWord word;
    WYC_TRY(bits, cursor.read<std::uint64_t>());
    word.bits = bits;
    return value(word, walk);
}

Result<DictionaryPtr> Container::dictionary(Cursor& cursor, Walk& walk) const {
    WYC_TRY(count, cursor.count(12));
    std::map<std::string, Value> entries;
    for (std::uint64_t i = 0; i < count; ++i) {
        const std::uint64_t where = cursor.at();
        WYC_TRY(number, cursor.read<std::uint32_t>());
        WYC_TRY(key, string(number, where));
        WYC_TRY(held, nested(cursor, walk));
        entries[*key] = std::move(held);
    }
    Dictionary result;
    for (auto& [key, held] : entries)
        result.emplace_back(key, std::move(held));
    return std::make_shared<const Dictionary>(std::move(result));
}

Result<ListItem> Container::arc(Cursor& cursor, bool payload, Walk& walk) const {
    ListItem item;
    const std::uint64_t where = cursor.at();
    WYC_TRY(asset, cursor.read<std::uint32_t>());
    WYC_TRY(text, string(asset, where));
    item.text = *text;
    WYC_TRY(prim, cursor.read<std::uint32_t>());
    WYC_TRY(path, this->path(prim, where));
    item.prim = std::move(path);
    if (!payload || minor_ >= 8) {
        WYC_TRY(offset, cursor.read<double>());
        WYC_TRY(scale, cursor.read<double>());
        item.offset = offset;
        item.scale = scale;
    }
    if (!payload) {
        WYC_TRY(custom, dictionary(cursor, walk));
        if (!custom->empty())
            item.customData = std::move(custom);
    }
    return item;
}

Result<Value> Container::listEdit(Cursor& cursor, unsigned type, Walk& walk) const {
    ListEdit list;
    list.of = type == kTokenList                               ? ListEdit::Of::Tokens
              : type == kStringList                            ? ListEdit::Of::Strings
              : type == kPathList                              ? ListEdit::Of::Paths
              : type == kReferenceList || type == kPayloadList ? ListEdit::Of::Arcs
                                                               : ListEdit::Of::Numbers;
    list.number = type == kIntList      ? Base::Int
                  : type == kUIntList   ? Base::UInt
                  : type == kUInt64List ? Base::UInt64
                                        : Base::Int64;
    WYC_TRY(header, cursor.read<std::uint8_t>());
    list.isExplicit = (header & 1U) != 0;
    const auto read = [&](std::vector<ListItem>& into) -> Status {
        const std::uint64_t least = list.of == ListEdit::Of::Arcs      ? 8
                                    : list.of == ListEdit::Of::Numbers ? sizeOf(list.number)
                                                                       : 4;
        WYC_TRY(count, cursor.count(least));
        for (std::uint64_t i = 0; i < count; ++i) {
            const std::uint64_t where = cursor.at();
            ListItem item;
            if (list.of == ListEdit::Of::Arcs) {
                WYC_TRY(arc, this->arc(cursor, type == kPayloadList, walk));
                item = std::move(arc);
            } else if (list.of == ListEdit::Of::Numbers) {
                if (sizeOf(list.number) == 8) {
                    WYC_TRY(number, cursor.read<std::int64_t>());
                    item.number = number;
                } else {
                    WYC_TRY(number, cursor.read<std::int32_t>());
                    item.number = list.number == Base::UInt
                                      ? static_cast<std::int64_t>(static_cast<std::uint32_t>(number))
                                      : number;
                }
            } else {
                WYC_TRY(number, cursor.read<std::uint32_t>());
                if (list.of == ListEdit::Of::Paths) {
                    WYC_TRY(path, this->path(number, where));
                    item.text = std::move(path);
                } else {
                    WYC_TRY(text, list.of == ListEdit::Of::Tokens ? token(number, where) : string(number, where));
                    item.text = *text;
                }
            }
            into.push_back(std::move(item));
        }
        return {};
    };
    for (const auto& [bit, into] : {std::pair{2U, &list.explicitItems},
                                    {4U, &list.added},
                                    {32U, &list.prepended},
                                    {64U, &list.appended},
                                    {8U, &list.deleted},
                                    {16U, &list.ordered}})
        if (header & bit)
            WYC_CHECK(read(*into));
    return Value(std::make_shared<const ListEdit>(std::move(list)));
}

Result<Value> Container::timeSamples(ValueWord word, Walk& walk) const {
    Cursor cursor(*this, word.payload());
    // The word of the times comes first; it often leads to those of another attribute.
    const std::uint64_t from = cursor.at();
    WYC_TRY(jump, cursor.read<std::int64_t>());
    if (jump < 0 && static_cast<std::uint64_t>(-jump) > from)
        return fail(damage(from, "times are said to lie in front of the file"));
    cursor.moveTo(static_cast<std::uint64_t>(static_cast<std::int64_t>(from) + jump));
    ValueWord timesWord;
    WYC_TRY(bits, cursor.read<std::uint64_t>());
    timesWord.bits = bits;
    const std::uint64_t behind = cursor.at();
    std::shared_ptr<const std::vector<double>> times;
    {
        const std::lock_guard lock(mutex_);
        if (const auto known = times_.find(bits); known != times_.end())
            times = known->second;
    }
    if (!times) {
        WYC_TRY(held, value(timesWord, walk));
        auto numbers = numbersOf(held);
        if (!numbers)
            return fail(std::move(numbers.error()));
        for (std::size_t i = 0; i < numbers->size(); ++i)
            if ((*numbers)[i] != (*numbers)[i] || (i > 0 && (*numbers)[i] <= (*numbers)[i - 1]))
                return fail(damage(timesWord.payload(), "times of samples do not rise"));
        times = std::make_shared<const std::vector<double>>(std::move(*numbers));
        const std::lock_guard lock(mutex_);
        times_.emplace(bits, times);
    }
    cursor.moveTo(behind);
    WYC_TRY(second, cursor.read<std::int64_t>());
    if (second < 0 && static_cast<std::uint64_t>(-second) > behind)
        return fail(damage(behind, "samples are said to lie in front of the file"));
    cursor.moveTo(static_cast<std::uint64_t>(static_cast<std::int64_t>(behind) + second));
    WYC_TRY(count, cursor.count(8));
    if (count != times->size())
        return fail(
            damage(word.payload(), fmt::format("{} samples are said to be taken at {} times", count, times->size())));
    return Value(
        std::shared_ptr<const Samples>(std::make_shared<const BinarySamples>(shared_from_this(), times, cursor.at())));
}

Result<Value> Container::spline(Cursor& cursor, Walk& walk) const {
    const std::uint64_t where = cursor.at();
    WYC_TRY(size, cursor.count(1));
    const std::uint64_t end = cursor.at() + size;
    Spline made;
    WYC_TRY(first, cursor.read<std::uint8_t>());
    WYC_TRY(second, cursor.read<std::uint8_t>());
    const unsigned version = first & 15U;
    if (version != 1 && version != 2)
        return Value(Opaque{fmt::format("a spline of version {}", version), false});
    const unsigned of = first >> 4U & 3U;
    made.base = of == 2 ? Base::Float : of == 3 ? Base::Half : Base::Double;
    made.curve = (first & 128U) != 0 ? Spline::Curve::Hermite : Spline::Curve::Bezier;
    made.before = static_cast<Spline::Outside>(std::min(second & 7U, 6U));
    made.after = static_cast<Spline::Outside>(std::min(second >> 3U & 7U, 6U));
    const auto number = [&]() -> Result<double> {
        std::array<std::byte, 8> bytes{};
        const auto used = std::span(bytes).first(sizeOf(made.base));
        WYC_CHECK(cursor.readInto(used));
        return numbersOf({made.base}, used).front();
    };
    if (made.before == Spline::Outside::Sloped) {
        WYC_TRY(slope, cursor.read<double>());
        made.slopeBefore = slope;
    }
    if (made.after == Spline::Outside::Sloped) {
        WYC_TRY(slope, cursor.read<double>());
        made.slopeAfter = slope;
    }
    if ((second & 64U) != 0) {
        WYC_TRY(start, cursor.read<double>());
        WYC_TRY(stop, cursor.read<double>());
        WYC_TRY(before, cursor.read<std::int32_t>());
        WYC_TRY(after, cursor.read<std::int32_t>());
        WYC_TRY(offset, cursor.read<double>());
        made.loop = Spline::Loop{start, stop, before, after, offset};
    }
    if (size > 2) { // an empty one ends here
        WYC_TRY(count, cursor.read<std::uint32_t>());
        if (count > size / 9)
            return fail(damage(where, fmt::format("a spline of {} bytes is said to have {} knots", size, count)));
        for (std::uint32_t i = 0; i < count; ++i) {
            Spline::Knot knot;
            WYC_TRY(flags, cursor.read<std::uint8_t>());
            WYC_TRY(time, cursor.read<double>());
            knot.time = time;
            knot.after = static_cast<Spline::Between>(flags >> 1U & 3U);
            WYC_TRY(value, number());
            knot.value = value;
            if ((flags & 1U) != 0) {
                WYC_TRY(before, number());
                knot.valueBefore = before;
            }
            if (made.curve == Spline::Curve::Bezier) {
                WYC_TRY(widthBefore, cursor.read<double>());
                WYC_TRY(widthAfter, cursor.read<double>());
                knot.widthBefore = widthBefore;
                knot.widthAfter = widthAfter;
            }
            WYC_TRY(slopeBefore, number());
            WYC_TRY(slopeAfter, number());
            knot.slopeBefore = slopeBefore;
            knot.slopeAfter = slopeAfter;
            if (version == 2) {
                WYC_TRY(algorithms, cursor.read<std::uint8_t>());
                knot.algorithmBefore = algorithms & 15U;
                knot.algorithmAfter = static_cast<std::uint8_t>(algorithms >> 4U);
            }
            made.knots.push_back(std::move(knot));
        }
    }
    if (cursor.at() != end)
        return fail(damage(where, "a spline has another length than is said"));
    WYC_TRY(customs, cursor.count(16));
    for (std::uint64_t i = 0; i < customs; ++i) {
        WYC_TRY(time, cursor.read<double>());
        WYC_TRY(custom, dictionary(cursor, walk));
        for (Spline::Knot& knot : made.knots)
            if (knot.time == time)
                knot.customData = custom;
    }
    return Value(std::make_shared<const Spline>(std::move(made)));
}

Result<Value> Container::stored(ValueWord word, Walk& walk) const {
    const std::uint64_t payload = word.payload();
    const Type type = numberType(word.type());
    if (type.base != Base::None) {
        std::vector<std::byte> bytes(sizeOf(type));
        Cursor cursor(*this, payload);
        WYC_CHECK(cursor.readInto(bytes));
        return Value::ofBytes(type, std::move(bytes));
    }
    // A value that is still being read and comes again holds itself.
    if (!walk.open.insert(word.bits).second)
        return fail(damage(payload, "a value holds itself"));
    if (walk.open.size() > static_cast<std::size_t>(kDeepest))
        return fail(damage(payload, fmt::format("values are nested more than {} deep", kDeepest)));
    struct Close {
        Walk& walk;
        std::uint64_t key;
        ~Close() { walk.open.erase(key); }
    } close{walk, word.bits};
    Cursor cursor(*this, payload);
    const auto names = [&](auto&& one, std::uint64_t each) -> Result<std::vector<std::string>> {
        WYC_TRY(count, cursor.count(each));
        std::vector<std::string> texts;
        for (std::uint64_t i = 0; i < count; ++i) {
            const std::uint64_t where = cursor.at();
            WYC_TRY(number, cursor.read<std::uint32_t>());
            auto text = one(number, where);
            if (!text)
                return fail(std::move(text.error()));
            texts.push_back(*text);
        }
        return texts;
    };
    const auto tokenText = [&](std::uint64_t n, std::uint64_t at) -> Result<std::string> {
        WYC_TRY(text, token(n, at));
        return *text;
    };
    const auto stringText = [&](std::uint64_t n, std::uint64_t at) -> Result<std::string> {
        WYC_TRY(text, string(n, at));
        return *text;
    };
    const auto pathText = [&](std::uint64_t n, std::uint64_t at) { return path(n, at); };
    switch (word.type()) {
    case kDictionary: {
        WYC_TRY(held, dictionary(cursor, walk));
        return Value(std::move(held));
    }
    case kTokenList:
    case kStringList:
    case kPathList:
    case kReferenceList:
    case kIntList:
    case kInt64List:
    case kUIntList:
    case kUInt64List:
    case kPayloadList: return listEdit(cursor, word.type(), walk);
    case kPathVector: {
        WYC_TRY(texts, names(pathText, 4));
        return Value::ofTexts(Base::String, std::move(texts));
    }
    case kTokenVector: {
        WYC_TRY(texts, names(tokenText, 4));
        return Value::ofTexts(Base::Token, std::move(texts));
    }
    case kStringVector: {
        WYC_TRY(texts, names(stringText, 4));
        return Value::ofTexts(Base::String, std::move(texts));
    }
    case kVariantSelections: {
        WYC_TRY(count, cursor.count(8));
        std::map<std::string, Value> entries;
        for (std::uint64_t i = 0; i < count; ++i) {
            const std::uint64_t where = cursor.at();
            WYC_TRY(key, cursor.read<std::uint32_t>());
            WYC_TRY(choice, cursor.read<std::uint32_t>());
            WYC_TRY(name, string(key, where));
            WYC_TRY(text, string(choice, where));
            entries[*name] = Value::ofText(Base::String, *text);
        }
        Dictionary result(std::make_move_iterator(entries.begin()), std::make_move_iterator(entries.end()));
        return Value(std::make_shared<const Dictionary>(std::move(result)));
    }
    case kTimeSamples: return timeSamples(word, walk);
    case kPayload: {
        ListEdit list;
        list.of = ListEdit::Of::Arcs;
        list.isExplicit = true;
        WYC_TRY(item, arc(cursor, true, walk));
        if (!item.text.empty() || !item.prim.empty()) // empty: none
            list.explicitItems.push_back(std::move(item));
        return Value(std::make_shared<const ListEdit>(std::move(list)));
    }
    case kDoubleVector:
    case kOffsetVector: {
        const bool pairs = word.type() == kOffsetVector;
        WYC_TRY(count, cursor.count(pairs ? 16 : 8));
        std::vector<std::byte> bytes(static_cast<std::size_t>(count * (pairs ? 16 : 8)));
        WYC_CHECK(cursor.readInto(bytes));
        return Value::ofBytes({Base::Double, static_cast<std::uint8_t>(pairs ? 2 : 1), false, true}, std::move(bytes));
    }
    case kValue: return nested(cursor, walk);
    case kUnregistered: {
        WYC_TRY(held, nested(cursor, walk));
        if (const std::string* text = held.text())
            return Value(Opaque{*text});
        return held;
    }
    case kRelocates: {
        WYC_TRY(count, cursor.count(8));
        Relocates made;
        for (std::uint64_t i = 0; i < count; ++i) {
            const std::uint64_t where = cursor.at();
            WYC_TRY(from, cursor.read<std::uint32_t>());
            WYC_TRY(to, cursor.read<std::uint32_t>());
            WYC_TRY(fromPath, path(from, where));
            WYC_TRY(toPath, path(to, where));
            made.pairs.emplace_back(std::move(fromPath), std::move(toPath));
        }
        return Value(std::make_shared<const Relocates>(std::move(made)));
    }
    case kSpline: return spline(cursor, walk);
    case kPathExpression: {
        WYC_TRY(number, cursor.read<std::uint32_t>());
        WYC_TRY(text, string(number, payload));
        return Value::ofText(Base::PathExpression, *text);
    }
    default: return Value(Opaque{fmt::format("a value of type {}", word.type()), false});
    }
}

} // namespace wyc::usd
