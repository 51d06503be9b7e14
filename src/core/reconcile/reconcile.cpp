// SPDX-License-Identifier: GPL-3.0-or-later
#include "reconcile/reconcile.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <map>
#include <numbers>
#include <numeric>

#include <Eigen/Geometry>
#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
#include "reconcile/drift.h"
#include "reconcile/order_map.h"
#include "reconcile/reorder.h"
#include "scene/mix.h"
#include "scene/units.h"

namespace wyc {
namespace {

constexpr std::uint32_t kNone = OrderMap::kNone;
constexpr std::size_t kSample = 256;
constexpr double kRounding = 3e-6; // of the spread: what passes through single precision and decimal texts

std::string count(std::size_t n, const char* what) {
    return fmt::format("{} {}{}", groupedDigits(n), what, n == 1 ? "" : "s");
}

// How sure a figure is: by how far off all would be without it, against what is left with it.
double sureOf(double without, double left) {
    const double ratio = without / std::max(left, 1e-9);
    const double most = std::clamp(1.0 - 2.0 * left, 0.05, 0.99); // of what fits badly nothing is certain
    return ratio > 1e4 ? most : std::clamp(1.0 - 1.5 / (1.0 + ratio * ratio / 2.0), 0.05, most);
}

class Engine {
  public:
    Engine(const ShapeMotion& a, const ShapeMotion& b, const ReconcileSettings& settings, const Progress& progress)
        : a_(a), b_(b), settings_(settings), progress_(progress) {}

    Result<Reconciled> run() {
        found_.a = a_.item().path;
        found_.b = b_.item().path;
        found_.metres = a_.scene().unitMetres.value_or(1.0);
        WYC_TRY(equal, isEqual());
        if (equal)
            return std::move(found_);
        WYC_TRY(map, orderOf(a_, b_, progress_.part(0.0, 0.5)));
        map_ = std::move(map);
        tellOrder();
        if (map_.alignment && !pairs().empty()) {
            WYC_CHECK(readSample());
            WYC_CHECK(alignAgain());
            tellFrames();
            tellTime();
            WYC_CHECK(tellSpace());
        }
        WYC_CHECK(tellShape());
        WYC_CHECK(tellDrift());
        found_.text = words();
        return std::move(found_);
    }

  private:
    [[nodiscard]] std::vector<std::pair<std::uint32_t, std::uint32_t>> pairs() const {
        std::vector<std::pair<std::uint32_t, std::uint32_t>> all;
        for (std::uint32_t p = 0; p < map_.aOfB.size(); ++p)
            if (map_.aOfB[p] != kNone)
                all.emplace_back(map_.aOfB[p], p);
        return all;
    }
    // Point for point and frame for frame the same: there is nothing to be found out.
    Result<bool> isEqual() {
        if (a_.points() != b_.points() || a_.times().size() != b_.times().size() ||
            a_.topology()->hash() != b_.topology()->hash())
            return false;
        for (std::size_t i = 0; i < a_.times().size(); ++i)
            if (std::abs(a_.times()[i] - b_.times()[i]) > 1e-6)
                return false;
        std::vector<std::uint32_t> numbers(a_.points());
        std::iota(numbers.begin(), numbers.end(), 0U);
        WYC_TRY(drift, driftBetween(a_, b_, numbers, progress_));
        if (!drift || drift->broken > 0 || drift->largest > 0.0)
            return false;
        found_.order.by = a_.topology()->faceCount() > 0 ? "hash" : "position";
        found_.order.certain = a_.points();
        found_.order.aOfB = found_.order.bOfA = std::make_shared<const std::vector<std::uint32_t>>(std::move(numbers));
        found_.drift = drift;
        found_.undone = std::move(drift);
        found_.withinTolerance = true;
        found_.text = "B is A";
        return true;
    }
    static std::vector<double> timesOf(const ShapeMotion& motion) {
        const std::size_t most =
            std::clamp<std::size_t>(200'000'000 / std::max<std::size_t>(1, motion.points()), 24, 600);
        return someOf(motion.times(), most);
    }
    Status readSample() {
        const auto all = pairs();
        std::vector<std::uint32_t> ofA;
        std::vector<std::uint32_t> ofB;
        const std::size_t step = std::max<std::size_t>(1, all.size() / kSample);
        for (std::size_t i = 0; i < all.size(); i += step) {
            // Not in a grid's own step.
            const std::size_t k = std::min(all.size() - 1, i + (i * 7919) % step);
            ofA.push_back(all[k].first);
            ofB.push_back(all[k].second);
        }
        WYC_TRY(trackA, a_.read(&ofA, timesOf(a_), progress_));
        WYC_TRY(trackB, b_.read(&ofB, timesOf(b_), progress_));
        trackA_ = std::move(trackA);
        trackB_ = std::move(trackB);
        WYC_TRY(localA, a_.readLocal(&ofA, timesOf(a_), progress_));
        localA_ = std::move(localA);
        // What is no number somewhere says nothing of the others.
        std::vector<std::uint32_t> finite;
        for (std::uint32_t i = 0; i < ofA.size(); ++i)
            if (trackA_.xyz.col(i).allFinite() && trackB_.xyz.col(i).allFinite())
                finite.push_back(i);
        if (finite.size() < ofA.size()) {
            trackA_ = trackA_.columns(finite);
            trackB_ = trackB_.columns(finite);
            localA_ = localA_.columns(finite);
        }
        std::vector<double> steps;
        for (std::size_t i = 1; i < trackA_.moments(); ++i)
            steps.push_back(trackA_.times[i] - trackA_.times[i - 1]);
        stepA_ = steps.empty() ? 0.0 : middleOf(std::move(steps));
        dense_ = timesOf(b_).size() == b_.times().size() && timesOf(a_).size() == a_.times().size();
        WYC_TRY(extentA, a_.extent(progress_));
        WYC_TRY(extentB, b_.extent(progress_));
        movesA_ = extentA > 1e-6;
        movesB_ = extentB > 1e-6 && !restsBeside(extentB, extentA);
        return {};
    }
    // All together once more, by the points that are known now; of what stands still one moment.
    Status alignAgain() {
        if (movesA_ && !movesB_) {
            trackB_.times.resize(1);
            trackB_.xyz = Eigen::MatrixXd(trackB_.xyz.topRows<3>());
        }
        how_ = alignmentOf(trackA_, trackB_);
        // Where a transform that moves was left out, only A's own points are like B's at all.
        if (hasPlace(a_) && !hasPlace(b_) && how_.relative() > 1e-4)
            if (Alignment bare = alignmentOf(localA_, trackB_);
                isPlain(bare) && bare.relative() < 0.1 * how_.relative()) {
                how_ = std::move(bare);
                trackA_ = localA_;
                withoutPlace_ = true;
            }
        if (movesA_ && movesB_)
            alignByStretches();
        slips_.assign(trackB_.moments(), 0);
        if (movesA_ && movesB_)
            findSlips();
        return {};
    }

