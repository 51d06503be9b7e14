// SPDX-License-Identifier: GPL-3.0-or-later
// Cycles of which the seam is hard to judge: eased ones, pendulums, turning points, glitches elsewhere.
#include <gtest/gtest.h>

#include <functional>
#include <numbers>
#include <random>
#include <set>

#include "measure/loop.h"
#include "support/motions.h"
#include "support/returned.h"
#include "workbench/loops.h"

namespace wyc::seam_test {
namespace {

constexpr double kPi = std::numbers::pi;
using test::uniform;

// A body at some places, each point swinging a little on its own, round with the cycle.
Scene cycleOf(int frames, const std::function<Vec3d(double)>& at, double swing, unsigned seed,
              const std::function<double(double)>& phase) {
    std::mt19937 random(seed);
    const test::Shape shape = test::ballShape(8, 6);
    std::vector<std::vector<Vec3d>> samples;
    for (int f = 0; f < frames; ++f) {
        const double s = phase(static_cast<double>(f) / frames);
        samples.emplace_back();
        for (std::size_t p = 0; p < shape.points.size(); ++p)
            samples.back().push_back(shape.points[p] + at(s) +
                                     Vec3d{0, swing * std::sin(2 * kPi * s + static_cast<double>(p)), 0});
    }
    const FrameRate rate;
    return test::sceneOf(shape, samples,
                         Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), static_cast<std::size_t>(frames)),
                         rate);
}

LoopCheck checked(const Scene& scene) {
    auto check = checkLoop(movingItemsOf(scene), Progress());
    EXPECT_TRUE(check) << check.error().text();
    return check ? *check : LoopCheck{};
}

// Round a circle: even, or eased so that it stops at the seam and goes on the same way.
TEST(Seams, ACycleThatEasesToAStopPausesAndAnEvenOneDoesNot) {
    for (unsigned seed = 0; seed < 100; ++seed) {
        std::mt19937 random(seed + 9000U);
        const int frames = 30 + static_cast<int>(random() % 70U);
        const double radius = uniform(random, 0.3, 2.0);
        const double wobble = uniform(random, 0.0, 0.3);
        const auto at = [=](double s) {
            return Vec3d{radius * std::cos(2 * kPi * s), wobble * std::sin(4 * kPi * s),
                         radius * std::sin(2 * kPi * s)};
        };
        const double swing = uniform(random, 0.0, 0.1);
        const double shift = uniform(random, 0.0, 1.0);
        // Its own slow places are not at the seam.
        const double uneven = uniform(random, 0.0, 0.5);
        const LoopCheck even = checked(cycleOf(
            frames, at, swing, seed, [=](double s) { return s + shift + uneven * 0.1 * std::sin(2 * kPi * s); }));
        EXPECT_TRUE(even.loops) << seed << " gap " << even.gapSteps;
        EXPECT_FALSE(even.pause) << seed;
        const LoopCheck eased = checked(cycleOf(frames, at, swing, seed, [=](double s) {
            return s - std::sin(2 * kPi * s) / (2 * kPi) + shift; // its speed is nothing at 0
        }));
        EXPECT_FALSE(eased.loops) << seed;
        EXPECT_TRUE(eased.pause) << seed << " of " << frames << ", step " << eased.step << " usual " << eased.usualStep;
        const auto findings = loopFindings(eased, "it");
        ASSERT_FALSE(findings.empty());
        EXPECT_EQ(findings[0].id, "loop.pause");
    }
}

// Wherever its seam is, at the turning point, evenly about it, or amid its way.
TEST(Seams, APendulumIsNoPause) {
    for (unsigned seed = 0; seed < 100; ++seed) {
        std::mt19937 random(seed + 500U);
        const int frames = 24 + static_cast<int>(random() % 60U);
        const double way = uniform(random, 0.2, 2.0);
        const auto at = [=](double s) { return Vec3d{way * std::cos(2 * kPi * s), 0, 0}; };
        const double start = seed % 3 == 0 ? 0.0 : seed % 3 == 1 ? 0.5 / frames : uniform(random, 0.0, 1.0);
        const LoopCheck check = checked(cycleOf(frames, at, 0.0, seed, [=](double s) { return s + start; }));
        EXPECT_TRUE(check.loops) << seed << " start " << start * frames << " gap " << check.gapSteps;
        EXPECT_FALSE(check.pause || check.closingCopy || check.doubledEnd) << seed << " start " << start * frames;
        // With its first frame once more at the end it has a closing copy.
        Scene longer = cycleOf(frames, at, 0.0, seed, [=](double s) { return s + start; });
        const Geometry& shape = test::shapeOf(longer);
        std::vector<std::vector<Vec3f>> samples;
        for (int f = 0; f <= frames; ++f)
            samples.push_back(test::pointsOf(shape, static_cast<std::size_t>(f % frames)));
        longer.nodes[0].geometry = std::make_shared<MemoryGeometry>(
            Sampling::uniform(shape.sampling().time(0), 1.0 / 24, samples.size()), *shape.topology(0), samples);
        EXPECT_TRUE(checked(longer).closingCopy) << seed << " start " << start * frames;
    }
}

