// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/alignment.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

#include <Eigen/Geometry>
#include <Eigen/SVD>

#include "base/middle.h"

namespace wyc {
namespace {

constexpr double kRound = 5e-7; // of the spread: what single precision leaves of places

double usualStepOf(const std::vector<double>& times) {
    if (times.size() < 2)
        return 0.0;
    std::vector<double> steps;
    for (std::size_t i = 1; i < times.size(); ++i)
        steps.push_back(times[i] - times[i - 1]);
    return middleOf(std::move(steps));
}

// All that the fits need of two tracks: sums over points of products of moments. Any fit over any moments is then a sum
// of 3 × 3 matrices.
class Products {
  public:
    Products(const Track& a, const Track& b) : a_(a), b_(b) {
        middleA_ = middle(a);
        middleB_ = middle(b);
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

    struct Sums {
        double count = 0.0;
        Eigen::Matrix3d cross = Eigen::Matrix3d::Zero(); // of b · aᵀ
        Eigen::Vector3d meanA = Eigen::Vector3d::Zero();
        Eigen::Vector3d meanB = Eigen::Vector3d::Zero();
        double squareA = 0.0;
        double squareB = 0.0;
    };
    // Adds one moment of B over the moment of A that is shown then; false where A has none. Written out number by
    // number: most of a comparison's time goes by here.
    bool addMoment(std::size_t t, double speed, double shift, Sums& into) const {
        const double at = speed * b_.times[t] + shift;
        const double margin = 1e-6 + 1e-9 * std::abs(at);
        if (at < a_.times.front() - margin || at > a_.times.back() + margin)
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
        into.squareA +=
            w > 0.0 ? v * v * squareA_[s] + w * w * squareA_[s + 1] + 2.0 * w * v * besideA_[s] : squareA_[s];
        into.squareB += squareB_[t];
        return true;
    }

    struct Fit {
        Similarity space;                                        // of what is centred
        double square = std::numeric_limits<double>::infinity(); // mean over points
        double spread = 0.0;                                     // of B, squared
        std::size_t counted = 0;
        bool turns = false; // the points lie so that a turn can be told
    };
    [[nodiscard]] Fit fit(double speed, double shift, const std::vector<char>& counts) const {
        Sums all;
        for (std::size_t t = 0; t < b_.moments(); ++t)
            if (counts[t])
                addMoment(t, speed, shift, all);
        return fitOf(all);
    }
    [[nodiscard]] static Fit fitOf(const Sums& all) {
        Fit fit;
        fit.counted = static_cast<std::size_t>(all.count);
        if (fit.counted == 0)
            return fit;
        const Eigen::Vector3d meanA = all.meanA / all.count;
        const Eigen::Vector3d meanB = all.meanB / all.count;
        const Eigen::Matrix3d cross = all.cross / all.count - meanB * meanA.transpose();
        const double varA = std::max(0.0, all.squareA / all.count - meanA.squaredNorm());
        fit.spread = std::max(0.0, all.squareB / all.count - meanB.squaredNorm());
        const Eigen::JacobiSVD<Eigen::Matrix3d> svd(cross, Eigen::ComputeFullU | Eigen::ComputeFullV);
        const Eigen::Vector3d& d = svd.singularValues();
        const Eigen::Matrix3d plain = svd.matrixU() * svd.matrixV().transpose();
        const bool mirrored = plain.determinant() < 0.0;
        fit.turns = d[1] > 1e-9 * std::max(1e-300, d[0]);
        const auto left = [&](double trace) {
            return varA > 0.0 ? std::max(0.0, fit.spread - trace * trace / varA) : fit.spread;
        };
        const double straight = mirrored ? d[0] + d[1] - d[2] : d.sum();
        Eigen::Vector3d signs(1.0, 1.0, mirrored ? -1.0 : 1.0);
        double trace = straight;
        // A mirror only where nothing else comes near: what is flat, or nearly symmetric, is none.
        if (mirrored && left(d.sum()) < 0.0625 * left(straight) - kRound * kRound * fit.spread) {
            trace = d.sum();
            signs[2] = 1.0;
        }
        fit.space.turn = svd.matrixU() * signs.asDiagonal() * svd.matrixV().transpose();
        fit.space.scale = varA > 0.0 && trace > 0.0 ? trace / varA : 1.0;
        fit.space.move = meanB - fit.space.scale * fit.space.turn * meanA;
        fit.square = left(trace);
        return fit;
    }
    /// Mean square over points at one moment under a similarity of what is centred; NaN where A has none.
    [[nodiscard]] double squareAt(std::size_t t, double speed, double shift, const Similarity& space) const {
        Sums one;
        if (!addMoment(t, speed, shift, one))
            return std::numeric_limits<double>::quiet_NaN();
        const double s = space.scale;
        const double square = one.squareB + s * s * one.squareA + space.move.squaredNorm() -
                              2.0 * s * (space.turn.cwiseProduct(one.cross)).sum() - 2.0 * space.move.dot(one.meanB) +
                              2.0 * s * space.move.dot(space.turn * one.meanA);
        return std::max(0.0, square);
    }
    /// As of places as they are, from what is centred; and back.
    [[nodiscard]] Similarity plain(Similarity space) const {
        space.move += middleB_ - space.scale * space.turn * middleA_;
        return space;
    }
    [[nodiscard]] Similarity centredOf(Similarity space) const {
        space.move += space.scale * space.turn * middleA_ - middleB_;
        return space;
    }
    [[nodiscard]] double squareOver(double speed, double shift, const Similarity& space,
                                    const std::vector<char>& counts) const {
        double sum = 0.0;
        double count = 0.0;
        for (std::size_t t = 0; t < b_.moments(); ++t)
            if (const double one = counts[t] ? squareAt(t, speed, shift, space) : 0.0; counts[t] && !std::isnan(one)) {
                sum += one;
                count += 1.0;
            }
        return count > 0.0 ? sum / count : std::numeric_limits<double>::infinity();
    }

  private:
    static Eigen::Vector3d middle(const Track& track) {
        Eigen::Vector3d sum = Eigen::Vector3d::Zero();
        for (std::size_t t = 0; t < track.moments(); ++t)
            sum += track.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t)).rowwise().mean();
        return track.moments() > 0 ? Eigen::Vector3d(sum / static_cast<double>(track.moments())) : sum;
    }
    static Eigen::MatrixXd centred(const Track& track, const Eigen::Vector3d& middle) {
        const Eigen::VectorXd all = middle.replicate(static_cast<Eigen::Index>(track.moments()), 1);
        return track.xyz.colwise() - all;
    }
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

struct TimeGuess {
    double speed = 1.0;
    double shift = 0.0;
    int rank = 0; // simpler ones first
};

std::vector<TimeGuess> timeGuesses(const Track& a, const Track& b) {
    std::vector<TimeGuess> guesses{{1.0, 0.0, 0}};
    if (b.moments() == 1) { // one pose: any of A's
        for (const double t : a.times)
            guesses.push_back({1.0, t - b.times.front(), 1});
        return guesses;
    }
    const double stepA = usualStepOf(a.times);
    const double stepB = usualStepOf(b.times);
    if (!(stepA > 0.0) || !(stepB > 0.0))
        return guesses;
    std::vector<std::pair<double, int>> speeds{{1.0, 0}};
    const double same = stepA / stepB; // sample by sample
    const auto add = [&](double speed, int rank) {
        if (std::none_of(speeds.begin(), speeds.end(),
                         [&](const auto& had) { return std::abs(had.first / speed - 1.0) < 1e-6; }))
            speeds.emplace_back(speed, rank);
    };
    add(same, 1);
    const double spanB = b.times.back() - b.times.front();
    add((a.times.back() - a.times.front()) / spanB, 2);
    for (const double known : {0.5, 2.0, 24.0 / 25.0, 25.0 / 24.0, 24.0 / 30.0, 30.0 / 24.0, 25.0 / 30.0, 30.0 / 25.0,
                               1.0 / 3.0, 3.0, 2.0 / 3.0, 1.5, 0.25, 4.0, 1000.0 / 1001.0, 1001.0 / 1000.0}) {
        add(known, 3);
        add(known * same, 4);
    }
    const auto countA = static_cast<double>(a.moments());
    for (const auto& [speed, rank] : speeds) {
        // B's first moment at each sample of A, as long as half of the shorter one is over the other.
        const double countB = spanB * speed / stepA;
        const double need = 0.5 * std::min(countA - 1.0, countB);
        for (double k = std::ceil(need - countB); k <= countA - 1.0 - need; k += 1.0)
            guesses.push_back({speed, a.times.front() + k * stepA - speed * b.times.front(), rank + 1});
    }
    return guesses;
}

// The least of a function of one variable around a place, by golden section.
template<class F> double leastNear(double at, double reach, const F& f) {
    const double golden = 0.5 * (std::sqrt(5.0) - 1.0);
    double low = at - reach;
    double high = at + reach;
    double x = high - golden * (high - low);
    double y = low + golden * (high - low);
    double fx = f(x);
    double fy = f(y);
    for (int i = 0; i < 40; ++i) {
        if (fx <= fy) {
            high = y;
            y = x;
            fy = fx;
            x = high - golden * (high - low);
            fx = f(x);
        } else {
            low = x;
            x = y;
            fx = fy;
            y = low + golden * (high - low);
            fy = f(y);
        }
    }
    const double best = 0.5 * (low + high);
    return f(best) < f(at) ? best : at;
}

// The moments whose way off is like that of most.
std::vector<char> likeMost(const std::vector<double>& off, double spread) {
    std::vector<double> known;
    for (const double one : off)
        if (!std::isnan(one))
            known.push_back(one);
    std::vector<char> counts(off.size(), 1);
    if (known.size() < 4)
        return counts;
    const double usual = middleOf(known);
    std::size_t left = 0;
    for (std::size_t t = 0; t < off.size(); ++t) {
        counts[t] = !std::isnan(off[t]) && off[t] <= 5.0 * usual + 1e-5 * spread;
        left += !counts[t] && !std::isnan(off[t]);
    }
    if (left * 5 > known.size() * 2)
        counts.assign(off.size(), 1);
    return counts;
}

class Fitter {
  public:
    Fitter(const Track& a, const Track& b) : a_(a), b_(b), products_(a, b) {}

