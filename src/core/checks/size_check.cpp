// SPDX-License-Identifier: GPL-3.0-or-later
// Sizes and axes: against the item's own rest mesh point by point, against its kin by their extents.
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <tuple>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/check.h"
#include "gather/source.h"

namespace wyc {
namespace {

// Two items stand for the same thing when their points and faces stand in the same order and their names share a word.
// A shared file, or the name of one, says nothing: a crate and a pebble may stand side by side; nor do proportions.
bool isKin(const MeasuredItem& a, const MeasuredItem& b) {
    const MotionProfile& one = *a.profile;
    const MotionProfile& other = *b.profile;
    if (one.pointCounts.empty() || other.pointCounts.empty() || one.pointCounts[0] < 4 ||
        one.pointCounts[0] != other.pointCounts[0] || a.scene == b.scene ||
        (a.source == b.source && a.sourcePath == b.sourcePath))
        return false;
    // Caches without a mesh have no faces to compare.
    const bool bare = a.at().is().cloud || b.at().is().cloud;
    return (bare || one.topologies[0] == other.topologies[0]) && nameNearness(a.at().name, b.at().name) > 0;
}

struct RatioName {
    double ratio;
    const char* words;
};
constexpr std::array<RatioName, 9> kRatios{{{1000.0, "mm for m"},
                                            {100.0, "cm for m"},
                                            {10.0, "mm for cm"},
                                            {2.54, "cm for inches"},
                                            {25.4, "mm for inches"},
                                            {39.37007874, "inches for m"},
                                            {30.48, "cm for feet"},
                                            {12.0, "inches for feet"},
                                            {3.280839895, "feet for m"}}};

// Extents of an item over its samples, largest first, with the axis each came from.
std::array<double, 3> sizesOf(const MeasuredItem& item) {
    // A stale or odd frame must not decide: the median over samples of each side.
    std::array<double, 3> result{};
    for (std::size_t axis = 0; axis < 3; ++axis) {
        std::vector<double> values;
        for (const Bounds& b : item.profile->bounds)
            if (!b.isEmpty())
                values.push_back(axis == 0 ? b.size().x : axis == 1 ? b.size().y : b.size().z);
        if (values.empty())
            return {};
        std::nth_element(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2), values.end());
        result[axis] = values[values.size() / 2];
    }
    return result;
}

struct SizeMatch {
    double ratio = 1.0;  // b / a
    bool turned = false; // y and z changed places
};

std::optional<SizeMatch> matchSizes(const std::array<double, 3>& a, const std::array<double, 3>& b) {
    const auto ratioOf = [&](std::array<std::size_t, 3> order) -> std::optional<double> {
        double ratio = 0.0;
        double low = 1e300;
        double high = 0.0;
        for (std::size_t k = 0; k < 3; ++k) {
            if (!(a[k] > 0.0) || !(b[order[k]] > 0.0))
                return std::nullopt;
            const double r = b[order[k]] / a[k];
            ratio += r / 3.0;
            low = std::min(low, r);
            high = std::max(high, r);
        }
        return high / low < 1.02 ? std::optional(ratio) : std::nullopt;
    };
    if (const auto straight = ratioOf({0, 1, 2}))
        return SizeMatch{*straight, false};
    if (const auto turned = ratioOf({0, 2, 1}))
        return SizeMatch{*turned, true};
    return std::nullopt;
}

// Whether Z is really the up axis of b, given that a has Y up: a point stands for itself in both.
std::optional<int> turnSign(const MeasuredItem& reference, const MeasuredItem& item, double ratio) {
    // With the same order, +90° and −90° differ in which way z came from y.
    std::vector<Vec3f> a;
    std::vector<Vec3f> b;
    const std::size_t sampleA = reference.profile->count() / 2;
    const std::size_t sampleB = item.profile->count() / 2;
    const auto sampleOf = [](const MeasuredItem& m, std::size_t s) {
        return m.at().geometry->sampling().count() > s ? s : 0;
    };
    if (!readPoints(*reference.at().geometry, sampleOf(reference, sampleA), a) ||
        !readPoints(*item.at().geometry, sampleOf(item, sampleB), b) || a.size() != b.size())
        return std::nullopt;
    double plus = 0.0;
    double minus = 0.0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        if (!isFinite(a[i]) || !isFinite(b[i]))
            continue;
        const double y = static_cast<double>(a[i].y) * ratio;
        plus += std::abs(static_cast<double>(b[i].z) - y);
        minus += std::abs(static_cast<double>(b[i].z) + y);
    }
    return plus <= minus ? 1 : -1;
}

