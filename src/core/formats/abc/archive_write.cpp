// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/abc/archive_write.h"

#include <algorithm>

#include <fmt/format.h>

#include "base/bytes.h"

namespace wyc::abc {
namespace {

// The library version whose layout this writer follows, as readers compare it.
constexpr std::int32_t kLibraryVersion = 10805;
constexpr std::int32_t kFileVersion = 0;
constexpr std::size_t kMostIndexed = 254;

void appendNumber(std::vector<std::byte>& to, std::uint32_t value, std::uint32_t width) {
    if (width == 0)
        appendBytes(to, static_cast<std::uint8_t>(value));
    else if (width == 1)
        appendBytes(to, static_cast<std::uint16_t>(value));
    else
        appendBytes(to, value);
}

} // namespace

Result<std::unique_ptr<ArchiveWriter>> ArchiveWriter::create(const fs::path& target, Metadata metadata) {
    std::unique_ptr<ArchiveWriter> writer(new ArchiveWriter());
    WYC_TRY(file, AtomicFile::create(target));
    writer->file_ = std::move(file);
    writer->metadata_ = std::move(metadata);
    writer->objects_.emplace_back(); // the top object
    writer->samplings_.push_back(Sampling::uniform(0.0, 1.0, 0));
    writer->samplingCounts_.push_back(0);
    writer->samplingDeclared_.push_back(false);
    // Not finished until the last byte says so.
    constexpr std::array<std::uint8_t, 8> kHead{'O', 'g', 'a', 'w', 'a', 0x00, 0, 1};
    WYC_CHECK(writer->file_->append(std::as_bytes(std::span(kHead))));
    const std::uint64_t root = 0;
    WYC_CHECK(writer->file_->append(std::as_bytes(std::span(&root, 1))));
    return writer;
}

std::uint32_t ArchiveWriter::addTimeSampling(const Sampling& sampling) {
    if (sampling.kind() == Sampling::Kind::Still)
        return 0;
    Sampling plain = sampling.kind() == Sampling::Kind::Acyclic ? sampling
                     : sampling.kind() == Sampling::Kind::Cyclic
                         ? Sampling::cyclic(sampling.storedTimes(), sampling.cycleSeconds(), 0)
                         : Sampling::uniform(sampling.storedTimes()[0], sampling.cycleSeconds(), 0);
    const auto& times = plain.storedTimes();
    const auto found = std::find_if(samplings_.begin(), samplings_.end(), [&](const Sampling& there) {
        if (plain.kind() != Sampling::Kind::Acyclic || there.kind() != Sampling::Kind::Acyclic)
            return there == plain;
        // Fewer samples than times: the times begin alike.
        return times.size() <= there.storedTimes().size() &&
               std::equal(times.begin(), times.end(), there.storedTimes().begin());
    });
    if (found != samplings_.end())
        return static_cast<std::uint32_t>(found - samplings_.begin());
    samplings_.push_back(std::move(plain));
    samplingCounts_.push_back(0);
    samplingDeclared_.push_back(false);
    return static_cast<std::uint32_t>(samplings_.size() - 1);
}

void ArchiveWriter::declareTimeSampling(const Sampling& sampling, std::uint32_t mostSamples, bool first) {
    const std::uint32_t number = first ? 0 : addTimeSampling(sampling);
    samplingCounts_[number] = mostSamples;
    samplingDeclared_[number] = true;
}

void ArchiveWriter::countSample(const OutProperty& property) {
    const std::uint32_t number = property.description.timeSampling;
    if (!samplingDeclared_[number])
        samplingCounts_[number] = std::max(samplingCounts_[number], property.count);
}

ArchiveWriter::ObjectId ArchiveWriter::addObject(ObjectId parent, const std::string& name, Metadata metadata) {
    objects_.push_back({name, std::move(metadata), {}, {}});
    objects_[parent.index].children.push_back(objects_.size() - 1);
    return {objects_.size() - 1};
}

bool ArchiveWriter::hasChild(ObjectId parent, const std::string& name) const {
    const auto& children = objects_[parent.index].children;
    return std::any_of(children.begin(), children.end(), [&](std::size_t c) { return objects_[c].name == name; });
}

bool ArchiveWriter::hasMember(PropertyId group, const std::string& name) const {
    const auto& members = properties_[group.index].children;
    return std::any_of(members.begin(), members.end(),
                       [&](std::size_t m) { return properties_[m].description.name == name; });
}

ArchiveWriter::PropertyId ArchiveWriter::addProperty(PropertyId parent, Description description) {
    properties_.emplace_back();
    properties_.back().description = std::move(description);
    properties_[parent.index].children.push_back(properties_.size() - 1);
    return {properties_.size() - 1};
}

ArchiveWriter::PropertyId ArchiveWriter::addProperty(ObjectId object, Description description) {
    properties_.emplace_back();
    properties_.back().description = std::move(description);
    objects_[object.index].properties.push_back(properties_.size() - 1);
    return {properties_.size() - 1};
}

ArchiveWriter::PropertyId ArchiveWriter::addCompound(ObjectId object, const std::string& name, Metadata metadata) {
    return addProperty(object, {name, Property::Kind::Compound, Pod::Bool, 1, std::move(metadata), 0});
}

ArchiveWriter::PropertyId ArchiveWriter::addCompound(PropertyId parent, const std::string& name, Metadata metadata) {
    return addProperty(parent, {name, Property::Kind::Compound, Pod::Bool, 1, std::move(metadata), 0});
}

Key128 ArchiveWriter::sampleKey(Pod pod, std::span<const std::byte> bytes) {
    // As others write it: of wide strings the first quarter of the bytes counts.
    return hash128(pod == Pod::WideString ? bytes.first(bytes.size() / 4) : bytes);
}

Status ArchiveWriter::addSample(PropertyId id, std::span<const std::byte> bytes, std::optional<Key128> key,
                                std::span<const std::uint64_t> dimensions) {
    OutProperty& property = properties_[id.index];
    const Description& d = property.description;
    const Key128 content = key ? *key : sampleKey(d.pod, bytes);
    const std::uint32_t index = property.count++;
    countSample(property);
    const bool sameDimensions = std::equal(dimensions.begin(), dimensions.end(), property.lastDimensions.begin(),
                                           property.lastDimensions.end());
    // The key of wide strings does not tell all contents apart.
    const bool keyTellsAll = d.pod != Pod::WideString;
    if (index > 0 && keyTellsAll && sameDimensions && content == property.lastKey && bytes.size() == property.lastSize)
        return {};
    property.lastKey = content;
    property.lastSize = bytes.size();
    property.lastDimensions.assign(dimensions.begin(), dimensions.end());
    property.allEmpty = property.allEmpty && bytes.empty();
    const std::size_t element = podSize(d.pod);
    const auto values = element > 0 ? bytes.size() / element
                                    : static_cast<std::size_t>(std::count(bytes.begin(), bytes.end(), std::byte{0}));
    property.oneValueEach =
        property.oneValueEach && (dimensions.empty() ? values == d.extent
                                                     : std::all_of(dimensions.begin(), dimensions.end(),
                                                                   [](std::uint64_t n) { return n == 1; }));
    StoredSample stored;
    if (!bytes.empty()) {
        const auto [at, added] = contents_.try_emplace(ContentKey{content, bytes.size()}, 0);
        if (added || !keyTellsAll) {
            auto written = writeData(std::as_bytes(std::span(content)), bytes);
            if (!written)
                return fail(std::move(written.error()));
            at->second = *written;
        }
        stored.values = at->second;
    }
    if (!dimensions.empty()) {
        const auto [at, added] = dimensions_.try_emplace(property.lastDimensions, 0);
        if (added) {
            WYC_TRY(written, writeData(std::as_bytes(dimensions)));
            at->second = written;
        }
        stored.dimensions = at->second;
    }
    if (index > 0) {
        if (property.firstChanged == 0)
            property.firstChanged = index;
        else // held samples between two changes stand in the list again
            property.stored.insert(property.stored.end(), index - property.lastChanged - 1, property.stored.back());
        property.lastChanged = index;
    }
    property.stored.push_back(stored);
    return {};
}

void ArchiveWriter::repeatSample(PropertyId id) {
    OutProperty& property = properties_[id.index];
    if (property.count == 0)
        return;
    ++property.count;
    if (property.description.timeSampling != 0)
        countSample(property);
}

Result<std::uint64_t> ArchiveWriter::writeData(std::span<const std::byte> first, std::span<const std::byte> second) {
    const std::uint64_t position = file_->position();
    const std::uint64_t size = first.size() + second.size();
    WYC_CHECK(file_->append(std::as_bytes(std::span(&size, 1))));
    WYC_CHECK(file_->append(first));
    WYC_CHECK(file_->append(second));
    return position;
}

Result<std::uint64_t> ArchiveWriter::writeGroup(const std::vector<std::uint64_t>& children) {
    if (children.empty())
        return 0;
    const std::uint64_t position = file_->position();
    const std::uint64_t count = children.size();
    WYC_CHECK(file_->append(std::as_bytes(std::span(&count, 1))));
    WYC_CHECK(file_->append(std::as_bytes(std::span(children))));
    return position;
}

std::uint8_t ArchiveWriter::metadataIndex(const std::string& text) {
    if (text.empty())
        return 0;
    if (text.size() > 255)
        return 0xff;
    if (const auto found = metadataNumbers_.find(text); found != metadataNumbers_.end())
        return found->second;
    if (indexedMetadata_.size() >= kMostIndexed)
        return 0xff;
    indexedMetadata_.push_back(text);
    return metadataNumbers_[text] = static_cast<std::uint8_t>(indexedMetadata_.size());
}

Result<std::vector<std::byte>> ArchiveWriter::propertyHeader(const OutProperty& property) {
    const Description& d = property.description;
    const std::string text = metadataText(d.metadata);
    const std::uint8_t metadata = metadataIndex(text);
    const std::string inlineMetadata = metadata == 0xff ? text : std::string();
    std::uint32_t info = static_cast<std::uint32_t>(metadata) << 20;
    std::size_t largest = std::max(d.name.size(), text.size());
    const bool compound = d.kind == Property::Kind::Compound;
    const bool constant = property.firstChanged == 0 && property.lastChanged == 0;
    const bool storesChanges = !constant && !(property.firstChanged == 1 && property.lastChanged == property.count - 1);
    if (!compound) {
        largest = std::max<std::size_t>({largest, property.count, d.timeSampling});
        info |= d.kind == Property::Kind::Scalar ? 1U : property.oneValueEach ? 3U : 2U;
        info |= static_cast<std::uint32_t>(d.pod) << 4;
        info |= d.extent << 12;
        // As others write it: set on scalars and on single numbers, clear on wider arrays that hold anything.
        if (d.kind == Property::Kind::Scalar || d.extent == 1 || property.allEmpty)
            info |= 0x400U;
        if (d.timeSampling != 0)
            info |= 0x100U;
        if (storesChanges)
            info |= 0x200U;
        if (constant)
            info |= 0x800U;
    }
    const std::uint32_t width = largest < 256 ? 0 : largest < 65536 ? 1 : 2;
    info |= width << 2;
    std::vector<std::byte> header;
    appendBytes(header, info);
    if (!compound) {
        appendNumber(header, property.count, width);
        if (storesChanges) {
            appendNumber(header, property.firstChanged, width);
            appendNumber(header, property.lastChanged, width);
        }
        if (d.timeSampling != 0)
            appendNumber(header, d.timeSampling, width);
    }
    appendNumber(header, static_cast<std::uint32_t>(d.name.size()), width);
    appendBytes(header, std::string_view(d.name));
    if (metadata == 0xff) {
        appendNumber(header, static_cast<std::uint32_t>(inlineMetadata.size()), width);
        appendBytes(header, std::string_view(inlineMetadata));
    }
    return header;
}

Result<ArchiveWriter::Written> ArchiveWriter::writeProperty(std::size_t index) {
    const OutProperty& property = properties_[index];
    if (property.description.kind == Property::Kind::Compound)
        return writeCompoundGroup(property.children);
    Written written;
    std::vector<std::uint64_t> children;
    const bool array = property.description.kind == Property::Kind::Array;
    for (const StoredSample& sample : property.stored) {
        children.push_back(sample.values | kDataBit);
        if (array)
            children.push_back(sample.dimensions | kDataBit);
    }
    WYC_TRY(position, writeGroup(children));
    written.position = position;
    written.hash = hash128(std::as_bytes(std::span(children)));
    written.hash[0] ^= property.lastKey[0];
    written.hash[1] ^= property.lastKey[1];
    return written;
}

Result<ArchiveWriter::Written> ArchiveWriter::writeCompoundGroup(const std::vector<std::size_t>& members) {
    if (members.empty())
        return Written{};
    std::vector<std::uint64_t> children;
    std::vector<std::byte> headers;
    std::vector<std::byte> hashed;
    for (const std::size_t member : members) {
        WYC_TRY(written, writeProperty(member));
        children.push_back(written.position);
        WYC_TRY(header, propertyHeader(properties_[member]));
        headers.insert(headers.end(), header.begin(), header.end());
        appendBytes(hashed, std::as_bytes(std::span(written.hash)));
    }
    WYC_TRY(headersAt, writeData(headers));
    children.push_back(headersAt | kDataBit);
    WYC_TRY(position, writeGroup(children));
    hashed.insert(hashed.end(), headers.begin(), headers.end());
    return Written{position, hash128(hashed)};
}

Result<ArchiveWriter::Written> ArchiveWriter::writeObject(std::size_t index) {
    const OutObject& object = objects_[index];
    WYC_TRY(properties, writeCompoundGroup(object.properties));
    std::vector<std::uint64_t> children{properties.position};
    std::vector<std::byte> headers;
    std::vector<std::byte> hashed;
    for (const std::size_t child : object.children) {
        WYC_TRY(written, writeObject(child));
        children.push_back(written.position);
        appendBytes(hashed, std::as_bytes(std::span(written.hash)));
        const OutObject& it = objects_[child];
        appendBytes(headers, static_cast<std::uint32_t>(it.name.size()));
        appendBytes(headers, std::string_view(it.name));
        const std::string text = metadataText(it.metadata);
        const std::uint8_t metadata = metadataIndex(text);
        appendBytes(headers, metadata);
        if (metadata == 0xff) {
            appendBytes(headers, static_cast<std::uint32_t>(text.size()));
            appendBytes(headers, std::string_view(text));
        }
    }
    hashed.insert(hashed.end(), headers.begin(), headers.end());
    const Key128 childrenHash = hash128(hashed);
    appendBytes(headers, std::as_bytes(std::span(properties.hash)));
    appendBytes(headers, std::as_bytes(std::span(childrenHash)));
    WYC_TRY(headersAt, writeData(headers));
    children.push_back(headersAt | kDataBit);
    WYC_TRY(position, writeGroup(children));
    return Written{position, {properties.hash[0] ^ childrenHash[0], properties.hash[1] ^ childrenHash[1]}};
}

Status ArchiveWriter::finish() {
    WYC_TRY(top, writeObject(0));
    std::vector<std::byte> bytes;
    appendBytes(bytes, kFileVersion);
    WYC_TRY(fileVersion, writeData(bytes));
    bytes.clear();
    appendBytes(bytes, kLibraryVersion);
    WYC_TRY(libraryVersion, writeData(bytes));
    bytes.clear();
    appendBytes(bytes, std::string_view(metadataText(metadata_)));
    WYC_TRY(metadata, writeData(bytes));
    bytes.clear();
    for (std::size_t i = 0; i < samplings_.size(); ++i) {
        const Sampling& sampling = samplings_[i];
        const bool acyclic = sampling.kind() == Sampling::Kind::Acyclic;
        appendBytes(bytes, samplingCounts_[i]);
        appendBytes(bytes, acyclic ? acyclicMark() : sampling.cycleSeconds());
        appendBytes(bytes, static_cast<std::uint32_t>(sampling.storedTimes().size()));
        for (const double time : sampling.storedTimes())
            appendBytes(bytes, time);
    }
    WYC_TRY(samplings, writeData(bytes));
    bytes.clear();
    for (const std::string& text : indexedMetadata_) {
        appendBytes(bytes, static_cast<std::uint8_t>(text.size()));
        appendBytes(bytes, std::string_view(text));
    }
    const bool noMetadata = bytes.empty();
    WYC_TRY(indexed, noMetadata ? Result<std::uint64_t>(0) : writeData(bytes));
    WYC_TRY(root, writeGroup({fileVersion | kDataBit, libraryVersion | kDataBit, top.position, metadata | kDataBit,
                              samplings | kDataBit, indexed | kDataBit}));
    // The order matters: everything is on the disk before the mark that says the archive is finished.
    WYC_CHECK(file_->rewriteAt(8, std::as_bytes(std::span(&root, 1))));
    const std::uint8_t finished = 0xff;
    WYC_CHECK(file_->rewriteAt(5, std::as_bytes(std::span(&finished, 1))));
    return file_->commit(AtomicFile::Replace::Yes);
}

} // namespace wyc::abc
