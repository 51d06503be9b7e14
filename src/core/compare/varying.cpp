// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/varying.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "compare/reconcile_engine.h"
#include "match/moment_products.h"
#include "time/sampling.h"

namespace wyc {
namespace {

struct Pose {
    std::vector<Vec3d> points; // in the world
    IdsPtr ids;
    std::uint64_t faces = 0; // hash
};

Result<Pose> poseAt(const Scene& scene, std::size_t node, double seconds) {
    const Geometry& geometry = *scene.nodes[node].geometry;
    WYC_TRY(placement, placementAt(scene, node, seconds));
    std::vector<Vec3f> points;
    WYC_CHECK(readPointsAt(geometry, seconds, points));
    WYC_TRY(ids, geometry.idsAt(seconds));
    WYC_TRY(topology, geometry.topologyAt(seconds));
    Pose pose;
    for (const Vec3f& p : points)
        pose.points.push_back(transformedPoint(Vec3d(p), placement.matrix));
    pose.ids = ids && ids->size() == points.size() ? ids : IdsPtr();
    pose.faces = topology->hash();
    return pose;
}

// B's points in the order of A's; nothing where an id of A is not there.
std::optional<std::vector<Vec3d>> inOrderOf(const Pose& a, const Pose& b) {
    if (!a.ids || !b.ids || *a.ids == *b.ids)
        return b.points;
    std::unordered_map<std::uint64_t, std::size_t> places;
    for (std::size_t i = 0; i < b.ids->size(); ++i)
        places.emplace((*b.ids)[i], i);
    std::vector<Vec3d> points;
    for (const std::uint64_t id : *a.ids) {
        const auto found = places.find(id);
        if (found == places.end())
            return std::nullopt;
        points.push_back(b.points[found->second]);
    }
    return points;
}

std::vector<double> timesOf(const Scene& scene, std::size_t node) {
    std::vector<double> times = scene.nodes[node].geometry->sampling().times();
    for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent)
        if (const TransformPtr& transform = scene.nodes[static_cast<std::size_t>(i)].transform)
            if (const auto own = transform->sampling().times(); own.size() > 1)
                times.insert(times.end(), own.begin(), own.end());
    sortMoments(times);
    return times;
}

// Sample by sample, point by point, as both lie.
Result<Reconciled> asTheyLie(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                             const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                             const ReconcileSettings& settings, const Progress& progress) {
    Reconciled found;
    found.a = a->nodes[nodeA].path;
    found.b = b->nodes[nodeB].path;
    found.metres = a->unitMetres.value_or(1.0);
    WYC_TRY(idsOfA, a->nodes[nodeA].geometry->ids(0));
    found.order.by = idsOfA ? "ids" : "position";
    const auto tell = [&](const char* id, double figure, const char* unit, std::string text, std::string evidence) {
        if (std::none_of(found.causes.begin(), found.causes.end(), [&](const Cause& c) { return c.id == id; }))
            found.causes.push_back({id, figure, unit, 0.99, std::move(text), std::move(evidence), {}, {}});
    };
    const auto samplesOf = [](const Scene& scene, std::size_t node) {
        return scene.nodes[node].geometry->sampling().times();
    };
    const std::vector<double> own = samplesOf(*a, nodeA);
    const std::vector<double> other = samplesOf(*b, nodeB);
    if (own.size() != other.size())
        tell("range", static_cast<double>(other.size()) - static_cast<double>(own.size()), "frames",
             fmt::format("{} samples, A has {}", groupedDigits(other.size()), groupedDigits(own.size())),
             "by the list of their times");
    else
        for (std::size_t i = 0; i < own.size(); ++i)
            if (std::abs(own[i] - other[i]) > 1e-6) {
                tell("range", 0.0, "frames", "its samples are at other times",
                     fmt::format("first at frame {}", frameText(snappedFrame(a->view.rate.frameAt(own[i])))));
                break;
            }
    std::vector<double> times = timesOf(*a, nodeA);
    const std::vector<double> more = timesOf(*b, nodeB);
    times.insert(times.end(), more.begin(), more.end());
    sortMoments(times);
    Drift drift;
    double sum = 0.0;
    std::size_t count = 0;
    for (std::size_t t = 0; t < times.size(); ++t) {
        WYC_CHECK(progress.poll());
        progress.report(static_cast<double>(t) / static_cast<double>(times.size()), "comparing", found.b);
        WYC_TRY(x, poseAt(*a, nodeA, times[t]));
        WYC_TRY(y, poseAt(*b, nodeB, times[t]));
        const double frame = snappedFrame(a->view.rate.frameAt(times[t]));
        found.order.certain = std::max(found.order.certain, y.points.size());
        const auto ordered = inOrderOf(x, y);
        if (x.points.size() != y.points.size() || !ordered) {
            tell("count", static_cast<double>(y.points.size()) - static_cast<double>(x.points.size()), "points",
                 x.points.size() == y.points.size()
                     ? fmt::format("other points are there at frame {}", frameText(frame))
                     : fmt::format("{} points at frame {}, A has {}", groupedDigits(y.points.size()), frameText(frame),
                                   groupedDigits(x.points.size())),
                 "the first sample that differs");
            continue;
        }
        if (x.faces != y.faces)
            tell("faces", 0.0, "faces", fmt::format("faces between other points at frame {}", frameText(frame)),
                 "the first sample that differs");
        double squares = 0.0;
        double largest = 0.0;
        for (std::size_t p = 0; p < x.points.size(); ++p) {
            const Vec3d off = (*ordered)[p] - x.points[p];
            const double far = length(off);
            if (!std::isfinite(far)) {
                if (std::isfinite(length(x.points[p])) != std::isfinite(length((*ordered)[p])) && drift.broken++ == 0) {
                    drift.brokenFrame = frame;
                    drift.brokenPoint = static_cast<std::uint32_t>(p);
                }
                continue;
            }
            squares += far * far;
            ++count;
            if (far > largest)
                largest = far;
            if (far > drift.largest) {
                drift.largest = far;
                drift.worstFrame = frame;
                drift.worstPoint = static_cast<std::uint32_t>(p);
            }
        }
        sum += squares;
        drift.frames.push_back(frame);
        drift.largestAt.push_back(largest);
        drift.rmsAt.push_back(x.points.empty() ? 0.0 : std::sqrt(squares / static_cast<double>(x.points.size())));
        ++drift.moments;
    }
    if (drift.moments > 0) {
        drift.rms = count > 0 ? std::sqrt(sum / static_cast<double>(count)) : 0.0;
        drift.p99 = drift.largest;
        if (drift.largest * found.metres > settings.toleranceMetres)
            tell("other_motion", drift.rms * found.metres * 1000.0, "mm", "its points are elsewhere",
                 fmt::format("{} off (RMS), {} at most, at {}", lengthText(drift.rms * found.metres),
                             lengthText(drift.largest * found.metres), frameText(drift.worstFrame)));
        if (drift.broken > 0)
            tell("not_finite", static_cast<double>(drift.broken), "values", "some of its places are no numbers",
                 fmt::format("first at frame {}", frameText(drift.brokenFrame)));
        found.drift = drift;
        found.undone = std::move(drift);
    }
    found.order.same = found.causes.empty();
    found.withinTolerance = found.causes.empty();
    return found;
}

// Some points of a moment, rising by their ids; without ids by their numbers.
struct Sample {
    std::vector<std::pair<std::uint64_t, Vec3d>> points;
    std::size_t count = 0; // of all
    bool hasIds = false;
};

// What B shows at some of its moments, beside A at the moments that may be meant.
struct Pairs {
    MomentProducts::Sums mean; // of places as they are
    double shared = 0.0;       // of all points those that both have
};

class ByIds {
  public:
    ByIds(const Scene& a, std::size_t nodeA, const Scene& b, std::size_t nodeB, const Progress& progress)
        : a_(a), nodeA_(nodeA), b_(b), nodeB_(nodeB), progress_(progress) {}
    /// The plainest explanation that leaves nearly nothing; empty where none does, or where it is none.
    Result<std::vector<Cause>> causes();

