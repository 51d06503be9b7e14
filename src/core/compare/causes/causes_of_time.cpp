// SPDX-License-Identifier: GPL-3.0-or-later
// Causes in time: stale, held, double and missing frames; late, faster, more or fewer.
#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "compare/reconcile_engine.h"
#include "time/sampling.h"

namespace wyc {

std::optional<int> ReconcileEngine::slipOf(std::size_t t, int before) const {
    const double own = how_.timeOfA(trackB_.times[t]);
    // Beyond what A has nothing says which of its poses is meant: a motion that comes back has been there before.
    if (std::isnan(offAt(t, own + before * stepA_)))
        return std::nullopt;
    const int most = static_cast<int>(trackA_.moments());
    for (int k = 0; k <= most; ++k)
        for (const int by : {before + k, before - k})
            if (offAt(t, own + by * stepA_) <= fits())
                return by;
    return std::nullopt;
}

void ReconcileEngine::findSlips() {
    const double step = stepA_;
    if (!(step > 0.0) || !dense_ || trackB_.moments() < 5 || how_.relative() > kFitsWell)
        return;
    const std::size_t n = trackB_.moments();
    const auto fitsWith = [&](std::size_t t, int slip) {
        return offAt(t, how_.timeOfA(trackB_.times[t]) + slip * step) <= fits();
    };
    // Another slip begins where two moments on end show it and do not show the one before.
    std::vector<std::optional<int>> slip(n);
    int now = 0;
    for (std::size_t t = 0; t < n; ++t) {
        if (!fitsWith(t, now))
            if (const auto other = slipOf(t, now);
                other && (t + 1 == n || (!fitsWith(t + 1, now) && fitsWith(t + 1, *other))))
                now = *other;
        if (fitsWith(t, now))
            slip[t] = now;
    }
    slip = likeliestSlips(slip);
    // The first stretch of three alike says where time begins.
    std::optional<int> base;
    for (std::size_t t = 0; t + 2 < n && !base; ++t)
        if (slip[t] && slip[t] == slip[t + 1] && slip[t] == slip[t + 2])
            base = slip[t];
    if (!base)
        return;
    if (*base != 0) {
        std::size_t shown = 0;
        std::size_t before = 0;
        for (std::size_t t = 0; t < n; ++t) {
            shown += slip[t].has_value();
            before += fitsWith(t, 0);
        }
        if (shown <= before)
            return;
        how_ = aligned(how_.speed, how_.shift + *base * step);
        how_.instead.clear(); // they were of the time before
    }
    now = 0;
    for (std::size_t t = 0; t < n; ++t) {
        if (slip[t])
            now = *slip[t] - *base;
        slips_[t] = now;
    }
    // Only what goes on counts: a moment alone is a frame of its own.
    for (std::size_t t = 0; t < n; ++t) {
        const bool alone = (t == 0 || slips_[t - 1] != slips_[t]) && (t + 1 == n || slips_[t + 1] != slips_[t]);
        if (alone && t > 0)
            slips_[t] = slips_[t - 1];
        else if (alone && n > 1)
            slips_[t] = slips_[1];
    }
}

// The way through all moments that claims least. Where A rests several slips show the same pose, and the nearest is not
// always the one that goes on behind the rest.
std::vector<std::optional<int>> ReconcileEngine::likeliestSlips(const std::vector<std::optional<int>>& rough) const {
    constexpr double kUnlike = 1.0; // a moment that the slip does not show
    constexpr double kBeyond = 0.1; // one that A does not have
    constexpr double kChange = 1.5;
    constexpr double kLate = 0.25;     // all of it is late or early
    constexpr double kElsewhere = 1.5; // and begins elsewhere than A, too
    constexpr std::size_t kMostTried = 8;
    const std::size_t n = rough.size();
    std::map<int, std::size_t> often{{0, n}};
    std::size_t looks = 0;
    int now = 0;
    for (std::size_t t = 0; t < n; ++t) {
        if (rough[t])
            ++often[now = *rough[t]];
        else if (const auto own = looks++ < 16 ? slipOf(t, now) : std::nullopt)
            ++often[*own];
    }
    std::vector<std::pair<std::size_t, int>> byCount;
    for (const auto& [slip, count] : often)
        byCount.emplace_back(count, slip);
    std::sort(byCount.rbegin(), byCount.rend());
    byCount.resize(std::min(byCount.size(), kMostTried));
    if (byCount.size() < 2)
        return rough;
    const std::size_t m = byCount.size();
    std::vector<double> cost(m);
    std::vector<std::vector<std::size_t>> from(n, std::vector<std::size_t>(m));
    std::vector<std::vector<char>> fit(n, std::vector<char>(m));
    for (std::size_t t = 0; t < n; ++t) {
        const std::vector<double> before = cost;
        for (std::size_t k = 0; k < m; ++k) {
            const int slip = byCount[k].second;
            const double off = offAt(t, how_.timeOfA(trackB_.times[t]) + slip * stepA_);
            fit[t][k] = off <= fits();
            from[t][k] = k;
            const double begins = how_.timeOfA(trackB_.times.front()) + slip * stepA_ - trackA_.times.front();
            double least = t > 0       ? before[k]
                           : slip == 0 ? 0.0
                                       : kLate + (std::abs(begins) > 0.5 * stepA_ ? kElsewhere : 0.0);
            if (t > 0 && fit[t][k]) // a slip begins where it is seen
                for (std::size_t j = 0; j < m; ++j)
                    if (const double other = before[j] + kChange + 0.02 * std::abs(slip - byCount[j].second);
                        j != k && other < least) {
                        least = other;
                        from[t][k] = j;
                    }
            cost[k] = least + (std::isnan(off) ? kBeyond : fit[t][k] ? 0.0 : kUnlike);
        }
    }
    auto at = static_cast<std::size_t>(std::min_element(cost.begin(), cost.end()) - cost.begin());
    std::vector<std::optional<int>> slips(n);
    for (std::size_t t = n; t-- > 0;) {
        if (fit[t][at])
            slips[t] = byCount[at].second;
        at = from[t][at];
    }
    return slips;
}

void ReconcileEngine::slipsByRepeats() {
    if (!dense_ || !(stepA_ > 0.0))
        return;
    // Poses that stand twice to the last digit, where A goes on.
    std::vector<int> slips(trackB_.moments(), 0);
    int now = 0;
    for (std::size_t t = 1; t < slips.size(); ++t) {
        now -= stepsB_[t - 1] <= 1e-9 * how_.spread && usualStepB_ > 1e-6 * how_.spread;
        slips[t] = now;
    }
    if (now == 0 || -now * 5 > static_cast<int>(slips.size()))
        return;
    const std::vector<int> before = std::exchange(slips_, std::move(slips));
    const double score = how_.score;
    const Alignment without = how_;
    alignWithSlips();
    if (how_.score + 0.6 < score)
        return;
    how_ = without;
    slips_ = before;
}

void ReconcileEngine::alignByFirstOfEach() {
    std::vector<Eigen::Index> fresh{0};
    for (std::size_t t = 1; t < trackB_.moments(); ++t)
        if (stepsB_[t - 1] > 1e-9 * how_.spread)
            fresh.push_back(static_cast<Eigen::Index>(t));
    Track poses;
    poses.xyz.resize(static_cast<Eigen::Index>(3 * fresh.size()), trackB_.xyz.cols());
    for (std::size_t k = 0; k < fresh.size(); ++k) {
        poses.times.push_back(trackB_.times[static_cast<std::size_t>(fresh[k])]);
        poses.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * k)) = trackB_.xyz.middleRows<3>(3 * fresh[k]);
    }
    how_ = alignmentOf(trackA_, poses);
    // Of all moments: those between do not count.
    const auto spread = [&](Alignment& one) {
        const std::vector<char> counts = std::exchange(one.counts, std::vector<char>(trackB_.moments(), 0));
        const std::vector<double> off =
            std::exchange(one.off, std::vector<double>(trackB_.moments(), std::numeric_limits<double>::quiet_NaN()));
        for (std::size_t k = 0; k < fresh.size(); ++k) {
            one.counts[static_cast<std::size_t>(fresh[k])] = counts[k];
            one.off[static_cast<std::size_t>(fresh[k])] = off[k];
        }
    };
    spread(how_);
    for (Alignment& other : how_.instead)
        spread(other);
}

