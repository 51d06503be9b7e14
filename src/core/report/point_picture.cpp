// SPDX-License-Identifier: GPL-3.0-or-later
#include "report/point_picture.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include "base/text.h"
#include "report/page.h"

namespace wyc {
namespace {

constexpr std::size_t kMostDots = 4000;
constexpr double kSide = 320.0;
constexpr double kMargin = 10.0;

// Dark blue to light yellow, evenly lighter.
std::string heat(double share) {
    constexpr std::array<std::array<double, 3>, 5> kStops{
        {{38, 52, 110}, {32, 112, 140}, {58, 160, 120}, {176, 196, 92}, {250, 226, 120}}};
    const double at = std::clamp(share, 0.0, 1.0) * 4.0;
    const auto i = static_cast<std::size_t>(std::min(3.0, std::floor(at)));
    const double w = at - static_cast<double>(i);
    const auto channel = [&](std::size_t c) {
        return static_cast<int>(kStops[i][c] + (kStops[i + 1][c] - kStops[i][c]) * w);
    };
    return fmt::format("#{:02x}{:02x}{:02x}", channel(0), channel(1), channel(2));
}

} // namespace

std::string pointPicture(const DottedPoints& points, double top, const std::string& caption) {
    struct Dot {
        double x, y, depth, off;
    };
    std::vector<Dot> dots;
    const std::size_t step = std::max<std::size_t>(1, points.places.size() / kMostDots);
    for (std::size_t i = 0; i < points.places.size(); i += step) {
        Vec3d p(points.places[i]);
        if (!isFinite(points.places[i]))
            continue;
        if (points.zUp)
            p = {p.x, p.z, -p.y};
        const double x = 0.82 * p.x - 0.57 * p.z;
        const double z = 0.57 * p.x + 0.82 * p.z;
        // What cannot be measured is as far off as anything.
        const double off = points.off.empty()             ? 0.0
                           : std::isfinite(points.off[i]) ? static_cast<double>(points.off[i])
                                                          : std::numeric_limits<double>::max();
        dots.push_back({x, -(0.94 * p.y - 0.34 * z), z, off});
    }
    if (dots.empty())
        return {};
    double worst = top; // what is within it does not look far
    for (const float off : points.off)
        if (std::isfinite(off))
            worst = std::max(worst, static_cast<double>(off));
    constexpr double kNone = std::numeric_limits<double>::infinity();
    double low[2] = {kNone, kNone};
    double high[2] = {-kNone, -kNone};
    for (const Dot& dot : dots) {
        low[0] = std::min(low[0], dot.x);
        low[1] = std::min(low[1], dot.y);
        high[0] = std::max(high[0], dot.x);
        high[1] = std::max(high[1], dot.y);
    }
    const double size = std::max({1e-12, high[0] - low[0], high[1] - low[1]});
    std::stable_sort(dots.begin(), dots.end(), [](const Dot& a, const Dot& b) { return a.depth < b.depth; });
    std::string svg =
        fmt::format("<figure><svg viewBox='0 0 {0} {0}' role='img' aria-label='{1}'>", kSide, escaped(caption));
    const auto placed = [&](double at, int axis) {
        return kMargin + ((at - low[axis]) + (size - (high[axis] - low[axis])) / 2) / size * (kSide - 2 * kMargin);
    };
    for (const Dot& dot : dots)
        svg += fmt::format("<circle cx='{:.1f}' cy='{:.1f}' r='1.7' fill='{}'/>", placed(dot.x, 0), placed(dot.y, 1),
                           points.off.empty() ? "var(--moss)" : heat(worst > 0.0 ? dot.off / worst : 0.0));
    return svg + fmt::format("</svg><figcaption>{}{}</figcaption></figure>", escaped(caption),
                             points.off.empty() ? "" : fmt::format(": dark 0, light {}", lengthText(worst)));
}

} // namespace wyc
