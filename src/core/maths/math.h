// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Plain vectors and matrices. Row vectors: p' = p * M, translation in the last row; matrices row by row.
#include <array>
#include <cmath>
#include <cstddef>
#include <limits>
#include <optional>
#include <span>

namespace wyc {

struct Vec3f {
    float x = 0.0F, y = 0.0F, z = 0.0F;
    bool operator==(const Vec3f&) const = default;
};
static_assert(sizeof(Vec3f) == 12);

struct Vec3d {
    double x = 0.0, y = 0.0, z = 0.0;
    Vec3d() = default;
    constexpr Vec3d(double ax, double ay, double az) : x(ax), y(ay), z(az) {}
    constexpr explicit Vec3d(const Vec3f& v) : x(v.x), y(v.y), z(v.z) {}
    friend constexpr Vec3d operator+(const Vec3d& a, const Vec3d& b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
    friend constexpr Vec3d operator-(const Vec3d& a, const Vec3d& b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
    friend constexpr Vec3d operator*(const Vec3d& a, double s) { return {a.x * s, a.y * s, a.z * s}; }
    bool operator==(const Vec3d&) const = default;
};
[[nodiscard]] constexpr double dot(const Vec3d& a, const Vec3d& b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
[[nodiscard]] constexpr Vec3d cross(const Vec3d& a, const Vec3d& b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
[[nodiscard]] inline double length(const Vec3d& a) {
    return std::sqrt(dot(a, a));
}
[[nodiscard]] inline bool isFinite(const Vec3f& v) {
    return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z);
}

/// 4 × 4, row by row.
struct Mat4 {
    std::array<double, 16> m{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
    [[nodiscard]] double& at(std::size_t row, std::size_t column) { return m[row * 4 + column]; }
    [[nodiscard]] double at(std::size_t row, std::size_t column) const { return m[row * 4 + column]; }
    /// a * b: a acts first.
    [[nodiscard]] friend Mat4 operator*(const Mat4& a, const Mat4& b) {
        Mat4 result;
        for (std::size_t r = 0; r < 4; ++r)
            for (std::size_t c = 0; c < 4; ++c)
                result.at(r, c) = a.at(r, 0) * b.at(0, c) + a.at(r, 1) * b.at(1, c) + a.at(r, 2) * b.at(2, c) +
                                  a.at(r, 3) * b.at(3, c);
        return result;
    }
    [[nodiscard]] bool isIdentity() const { return *this == Mat4{}; }
    bool operator==(const Mat4&) const = default;

    [[nodiscard]] static Mat4 translation(const Vec3d& t);
    [[nodiscard]] static Mat4 scaling(const Vec3d& s);
    /// Right-hand rotation about an axis (any length but zero; a zero axis gives identity).
    [[nodiscard]] static Mat4 rotation(const Vec3d& axis, double angleRadians);
};

[[nodiscard]] inline Vec3d transformedPoint(const Vec3d& p, const Mat4& m) {
    return {p.x * m.m[0] + p.y * m.m[4] + p.z * m.m[8] + m.m[12], p.x * m.m[1] + p.y * m.m[5] + p.z * m.m[9] + m.m[13],
            p.x * m.m[2] + p.y * m.m[6] + p.z * m.m[10] + m.m[14]};
}
[[nodiscard]] inline Vec3f transformedPoint(const Vec3f& p, const Mat4& m) {
    const Vec3d r = transformedPoint(Vec3d(p), m);
    return {static_cast<float>(r.x), static_cast<float>(r.y), static_cast<float>(r.z)};
}

/// Nothing where a space is flattened.
[[nodiscard]] std::optional<Mat4> inverseOf(const Mat4& m);

/// Axis-aligned box of finite points; empty until something is added.
struct Bounds {
    Vec3d low{std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity(),
              std::numeric_limits<double>::infinity()};
    Vec3d high{-std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity(),
               -std::numeric_limits<double>::infinity()};
    [[nodiscard]] bool isEmpty() const { return !(low.x <= high.x); }
    [[nodiscard]] Vec3d size() const { return isEmpty() ? Vec3d{} : high - low; }
    [[nodiscard]] Vec3d centre() const { return isEmpty() ? Vec3d{} : (low + high) * 0.5; }
    [[nodiscard]] double diagonal() const { return length(size()); }
    void add(const Vec3d& p);
    void add(const Bounds& other);
};
/// Box of the finite ones among these points.
[[nodiscard]] Bounds boundsOf(std::span<const Vec3f> points);
/// Box of a box's eight corners after a transform.
[[nodiscard]] Bounds transformedBounds(const Bounds& bounds, const Mat4& m);

} // namespace wyc
