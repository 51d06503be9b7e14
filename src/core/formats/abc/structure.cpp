// SPDX-License-Identifier: GPL-3.0-or-later
// The structural dump. Per-sample figures: count of values, dimensions, XXH64 of the raw bytes (strings:
// UTF-8 and a zero each), the first four values and the last.
#include <cmath>
#include <cstring>

#include <Eigen/Core>
#include <nlohmann/json.hpp>

#include "base/hash.h"
#include "base/text.h"
#include "formats/abc/abc.h"
#include "formats/abc/archive.h"

namespace wyc::abc {
namespace {

using nlohmann::json;

json number(double value) {
    if (std::isnan(value))
        return "nan";
    if (std::isinf(value))
        return value > 0 ? "inf" : "-inf";
    return value;
}

json element(Pod pod, const std::byte* at) {
    const auto as = [&]<class T>(T) {
        T value;
        std::memcpy(&value, at, sizeof(T));
        return value;
    };
    switch (pod) {
    case Pod::Bool:
    case Pod::UInt8: return as(std::uint8_t{});
    case Pod::Int8: return as(std::int8_t{});
    case Pod::UInt16: return as(std::uint16_t{});
    case Pod::Int16: return as(std::int16_t{});
    case Pod::UInt32: return as(std::uint32_t{});
    case Pod::Int32: return as(std::int32_t{});
    case Pod::UInt64: return as(std::uint64_t{});
    case Pod::Int64: return as(std::int64_t{});
    case Pod::Half:
        return number(static_cast<double>(
            static_cast<float>(Eigen::half(Eigen::half_impl::raw_uint16_to_half(as(std::uint16_t{}))))));
    case Pod::Float: return number(static_cast<double>(as(float{})));
    case Pod::Double: return number(as(double{}));
    default: return nullptr;
    }
}

json metadataJson(const Metadata& metadata) {
    json result = json::object();
    for (const auto& [key, value] : metadata)
        result[validUtf8(key)] = validUtf8(value);
    return result;
}

// Values of one sample as JSON, and the bytes its hash covers.
struct SampleView {
    std::size_t count = 0;
    std::vector<std::byte> hashed;
    json head = json::array();
    json tail;
};

Result<SampleView> viewOf(const Archive& archive, const Property& property, std::uint64_t index) {
    SampleView view;
    const std::size_t extent = property.extent;
    const std::size_t size = podSize(property.pod);
    std::vector<std::string> texts;
    if (size == 0) {
        WYC_TRY(strings, archive.strings(property, index));
        texts = std::move(strings);
        for (const std::string& text : texts) {
            const auto* bytes = reinterpret_cast<const std::byte*>(text.data());
            view.hashed.insert(view.hashed.end(), bytes, bytes + text.size());
            view.hashed.push_back(std::byte{0});
        }
        view.count = texts.size() / extent;
    } else {
        WYC_TRY(bytes, archive.bytes(property, index));
        view.hashed = std::move(bytes);
        view.count = view.hashed.size() / (size * extent);
    }
    const auto valueJson = [&](std::size_t i) {
        json value = json::array();
        for (std::size_t e = 0; e < extent; ++e)
            value.push_back(size == 0 ? json(validUtf8(texts[i * extent + e]))
                                      : element(property.pod, view.hashed.data() + (i * extent + e) * size));
        return extent == 1 ? value[0] : value;
    };
    for (std::size_t i = 0; i < std::min<std::size_t>(4, view.count); ++i)
        view.head.push_back(valueJson(i));
    if (view.count > 0)
        view.tail = valueJson(view.count - 1);
    return view;
}

Status addProperty(const Archive& archive, const Property& property, const std::string& prefix, json& list) {
    json entry;
    const std::string path = prefix + validUtf8(property.name);
    entry["path"] = path;
    if (!property.metadata.empty())
        entry["metadata"] = metadataJson(property.metadata);
    if (property.kind == Property::Kind::Compound) {
        entry["kind"] = "compound";
        list.push_back(std::move(entry));
        for (const Property& child : property.children)
            WYC_CHECK(addProperty(archive, child, path + "/", list));
        return {};
    }
    entry["kind"] = property.kind == Property::Kind::Scalar ? "scalar" : "array";
    entry["pod"] = podName(property.pod);
    entry["extent"] = property.extent;
    const auto interpretation = property.metadata.find("interpretation");
    entry["interpretation"] = interpretation == property.metadata.end() ? "" : interpretation->second;
    entry["samples"] = property.sampleCount;
    entry["time_sampling"] = property.timeSampling;
    entry["constant"] = property.constant;
    entry["homogeneous"] = property.homogeneous;
    entry["first_changed"] = property.firstChanged;
    entry["last_changed"] = property.lastChanged;
    const std::uint64_t n = property.sampleCount;
    constexpr std::uint64_t kAllListed = 40;
    json samples = json::array();
    for (std::uint64_t i = 0; i < n; ++i) {
        if (n > kAllListed && i != 0 && i != 1 && i != 2 && i != n / 2 && i != n - 1)
            continue;
        WYC_TRY(view, viewOf(archive, property, i));
        WYC_TRY(dimensions, archive.dimensions(property, i));
        json sample{{"sample", i},
                    {"count", view.count},
                    {"xxh64", hashText(hash64(view.hashed))},
                    {"head", view.head},
                    {"tail", view.tail}};
        if (property.kind == Property::Kind::Array) {
            if (dimensions.empty())
                dimensions.push_back(view.count);
            sample["dims"] = dimensions;
        } else {
            sample["dims"] = nullptr;
        }
        samples.push_back(std::move(sample));
    }
    entry["per_sample"] = std::move(samples);
    list.push_back(std::move(entry));
    return {};
}

} // namespace

Result<json> structure(const fs::path& path) {
    WYC_TRY(archive, Archive::open(path));
    json result;
    result["container"] = "ogawa";
    result["file_version"] = archive->fileVersion();
    result["library_version"] = archive->libraryVersion();
    result["metadata"] = metadataJson(archive->metadata());
    json samplings = json::array();
    for (const TimeSampling& sampling : archive->timeSamplings()) {
        json entry{{"type", sampling.acyclic              ? "acyclic"
                            : sampling.stored.size() == 1 ? "uniform"
                                                          : "cyclic"},
                   {"samples_per_cycle", sampling.acyclic ? json(nullptr) : json(sampling.stored.size())},
                   {"stored_times", sampling.stored},
                   {"max_samples", sampling.maxSamples}};
        entry["time_per_cycle"] = sampling.acyclic ? json(nullptr) : json(sampling.cycleSeconds);
        samplings.push_back(std::move(entry));
    }
    result["time_samplings"] = std::move(samplings);
    json objects = json::array();
    for (const Object& object : archive->objects()) {
        json entry{{"path", validUtf8(object.path)},
                   {"schema", validUtf8(object.schema())},
                   {"metadata", metadataJson(object.metadata)}};
        json properties = json::array();
        for (const Property& property : object.properties)
            WYC_CHECK(addProperty(*archive, property, "", properties));
        entry["properties"] = std::move(properties);
        objects.push_back(std::move(entry));
    }
    result["objects"] = std::move(objects);
    return result;
}

} // namespace wyc::abc
