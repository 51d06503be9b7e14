// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/binary/binary_write.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <numeric>
#include <unordered_map>

#include <fmt/format.h>

#include "base/bytes.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "base/text.h"
#include "formats/usd/binary/binary_read.h"
#include "formats/usd/binary/coding.h"
#include "formats/usd/binary/path_table.h"
#include "formats/usd/binary/value_kinds.h"
#include "formats/usd/layer/array_edit.h"
#include "formats/usd/layer/fields.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {
namespace {

constexpr std::uint64_t kArrayBit = 1ULL << 63;
constexpr std::uint64_t kInlinedBit = 1ULL << 62;
constexpr std::uint64_t kPackedBit = 1ULL << 61;
constexpr std::uint64_t kEditBit = 1ULL << 60;
constexpr std::size_t kMostOfTable = 1024; // numbers that an array is packed by

std::uint64_t wordOf(unsigned kind, std::uint64_t bits, std::uint64_t payload = 0) {
    return static_cast<std::uint64_t>(kind) << 48 | bits | payload;
}

template<class T> std::vector<T> valuesIn(std::span<const std::byte> bytes) {
    std::vector<T> values(bytes.size() / sizeof(T));
    if (!values.empty())
        std::memcpy(values.data(), bytes.data(), values.size() * sizeof(T));
    return values;
}

// A value that needs no tables: what its word says, and the bytes that it leads to. Without bytes the word is all.
struct Encoded {
    std::uint64_t word = 0;
    std::vector<std::byte> head; // in front of them
    std::shared_ptr<const std::vector<std::byte>> bytes;
    Key128 key{};
};

void packBlock(std::vector<std::byte>& to, const std::vector<std::byte>& packed) {
    appendBytes(to, static_cast<std::uint64_t>(packed.size()));
    appendBytes(to, packed);
}

// 'i': whole numbers; 't': a table of the different ones and numbers into it. Empty where neither pays.
std::vector<std::byte> packedReals(const Type& type, std::span<const std::byte> bytes) {
    const std::vector<double> numbers = numbersOf(type, bytes);
    const bool whole = std::all_of(numbers.begin(), numbers.end(), [](double n) {
        return n >= -2147483648.0 && n <= 2147483647.0 && n == std::trunc(n) && !(n == 0.0 && std::signbit(n));
    });
    std::vector<std::byte> result;
    if (whole) {
        appendBytes(result, 'i');
        const std::vector<std::int32_t> narrow(numbers.begin(), numbers.end());
        packBlock(result, packedNumbers<std::int32_t>(narrow));
        return result;
    }
    const std::size_t size = sizeOf(type.base);
    const std::size_t most = std::min(kMostOfTable, numbers.size() / 4);
    std::unordered_map<std::uint64_t, std::int32_t> known; // by their bits
    std::vector<std::byte> table;
    std::vector<std::int32_t> which;
    for (std::size_t i = 0; i < numbers.size(); ++i) {
        std::uint64_t bits = 0;
        std::memcpy(&bits, bytes.data() + i * size, size);
        const auto [at, isNew] = known.emplace(bits, static_cast<std::int32_t>(known.size()));
        if (isNew && known.size() > most)
            return {};
        if (isNew)
            appendBytes(table, bytes.subspan(i * size, size));
        which.push_back(at->second);
    }
    appendBytes(result, 't');
    appendBytes(result, static_cast<std::uint32_t>(known.size()));
    appendBytes(result, table);
    packBlock(result, packedNumbers<std::int32_t>(which));
    return result;
}

// Numbers that the word itself can hold.
std::optional<std::uint64_t> inlinedPayload(const Type& type, std::span<const std::byte> bytes) {
    if (sizeOf(type) <= 4) {
        std::uint32_t low = 0;
        std::memcpy(&low, bytes.data(), bytes.size());
        return low;
    }
    if (type.quaternion || type.base == Base::TimeCode || type.base == Base::Duration)
        return std::nullopt;
    const std::vector<double> numbers = numbersOf(type, bytes);
    if (type.count == 1) {
        if (type.base == Base::Int64 || type.base == Base::UInt64) {
            const auto wide = valuesIn<std::int64_t>(bytes).front();
            const bool fits = type.base == Base::Int64 ? wide >= INT32_MIN && wide <= INT32_MAX
                                                       : wide >= 0 && wide <= static_cast<std::int64_t>(UINT32_MAX);
            return fits ? std::optional<std::uint64_t>(static_cast<std::uint32_t>(wide)) : std::nullopt;
        }
        const auto single = static_cast<float>(numbers.front());
        if (!std::isfinite(single) || static_cast<double>(single) != numbers.front())
            return std::nullopt;
        std::uint32_t low = 0;
        std::memcpy(&low, &single, 4);
        return low;
    }
    const auto small = [](double n) {
        return n >= -128.0 && n <= 127.0 && n == std::trunc(n) && !(n == 0.0 && std::signbit(n));
    };
    std::uint64_t payload = 0;
    const unsigned rows = type.matrix2 ? 2 : type.count == 9 ? 3 : 4;
    unsigned used = 0;
    for (unsigned i = 0; i < numbers.size(); ++i) {
        const bool kept = !type.isMatrix() || i % (rows + 1) == 0; // of matrices the diagonal, if all else is zero
        if (!small(numbers[i]) || (!kept && numbers[i] != 0.0))
            return std::nullopt;
        if (kept)
            payload |= static_cast<std::uint64_t>(static_cast<std::uint8_t>(static_cast<std::int8_t>(numbers[i])))
                       << (8 * used++);
    }
    return payload;
}

Result<Encoded> encodedNumbers(const Data& data) {
    const auto kind = kindOf(data.type);
    if (!kind)
        return fail(ErrorKind::Unsupported, fmt::format("a value of type {} has no binary form", nameOf(data.type)));
    Encoded made;
    WYC_TRY(bytes, bytesOf(data));
    if (!data.type.array) {
        if (bytes->size() != sizeOf(data.type))
            return fail(ErrorKind::Internal, fmt::format("a {} has {} bytes", nameOf(data.type), bytes->size()));
        if (const auto payload = inlinedPayload(data.type, *bytes)) {
            made.word = wordOf(*kind, kInlinedBit, *payload);
            return made;
        }
        made.word = wordOf(*kind, 0);
        made.bytes = bytes;
    } else if (bytes->empty()) {
        made.word = wordOf(*kind, kArrayBit);
        return made;
    } else {
        const std::uint64_t count = bytes->size() / sizeOf(data.type);
        appendBytes(made.head, count);
        std::vector<std::byte> packed;
        if (count >= kFewestPacked && data.type.count == 1) {
            switch (data.type.base) {
            case Base::Int:
            case Base::UInt: packBlock(packed, packedNumbers<std::int32_t>(valuesIn<std::int32_t>(*bytes))); break;
            case Base::Int64:
            case Base::UInt64: packBlock(packed, packedNumbers<std::int64_t>(valuesIn<std::int64_t>(*bytes))); break;
            case Base::Half:
            case Base::Float:
            case Base::Double: packed = packedReals(data.type.single(), *bytes); break;
            default: break;
            }
        }
        made.word = wordOf(*kind, kArrayBit | (packed.empty() ? 0 : kPackedBit));
        made.bytes = packed.empty() ? bytes : std::make_shared<const std::vector<std::byte>>(std::move(packed));
    }
    made.key = hash128(*made.bytes);
    return made;
}

bool isNumbers(const Value& value) {
    return value.data() && !value.data()->type.isText();
}

class BinaryWriter {
  public:
    BinaryWriter(const Layer& layer, AtomicFile& file, const Progress& progress)
        : layer_(layer), file_(file), progress_(progress), base_(file.position()) {}

