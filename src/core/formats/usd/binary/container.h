// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The binary container: its tables, and values by the words that stand for them.
#include <mutex>
#include <unordered_map>
#include <unordered_set>

#include "formats/usd/layer/layer.h"

namespace wyc::usd {

/// What a value word says: bit 63 array, 62 the payload is the value, 61 packed, 60 an edit of an array; type in bits
/// 48 – 55; below, the payload: an offset in the file or a small value.
struct ValueWord {
    std::uint64_t bits = 0;
    [[nodiscard]] bool isArray() const { return (bits >> 63 & 1U) != 0; }
    [[nodiscard]] bool isInlined() const { return (bits >> 62 & 1U) != 0; }
    [[nodiscard]] bool isPacked() const { return (bits >> 61 & 1U) != 0; }
    [[nodiscard]] bool isArrayEdit() const { return (bits >> 60 & 1U) != 0; }
    [[nodiscard]] unsigned type() const { return static_cast<unsigned>(bits >> 48 & 0xffU); }
    [[nodiscard]] std::uint64_t payload() const { return bits & ((1ULL << 48) - 1); }
};

class Container : public std::enable_shared_from_this<Container> {
  public:
    [[nodiscard]] static Result<std::shared_ptr<Container>> open(const Bytes& bytes);

    struct Section {
        std::string name;
        std::uint64_t start = 0;
        std::uint64_t size = 0;
    };
    [[nodiscard]] const std::vector<Section>& sections() const { return sections_; }
    /// 0 × 10000 + minor × 100 + patch.
    [[nodiscard]] int minorVersion() const { return minor_; }
    [[nodiscard]] const std::string& version() const { return version_; }
    [[nodiscard]] const Bytes& bytes() const { return bytes_; }

    struct FieldRow {
        std::uint32_t name = 0; // token
        ValueWord value;
    };
    struct SpecRow {
        std::uint32_t path = 0;
        std::uint32_t fieldSet = 0;
        std::uint32_t kind = 0;
    };
    [[nodiscard]] const std::vector<std::string>& tokens() const { return tokens_; }
    [[nodiscard]] const std::vector<FieldRow>& fields() const { return fields_; }
    /// Numbers of fields; each run ends with 0xffffffff.
    [[nodiscard]] const std::vector<std::uint32_t>& fieldSets() const { return fieldSets_; }
    [[nodiscard]] const std::vector<std::string>& paths() const { return paths_; }
    [[nodiscard]] const std::vector<SpecRow>& specs() const { return specs_; }
    /// Paths of the file that its path tree does not reach have none.
    [[nodiscard]] bool hasPath(std::uint32_t number) const { return number < paths_.size() && !paths_[number].empty(); }

    [[nodiscard]] Result<Value> value(ValueWord word) const;
    [[nodiscard]] Error damage(std::uint64_t at, std::string what) const;

    // For arrays that stay in the file.
    /// Number of values of so many bytes each, no more than the file can hold; and where they begin.
    [[nodiscard]] Result<std::pair<std::uint64_t, std::uint64_t>> arrayCount(ValueWord word, std::size_t size) const;
    [[nodiscard]] Result<std::vector<std::byte>> arrayNumbers(ValueWord word, const Type& type) const;

  private:
    class Cursor;
    explicit Container(Bytes bytes) : bytes_(std::move(bytes)) {}
    Status readAll();
    Status readTokens(const Section& section);
    Status readStrings(const Section& section);
    Status readFields(const Section& section);
    Status readFieldSets(const Section& section);
    Status readPaths(const Section& section);
    Status readSpecs(const Section& section);
    Result<std::vector<std::byte>> sectionBytes(const Section& section) const;
    Result<const std::string*> token(std::uint64_t number, std::uint64_t at) const;
    Result<const std::string*> string(std::uint64_t number, std::uint64_t at) const;
    Result<std::string> path(std::uint64_t number, std::uint64_t at) const;

    // Values that were passed on the way to the one that is read: none may hold itself, and no more of them than a
    // bound are read for one value.
    struct Walk {
        std::unordered_set<std::uint64_t> open;
        std::uint64_t left = 1'000'000;
    };
    Result<Value> value(ValueWord word, Walk& walk) const;
    Result<Value> inlined(ValueWord word) const;
    Result<Value> stored(ValueWord word, Walk& walk) const;
    Result<DictionaryPtr> dictionary(Cursor& cursor, Walk& walk) const;
    Result<Value> nested(Cursor& cursor, Walk& walk) const;
    Result<Value> listEdit(Cursor& cursor, unsigned type, Walk& walk) const;
    Result<ListItem> arc(Cursor& cursor, bool payload, Walk& walk) const;
    Result<Value> timeSamples(ValueWord word, Walk& walk) const;
    Result<Value> spline(Cursor& cursor, Walk& walk) const;
    Result<Value> arrayEdit(ValueWord word, const Type& type, Walk& walk) const;
    Result<Value> textArray(ValueWord word, Base base) const;

    Bytes bytes_;
    int minor_ = 0;
    std::string version_;
    std::vector<Section> sections_;
    std::vector<std::string> tokens_;
    std::vector<std::uint32_t> strings_;
    std::vector<FieldRow> fields_;
    std::vector<std::uint32_t> fieldSets_;
    std::vector<std::string> paths_;
    std::vector<SpecRow> specs_;
    mutable std::mutex mutex_;
    mutable std::unordered_map<std::uint64_t, std::shared_ptr<const std::vector<double>>> times_; // by payload: shared
};

} // namespace wyc::usd
