// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/alignment.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

#include <Eigen/Geometry>
#include <Eigen/LU>

#include "base/middle.h"
#include "match/moment_products.h"
#include "time/sampling.h"

namespace wyc {
namespace {

constexpr double kRound = 5e-7; // of the spread: what single precision leaves of places

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

// Of two explanations the one that claims more has to leave a quarter of what the other leaves.
double scoreOf(double square, double spread, double claims, double floor) {
    const double relative = spread > 0.0 ? std::sqrt(square / spread) : square > 0.0 ? 1.0 : 0.0;
    return claims + std::log(std::max(relative, floor)) / std::log(4.0);
}

struct TimeGuess {
    double speed = 1.0;
    double shift = 0.0;
    double claims = 0.0;
    bool begins = false; // both begin within a few samples
};

// An explanation that is weighed against others.
struct Candidate {
    TimeGuess time;
    Similarity space; // of what is centred
    double square = std::numeric_limits<double>::infinity();
    double spread = 0.0; // squared
    double claims = 0.0;
    double score = std::numeric_limits<double>::infinity();
};

// What turns and mirrors claim: by quarters about an axis less than any.
double claimOf(const Eigen::Matrix3d& known) {
    if (known.isIdentity(1e-12))
        return 0.0;
    const bool mirror = known.determinant() < 0.0;
    const bool diagonal = known.diagonal().cwiseAbs().sum() > 2.5;
    return !mirror || (diagonal && known.trace() > 0.5) ? 1.0 : 2.0;
}

const Eigen::Matrix3d& nearestQuarter(const Eigen::Matrix3d& turn) {
    const std::vector<Eigen::Matrix3d>& all = quarterTurns();
    return *std::max_element(all.begin(), all.end(), [&](const auto& x, const auto& y) {
        return x.cwiseProduct(turn).sum() < y.cwiseProduct(turn).sum();
    });
}

class Fitter {
  public:
    Fitter(const Track& a, const Track& b)
        : a_(a), b_(b), products_(a, b), stepA_(middleStep(a.times)), stepB_(middleStep(b.times)) {
        wayB_ = sharesOfWay(b);
        const MomentProducts::Sums own = ofB();
        spread_ = own.spread();
        const double far = products_.distance() / std::max(1e-300, std::sqrt(spread_));
        floor_ = kRound + 1e-7 * far;
    }

    Alignment best() {
        const std::vector<char> all(b_.moments(), 1);
        guesses_ = timeGuesses();
        std::vector<Candidate> told = explained(all);
        if (told.empty())
            return finish({}, all, {});
        std::vector<char> counts = all;
        if (told.front().score > std::log(4.0 * floor_) / std::log(4.0)) // what is plain and fits needs no other look
            if (auto most = mostThatFit()) {
                std::vector<Candidate> others = explained(*most);
                const auto left = static_cast<double>(std::count(most->begin(), most->end(), 0));
                double claims = left * 10.0 <= static_cast<double>(b_.moments()) ? 0.4 : 0.6;
                // Moments that move are not left out for the sake of those that rest.
                if (!others.empty())
                    claims += 3.0 * std::max(0.0, motionLeftOut(others.front().time, *most) -
                                                      left / static_cast<double>(b_.moments()));
                if (!others.empty() && others.front().score + claims < told.front().score) {
                    told = std::move(others);
                    counts = std::move(*most);
                }
            }
        return finish(told, counts, alternatives(told));
    }

    double roughScore() {
        guesses_ = timeGuesses();
        finely_ = false;
        const std::vector<Candidate> told = explained(std::vector<char>(b_.moments(), 1));
        return told.empty() ? std::numeric_limits<double>::infinity() : told.front().score;
    }

    Alignment at(double speed, double shift) {
        const std::vector<char> all(b_.moments(), 1);
        guesses_ = {{speed, shift, 0.0}};
        std::vector<Candidate> told = explained(all);
        if (told.empty())
            return finish({}, all, {});
        const std::vector<char> like = likeMost(finish(told, all, {}).off, std::sqrt(spread_));
        if (like != all)
            if (std::vector<Candidate> others = explained(like); !others.empty())
                return finish(others, like, {});
        return finish(told, all, {});
    }