Step scaleStepFor(double ratio, double named) {
    if (named == 100.0 && ratio > 1.0)
        return {"unit", {{"from", "cm"}, {"to", "m"}}, true};
    return {"scale", {{"factor", ratio > 1.0 ? 1.0 / named : named}}, true};
}

void reportRatio(const MeasuredItem& item, double ratio, double tolerance, const std::string& against,
                 const std::string& sizes, std::vector<Finding>& findings) {
    const double big = ratio > 1.0 ? ratio : 1.0 / ratio;
    for (const RatioName& named : kRatios) {
        if (std::abs(big / named.ratio - 1.0) > tolerance)
            continue;
        const bool larger = ratio > 1.0;
        const double factor = larger ? 1.0 / named.ratio : named.ratio;
        const double off = std::abs(big / named.ratio - 1.0);
        findings.push_back(
            {"size.ratio",
             Severity::Fault,
             item.label,
             {},
             1.0 / factor,
             "×",
             fmt::format("It is {}{} times {} than {}{}", off > 0.005 ? "about " : "",
                         shortestNumber(std::round(named.ratio * 100.0) / 100.0), larger ? "larger" : "smaller",
                         against, sizes),
             fmt::format("Looks like {}: add a unit step", named.words),
             named.ratio == 100.0 && larger ? "cm → m" : fmt::format("Scale × {}", shortestNumber(factor)),
             {scaleStepFor(ratio, named.ratio)}});
        return;
    }
}

void reportTurn(const MeasuredItem& item, bool fromZ, const std::string& against, std::vector<Finding>& findings) {
    findings.push_back(
        {"axis.turned",
         Severity::Fault,
         item.label,
         {},
         fromZ ? 90.0 : -90.0,
         "°",
         fmt::format("It lies on its side: its height and depth are those of {} the other way round", against),
         fromZ ? "Turn it from Z up to Y up" : "It was turned the other way: turn it from Y up to Z up",
         fromZ ? "Turn to Y up" : "Turn to Z up",
         {Step{"turn", {{"from", fromZ ? "Z" : "Y"}, {"to", fromZ ? "Y" : "Z"}}, true}}});
}

// Scale and turn that bring the rest pose nearest to a pose of the cache. Points stand for themselves in
// both.
struct RestFit {
    double scale = 1.0;
    double residual = 0.0; // RMS, relative to the pose's own spread
};

RestFit fitRest(std::span<const Vec3f> rest, std::span<const Vec3f> pose, const Mat4& turn) {
    Vec3d restCentre;
    Vec3d poseCentre;
    double count = 0.0;
    for (std::size_t i = 0; i < rest.size(); ++i) {
        if (!isFinite(rest[i]) || !isFinite(pose[i]))
            continue;
        restCentre = restCentre + transformedPoint(Vec3d(rest[i]), turn);
        poseCentre = poseCentre + Vec3d(pose[i]);
        count += 1.0;
    }
    if (count < 4.0)
        return {1.0, 1.0};
    restCentre = restCentre * (1.0 / count);
    poseCentre = poseCentre * (1.0 / count);
    double both = 0.0;
    double restSquare = 0.0;
    double poseSquare = 0.0;
    for (std::size_t i = 0; i < rest.size(); ++i) {
        if (!isFinite(rest[i]) || !isFinite(pose[i]))
            continue;
        const Vec3d a = transformedPoint(Vec3d(rest[i]), turn) - restCentre;
        const Vec3d b = Vec3d(pose[i]) - poseCentre;
        both += dot(a, b);
        restSquare += dot(a, a);
        poseSquare += dot(b, b);
    }
    if (!(restSquare > 0.0) || !(poseSquare > 0.0) || !(both > 0.0))
        return {1.0, 1.0};
    const double scale = both / restSquare;
    return {scale, std::sqrt(std::max(0.0, 1.0 - scale * both / poseSquare))};
}

// What the rest pose says about a few poses of the cache, first to last.
struct RestVerdict {
    double scale = 1.0;               // of the pose that fits best
    double spread = 1.0;              // largest scale over smallest: what grows is no wrong unit
    double residual = 1.0;            // of the best fit
    std::optional<UpAxis> turnedFrom; // up axis it has where the rest pose has Y
};

