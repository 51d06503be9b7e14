// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// UVs, normals and colours of a mesh, looked at corner by corner whatever way they are stored.
#include "scene/geometry.h"

namespace wyc {

/// The layers that a mesh sample may have.
enum class Layer { Uvs, Normals, Colours };
[[nodiscard]] const Attribute& layerOf(const MeshExtras& extras, Layer layer);
[[nodiscard]] const char* layerName(Layer layer); // "UVs"

/// Number of the value of a corner (of face `face`, at point `point`); −1 where it has none.
[[nodiscard]] std::int32_t valueNumber(const Attribute& attribute, std::size_t face, std::size_t corner,
                                       std::int32_t point);
/// `extent` numbers for every corner in turn, or for every point where there are no faces; NaN where there are none.
[[nodiscard]] std::vector<float> cornerValues(const Attribute& attribute, const Topology& topology,
                                              std::size_t pointCount, std::size_t extent);

/// Normals that change keep their length on the way: between two samples they do not go in straight lines.
[[nodiscard]] bool normalsTurn(const Geometry& geometry);

/// Corners, over all samples, that have no value of a layer; and samples that have none at all. A layer that no sample
/// has has no gaps.
struct LayerGaps {
    bool there = false;
    std::size_t corners = 0;
    std::size_t samples = 0;
    [[nodiscard]] bool any() const { return corners > 0 || samples > 0; }
    /// "12 corners have none"
    [[nodiscard]] std::string words() const;
};
[[nodiscard]] Result<LayerGaps> layerGaps(const Geometry& geometry, Layer layer);

} // namespace wyc