    // Where a frame stands twice or is gone, no one line of time fits all: a stretch alone may, and all else a few
    // samples beside it.
    void alignByStretches() {
        const std::size_t n = trackB_.moments();
        if (how_.relative() < 2e-5 || n < 10)
            return;
        std::optional<Alignment> best;
        for (const std::size_t parts : {2U, 3U, 4U})
            for (std::size_t k = 0; k < parts; ++k) {
                const std::size_t first = k * n / parts;
                const std::size_t end = (k + 1) * n / parts;
                if (end - first < 5)
                    continue;
                Track stretch;
                stretch.times.assign(trackB_.times.begin() + static_cast<std::ptrdiff_t>(first),
                                     trackB_.times.begin() + static_cast<std::ptrdiff_t>(end));
                stretch.xyz = trackB_.xyz.middleRows(static_cast<Eigen::Index>(3 * first),
                                                     static_cast<Eigen::Index>(3 * (end - first)));
                Alignment one = alignmentOf(trackA_, stretch);
                // What rounding leaves is all alike; then the plainer time.
                const auto score = [](const Alignment& fit) {
                    return std::max(fit.relative(), 2e-6) * (std::abs(fit.speed - 1.0) < 1e-9 ? 1.0 : 1.5);
                };
                if (one.timeMatters && (!best || score(one) < 0.9 * score(*best)))
                    best = std::move(one);
            }
        if (!best || best->residual > 0.25 * how_.residual)
            return;
        // As it is believed only where most moments lie on it, a few samples aside.
        const Alignment whole = how_;
        how_.space = best->space;
        how_.residual = best->residual;
        how_ = aligned(best->speed, best->shift);
        std::size_t fit = 0;
        int last = 0;
        for (std::size_t t = 0; t < n; ++t)
            if (const auto slip = slipOf(t, last)) {
                last = *slip;
                ++fit;
            }
        if (fit * 5 < n * 3)
            how_ = whole;
    }

    [[nodiscard]] double stepA() const { return stepA_; }
    // RMS of a moment of B from A at a time, as it lies; NaN where A has none.
    [[nodiscard]] double offAt(std::size_t t, double timeOfA) const {
        if (timeOfA < trackA_.times.front() - 1e-6 || timeOfA > trackA_.times.back() + 1e-6)
            return std::numeric_limits<double>::quiet_NaN();
        const Eigen::Matrix3Xd there = how_.space.of(trackA_.at(timeOfA));
        const auto here = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t));
        return std::sqrt((here - there).colwise().squaredNorm().mean());
    }
    [[nodiscard]] double fits() const { return std::max(4.0 * how_.residual, 4e-5 * how_.spread); }

