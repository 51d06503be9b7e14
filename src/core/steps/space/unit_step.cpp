// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

// cm → m is 1/100 exactly as the quotient of the decimal units, not 0.01/1 rounded twice.
double unitRatio(double from, double to) {
    const double ratio = from / to;
    const double inverse = std::round(to / from);
    return inverse > 1.0 && std::abs(to / from / inverse - 1.0) < 1e-12 ? 1.0 / inverse
           : std::abs(ratio / std::round(ratio) - 1.0) < 1e-12          ? std::round(ratio)
                                                                        : ratio;
}

Result<SpaceChange> unitMeans(const json& options) {
    WYC_TRY(from, parseUnit(options["from"].get<std::string>()));
    WYC_TRY(to, parseUnit(options["to"].get<std::string>()));
    return SpaceChange{unitRatio(from, to), {}, to};
}

} // namespace

StepType unitStep() {
    return {"unit",
            "Unit",
            "Reads the numbers in one unit and gives them in another",
            {{"from", OptionKind::Unit, "", "the unit the numbers are in", "cm", {}},
             {"to", OptionKind::Unit, "", "the unit they become", "m", {}}},
            nullptr,
            &unitMeans,
            nullptr,
            [](const json& o) {
                const auto from = parseUnit(o["from"].get<std::string>());
                const auto to = parseUnit(o["to"].get<std::string>());
                return fmt::format("{} → {}, × {}", o["from"].get<std::string>(), o["to"].get<std::string>(),
                                   from && to ? shortestNumber(unitRatio(*from, *to)) : "?");
            }};
}

} // namespace wyc
