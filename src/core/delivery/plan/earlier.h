// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What was delivered before of the same items, and what another delivery would change of it.
#include <optional>
#include <string>

#include "compare/comparison.h"
#include "delivery/delivery.h"

namespace wyc {

/// A delivery that stands where an output will, as its record tells.
struct EarlierDelivery {
    fs::path target;              // a file, or a pattern
    std::optional<fs::path> rest; // the mesh beside a point cache
    std::string written;          // "2026-11-20T10:00:00Z"
};
/// The last one of the same items of the same sources; where there is none, of items of the same paths under the same
/// name but for its digits. Nothing where none stands there. Records that cannot be read are passed over.
[[nodiscard]] Result<std::optional<EarlierDelivery>> earlierDelivery(const PlannedOutput& output,
                                                                     const Progress& progress);
/// The same for several that go to one place, in their order: every record there is read once.
[[nodiscard]] Result<std::vector<std::optional<EarlierDelivery>>>
earlierDeliveries(const std::vector<PlannedOutput>& outputs, const Progress& progress);

/// A is what was delivered, read from its file, B what is meant now.
[[nodiscard]] Result<Comparison> againstEarlier(const PlannedOutput& output, const EarlierDelivery& earlier,
                                                const ReconcileSettings& settings, const Progress& progress);
/// "as it was", or what is another: "1 frame late; lantern_2 is new".
[[nodiscard]] std::string changesText(const Comparison& comparison);

} // namespace wyc
