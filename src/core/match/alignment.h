// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How one motion lies over another: one size, turn and move for all of it, and which moment is which.
#include <optional>
#include <span>
#include <vector>

#include <Eigen/Core>

#include "maths/math.h"

namespace wyc {

/// Some points over time, in world space and the shape's own unit.
struct Track {
    std::vector<double> times; // seconds, rising
    Eigen::MatrixXd xyz;       // three rows a moment, a column a point
    [[nodiscard]] std::size_t moments() const { return times.size(); }
    [[nodiscard]] std::size_t points() const { return static_cast<std::size_t>(xyz.cols()); }
    [[nodiscard]] Track columns(std::span<const std::uint32_t> which) const;
    /// Straight lines between moments, the nearer end outside.
    [[nodiscard]] Eigen::Matrix3Xd at(double seconds) const;
};

/// Points of two shapes that belong together, over time.
struct SampledPairs {
    std::vector<std::uint32_t> ofA;
    std::vector<std::uint32_t> ofB;
    Track a;
    Track b;
};

/// p becomes scale · turn · p + move.
struct Similarity {
    double scale = 1.0;
    Eigen::Matrix3d turn = Eigen::Matrix3d::Identity();
    Eigen::Vector3d move = Eigen::Vector3d::Zero();
    [[nodiscard]] bool mirrors() const;
    [[nodiscard]] Eigen::Matrix3Xd of(const Eigen::Matrix3Xd& points) const {
        return (scale * turn * points).colwise() + move;
    }
    [[nodiscard]] double degrees() const; // how far it turns, a mirror left aside
    [[nodiscard]] Mat4 matrix() const;    // for row vectors
    [[nodiscard]] Similarity inverse() const;
};

/// B as seen from A.
struct Alignment {
    Similarity space;         // A → B
    double speed = 1.0;       // seconds of A a second of B
    double shift = 0.0;       // time of A = speed · time of B + shift
    double residual = 0.0;    // RMS over points and moments that count, in B's unit
    double spread = 0.0;      // RMS distance of B's points from their middle, at the same moments
    std::vector<double> off;  // RMS of each moment of B; NaN where A has no such moment
    std::vector<char> counts; // whether it was counted
    std::size_t counted = 0;
    bool timeMatters = false;       // at other times it would fit worse
    bool spaceMatters = false;      // there are points enough to tell a turn
    double claims = 0.0;            // how much it claims: nothing at all is 0, one thing that is known 1
    double score = 0.0;             // claims weighed against what is left; the least is the likeliest
    std::vector<Alignment> instead; // explains as much and claims hardly more
    [[nodiscard]] double timeOfA(double secondsOfB) const { return speed * secondsOfB + shift; }
    /// 1 where nothing was counted: what shares no moment fits nowhere.
    [[nodiscard]] double relative() const {
        return counted == 0 ? 1.0 : spread > 0.0 ? residual / spread : residual > 0.0 ? 1.0 : 0.0;
    }
};

/// The joint fit of size, turn, move (S. Umeyama, 1991) and time over all moments, column by column. Whatever claims
/// more (a size, a turn, a move, another time, known values less than free ones) has to leave a quarter of what the
/// plainer one leaves for each thing claimed. Moments that do not fit where most do are left out of account; no fit
/// rests on less than half of what both share, or on a third whose other moments show poses of A as well.
[[nodiscard]] Alignment alignmentOf(const Track& a, const Track& b);

/// The score of the likeliest explanation by all moments, without a look at single ones or parts of a sample.
[[nodiscard]] double roughScoreOf(const Track& a, const Track& b);

/// The same at a given time: `speed` and `shift` stay.
[[nodiscard]] Alignment alignmentAt(const Track& a, const Track& b, double speed, double shift);

/// Sizes by which units and usual mistakes differ.
[[nodiscard]] std::optional<double> knownSize(double ratio, double within);
/// Speeds that rates and usual retimes differ by.
[[nodiscard]] std::optional<double> knownSpeed(double ratio, double within);
/// All turns by quarters, no mirrors.
[[nodiscard]] const std::vector<Eigen::Matrix3d>& quarterTurns();

} // namespace wyc
