// SPDX-License-Identifier: GPL-3.0-or-later
// Comparisons of shapes that became others: subdivided, smoothed, with points that come and go; and in a picture.
#include <gtest/gtest.h>

#include <set>

#include <fmt/format.h>

#include "compare/causes/subdivision.h"
#include "compare/comparison.h"
#include "scene/components/camera.h"
#include "steps/step.h"
#include "support/expected.h"
#include "support/returned.h"

namespace wyc::compared_shapes_test {
namespace {

// A mesh of which B is made by parting every face, and that in motion; points and faces of B in any order.
std::set<std::string> causesOfParted(const test::Shape& shape, int levels, bool smooth, std::mt19937& random,
                                     double& left) {
    const FrameRate rate;
    const Sampling run = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 16);
    const auto motion = test::motionOf(shape, random, 16);
    const Scene a = test::sceneOf(shape, motion, run, rate);
    GeometryPtr parted = a.nodes[0].geometry;
    for (int level = 0; level < levels; ++level)
        parted = *subdivided(parted, smooth);
    test::Shape other{"parted", {}, {}};
    const TopologyPtr faces = *parted->topology(0);
    for (std::size_t f = 0; f < faces->faceCount(); ++f)
        other.faces.emplace_back(faces->corners().begin() + static_cast<std::ptrdiff_t>(4 * f),
                                 faces->corners().begin() + static_cast<std::ptrdiff_t>(4 * f + 4));
    other.points.resize(*parted->pointCount(0));
    const auto to = test::randomOrder(other.points.size(), random);
    std::vector<std::vector<Vec3d>> returned;
    for (std::size_t f = 0; f < 16; ++f) {
        std::vector<Vec3f> points;
        EXPECT_TRUE(readPoints(*parted, f, points));
        std::vector<Vec3d> larger;
        for (const Vec3f& p : points)
            larger.push_back(Vec3d(p) * 100.0);
        returned.push_back(test::placed(larger, to));
    }
    const Scene b = test::sceneOf(test::shuffled(other, to, random), returned, run, rate);
    const auto found = compare(a, b, {}, Progress());
    EXPECT_TRUE(found) << found.error().text();
    std::set<std::string> ids;
    for (const Cause& cause : found->pairs[0].found.causes) {
        EXPECT_GE(cause.confidence, 0.9) << cause.id;
        ids.insert(cause.id);
        if (cause.id == "subdivided")
            EXPECT_EQ(cause.figure, levels);
        if (cause.id == "unit")
            EXPECT_NEAR(cause.figure, 100.0, 1e-3);
    }
    left = found->pairs[0].found.undone->largest;
    return ids;
}

TEST(ComparedShapes, MeshesThatWereSubdividedAreTold) {
    std::mt19937 random(3);
    for (const test::Shape& shape : {test::roughShape(random, 5, 6), test::ballShape(9, 6), test::piecesShape()})
        for (const int levels : {1, 2}) {
            double left = 1.0;
            EXPECT_EQ(causesOfParted(shape, levels, false, random, left),
                      (std::set<std::string>{"subdivided", "unit", "order"}))
                << shape.name << levels;
            EXPECT_LT(left, 1e-5);
            EXPECT_EQ(causesOfParted(shape, levels, true, random, left),
                      (std::set<std::string>{"subdivided", "smoothed", "unit", "order"}))
                << shape.name << levels;
            EXPECT_GT(left, 1e-3) << "no step takes smoothing back";
        }
    // Places of a surface that is known: a cube after one level (Catmull and Clark, 1978).
    const auto cube =
        Topology::make({4, 4, 4, 4, 4, 4}, {0, 1, 3, 2, 4, 6, 7, 5, 0, 4, 5, 1, 2, 3, 7, 6, 0, 2, 6, 4, 1, 5, 7, 3});
    std::vector<Vec3f> points;
    for (int p = 0; p < 8; ++p)
        points.push_back({p & 4 ? 1.F : -1.F, p & 2 ? 1.F : -1.F, p & 1 ? 1.F : -1.F});
    const auto surface = *subdivided(
        std::make_shared<MemoryGeometry>(Sampling::still(), *cube, std::vector<std::vector<Vec3f>>{points}), true);
    std::vector<Vec3f> after;
    ASSERT_TRUE(readPoints(*surface, 0, after));
    ASSERT_EQ(after.size(), 26U);
    for (std::size_t p = 0; p < 26; ++p) {
        std::array<float, 3> sizes{std::abs(after[p].x), std::abs(after[p].y), std::abs(after[p].z)};
        std::sort(sizes.begin(), sizes.end());
        const float five = 5.F / 9.F;
        const std::array<float, 3> wanted = p < 8    ? std::array{five, five, five}
                                            : p < 20 ? std::array{0.F, 0.75F, 0.75F}
                                                     : std::array{0.F, 0.F, 1.F};
        for (std::size_t k = 0; k < 3; ++k)
            EXPECT_NEAR(sizes[k], wanted[k], 1e-6F) << p;
    }
}

TEST(ComparedShapes, PointsDrawnTowardsTheirNeighboursAreToldAndNothingElseIs) {
    std::mt19937 random(5);
    const FrameRate rate;
    const test::Shape shape = test::ballShape(21, 14);
    std::vector<std::set<int>> beside(shape.points.size());
    for (const auto& face : shape.faces)
        for (std::size_t k = 0; k < face.size(); ++k) {
            const int p = face[k];
            const int q = face[(k + 1) % face.size()];
            beside[static_cast<std::size_t>(p)].insert(q);
            beside[static_cast<std::size_t>(q)].insert(p);
        }
    const auto motion = test::motionOf(shape, random, 24);
    const Scene a = test::sceneOf(shape, motion, Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24), rate);
    auto smoothed = motion;
    auto torn = motion;
    for (std::size_t f = 0; f < 24; ++f)
        for (int round = 0; round < 2; ++round) {
            const auto before = smoothed[f];
            for (std::size_t p = 0; p < before.size(); ++p) {
                Vec3d middle;
                for (const int q : beside[p])
                    middle = middle + before[static_cast<std::size_t>(q)];
                if (!beside[p].empty())
                    smoothed[f][p] =
                        before[p] + (middle * (1.0 / static_cast<double>(beside[p].size())) - before[p]) * 0.2;
                torn[f][p] = torn[f][p] + Vec3d{test::uniform(random, -0.02, 0.02), 0.0, 0.0};
            }
        }
    const auto ids = [&](const std::vector<std::vector<Vec3d>>& samples) {
        const Scene b =
            test::sceneOf(shape, samples, Sampling::uniform(rate.secondsAt(1003), rate.secondsAt(1), 24), rate);
        const auto found = compare(a, b, {}, Progress());
        EXPECT_TRUE(found);
        EXPECT_FALSE(found->withinTolerance());
        std::set<std::string> told;
        for (const Cause& cause : found->pairs[0].found.causes)
            told.insert(cause.id);
        return told;
    };
    EXPECT_EQ(ids(smoothed), (std::set<std::string>{"offset", "smoothed"}));
    EXPECT_EQ(ids(torn), (std::set<std::string>{"offset", "other_motion"}));
    // In another unit as well: the size is what it was multiplied by, not what is left of it.
    auto larger = smoothed;
    for (auto& sample : larger)
        for (Vec3d& p : sample)
            p = p * 100.0;
    EXPECT_EQ(ids(larger), (std::set<std::string>{"offset", "unit", "smoothed"}));
    // A part of it alone.
    auto partly = motion;
    for (std::size_t f = 0; f < 24; ++f)
        for (std::size_t p = 0; p < shape.points.size(); ++p)
            if (shape.points[p].x > 0.3)
                partly[f][p] = smoothed[f][p];
    EXPECT_EQ(ids(partly), (std::set<std::string>{"offset", "smoothed"}));
}

