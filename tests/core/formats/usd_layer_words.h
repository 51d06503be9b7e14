// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// All that a layer says, as lines of text with every number bit for bit: two layers say the same where these are equal.
#include <map>
#include <string>

#include <fmt/format.h>

#include "formats/usd/layer/layer.h"
#include "formats/usd/layer/path.h"

namespace wyc::test {

inline std::string layerWords(const usd::Value& value);

inline std::string layerWords(const std::vector<usd::ListItem>& items) {
    std::string words;
    for (const usd::ListItem& item : items)
        words +=
            fmt::format("({}|{}|{}|{}|{}|{})", item.text, item.number, item.prim, item.offset, item.scale,
                        item.customData && !item.customData->empty() ? layerWords(usd::Value(item.customData)) : "");
    return words;
}

inline std::string layerWords(const usd::Value& value) {
    using namespace usd;
    if (const Data* data = value.data()) {
        std::string words = fmt::format("{} ", static_cast<int>(data->type.base)) + nameOf(data->type) + " ";
        if (data->texts) {
            for (const std::string& text : *data->texts)
                words += fmt::format("[{}:{}]", text.size(), text);
            return words;
        }
        const auto bytes = bytesOf(*data);
        if (!bytes)
            return words + bytes.error().text();
        // Of what is no number the text keeps neither sign nor bits.
        std::vector<std::byte> plain = **bytes;
        const std::size_t size = sizeOf(data->type.base);
        if (data->type.base >= Base::Half && data->type.base <= Base::Duration) {
            const auto numbers = numbersOf(data->type, plain);
            for (std::size_t i = 0; i < numbers.size(); ++i)
                if (numbers[i] != numbers[i])
                    std::fill_n(plain.begin() + static_cast<std::ptrdiff_t>(i * size), size, std::byte{0xff});
        }
        for (const std::byte b : plain)
            words += fmt::format("{:02x}", static_cast<unsigned>(b));
        return words;
    }
    if (value.isBlock())
        return "block";
    if (value.as<AnimationBlock>())
        return "animation block";
    if (const Dictionary* dictionary = value.dictionary()) {
        std::string words = "{";
        for (const auto& [key, held] : *dictionary)
            words += key + "=" + layerWords(held) + ";";
        return words + "}";
    }
    if (const ListEdit* list = value.list())
        return fmt::format("list {} {} {} = {} add {} prepend {} append {} delete {} reorder {}",
                           static_cast<int>(list->of), static_cast<int>(list->number), list->isExplicit,
                           layerWords(list->explicitItems), layerWords(list->added), layerWords(list->prepended),
                           layerWords(list->appended), layerWords(list->deleted), layerWords(list->ordered));
    if (const Samples* samples = value.samples()) {
        std::string words = "samples";
        for (std::size_t i = 0; i < samples->times().size(); ++i) {
            const auto one = samples->value(i);
            words += fmt::format(" {}: {}", samples->times()[i], one ? layerWords(*one) : one.error().text());
        }
        return words;
    }
    if (const auto* spline = value.pointed<Spline>()) {
        std::string words = fmt::format("spline {} {} {} {} {} {}", static_cast<int>(spline->base),
                                        static_cast<int>(spline->curve), static_cast<int>(spline->before),
                                        static_cast<int>(spline->after), spline->slopeBefore, spline->slopeAfter);
        if (spline->loop)
            words += fmt::format(" loop {} {} {} {} {}", spline->loop->start, spline->loop->end, spline->loop->before,
                                 spline->loop->after, spline->loop->valueOffset);
        for (const Spline::Knot& knot : spline->knots)
            words +=
                fmt::format(" ({} {} {} | {} {} | {} {} | {} | {} {} | {})", knot.time, knot.value,
                            knot.valueBefore ? fmt::format("{}", *knot.valueBefore) : "", knot.slopeBefore,
                            knot.widthBefore, knot.slopeAfter, knot.widthAfter, static_cast<int>(knot.after),
                            knot.algorithmBefore, knot.algorithmAfter,
                            knot.customData && !knot.customData->empty() ? layerWords(Value(knot.customData)) : "");
        return words;
    }
    if (const auto* relocates = value.pointed<Relocates>()) {
        std::string words = "relocates";
        for (const auto& [from, to] : relocates->pairs)
            words += " " + from + ":" + to;
        return words;
    }
    if (const auto* edit = value.pointed<ArrayEdit>())
        return "edit " + nameOf(edit->type) + edit->words;
    if (const auto* opaque = value.as<Opaque>())
        return "as written " + opaque->what;
    return "nothing";
}

/// Order of fields is no opinion; that of prims, properties and variants is.
inline std::string layerWords(const usd::Fields& fields) {
    std::map<std::string, std::string> sorted;
    for (const usd::Field& field : fields) {
        std::string words = layerWords(field.value);
        const bool usual = (field.name == "custom" && !field.value.boolean().value_or(true)) ||
                           (field.name == "variability" && field.value.text() && *field.value.text() == "varying") ||
                           (field.name == "specifier" && field.value.text() && *field.value.text() == "over") ||
                           (field.name == "typeName" && field.value.text() && field.value.text()->empty());
        if (!usual)
            sorted[field.name] = std::move(words);
    }
    std::string words;
    for (const auto& [name, held] : sorted)
        words += "    " + name + " " + held + "\n";
    return words;
}

inline std::string layerWords(const usd::Layer& layer) {
    std::string words;
    usd::forEachPrim(*layer.root, "/", [&](const std::string& path, const usd::PrimSpec& prim) {
        words += path + "\n" + layerWords(prim.fields);
        for (const usd::VariantSetSpec& set : prim.variantSets)
            words += "  variants of " + set.name + "\n";
        for (const usd::PropertySpec& property : prim.properties)
            words += "  " + std::string(property.relationship ? "rel " : "") + property.name + "\n" +
                     layerWords(property.fields);
    });
    return words;
}

} // namespace wyc::test
