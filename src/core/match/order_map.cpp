// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/order_map.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "match/cloud_fit.h"
#include "match/face_match.h"
#include "match/part_fit.h"
#include "match/point_index.h"
#include "match/shape_pair.h"

namespace wyc {
namespace {

constexpr double kSameOrder = 0.02; // of the spread, that points in their old order may be off
constexpr double kExact = 0.005;    // and what is as it was
constexpr double kFits = 0.05;      // and those of a fit that is believed

// Puts pairs of points together into an order map.
class Builder {
  public:
    Builder(std::size_t pointsA, std::size_t pointsB) {
        map_.aOfB.assign(pointsB, kNone);
        map_.bOfA.assign(pointsA, kNone);
    }
    void pair(std::uint32_t a, std::uint32_t b, bool sure = true) {
        map_.aOfB[b] = a;
        if (map_.bOfA[a] == kNone)
            map_.bOfA[a] = b;
        if (!sure)
            map_.unsure.push_back(b);
    }
    [[nodiscard]] std::size_t size() const { return map_.bOfA.size(); }
    [[nodiscard]] bool has(std::uint32_t b) const { return map_.aOfB[b] != kNone; }
    [[nodiscard]] bool taken(std::uint32_t a) const { return map_.bOfA[a] != kNone; }
    [[nodiscard]] std::vector<PointPair> pairs() const {
        std::vector<PointPair> pairs;
        for (std::uint32_t b = 0; b < map_.aOfB.size(); ++b)
            if (map_.aOfB[b] != kNone)
                pairs.push_back({map_.aOfB[b], b});
        return pairs;
    }
    /// Points that stand for one another take part with it: those of B name A's, those of A name B's.
    [[nodiscard]] OrderMap finish(const std::vector<std::uint32_t>& standInA,
                                  const std::vector<std::uint32_t>& standInB, OrderMap::By by) {
        if (!standInB.empty())
            for (std::uint32_t b = 0; b < standInB.size(); ++b)
                if (standInB[b] != b && map_.aOfB[standInB[b]] != kNone && map_.aOfB[b] == kNone)
                    map_.aOfB[b] = map_.aOfB[standInB[b]];
        if (!standInA.empty())
            spreadOverTwins(standInA);
        std::vector<std::uint32_t> users(map_.bOfA.size(), 0);
        for (const std::uint32_t a : map_.aOfB)
            if (a != kNone && users[a]++ > 0)
                ++map_.split;
        for (std::uint32_t a = 0; a < map_.bOfA.size(); ++a)
            map_.welded += map_.bOfA[a] != kNone && users[a] == 0;
        std::sort(map_.unsure.begin(), map_.unsure.end());
        map_.unsure.erase(std::unique(map_.unsure.begin(), map_.unsure.end()), map_.unsure.end());
        map_.by = by;
        return std::move(map_);
    }

