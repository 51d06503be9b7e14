// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/cloud_fit.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include <Eigen/Eigenvalues>

#include "match/point_index.h"
#include "time/sampling.h"

namespace wyc {
namespace {

class CloudFit {
  public:
    static Result<std::optional<Alignment>> of(const ShapePair& reader) {
        CloudFit fit(reader);
        return fit.find();
    }

  private:
    explicit CloudFit(const ShapePair& reader) : reader_(reader) {}

    Result<std::optional<Alignment>> find() {
        const auto some = [](const ShapeMotion& motion) { return spreadOver(inTurn(motion.points()), 4096); };
        const std::vector<std::uint32_t> ofA = some(reader_.a());
        const std::vector<std::uint32_t> ofB = some(reader_.b());
        WYC_TRY(a, reader_.a().read(&ofA, someOf(reader_.timesA(), 240), reader_.progress()));
        WYC_TRY(b, reader_.b().read(&ofB, someOf(reader_.timesB(), 240), reader_.progress()));
        std::vector<Try> tries = timesThatFit(a, b);
        std::optional<Try> best;
        for (Try& one : tries) {
            WYC_CHECK(reader_.progress().poll());
            WYC_TRY(laid, settle(one, a, b));
            if (laid.off < (best ? best->off : 0.03))
                best = laid;
        }
        if (!best)
            return std::optional<Alignment>();
        Alignment made;
        made.space = best->space;
        made.speed = best->speed;
        made.shift = best->shift;
        const auto times = reader_.timesB();
        for (const double t : times) {
            const double at = made.timeOfA(t);
            const bool there = liesWithin(at, reader_.a().times().front(), reader_.a().times().back());
            made.off.push_back(there ? 0.0 : std::numeric_limits<double>::quiet_NaN());
            made.counts.push_back(there);
            made.counted += there;
        }
        return std::optional(made);
    }

