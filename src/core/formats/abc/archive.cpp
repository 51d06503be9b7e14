// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/abc/archive.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <unordered_set>

#include <fmt/format.h>

#include "base/bytes.h"
#include "base/text.h"

namespace wyc::abc {
namespace {

constexpr std::size_t kMostDepth = 500;
constexpr std::uint32_t kMostSamples = 1U << 24; // eight days at 24 frames a second
constexpr std::size_t kKeyBytes = 16;
constexpr std::size_t kHashBytes = 32;

constexpr std::array<const char*, kPodCount> kPodNames{"bool_t",    "uint8_t",   "int8_t",   "uint16_t", "int16_t",
                                                       "uint32_t",  "int32_t",   "uint64_t", "int64_t",  "float16_t",
                                                       "float32_t", "float64_t", "string",   "wstring"};

} // namespace

std::size_t podSize(Pod pod) {
    return elementSize(pod);
}
const char* podName(Pod pod) {
    return kPodNames[static_cast<std::size_t>(pod)];
}

Metadata parseMetadata(std::string_view text) {
    Metadata result;
    while (!text.empty()) {
        const auto stop = text.find(';');
        const std::string_view entry = text.substr(0, stop);
        text = stop == std::string_view::npos ? std::string_view() : text.substr(stop + 1);
        if (const auto equals = entry.find('='); equals != std::string_view::npos)
            result[std::string(entry.substr(0, equals))] = entry.substr(equals + 1);
    }
    return result;
}

std::string metadataText(const Metadata& metadata) {
    std::string text;
    for (const auto& [key, value] : metadata)
        text += fmt::format("{}{}={}", text.empty() ? "" : ";", key, value);
    return text;
}

double acyclicMark() {
    return std::numeric_limits<double>::max() / 32.0;
}

Sampling TimeSampling::sampling(std::size_t count) const {
    const std::vector<double>& all = meant.empty() ? stored : meant;
    if (acyclic)
        return Sampling::acyclic({all.begin(), all.begin() + static_cast<std::ptrdiff_t>(std::min(count, all.size()))});
    const double cycle = meant.empty() ? cycleSeconds : meantCycle;
    return all.size() == 1 ? Sampling::uniform(all[0], cycle, count) : Sampling::cyclic(all, cycle, count);
}

const Property* Property::child(std::string_view childName) const {
    const auto found =
        std::find_if(children.begin(), children.end(), [&](const Property& p) { return p.name == childName; });
    return found == children.end() ? nullptr : &*found;
}

std::uint64_t Property::storedIndex(std::uint64_t i) const {
    if (constant || (firstChanged == 0 && lastChanged == 0) || i < firstChanged)
        return 0;
    if (i >= lastChanged)
        return lastChanged - firstChanged + 1;
    return i - firstChanged + 1;
}

const Property* Object::property(std::string_view propertyName) const {
    const auto found =
        std::find_if(properties.begin(), properties.end(), [&](const Property& p) { return p.name == propertyName; });
    return found == properties.end() ? nullptr : &*found;
}

std::string Object::schema() const {
    const auto found = metadata.find("schema");
    return found == metadata.end() ? std::string() : found->second;
}

/// Reads the index. Every group is entered once at most, so that no arrangement of positions can loop or
/// multiply.
class ArchiveReader {
  public:
    explicit ArchiveReader(Archive& archive) : archive_(archive), container_(*archive.container_) {}

    Status read() {
        WYC_TRY(root, container_.children(container_.rootPosition()));
        if (root.size() < 6)
            return fail(
                container_.damage(container_.rootPosition(),
                                  fmt::format("the root group has {} children, an archive has 6", root.size())));
        WYC_TRY(fileVersion, versionAt(root[0]));
        WYC_TRY(libraryVersion, versionAt(root[1]));
        archive_.fileVersion_ = fileVersion;
        archive_.libraryVersion_ = libraryVersion;
        WYC_TRY(metadata, textAt(root[3]));
        archive_.metadata_ = parseMetadata(metadata);
        WYC_CHECK(readTimeSamplings(root[4]));
        WYC_CHECK(readIndexedMetadata(root[5]));
        if (root[2].isData)
            return fail(container_.damage(container_.rootPosition(), "the top object is no group"));
        Object top;
        top.path = "/";
        top.metadata = archive_.metadata_;
        archive_.objects_.push_back(std::move(top));
        return readObject(root[2].position, 0, 0);
    }

