// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shapes whose transforms went into their points.
#include <algorithm>
#include <optional>

#include "scene/scene.h"

namespace wyc {

/// Times of everything that moves the node: its own sampling, those of the transforms above it, or all of them
/// together where they differ. Still when nothing moves.
[[nodiscard]] Sampling worldSampling(const Scene& scene, std::size_t node, const Sampling& own);

/// A world matrix for every sample of a sampling.
struct WorldMatrices {
    Sampling sampling;
    std::vector<Mat4> matrices;
    [[nodiscard]] const Mat4& at(std::size_t sample) const { return matrices[std::min(sample, matrices.size() - 1)]; }
    [[nodiscard]] bool allIdentity() const;
    /// The matrix's change a second, from the samples on both sides; nothing where it does not change.
    [[nodiscard]] std::optional<Mat4> speedAt(std::size_t sample) const;
};
[[nodiscard]] Result<WorldMatrices> worldMatrices(const Scene& scene, std::size_t node, const Sampling& sampling);

/// The node's shape in world space: points, normals (by the inverse transpose, their length kept) and, under a mirror,
/// faces turned over so that they still look outward. Between samples of the points straight lines are taken.
[[nodiscard]] Result<GeometryPtr> bakedGeometry(const Scene& scene, std::size_t node);
/// Its properties in world space, as far as their roles say something about space: places by the whole matrix, vectors
/// by its linear part, normals by the inverse transpose, velocities by the linear part and with the speed that the
/// transforms give their point. The scene is kept, as they are made when they are asked for.
[[nodiscard]] Result<PropertiesPtr> bakedProperties(std::shared_ptr<const Scene> scene, std::size_t node);

} // namespace wyc
