// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/part_fit.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <unordered_map>

#include "base/middle.h"
#include "match/mesh_graph.h"
#include "match/point_index.h"
#include "time/sampling.h"

namespace wyc {
namespace {

// Whole clouds are kept at these: of large ones fewer.
std::size_t momentsFor(const ShapePair& pair) {
    constexpr std::size_t kMost = 12;
    constexpr std::size_t kPoints = 2'000'000;
    return std::clamp<std::size_t>(kPoints / std::max<std::size_t>(1, pair.a().points() + pair.b().points()), 3, kMost);
}

Eigen::Matrix3Xd rowsAt(const Track& track, std::size_t t) {
    return track.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t));
}

double spreadOfCloud(const Eigen::Matrix3Xd& cloud) {
    return std::sqrt((cloud.colwise() - cloud.rowwise().mean()).colwise().squaredNorm().mean());
}

// How far off what is in its place may be: a part of the spread, and of the way to the next point.
double reachIn(const Eigen::Matrix3Xd& cloud, const PointIndex& index) {
    constexpr std::size_t kTried = 30;
    std::vector<double> ways;
    for (const std::uint32_t p : spreadOver(inTurn(static_cast<std::size_t>(cloud.cols())), kTried))
        if (const auto near = index.nearest(cloud.col(static_cast<Eigen::Index>(p)), 2); near.size() == 2)
            ways.push_back(std::sqrt(near[1].square));
    const double spread = spreadOfCloud(cloud);
    return std::max(1e-5 * spread, std::min(0.02 * spread, ways.empty() ? 0.0 : 0.2 * middleOf(ways)));
}

// A moment at which some points are tried against a cloud, again and again.
struct PlaceToLie {
    PlaceToLie(const Eigen::Matrix3Xd& cloud, Eigen::Matrix3Xd some)
        : index(cloud), reach(reachIn(cloud, index)), tried(std::move(some)) {}
    PointIndex index;
    double reach;
    Eigen::Matrix3Xd tried;
};

// Sizes, turns and mirrors that may be meant, the plainest first.
std::vector<Similarity> plainSpaces(double ratio) {
    std::vector<Eigen::Matrix3d> turns{Eigen::Matrix3d::Identity()};
    for (const Eigen::Matrix3d& turn : quarterTurns())
        if (!turn.isIdentity(1e-12))
            turns.push_back(turn);
    for (int axis = 0; axis < 3; ++axis) {
        Eigen::Matrix3d mirror = Eigen::Matrix3d::Identity();
        mirror(axis, axis) = -1.0;
        turns.push_back(mirror);
    }
    std::vector<Similarity> spaces;
    for (const double size : {1.0, 100.0, 0.01, 10.0, 0.1, 1000.0, 0.001, 2.54, 1.0 / 2.54, 39.37007874015748,
                              1.0 / 39.37007874015748, 3.280839895013123, 1.0 / 3.280839895013123, 12.0, 1.0 / 12.0}) {
        // A part is no larger than the whole, and no small part is looked for.
        constexpr double kSmallest = 0.2;
        if (ratio < kSmallest * size || ratio > size / kSmallest)
            continue;
        for (const Eigen::Matrix3d& turn : turns)
            spaces.push_back({size, turn, Eigen::Vector3d::Zero()});
    }
    return spaces;
}

void countMoments(Alignment& made, const ShapePair& pair, const std::vector<double>& fitting) {
    for (const double t : pair.timesB()) {
        const bool there =
            std::any_of(fitting.begin(), fitting.end(), [&](double x) { return std::abs(x - t) < 1e-9; });
        made.off.push_back(there ? 0.0 : std::numeric_limits<double>::quiet_NaN());
        made.counts.push_back(there);
        made.counted += there;
    }
}

} // namespace