    // By how many samples of A a moment of B is further on than its time says: the nearest to what was so before that
    // fits.
    [[nodiscard]] std::optional<int> slipOf(std::size_t t, int before) const {
        const double own = how_.timeOfA(trackB_.times[t]);
        const int most = static_cast<int>(trackA_.moments());
        for (int k = 0; k <= most; ++k)
            for (const int by : {before + k, before - k})
                if (offAt(t, own + by * stepA_) <= fits())
                    return by;
        return std::nullopt;
    }
    // Stretches that show A a few samples earlier or later than all the others: a frame stands twice before them, or is
    // gone. Counted from the first stretch on.
    void findSlips() {
        const double step = stepA();
        if (!(step > 0.0) || !dense_ || trackB_.moments() < 5)
            return;
        std::vector<std::optional<int>> slip(trackB_.moments());
        int last = 0;
        for (std::size_t t = 0; t < trackB_.moments(); ++t)
            if ((slip[t] = slipOf(t, last)))
                last = *slip[t];
        // The first stretch of three alike says where time begins.
        std::optional<int> base;
        for (std::size_t t = 0; t + 2 < slip.size() && !base; ++t)
            if (slip[t] && slip[t] == slip[t + 1] && slip[t] == slip[t + 2])
                base = slip[t];
        if (!base)
            return;
        if (*base != 0 && std::any_of(slip.begin(), slip.end(), [&](const auto& s) { return s && *s == 0; })) {
            how_.shift += *base * step;
            how_ = aligned(how_.speed, how_.shift);
        } else if (*base != 0) {
            return;
        }
        int now = 0;
        for (std::size_t t = 0; t < slip.size(); ++t) {
            if (slip[t])
                now = *slip[t] - *base;
            slips_[t] = now;
        }
        // Only what goes on counts: a moment alone is a frame of its own.
        for (std::size_t t = 0; t < slips_.size(); ++t) {
            const bool alone =
                (t == 0 || slips_[t - 1] != slips_[t]) && (t + 1 == slips_.size() || slips_[t + 1] != slips_[t]);
            if (alone && t > 0)
                slips_[t] = slips_[t - 1];
            else if (alone && slips_.size() > 1)
                slips_[t] = slips_[1];
        }
    }
    [[nodiscard]] Alignment aligned(double speed, double shift) const {
        Alignment made = how_;
        made.speed = speed;
        made.shift = shift;
        for (std::size_t t = 0; t < trackB_.moments(); ++t) {
            made.off[t] = offAt(t, made.timeOfA(trackB_.times[t]));
            made.counts[t] = !std::isnan(made.off[t]) && made.off[t] <= fits();
        }
        return made;
    }
    [[nodiscard]] double frameOfB(std::size_t t) const { return snappedFrame(b_.rate().frameAt(trackB_.times[t])); }
    [[nodiscard]] bool sameAsBefore(std::size_t t) const {
        if (t == 0)
            return false;
        const auto here = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t));
        const auto before = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t - 3));
        const double way = std::sqrt((here - before).colwise().squaredNorm().mean());
        return way <= std::max(1e-6 * how_.spread, 3.0 * how_.residual) && way <= 0.2 * usualStepOfB();
    }

    void add(std::string id, double figure, std::string unit, double confidence, std::string text, std::string evidence,
             std::vector<Step> undo = {}) {
        constexpr double kNoWord = 0.2; // less is no guess even
        if (confidence < kNoWord)
            return;
        found_.causes.push_back({std::move(id), figure, std::move(unit), confidence, std::move(text),
                                 std::move(evidence), std::move(undo)});
    }

    void tellOrder() {
        OrderFacts& facts = found_.order;
        facts.same = map_.same();
        facts.by = orderWayName(map_.by);
        facts.certain = map_.certain();
        facts.ambiguous = map_.unsure.size();
        facts.unmatchedA = map_.unmatchedA();
        facts.unmatchedB = map_.unmatchedB();
        facts.unsure = map_.unsure;
        facts.aOfB = std::make_shared<const std::vector<std::uint32_t>>(map_.aOfB);
        facts.bOfA = std::make_shared<const std::vector<std::uint32_t>>(map_.bOfA);
        facts.split = map_.split;
        facts.welded = map_.welded;
    }

    // Single frames: stale, held, standing twice, gone.
    void tellFrames() {
        if (movesA_ && !movesB_) {
            const double frame = snappedFrame(a_.rate().frameAt(how_.timeOfA(trackB_.times.front())));
            const bool known = how_.relative() < 0.01;
            add("static", 0.0, "", 0.99, "it does not move",
                known ? fmt::format("it is A's frame {} throughout", frameText(frame))
                      : std::string("all its samples are alike; A moves"));
            return;
        }
        if (!movesB_ || trackB_.moments() < 3 || !dense_)
            return;
        std::vector<std::size_t> held;
        std::vector<std::size_t> doubled;
        std::vector<std::size_t> others;
        const double usual = middleOf(stepsOfB());
        for (std::size_t t = 0; t < trackB_.moments(); ++t) {
            const bool slipped = t > 0 && slips_[t] < slips_[t - 1];
            const double off = offAt(t, how_.timeOfA(trackB_.times[t]) + slips_[t] * stepA());
            const bool fit = std::isnan(off) || off <= fits();
            if (slipped && sameAsBefore(t))
                doubled.push_back(t);
            else if (!fit && t > 0 && sameAsBefore(t))
                held.push_back(t);
            else if (!fit)
                others.push_back(t);
        }
        // A first frame before A's begins is stale where it shows a later pose.
        const bool before = how_.timeOfA(trackB_.times[0]) < trackA_.times.front() - 1e-6 &&
                            how_.timeOfA(trackB_.times[1]) >= trackA_.times.front() - 1e-6;
        const bool leaps = before && poseLike(0) && stepsOfB()[0] > 4.0 * usual;
        if (leaps || (!others.empty() && others.front() == 0 && !(others.size() > 1 && others[1] == 1))) {
            // What it holds instead, where that is known.
            std::string evidence = "it is no pose that comes before the second";
            if (const auto like = poseLike(0))
                evidence = fmt::format("it holds the pose of {}", frameText(frameOfB(*like)));
            const double size = std::max(how_.spread, 1e-30);
            add("first_stale", 1.0, "frames",
                std::min(1.0 - 2.0 * how_.relative(), sureOf((leaps ? stepsOfB()[0] : how_.off[0]) / size,
                                                             std::max(how_.residual, 0.2 * usual) / size)),
                "its first frame is stale", evidence, {{"ends", {{"first", "left out"}}, true}});
        }
        const auto listed = [&](const std::vector<std::size_t>& which) {
            std::string text;
            for (const std::size_t t : which)
                text += fmt::format("{}{}", text.empty() ? "" : ",", frameText(frameOfB(t)));
            return text;
        };
        if (!held.empty())
            add("held", static_cast<double>(held.size()), "frames", 0.95,
                fmt::format("{} {} the one before", count(held.size(), "frame"), held.size() == 1 ? "holds" : "hold"),
                listed(held), {{"drop", {{"frames", listed(held)}}, true}, {"fill", nlohmann::json::object(), true}});
        if (!doubled.empty())
            add("doubled", static_cast<double>(doubled.size()), "frames", 0.97,
                fmt::format("{} {} twice, and all behind {} later", count(doubled.size(), "frame"),
                            doubled.size() == 1 ? "stands" : "stand", doubled.size() == 1 ? "it is" : "them is"),
                listed(doubled), {{"drop", {{"frames", listed(doubled)}, {"close", true}}, true}});
        // Gaps in its own times.
        std::size_t gone = 0;
        std::string where;
        const double step = b_.rate().secondsAt(1.0);
        const std::vector<double>& times = b_.times();
        std::vector<double> steps;
        for (std::size_t i = 1; i < times.size(); ++i)
            steps.push_back(times[i] - times[i - 1]);
        const double own = middleOf(steps);
        for (std::size_t i = 1; i < times.size() && own > 0.0; ++i)
            if (const auto more = static_cast<int>(std::lround((times[i] - times[i - 1]) / own)) - 1; more > 0) {
                gone += static_cast<std::size_t>(more);
                where +=
                    fmt::format("{}{}", where.empty() ? "after " : ", ", frameText(snappedFrame(times[i - 1] / step)));
            }
        if (gone > 0)
            add("missing", static_cast<double>(gone), "frames", 0.97,
                fmt::format("{} {} missing", count(gone, "frame"), gone == 1 ? "is" : "are"), where,
                {{"fill", nlohmann::json::object(), true}});
        for (std::size_t t = 1; t < slips_.size(); ++t)
            if (slips_[t] > slips_[t - 1] && how_.relative() < 0.02)
                add("missing", static_cast<double>(slips_[t] - slips_[t - 1]), "frames", 0.9,
                    fmt::format("{} left out, and all behind is earlier",
                                count(static_cast<std::size_t>(slips_[t] - slips_[t - 1]), "frame")),
                    fmt::format("before {}", frameText(frameOfB(t))));
    }
    // The later moment of B that shows the same pose as one; nothing where none does.
    [[nodiscard]] std::optional<std::size_t> poseLike(std::size_t moment) const {
        std::optional<std::size_t> found;
        double least = fits();
        const auto own = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * moment));
        for (std::size_t t = moment + 2; t < trackB_.moments(); ++t) {
            const auto other = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t));
            if (const double off = std::sqrt((own - other).colwise().squaredNorm().mean()); off <= least) {
                least = off;
                found = t;
            }
        }
        return found;
    }
    [[nodiscard]] double usualStepOfB() const {
        const std::vector<double> steps = stepsOfB();
        return steps.empty() ? 0.0 : middleOf(steps);
    }
    [[nodiscard]] std::vector<double> stepsOfB() const {
        std::vector<double> steps;
        for (Eigen::Index row = 3; row < trackB_.xyz.rows(); row += 3)
            steps.push_back(std::sqrt(
                (trackB_.xyz.middleRows<3>(row) - trackB_.xyz.middleRows<3>(row - 3)).colwise().squaredNorm().mean()));
        return steps;
    }

    void tellTime() {
        if (!movesA_ || !movesB_ || !how_.timeMatters)
            return;
        const double rateA = a_.rate().value();
        const double rateB = b_.rate().value();
        const double left = std::max(how_.relative(), kRounding);
        const double step = stepA();
        std::vector<double> stepsB;
        for (std::size_t i = 1; i < trackB_.moments(); ++i)
            stepsB.push_back(trackB_.times[i] - trackB_.times[i - 1]);
        const double stepB = stepsB.empty() ? step : middleOf(stepsB);
        double shift = how_.shift; // behind what is undone so far
        double frameSeconds = 1.0 / rateB;
        if (std::abs(how_.speed - 1.0) > 1e-6) {
            const double without = alignmentAt(trackA_, trackB_, 1.0, middleShift(1.0)).relative();
            const double sure = sureOf(without, left);
            const bool sampleBySample = step > 0.0 && std::abs(how_.speed * stepB / step - 1.0) < 1e-4;
            if (sampleBySample) {
                const FrameRate now = b_.rate();
                const double wanted = now.value() / how_.speed;
                std::string rate = a_.rate().text();
                if (std::abs(a_.rate().value() / wanted - 1.0) > 1e-6)
                    rate = shortestNumber(wanted);
                add("rate", how_.speed, "x", sure,
                    fmt::format("the same samples at {} frames a second instead of {}",
                                shortestNumber(std::round(how_.speed * rateA * 1000.0) / 1000.0), a_.rate().text()),
                    fmt::format("sample by sample, {:.6g} as fast", how_.speed), {{"rate", {{"rate", rate}}, true}});
                frameSeconds = 1.0 / wanted;
            } else {
                add("retimed", how_.speed, "x", sure,
                    fmt::format("it plays {} × as fast", shortestNumber(std::round(how_.speed * 1e6) / 1e6)),
                    "over all of it, evenly",
                    {{"retime", {{"curve", fmt::format("x{}", shortestNumber(1.0 / how_.speed))}}, true}});
                shift += (how_.speed - 1.0) * b_.times().front();
            }
        }
        if (const double frames = -shift * rateA; std::abs(frames) > 1e-3) {
            const double without = alignmentAt(trackA_, trackB_, how_.speed, how_.shift + frames / rateA).relative();
            const double rounded =
                std::abs(frames - std::round(frames)) < 1e-3 ? std::round(frames) : std::round(frames * 1e4) / 1e4;
            const double size = std::abs(rounded);
            add("offset", rounded, "frames", sureOf(without, left),
                fmt::format("{} frame{} {}", frameText(size), size == 1.0 ? "" : "s", rounded > 0.0 ? "late" : "early"),
                fmt::format("without it {:.3g} of its size off, with it {:.3g}", without, how_.relative()),
                {{"offset", {{"frames", snappedFrame(shift / frameSeconds)}}, true}});
        }
        tellRange(step, left);
    }
    // The shift at which the middles of both lie over one another, at another speed.
    [[nodiscard]] double middleShift(double speed) const {
        const double middle = 0.5 * (trackB_.times.front() + trackB_.times.back());
        return how_.timeOfA(middle) - speed * middle;
    }
    void tellRange(double step, double left) {
        if (!(step > 0.0))
            return;
        const bool stale = std::any_of(found_.causes.begin(), found_.causes.end(),
                                       [](const Cause& c) { return c.id == "first_stale"; });
        const double begins = how_.timeOfA(b_.times().front());
        // A stale frame before A begins is left out already.
        const bool leftOut = stale && begins < a_.times().front() - 1e-6 && b_.times().size() > 1;
        const double first = leftOut ? how_.timeOfA(b_.times()[1]) : begins;
        double end = how_.timeOfA(b_.times().back()) + (slips_.empty() ? 0 : slips_.back()) * step;
        const double atStart = (a_.times().front() - first) / step;
        const double atEnd = (end - a_.times().back()) / step;
        // A part of a sample is none.
        const double all = atStart + atEnd;
        const double more = std::copysign(std::floor(std::abs(all) + 0.05), all);
        if (std::abs(more) < 0.5 || left > 0.1)
            return;
        std::vector<Step> undo;
        if (atStart > -0.5 && atEnd > -0.5)
            undo = {{"trim",
                     {{"first", snappedFrame(a_.rate().frameAt(a_.times().front()))},
                      {"last", snappedFrame(a_.rate().frameAt(a_.times().back()))}},
                     true}};
        const auto frames = static_cast<std::size_t>(std::abs(more));
        add("range", more, "samples", 0.97, fmt::format("{} {}", count(frames, "frame"), more > 0.0 ? "more" : "less"),
            fmt::format("{:+g} at the start, {:+g} at the end", std::round(atStart), std::round(atEnd)), undo);
    }

    Status tellSpace() {
        if (!how_.spaceMatters && !(how_.spread > 0.0))
            return {};
        const double left = std::max(how_.relative(), kRounding);
        // A transform that was left out looks like another place: ask A without it first.
        WYC_CHECK(tellTransform());
        if (transformTold_)
            return {};
        const Similarity& space = how_.space;
        double scale = space.scale;
        if (std::abs(scale - 1.0) > 2e-5) {
            const double sure = sureOf(std::abs(1.0 - 1.0 / scale), left);
            const bool known = knownSize(scale, 1e-9).has_value();
            const double factor = known ? scale : std::round(scale * 1e7) / 1e7;
            add("unit", factor, "x", sure, sizeWords(factor),
                fmt::format("ratio {:.6g}{}", space.scale, known ? ", as units differ" : ""),
                {{"scale", {{"factor", 1.0 / space.scale}}, true}});
        }
        Eigen::Matrix3d turn = space.turn;
        Eigen::Vector3d move = space.move / scale; // after the size is undone
        if (!how_.spaceMatters)
            turn.setIdentity();
        if (turn.determinant() < 0.0) {
            // The axis along which it is mirrored so that the least turn is left.
            Eigen::Index axis = 0;
            double least = 1e9;
            for (Eigen::Index k = 0; k < 3; ++k) {
                Eigen::Matrix3d mirror = Eigen::Matrix3d::Identity();
                mirror(k, k) = -1.0;
                if (const double angle = std::abs(Eigen::AngleAxisd(Eigen::Matrix3d(mirror * turn)).angle());
                    angle < least - 1e-6) {
                    least = angle;
                    axis = k;
                }
            }
            Eigen::Matrix3d mirror = Eigen::Matrix3d::Identity();
            mirror(axis, axis) = -1.0;
            add("mirror", 1.0, "", sureOf(0.5, left), fmt::format("mirrored along {}", "XYZ"[axis]),
                "no turn lays it over A", {placeStep(mirror, Eigen::Vector3d::Zero())});
            turn = mirror * turn;
            move = mirror * move;
        }
        const double angle = Eigen::AngleAxisd(turn).angle();
        bool turned = angle > 2e-5;
        const double without = 2.0 * std::sin(angle / 2.0);
        if (turned)
            if (const auto axes = otherUp(turn)) {
                add("axis", signedDegrees(turn), "degrees", sureOf(without, left),
                    fmt::format("turned {} up", axes->second),
                    fmt::format("{:+g}° about {}", signedDegrees(turn), axisName(turn)),
                    {{"turn", {{"from", axes->second}, {"to", axes->first}}, true}});
                move = turn.transpose() * move;
                turn.setIdentity();
                turned = false;
            }
        const double way = move.norm() * scale / std::max(how_.spread, 1e-30);
        if (!turned && way <= 1e-4)
            return {};
        // B = turn · A + move; back again.
        const Eigen::Matrix3d back = turn.transpose();
        const double degrees = turned ? std::abs(angle) * 180.0 / std::numbers::pi : 0.0;
        const double metres = move.norm() * found_.metres;
        std::string text;
        if (turned)
            text = fmt::format("turned {:.4g}° about {}", degrees, axisName(turn));
        if (way > 1e-4)
            text += fmt::format("{}moved by {}", text.empty() ? "" : " and ", lengthText(metres));
        add("placement", std::round(degrees * 1e4) / 1e4, "degrees",
            sureOf(std::max(turned ? without : 0.0, way), left), text,
            fmt::format("a rigid move; {:.3g} of its size is left", how_.relative()),
            {placeStep(back, -(back * move))});
        return {};
    }
    static Step placeStep(const Eigen::Matrix3d& turn, const Eigen::Vector3d& move) {
        std::string text;
        for (Eigen::Index r = 0; r < 3; ++r)
            for (Eigen::Index c = 0; c < 3; ++c) // rows for row vectors
                text += fmt::format("{}{}", text.empty() ? "" : ", ", shortestNumber(turn(c, r)));
        for (Eigen::Index c = 0; c < 3; ++c)
            text += ", " + shortestNumber(move[c]);
        return {"place", {{"matrix", text}}, true};
    }
    std::string sizeWords(double factor) const {
        // Where A's unit is known, and B's numbers are those of another.
        for (const auto& [metres, name] : {std::pair{0.001, "millimetres"},
                                           {0.01, "centimetres"},
                                           {1.0, "metres"},
                                           {0.0254, "inches"},
                                           {0.3048, "feet"}})
            if (a_.scene().unitMetres && std::abs(*a_.scene().unitMetres / factor / metres - 1.0) < 1e-9)
                return fmt::format("in {}: {} × {}", name, shortestNumber(factor >= 1.0 ? factor : 1.0 / factor),
                                   factor >= 1.0 ? "larger" : "smaller");
        return fmt::format("{} × {}", shortestNumber(factor >= 1.0 ? factor : std::round(1e7 / factor) / 1e7),
                           factor >= 1.0 ? "larger" : "smaller");
    }
    // A quarter turn that makes another axis point up: from which to which.
    std::optional<std::pair<std::string, std::string>> otherUp(const Eigen::Matrix3d& turn) const {
        for (const UpAxis from : {UpAxis::Y, UpAxis::Z, UpAxis::X})
            for (const UpAxis to : {UpAxis::Y, UpAxis::Z, UpAxis::X}) {
                if (from == to)
                    continue;
                const Mat4 m = upAxisTurn(from, to);
                double gap = 0.0;
                for (Eigen::Index r = 0; r < 3; ++r)
                    for (Eigen::Index c = 0; c < 3; ++c)
                        gap = std::max(
                            gap, std::abs(m.at(static_cast<std::size_t>(r), static_cast<std::size_t>(c)) - turn(c, r)));
                const bool known = a_.scene().upAxis.value_or(UpAxis::Y) == from;
                if (gap < 1e-9 && (known || !a_.scene().upAxis))
                    return std::pair(std::string(upAxisName(from)), std::string(upAxisName(to)));
            }
        return std::nullopt;
    }
    static double signedDegrees(const Eigen::Matrix3d& turn) {
        const Eigen::AngleAxisd about(turn);
        const Eigen::Vector3d axis = about.axis();
        const double sign = axis.sum() < 0.0 ? -1.0 : 1.0;
        return std::round(sign * about.angle() * 180.0 / std::numbers::pi * 1e4) / 1e4;
    }
    static std::string axisName(const Eigen::Matrix3d& turn) {
        const Eigen::Vector3d axis = Eigen::AngleAxisd(turn).axis();
        for (Eigen::Index k = 0; k < 3; ++k)
            if (std::abs(axis[k]) > 0.99999)
                return std::string(1, "XYZ"[k]);
        return fmt::format("({:.3g}, {:.3g}, {:.3g})", axis[0], axis[1], axis[2]);
    }

    // A transform above it, that is not nothing.
    static bool hasPlace(const ShapeMotion& motion) {
        for (int i = static_cast<int>(motion.node()); i >= 0;
             i = motion.scene().nodes[static_cast<std::size_t>(i)].parent) {
            const TransformPtr& transform = motion.scene().nodes[static_cast<std::size_t>(i)].transform;
            if (!transform)
                continue;
            const auto matrix = localMatrix(motion.scene(), static_cast<std::size_t>(i), motion.times().front());
            if (!transform->constant() || (matrix && !matrix->isIdentity()))
                return true;
        }
        return false;
    }
    static bool isPlain(const Alignment& how) {
        return std::abs(how.space.scale - 1.0) < 1e-9 && how.space.turn.isIdentity(1e-9) &&
               how.space.move.isZero(1e-9 * std::max(1.0, how.spread));
    }
    // A's transforms are not in B: its points are A's own ones. Or they are, and went into the points.
    Status tellTransform() {
        if (!hasPlace(a_))
            return {};
        const bool ofB = hasPlace(b_);
        const bool plain = isPlain(how_) && !withoutPlace_;
        if (plain && how_.relative() < 1e-4) {
            if (!ofB)
                add("transform", 1.0, "", 0.95, "its transforms were put into its points",
                    "A has transforms above it, B has none, and all is in the same place");
            return {};
        }
        const Alignment bare = alignmentAt(localA_, trackB_, how_.speed, how_.shift);
        if (ofB || !isPlain(bare) || bare.relative() > std::max(1e-4, 2.0 * how_.relative()))
            return {};
        // A still one can be put back.
        std::vector<Step> undo;
        WYC_TRY(first, placementAt(a_.scene(), a_.node(), a_.times().front()));
        WYC_TRY(last, placementAt(a_.scene(), a_.node(), a_.times().back()));
        if (first.matrix == last.matrix) {
            std::string text;
            for (std::size_t r = 0; r < 4; ++r)
                for (std::size_t c = 0; c < 3; ++c)
                    text += fmt::format("{}{}", text.empty() ? "" : ", ", shortestNumber(first.matrix.at(r, c)));
            undo = {{"place", {{"matrix", text}}, true}};
        }
        add("transform", 1.0, "", 0.97, "the transforms above it were left out",
            "its points are A's own, without what stands above them", std::move(undo));
        transformTold_ = true;
        return {};
    }

    // Points and faces: their order, their number, their sides.
    Status tellShape() {
        const Topology& ofA = *a_.topology();
        const Topology& ofB = *b_.topology();
        const bool faces = ofA.faceCount() > 0 && ofB.faceCount() > 0;
        reordering_ = reorderingOf(map_, ofA, ofB);
        const std::size_t paired = pairs().size();
        if (paired == 0) {
            tellNothingPaired();
            return {};
        }
        const double fit = map_.alignment && map_.alignment->relative() < 0.05 ? 0.99 : 0.8;
        const double certain =
            std::min(fit, 0.5 + 0.49 * static_cast<double>(map_.certain()) / static_cast<double>(paired));
        const double sure = map_.by == OrderMap::By::Connectivity && !map_.alignment ? 0.6 : certain;
        const std::vector<std::uint32_t>& lostA = found_.order.unmatchedA;
        const std::vector<std::uint32_t>& moreB = found_.order.unmatchedB;
        const auto missing = [&](const std::vector<std::uint32_t>& points, const ShapeMotion& of, const char* id,
                                 const char* words) {
            if (points.empty())
                return;
            const std::size_t pieces = piecesAmong(points, of);
            add(id, static_cast<double>(std::max<std::size_t>(1, pieces)), pieces > 0 ? "pieces" : "points", sure,
                pieces > 0 ? fmt::format("{} {}", count(pieces, "piece"), words)
                           : fmt::format("{} {}", count(points.size(), "point"), words),
                fmt::format("{}: {}", count(points.size(), "point"), rangesText(points)));
        };
        const bool shuffledOrder = numbersDiffer();
        const bool flipped =
            faces && reordering_.facesAlike > 0 && reordering_.facesTurned * 10 > reordering_.facesAlike * 9;
        if (flipped)
            add("winding", static_cast<double>(reordering_.facesTurned), "faces", 0.98,
                "its faces run the other way round",
                fmt::format("{} of {}", groupedDigits(reordering_.facesTurned), groupedDigits(reordering_.facesAlike)),
                {{"flip", nlohmann::json::object(), true}});
        else if (faces && reordering_.facesTurned > 0)
            add("winding", static_cast<double>(reordering_.facesTurned), "faces", 0.97,
                fmt::format("{} {} the other way round", count(reordering_.facesTurned, "face"),
                            reordering_.facesTurned == 1 ? "runs" : "run"),
                fmt::format("of {}", groupedDigits(reordering_.facesAlike)));
        // One step for all that is about numbers, with whatever is told first.
        std::vector<Step> reorder;
        const bool numbers = shuffledOrder || map_.split > 0 || map_.welded > 0;
        if (numbers) {
            PointOrder order = reordering_.order;
            if (flipped)
                order = flippedOrder(order);
            reorder = {{"reorder", {{"order", order.text()}}, true}};
        }
        const auto undoOnce = [&] { return std::exchange(reorder, {}); };
        const std::string by =
            fmt::format("by {}: {} certain{}", orderWayName(map_.by), groupedDigits(map_.certain()),
                        map_.unsure.empty() ? "" : fmt::format(", {} not", groupedDigits(map_.unsure.size())));
        if (map_.split > 0)
            add("split", static_cast<double>(map_.split), "points", sure,
                fmt::format("split at {}", count(map_.split, "point")), by, undoOnce());
        if (map_.welded > 0)
            add("welded", static_cast<double>(map_.welded), "points", sure,
                fmt::format("{} welded", count(map_.welded, "point")), by, undoOnce());
        if (shuffledOrder)
            add("order", static_cast<double>(elsewhere()), "points", sure,
                fmt::format("{} in another order", count(elsewhere(), "point")), by, undoOnce());
        missing(lostA, a_, "missing_pieces", "missing");
        missing(moreB, b_, "extra_pieces", "more");
        tellFaces(ofA, ofB, faces, flipped);
        return {};
    }
    // With every face walked the other way round first, its corners stand elsewhere.
    PointOrder flippedOrder(PointOrder order) const {
        std::size_t at = 0;
        const Topology& ofB = *b_.topology();
        for (const std::uint32_t f : order.faces) {
            const auto size = static_cast<std::uint32_t>(ofB.faceSizes()[f]);
            // Position k of the flipped face is position (size − k) of the old one.
            std::vector<std::uint32_t> turns(size);
            std::vector<std::uint32_t> corners(size);
            const std::uint32_t first = order.turns[at];
            for (std::uint32_t k = 0; k < size; ++k) {
                turns[k] = ((size - first) % size + k) % size;
                if (!order.corners.empty())
                    corners[k] = order.corners[at + (size - k) % size];
            }
            for (std::uint32_t k = 0; k < size; ++k) {
                order.turns[at + k] = turns[k];
                if (!order.corners.empty())
                    order.corners[at + k] = corners[k];
            }
            at += size;
        }
        return order;
    }
    // Points of B that are elsewhere than their number says, splits and what is missing left out of account.
    [[nodiscard]] bool numbersDiffer() const {
        std::uint32_t last = 0;
        bool any = false;
        if (map_.split > 0 || map_.welded > 0) {
            // Of those that came first: in A's order?
            std::vector<char> seen(map_.bOfA.size(), 0);
            for (const std::uint32_t p : map_.aOfB) {
                if (p == kNone || seen[p])
                    continue;
                seen[p] = 1;
                if (any && p < last)
                    return true;
                last = p;
                any = true;
            }
            return false;
        }
        for (const std::uint32_t p : map_.aOfB) {
            if (p == kNone)
                continue;
            if (any && p < last)
                return true;
            last = p;
            any = true;
        }
        return false;
    }
    [[nodiscard]] std::size_t elsewhere() const {
        std::size_t n = 0;
        std::uint32_t place = 0;
        std::vector<std::uint32_t> sorted;
        for (const std::uint32_t p : map_.aOfB)
            if (p != kNone)
                sorted.push_back(p);
        std::sort(sorted.begin(), sorted.end());
        for (const std::uint32_t p : map_.aOfB)
            if (p != kNone)
                n += p != sorted[place++];
        return n;
    }
    static std::size_t piecesAmong(const std::vector<std::uint32_t>& points, const ShapeMotion& of) {
        const std::vector<std::uint32_t> pieceOf = piecesOfPoints(*of.topology(), of.points());
        std::map<std::uint32_t, std::size_t> all;
        for (const std::uint32_t piece : pieceOf)
            ++all[piece];
        std::map<std::uint32_t, std::size_t> here;
        for (const std::uint32_t p : points)
            ++here[pieceOf[p]];
        std::size_t whole = 0;
        std::size_t counted = 0;
        for (const auto& [piece, n] : here)
            if (n == all[piece] && n > 1) {
                ++whole;
                counted += n;
            }
        return counted == points.size() ? whole : 0;
    }
    static std::string rangesText(const std::vector<std::uint32_t>& points) {
        std::string text = runsText(points);
        if (text.size() > 60)
            text = text.substr(0, text.rfind(',', 56)) + " …";
        return text;
    }
    void tellFaces(const Topology& ofA, const Topology& ofB, bool faces, bool flipped) {
        if (!faces || flipped || reordering_.facesAlike >= std::max(ofA.faceCount(), ofB.faceCount()))
            return;
        std::size_t triangles = 0;
        for (const std::int32_t size : ofA.faceSizes())
            triangles += static_cast<std::size_t>(std::max(0, size - 2));
        const bool all = std::all_of(ofB.faceSizes().begin(), ofB.faceSizes().end(), [](int n) { return n == 3; });
        if (!(all && triangles == ofB.faceCount() && triangles > ofA.faceCount())) {
            // Pieces that are missing or more take their faces along; anything beyond them is another mesh.
            const auto own = [&](const Topology& topology, const std::vector<std::uint32_t>& lost) {
                std::vector<char> gone(std::max(a_.points(), b_.points()), 0);
                for (const std::uint32_t p : lost)
                    gone[p] = 1;
                std::size_t left = 0;
                std::size_t at = 0;
                for (const std::int32_t size : topology.faceSizes()) {
                    bool whole = true;
                    for (std::int32_t k = 0; k < size; ++k)
                        whole = whole &&
                                !gone[static_cast<std::size_t>(topology.corners()[at + static_cast<std::size_t>(k)])];
                    left += whole;
                    at += static_cast<std::size_t>(size);
                }
                return left;
            };
            const std::size_t mostA = own(ofA, found_.order.unmatchedA);
            const std::size_t mostB = own(ofB, found_.order.unmatchedB);
            const std::size_t others =
                std::max(mostA, mostB) - std::min(reordering_.facesAlike, std::max(mostA, mostB));
            if (others > 0)
                add("faces", static_cast<double>(others), "faces", 0.97,
                    fmt::format("{} between other points", count(others, "face")),
                    fmt::format("{} alike, of {} and {}", groupedDigits(reordering_.facesAlike),
                                groupedDigits(ofA.faceCount()), groupedDigits(ofB.faceCount())));
        } else
            add("triangulated", static_cast<double>(ofB.faceCount()), "faces", 0.97, "its faces were made triangles",
                fmt::format("{} instead of {}", groupedDigits(ofB.faceCount()), groupedDigits(ofA.faceCount())));
    }
    void tellNothingPaired() {
        const Topology& ofA = *a_.topology();
        const Topology& ofB = *b_.topology();
        // Every edge and every face has become a point, every corner a face.
        std::vector<std::pair<std::int32_t, std::int32_t>> edges;
        std::size_t corner = 0;
        for (const std::int32_t size : ofA.faceSizes()) {
            for (std::int32_t k = 0; k < size; ++k) {
                const std::int32_t p = ofA.corners()[corner + static_cast<std::size_t>(k)];
                const std::int32_t q = ofA.corners()[corner + static_cast<std::size_t>((k + 1) % size)];
                edges.emplace_back(std::min(p, q), std::max(p, q));
            }
            corner += static_cast<std::size_t>(size);
        }
        std::sort(edges.begin(), edges.end());
        edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
        if (ofA.faceCount() > 0 && ofB.faceCount() == ofA.cornerCount() &&
            b_.points() == a_.points() + edges.size() + ofA.faceCount())
            add("subdivided", 1.0, "levels", 0.9, "every face was parted into several",
                fmt::format("{} points, as many as A has points, edges and faces", groupedDigits(b_.points())));
    }

    // What is left: the steps themselves are applied, and the result is measured.
    Status tellDrift() {
        std::vector<std::uint32_t> asNumbered(b_.points());
        for (std::uint32_t p = 0; p < asNumbered.size(); ++p)
            asNumbered[p] = p;
        const std::vector<std::uint32_t>& paired = a_.points() == b_.points() ? asNumbered : map_.aOfB;
        WYC_TRY(drift, driftBetween(a_, b_, paired, progress_.part(0.6, 0.75)));
        found_.drift = std::move(drift);
        if (found_.drift && found_.drift->broken > 0)
            add("not_finite", static_cast<double>(found_.drift->broken), "values", 0.99,
                fmt::format("{} {}", count(found_.drift->broken, "place"),
                            found_.drift->broken == 1 ? "is no number" : "are no numbers"),
                fmt::format("first at frame {}, point {}", frameText(found_.drift->brokenFrame),
                            found_.drift->brokenPoint));
        const double tolerance = settings_.toleranceMetres / found_.metres;
        found_.withinTolerance = found_.drift && found_.order.same && found_.drift->largest <= tolerance &&
                                 found_.drift->broken == 0 && found_.drift->moments == b_.times().size() &&
                                 a_.times().size() == b_.times().size();
        std::vector<char> chosen;
        for (const Cause& cause : found_.causes)
            chosen.push_back(!cause.isGuess());
        auto undone = driftAfter(found_, chosen, shared(a_), a_.node(), shared(b_), b_.node(), progress_.part(0.75, 1));
        if (!undone) {
            if (undone.error().kind == ErrorKind::Cancelled)
                return fail(std::move(undone.error()));
            found_.withinTolerance = false;
            return {}; // what cannot be undone together is not measured
        }
        found_.undone = std::move(*undone);
        tellRest(tolerance);
        // Whatever is told besides makes it another one; that transforms went into points does not.
        for (const Cause& cause : found_.causes)
            if (!cause.isGuess() && cause.id != "transform" && cause.id != "precision" && cause.id != "other_motion")
                found_.withinTolerance = false;
        return {};
    }
    static std::shared_ptr<const Scene> shared(const ShapeMotion& motion) {
        return std::make_shared<const Scene>(motion.scene());
    }
    void tellRest(double tolerance) {
        if (!found_.undone)
            return;
        const double spreadOfA = how_.space.scale > 0.0 ? how_.spread / how_.space.scale : how_.spread;
        const double floor = std::max(tolerance * 0.1, 2e-6 * spreadOfA);
        const double rms = restOf(*found_.undone);
        if (rms <= floor)
            return;
        if (tellPrecision(rms))
            return;
        const bool stays = std::any_of(found_.causes.begin(), found_.causes.end(), [](const Cause& c) {
            return c.id == "static" || ((c.id == "transform" || c.id == "missing") && c.undo.empty());
        });
        if (stays)
            return;
        if (rms <= straightLines())
            return;
        const double relative = spreadOfA > 0.0 ? rms / spreadOfA : 1.0;
        const double sure = relative > 0.05 ? 0.95 : relative > 0.01 ? 0.75 : relative > 0.002 ? 0.6 : 0.35;
        add("other_motion", rms * found_.metres * 1000.0, "mm", sure,
            relative > 0.002 ? "what is left is a motion of its own" : "a little is left that nothing explains",
            fmt::format("{} off (RMS), {} at most, at {}", lengthText(rms * found_.metres),
                        lengthText(found_.undone->largest * found_.metres), frameText(found_.undone->worstFrame)));
    }
    // How far straight lines between samples may be off, where steps had to take poses between them.
    [[nodiscard]] double straightLines() const {
        const bool between = std::any_of(found_.causes.begin(), found_.causes.end(), [](const Cause& c) {
            return c.id == "retimed" || (c.id == "offset" && std::abs(c.figure - std::round(c.figure)) > 1e-3);
        });
        double bend = 0.0;
        for (Eigen::Index row = 3; between && row + 3 < trackA_.xyz.rows(); row += 3)
            bend = std::max(bend, std::sqrt((trackA_.xyz.middleRows<3>(row - 3) - 2.0 * trackA_.xyz.middleRows<3>(row) +
                                             trackA_.xyz.middleRows<3>(row + 3))
                                                .colwise()
                                                .squaredNorm()
                                                .mean()));
        return 0.25 * bend; // an eighth on either side
    }
    // What is left apart from frames that had to be made up.
    [[nodiscard]] double restOf(const Drift& drift) const {
        double madeUp = 0.0;
        for (const Cause& cause : found_.causes)
            if (cause.id == "missing" || cause.id == "held")
                madeUp += cause.figure;
        std::vector<double> rms = drift.rmsAt;
        std::sort(rms.begin(), rms.end());
        rms.resize(rms.size() - std::min(rms.size(), static_cast<std::size_t>(madeUp)));
        double sum = 0.0;
        for (const double one : rms)
            sum += one * one;
        return rms.empty() ? 0.0 : std::sqrt(sum / static_cast<double>(rms.size()));
    }
    // Numbers that were rounded to a step of their own.
    bool tellPrecision(double rms) {
        const auto stepOf = [&](const ShapeMotion& of) {
            std::vector<double> numbers;
            double size = 0.0;
            for (const double t : someOf(of.times(), 3)) {
                std::vector<Vec3f> points(of.points());
                if (!of.item().geometry->readAt(t, 0, points))
                    return 0.0;
                for (std::size_t i = 0; i < points.size(); i += std::max<std::size_t>(1, points.size() / 2000))
                    for (const float v : {points[i].x, points[i].y, points[i].z}) {
                        numbers.push_back(static_cast<double>(v));
                        size = std::max(size, std::abs(static_cast<double>(v)));
                    }
            }
            for (double step = 1.0; step >= 1e-6; step /= 10.0) {
                const double allowed = std::max(1e-9, size * 1.2e-7);
                if (step < 8.0 * allowed)
                    break;
                if (std::all_of(numbers.begin(), numbers.end(),
                                [&](double v) { return std::abs(v - std::round(v / step) * step) <= allowed; }))
                    return step;
            }
            return 0.0;
        };
        const double own = stepOf(b_);
        const double before = stepOf(a_);
        if (!(own > 0.0) || (before > 0.0 && before >= own))
            return false;
        // A rounded number is off by up to half a step, evenly: √3 · step / √12 over three of them.
        const double expected = 0.5 * own / std::max(1e-30, how_.space.scale);
        const double ratio = rms / expected;
        if (ratio > 2.5 || ratio < 0.2)
            return false;
        add("precision", own, "of B's unit", 0.95, fmt::format("its numbers were rounded to {}", shortestNumber(own)),
            fmt::format("that is {} in A; {} is left", lengthText(own / how_.space.scale * found_.metres),
                        lengthText(rms * found_.metres)));
        return true;
    }

    [[nodiscard]] std::string words() const {
        if (found_.order.by == "none" && found_.causes.empty())
            return "nothing in common was found: no point of B could be told in A";
        std::vector<std::string> sure;
        std::vector<std::string> guesses;
        for (const Cause& cause : found_.causes)
            (cause.isGuess() ? guesses : sure).push_back(cause.text);
        std::string text;
        if (sure.empty() && guesses.empty())
            text = found_.withinTolerance ? "B is A" : "B is A, within what rounding does";
        else if (!sure.empty())
            text = fmt::format("B is A, {}", fmt::join(sure, ", "));
        else
            text = "B is A";
        if (!guesses.empty())
            text += fmt::format("; perhaps {}", fmt::join(guesses, ", "));
        if (found_.undone && !sure.empty())
            text += fmt::format(". With that undone the largest drift is {}",
                                lengthText(found_.undone->largest * found_.metres));
        return text;
    }

    const ShapeMotion& a_;
    const ShapeMotion& b_;
    const ReconcileSettings& settings_;
    const Progress& progress_;
    Reconciled found_;
    OrderMap map_;
    Reordering reordering_;
    Track trackA_;
    Track trackB_;
    Track localA_;
    Alignment how_;
    std::vector<int> slips_; // samples of A by which each moment of B is further on
    double stepA_ = 0.0;     // of A's samples, usually
    bool movesA_ = false;
    bool movesB_ = false;
    bool dense_ = false; // all samples were read
    bool transformTold_ = false;
    bool withoutPlace_ = false; // A is looked at without what stands above it
};

} // namespace

