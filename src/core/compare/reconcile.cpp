// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/reconcile.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "compare/causes/precision.h"
#include "compare/causes/subdivision.h"
#include "compare/drift.h"
#include "compare/other_pairs.h"
#include "compare/reconcile_engine.h"
#include "compare/varying.h"
#include "match/shape_pair.h"
#include "time/sampling.h"

namespace wyc {
namespace {

// Points that belong together as B came: by their numbers where there are as many.
std::vector<std::uint32_t> asItCame(const Reconciled& found, const ShapeMotion& a, const ShapeMotion& b) {
    if (a.points() != b.points())
        return found.order.aOfB ? *found.order.aOfB : std::vector<std::uint32_t>(b.points(), kNone);
    std::vector<std::uint32_t> numbered(b.points());
    std::iota(numbered.begin(), numbered.end(), 0U);
    return numbered;
}

// The whole finding in one sentence or two.
std::string wordsOf(const Reconciled& found) {
    if (found.order.by == "none" && found.causes.empty())
        return "nothing in common was found: no point of B could be told in A";
    std::vector<std::string> sure;
    std::vector<std::string> rest; // what no step mends and nothing explains
    std::vector<std::string> guesses;
    for (const Cause& cause : found.causes)
        (cause.isGuess()                                     ? guesses
         : cause.id == "other_motion" || cause.id == "count" ? rest
                                                             : sure)
            .push_back(cause.text);
    std::string text = !sure.empty()           ? fmt::format("B is A, {}", fmt::join(sure, ", "))
                       : found.withinTolerance ? "B is A"
                       : found.causes.empty()  ? "B is near A, and not within the tolerance"
                                               : "B is not A";
    if (!rest.empty())
        text += fmt::format("; {}", fmt::join(rest, ", "));
    if (!guesses.empty())
        text += fmt::format("; perhaps {}", fmt::join(guesses, ", "));
    if (found.undone && !(sure.empty() && rest.empty()))
        text += fmt::format(". {} the largest drift is {}", !found.undo().empty() ? "With that undone" : "As it came",
                            lengthText(found.undone->largest * found.metres));
    return text;
}

} // namespace

std::vector<char> sureOnes(const Reconciled& found) {
    std::vector<char> chosen;
    for (const Cause& cause : found.causes)
        chosen.push_back(!cause.isGuess());
    return chosen;
}

std::string counted(std::size_t n, const char* what) {
    return fmt::format("{} {}{}", groupedDigits(n), what, n == 1 ? "" : "s");
}

double sureOf(double without, double left, bool known) {
    const double ratio = without / std::max(left, 1e-9);
    const double most = std::clamp(1.0 - 2.0 * left, 0.05, 0.99); // of what fits badly nothing is certain
    return ratio > 1e4 ? most : std::clamp(1.0 - (known ? 4.0 : 10.0) / (1.0 + ratio * ratio / 2.0), 0.05, most);
}

Result<Reconciled> ReconcileEngine::run() {
    found_.a = a_.item().path;
    found_.b = b_.item().path;
    found_.metres = a_.scene().unitMetres.value_or(1.0);
    WYC_TRY(equal, isEqual());
    if (equal)
        return std::move(found_);
    WYC_TRY(map, orderOf(a_, b_, progress_.part(0.2, 0.5)));
    map_ = std::move(map);
    progress_.report(0.5, "comparing", found_.b);
    tellOrder();
    if (map_.alignment && !pairs().empty()) {
        WYC_CHECK(readSample());
        WYC_CHECK(alignAgain());
        tellFrames();
        WYC_CHECK(tellPlaceInTimeAndSpace());
    }
    WYC_CHECK(tellShape());
    WYC_CHECK(tellDrift());
    found_.text = wordsOf(found_);
    return std::move(found_);
}

std::vector<std::pair<std::uint32_t, std::uint32_t>> ReconcileEngine::pairs() const {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> all;
    for (std::uint32_t p = 0; p < map_.aOfB.size(); ++p)
        if (map_.aOfB[p] != kNone)
            all.emplace_back(map_.aOfB[p], p);
    return all;
}

Result<bool> ReconcileEngine::isEqual() {
    if (a_.points() != b_.points() || a_.times().size() != b_.times().size() ||
        a_.topology()->hash() != b_.topology()->hash())
        return false;
    for (std::size_t i = 0; i < a_.times().size(); ++i)
        if (std::abs(a_.times()[i] - b_.times()[i]) > momentMargin(a_.times()[i]))
            return false;
    std::vector<std::uint32_t> numbers(a_.points());
    std::iota(numbers.begin(), numbers.end(), 0U);
    // Most caches that differ do so at once.
    for (const double t : {a_.times().front(), a_.times()[a_.times().size() / 2]}) {
        if (hasPlace(a_) || hasPlace(b_))
            break;
        std::vector<Vec3f> own(a_.points());
        std::vector<Vec3f> other(b_.points());
        WYC_CHECK(a_.item().geometry->readAt(t, 0, own));
        WYC_CHECK(b_.item().geometry->readAt(t, 0, other));
        const auto mayBeOne = [](const Vec3f& x, const Vec3f& y) { return x == y || !isFinite(x) || !isFinite(y); };
        if (!std::equal(own.begin(), own.end(), other.begin(), mayBeOne))
            return false;
    }
    WYC_TRY(drift, driftBetween(a_, b_, numbers, progress_.part(0.0, 0.2)));
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

Status ReconcileEngine::readSample() {
    std::optional<SampledPairs> sample = std::exchange(map_.sample, std::nullopt);
    if (!sample) {
        WYC_TRY(reader, ShapePair::of(a_, b_, progress_));
        std::vector<PointPair> all;
        for (const auto& [a, b] : pairs())
            all.push_back({a, b});
        WYC_TRY(read, reader.sampleOf(all));
        sample = std::move(read);
    }
    const std::vector<double> timesA = sample->a.times;
    if (hasPlace(a_)) {
        WYC_TRY(localA, a_.readLocal(&sample->ofA, timesA, progress_));
        localA_ = std::move(localA);
    } else {
        localA_ = sample->a;
    }
    trackA_ = std::move(sample->a);
    trackB_ = std::move(sample->b);
    stepA_ = middleStep(trackA_.times);
    dense_ = timesA.size() == a_.times().size() && trackB_.times.size() == b_.times().size();
    WYC_TRY(extentA, a_.extent(progress_));
    WYC_TRY(extentB, b_.extent(progress_));
    movesA_ = extentA > 1e-6;
    movesB_ = extentB > 1e-6 && !restsBeside(extentB, extentA);
    return {};
}

Status ReconcileEngine::alignAgain() {
    if (movesA_ && !movesB_ && trackB_.moments() > 1) {
        trackB_.times.resize(1);
        trackB_.xyz = Eigen::MatrixXd(trackB_.xyz.topRows<3>());
    }
    how_ = alignmentOf(trackA_, trackB_);
    // Where a transform that moves was left out, only A's own points are like B's at all.
    if (hasPlace(a_) && !hasPlace(b_) && how_.relative() > 1e-4)
        if (Alignment bare = alignmentOf(localA_, trackB_); isPlain(bare) && bare.relative() < 0.1 * how_.relative()) {
            how_ = std::move(bare);
            trackA_ = localA_;
            withoutPlace_ = true;
        }
    stepsB_ = stepsOfB();
    usualStepB_ = stepsB_.empty() ? 0.0 : middleOf(stepsB_);
    slips_.assign(trackB_.moments(), 0);
    if (movesA_ && movesB_) {
        each_ = onEach();
        if (each_ > 1) {
            alignByFirstOfEach();
        } else {
            findSlips();
            alignWithSlips();
            if (std::all_of(slips_.begin(), slips_.end(), [](int slip) { return slip == 0; }))
                slipsByRepeats();
        }
    }
    // What other orders tell holds where all moments are as they were fitted.
    const bool asFitted = each_ == 1 && std::all_of(slips_.begin(), slips_.end(), [](int slip) { return slip == 0; });
    for (const Alignment& other : map_.instead)
        if (asFitted && other.counts.size() == trackB_.moments())
            how_.instead.push_back(other);
    return {};
}

double ReconcileEngine::offAt(std::size_t t, double timeOfA) const {
    if (!liesWithin(timeOfA, trackA_.times.front(), trackA_.times.back()))
        return std::numeric_limits<double>::quiet_NaN();
    const Eigen::Matrix3Xd there = how_.space.of(trackA_.at(timeOfA));
    const auto here = trackB_.xyz.middleRows<3>(static_cast<Eigen::Index>(3 * t));
    return std::sqrt((here - there).colwise().squaredNorm().mean());
}

void ReconcileEngine::add(std::string id, double figure, std::string unit, double confidence, std::string text,
                          std::string evidence, std::vector<Step> undo) {
    constexpr double kNoWord = 0.2; // less is no guess even
    if (confidence < kNoWord)
        return;
    found_.causes.push_back(
        {std::move(id), figure, std::move(unit), confidence, std::move(text), std::move(evidence), std::move(undo)});
}

namespace {

bool isNear(const nlohmann::json& a, const nlohmann::json& b) {
    if (a.is_number() && b.is_number()) {
        const double x = a.get<double>();
        const double y = b.get<double>();
        return std::abs(x - y) <= 1e-6 * std::max({1.0, std::abs(x), std::abs(y)});
    }
    if (a.type() != b.type() || a.size() != b.size() || !a.is_structured())
        return a == b;
    return std::equal(a.begin(), a.end(), b.begin(), &isNear);
}

// Not only by its figure: two moves of the same length go different ways.
bool saysTheSame(const Cause& a, const Cause& b) {
    return a.id == b.id && std::abs(a.figure - b.figure) <= 1e-6 * std::max(1.0, std::abs(a.figure)) &&
           std::equal(a.undo.begin(), a.undo.end(), b.undo.begin(), b.undo.end(),
                      [](const Step& x, const Step& y) { return x.type == y.type && isNear(x.options, y.options); });
}

} // namespace

Status ReconcileEngine::tellPlaceInTimeAndSpace() {
    const std::vector<Cause> before = found_.causes;
    tellTime();
    WYC_CHECK(tellSpace());
    if (transformTold_ || withoutPlace_ || how_.instead.empty())
        return {};
    const auto behind = [&] {
        return std::vector<Cause>(found_.causes.begin() + static_cast<std::ptrdiff_t>(before.size()),
                                  found_.causes.end());
    };
    const auto isIn = [](const std::vector<Cause>& list, const Cause& one) {
        return std::any_of(list.begin(), list.end(), [&](const Cause& c) { return saysTheSame(c, one); });
    };
    std::vector<Cause> told = behind();
    const Alignment own = how_;
    for (const Alignment& other : own.instead) {
        found_.causes = before;
        how_ = other;
        tellTime();
        WYC_CHECK(tellSpace());
        std::vector<Cause> others = behind();
        const auto first =
            std::find_if(told.begin(), told.end(), [&](const Cause& cause) { return !isIn(others, cause); });
        std::vector<Cause> instead;
        for (Cause& cause : others)
            if (!isIn(told, cause))
                instead.push_back(std::move(cause));
        if (first == told.end() || instead.empty())
            continue;
        for (Cause& cause : told)
            if (!isIn(others, cause))
                cause.confidence = std::min(cause.confidence, kOneOfSeveral);
        std::vector<std::string> words;
        for (Cause& cause : instead) {
            cause.confidence = std::min(cause.confidence, kOneOfSeveral);
            words.push_back(cause.text);
        }
        first->text += fmt::format(", or {}", fmt::join(words, " and "));
        first->instead.push_back(std::move(instead));
    }
    how_ = own;
    transformTold_ = false; // of A as it was fitted
    found_.causes = before;
    found_.causes.insert(found_.causes.end(), told.begin(), told.end());
    return {};
}

void ReconcileEngine::tellOrder() {
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

bool ReconcileEngine::isPlain(const Alignment& how) {
    return std::abs(how.space.scale - 1.0) < 1e-9 && how.space.turn.isIdentity(1e-9) &&
           how.space.move.isZero(1e-9 * std::max(1.0, how.spread));
}

Status ReconcileEngine::tellDrift() {
    WYC_TRY(drift, driftBetween(a_, b_, asItCame(found_, a_, b_), progress_.part(0.6, 0.75)));
    found_.drift = std::move(drift);
    if (found_.drift && found_.drift->broken > 0)
        add("not_finite", static_cast<double>(found_.drift->broken), "values", 0.99,
            fmt::format("{} {}", counted(found_.drift->broken, "place"),
                        found_.drift->broken == 1 ? "is no number" : "are no numbers"),
            fmt::format("first at frame {}, point {}", frameText(found_.drift->brokenFrame),
                        found_.drift->brokenPoint));
    const double tolerance = settings_.toleranceMetres / found_.metres;
    found_.withinTolerance = found_.drift && found_.order.same && found_.drift->largest <= tolerance &&
                             found_.drift->broken == 0 && found_.drift->moments == b_.times().size() &&
                             a_.times().size() == b_.times().size();
    const std::vector<char> chosen = sureOnes(found_);
    auto undone =
        driftAfter(found_, chosen, a_.sharedScene(), a_.node(), b_.sharedScene(), b_.node(), progress_.part(0.75, 1));
    if (!undone) {
        if (undone.error().kind == ErrorKind::Cancelled)
            return fail(std::move(undone.error()));
        found_.withinTolerance = false;
        return {}; // what cannot be undone together is not measured
    }
    found_.undone = std::move(*undone);
    WYC_CHECK(tellRest(tolerance));
    // Whatever is told besides makes it another one; that transforms went into points does not.
    for (const Cause& cause : found_.causes)
        if (!cause.isGuess() && cause.id != "transform" && cause.id != "precision" && cause.id != "other_motion")
            found_.withinTolerance = false;
    return {};
}

Status ReconcileEngine::tellRest(double tolerance) {
    if (!found_.undone)
        return {};
    const double spreadOfA = how_.space.scale > 0.0 ? how_.spread / how_.space.scale : how_.spread;
    const double floor = std::max(tolerance * 0.1, 2e-6 * spreadOfA);
    const auto [rms, largest] = restOf(*found_.undone);
    if (rms <= floor && largest <= tolerance)
        return {};
    // Where frames stay that are others, what is left is asked of those that are not.
    const bool stays = std::any_of(found_.causes.begin(), found_.causes.end(), [](const Cause& c) {
        return c.id == "static" || c.id == "twos" ||
               ((c.id == "transform" || c.id == "missing" || c.id == "swapped") && c.undo.empty());
    });
    const double fitted = how_.residual / std::max(1e-30, how_.space.scale);
    WYC_TRY(rounded, stays ? tellPrecision(fitted, fitted) : tellPrecision(rms, largest));
    if (rounded)
        return {};
    if (stays)
        return {};
    const double lines = straightLines();
    if (rms <= lines && largest <= 8.0 * lines)
        return {};
    WYC_TRY(smoothed, tellSmoothed(rms));
    if (smoothed)
        return {};
    const double relative = spreadOfA > 0.0 ? rms / spreadOfA : 1.0;
    const double sure = relative > 0.05 ? 0.95 : relative > 0.01 ? 0.75 : relative > 0.002 ? 0.6 : 0.35;
    // A few points that are off in a few frames are hardly seen in the mean of all.
    const bool few = rms <= floor || largest > 20.0 * rms;
    add("other_motion", (few ? largest : rms) * found_.metres * 1000.0, "mm", few ? std::max(sure, 0.8) : sure,
        few                ? "some of its points are elsewhere in some frames"
        : relative > 0.002 ? "what is left is a motion of its own"
                           : "a little is left that nothing explains",
        fmt::format("{} off (RMS), {} at most, at {}", lengthText(rms * found_.metres),
                    lengthText(found_.undone->largest * found_.metres), frameText(found_.undone->worstFrame)));
    return {};
}

double ReconcileEngine::straightLines() const {
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

ReconcileEngine::Rest ReconcileEngine::restOf(const Drift& drift) const {
    double madeUp = 0.0;
    for (const Cause& cause : found_.causes)
        if (cause.id == "missing" || cause.id == "held" || cause.id == "foreign")
            madeUp += cause.figure;
    std::vector<std::pair<double, double>> moments;
    for (std::size_t t = 0; t < drift.rmsAt.size(); ++t)
        moments.emplace_back(drift.rmsAt[t], drift.largestAt[t]);
    std::sort(moments.begin(), moments.end());
    moments.resize(moments.size() - std::min(moments.size(), static_cast<std::size_t>(madeUp)));
    Rest rest;
    for (const auto& [rms, largest] : moments) {
        rest.rms += rms * rms / static_cast<double>(moments.size());
        rest.largest = std::max(rest.largest, largest);
    }
    rest.rms = std::sqrt(rest.rms);
    return rest;
}

Result<bool> ReconcileEngine::tellPrecision(double rms, double largest) {
    const auto roundingIn = [](const ShapeMotion& of) -> Result<std::optional<Rounding>> {
        constexpr std::size_t kMost = 2000;
        std::vector<Vec3f> some;
        for (const double t : someOf(of.times(), 3)) {
            std::vector<Vec3f> points(of.points());
            WYC_CHECK(of.item().geometry->readAt(t, 0, points));
            for (const std::uint32_t i : spreadOver(inTurn(points.size()), kMost))
                some.push_back(points[i]);
        }
        return roundingOf(some);
    };
    WYC_TRY(own, roundingIn(b_));
    WYC_TRY(before, roundingIn(a_));
    if (!own || (before && before->kind == own->kind && before->step >= 0.99 * own->step))
        return false;
    const double expected = own->expected / std::max(1e-30, how_.space.scale);
    const double ratio = rms / expected;
    if (ratio > 4.0 || ratio < 0.2 || largest > 5.0 * expected)
        return false;
    add("precision", own->step, "of B's unit", 0.95, fmt::format("its numbers were rounded to {}", own->words()),
        fmt::format("that is up to {} in A; {} is left", lengthText(0.5 * own->step / how_.space.scale * found_.metres),
                    lengthText(rms * found_.metres)));
    return true;
}

std::vector<Step> Reconciled::undo() const {
    std::vector<Step> steps;
    for (const Cause& cause : causes)
        if (!cause.isGuess())
            steps.insert(steps.end(), cause.undo.begin(), cause.undo.end());
    return steps;
}

namespace {

// What was found of A's mesh parted as often as B's numbers say, as seen from A itself: of the points that A has.
Status seenFromWhole(Reconciled& found, const ShapeMotion& a, const ShapeMotion& b, const Progress& progress) {
    OrderFacts& order = found.order;
    std::vector<std::uint32_t> aOfB = *order.aOfB;
    order.unmatchedB.clear();
    order.certain = 0;
    order.same = true;
    for (std::uint32_t p = 0; p < aOfB.size(); ++p)
        if (aOfB[p] >= a.points()) {
            aOfB[p] = kNone;
            order.unmatchedB.push_back(p);
        } else {
            ++order.certain;
            order.same = order.same && aOfB[p] == p;
        }
    std::erase_if(order.unsure, [&](std::uint32_t p) { return p < aOfB.size() && aOfB[p] == kNone; });
    order.ambiguous = order.unsure.size();
    order.certain -= std::min(order.certain, order.ambiguous);
    std::vector<std::uint32_t> bOfA(order.bOfA->begin(), order.bOfA->begin() + static_cast<std::ptrdiff_t>(a.points()));
    order.aOfB = std::make_shared<const std::vector<std::uint32_t>>(std::move(aOfB));
    order.bOfA = std::make_shared<const std::vector<std::uint32_t>>(std::move(bOfA));
    if (order.same) // the numbers of new points are nobody's
        std::erase_if(found.causes, [](const Cause& cause) { return cause.id == "order"; });
    WYC_TRY(drift, driftBetween(a, b, asItCame(found, a, b), progress));
    found.drift = std::move(drift);
    const std::vector<char> chosen = sureOnes(found);
    WYC_TRY(undone, driftAfter(found, chosen, a.sharedScene(), a.node(), b.sharedScene(), b.node(), progress));
    found.undone = std::move(undone);
    return {};
}

// Where B has as many points and faces as A after so many levels, A is parted, and B compared with that.
Result<std::optional<Reconciled>> asSubdivided(const ShapeMotion& a, const ShapeMotion& b,
                                               const ReconcileSettings& settings, const Progress& progress) {
    std::optional<Reconciled> best;
    const int levels = levelsBetween(*a.topology(), a.points(), *b.topology(), b.points());
    if (levels == 0)
        return best;
    bool smoothed = false;
    double straight = 0.0;
    for (const bool smooth : {false, true}) {
        Scene scene = a.scene();
        GeometryPtr& mesh = scene.nodes[a.node()].geometry;
        for (int level = 0; level < levels; ++level) {
            WYC_TRY(next, subdivided(mesh, smooth));
            mesh = std::move(next);
        }
        WYC_TRY(parted, ShapeMotion::of(std::make_shared<const Scene>(std::move(scene)), a.node()));
        const Progress part = progress.part(smooth ? 0.45 : 0.0, smooth ? 0.9 : 0.45);
        WYC_TRY(found, ReconcileEngine(parted, b, settings, part).run());
        if (!found.undone || found.order.by == "none" || !found.order.unmatchedB.empty() ||
            !found.order.unmatchedA.empty())
            continue;
        if (!smooth)
            straight = found.undone->rms;
        if (best && !(found.undone->rms < 0.25 * best->undone->rms))
            continue;
        smoothed = smooth;
        best = std::move(found);
    }
    if (!best)
        return best;
    const double left = best->undone->rms;
    std::vector<Cause> told;
    told.push_back({"subdivided",
                    static_cast<double>(levels),
                    "levels",
                    0.99,
                    fmt::format("subdivided {}", levels == 1   ? "once"
                                                 : levels == 2 ? "twice"
                                                               : "three times"),
                    fmt::format("{} faces, one for each corner of A", groupedDigits(b.topology()->faceCount())),
                    {}});
    if (smoothed)
        told.push_back({"smoothed",
                        straight * best->metres * 1000.0,
                        "mm",
                        sureOf(straight, left, true),
                        "smoothed as a subdivision surface",
                        fmt::format("in straight lines {} is left, as such a surface {}",
                                    lengthText(straight * best->metres), lengthText(left * best->metres)),
                        {}});
    best->causes.insert(best->causes.begin(), told.begin(), told.end());
    best->withinTolerance = false;
    WYC_CHECK(seenFromWhole(*best, a, b, progress.part(0.9, 1.0)));
    best->text = wordsOf(*best);
    return best;
}

// Whether ids, and not numbers, tell which point is which.
bool idsMove(const Geometry& a, const Geometry& b) {
    const auto first = a.ids(0);
    if (!first || !*first)
        return false;
    bool moved = false;
    for (const Geometry* shape : {&a, &b})
        for (const double t : someOf(shape->sampling().times(), 12)) {
            const auto own = shape->idsAt(t);
            if (!own || !*own)
                return false;
            moved = moved || **own != **first;
        }
    return moved;
}

Result<Reconciled> comparedShapes(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                  const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                  const ReconcileSettings& settings, const Progress& progress) {
    const auto motionA = ShapeMotion::of(a, nodeA);
    const auto motionB = ShapeMotion::of(b, nodeB);
    const GeometryPtr& ofA = a->nodes[nodeA].geometry;
    const GeometryPtr& ofB = b->nodes[nodeB].geometry;
    const bool comeAndGo = (!motionA || !motionB) && ofA && ofB && ofA->topologyVaries() && ofB->topologyVaries();
    // Points with ids may stand in another order in every sample.
    const bool byIds = ofA && ofB && motionA && motionB && idsMove(*ofA, *ofB);
    if (comeAndGo || byIds) {
        WYC_TRY(varying, reconcileVarying(a, nodeA, b, nodeB, settings, progress));
        varying.text = wordsOf(varying);
        return varying;
    }
    if (!motionA)
        return fail(motionA.error());
    if (!motionB)
        return fail(motionB.error());
    WYC_TRY(parted, asSubdivided(*motionA, *motionB, settings, progress));
    if (parted)
        return std::move(*parted);
    return ReconcileEngine(*motionA, *motionB, settings, progress).run();
}

} // namespace

Result<Reconciled> reconcile(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                             const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                             const ReconcileSettings& settings, const Progress& progress) {
    WYC_TRY(found, comparedShapes(a, nodeA, b, nodeB, settings, progress));
    // What lies on it, and whether it is seen, is asked of B as it is with the rest undone.
    auto undone = applySteps(*b, found.undo());
    if (!undone || found.order.by == "none")
        return found;
    const std::size_t there = undone->find(b->nodes[nodeB].id).value_or(nodeB);
    const auto tell = [&](Cause cause) {
        found.withinTolerance = false;
        found.causes.push_back(std::move(cause));
    };
    WYC_TRY(sets, setsApart(*a, nodeA, *undone, there));
    if (sets)
        tell({"materials",
              static_cast<double>(sets->count),
              "sets",
              0.99,
              sets->text,
              "by name, in the first sample",
              {}});
    WYC_TRY(apart, seenApart(*a, nodeA, *undone, there));
    if (apart)
        tell({"visibility",
              *apart,
              "frame",
              0.99,
              fmt::format("one is seen and the other not at frame {}", frameText(*apart)),
              "asked at every change of either",
              {}});
    if (sets || apart)
        found.text = wordsOf(found);
    return found;
}

std::vector<std::uint32_t> pointsAfter(const Reconciled& found, const std::vector<Step>& steps, std::size_t pointsA,
                                       std::size_t pointsB) {
    const bool reordered =
        std::any_of(steps.begin(), steps.end(), [](const Step& step) { return step.on && renumbers(step); });
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

Result<Undone> undoneOf(const Reconciled& found, const std::vector<char>& chosen, const std::shared_ptr<const Scene>& b,
                        std::size_t nodeB) {
    Undone undone;
    for (std::size_t i = 0; i < found.causes.size() && i < chosen.size(); ++i)
        if (chosen[i])
            undone.steps.insert(undone.steps.end(), found.causes[i].undo.begin(), found.causes[i].undo.end());
    Scene scene = *b;
    for (const Step& step : undone.steps) {
        WYC_TRY(meaning, meaningOf(scene, step));
        if (meaning.time)
            undone.time = meaning.time->map.of(undone.time);
        WYC_TRY(next, applySteps(scene, {step}));
        scene = std::move(next);
    }
    const auto node = scene.find(b->nodes[nodeB].id);
    undone.scene = std::make_shared<const Scene>(std::move(scene));
    undone.node = node.value_or(nodeB);
    WYC_TRY(points, undone.scene->nodes[undone.node].geometry->pointCount(0));
    undone.aOfB =
        pointsAfter(found, undone.steps, found.order.bOfA ? found.order.bOfA->size() : std::size_t{0}, points);
    return undone;
}

Result<std::optional<Drift>> driftAfter(const Reconciled& found, const std::vector<char>& chosen,
                                        const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                        const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                        const Progress& progress, const Picture* picture) {
    WYC_TRY(undone, undoneOf(found, chosen, b, nodeB));
    WYC_TRY(motionA, ShapeMotion::of(a, nodeA));
    WYC_TRY(motionB, ShapeMotion::of(undone.scene, undone.node));
    // Where nothing is undone it is as it came: that was measured.
    if (undone.steps.empty() && found.drift && !picture && undone.aOfB == asItCame(found, motionA, motionB))
        return found.drift;
    return driftBetween(motionA, motionB, undone.aOfB, progress, picture, found.metres);
}

Result<PicturedDrift> picturedDrift(const Reconciled& found, const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                    const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                    const std::vector<char>& chosen, const Picture& picture, const Progress& progress) {
    PicturedDrift drift;
    WYC_TRY(motionA, ShapeMotion::of(a, nodeA));
    WYC_TRY(motionB, ShapeMotion::of(b, nodeB));
    WYC_TRY(before, driftBetween(motionA, motionB, asItCame(found, motionA, motionB), progress.part(0.0, 0.5), &picture,
                                 found.metres));
    drift.drift = std::move(before);
    WYC_TRY(after, driftAfter(found, chosen, a, nodeA, b, nodeB, progress.part(0.5, 1.0), &picture));
    drift.undone = std::move(after);
    return drift;
}

} // namespace wyc
