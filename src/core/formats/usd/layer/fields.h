// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What the fields of layers, prims and properties hold, by their names.
#include <string_view>

#include "formats/usd/layer/value.h"

namespace wyc::usd {

struct FieldKind {
    enum class Of { Unknown, One, Entries, TextMap, List, SubLayers, Relocates, Word } of = Of::Unknown;
    Type type = {}; // of a value
    ListEdit::Of items = ListEdit::Of::Tokens;
};
/// By the name of the field; Unknown where only others know it.
[[nodiscard]] FieldKind fieldKind(std::string_view field);
/// What text files call a field: "doc" for "documentation".
[[nodiscard]] std::string_view fieldOfKeyword(std::string_view keyword);

} // namespace wyc::usd
