// SPDX-License-Identifier: GPL-3.0-or-later
// Which point is which: by faces alone, by places, split and welded; and the step that puts an order right.
#include <gtest/gtest.h>

#include <bit>
#include <numbers>
#include <numeric>
#include <random>
#include <set>

#include <fmt/format.h>

#include "compare/reconcile.h"
#include "match/order_map.h"
#include "scene/channels.h"
#include "scene/scene_tree.h"
#include "steps/shape/point_order.h"
#include "steps/step.h"
#include "support/delivered.h"
#include "support/expected.h"
#include "support/returned.h"
#include "support/temp_folder.h"

namespace wyc::order_test {
namespace {

using test::Shape;

std::vector<Shape> shapes() {
    std::mt19937 random(4);
    return {test::gridShape(7, 9), test::ballShape(11, 8),          test::torusShape(9, 6), test::bookShape(3),
            test::piecesShape(),   test::roughShape(random, 9, 12), test::gridShape(6, 6)};
}

Result<OrderMap> orderBetween(const Scene& a, const Scene& b) {
    WYC_TRY(ofA, ShapeMotion::of(std::make_shared<const Scene>(a), 0));
    WYC_TRY(ofB, ShapeMotion::of(std::make_shared<const Scene>(b), 0));
    return orderOf(ofA, ofB, Progress());
}

Sampling frames(const FrameRate& rate, int count, double first = 1001) {
    return Sampling::uniform(rate.secondsAt(first), rate.secondsAt(1), static_cast<std::size_t>(count));
}

// Of a shuffle, how many points came back right.
std::size_t rightOnes(const OrderMap& map, const std::vector<std::uint32_t>& to) {
    std::size_t right = 0;
    for (std::size_t a = 0; a < to.size(); ++a)
        right += map.aOfB[to[a]] == a;
    return right;
}

TEST(Order, PartsWithMoreWaysThanAreTriedAreFoundByTheirPlaces) {
    // A regular torus looks alike from each of its points: of its 1,120 ways a few are tried.
    const FrameRate rate;
    Shape shape{"rings", {}, {}};
    shape.add(test::ballShape(19, 12), {0, 0, 0});
    shape.add(test::torusShape(28, 20), {0, -3, 0});
    shape.add(test::torusShape(28, 20), {4, -3, 0}); // and one alike
    for (const Shape& whole : {shape, test::torusShape(28, 20)}) {
        std::mt19937 random(9);
        const auto motion = test::motionOf(whole, random, 24);
        const Scene a = test::sceneOf(whole, motion, frames(rate, 24), rate);
        const auto to = test::randomOrder(whole.points.size(), random);
        std::vector<std::vector<Vec3d>> returned;
        for (const auto& sample : motion)
            returned.push_back(test::placed(sample, to));
        const Scene b = test::sceneOf(test::shuffled(whole, to, random), returned, frames(rate, 24, 1004), rate);
        const auto map = orderBetween(a, b);
        ASSERT_TRUE(map) << map.error().text();
        std::size_t wrongAndSure = 0;
        for (std::size_t p = 0; p < to.size(); ++p)
            wrongAndSure += map->aOfB[to[p]] != p && !std::binary_search(map->unsure.begin(), map->unsure.end(), to[p]);
        EXPECT_EQ(wrongAndSure, 0U);
        EXPECT_EQ(rightOnes(*map, to), to.size()) << map->unsure.size() << " unsure";
    }
}

TEST(Order, ShuffledPointsAndFacesComeBackWithoutAPoseInCommon) {
    const FrameRate rate;
    for (unsigned seed = 0; seed < 6; ++seed)
        for (const Shape& shape : shapes()) {
            SCOPED_TRACE(fmt::format("{} seed {}", shape.name, seed));
            std::mt19937 random(seed * 31U + 5U);
            const auto motion = test::motionOf(shape, random, 24);
            const Scene a = test::sceneOf(shape, motion, frames(rate, 24), rate);
            const auto to = test::randomOrder(shape.points.size(), random);
            const Shape other = test::shuffled(shape, to, random);
            // Twice as large, turned, moved, and seven frames later: no two poses are alike.
            const Mat4 place =
                Mat4::rotation({1, 0.3, 0.2}, 0.9) * Mat4::scaling({2, 2, 2}) * Mat4::translation({5, 1, -3});
            std::vector<std::vector<Vec3d>> returned;
            for (std::size_t f = 0; f < motion.size(); ++f) {
                returned.emplace_back();
                for (const Vec3d& p : test::placed(motion[f], to))
                    returned.back().push_back(transformedPoint(p, place));
            }
            const Scene b = test::sceneOf(other, returned, frames(rate, 24, 1008), rate);
            const auto map = orderBetween(a, b);
            ASSERT_TRUE(map) << map.error().text();
            EXPECT_TRUE(map->unmatchedA().empty() && map->unmatchedB().empty());
            std::size_t wrongAndSure = 0;
            for (std::size_t p = 0; p < to.size(); ++p)
                wrongAndSure +=
                    map->aOfB[to[p]] != p && !std::binary_search(map->unsure.begin(), map->unsure.end(), to[p]);
            EXPECT_EQ(wrongAndSure, 0U) << rightOnes(*map, to) << " of " << to.size() << " by "
                                        << orderWayName(map->by);
            EXPECT_EQ(rightOnes(*map, to), to.size()) << map->unsure.size() << " unsure, by " << orderWayName(map->by);
        }
}

TEST(Order, SymmetryAloneIsCalledAmbiguous) {
    std::mt19937 random(9);
    const Shape ball = test::ballShape(12, 6);
    const Shape other = test::shuffled(ball, test::randomOrder(ball.points.size(), random), random);
    const auto map =
        orderByFaces(*ball.topology(), ball.points.size(), *other.topology(), other.points.size(), Progress());
    ASSERT_TRUE(map);
    EXPECT_EQ(map->unsure.size(), ball.points.size()); // it can be turned over, too
    const Shape rough = test::roughShape(random, 8, 8);
    const auto to = test::randomOrder(rough.points.size(), random);
    const Shape moved = test::shuffled(rough, to, random);
    const auto sure =
        orderByFaces(*rough.topology(), rough.points.size(), *moved.topology(), moved.points.size(), Progress());
    ASSERT_TRUE(sure);
    EXPECT_TRUE(sure->unsure.empty());
    std::size_t used = 0;
    for (std::size_t p = 0; p < to.size(); ++p)
        used += sure->aOfB[to[p]] == p;
    EXPECT_EQ(used, sure->certain());
    EXPECT_GT(used, to.size() * 9 / 10); // a point that no face uses has no place among the others
}

TEST(Order, PointsSplitAtSeamsAndWeldedAgainAreFound) {
    const FrameRate rate;
    std::mt19937 random(21);
    const Shape shape = test::ballShape(10, 8);
    const auto motion = test::motionOf(shape, random, 16);
    const Scene whole = test::sceneOf(shape, motion, frames(rate, 16), rate);
    // Every third face gets points of its own.
    Shape parted = shape;
    std::vector<std::uint32_t> from(shape.points.size());
    std::iota(from.begin(), from.end(), 0U);
    for (std::size_t f = 0; f < parted.faces.size(); f += 3)
        for (int& p : parted.faces[f]) {
            from.push_back(static_cast<std::uint32_t>(p));
            p = static_cast<int>(from.size()) - 1;
        }
    parted.points.resize(from.size());
    const auto to = test::randomOrder(from.size(), random);
    Shape split = test::shuffled(parted, to, random);
    std::vector<std::vector<Vec3d>> samples;
    for (const auto& sample : motion) {
        std::vector<Vec3d> points;
        for (const std::uint32_t p : from)
            points.push_back(sample[p]);
        samples.push_back(test::placed(points, to));
    }
    const Scene b = test::sceneOf(split, samples, frames(rate, 16), rate);
    const auto map = orderBetween(whole, b);
    ASSERT_TRUE(map) << map.error().text();
    for (std::size_t i = 0; i < from.size(); ++i)
        EXPECT_EQ(map->aOfB[to[i]], from[i]) << i;
    EXPECT_EQ(map->split, from.size() - shape.points.size());
    EXPECT_EQ(map->welded, 0U);
    // The other way round.
    const auto back = orderBetween(b, whole);
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(back->welded, from.size() - shape.points.size());
    EXPECT_EQ(back->split, 0U);
    for (std::size_t i = 0; i < from.size(); ++i)
        EXPECT_EQ(back->bOfA[to[i]], from[i]) << i;
}

TEST(Order, PiecesThatAreMissingOrMoreAreNamed) {
    const FrameRate rate;
    std::mt19937 random(3);
    const Shape all = test::piecesShape();
    const auto motion = test::motionOf(all, random, 16);
    const Scene a = test::sceneOf(all, motion, frames(rate, 16), rate);
    // Without its second piece: the grid between point 34 and 69.
    const std::size_t first = test::ballShape(8, 5).points.size();
    const std::size_t last = first + test::gridShape(4, 6).points.size();
    Shape less{"less", {}, {}};
    std::vector<std::uint32_t> from;
    std::vector<int> now(all.points.size(), -1);
    for (std::size_t p = 0; p < all.points.size(); ++p)
        if (p < first || p >= last) {
            now[p] = static_cast<int>(from.size());
            from.push_back(static_cast<std::uint32_t>(p));
        }
    less.points.resize(from.size());
    for (std::vector<int> face : all.faces) {
        for (int& p : face)
            p = now[static_cast<std::size_t>(p)];
        if (face[0] >= 0)
            less.faces.push_back(face);
    }
    std::vector<std::vector<Vec3d>> samples;
    for (const auto& sample : motion) {
        samples.emplace_back();
        for (const std::uint32_t p : from)
            samples.back().push_back(sample[p]);
    }
    const Scene b = test::sceneOf(less, samples, frames(rate, 16), rate);
    const auto map = orderBetween(a, b);
    ASSERT_TRUE(map) << map.error().text();
    for (std::size_t i = 0; i < from.size(); ++i)
        EXPECT_EQ(map->aOfB[i], from[i]) << i;
    EXPECT_EQ(map->unmatchedA().size(), last - first);
    EXPECT_TRUE(map->unmatchedB().empty());
    const auto more = orderBetween(b, a);
    ASSERT_TRUE(more);
    EXPECT_EQ(more->unmatchedB().size(), last - first);
}

TEST(Order, BarePointsAreToldByTheirMotion) {
    const FrameRate rate;
    for (unsigned seed = 0; seed < 4; ++seed) {
        std::mt19937 random(seed + 70U);
        Shape cloud = test::roughShape(random, 12, 12);
        cloud.faces.clear();
        const auto motion = test::motionOf(cloud, random, 20);
        const Scene a = test::sceneOf(cloud, motion, frames(rate, 20), rate);
        const auto to = test::randomOrder(cloud.points.size(), random);
        std::vector<std::vector<Vec3d>> samples;
        for (const auto& sample : motion) {
            samples.emplace_back();
            for (const Vec3d& p : test::placed(sample, to)) // centimetres, Z up
                samples.back().push_back({p.x * 100, -p.z * 100, p.y * 100});
        }
        Shape bare = cloud;
        const Scene b = test::sceneOf(bare, samples, frames(rate, 20, 1003), rate);
        const auto map = orderBetween(a, b);
        ASSERT_TRUE(map) << map.error().text();
        EXPECT_EQ(rightOnes(*map, to), to.size()) << seed << " by " << orderWayName(map->by);
    }
}

TEST(Order, AFewPointsThatChangedPlacesAreFound) {
    const FrameRate rate;
    std::mt19937 random(5);
    const Shape shape = test::gridShape(9, 9);
    const auto motion = test::motionOf(shape, random, 16);
    const Scene a = test::sceneOf(shape, motion, frames(rate, 16), rate);
    std::vector<std::uint32_t> to(shape.points.size());
    std::iota(to.begin(), to.end(), 0U);
    std::swap(to[4], to[50]);
    std::swap(to[7], to[70]);
    std::vector<std::vector<Vec3d>> samples;
    for (const auto& sample : motion)
        samples.push_back(test::placed(sample, to));
    // The faces stayed as they were: a mesh that is torn.
    const Scene b = test::sceneOf(shape, samples, frames(rate, 16), rate);
    const auto map = orderBetween(a, b);
    ASSERT_TRUE(map);
    EXPECT_EQ(rightOnes(*map, to), to.size());
    EXPECT_EQ(map->moved(), 4U);
}

TEST(Order, TextsOfOrdersComeBackAndNonsenseIsRefused) {
    std::mt19937 random(8);
    for (int k = 0; k < 200; ++k) {
        std::vector<std::uint32_t> numbers;
        auto at = static_cast<std::uint32_t>(random() % 50U);
        for (int i = static_cast<int>(random() % 60U); i > 0; --i) {
            numbers.push_back(at);
            const auto kind = random() % 4U;
            at = kind == 0 ? static_cast<std::uint32_t>(random() % 100U) : kind == 1 && at > 0 ? at - 1 : at + 1;
        }
        const auto back = parseRuns(runsText(numbers));
        ASSERT_TRUE(back);
        EXPECT_EQ(*back, numbers);
    }
    for (const char* text : {"", "{}", "{\"kind\":\"point order\"}", "[1,2]", "not a file",
                             "{\"kind\":\"point order\",\"version\":1,\"points_before\":3,\"faces_before\":0,"
                             "\"points\":\"0-4294967295\"}",
                             "{\"kind\":\"point order\",\"version\":1,\"points_before\":3,\"faces_before\":0,"
                             "\"points\":\"0-\"}"})
        EXPECT_FALSE(PointOrder::from(text)) << text;
    const Scene scene = test::sheetScene();
    EXPECT_FALSE(applySteps(scene, {{"reorder",
                                     {{"order", "{\"kind\":\"point order\",\"version\":1,\"points_before\":3,"
                                                "\"faces_before\":0,\"points\":\"0-2\"}"}},
                                     true}}));
}

// What belongs to points, corners and faces goes along, through a file too; and what was meant is what the source
// shows.
TEST(Order, TheStepsCarryWhatBelongsToPointsCornersAndFaces) {
    std::mt19937 random(13);
    for (int round = 0; round < 12; ++round) {
        SCOPED_TRACE(round);
        Shape shape = test::roughShape(random, 5, 6);
        const TopologyPtr topology = shape.topology();
        const std::size_t points = shape.points.size();
        const FrameRate rate;
        const auto motion = test::motionOf(shape, random, 8);
        Scene scene = test::sceneOf(shape, motion, frames(rate, 8), rate);
        test::OnMesh extras;
        extras.uvs = {Scope::Corner, 2, {}, {}};
        for (std::size_t c = 0; c < topology->cornerCount(); ++c)
            extras.uvs.values.insert(extras.uvs.values.end(), {static_cast<float>(c), 0.5F});
        extras.normals = {Scope::Point, 3, {}, {}};
        for (std::size_t p = 0; p < points; ++p)
            extras.normals.values.insert(extras.normals.values.end(), {static_cast<float>(p), 1.0F, 0.0F});
        FaceSet some{FaceSet::Kind::Group, "some", {}};
        for (std::size_t f = 0; f < topology->faceCount(); f += 3)
            some.faces.push_back(static_cast<std::int32_t>(f));
        extras.faceSets = {some};
        std::vector<std::vector<Vec3f>> samples;
        for (std::size_t f = 0; f < 8; ++f)
            samples.push_back(test::pointsOf(test::shapeOf(scene), f));
        test::setMesh(scene.nodes[0], frames(rate, 8), topology, std::move(samples), extras);
        PointOrder order;
        order.pointsBefore = points;
        order.facesBefore = topology->faceCount();
        order.points = test::randomOrder(points, random);
        order.faces = test::randomOrder(topology->faceCount(), random);
        for (const std::uint32_t f : order.faces) {
            const auto size = static_cast<std::uint32_t>(topology->faceSizes()[f]);
            const auto first = static_cast<std::uint32_t>(random() % size);
            for (std::uint32_t k = 0; k < size; ++k)
                order.turns.push_back((first + k) % size);
        }
        const bool flips = round % 2 == 1;
        std::vector<Step> chain{{"reorder", {{"order", order.text()}}, true}};
        if (flips)
            chain.push_back({"flip", nlohmann::json::object(), true});
        const auto made = applySteps(scene, chain);
        ASSERT_TRUE(made) << made.error().text();
        const auto check = [&](const Scene& result) {
            const Geometry& after = test::shapeOf(result);
            const auto faces = after.topology(0);
            const test::OnMesh now = test::onMesh(result.nodes[0], 0);
            ASSERT_TRUE(faces);
            for (const std::size_t sample : {0U, 7U}) {
                const auto before = test::pointsOf(test::shapeOf(scene), sample);
                const auto moved = test::pointsOf(after, sample);
                for (std::size_t p = 0; p < points; ++p)
                    EXPECT_EQ(moved[p], before[order.points[p]]);
            }
            // Each corner by its UV, which says what it was.
            std::vector<std::size_t> starts{0};
            for (const std::int32_t size : topology->faceSizes())
                starts.push_back(starts.back() + static_cast<std::size_t>(size));
            std::size_t at = 0;
            std::set<std::int32_t> inSet;
            for (const FaceSet& set : now.faceSets)
                if (set.name.find("some") != std::string::npos)
                    inSet.insert(set.faces.begin(), set.faces.end());
            for (std::size_t f = 0; f < (*faces)->faceCount(); ++f) {
                const auto size = static_cast<std::size_t>((*faces)->faceSizes()[f]);
                for (std::size_t k = 0; k < size; ++k, ++at) {
                    const Attribute& uvs = now.uvs;
                    const std::size_t value = uvs.indices.empty() ? at : static_cast<std::size_t>(uvs.indices[at]);
                    const auto corner = static_cast<std::size_t>(uvs.values[value * 2]);
                    EXPECT_EQ(static_cast<std::uint32_t>(topology->corners()[corner]),
                              order.points[static_cast<std::size_t>((*faces)->corners()[at])]);
                    EXPECT_TRUE(corner >= starts[order.faces[f]] && corner < starts[order.faces[f] + 1]);
                }
                EXPECT_EQ(inSet.contains(static_cast<std::int32_t>(f)), order.faces[f] % 3 == 0);
            }
        };
        check(*made);
        for (const char* format : {"alembic", "mdd"}) {
            const test::TempFolder folder;
            const auto result = test::delivered(scene, chain, chain, format, folder.path());
            ASSERT_TRUE(result) << result.error().text();
            EXPECT_TRUE(result->proof.passed) << result->proof.words();
            EXPECT_TRUE(test::allComparable(result->proof.items[0]));
            if (std::string(format) == "alembic") {
                const auto back = test::openFile(result->target);
                ASSERT_TRUE(back);
                check(*back);
            }
            // Another order than was meant is found.
            std::vector<Step> meant = chain;
            PointOrder other = order;
            std::swap(other.points[1], other.points[2]);
            meant[0].options["order"] = other.text();
            const test::TempFolder elsewhere;
            const auto found = test::delivered(scene, chain, meant, format, elsewhere.path());
            EXPECT_FALSE(found && found->proof.passed) << format;
        }
    }
}

// As many points and faces do not make it the same mesh.
TEST(Order, GoesToTheMeshItWasMadeFor) {
    std::mt19937 random(31);
    const FrameRate rate;
    const Shape shape = test::gridShape(6, 8);
    const auto to = test::randomOrder(shape.points.size(), random);
    const Shape mixed = test::shuffled(shape, to, random);
    const auto motion = test::motionOf(shape, random, 12);
    std::vector<std::vector<Vec3d>> returned;
    for (const auto& sample : motion)
        returned.push_back(test::placed(sample, to));
    const auto a = std::make_shared<const Scene>(test::sceneOf(shape, motion, frames(rate, 12), rate));
    const auto b = std::make_shared<const Scene>(test::sceneOf(mixed, returned, frames(rate, 12), rate));
    const auto found = reconcile(a, 0, b, 0, {}, Progress());
    ASSERT_TRUE(found) << found.error().text();
    const std::vector<Step> undo = found->undo();
    ASSERT_TRUE(std::any_of(undo.begin(), undo.end(), [](const Step& step) { return step.type == "reorder"; }));
    EXPECT_TRUE(applySteps(*b, undo));
    // Another with as many, shuffled in its own way, alone and beside the right one.
    Scene other = test::sceneOf(test::shuffled(shape, test::randomOrder(shape.points.size(), random), random), motion,
                                frames(rate, 12), rate);
    const auto refused = applySteps(other, undo);
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().text().find("other faces"), std::string::npos) << refused.error().text();
    other.nodes[0].path = "/other";
    other.nodes.push_back(b->nodes[0]);
    const auto both = applySteps(other, undo);
    ASSERT_TRUE(both) << both.error().text();
    EXPECT_TRUE(*test::shapeOf(other).topology(0) == *both->nodes[0].geometry->topology(0));
    EXPECT_EQ((*both->nodes[1].geometry->topology(0))->corners().size(),
              (*a->nodes[0].geometry->topology(0))->corners().size());
    EXPECT_TRUE(test::sameBits(test::pointsOf(*both->nodes[1].geometry, 5), test::pointsOf(*a->nodes[0].geometry, 5)));
}

// Lists that may name points or faces by their numbers do not go along in silence.
PointOrder anyOrder(const Topology& topology, std::size_t points, std::mt19937& random) {
    PointOrder order;
    order.pointsBefore = points;
    order.facesBefore = topology.faceCount();
    order.points = test::randomOrder(points, random);
    order.faces = test::randomOrder(topology.faceCount(), random);
    for (const std::uint32_t f : order.faces) {
        const auto size = static_cast<std::uint32_t>(topology.faceSizes()[f]);
        const std::uint32_t first = static_cast<std::uint32_t>(random()) % std::max(1U, size);
        for (std::uint32_t k = 0; k < size; ++k)
            order.turns.push_back((first + k) % size);
    }
    return order;
}

// Each corner as its point's place, with the values that an attribute has there: whatever the order, the same ones.
std::multiset<std::vector<std::uint32_t>> cornersWith(const Node& node, const std::string& name) {
    std::multiset<std::vector<std::uint32_t>> corners; // as bits
    const auto attribute = findMeaning(node.properties, Meaning::Parameter, name);
    const TopologyPtr topology = *node.geometry->topology(0);
    std::vector<Vec3f> points;
    EXPECT_TRUE(readPoints(*node.geometry, 0, points));
    if (!attribute || !attribute->values || attribute->values->type() != ValueType::Float)
        return corners;
    const auto values = valuesOf<float>(*attribute->values, 0);
    const std::size_t extent = attribute->values->extent();
    EXPECT_TRUE(values);
    std::size_t corner = 0;
    for (std::size_t f = 0; f < topology->faceCount(); ++f)
        for (std::int32_t k = 0; k < topology->faceSizes()[f]; ++k, ++corner) {
            const auto p = static_cast<std::size_t>(topology->corners()[corner]);
            const std::size_t element = attribute->scope == Scope::Point    ? p
                                        : attribute->scope == Scope::Corner ? corner
                                        : attribute->scope == Scope::Face   ? f
                                                                            : 0;
            const std::size_t count = attribute->scope == Scope::Point    ? points.size()
                                      : attribute->scope == Scope::Corner ? topology->cornerCount()
                                                                          : topology->faceCount();
            if (values->size() % (count * extent) != 0)
                return {}; // not one for each
            const std::size_t each = values->size() / count;
            std::vector<std::uint32_t> both;
            for (const float v : {points[p].x, points[p].y, points[p].z})
                both.push_back(std::bit_cast<std::uint32_t>(v));
            for (std::size_t i = 0; i < each; ++i)
                both.push_back(std::bit_cast<std::uint32_t>((*values)[element * each + i]));
            corners.insert(std::move(both));
        }
    return corners;
}

// Corners of an archive are wound the other way: what lies on them goes with its corner all the same, where faces get
// other numbers and other first corners.
TEST(Order, ValuesOfAnArchivesCornersStayWithTheirCorners) {
    const test::TempFolder folder;
    Scene scene;
    scene.view.rate = FrameRate();
    const TopologyPtr grid = test::gridTopology(4, 5);
    scene.nodes.push_back({"sheet",
                           "/sheet",
                           -1,
                           NodeKind::Mesh,
                           nullptr,
                           std::make_shared<MemoryGeometry>(
                               Sampling::still(), grid, std::vector<std::vector<Vec3f>>{test::sheetPoints(4, 5, 0)}),
                           {},
                           {}});
    // Face and point of each corner, plain and by numbers into values.
    std::vector<float> named;
    for (std::size_t c = 0; c < grid->cornerCount(); ++c)
        named.push_back(static_cast<float>(c / 4) * 100.0F + static_cast<float>(grid->corners()[c]));
    std::vector<std::uint32_t> numbers(named.size());
    std::iota(numbers.rbegin(), numbers.rend(), 0U);
    PropertyNode plain = plainProperty(Meaning::Parameter, "plain",
                                       memoryValues<float>(ValueType::Float, 1, true, Sampling::still(), {named}));
    plain.scope = Scope::Corner;
    PropertyNode indexed{"indexed", {}, nullptr, {}};
    indexed.meaning = Meaning::Parameter;
    indexed.scope = Scope::Corner;
    indexed.children = {
        plainProperty(
            Meaning::Unknown, ".vals",
            memoryValues<float>(ValueType::Float, 1, true, Sampling::still(), {{named.rbegin(), named.rend()}})),
        plainProperty(Meaning::Unknown, ".indices",
                      memoryValues<std::uint32_t>(ValueType::UInt32, 1, true, Sampling::still(), {numbers}))};
    scene.nodes[0].properties = plainProperties({plain, indexed});
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto read = test::openFile(folder / "a.abc");
    ASSERT_TRUE(read);
    PointOrder order;
    std::mt19937 random(3);
    order.pointsBefore = 20;
    order.facesBefore = grid->faceCount();
    order.points.resize(20);
    order.faces.resize(grid->faceCount());
    std::iota(order.points.begin(), order.points.end(), 0U);
    std::iota(order.faces.begin(), order.faces.end(), 0U);
    std::shuffle(order.points.begin(), order.points.end(), random);
    std::shuffle(order.faces.begin(), order.faces.end(), random);
    for (std::size_t f = 0; f < order.faces.size(); ++f)
        for (std::uint32_t k = 0; k < 4; ++k)
            order.turns.push_back((k + static_cast<std::uint32_t>(f)) % 4);
    const auto placed = applySteps(*read, {{"reorder", {{"order", order.text()}}}});
    ASSERT_TRUE(placed) << placed.error().text();
    ASSERT_TRUE(test::writeScene(*placed, folder / "b.abc"));
    const auto back = test::openFile(folder / "b.abc");
    ASSERT_TRUE(back);
    const Node& node = back->nodes[0];
    const TopologyPtr faces = *node.geometry->topology(0);
    const std::vector<Channel> channels = channelsOf(node.properties);
    const Channel* there = channelNamed(channels, "attribute 'plain'");
    const Channel* values = channelNamed(channels, "attribute 'indexed'/values");
    const Channel* into = channelNamed(channels, "attribute 'indexed'/numbers");
    ASSERT_TRUE(there && values && into);
    const auto own = *numbersOf(*there->values, 0);
    const auto listed = *numbersOf(*values->values, 0);
    const auto chosen = *numbersOf(*into->values, 0);
    for (std::size_t c = 0; c < faces->cornerCount(); ++c) {
        const auto point = order.points[static_cast<std::size_t>(faces->corners()[c])];
        const double wanted = static_cast<double>(order.faces[c / 4]) * 100.0 + point;
        EXPECT_EQ(own[c], wanted) << c;
        EXPECT_EQ(listed[static_cast<std::size_t>(chosen[c])], wanted) << c;
    }
}

TEST(Order, EveryForeignMeshGoesThroughTheStepsOnOrderWithAllThatItCarries) {
    std::mt19937 random(2);
    std::size_t meshes = 0;
    std::size_t attributes = 0;
    for (const auto& entry : fs::directory_iterator(fs::path(WYC_TEST_DATA) / "abc")) {
        if (entry.path().extension() != ".abc")
            continue;
        const auto scene = test::openFile(entry.path());
        ASSERT_TRUE(scene) << entry.path();
        const SceneTree tree(*scene);
        for (std::size_t n = 0; n < scene->nodes.size(); ++n) {
            const Node& mesh = scene->nodes[n];
            if (!mesh.geometry || mesh.kind == NodeKind::Curves || mesh.geometry->topologyVaries())
                continue;
            SCOPED_TRACE(entry.path().filename().string() + mesh.path);
            ++meshes;
            const Scene item = *branchOf(*scene, tree, n);
            const PointOrder order = anyOrder(**mesh.geometry->topology(0), *mesh.geometry->pointCount(0), random);
            const Step reorder{"reorder", {{"order", order.text()}}};
            const Step take{"take", {{"from", entry.path().string()}, {"item", mesh.path}}};
            for (const Step& step : {Step{"flip"}, reorder, take}) {
                if (step.type == "flip" && (*mesh.geometry->topology(0))->faceCount() == 0)
                    continue;
                const test::TempFolder folder;
                const auto done = test::delivered(item, {step}, {step}, "alembic", folder.path());
                EXPECT_TRUE(done) << step.type << ": " << done.error().text();
                const auto made = applySteps(item, {step});
                ASSERT_TRUE(made);
                const Node& after = made->nodes[*made->find(mesh.id)];
                if (step.type == "take" || !mesh.properties)
                    continue;
                for (const PropertyNode& group : mesh.properties->all())
                    for (const PropertyNode& list : group.children)
                        for (const PropertyNode& attribute : list.children)
                            if (attribute.values && attribute.meaning == Meaning::Parameter &&
                                attribute.scope != Scope::Constant) {
                                EXPECT_EQ(cornersWith(mesh, attribute.name), cornersWith(after, attribute.name))
                                    << step.type << " " << attribute.name;
                                attributes += !cornersWith(mesh, attribute.name).empty();
                            }
            }
        }
    }
    EXPECT_GE(meshes, 12U);
    EXPECT_GE(attributes, 6U);
}

TEST(Order, WhatMayNameNumbersIsToldAndLeftOut) {
    std::mt19937 random(32);
    const FrameRate rate;
    const Shape shape = test::gridShape(4, 5);
    Scene scene = test::sceneOf(shape, test::motionOf(shape, random, 4), frames(rate, 4), rate);
    const auto list = [](Meaning meaning, const char* name, bool several) {
        return plainProperty(meaning, name,
                             memoryValues(ValueType::Int32, 1, several, Sampling::still(),
                                          std::vector<std::vector<std::int32_t>>{{3, 4}}));
    };
    scene.nodes[0].properties =
        plainProperties({list(Meaning::SurfaceSetting, "creases", true), list(Meaning::UserValue, "pinned", true),
                         plainProperty(Meaning::UserValue, "take",
                                       memoryValues(ValueType::Int32, 1, false, Sampling::still(),
                                                    std::vector<std::vector<std::int32_t>>{{7}}))});
    PointOrder order;
    order.pointsBefore = shape.points.size();
    order.facesBefore = shape.faces.size();
    order.points = test::randomOrder(shape.points.size(), random);
    for (std::uint32_t f = 0; f < order.facesBefore; ++f) {
        order.faces.push_back(f);
        order.turns.insert(order.turns.end(), {0U, 1U, 2U, 3U});
    }
    const auto namesOf = [](const Scene& of) {
        std::set<std::string> names;
        for (const PropertyNode& property : of.nodes[0].properties->all())
            names.insert(property.name);
        return names;
    };
    const auto made = applySteps(scene, {{"reorder", {{"order", order.text()}}, true}});
    ASSERT_TRUE(made) << made.error().text();
    EXPECT_EQ(namesOf(*made), std::set<std::string>{"take"});
    std::string told;
    for (const auto& left : made->report.notCarried)
        told += left.what + "\n";
    for (const char* name : {"'creases'", "'pinned'"})
        EXPECT_NE(told.find(name), std::string::npos) << told;
    // Walked the other way round, points and faces have the numbers they had.
    const auto flipped = applySteps(scene, {{"flip", nlohmann::json::object(), true}});
    ASSERT_TRUE(flipped);
    EXPECT_EQ(namesOf(*flipped), (std::set<std::string>{"creases", "pinned", "take"}));
    EXPECT_TRUE(flipped->report.notCarried.empty());
}

// Any rigid move: points, what stands above them, and back again.
TEST(Order, APlaceIsUndoneByItsInverse) {
    const FrameRate rate;
    std::mt19937 random(3);
    const Shape shape = test::ballShape(7, 5);
    const Scene scene = test::sceneOf(shape, test::motionOf(shape, random, 6), frames(rate, 6), rate);
    const auto there = applySteps(scene, {{"place", {{"turn", "30, -70, 12"}, {"move", "1, 2, -3"}}, true}});
    ASSERT_TRUE(there) << there.error().text();
    const Mat4 m = Mat4::rotation({1, 0, 0}, 30 * std::numbers::pi / 180) *
                   Mat4::rotation({0, 1, 0}, -70 * std::numbers::pi / 180) *
                   Mat4::rotation({0, 0, 1}, 12 * std::numbers::pi / 180) * Mat4::translation({1, 2, -3});
    for (std::size_t p = 0; p < shape.points.size(); ++p) {
        const Vec3f was = test::pointsOf(test::shapeOf(scene), 3)[p];
        const Vec3d off = Vec3d(test::pointsOf(test::shapeOf(*there), 3)[p]) - transformedPoint(Vec3d(was), m);
        EXPECT_LT(length(off), 1e-6);
    }
    for (const char* bad : {"1,0,0", "1,0,0,0,1,0,0,0,0,0,0,0", "1,0,0,0,2,0,0,0,1,0,0,0", "a,b"})
        EXPECT_FALSE(applySteps(scene, {{"place", {{"matrix", bad}}, true}})) << bad;
}

} // namespace
} // namespace wyc::order_test