  private:
    Result<std::int32_t> versionAt(const Child& child) {
        WYC_TRY(bytes, container_.data(child.position));
        ByteReader reader(bytes, child.position + 8);
        auto value = reader.read<std::int32_t>();
        if (!child.isData || !value)
            return fail(container_.damage(child.position, "the archive states no version"));
        return *value;
    }
    Result<std::string> textAt(const Child& child) {
        if (!child.isData)
            return fail(container_.damage(child.position, "the archive's metadata is no data"));
        WYC_TRY(bytes, container_.data(child.position));
        return std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    }
    [[nodiscard]] Status located(Status status) const {
        if (!status)
            return fail(std::move(status.error())
                            .inFile(container_.file().path().string())
                            .withAdvice("The archive is damaged; write it again"));
        return status;
    }

    Status readTimeSamplings(const Child& child) {
        WYC_TRY(bytes, container_.data(child.position));
        ByteReader reader(bytes, child.position + 8);
        return located([&]() -> Status {
            while (reader.left() > 0) {
                TimeSampling sampling;
                WYC_TRY(most, reader.read<std::uint32_t>());
                WYC_TRY(cycle, reader.read<double>());
                const std::uint64_t at = reader.offset();
                WYC_TRY(count, reader.read<std::uint32_t>());
                if (count == 0 || count > reader.left() / 8)
                    return fail(
                        container_.damage(at, fmt::format("a time sampling of {} times does not fit its data", count)));
                sampling.maxSamples = most;
                sampling.cycleSeconds = cycle;
                sampling.acyclic = cycle == acyclicMark();
                sampling.stored.clear();
                for (std::uint32_t i = 0; i < count; ++i) {
                    WYC_TRY(time, reader.read<double>());
                    if (!std::isfinite(time))
                        return fail(container_.damage(reader.offset() - 8, "a sample time is not finite"));
                    sampling.stored.push_back(time);
                }
                if (!std::isfinite(cycle) || (!sampling.acyclic && cycle <= 0.0))
                    return fail(container_.damage(at - 8, "a time sampling has no valid time per cycle"));
                archive_.timeSamplings_.push_back(std::move(sampling));
            }
            if (archive_.timeSamplings_.empty())
                archive_.timeSamplings_.emplace_back();
            return {};
        }());
    }

    Status readIndexedMetadata(const Child& child) {
        WYC_TRY(bytes, container_.data(child.position));
        ByteReader reader(bytes, child.position + 8);
        indexed_.emplace_back();
        return located([&]() -> Status {
            while (reader.left() > 0) {
                WYC_TRY(length, reader.read<std::uint8_t>());
                WYC_TRY(text, reader.readString(length));
                indexed_.push_back(parseMetadata(text));
            }
            return {};
        }());
    }

    Result<Metadata> metadataAt(std::uint32_t index, std::uint64_t byte) const {
        if (index >= indexed_.size())
            return fail(
                container_.damage(byte, fmt::format("metadata number {} of {} is named", index, indexed_.size())));
        return indexed_[index];
    }

    Status enter(std::uint64_t group, std::size_t depth, const char* what) {
        if (depth > kMostDepth)
            return fail(container_.damage(group, fmt::format("{} stand more than {} levels deep", what, kMostDepth)));
        if (group != 0 && !entered_.insert(group).second)
            return fail(container_.damage(
                group, fmt::format("a group is listed twice among the {}: the archive runs in a circle", what)));
        return {};
    }