    Alignment best() {
        std::vector<char> all(b_.moments(), 1);
        std::vector<std::pair<double, TimeGuess>> tried;
        double least = std::numeric_limits<double>::infinity();
        double most = 0.0;
        for (const TimeGuess& guess : timeGuesses(a_, b_)) {
            const Products::Fit fit = products_.fit(guess.speed, guess.shift, all);
            if (fit.counted == 0 || fit.counted * 2 < std::min(a_.moments(), b_.moments()))
                continue;
            const double score = fit.spread > 0.0 ? fit.square / fit.spread : fit.square;
            tried.emplace_back(score, guess);
            least = std::min(least, score);
            most = std::max(most, score);
        }
        TimeGuess chosen;
        bool any = false;
        const double stepA = usualStepOf(a_.times);
        double away = std::numeric_limits<double>::infinity();
        for (const auto& [score, guess] : tried) {
            if (score > least * 1.05 + kRound * kRound)
                continue;
            // Of those alike: the simpler speed, and then the smaller way in time from the same seconds.
            const double far = guess.rank * 1e6 + std::abs(guess.shift + (guess.speed - 1.0) * b_.times.front());
            if (far < away) {
                away = far;
                chosen = guess;
                any = true;
            }
        }
        if (!any)
            return finish(1.0, 0.0, all, false);
        const bool matters = most > least * 1.05 + kRound * kRound * 4.0;
        std::vector<char> counts = all;
        double speed = chosen.speed;
        double shift = chosen.shift;
        for (int round = 0; round < 2; ++round) {
            if (matters)
                refine(speed, shift, stepA, counts);
            const Alignment made = finish(speed, shift, counts, matters);
            std::vector<char> like = likeMost(made.off, made.spread);
            if (like == counts)
                break;
            counts = std::move(like);
        }
        if (matters)
            refine(speed, shift, stepA, counts);
        return finish(speed, shift, counts, matters);
    }