    Status write() {
        (void)token(""); // number 0 cannot be negative, as names of properties are
        WYC_CHECK(file_.append(std::vector<std::byte>(kBootstrapBytes)));
        WYC_CHECK(collect());
        for (Spec& spec : specs_)
            if (auto status = writeFields(spec); !status)
                return fail(std::move(status.error()).forItem(spec.path));
        WYC_CHECK(writeSamples());
        WYC_CHECK(finishSpecs());
        return writeTables();
    }

  private:
    struct Row {
        std::uint32_t name = 0;
        std::uint64_t word = 0;
        bool operator==(const Row&) const = default;
        auto operator<=>(const Row&) const = default;
    };
    struct Spec {
        std::string path;
        std::uint32_t number = 0;
        std::uint32_t kind = 0;
        const Fields* fields = nullptr;
        std::vector<std::pair<const char*, std::vector<std::string>>> lists = {}; // names of what stands there
        std::vector<Row> rows = {};
        std::uint32_t set = 0;
        bool sampled = false;
    };
    struct Pending { // samples over time
        std::size_t spec = 0;
        std::size_t row = 0;
        const Samples* samples = nullptr;
        std::vector<std::uint64_t> words = {};
    };
    struct ContentKey {
        Key128 key{};
        std::uint64_t size = 0;
        std::uint64_t word = 0;
        bool operator==(const ContentKey&) const = default;
    };
    struct ContentHash {
        std::size_t operator()(const ContentKey& c) const {
            return static_cast<std::size_t>(c.key[0] ^ (c.key[1] * 31) ^ c.size ^ (c.word >> 40));
        }
    };