  private:
    // Where A has several points in one place, and B several for them, each gets one of its own.
    void spreadOverTwins(const std::vector<std::uint32_t>& standInA) {
        std::map<std::uint32_t, std::vector<std::uint32_t>> twins;
        for (std::uint32_t a = 0; a < standInA.size(); ++a)
            if (standInA[a] != a)
                twins[standInA[a]].push_back(a);
        std::map<std::uint32_t, std::vector<std::uint32_t>> users;
        for (std::uint32_t b = 0; b < map_.aOfB.size(); ++b)
            if (map_.aOfB[b] != kNone && twins.contains(map_.aOfB[b]))
                users[map_.aOfB[b]].push_back(b);
        for (const auto& [first, others] : twins) {
            std::vector<std::uint32_t> own{first};
            own.insert(own.end(), others.begin(), others.end());
            const auto& their = users[first];
            for (std::size_t k = 0; k < own.size(); ++k) {
                if (their.empty())
                    break;
                const std::uint32_t b = their[std::min(k, their.size() - 1)];
                map_.bOfA[own[k]] = b;
                if (k < their.size())
                    map_.aOfB[b] = own[k];
                if (their.size() > 1 && own.size() > 1)
                    map_.unsure.push_back(b);
            }
        }
    }
    OrderMap map_;
};

// Lays a part over another in one of its ways.
void take(Builder& builder, const FaceMatch& match, std::size_t partA, const PartWay& way,
          const std::vector<std::uint32_t>* unsure) {
    const auto points = match.a->pointsOf(partA);
    for (std::size_t i = 0; i < points.size(); ++i)
        builder.pair(points[i], way[i], !unsure || !std::binary_search(unsure->begin(), unsure->end(), way[i]));
}

std::vector<std::uint32_t> allOf(const PartWay& way) {
    std::vector<std::uint32_t> points = way;
    std::sort(points.begin(), points.end());
    return points;
}

// Points of B that ways which fit as well as the best put elsewhere.
std::vector<std::uint32_t> differing(const PartMatch& part, std::size_t best, const std::vector<std::size_t>& alike) {
    std::vector<std::uint32_t> points;
    for (std::size_t i = 0; i < part.ways[best].size(); ++i)
        if (std::any_of(alike.begin(), alike.end(),
                        [&](std::size_t k) { return part.ways[k][i] != part.ways[best][i]; }))
            points.push_back(part.ways[best][i]);
    std::sort(points.begin(), points.end());
    return points;
}

// How far off each way of a part is, by some of its points.
std::vector<double> waysOff(const Laid& laid, const FaceMatch& match, std::size_t partA,
                            const std::vector<PartWay>& ways) {
    const auto points = match.a->pointsOf(partA);
    const std::vector<std::uint32_t> some = spreadOver(inTurn(points.size()), 128);
    std::vector<double> off;
    for (const PartWay& way : ways) {
        double sum = 0.0;
        for (const std::uint32_t i : some)
            sum += laid.square(points[i], way[i]);
        off.push_back(sum / static_cast<double>(some.size()));
    }
    return off;
}

// Of a part that has more ways than were tried: those that bring a point of it to where it lies.
Result<std::vector<PartWay>> waysByPlace(PartWalker& walker, const Laid& laid, const FaceMatch& match,
                                         std::size_t partA, std::size_t partB, const Progress& progress) {
    constexpr std::size_t kNear = 6;
    const std::uint32_t seed = walker.seedOf(partA);
    std::vector<std::pair<double, std::uint32_t>> near;
    for (const std::uint32_t b : match.b->pointsOf(partB))
        near.emplace_back(laid.square(seed, b), b);
    const auto end = near.begin() + static_cast<std::ptrdiff_t>(std::min(kNear, near.size()));
    std::partial_sort(near.begin(), end, near.end());
    std::vector<std::uint32_t> points;
    for (auto at = near.begin(); at != end; ++at)
        points.push_back(at->second);
    return walker.waysTo(partA, points, progress);
}

struct Choice {
    std::size_t best = 0;
    std::vector<std::size_t> alike; // others that fit as well
};
Choice chosen(const std::vector<double>& off, double floor) {
    Choice choice;
    for (std::size_t k = 1; k < off.size(); ++k)
        if (off[k] < off[choice.best])
            choice.best = k;
    for (std::size_t k = 0; k < off.size(); ++k)
        if (k != choice.best && off[k] <= 9.0 * off[choice.best] + floor)
            choice.alike.push_back(k);
    return choice;
}

// Points that nothing else has paired, by their places at a few moments.
void pairByPlace(Builder& builder, const Laid& laid, std::size_t pointsB, double tolerance) {
    const PointIndex index(laid.firstOfA());
    constexpr std::size_t kNear = 6;
    for (std::uint32_t b = 0; b < pointsB; ++b) {
        if (builder.has(b))
            continue;
        std::uint32_t best = kNone;
        double least = std::numeric_limits<double>::infinity();
        double next = least;
        for (const PointIndex::Near& near : index.nearest(laid.firstOfB(b), kNear)) {
            const double square = laid.square(near.point, b);
            if (square < least) {
                next = least;
                least = square;
                best = near.point;
            } else {
                next = std::min(next, square);
            }
        }
        if (best == kNone || least > tolerance * tolerance)
            continue;
        const bool sure = next > 9.0 * least + 1e-6 * tolerance * tolerance;
        builder.pair(best, b, sure);
    }
}

double spreadOf(const Alignment& how, const Laid& laid) {
    if (how.spread > 0.0)
        return how.spread;
    const Eigen::Matrix3Xd first = laid.firstOfA();
    return std::sqrt((first.colwise() - first.rowwise().mean()).colwise().squaredNorm().mean());
}

Result<OrderMap> byPlaces(const ShapePair& reader, const Alignment& how, OrderMap::By by) {
    WYC_TRY(laid, Laid::of(reader, how));
    const std::size_t pointsA = reader.a().points();
    const std::size_t pointsB = reader.b().points();
    Builder builder(pointsA, pointsB);
    const double spread = spreadOf(how, laid);
    pairByPlace(builder, laid, pointsB, std::max(0.01 * spread, 4.0 * how.residual));
    const std::vector<PointPair> pairs = builder.pairs();
    OrderMap map = builder.finish({}, {}, by);
    if (pairs.size() >= 4) {
        WYC_TRY(alignment, reader.align(pairs));
        map.alignment = std::move(alignment);
    }
    return map;
}

// What faces tell, and for points that they leave alone on both sides their places.
Result<OrderMap> withPlaces(const ShapePair& reader, const OrderMap& map) {
    WYC_TRY(laid, Laid::of(reader, *map.alignment));
    const double spread = spreadOf(*map.alignment, laid);
    const double tolerance = std::max(1e-4 * spread, 4.0 * map.alignment->residual);
    OrderMap result = map;
    const std::vector<std::uint32_t> free = map.unmatchedA();
    if (free.empty())
        return result;
    const Eigen::Matrix3Xd first = laid.firstOfA();
    Eigen::Matrix3Xd places(3, static_cast<Eigen::Index>(free.size()));
    for (std::size_t i = 0; i < free.size(); ++i)
        places.col(static_cast<Eigen::Index>(i)) = first.col(free[i]);
    const PointIndex index(places);
    for (const std::uint32_t b : map.unmatchedB()) {
        std::uint32_t best = kNone;
        double least = tolerance * tolerance;
        for (const auto& near : index.nearest(laid.firstOfB(b), 4))
            if (const double square = laid.square(free[near.point], b);
                square <= least && result.bOfA[free[near.point]] == kNone) {
                least = square;
                best = free[near.point];
            }
        if (best == kNone)
            continue;
        result.aOfB[b] = best;
        result.bOfA[best] = b;
    }
    return result;
}

// What faces tell, completed by places where they leave several answers.
class FromFaces {
  public:
    FromFaces(const ShapePair& reader, FaceMatch& match)
        : reader_(reader),
          match_(match),
          builder_(reader.a().points(), reader.b().points()),
          walker_(*match.a, match.coloursA, *match.b, match.coloursB) {}
    Result<OrderMap> map();

