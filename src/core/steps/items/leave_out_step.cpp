// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<Scene> applyLeaveOut(const Scene& scene, const json& options) {
    return selectedItems(scene, {"!" + options["pattern"].get<std::string>()});
}

} // namespace

StepType leaveOutStep() {
    StepType type{"leave_out",
                  "Leave out",
                  "Leaves items out by pattern over their path or name",
                  {{"pattern", OptionKind::Text, "", "with * and ?", "*", {}}},
                  nullptr,
                  nullptr,
                  &applyLeaveOut,
                  [](const json& o) { return o["pattern"].get<std::string>(); },
                  StepGroup::Names};
    type.recounts = true;
    return type;
}

} // namespace wyc
