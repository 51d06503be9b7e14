// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/loop.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <unordered_map>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/parallel.h"
#include "base/text.h"
#include "match/point_index.h"
#include "measure/motion_frames.h"

namespace wyc {
namespace {

constexpr double kGoodSteps = 0.75;      // of a usual step, that a good seam may be off
constexpr double kGoodVelocity = 0.5;    // of the usual speed
constexpr double kWayOut = 2.5;          // a cycle goes away from its start by so many gaps and steps
constexpr double kSamePose = 0.02;       // of a usual step
constexpr std::size_t kLookBeside = 256; // frames on either side of a seam

// What a cycle of so many of the frames is like from each frame to the next; squares, summed over points.
struct CycleSums {
    explicit CycleSums(std::size_t frames)
        : count(frames),
          step(frames),
          uneven(frames),
          turn(frames),
          along(std::min<std::size_t>(frames / 3, kLookBeside)) {}
    std::size_t count;
    std::vector<double> step;   // from frame i to the one behind it, round the cycle
    std::vector<double> uneven; // that step from the mean of those before and after it: half the third difference
    std::vector<double> turn;   // from the step before that to the one behind it
    std::vector<double> along;  // products of the steps that lie as far before the seam as after it

    Status add(const FrameBlock& block, const Progress& progress) {
        const auto column = [&](std::size_t i) {
            return block.col(static_cast<Eigen::Index>(i % count)).cast<double>();
        };
        return parallelFor(count, progress, [&](std::size_t i) -> Status {
            const std::size_t before = i + count - 1;
            step[i] += (column(i + 1) - column(i)).squaredNorm();
            uneven[i] +=
                (0.5 * column(before) - 1.5 * column(i) + 1.5 * column(i + 1) - 0.5 * column(i + 2)).squaredNorm();
            if (i + 1 == count)
                for (std::size_t k = 0; k < along.size(); ++k)
                    along[k] += (column(i - k) - column(i - k - 1 + count)).dot(column(i + k + 2) - column(i + k + 1));
            turn[i] += (column(before) - column(i) - column(i + 1) + column(i + 2)).squaredNorm();
            return {};
        });
    }
    // Sums over points become means, those of one item become shares of all.
    void addTo(CycleSums& all, double weight) const {
        for (std::size_t i = 0; i < count; ++i) {
            all.step[i] += weight * step[i];
            all.uneven[i] += weight * uneven[i];
            all.turn[i] += weight * turn[i];
        }
        for (std::size_t k = 0; k < along.size(); ++k)
            all.along[k] += weight * along[k];
    }
    void finish() {
        for (std::vector<double>* values : {&step, &uneven, &turn})
            for (double& value : *values)
                value = std::sqrt(value);
    }
};

// The most uneven of the frames around a seam.
double unevenAround(const CycleSums& cycle) {
    double most = 0.0;
    for (const std::size_t k : {0U, 1U, 2U, 3U})
        most = std::max(most, cycle.uneven[(cycle.count - 2 + k) % cycle.count]);
    return most;
}

// The largest inside, a glitch of a frame or two left aside: what is open is so beside it, too.
double largestInsideOf(const CycleSums& cycle) {
    constexpr std::size_t kGlitch = 3; // frames around it that it has a part in
    constexpr double kStandsOut = 4.0;
    // The seam's step has a part in the unevenness of its neighbours: they do not count as inside.
    std::size_t peak = 1;
    for (std::size_t i = 1; i + 2 < cycle.count; ++i)
        if (cycle.uneven[i] > cycle.uneven[peak])
            peak = i;
    double others = 0.0;
    for (std::size_t i = 1; i + 2 < cycle.count; ++i)
        if (i + kGlitch < peak || i > peak + kGlitch)
            others = std::max(others, cycle.uneven[i]);
    return cycle.count > 16 && cycle.uneven[peak] > kStandsOut * others ? others : cycle.uneven[peak];
}

// All but stops at the seam, over several frames on both sides, goes on the same way behind it, and does so nowhere
// else.
bool easesToAStop(const CycleSums& cycle, double usual) {
    const std::size_t n = cycle.count;
    if (n < 16 || !(usual > 0.0))
        return false;
    const auto stepAt = [&](std::ptrdiff_t fromSeam) {
        return cycle.step[static_cast<std::size_t>(static_cast<std::ptrdiff_t>(2 * n) - 1 + fromSeam) % n];
    };
    constexpr double kSlow = 0.35;
    const double slowest = std::min({stepAt(-1), stepAt(0), stepAt(1)});
    if (!(std::max(stepAt(-1), stepAt(1)) < kSlow * usual) || !(stepAt(0) < kSlow * usual))
        return false;
    // Where both sides move again: does it go on the same way? And until where are they slow?
    const auto reach = static_cast<std::ptrdiff_t>(cycle.along.size());
    const auto bothBeyond = [&](double share) {
        std::ptrdiff_t k = 1;
        while (k < reach && (stepAt(-k) < share * usual || stepAt(k) < share * usual))
            ++k;
        return k;
    };
    const std::ptrdiff_t moves = bothBeyond(0.1);
    const std::ptrdiff_t k = bothBeyond(0.6);
    if (k >= reach)
        return false;
    const double product = cycle.along[static_cast<std::size_t>(moves - 1)];
    if (!(product > 0.3 * stepAt(-moves) * stepAt(moves)))
        return false;
    for (std::ptrdiff_t i = k; i < static_cast<std::ptrdiff_t>(n) - k; ++i)
        if (stepAt(i) < std::max(2.0 * slowest, 0.5 * kSlow * usual))
            return false;
    return true;
}

} // namespace

Result<std::vector<LoopCandidate>> loopCandidates(const SeamMap& map, const LoopBounds& bounds) {
    const std::size_t n = map.count();
    const double first = map.frames().front();
    const auto index = [&](double frame) { return frame - first; };
    const double lowStart = bounds.start ? std::max(0.0, std::ceil(index(bounds.start->first) - kFrameTolerance)) : 0.0;
    const double highStart = bounds.start ? std::floor(index(bounds.start->last) + kFrameTolerance) : 1e9;
    const double shortest = std::max(3.0, bounds.length ? std::ceil(bounds.length->first - kFrameTolerance) : 4.0);
    const double longest =
        std::min(static_cast<double>(n - 1), bounds.length ? std::floor(bounds.length->last + kFrameTolerance) : 1e9);
    if (longest < shortest || lowStart > highStart || lowStart + shortest > static_cast<double>(n - 1))
        return fail(makeError(ErrorKind::BadInput, "no cycle lies within these bounds")
                        .withAdvice(fmt::format("There is {} – {}", frameText(first), frameText(map.frames().back()))));
    const double weight = bounds.velocityFrames * map.frameSeconds();
    const auto from = static_cast<std::size_t>(lowStart);
    std::vector<double> steps(n, 0.0);
    for (std::size_t f = 0; f + 1 < n; ++f)
        steps[f] = map.distance(f, f + 1);
    const auto cost = [&](std::size_t s, std::size_t length) {
        return map.distance(s, s + length) + weight * map.velocityGap(s, s + length);
    };
    const auto lastStart = [&](std::size_t length) { return std::min(highStart, static_cast<double>(n - 1 - length)); };
    // The least that each length costs, one beyond the bounds on both sides for comparison.
    const std::size_t lowLength = static_cast<std::size_t>(shortest);
    const std::size_t highLength = static_cast<std::size_t>(longest);
    std::vector<double> best(n + 1, std::numeric_limits<double>::infinity());
    for (std::size_t length = std::max<std::size_t>(2, lowLength - 1); length <= std::min(highLength + 1, n - 1);
         ++length)
        for (std::size_t s = from; static_cast<double>(s) <= lastStart(length); ++s)
            best[length] = std::min(best[length], cost(s, length));
    // Lengths that were asked for are listed, whether any beside them would close better or not.
    constexpr double kAFew = 12.0;
    const bool asked = bounds.length && bounds.length->last - bounds.length->first <= kAFew;
    std::vector<LoopCandidate> found;
    std::vector<double> costs;
    for (std::size_t length = lowLength; length <= highLength; ++length) {
        const bool least = best[length - 1] >= best[length] && best[length + 1] >= best[length];
        if (!std::isfinite(best[length]) || !(least || asked))
            continue;
        // Starts of one length: local minima that lie apart.
        std::vector<std::pair<double, std::size_t>> starts;
        for (std::size_t s = from; static_cast<double>(s) <= lastStart(length); ++s) {
            const double here = cost(s, length);
            const bool lower = (s == from || cost(s - 1, length) >= here) &&
                               (static_cast<double>(s + 1) > lastStart(length) || cost(s + 1, length) >= here);
            if (lower)
                starts.emplace_back(here, s);
        }
        std::sort(starts.begin(), starts.end());
        std::vector<std::size_t> taken;
        for (const auto& [price, s] : starts) {
            const double apart = std::max(3.0, static_cast<double>(length) / 6.0);
            if (taken.size() == 2 || std::any_of(taken.begin(), taken.end(), [&, s = s](std::size_t t) {
                    return std::abs(static_cast<double>(t) - static_cast<double>(s)) < apart;
                }))
                continue;
            taken.push_back(s);
            LoopCandidate candidate;
            candidate.start = map.frames()[s];
            candidate.length = static_cast<double>(length);
            candidate.gap = map.distance(s, s + length);
            candidate.velocityGap = map.velocityGap(s, s + length);
            const std::vector<double> within(steps.begin() + static_cast<std::ptrdiff_t>(s),
                                             steps.begin() + static_cast<std::ptrdiff_t>(s + length));
            const double usual = middleOf(within);
            candidate.gapSteps = usual > 0.0 ? candidate.gap / usual : std::numeric_limits<double>::infinity();
            double out = 0.0;
            for (std::size_t k = 1; k < length; ++k)
                out = std::max(out, map.distance(s, s + k));
            // The steps at the seam count too: where it comes to rest there is nothing to go on with.
            const double there = std::max(usual, 0.5 * (steps[s] + steps[s + length - 1]));
            candidate.good = usual > 0.0 && candidate.gapSteps <= kGoodSteps &&
                             candidate.velocityGap * map.frameSeconds() <= kGoodVelocity * there &&
                             out >= kWayOut * (candidate.gap + usual);
            found.push_back(candidate);
            costs.push_back(price);
        }
    }
    std::vector<std::size_t> order(found.size());
    for (std::size_t i = 0; i < order.size(); ++i)
        order[i] = i;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return found[a].good != found[b].good ? found[a].good : costs[a] < costs[b];
    });
    std::vector<LoopCandidate> result;
    for (std::size_t i = 0; i < std::min(order.size(), bounds.count); ++i)
        result.push_back(found[order[i]]);
    return result;
}

