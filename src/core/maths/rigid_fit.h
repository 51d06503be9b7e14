// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>

namespace wyc {

/// The rotation R for which the points R·p are nearest to q, by the sum of p·qᵀ over all, both about their middles
/// (W. Kabsch, 1976). Never a mirror.
[[nodiscard]] Eigen::Matrix3d bestTurn(const Eigen::Matrix3d& covariance);

} // namespace wyc
