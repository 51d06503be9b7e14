// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/usd.h"

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/binary/binary_read.h"
#include "formats/usd/binary/container.h"
#include "formats/usd/compose/named_files.h"
#include "formats/usd/package/package.h"
#include "formats/usd/write/usd_write.h"

namespace wyc::usd {
namespace {

using nlohmann::json;

double identify(std::span<const std::byte> head, std::uint64_t) {
    const std::string_view text(reinterpret_cast<const char*>(head.data()), head.size());
    if (text.starts_with(kBinaryMagic) || text.starts_with("#usda "))
        return 1.0;
    // A zip whose first entry is a layer.
    return text.starts_with("PK\x03\x04") && text.substr(0, 256).find(".usd") != std::string_view::npos ? 0.9 : 0.0;
}

std::vector<std::string> texts(const json& options, const char* name) {
    std::vector<std::string> list;
    if (options.contains(name) && options[name].is_array())
        for (const json& one : options[name])
            list.push_back(one.get<std::string>());
    return list;
}

} // namespace

Result<Choices> choicesOf(const json& options) {
    Choices choices;
    for (const std::string& text : texts(options, "variant")) {
        // PRIM:SET=CHOICE or SET=CHOICE
        const std::size_t equals = text.find('=');
        if (equals == std::string::npos || equals == 0)
            return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' chooses no variant", text))
                            .withAdvice("Write SET=CHOICE, or PRIM:SET=CHOICE for one prim"));
        VariantChoice one;
        one.choice = text.substr(equals + 1);
        std::string left = text.substr(0, equals);
        if (left.front() == '/' || left.front() == '*') {
            const std::size_t colon = left.find(':');
            if (colon == std::string::npos)
                return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' names a prim and no variant set", text))
                                .withAdvice("Write PRIM:SET=CHOICE"));
            one.prim = left.substr(0, colon);
            left = left.substr(colon + 1);
        }
        one.set = left;
        choices.variants.push_back(std::move(one));
    }
    if (const auto payloads = texts(options, "payloads"); !payloads.empty()) {
        choices.payloads.clear();
        bool none = false;
        bool takesIn = false;
        for (const std::string& one : payloads) {
            none = none || one == "none";
            takesIn = takesIn || (one != "none" && !one.starts_with('!'));
            if (one != "none")
                choices.payloads.push_back(one == "all" ? "*" : one);
        }
        if (none && !takesIn)
            choices.payloads.clear();
    }
    if (const auto purposes = texts(options, "purpose"); !purposes.empty()) {
        choices.purposes.clear();
        for (const std::string& given : purposes)
            for (const std::string& one : splitText(given, ',')) {
                if (one != "default" && one != "render" && one != "proxy" && one != "guide")
                    return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no purpose", one))
                                    .withAdvice("Purposes: default, render, proxy, guide"));
                choices.purposes.push_back(one);
            }
    }
    for (const std::string& folder : texts(options, "search"))
        choices.search.emplace_back(folder);
    choices.morphsBehindSkin = options.value("morphs", "before") == "behind";
    return choices;
}

Format format() {
    Format format;
    format.id = kFormatId;
    format.name = "USD layered scene";
    format.extensions = {".usd", ".usda", ".usdc", ".usdz"};
    format.manyItems = true;
    addWriting(format);
    format.open = openUsd;
    format.identify = identify;
    format.structure = structureOf;
    format.drawsOn = layersNamedIn;
    format.openOptions = {
        {"variant",
         OptionKind::Texts,
         "",
         "variant to show: SET=CHOICE, or PRIM:SET=CHOICE for one prim",
         json::array(),
         {}},
        {"payloads",
         OptionKind::Texts,
         "",
         "payloads to load: all, none, or patterns of prims",
         json::array({"all"}),
         {}},
        {"purpose",
         OptionKind::Texts,
         "",
         "purposes to show: default, render, proxy, guide",
         json::array({"default,render"}),
         {}},
        {"search",
         OptionKind::Texts,
         "",
         "folder in which files are looked for that are not beside the layer",
         json::array(),
         {}},
        {"morphs",
         OptionKind::Choice,
         "",
         "whether morphs of a skinned mesh act before its skin or behind it",
         "before",
         {"before", "behind"}},
    };
    return format;
}

} // namespace wyc::usd
