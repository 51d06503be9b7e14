// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Values as layers hold them: numbers and texts, single or as arrays, dictionaries, list edits, samples over time.
// Immutable; copies share what they hold. Arrays of a file are fetched when they are asked for.
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "base/error.h"

namespace wyc::usd {

enum class Base : std::uint8_t {
    None,
    Bool,
    UChar,
    Int,
    UInt,
    Int64,
    UInt64,
    Half,
    Float,
    Double,
    TimeCode,
    Duration,
    String,
    Token,
    Asset,
    PathExpression
};

/// What one value is made of: `count` numbers of one kind, or a text.
struct Type {
    Base base = Base::None;
    std::uint8_t count = 1;  // 1 – 4, of matrices 4, 9 or 16 in rows
    bool quaternion = false; // stored i, j, k, real
    bool array = false;
    bool operator==(const Type&) const = default;
    [[nodiscard]] bool isText() const { return base >= Base::String; }
    [[nodiscard]] bool isMatrix() const { return count > 4 || (count == 4 && matrix2); }
    bool matrix2 = false; // 2 × 2
    [[nodiscard]] Type single() const {
        Type one = *this;
        one.array = false;
        return one;
    }
};
/// Bytes of one number; 0 for texts.
[[nodiscard]] std::size_t sizeOf(Base base);
[[nodiscard]] inline std::size_t sizeOf(const Type& type) {
    return sizeOf(type.base) * type.count;
}
/// Of a type name as attributes state it ("point3f[]"); base None where it is not known.
[[nodiscard]] Type typeNamed(std::string_view name);
/// A name for what a value is made of, roles aside ("float3[]").
[[nodiscard]] std::string nameOf(const Type& type);

/// An array that a file holds.
class ArraySource {
  public:
    virtual ~ArraySource() = default;
    [[nodiscard]] virtual Result<std::uint64_t> count() const = 0; // of values
    /// All values, little-endian.
    [[nodiscard]] virtual Result<std::vector<std::byte>> read() const = 0;
    /// Values from number `first` on, as many as `into` holds; an error where there are fewer.
    [[nodiscard]] virtual Status readRange(std::uint64_t first, std::span<std::byte> into) const = 0;
    /// Equal for arrays known to be equal.
    [[nodiscard]] virtual std::uint64_t token() const = 0;
    /// Where plain float32 numbers begin in the file.
    [[nodiscard]] virtual std::optional<std::uint64_t> byteInFile() const { return std::nullopt; }
};

/// Numbers or texts, single or an array.
struct Data {
    Type type;
    std::shared_ptr<const std::vector<std::byte>> bytes = {};
    std::shared_ptr<const std::vector<std::string>> texts = {};
    std::shared_ptr<const ArraySource> source = {}; // of numbers: in their place
};
[[nodiscard]] Result<std::uint64_t> countOf(const Data& data);
/// All numbers, fetched where need be.
[[nodiscard]] Result<std::shared_ptr<const std::vector<std::byte>>> bytesOf(const Data& data);

class Value;
/// By rising key.
using Dictionary = std::vector<std::pair<std::string, Value>>;
using DictionaryPtr = std::shared_ptr<const Dictionary>;

/// A reference, payload, path, name or number in a list.
struct ListItem {
    std::string text = {}; // path, name; of an arc the asset, as written
    std::int64_t number = 0;
    std::string prim = {}; // of an arc
    double offset = 0.0;
    double scale = 1.0;
    DictionaryPtr customData = {};
    /// The same thing: of arcs asset, prim and offset.
    bool operator==(const ListItem& other) const {
        return text == other.text && number == other.number && prim == other.prim && offset == other.offset &&
               scale == other.scale;
    }
};
/// Edits of a list: what it is, or what is done to that of weaker layers.
struct ListEdit {
    enum class Of : std::uint8_t { Paths, Tokens, Strings, Numbers, Arcs };
    Of of = Of::Tokens;
    Base number = Base::Int64; // of numbers
    bool isExplicit = false;
    std::vector<ListItem> explicitItems = {};
    std::vector<ListItem> added = {};
    std::vector<ListItem> prepended = {};
    std::vector<ListItem> appended = {};
    std::vector<ListItem> deleted = {};
    std::vector<ListItem> ordered = {};
    /// What they make of a weaker list.
    void applyTo(std::vector<ListItem>& list) const;
};

/// Samples over time, by rising time codes.
class Samples {
  public:
    virtual ~Samples() = default;
    [[nodiscard]] virtual const std::vector<double>& times() const = 0;
    [[nodiscard]] virtual Result<Value> value(std::size_t sample) const = 0;
    /// One value for all times says the same, should all of them turn out to be equal: a writer may put that.
    [[nodiscard]] virtual bool stillIfEqual() const { return false; }
};

/// A curve through knots. Numbers are those of the file, whatever the attribute's type is.
struct Spline {
    enum class Curve : std::uint8_t { Bezier, Hermite };
    enum class Between : std::uint8_t { None, Held, Linear, Curve };
    enum class Outside : std::uint8_t { None, Held, Linear, Sloped, LoopRepeat, LoopReset, LoopOscillate };
    struct Knot {
        double time = 0.0;
        double value = 0.0;
        std::optional<double> valueBefore = {}; // of a jump
        double slopeBefore = 0.0;
        double widthBefore = 0.0; // Bézier
        double slopeAfter = 0.0;
        double widthAfter = 0.0;
        Between after = Between::Held;
        std::uint8_t algorithmBefore = 0; // 0: as stated; 1: custom … how tangents were found, carried
        std::uint8_t algorithmAfter = 0;
        DictionaryPtr customData = {};
    };
    Base base = Base::Double;
    Curve curve = Curve::Bezier;
    Outside before = Outside::Held;
    Outside after = Outside::Held;
    double slopeBefore = 0.0;
    double slopeAfter = 0.0;
    struct Loop {
        double start = 0.0;
        double end = 0.0;
        std::int32_t before = 0; // times that it runs in front
        std::int32_t after = 0;
        double valueOffset = 0.0;
    };
    std::optional<Loop> loop = {};
    std::vector<Knot> knots = {};
};

/// Paths and what they become; an empty second: nothing.
struct Relocates {
    std::vector<std::pair<std::string, std::string>> pairs;
};
/// Edits of an array, carried as they are written: as the words of a text file, or as the values and instructions of a
/// binary one.
struct ArrayEdit {
    Type type;
    std::string words = {};
    std::shared_ptr<const std::vector<std::byte>> values = {};
    std::vector<std::int64_t> instructions = {};
};
/// Understood by nobody here.
struct Opaque {
    std::string what;
    bool asWritten = true; // in a text file; else only a word for what it is
};
struct Block {};          // says: no value
struct AnimationBlock {}; // says: no samples

class Value {
  public:
    using Held =
        std::variant<std::monostate, Block, AnimationBlock, Data, DictionaryPtr, std::shared_ptr<const ListEdit>,
                     std::shared_ptr<const Samples>, std::shared_ptr<const Spline>, std::shared_ptr<const Relocates>,
                     std::shared_ptr<const ArrayEdit>, Opaque>;
    Value() = default;
    Value(Held held) : held_(std::move(held)) {}
    template<class T> [[nodiscard]] const T* as() const { return std::get_if<T>(&held_); }
    template<class T> [[nodiscard]] const T* pointed() const {
        const auto* held = std::get_if<std::shared_ptr<const T>>(&held_);
        return held ? held->get() : nullptr;
    }
    [[nodiscard]] bool isNothing() const { return std::holds_alternative<std::monostate>(held_); }
    [[nodiscard]] bool isBlock() const { return std::holds_alternative<Block>(held_); }
    [[nodiscard]] const Data* data() const { return std::get_if<Data>(&held_); }
    [[nodiscard]] const Dictionary* dictionary() const { return pointed<Dictionary>(); }
    [[nodiscard]] const ListEdit* list() const { return pointed<ListEdit>(); }
    [[nodiscard]] const Samples* samples() const { return pointed<Samples>(); }

