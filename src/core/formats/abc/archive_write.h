// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Writes an archive: samples go to the file as they come, the index at the end.
#include <array>
#include <deque>
#include <optional>
#include <unordered_map>

#include "base/hash.h"
#include "formats/abc/archive.h"

namespace wyc::abc {

class ArchiveWriter {
  public:
    struct ObjectId {
        std::size_t index = 0;
    };
    struct PropertyId {
        std::size_t index = 0;
    };

    [[nodiscard]] static Result<std::unique_ptr<ArchiveWriter>> create(const fs::path& target, Metadata metadata);

    /// Equal samplings share one number; still ones have number 0.
    [[nodiscard]] std::uint32_t addTimeSampling(const Sampling& sampling);
    /// A sampling with the largest sample count that another archive stated for it: that one is written, whatever
    /// comes.
    void declareTimeSampling(const Sampling& sampling, std::uint32_t mostSamples, bool first);
    [[nodiscard]] ObjectId topObject() const { return {0}; }
    [[nodiscard]] ObjectId addObject(ObjectId parent, const std::string& name, Metadata metadata);
    [[nodiscard]] bool hasChild(ObjectId parent, const std::string& name) const;
    [[nodiscard]] bool hasMember(PropertyId group, const std::string& name) const;
    [[nodiscard]] PropertyId addCompound(ObjectId object, const std::string& name, Metadata metadata);
    [[nodiscard]] PropertyId addCompound(PropertyId parent, const std::string& name, Metadata metadata);
    struct Description {
        std::string name;
        Property::Kind kind = Property::Kind::Array;
        Pod pod = Pod::Float;
        std::uint32_t extent = 1;
        Metadata metadata;
        std::uint32_t timeSampling = 0;
    };
    [[nodiscard]] PropertyId addProperty(PropertyId parent, Description description);
    [[nodiscard]] PropertyId addProperty(ObjectId object, Description description);

    /// Appends the next sample. `key` = sampleKey(…), where it is known already. A sample equal to the one
    /// before takes no room; equal contents anywhere in the archive are stored once. `dimensions` only where they do
    /// not follow from the size.
    [[nodiscard]] Status addSample(PropertyId property, std::span<const std::byte> bytes,
                                   std::optional<Key128> key = std::nullopt,
                                   std::span<const std::uint64_t> dimensions = {});
    [[nodiscard]] static Key128 sampleKey(Pod pod, std::span<const std::byte> bytes);
    /// The sample before once more. As others do, on time sampling 0 this does not count for its largest sample count.
    void repeatSample(PropertyId property);
    template<class T> [[nodiscard]] Status addValues(PropertyId property, std::span<const T> values) {
        return addSample(property, std::as_bytes(values));
    }
    [[nodiscard]] std::size_t sampleCount(PropertyId property) const { return properties_[property.index].count; }
    /// Writes the index and moves the file onto its target.
    [[nodiscard]] Status finish();

  private:
    struct StoredSample {
        std::uint64_t values = 0;     // position of the data, 0 = empty
        std::uint64_t dimensions = 0; // the same
    };
    struct OutProperty {
        Description description;
        std::vector<std::size_t> children;
        std::uint32_t count = 0;
        std::uint32_t firstChanged = 0;
        std::uint32_t lastChanged = 0;
        Key128 lastKey{};
        std::uint64_t lastSize = 0;
        std::vector<std::uint64_t> lastDimensions;
        bool oneValueEach = true;
        bool allEmpty = true;
        std::vector<StoredSample> stored;
    };
    struct OutObject {
        std::string name;
        Metadata metadata;
        std::vector<std::size_t> children;
        std::vector<std::size_t> properties;
    };
    struct Written {
        std::uint64_t position = 0;
        Key128 hash{};
    };
    struct ContentKey {
        Key128 key;
        std::uint64_t sizeBytes;
        bool operator==(const ContentKey&) const = default;
    };
    struct ContentHash {
        std::size_t operator()(const ContentKey& c) const {
            return static_cast<std::size_t>(c.key[0] ^ (c.key[1] * 31) ^ c.sizeBytes);
        }
    };

    ArchiveWriter() = default;
    void countSample(const OutProperty& property);
    [[nodiscard]] Result<std::uint64_t> writeData(std::span<const std::byte> first,
                                                  std::span<const std::byte> second = {});
    [[nodiscard]] Result<std::uint64_t> writeGroup(const std::vector<std::uint64_t>& children);
    [[nodiscard]] std::uint8_t metadataIndex(const std::string& text);
    [[nodiscard]] Result<std::vector<std::byte>> propertyHeader(const OutProperty& property);
    [[nodiscard]] Result<Written> writeProperty(std::size_t index);
    [[nodiscard]] Result<Written> writeCompoundGroup(const std::vector<std::size_t>& members);
    [[nodiscard]] Result<Written> writeObject(std::size_t index);

    std::unique_ptr<AtomicFile> file_;
    Metadata metadata_;
    std::vector<Sampling> samplings_;           // without counts
    std::vector<std::uint32_t> samplingCounts_; // largest sample count used with each
    std::vector<bool> samplingDeclared_;
    std::deque<OutProperty> properties_;
    std::deque<OutObject> objects_;
    std::unordered_map<ContentKey, std::uint64_t, ContentHash> contents_;
    std::map<std::vector<std::uint64_t>, std::uint64_t> dimensions_;
    std::vector<std::string> indexedMetadata_; // number 1 is the first
    std::unordered_map<std::string, std::uint8_t> metadataNumbers_;
};

} // namespace wyc::abc
