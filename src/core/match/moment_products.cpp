// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/moment_products.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <Eigen/SVD>

#include "time/sampling.h"

namespace wyc {
namespace {

constexpr double kRound = 5e-7; // of the spread: what single precision leaves of places

Eigen::Vector3d middleOfTrack(const Track& track) {
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    for (std::size_t t = 0; t < track.moments(); ++t)
        sum += track.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t)).rowwise().mean();
    return track.moments() > 0 ? Eigen::Vector3d(sum / static_cast<double>(track.moments())) : sum;
}

Eigen::MatrixXd centred(const Track& track, const Eigen::Vector3d& middle) {
    const Eigen::VectorXd all = middle.replicate(static_cast<Eigen::Index>(track.moments()), 1);
    return track.xyz.colwise() - all;
}

} // namespace

MomentProducts::MomentProducts(const Track& a, const Track& b)
    : a_(a), b_(b), middleA_(middleOfTrack(a)), middleB_(middleOfTrack(b)) {
    const Eigen::MatrixXd centredA = centred(a, middleA_);
    const Eigen::MatrixXd centredB = centred(b, middleB_);
    const double n = static_cast<double>(std::max<Eigen::Index>(1, a.xyz.cols()));
    cross_ = centredB * centredA.transpose() / n;
    const auto means = [&](const Eigen::MatrixXd& all) { return Eigen::VectorXd(all.rowwise().sum() / n); };
    meanA_ = means(centredA);
    meanB_ = means(centredB);
    const auto squares = [&](const Eigen::MatrixXd& all, std::size_t i, std::size_t j) {
        return all.middleRows(static_cast<Eigen::Index>(3 * i), 3)
                   .cwiseProduct(all.middleRows(static_cast<Eigen::Index>(3 * j), 3))
                   .sum() /
               n;
    };
    for (std::size_t s = 0; s < a.moments(); ++s) {
        squareA_.push_back(squares(centredA, s, s));
        besideA_.push_back(s + 1 < a.moments() ? squares(centredA, s, s + 1) : 0.0);
    }
    for (std::size_t t = 0; t < b.moments(); ++t)
        squareB_.push_back(squares(centredB, t, t));
}

// Written out number by number: most of a comparison's time goes by here.
bool MomentProducts::add(std::size_t t, double speed, double shift, Sums& into) const {
    const double at = speed * b_.times[t] + shift;
    if (!liesWithin(at, a_.times.front(), a_.times.back()))
        return false;
    const auto above = std::upper_bound(a_.times.begin(), a_.times.end(), at);
    const std::size_t s = above == a_.times.begin() ? 0 : static_cast<std::size_t>(above - a_.times.begin()) - 1;
    double w = 0.0;
    if (s + 1 < a_.times.size())
        w = std::clamp((at - a_.times[s]) / (a_.times[s + 1] - a_.times[s]), 0.0, 1.0);
    const double v = 1.0 - w;
    const auto rows = static_cast<std::size_t>(cross_.rows()); // columns lie one after another
    const double* cross = cross_.data() + 3 * s * rows + 3 * t;
    const double* meanA = meanA_.data() + 3 * s;
    const double* meanB = meanB_.data() + 3 * t;
    double* sum = into.cross.data();
    for (std::size_t c = 0; c < 3; ++c, cross += rows, sum += 3)
        for (std::size_t r = 0; r < 3; ++r)
            sum[r] += w > 0.0 ? v * cross[r] + w * cross[3 * rows + r] : cross[r];
    double* sumA = into.meanA.data();
    double* sumB = into.meanB.data();
    for (std::size_t k = 0; k < 3; ++k) {
        sumA[k] += w > 0.0 ? v * meanA[k] + w * meanA[3 + k] : meanA[k];
        sumB[k] += meanB[k];
    }
    into.count += 1.0;
    into.squareA += w > 0.0 ? v * v * squareA_[s] + w * w * squareA_[s + 1] + 2.0 * w * v * besideA_[s] : squareA_[s];
    into.squareB += squareB_[t];
    return true;
}

void MomentProducts::Sums::divide() {
    if (!(count > 0.0))
        return;
    cross /= count;
    meanA /= count;
    meanB /= count;
    squareA /= count;
    squareB /= count;
}

double MomentProducts::Sums::square(const Similarity& space) const {
    const double s = space.scale;
    return std::max(0.0, squareB + s * s * squareA + space.move.squaredNorm() -
                             2.0 * s * (space.turn.cwiseProduct(cross)).sum() - 2.0 * space.move.dot(meanB) +
                             2.0 * s * space.move.dot(space.turn * meanA));
}

MomentProducts::Sums MomentProducts::over(double speed, double shift, const std::vector<char>& counts) const {
    Sums all;
    for (std::size_t t = 0; t < b_.moments(); ++t)
        if (counts[t])
            add(t, speed, shift, all);
    all.divide();
    return all;
}

