// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a person chooses when a layered scene is opened.
#include <string>
#include <vector>

#include "base/file.h"

namespace wyc::usd {

struct VariantChoice {
    std::string prim; // path or pattern; empty: every prim with the set
    std::string set;
    std::string choice;
};

struct Choices {
    std::vector<VariantChoice> variants;
    /// Patterns of prims whose payloads are loaded; all of them: {"*"}.
    std::vector<std::string> payloads{"*"};
    std::vector<std::string> purposes{"default", "render"};
    std::vector<fs::path> search;
    bool morphsBehindSkin = false;
    /// A folder whose files will stand in another: names that lead out of it count from there.
    fs::path standing;
    fs::path standsIn;

    [[nodiscard]] bool loads(const std::string& prim) const;
    /// A choice may be for something below a prim, by its path.
    [[nodiscard]] bool maySpeakBelow(const std::string& prim) const;
    /// The choice made for a set of a prim; null where there is none.
    [[nodiscard]] const std::string* variantOf(const std::string& prim, const std::string& set) const;
};

} // namespace wyc::usd