    Status readObject(std::uint64_t group, std::size_t self, std::size_t depth) {
        WYC_CHECK(enter(group, depth, "objects"));
        WYC_TRY(children, container_.children(group));
        if (children.empty())
            return {};
        if (children.front().isData)
            return fail(container_.damage(group, "the properties of an object are no group"));
        if (children.front().position != 0)
            WYC_CHECK(readCompound(children.front().position, archive_.objects_[self].properties, depth));
        if (children.size() < 2)
            return {};
        const Child last = children.back();
        if (!last.isData)
            return fail(container_.damage(group, "an object has no block of child headers"));
        WYC_TRY(bytes, container_.data(last.position));
        if (bytes.size() < kHashBytes)
            return children.size() == 2
                       ? Status{}
                       : fail(container_.damage(last.position, "a block of child headers is too short"));
        ByteReader reader(std::span<const std::byte>(bytes.data(), bytes.size() - kHashBytes), last.position + 8);
        std::unordered_set<std::string> names;
        for (std::size_t i = 1; i + 1 < children.size(); ++i) {
            Object object;
            WYC_CHECK(located(readObjectHeader(reader, object)));
            if (children[i].isData)
                return fail(
                    container_.damage(group, fmt::format("child object '{}' is no group", validUtf8(object.name))));
            if (!names.insert(object.name).second)
                return fail(
                    container_.damage(last.position, fmt::format("two objects of one parent are both named '{}'",
                                                                 validUtf8(object.name))));
            const Object& parent = archive_.objects_[self];
            object.path = (parent.path == "/" ? "" : parent.path) + "/" + object.name;
            object.parent = static_cast<int>(self);
            const std::size_t index = archive_.objects_.size();
            archive_.objects_.push_back(std::move(object));
            WYC_CHECK(readObject(children[i].position, index, depth + 1));
        }
        if (reader.left() > 0)
            return fail(container_.damage(reader.offset(),
                                          fmt::format("{} bytes are left after the last child header", reader.left())));
        return {};
    }

    Status readObjectHeader(ByteReader& reader, Object& object) {
        const std::uint64_t at = reader.offset();
        WYC_TRY(nameLength, reader.read<std::uint32_t>());
        if (nameLength > reader.left())
            return fail(
                container_.damage(at, fmt::format("an object's name is said to have {} bytes, {} are left of the "
                                                  "headers",
                                                  nameLength, reader.left())));
        WYC_TRY(name, reader.readString(nameLength));
        if (name.empty() || name.find('/') != std::string::npos)
            return fail(container_.damage(at, "an object's name is empty or holds a '/'"));
        WYC_TRY(index, reader.read<std::uint8_t>());
        object.name = name;
        if (index == 0xff) {
            WYC_TRY(length, reader.read<std::uint32_t>());
            WYC_TRY(text, reader.readString(length));
            object.metadata = parseMetadata(text);
        } else {
            WYC_TRY(metadata, metadataAt(index, reader.offset() - 1));
            object.metadata = metadata;
        }
        return {};
    }

    Status readCompound(std::uint64_t group, std::vector<Property>& into, std::size_t depth) {
        WYC_CHECK(enter(group, depth, "properties"));
        WYC_TRY(children, container_.children(group));
        if (children.empty())
            return {};
        const Child last = children.back();
        if (!last.isData)
            return fail(container_.damage(group, "a compound property has no block of headers"));
        WYC_TRY(bytes, container_.data(last.position));
        ByteReader reader(bytes, last.position + 8);
        for (std::size_t i = 0; i + 1 < children.size(); ++i) {
            Property property;
            WYC_CHECK(located(readPropertyHeader(reader, property)));
            if (children[i].isData)
                return fail(
                    container_.damage(group, fmt::format("property '{}' is no group", validUtf8(property.name))));
            property.position = children[i].position;
            if (property.kind == Property::Kind::Compound)
                WYC_CHECK(readCompound(property.position, property.children, depth + 1));
            else
                WYC_CHECK(checkStored(property));
            into.push_back(std::move(property));
        }
        if (reader.left() > 0)
            return fail(container_.damage(
                reader.offset(), fmt::format("{} bytes are left after the last property header", reader.left())));
        return {};
    }

    static Result<std::uint32_t> readNumber(ByteReader& reader, std::uint32_t width) {
        if (width == 0) {
            WYC_TRY(value, reader.read<std::uint8_t>());
            return value;
        }
        if (width == 1) {
            WYC_TRY(value, reader.read<std::uint16_t>());
            return value;
        }
        return reader.read<std::uint32_t>();
    }

