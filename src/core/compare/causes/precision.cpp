// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/causes/precision.h"

#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

using Axis = std::vector<double>;

bool allOnGrid(const std::array<Axis, 3>& axes, double step, double allowed) {
    return std::all_of(axes.begin(), axes.end(), [&](const Axis& axis) {
        return std::all_of(axis.begin(), axis.end(),
                           [&](double v) { return std::abs(v - std::round(v / step) * step) <= allowed; });
    });
}

// The distance between numbers of half the bits that single floats have, around a number.
double halfStep(double v) {
    int exponent = 0;
    std::frexp(v, &exponent);
    return std::ldexp(1.0, std::max(exponent, -13) - 11);
}

// What all differences of an axis are whole multiples of; 0 where there is none beyond what floats have, nothing where
// too few numbers are different.
std::optional<double> commonStep(Axis axis, double allowed) {
    constexpr std::size_t kFewest = 8;
    std::sort(axis.begin(), axis.end());
    axis.erase(std::unique(axis.begin(), axis.end(), [&](double x, double y) { return y - x <= 2.0 * allowed; }),
               axis.end());
    if (axis.size() < kFewest)
        return std::nullopt;
    // Small ways first, so that the step becomes better known before long ones are counted by it.
    std::vector<double> ways;
    for (std::size_t i = 1; i < axis.size(); ++i)
        ways.push_back(axis[i] - axis[i - 1]);
    std::sort(ways.begin(), ways.end());
    const double least = ways.front();
    for (const double v : axis)
        ways.push_back(v - axis.front());
    constexpr int kMostParts = 80; // steps in the smallest gap
    for (int parts = 1; parts <= kMostParts; ++parts) {
        double step = least / parts;
        if (step < 8.0 * allowed)
            return 0.0;
        double known = parts; // the count of steps by which it is known
        bool all = true;
        for (const double way : ways) {
            const double count = std::round(way / step);
            const double drift = 2.0 * allowed * count / known;
            if (std::abs(way - count * step) > 2.0 * allowed + drift || drift > 0.25 * step) {
                all = false;
                break;
            }
            if (count > known) {
                step = way / count;
                known = count;
            }
        }
        if (all)
            return step;
    }
    return 0.0;
}

} // namespace

std::string Rounding::words() const {
    switch (kind) {
    case Kind::Half: return "half floats";
    case Kind::Grid:
        return step < 1.0 ? fmt::format("1/{}", shortestNumber(std::round(1.0 / step))) : shortestNumber(step);
    case Kind::Bounds: return fmt::format("steps of {:.4g} over its bounds", step);
    case Kind::Decimal: break;
    }
    return shortestNumber(step);
}

std::optional<Rounding> roundingOf(const std::vector<Vec3f>& points) {
    std::array<Axis, 3> axes;
    double size = 0.0;
    bool halves = true;
    double halfSquares = 0.0;
    double largestHalf = 0.0;
    for (const Vec3f& p : points) {
        const std::array<double, 3> xyz{static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)};
        if (!std::isfinite(xyz[0]) || !std::isfinite(xyz[1]) || !std::isfinite(xyz[2]))
            continue;
        for (std::size_t k = 0; k < 3; ++k) {
            axes[k].push_back(xyz[k]);
            size = std::max(size, std::abs(xyz[k]));
            const double step = halfStep(xyz[k]);
            halves = halves && xyz[k] == std::round(xyz[k] / step) * step;
            halfSquares += step * step / 12.0;
            largestHalf = std::max(largestHalf, step);
        }
    }
    // A few numbers lie on some grid by chance.
    constexpr std::size_t kFewest = 8;
    const double n = static_cast<double>(axes[0].size());
    if (axes[0].size() < kFewest || !(size > 0.0))
        return std::nullopt;
    const double allowed = std::max(1e-12, size * 1.2e-7);
    const auto even = [](double step) { return 0.5 * step; }; // √3 · step / √12 over three axes
    // Several may hold at once: what is on a coarse grid is on a finer one, too.
    std::optional<Rounding> coarsest;
    const auto offer = [&](Rounding::Kind kind, double step, double expected) {
        if (!coarsest || expected > coarsest->expected)
            coarsest = Rounding{kind, step, expected};
    };
    for (double step = std::pow(10.0, std::floor(std::log10(size))); step >= 8.0 * allowed; step /= 10.0)
        if (allOnGrid(axes, step, allowed)) {
            offer(Rounding::Kind::Decimal, step, even(step));
            break;
        }
    for (double step = std::exp2(std::floor(std::log2(size))); step >= 8.0 * allowed; step /= 2.0)
        if (allOnGrid(axes, step, allowed)) {
            offer(Rounding::Kind::Grid, step, even(step));
            break;
        }
    if (halves)
        offer(Rounding::Kind::Half, largestHalf, std::sqrt(halfSquares / n));
    if (coarsest)
        return coarsest;
    Rounding bounds{Rounding::Kind::Bounds, 0.0, 0.0};
    double squares = 0.0;
    for (Axis& axis : axes) {
        const std::optional<double> step = commonStep(axis, allowed);
        if (!step)
            continue; // as good as flat that way
        if (!(*step > 0.0))
            return std::nullopt;
        bounds.step = std::max(bounds.step, *step);
        squares += *step * *step / 12.0;
    }
    bounds.expected = std::sqrt(squares);
    return bounds.step > 0.0 ? std::optional(bounds) : std::nullopt;
}

} // namespace wyc