    // What stands where, and every path that is named.
    Status collect() {
        static const Fields kNone;
        const auto add = [&](std::string path, std::uint32_t kind, const Fields& fields) -> Spec& {
            paths_.add(path);
            Spec spec;
            spec.path = std::move(path);
            spec.kind = kind;
            spec.fields = &fields;
            specs_.push_back(std::move(spec));
            return specs_.back();
        };
        forEachPrim(*layer_.root, "/", [&](const std::string& path, const PrimSpec& prim) {
            Spec& own = add(path,
                            path == "/"           ? kRootSpec
                            : path.ends_with('}') ? kVariantSpec
                                                  : kPrimSpec,
                            prim.fields);
            const auto list = [&](const char* name, const auto& items, const auto& nameOf) {
                std::vector<std::string> names;
                for (const auto& item : items)
                    names.push_back(nameOf(item));
                if (!names.empty())
                    own.lists.emplace_back(name, std::move(names));
            };
            list("variantSetChildren", prim.variantSets, [](const auto& set) { return set.name; });
            list("primChildren", prim.children, [](const auto& child) { return child->name; });
            list("properties", prim.properties, [](const auto& property) { return property.name; });
            for (const VariantSetSpec& set : prim.variantSets) {
                std::vector<std::string> names;
                for (const auto& variant : set.variants)
                    names.push_back(variant->name);
                Spec& made = add(path + "{" + set.name + "=}", kVariantSetSpec, kNone);
                made.lists.emplace_back("variantChildren", std::move(names));
            }
            for (const PropertySpec& property : prim.properties)
                add(path + "." + property.name, property.relationship ? kRelationshipSpec : kAttributeSpec,
                    property.fields);
        });
        for (const Spec& spec : specs_)
            for (const Field& field : *spec.fields)
                if (auto status = addPathsOf(field.value); !status)
                    return fail(std::move(status.error()).forItem(spec.path));
        paths_.number();
        for (Spec& spec : specs_)
            spec.number = paths_.numberOf(spec.path);
        std::sort(specs_.begin(), specs_.end(), [](const Spec& a, const Spec& b) { return a.number < b.number; });
        return {};
    }

    Status addPath(const std::string& path) {
        if (path.empty())
            return {};
        if (!isWholePath(path))
            return fail(makeError(ErrorKind::Unsupported, fmt::format("'{}' is no path", safeName(path)))
                            .withAdvice("Write the layer as text, or mend the path"));
        paths_.add(path);
        return {};
    }

    Status addPathsOf(const Value& value) {
        if (const ListEdit* list = value.list()) {
            for (const auto* items : {&list->explicitItems, &list->added, &list->prepended, &list->appended,
                                      &list->deleted, &list->ordered})
                for (const ListItem& item : *items) {
                    if (list->of == ListEdit::Of::Paths)
                        WYC_CHECK(addPath(item.text));
                    else if (list->of == ListEdit::Of::Arcs)
                        WYC_CHECK(addPath(item.prim));
                }
        } else if (const auto* relocates = value.pointed<Relocates>()) {
            for (const auto& [from, to] : relocates->pairs) {
                WYC_CHECK(addPath(from));
                WYC_CHECK(addPath(to));
            }
        }
        return {};
    }

    std::uint32_t token(const std::string& text) {
        const auto [at, isNew] = tokenAt_.emplace(text, static_cast<std::uint32_t>(tokens_.size()));
        if (isNew)
            tokens_.push_back(text);
        return at->second;
    }
    std::uint32_t string(const std::string& text) {
        const auto [at, isNew] = stringAt_.emplace(text, static_cast<std::uint32_t>(strings_.size()));
        if (isNew)
            strings_.push_back(token(text));
        return at->second;
    }

    void needs(int minor) { minor_ = std::max(minor_, minor); }

    // Stored once; the word with its place.
    Result<std::uint64_t> placed(const Encoded& encoded) {
        if (!encoded.bytes) {
            noteVersion(encoded.word);
            return encoded.word;
        }
        noteVersion(encoded.word);
        const ContentKey key{encoded.key, encoded.bytes->size() + encoded.head.size(), encoded.word};
        const auto [at, isNew] = contents_.emplace(key, file_.position() - base_);
        if (isNew) {
            WYC_CHECK(file_.append(encoded.head));
            WYC_CHECK(file_.append(*encoded.bytes));
        }
        return encoded.word | at->second;
    }
    Result<std::uint64_t> placed(std::uint64_t word, std::vector<std::byte> bytes) {
        Encoded made;
        made.word = word;
        made.key = hash128(bytes);
        made.bytes = std::make_shared<const std::vector<std::byte>>(std::move(bytes));
        return placed(made);
    }
    void noteVersion(std::uint64_t word) {
        switch (static_cast<unsigned>(word >> 48 & 0xffU)) {
        case kTimeCode: needs(9); break;
        case kPathExpression: needs(10); break;
        case kRelocates: needs(11); break;
        case kSpline: needs(12); break;
        case kAnimationBlock: needs(12); break;
        case kDuration: needs(16); break;
        default: break;
        }
        if ((word & kEditBit) != 0)
            needs(14);
    }

