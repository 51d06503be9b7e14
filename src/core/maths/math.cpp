// SPDX-License-Identifier: GPL-3.0-or-later
#include "maths/math.h"

#include <Eigen/LU>

#include <algorithm>

namespace wyc {

Mat4 Mat4::translation(const Vec3d& t) {
    Mat4 result;
    result.m[12] = t.x;
    result.m[13] = t.y;
    result.m[14] = t.z;
    return result;
}

Mat4 Mat4::scaling(const Vec3d& s) {
    Mat4 result;
    result.m[0] = s.x;
    result.m[5] = s.y;
    result.m[10] = s.z;
    return result;
}

Mat4 Mat4::rotation(const Vec3d& axis, double angleRadians) {
    const double size = length(axis);
    if (!(size > 0.0))
        return {};
    const Vec3d a = axis * (1.0 / size);
    const double s = std::sin(angleRadians);
    const double c = std::cos(angleRadians);
    const double k = 1.0 - c;
    Mat4 r;
    r.m = {a.x * a.x * k + c,
           a.x * a.y * k + a.z * s,
           a.x * a.z * k - a.y * s,
           0,
           a.x * a.y * k - a.z * s,
           a.y * a.y * k + c,
           a.y * a.z * k + a.x * s,
           0,
           a.x * a.z * k + a.y * s,
           a.y * a.z * k - a.x * s,
           a.z * a.z * k + c,
           0,
           0,
           0,
           0,
           1};
    return r;
}

void Bounds::add(const Vec3d& p) {
    low = {std::min(low.x, p.x), std::min(low.y, p.y), std::min(low.z, p.z)};
    high = {std::max(high.x, p.x), std::max(high.y, p.y), std::max(high.z, p.z)};
}

void Bounds::add(const Bounds& other) {
    if (other.isEmpty())
        return;
    add(other.low);
    add(other.high);
}

Bounds boundsOf(std::span<const Vec3f> points) {
    constexpr float kInfinity = std::numeric_limits<float>::infinity();
    Vec3f low{kInfinity, kInfinity, kInfinity};
    Vec3f high{-kInfinity, -kInfinity, -kInfinity};
    // Branch-free over the common case; x·0 is not a number exactly where a coordinate is not finite.
    float poison = 0.0F;
    for (const Vec3f& p : points) {
        poison += p.x * 0.0F + p.y * 0.0F + p.z * 0.0F;
        low = {std::min(low.x, p.x), std::min(low.y, p.y), std::min(low.z, p.z)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y), std::max(high.z, p.z)};
    }
    Bounds result;
    if (points.empty())
        return result;
    if (poison == 0.0F) {
        result.low = Vec3d(low);
        result.high = Vec3d(high);
        return result;
    }
    for (const Vec3f& p : points)
        if (isFinite(p))
            result.add(Vec3d(p));
    return result;
}

Bounds transformedBounds(const Bounds& bounds, const Mat4& m) {
    Bounds result;
    if (bounds.isEmpty())
        return result;
    for (int corner = 0; corner < 8; ++corner)
        result.add(transformedPoint(Vec3d{(corner & 1) ? bounds.high.x : bounds.low.x,
                                          (corner & 2) ? bounds.high.y : bounds.low.y,
                                          (corner & 4) ? bounds.high.z : bounds.low.z},
                                    m));
    return result;
}

std::optional<Mat4> inverseOf(const Mat4& m) {
    using Rows = Eigen::Matrix<double, 4, 4, Eigen::RowMajor>;
    Rows inverse;
    bool possible = false;
    Eigen::Map<const Rows>(m.m.data()).computeInverseWithCheck(inverse, possible, 1e-100);
    if (!possible)
        return std::nullopt;
    Mat4 result;
    Eigen::Map<Rows>(result.m.data()) = inverse;
    return result;
}

} // namespace wyc