  private:
    struct Found {
        double speed = 1.0;
        double shift = 0.0;
        Similarity space;
        double score = std::numeric_limits<double>::infinity();
        double left = 1.0; // of the spread
    };
    // One id in so many, the same ones in every sample: all of a cache would not go into memory.
    [[nodiscard]] Result<Sample> sampleAt(const Scene& scene, std::size_t node, double seconds) const;
    Result<const Sample*> sampleOfA(double seconds);
    Result<Pairs> pairsFor(double speed, double shift);
    void weigh(const Pairs& pairs, double speed, double shift, double claims);
    const Scene& a_;
    std::size_t nodeA_;
    const Scene& b_;
    std::size_t nodeB_;
    const Progress& progress_;
    std::uint64_t oneIn_ = 1;
    std::vector<std::pair<double, Sample>> ofB_;
    std::map<double, Sample> ofA_; // read so far
    Found best_;
    Found plain_;
};

Result<Sample> ByIds::sampleAt(const Scene& scene, std::size_t node, double seconds) const {
    WYC_TRY(pose, poseAt(scene, node, seconds));
    Sample sample;
    sample.count = pose.points.size();
    sample.hasIds = pose.ids != nullptr;
    for (std::size_t i = 0; i < pose.points.size(); ++i) {
        const std::uint64_t id = pose.ids ? (*pose.ids)[i] : i;
        const Vec3d& p = pose.points[i];
        if ((id * 0x9E3779B97F4A7C15U >> 32U) % oneIn_ == 0 && std::isfinite(dot(p, p)))
            sample.points.emplace_back(id, p);
    }
    std::sort(sample.points.begin(), sample.points.end(),
              [](const auto& x, const auto& y) { return x.first < y.first; });
    return sample;
}

Result<const Sample*> ByIds::sampleOfA(double seconds) {
    const double at = std::round(seconds * 1e6) / 1e6;
    if (const auto had = ofA_.find(at); had != ofA_.end())
        return &had->second;
    WYC_TRY(sample, sampleAt(a_, nodeA_, seconds));
    return &(ofA_[at] = std::move(sample));
}

Result<Pairs> ByIds::pairsFor(double speed, double shift) {
    const std::vector<double> times = a_.nodes[nodeA_].geometry->sampling().times();
    Pairs pairs;
    std::size_t all = 0;
    for (const auto& [t, own] : ofB_) {
        const double at = speed * t + shift;
        if (!liesWithin(at, times.front(), times.back()))
            continue;
        WYC_TRY(other, sampleOfA(at));
        all += std::max(own.points.size(), other->points.size());
        if (!(own.hasIds && other->hasIds) && own.count != other->count)
            continue;
        auto x = other->points.begin();
        for (const auto& [id, place] : own.points) {
            while (x != other->points.end() && x->first < id)
                ++x;
            if (x == other->points.end() || x->first != id)
                continue;
            const Eigen::Vector3d p(x->second.x, x->second.y, x->second.z);
            const Eigen::Vector3d q(place.x, place.y, place.z);
            pairs.mean.count += 1.0;
            pairs.mean.cross += q * p.transpose();
            pairs.mean.meanA += p;
            pairs.mean.meanB += q;
            pairs.mean.squareA += p.squaredNorm();
            pairs.mean.squareB += q.squaredNorm();
        }
    }
    pairs.shared = all > 0 ? pairs.mean.count / static_cast<double>(all) : 0.0;
    pairs.mean.divide();
    return pairs;
}

void ByIds::weigh(const Pairs& pairs, double speed, double shift, double claims) {
    constexpr double kFloor = 1e-6;
    const double spread = pairs.mean.spread();
    if (!(pairs.mean.count >= 3.0) || !(spread > 0.0))
        return;
    const auto offer = [&](const Similarity& space, double more) {
        const double left = std::sqrt(pairs.mean.square(space) / spread);
        const double score =
            claims + more + 8.0 * (1.0 - pairs.shared) + std::log(std::max(left, kFloor)) / std::log(4.0);
        if (score < best_.score)
            best_ = {speed, shift, space, score, left};
        if (claims == 0.0 && more == 0.0)
            plain_ = {speed, shift, space, score, left};
    };
    std::vector<std::pair<Eigen::Matrix3d, double>> turns{{Eigen::Matrix3d::Identity(), 0.0}};
    for (const Eigen::Matrix3d& turn : quarterTurns())
        if (!turn.isIdentity(1e-12))
            turns.emplace_back(turn, 1.0);
    for (const auto& [turn, claim] : turns)
        for (const bool moves : {false, true}) {
            Eigen::Matrix3d cross = pairs.mean.cross;
            double squareA = pairs.mean.squareA;
            if (moves) {
                cross -= pairs.mean.meanB * pairs.mean.meanA.transpose();
                squareA -= pairs.mean.meanA.squaredNorm();
            }
            const double trace = turn.cwiseProduct(cross).sum();
            const double own = squareA > 0.0 && trace > 0.0 ? trace / squareA : 1.0;
            std::vector<std::pair<double, double>> sizes{{1.0, 0.0}, {own, 1.5}};
            if (const auto known = knownSize(own, 0.01); known && *known != 1.0)
                sizes.emplace_back(*known, 1.0);
            for (const auto& [size, more] : sizes) {
                Similarity space{size, turn, Eigen::Vector3d::Zero()};
                if (moves)
                    space.move = pairs.mean.meanB - size * turn * pairs.mean.meanA;
                offer(space, claim + more + (moves ? 1.0 : 0.0));
            }
        }
}

Result<std::vector<Cause>> ByIds::causes() {
    constexpr std::size_t kMoments = 10;
    const std::vector<double> timesA = a_.nodes[nodeA_].geometry->sampling().times();
    const std::vector<double> timesB = b_.nodes[nodeB_].geometry->sampling().times();
    std::vector<Cause> causes;
    if (timesA.size() < 2 || timesB.size() < 2)
        return causes;
    constexpr std::size_t kPoints = 2000;
    for (const double t : someOf(timesB, kMoments)) {
        WYC_TRY(count, b_.nodes[nodeB_].geometry->pointCountAt(t));
        oneIn_ = std::max<std::uint64_t>(oneIn_, count / kPoints);
    }
    for (const double t : someOf(timesB, kMoments)) {
        WYC_CHECK(progress_.poll());
        WYC_TRY(sample, sampleAt(b_, nodeB_, t));
        ofB_.emplace_back(t, std::move(sample));
    }
    const double stepA = timesA[1] - timesA[0];
    const double same = stepA / (timesB[1] - timesB[0]);
    for (const double speed : {1.0, same}) {
        if (speed != 1.0 && std::abs(speed - 1.0) < 1e-6)
            continue;
        const double most = 0.5 * static_cast<double>(timesA.size());
        for (double k = -std::floor(most); k <= most; k += 1.0) {
            WYC_CHECK(progress_.poll());
            const double shift = k * stepA;
            WYC_TRY(pairs, pairsFor(speed, shift));
            weigh(pairs, speed, shift, (speed == 1.0 ? 0.0 : 1.0) + (k == 0.0 ? 0.0 : 1.0));
        }
    }
    constexpr double kLeaves = 1e-3;
    if (!(best_.left < kLeaves) || !(best_.score + 0.5 < plain_.score))
        return causes;
    const auto tell = [&](const char* id, double figure, const char* unit, std::string text, std::string evidence,
                          Step undo) {
        causes.push_back({id, figure, unit, 0.97, std::move(text), std::move(evidence), {std::move(undo)}, {}});
    };
    double frameSeconds = b_.view.rate.secondsAt(1.0);
    if (best_.speed != 1.0) {
        const double wanted = b_.view.rate.value() / best_.speed;
        const bool own = std::abs(a_.view.rate.value() / wanted - 1.0) < 1e-6;
        const std::string rate = own ? a_.view.rate.text() : shortestNumber(wanted);
        tell("rate", best_.speed, "x", fmt::format("the same samples at {:.6g} × the speed", 1.0 / best_.speed),
             "sample by sample, by ids", {"rate", {{"rate", rate}}, true});
        frameSeconds = 1.0 / wanted;
    }
    if (const double frames = -best_.shift * a_.view.rate.value(); std::abs(frames) > 1e-3)
        tell("offset", std::round(frames * 1e4) / 1e4, "frames", offsetText(std::round(frames * 1e4) / 1e4),
             "by which ids are there when, and where",
             {"offset", {{"frames", snappedFrame(best_.shift / frameSeconds)}}, true});
    if (std::abs(best_.space.scale - 1.0) > 2e-5)
        tell("unit", best_.space.scale, "x",
             fmt::format("{} × {}",
                         shortestNumber(best_.space.scale > 1.0 ? best_.space.scale : 1.0 / best_.space.scale),
                         best_.space.scale > 1.0 ? "larger" : "smaller"),
             "of points with the same ids", {"scale", {{"factor", 1.0 / best_.space.scale}}, true});
    const Eigen::Matrix3d back = best_.space.turn.transpose();
    const Eigen::Vector3d move = -(back * (best_.space.move / best_.space.scale));
    if (!back.isIdentity(1e-9) || !move.isZero(1e-9)) {
        std::string text;
        for (Eigen::Index r = 0; r < 3; ++r)
            for (Eigen::Index c = 0; c < 3; ++c)
                text += fmt::format("{}{}", text.empty() ? "" : ", ", shortestNumber(back(c, r)));
        for (Eigen::Index c = 0; c < 3; ++c)
            text += ", " + shortestNumber(move[c]);
        tell("placement", best_.space.degrees(), "degrees",
             back.isIdentity(1e-9) ? fmt::format("moved by {}", lengthText(move.norm() * a_.unitMetres.value_or(1.0)))
                                   : fmt::format("turned {:.4g}°", best_.space.degrees()),
             "a rigid move of points with the same ids", {"place", {{"matrix", text}}, true});
    }
    return causes;
}

} // namespace

Result<Reconciled> reconcileVarying(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                    const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                    const ReconcileSettings& settings, const Progress& progress) {
    WYC_TRY(found, asTheyLie(a, nodeA, b, nodeB, settings, progress.part(0.0, 0.4)));
    if (found.causes.empty())
        return found;
    WYC_TRY(causes, ByIds(*a, nodeA, *b, nodeB, progress.part(0.4, 0.6)).causes());
    if (causes.empty())
        return found;
    std::vector<Step> undo;
    for (const Cause& cause : causes)
        undo.insert(undo.end(), cause.undo.begin(), cause.undo.end());
    WYC_TRY(scene, applySteps(*b, undo));
    const auto undone = std::make_shared<const Scene>(std::move(scene));
    const std::size_t node = undone->find(b->nodes[nodeB].id).value_or(nodeB);
    WYC_TRY(rest, asTheyLie(a, nodeA, undone, node, settings, progress.part(0.6, 1.0)));
    if (rest.causes.size() > found.causes.size())
        return found; // no better with it
    rest.b = found.b;
    rest.drift = found.drift;
    rest.causes.insert(rest.causes.begin(), causes.begin(), causes.end());
    rest.withinTolerance = false;
    rest.order.same = false;
    return rest;
}

} // namespace wyc