  private:
    // How much more of B's way lies where A has nothing than of its moments: a time at which only what rests is
    // compared explains nothing.
    [[nodiscard]] double motionBeyond(double speed, double shift) const {
        double out = 0.0;
        double beyond = 0.0;
        for (std::size_t t = 0; t < b_.moments(); ++t) {
            const double own = speed * b_.times[t] + shift;
            if (!liesWithin(own, a_.times.front(), a_.times.back())) {
                out += wayB_[t];
                beyond += 1.0;
            }
        }
        return std::max(0.0, out - beyond / static_cast<double>(b_.moments()));
    }
    // Of each moment of B its share of the way; what leaps goes no farther than a few usual steps.
    [[nodiscard]] static std::vector<double> sharesOfWay(const Track& track) {
        const std::size_t n = track.moments();
        std::vector<double> way(n, 0.0);
        std::vector<double> moving;
        for (std::size_t t = 1; t < n; ++t) {
            const auto row = static_cast<Eigen::Index>(3 * t);
            way[t] = std::sqrt(
                (track.xyz.middleRows<3>(row) - track.xyz.middleRows<3>(row - 3)).colwise().squaredNorm().mean());
            if (way[t] > 0.0)
                moving.push_back(way[t]);
        }
        const double most = moving.empty() ? 0.0 : 4.0 * middleOf(moving);
        double all = 0.0;
        for (double& one : way)
            all += one = std::min(one, most);
        for (double& one : way)
            one = all > 0.0 ? one / all : 0.0;
        return way;
    }
    // The share of A's way, over the moments of B, that those have that do not count.
    [[nodiscard]] double motionLeftOut(const TimeGuess& time, const std::vector<char>& counts) const {
        double out = 0.0;
        double all = 0.0;
        for (std::size_t t = 0; t < b_.moments(); ++t) {
            const double own = time.speed * b_.times[t] + time.shift;
            const auto above = std::upper_bound(a_.times.begin(), a_.times.end(), own + momentMargin(own));
            if (above == a_.times.begin() || own > a_.times.back() + momentMargin(own))
                continue;
            const auto row = 3 * std::min<Eigen::Index>(above - a_.times.begin() - 1, a_.xyz.rows() / 3 - 2);
            if (row < 0)
                continue;
            const double step =
                std::sqrt((a_.xyz.middleRows<3>(row + 3) - a_.xyz.middleRows<3>(row)).colwise().squaredNorm().mean());
            all += step;
            out += counts[t] ? 0.0 : step;
        }
        return all > 0.0 ? out / all : 0.0;
    }
    [[nodiscard]] MomentProducts::Sums ofB() const {
        MomentProducts::Sums sums;
        for (std::size_t t = 0; t < b_.moments(); ++t)
            products_.add(t, 0.0, a_.times.front(), sums);
        sums.divide();
        return sums;
    }