    Result<std::uint64_t> textWord(const Data& data) {
        const auto kind = kindOf(data.type);
        const bool asToken = data.type.base == Base::Token;
        if (!data.type.array) {
            const std::string& text = data.texts->front();
            if (data.type.base == Base::PathExpression) {
                std::vector<std::byte> bytes;
                appendBytes(bytes, string(text));
                return placed(wordOf(*kind, 0), std::move(bytes));
            }
            // A single file name is a token, in arrays it is a string.
            const bool inTokens = asToken || data.type.base == Base::Asset;
            const std::uint64_t word = wordOf(*kind, kInlinedBit, inTokens ? token(text) : string(text));
            noteVersion(word);
            return word;
        }
        if (data.texts->empty())
            return wordOf(*kind, kArrayBit);
        return texts(wordOf(*kind, kArrayBit), *data.texts, asToken);
    }
    Result<std::uint64_t> texts(std::uint64_t word, const std::vector<std::string>& list, bool asTokens) {
        std::vector<std::byte> bytes;
        appendBytes(bytes, static_cast<std::uint64_t>(list.size()));
        for (const std::string& text : list)
            appendBytes(bytes, asTokens ? token(text) : string(text));
        return placed(word, std::move(bytes));
    }

    // A value that stands anywhere: of a field, a sample, an entry of a dictionary.
    Result<std::uint64_t> valueWord(const Value& value) {
        if (const Data* data = value.data()) {
            if (data->type.isText())
                return textWord(*data);
            WYC_TRY(encoded, encodedNumbers(*data));
            return placed(encoded);
        }
        if (value.isBlock())
            return wordOf(kBlock, kInlinedBit);
        if (value.as<AnimationBlock>()) {
            const std::uint64_t word = wordOf(kAnimationBlock, kInlinedBit);
            noteVersion(word);
            return word;
        }
        if (const Dictionary* dictionary = value.dictionary()) {
            std::vector<std::byte> bytes;
            WYC_CHECK(putDictionary(bytes, dictionary));
            return placed(wordOf(kDictionary, 0), std::move(bytes));
        }
        if (const ListEdit* list = value.list())
            return listWord(*list, false);
        if (const auto* spline = value.pointed<Spline>())
            return splineWord(*spline);
        if (const auto* relocates = value.pointed<Relocates>()) {
            std::vector<std::byte> bytes;
            appendBytes(bytes, static_cast<std::uint64_t>(relocates->pairs.size()));
            for (const auto& [from, to] : relocates->pairs) {
                appendBytes(bytes, paths_.numberOf(from));
                appendBytes(bytes, paths_.numberOf(to));
            }
            return placed(wordOf(kRelocates, 0), std::move(bytes));
        }
        if (const auto* edit = value.pointed<ArrayEdit>())
            return editWord(*edit);
        if (const auto* opaque = value.as<Opaque>(); opaque && opaque->asWritten)
            return unregisteredWord(wordOf(kString, kInlinedBit, string(opaque->what)));
        const auto* opaque = value.as<Opaque>();
        return fail(makeError(ErrorKind::Unsupported,
                              fmt::format("{} cannot be written", opaque ? opaque->what : "a value that says nothing"))
                        .withAdvice("It comes from a newer version of the format than is known here"));
    }

    // What follows it is a jump to its word, which stands right behind.
    static void putNested(std::vector<std::byte>& to, std::uint64_t word) {
        appendBytes(to, std::int64_t{8});
        appendBytes(to, word);
    }
    Result<std::uint64_t> unregisteredWord(std::uint64_t inner) {
        std::vector<std::byte> bytes;
        putNested(bytes, inner);
        return placed(wordOf(kUnregistered, 0), std::move(bytes));
    }

    Status putDictionary(std::vector<std::byte>& to, const Dictionary* dictionary) {
        appendBytes(to, static_cast<std::uint64_t>(dictionary ? dictionary->size() : 0));
        if (!dictionary)
            return {};
        for (const auto& [key, held] : *dictionary) {
            appendBytes(to, string(key));
            WYC_TRY(word, valueWord(held));
            putNested(to, word);
        }
        return {};
    }