TEST(Seams, AGlitchInsideHidesNoOpenSeam) {
    for (unsigned seed = 0; seed < 40; ++seed) {
        std::mt19937 random(seed + 70U);
        const int frames = 40 + static_cast<int>(random() % 30U);
        const auto at = [](double s) { return Vec3d{std::cos(2 * kPi * s), 0, std::sin(2 * kPi * s)}; };
        // Cut short of the whole: open by some steps.
        const double cut = 1.0 - 3.0 / frames;
        const int glitch = 10 + static_cast<int>(random() % 20U);
        Scene scene = cycleOf(frames, at, 0.05, seed, [=](double s) { return s * cut; });
        EXPECT_FALSE(checked(scene).loops) << seed;
        const Geometry& shape = test::shapeOf(scene);
        std::vector<std::vector<Vec3f>> samples;
        for (int f = 0; f < frames; ++f)
            samples.push_back(test::pointsOf(shape, static_cast<std::size_t>(f)));
        for (Vec3f& p : samples[static_cast<std::size_t>(glitch)])
            p.y += 2.0F;
        scene.nodes[0].geometry =
            std::make_shared<MemoryGeometry>(shape.sampling(), *shape.topology(0), std::move(samples));
        EXPECT_FALSE(checked(scene).loops) << seed;
    }
}

// It goes on the same way cycle after cycle; played in place it jumps back.
TEST(Seams, TravelThatGoesOnIsKnown) {
    for (unsigned seed = 0; seed < 30; ++seed) {
        std::mt19937 random(seed + 31U);
        const int frames = 24 + static_cast<int>(random() % 40U);
        const Vec3d way{uniform(random, 1.0, 4.0), 0.0, uniform(random, -2.0, 2.0)};
        const auto at = [=](double s) { return way * s + Vec3d{0, 0.1 * std::sin(2 * kPi * s), 0}; };
        const LoopCheck check = checked(cycleOf(frames, at, 0.08, seed, [](double s) { return s; }));
        EXPECT_FALSE(check.loops) << seed;
        EXPECT_TRUE(check.loopsGoingOn) << seed;
        EXPECT_NEAR(check.travel, length(way), 0.02 * length(way)) << seed;
        EXPECT_EQ(loopFindings(check, "it").front().id, "loop.travels");
        // Open besides, it does not loop that way either.
        const LoopCheck open = checked(cycleOf(frames, at, 0.3, seed, [](double s) { return 0.8 * s; }));
        EXPECT_FALSE(open.loops || open.loopsGoingOn) << seed;
    }
}

// How much the mean speed of all points changes over the seam of a cycle, and at most inside; metres a second.
std::pair<double, double> speedChanges(const Scene& cycle) {
    const Geometry& shape = test::shapeOf(cycle);
    const std::size_t n = shape.sampling().count();
    std::vector<std::vector<Vec3f>> frames;
    for (std::size_t f = 0; f < n; ++f)
        frames.push_back(test::pointsOf(shape, f));
    const auto change = [&](std::size_t f) { // of the steps before f and behind f + 1
        double sum = 0.0;
        for (std::size_t p = 0; p < frames[0].size(); ++p) {
            const auto at = [&](std::size_t k) { return Vec3d(frames[k % n][p]); };
            const Vec3d d = (at(f + n) - at(f + n - 1)) - (at(f + 2) - at(f + 1));
            sum += dot(d, d);
        }
        return std::sqrt(sum / static_cast<double>(frames[0].size())) * 24.0;
    };
    double inside = 0.0;
    for (std::size_t f = 1; f + 2 < n; ++f)
        inside = std::max(inside, change(f));
    return {change(n - 1), inside};
}

