// SPDX-License-Identifier: GPL-3.0-or-later
// A comparison as one page that needs nothing else.
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "compare/comparison.h"
#include "report/page.h"
#include "report/point_picture.h"

namespace wyc {
namespace {

// Heights of a plot: in a fitting unit, from nothing to the largest.
struct Curve {
    std::vector<double> x;
    std::vector<double> y; // metres
    const char* stroke;
    bool dashed;
};

std::string plot(const std::vector<Curve>& curves, double tolerance, const std::string& caption) {
    double low = 1e300;
    double high = -1e300;
    double top = tolerance;
    for (const Curve& curve : curves)
        for (std::size_t i = 0; i < curve.x.size(); ++i) {
            low = std::min(low, curve.x[i]);
            high = std::max(high, curve.x[i]);
            top = std::max(top, curve.y[i]);
        }
    if (!(high >= low))
        return {};
    constexpr double kWidth = 640.0;
    constexpr double kHeight = 200.0;
    constexpr double kLeft = 62.0;
    constexpr double kFoot = 22.0;
    // By powers of ten: a drift of metres and one of micrometres are both to be seen.
    const double least = std::max(1e-9, std::min(tolerance / 100.0, top / 1e6));
    const double decades = std::max(1.0, std::log10(top / least));
    const auto px = [&](double x) {
        return kLeft + (high > low ? (x - low) / (high - low) : 0.5) * (kWidth - kLeft - 10);
    };
    const auto py = [&](double y) {
        return 8 +
               (1.0 - std::clamp(std::log10(std::max(y, least) / least) / decades, 0.0, 1.0)) * (kHeight - kFoot - 8);
    };
    std::string svg =
        fmt::format("<figure><svg viewBox='0 0 {} {}' role='img' aria-label='{}'>", kWidth, kHeight, escaped(caption));
    for (double y = std::pow(10.0, std::ceil(std::log10(least))); y <= top * 1.001; y *= 10.0)
        svg += fmt::format("<line x1='{:.0f}' x2='{:.0f}' y1='{:.1f}' y2='{:.1f}' stroke='var(--line)'/>"
                           "<text x='{:.0f}' y='{:.1f}' text-anchor='end'>{}</text>",
                           kLeft, kWidth - 10, py(y), py(y), kLeft - 6, py(y) + 4, lengthText(y));
    svg += fmt::format("<line x1='{:.0f}' x2='{:.0f}' y1='{:.1f}' y2='{:.1f}' stroke='var(--straw)' "
                       "stroke-dasharray='2 3'/><text x='{:.0f}' y='{:.1f}' text-anchor='end'>tolerance</text>",
                       kLeft, kWidth - 10, py(tolerance), py(tolerance), kWidth - 12, py(tolerance) - 4);
    for (const Curve& curve : curves) {
        std::string points;
        for (std::size_t i = 0; i < curve.x.size(); ++i)
            points += fmt::format("{:.1f},{:.1f} ", px(curve.x[i]), py(curve.y[i]));
        svg += fmt::format("<polyline points='{}' fill='none' stroke='var({})' stroke-width='1.6'{}/>", points,
                           curve.stroke, curve.dashed ? " stroke-dasharray='5 4'" : "");
    }
    for (const double x : {low, high})
        svg += fmt::format("<text x='{:.1f}' y='{:.0f}' text-anchor='{}'>{}</text>", px(x), kHeight - 6,
                           x == low ? "start" : "end", frameText(x));
    return svg + fmt::format("</svg><figcaption>{}</figcaption></figure>", escaped(caption));
}

std::string histogram(const Drift& drift, double metres) {
    std::size_t most = 1;
    for (const std::size_t n : drift.counts)
        most = std::max(most, n);
    constexpr double kWidth = 320.0;
    constexpr double kHeight = 150.0;
    std::string svg = fmt::format("<figure><svg viewBox='0 0 {} {}' role='img' aria-label='How many points are how far "
                                  "off'>",
                                  kWidth, kHeight);
    const double bar = kWidth / static_cast<double>(std::max<std::size_t>(1, drift.counts.size()));
    for (std::size_t i = 0; i < drift.counts.size(); ++i) {
        const double h = drift.counts[i] == 0
                             ? 0.0
                             : 4.0 + (kHeight - 30) * std::log1p(static_cast<double>(drift.counts[i])) /
                                         std::log1p(static_cast<double>(most));
        svg += fmt::format("<rect x='{:.1f}' y='{:.1f}' width='{:.1f}' height='{:.1f}' fill='var(--heather)'/>",
                           static_cast<double>(i) * bar + 0.5, kHeight - 20 - h, bar - 1, h);
    }
    svg += fmt::format("<text x='0' y='{0:.0f}'>0</text><text x='{1:.0f}' y='{0:.0f}' text-anchor='end'>{2}</text>",
                       kHeight - 5, kWidth, lengthText(drift.largest * metres));
    return svg + "</svg><figcaption>How many points are how far off before anything is undone (heights "
                 "logarithmic)</figcaption>"
                 "</figure>";
}

std::string driftRow(const std::string& name, const std::optional<Drift>& drift, double metres) {
    if (!drift)
        return fmt::format("<tr><td>{}</td><td colspan='4' class='soft'>no point or no frame in common</td></tr>",
                           name);
    return fmt::format("<tr><td>{}</td><td class='n'>{}</td><td class='n'>{}</td><td class='n'>{}</td><td class='n'>{} "
                       "at point {}</td></tr>",
                       name, lengthText(drift->rms * metres), lengthText(drift->p99 * metres),
                       lengthText(drift->largest * metres), frameText(drift->worstFrame),
                       groupedDigits(drift->worstPoint));
}

Curve curveOf(const Drift& drift, double metres, const char* stroke, bool dashed) {
    Curve curve{drift.frames, {}, stroke, dashed};
    for (const double y : drift.largestAt)
        curve.y.push_back(y * metres);
    return curve;
}

std::string pixelRow(const std::string& name, const std::optional<Drift>& drift) {
    if (!drift)
        return fmt::format("<tr><td>{}, in pixels</td><td colspan='4' class='soft'>not in the picture</td></tr>", name);
    return fmt::format("<tr><td>{}, in pixels</td><td class='n'>{}</td><td class='n'>{}</td><td class='n'>{}</td>"
                       "<td class='n'>{} at point {}</td></tr>",
                       name, pixelsText(drift->rms), pixelsText(drift->p99), pixelsText(drift->largest),
                       frameText(drift->worstFrame), groupedDigits(drift->worstPoint));
}

// What was put on a side before it was compared.
std::string stepsPutOn(const char* side, const std::vector<std::string>& steps) {
    if (steps.empty())
        return {};
    std::string html = fmt::format("<p>{} was compared after these steps:</p><ol>", side);
    for (const std::string& step : steps)
        html += "<li>" + escaped(step) + "</li>";
    return html + "</ol>";
}

std::string pairSection(const ComparedPair& pair, double tolerance) {
    const Reconciled& found = pair.found;
    std::string html = fmt::format("<h2><span class='b'>{}</span> <span class='soft'>against</span> "
                                   "<span class='a'>{}</span></h2>",
                                   escaped(found.b), escaped(found.a));
    if (pair.error)
        return html + fmt::format("<p class='bad'>✕ {}</p>", escaped(pair.error->text()));
    html += fmt::format("<p class='lead'>{}</p>", escaped(found.text));
    html += stepsPutOn("A", pair.stepsA) + stepsPutOn("B", pair.stepsB);
    if (found.withinTolerance)
        html += fmt::format("<p class='good'>✓ within {}, every frame and every point</p>", lengthText(tolerance));
    if (!found.causes.empty()) {
        html += "<div class='wide'><table><tr><th>what</th><th>evidence</th><th class='n'>how sure</th>"
                "<th>undone by</th></tr>";
        for (const Cause& cause : found.causes) {
            std::string steps;
            for (const Step& step : cause.undo)
                steps += fmt::format("{}{}", steps.empty() ? "" : ", ",
                                     stepType(step.type) ? std::string(stepType(step.type)->title) : step.type);
            html += fmt::format("<tr><td>{}{}</td><td class='soft'>{}</td><td class='n'>{:.0f} %</td><td>{}</td></tr>",
                                cause.isGuess() ? "perhaps " : "", escaped(cause.text), escaped(cause.evidence),
                                cause.confidence * 100.0, steps.empty() ? "nothing" : escaped(steps));
        }
        html += "</table></div>";
    }
    const OrderFacts& order = found.order;
    html += fmt::format(
        "<p class='soft'>Points: {} certain{}{}{}, told by {}.</p>", groupedDigits(order.certain),
        order.ambiguous > 0 ? fmt::format(", {} ambiguous", groupedDigits(order.ambiguous)) : "",
        order.unmatchedA.empty() ? "" : fmt::format(", {} of A without one", groupedDigits(order.unmatchedA.size())),
        order.unmatchedB.empty() ? "" : fmt::format(", {} of B more", groupedDigits(order.unmatchedB.size())),
        order.by == "hash" ? "faces alike" : order.by);
    html += "<div class='wide'><table><tr><th>drift</th><th class='n'>RMS</th><th class='n'>99 % under</th>"
            "<th class='n'>largest</th><th class='n'>at frame</th></tr>";
    html += driftRow(measuredAs(pair), found.drift, found.metres) + driftRow("undone", found.undone, found.metres);
    if (pair.pictured)
        html += pixelRow(measuredAs(pair), pair.pictured->drift) + pixelRow("undone", pair.pictured->undone);
    html += "</table></div>";
    std::vector<Curve> curves;
    if (found.drift)
        curves.push_back(curveOf(*found.drift, found.metres, "--heather", true));
    if (found.undone)
        curves.push_back(curveOf(*found.undone, found.metres, "--moss", false));
    if (!curves.empty())
        html += plot(curves, tolerance,
                     fmt::format("Largest drift by frame: dashed {}, line with all undone", measuredAs(pair)));
    std::string plots;
    if (found.drift && found.drift->largest > 0.0)
        plots += histogram(*found.drift, found.metres);
    const std::optional<Drift>& shown = found.undone ? found.undone : found.drift;
    if (shown && !shown->frames.empty()) {
        std::vector<std::pair<const char*, double>> looked{{"first frame", shown->frames.front()},
                                                           {"largest drift", shown->worstFrame},
                                                           {"last frame", shown->frames.back()}};
        if (shown->frames.size() == 1)
            looked.resize(1);
        for (const auto& [name, frame] : looked)
            if (const auto points = pointDrift(pair, frame, found.undone.has_value()))
                plots += pointPicture(
                    {points->places, points->off, pair.a->upAxis == UpAxis::Z}, tolerance,
                    fmt::format("{}, {}, {}", name, frameText(frame), found.undone ? "undone" : measuredAs(pair)));
    }
    if (!plots.empty())
        html += "<div class='plots'>" + plots + "</div>";
    return html;
}

} // namespace

Result<std::string> htmlReport(const Comparison& comparison) {
    std::string html = fmt::format(
        "<h1><span class='b'>B {}</span> against <span class='a'>A {}</span></h1>{}<p class='{}'>{} a tolerance of "
        "{}</p>",
        escaped(comparison.b), escaped(comparison.a),
        comparison.pairs.size() > 1 ? "<p class='lead'>" + escaped(comparison.text()) + "</p>" : std::string(),
        comparison.withinTolerance() ? "good" : "bad",
        (comparison.withinTolerance() ? "✓ " : "✕ ") +
            std::string(std::any_of(comparison.pairs.begin(), comparison.pairs.end(),
                                    [](const ComparedPair& pair) { return !pair.stepsB.empty(); })
                            ? "after its steps"
                            : "as it came") +
            (comparison.withinTolerance() ? " it is within" : " it is not within"),
        lengthText(comparison.toleranceMetres));
    for (const ComparedPair& pair : comparison.pairs)
        html += pairSection(pair, comparison.toleranceMetres);
    if (!comparison.others.empty()) {
        html += "<h2>Without points</h2><div class='wide'><table>";
        for (const OtherPair& other : comparison.others)
            html += fmt::format("<tr><td>{}</td><td class='{}'>{}</td></tr>", escaped(other.b),
                                other.same ? "good" : "bad", escaped(other.text));
        html += "</table></div>";
    }
    const auto alone = [&](const std::vector<std::string>& paths, const char* words) {
        if (paths.empty())
            return;
        html += fmt::format("<h2>{}</h2><p>", words);
        for (std::size_t i = 0; i < paths.size(); ++i)
            html += fmt::format("{}{}", i > 0 ? ", " : "", escaped(paths[i]));
        html += "</p>";
    };
    alone(comparison.onlyA, "Only in A");
    alone(comparison.onlyB, "Only in B");
    if (!comparison.camera.empty())
        html += fmt::format("<p class='soft'>Pixels are those of the picture of {}, {} wide.</p>",
                            escaped(comparison.camera), frameText(comparison.pictureWidth));
    html += "<p class='soft'>Every frame and every point that both have was compared; distances are of points that "
            "belong together, at the same time. Sets and materials are compared where both name some, by name. Not "
            "compared: UVs, normals, colours, and values that a format carries besides.</p>";
    return htmlPage(comparison.b + " against " + comparison.a, html);
}

Status writeHtmlReport(const Comparison& comparison, const fs::path& file) {
    WYC_TRY(html, htmlReport(comparison));
    return writePage(html, file);
}

} // namespace wyc