    Alignment at(double speed, double shift) {
        std::vector<char> counts(b_.moments(), 1);
        const Alignment first = finish(speed, shift, counts, false);
        return finish(speed, shift, likeMost(first.off, first.spread), false);
    }

  private:
    [[nodiscard]] double square(double speed, double shift, const std::vector<char>& counts) const {
        return products_.fit(speed, shift, counts).square;
    }
    // To the least, and from there to known values as far as that costs nothing.
    void refine(double& speed, double& shift, double stepA, const std::vector<char>& counts) const {
        const double middle = 0.5 * (b_.times.front() + b_.times.back());
        const double half = std::max(1e-9, 0.5 * (b_.times.back() - b_.times.front()));
        const double startSpeed = speed;
        const double startShift = shift;
        double s = speed;
        double c = shift + speed * middle; // time of A at the middle of B
        for (int i = 0; i < 3; ++i) {
            c = leastNear(c, stepA, [&](double x) { return square(s, x - s * middle, counts); });
            s = leastNear(s, 0.6 * stepA / half, [&](double x) { return square(x, c - x * middle, counts); });
        }
        const double refined = square(s, c - s * middle, counts);
        const double spread = products_.fit(s, c - s * middle, counts).spread;
        const double allowed = refined * 1.08 + 4.0 * kRound * kRound * spread;
        speed = s;
        shift = c - s * middle;
        std::vector<double> speeds{startSpeed};
        if (const auto known = knownSpeed(s, 2e-3))
            speeds.insert(speeds.begin(), *known);
        for (const double simple : speeds) {
            // With that speed: whole samples, else the best there is.
            const double own =
                leastNear(c - simple * middle, stepA, [&](double x) { return square(simple, x, counts); });
            const double first = simple * b_.times.front() + own - a_.times.front();
            const double whole = a_.times.front() + std::round(first / stepA) * stepA - simple * b_.times.front();
            for (const double candidate : {simple == 1.0 && std::abs(whole) < 1e-6 ? 0.0 : whole, own})
                if (square(simple, candidate, counts) <= allowed) {
                    speed = simple;
                    shift = candidate;
                    return;
                }
        }
        if (square(startSpeed, startShift, counts) <= allowed) {
            speed = startSpeed;
            shift = startShift;
        }
    }
    [[nodiscard]] Alignment finish(double speed, double shift, const std::vector<char>& counts, bool matters) const {
        Alignment made;
        made.speed = speed;
        made.shift = shift;
        made.timeMatters = matters;
        made.counts = counts;
        const Products::Fit fit = products_.fit(speed, shift, counts);
        made.counted = fit.counted;
        made.spread = std::sqrt(fit.spread);
        made.spaceMatters = fit.turns;
        const Similarity free = fit.space;
        const double allowed = fit.square * 1.08 + 4.0 * kRound * kRound * fit.spread;
        Similarity best = free;
        double left = fit.square;
        const auto take = [&](const Similarity& space) {
            const double there = products_.squareOver(speed, shift, space, counts);
            if (!(there <= allowed))
                return false;
            best = space;
            left = there;
            return true;
        };
        // With a size, or a turn, or both, and then without a move: what costs nothing is what is meant.
        const double slack = 1e-4 + 3.0 * (made.spread > 0.0 ? std::sqrt(fit.square) / made.spread : 0.0);
        const Similarity plain = products_.plain(free);
        const auto variants = simpler(plain, slack, fit.turns);
        for (const Similarity& one : variants) {
            Similarity still = one;
            still.move.setZero();
            if (take(products_.centredOf(still)) || take(bestMove(one, speed, shift, counts)))
                break;
        }
        made.space = products_.plain(best);
        for (Eigen::Index i = 0; i < 3; ++i) // a move of nothing is none
            if (std::abs(made.space.move[i]) <= 1e-12 * std::max(1.0, made.spread))
                made.space.move[i] = 0.0;
        made.residual = std::sqrt(std::max(0.0, left));
        for (std::size_t t = 0; t < b_.moments(); ++t)
            made.off.push_back(std::sqrt(products_.squareAt(t, speed, shift, best)));
        return made;
    }
    // A size and a turn that are known instead of those that were found, the plainest first.
    static std::vector<Similarity> simpler(const Similarity& free, double slack, bool turns) {
        std::vector<double> scales;
        if (const auto known = knownSize(free.scale, std::min(0.02, slack)))
            scales.push_back(*known);
        scales.push_back(free.scale);
        std::vector<Eigen::Matrix3d> all;
        const double sign = free.mirrors() ? -1.0 : 1.0;
        const Eigen::Matrix3d turn = sign * free.turn;
        if (!turns)
            all.push_back(Eigen::Matrix3d::Identity());
        for (const Eigen::Matrix3d& known : quarterTurns())
            if ((known - turn).norm() < std::min(0.1, 2.0 * slack))
                all.push_back(known);
        all.push_back(turn);
        std::vector<Similarity> result;
        for (const Eigen::Matrix3d& one : all)
            for (const double scale : scales)
                result.push_back({scale, sign * one, free.move});
        return result;
    }
    // That move with which a size and a turn fit best, of what is centred.
    [[nodiscard]] Similarity bestMove(const Similarity& plain, double speed, double shift,
                                      const std::vector<char>& counts) const {
        Products::Sums all;
        for (std::size_t t = 0; t < b_.moments(); ++t)
            if (counts[t])
                products_.addMoment(t, speed, shift, all);
        Similarity space = plain;
        space.move = (all.meanB - plain.scale * plain.turn * all.meanA) / std::max(1.0, all.count);
        return space;
    }
    const Track& a_;
    const Track& b_;
    Products products_;
};

} // namespace

Track Track::columns(std::span<const std::uint32_t> which) const {
    Track part;
    part.times = times;
    part.xyz.resize(xyz.rows(), static_cast<Eigen::Index>(which.size()));
    for (std::size_t i = 0; i < which.size(); ++i)
        part.xyz.col(static_cast<Eigen::Index>(i)) = xyz.col(static_cast<Eigen::Index>(which[i]));
    return part;
}

Eigen::Matrix3Xd Track::at(double seconds) const {
    const auto above = std::upper_bound(times.begin(), times.end(), seconds);
    const std::size_t below = above == times.begin() ? 0 : static_cast<std::size_t>(above - times.begin()) - 1;
    const auto rows = [&](std::size_t t) { return xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t)); };
    if (below + 1 >= times.size() || seconds <= times[below])
        return rows(below);
    const double w = (seconds - times[below]) / (times[below + 1] - times[below]);
    return (1.0 - w) * rows(below) + w * rows(below + 1);
}