    // Times of A that B's may be, and what each claims besides where they begin and end.
    [[nodiscard]] std::vector<TimeGuess> timeGuesses() const {
        if (a_.moments() == 1) // one pose: at any time
            return {{0.0, a_.times.front(), 0.0, true}};
        std::vector<TimeGuess> guesses{{1.0, 0.0, 0.0, true}};
        if (b_.moments() == 1) { // one pose: any of A's
            for (const double t : a_.times)
                guesses.push_back({1.0, t - b_.times.front(), 0.25});
            return guesses;
        }
        if (!(stepA_ > 0.0) || !(stepB_ > 0.0))
            return guesses;
        std::vector<std::pair<double, double>> speeds{{1.0, 0.0}};
        const double same = stepA_ / stepB_; // sample by sample
        const auto offer = [&](double speed, double claims) {
            if (std::none_of(speeds.begin(), speeds.end(),
                             [&](const auto& had) { return std::abs(had.first / speed - 1.0) < 1e-6; }))
                speeds.emplace_back(speed, claims);
        };
        offer(same, 1.0);
        const double spanB = b_.times.back() - b_.times.front();
        for (const double known :
             {0.5, 2.0, 24.0 / 25.0, 25.0 / 24.0, 24.0 / 30.0, 30.0 / 24.0, 25.0 / 30.0, 30.0 / 25.0, 1.0 / 3.0, 3.0,
              2.0 / 3.0, 1.5, 0.25, 4.0, 1000.0 / 1001.0, 1001.0 / 1000.0}) {
            offer(known, 1.5);
            offer(known * same, 2.0);
        }
        offer((a_.times.back() - a_.times.front()) / spanB, 2.0);
        const std::size_t forward = speeds.size();
        for (std::size_t i = 0; i < std::min<std::size_t>(2, forward); ++i)
            speeds.emplace_back(-speeds[i].first, speeds[i].second + 1.0);
        const auto countA = static_cast<double>(a_.moments());
        for (const auto& [speed, claims] : speeds) {
            // B's earliest moment at each sample of A, as long as half of the shorter one is over the other; of what
            // is faster or slower half of A, too.
            const double countB = spanB * std::abs(speed) / stepA_;
            const double need = 0.5 * (speed == 1.0 ? std::min(countA - 1.0, countB) : countA - 1.0);
            const double first = speed > 0.0 ? b_.times.front() : b_.times.back();
            for (double k = std::ceil(need - countB); k <= countA - 1.0 - need; k += 1.0)
                guesses.push_back({speed, a_.times.front() + k * stepA_ - speed * first, claims + shiftClaims(speed, k),
                                   std::abs(k) < 2.5});
        }
        return guesses;
    }
    // Where B's earliest moment is A's k-th, what does that claim?
    [[nodiscard]] double shiftClaims(double speed, double k) const {
        const double seconds =
            speed > 0.0 ? speed * b_.times.front() : a_.times.front() + a_.times.back() + speed * b_.times.back();
        if (std::abs(k - (seconds - a_.times.front()) / stepA_) < 1e-3) // counted from the same second on
            return 0.0;
        const double plain = (b_.times.front() - a_.times.front()) / stepA_;
        if (speed != 1.0 && (std::abs(k) < 1e-3 || std::abs(k - plain) < 1e-3)) // from the first frame on
            return 0.25;
        return 1.0;
    }
    // Ends that the two do not have in common.
    [[nodiscard]] double endsClaims(double speed, double shift) const {
        if (b_.moments() < 2 || a_.moments() < 2)
            return 0.0;
        double low = speed * b_.times.front() + shift;
        double high = speed * b_.times.back() + shift;
        if (low > high)
            std::swap(low, high);
        return 0.25 * (std::abs(low - a_.times.front()) > 0.5 * stepA_) +
               0.25 * (std::abs(high - a_.times.back()) > 0.5 * stepA_);
    }

