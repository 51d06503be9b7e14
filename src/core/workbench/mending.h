// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Mends of what was found on an item, one after another, each kept only where it is seen to help.
#include <functional>
#include <set>

#include "workbench/workbench.h"

namespace wyc {

struct Mended {
    ItemKey key;
    std::vector<Step> steps;   // of the item, all of them
    std::vector<Finding> done; // in the order in which they were mended
    std::vector<Finding> left; // that are wanted and stay: there is no mend, or it does not help
};

/// Applies the mend of one finding that is `wanted`, measures and checks anew, and so on until none is left that helps.
/// A mend is kept where its finding is gone, nothing else was found instead, and every sample of the source that no
/// finding calls wrong is shown as before. `items` are those of the job; of `keys` those that are measured are mended,
/// each beside the others as they were.
[[nodiscard]] Result<std::vector<Mended>> mended(const Job& job, const std::vector<ItemView>& items,
                                                 const std::set<ItemKey>& keys,
                                                 const std::function<bool(const Finding&)>& wanted,
                                                 const Progress& progress);

} // namespace wyc