TEST(ComparedShapes, DriftIsMeasuredInThePictureOfACameraToo) {
    // Points a metre apart, ten metres before the lens; the camera counts in centimetres.
    const FrameRate rate;
    const Sampling run = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24);
    test::Shape shape = test::gridShape(1, 2);
    shape.points = {{-1, 0, 0}, {0, 0, 0}, {1, 0, 0}, {-1, 1, 0}, {0, 1, 0}, {0, 0, 30}}; // the last one behind it
    std::vector<std::vector<Vec3d>> motion;
    for (int f = 0; f < 24; ++f) {
        motion.push_back(shape.points);
        for (Vec3d& p : motion.back())
            p.y += 0.02 * f;
    }
    const Scene a = test::sceneOf(shape, motion, run, rate);
    motion[7][1].x += 0.01;
    motion[9][5].x += 3.0;
    const Scene b = test::sceneOf(shape, motion, run, rate);
    Scene eye;
    eye.unitMetres = 0.01;
    eye.view.rate = rate;
    Node camera;
    camera.name = camera.path = "/eye";
    camera.kind = NodeKind::Camera;
    setCamera(camera, Sampling::still(), {CameraFigures()}); // 35 mm before 36 × 24 mm
    camera.transform = std::make_shared<MemoryTransform>(Sampling::still(),
                                                         std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
                                                         std::vector<std::vector<double>>{{0, 0, 1000}});
    eye.nodes.push_back(camera);
    const auto found = compare(a, b, {}, Progress());
    ASSERT_TRUE(found) << found.error().text();
    Comparison pictured = *found;
    ASSERT_TRUE(measureInPicture(pictured, Picture{std::make_shared<const Scene>(eye), 0, 2000.0}, Progress()));
    const auto& drift = pictured.pairs[0].pictured->drift;
    ASSERT_TRUE(drift);
    EXPECT_NEAR(drift->largest, 35.0 / 36.0 * 0.01 / 10.0 * 2000.0, 1e-3);
    EXPECT_EQ(drift->worstFrame, 1008.0);
    EXPECT_EQ(drift->worstPoint, 1U);
    EXPECT_NEAR(found->pairs[0].found.drift->largest, 3.0, 1e-5) << "what is behind the camera is off all the same";
    // Looking away nothing is in the picture.
    eye.nodes[0].transform = std::make_shared<MemoryTransform>(
        Sampling::still(), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
        std::vector<std::vector<double>>{{0, 0, -5000}});
    ASSERT_TRUE(measureInPicture(pictured, Picture{std::make_shared<const Scene>(eye), 0, 2000.0}, Progress()));
    EXPECT_FALSE(pictured.pairs[0].pictured->drift);
    EXPECT_EQ(toJson(pictured)["pairs"][0]["pixels"]["drift"], nullptr);
}

