// SPDX-License-Identifier: GPL-3.0-or-later
// The tables of the binary container.
#include "formats/usd/binary/container.h"

#include "base/text.h"
#include "formats/usd/binary/binary_read.h"
#include "formats/usd/binary/coding.h"
#include "formats/usd/binary/container_parts.h"
#include "formats/usd/binary/value_kinds.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {
namespace {

constexpr int kOldest = 4;
constexpr int kNewest = 16;

} // namespace

namespace {

// A block of a table in memory.
class TableReader {
  public:
    TableReader(const Container& container, std::span<const std::byte> bytes, std::uint64_t start)
        : container_(container), bytes_(bytes), start_(start) {}
    template<class T> Result<T> read() {
        if (bytes_.size() - at_ < sizeof(T))
            return fail(container_.damage(start_ + at_, "a table ends too early"));
        T value;
        std::memcpy(&value, bytes_.data() + at_, sizeof(T));
        at_ += sizeof(T);
        return value;
    }
    Result<std::span<const std::byte>> block() {
        WYC_TRY(size, read<std::uint64_t>());
        if (size > bytes_.size() - at_)
            return fail(container_.damage(start_ + at_, "a packed block reaches beyond its table"));
        const auto result = bytes_.subspan(at_, size);
        at_ += size;
        return result;
    }
    Result<std::vector<std::int32_t>> numbers(std::uint64_t count) {
        const std::uint64_t where = start_ + at_;
        WYC_TRY(packed, block());
        auto result = unpackedNumbers<std::int32_t>(packed, count);
        if (!result)
            return fail(container_.damage(where, result.error().what));
        return result;
    }
    [[nodiscard]] std::uint64_t at() const { return start_ + at_; }
    [[nodiscard]] std::size_t left() const { return bytes_.size() - at_; }

  private:
    const Container& container_;
    std::span<const std::byte> bytes_;
    std::uint64_t start_;
    std::size_t at_ = 0;
};

} // namespace

Error Container::damage(std::uint64_t at, std::string what) const {
    return makeError(ErrorKind::BadFormat, std::move(what))
        .atByte(bytes_.offset() + at)
        .inFile(bytes_.name())
        .withAdvice("The file is cut or damaged: have it written again");
}

Result<std::shared_ptr<Container>> Container::open(const Bytes& bytes) {
    std::shared_ptr<Container> container(new Container(bytes));
    WYC_CHECK(container->readAll());
    return container;
}

Status Container::readAll() {
    if (bytes_.size() < kBootstrapBytes)
        return fail(damage(bytes_.size(), fmt::format("the file ends within its first {} bytes", kBootstrapBytes)));
    Cursor cursor(*this, 8);
    std::array<std::uint8_t, 8> version{};
    WYC_CHECK(cursor.readInto(std::as_writable_bytes(std::span(version))));
    version_ = fmt::format("{}.{}.{}", version[0], version[1], version[2]);
    minor_ = version[1];
    if (version[0] != 0 || minor_ < kOldest || minor_ > kNewest)
        return fail(makeError(ErrorKind::Unsupported, fmt::format("a binary layer of version {}; 0.{} to 0.{} are read",
                                                                  version_, kOldest, kNewest))
                        .inFile(bytes_.name())
                        .withAdvice("Have it written as text or with an earlier version"));
    WYC_TRY(contents, cursor.read<std::int64_t>());
    if (contents < static_cast<std::int64_t>(kBootstrapBytes) || static_cast<std::uint64_t>(contents) >= bytes_.size())
        return fail(
            damage(16, fmt::format("the table of contents is said to be at byte {} of {}", contents, bytes_.size())));
    cursor.moveTo(static_cast<std::uint64_t>(contents));
    WYC_TRY(count, cursor.count(32));
    for (std::uint64_t i = 0; i < count; ++i) {
        const std::uint64_t where = cursor.at();
        std::array<char, 16> name{};
        WYC_CHECK(cursor.readInto(std::as_writable_bytes(std::span(name))));
        WYC_TRY(start, cursor.read<std::int64_t>());
        WYC_TRY(size, cursor.read<std::int64_t>());
        Section section{std::string(name.data(), strnlen(name.data(), name.size())), static_cast<std::uint64_t>(start),
                        static_cast<std::uint64_t>(size)};
        if (start < 0 || size < 0 || section.start > bytes_.size() || section.size > bytes_.size() - section.start)
            return fail(
                damage(where, fmt::format("the table {} is said to lie outside of the file", safeName(section.name))));
        sections_.push_back(std::move(section));
    }
    const auto section = [&](std::string_view name) -> Result<const Section*> {
        for (const Section& one : sections_)
            if (one.name == name)
                return &one;
        return fail(damage(static_cast<std::uint64_t>(contents), fmt::format("the table {} is missing", name)));
    };
    for (const auto& [name, read] : {std::pair{"TOKENS", &Container::readTokens},
                                     {"STRINGS", &Container::readStrings},
                                     {"FIELDS", &Container::readFields},
                                     {"FIELDSETS", &Container::readFieldSets},
                                     {"PATHS", &Container::readPaths},
                                     {"SPECS", &Container::readSpecs}}) {
        WYC_TRY(found, section(name));
        WYC_CHECK((this->*read)(*found));
    }
    return {};
}

