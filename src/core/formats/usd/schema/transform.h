// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Transform stacks: the operations that a prim's order names, as ours.
#include <array>

#include "formats/usd/schema/values.h"
#include "scene/scene.h"

namespace wyc::usd {

/// Null where the prim has none.
[[nodiscard]] TransformPtr transformOf(const ComposedScene& scene, const Prim& prim, const Clock& clock);

/// A transform that knows the quaternions (i, j, k, real) of its turns.
class WithQuaternions {
  public:
    virtual ~WithQuaternions() = default;
    /// False where its turns are others than these make when they are read: undone ones.
    [[nodiscard]] virtual bool readsSo() const = 0;
    /// Of an operation that is a turn about an axis of its own.
    [[nodiscard]] virtual Result<std::array<double, 4>> quaternion(std::size_t op, std::size_t sample) const = 0;
};
/// Axis and angle in degrees of i, j, k, real: the axis is the normalised imaginary part, the angle twice the arc
/// cosine of the real part as it stands; and the other way.
[[nodiscard]] std::array<double, 4> turnOfQuaternion(const std::array<double, 4>& quaternion);
[[nodiscard]] std::array<double, 4> quaternionOfTurn(const std::array<double, 4>& turn);

} // namespace wyc::usd