    Status readPropertyHeader(ByteReader& reader, Property& property) {
        const std::uint64_t at = reader.offset();
        WYC_TRY(info, reader.read<std::uint32_t>());
        const std::uint32_t kind = info & 3U;
        const std::uint32_t width = (info >> 2) & 3U;
        if (width == 3)
            return fail(container_.damage(at, "a property header has an unknown number width"));
        property.kind = kind == 0   ? Property::Kind::Compound
                        : kind == 1 ? Property::Kind::Scalar
                                    : Property::Kind::Array;
        if (kind != 0) {
            const std::uint32_t pod = (info >> 4) & 15U;
            if (pod >= kPodCount)
                return fail(container_.damage(at, fmt::format("element type {} is not known", pod)));
            property.pod = static_cast<Pod>(pod);
            property.extent = (info >> 12) & 0xffU;
            if (property.extent == 0)
                return fail(container_.damage(at, "a property has an extent of 0"));
            property.homogeneous = (info & 0x400U) != 0;
            property.constant = (info & 0x800U) != 0;
            WYC_TRY(count, readNumber(reader, width));
            property.sampleCount = count;
            if (count > kMostSamples)
                return fail(container_.damage(at, fmt::format("a property says it has {} samples", count)));
            if (info & 0x200U) {
                WYC_TRY(first, readNumber(reader, width));
                WYC_TRY(last, readNumber(reader, width));
                property.firstChanged = first;
                property.lastChanged = last;
                if (last < first || (count > 0 && last >= count))
                    return fail(container_.damage(
                        at, fmt::format("changed samples {} to {} of {} make no sense", first, last, count)));
            } else if (!property.constant && count > 0) {
                property.firstChanged = count > 1 ? 1 : 0;
                property.lastChanged = count - 1;
            }
            if (info & 0x100U) {
                WYC_TRY(index, readNumber(reader, width));
                property.timeSampling = index;
            }
            if (property.timeSampling >= archive_.timeSamplings_.size())
                return fail(container_.damage(at, fmt::format("time sampling {} of {} is named", property.timeSampling,
                                                              archive_.timeSamplings_.size())));
        }
        WYC_TRY(nameLength, readNumber(reader, width));
        if (nameLength > reader.left())
            return fail(
                container_.damage(at, fmt::format("a property's name is said to have {} bytes, {} are left of the "
                                                  "headers",
                                                  nameLength, reader.left())));
        WYC_TRY(name, reader.readString(nameLength));
        property.name = name;
        const std::uint32_t metadata = (info >> 20) & 0xffU;
        if (metadata == 0xff) {
            WYC_TRY(length, readNumber(reader, width));
            WYC_TRY(text, reader.readString(length));
            property.metadata = parseMetadata(text);
        } else {
            WYC_TRY(found, metadataAt(metadata, at));
            property.metadata = found;
        }
        return {};
    }

    // A count larger than what is stored would let a small file claim any number of samples.
    Status checkStored(const Property& property) {
        if (property.sampleCount == 0)
            return {};
        WYC_TRY(children, container_.childCount(property.position));
        const std::uint64_t stored = property.kind == Property::Kind::Array ? children / 2 : children;
        const std::uint64_t needed = property.storedIndex(property.sampleCount - 1) + 1;
        if (needed > stored)
            return fail(container_.damage(
                property.position, fmt::format("property '{}' says it has {} samples, which need {} stored ones; {} "
                                               "are there",
                                               validUtf8(property.name), property.sampleCount, needed, stored)));
        return {};
    }

