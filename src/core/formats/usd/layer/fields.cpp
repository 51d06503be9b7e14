// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/layer/fields.h"

#include <unordered_map>

namespace wyc::usd {

FieldKind fieldKind(std::string_view field) {
    using Of = FieldKind::Of;
    static constexpr Type kTokens{Base::Token, 1, false, true};
    static constexpr Type kStrings{Base::String, 1, false, true};
    static const std::unordered_map<std::string_view, FieldKind> kKinds{
        {"active", {Of::One, {Base::Bool}}},
        {"allowedTokens", {Of::One, kTokens}},
        {"apiSchemas", {Of::List, {}, ListEdit::Of::Tokens}},
        {"arraySizeConstraint", {Of::One, {Base::Int64}}},
        {"assetInfo", {Of::Entries}},
        {"bindMaterialAs", {Of::One, {Base::Token}}},
        {"clipSets", {Of::List, {}, ListEdit::Of::Strings}},
        {"clips", {Of::Entries}},
        {"colorConfiguration", {Of::One, {Base::Asset}}},
        {"colorManagementSystem", {Of::One, {Base::Token}}},
        {"colorSpace", {Of::One, {Base::Token}}},
        {"comment", {Of::One, {Base::String}}},
        {"connectability", {Of::One, {Base::Token}}},
        {"customData", {Of::Entries}},
        {"customLayerData", {Of::Entries}},
        {"defaultPrim", {Of::One, {Base::Token}}},
        {"displayGroup", {Of::One, {Base::String}}},
        {"displayGroupOrder", {Of::One, kStrings}},
        {"displayName", {Of::One, {Base::String}}},
        {"displayUnit", {Of::Word}},
        {"documentation", {Of::One, {Base::String}}},
        {"elementSize", {Of::One, {Base::Int}}},
        {"endFrame", {Of::One, {Base::Double}}},
        {"endTimeCode", {Of::One, {Base::Double}}},
        {"expressionVariables", {Of::Entries}},
        {"framePrecision", {Of::One, {Base::Int}}},
        {"framesPerSecond", {Of::One, {Base::Double}}},
        {"hasOwnedSubLayers", {Of::One, {Base::Bool}}},
        {"hidden", {Of::One, {Base::Bool}}},
        {"inactiveIds", {Of::List, {}, ListEdit::Of::Numbers}},
        {"inheritPaths", {Of::List, {}, ListEdit::Of::Paths}},
        {"instanceable", {Of::One, {Base::Bool}}},
        {"interpolation", {Of::One, {Base::Token}}},
        {"kilogramsPerUnit", {Of::One, {Base::Double}}},
        {"kind", {Of::One, {Base::Token}}},
        {"layerRelocates", {Of::Relocates}},
        {"limits", {Of::Entries}},
        {"metersPerUnit", {Of::One, {Base::Double}}},
        {"noLoadHint", {Of::One, {Base::Bool}}},
        {"outputName", {Of::One, {Base::Token}}},
        {"owner", {Of::One, {Base::String}}},
        {"payload", {Of::List, {}, ListEdit::Of::Arcs}},
        {"permission", {Of::Word}},
        {"playbackMode", {Of::One, {Base::Token}}},
        {"prefix", {Of::One, {Base::String}}},
        {"prefixSubstitutions", {Of::TextMap}},
        {"references", {Of::List, {}, ListEdit::Of::Arcs}},
        {"relocates", {Of::Relocates}},
        {"renderType", {Of::One, {Base::Token}}},
        {"sdrMetadata", {Of::Entries}},
        {"sessionOwner", {Of::One, {Base::String}}},
        {"specializes", {Of::List, {}, ListEdit::Of::Paths}},
        {"startFrame", {Of::One, {Base::Double}}},
        {"startTimeCode", {Of::One, {Base::Double}}},
        {"subLayers", {Of::SubLayers}},
        {"suffix", {Of::One, {Base::String}}},
        {"suffixSubstitutions", {Of::TextMap}},
        {"symmetricPeer", {Of::One, {Base::String}}},
        {"symmetryArguments", {Of::Entries}},
        {"symmetryFunction", {Of::Word}},
        {"timeCodesPerSecond", {Of::One, {Base::Double}}},
        {"unauthoredValuesIndex", {Of::One, {Base::Int}}},
        {"upAxis", {Of::One, {Base::Token}}},
        {"variantSelection", {Of::TextMap}},
        {"variantSetNames", {Of::List, {}, ListEdit::Of::Strings}},
        {"weight", {Of::One, {Base::Float}}},
    };
    const auto found = kKinds.find(field);
    return found == kKinds.end() ? FieldKind{} : found->second;
}

std::string_view fieldOfKeyword(std::string_view keyword) {
    if (keyword == "doc")
        return "documentation";
    if (keyword == "inherits")
        return "inheritPaths";
    if (keyword == "variants")
        return "variantSelection";
    if (keyword == "variantSets")
        return "variantSetNames";
    return keyword;
}

} // namespace wyc::usd