    // Explanations by the moments that count, the best first; all that come near it.
    [[nodiscard]] std::vector<Candidate> explained(const std::vector<char>& counts) const {
        struct Tried {
            double relative; // squared
            double move;
            const TimeGuess* guess;
        };
        std::vector<std::pair<double, const TimeGuess*>> bounds;
        double least = std::numeric_limits<double>::infinity();
        for (const TimeGuess& guess : guesses_) {
            const MomentProducts::Sums mean = products_.over(guess.speed, guess.shift, counts);
            if (!(mean.count > 0.0) || (guess.claims > 0.0 && !areEnough(mean.count, counts)) ||
                (guesses_.size() > 1 && mean.count * 2.0 < sharedAtMost(counts)))
                continue;
            bounds.emplace_back(MomentProducts::roughly(mean), &guess);
            least = std::min(least, bounds.back().first);
        }
        // What is rough says only what need not be looked at.
        const double rough = std::max(4.0 * least, 1e-3);
        std::vector<Tried> tried;
        least = std::numeric_limits<double>::infinity();
        for (const auto& [bound, guess] : bounds) {
            if (bound > rough && guess->claims > 0.0)
                continue;
            const MomentProducts::Sums mean = products_.over(guess->speed, guess->shift, counts);
            const MomentProducts::Fit fit = products_.fit(mean);
            const double relative = mean.spread() > 0.0 ? fit.square / mean.spread() : fit.square;
            tried.push_back({relative, products_.plain(fit.space).move.norm(), guess});
            least = std::min(least, relative);
        }
        // Of those that fit as well the plainest, and those that move nothing; of the others the best.
        constexpr std::size_t kMostWeighed = 32;
        const double alike = 2.25 * least + 16.0 * floor_ * floor_;
        std::vector<const TimeGuess*> weighed;
        const auto take = [&](auto&& rank) {
            std::stable_sort(tried.begin(), tried.end(),
                             [&](const Tried& x, const Tried& y) { return rank(x) < rank(y); });
            for (std::size_t i = 0; i < std::min(kMostWeighed, tried.size()); ++i)
                weighed.push_back(tried[i].guess);
        };
        take([&](const Tried& one) {
            return one.relative <= alike ? std::pair(one.guess->claims, std::abs(one.guess->shift))
                                         : std::pair(100.0, one.relative);
        });
        take([&](const Tried& one) {
            return one.relative <= alike ? one.move : std::numeric_limits<double>::infinity();
        });
        for (const Tried& one : tried)
            if (one.guess->claims == 0.0)
                weighed.push_back(one.guess);
        std::sort(weighed.begin(), weighed.end());
        weighed.erase(std::unique(weighed.begin(), weighed.end()), weighed.end());
        std::vector<Candidate> told;
        for (const TimeGuess* guess : weighed)
            weigh(*guess, counts, told);
        if (told.empty())
            return told;
        sortByScore(told);
        if (finely_ && guesses_.size() > 1 && b_.moments() > 1 && stepA_ > 0.0) {
            refined(told.front(), counts, told);
            sortByScore(told);
        }
        const double near = told.front().score + 4.0;
        std::erase_if(told, [&](const Candidate& one) { return one.score > near; });
        return told;
    }
    [[nodiscard]] double sharedAtMost(const std::vector<char>& counts) const {
        return std::min(static_cast<double>(a_.moments()),
                        static_cast<double>(std::count(counts.begin(), counts.end(), 1)));
    }
    // One moment alone fits at some time, whatever it shows.
    [[nodiscard]] bool areEnough(double shared, const std::vector<char>& counts) const {
        const double most = sharedAtMost(counts);
        return shared * 2.0 >= most && (shared > 1.0 || most <= 1.0);
    }
    // What lies beyond A's ends by a part of a sample is off from A's end pose by no more than A moves meanwhile; else
    // that time is claimed to be rid of it.
    [[nodiscard]] bool hidesAMoment(double speed, double shift, const std::vector<char>& counts) const {
        if (a_.moments() < 2)
            return false;
        const MomentProducts::Fit fit = products_.fit(products_.over(speed, shift, counts));
        for (std::size_t t = 0; t < b_.moments(); ++t) {
            const double at = speed * b_.times[t] + shift;
            const bool early = at < a_.times.front();
            const double end = early ? a_.times.front() : a_.times.back();
            const double part = std::abs(at - end) / stepA_;
            if (!counts[t] || liesWithin(at, a_.times.front(), a_.times.back()) || part >= 1.0)
                continue;
            const double way = products_.stepOfA(early ? 0 : a_.moments() - 2) * fit.space.scale * fit.space.scale;
            if (products_.squareAt(t, speed, shift + end - at, fit.space) > 4.0 * part * way + 25.0 * fit.square)
                return true;
        }
        return false;
    }
    static void sortByScore(std::vector<Candidate>& told) {
        std::stable_sort(told.begin(), told.end(),
                         [](const Candidate& x, const Candidate& y) { return x.score < y.score; });
    }

    // All sizes, turns and moves that may be meant, for one time.
    void weigh(const TimeGuess& time, const std::vector<char>& counts, std::vector<Candidate>& into) const {
        const MomentProducts::Sums mean = products_.over(time.speed, time.shift, counts);
        const double spread = mean.spread();
        const double timeClaims =
            time.claims + endsClaims(time.speed, time.shift) + 3.0 * motionBeyond(time.speed, time.shift);
        const double little = 1e-6 * std::abs(time.shift) / std::max(1e-9, stepA_); // of those alike the nearest
        std::vector<Candidate> own;
        const auto offer = [&](const Similarity& space, double claims) {
            Candidate one{time, space, mean.square(space), spread, timeClaims + claims, 0.0};
            one.score =
                scoreOf(one.square, spread_ > 0.0 ? spread_ : spread, one.claims, floor_) + std::min(0.01, little);
            own.push_back(one);
        };
        const auto withSizes = [&](const Eigen::Matrix3d& turn, double claims, bool moves) {
            const double size = products_.sizeFor(mean, turn, moves);
            const auto as = [&](double scale, double more) {
                Similarity space{scale, turn, Eigen::Vector3d::Zero()};
                if (moves)
                    space.move = MomentProducts::moveFor(mean, scale, turn);
                else
                    space = products_.centredOf(space);
                offer(space, claims + more);
            };
            as(1.0, 0.0);
            if (!(spread > 0.0))
                return;
            if (const auto known = knownSize(size, 0.02); known && *known != 1.0)
                as(*known, 1.0);
            as(size, 1.5);
        };
        withSizes(Eigen::Matrix3d::Identity(), 0.0, false);
        withSizes(Eigen::Matrix3d::Identity(), 1.0, true);
        if (products_.fit(mean).turns)
            for (const auto sides : {MomentProducts::Sides::Turned, MomentProducts::Sides::Mirrored})
                for (const bool moves : {false, true}) {
                    const MomentProducts::Fit fit =
                        moves ? products_.fit(mean, sides) : products_.fitAboutOrigin(mean, sides);
                    const double sign = sides == MomentProducts::Sides::Mirrored ? -1.0 : 1.0;
                    const Eigen::Matrix3d known = sign * nearestQuarter(sign * fit.space.turn);
                    if (!known.isIdentity(1e-12))
                        withSizes(known, claimOf(known) + (moves ? 1.0 : 0.0), moves);
                    withSizes(fit.space.turn, sign > 0.0 ? 1.25 : 2.25, moves);
                }
        // What another of the same time explains with less is none of its own.
        sortByScore(own);
        const double near = own.front().score + 1.0;
        for (const Candidate& one : own)
            if (one.score <= near)
                into.push_back(one);
    }

