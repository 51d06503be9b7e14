// SPDX-License-Identifier: GPL-3.0-or-later
// Returns of several items: names that lie, items that became one or several, points that come and go.
#include <gtest/gtest.h>

#include <numbers>

#include <fmt/format.h>

#include "compare/comparison.h"
#include "scene/mix.h"
#include "support/returned.h"

namespace wyc::items_test {
namespace {

using test::Shape;
using test::uniform;
const FrameRate kRate;
constexpr int kFrames = 24;

Sampling framesFrom(double first, int count = kFrames) {
    return Sampling::uniform(kRate.secondsAt(first), kRate.secondsAt(1), static_cast<std::size_t>(count));
}

Node nodeOf(const Shape& shape, const std::string& name, unsigned seed, double first = 1001) {
    std::mt19937 random(seed);
    Node node = test::sceneOf(shape, test::motionOf(shape, random, kFrames), framesFrom(first), kRate).nodes[0];
    node.id = NodeId::fresh();
    node.name = name;
    node.path = "/" + name;
    return node;
}

Scene sceneOf(std::vector<Node> nodes) {
    Scene scene;
    scene.view.rate = kRate;
    scene.rate = kRate;
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    scene.nodes = std::move(nodes);
    return scene;
}

const Cause* causeOf(const Comparison& comparison, const std::string& id) {
    for (const ComparedPair& pair : comparison.pairs)
        for (const Cause& cause : pair.found.causes)
            if (cause.id == id)
                return &cause;
    return nullptr;
}

Comparison compared(const Scene& a, const Scene& b,
                    const std::vector<std::pair<std::string, std::string>>& pairs = {}) {
    auto comparison = compare(a, b, {}, Progress(), pairs);
    EXPECT_TRUE(comparison) << comparison.error().text();
    return comparison ? std::move(*comparison) : Comparison{};
}

TEST(ComparedItems, WhatTheyShowDecidesWhereNamesLie) {
    const Shape post = test::ballShape(9, 7);
    const Scene a = sceneOf({nodeOf(post, "left", 1), nodeOf(post, "middle", 2), nodeOf(post, "right", 3)});
    // Names swapped, alone and below a size and a late frame that all have in common.
    for (const bool changed : {false, true}) {
        Scene b = sceneOf({nodeOf(post, "right", 1), nodeOf(post, "middle", 2), nodeOf(post, "left", 3)});
        if (changed) {
            auto made = applySteps(b, {Step{"scale", {{"factor", 100}}}, Step{"offset", {{"frames", 2}}}});
            ASSERT_TRUE(made) << made.error().text();
            b = std::move(*made);
        }
        const Comparison found = compared(a, b);
        ASSERT_EQ(found.pairs.size(), 3U);
        for (const ComparedPair& pair : found.pairs) {
            EXPECT_EQ(pair.found.b, pair.found.a == "/left"    ? "/right"
                                    : pair.found.a == "/right" ? "/left"
                                                               : "/middle");
            ASSERT_TRUE(pair.found.undone);
            EXPECT_LT(pair.found.undone->largest, 1e-4) << pair.found.text;
        }
        EXPECT_TRUE(causeOf(found, "renamed"));
        EXPECT_FALSE(found.withinTolerance());
        // A person may say otherwise.
        const Comparison said = compared(a, b, {{"left", "left"}, {"/right", "/right"}});
        for (const ComparedPair& pair : said.pairs)
            EXPECT_EQ(pair.found.a, pair.found.b);
    }
    // Renamed, all of one topology.
    const Comparison renamed =
        compared(a, sceneOf({nodeOf(post, "x3", 3), nodeOf(post, "x1", 1), nodeOf(post, "x2", 2)}));
    ASSERT_EQ(renamed.pairs.size(), 3U);
    for (const ComparedPair& pair : renamed.pairs)
        EXPECT_TRUE(pair.found.drift && pair.found.drift->largest < 1e-6) << pair.found.a << " " << pair.found.b;
    EXPECT_TRUE(renamed.onlyA.empty() && renamed.onlyB.empty());
}

// Numbers of shuffled ones tell nothing: names stay, and what is alike in nothing but its count is no pair.
TEST(ComparedItems, WhatIsShuffledOrUnlikeIsNotPairedOtherwise) {
    const Shape post = test::ballShape(9, 7);
    const std::vector<std::string> names{"left", "middle", "right"};
    std::vector<Node> nodes;
    std::vector<Node> shuffledNodes;
    for (unsigned k = 0; k < 3; ++k) {
        std::mt19937 random(k + 1U);
        const auto motion = test::motionOf(post, random, kFrames);
        nodes.push_back(nodeOf(post, names[k], k + 1U));
        const auto to = test::randomOrder(post.points.size(), random);
        std::vector<std::vector<Vec3d>> samples;
        for (const auto& sample : motion)
            samples.push_back(test::placed(sample, to));
        Node node = test::sceneOf(test::shuffled(post, to, random), samples, framesFrom(1001), kRate).nodes[0];
        node.id = NodeId::fresh();
        node.name = names[k];
        node.path = "/" + names[k];
        shuffledNodes.push_back(std::move(node));
    }
    const Comparison found = compared(sceneOf(nodes), sceneOf(shuffledNodes));
    ASSERT_EQ(found.pairs.size(), 3U);
    for (const ComparedPair& pair : found.pairs) {
        EXPECT_EQ(pair.found.a, pair.found.b);
        ASSERT_TRUE(pair.found.undone);
        EXPECT_LT(pair.found.undone->largest, 1e-4) << pair.found.text;
    }
    EXPECT_FALSE(causeOf(found, "renamed"));
    // As many points, other faces, other names.
    Shape other = test::gridShape(6, 8);
    Shape parted = other;
    parted.faces.erase(parted.faces.begin());
    Shape cut = other;
    cut.faces.erase(cut.faces.begin() + 5);
    const auto unlike =
        compare(sceneOf({nodeOf(other, "leaf", 1), nodeOf(parted, "sheet", 2)}),
                sceneOf({nodeOf(cut, "flag", 3), nodeOf(cut, "veil", 4), nodeOf(post, "x", 5)}), {}, Progress());
    EXPECT_FALSE(unlike); // nothing can be told in the other
}

TEST(ComparedItems, WhatBecameOneOrSeveralIsToldAndCompared) {
    std::mt19937 random(5);
    const Scene a = sceneOf({nodeOf(test::ballShape(9, 7), "body", 4), nodeOf(test::gridShape(5, 7), "sail", 5),
                             nodeOf(test::torusShape(8, 6), "ring", 6)});
    auto one = applySteps(a, {Step{"merge"}, Step{"offset", {{"frames", 3}}}});
    ASSERT_TRUE(one) << one.error().text();
    const Comparison merged = compared(a, *one);
    ASSERT_EQ(merged.pairs.size(), 1U);
    EXPECT_TRUE(merged.onlyA.empty() && merged.onlyB.empty());
    const Cause* told = causeOf(merged, "merged");
    ASSERT_TRUE(told) << merged.text();
    EXPECT_EQ(told->figure, 3.0);
    const Cause* late = causeOf(merged, "offset");
    ASSERT_TRUE(late) << merged.text();
    EXPECT_NEAR(late->figure, 3.0, 1e-6);
    EXPECT_LT(merged.pairs[0].found.undone->largest, 1e-4);
    EXPECT_FALSE(merged.withinTolerance());
    const Comparison parted = compared(*one, a);
    ASSERT_EQ(parted.pairs.size(), 1U);
    EXPECT_TRUE(causeOf(parted, "parted")) << parted.text();
    EXPECT_TRUE(causeOf(parted, "offset")) << parted.text();
}

TEST(ComparedItems, EachHasStepsOfItsOwnWhereCausesDiffer) {
    const Scene a = sceneOf({nodeOf(test::ballShape(9, 7), "body", 7), nodeOf(test::gridShape(5, 7), "sail", 8)});
    const Scene b = sceneOf({nodeOf(test::ballShape(9, 7), "body", 7, 1003), nodeOf(test::gridShape(5, 7), "sail", 8)});
    const Comparison found = compared(a, b);
    EXPECT_FALSE(undoOfAll(found));
    ASSERT_EQ(found.pairs.size(), 2U);
    EXPECT_FALSE(found.pairs[0].found.undo().empty());
    EXPECT_TRUE(found.pairs[1].found.undo().empty());
    EXPECT_TRUE(undoOfAll(compared(a, a)));
}

// Born and gone, with ids, in any order.
struct Swarm {
    std::vector<std::vector<Vec3f>> points;
    std::vector<std::vector<std::uint64_t>> ids;
};
Swarm swarmOf(unsigned seed, bool comesAndGoes, bool shuffles, double size = 1.0) {
    std::mt19937 random(seed);
    struct One {
        Vec3d at, way;
        int born, gone;
    };
    std::vector<One> all;
    for (int k = 0; k < 80; ++k)
        all.push_back({{uniform(random, -1, 1), uniform(random, 0, 1), uniform(random, -1, 1)},
                       {uniform(random, -0.05, 0.05), 0.04, uniform(random, -0.05, 0.05)},
                       comesAndGoes ? static_cast<int>(random() % 20U) : 0,
                       comesAndGoes ? 12 + static_cast<int>(random() % 20U) : 100});
    Swarm swarm;
    std::mt19937 order(seed + 1000U);
    for (int f = 0; f < kFrames; ++f) {
        std::vector<std::pair<std::uint64_t, Vec3f>> here;
        for (std::size_t k = 0; k < all.size(); ++k) {
            const One& one = all[k];
            if (f < one.born || f > one.gone)
                continue;
            const Vec3d p =
                (one.at + one.way * f + Vec3d{0, 0.02 * std::sin(0.5 * f + static_cast<double>(k)), 0}) * size;
            here.emplace_back(100 + k,
                              Vec3f{static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
        }
        if (shuffles)
            std::shuffle(here.begin(), here.end(), order);
        swarm.points.emplace_back();
        swarm.ids.emplace_back();
        for (const auto& [id, p] : here) {
            swarm.ids.back().push_back(id);
            swarm.points.back().push_back(p);
        }
    }
    return swarm;
}
Scene particlesOf(const Swarm& swarm, double first) {
    Node node;
    node.id = NodeId::fresh();
    node.name = "spray";
    node.path = "/spray";
    node.kind = NodeKind::Points;
    node.geometry = std::make_shared<VaryingPoints>(framesFrom(first), swarm.points, swarm.ids);
    return sceneOf({node});
}

TEST(ComparedItems, ParticlesAreToldByTheirIds) {
    for (unsigned seed = 0; seed < 12; ++seed)
        for (const bool comesAndGoes : {false, true}) {
            const Scene a = particlesOf(swarmOf(seed, comesAndGoes, false), 1001);
            // Stored in another order each frame: the same, for whoever goes by ids.
            const Comparison shuffled = compared(a, particlesOf(swarmOf(seed, comesAndGoes, true), 1001));
            EXPECT_TRUE(shuffled.withinTolerance()) << seed << ": " << shuffled.text();
            const Comparison larger = compared(a, particlesOf(swarmOf(seed, comesAndGoes, true, 100.0), 1001));
            const Cause* unit = causeOf(larger, "unit");
            ASSERT_TRUE(unit) << seed << ": " << larger.text();
            EXPECT_EQ(unit->figure, 100.0);
            ASSERT_TRUE(larger.pairs[0].found.undone);
            EXPECT_LT(larger.pairs[0].found.undone->largest, 1e-4);
            const Comparison late = compared(a, particlesOf(swarmOf(seed, comesAndGoes, true), 1004));
            const Cause* offset = causeOf(late, "offset");
            ASSERT_TRUE(offset) << seed << ": " << late.text();
            EXPECT_EQ(offset->figure, 3.0);
            EXPECT_EQ(larger.pairs[0].found.causes.size(), 1U) << larger.text();
            // Another swarm is none of these.
            const Comparison other = compared(a, particlesOf(swarmOf(seed + 50U, comesAndGoes, true), 1001));
            for (const ComparedPair& pair : other.pairs)
                for (const Cause& cause : pair.found.causes)
                    EXPECT_TRUE(cause.id == "other_motion" || cause.id == "count") << cause.id;
        }
}

TEST(ComparedItems, WhatStandsStillIsToldByItsSamples) {
    const Shape prop = test::ballShape(9, 7);
    const auto still = [&](double first, int count) {
        const std::vector<std::vector<Vec3d>> samples(static_cast<std::size_t>(count), prop.points);
        return test::sceneOf(prop, samples, count == 1 ? Sampling::still() : framesFrom(first, count), kRate);
    };
    const Comparison sixty = compared(still(1001, 1), still(1001, 60));
    EXPECT_TRUE(causeOf(sixty, "sampling")) << sixty.text();
    const Comparison later = compared(still(1001, 40), still(1004, 40));
    const Cause* range = causeOf(later, "range");
    ASSERT_TRUE(range) << later.text();
    EXPECT_LT(range->confidence, 0.9); // or late
    ASSERT_EQ(range->instead.size(), 1U);
    EXPECT_EQ(range->instead[0][0].id, "offset");
    // Of what moves the motion decides: the same frames, others of them.
    std::mt19937 random(3);
    const auto motion = test::motionOf(prop, random, 50);
    const auto part = [&](int first, int count) {
        return test::sceneOf(prop,
                             std::vector<std::vector<Vec3d>>(motion.begin() + first, motion.begin() + first + count),
                             framesFrom(1001 + first, count), kRate);
    };
    const Comparison shifted = compared(part(0, 40), part(5, 40));
    const Cause* moved = causeOf(shifted, "range");
    ASSERT_TRUE(moved) << shifted.text();
    EXPECT_GE(moved->confidence, 0.9);
    EXPECT_FALSE(causeOf(shifted, "offset"));
}

} // namespace
} // namespace wyc::items_test
