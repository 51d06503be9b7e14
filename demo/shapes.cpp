// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/shapes.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace wyc::demo {
namespace {

constexpr double kTau = 2.0 * std::numbers::pi;

Vec3f point(double x, double y, double z) {
    return {static_cast<float>(x), static_cast<float>(y), static_cast<float>(z)};
}

std::int32_t index(std::size_t i) {
    return static_cast<std::int32_t>(i);
}

} // namespace

TopologyPtr Shape::topology() const {
    return *Topology::make(faceSizes, corners);
}

void Shape::addFace(std::initializer_list<std::int32_t> face) {
    faceSizes.push_back(index(face.size()));
    corners.insert(corners.end(), face);
}

void Shape::addGridFaces(std::int32_t first, std::int32_t rows, std::int32_t columns, bool closed) {
    for (std::int32_t r = 0; r + 1 < rows; ++r) {
        for (std::int32_t c = 0; c < (closed ? columns : columns - 1); ++c) {
            const std::int32_t a = first + r * columns + c;
            const std::int32_t b = first + r * columns + (c + 1) % columns;
            addFace({a, b, b + columns, a + columns});
        }
    }
}

Shape lanternJelly(double seconds, double detail) {
    Shape shape;
    const int segments = std::max(8, static_cast<int>(std::lround(72 * std::sqrt(detail))));
    const int outerRings = std::max(6, static_cast<int>(std::lround(56 * std::sqrt(detail))));
    const int innerRings = std::max(4, static_cast<int>(std::lround(30 * std::sqrt(detail))));
    const int ribbons = 7;
    const int ribbonRows = std::max(8, static_cast<int>(std::lround(130 * detail)));

    // The bell closes quickly and opens slowly; a slow swell keeps two pulses from being quite the same.
    const double phase = kTau * seconds / 1.71;
    const double swell = 1.0 + 0.06 * std::sin(kTau * seconds / 6.9);
    const double pulse = (0.5 - 0.5 * std::cos(phase - 0.55 * std::sin(phase))) * swell;
    const double lift = 0.11 * std::sin(phase - 0.9) + 0.05 * std::sin(kTau * seconds / 5.3);
    const double drift = 0.10 * std::sin(kTau * seconds / 8.3);
    const double radius = 0.72 - 0.15 * pulse;
    const double height = 0.62 + 0.14 * pulse;
    const double base = 1.25 + lift;
    const auto rim = [&](double angle) { return 0.02 * std::sin(8.0 * angle) * (1.0 - 0.5 * pulse); };
    const auto bell = [&](double u, double angle, double inset) { // u: 0 at the top, 1 at the rim
        const double bend = std::sin(u * std::numbers::pi * 0.5);
        const double r = (radius - inset) * std::pow(bend, 0.82) * (1.0 - 0.18 * pulse * u * u);
        const double y = base + (height - inset) * std::cos(u * std::numbers::pi * 0.56) + rim(angle) * u * u;
        return point(drift + r * std::cos(angle), y, r * std::sin(angle));
    };
    shape.points.push_back(bell(0.0, 0.0, 0.0));
    for (int ring = 1; ring <= outerRings; ++ring)
        for (int s = 0; s < segments; ++s)
            shape.points.push_back(bell(static_cast<double>(ring) / outerRings, -kTau * s / segments, 0.0));
    for (int s = 0; s < segments; ++s)
        shape.addFace({0, 1 + (s + 1) % segments, 1 + s});
    // Angles run clockwise seen from above, so that rows outward wind the faces outward.
    for (int r = 0; r + 1 < outerRings; ++r)
        for (int s = 0; s < segments; ++s) {
            const std::int32_t a = 1 + r * segments + s;
            const std::int32_t b = 1 + r * segments + (s + 1) % segments;
            shape.addFace({a, b, b + segments, a + segments});
        }
    const auto inner = index(shape.points.size());
    for (int ring = 0; ring < innerRings; ++ring)
        for (int s = 0; s < segments; ++s)
            shape.points.push_back(
                bell(1.0 - 0.72 * ring / innerRings, -kTau * s / segments, 0.012 + 0.05 * ring / innerRings));
    const std::int32_t outerRim = 1 + (outerRings - 1) * segments;
    for (int s = 0; s < segments; ++s)
        shape.addFace({outerRim + s, outerRim + (s + 1) % segments, inner + (s + 1) % segments, inner + s});
    shape.addGridFaces(inner, innerRings, segments, true);
    for (int ribbon = 0; ribbon < ribbons; ++ribbon) {
        const auto first = index(shape.points.size());
        const double angle = kTau * ribbon / ribbons;
        const double root = radius * (ribbon % 2 == 0 ? 0.72 : 0.30);
        const double reach = ribbon % 2 == 0 ? 1.05 : 1.25;
        for (int row = 0; row < ribbonRows; ++row) {
            const double v = static_cast<double>(row) / (ribbonRows - 1);
            const double lag = phase - 2.6 * v - ribbon * 0.35;
            const double sway = 0.10 * v * std::sin(lag) + 0.05 * v * v * std::sin(1.7 * lag + 1.0);
            const double twist = angle + 0.9 * v * std::sin(0.5 * lag);
            const double x = drift + (root * (1.0 - 0.25 * v)) * std::cos(angle) + sway * std::cos(angle + 0.8);
            const double z = (root * (1.0 - 0.25 * v)) * std::sin(angle) + sway * std::sin(angle + 0.8);
            const double y = base + 0.05 - reach * v * (1.0 - 0.10 * pulse);
            const double half = 0.028 * (1.0 - 0.75 * v);
            shape.points.push_back(point(x - half * std::sin(twist), y, z + half * std::cos(twist)));
            shape.points.push_back(point(x + half * std::sin(twist), y, z - half * std::cos(twist)));
        }
        shape.addGridFaces(first, ribbonRows, 2, false);
    }
    return shape;
}