    // Parts of a sample, and speeds that nobody knows.
    void refined(const Candidate& from, const std::vector<char>& counts, std::vector<Candidate>& into) const {
        const double middle = 0.5 * (b_.times.front() + b_.times.back());
        const double half = std::max(1e-9, 0.5 * (b_.times.back() - b_.times.front()));
        const auto square = [&](double speed, double shift) {
            const MomentProducts::Sums mean = products_.over(speed, shift, counts);
            return areEnough(mean.count, counts) ? products_.fit(mean).square : std::numeric_limits<double>::infinity();
        };
        double s = from.time.speed;
        double c = from.time.shift + s * middle; // time of A at the middle of B
        std::vector<std::pair<double, double>> times;
        if (from.square > 16.0 * floor_ * floor_ * from.spread) {
            for (int i = 0; i < 3; ++i) {
                c = leastNear(c, stepA_, [&](double x) { return square(s, x - s * middle); });
                s = leastNear(s, 0.6 * stepA_ / half, [&](double x) { return square(x, c - x * middle); });
            }
            times.emplace_back(s, c - s * middle);
            std::vector<double> speeds{from.time.speed};
            if (const auto known = knownSpeed(std::abs(s), 2e-3))
                speeds.push_back(std::copysign(*known, s));
            for (const double simple : speeds) {
                const double own = leastNear(c, stepA_, [&](double x) { return square(simple, x - simple * middle); });
                times.emplace_back(simple, own - simple * middle);
            }
        }
        // Where nothing is moved: what fits everywhere with a move may fit at one time without.
        Similarity still = products_.plain(from.space);
        still.move.setZero();
        const Similarity there = products_.centredOf(still);
        const double simple = from.time.speed;
        const double own = leastNear(from.time.shift, 3.0 * stepA_, [&](double shift) {
            const MomentProducts::Sums mean = products_.over(simple, shift, counts);
            return areEnough(mean.count, counts) ? mean.square(there) : std::numeric_limits<double>::infinity();
        });
        times.emplace_back(simple, own);
        for (const auto& [speed, shift] : times) {
            if (!areEnough(products_.over(speed, shift, counts).count, counts) || hidesAMoment(speed, shift, counts))
                continue;
            const double first = std::min(speed * b_.times.front() + shift, speed * b_.times.back() + shift);
            const double k = (first - a_.times.front()) / stepA_;
            double claims = speed < 0.0 ? 1.0 : 0.0;
            const double plain = std::abs(speed);
            if (std::abs(plain - 1.0) > 1e-9)
                claims += knownSpeed(plain, 1e-9) ? 1.5 : 2.0;
            const bool isWhole = std::abs(k - std::round(k)) < 1e-3;
            weigh({speed, isWhole ? shift + (std::round(k) - k) * stepA_ : shift,
                   claims + shiftClaims(speed, k) + (isWhole ? 0.0 : 0.5)},
                  counts, into);
        }
    }

