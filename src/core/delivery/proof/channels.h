// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a node says, channel by channel, as hashes that can be compared and recorded. Points are not among them: they
// are compared one by one.
#include <string>
#include <vector>

#include "formats/format.h"
#include "scene/scene.h"

namespace wyc {

struct HashedChannel {
    std::string name;                   // "UVs", "visibility", "user value 'glow'"
    std::vector<double> times;          // of the samples; empty where it does not change
    std::vector<std::uint64_t> samples; // XXH64 of each
    /// XXH64 of times and samples.
    [[nodiscard]] std::uint64_t hash() const;
};

/// Of the samples; none where there is one.
[[nodiscard]] std::vector<double> timesOf(const Sampling& sampling);
/// Channels of a node that the format keeps, sorted by name.
[[nodiscard]] Result<std::vector<HashedChannel>> channelsOf(const Scene& scene, std::size_t node, const Format& format);
/// Of what is meant: the groups of a mesh as one channel. Where some stand below it as nodes, whose faces over time are
/// a channel of theirs, just the others, one by one.
void keepMeantGroups(const Scene& scene, std::size_t node, const Format& format, std::vector<HashedChannel>& channels);
/// What a scene says as a whole: rate, unit, axis, materials. `rest`: a mesh stands beside it, with what the format
/// puts there.
[[nodiscard]] Result<std::vector<HashedChannel>> sceneChannels(const Scene& scene, const Format& format, bool rest);
/// Words for the first difference; empty when there is none. Times may differ by `secondsTolerance`.
[[nodiscard]] std::string difference(const HashedChannel& meant, const HashedChannel* found, double secondsTolerance,
                                     const FrameRate& rate);

} // namespace wyc
