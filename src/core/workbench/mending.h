// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Mends of what was found on an item, one after another, each kept only where it is seen to help.
#include <functional>

#include "workbench/workbench.h"

namespace wyc {

struct Mended {
    std::vector<Step> steps;   // of the item, all of them
    std::vector<Finding> done; // in the order in which they were mended
    std::vector<Finding> left; // that are wanted and stay: there is no mend, or it does not help
};

/// Applies the mend of one finding that is `wanted`, measures and checks anew, and so on until none is left that helps.
/// A mend is kept where its finding is gone, nothing else was found instead, and every sample of the source that no
/// finding calls wrong is shown as before. `item` is measured; of `others` those that checks compare it with.
[[nodiscard]] Result<Mended> mended(const Job& job, const ItemView& item, const std::vector<ItemView>& others,
                                    const std::function<bool(const Finding&)>& wanted, const Progress& progress);

} // namespace wyc
