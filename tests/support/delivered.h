// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

#include "delivery/delivery.h"
#include "steps/step.h"

namespace wyc::test {

/// The whole range of a source, changed by `chain`, written and proven as what `meant` makes of it.
inline Result<OutputResult> delivered(const Scene& source, const std::vector<Step>& chain,
                                      const std::vector<Step>& meant, const char* format,
                                      const std::filesystem::path& folder) {
    DeliveryInput input;
    WYC_TRY(made, applySteps(source, chain));
    input.scene = std::move(made);
    input.source = std::make_shared<const Scene>(source);
    input.steps = meant;
    input.label = input.itemName = "sheet";
    DeliverySpec spec;
    spec.format = format;
    spec.folder = folder;
    spec.wholeRange = true;
    WYC_TRY(plan, planDelivery({input}, spec, Shot()));
    return runOutput(plan.front(), {}, Progress());
}

/// Everything was compared with the source, but for what lies on elements that have other numbers there.
inline bool allComparable(const ProvenItem& item) {
    return std::all_of(item.shown.notCompared.begin(), item.shown.notCompared.end(), [](const std::string& words) {
        return words.ends_with("its points are made of those of others");
    });
}

} // namespace wyc::test