    Status putArc(std::vector<std::byte>& to, const ListItem& item, bool payload) {
        appendBytes(to, string(item.text));
        appendBytes(to, paths_.numberOf(item.prim));
        appendBytes(to, item.offset);
        appendBytes(to, item.scale);
        return payload ? Status{} : putDictionary(to, item.customData.get());
    }

    Result<std::uint64_t> listWord(const ListEdit& list, bool payload) {
        unsigned kind = 0;
        switch (list.of) {
        case ListEdit::Of::Paths: kind = kPathList; break;
        case ListEdit::Of::Tokens: kind = kTokenList; break;
        case ListEdit::Of::Strings: kind = kStringList; break;
        case ListEdit::Of::Arcs: kind = payload ? kPayloadList : kReferenceList; break;
        case ListEdit::Of::Numbers:
            kind = list.number == Base::Int      ? kIntList
                   : list.number == Base::UInt   ? kUIntList
                   : list.number == Base::UInt64 ? kUInt64List
                                                 : kInt64List;
        }
        std::vector<std::byte> bytes;
        const std::array parts{std::pair{2U, &list.explicitItems}, std::pair{4U, &list.added},
                               std::pair{32U, &list.prepended},    std::pair{64U, &list.appended},
                               std::pair{8U, &list.deleted},       std::pair{16U, &list.ordered}};
        unsigned header = list.isExplicit ? 1U : 0U;
        for (const auto& [bit, items] : parts)
            header |= items->empty() ? 0U : bit;
        appendBytes(bytes, static_cast<std::uint8_t>(header));
        for (const auto& [bit, items] : parts) {
            if (items->empty())
                continue;
            appendBytes(bytes, static_cast<std::uint64_t>(items->size()));
            for (const ListItem& item : *items)
                switch (list.of) {
                case ListEdit::Of::Paths: appendBytes(bytes, paths_.numberOf(item.text)); break;
                case ListEdit::Of::Tokens: appendBytes(bytes, token(item.text)); break;
                case ListEdit::Of::Strings: appendBytes(bytes, string(item.text)); break;
                case ListEdit::Of::Arcs: WYC_CHECK(putArc(bytes, item, payload)); break;
                case ListEdit::Of::Numbers:
                    if (sizeOf(list.number) == 8)
                        appendBytes(bytes, item.number);
                    else
                        appendBytes(bytes, static_cast<std::uint32_t>(item.number));
                }
        }
        return placed(wordOf(kind, 0), std::move(bytes));
    }

    Result<std::uint64_t> splineWord(const Spline& spline) {
        const auto number = [&](std::vector<std::byte>& to, double value) {
            appendBytes(to, bytesFrom({spline.base}, std::span(&value, 1)));
        };
        const bool algorithms = std::any_of(spline.knots.begin(), spline.knots.end(), [](const Spline::Knot& knot) {
            return knot.algorithmBefore != 0 || knot.algorithmAfter != 0;
        });
        if (algorithms)
            needs(13);
        const unsigned of = spline.base == Base::Float ? 2 : spline.base == Base::Half ? 3 : 1;
        std::vector<std::byte> body;
        appendBytes(body, static_cast<std::uint8_t>((algorithms ? 2U : 1U) | of << 4U |
                                                    (spline.curve == Spline::Curve::Hermite ? 128U : 0U)));
        appendBytes(body,
                    static_cast<std::uint8_t>(static_cast<unsigned>(spline.before) |
                                              static_cast<unsigned>(spline.after) << 3U | (spline.loop ? 64U : 0U)));
        if (spline.before == Spline::Outside::Sloped)
            appendBytes(body, spline.slopeBefore);
        if (spline.after == Spline::Outside::Sloped)
            appendBytes(body, spline.slopeAfter);
        if (spline.loop) {
            appendBytes(body, spline.loop->start);
            appendBytes(body, spline.loop->end);
            appendBytes(body, spline.loop->before);
            appendBytes(body, spline.loop->after);
            appendBytes(body, spline.loop->valueOffset);
        }
        if (!spline.knots.empty() || body.size() > 2)
            appendBytes(body, static_cast<std::uint32_t>(spline.knots.size()));
        std::uint64_t customs = 0;
        for (const Spline::Knot& knot : spline.knots) {
            appendBytes(body, static_cast<std::uint8_t>((knot.valueBefore ? 1U : 0U) | static_cast<unsigned>(knot.after)
                                                                                           << 1U));
            appendBytes(body, knot.time);
            number(body, knot.value);
            if (knot.valueBefore)
                number(body, *knot.valueBefore);
            if (spline.curve == Spline::Curve::Bezier) {
                appendBytes(body, knot.widthBefore);
                appendBytes(body, knot.widthAfter);
            }
            number(body, knot.slopeBefore);
            number(body, knot.slopeAfter);
            if (algorithms)
                appendBytes(body, static_cast<std::uint8_t>(knot.algorithmBefore | knot.algorithmAfter << 4));
            customs += knot.customData ? 1U : 0U;
        }
        std::vector<std::byte> bytes;
        appendBytes(bytes, static_cast<std::uint64_t>(body.size()));
        appendBytes(bytes, body);
        appendBytes(bytes, customs);
        for (const Spline::Knot& knot : spline.knots)
            if (knot.customData) {
                appendBytes(bytes, knot.time);
                WYC_CHECK(putDictionary(bytes, knot.customData.get()));
            }
        return placed(wordOf(kSpline, 0), std::move(bytes));
    }

