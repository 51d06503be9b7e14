// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/binary/path_table.h"

#include <algorithm>
#include <numeric>

namespace wyc::usd {
namespace {

struct LastPart {
    std::string above;
    std::string name;
    bool property = false;
};

// What a path ends with: a target "[…]", a property, a choice "{…}" or a prim.
LastPart lastPart(const std::string& path) {
    const auto from = [&](std::size_t at, std::size_t skipped, bool property) {
        return LastPart{at == 0 ? std::string("/") : path.substr(0, at), path.substr(at + skipped), property};
    };
    if (path.back() == '}')
        return from(path.rfind('{'), 0, false);
    if (path.back() == ']') { // brackets may hold others
        int depth = 0;
        for (std::size_t i = path.size(); i-- > 0;) {
            depth += path[i] == ']' ? 1 : path[i] == '[' ? -1 : 0;
            if (depth == 0)
                return from(i, 0, false);
        }
    }
    const std::size_t mark = path.find_last_of("/}].");
    if (path[mark] == '.' && mark > 0 && path[mark - 1] == ']')
        return from(mark, 0, false);
    if (path[mark] == '.')
        return from(mark, 1, true);
    return from(path[mark] == '/' ? mark : mark + 1, path[mark] == '/' ? 1 : 0, false);
}

} // namespace

PathTable::PathTable() {
    entries_.push_back({});
    at_.emplace("/", 0);
}

void PathTable::add(const std::string& path) {
    // Upwards until something is known, then down again.
    std::vector<std::string> missing;
    for (std::string at = path; !at.empty() && !at_.contains(at);) {
        std::string above = lastPart(at).above;
        missing.push_back(std::move(at));
        at = std::move(above);
    }
    for (std::size_t i = missing.size(); i-- > 0;) {
        LastPart part = lastPart(missing[i]);
        const std::uint32_t parent = at_.at(part.above);
        const auto number = static_cast<std::uint32_t>(entries_.size());
        entries_[parent].below.push_back(number);
        entries_.push_back({std::move(part.name), part.property, parent, 0, {}});
        at_.emplace(std::move(missing[i]), number);
    }
}

void PathTable::number() {
    const auto before = [&](std::uint32_t a, std::uint32_t b) {
        const Entry& one = entries_[a];
        const Entry& other = entries_[b];
        const auto rank = [](const Entry& e) { return e.property ? 0 : e.name.starts_with('{') ? 2 : 1; };
        return rank(one) != rank(other) ? rank(one) < rank(other) : one.name < other.name;
    };
    for (Entry& entry : entries_)
        std::sort(entry.below.begin(), entry.below.end(), before);
    std::vector<std::uint32_t> properties;
    std::uint32_t next = 0;
    std::vector<std::uint32_t> open{0};
    while (!open.empty()) {
        const std::uint32_t at = open.back();
        open.pop_back();
        if (entries_[at].property)
            properties.push_back(at);
        else
            entries_[at].number = next++;
        open.insert(open.end(), entries_[at].below.rbegin(), entries_[at].below.rend());
    }
    std::stable_sort(properties.begin(), properties.end(), [&](std::uint32_t a, std::uint32_t b) {
        return entries_[a].name != entries_[b].name
                   ? entries_[a].name < entries_[b].name
                   : entries_[entries_[a].parent].number < entries_[entries_[b].parent].number;
    });
    for (const std::uint32_t at : properties)
        entries_[at].number = next++;
}

std::uint32_t PathTable::numberOf(const std::string& path) const {
    if (path.empty()) {
        emptyUsed_ = true;
        return static_cast<std::uint32_t>(entries_.size());
    }
    return entries_[at_.at(path)].number;
}

PathTable::Rows PathTable::rows(const std::function<std::uint32_t(const std::string&)>& token) const {
    // How many rows a path takes with all that is below it. What is below was added behind it.
    std::vector<std::int32_t> sizes(entries_.size(), 1);
    for (std::size_t i = entries_.size(); i-- > 1;)
        sizes[entries_[i].parent] += sizes[i];
    Rows rows;
    struct Step {
        std::uint32_t at;
        bool last; // of those beside it
    };
    std::vector<Step> open{{0, true}};
    while (!open.empty()) {
        const auto [at, last] = open.back();
        open.pop_back();
        const Entry& entry = entries_[at];
        const auto name = at == 0 ? 0 : static_cast<std::int32_t>(token(entry.name));
        rows.numbers.push_back(static_cast<std::int32_t>(entry.number));
        rows.names.push_back(entry.property ? -name : name);
        const bool parent = !entry.below.empty();
        rows.jumps.push_back(last ? (parent ? -1 : -2) : parent ? sizes[at] : 0);
        for (std::size_t i = entry.below.size(); i-- > 0;)
            open.push_back({entry.below[i], i + 1 == entry.below.size()});
    }
    return rows;
}

} // namespace wyc::usd