double Similarity::degrees() const {
    const Eigen::Matrix3d own = mirrors() ? Eigen::Matrix3d(-turn) : turn;
    return std::abs(Eigen::AngleAxisd(own).angle()) * 180.0 / std::numbers::pi;
}

Mat4 Similarity::matrix() const {
    Mat4 m;
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            m.at(r, c) = scale * turn(static_cast<Eigen::Index>(c), static_cast<Eigen::Index>(r));
    for (std::size_t c = 0; c < 3; ++c)
        m.at(3, c) = move[static_cast<Eigen::Index>(c)];
    return m;
}

Similarity Similarity::inverse() const {
    Similarity back;
    back.scale = 1.0 / scale;
    back.turn = turn.transpose();
    back.move = -back.scale * (back.turn * move);
    return back;
}

Alignment alignmentOf(const Track& a, const Track& b) {
    return Fitter(a, b).best();
}

Alignment alignmentAt(const Track& a, const Track& b, double speed, double shift) {
    return Fitter(a, b).at(speed, shift);
}

std::optional<double> knownSize(double ratio, double within) {
    static constexpr std::array<double, 9> kUnits{1.0, 10.0, 100.0, 1000.0, 25.4, 2.54, 304.8, 30.48, 12.0};
    static constexpr double kInchInMetres = 39.37007874015748;
    static constexpr double kFootInMetres = 3.280839895013123;
    for (const double known : {kUnits[0], kUnits[1], kUnits[2], kUnits[3], kUnits[4], kUnits[5], kUnits[6], kUnits[7],
                               kUnits[8], kInchInMetres, kFootInMetres})
        for (const double one : {known, 1.0 / known})
            if (std::abs(ratio / one - 1.0) <= within)
                return one;
    return std::nullopt;
}