Result<std::optional<Alignment>> plainFit(const ShapePair& pair) {
    constexpr std::size_t kTried = 60;
    const bool fewerInB = pair.b().points() <= pair.a().points();
    const std::vector<double> timesB = someOf(pair.timesB(), momentsFor(pair));
    const std::vector<double>& allA = pair.a().times();
    const std::vector<double>& allB = pair.b().times();
    std::vector<std::pair<double, double>> lines{{1.0, 0.0}}; // speed and shift
    if (pair.timesB().size() == 1) {
        constexpr std::size_t kPoses = 40;
        for (const double t : someOf(allA, kPoses))
            lines.emplace_back(1.0, t - timesB.front());
    } else if (allA.size() > 1) {
        const double same = (allA[1] - allA[0]) / (allB[1] - allB[0]);
        lines.emplace_back(same, allA.front() - same * allB.front());
        lines.emplace_back(-1.0, allA.front() + allB.back());
        lines.emplace_back(-same, allA.front() + same * allB.back());
    }
    for (const auto& [speed, shift] : lines) {
        std::vector<double> ofB;
        std::vector<double> ofA;
        for (const double t : timesB)
            if (const double at = speed * t + shift; liesWithin(at, allA.front(), allA.back())) {
                ofB.push_back(t);
                ofA.push_back(at);
            }
        if (ofB.empty())
            continue;
        WYC_TRY(a, pair.a().read(nullptr, ofA, pair.progress()));
        WYC_TRY(b, pair.b().read(nullptr, ofB, pair.progress()));
        const Track& small = fewerInB ? b : a;
        const Track& large = fewerInB ? a : b;
        const std::vector<std::uint32_t> some = spreadOver(inTurn(small.points()), kTried);
        std::vector<std::optional<PlaceToLie>> places(ofB.size());
        const auto offAt = [&](const Similarity& space, std::size_t t) {
            if (!places[t])
                places[t].emplace(rowsAt(large, t), rowsAt(small.columns(some), t));
            const Similarity way = fewerInB ? space.inverse() : space; // from the small one to the large one
            const double reach = places[t]->reach;
            const Eigen::Matrix3Xd there = way.of(places[t]->tried);
            std::size_t none = 0;
            double sum = 0.0;
            for (Eigen::Index p = 0; p < there.cols(); ++p) {
                const auto near = places[t]->index.nearest(there.col(p), 1);
                if (near.empty() || near[0].square > reach * reach)
                    ++none;
                else
                    sum += near[0].square;
                if (none * 10 > some.size())
                    return std::optional<double>();
            }
            return std::optional(sum / static_cast<double>(some.size()));
        };
        const std::size_t middle = ofB.size() / 2;
        const double ratio = spreadOfCloud(rowsAt(b, middle)) / std::max(1e-300, spreadOfCloud(rowsAt(a, middle)));
        for (const Similarity& space : plainSpaces(ratio)) {
            WYC_CHECK(pair.progress().poll());
            std::vector<std::pair<double, double>> near; // how far off, and when
            for (std::size_t t = 0; t < ofB.size(); ++t) {
                if (const auto off = offAt(space, t))
                    near.emplace_back(*off, ofB[t]);
                if (t >= 3 && near.empty())
                    break;
            }
            if (near.size() * 3 < ofB.size())
                continue;
            // Those moments alone that lie best: others may show another frame.
            const double least = std::min_element(near.begin(), near.end())->first;
            const double spread = spreadOfCloud(rowsAt(large, middle));
            std::vector<double> fitting;
            for (const auto& [off, t] : near)
                if (off <= 9.0 * least + 1e-12 * spread * spread)
                    fitting.push_back(t);
            Alignment made;
            made.space = space;
            made.speed = speed;
            made.shift = shift;
            made.residual = 3.0 * std::sqrt(least);
            countMoments(made, pair, fitting);
            return std::optional(std::move(made));
        }
    }
    return std::optional<Alignment>();
}

Result<std::optional<Alignment>> neighbourhoodFit(const ShapePair& pair) {
    std::optional<Alignment> none;
    std::optional<Alignment> best;
    for (const bool turned : {false, true}) {
        WYC_TRY(graphA, MeshGraph::of(*pair.a().topology(), pair.a().points()));
        WYC_TRY(graphB, MeshGraph::of(*pair.b().topology(), pair.b().points(), turned));
        for (const int rounds : {4, 3, 2}) {
            const auto alone = [&](const MeshGraph& graph) {
                std::unordered_map<std::uint64_t, std::uint32_t> byLook;
                const std::vector<std::uint64_t> colours = graph.colours(rounds);
                for (std::uint32_t p = 0; p < colours.size(); ++p)
                    if (const auto [at, added] = byLook.try_emplace(colours[p], p); !added)
                        at->second = kNone;
                return byLook;
            };
            const auto ofA = alone(graphA);
            const auto ofB = alone(graphB);
            std::vector<PointPair> pairs;
            for (const auto& [look, a] : ofA)
                if (const auto b = ofB.find(look); a != kNone && b != ofB.end() && b->second != kNone)
                    pairs.push_back({a, b->second});
            std::sort(pairs.begin(), pairs.end(), [](const PointPair& x, const PointPair& y) { return x.b < y.b; });
            // At borders of what is gone some look like others by chance.
            constexpr std::size_t kFewest = 8;
            for (int round = 0; round < 4 && pairs.size() >= kFewest; ++round) {
                WYC_CHECK(pair.progress().poll());
                WYC_TRY(fit, pair.align(pairs));
                if (fit.relative() < 1e-3 && fit.spaceMatters && (!best || fit.score < best->score))
                    best = fit;
                WYC_TRY(laid, Laid::of(pair, fit));
                std::vector<double> squares;
                for (const PointPair& one : pairs)
                    squares.push_back(laid.square(one.a, one.b));
                const double limit = 4.0 * middleOf(squares);
                std::vector<PointPair> left;
                for (std::size_t i = 0; i < pairs.size(); ++i)
                    if (squares[i] <= limit)
                        left.push_back(pairs[i]);
                if (left.size() == pairs.size())
                    break;
                pairs = std::move(left);
            }
            if (best)
                break;
        }
        if (best)
            break;
    }
    return best;
}

} // namespace wyc