void ReconcileEngine::alignWithSlips() {
    if (std::all_of(slips_.begin(), slips_.end(), [](int slip) { return slip == 0; }))
        return;
    Track counted = trackB_;
    for (std::size_t t = 0; t < counted.times.size(); ++t)
        counted.times[t] += slips_[t] * stepA_ / how_.speed;
    if (!std::is_sorted(counted.times.begin(), counted.times.end()))
        return;
    Alignment all = alignmentOf(trackA_, counted);
    if (all.counted < how_.counted || all.residual > 2.0 * how_.residual + 4e-6 * how_.spread)
        return;
    how_ = std::move(all);
    for (std::size_t t = 0; t < slips_.size(); ++t) {
        how_.off[t] = offAt(t, how_.timeOfA(trackB_.times[t]));
        how_.counts[t] = slips_[t] == 0 && how_.counts[t];
    }
}

Alignment ReconcileEngine::aligned(double speed, double shift) const {
    Alignment made = how_;
    made.speed = speed;
    made.shift = shift;
    for (std::size_t t = 0; t < trackB_.moments(); ++t) {
        made.off[t] = offAt(t, made.timeOfA(trackB_.times[t]));
        made.counts[t] = !std::isnan(made.off[t]) && made.off[t] <= fits();
    }
    return made;
}