    // The moments that fit together where a few do not, or where a stretch is shown earlier or later.
    [[nodiscard]] std::optional<std::vector<char>> mostThatFit() const {
        const std::size_t n = b_.moments();
        if (n < 8 || !(spread_ > 0.0))
            return std::nullopt;
        std::vector<std::pair<double, const TimeGuess*>> tried;
        const std::vector<char> every(n, 1);
        for (const TimeGuess& guess : guesses_) {
            if (guess.speed != 1.0 && guess.claims > 2.5)
                continue;
            const MomentProducts::Sums mean = products_.over(guess.speed, guess.shift, every);
            if (mean.count * 2.0 >= std::min(static_cast<double>(a_.moments()), static_cast<double>(n)))
                tried.emplace_back(products_.fit(mean).square + (guess.claims == 0.0 ? 0.0 : 1e-12), &guess);
        }
        std::stable_sort(tried.begin(), tried.end(), [](const auto& x, const auto& y) { return x.first < y.first; });
        constexpr std::size_t kMostTried = 8;
        if (tried.size() > kMostTried)
            tried.resize(kMostTried);
        for (const TimeGuess& guess : guesses_) // and those that begin together
            if (guess.begins && guess.claims < 2.6)
                if (const MomentProducts::Sums mean = products_.over(guess.speed, guess.shift, every); mean.count > 0.0)
                    tried.emplace_back(products_.fit(mean).square, &guess);
        std::optional<std::vector<char>> best;
        double score = std::numeric_limits<double>::infinity();
        for (const auto& [all, guess] : tried)
            for (const double share : {0.5, 0.35})
                for (int start = 0; start < 4; ++start) {
                    const auto [mask, square] = trimmed(*guess, share, start);
                    const auto count = static_cast<std::size_t>(std::count(mask.begin(), mask.end(), 1));
                    // Of few left out half of what is off is enough, of many it has to be far less.
                    if (!(square <= (count * 4 < n * 3 ? 0.08 : 0.25) * all))
                        continue;
                    // The plainest; and of those as plain the one that most moments are with.
                    std::vector<Candidate> told;
                    weigh(*guess, mask, told);
                    sortByScore(told);
                    const double own = told.front().score - static_cast<double>(count) / static_cast<double>(n);
                    if (own < score - 1e-9 && (count * 2 >= n || posesAreIn(*guess, mask, square))) {
                        score = own;
                        best = mask;
                    }
                }
        return best;
    }
    // From one stretch to the share of all moments that fits best together, and what fits as they do.
    [[nodiscard]] std::pair<std::vector<char>, double> trimmed(const TimeGuess& guess, double share, int start) const {
        const std::size_t n = b_.moments();
        const std::size_t few =
            std::max<std::size_t>(5, static_cast<std::size_t>(std::ceil(share * static_cast<double>(n))));
        std::vector<char> mask(n, start == 0);
        if (start > 0)
            for (std::size_t t = 0; t < n; ++t)
                mask[t] = t * 3 / n == static_cast<std::size_t>(start - 1);
        double square = std::numeric_limits<double>::infinity();
        std::vector<std::pair<double, std::size_t>> off;
        for (int round = 0; round < 5; ++round) {
            const MomentProducts::Sums mean = products_.over(guess.speed, guess.shift, mask);
            if (mean.count < 3.0)
                return {mask, std::numeric_limits<double>::infinity()};
            const Similarity space = products_.fit(mean).space;
            off.clear();
            for (std::size_t t = 0; t < n; ++t)
                if (const double one = products_.squareAt(t, guess.speed, guess.shift, space); !std::isnan(one))
                    off.emplace_back(one, t);
            if (off.size() < few)
                return {mask, std::numeric_limits<double>::infinity()};
            std::sort(off.begin(), off.end());
            std::vector<char> next(n, 0);
            double sum = 0.0;
            for (std::size_t k = 0; k < few; ++k) {
                next[off[k].second] = 1;
                sum += off[k].first;
            }
            square = sum / static_cast<double>(few);
            if (next == mask)
                break;
            mask = std::move(next);
        }
        const double limit = std::max(16.0 * square, 64.0 * floor_ * floor_ * spread_);
        std::size_t out = 0;
        std::size_t beside = 0;
        for (const auto& [one, t] : off) {
            mask[t] = one <= limit;
            out += one > limit;
            beside += one > limit && one <= 9.0 * limit;
        }
        // What is off by more and more is a motion of its own, and no matter of moments.
        if (beside * 4 > out + 4)
            square = std::numeric_limits<double>::infinity();
        return {mask, square};
    }
    // Whether nearly all moments show some pose of A.
    [[nodiscard]] bool posesAreIn(const TimeGuess& guess, const std::vector<char>& mask, double square) const {
        const Similarity space = products_.fit(products_.over(guess.speed, guess.shift, mask)).space;
        const double limit = std::max(16.0 * square, 64.0 * floor_ * floor_ * spread_);
        std::size_t in = 0;
        for (std::size_t t = 0; t < b_.moments(); ++t) {
            bool any = false;
            for (std::size_t s = 0; s < a_.moments() && !any; ++s)
                any = products_.squareAt(t, 0.0, a_.times[s], space) <= limit;
            in += any;
        }
        return in * 20 >= b_.moments() * 17;
    }