RestVerdict verdictOf(const Geometry& geometry, std::size_t firstSample, std::span<const Vec3f> rest) {
    RestVerdict verdict;
    const std::size_t count = geometry.sampling().count();
    double low = 0.0;
    double high = 0.0;
    std::vector<Vec3f> pose;
    for (const std::size_t sample : {firstSample, (firstSample + count - 1) / 2, count - 1}) {
        if (sample >= count || !readPoints(geometry, sample, pose) || pose.size() != rest.size())
            continue;
        const RestFit straight = fitRest(rest, pose, {});
        const RestFit fromZ = fitRest(rest, pose, upAxisTurn(UpAxis::Y, UpAxis::Z));
        const RestFit fromY = fitRest(rest, pose, upAxisTurn(UpAxis::Z, UpAxis::Y));
        const RestFit& turned = fromZ.residual <= fromY.residual ? fromZ : fromY;
        constexpr double kClear = 0.5; // a turn has to explain the pose twice as well as none
        const bool isTurned = turned.residual < kClear * straight.residual;
        const RestFit& best = isTurned ? turned : straight;
        if (best.residual > 0.5) // shuffled or another mesh: nothing can be said by point number
            continue;
        low = low > 0.0 ? std::min(low, best.scale) : best.scale;
        high = std::max(high, best.scale);
        if (best.residual < verdict.residual) {
            verdict.residual = best.residual;
            verdict.scale = best.scale;
            verdict.turnedFrom = !isTurned ? std::nullopt : std::optional(&turned == &fromZ ? UpAxis::Z : UpAxis::Y);
        }
    }
    verdict.spread = low > 0.0 ? high / low : 1.0;
    return verdict;
}

enum class AgainstRest { Unknown, InOrder, Told };

// An item that fits its rest mesh as it came, or after the item's own steps, is in order.
AgainstRest checkAgainstRest(const MeasuredItem& item, std::vector<Finding>& findings) {
    std::optional<RestVerdict> verdict;
    for (const auto& rest : item.restPoses) {
        const RestVerdict one = verdictOf(*item.at().geometry, firstSampleIsStale(item) ? 1 : 0, *rest);
        if (one.residual > 0.5)
            continue;
        if (std::abs(one.scale - 1.0) < 0.3 && !one.turnedFrom)
            return AgainstRest::InOrder;
        if (!verdict)
            verdict = one;
    }
    if (!verdict)
        return AgainstRest::Unknown;
    const std::size_t before = findings.size();
    // Growing by a tenth or two does not hide a hundredfold; a balloon that grows to 2.54 times its size is no inch.
    const bool far = verdict->scale > 8.0 || verdict->scale < 1.0 / 8.0;
    if (verdict->spread < (far ? 1.5 : 1.02))
        reportRatio(item, verdict->scale, far ? 0.15 : 0.02, "its rest mesh", "", findings);
    if (verdict->turnedFrom)
        reportTurn(item, *verdict->turnedFrom == UpAxis::Z, "its rest mesh", findings);
    return findings.size() > before ? AgainstRest::Told : AgainstRest::Unknown;
}

// Items by number of points and by proportions, in cells a little wider than what matchSizes lets pass: of many
// thousand items, only those that may match are compared.
class KinFinder {
  public:
    void add(std::size_t item, std::size_t points, const std::array<double, 3>& sizes, double unit) {
        if (!(sizes[0] > 0.0 && sizes[1] > 0.0 && sizes[2] > 0.0))
            return;
        cells_[cellOf(points, sizes, 0, 0)][{sizes, unit}].push_back(item);
    }
    /// Rising; without those of equal size and unit.
    [[nodiscard]] std::vector<std::size_t> near(std::size_t points, const std::array<double, 3>& sizes,
                                                double unit) const {
        std::vector<std::size_t> result;
        if (!(sizes[0] > 0.0 && sizes[1] > 0.0 && sizes[2] > 0.0))
            return result;
        for (const auto& turned : {sizes, std::array<double, 3>{sizes[0], sizes[2], sizes[1]}})
            for (int x = -1; x <= 1; ++x)
                for (int y = -1; y <= 1; ++y) {
                    const auto cell = cells_.find(cellOf(points, turned, x, y));
                    if (cell == cells_.end())
                        continue;
                    for (const auto& [size, items] : cell->second)
                        if (size.first != sizes || size.second != unit)
                            result.insert(result.end(), items.begin(), items.end());
                }
        std::sort(result.begin(), result.end());
        result.erase(std::unique(result.begin(), result.end()), result.end());
        return result;
    }