bool ReconcileEngine::sameAsBefore(std::size_t t) const {
    if (t == 0)
        return false;
    const auto here = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t));
    const auto before = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t - 3));
    const double way = std::sqrt((here - before).colwise().squaredNorm().mean());
    return way <= std::max(1e-6 * how_.spread, 3.0 * how_.residual) && way <= 0.2 * usualStepB_;
}

namespace {

void orInstead(Cause& cause, const Cause& other) {
    cause.text += fmt::format(", or {}", other.text);
    cause.instead.push_back({other});
}

// How sure it is that one frame is off, and not only farther on than most.
double standsOut(double off, double usual) {
    const double ratio = off / std::max(usual, 1e-9);
    return std::clamp(1.0 - 1.5 / (1.0 + ratio * ratio / 2.0), 0.05, 0.99);
}

} // namespace

void ReconcileEngine::tellFrames() {
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
    if (each_ > 1) {
        add("twos", static_cast<double>(each_), "frames", 0.97,
            fmt::format("every pose stands for {}", counted(each_, "frame")), "where A goes on from frame to frame");
        return;
    }
    std::vector<std::size_t> held;
    std::vector<std::size_t> doubled;
    std::vector<std::size_t> others;
    const double usual = usualStepB_;
    const int on = how_.speed < 0.0 ? -1 : 1; // which way A's time goes
    bool shown = false;                       // the moment before fits
    for (std::size_t t = 0; t < trackB_.moments(); ++t) {
        const bool slipped = t > 0 && on * slips_[t] < on * slips_[t - 1];
        const double off = offAt(t, how_.timeOfA(trackB_.times[t]) + slips_[t] * stepA_);
        const bool fit = std::isnan(off) || off <= fits();
        if (slipped && sameAsBefore(t))
            doubled.push_back(t);
        else if (!fit && t > 0 && sameAsBefore(t) && (shown || (!held.empty() && held.back() == t - 1)))
            held.push_back(t); // what it holds is a pose that was right when it came
        else if (!fit)
            others.push_back(t);
        shown = fit;
    }
    // A first frame before A's begins is stale where it shows a later pose.
    const double begins = trackA_.times.front() - momentMargin(trackA_.times.front());
    const bool before = how_.timeOfA(trackB_.times[0]) < begins && how_.timeOfA(trackB_.times[1]) >= begins;
    const bool leaps = before && poseLike(0) && stepsB_[0] > 4.0 * usual;
    if (leaps || (!others.empty() && others.front() == 0 && !(others.size() > 1 && others[1] == 1))) {
        // What it holds instead, where that is known.
        std::string evidence = "no pose that comes before the second";
        if (const auto like = poseLike(0))
            evidence = fmt::format("holds the pose of {}", frameText(frameOfB(*like)));
        evidence += "; is left out";
        const double size = std::max(how_.spread, 1e-30);
        add("first_stale", 1.0, "frames",
            std::min(1.0 - 2.0 * how_.relative(),
                     standsOut((leaps ? stepsB_[0] : how_.off[0]) / size, std::max(how_.residual, 0.2 * usual) / size)),
            "its first frame is stale", evidence, {{"ends", {{"first", "left out"}}, true}});
        std::erase(others, 0U);
    }
    tellOtherFrames(others);
    if (!held.empty() && how_.relative() <= kFitsWell)
        add("held", static_cast<double>(held.size()), "frames", 0.95,
            fmt::format("{} {} the one before", counted(held.size(), "frame"), held.size() == 1 ? "holds" : "hold"),
            framesOf(held), {{"drop", {{"frames", framesOf(held)}}, true}, {"fill", nlohmann::json::object(), true}});
    const std::optional<Cause> insteadOfSlip = shownByShift();
    if (!doubled.empty()) {
        add("doubled", static_cast<double>(doubled.size()), "frames", insteadOfSlip ? kOneOfSeveral : 0.97,
            fmt::format("{} {} twice, and all behind {} later", counted(doubled.size(), "frame"),
                        doubled.size() == 1 ? "stands" : "stand", doubled.size() == 1 ? "it is" : "them is"),
            framesOf(doubled), {{"drop", {{"frames", framesOf(doubled)}, {"close", true}}, true}});
        if (insteadOfSlip)
            orInstead(found_.causes.back(), *insteadOfSlip);
    }
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
            where += fmt::format("{}{}", where.empty() ? "after " : ", ", frameText(snappedFrame(times[i - 1] / step)));
        }
    if (gone > 0)
        add("missing", static_cast<double>(gone), "frames", 0.97,
            fmt::format("{} {} missing", counted(gone, "frame"), gone == 1 ? "is" : "are"), where,
            {{"fill", nlohmann::json::object(), true}});
    std::size_t left = 0;
    std::string listedGaps;
    std::string curve; // opens a gap where they were, filled in straight lines
    for (std::size_t t = 1; t < slips_.size(); ++t)
        if (const int more = on * (slips_[t] - slips_[t - 1]); more > 0) {
            const double here = frameOfB(t);
            const double behind = frameOfB(t - 1);
            const auto key = [&](double frame, std::size_t later) {
                curve += fmt::format("{}{}={}", curve.empty() ? "" : ", ",
                                     frameText(frame + static_cast<double>(later)), frameText(frame));
            };
            if (curve.empty() && t > firstKept() + 1)
                key(frameOfB(firstKept()), 0);
            key(behind, left);
            left += static_cast<std::size_t>(more);
            key(here, left);
            listedGaps += fmt::format("{}{}", listedGaps.empty() ? "before " : ", ", frameText(here));
        }
    if (left == 0)
        return;
    if (slips_.back() == slips_[slips_.size() - 2])
        curve += fmt::format(", {}={}", frameText(frameOfB(slips_.size() - 1) + static_cast<double>(left)),
                             frameText(frameOfB(slips_.size() - 1)));
    std::vector<Step> undo;
    if (doubled.empty() && samplesAreFrames())
        undo = {{"retime", {{"curve", curve}}, true}};
    add("missing", static_cast<double>(left), "frames", insteadOfSlip ? kOneOfSeveral : 0.9,
        fmt::format("{} left out, and all behind is earlier", counted(left, "frame")), listedGaps, std::move(undo));
    if (insteadOfSlip)
        orInstead(found_.causes.back(), *insteadOfSlip);
}

