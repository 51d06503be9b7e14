// SPDX-License-Identifier: GPL-3.0-or-later
// What came back beside what went out: one thing under one name has the same points in the same order.
#include <algorithm>
#include <cctype>
#include <map>
#include <set>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/check.h"

namespace wyc {
namespace {

// Words that say which copy it is, and not of what.
bool saysWhichCopy(const std::string& word) {
    static const std::set<std::string> kWords{"back",     "return", "returned", "returns", "export",
                                              "exported", "import", "imported", "copy",    "bake",
                                              "baked",    "cache",  "cached",   "sent",    "clean"};
    const bool version = word.size() > 1 && word[0] == 'v' &&
                         std::all_of(word.begin() + 1, word.end(), [](unsigned char c) { return std::isdigit(c); });
    return version || kWords.contains(word);
}

// "/Lantern_Jelly_back_v002" → "/lantern jelly": what is left when nobody says which copy it is. What is called by
// nothing else keeps its name.
std::string nameOfThing(const std::string& path) {
    std::string name;
    std::vector<std::string> words;
    std::string word;
    const auto closeWord = [&] {
        if (!word.empty())
            words.push_back(std::exchange(word, {}));
    };
    const auto closeName = [&] {
        closeWord();
        if (!std::all_of(words.begin(), words.end(), &saysWhichCopy))
            std::erase_if(words, &saysWhichCopy);
        name += fmt::format("{}", fmt::join(words, " "));
        words.clear();
    };
    for (const char c : path) {
        if (c == '/') {
            closeName();
            name += '/';
        } else if (std::isalnum(static_cast<unsigned char>(c)) != 0) {
            word += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        } else {
            closeWord();
        }
    }
    closeName();
    return name;
}

// Of the file without its extension and frame number.
std::string nameOfSource(const std::string& source) {
    return nameOfThing(source.substr(0, source.find('.')));
}

} // namespace

void checkNamesakes(const CheckInput& input, std::vector<Finding>& findings) {
    // The first of a name is the one that others are held against.
    std::map<std::pair<std::string, std::string>, const MeasuredItem*> known;
    for (const MeasuredItem& item : input.items) {
        if (!item.at().is().points || item.profile->pointCounts.empty() || item.profile->topologies.empty())
            continue;
        const auto [at, isFirst] = known.try_emplace({nameOfSource(item.source), nameOfThing(item.at().path)}, &item);
        const MeasuredItem& first = *at->second;
        if (isFirst || (first.source == item.source && first.sourcePath == item.sourcePath))
            continue;
        // What is born and dies has no number of points of its own.
        const auto varies = [](const MeasuredItem& m) {
            return std::adjacent_find(m.profile->pointCounts.begin(), m.profile->pointCounts.end(),
                                      std::not_equal_to<>()) != m.profile->pointCounts.end();
        };
        if (varies(first) || varies(item))
            continue;
        const std::size_t own = item.profile->pointCounts[0];
        const std::size_t other = first.profile->pointCounts[0];
        if (own != other)
            findings.push_back(
                {"points.not_as_namesake",
                 Severity::Caution,
                 item.label,
                 {},
                 static_cast<double>(own) - static_cast<double>(other),
                 "points",
                 fmt::format("It has {} points, {} has {}", groupedDigits(own), first.label, groupedDigits(other)),
                 "Compare the two (Reconcile): which are gone, or more, is told there",
                 {},
                 {}});
        else if (item.profile->topologies[0] != first.profile->topologies[0])
            findings.push_back({"order.not_as_namesake",
                                Severity::Caution,
                                item.label,
                                {},
                                static_cast<double>(own),
                                "points",
                                fmt::format("Its points or faces stand in another order than those of {}", first.label),
                                "Compare the two (Reconcile), and undo the order there",
                                {},
                                {}});
    }
}

} // namespace wyc