TEST(ComparedShapes, PointsThatComeAndGoAreAlikeOrNotSampleBySample) {
    const FrameRate rate;
    const Sampling run = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 12);
    std::mt19937 random(4);
    std::vector<std::vector<Vec3f>> flecks;
    std::vector<std::vector<std::uint64_t>> ids;
    for (std::uint64_t f = 0; f < 12; ++f) {
        flecks.emplace_back();
        ids.emplace_back();
        for (std::uint64_t id = f; id < 20 + 2 * f; ++id) {
            flecks.back().push_back({static_cast<float>(test::uniform(random, -1, 1)), 0.1F * static_cast<float>(id),
                                     0.05F * static_cast<float>(f)});
            ids.back().push_back(id);
        }
    }
    const auto sceneOf = [&](const std::vector<std::vector<Vec3f>>& points,
                             const std::vector<std::vector<std::uint64_t>>& names) {
        Scene scene;
        scene.unitMetres = 1.0;
        Node node;
        node.name = node.path = "/flecks";
        node.kind = NodeKind::Points;
        node.geometry = std::make_shared<VaryingPoints>(run, points, names);
        scene.nodes.push_back(node);
        return scene;
    };
    const Scene a = sceneOf(flecks, ids);
    const auto verdict = [&](const Scene& b) {
        const auto found = compare(a, b, {}, Progress());
        EXPECT_TRUE(found) << found.error().text();
        return std::pair(found->withinTolerance(), found->text());
    };
    EXPECT_TRUE(verdict(a).first);
    auto turned = flecks; // the same ones in another order
    auto names = ids;
    std::reverse(turned[5].begin(), turned[5].end());
    std::reverse(names[5].begin(), names[5].end());
    EXPECT_TRUE(verdict(sceneOf(turned, names)).first);
    EXPECT_FALSE(verdict(sceneOf(turned, ids)).first);
    auto moved = flecks;
    moved[7][3].y += 0.5F;
    const auto [same, words] = verdict(sceneOf(moved, ids));
    EXPECT_FALSE(same);
    EXPECT_NE(words.find("elsewhere"), std::string::npos) << words;
    auto fewer = flecks;
    auto fewerNames = ids;
    fewer[9].pop_back();
    fewerNames[9].pop_back();
    const auto [alike, count] = verdict(sceneOf(fewer, fewerNames));
    EXPECT_FALSE(alike);
    EXPECT_NE(count.find("28 points at frame 1010, A has 29"), std::string::npos) << count;
}

} // namespace
} // namespace wyc::compared_shapes_test