// Where all before the one change of time rests, it may as well have begun with it.
std::optional<Cause> ReconcileEngine::shownByShift() const {
    std::optional<std::size_t> change;
    for (std::size_t t = 1; t < slips_.size(); ++t)
        if (slips_[t] != slips_[t - 1]) {
            if (change)
                return std::nullopt;
            change = t;
        }
    if (!change)
        return std::nullopt;
    const int slip = slips_[*change];
    for (std::size_t t = 0; t < *change; ++t)
        if (const double off = offAt(t, how_.timeOfA(trackB_.times[t]) + slip * stepA_);
            !std::isnan(off) && off > fits())
            return std::nullopt;
    const double frames = -slip * stepA_ * a_.rate().value();
    return Cause{"offset",
                 snappedFrame(frames),
                 "frames",
                 kOneOfSeveral,
                 offsetText(snappedFrame(frames)),
                 "what comes before it rests",
                 {{"offset", {{"frames", snappedFrame(slip * stepA_ / how_.speed * b_.rate().value())}}, true}}};
}

bool ReconcileEngine::samplesAreFrames() const {
    const std::vector<double>& times = b_.times();
    const double frame = b_.rate().secondsAt(1.0);
    for (std::size_t i = 1; i < times.size(); ++i)
        if (std::abs(times[i] - times[i - 1] - frame) > 1e-3 * frame)
            return false;
    return true;
}

