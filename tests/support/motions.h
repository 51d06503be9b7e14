// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Motions that come back, and motions that never do.
#include <numbers>
#include <random>

#include "support/scenes.h"

namespace wyc::test {

inline double uniform(std::mt19937& random, double low, double high) {
    return low + (high - low) * static_cast<double>(random() % 1000003U) / 1000002.0;
}

struct Returning {
    double period = 24.0; // frames; whole or half
    int frames = 72;
    double drift = 0.0; // units a frame
    double noise = 0.0; // units
};

/// A sheet whose points swing in a few harmonics of one period, each in its own phase, about a metre in size.
inline Scene returningScene(std::mt19937& random, const Returning& motion) {
    constexpr int kRows = 6;
    constexpr int kColumns = 6;
    constexpr int kHarmonics = 3;
    struct Swing {
        Vec3d size;
        Vec3d phase;
    };
    std::vector<std::array<Swing, kHarmonics>> swings(kRows * kColumns);
    const auto vec = [&](double low, double high) {
        return Vec3d{uniform(random, low, high), uniform(random, low, high), uniform(random, low, high)};
    };
    for (auto& of : swings)
        for (int h = 0; h < kHarmonics; ++h)
            of[static_cast<std::size_t>(h)] = {vec(0.05, 0.25) * (1.0 / (h + 1)), vec(0.0, 6.28)};
    const Vec3d way = vec(-1.0, 1.0) * motion.drift;
    std::vector<std::vector<Vec3f>> samples;
    for (int f = 0; f < motion.frames; ++f) {
        std::vector<Vec3f> points = sheetPoints(kRows, kColumns, 0.0);
        for (std::size_t i = 0; i < points.size(); ++i) {
            Vec3d p(points[i]);
            for (int h = 0; h < kHarmonics; ++h) {
                const Swing& swing = swings[i][static_cast<std::size_t>(h)];
                const double turn = 2.0 * std::numbers::pi * (h + 1) * f / motion.period;
                p = p + Vec3d{swing.size.x * std::sin(turn + swing.phase.x),
                              swing.size.y * std::sin(turn + swing.phase.y),
                              swing.size.z * std::sin(turn + swing.phase.z)};
            }
            p = p + way * static_cast<double>(f) + vec(-1.0, 1.0) * motion.noise;
            points[i] = {static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)};
        }
        samples.push_back(std::move(points));
    }
    Scene scene = sheetScene();
    scene.unitMetres = 1.0;
    scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(
        Sampling::uniform(scene.view.rate.secondsAt(1001), scene.view.rate.secondsAt(1.0),
                          static_cast<std::size_t>(motion.frames)),
        gridTopology(kRows, kColumns), std::move(samples));
    return scene;
}

inline Scene returningScene(unsigned seed, const Returning& motion) {
    std::mt19937 random(seed);
    return returningScene(random, motion);
}

/// Straight on, outward spirals, growth, wandering, dying away, and swings that have not come round yet.
inline Scene wanderingScene(std::mt19937& random, int kind) {
    const int frames = 40 + static_cast<int>(random() % 60U);
    std::vector<Vec3d> pace(36);
    std::vector<Vec3d> place(36);
    const auto vec = [&](double size) {
        return Vec3d{uniform(random, -size, size), uniform(random, -size, size), uniform(random, -size, size)};
    };
    const Vec3d way = vec(0.04) + Vec3d{0.03, 0, 0};
    const double spin = uniform(random, 0.15, 0.5);
    const double growth = uniform(random, 1.01, 1.04);
    const double swing = uniform(random, 0.3, 0.7); // of a turn, in all
    std::vector<Vec3d> phases(36);
    for (Vec3d& phase : phases)
        phase = vec(3.14);
    std::vector<std::vector<Vec3f>> samples;
    for (int f = 0; f < frames; ++f) {
        std::vector<Vec3f> points = sheetPoints(6, 6, 0.0);
        const double t = f;
        for (std::size_t i = 0; i < points.size(); ++i) {
            Vec3d p(points[i]);
            switch (kind % 6) {
            case 0: p = p + way * t; break;
            case 1: {
                const double r = 0.2 + 0.03 * t;
                p = p + Vec3d{r * std::cos(spin * t), r * std::sin(spin * t), 0.0};
                break;
            }
            case 2: p = p * std::pow(growth, t); break;
            case 3: // one way for all, with a little of each point's own
                pace[i] = pace[i] * 0.9 + way * 0.1 + vec(0.004);
                place[i] = place[i] + pace[i];
                p = p + place[i];
                break;
            case 4: { // dies away
                const double left = std::exp(-t / 14.0);
                p = p + Vec3d{std::sin(phases[i].x + 0.3 * t), std::sin(phases[i].y + 0.3 * t), 0.0} * (0.3 * left);
                break;
            }
            default: { // a part of one swing
                const double turn = 2.0 * std::numbers::pi * swing * t / frames;
                p = p + Vec3d{0.5 * std::sin(turn + phases[i].x), 0.5 * std::cos(turn + phases[i].y), 0.0};
            }
            }
            points[i] = {static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)};
        }
        samples.push_back(std::move(points));
    }
    Scene scene = sheetScene();
    scene.unitMetres = 1.0;
    scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(Sampling::uniform(scene.view.rate.secondsAt(1001),
                                                                                 scene.view.rate.secondsAt(1.0),
                                                                                 static_cast<std::size_t>(frames)),
                                                               gridTopology(6, 6), std::move(samples));
    return scene;
}

} // namespace wyc::test
