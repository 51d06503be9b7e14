// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Objects and properties of an archive: the index that opening reads, and the samples that are fetched on
// demand.
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "formats/abc/container.h"
#include "scene/properties.h"
#include "time/sampling.h"

namespace wyc::abc {

/// Numbered in the file in the order of ValueType.
using Pod = ValueType;
inline constexpr int kPodCount = 14;
/// Bytes of one element; 0 for strings, whose elements end in a zero.
[[nodiscard]] std::size_t podSize(Pod pod);
[[nodiscard]] const char* podName(Pod pod);

using Metadata = std::map<std::string, std::string>;
[[nodiscard]] Metadata parseMetadata(std::string_view text);
[[nodiscard]] std::string metadataText(const Metadata& metadata);

struct TimeSampling {
    std::vector<double> stored{0.0};
    double cycleSeconds = 1.0;
    bool acyclic = false;
    std::uint32_t maxSamples = 0;
    /// What the stored times stand for, where they went through float32; empty = just these.
    std::vector<double> meant = {};
    double meantCycle = 0.0;
    [[nodiscard]] Sampling sampling(std::size_t count) const;
};
/// Time per cycle that marks an acyclic time sampling: the largest double / 32.
[[nodiscard]] double acyclicMark();

struct Property {
    enum class Kind { Compound, Scalar, Array };
    std::string name;
    Kind kind = Kind::Compound;
    Pod pod = Pod::Bool;
    std::uint32_t extent = 1; // elements in one value
    Metadata metadata;
    std::uint32_t sampleCount = 0;
    std::uint32_t firstChanged = 0;
    std::uint32_t lastChanged = 0;
    std::uint32_t timeSampling = 0;
    bool constant = false;
    bool homogeneous = false;
    std::uint64_t position = 0; // of its group
    std::vector<Property> children;

    [[nodiscard]] const Property* child(std::string_view childName) const;
    /// Which stored sample stands for sample i.
    [[nodiscard]] std::uint64_t storedIndex(std::uint64_t i) const;
};

struct Object {
    std::string name;
    std::string path;
    Metadata metadata;
    int parent = -1; // index into Archive::objects, −1 for the top object
    std::vector<Property> properties;

    [[nodiscard]] const Property* property(std::string_view propertyName) const;
    [[nodiscard]] std::string schema() const;
};

/// Bytes of one stored sample: where they are and how many.
struct SampleData {
    std::uint64_t position = 0; // of its data block, 0 = empty
    std::uint64_t sizeBytes = 0;
    std::uint64_t elementOffset = 16; // the key stands before the elements
};

class Archive {
  public:
    [[nodiscard]] static Result<std::shared_ptr<const Archive>> open(const fs::path& path);

    [[nodiscard]] const Container& container() const { return *container_; }
    [[nodiscard]] std::int32_t fileVersion() const { return fileVersion_; }
    [[nodiscard]] std::int32_t libraryVersion() const { return libraryVersion_; }
    [[nodiscard]] const Metadata& metadata() const { return metadata_; }
    [[nodiscard]] const std::vector<TimeSampling>& timeSamplings() const { return timeSamplings_; }
    /// As it is stated, else that of the first regular time sampling as far as it is one.
    [[nodiscard]] const std::optional<FrameRate>& rate() const { return rate_; }
    /// Depth first, children in the file's order; the top object ("/") is the first.
    [[nodiscard]] const std::vector<Object>& objects() const { return objects_; }

    [[nodiscard]] Sampling samplingOf(const Property& property) const;
    [[nodiscard]] Result<SampleData> sample(const Property& property, std::uint64_t index) const;
    /// Number of elements of a sample (bytes / element size); not for strings.
    [[nodiscard]] Result<std::uint64_t> elementCount(const Property& property, std::uint64_t index) const;
    /// The elements as they stand; each string has its end.
    [[nodiscard]] Result<std::vector<std::byte>> bytes(const Property& property, std::uint64_t index) const;
    /// The dimensions an array sample states; empty when they follow from the size.
    [[nodiscard]] Result<std::vector<std::uint64_t>> dimensions(const Property& property, std::uint64_t index) const;
    /// Elements of a sample as T; the property's type must have this size.
    template<class T> [[nodiscard]] Result<std::vector<T>> values(const Property& property, std::uint64_t index) const;
    [[nodiscard]] Result<std::vector<std::string>> strings(const Property& property, std::uint64_t index) const;

  private:
    friend class ArchiveReader;
    Archive() = default;
    std::shared_ptr<const Container> container_;
    std::int32_t fileVersion_ = 0;
    std::int32_t libraryVersion_ = 0;
    Metadata metadata_;
    void readTimesAsMeant();
    std::optional<FrameRate> rate_;
    std::vector<TimeSampling> timeSamplings_;
    std::vector<Object> objects_;
};

template<class T> Result<std::vector<T>> Archive::values(const Property& property, std::uint64_t index) const {
    if (podSize(property.pod) != sizeof(T))
        return fail(container_->damage(property.position, "property '" + property.name + "' holds " +
                                                              podName(property.pod) + ", another type is needed here"));
    WYC_TRY(at, sample(property, index));
    std::vector<T> result(at.sizeBytes / sizeof(T));
    if (!result.empty())
        WYC_CHECK(container_->readData(at.position, at.elementOffset, std::as_writable_bytes(std::span(result))));
    return result;
}

} // namespace wyc::abc
