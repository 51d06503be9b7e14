// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/components/curves.h"

#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

namespace wyc {
namespace {

constexpr int kPieces = 6;
constexpr std::size_t kMostDegree = 15; // the cost of a point grows with its square

std::array<double, 4> spanWeights(CurveLayout::Basis basis, double t) {
    const double s = 1.0 - t;
    const double t2 = t * t;
    const double t3 = t2 * t;
    switch (basis) {
    case CurveLayout::Basis::Bezier: return {s * s * s, 3 * s * s * t, 3 * s * t2, t3};
    case CurveLayout::Basis::BSpline:
        return {s * s * s / 6, (3 * t3 - 6 * t2 + 4) / 6, (-3 * t3 + 3 * t2 + 3 * t + 1) / 6, t3 / 6};
    case CurveLayout::Basis::Hermite: return {2 * t3 - 3 * t2 + 1, t3 - 2 * t2 + t, -2 * t3 + 3 * t2, t3 - t2};
    case CurveLayout::Basis::Power: return {t3, t2, t, 1.0};
    default: // Catmull-Rom
        return {(-t3 + 2 * t2 - t) / 2, (3 * t3 - 5 * t2 + 2) / 2, (-3 * t3 + 4 * t2 + t) / 2, (t3 - t2) / 2};
    }
}

std::size_t spanStride(CurveLayout::Basis basis) {
    switch (basis) {
    case CurveLayout::Basis::Bezier: return 3;
    case CurveLayout::Basis::Hermite: return 2;
    case CurveLayout::Basis::Power: return 4;
    default: return 1;
    }
}

Vec3f rounded(const Vec3d& p) {
    return {static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)};
}

// One curve of variable order.
struct Spline {
    std::span<const Vec3f> points;
    std::span<const float> knots;
    std::span<const float> weights; // empty = all 1
    std::size_t degree = 1;

    [[nodiscard]] bool fits() const {
        const auto positive = [](float w) { return std::isfinite(w) && w > 0.0F; };
        return degree >= 1 && degree <= kMostDegree && points.size() > degree &&
               knots.size() == points.size() + degree + 1 && std::is_sorted(knots.begin(), knots.end()) &&
               std::isfinite(knots.front()) && std::isfinite(knots.back()) && knots[degree] < knots[points.size()] &&
               std::all_of(weights.begin(), weights.end(), positive);
    }

    // `span`: a knot with knots[span] <= u <= knots[span + 1].
    [[nodiscard]] Vec3d at(double u, std::size_t span) const {
        std::vector<std::array<double, 4>> d(degree + 1);
        for (std::size_t j = 0; j <= degree; ++j) {
            const std::size_t i = span - degree + j;
            const double w = weights.empty() ? 1.0 : static_cast<double>(weights[i]);
            const Vec3d p(points[i]);
            d[j] = {p.x * w, p.y * w, p.z * w, w};
        }
        for (std::size_t r = 1; r <= degree; ++r)
            for (std::size_t j = degree; j >= r; --j) {
                const double low = static_cast<double>(knots[span - degree + j]);
                const double high = static_cast<double>(knots[span + 1 + j - r]);
                const double a = high > low ? (u - low) / (high - low) : 0.0;
                for (std::size_t k = 0; k < 4; ++k)
                    d[j][k] = (1.0 - a) * d[j - 1][k] + a * d[j][k];
            }
        const auto& h = d[degree];
        return {h[0] / h[3], h[1] / h[3], h[2] / h[3]};
    }
};

} // namespace

std::string CurveLayout::words() const {
    static const std::array<const char*, 6> kBases{"",          ", Bézier", ", B-spline", ", Catmull-Rom",
                                                   ", Hermite", ", power"};
    std::string result = "linear";
    if (type == Type::Cubic)
        result = std::string("cubic") + kBases[static_cast<std::size_t>(basis)];
    if (type == Type::Variable) {
        result = "variable order";
        if (!orders.empty()) {
            const auto [low, high] = std::minmax_element(orders.begin(), orders.end());
            result = *low == *high ? fmt::format("order {}", *low) : fmt::format("orders {} – {}", *low, *high);
        }
    }
    return periodic ? result + ", closed" : result;
}

