// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Meshes of many kinds in motion, and what other applications make of them.
#include <algorithm>
#include <numbers>
#include <numeric>
#include <random>

#include "support/motions.h"

namespace wyc::test {

struct Shape {
    std::string name;
    std::vector<Vec3d> points;
    std::vector<std::vector<int>> faces;
    [[nodiscard]] TopologyPtr topology() const {
        std::vector<std::int32_t> sizes;
        std::vector<std::int32_t> corners;
        for (const auto& face : faces) {
            sizes.push_back(static_cast<std::int32_t>(face.size()));
            corners.insert(corners.end(), face.begin(), face.end());
        }
        return *Topology::make(std::move(sizes), std::move(corners));
    }
    void add(const Shape& other, const Vec3d& at) {
        const int base = static_cast<int>(points.size());
        for (const Vec3d& p : other.points)
            points.push_back(p + at);
        for (std::vector<int> face : other.faces) {
            for (int& p : face)
                p += base;
            faces.push_back(std::move(face));
        }
    }
};

/// Open, rows × columns quads.
inline Shape gridShape(int rows, int columns) {
    Shape shape{"grid", {}, {}};
    for (int r = 0; r <= rows; ++r)
        for (int c = 0; c <= columns; ++c)
            shape.points.push_back({c * 0.2, 0.03 * std::sin(c * 1.3 + r), r * 0.15});
    const auto at = [&](int r, int c) { return r * (columns + 1) + c; };
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c)
            shape.faces.push_back({at(r, c), at(r + 1, c), at(r + 1, c + 1), at(r, c + 1)});
    return shape;
}

/// Closed in both directions: genus 1, and every point like every other.
inline Shape torusShape(int around, int through) {
    Shape shape{"torus", {}, {}};
    for (int i = 0; i < around; ++i)
        for (int k = 0; k < through; ++k) {
            const double u = 2 * std::numbers::pi * i / around;
            const double v = 2 * std::numbers::pi * k / through;
            const double r = 1.0 + 0.35 * std::cos(v);
            shape.points.push_back({r * std::cos(u), 0.35 * std::sin(v), r * std::sin(u)});
        }
    const auto at = [&](int i, int k) { return (i % around) * through + k % through; };
    for (int i = 0; i < around; ++i)
        for (int k = 0; k < through; ++k)
            shape.faces.push_back({at(i, k), at(i, k + 1), at(i + 1, k + 1), at(i + 1, k)});
    return shape;
}

/// Closed, with poles: turned about its axis it is itself.
inline Shape ballShape(int around, int down) {
    Shape shape{"ball", {}, {}};
    shape.points.push_back({0, 1, 0});
    for (int r = 1; r < down; ++r)
        for (int k = 0; k < around; ++k) {
            const double polar = std::numbers::pi * r / down;
            const double turn = 2 * std::numbers::pi * k / around;
            shape.points.push_back(
                {std::sin(polar) * std::cos(turn), std::cos(polar), std::sin(polar) * std::sin(turn)});
        }
    shape.points.push_back({0, -1, 0});
    const int last = static_cast<int>(shape.points.size()) - 1;
    const auto at = [&](int r, int k) { return 1 + (r - 1) * around + k % around; };
    for (int k = 0; k < around; ++k) {
        shape.faces.push_back({0, at(1, k + 1), at(1, k)});
        for (int r = 1; r + 1 < down; ++r)
            shape.faces.push_back({at(r, k), at(r, k + 1), at(r + 1, k + 1), at(r + 1, k)});
        shape.faces.push_back({last, at(down - 1, k), at(down - 1, k + 1)});
    }
    return shape;
}

/// Irregular: a grid some of whose quads are parted, and some left out.
inline Shape roughShape(std::mt19937& random, int rows, int columns) {
    Shape shape = gridShape(rows, columns);
    shape.name = "rough";
    std::vector<std::vector<int>> faces;
    for (const auto& face : shape.faces) {
        const auto kind = random() % 10U;
        if (kind < 3) {
            faces.push_back({face[0], face[1], face[2]});
            faces.push_back({face[0], face[2], face[3]});
        } else if (kind > 0 && kind < 9) {
            faces.push_back(face);
        }
    }
    shape.faces = std::move(faces);
    for (Vec3d& p : shape.points)
        p = p + Vec3d{uniform(random, -0.05, 0.05), uniform(random, -0.08, 0.08), uniform(random, -0.05, 0.05)};
    return shape;
}

