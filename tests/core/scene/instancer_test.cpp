// SPDX-License-Identifier: GPL-3.0-or-later
// Instancers: never expanded, shown and carried as what they are, and points where a format has none.
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "delivery/delivery.h"
#include "scene/carried_words.h"
#include "scene/components/instancer.h"
#include "scene/instances.h"
#include "scene/stand_in.h"
#include "steps/steps.h"
#include "support/plain.h"
#include "support/temp_folder.h"

namespace wyc::instancer_test {
namespace {

const FrameRate kRate;

// Under a group: an instancer of three places, which shows a sheet, and a place with a small sheet below it.
Scene kelp() {
    Scene scene;
    scene.rate = scene.view.rate = kRate;
    scene.unitMetres = 1.0;
    const auto add = [&](const std::string& name, int parent, NodeKind kind) -> Node& {
        return test::addNode(scene, name, parent, kind);
    };
    add("bed", -1, NodeKind::Transform).transform =
        MemoryTransform::fixed(Mat4::rotation({0, 0, 1}, 0.5) * Mat4::translation({4, 0, 1}));
    add("kelp", 0, NodeKind::Instancer);
    const auto sheet = [&](const char* name, int parent, float size) {
        Node& mesh = add(name, parent, NodeKind::Mesh);
        auto points = test::sheetPoints(3, 3, 0.4);
        for (Vec3f& p : points)
            p = {p.x * size, p.y * size, p.z * size};
        mesh.geometry = std::make_shared<MemoryGeometry>(Sampling::still(), test::gridTopology(3, 3),
                                                         std::vector<std::vector<Vec3f>>{std::move(points)});
    };
    sheet("frond", 1, 1.0F);
    add("stalk", 1, NodeKind::Transform).transform = MemoryTransform::fixed(Mat4::translation({0, 1, 0}));
    sheet("bulb", 3, 0.25F);
    const NodeId frond = scene.nodes[2].id;
    const NodeId stalk = scene.nodes[3].id;
    const double half = std::sqrt(0.5);
    const std::vector<InstanceFigures> first{{7, {0, 0, 0}, {0, 0, 0, 1}, {1, 1, 1}, 0},
                                             {8, {1, 0, 0}, {0, half, 0, half}, {2, 1, 1}, 1},
                                             {9, {2, 0, 0}, {0, 0, 0, 1}, {1, 3, 1}, 0}};
    // Number 9 is gone, the others lie in another order.
    const std::vector<InstanceFigures> second{{8, {1, 2, 0}, {0, half, 0, half}, {2, 2, 1}, 1},
                                              {7, {0, 2, 0}, {half, 0, 0, half}, {1, 1, 1}, 0}};
    setInstancer(scene.nodes[1], Sampling::uniform(kRate.secondsAt(1001), kRate.secondsAt(10), 2), {first, second},
                 {frond, stalk});
    return scene;
}

const Node& instancerOf(const Scene& scene) {
    return *std::find_if(scene.nodes.begin(), scene.nodes.end(),
                         [](const Node& node) { return node.kind == NodeKind::Instancer; });
}

// World points of all that is shown, by place and point; prototypes by plain sums.
std::map<std::pair<std::uint64_t, std::size_t>, Vec3d> shownAt(const Scene& scene, double seconds) {
    std::map<std::pair<std::uint64_t, std::size_t>, Vec3d> result;
    const Node& node = instancerOf(scene);
    const Mat4 world = test::plainMatrix(scene, *scene.find(node.id), seconds);
    const std::vector<InstanceFigures> all = instancesAt(node, seconds).value();
    for (const InstanceFigures& one : all) {
        const std::size_t what = *scene.find(node.prototypes->at(static_cast<std::size_t>(one.prototype)));
        for (std::size_t n = what; n < scene.nodes.size(); ++n) {
            if (!scene.nodes[n].geometry)
                continue;
            Mat4 own;
            int at = static_cast<int>(n);
            for (; at > static_cast<int>(what); at = scene.nodes[static_cast<std::size_t>(at)].parent)
                own = own * localMatrix(scene, static_cast<std::size_t>(at), seconds).value();
            if (at != static_cast<int>(what))
                continue; // below something else
            own = own * localMatrix(scene, what, seconds).value();
            const std::vector<Vec3f> points = test::pointsOf(*scene.nodes[n].geometry, 0);
            for (std::size_t i = 0; i < points.size(); ++i)
                result[{one.id, i}] = transformedPoint(Vec3d(points[i]), own * one.matrix() * world);
        }
    }
    return result;
}

void expectSame(const Scene& source, const Scene& result, const Mat4& change, const char* what) {
    for (const double frame : {1001.0, 1003.5, 1011.0}) {
        const auto wanted = shownAt(source, kRate.secondsAt(frame));
        const auto found = shownAt(result, kRate.secondsAt(frame));
        ASSERT_EQ(wanted.size(), found.size()) << what << " at " << frame;
        for (const auto& [key, p] : wanted)
            ASSERT_LT(length(transformedPoint(p, change) - found.at(key)), 2e-5) << what << " at " << frame;
    }
}

TEST(Instancer, StandsByItsIdsTurnsAlongTheSphereAndGrowsInStraightLines) {
    const Scene scene = kelp();
    const auto all = instancesAt(instancerOf(scene), kRate.secondsAt(1006)).value();
    ASSERT_EQ(all.size(), 3U); // as the sample before has them
    EXPECT_EQ(all[0].id, 7U);
    EXPECT_NEAR(all[0].place.y, 1.0, 1e-6);
    EXPECT_NEAR(all[0].turn[0], std::sin(std::numbers::pi / 8), 1e-6); // an eighth of a turn
    EXPECT_NEAR(all[1].size.y, 1.5, 1e-6);
    EXPECT_NEAR(all[1].turn[1], std::sqrt(0.5), 1e-6);
    EXPECT_EQ(all[2].place, Vec3d(2, 0, 0)); // it has no successor
    EXPECT_EQ(all[1].prototype, 1);
    EXPECT_EQ(prototypeNames(scene, instancerOf(scene)), (std::vector<std::string>{"frond", "stalk"}));
}

TEST(Mixing, OfPointsWithIdsGoesByTheRoleOfTheValue) {
    PointMatch match;
    match.by = PointMatch::By::Id;
    match.later = {1, 0};
    const auto bytes = [](const std::vector<float>& numbers) {
        const auto raw = std::as_bytes(std::span(numbers));
        return PropertyValue{{raw.begin(), raw.end()}, {}};
    };
    const PropertyValue mixed = mixedValues(ValueType::Float, bytes({1, 0, 0, 0, 0, 2}), bytes({0, 0, 2, 0, 1, 0}), 0.5,
                                            SpaceRole::Normal, match);
    const auto half = static_cast<float>(std::sqrt(0.5));
    const std::array<float, 6> wanted{half, half, 0, 0, 0, 2};
    std::array<float, 6> found{};
    ASSERT_EQ(mixed.bytes.size(), sizeof(found));
    std::memcpy(found.data(), mixed.bytes.data(), sizeof(found));
    for (std::size_t i = 0; i < found.size(); ++i)
        EXPECT_NEAR(found[i], wanted[i], 1e-6F) << i; // of the length in between, not through the chord
}

TEST(Instancer, ShowsTheSameAfterEveryStepOnSpaceAndShape) {
    const Scene scene = kelp();
    const Mat4 place = Mat4::rotation({1, 0, 0}, std::numbers::pi / 6) * Mat4::translation({1, 2, 3});
    const std::vector<std::pair<Step, Mat4>> steps{
        {{"world", {{"groups", "dropped"}}}, {}},
        {{"world", {{"groups", "kept"}}}, {}},
        {{"place", {{"turn", "30, 0, 0"}, {"move", "1, 2, 3"}}}, place},
        {{"unit", {{"from", "m"}, {"to", "cm"}}}, Mat4::scaling({100, 100, 100})},
        {{"turn", {{"from", "Z"}, {"to", "Y"}}}, upAxisTurn(UpAxis::Z, UpAxis::Y)}};
    for (const auto& [step, change] : steps) {
        const auto result = applySteps(scene, {step});
        ASSERT_TRUE(result) << result.error().text();
        expectSame(scene, *result, change, step.type.c_str());
        // And from the world, where nothing stands above it.
        const auto bare = applySteps(scene, {{"world", {{"groups", "dropped"}}}, step});
        ASSERT_TRUE(bare) << bare.error().text();
        expectSame(scene, *bare, change, step.type.c_str());
    }
    // Prototypes are no meshes of their own: neither merged nor split, and no items.
    Scene two = scene;
    two.nodes.push_back(test::sheetScene().nodes[0]);
    two.nodes.back().parent = -1;
    two.nodes.back().path = "/" + two.nodes.back().name;
    const auto merged = applySteps(two, {{"merge", {{"name", "all"}}}});
    ASSERT_TRUE(merged) << merged.error().text();
    expectSame(scene, *merged, {}, "merge");
    EXPECT_EQ(merged->nodes.back().geometry->pointCount(0).value(), two.nodes.back().geometry->pointCount(0).value());
    const std::vector<bool> items = itemMask(two);
    EXPECT_EQ(std::count(items.begin(), items.end(), true), 2);
    const auto chosen = itemsOfKind(two, "points");
    ASSERT_TRUE(chosen) << chosen.error().text();
    expectSame(scene, *chosen, {}, "choice of points");
    const auto byName = selectedItems(two, {"kelp"});
    ASSERT_TRUE(byName) << byName.error().text();
    expectSame(scene, *byName, {}, "choice by name");
}

TEST(Instancer, ShownOnceMoreItHasPrototypesOfItsOwn) {
    Scene scene = kelp();
    Node again;
    again.name = "kelp_again";
    again.path = "/kelp_again";
    again.kind = NodeKind::Instances;
    again.instanceOf = scene.nodes[1].id;
    scene.nodes.push_back(again);
    auto expanded = expandedInstances(scene);
    ASSERT_TRUE(expanded) << expanded.error().text();
    ASSERT_EQ(expanded->nodes.size(), 9U);
    ASSERT_EQ(expanded->nodes[5].kind, NodeKind::Instancer);
    EXPECT_EQ(prototypeNames(*expanded, expanded->nodes[5]), (std::vector<std::string>{"frond", "stalk"}));
    expanded->nodes.erase(expanded->nodes.begin(), expanded->nodes.begin() + 5); // the copy needs nothing of the other
    for (Node& node : expanded->nodes)
        node.parent = node.parent < 5 ? -1 : node.parent - 5;
    EXPECT_EQ(shownAt(*expanded, kRate.secondsAt(1001)).size(), 27U);
}

TEST(Instances, ThatShowEachOtherStandWhereAllTheirTransformsSayAndHaveIdsOfTheirOwn) {
    Scene scene = test::sheetScene();
    for (int n = 0; n < 2; ++n) {
        const NodeId shown = scene.nodes.back().id;
        Node& again = test::addNode(scene, "again" + std::to_string(n), -1, NodeKind::Instances);
        again.instanceOf = shown;
        again.transform = MemoryTransform::fixed(Mat4::translation({0, n == 0 ? 1.0 : 0.0, n == 1 ? 2.0 : 0.0}));
    }
    const auto all = expandedInstances(scene);
    ASSERT_TRUE(all) << all.error().text();
    std::set<std::uint64_t> ids;
    std::vector<Vec3d> places;
    for (std::size_t i = 0; i < all->nodes.size(); ++i) {
        EXPECT_TRUE(ids.insert(all->nodes[i].id.value).second) << all->nodes[i].path;
        if (all->nodes[i].geometry)
            places.push_back(transformedPoint(Vec3d{0, 0, 0}, test::plainMatrix(*all, i, 0.0)));
    }
    EXPECT_EQ(places, (std::vector<Vec3d>{{0, 0, 0}, {0, 1, 0}, {0, 1, 2}}));
}

TEST(Instancer, BecomesPointsInTheWorldWhereAFormatHasNeitherAndSaysSo) {
    const test::TempFolder folder;
    Scene scene = kelp();
    std::vector<InstanceFigures> still(3);
    for (std::size_t i = 0; i < still.size(); ++i)
        still[i] = {i, {static_cast<double>(i), 0, 0}, {0, 0, 0, 1}, {1, 1, 1}, 0};
    auto moved = still;
    for (InstanceFigures& one : moved)
        one.place.y = 2.0;
    scene.nodes[1].properties = nullptr;
    setInstancer(scene.nodes[1], scene.nodes[1].geometry->sampling(), {still, moved}, *scene.nodes[1].prototypes);
    for (const char* format : {"mdd", "alembic"}) {
        DeliveryInput input;
        input.source = std::make_shared<const Scene>(scene);
        input.scene = scene;
        input.label = input.itemName = "kelp";
        DeliverySpec spec;
        spec.format = format;
        spec.folder = folder.path();
        spec.wholeRange = true;
        spec.world = true;
        const auto plan = planDelivery({input}, spec, Shot());
        ASSERT_TRUE(plan) << plan.error().text();
        EXPECT_TRUE(std::any_of(plan->front().losses.begin(), plan->front().losses.end(), [](const Loss& loss) {
            return loss.what.find("what stands at its places") != std::string::npos;
        }));
        const auto done = runOutput(plan->front(), {true, true}, Progress());
        ASSERT_TRUE(done) << done.error().text();
        EXPECT_TRUE(done->proof.passed && done->proof.sourceCompared);
        const auto back = test::openFile(plan->front().target);
        ASSERT_TRUE(back) << back.error().text();
        const auto cloud =
            std::find_if(back->nodes.begin(), back->nodes.end(), [](const Node& n) { return !!n.geometry; });
        ASSERT_NE(cloud, back->nodes.end());
        EXPECT_FALSE(hasInstancers(*back));
        const auto index = static_cast<std::size_t>(cloud - back->nodes.begin());
        const auto points = test::plainPoints(*back, index, kRate.secondsAt(1011));
        ASSERT_EQ(points.size(), 3U) << format;
        const Mat4 world = test::plainMatrix(scene, 1, 0.0);
        for (const auto& [key, p] : points)
            EXPECT_LT(length(p - transformedPoint(moved[key].place, world)), 1e-5) << format;
    }
}

TEST(Instancer, AsPointsInTheWorldHasNoTurnsOfAnotherSpaceAndIsProven) {
    const test::TempFolder folder;
    const Scene scene = kelp();
    for (const char* groups : {"kept", "dropped"}) {
        const std::vector<Step> chain{{"world", {{"groups", groups}, {"instancers", "points"}}}};
        auto result = applySteps(scene, chain);
        ASSERT_TRUE(result) << result.error().text();
        for (const char* name : {"'turns'", "'sizes'"})
            EXPECT_TRUE(std::any_of(result->report.notCarried.begin(), result->report.notCarried.end(),
                                    [&](const NotCarried& told) { return told.what.find(name) != std::string::npos; }))
                << name;
        DeliveryInput input;
        input.scene = std::move(*result);
        input.source = std::make_shared<const Scene>(scene);
        input.steps = chain;
        input.provenance = nlohmann::json::object();
        const auto plan = planConversion({input}, {folder / "a.abc", false, true});
        ASSERT_TRUE(plan) << plan.error().text();
        const auto done = runOutput(plan->front(), {true, true}, Progress());
        ASSERT_TRUE(done) << done.error().text();
        EXPECT_TRUE(done->proof.passed && done->proof.sourceCompared);
    }
}

TEST(Instancer, MovesAlsoWhereAloneWhatItShowsDoes) {
    Scene scene = kelp();
    scene.nodes[1].geometry = std::make_shared<VaryingPoints>(Sampling::still(), std::vector<std::vector<Vec3f>>{{{}}});
    scene.nodes[1].properties = nullptr;
    EXPECT_FALSE(movingSpan(scene, 1));
    scene.nodes[3].transform = std::make_shared<MemoryTransform>(
        Sampling::uniform(kRate.secondsAt(1005), kRate.secondsAt(1), 2),
        std::vector<TransformOp>{{TransformOp::Kind::RotateX, 0}}, std::vector<std::vector<double>>{{0.0}, {20.0}});
    EXPECT_EQ(movingFrames(scene, 1), (FrameRange{1005, 1006}));
    EXPECT_FALSE(movingSpan(scene, 2));
}

TEST(Instancer, OfAMillionPlacesStaysOneNodeAndOneItem) {
    Scene scene = kelp();
    constexpr std::size_t kMany = 1'000'000;
    std::vector<InstanceFigures> many(kMany);
    for (std::size_t i = 0; i < kMany; ++i)
        many[i] = {i, {static_cast<double>(i % 1000), 0, static_cast<double>(i / 1000)}, {0, 0, 0, 1}, {1, 1, 1}, 0};
    scene.nodes[1].properties = nullptr;
    setInstancer(scene.nodes[1], Sampling::still(), {many}, *scene.nodes[1].prototypes);
    const auto result = applySteps(scene, {{"world", {{"groups", "dropped"}}}, {"offset", {{"frames", 5}}}});
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_EQ(result->nodes.size(), 4U);
    const std::vector<bool> items = itemMask(*result);
    EXPECT_EQ(std::count(items.begin(), items.end(), true), 1);
    EXPECT_EQ(withStandIns(*result).nodes.size(), 4U);
    EXPECT_EQ(instancesAt(instancerOf(*result), 0.0).value().back().place, Vec3d(999, 0, 999));
}

} // namespace
} // namespace wyc::instancer_test