Result<CurveLayout> curveLayout(const Node& node, std::size_t sample) {
    CurveLayout layout;
    const auto sizes = findMeaning(node.properties, Meaning::CurveSizes);
    if (!sizes || !sizes->values)
        return fail(makeError(ErrorKind::BadInput, "curves without the number of their points").forItem(node.path));
    const auto at = [&](const SampledValues& values) { return std::min(sample, values.sampling().count() - 1); };
    WYC_TRY(numbers, valuesOf<std::int32_t>(*sizes->values, at(*sizes->values)));
    layout.sizes = std::move(numbers);
    const auto kind = findMeaning(node.properties, Meaning::CurveKind);
    if (kind && kind->values && kind->values->type() == ValueType::UInt8 && kind->values->extent() == 4) {
        WYC_TRY(raw, valuesOf<std::uint8_t>(*kind->values, at(*kind->values)));
        if (raw.size() == 4) {
            layout.type = raw[0] <= 2 ? static_cast<CurveLayout::Type>(raw[0]) : CurveLayout::Type::Linear;
            layout.periodic = raw[1] != 0;
            layout.basis = raw[2] <= 5 ? static_cast<CurveLayout::Basis>(raw[2]) : CurveLayout::Basis::None;
        }
    }
    if (layout.type == CurveLayout::Type::Variable) {
        const auto orders = findMeaning(node.properties, Meaning::CurveOrders);
        if (orders && orders->values && orders->values->type() == ValueType::UInt8) {
            WYC_TRY(read, valuesOf<std::uint8_t>(*orders->values, at(*orders->values)));
            layout.orders = std::move(read);
        }
        const auto floats = [&](Meaning meaning) -> Result<std::vector<float>> {
            const auto found = findMeaning(node.properties, meaning);
            if (!found || !found->values || found->values->type() != ValueType::Float)
                return std::vector<float>{};
            return valuesOf<float>(*found->values, at(*found->values));
        };
        WYC_TRY(knots, floats(Meaning::CurveKnots));
        WYC_TRY(weights, floats(Meaning::CurveWeights));
        layout.knots = std::move(knots);
        layout.weights = std::move(weights);
    }
    return layout;
}

std::vector<float> widthsOf(const Node& node, std::size_t sample, std::size_t count, double scale) {
    const auto widths = findMeaning(node.properties, Meaning::Widths);
    if (!widths || !widths->values || widths->values->type() != ValueType::Float)
        return {};
    const auto values = valuesOf<float>(*widths->values, std::min(sample, widths->values->sampling().count() - 1));
    if (!values || (values->size() != count && values->size() != 1))
        return {};
    std::vector<float> result = values->size() == count ? *values : std::vector<float>(count, values->front());
    for (float& width : result)
        width *= static_cast<float>(scale);
    return result;
}

Polylines drawnCurves(std::span<const Vec3f> points, const CurveLayout& layout) {
    Polylines result;
    const bool cubic = layout.type == CurveLayout::Type::Cubic && layout.basis != CurveLayout::Basis::None;
    const bool spline = layout.type == CurveLayout::Type::Variable && layout.orders.size() == layout.sizes.size();
    const std::size_t stride = spanStride(layout.basis);
    const std::size_t onCurve = layout.basis == CurveLayout::Basis::Hermite ? 0 : 1; // a span's second is a tangent
    std::size_t start = 0;
    std::size_t knot = 0;
    for (std::size_t curve = 0; curve < layout.sizes.size(); ++curve) {
        const auto count = static_cast<std::size_t>(std::max(0, layout.sizes[curve]));
        if (start + count > points.size())
            break;
        const auto first = static_cast<std::uint32_t>(result.points.size());
        const auto add = [&](const Vec3f& p, std::size_t from) {
            result.points.push_back(p);
            result.source.push_back(static_cast<std::uint32_t>(start + from));
        };
        Spline whole;
        if (spline) {
            const std::size_t knots = count + layout.orders[curve];
            whole.points = points.subspan(start, count);
            whole.degree = static_cast<std::size_t>(std::max(1, static_cast<int>(layout.orders[curve])) - 1);
            if (knot + knots <= layout.knots.size())
                whole.knots = std::span(layout.knots).subspan(knot, knots);
            if (layout.weights.size() == points.size())
                whole.weights = std::span(layout.weights).subspan(start, count);
            knot += knots;
        }
        if (cubic && count >= 4) {
            const std::size_t spans = layout.periodic ? count / stride : (count - 4) / stride + 1;
            for (std::size_t span = 0; span < spans; ++span)
                for (int piece = span == 0 ? 0 : 1; piece <= kPieces; ++piece) {
                    const auto w = spanWeights(layout.basis, static_cast<double>(piece) / kPieces);
                    Vec3d p;
                    for (std::size_t k = 0; k < 4; ++k)
                        p = p + Vec3d(points[start + (span * stride + k) % count]) * w[k];
                    add(rounded(p), (span * stride + onCurve) % count);
                }
        } else if (spline && whole.fits()) {
            for (std::size_t span = whole.degree; span < count; ++span) {
                const double low = static_cast<double>(whole.knots[span]);
                const double high = static_cast<double>(whole.knots[span + 1]);
                if (!(low < high))
                    continue;
                for (int piece = result.points.size() == first ? 0 : 1; piece <= kPieces; ++piece)
                    add(rounded(whole.at(low + (high - low) * piece / kPieces, span)), span - whole.degree / 2);
            }
        } else {
            for (std::size_t k = 0; k < count; ++k)
                add(points[start + k], k);
            if (layout.periodic && count > 2)
                add(points[start], 0);
        }
        for (auto i = first; i + 1 < result.points.size(); ++i)
            result.edges.insert(result.edges.end(), {i, i + 1});
        start += count;
    }
    return result;
}

} // namespace wyc
