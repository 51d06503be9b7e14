// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>

#include "scene/layers.h"
#include "scene/mix.h"
#include "steps/shape/pieces.h"
#include "steps/shape/pieces_parts.h"

#include "evaluate/chosen_times.h"

namespace wyc {
Error varying(const std::string& name) {
    return makeError(ErrorKind::BadInput, "its faces change in time: it can be neither cut nor merged")
        .forItem(name)
        .withAdvice("Leave it out of this step");
}

// Where elements get other values by number nothing lies between two samples. A part of the elements may keep its
// numbers there, and a whole of several parts lose them: whole frames say what they show.
bool isRenumbered(const Layer& layer) {
    return layer.numbers && !layer.numbers->constant();
}

Sampling withWholeFrames(const Sampling& sampling, const View& view) {
    if (sampling.isStill())
        return sampling;
    std::vector<double> times = sampling.times();
    const auto frames = wholeFrames(times.front(), times.back(), view.rate);
    times.insert(times.end(), frames.begin(), frames.end());
    sortMoments(times);
    keepGaps(times, view);
    return samplingFromTimes(times);
}

} // namespace wyc
