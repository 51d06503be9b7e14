// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/curves.h"

#include <algorithm>
#include <array>

namespace wyc {
namespace {

constexpr int kPieces = 6;

std::array<double, 4> weights(CurveLayout::Basis basis, double t) {
    const double s = 1.0 - t;
    switch (basis) {
    case CurveLayout::Basis::Bezier: return {s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t};
    case CurveLayout::Basis::BSpline:
        return {s * s * s / 6, (3 * t * t * t - 6 * t * t + 4) / 6, (-3 * t * t * t + 3 * t * t + 3 * t + 1) / 6,
                t * t * t / 6};
    default: // Catmull-Rom
        return {(-t * t * t + 2 * t * t - t) / 2, (3 * t * t * t - 5 * t * t + 2) / 2,
                (-3 * t * t * t + 4 * t * t + t) / 2, (t * t * t - t * t) / 2};
    }
}

} // namespace

Result<CurveLayout> curveLayout(const Node& node, std::size_t sample) {
    CurveLayout layout;
    const auto sizes = findProperty(node.properties, ".geom/nVertices");
    if (!sizes || !sizes->values)
        return fail(makeError(ErrorKind::BadInput, "curves without the number of their points").forItem(node.path));
    const auto at = [&](const SampledValues& values) { return std::min(sample, values.sampling().count() - 1); };
    WYC_TRY(numbers, valuesOf<std::int32_t>(*sizes->values, at(*sizes->values)));
    layout.sizes = std::move(numbers);
    const auto kind = findProperty(node.properties, ".geom/curveBasisAndType");
    if (kind && kind->values && kind->values->type() == ValueType::UInt8 && kind->values->extent() == 4) {
        WYC_TRY(raw, valuesOf<std::uint8_t>(*kind->values, at(*kind->values)));
        if (raw.size() == 4) {
            layout.type = raw[0] <= 2 ? static_cast<CurveLayout::Type>(raw[0]) : CurveLayout::Type::Linear;
            layout.periodic = raw[1] != 0;
            layout.basis = raw[2] <= 5 ? static_cast<CurveLayout::Basis>(raw[2]) : CurveLayout::Basis::None;
        }
    }
    return layout;
}

std::vector<float> widthsOf(const Node& node, std::size_t sample, std::size_t count, double scale) {
    const std::string path = node.kind == NodeKind::Curves ? ".geom/width" : ".geom/.widths";
    auto widths = findProperty(node.properties, path);
    if (widths && !widths->values) // an indexed one keeps its values below
        widths = findProperty(node.properties, path + "/.vals");
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
    const bool evaluated = layout.type == CurveLayout::Type::Cubic &&
                           (layout.basis == CurveLayout::Basis::Bezier || layout.basis == CurveLayout::Basis::BSpline ||
                            layout.basis == CurveLayout::Basis::CatmullRom);
    const std::size_t stride = layout.basis == CurveLayout::Basis::Bezier ? 3 : 1;
    std::size_t start = 0;
    for (const std::int32_t size : layout.sizes) {
        const auto count = static_cast<std::size_t>(std::max(0, size));
        if (start + count > points.size())
            break;
        const auto first = static_cast<std::uint32_t>(result.points.size());
        const auto add = [&](const Vec3f& p, std::size_t from) {
            result.points.push_back(p);
            result.source.push_back(static_cast<std::uint32_t>(start + from));
        };
        if (evaluated && count >= 4) {
            const std::size_t spans = layout.periodic ? count / stride : (count - 4) / stride + 1;
            for (std::size_t span = 0; span < spans; ++span)
                for (int piece = span == 0 ? 0 : 1; piece <= kPieces; ++piece) {
                    const auto w = weights(layout.basis, static_cast<double>(piece) / kPieces);
                    Vec3d p;
                    for (std::size_t k = 0; k < 4; ++k)
                        p = p + Vec3d(points[start + (span * stride + k) % count]) * w[k];
                    add({static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)},
                        (span * stride + 1) % count);
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
