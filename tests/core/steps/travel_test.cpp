// SPDX-License-Identifier: GPL-3.0-or-later
// What travels: cycles that go on where the one before ended, or stay in place; the way apart from the shape; and ends
// that are mended.
#include <gtest/gtest.h>

#include <cmath>

#include <fmt/format.h>

#include "measure/loop.h"
#include "steps/step.h"
#include "support/delivered.h"
#include "support/expected.h"
#include "support/motions.h"
#include "support/temp_folder.h"
#include "workbench/loops.h"

namespace wyc::travel_test {
namespace {

using nlohmann::json;

// A sheet that swings, and swims a long way with it; under a transform that turns it a little, where asked for.
Scene swimming(unsigned seed, bool carried) {
    Scene scene = test::returningScene(seed, {.period = 24, .frames = 90, .drift = 0.06});
    if (!carried)
        return scene;
    Node above;
    above.name = "whole";
    above.path = "/whole";
    above.kind = NodeKind::Transform;
    above.transform = MemoryTransform::fixed(Mat4::rotation({0, 1, 0}, 0.7) * Mat4::translation({3, 0, -2}));
    Node mesh = scene.nodes[0];
    mesh.parent = 0;
    mesh.path = "/whole/" + mesh.name;
    scene.nodes = {above, mesh};
    return scene;
}

std::vector<Vec3d> worldAt(const Scene& scene, double frame) {
    const double t = scene.view.rate.secondsAt(frame);
    const std::size_t node = scene.nodes.size() - 1;
    std::vector<Vec3f> points;
    EXPECT_TRUE(readPointsAt(*scene.nodes[node].geometry, t, points));
    const auto place = placementAt(scene, node, t);
    EXPECT_TRUE(place);
    std::vector<Vec3d> world;
    for (const Vec3f& p : points)
        world.push_back(transformedPoint(Vec3d(p), place->matrix));
    return world;
}

Vec3d middle(const std::vector<Vec3d>& points) {
    Vec3d sum;
    for (const Vec3d& p : points)
        sum = sum + p;
    return sum * (1.0 / static_cast<double>(points.size()));
}

double farthest(const std::vector<Vec3d>& a, const std::vector<Vec3d>& b, const Vec3d& moved = {}) {
    double most = 0.0;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, length(a[i] + moved - b[i]));
    return most;
}

const std::vector<json> kClosings{{{"close", "cut"}},
                                  {{"close", "overlap"}, {"fade", 6}, {"side", "end"}},
                                  {{"close", "overlap"}, {"fade", 6}, {"side", "start"}},
                                  {{"close", "bridge"}, {"fade", 5}}};

Step loopOf(const json& closing, const char* travel, int cycles) {
    Step step{"loop", {{"start", 1015}, {"length", 24}, {"travel", travel}, {"cycles", cycles}}, true};
    step.options.update(closing);
    return step;
}

TEST(Travel, EachCycleGoesOnWhereTheOneBeforeEnded) {
    for (const bool carried : {false, true})
        for (const json& closing : kClosings) {
            SCOPED_TRACE(fmt::format("{} {}", carried, closing.dump()));
            const Scene scene = swimming(3, carried);
            const auto made = applySteps(scene, {loopOf(closing, "goes on", 3)});
            ASSERT_TRUE(made) << made.error().text();
            const double period = closing["close"] == "bridge" ? 29.0 : 24.0;
            const Vec3d way = middle(worldAt(scene, 1039)) - middle(worldAt(scene, 1015));
            ASSERT_GT(length(way), 0.5);
            // A cycle later everything is where it was and a cycle's way on, between frames too.
            for (double frame = 1015; frame < 1015 + 2.0 * period - 1.0; frame += 0.75)
                EXPECT_LT(farthest(worldAt(*made, frame), worldAt(*made, frame + period), way), 2e-5) << frame;
            // And over a seam it goes on as over any other frame.
            double largest = 0.0;
            for (double frame = 1016; frame < 1014 + period; frame += 1.0)
                largest = std::max(largest, farthest(worldAt(*made, frame), worldAt(*made, frame + 1)));
            EXPECT_LT(farthest(worldAt(*made, 1014 + period), worldAt(*made, 1015 + period)), 1.2 * largest + 1e-6);
            const auto closed = closedBy(movingItemsOf(scene), loopOf(closing, "goes on", 3), Progress());
            ASSERT_TRUE(closed) << closed.error().text();
            EXPECT_TRUE(closed->check.loops);
        }
}

TEST(Travel, TakenOutACycleStaysInPlace) {
    for (const bool carried : {false, true})
        for (const json& closing : kClosings) {
            const Scene scene = swimming(4, carried);
            const auto made = applySteps(scene, {loopOf(closing, "taken out", 2)});
            ASSERT_TRUE(made) << made.error().text();
            const double period = closing["close"] == "bridge" ? 29.0 : 24.0;
            EXPECT_LT(farthest(worldAt(*made, 1015), worldAt(*made, 1015 + period)), 2e-5);
            double most = 0.0;
            for (double frame = 1015; frame < 1015 + period; frame += 1.0)
                most = std::max(most, length(middle(worldAt(*made, frame)) - middle(worldAt(*made, 1015))));
            EXPECT_LT(most, 0.25) << closing; // it swings; it does not travel
        }
}

TEST(Travel, IsProvenWhateverTheFormatAndAWrongOneIsNot) {
    for (const bool carried : {false, true})
        for (const char* travel : {"goes on", "taken out"})
            for (const json& closing : kClosings)
                for (const char* format : {"alembic", "mdd"}) {
                    SCOPED_TRACE(fmt::format("{} {} {} {}", carried, travel, closing.dump(), format));
                    const test::TempFolder folder;
                    // The world is changed behind it: what is carried goes along.
                    const std::vector<Step> chain{loopOf(closing, travel, 2),
                                                  {"unit", {{"from", "m"}, {"to", "cm"}}, true},
                                                  {"turn", {{"from", "Y"}, {"to", "Z"}}, true},
                                                  {"offset", {{"frames", 3}}, true}};
                    const Scene scene = swimming(5, carried);
                    const auto result = test::delivered(scene, chain, chain, format, folder.path());
                    ASSERT_TRUE(result) << result.error().text();
                    EXPECT_TRUE(result->proof.passed) << result->proof.words();
                    EXPECT_EQ(result->proof.items[0].shown.mixed.count(), 0U);
                    EXPECT_TRUE(result->proof.items[0].shown.notCompared.empty());
                    std::vector<Step> other = chain;
                    other[0].options["travel"] = "comes back";
                    const test::TempFolder elsewhere;
                    const auto wrong = test::delivered(scene, other, chain, format, elsewhere.path());
                    EXPECT_FALSE(wrong && wrong->proof.passed);
                }
}

TEST(Travel, SeveralItemsGoTheSameWayEachInItsUnit) {
    const Scene metres = swimming(6, false);
    const auto centimetres = applySteps(swimming(7, false), {{"unit", {{"from", "m"}, {"to", "cm"}}, true}});
    ASSERT_TRUE(centimetres);
    const auto steps = loopStepsFor({{&metres, 0, 1.0}, {&*centimetres, 0, 0.01}}, loopOf(kClosings[0], "goes on", 2));
    ASSERT_TRUE(steps) << steps.error().text();
    const auto a = applySteps(metres, {(*steps)[0]});
    const auto b = applySteps(*centimetres, {(*steps)[1]});
    ASSERT_TRUE(a && b);
    const Vec3d wayA = middle(worldAt(*a, 1045)) - middle(worldAt(*a, 1021));
    const Vec3d wayB = middle(worldAt(*b, 1045)) - middle(worldAt(*b, 1021));
    EXPECT_LT(length(wayA * 100.0 - wayB), 1e-2);
    EXPECT_GT(length(wayA), 0.5);
}

TEST(Travel, ApartFromTheShapeEverythingIsWhereItWas) {
    for (const bool carried : {false, true}) {
        const Scene scene = swimming(8, carried);
        const std::vector<Step> chain{{"travel", {{"along", "XYZ"}}, true}};
        const auto made = applySteps(scene, chain);
        ASSERT_TRUE(made) << made.error().text();
        ASSERT_EQ(made->nodes.size(), scene.nodes.size() + 1);
        const Geometry& shape = *made->nodes.back().geometry;
        for (double frame = 1001; frame <= 1090; frame += 0.5)
            EXPECT_LT(farthest(worldAt(scene, frame), worldAt(*made, frame)), 3e-6) << frame;
        const auto local = [&](std::size_t sample) {
            std::vector<Vec3d> points;
            for (const Vec3f& p : test::pointsOf(shape, sample))
                points.emplace_back(p);
            return middle(points);
        };
        for (std::size_t s = 0; s < shape.sampling().count(); ++s)
            EXPECT_LT(length(local(s) - local(0)), 1e-6);
        const test::TempFolder folder;
        const auto result = test::delivered(scene, chain, chain, "alembic", folder.path());
        ASSERT_TRUE(result) << result.error().text();
        EXPECT_TRUE(result->proof.passed) << result->proof.words();
        // Only along the ground: up and down stays in the points.
        const auto ground = applySteps(scene, {{"travel", {{"along", "XZ"}}, true}});
        ASSERT_TRUE(ground);
        const auto channels =
            ground->nodes[ground->nodes.size() - 2].transform->channelsAt(scene.view.rate.secondsAt(1080));
        ASSERT_TRUE(channels);
        EXPECT_EQ((*channels)[1], 0.0);
        EXPECT_NE((*channels)[0], 0.0);
    }
    EXPECT_FALSE(applySteps(Scene(), {{"travel", json::object(), true}}));
}

TEST(Ends, AreLeftOutOrTakeTheirNeighboursPose) {
    const Scene scene = test::sheetScene();
    const Geometry& before = test::shapeOf(scene);
    const std::size_t count = before.sampling().count();
    const auto left = applySteps(scene, {{"ends", {{"first", "left out"}, {"last", "left out"}}, true}});
    ASSERT_TRUE(left);
    ASSERT_EQ(test::shapeOf(*left).sampling().count(), count - 2);
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*left), 0), test::pointsOf(before, 1)));
    const std::vector<Step> chain{{"ends", {{"first", "as its neighbour"}, {"last", "as its neighbour"}}, true}};
    const auto same = applySteps(scene, chain);
    ASSERT_TRUE(same);
    const Geometry& after = test::shapeOf(*same);
    ASSERT_EQ(after.sampling().count(), count);
    EXPECT_TRUE(test::sameBits(test::pointsOf(after, 0), test::pointsOf(before, 1)));
    EXPECT_TRUE(test::sameBits(test::pointsOf(after, count - 1), test::pointsOf(before, count - 2)));
    for (std::size_t i = 1; i + 1 < count; ++i)
        EXPECT_TRUE(test::sameBits(test::pointsOf(after, i), test::pointsOf(before, i))) << i;
    const test::TempFolder folder;
    const auto result = test::delivered(scene, chain, chain, "alembic", folder.path());
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_TRUE(result->proof.passed) << result->proof.words();
    const auto few = applySteps(scene, {{"trim", {{"first", 1001}, {"last", 1003}}, true}, chain[0]});
    EXPECT_FALSE(few);
}

} // namespace
} // namespace wyc::travel_test