std::optional<double> knownSpeed(double ratio, double within) {
    std::optional<double> best;
    double gap = within;
    const auto offer = [&](double known) {
        for (const double one : {known, 1.0 / known})
            if (const double far = std::abs(ratio / one - 1.0); far <= gap) {
                gap = far;
                best = one;
            }
    };
    for (const double known : {1.0, 2.0, 3.0, 4.0, 1.5, 25.0 / 24.0, 30.0 / 24.0, 30.0 / 25.0, 60.0 / 24.0, 48.0 / 25.0,
                               1001.0 / 1000.0, 60.0 / 25.0, 25.0 * 1001.0 / 24000.0, 30.0 * 1001.0 / 24000.0})
        offer(known);
    return best;
}

const std::vector<Eigen::Matrix3d>& quarterTurns() {
    static const std::vector<Eigen::Matrix3d> all = [] {
        std::vector<Eigen::Matrix3d> found;
        std::array<int, 3> axes{0, 1, 2};
        do {
            for (int signs = 0; signs < 8; ++signs) {
                Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
                for (int i = 0; i < 3; ++i)
                    m(i, axes[static_cast<std::size_t>(i)]) = (signs >> i) & 1 ? -1.0 : 1.0;
                if (m.determinant() > 0.0)
                    found.push_back(m);
            }
        } while (std::next_permutation(axes.begin(), axes.end()));
        return found;
    }();
    return all;
}

} // namespace wyc
