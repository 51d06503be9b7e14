// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/carried_words.h"

#include <algorithm>

#include <fmt/format.h>

namespace wyc {
namespace {

std::string listed(const std::vector<PropertyNode>& properties, const char* what) {
    constexpr std::size_t kNamed = 3;
    std::string names;
    for (std::size_t i = 0; i < std::min(kNamed, properties.size()); ++i)
        names += (i ? ", " : "") + properties[i].name;
    return fmt::format("{} {}{} ({}{})", properties.size(), what, properties.size() == 1 ? "" : "s", names,
                       properties.size() > kNamed ? " …" : "");
}

} // namespace

std::vector<std::string> carriedWords(const Node& node) {
    std::vector<std::string> words;
    const auto geom = findProperty(node.properties, ".geom");
    if (!geom)
        return words;
    bool settings = false;
    for (const PropertyNode& property : geom->children) {
        const std::string& name = property.name;
        if (name == ".velocities")
            words.emplace_back("its velocities");
        else if (name == ".widths" || name == "width")
            words.emplace_back("its widths");
        else if (name == ".pointIds")
            words.emplace_back("its point ids");
        else if (name == ".arbGeomParams" && !property.children.empty())
            words.push_back(listed(property.children, "geometry parameter"));
        else if (name == ".userProperties" && !property.children.empty())
            words.push_back(listed(property.children, "user value"));
        else if (node.kind == NodeKind::Subdivision &&
                 (name.starts_with(".crease") || name.starts_with(".corner") || name == ".holes" || name == ".scheme"))
            settings = true;
    }
    if (settings)
        words.emplace_back("its creases, corners, holes and scheme");
    return words;
}

} // namespace wyc
