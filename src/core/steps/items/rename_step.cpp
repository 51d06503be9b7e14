// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/stand_in.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<Scene> applyRename(const Scene& scene, const json& options) {
    const std::string name = safeName(options["name"].get<std::string>());
    Scene result = scene;
    if (result.nodes.empty())
        return result;
    // The item that the chain is for: the last one, as a branch lists what stands above before it. A skeleton may be
    // there for the skin alone.
    std::vector<bool> mask = itemMask(result);
    std::vector<bool> others = mask;
    for (std::size_t i = 0; i < mask.size(); ++i)
        others[i] = mask[i] && result.nodes[i].kind != NodeKind::Skeleton;
    if (std::find(others.begin(), others.end(), true) != others.end())
        mask = std::move(others);
    std::size_t target = result.nodes.size() - 1;
    for (std::size_t i = 0; i < mask.size(); ++i)
        if (mask[i])
            target = i;
    const std::string oldPath = result.nodes[target].path;
    const std::string newPath = oldPath.substr(0, oldPath.rfind('/') + 1) + name;
    if (newPath != oldPath && result.find(newPath))
        return fail(makeError(ErrorKind::BadInput, fmt::format("an item '{}' is there already", newPath)));
    result.nodes[target].name = name;
    for (Node& node : result.nodes)
        if (node.path == oldPath || node.path.starts_with(oldPath + "/"))
            node.path = newPath + node.path.substr(oldPath.size());
    return result;
}

} // namespace

StepType renameStep() {
    StepType type{"rename",
                  "Rename",
                  "Gives the item another name in what is delivered",
                  {{"name", OptionKind::Text, "", "the new name", "item", {}}},
                  nullptr,
                  nullptr,
                  &applyRename,
                  [](const json& o) { return o["name"].get<std::string>(); },
                  StepGroup::Names};
    type.keepsRest = true;
    return type;
}

} // namespace wyc
