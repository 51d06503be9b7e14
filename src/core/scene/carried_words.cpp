// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/carried_words.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "scene/layers.h"

namespace wyc {
namespace {

std::string listed(const std::vector<std::string>& names, const char* what) {
    constexpr std::size_t kNamed = 3;
    std::string list;
    for (std::size_t i = 0; i < std::min(kNamed, names.size()); ++i)
        list += (i ? ", " : "") + names[i];
    return fmt::format("{} {}{} ({}{})", names.size(), what, names.size() == 1 ? "" : "s", list,
                       names.size() > kNamed ? " …" : "");
}

void collectNamed(const std::vector<PropertyNode>& list, const std::function<bool(const PropertyNode&)>& which,
                  std::map<Meaning, std::vector<std::string>>& into) {
    for (const PropertyNode& property : list) {
        if (isLayer(property.meaning))
            continue;
        const bool known = property.meaning != Meaning::Unknown && property.meaning != Meaning::Itself;
        if (known && !(property.values && property.values->sampling().count() == 0) && (!which || which(property)))
            into[property.meaning].push_back(property.name);
        else if (!property.values && !known)
            collectNamed(property.children, which, into);
    }
}

} // namespace

std::vector<std::string> carriedWords(const Node& node, const std::function<bool(const PropertyNode&)>& which) {
    std::vector<std::string> words;
    if (!node.properties)
        return words;
    std::map<Meaning, std::vector<std::string>> there;
    collectNamed(node.properties->all(), which, there);
    for (const auto& [meaning, names] : there) {
        switch (meaning) {
        case Meaning::Velocities: words.emplace_back("its velocities"); break;
        case Meaning::Widths: words.emplace_back("its widths"); break;
        case Meaning::PointIds: words.emplace_back("its point ids"); break;
        case Meaning::Parameter: words.push_back(listed(names, "geometry parameter")); break;
        case Meaning::UserValue: words.push_back(listed(names, "user value")); break;
        case Meaning::SurfaceSetting: words.emplace_back("its creases, corners, holes and scheme"); break;
        default: break;
        }
    }
    return words;
}

} // namespace wyc