    Result<std::uint64_t> editWord(const ArrayEdit& edit) {
        const auto full = withInstructions(edit);
        const auto kind = kindOf(edit.type.single());
        if (!full || !kind)
            return fail(makeError(ErrorKind::Unsupported,
                                  fmt::format("the edit {} of an array has no binary form that is known here",
                                              safeName(edit.words)))
                            .withAdvice("Write the layer as text"));
        WYC_TRY(values, valueWord(Value(Data{edit.type, full->values, {}, {}})));
        const auto raw = std::as_bytes(std::span(full->instructions));
        WYC_TRY(instructions, valueWord(Value::ofBytes({Base::Int64, 1, false, true}, {raw.begin(), raw.end()})));
        std::vector<std::byte> bytes;
        appendBytes(bytes, values);
        appendBytes(bytes, instructions);
        return placed(wordOf(*kind, kEditBit), std::move(bytes));
    }

    // Fields whose kind their name says.
    Result<std::uint64_t> fieldWord(const std::string& name, const Value& value) {
        const auto numbered = [&](unsigned kind, std::initializer_list<std::string_view> words) -> std::uint64_t {
            std::uint64_t number = 0;
            for (const std::string_view word : words) {
                if (value.text() && *value.text() == word)
                    return wordOf(kind, kInlinedBit, number);
                ++number;
            }
            return wordOf(kind, kInlinedBit, 0);
        };
        if (name == "specifier")
            return numbered(kSpecifier, {"def", "over", "class"});
        if (name == "permission")
            return numbered(kPermission, {"public", "private"});
        if (name == "variability")
            return numbered(kVariability, {"varying", "uniform", "config"});
        if (name == "primOrder" || name == "propertyOrder")
            return texts(wordOf(kTokenVector, 0), textsOf(value), true);
        if (name == "subLayers")
            return texts(wordOf(kStringVector, 0), textsOf(value), false);
        if (name == "subLayerOffsets") {
            WYC_TRY(numbers, numbersOf(value));
            std::vector<std::byte> bytes;
            appendBytes(bytes, static_cast<std::uint64_t>(numbers.size() / 2));
            appendBytes(bytes, bytesFrom({Base::Double}, numbers));
            return placed(wordOf(kOffsetVector, 0), std::move(bytes));
        }
        if (name == "variantSelection" && value.dictionary()) {
            std::vector<std::byte> bytes;
            appendBytes(bytes, static_cast<std::uint64_t>(value.dictionary()->size()));
            for (const auto& [set, choice] : *value.dictionary()) {
                appendBytes(bytes, string(set));
                appendBytes(bytes, string(choice.text() ? *choice.text() : std::string()));
            }
            return placed(wordOf(kVariantSelections, 0), std::move(bytes));
        }
        if (name == "payload" && value.list())
            return listWord(*value.list(), true);
        if (value.dictionary() && fieldKind(name).of == FieldKind::Of::Unknown) {
            WYC_TRY(inner, valueWord(value));
            return unregisteredWord(inner);
        }
        return valueWord(value);
    }

    Status writeFields(Spec& spec) {
        for (const Field& field : *spec.fields) {
            if (field.name == "specifier" && field.value.text() && *field.value.text() == "over")
                continue; // as nothing else is said
            const std::uint32_t name = token(field.name);
            if (const Samples* samples = field.value.samples()) {
                spec.sampled = true;
                pending_.push_back({static_cast<std::size_t>(&spec - specs_.data()), spec.rows.size(), samples});
                spec.rows.push_back({name, 0});
                continue;
            }
            auto word = fieldWord(field.name, field.value);
            if (!word)
                return fail(std::move(word.error()));
            spec.rows.push_back({name, *word});
        }
        for (const auto& [name, names] : spec.lists) {
            WYC_TRY(word, texts(wordOf(kTokenVector, 0), names, true));
            spec.rows.push_back({token(name), word});
        }
        return {};
    }

