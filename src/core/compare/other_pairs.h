// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "scene/scene.h"

namespace wyc {

/// Two items without points (cameras, lights, bare transforms): where they are and what they are set to, plainly.
struct OtherPair {
    std::string a; // paths
    std::string b;
    bool same = false;
    std::string text; // "the same", or what is not
};

struct ComparedOthers {
    std::vector<OtherPair> pairs;
    std::vector<std::string> onlyA; // paths
    std::vector<std::string> onlyB;
};
/// Paired by path, else by name where that tells one. Places in metres of A within the tolerance.
[[nodiscard]] Result<ComparedOthers> comparedOthers(const Scene& a, const Scene& b, double toleranceMetres);

/// The first frame (at A's rate) at which one of two items is seen and the other not.
[[nodiscard]] Result<std::optional<double>> seenApart(const Scene& a, std::size_t nodeA, const Scene& b,
                                                      std::size_t nodeB);

/// Groups and materials by which two meshes differ in their first samples, in words; nothing where they are alike, or
/// one of the two names none of a kind (a format may have no place for them). Of the same faces also which ones they
/// hold.
struct SetsApart {
    std::size_t count = 0;
    std::string text; // "material silk is gone, set fins is new"
};
[[nodiscard]] Result<std::optional<SetsApart>> setsApart(const Scene& a, std::size_t nodeA, const Scene& b,
                                                         std::size_t nodeB);

} // namespace wyc
