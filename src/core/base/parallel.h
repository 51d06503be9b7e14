// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Parallel loops with deterministic results, over oneTBB (which stays out of our headers).
#include <cstddef>
#include <functional>

#include "base/error.h"
#include "base/progress.h"

namespace wyc {

/// Bounds the number of threads of everything in this process; 0 = as many as there are processors.
void setThreadCount(int count);
[[nodiscard]] int threadCount();

/// From now on this thread gives way to other threads of the process that want a processor.
void giveWay();
/// From now on all workers of this process do: what a person looks at stays quick while they work.
void letWorkersGiveWay();

/// Calls body(i) for every i in [0, count), in any order, on several threads. The first error (by index) wins
/// and stops the rest; a cancel is an error of kind Cancelled.
[[nodiscard]] Status parallelFor(std::size_t count, const Progress& progress,
                                 const std::function<Status(std::size_t)>& body);

/// Runs make(i, slot) on several threads and take(i, slot) strictly in order 0, 1, 2 … on one at a time.
/// `slot` in [0, slots) names a buffer that is free for i from make until take has returned: memory stays
/// bounded by `slots` buffers however large `count` is.
[[nodiscard]] Status orderedPipeline(std::size_t count, std::size_t slots, const Progress& progress,
                                     const std::function<Status(std::size_t, std::size_t)>& make,
                                     const std::function<Status(std::size_t, std::size_t)>& take);

} // namespace wyc
