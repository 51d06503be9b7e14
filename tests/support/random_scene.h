// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Random scenes, whose tracks are sampled each in its own way.
#include <random>

#include "scene/components/instancer.h"
#include "scene/components/skeleton.h"
#include "support/plain.h"

namespace wyc::test {

struct Random {
    std::mt19937 engine;
    bool floatTimes = false; // times of samples went through float32, as in many tools
    explicit Random(unsigned seed) : engine(seed) {}
    int whole(int low, int high) { return low + static_cast<int>(engine() % static_cast<unsigned>(high - low + 1)); }
    double real(double low, double high) {
        return low + (high - low) * static_cast<double>(engine() % 100000U) / 99999.0;
    }
    bool chance(int percent) { return whole(1, 100) <= percent; }
};

/// Three joints that turn, grow and slide, a morph with an in-between and one without, and a skin of two joints a
/// point. The skeleton stands beside the mesh.
void addDeformed(Random& r, const FrameRate& rate, Scene& scene, std::size_t own);

[[nodiscard]] Scene randomScene(Random& r);

} // namespace wyc::test