TEST(Seams, WhatIsSaidToCloseIsNoWorseThanACut) {
    std::size_t closed = 0;
    std::size_t grown = 0;
    for (unsigned seed = 0; seed < 60; ++seed) {
        std::mt19937 random(seed + 4000U);
        const double other = uniform(random, 1.9, 2.1);
        const double wobble = uniform(random, 0.05, 0.4);
        const auto at = [=](double s) {
            return Vec3d{std::cos(6 * kPi * s), wobble * std::sin(6 * kPi * other * s), std::sin(6 * kPi * s)};
        };
        const Scene scene = cycleOf(120, at, 0.1, seed, [](double s) { return s; });
        LoopCandidate candidate;
        candidate.start = 1015.0 + static_cast<double>(random() % 20U);
        candidate.length = 38.0 + static_cast<double>(random() % 5U);
        LoopClosing closing;
        closing.close = seed % 3 == 0 ? "bridge" : "overlap";
        closing.fade = 2.0 + static_cast<double>(random() % 12U);
        closing.weight = seed % 2 == 0 ? "linear" : "smooth";
        const Step step = loopStepFor(candidate, closing);
        const auto made = closedBy(movingItemsOf(scene), step, Progress());
        ASSERT_TRUE(made) << seed << " " << made.error().text();
        Step cut = oneCycleOf(step);
        const auto now = applySteps(scene, {cut});
        cut.options["close"] = "cut";
        const auto before = applySteps(scene, {cut});
        ASSERT_TRUE(now && before) << seed;
        const auto [seam, inside] = speedChanges(*now);
        const double worst = 1.06 * std::max(speedChanges(*before).first, inside);
        EXPECT_NEAR(made->check.velocityGap, seam, 1e-3 * seam + 1e-6) << seed;
        if (made->closes())
            EXPECT_LE(seam, worst) << seed;
        closed += made->closes();
        grown += made->speedGrew();
    }
    EXPECT_GT(closed, 10U);
    EXPECT_LT(closed, 60U);
    EXPECT_GT(grown, 0U);
}

// Of several items together distances are in usual steps, and are said to be; their travel is in metres.
TEST(Seams, SeveralItemsTogetherAreToldInSteps) {
    const auto at = [](double s) { return Vec3d{std::cos(2 * kPi * s), 0, std::sin(2 * kPi * s)}; };
    const Scene open = cycleOf(40, at, 0.05, 1, [](double s) { return 0.8 * s; });
    Scene large = cycleOf(
        40, [&](double s) { return at(s) * 30.0; }, 0.05, 2, [](double s) { return 0.8 * s; });
    const std::vector<MovingItem> both{{&open, 0, 1.0}, {&large, 0, 1.0}};
    const auto check = checkLoop(both, Progress());
    ASSERT_TRUE(check) << check.error().text();
    EXPECT_TRUE(check->inSteps);
    EXPECT_NEAR(check->usualStep, 1.0, 0.2);
    const auto findings = loopFindings(*check, "both");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].id, "loop.open");
    EXPECT_EQ(findings[0].unit, "steps");
    EXPECT_NE(findings[0].text.find("steps off"), std::string::npos) << findings[0].text;
    EXPECT_FALSE(checked(open).inSteps);
    // They travel on by less than a metre, which is many of their steps.
    const auto going = [](double s) { return Vec3d{0.4 * s, 0.01 * std::sin(2 * kPi * s), 0}; };
    const Scene a = cycleOf(40, going, 0.002, 3, [](double s) { return s; });
    const Scene b = cycleOf(40, going, 0.002, 4, [](double s) { return s; });
    const auto travels = checkLoop({{&a, 0, 1.0}, {&b, 0, 1.0}}, Progress());
    ASSERT_TRUE(travels) << travels.error().text();
    EXPECT_TRUE(travels->loopsGoingOn);
    EXPECT_NEAR(travels->travel, 0.4, 0.01);
}