  private:
    using Cell = std::tuple<std::size_t, long, long>;
    static Cell cellOf(std::size_t points, const std::array<double, 3>& sizes, long x, long y) {
        constexpr double kCell = 0.03; // of a natural logarithm
        return {points, std::lround(std::log(sizes[1] / sizes[0]) / kCell) + x,
                std::lround(std::log(sizes[2] / sizes[0]) / kCell) + y};
    }
    std::map<Cell, std::map<std::pair<std::array<double, 3>, double>, std::vector<std::size_t>>> cells_;
};

} // namespace

void checkSize(const CheckInput& input, std::vector<Finding>& findings) {
    const double shotUnit = input.shot.unitMetres.value_or(1.0);
    std::vector<std::array<double, 3>> sizes(input.items.size());
    KinFinder finder;
    const auto pointsOf = [](const MeasuredItem& item) {
        return item.profile->pointCounts.empty() ? 0 : item.profile->pointCounts[0];
    };
    const auto unitOf = [](const MeasuredItem& item) { return item.scene->unitMetres.value_or(0.0); };
    for (std::size_t i = 0; i < input.items.size(); ++i) {
        const MeasuredItem& item = input.items[i];
        if (!item.at().is().points || !item.profile || item.profile->extent.isEmpty())
            continue;
        sizes[i] = sizesOf(item);
        finder.add(i, pointsOf(item), sizes[i], unitOf(item));
    }
    for (std::size_t i = 0; i < input.items.size(); ++i) {
        const MeasuredItem& item = input.items[i];
        if (!item.profile || item.profile->extent.isEmpty() || !item.at().is().points)
            continue;
        const auto& own = sizes[i];
        const auto candidates = finder.near(pointsOf(item), own, unitOf(item));
        const double ownUnit = item.scene->unitMetres.value_or(shotUnit);
        // The kin that most others agree with stands as the measure: the first item of the same thing whose
        // size is plausible. A rest mesh of the item's own counts as kin too.
        const AgainstRest rest = checkAgainstRest(item, findings);
        bool told = rest == AgainstRest::Told;
        for (std::size_t c = 0; c < candidates.size() && !told && rest == AgainstRest::Unknown; ++c) {
            const std::size_t k = candidates[c];
            const MeasuredItem& other = input.items[k];
            const auto match = matchSizes(sizes[k], own);
            if (!match)
                continue;
            const double otherUnit = other.scene->unitMetres.value_or(shotUnit);
            const double ratio = match->ratio * ownUnit / otherUnit;
            // Of two, the one farther from a person's scale is suspect; at equal distance the later one.
            const auto strangeness = [](const std::array<double, 3>& s, double unit) {
                return std::abs(std::log10(std::max(1e-12, std::max({s[0], s[1], s[2]}) * unit / 2.0)));
            };
            const double mine = strangeness(own, ownUnit);
            const double theirs = strangeness(sizes[k], otherUnit);
            const bool suspect = mine > theirs + 0.1;
            const bool alike = !match->turned && std::abs(ratio - 1.0) <= 0.05;
            if (alike || !isKin(other, item))
                continue;
            if (suspect && std::abs(ratio - 1.0) > 0.05) {
                const std::size_t before = findings.size();
                reportRatio(
                    item, ratio, 0.02, fmt::format("'{}' of {}", other.at().name, other.source),
                    fmt::format(" ({} against {})", lengthText(own[0] * ownUnit), lengthText(sizes[k][0] * otherUnit)),
                    findings);
                told = findings.size() > before;
            }
            if (match->turned && (suspect || k < i)) {
                const auto sign = turnSign(other, item, match->ratio);
                reportTurn(item, !sign || *sign > 0, fmt::format("'{}' of {}", other.at().name, other.source),
                           findings);
                told = true;
            }
        }
        if (told)
            continue;
        const double largest = std::max({own[0], own[1], own[2]}) * ownUnit;
        if (largest > 0.0 && (largest > 20'000.0 || largest < 1e-4))
            findings.push_back(
                {"size.suspect",
                 Severity::Caution,
                 item.label,
                 {},
                 largest,
                 "m",
                 fmt::format("It measures {}: {}", lengthText(largest), largest > 1.0 ? "very large" : "very small"),
                 "Check the unit it was exported in",
                 {},
                 {}});
    }
}

} // namespace wyc
