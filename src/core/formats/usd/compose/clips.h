// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Value clips: samples of a prim that lie in further layers, each for a while.
#include "formats/usd/compose/prim_index.h"

namespace wyc::usd {

/// One set of clips as a dictionary in metadata states it, with templates spelled out.
struct ClipSet {
    std::string primPath;                               // in the clips
    std::vector<std::string> assets;                    // as written
    std::vector<std::pair<double, std::size_t>> active; // from this time on, this clip; rising
    std::vector<std::pair<double, double>> times;       // time outside, time in the clip; rising; two alike: a jump
    std::string manifest;                               // as written; empty: none
    bool fillsGaps = false;                             // a clip without a sample is passed over
};
/// Nothing where it does not say enough; `problem` says why.
[[nodiscard]] std::optional<ClipSet> clipSetOf(const Dictionary& stated, std::string& problem);

/// What an opener of layers gives: null where it is not there.
using LayerOpener = std::function<LayerPtr(const std::string& written)>;
/// Samples of an attribute over all clips; null where the set has none of it. `attribute`: its path in the clips.
[[nodiscard]] std::shared_ptr<const Samples> clipSamples(const ClipSet& set, const std::string& primPath,
                                                         const std::string& attribute, const LayerOpener& opener);

} // namespace wyc::usd
