// SPDX-License-Identifier: GPL-3.0-or-later
// Skins and morphs: what they show, by hand and by the plain evaluator; what does not fit together.
#include <gtest/gtest.h>

#include <cmath>

#include "plain/deformed.h"
#include "scene/components/skeleton.h"
#include "scene/deform/deformers.h"
#include "scene/scene_tree.h"
#include "scene/stand_in.h"
#include "steps/step.h"
#include "support/random_scene.h"

namespace wyc::deformers_test {
namespace {

const FrameRate kRate;

// A bar of three points along X, bound to an upper and a lower joint at x = 1, which turns by 90° about Z from frame 1
// to 11; the middle point follows both.
Scene bar() {
    Scene scene;
    scene.rate = scene.view.rate = kRate;
    Node rig;
    rig.name = "rig";
    rig.path = "/rig";
    const double half = std::sqrt(0.5);
    setSkeleton(rig, {{"upper", -1, Mat4(), Mat4()}, {"lower", 0, Mat4::translation({1, 0, 0}), Mat4()}},
                Sampling::uniform(kRate.secondsAt(1), kRate.secondsAt(10), 2),
                {{{}, {{1, 0, 0}, {0, 0, 0, 1}, {1, 1, 1}}}, {{}, {{1, 0, 0}, {0, 0, half, half}, {1, 1, 1}}}});
    Node mesh;
    mesh.name = "bar";
    mesh.path = "/bar";
    mesh.kind = NodeKind::Mesh;
    setDeformers(mesh, {{0, 0, 0}, {1.5F, 0, 0}, {2, 0, 0}},
                 {{"thick",
                   Sampling::uniform(kRate.secondsAt(1), kRate.secondsAt(10), 2),
                   {0, 1},
                   {{"whole", 1.0F, {2}, {{0, 0, 0.5F}}}, {"half", 0.5F, {2}, {{0, 0, 0.4F}}}}}},
                 Skin{rig.id, Mat4(), 2, {0, 1, 0, 1, 0, 1}, {1, 0, 0.5F, 0.5F, 0, 1}});
    scene.nodes = {std::move(rig), std::move(mesh)};
    const auto made = deform(scene.nodes[1], &scene.nodes[0], *Topology::make({3}, {0, 1, 2}), noFaceSets(), kRate);
    EXPECT_TRUE(made) << made.error().text();
    return scene;
}

std::vector<Vec3f> pointsAt(const Geometry& shape, double frame) {
    std::vector<Vec3f> points;
    EXPECT_TRUE(readPointsAt(shape, kRate.secondsAt(frame), points));
    return points;
}

void expectNear(const Vec3f& found, const Vec3d& wanted) {
    EXPECT_NEAR(found.x, wanted.x, 1e-6);
    EXPECT_NEAR(found.y, wanted.y, 1e-6);
    EXPECT_NEAR(found.z, wanted.z, 1e-6);
}

TEST(Deformers, BendABarAsByHand) {
    const Scene scene = bar();
    const Geometry& shape = *scene.nodes[1].geometry;
    EXPECT_EQ(shape.sampling().count(), 11U); // a turn goes in no straight line: whole frames
    const auto first = pointsAt(shape, 1);
    expectNear(first[1], {1.5, 0, 0});
    expectNear(first[2], {2, 0, 0});
    const auto last = pointsAt(shape, 11);
    expectNear(last[0], {0, 0, 0});
    expectNear(last[1], {(1.5 + 1.0) / 2, 0.25, 0}); // half stays, half goes to (1, 0.5, 0)
    expectNear(last[2], {1, 1, 0.5});
    const auto middle = pointsAt(shape, 6); // 45°, and at the in-between
    expectNear(middle[2], {1 + std::sqrt(0.5), std::sqrt(0.5), 0.4});
    const auto quarter = pointsAt(shape, 8.5); // three quarters: half way from the in-between to the whole
    EXPECT_NEAR(quarter[2].z, 0.45, 1e-6);
}

TEST(Deformers, ShowWhatThePlainEvaluatorShowsAlsoAfterStepsThatKeepThem) {
    test::Random r(11);
    std::size_t kept = 0;
    for (int round = 0; round < 150; ++round) {
        Scene scene;
        scene.rate = scene.view.rate = kRate;
        Node mesh;
        mesh.name = "mesh";
        mesh.path = "/mesh";
        mesh.kind = NodeKind::Mesh;
        scene.nodes.push_back(mesh);
        test::addDeformed(r, kRate, scene, 0);
        const std::vector<std::vector<Step>> chains{
            {},
            {{"unit", {{"from", "m"}, {"to", "cm"}}, true}},
            {{"turn", {{"from", "Z"}, {"to", "X"}}, true}, {"scale", {{"factor", 0.3}}, true}},
            {{"offset", {{"frames", 3.5}}, true}},
            {{"trim", {{"first", 1004}, {"last", 1018}}, true}},
            {{"place", {{"move", "1, 2, 3"}}, true}},
            {{"resample", {{"rate", "25"}}, true}}};
        for (const auto& chain : chains) {
            const auto changed = applySteps(scene, chain);
            ASSERT_TRUE(changed) << changed.error().text();
            const Node& node = changed->nodes[0];
            if (!isDeformed(node)) {
                const auto told = [](const NotCarried& one) { return one.what == kDeformersGone; };
                EXPECT_TRUE(std::any_of(changed->report.notCarried.begin(), changed->report.notCarried.end(), told));
                for (const Channel& channel : channelsOf(node.properties))
                    EXPECT_NE(traitsOf(channel.meaning).of, Owner::Deformers) << channel.name;
                continue;
            }
            ++kept;
            const PlainDeformed plain(std::make_shared<const Scene>(*changed), 0);
            std::vector<Vec3f> wanted(9);
            double size = 1.0;
            for (double frame = 1004.0; frame < 1018.0; frame += 0.7) {
                const auto found = pointsAt(*node.geometry, frame);
                ASSERT_TRUE(plain.readAt(kRate.secondsAt(frame), 0, wanted));
                for (const Vec3f& p : wanted)
                    size = std::max(size, length(Vec3d(p)));
                for (std::size_t i = 0; i < 9; ++i)
                    ASSERT_LT(length(Vec3d(found[i]) - Vec3d(wanted[i])), 3e-6 * size) << round << " at " << frame;
                std::vector<Vec3f> part(4); // read by range it is the same
                ASSERT_TRUE(node.geometry->readAt(kRate.secondsAt(frame), 3, part));
                ASSERT_TRUE(std::equal(part.begin(), part.end(), found.begin() + 3));
            }
        }
    }
    EXPECT_GT(kept, 500U);
}

TEST(Deformers, TheSkeletonComesAlongAndIsMissed) {
    Scene scene = bar();
    Node other = scene.nodes[0];
    other.name = other.path = "other";
    other.path = "/other";
    other.id = NodeId::fresh();
    scene.nodes.push_back(other);
    const auto branch = branchOf(scene, SceneTree(scene), 1);
    ASSERT_TRUE(branch) << branch.error().text();
    ASSERT_EQ(branch->nodes.size(), 2U);
    EXPECT_TRUE(isDeformed(branch->nodes[1]));
    const auto chosen = selectedItems(scene, {"bar"});
    ASSERT_TRUE(chosen) << chosen.error().text();
    EXPECT_EQ(chosen->nodes.size(), 2U);
    const auto without = selectedItems(scene, {"bar", "!rig"});
    ASSERT_TRUE(without) << without.error().text();
    ASSERT_EQ(without->nodes.size(), 1U);
    EXPECT_FALSE(isDeformed(without->nodes[0])); // its points stay
    expectNear(pointsAt(*without->nodes[0].geometry, 11)[2], {1, 1, 0.5});
    // Where something moves the mesh alone, the skin is no truth any more.
    Scene moved = scene;
    moved.nodes[1].transform = MemoryTransform::fixed(Mat4::translation({1, 0, 0}));
    EXPECT_FALSE(isDeformed(settledDeformers(moved).nodes[1]));
    // Its body is its joints.
    const Scene shown = withStandIns(scene);
    EXPECT_EQ(shown.nodes[0].geometry->pointCount(0).value(), 2U);
    EXPECT_EQ(standInEdges(scene.nodes[0]), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Deformers, ThatDoNotFitTogetherAreRefused) {
    const std::vector<std::pair<const char*, std::function<void(Scene&)>>> faults{
        {"joint 7 of 2",
         [](Scene& s) {
             setDeformers(s.nodes[1] = Node{"bar", "/bar", -1, NodeKind::Mesh, nullptr, nullptr, std::nullopt, {}},
                          {{0, 0, 0}}, {}, Skin{s.nodes[0].id, Mat4(), 1, {7}, {1}});
         }},
        {"2 joints and 1 weights",
         [](Scene& s) {
             setDeformers(s.nodes[1] = Node{"bar", "/bar", -1, NodeKind::Mesh, nullptr, nullptr, std::nullopt, {}},
                          {{0, 0, 0}}, {}, Skin{s.nodes[0].id, Mat4(), 1, {0, 1}, {1}});
         }},
        {"moves point 1 behind point 1",
         [](Scene& s) {
             setDeformers(s.nodes[1] = Node{"bar", "/bar", -1, NodeKind::Mesh, nullptr, nullptr, std::nullopt, {}},
                          {{0, 0, 0}, {1, 0, 0}}, {{"m", Sampling::still(), {1}, {{"m", 1.0F, {1, 1}, {{}, {}}}}}},
                          std::nullopt);
             s.nodes.erase(s.nodes.begin());
         }},
        {"whole at a weight of 0",
         [](Scene& s) {
             setDeformers(s.nodes[1] = Node{"bar", "/bar", -1, NodeKind::Mesh, nullptr, nullptr, std::nullopt, {}},
                          {{0, 0, 0}}, {{"m", Sampling::still(), {1}, {{"m", 0.0F, {0}, {{}}}}}}, std::nullopt);
             s.nodes.erase(s.nodes.begin());
         }},
        {"was bound flat",
         [](Scene& s) {
             s.nodes[0].properties = nullptr;
             setSkeleton(s.nodes[0], {{"upper", -1, Mat4::scaling({1, 0, 1}), Mat4()}, {"lower", 0, Mat4(), Mat4()}},
                         Sampling::still(), {{{}, {}}});
         }},
        {"before the one above it", [](Scene& s) {
             s.nodes[0].properties = nullptr;
             setSkeleton(s.nodes[0], {{"upper", 1, Mat4(), Mat4()}, {"lower", 0, Mat4(), Mat4()}}, Sampling::still(),
                         {{{}, {}}});
         }}};
    for (const auto& [words, plant] : faults) {
        Scene scene = bar();
        plant(scene);
        const Node* skeleton = scene.nodes.size() > 1 ? &scene.nodes[0] : nullptr;
        const auto made = deform(scene.nodes.back(), skeleton, emptyTopology(), noFaceSets(), kRate);
        ASSERT_FALSE(made) << words;
        EXPECT_NE(made.error().text().find(words), std::string::npos) << made.error().text();
    }
}

} // namespace
} // namespace wyc::deformers_test