    struct Try {
        double speed = 1.0;
        double shift = 0.0;
        Similarity space;
        double off = std::numeric_limits<double>::infinity(); // of the spread
        double score = 0.0;
    };
    static Eigen::Vector3d middleAt(const Track& track, std::size_t t) {
        return track.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t)).rowwise().mean();
    }
    static double spreadAt(const Track& track, std::size_t t) {
        const Eigen::Vector3d middle = middleAt(track, t);
        return std::sqrt((track.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t)).colwise() - middle)
                             .colwise()
                             .squaredNorm()
                             .mean());
    }
    // Figures that no order and no turn change: the spread of each moment, and how its middle goes on.
    static std::vector<Eigen::Vector2d> series(const Track& track) {
        std::vector<Eigen::Vector2d> figures;
        for (std::size_t t = 0; t < track.moments(); ++t)
            figures.emplace_back(spreadAt(track, t), (middleAt(track, t) - middleAt(track, 0)).norm());
        return figures;
    }
    static Eigen::Vector2d at(const std::vector<Eigen::Vector2d>& figures, const std::vector<double>& times, double t) {
        const auto above = std::upper_bound(times.begin(), times.end(), t);
        if (above == times.begin())
            return figures.front();
        if (above == times.end())
            return figures.back();
        const auto i = static_cast<std::size_t>(above - times.begin());
        const double w = (t - times[i - 1]) / (times[i] - times[i - 1]);
        return (1.0 - w) * figures[i - 1] + w * figures[i];
    }
    std::vector<Try> timesThatFit(const Track& a, const Track& b) const {
        const auto ofA = series(a);
        const auto ofB = series(b);
        const double stepA = a.times.size() > 1 ? (a.times.back() - a.times.front()) / double(a.times.size() - 1) : 0.0;
        const double stepB = b.times.size() > 1 ? (b.times.back() - b.times.front()) / double(b.times.size() - 1) : 0.0;
        std::vector<Try> tries{{}};
        if (b.times.size() == 1)
            for (const double t : a.times)
                tries.push_back({1.0, t - b.times.front(), {}});
        if (stepA > 0.0 && stepB > 0.0)
            for (const double speed : {1.0, stepA / stepB}) {
                const double countB = (b.times.back() - b.times.front()) * speed / stepA;
                const double need = 0.5 * std::min(double(a.times.size() - 1), countB);
                for (double k = std::ceil(need - countB); k <= double(a.times.size() - 1) - need; k += 1.0)
                    tries.push_back({speed, a.times.front() + k * stepA - speed * b.times.front(), {}});
            }
        for (Try& one : tries) {
            // Size by the sum of spreads; then how unlike they are, and their ways.
            double sa = 0.0;
            double sb = 0.0;
            std::vector<std::pair<Eigen::Vector2d, Eigen::Vector2d>> both;
            for (std::size_t t = 0; t < b.moments(); ++t) {
                const double s = one.speed * b.times[t] + one.shift;
                if (!liesWithin(s, a.times.front(), a.times.back()))
                    continue;
                both.emplace_back(at(ofA, a.times, s), ofB[t]);
                sa += both.back().first[0];
                sb += both.back().second[0];
            }
            if (both.empty() || !(sa > 0.0)) {
                one.score = std::numeric_limits<double>::infinity();
                continue;
            }
            one.space.scale = sb / sa;
            double sum = 0.0;
            for (const auto& [x, y] : both) {
                const double spread = one.space.scale * x[0] - y[0];
                // How far the middle has gone is counted from the first moment that both have.
                const double way = one.space.scale * (x[1] - both.front().first[1]) - (y[1] - both.front().second[1]);
                sum += spread * spread + 0.25 * way * way;
            }
            const double mean = sb / static_cast<double>(both.size());
            one.score = sum / static_cast<double>(both.size()) / std::max(1e-300, mean * mean);
        }
        std::stable_sort(tries.begin(), tries.end(), [](const Try& x, const Try& y) { return x.score < y.score; });
        if (tries.size() > 4)
            tries.resize(4);
        std::erase_if(tries, [](const Try& one) { return !std::isfinite(one.score); });
        return tries;
    }
    static Eigen::Matrix3d axesOf(const Eigen::Matrix3Xd& points) {
        const Eigen::Matrix3Xd centred = points.colwise() - points.rowwise().mean();
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(centred * centred.transpose());
        Eigen::Matrix3d axes = solver.eigenvectors();
        if (axes.determinant() < 0.0)
            axes.col(0) *= -1.0;
        return axes;
    }
    // The best turn for a time: tried on a few points of two moments, then by nearest points.
    Result<Try> settle(const Try& given, const Track& a, const Track& b) const {
        std::vector<std::size_t> moments;
        for (std::size_t t = 0; t < b.moments(); ++t) {
            const double s = given.speed * b.times[t] + given.shift;
            if (liesWithin(s, a.times.front(), a.times.back()))
                moments.push_back(t);
        }
        Try best = given;
        if (moments.empty())
            return best;
        const std::size_t t = moments[moments.size() / 2];
        const Eigen::Matrix3Xd cloudA = a.at(given.speed * b.times[t] + given.shift);
        const Eigen::Matrix3Xd cloudB = b.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t));
        const Eigen::Vector3d middleA = cloudA.rowwise().mean();
        const Eigen::Vector3d middleB = cloudB.rowwise().mean();
        const double spread = spreadAt(b, t);
        if (!(spread > 0.0))
            return best;
        const PointIndex index(cloudB);
        const std::vector<std::uint32_t> some = spreadOver(inTurn(static_cast<std::size_t>(cloudA.cols())), 300);
        const auto offOf = [&](const Similarity& space, std::vector<PointPair>* pairs) {
            double sum = 0.0;
            for (const std::uint32_t i : some) {
                const Eigen::Vector3d there =
                    space.scale * space.turn * cloudA.col(static_cast<Eigen::Index>(i)) + space.move;
                const auto near = index.nearest(there, 1);
                if (near.empty())
                    continue;
                sum += near[0].square;
                if (pairs)
                    pairs->push_back({i, near[0].point});
            }
            return std::sqrt(sum / static_cast<double>(some.size())) / spread;
        };
        std::vector<Eigen::Matrix3d> turns = quarterTurns();
        const Eigen::Matrix3d from = axesOf(cloudA);
        const Eigen::Matrix3d to = axesOf(cloudB);
        for (const Eigen::Vector3d& signs : {Eigen::Vector3d(1, 1, 1), {1, -1, -1}, {-1, 1, -1}, {-1, -1, 1}})
            turns.emplace_back(to * signs.asDiagonal() * from.transpose());
        const std::size_t plain = turns.size();
        for (std::size_t i = 0; i < plain; ++i) // mirrored, too
            turns.emplace_back(-turns[i]);
        std::vector<std::pair<double, Similarity>> tried;
        for (std::size_t i = 0; i < turns.size(); ++i) {
            Similarity space;
            space.scale = given.space.scale;
            space.turn = turns[i];
            space.move = middleB - space.scale * space.turn * middleA;
            tried.emplace_back(offOf(space, nullptr) * (i < plain ? 1.0 : 1.05), space);
        }
        std::stable_sort(tried.begin(), tried.end(), [](const auto& x, const auto& y) { return x.first < y.first; });
        for (std::size_t k = 0; k < std::min<std::size_t>(3, tried.size()); ++k) {
            Similarity space = tried[k].second;
            double off = tried[k].first;
            for (int round = 0; round < 12; ++round) {
                std::vector<PointPair> pairs;
                (void)offOf(space, &pairs);
                Track x{{0.0}, Eigen::MatrixXd(3, static_cast<Eigen::Index>(pairs.size()))};
                Track y = x;
                for (std::size_t i = 0; i < pairs.size(); ++i) {
                    x.xyz.col(static_cast<Eigen::Index>(i)) = cloudA.col(static_cast<Eigen::Index>(pairs[i].a));
                    y.xyz.col(static_cast<Eigen::Index>(i)) = cloudB.col(static_cast<Eigen::Index>(pairs[i].b));
                }
                const Similarity next = alignmentAt(x, y, 1.0, 0.0).space;
                const double now = offOf(next, nullptr);
                if (!(now < off))
                    break;
                off = now;
                space = next;
            }
            if (off < best.off) {
                best.off = off;
                best.space = space;
            }
        }
        return best;
    }
    const ShapePair& reader_;
};

} // namespace

Result<std::optional<Alignment>> cloudFit(const ShapePair& pair) {
    return CloudFit::of(pair);
}

} // namespace wyc
