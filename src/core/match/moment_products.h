// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Sums over points of products of all pairs of moments of two tracks: any fit over any moments is then a sum of 3 × 3
// matrices. For alignment.cpp and what lies beside it.
#include <algorithm>
#include <limits>

#include "match/alignment.h"

namespace wyc {

class MomentProducts {
  public:
    MomentProducts(const Track& a, const Track& b);

    /// Of what is centred, over some moments.
    struct Sums {
        double count = 0.0;
        Eigen::Matrix3d cross = Eigen::Matrix3d::Zero(); // of b · aᵀ
        Eigen::Vector3d meanA = Eigen::Vector3d::Zero();
        Eigen::Vector3d meanB = Eigen::Vector3d::Zero();
        double squareA = 0.0;
        double squareB = 0.0;
        void divide();
        /// Mean square over points and moments under a similarity of what is centred.
        [[nodiscard]] double square(const Similarity& space) const;
        /// Of B around its middle, squared.
        [[nodiscard]] double spread() const { return std::max(0.0, squareB - meanB.squaredNorm()); }
    };
    /// Adds one moment of B over the moment of A that is shown then; false where A has none.
    bool add(std::size_t t, double speed, double shift, Sums& into) const;
    /// Means over the moments that count.
    [[nodiscard]] Sums over(double speed, double shift, const std::vector<char>& counts) const;
    /// Mean square over points at one moment; NaN where A has none.
    [[nodiscard]] double squareAt(std::size_t t, double speed, double shift, const Similarity& space) const;
    /// Mean square way of A's points from a sample to the one behind it, in A's unit.
    [[nodiscard]] double stepOfA(std::size_t sample) const {
        return std::max(0.0, squareA_[sample] + squareA_[sample + 1] - 2.0 * besideA_[sample]);
    }

    struct Fit {
        Similarity space; // of what is centred
        double square = std::numeric_limits<double>::infinity();
        bool turns = false; // the points lie so that a turn can be told
    };
    /// The least squares (S. Umeyama, 1991). A mirror only where nothing else comes near, or where one is asked for.
    enum class Sides { AsTheyFit, Turned, Mirrored };
    [[nodiscard]] Fit fit(const Sums& mean, Sides sides = Sides::AsTheyFit) const;
    /// What is left of the spread at least, squared, to a thousandth: at a tenth of the price.
    [[nodiscard]] static double roughly(const Sums& mean);
    /// The same without a move of what is not centred.
    [[nodiscard]] Fit fitAboutOrigin(const Sums& mean, Sides sides) const;
    /// For a turn: the size that fits best, with the move that does, or with none.
    [[nodiscard]] double sizeFor(const Sums& mean, const Eigen::Matrix3d& turn, bool moves) const;
    /// That move with which a size and a turn fit best, of what is centred.
    [[nodiscard]] static Eigen::Vector3d moveFor(const Sums& mean, double size, const Eigen::Matrix3d& turn) {
        return mean.meanB - size * turn * mean.meanA;
    }
    /// As of places as they are, from what is centred; and back.
    [[nodiscard]] Similarity plain(Similarity space) const;
    [[nodiscard]] Similarity centredOf(Similarity space) const;
    /// How far B lies from the origin.
    [[nodiscard]] double distance() const { return middleB_.norm(); }

  private:
    /// Sums of places as they are.
    [[nodiscard]] Sums asTheyLie(const Sums& mean) const;
    [[nodiscard]] static Fit least(const Eigen::Matrix3d& cross, double squareA, double squareB, Sides sides);
    const Track& a_;
    const Track& b_;
    Eigen::Vector3d middleA_;
    Eigen::Vector3d middleB_;
    Eigen::MatrixXd cross_; // B's moments down, A's across
    Eigen::VectorXd meanA_;
    Eigen::VectorXd meanB_;
    std::vector<double> squareA_;
    std::vector<double> besideA_;
    std::vector<double> squareB_;
};

} // namespace wyc
