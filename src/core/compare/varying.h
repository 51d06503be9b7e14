// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Two shapes whose points change in number: no point stays the same one, but they can be alike, sample by sample.
#include "compare/reconcile.h"

namespace wyc {

/// Compared at the samples of both, in world space: points by their own numbers (ids) where both have some, else in
/// turn; faces by their lists. What differs is told of the first sample that does; nothing undoes it.
[[nodiscard]] Result<Reconciled> reconcileVarying(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                                  const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                                  const ReconcileSettings& settings, const Progress& progress);

} // namespace wyc