std::size_t ReconcileEngine::onEach() const {
    constexpr std::size_t kFewest = 8;
    if (!dense_ || trackB_.moments() < kFewest)
        return 1;
    // How long each pose stands while A goes on. One that A itself rests in says nothing.
    std::vector<std::size_t> runs;
    std::size_t run = 1;
    bool resting = false;
    std::size_t goesOn = 0;
    const auto close = [&] {
        if (!resting)
            runs.push_back(run);
        run = 1;
        resting = false;
    };
    for (std::size_t t = 1; t < trackB_.moments(); ++t) {
        if (stepsB_[t - 1] > 1e-9 * how_.spread) {
            close();
            continue;
        }
        ++run;
        const auto ofA = [&](std::size_t k) { return trackA_.at(how_.timeOfA(trackB_.times[k])); };
        const double way = std::sqrt((ofA(t) - ofA(t - 1)).colwise().squaredNorm().mean());
        const bool on = way * how_.space.scale > 1e-5 * how_.spread;
        goesOn += on;
        resting = resting || !on;
    }
    close();
    if (goesOn == 0 || runs.size() < 4)
        return 1;
    std::vector<std::size_t> sorted = runs;
    std::sort(sorted.begin(), sorted.end());
    const std::size_t usual = sorted[sorted.size() / 2];
    const auto alike = static_cast<std::size_t>(std::count(runs.begin(), runs.end(), usual));
    return usual > 1 && alike * 10 >= runs.size() * 7 ? usual : 1;
}

void ReconcileEngine::tellOtherFrames(const std::vector<std::size_t>& which) {
    // Beyond a fifth it is no matter of single frames.
    if (which.empty() || which.size() * 5 > trackB_.moments() || how_.relative() > kFitsWell)
        return;
    const auto ownTime = [&](std::size_t t) { return how_.timeOfA(trackB_.times[t]) + slips_[t] * stepA_; };
    std::vector<std::size_t> swapped;
    std::vector<std::size_t> left;
    std::vector<char> done(trackB_.moments(), 0);
    for (const std::size_t t : which) {
        if (done[t])
            continue;
        const auto other = std::find_if(which.begin(), which.end(), [&](std::size_t u) {
            return u != t && !done[u] && offAt(t, ownTime(u)) <= fits() && offAt(u, ownTime(t)) <= fits();
        });
        if (other == which.end()) {
            left.push_back(t);
            continue;
        }
        done[t] = done[*other] = 1;
        swapped.push_back(t);
        swapped.push_back(*other);
    }
    if (!swapped.empty())
        add("swapped", static_cast<double>(swapped.size()), "frames", 0.97,
            swapped.size() == 2 ? std::string("two frames have changed places")
                                : fmt::format("{} frames have changed places, two and two", swapped.size()),
            framesOf(swapped), swappedBack(swapped));
    // What is less than a frame's way off is a motion of its own, too: nothing foreign, and nothing to leave out.
    std::erase_if(left, [&](std::size_t t) { return offAt(t, ownTime(t)) < usualStepB_; });
    if (left.empty())
        return;
    // A stretch of them is a motion of its own.
    constexpr std::size_t kLongest = 4;
    for (std::size_t i = 0; i + kLongest < left.size(); ++i)
        if (left[i + kLongest] == left[i] + kLongest)
            return;
    std::string evidence = framesOf(left);
    if (left.size() == 1)
        for (std::size_t s = 0; s < trackA_.moments(); ++s)
            if (offAt(left[0], trackA_.times[s]) <= fits()) {
                evidence +=
                    fmt::format(": it shows A's {}", frameText(snappedFrame(a_.rate().frameAt(trackA_.times[s]))));
                break;
            }
    add("foreign", static_cast<double>(left.size()), "frames", 0.95,
        fmt::format("{} of {} frames {} something else", left.size(), trackB_.moments(),
                    left.size() == 1 ? "shows" : "show"),
        evidence, leftOut(left));
}

std::string ReconcileEngine::framesOf(std::vector<std::size_t> moments) const {
    std::sort(moments.begin(), moments.end());
    std::string text;
    for (const std::size_t t : moments)
        text += fmt::format("{}{}", text.empty() ? "" : ",", frameText(frameOfB(t)));
    return text;
}