  private:
    Status lay();
    Result<std::optional<Alignment>> howLargestLies(const PartMatch& part);
    Result<bool> complete(PartMatch& part);
    Status takeOpen(PartMatch& part);
    Status takeGroup(const std::vector<std::size_t>& partsA, const std::vector<std::size_t>& partsB);
    // Of the pieces that one may be the one that fits best, in its best way.
    struct Best {
        std::optional<PartMatch> part;
        std::size_t way = 0;
        std::size_t candidate = 0;
        std::vector<std::size_t> alike = {}; // ways that fit as well
        double off = std::numeric_limits<double>::infinity();
        bool rival = false; // another piece fits nearly as well
    };
    Result<Best> bestOf(const std::vector<std::size_t>& partsA, const std::vector<std::size_t>& candidates,
                        std::size_t partB);

    const ShapePair& reader_;
    FaceMatch& match_;
    Builder builder_;
    PartWalker walker_;
    std::vector<std::size_t> symmetric_; // ways of the first open part that lie as well in another place or time
    std::vector<Alignment> instead_;     // those of them that claim hardly more
    std::vector<PartMatch*> open_;       // parts that lie upon each other in several ways
    std::optional<Laid> laid_;           // nothing: no places decide
    double spread_ = 0.0;
    double floor_ = 0.0;
};

Result<OrderMap> FromFaces::map() {
    for (PartMatch& part : match_.alone)
        if (part.ways.size() == 1)
            take(builder_, match_, part.partA, part.ways[0], nullptr);
        else
            open_.push_back(&part);
    std::sort(open_.begin(), open_.end(),
              [](const PartMatch* x, const PartMatch* y) { return x->ways[0].size() > y->ways[0].size(); });
    WYC_CHECK(lay());
    for (PartMatch* part : open_)
        WYC_CHECK(takeOpen(*part));
    for (const auto& [partsA, partsB] : match_.groups)
        WYC_CHECK(takeGroup(partsA, partsB));
    OrderMap map = builder_.finish(match_.standInA, match_.standInB, OrderMap::By::Connectivity);
    map.turned = match_.turned;
    std::vector<PointPair> pairs;
    for (std::uint32_t b = 0; b < map.aOfB.size(); ++b)
        if (map.aOfB[b] != kNone)
            pairs.push_back({map.aOfB[b], b});
    if (pairs.size() >= 3) {
        WYC_TRY(alignment, reader_.align(pairs));
        map.alignment = std::move(alignment);
        map.instead = std::move(instead_);
    }
    return map;
}

// What is known for sure says how all lies; else the largest of what is left, each of its ways tried.
Status FromFaces::lay() {
    std::optional<Alignment> how;
    if (const auto pairs = builder_.pairs(); pairs.size() >= 8) {
        WYC_TRY(found, reader_.align(pairs));
        if (found.relative() < kFits && found.spaceMatters)
            how = found;
    }
    if (!how && !open_.empty()) {
        WYC_TRY(found, howLargestLies(*open_.front()));
        how = std::move(found);
    }
    if (!how && !match_.groups.empty()) {
        WYC_TRY(found, cloudFit(reader_));
        how = found;
    }
    if (!how)
        return {};
    auto laid = Laid::of(reader_, *how);
    if (!laid || laid->moments() == 0)
        return {};
    spread_ = spreadOf(*how, *laid);
    floor_ = 1e-10 * spread_ * spread_;
    laid_.emplace(std::move(*laid));
    return {};
}

Result<std::optional<Alignment>> FromFaces::howLargestLies(const PartMatch& part) {
    const auto points = match_.a->pointsOf(part.partA);
    const auto pairsOf = [&](const PartWay& way) {
        std::vector<PointPair> pairs;
        for (std::size_t i = 0; i < points.size(); ++i)
            pairs.push_back({points[i], way[i]});
        return pairs;
    };
    // By a few points and moments first; of those that come near, in full.
    constexpr std::size_t kInFull = 12;
    std::vector<std::pair<double, std::size_t>> rough;
    for (std::size_t k = 0; k < part.ways.size(); ++k) {
        WYC_CHECK(reader_.progress().poll());
        double score = 0.0;
        if (part.ways.size() > kInFull) {
            WYC_TRY(off, reader_.roughly(pairsOf(part.ways[k])));
            score = off;
        }
        rough.emplace_back(score, k);
    }
    std::stable_sort(rough.begin(), rough.end());
    rough.resize(std::min(kInFull, rough.size()));
    std::vector<Alignment> fits;
    std::vector<std::size_t> which;
    std::size_t likeliest = 0;
    for (const auto& [score, k] : rough) {
        WYC_CHECK(reader_.progress().poll());
        WYC_TRY(fit, reader_.align(pairsOf(part.ways[k])));
        fits.push_back(std::move(fit));
        which.push_back(k);
        if (fits.back().score < fits[likeliest].score)
            likeliest = fits.size() - 1;
    }
    const Alignment& best = fits[likeliest];
    std::optional<Alignment> how;
    if (best.relative() < kFits)
        how = best;
    if (!part.all) { // the right way may be none of those that were tried
        WYC_TRY(cloud, cloudFit(reader_));
        if (cloud && (!how || cloud->relative() < 0.5 * how->relative()))
            how = cloud;
    }
    // Where another way lies as well on all of it, only turned or at another time, no place tells which it is.
    const double alike = 2.0 * best.relative() + 1e-5;
    for (std::size_t k = 0; k < fits.size(); ++k)
        if (k != likeliest && fits[k].relative() <= alike) {
            symmetric_.push_back(which[k]);
            constexpr double kHardlyMore = 0.8;
            constexpr std::size_t kMostTold = 3;
            const auto atOtherTime = [&](const Alignment& had) {
                return std::abs(had.speed - fits[k].speed) > 1e-6 || std::abs(had.shift - fits[k].shift) > 1e-6 ||
                       had.space.mirrors() != fits[k].space.mirrors();
            };
            if (fits[k].score <= best.score + kHardlyMore && instead_.size() < kMostTold && atOtherTime(best) &&
                std::all_of(instead_.begin(), instead_.end(), atOtherTime))
                instead_.push_back(fits[k]);
        }
    return how;
}

// Of more ways than were tried those by place; false where there are none, and any may be the right one.
Result<bool> FromFaces::complete(PartMatch& part) {
    if (part.all || !laid_)
        return part.all;
    WYC_TRY(near, waysByPlace(walker_, *laid_, match_, part.partA, part.partB, reader_.progress()));
    if (near.empty())
        return false;
    part.ways = std::move(near);
    return true;
}

Status FromFaces::takeOpen(PartMatch& part) {
    WYC_TRY(whole, complete(part));
    if (!laid_) { // nothing decides
        std::vector<std::size_t> others;
        for (std::size_t k = 1; k < part.ways.size(); ++k)
            others.push_back(k);
        const auto unsure = whole ? differing(part, 0, others) : allOf(part.ways[0]);
        take(builder_, match_, part.partA, part.ways[0], &unsure);
        return {};
    }
    Choice choice = chosen(waysOff(*laid_, match_, part.partA, part.ways), floor_);
    const bool isAll = &part == open_.front() && match_.a->pointsOf(part.partA).size() == builder_.size();
    const bool turnsOver = isAll && !symmetric_.empty(); // lies as well in another place
    if (turnsOver && part.all)
        choice.alike.insert(choice.alike.end(), symmetric_.begin(), symmetric_.end());
    const auto unsure =
        whole && !(turnsOver && !part.all) ? differing(part, choice.best, choice.alike) : allOf(part.ways[choice.best]);
    take(builder_, match_, part.partA, part.ways[choice.best], &unsure);
    return {};
}

Result<FromFaces::Best> FromFaces::bestOf(const std::vector<std::size_t>& partsA,
                                          const std::vector<std::size_t>& candidates, std::size_t partB) {
    Best best;
    for (const std::size_t candidate : candidates) {
        WYC_TRY(ways, walker_.ways(partsA[candidate], partB, 64, reader_.progress()));
        if (ways.ways.empty())
            continue;
        PartMatch part{partsA[candidate], partB, std::move(ways.ways), ways.all};
        WYC_TRY(whole, complete(part));
        part.all = whole;
        const std::vector<double> off =
            laid_ ? waysOff(*laid_, match_, part.partA, part.ways) : std::vector<double>(part.ways.size(), 0.0);
        const Choice choice = chosen(off, floor_);
        if (off[choice.best] < best.off) {
            best.rival = best.off <= 9.0 * off[choice.best] + floor_;
            best.off = off[choice.best];
            best.part = std::move(part);
            best.way = choice.best;
            best.candidate = candidate;
            best.alike = choice.alike;
        } else if (off[choice.best] <= 9.0 * best.off + floor_) {
            best.rival = true;
        }
    }
    return best;
}

// Pieces alike: each to the one that is where it is.
Status FromFaces::takeGroup(const std::vector<std::size_t>& partsA, const std::vector<std::size_t>& partsB) {
    std::vector<char> used(partsA.size(), 0);
    std::optional<PointIndex> index;
    const auto middleOfPart = [&](const MeshGraph& graph, std::size_t part, auto&& placeOf) {
        Eigen::Vector3d sum = Eigen::Vector3d::Zero();
        for (const std::uint32_t p : graph.pointsOf(part))
            sum += placeOf(p);
        return Eigen::Vector3d(sum / static_cast<double>(graph.pointsOf(part).size()));
    };
    if (laid_) {
        const Eigen::Matrix3Xd first = laid_->firstOfA();
        Eigen::Matrix3Xd middles(3, static_cast<Eigen::Index>(partsA.size()));
        for (std::size_t k = 0; k < partsA.size(); ++k)
            middles.col(static_cast<Eigen::Index>(k)) =
                middleOfPart(*match_.a, partsA[k], [&](std::uint32_t p) -> Eigen::Vector3d { return first.col(p); });
        index.emplace(middles);
    }
    for (std::size_t k = 0; k < partsB.size(); ++k) {
        WYC_CHECK(reader_.progress().poll());
        std::vector<std::size_t> candidates;
        if (index) {
            const Eigen::Vector3d middle = middleOfPart(
                *match_.b, partsB[k], [&](std::uint32_t p) -> Eigen::Vector3d { return laid_->firstOfB(p); });
            for (const auto& near : index->nearest(middle, std::min<std::size_t>(4, partsA.size())))
                candidates.push_back(near.point);
        } else if (k < partsA.size()) {
            candidates.push_back(k);
        }
        std::erase_if(candidates, [&](std::size_t c) { return used[c] != 0; });
        WYC_TRY(best, bestOf(partsA, candidates, partsB[k]));
        if (!best.part || (laid_ && best.off > 0.04 * spread_ * spread_))
            continue; // nothing is there: a piece more
        used[best.candidate] = 1;
        const PartWay& way = best.part->ways[best.way];
        const std::vector<std::uint32_t> unsure =
            best.rival || !laid_ || !best.part->all ? allOf(way) : differing(*best.part, best.way, best.alike);
        take(builder_, match_, best.part->partA, way, &unsure);
    }
    return {};
}

Result<OrderMap> fromFaces(const ShapePair& reader, FaceMatch match) {
    return FromFaces(reader, match).map();
}

double offOf(const OrderMap& map) {
    return map.alignment && map.alignment->counted > 0 ? map.alignment->relative()
                                                       : std::numeric_limits<double>::infinity();
}

std::size_t pairedOf(const OrderMap& map) {
    return static_cast<std::size_t>(
        std::count_if(map.aOfB.begin(), map.aOfB.end(), [](std::uint32_t a) { return a != kNone; }));
}

// What it claims against what is left; that all faces run the other way round is a claim, too.
double scoreOf(const OrderMap& map) {
    return map.alignment ? map.alignment->score + (map.turned ? 0.5 : 0.0) : std::numeric_limits<double>::infinity();
}

// More points first; of as many, the likelier one.
bool better(const OrderMap& x, const OrderMap& y) {
    const std::size_t nx = pairedOf(x);
    const std::size_t ny = pairedOf(y);
    if (nx != ny)
        return nx > ny;
    return scoreOf(x) < scoreOf(y);
}

OrderMap inOrder(std::size_t pointsA, std::size_t pointsB, OrderMap::By by) {
    Builder builder(pointsA, pointsB);
    for (std::uint32_t p = 0; p < std::min(pointsA, pointsB); ++p)
        builder.pair(p, p);
    return builder.finish({}, {}, by);
}

// Single points that are not where their number says, though another one is.
Status putRight(const ShapePair& reader, OrderMap& map) {
    WYC_TRY(laid, Laid::of(reader, *map.alignment));
    const double spread = spreadOf(*map.alignment, laid);
    const double limit = std::max(25.0 * map.alignment->residual * map.alignment->residual, 1e-6 * spread * spread);
    std::vector<std::uint32_t> off;
    for (std::uint32_t b = 0; b < map.aOfB.size(); ++b)
        if (laid.square(map.aOfB[b], b) > limit) // what is no number is not more than anything
            off.push_back(b);
    if (off.empty() || off.size() * 2 > map.aOfB.size())
        return {};
    // Among themselves: each to the place that is nearest, where that is a change of places and nothing else.
    Eigen::Matrix3Xd places(3, static_cast<Eigen::Index>(off.size()));
    const Eigen::Matrix3Xd first = laid.firstOfA();
    for (std::size_t i = 0; i < off.size(); ++i)
        places.col(static_cast<Eigen::Index>(i)) = first.col(map.aOfB[off[i]]);
    const PointIndex index(places);
    std::vector<std::uint32_t> next;
    std::vector<char> used(off.size(), 0);
    for (const std::uint32_t b : off) {
        std::uint32_t best = kNone;
        double least = limit;
        for (const auto& near : index.nearest(laid.firstOfB(b), 4))
            if (const double square = laid.square(map.aOfB[off[near.point]], b); square <= least && !used[near.point]) {
                least = square;
                best = near.point;
            }
        if (best == kNone)
            return {}; // a motion of its own
        used[best] = 1;
        next.push_back(map.aOfB[off[best]]);
    }
    map.sample.reset();
    for (std::size_t i = 0; i < off.size(); ++i)
        map.aOfB[off[i]] = next[i];
    for (std::uint32_t b = 0; b < map.aOfB.size(); ++b)
        map.bOfA[map.aOfB[b]] = b;
    map.by = OrderMap::By::Position;
    std::vector<PointPair> pairs;
    for (std::uint32_t b = 0; b < map.aOfB.size(); ++b)
        pairs.push_back({map.aOfB[b], b});
    WYC_TRY(alignment, reader.align(pairs));
    map.alignment = std::move(alignment);
    return {};
}

// Points that are not where those lie by which the fit was made.
Result<std::size_t> misplacedIn(const ShapePair& reader, const OrderMap& map) {
    WYC_TRY(laid, Laid::of(reader, *map.alignment));
    const double spread = spreadOf(*map.alignment, laid);
    const double limit = std::max(25.0 * map.alignment->residual * map.alignment->residual, 1e-8 * spread * spread);
    std::size_t off = 0;
    for (std::uint32_t b = 0; b < map.aOfB.size(); ++b)
        off += map.aOfB[b] != kNone && laid.square(map.aOfB[b], b) > limit;
    return off;
}

} // namespace

bool OrderMap::same() const {
    if (aOfB.size() != bOfA.size())
        return false;
    for (std::uint32_t b = 0; b < aOfB.size(); ++b)
        if (aOfB[b] != b)
            return false;
    return true;
}

std::size_t OrderMap::moved() const {
    std::size_t count = 0;
    for (std::uint32_t b = 0; b < aOfB.size(); ++b)
        count += aOfB[b] != kNone && aOfB[b] != b;
    return count;
}

std::size_t OrderMap::certain() const {
    return pairedOf(*this) - unsure.size();
}

std::vector<std::uint32_t> OrderMap::unmatchedA() const {
    std::vector<std::uint32_t> points;
    for (std::uint32_t a = 0; a < bOfA.size(); ++a)
        if (bOfA[a] == kNone)
            points.push_back(a);
    return points;
}

std::vector<std::uint32_t> OrderMap::unmatchedB() const {
    std::vector<std::uint32_t> points;
    for (std::uint32_t b = 0; b < aOfB.size(); ++b)
        if (aOfB[b] == kNone)
            points.push_back(b);
    return points;
}

const char* orderWayName(OrderMap::By by) {
    switch (by) {
    case OrderMap::By::Hash: return "hash";
    case OrderMap::By::Position: return "position";
    case OrderMap::By::Connectivity: return "connectivity";
    case OrderMap::By::Motion: return "motion";
    case OrderMap::By::None: break;
    }
    return "none";
}

Result<OrderMap> orderByFaces(const Topology& a, std::size_t pointsA, const Topology& b, std::size_t pointsB,
                              const Progress& progress) {
    WYC_TRY(match, matchFaces(a, pointsA, b, pointsB, {}, {}, false, progress));
    Builder builder(pointsA, pointsB);
    for (const PartMatch& part : match.alone) {
        std::vector<std::size_t> others;
        for (std::size_t k = 1; k < part.ways.size(); ++k)
            others.push_back(k);
        const auto unsure = differing(part, 0, others);
        take(builder, match, part.partA, part.ways[0], &unsure);
    }
    PartWalker walker(*match.a, match.coloursA, *match.b, match.coloursB);
    for (const auto& [partsA, partsB] : match.groups) // any of those alike
        for (std::size_t k = 0; k < std::min(partsA.size(), partsB.size()); ++k) {
            WYC_TRY(ways, walker.ways(partsA[k], partsB[k], 1, progress));
            if (ways.ways.empty())
                continue;
            std::vector<std::uint32_t> unsure = ways.ways[0];
            std::sort(unsure.begin(), unsure.end());
            take(builder, match, partsA[k], ways.ways[0], &unsure);
        }
    OrderMap map = builder.finish({}, {}, OrderMap::By::Connectivity);
    if (pairedOf(map) == 0)
        map.by = OrderMap::By::None;
    return map;
}

Result<OrderMap> orderOf(const ShapeMotion& a, const ShapeMotion& b, const Progress& progress) {
    WYC_TRY(reader, ShapePair::of(a, b, progress));
    const bool faces = a.topology()->faceCount() > 0 && b.topology()->faceCount() > 0;
    const bool sameFaces = faces && a.points() == b.points() && a.topology()->hash() == b.topology()->hash();
    std::optional<OrderMap> best;
    const auto offer = [&](OrderMap map) {
        if (!best || better(map, *best))
            best = std::move(map);
    };
    if (a.points() == b.points()) {
        OrderMap map = inOrder(a.points(), b.points(), sameFaces ? OrderMap::By::Hash : OrderMap::By::Position);
        WYC_TRY(sample, reader.sampleOf(reader.pairsInTurn()));
        map.alignment = alignmentOf(sample.a, sample.b);
        // What stands still has no other moments to tell an order by than those there are.
        if (offOf(map) < kSameOrder) {
            map.sample = std::move(sample);
            WYC_CHECK(putRight(reader, map));
            return map;
        }
        if (sameFaces)
            best = std::move(map);
    }
    if (faces && !sameFaces) {
        const std::vector<double> someA = someOf(a.times(), 3);
        const std::vector<double> someB = someOf(b.times(), 3);
        WYC_TRY(weldedA, a.coinciding(someA));
        WYC_TRY(weldedB, b.coinciding(someB));
        const auto welds = [](const std::vector<std::uint32_t>& standIn) {
            for (std::uint32_t p = 0; p < standIn.size(); ++p)
                if (standIn[p] != p)
                    return true;
            return false;
        };
        const bool canA = welds(weldedA);
        const bool canB = welds(weldedB);
        for (const auto& [useA, useB] : {std::pair{false, false}, {false, true}, {true, false}, {true, true}}) {
            if ((useA && !canA) || (useB && !canB))
                continue;
            bool whole = false;
            for (const bool turned : {false, true}) {
                WYC_CHECK(progress.poll());
                WYC_TRY(match, matchFaces(*a.topology(), a.points(), *b.topology(), b.points(),
                                          useA ? weldedA : std::vector<std::uint32_t>(),
                                          useB ? weldedB : std::vector<std::uint32_t>(), turned, progress));
                if (match.covered == 0)
                    continue;
                whole = whole || match.covered == pointsWithFaces(*match.b);
                WYC_TRY(map, fromFaces(reader, std::move(match)));
                offer(std::move(map));
                if (best && pairedOf(*best) == b.points() && offOf(*best) < 1e-3 && best->alignment->claims < 1.0)
                    break; // no need to look for a mirror
            }
            if (whole && best && offOf(*best) < kFits)
                break;
        }
    }
    // By place: where faces are other ones, or none, or leave points alone, or do not fit.
    const bool byFaces = best && best->by == OrderMap::By::Connectivity;
    const bool wholeB = best && pairedOf(*best) == b.points();
    const bool wholeA = best && best->unmatchedA().empty();
    if (byFaces && ((wholeA && wholeB) || ((wholeA || wholeB) && offOf(*best) < kFits)))
        return *best;
    std::optional<Alignment> how;
    if (byFaces && offOf(*best) < kFits)
        how = best->alignment;
    if (!how && a.points() != b.points()) { // the same numbers as far as there are points
        OrderMap map = inOrder(a.points(), b.points(), OrderMap::By::Position);
        WYC_TRY(alignment, reader.alignInTurn());
        map.alignment = std::move(alignment);
        if (offOf(map) < kExact && pairedOf(map) * 2 > std::max(a.points(), b.points())) {
            WYC_TRY(misplaced, misplacedIn(reader, map));
            if (misplaced == 0)
                return map;
        }
    }
    if (!how) {
        WYC_TRY(found, plainFit(reader));
        how = std::move(found);
    }
    if (!how && faces) {
        WYC_TRY(found, neighbourhoodFit(reader));
        how = std::move(found);
    }
    if (!how) {
        WYC_TRY(found, cloudFit(reader));
        how = std::move(found);
    }
    if (how && byFaces && offOf(*best) < kFits) {
        WYC_TRY(completed, withPlaces(reader, *best));
        return completed;
    }
    if (how) {
        const bool moves = a.times().size() > 1 && b.times().size() > 1 && !faces;
        WYC_TRY(map, byPlaces(reader, *how, moves ? OrderMap::By::Motion : OrderMap::By::Position));
        // A few points that happen to lie near others are no order.
        if (map.certain() * 2 < std::min(a.points(), b.points()))
            map.alignment.reset();
        if ((!best && map.alignment) || (best && pairedOf(map) > pairedOf(*best) && offOf(map) < kFits) ||
            (best && offOf(*best) >= kFits && offOf(map) < 0.5 * offOf(*best)))
            best = std::move(map);
    }
    if (!best) {
        OrderMap none;
        none.aOfB.assign(b.points(), kNone);
        none.bOfA.assign(a.points(), kNone);
        return none;
    }
    return *best;
}

} // namespace wyc
