// SPDX-License-Identifier: GPL-3.0-or-later
#include <unordered_map>

#include <fmt/format.h>

#include "scene/carried_words.h"
#include "scene/deform/deformers.h"
#include "steps/shape/shape_parts.h"
#include "steps/steps.h"

namespace wyc {
// What belongs to single points or faces of a shape that is made anew from others has no place any more.
void tellDropped(const Node& node, const char* how, Scene& scene) {
    if (isDeformed(node))
        scene.report.notCarried.push_back({node.path, std::string(kDeformersGone)});
    for (const std::string& words : carriedWords(node))
        scene.report.notCarried.push_back({node.path, fmt::format("{}: it was {}", words, how)});
}

// A name that no sibling has yet.
std::string freeName(std::unordered_map<std::string, int>& taken, const std::string& parentPath,
                     const std::string& name) {
    std::string result = name;
    for (int number = 2; !taken.try_emplace(parentPath + "/" + result, 1).second; ++number)
        result = fmt::format("{}_{}", name, number);
    return result;
}

} // namespace wyc