    /// A single text of any kind; null for anything else.
    [[nodiscard]] const std::string* text() const;
    /// A single number of any kind.
    [[nodiscard]] std::optional<double> number() const;
    [[nodiscard]] std::optional<bool> boolean() const;

    [[nodiscard]] static Value ofText(Base base, std::string text);
    [[nodiscard]] static Value ofTexts(Base base, std::vector<std::string> texts);
    [[nodiscard]] static Value ofBytes(const Type& type, std::vector<std::byte> bytes);
    [[nodiscard]] static Value ofDouble(double number);
    [[nodiscard]] static Value ofBool(bool truth);

  private:
    Held held_;
};

/// Texts of a value: of an array all, of a single one that; empty for anything else.
[[nodiscard]] std::vector<std::string> textsOf(const Value& value);
/// All numbers of a value as doubles, component by component; an error where the file fails.
[[nodiscard]] Result<std::vector<double>> numbersOf(const Value& value);
[[nodiscard]] std::vector<double> numbersOf(const Type& type, std::span<const std::byte> bytes);
/// Whole numbers as they are; others without their fractions, as near as 64 bits go.
[[nodiscard]] Result<std::vector<std::int64_t>> wholesOf(const Value& value);
/// Writes numbers in a type, rounded once each.
[[nodiscard]] std::vector<std::byte> bytesFrom(const Type& type, std::span<const double> numbers);
[[nodiscard]] double halfToDouble(std::uint16_t half);
[[nodiscard]] std::uint16_t doubleToHalf(double number);

[[nodiscard]] const Value* entryOf(const Dictionary* dictionary, std::string_view key);

/// Samples held in memory. Times rise.
class MemorySamples final : public Samples {
  public:
    MemorySamples(std::vector<double> times, std::vector<Value> values)
        : times_(std::move(times)), values_(std::move(values)) {}
    [[nodiscard]] const std::vector<double>& times() const override { return times_; }
    [[nodiscard]] Result<Value> value(std::size_t sample) const override { return values_.at(sample); }

  private:
    std::vector<double> times_;
    std::vector<Value> values_;
};

} // namespace wyc::usd