std::vector<Step> Reconciled::undo() const {
    std::vector<Step> steps;
    for (const Cause& cause : causes)
        if (!cause.isGuess())
            steps.insert(steps.end(), cause.undo.begin(), cause.undo.end());
    return steps;
}

Result<Reconciled> reconcile(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                             const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                             const ReconcileSettings& settings, const Progress& progress) {
    WYC_TRY(motionA, ShapeMotion::of(a, nodeA));
    WYC_TRY(motionB, ShapeMotion::of(b, nodeB));
    return Engine(motionA, motionB, settings, progress).run();
}

std::vector<std::uint32_t> pointsAfter(const Reconciled& found, const std::vector<Step>& steps, std::size_t pointsA,
                                       std::size_t pointsB) {
    const bool reordered =
        std::any_of(steps.begin(), steps.end(), [](const Step& step) { return step.on && step.type == "reorder"; });
    if (!reordered)
        return found.order.aOfB ? *found.order.aOfB : std::vector<std::uint32_t>(pointsB, kNone);
    // A's points that B has, in A's order; then what B has more.
    std::vector<char> lost(pointsA, 0);
    for (const std::uint32_t p : found.order.unmatchedA)
        lost[p] = 1;
    std::vector<std::uint32_t> points;
    for (std::uint32_t p = 0; p < pointsA; ++p)
        if (!lost[p])
            points.push_back(p);
    points.resize(pointsB, kNone);
    return points;
}