    Status writeSamples() {
        struct One {
            double time;
            std::uint32_t pending;
            std::uint32_t sample;
        };
        std::vector<One> all;
        for (std::size_t i = 0; i < pending_.size(); ++i) {
            const auto& times = pending_[i].samples->times();
            pending_[i].words.resize(times.size());
            for (std::size_t k = 0; k < times.size(); ++k)
                all.push_back({times[k], static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(k)});
        }
        std::sort(all.begin(), all.end(), [](const One& a, const One& b) {
            return a.time != b.time ? a.time < b.time : a.pending < b.pending;
        });
        constexpr std::size_t kSlots = 4;
        struct Slot {
            Value value;
            std::optional<Encoded> encoded;
        };
        std::array<Slot, kSlots> slots;
        std::size_t done = 0;
        return orderedPipeline(
            all.size(), kSlots, progress_,
            [&](std::size_t i, std::size_t s) -> Status {
                Slot& slot = slots[s];
                slot = {};
                const Pending& pending = pending_[all[i].pending];
                auto value = pending.samples->value(all[i].sample);
                if (!value)
                    return fail(std::move(value.error()).forItem(specs_[pending.spec].path));
                slot.value = std::move(*value);
                if (isNumbers(slot.value)) {
                    auto encoded = encodedNumbers(*slot.value.data());
                    if (!encoded)
                        return fail(std::move(encoded.error()).forItem(specs_[pending.spec].path));
                    slot.encoded = std::move(*encoded);
                }
                return {};
            },
            [&](std::size_t i, std::size_t s) -> Status {
                const Slot& slot = slots[s];
                auto word = slot.encoded ? placed(*slot.encoded) : valueWord(slot.value);
                if (!word)
                    return fail(std::move(word.error()).forItem(specs_[pending_[all[i].pending].spec].path));
                pending_[all[i].pending].words[all[i].sample] = *word;
                progress_.report(static_cast<double>(++done) / static_cast<double>(all.size()), "writing", {});
                return {};
            });
    }

    Status finishSpecs() {
        for (Pending& pending : pending_) {
            Row& row = specs_[pending.spec].rows[pending.row];
            const auto& words = pending.words;
            // Equal values have one word.
            if (pending.samples->stillIfEqual() && std::equal(words.begin() + 1, words.end(), words.begin())) {
                row = {token("default"), words.front()};
                specs_[pending.spec].sampled = false;
                continue;
            }
            const auto& times = pending.samples->times();
            std::vector<std::byte> list;
            appendBytes(list, static_cast<std::uint64_t>(times.size()));
            appendBytes(list, std::as_bytes(std::span(times)));
            WYC_TRY(timesWord, placed(wordOf(kDoubleVector, 0), std::move(list)));
            std::vector<std::byte> bytes;
            putNested(bytes, timesWord);
            appendBytes(bytes, std::int64_t{8});
            appendBytes(bytes, static_cast<std::uint64_t>(words.size()));
            appendBytes(bytes, std::as_bytes(std::span(words)));
            WYC_TRY(word, placed(wordOf(kTimeSamples, 0), std::move(bytes)));
            row.word = word;
        }
        // Those with samples stand behind, as their values do.
        std::stable_partition(specs_.begin(), specs_.end(), [](const Spec& spec) { return !spec.sampled; });
        std::map<Row, std::uint32_t> rows;
        std::map<std::vector<std::uint32_t>, std::uint32_t> sets;
        for (Spec& spec : specs_) {
            std::vector<std::uint32_t> set;
            for (const Row& row : spec.rows) {
                const auto [at, isNew] = rows.emplace(row, static_cast<std::uint32_t>(rows_.size()));
                if (isNew)
                    rows_.push_back(row);
                set.push_back(at->second);
            }
            const auto [at, isNew] = sets.emplace(std::move(set), static_cast<std::uint32_t>(sets_.size()));
            if (isNew) {
                for (const std::uint32_t row : at->first)
                    sets_.push_back(static_cast<std::int32_t>(row));
                sets_.push_back(-1);
            }
            spec.set = at->second;
        }
        return {};
    }

    static std::vector<std::byte> numbered(const std::vector<std::int32_t>& numbers) {
        std::vector<std::byte> bytes;
        packBlock(bytes, packedNumbers<std::int32_t>(numbers));
        return bytes;
    }