double MomentProducts::squareAt(std::size_t t, double speed, double shift, const Similarity& space) const {
    Sums one;
    return add(t, speed, shift, one) ? one.square(space) : std::numeric_limits<double>::quiet_NaN();
}

MomentProducts::Fit MomentProducts::least(const Eigen::Matrix3d& cross, double squareA, double squareB, Sides sides) {
    Fit fit;
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(cross, Eigen::ComputeFullU | Eigen::ComputeFullV);
    const Eigen::Vector3d& d = svd.singularValues();
    const bool mirrored = (svd.matrixU() * svd.matrixV().transpose()).determinant() < 0.0;
    fit.turns = d[1] > 1e-9 * std::max(1e-300, d[0]);
    const auto left = [&](double trace) {
        return squareA > 0.0 ? std::max(0.0, squareB - trace * std::abs(trace) / squareA) : squareB;
    };
    // The last axis with its sign or the other one: one of both is a turn.
    const double asIs = d.sum();
    const double other = d[0] + d[1] - d[2];
    bool flips = false;
    switch (sides) {
    case Sides::Turned: flips = mirrored; break;
    case Sides::Mirrored: flips = !mirrored; break;
    case Sides::AsTheyFit:
        // What is flat, or nearly symmetric, is no mirror.
        flips = mirrored && !(left(asIs) < 0.0625 * left(other) - kRound * kRound * squareB);
        break;
    }
    const Eigen::Vector3d signs(1.0, 1.0, flips ? -1.0 : 1.0);
    const double trace = flips ? other : asIs;
    fit.space.turn = svd.matrixU() * signs.asDiagonal() * svd.matrixV().transpose();
    fit.space.scale = squareA > 0.0 && trace > 0.0 ? trace / squareA : 1.0;
    fit.square = left(trace);
    return fit;
}

MomentProducts::Fit MomentProducts::fit(const Sums& mean, Sides sides) const {
    if (!(mean.count > 0.0))
        return {};
    const Eigen::Matrix3d cross = mean.cross - mean.meanB * mean.meanA.transpose();
    Fit fit = least(cross, std::max(0.0, mean.squareA - mean.meanA.squaredNorm()), mean.spread(), sides);
    fit.space.move = moveFor(mean, fit.space.scale, fit.space.turn);
    return fit;
}

double MomentProducts::roughly(const Sums& mean) {
    const Eigen::Matrix3d cross = mean.cross - mean.meanB * mean.meanA.transpose();
    const double squareA = std::max(0.0, mean.squareA - mean.meanA.squaredNorm());
    const double spread = mean.spread();
    if (!(spread > 0.0) || !(squareA > 0.0))
        return 0.0;
    Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver;
    solver.computeDirect(cross.transpose() * cross, Eigen::EigenvaluesOnly);
    const double trace = solver.eigenvalues().cwiseMax(0.0).cwiseSqrt().sum();
    return std::max(0.0, 1.0 - trace * trace / (squareA * spread));
}

MomentProducts::Sums MomentProducts::asTheyLie(const Sums& mean) const {
    Sums lies = mean;
    lies.cross +=
        middleB_ * mean.meanA.transpose() + mean.meanB * middleA_.transpose() + middleB_ * middleA_.transpose();
    lies.squareA += 2.0 * middleA_.dot(mean.meanA) + middleA_.squaredNorm();
    lies.squareB += 2.0 * middleB_.dot(mean.meanB) + middleB_.squaredNorm();
    lies.meanA += middleA_;
    lies.meanB += middleB_;
    return lies;
}

MomentProducts::Fit MomentProducts::fitAboutOrigin(const Sums& mean, Sides sides) const {
    if (!(mean.count > 0.0))
        return {};
    const Sums lies = asTheyLie(mean);
    Fit fit = least(lies.cross, lies.squareA, lies.squareB, sides);
    fit.space = centredOf(fit.space);
    fit.square = mean.square(fit.space);
    return fit;
}

double MomentProducts::sizeFor(const Sums& mean, const Eigen::Matrix3d& turn, bool moves) const {
    const Sums lies = moves ? mean : asTheyLie(mean);
    Eigen::Matrix3d cross = lies.cross;
    double squareA = lies.squareA;
    if (moves) {
        cross -= lies.meanB * lies.meanA.transpose();
        squareA -= lies.meanA.squaredNorm();
    }
    const double trace = turn.cwiseProduct(cross).sum();
    return squareA > 0.0 && trace > 0.0 ? trace / squareA : 1.0;
}

Similarity MomentProducts::plain(Similarity space) const {
    space.move += middleB_ - space.scale * space.turn * middleA_;
    return space;
}

Similarity MomentProducts::centredOf(Similarity space) const {
    space.move += space.scale * space.turn * middleA_ - middleB_;
    return space;
}

} // namespace wyc
