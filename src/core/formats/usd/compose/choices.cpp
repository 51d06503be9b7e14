// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/compose/choices.h"

#include <algorithm>

#include "base/text.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {

bool Choices::loads(const std::string& prim) const {
    return !payloads.empty() && chosenBy(payloads, {prim, lastName(prim)});
}

bool Choices::maySpeakBelow(const std::string& prim) const {
    const auto may = [&](std::string_view pattern) {
        if (pattern.starts_with('!'))
            pattern.remove_prefix(1);
        return pattern.find('/') != std::string_view::npos &&
               (pattern.find_first_of("*?[") != std::string_view::npos || pattern.starts_with(prim + "/"));
    };
    return std::any_of(payloads.begin(), payloads.end(), may) ||
           std::any_of(variants.begin(), variants.end(), [&](const VariantChoice& one) { return may(one.prim); });
}

const std::string* Choices::variantOf(const std::string& prim, const std::string& set) const {
    const std::string* chosen = nullptr;
    for (const VariantChoice& one : variants) // the last one counts, one for a prim before one for all
        if (one.set == set && (one.prim.empty() ? true : matchesPattern(prim, one.prim)))
            if (!chosen || !one.prim.empty())
                chosen = &one.choice;
    return chosen;
}

} // namespace wyc::usd