namespace {

// How far the middle of all items goes from the first frame to where it would be behind the last.
Result<Eigen::Vector3d> travelOf(const std::vector<MovingItem>& items, const std::vector<double>& times,
                                 const Progress& progress) {
    Eigen::MatrixXd middles = Eigen::MatrixXd::Zero(3, static_cast<Eigen::Index>(times.size()));
    double all = 0.0;
    for (const MovingItem& item : items) {
        WYC_TRY(frames, MotionFrames::of(item, times, progress));
        for (const PointStretch& stretch : frames.stretches()) {
            WYC_TRY(block, frames.read(stretch, progress));
            for (Eigen::Index f = 0; f < block.cols(); ++f)
                for (Eigen::Index row = 0; row < block.rows(); row += 3)
                    middles.col(f) += block.block<3, 1>(row, f).cast<double>();
        }
        all += static_cast<double>(frames.points());
    }
    middles /= std::max(1.0, all);
    const Eigen::Index n = middles.cols();
    const Eigen::Vector3d over = 0.5 * ((middles.col(1) - middles.col(0)) + (middles.col(n - 1) - middles.col(n - 2)));
    return Eigen::Vector3d(middles.col(n - 1) - middles.col(0) + over);
}

// Points that come and go: which of the first frame's follow from one of the last frame's, going on as it goes.
Status lookAtBirths(const MovingItem& item, const std::vector<double>& times, LoopCheck& check,
                    const Progress& progress) {
    const Geometry& shape = *item.scene->nodes[item.node].geometry;
    if (!shape.topologyVaries())
        return {};
    struct Frame {
        IdsPtr ids;
        std::vector<Vec3f> points;
    };
    const auto frameAt = [&](double seconds) -> Result<Frame> {
        Frame frame;
        WYC_TRY(ids, shape.idsAt(seconds));
        frame.ids = ids;
        WYC_TRY(count, shape.pointCountAt(seconds));
        frame.points.resize(count);
        WYC_CHECK(shape.readAt(seconds, 0, frame.points));
        return frame;
    };
    std::vector<double> ways;
    Frame before;
    Frame first;
    std::unordered_map<std::uint64_t, Vec3d> goes; // way of each point over the last step
    for (std::size_t f = 0; f < times.size(); ++f) {
        WYC_CHECK(progress.poll());
        WYC_TRY(now, frameAt(times[f]));
        if (!now.ids || now.ids->size() != now.points.size())
            return {}; // nothing tells which is which
        check.points = std::max(check.points, now.points.size());
        if (f == 0) {
            first = now;
        } else {
            std::unordered_map<std::uint64_t, std::size_t> places;
            for (std::size_t i = 0; i < before.ids->size(); ++i)
                places.emplace((*before.ids)[i], i);
            std::size_t kept = 0;
            const std::size_t every = std::max<std::size_t>(1, now.points.size() / 500);
            goes.clear();
            for (std::size_t i = 0; i < now.ids->size(); ++i)
                if (const auto at = places.find((*now.ids)[i]); at != places.end()) {
                    ++kept;
                    const Vec3d way = Vec3d(now.points[i]) - Vec3d(before.points[at->second]);
                    goes[(*now.ids)[i]] = way;
                    if (i % every == 0)
                        ways.push_back(length(way));
                }
            const double most =
                static_cast<double>(std::max<std::size_t>({1, now.points.size(), before.points.size()}));
            check.usuallyPopping = std::max(check.usuallyPopping, 1.0 - static_cast<double>(kept) / most);
        }
        before = std::move(now);
    }
    if (first.points.empty() || before.points.empty() || ways.empty())
        return {};
    Eigen::Matrix3Xd expected(3, static_cast<Eigen::Index>(before.points.size()));
    for (std::size_t i = 0; i < before.points.size(); ++i) {
        const auto way = goes.find((*before.ids)[i]);
        const Vec3d p = Vec3d(before.points[i]) + (way != goes.end() ? way->second : Vec3d{});
        expected.col(static_cast<Eigen::Index>(i)) << p.x, p.y, p.z;
    }
    const PointIndex index(expected);
    const double reach = std::max(1e-6, 1.5 * middleOf(ways));
    std::size_t follow = 0;
    for (const Vec3f& p : first.points) {
        const auto near =
            index.nearest({static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)}, 1);
        follow += !near.empty() && near[0].square <= reach * reach;
    }
    const double most = static_cast<double>(std::max(first.points.size(), before.points.size()));
    check.popping = std::max(check.popping, 1.0 - static_cast<double>(follow) / most);
    return {};
}

