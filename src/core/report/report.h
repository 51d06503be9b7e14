// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The JSON documents of `wyc info` and `wyc sample`. Their fields are a promise: docs/cli.md.
#include <nlohmann/json.hpp>

#include "gather/source.h"

namespace wyc {

/// Items, counts, ranges. `deep` adds sample times.
[[nodiscard]] Result<nlohmann::json> sourceInfo(const Source& source, bool deep);
/// Values at frames, straight-line interpolated between samples, held beyond them. `itemPattern` empty = all
/// items.
[[nodiscard]] Result<nlohmann::json> sampleDocument(const Source& source, const std::vector<double>& frames,
                                                    const std::string& itemPattern, bool world);

struct ItemFacts {
    std::optional<std::size_t> points;
    std::optional<std::size_t> faces;
    std::optional<std::size_t> corners;
    std::size_t samples = 1;
    std::optional<double> first;
    std::optional<double> last;
    bool movesByPoints = false;
    bool movesByTransform = false;
    bool movesByValues = false; // a camera's or a light's figures, attributes of what has still points
    bool visible = true;
    std::optional<std::uint64_t> topology;
    std::optional<Error> error; // of the first sample
};
[[nodiscard]] ItemFacts itemFacts(const Scene& scene, std::size_t node);

} // namespace wyc