Result<std::vector<std::byte>> Container::sectionBytes(const Section& section) const {
    if (section.size > kMostTableBytes)
        return fail(damage(section.start,
                           fmt::format("the table {} is said to have {}", section.name, sizeText(section.size))));
    std::vector<std::byte> bytes(static_cast<std::size_t>(section.size));
    WYC_CHECK(bytes_.read(section.start, bytes));
    return bytes;
}

Status Container::readTokens(const Section& section) {
    WYC_TRY(bytes, sectionBytes(section));
    TableReader table(*this, bytes, section.start);
    WYC_TRY(count, table.read<std::uint64_t>());
    WYC_TRY(plainSize, table.read<std::uint64_t>());
    const std::uint64_t where = table.at();
    WYC_TRY(packed, table.block());
    auto plain = unpackedBlock(packed, plainSize);
    if (!plain)
        return fail(damage(where, plain.error().what));
    if (plain->size() != plainSize || count > plainSize)
        return fail(damage(section.start, fmt::format("{} names are said to be in {} bytes", count, plainSize)));
    const char* at = reinterpret_cast<const char*>(plain->data());
    const char* end = at + plain->size();
    tokens_.reserve(static_cast<std::size_t>(count));
    for (std::uint64_t i = 0; i < count; ++i) {
        const auto* zero = static_cast<const char*>(std::memchr(at, 0, static_cast<std::size_t>(end - at)));
        if (at == end || !zero)
            return fail(damage(section.start, fmt::format("{} names are said to be there, {} are", count, i)));
        tokens_.emplace_back(at, zero);
        at = zero + 1;
    }
    return {};
}

Status Container::readStrings(const Section& section) {
    WYC_TRY(bytes, sectionBytes(section));
    TableReader table(*this, bytes, section.start);
    WYC_TRY(count, table.read<std::uint64_t>());
    if (count > table.left() / 4)
        return fail(
            damage(section.start, fmt::format("{} texts are said to be in a table of {} bytes", count, section.size)));
    strings_.resize(static_cast<std::size_t>(count));
    for (std::uint32_t& one : strings_) {
        WYC_TRY(number, table.read<std::uint32_t>());
        one = number;
    }
    return {};
}

Status Container::readFields(const Section& section) {
    WYC_TRY(bytes, sectionBytes(section));
    TableReader table(*this, bytes, section.start);
    WYC_TRY(count, table.read<std::uint64_t>());
    WYC_TRY(names, table.numbers(count));
    const std::uint64_t where = table.at();
    WYC_TRY(packed, table.block());
    auto words = unpackedBlock(packed, count * 8);
    if (!words || words->size() != count * 8)
        return fail(damage(where, "the words of the fields are damaged"));
    fields_.resize(static_cast<std::size_t>(count));
    for (std::size_t i = 0; i < fields_.size(); ++i) {
        fields_[i].name = static_cast<std::uint32_t>(names[i]);
        std::memcpy(&fields_[i].value.bits, words->data() + i * 8, 8);
        if (fields_[i].name >= tokens_.size())
            return fail(damage(section.start,
                               fmt::format("field {} is named by token {} of {}", i, fields_[i].name, tokens_.size())));
    }
    return {};
}

Status Container::readFieldSets(const Section& section) {
    WYC_TRY(bytes, sectionBytes(section));
    TableReader table(*this, bytes, section.start);
    WYC_TRY(count, table.read<std::uint64_t>());
    WYC_TRY(numbers, table.numbers(count));
    fieldSets_.assign(numbers.begin(), numbers.end());
    if (!fieldSets_.empty() && fieldSets_.back() != ~0U)
        return fail(damage(section.start, "the last set of fields has no end"));
    for (const std::uint32_t field : fieldSets_)
        if (field != ~0U && field >= fields_.size())
            return fail(
                damage(section.start, fmt::format("a set of fields names field {} of {}", field, fields_.size())));
    return {};
}