Shape kelpFrond(double seconds) {
    Shape shape;
    constexpr int kRows = 55;
    constexpr int kColumns = 6;
    for (int r = 0; r < kRows; ++r) {
        const double v = static_cast<double>(r) / (kRows - 1);
        const double sway = 0.55 * v * v * std::sin(kTau * seconds / 4.3 - 1.6 * v) +
                            0.12 * v * std::sin(kTau * seconds / 1.9 - 5.0 * v);
        for (int c = 0; c < kColumns; ++c) {
            const double u = 2.0 * c / (kColumns - 1) - 1.0;
            const double width = 0.14 * std::sin(std::numbers::pi * (0.08 + 0.90 * v));
            const double curl = 0.05 * std::sin(9.0 * v + kTau * seconds / 2.7) * u;
            shape.points.push_back(point(sway + u * width, 3.1 * v - 0.12 * sway * sway,
                                         curl + 0.22 * v * std::sin(kTau * seconds / 5.9 + 2.0 * v)));
        }
    }
    shape.addGridFaces(0, kRows, kColumns, false);
    return shape;
}

Shape seabed(int rows) {
    Shape shape;
    const double size = 24.0;
    for (int z = 0; z < rows; ++z) {
        for (int x = 0; x < rows; ++x) {
            const double px = size * (static_cast<double>(x) / (rows - 1) - 0.5);
            const double pz = size * (static_cast<double>(z) / (rows - 1) - 0.5);
            const double y = -0.35 + 0.10 * std::sin(1.7 * px + 0.6 * std::sin(0.5 * pz)) +
                             0.16 * std::sin(0.43 * pz + 0.31 * px) + 0.02 * std::sin(7.1 * px + 3.3 * pz);
            shape.points.push_back(point(px, y, pz));
        }
    }
    for (std::int32_t z = 0; z + 1 < rows; ++z)
        for (std::int32_t x = 0; x + 1 < rows; ++x) {
            const std::int32_t a = z * rows + x;
            shape.addFace({a, a + rows, a + rows + 1, a + 1});
        }
    return shape;
}

Shape lathe(const std::vector<std::pair<float, float>>& profile, int segments) {
    Shape shape;
    for (const auto& [x, radius] : profile)
        for (int s = 0; s < segments; ++s) {
            const double angle = kTau * s / segments;
            shape.points.push_back(point(x, radius * std::cos(angle), radius * std::sin(angle)));
        }
    const auto rows = index(profile.size());
    for (std::int32_t r = 0; r + 1 < rows; ++r)
        for (std::int32_t s = 0; s < segments; ++s) {
            const std::int32_t a = r * segments + s;
            const std::int32_t b = r * segments + (s + 1) % segments;
            shape.addFace({a, b, b + segments, a + segments});
        }
    std::vector<std::int32_t> front;
    std::vector<std::int32_t> back;
    for (std::int32_t s = 0; s < segments; ++s) {
        front.push_back(segments - 1 - s);
        back.push_back((rows - 1) * segments + s);
    }
    for (const auto* cap : {&front, &back}) {
        shape.faceSizes.push_back(index(cap->size()));
        shape.corners.insert(shape.corners.end(), cap->begin(), cap->end());
    }
    return shape;
}

Shape box(const Vec3d& low, const Vec3d& high) {
    Shape shape;
    for (int i = 0; i < 8; ++i)
        shape.points.push_back(point(i & 1 ? high.x : low.x, i & 2 ? high.y : low.y, i & 4 ? high.z : low.z));
    shape.addFace({0, 2, 3, 1});
    shape.addFace({4, 5, 7, 6});
    shape.addFace({0, 1, 5, 4});
    shape.addFace({2, 6, 7, 3});
    shape.addFace({0, 4, 6, 2});
    shape.addFace({1, 3, 7, 5});
    return shape;
}

Shape propeller(int blades, double radius) {
    Shape shape;
    for (int b = 0; b < blades; ++b) {
        const auto first = index(shape.points.size());
        for (int row = 0; row < 6; ++row) {
            const double v = row / 5.0;
            const double r = 0.05 + (radius - 0.05) * v;
            const double twist = 0.9 - 0.5 * v;
            const double half = 0.05 + 0.07 * std::sin(std::numbers::pi * (0.15 + 0.75 * v));
            for (const double side : {-1.0, 1.0}) {
                const double angle = kTau * b / blades + side * half * std::cos(twist) / std::max(0.1, r);
                shape.points.push_back(point(side * half * std::sin(twist), r * std::cos(angle), r * std::sin(angle)));
            }
        }
        shape.addGridFaces(first, 6, 2, false);
    }
    return shape;
}

} // namespace wyc::demo