    // What explains as much and claims hardly more.
    [[nodiscard]] std::vector<Candidate> alternatives(const std::vector<Candidate>& told) const {
        constexpr double kHardlyMore = 0.8;
        const Candidate& best = told.front();
        std::vector<Candidate> others;
        const auto differs = [&](const Candidate& x, const Candidate& y) {
            // Parts of a sample and little turns are the same thing said otherwise.
            const double middle = 0.5 * (b_.times.front() + b_.times.back());
            const double time = (x.time.speed - y.time.speed) * middle + x.time.shift - y.time.shift;
            if (std::abs(x.time.speed - y.time.speed) > 0.02 || std::abs(time) > 0.6 * stepA_)
                return true;
            const double size = std::max(1e-300, std::sqrt(spread_));
            const double little = std::max(1e-3, 5.0 * std::sqrt(best.square / std::max(1e-300, best.spread)));
            return std::abs(x.space.scale / y.space.scale - 1.0) > little ||
                   (x.space.turn - y.space.turn).norm() > 2.0 * little ||
                   (x.space.move - y.space.move).norm() > 2.0 * little * size;
        };
        const double alike = 2.25 * best.square + 16.0 * floor_ * floor_ * best.spread;
        for (const Candidate& one : told)
            if (one.score <= best.score + kHardlyMore && one.square <= alike && differs(one, best) &&
                std::all_of(others.begin(), others.end(), [&](const Candidate& had) { return differs(one, had); }))
                others.push_back(one);
        constexpr std::size_t kMost = 3;
        if (others.size() > kMost)
            others.resize(kMost);
        return others;
    }

    [[nodiscard]] Alignment finish(const std::vector<Candidate>& told, const std::vector<char>& counts,
                                   const std::vector<Candidate>& others) const {
        const Candidate best = told.empty() ? Candidate{} : told.front();
        Alignment made = finished(best, counts);
        for (const Candidate& one : others)
            made.instead.push_back(finished(one, counts));
        return made;
    }
    [[nodiscard]] Alignment finished(const Candidate& one, const std::vector<char>& counts) const {
        Alignment made;
        made.speed = one.time.speed;
        made.shift = one.time.shift;
        made.counts = counts;
        made.claims = one.claims;
        made.score = one.score;
        const MomentProducts::Sums mean = products_.over(made.speed, made.shift, counts);
        made.counted = static_cast<std::size_t>(mean.count);
        made.spread = std::sqrt(mean.spread());
        made.spaceMatters = products_.fit(mean).turns;
        made.residual = mean.count > 0.0 ? std::sqrt(mean.square(one.space)) : 0.0;
        made.space = products_.plain(one.space);
        for (Eigen::Index i = 0; i < 3; ++i) // a move of nothing is none
            if (std::abs(made.space.move[i]) <= 1e-12 * std::max(1.0, made.spread))
                made.space.move[i] = 0.0;
        for (std::size_t t = 0; t < b_.moments(); ++t)
            made.off.push_back(std::sqrt(products_.squareAt(t, made.speed, made.shift, one.space)));
        // At another time it would fit worse.
        const double allowed = 1.2 * made.residual * made.residual + 16.0 * floor_ * floor_ * mean.spread();
        for (const double by : {-1.0, 1.0}) {
            const MomentProducts::Sums beside = products_.over(made.speed, made.shift + by * stepA_, counts);
            if (beside.count > 0.0 && beside.square(one.space) > allowed)
                made.timeMatters = true;
        }
        return made;
    }

    const Track& a_;
    const Track& b_;
    MomentProducts products_;
    double stepA_;
    double stepB_;
    double spread_ = 0.0; // of B at all of its moments, squared
    double floor_ = kRound;
    std::vector<double> wayB_;
    std::vector<TimeGuess> guesses_;
    bool finely_ = true; // parts of a sample too
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

bool Similarity::mirrors() const {
    return turn.determinant() < 0.0;
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

double roughScoreOf(const Track& a, const Track& b) {
    return Fitter(a, b).roughScore();
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
