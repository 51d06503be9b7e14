// SPDX-License-Identifier: GPL-3.0-or-later
// A layer as it is, for `wyc info --deep`.
#include <fmt/format.h>

#include "formats/usd/compose/assets.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/usd.h"

namespace wyc::usd {
namespace {

using nlohmann::json;
constexpr std::uint64_t kShown = 8; // numbers of an array

json shown(const Value& value);

json shown(const Data& data) {
    if (data.texts) {
        if (!data.type.array)
            return data.texts->front();
        json list = json::array();
        for (std::size_t i = 0; i < data.texts->size() && i < kShown; ++i)
            list.push_back((*data.texts)[i]);
        return {{"type", nameOf(data.type)}, {"count", data.texts->size()}, {"first", list}};
    }
    const auto plain = [&](const std::vector<double>& numbers, std::size_t from) -> json {
        if (data.type.count == 1)
            return data.type.base == Base::Bool ? json(numbers[from] != 0.0) : json(numbers[from]);
        return std::vector<double>(numbers.begin() + static_cast<std::ptrdiff_t>(from),
                                   numbers.begin() + static_cast<std::ptrdiff_t>(from + data.type.count));
    };
    if (!data.type.array) {
        const std::vector<double> numbers =
            numbersOf(data.type, data.bytes ? std::span<const std::byte>(*data.bytes) : std::span<const std::byte>());
        return numbers.size() >= data.type.count ? plain(numbers, 0) : json(nullptr);
    }
    const auto count = countOf(data);
    json result{{"type", nameOf(data.type)}, {"count", count ? *count : 0}};
    if (!count)
        return {{"type", nameOf(data.type)}, {"error", count.error().text()}};
    const std::uint64_t some = std::min(kShown, *count);
    std::vector<std::byte> bytes(some * sizeOf(data.type));
    if (data.source) {
        if (auto status = data.source->readRange(0, bytes); !status) {
            result["error"] = status.error().text();
            return result;
        }
    } else if (data.bytes) {
        std::copy_n(data.bytes->begin(), bytes.size(), bytes.begin());
    }
    const std::vector<double> numbers = numbersOf(data.type, bytes);
    result["first"] = json::array();
    for (std::size_t i = 0; i < some; ++i)
        result["first"].push_back(plain(numbers, i * data.type.count));
    return result;
}

json shown(const std::vector<ListItem>& items, ListEdit::Of of) {
    json list = json::array();
    for (const ListItem& item : items) {
        if (of == ListEdit::Of::Numbers)
            list.push_back(item.number);
        else if (of != ListEdit::Of::Arcs)
            list.push_back(item.text);
        else
            list.push_back({{"asset", item.text}, {"prim", item.prim}, {"offset", item.offset}, {"scale", item.scale}});
    }
    return list;
}

json shown(const Value& value) {
    if (const Data* data = value.data())
        return shown(*data);
    if (const Dictionary* dictionary = value.dictionary()) {
        json result = json::object();
        for (const auto& [key, held] : *dictionary)
            result[key] = shown(held);
        return result;
    }
    if (const ListEdit* list = value.list()) {
        json result = json::object();
        if (list->isExplicit)
            result["explicit"] = shown(list->explicitItems, list->of);
        for (const auto& [name, part] : {std::pair{"added", &list->added},
                                         {"prepended", &list->prepended},
                                         {"appended", &list->appended},
                                         {"deleted", &list->deleted},
                                         {"ordered", &list->ordered}})
            if (!part->empty())
                result[name] = shown(*part, list->of);
        return result;
    }
    if (const Samples* samples = value.samples()) {
        json list = json::array();
        const auto& times = samples->times();
        for (std::size_t i = 0; i < times.size() && i < kShown; ++i) {
            const auto one = samples->value(i);
            list.push_back({times[i], one ? shown(*one) : json{{"error", one.error().text()}}});
        }
        return {{"samples", times.size()}, {"first", list}};
    }
    if (const auto* spline = value.pointed<Spline>()) {
        json knots = json::array();
        for (const Spline::Knot& knot : spline->knots)
            knots.push_back({knot.time, knot.value});
        return {{"spline", knots}};
    }
    if (const auto* relocates = value.pointed<Relocates>()) {
        json pairs = json::array();
        for (const auto& [from, to] : relocates->pairs)
            pairs.push_back({from, to});
        return pairs;
    }
    if (const auto* edit = value.pointed<ArrayEdit>())
        return {{"edit", edit->words}};
    if (const auto* opaque = value.as<Opaque>())
        return {{"as_written", opaque->what}};
    return nullptr; // a block
}

json shown(const Fields& fields) {
    json result = json::object();
    for (const Field& field : fields)
        result[field.name] = shown(field.value);
    return result;
}

json shown(const Layer& layer) {
    json prims = json::array();
    forEachPrim(*layer.root, "/", [&](const std::string& path, const PrimSpec& prim) {
        json one{{"path", path}, {"fields", shown(prim.fields)}};
        json properties = json::array();
        for (const PropertySpec& property : prim.properties)
            properties.push_back({{"name", property.name},
                                  {"kind", property.relationship ? "relationship" : "attribute"},
                                  {"fields", shown(property.fields)}});
        if (!properties.empty())
            one["properties"] = std::move(properties);
        prims.push_back(std::move(one));
    });
    return {{"layer", layer.name},
            {"encoding", layer.encoding == Encoding::Text ? "text" : "binary"},
            {"version", layer.version},
            {"prims", std::move(prims)}};
}

} // namespace

Result<json> structureOf(const fs::path& path) {
    Assets assets({});
    WYC_TRY(layer, assets.open(path.string()));
    return shown(*layer);
}

} // namespace wyc::usd