// What all points are carried by each cycle, evenly from frame to frame.
void takeOut(const Eigen::Vector3d& travel, FrameBlock& block) {
    if (travel.isZero())
        return;
    const Eigen::VectorXf each =
        (travel / static_cast<double>(block.cols())).cast<float>().replicate(block.rows() / 3, 1);
    for (Eigen::Index f = 1; f < block.cols(); ++f)
        block.col(f) -= static_cast<float>(f) * each;
}

Result<LoopCheck> checkedCycle(const std::vector<MovingItem>& items, const std::vector<double>& times,
                               const Eigen::Vector3d& travel, const Progress& progress) {
    const FrameRate rate = items.front().scene->view.rate;
    const std::size_t n = times.size();
    std::size_t followed = 0;
    double usualMetres = 0.0;
    // As it is, and without its last frame, which may be one too many.
    CycleSums whole(n);
    CycleSums shorter(n - 1);
    for (std::size_t k = 0; k < items.size(); ++k) {
        const double share = 1.0 / static_cast<double>(items.size());
        const Progress part = progress.part(static_cast<double>(k) * share, static_cast<double>(k + 1) * share);
        WYC_TRY(frames, MotionFrames::of(items[k], times, part));
        CycleSums own(n);
        CycleSums ownShorter(n - 1);
        for (const PointStretch& stretch : frames.stretches()) {
            WYC_TRY(block, frames.read(stretch, part));
            takeOut(travel, block);
            WYC_CHECK(own.add(block, part));
            WYC_CHECK(ownShorter.add(block, part));
        }
        followed += frames.points();
        const double points = static_cast<double>(std::max<std::size_t>(1, frames.points()));
        double weight = 1.0 / points;
        const double usual =
            middleOf(std::vector<double>(own.step.begin(), own.step.end() - 1)) / points; // without the seam
        usualMetres += share * std::sqrt(usual);
        if (items.size() > 1) { // each in its own usual steps
            if (!(usual > 0.0))
                return fail(makeError(ErrorKind::BadInput, "it rests in most frames")
                                .forItem(items[k].scene->nodes[items[k].node].path)
                                .withAdvice("Leave it out of the look"));
            weight *= share / usual;
        }
        own.addTo(whole, weight);
        ownShorter.addTo(shorter, weight);
    }
    whole.finish();
    shorter.finish();
    if (!(*std::max_element(whole.step.begin(), whole.step.end()) > 0.0))
        return fail(doesNotMove(items.front()));
    LoopCheck check;
    check.followed = followed;
    check.inSteps = items.size() > 1;
    check.usualMetres = usualMetres;
    check.first = snappedFrame(rate.frameAt(times.front()));
    check.last = snappedFrame(rate.frameAt(times.back()));
    check.usualStep = middleOf(std::vector<double>(whole.step.begin(), whole.step.end() - 1));
    // Equal beside motion that goes on; where all is slow only what is equal indeed.
    const auto same = [&](std::size_t step) {
        const double beside = std::min(whole.step[(step + n - 1) % n], whole.step[(step + 1) % n]);
        return whole.step[step] <= (beside > 0.25 * check.usualStep ? kSamePose : 1e-4) * check.usualStep;
    };
    // About a turning point two frames may be equal and still be the cycle's own: then it is even as it is.
    const bool turns = n > 6 && unevenAround(whole) < 0.5 * unevenAround(shorter);
    check.closingCopy = same(n - 1) && !turns;
    check.doubledEnd = !check.closingCopy && same(n - 2);
    const CycleSums& cycle = check.closingCopy || check.doubledEnd ? shorter : whole;
    const std::size_t count = cycle.count;
    check.length = static_cast<double>(count);
    if (count < 4)
        return check;
    const std::size_t seam = count - 1;
    check.steps = cycle.step;
    check.step = cycle.step[seam];
    check.gap = cycle.uneven[seam];
    check.smallestStep = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i + 1 < count; ++i) {
        check.smallestStep = std::min(check.smallestStep, cycle.step[i]);
        check.largestStep = std::max(check.largestStep, cycle.step[i]);
    }
    check.largestInside = largestInsideOf(cycle);
    check.gapSteps = check.usualStep > 0.0 ? check.gap / check.usualStep : 0.0;
    check.velocityGap = cycle.turn[seam] / rate.secondsAt(1.0);
    check.largestVelocityGap = *std::max_element(cycle.turn.begin() + 1, cycle.turn.end() - 2) / rate.secondsAt(1.0);
    const double before = cycle.step[seam - 1];
    const double after = cycle.step[0];
    // Like over any other frame: no longer a step, no shorter one, no more uneven than inside, rounding aside.
    const double rounding = 0.01 * check.usualStep;
    const bool even = check.gap <= 1.5 * check.largestInside + rounding;
    // Slow where it turns back is no pause: there the steps before and after go against one another.
    const bool turnsBack = !cycle.along.empty() && cycle.along[0] < 0.0; // there it is slow by nature
    check.eases = easesToAStop(cycle, check.usualStep);
    check.pause = check.eases || (!even && check.step < 0.5 * std::min(before, after));
    check.loops = !check.pause && check.step <= 1.15 * check.largestStep + rounding &&
                  (turnsBack || check.step >= 0.85 * check.smallestStep - rounding) && even;
    return check;
}

} // namespace

