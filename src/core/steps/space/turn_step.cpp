// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<SpaceChange> turnMeans(const json& options) {
    WYC_TRY(from, parseUpAxis(options["from"].get<std::string>()));
    WYC_TRY(to, parseUpAxis(options["to"].get<std::string>()));
    return SpaceChange{1.0, upAxisTurn(from, to), {}, to};
}

} // namespace

StepType turnStep() {
    return {"turn",
            "Turn",
            "Turns one up axis onto another; handedness is kept",
            {{"from", OptionKind::Axis, "", "the axis that points up now", "Z", {}},
             {"to", OptionKind::Axis, "", "the axis that shall point up", "Y", {}}},
            nullptr,
            &turnMeans,
            nullptr,
            [](const json& o) {
                return fmt::format("{} up → {} up", o["from"].get<std::string>(), o["to"].get<std::string>());
            }};
}

} // namespace wyc
