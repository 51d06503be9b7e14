// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Settings of a delivery that are one value each, declared once: the job file and the command line follow from this.
#include "delivery/delivery.h"
#include "options/option.h"

namespace wyc {

struct DeliveryOption {
    Option option;     // its name in a job; what has no standard value may be none: as it is
    const char* typed; // its name on the command line
    nlohmann::json (*get)(const DeliverySpec& spec);
    void (*set)(DeliverySpec& spec, const nlohmann::json& checked);
};
[[nodiscard]] const std::vector<DeliveryOption>& deliveryOptions();

} // namespace wyc