Result<std::optional<Drift>> driftAfter(const Reconciled& found, const std::vector<char>& chosen,
                                        const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                        const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                        const Progress& progress) {
    std::vector<Step> steps;
    for (std::size_t i = 0; i < found.causes.size() && i < chosen.size(); ++i)
        if (chosen[i])
            steps.insert(steps.end(), found.causes[i].undo.begin(), found.causes[i].undo.end());
    WYC_TRY(undone, applySteps(*b, steps));
    const auto made = std::make_shared<const Scene>(std::move(undone));
    const auto node = made->find(b->nodes[nodeB].id);
    WYC_TRY(motionA, ShapeMotion::of(a, nodeA));
    WYC_TRY(motionB, ShapeMotion::of(made, node.value_or(nodeB)));
    return driftBetween(motionA, motionB, pointsAfter(found, steps, motionA.points(), motionB.points()), progress);
}

ItemPairs pairedItems(const Scene& a, const Scene& b) {
    ItemPairs result;
    const auto shapes = [](const Scene& scene) {
        std::vector<std::size_t> nodes;
        for (std::size_t i = 0; i < scene.nodes.size(); ++i)
            if (scene.nodes[i].geometry && !neverSeen(scene, i))
                nodes.push_back(i);
        return nodes;
    };
    std::vector<std::size_t> ofA = shapes(a);
    std::vector<std::size_t> ofB = shapes(b);
    struct Look {
        std::string path;
        std::string name;
        std::uint64_t faces = 0;
        std::size_t points = 0;
    };
    const auto looks = [](const Scene& scene, const std::vector<std::size_t>& nodes) {
        std::vector<Look> all;
        for (const std::size_t i : nodes) {
            const Node& node = scene.nodes[i];
            Look look{node.path, node.name, 0, 0};
            if (const auto topology = node.geometry->topology(0); topology && (*topology)->faceCount() > 0)
                look.faces = (*topology)->hash();
            look.points = node.geometry->pointCount(0).value_or(0);
            all.push_back(std::move(look));
        }
        return all;
    };
    const std::vector<Look> looksA = looks(a, ofA);
    const std::vector<Look> looksB = looks(b, ofB);
    std::vector<char> usedA(ofA.size(), 0);
    std::vector<char> usedB(ofB.size(), 0);
    // Keys that just one of each side has; surer ones first.
    const auto pairBy = [&](const std::function<std::string(const Look&)>& key) {
        std::map<std::string, std::vector<std::size_t>> byKey;
        for (std::size_t i = 0; i < ofA.size(); ++i)
            if (!usedA[i])
                if (const std::string k = key(looksA[i]); !k.empty())
                    byKey[k].push_back(i);
        std::map<std::string, std::vector<std::size_t>> others;
        for (std::size_t i = 0; i < ofB.size(); ++i)
            if (!usedB[i])
                if (const std::string k = key(looksB[i]); !k.empty())
                    others[k].push_back(i);
        for (const auto& [k, own] : byKey)
            if (const auto found = others.find(k);
                found != others.end() && own.size() == 1 && found->second.size() == 1) {
                usedA[own[0]] = usedB[found->second[0]] = 1;
                result.pairs.emplace_back(ofA[own[0]], ofB[found->second[0]]);
            }
    };
    const auto counted = [](const Look& look) { return std::to_string(look.points); };
    pairBy([&](const Look& look) { return look.path + "#" + counted(look); });
    pairBy([](const Look& look) { return look.path; });
    pairBy([&](const Look& look) { return look.name + "#" + counted(look); });
    pairBy([](const Look& look) { return look.name; });
    // Names of which one is within the other: "ball" and "ball_geo"; those with as many points first.
    for (const bool samePoints : {true, false}) {
        std::vector<std::pair<std::size_t, std::size_t>> alike;
        for (std::size_t i = 0; i < ofA.size(); ++i)
            for (std::size_t k = 0; k < ofB.size() && !usedA[i]; ++k) {
                const std::string& x = looksA[i].name;
                const std::string& y = looksB[k].name;
                const bool within = std::min(x.size(), y.size()) > 2 &&
                                    (x.find(y) != std::string::npos || y.find(x) != std::string::npos);
                if (!usedB[k] && within && (!samePoints || looksA[i].points == looksB[k].points))
                    alike.emplace_back(i, k);
            }
        for (const auto& [i, k] : alike) {
            const auto times = [&](auto&& is) { return std::count_if(alike.begin(), alike.end(), is); };
            if (times([&, i = i](const auto& one) { return one.first == i; }) != 1 ||
                times([&, k = k](const auto& one) { return one.second == k; }) != 1)
                continue; // not sure which
            usedA[i] = usedB[k] = 1;
            result.pairs.emplace_back(ofA[i], ofB[k]);
        }
    }
    pairBy([](const Look& look) { return look.faces != 0 ? std::to_string(look.faces) : std::string(); });
    pairBy(counted);
    pairBy([](const Look&) { return std::string("the only one"); });
    for (std::size_t i = 0; i < ofA.size(); ++i)
        if (!usedA[i])
            result.onlyA.push_back(ofA[i]);
    for (std::size_t i = 0; i < ofB.size(); ++i)
        if (!usedB[i])
            result.onlyB.push_back(ofB[i]);
    std::sort(result.pairs.begin(), result.pairs.end());
    return result;
}

} // namespace wyc
