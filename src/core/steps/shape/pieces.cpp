// SPDX-License-Identifier: GPL-3.0-or-later
// The way back: where the points of a piece were.
#include <map>
#include <unordered_map>

#include "scene/layers.h"
#include "steps/shape/pieces.h"

namespace wyc {
namespace {

constexpr const char* kSplitPoints = "wyc_split_points";

constexpr const char* kSplitFaces = "wyc_split_faces";

constexpr const char* kSplitOf = "wyc_split_of";

} // namespace

std::vector<PropertyNode> splitProperties(const std::string& wholePath, const SplitOrigin& origin) {
    std::vector<char> name(wholePath.begin(), wholePath.end());
    name.push_back('\0');
    const auto numbers = [](const char* called, const std::vector<std::uint32_t>& values) {
        return plainProperty(Meaning::UserValue, called,
                             memoryValues<std::uint32_t>(ValueType::UInt32, 1, true, Sampling::still(), {values}));
    };
    return {numbers(kSplitPoints, origin.points), numbers(kSplitFaces, origin.faces),
            plainProperty(Meaning::UserValue, kSplitOf,
                          memoryValues<char>(ValueType::String, 1, false, Sampling::still(), {name}))};
}

Result<SplitOrigin> splitOrigin(const Node& node) {
    SplitOrigin origin;
    const auto read = [&](const char* name, std::vector<std::uint32_t>& into) -> Status {
        const auto found = findMeaning(node.properties, Meaning::UserValue, name);
        if (!found || !found->values || found->values->type() != ValueType::UInt32)
            return {};
        WYC_TRY(values, valuesOf<std::uint32_t>(*found->values, 0));
        into = std::move(values);
        return {};
    };
    WYC_CHECK(read(kSplitPoints, origin.points));
    WYC_CHECK(read(kSplitFaces, origin.faces));
    return origin;
}

std::vector<MadeOf> pieceMadeOf(const Node& whole, const std::vector<std::uint32_t>& points) {
    using Numbers = std::vector<std::uint32_t>;
    if (!whole.madeOf)
        return {{whole.id, std::make_shared<const Numbers>(points), nullptr}};
    // Numbers in the whole lead on to numbers in what the whole was made of.
    std::unordered_map<std::uint32_t, std::uint32_t> here;
    for (std::size_t p = 0; p < points.size(); ++p)
        here.emplace(points[p], static_cast<std::uint32_t>(p));
    std::vector<MadeOf> result;
    for (const MadeOf& origin : *whole.madeOf) {
        Numbers from;
        Numbers to;
        const std::size_t count = origin.from ? origin.from->size() : origin.to ? origin.to->size() : 0;
        for (std::size_t k = 0; k < count; ++k) {
            const auto number = origin.to ? (*origin.to)[k] : static_cast<std::uint32_t>(k);
            if (const auto found = here.find(number); found != here.end()) {
                from.push_back(origin.from ? (*origin.from)[k] : static_cast<std::uint32_t>(k));
                to.push_back(found->second);
            }
        }
        if (!from.empty())
            result.push_back({origin.source, std::make_shared<const Numbers>(std::move(from)),
                              std::make_shared<const Numbers>(std::move(to))});
    }
    return result;
}

std::vector<MadeOf> placedMadeOf(const Node& part, const std::vector<std::uint32_t>& places) {
    using Numbers = std::vector<std::uint32_t>;
    if (!part.madeOf)
        return {{part.id, nullptr, std::make_shared<const Numbers>(places)}};
    std::vector<MadeOf> result;
    for (const MadeOf& origin : *part.madeOf) {
        Numbers to;
        const std::size_t count = origin.from ? origin.from->size() : origin.to ? origin.to->size() : places.size();
        for (std::size_t k = 0; k < count; ++k)
            to.push_back(places[origin.to ? (*origin.to)[k] : k]);
        result.push_back({origin.source, origin.from, std::make_shared<const Numbers>(std::move(to))});
    }
    return result;
}

} // namespace wyc