std::size_t ReconcileEngine::firstKept() const {
    return std::any_of(found_.causes.begin(), found_.causes.end(),
                       [](const Cause& cause) { return cause.id == "first_stale"; });
}

std::vector<Step> ReconcileEngine::leftOut(std::vector<std::size_t> moments) const {
    std::vector<Step> steps;
    const auto at = std::find(moments.begin(), moments.end(), trackB_.moments() - 1);
    const bool last = at != moments.end(); // nothing is behind it to fill from
    if (last)
        moments.erase(at);
    if (!moments.empty())
        steps = {{"drop", {{"frames", framesOf(moments)}}, true}, {"fill", nlohmann::json::object(), true}};
    if (last)
        steps.push_back({"ends", {{"first", "as it is"}, {"last", "left out"}}, true});
    return steps;
}

std::vector<Step> ReconcileEngine::swappedBack(const std::vector<std::size_t>& swapped) const {
    if (!samplesAreFrames())
        return {}; // the curve is one of whole frames
    std::vector<std::size_t> shows(trackB_.moments());
    std::iota(shows.begin(), shows.end(), std::size_t{0});
    for (std::size_t i = 0; i + 1 < swapped.size(); i += 2)
        std::swap(shows[swapped[i]], shows[swapped[i + 1]]);
    std::string curve;
    for (std::size_t t = firstKept(); t < shows.size(); ++t) {
        const bool isEnd = t == firstKept() || t + 1 == shows.size();
        const bool runs = !isEnd && shows[t] == t && shows[t - 1] == t - 1 && shows[t + 1] == t + 1;
        if (!runs)
            curve += fmt::format("{}{}={}", curve.empty() ? "" : ", ", frameText(frameOfB(t)),
                                 frameText(frameOfB(shows[t])));
    }
    return {{"retime", {{"curve", curve}}, true}};
}