std::string loopLengthText(double length, bool inSteps) {
    return inSteps ? fmt::format("{:.3g} steps", length) : lengthText(length);
}

Result<LoopCheck> checkLoop(const std::vector<MovingItem>& items, const Progress& progress) {
    if (items.empty())
        return fail(makeError(ErrorKind::BadInput, "no item is chosen"));
    WYC_TRY(times, commonTimes(items));
    WYC_TRY(check, checkedCycle(items, times, Eigen::Vector3d::Zero(), progress.part(0.0, 0.6)));
    check.points = check.followed;
    for (const MovingItem& item : items) {
        WYC_CHECK(lookAtBirths(item, times, check, progress));
        WYC_TRY(first, placementAt(*item.scene, item.node, times.front()));
        WYC_TRY(last, placementAt(*item.scene, item.node, times.back()));
        check.seenChanges = check.seenChanges || first.visible != last.visible;
    }
    // Over the seam more points may come and go than inside, but for a few.
    constexpr double kFew = 0.05;
    check.loops = check.loops && !check.seenChanges && check.popping <= 1.5 * check.usuallyPopping + kFew;
    if (check.loops || check.length < 8.0)
        return check;
    WYC_TRY(travel, travelOf(items, times, progress.part(0.6, 0.8)));
    constexpr double kTravels = 2.5; // steps
    if (travel.norm() <= kTravels * check.usualMetres)
        return check;
    WYC_TRY(carried, checkedCycle(items, times, travel, progress.part(0.8, 1.0)));
    if (carried.loops) {
        check.travel = travel.norm();
        check.loopsGoingOn = true;
    }
    return check;
}

} // namespace wyc