    Archive& archive_;
    const Container& container_;
    std::vector<Metadata> indexed_;
    std::unordered_set<std::uint64_t> entered_;
};

Result<std::shared_ptr<const Archive>> Archive::open(const fs::path& path) {
    WYC_TRY(container, Container::open(path));
    std::shared_ptr<Archive> archive(new Archive());
    archive->container_ = container;
    WYC_CHECK(ArchiveReader(*archive).read());
    archive->readTimesAsMeant();
    return std::shared_ptr<const Archive>(std::move(archive));
}

void Archive::readTimesAsMeant() {
    if (const auto text = metadata_.find("_ai_DCC_FPS"); text != metadata_.end())
        if (const auto number = parseNumber(text->second))
            rate_ = FrameRate::nearest(*number);
    for (std::size_t i = 1; i < timeSamplings_.size() && !rate_; ++i)
        if (!timeSamplings_[i].acyclic && timeSamplings_[i].cycleSeconds < 1.0)
            rate_ = FrameRate::nearest(1.0 / timeSamplings_[i].cycleSeconds);
    if (!rate_)
        return;
    for (TimeSampling& sampling : timeSamplings_) {
        std::vector<double> meant = timesAsMeant(sampling.stored, *rate_);
        const double cycle = sampling.acyclic ? 0.0 : timesAsMeant({sampling.cycleSeconds}, *rate_).front();
        if (meant == sampling.stored && (sampling.acyclic || cycle == sampling.cycleSeconds))
            continue;
        sampling.meant = std::move(meant);
        sampling.meantCycle = cycle;
    }
}

Sampling Archive::samplingOf(const Property& property) const {
    return timeSamplings_[property.timeSampling].sampling(property.sampleCount);
}

Result<SampleData> Archive::sample(const Property& property, std::uint64_t index) const {
    if (index >= property.sampleCount)
        return fail(ErrorKind::Internal,
                    fmt::format("sample {} of {} of '{}'", index, property.sampleCount, property.name));
    const bool array = property.kind == Property::Kind::Array;
    const std::uint64_t stored = property.storedIndex(index);
    WYC_TRY(child, container_->child(property.position, array ? stored * 2 : stored));
    if (!child.isData)
        return fail(container_->damage(property.position,
                                       fmt::format("a sample of '{}' is no data", validUtf8(property.name))));
    WYC_TRY(size, container_->dataSize(child.position));
    if (size == 0)
        return SampleData{child.position, 0, 0};
    if (size < kKeyBytes)
        return fail(container_->damage(child.position, fmt::format("a sample of '{}' has {} bytes, fewer than its key",
                                                                   validUtf8(property.name), size)));
    SampleData result{child.position, size - kKeyBytes, kKeyBytes};
    const std::size_t element = podSize(property.pod);
    if (element > 0) {
        const std::uint64_t value = element * property.extent;
        const bool wrong = array ? result.sizeBytes % value != 0 : result.sizeBytes != value;
        if (wrong)
            return fail(
                container_->damage(child.position, fmt::format("a sample of '{}' has {} bytes; its values have {}",
                                                               validUtf8(property.name), result.sizeBytes, value)));
    }
    return result;
}

Result<std::uint64_t> Archive::elementCount(const Property& property, std::uint64_t index) const {
    WYC_TRY(at, sample(property, index));
    return at.sizeBytes / std::max<std::size_t>(1, podSize(property.pod));
}

Result<std::vector<std::byte>> Archive::bytes(const Property& property, std::uint64_t index) const {
    WYC_TRY(at, sample(property, index));
    std::vector<std::byte> result(at.sizeBytes);
    if (result.empty())
        return result;
    WYC_CHECK(container_->readData(at.position, at.elementOffset, result));
    if (podSize(property.pod) > 0)
        return result;
    const std::size_t unit = property.pod == Pod::WideString ? 4 : 1;
    const auto end = result.end() - static_cast<std::ptrdiff_t>(std::min(unit, result.size()));
    if (result.size() % unit != 0 || std::any_of(end, result.end(), [](std::byte b) { return b != std::byte{0}; }))
        return fail(container_->damage(property.position,
                                       fmt::format("a string of '{}' has no end", validUtf8(property.name))));
    return result;
}

Result<std::vector<std::uint64_t>> Archive::dimensions(const Property& property, std::uint64_t index) const {
    if (property.kind != Property::Kind::Array)
        return std::vector<std::uint64_t>{};
    WYC_TRY(child, container_->child(property.position, property.storedIndex(index) * 2 + 1));
    if (!child.isData)
        return fail(container_->damage(property.position, "the dimensions of a sample are no data"));
    WYC_TRY(bytes, container_->data(child.position));
    if (bytes.size() % 8 != 0)
        return fail(container_->damage(child.position, "the dimensions of a sample are no 64-bit numbers"));
    std::vector<std::uint64_t> result(bytes.size() / 8);
    if (!bytes.empty())
        std::memcpy(result.data(), bytes.data(), bytes.size());
    return result;
}

Result<std::vector<std::string>> Archive::strings(const Property& property, std::uint64_t index) const {
    WYC_TRY(raw, bytes(property, index));
    return stringsOf(property.pod, raw);
}

} // namespace wyc::abc
