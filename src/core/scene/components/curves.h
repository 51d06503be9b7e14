// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Curves: how many points each has, how wide they are, and the lines they draw.
#include <span>

#include "scene/scene.h"

namespace wyc {

struct CurveLayout {
    enum class Type : std::uint8_t { Cubic = 0, Linear = 1, Variable = 2 };
    enum class Basis : std::uint8_t { None = 0, Bezier = 1, BSpline = 2, CatmullRom = 3, Hermite = 4, Power = 5 };
    std::vector<std::int32_t> sizes; // points of each curve
    Type type = Type::Linear;
    bool periodic = false;
    Basis basis = Basis::None;
    // Of curves of variable order; empty where the source gives none.
    std::vector<std::uint8_t> orders; // of each curve: its degree + 1
    std::vector<float> knots;         // curve after curve: points + order each
    std::vector<float> weights;       // of each point

    /// "linear", "cubic, B-spline, closed", "orders 2 – 5".
    [[nodiscard]] std::string words() const;
};

/// Layout of the curves at a sample of their points.
[[nodiscard]] Result<CurveLayout> curveLayout(const Node& node, std::size_t sample);

/// Widths of the points of curves or of a cloud, times `scale`; one for all becomes one each. Empty where the source
/// gives none that fit.
[[nodiscard]] std::vector<float> widthsOf(const Node& node, std::size_t sample, std::size_t count, double scale);

struct Polylines {
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> edges;  // pairs
    std::vector<std::uint32_t> source; // which curve point each drawn point lies nearest to
};
/// Straight pieces that follow the curves. Cubics go by the matrix of their basis (the usual ones, e.g. Foley et al.,
/// Computer Graphics, ch. 11): Bézier spans are 3 points apart, Hermite ones 2 (point, tangent, point, tangent), power
/// ones 4 (coefficients of t³, t², t, 1), others 1. Curves of variable order are rational B-splines by de Boor's
/// algorithm (Piegl, Tiller, The NURBS Book, ch. 4). What does not fit its own description is drawn through its points.
[[nodiscard]] Polylines drawnCurves(std::span<const Vec3f> points, const CurveLayout& layout);

} // namespace wyc