/// Three sheets that share an edge.
inline Shape bookShape(int pages) {
    Shape shape{"book", {}, {}};
    constexpr int kLong = 5;
    constexpr int kWide = 4;
    for (int i = 0; i <= kLong; ++i)
        shape.points.push_back({0, i * 0.2, 0});
    for (int page = 0; page < pages; ++page) {
        const double turn = 2.0 * std::numbers::pi * page / pages + 0.3;
        std::vector<std::vector<int>> columns{{}};
        for (int i = 0; i <= kLong; ++i)
            columns[0].push_back(i);
        for (int c = 1; c <= kWide + page; ++c) {
            columns.emplace_back();
            for (int i = 0; i <= kLong; ++i) {
                columns.back().push_back(static_cast<int>(shape.points.size()));
                shape.points.push_back({c * 0.2 * std::cos(turn), i * 0.2, c * 0.2 * std::sin(turn)});
            }
        }
        for (std::size_t c = 0; c + 1 < columns.size(); ++c)
            for (std::size_t i = 0; i < kLong; ++i)
                shape.faces.push_back({columns[c][i], columns[c + 1][i], columns[c + 1][i + 1], columns[c][i + 1]});
    }
    return shape;
}

/// Pieces, some of them alike.
inline Shape piecesShape() {
    Shape shape{"pieces", {}, {}};
    shape.add(ballShape(8, 5), {0, 0, 0});
    shape.add(gridShape(4, 6), {2, 0, 0});
    for (int k = 0; k < 4; ++k)
        shape.add(gridShape(2, 3), {static_cast<double>(k) - 1.5, 1.4 + 0.2 * k, 0.6 * k});
    shape.add(torusShape(7, 5), {0, -2, 1});
    return shape;
}

/// A shape in motion: it swims along a path, turns a little, and every part of it swings in its own way.
inline std::vector<std::vector<Vec3d>> motionOf(const Shape& shape, std::mt19937& random, int frames) {
    const Vec3d way{uniform(random, -0.06, 0.06), uniform(random, -0.03, 0.03), uniform(random, -0.06, 0.06)};
    const double spin = uniform(random, -0.02, 0.02);
    const Vec3d phase{uniform(random, 0, 6), uniform(random, 0, 6), uniform(random, 0, 6)};
    const double pace = uniform(random, 0.15, 0.3);
    std::vector<std::vector<Vec3d>> samples;
    for (int f = 0; f < frames; ++f) {
        const Mat4 place =
            Mat4::rotation({0.2, 1, 0.1}, spin * f) *
            Mat4::translation(way * static_cast<double>(f) + Vec3d{0.2 * std::sin(pace * f + phase.x), 0.0, 0.0});
        std::vector<Vec3d> points;
        for (const Vec3d& p : shape.points) {
            const Vec3d bent = p + Vec3d{0.10 * std::sin(pace * f + 1.7 * p.y + phase.y),
                                         0.12 * std::sin(0.83 * pace * f + 1.1 * p.x + 0.4 * p.z + phase.z),
                                         0.08 * std::cos(1.31 * pace * f + 1.3 * p.x + phase.x)};
            points.push_back(transformedPoint(bent, place));
        }
        samples.push_back(std::move(points));
    }
    return samples;
}

inline Scene sceneOf(const Shape& shape, const std::vector<std::vector<Vec3d>>& samples, const Sampling& sampling,
                     const FrameRate& rate) {
    Scene scene;
    scene.view.rate = rate;
    scene.rate = rate;
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    Node node;
    node.name = shape.name;
    node.path = "/" + shape.name;
    node.kind = NodeKind::Mesh;
    std::vector<std::vector<Vec3f>> points;
    for (const auto& sample : samples) {
        points.emplace_back();
        for (const Vec3d& p : sample)
            points.back().push_back({static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
    }
    node.geometry = std::make_shared<MemoryGeometry>(sampling, shape.topology(), std::move(points));
    scene.nodes.push_back(std::move(node));
    return scene;
}

/// Point i becomes point to[i]; faces in any order, each beginning at any of its corners.
inline Shape shuffled(const Shape& shape, const std::vector<std::uint32_t>& to, std::mt19937& random) {
    Shape result = shape;
    for (std::size_t i = 0; i < to.size(); ++i)
        result.points[to[i]] = shape.points[i];
    for (auto& face : result.faces) {
        for (int& p : face)
            p = static_cast<int>(to[static_cast<std::size_t>(p)]);
        std::rotate(face.begin(), face.begin() + static_cast<std::ptrdiff_t>(random() % face.size()), face.end());
    }
    std::shuffle(result.faces.begin(), result.faces.end(), random);
    return result;
}

inline std::vector<std::uint32_t> randomOrder(std::size_t count, std::mt19937& random) {
    std::vector<std::uint32_t> to(count);
    std::iota(to.begin(), to.end(), 0U);
    std::shuffle(to.begin(), to.end(), random);
    return to;
}

template<class T> std::vector<T> placed(const std::vector<T>& values, const std::vector<std::uint32_t>& to) {
    std::vector<T> result(values.size());
    for (std::size_t i = 0; i < values.size(); ++i)
        result[to[i]] = values[i];
    return result;
}

} // namespace wyc::test
