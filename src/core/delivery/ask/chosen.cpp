// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/ask/chosen.h"

#include <algorithm>

#include "base/text.h"

namespace wyc {
namespace {

bool takesIn(const std::string& pattern) {
    return !pattern.starts_with("!");
}

} // namespace

bool isTaken(const std::vector<std::string>& patterns, const ItemNames& item) {
    const std::initializer_list<std::string_view> names{item.label, item.path, item.name};
    if (!chosenBy(patterns, names))
        return false;
    return !item.leftOut || std::any_of(patterns.begin(), patterns.end(), [&](const std::string& pattern) {
        return takesIn(pattern) && pattern != "*" && chosenBy({pattern}, names);
    });
}

bool mayTakeFrom(const std::vector<std::string>& patterns, const std::string& source) {
    const std::string labels = source + "/"; // what its labels begin with
    bool may = std::none_of(patterns.begin(), patterns.end(), takesIn);
    for (const std::string& pattern : patterns) {
        if (!takesIn(pattern)) {
            if (pattern == "!*" ||
                (pattern.ends_with("/*") && matchesPattern(labels, std::string_view(pattern).substr(1))))
                may = false;
            continue;
        }
        const auto wild = std::min(pattern.find_first_of("*?"), pattern.size());
        const std::string_view known = std::string_view(pattern).substr(0, wild);
        // A name or a path may be of any source; a label names its own.
        const bool label = pattern.find('/') != std::string::npos && !pattern.starts_with("/") && wild > 0;
        may = may || !label || labels.starts_with(known) || known.starts_with(labels);
    }
    return may;
}

std::vector<std::string> withItem(std::vector<std::string> patterns, const ItemNames& item, bool taken) {
    const std::string own = patternOf(item.label);
    // The last pattern that takes something in stays: without any, all would be taken.
    const bool others =
        std::any_of(patterns.begin(), patterns.end(), [&](const std::string& p) { return takesIn(p) && p != own; });
    if (taken || others)
        std::erase(patterns, taken ? "!" + own : own);
    if (isTaken(patterns, item) == taken)
        return patterns;
    // The first that is taken in by name would leave out all else.
    if (taken && std::none_of(patterns.begin(), patterns.end(), takesIn))
        patterns.insert(patterns.begin(), "*");
    patterns.push_back(taken ? own : "!" + own);
    return patterns;
}

std::string patternOf(std::string label) {
    std::replace(label.begin(), label.end(), '*', '?');
    if (label.starts_with("!"))
        label.front() = '?';
    return label;
}

} // namespace wyc
