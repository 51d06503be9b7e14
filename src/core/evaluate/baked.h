// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shapes whose transforms went into their points.
#include <optional>

#include "scene/scene.h"

namespace wyc {

/// The way from a node's own space to the world, at any moment, and the times worth storing of what goes that way.
class WorldTrack {
  public:
    /// `own`: sampling of what is baked (still where there is nothing). Its times are those of everything that moves
    /// it, together; and whole frames, where anything on the way turns or grows: a straight line between two poses of a
    /// turn would cut the corner.
    WorldTrack(std::shared_ptr<const Scene> scene, std::size_t node, const Sampling& own, bool ownStraight);
    [[nodiscard]] const Sampling& sampling() const { return sampling_; }
    [[nodiscard]] Result<Mat4> at(double seconds) const;
    /// The matrix's change a second over the frames around; nothing where it does not change.
    [[nodiscard]] Result<std::optional<Mat4>> speedAt(double seconds) const;
    /// Whether it moves at the times that are wanted; and whether it does at any.
    [[nodiscard]] bool moves() const { return moves_; }
    [[nodiscard]] bool varies() const { return varies_; }
    [[nodiscard]] bool straight() const { return straight_; }
    /// Whether the way mirrors; nothing when it changes.
    [[nodiscard]] std::optional<bool> mirrored() const;
    [[nodiscard]] Result<bool> isIdentity() const;

  private:
    static bool onlySlides(const Transform& transform);
    std::shared_ptr<const Scene> scene_;
    std::size_t node_;
    Sampling sampling_;
    bool moves_ = false;
    bool varies_ = false;
    bool straight_ = true;
};
/// The way of a node that has no points.
[[nodiscard]] std::shared_ptr<const WorldTrack> worldTrack(std::shared_ptr<const Scene> scene, std::size_t node);

/// The node's shape in world space: points, normals (by the inverse transpose, their length kept) and, under a mirror,
/// faces turned over so that they still look outward. The scene is kept.
[[nodiscard]] Result<GeometryPtr> bakedGeometry(std::shared_ptr<const Scene> scene, std::size_t node);
/// Its properties in world space, as far as their roles say something about space: places by the whole matrix, vectors
/// by its linear part, normals by the inverse transpose, velocities by the linear part and with the speed that the
/// transforms give their point. The scene is kept, as they are made when they are asked for.
[[nodiscard]] Result<PropertiesPtr> bakedProperties(std::shared_ptr<const Scene> scene, std::size_t node);

} // namespace wyc
