// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Meshes with every face parted into one quad a corner, in straight lines or as a subdivision surface.
#include "scene/geometry.h"

namespace wyc {

/// How often A's faces were parted, by the numbers of points and faces alone; 0 where B is nothing of the kind.
[[nodiscard]] int levelsBetween(const Topology& a, std::size_t pointsA, const Topology& b, std::size_t pointsB);

/// The mesh after one level: its points, then one an edge, then one a face; faces in turn, a quad for each corner.
/// `smooth` moves them as E. Catmull and J. Clark (1978) do, borders as curves of their own; else all stay on the old
/// faces. An error where the faces change in time or do not fit the points.
[[nodiscard]] Result<GeometryPtr> subdivided(const GeometryPtr& mesh, bool smooth);

} // namespace wyc
