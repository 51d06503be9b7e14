// SPDX-License-Identifier: GPL-3.0-or-later
#include "maths/rigid_fit.h"

#include <Eigen/LU>
#include <Eigen/SVD>

namespace wyc {

Eigen::Matrix3d bestTurn(const Eigen::Matrix3d& covariance) {
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(covariance, Eigen::ComputeFullU | Eigen::ComputeFullV);
    Eigen::Matrix3d v = svd.matrixV();
    const Eigen::Matrix3d turn = v * svd.matrixU().transpose();
    if (turn.determinant() >= 0.0)
        return turn;
    v.col(2) *= -1.0;
    return v * svd.matrixU().transpose();
}

} // namespace wyc