std::optional<std::size_t> ReconcileEngine::poseLike(std::size_t moment) const {
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

std::vector<double> ReconcileEngine::stepsOfB() const {
    std::vector<double> steps;
    for (Eigen::Index row = 3; row < trackB_.xyz.rows(); row += 3)
        steps.push_back(std::sqrt(
            (trackB_.xyz.middleRows<3>(row) - trackB_.xyz.middleRows<3>(row - 3)).colwise().squaredNorm().mean()));
    return steps;
}

double ReconcileEngine::relativeAt(double speed, double shift) const {
    double squares = 0.0;
    double count = 0.0;
    for (std::size_t t = 0; t < trackB_.moments(); ++t)
        if (const double off = offAt(t, speed * trackB_.times[t] + shift); how_.counts[t] && !std::isnan(off)) {
            squares += off * off;
            count += 1.0;
        }
    return count > 0.0 ? std::sqrt(squares / count) / std::max(1e-30, how_.spread) : 1.0;
}

namespace {

std::string shareText(double share) {
    return share < 1e-5 ? std::string("under 0.001 %") : fmt::format("{:.3g} %", share * 100.0);
}

} // namespace

void ReconcileEngine::tellTime() {
    if (!movesA_ && !movesB_) {
        tellStill();
        return;
    }
    if (!movesA_ || !movesB_)
        return;
    const double rateA = a_.rate().value();
    const double rateB = b_.rate().value();
    const double left = std::max(how_.relative(), kPassedOn);
    const double step = stepA_;
    const double stepB = trackB_.moments() < 2 ? step : middleStep(trackB_.times);
    double speed = how_.speed;
    double shift = how_.shift; // behind what is undone so far
    double frameSeconds = 1.0 / rateB;
    double least = 0.97; // of how sure it is when B is
    const auto tell = [&](std::string id, double figure, std::string unit, double sure, std::string text,
                          std::string evidence, std::vector<Step> undo) {
        least = std::min(least, sure);
        add(std::move(id), figure, std::move(unit), sure, std::move(text), std::move(evidence), std::move(undo));
    };
    if (speed < 0.0) {
        const double ends = b_.times().front() + b_.times().back();
        const double forward = relativeAt(-speed, shift + speed * ends);
        tell("reversed", 1.0, "", sureOf(forward, left, true), "it plays backwards",
             fmt::format("forwards {} of its size off, backwards {}", shareText(forward), shareText(how_.relative())),
             {{"retime", {{"curve", "reverse"}}, true}});
        shift += speed * ends;
        speed = -speed;
    }
    if (std::abs(speed - 1.0) > 1e-6) {
        const double without = relativeAt(std::copysign(1.0, how_.speed), middleShift(std::copysign(1.0, how_.speed)));
        double sure = sureOf(without, left, knownSpeed(speed, 1e-6).has_value());
        // Every sample of A, or every so manyth, where the speed is one that rates differ by.
        const double each = step > 0.0 ? speed * stepB / step : 0.0;
        const double whole = std::abs(std::log(speed)) < 0.25 ? std::max(1.0, std::round(each)) : 1.0;
        const bool sampleBySample = std::abs(each / whole - 1.0) < 1e-4;
        if (sampleBySample && std::abs(rateB * whole / rateA / speed - 1.0) < 1e-6)
            sure = std::max(sure, 0.95); // both say so themselves
        if (sampleBySample) {
            least = std::min(least, sure);
            tellRate(speed, sure, fmt::format("sample by sample, {:.6g} as fast", speed));
            frameSeconds = speed / rateB;
        } else {
            tell("retimed", speed, "x", sure,
                 fmt::format("it plays {} × as fast", shortestNumber(std::round(speed * 1e6) / 1e6)),
                 "over all of it, evenly",
                 {{"retime", {{"curve", fmt::format("x{}", shortestNumber(1.0 / speed))}}, true}});
            shift += (speed - 1.0) * b_.times().front();
        }
    }
    if (const double frames = -shift * rateA; std::abs(frames) > 1e-3) {
        const double without = relativeAt(how_.speed, how_.shift + frames / rateA);
        const double rounded =
            std::abs(frames - std::round(frames)) < 1e-3 ? std::round(frames) : std::round(frames * 1e4) / 1e4;
        tell("offset", rounded, "frames", sureOf(without, left, rounded == std::round(rounded)), offsetText(rounded),
             fmt::format("without it {} of its size off, with it {}", shareText(without), shareText(how_.relative())),
             {{"offset", {{"frames", snappedFrame(shift / frameSeconds)}}, true}});
    }
    tellSampling(stepB, step);
    tellRange(step, least);
    weighRestAtStart();
}

// Late or early as a whole, and longer or shorter by as much, where it begins as A does and rests: a frame more or less
// in that rest shows the same.
void ReconcileEngine::weighRestAtStart() {
    const auto told = [this](const char* id) {
        return std::find_if(found_.causes.begin(), found_.causes.end(), [&](const Cause& c) { return c.id == id; });
    };
    const auto offset = told("offset");
    const auto range = told("range");
    const double more = static_cast<double>(b_.times().size()) - static_cast<double>(a_.times().size());
    if (offset == found_.causes.end() || range == found_.causes.end() || std::abs(how_.speed - 1.0) > 1e-6 ||
        offset->figure != more || more == 0.0 || std::abs(trackB_.times.front() - trackA_.times.front()) > 0.5 * stepA_)
        return;
    std::size_t lead = 0;
    while (lead < trackB_.moments() && offAt(lead, trackB_.times[lead]) <= fits())
        ++lead;
    if (lead < 2)
        return;
    offset->confidence = range->confidence = kOneOfSeveral;
    const auto frames = static_cast<std::size_t>(std::abs(more));
    orInstead(*offset,
              Cause{more < 0.0 ? "missing" : "doubled",
                    std::abs(more),
                    "frames",
                    kOneOfSeveral,
                    fmt::format("{} {} while it rests", counted(frames, "frame"), more < 0.0 ? "left out" : "more"),
                    "what comes before it moves is alike",
                    {}});
}

// So many times as fast, sample by sample; undone by reading B at the rate at which its samples lie as A's do.
void ReconcileEngine::tellRate(double speed, double sure, std::string evidence) {
    const double wanted = b_.rate().value() / speed;
    const bool isOfA = std::abs(a_.rate().value() / wanted - 1.0) < 1e-6;
    add("rate", speed, "x", sure,
        fmt::format("the same samples at {} frames a second instead of {}",
                    shortestNumber(std::round(speed * a_.rate().value() * 1000.0) / 1000.0), a_.rate().text()),
        std::move(evidence), {{"rate", {{"rate", isOfA ? a_.rate().text() : shortestNumber(wanted)}}, true}});
}

void ReconcileEngine::tellStill() {
    const std::size_t ofA = a_.times().size();
    const std::size_t ofB = b_.times().size();
    if (ofA > 1 && ofB > 1 && stepA_ > 0.0) {
        const double speed = stepA_ / middleStep(b_.times());
        if (ofA == ofB && std::abs(speed - 1.0) > 1e-4) {
            tellRate(speed, 0.9, "by how far apart they are: it stands still");
            return;
        }
        if (const double frames = -how_.shift * a_.rate().value(); std::abs(frames) > 1e-3)
            add("offset", std::round(frames * 1e4) / 1e4, "frames", 0.9, offsetText(std::round(frames * 1e4) / 1e4),
                "by where its samples begin and end: it stands still",
                {{"offset", {{"frames", snappedFrame(b_.rate().frameAt(how_.shift))}}, true}});
        tellRange(stepA_, 0.97);
    } else if (ofA != ofB) {
        add("sampling", static_cast<double>(ofB) / static_cast<double>(ofA), "x", 0.97,
            fmt::format("{} of what stands still, A has {}", counted(ofB, "equal sample"), groupedDigits(ofA)),
            "all of them alike");
    }
}

std::string offsetText(double frames) {
    const double size = std::abs(frames);
    return fmt::format("{} frame{} {}", frameText(size), size == 1.0 ? "" : "s", frames > 0.0 ? "late" : "early");
}

void ReconcileEngine::tellSampling(double stepB, double step) {
    if (!(step > 0.0) || std::abs(std::abs(how_.speed) - 1.0) > 1e-6)
        return;
    const double ratio = stepB / step;
    if (ratio > 0.75 && ratio < 1.5)
        return;
    const double frames = stepB * a_.rate().value();
    add("sampling", std::round(ratio * 1e4) / 1e4, "x", 0.97, fmt::format("a sample every {:.4g} frames", frames),
        fmt::format("A has one every {:.4g}; what lies between is not in it", step * a_.rate().value()));
}

double ReconcileEngine::middleShift(double speed) const {
    const double middle = 0.5 * (trackB_.times.front() + trackB_.times.back());
    return how_.timeOfA(middle) - speed * middle;
}

void ReconcileEngine::tellRange(double step, double sure) {
    if (!(step > 0.0))
        return;
    const bool stale =
        std::any_of(found_.causes.begin(), found_.causes.end(), [](const Cause& c) { return c.id == "first_stale"; });
    double first = how_.timeOfA(b_.times().front());
    double last = how_.timeOfA(b_.times().back()) + (slips_.empty() ? 0 : slips_.back()) * step;
    if (how_.speed < 0.0)
        std::swap(first, last);
    // A stale frame before A begins is left out already.
    else if (stale && first < a_.times().front() - momentMargin(first) && b_.times().size() > 1)
        first = how_.timeOfA(b_.times()[1]);
    const double atStart = (a_.times().front() - first) / step;
    const double atEnd = (last - a_.times().back()) / step;
    // A part of a sample is none.
    const auto samples = [](double many) { return std::copysign(std::floor(std::abs(many) + 0.05), many); };
    const double more = samples(atStart + atEnd);
    const bool shifted = std::abs(more) < 0.5 && std::abs(samples(atStart)) >= 1.0;
    if (std::abs(more) < 0.5 && !shifted)
        return;
    std::vector<Step> undo;
    if (atStart > -0.5 && atEnd > -0.5)
        undo = {{"trim",
                 {{"first", snappedFrame(a_.rate().frameAt(a_.times().front()))},
                  {"last", snappedFrame(a_.rate().frameAt(a_.times().back()))}},
                 true}};
    const std::string evidence =
        fmt::format("{:+g} at the start, {:+g} at the end", std::round(atStart), std::round(atEnd));
    if (shifted) {
        const double way = std::round(atEnd);
        add("range", 0.0, "samples", sure,
            fmt::format("it begins and ends {} {}", counted(static_cast<std::size_t>(std::abs(way)), "frame"),
                        way > 0.0 ? "later" : "earlier"),
            evidence);
        return;
    }
    const auto frames = static_cast<std::size_t>(std::abs(more));
    add("range", more, "samples", sure, fmt::format("{} {}", counted(frames, "frame"), more > 0.0 ? "more" : "less"),
        evidence, undo);
}

} // namespace wyc