Status Container::readPaths(const Section& section) {
    WYC_TRY(bytes, sectionBytes(section));
    TableReader table(*this, bytes, section.start);
    WYC_TRY(pathCount, table.read<std::uint64_t>());
    WYC_TRY(count, table.read<std::uint64_t>());
    // Every path of the tree has a number of its own; some numbers may be of no path.
    if (pathCount > count + bytes_.size())
        return fail(damage(section.start, fmt::format("{} paths are said to be in a tree of {}", pathCount, count)));
    WYC_TRY(numbers, table.numbers(count));
    WYC_TRY(names, table.numbers(count));
    WYC_TRY(jumps, table.numbers(count));
    paths_.resize(static_cast<std::size_t>(pathCount));
    if (count == 0)
        return {};
    // What is still to be walked: an entry and the path above it. Each entry is walked once.
    struct Step {
        std::size_t entry;
        std::string parent;
        int depth;
    };
    std::vector<bool> walked(static_cast<std::size_t>(count));
    std::vector<Step> open{{0, {}, 0}};
    std::uint64_t characters = 0;
    while (!open.empty()) {
        auto [entry, parent, depth] = std::move(open.back());
        open.pop_back();
        while (true) {
            if (entry >= count || walked[entry])
                return fail(damage(section.start, entry >= count ? "the path tree leads out of its table"
                                                                 : "an entry of the path tree stands in two places"));
            walked[entry] = true;
            const auto number = static_cast<std::uint32_t>(numbers[entry]);
            if (number >= pathCount || !paths_[number].empty())
                return fail(damage(section.start, fmt::format("entry {} of the path tree is path {} of {}", entry,
                                                              number, pathCount)));
            if (parent.empty()) {
                paths_[number] = "/";
            } else {
                const std::int64_t name = names[entry];
                const auto token = static_cast<std::uint64_t>(name < 0 ? -name : name);
                if (token >= tokens_.size() || tokens_[token].empty())
                    return fail(
                        damage(section.start, fmt::format("entry {} of the path tree is named by token {} of {}", entry,
                                                          token, tokens_.size())));
                const std::string& text = tokens_[token];
                const char first = text.front();
                paths_[number] = name < 0                                       ? parent + "." + text
                                 : first == '{' || first == '[' || first == '.' ? parent + text
                                                                                : childPath(parent, text);
            }
            characters += paths_[number].size();
            if (depth > 2 * kDeepest || characters > kMostTableBytes)
                return fail(damage(section.start, fmt::format("paths are nested more than {} deep", 2 * kDeepest)));
            const std::int32_t jump = jumps[entry];
            const bool child = jump > 0 || jump == -1;
            const bool sibling = jump >= 0;
            if (child && sibling)
                open.push_back({entry + static_cast<std::size_t>(jump), parent, depth});
            if (!child && !sibling)
                break;
            if (child) {
                parent = paths_[number];
                ++depth;
            }
            ++entry;
        }
    }
    return {};
}

Status Container::readSpecs(const Section& section) {
    WYC_TRY(bytes, sectionBytes(section));
    TableReader table(*this, bytes, section.start);
    WYC_TRY(count, table.read<std::uint64_t>());
    WYC_TRY(paths, table.numbers(count));
    WYC_TRY(sets, table.numbers(count));
    WYC_TRY(kinds, table.numbers(count));
    if (count > paths_.size())
        return fail(damage(section.start, fmt::format("{} things stand at {} paths", count, paths_.size())));
    specs_.resize(static_cast<std::size_t>(count));
    for (std::size_t i = 0; i < specs_.size(); ++i) {
        specs_[i] = {static_cast<std::uint32_t>(paths[i]), static_cast<std::uint32_t>(sets[i]),
                     static_cast<std::uint32_t>(kinds[i])};
        if (!hasPath(specs_[i].path))
            return fail(
                damage(section.start, fmt::format("a thing stands at path {} of {}", specs_[i].path, paths_.size())));
        if (specs_[i].fieldSet >= fieldSets_.size())
            return fail(damage(section.start, fmt::format("a thing has set of fields {} of {}", specs_[i].fieldSet,
                                                          fieldSets_.size())));
    }
    return {};
}

Result<const std::string*> Container::token(std::uint64_t number, std::uint64_t at) const {
    if (number >= tokens_.size())
        return fail(damage(at, fmt::format("token {} of {} is named", number, tokens_.size())));
    return &tokens_[number];
}

Result<const std::string*> Container::string(std::uint64_t number, std::uint64_t at) const {
    if (number >= strings_.size())
        return fail(damage(at, fmt::format("text {} of {} is named", number, strings_.size())));
    return token(strings_[number], at);
}

Result<std::string> Container::path(std::uint64_t number, std::uint64_t at) const {
    // No path at all is written as one beyond the last.
    if (number == 0xffffffffU)
        return std::string();
    if (number >= paths_.size())
        return fail(damage(at, fmt::format("path {} of {} is named", number, paths_.size())));
    return paths_[number];
}

} // namespace wyc::usd