TEST(Seams, WhatIsSeenAtOneEndAloneBlinks) {
    const auto at = [](double s) { return Vec3d{std::cos(2 * kPi * s), 0, std::sin(2 * kPi * s)}; };
    Scene scene = cycleOf(40, at, 0.1, 1, [](double s) { return s; });
    ASSERT_TRUE(checked(scene).loops);
    const Sampling run = test::shapeOf(scene).sampling();
    std::vector<Visibility> seen(40, Visibility::Visible);
    seen[20] = Visibility::Hidden; // inside it is as meant
    scene.nodes[0].visibility = VisibilityTrack{run, seen};
    EXPECT_TRUE(checked(scene).loops);
    seen.front() = Visibility::Hidden;
    scene.nodes[0].visibility = VisibilityTrack{run, seen};
    const LoopCheck check = checked(scene);
    EXPECT_FALSE(check.loops);
    EXPECT_EQ(loopFindings(check, "it").front().id, "loop.visibility");
}

// A fountain: one point stays, fifty are born and gone. Each takes the place of another at the seam, or all begin anew.
TEST(Seams, ParticlesAreLookedAtWhole) {
    constexpr int kFrames = 40;
    for (unsigned seed = 0; seed < 100; ++seed) {
        const bool pops = seed % 2 == 1;
        std::mt19937 random(seed + 400U);
        struct One {
            Vec3d at, way;
            double born; // of its life: where in the cycle it begins
        };
        std::vector<One> all;
        for (int k = 0; k < 50; ++k)
            all.push_back({{uniform(random, -2, 2), 0, uniform(random, -2, 2)},
                           {uniform(random, -0.05, 0.05), 0.08, uniform(random, -0.05, 0.05)},
                           uniform(random, 0.0, 1.0)});
        std::vector<std::vector<Vec3f>> points;
        std::vector<std::vector<std::uint64_t>> ids;
        for (int f = 0; f < kFrames; ++f) {
            points.push_back({{0, static_cast<float>(0.05 * std::sin(2 * kPi * f / kFrames)), 5}});
            ids.push_back({1});
            for (std::size_t k = 0; k < all.size(); ++k) {
                // Half of the cycle it is there; born anew each time round. Popping ones are born on the first frame.
                const double age =
                    pops ? static_cast<double>(f) : std::fmod(f - all[k].born * kFrames + kFrames, kFrames);
                if (!pops && age > kFrames / 2)
                    continue;
                const Vec3d p = all[k].at + all[k].way * age;
                points.back().push_back({static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
                const bool wrapped = !pops && f < all[k].born * kFrames;
                ids.back().push_back(100 + 2 * k + (wrapped ? 1 : 0));
            }
        }
        const FrameRate rate;
        Scene scene;
        scene.view.rate = rate;
        Node node;
        node.name = "spray";
        node.path = "/spray";
        node.kind = NodeKind::Points;
        node.geometry = std::make_shared<VaryingPoints>(
            Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), kFrames), points, ids);
        scene.nodes.push_back(node);
        const LoopCheck check = checked(scene);
        EXPECT_EQ(check.loops, !pops) << seed << " popping " << check.popping << " usually " << check.usuallyPopping;
        EXPECT_EQ(check.points, pops ? 51U : check.points);
        if (pops)
            EXPECT_EQ(loopFindings(check, "it").front().id, "loop.points_pop") << seed;
    }
}

TEST(Seams, LengthsThatAreAskedForAreListed) {
    const auto at = [](double s) { return Vec3d{std::cos(2 * kPi * s), 0, std::sin(2 * kPi * s)}; };
    const Scene scene = cycleOf(120, at, 0.1, 3, [](double s) { return 3.0 * s; }); // 40 frames a round
    const auto map = seamMapOf(movingItemsOf(scene), {}, Progress());
    ASSERT_TRUE(map);
    LoopBounds bounds;
    for (const double length : {31.0, 38.0, 40.0, 47.0}) {
        bounds.length = FrameRange{length, length};
        const auto found = loopCandidates(*map, bounds);
        ASSERT_TRUE(found) << found.error().text();
        ASSERT_FALSE(found->empty()) << length;
        EXPECT_EQ(found->front().length, length);
        EXPECT_EQ(found->front().good, length == 40.0);
    }
    bounds.length = FrameRange{36, 42};
    bounds.count = 100;
    const auto several = loopCandidates(*map, bounds);
    ASSERT_TRUE(several);
    std::set<double> lengths;
    for (const LoopCandidate& one : *several)
        lengths.insert(one.length);
    EXPECT_EQ(lengths.size(), 7U);
    EXPECT_EQ(several->front().length, 40.0);
}

} // namespace
} // namespace wyc::seam_test