    Status section(const char* name, const std::vector<std::byte>& bytes) {
        std::array<char, 16> text{};
        std::copy_n(name, std::strlen(name), text.begin());
        appendBytes(toc_, std::as_bytes(std::span(text)));
        appendBytes(toc_, static_cast<std::int64_t>(file_.position() - base_));
        appendBytes(toc_, static_cast<std::int64_t>(bytes.size()));
        ++sectionCount_;
        return file_.append(bytes);
    }

    Status writeTables() {
        const PathTable::Rows tree = paths_.rows([&](const std::string& text) { return token(text); });
        std::vector<std::byte> bytes;
        std::vector<std::byte> plain;
        for (const std::string& text : tokens_) {
            if (text.find('\0') != std::string::npos)
                return fail(ErrorKind::Unsupported, "a text with a zero byte has no binary form");
            appendBytes(plain, std::as_bytes(std::span(text.c_str(), text.size() + 1)));
        }
        appendBytes(bytes, static_cast<std::uint64_t>(tokens_.size()));
        appendBytes(bytes, static_cast<std::uint64_t>(plain.size()));
        packBlock(bytes, packedBlock(plain));
        WYC_CHECK(section("TOKENS", bytes));

        bytes.clear();
        appendBytes(bytes, static_cast<std::uint64_t>(strings_.size()));
        appendBytes(bytes, std::as_bytes(std::span(strings_)));
        WYC_CHECK(section("STRINGS", bytes));

        bytes.clear();
        std::vector<std::int32_t> names;
        std::vector<std::uint64_t> words;
        for (const Row& row : rows_) {
            names.push_back(static_cast<std::int32_t>(row.name));
            words.push_back(row.word);
        }
        appendBytes(bytes, static_cast<std::uint64_t>(rows_.size()));
        appendBytes(bytes, numbered(names));
        packBlock(bytes, packedBlock(std::as_bytes(std::span(words))));
        WYC_CHECK(section("FIELDS", bytes));

        bytes.clear();
        appendBytes(bytes, static_cast<std::uint64_t>(sets_.size()));
        appendBytes(bytes, numbered(sets_));
        WYC_CHECK(section("FIELDSETS", bytes));

        bytes.clear();
        appendBytes(bytes, paths_.count());
        appendBytes(bytes, static_cast<std::uint64_t>(tree.numbers.size()));
        appendBytes(bytes, numbered(tree.numbers));
        appendBytes(bytes, numbered(tree.names));
        appendBytes(bytes, numbered(tree.jumps));
        WYC_CHECK(section("PATHS", bytes));

        bytes.clear();
        std::array<std::vector<std::int32_t>, 3> columns;
        for (const Spec& spec : specs_) {
            columns[0].push_back(static_cast<std::int32_t>(spec.number));
            columns[1].push_back(static_cast<std::int32_t>(spec.set));
            columns[2].push_back(static_cast<std::int32_t>(spec.kind));
        }
        appendBytes(bytes, static_cast<std::uint64_t>(specs_.size()));
        for (const auto& column : columns)
            appendBytes(bytes, numbered(column));
        WYC_CHECK(section("SPECS", bytes));

        const auto contentsAt = static_cast<std::int64_t>(file_.position() - base_);
        bytes.clear();
        appendBytes(bytes, sectionCount_);
        appendBytes(bytes, toc_);
        WYC_CHECK(file_.append(bytes));
        std::vector<std::byte> bootstrap;
        appendBytes(bootstrap, std::as_bytes(std::span(kBinaryMagic.data(), kBinaryMagic.size())));
        for (const int part : {0, minor_, 0, 0, 0, 0, 0, 0})
            appendBytes(bootstrap, static_cast<std::uint8_t>(part));
        appendBytes(bootstrap, contentsAt);
        return file_.rewriteAt(base_, bootstrap);
    }

    const Layer& layer_;
    AtomicFile& file_;
    const Progress& progress_;
    std::uint64_t base_; // where the layer begins in the file
    int minor_ = 8;
    PathTable paths_;
    std::vector<Spec> specs_;
    std::vector<Pending> pending_;
    std::vector<std::string> tokens_;
    std::unordered_map<std::string, std::uint32_t> tokenAt_;
    std::vector<std::uint32_t> strings_; // tokens
    std::unordered_map<std::string, std::uint32_t> stringAt_;
    std::unordered_map<ContentKey, std::uint64_t, ContentHash> contents_; // where they stand
    std::vector<Row> rows_;
    std::vector<std::int32_t> sets_;
    std::vector<std::byte> toc_;
    std::uint64_t sectionCount_ = 0;
};

} // namespace

Status writeBinary(const Layer& layer, AtomicFile& file, const Progress& progress) {
    return BinaryWriter(layer, file, progress).write();
}

} // namespace wyc::usd
