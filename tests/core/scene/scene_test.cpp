// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <limits>
#include <numbers>
#include <random>

#include "gather/source.h"
#include "scene/scene.h"
#include "steps/step.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::scene_test {
namespace {

using Kind = TransformOp::Kind;
using test::TempFolder;

void expectNear(const Vec3d& a, const Vec3d& b, double tolerance = 1e-12) {
    EXPECT_NEAR(a.x, b.x, tolerance);
    EXPECT_NEAR(a.y, b.y, tolerance);
    EXPECT_NEAR(a.z, b.z, tolerance);
}

int addNode(Scene& scene, const std::string& name, int parent, TransformPtr transform,
            NodeKind kind = NodeKind::Transform) {
    Node node;
    node.name = name;
    node.parent = parent;
    node.path = (parent < 0 ? "" : scene.nodes[static_cast<std::size_t>(parent)].path) + "/" + name;
    node.kind = kind;
    node.transform = std::move(transform);
    scene.nodes.push_back(std::move(node));
    return static_cast<int>(scene.nodes.size()) - 1;
}

TransformPtr still(std::vector<TransformOp> ops, std::vector<double> channels) {
    return std::make_shared<MemoryTransform>(Sampling::still(), std::move(ops),
                                             std::vector<std::vector<double>>{std::move(channels)});
}

TEST(Matrix, RotationsAreRightHandedForRowVectors) {
    const double quarter = std::numbers::pi / 2;
    expectNear(transformedPoint(Vec3d{1, 0, 0}, Mat4::rotation({0, 0, 1}, quarter)), {0, 1, 0});
    expectNear(transformedPoint(Vec3d{0, 1, 0}, Mat4::rotation({1, 0, 0}, quarter)), {0, 0, 1});
    expectNear(transformedPoint(Vec3d{0, 0, 1}, Mat4::rotation({0, 5, 0}, quarter)), {1, 0, 0});
    EXPECT_TRUE(Mat4::rotation({0, 0, 0}, 1.0).isIdentity());
}

TEST(Matrix, ProductsActLeftFirst) {
    const Mat4 m = Mat4::scaling({2, 2, 2}) * Mat4::translation({1, 0, 0});
    expectNear(transformedPoint(Vec3d{1, 1, 1}, m), {3, 2, 2});
}

TEST(Transform, TheOperationListedLastActsFirst) {
    const std::vector<TransformOp> ops{{Kind::Translate, 0}, {Kind::RotateZ, 0}, {Kind::Scale, 0}};
    const std::vector<double> channels{10, 0, 0, 90, 2, 2, 2};
    expectNear(transformedPoint(Vec3d{1, 0, 0}, matrixOf(ops, channels)), {10, 2, 0});
}

TEST(Transform, AxisAngleAndMatrixOperations) {
    expectNear(transformedPoint(Vec3d{1, 0, 0}, matrixOf({{Kind::Rotate, 0}}, std::vector<double>{0, 0, 1, 90})),
               {0, 1, 0});
    std::vector<double> m(16, 0.0);
    m[0] = m[5] = m[10] = m[15] = 1.0;
    m[12] = 7.0;
    expectNear(transformedPoint(Vec3d{1, 2, 3}, matrixOf({{Kind::Matrix, 0}}, m)), {8, 2, 3});
    EXPECT_TRUE(matrixOf({{Kind::Matrix, 0}}, std::vector<double>{1, 2}).isIdentity()); // too few: none
}

TEST(UpAxis, TurnsAreRotationsAndInverse) {
    for (const UpAxis from : {UpAxis::X, UpAxis::Y, UpAxis::Z})
        for (const UpAxis to : {UpAxis::X, UpAxis::Y, UpAxis::Z}) {
            const Mat4 turn = upAxisTurn(from, to);
            EXPECT_TRUE((turn * upAxisTurn(to, from)).isIdentity());
            const auto axis = [](UpAxis a) {
                return a == UpAxis::X ? Vec3d{1, 0, 0} : a == UpAxis::Y ? Vec3d{0, 1, 0} : Vec3d{0, 0, 1};
            };
            EXPECT_EQ(transformedPoint(axis(from), turn), axis(to));
            // Handedness kept: x × y stays z.
            const Vec3d x = transformedPoint(Vec3d{1, 0, 0}, turn);
            const Vec3d y = transformedPoint(Vec3d{0, 1, 0}, turn);
            EXPECT_EQ(cross(x, y), transformedPoint(Vec3d{0, 0, 1}, turn));
        }
}

TEST(Units, ReadAndNamed) {
    EXPECT_EQ(*parseUnit("cm"), 0.01);
    EXPECT_EQ(*parseUnit("0.5"), 0.5);
    EXPECT_EQ(unitName(0.0254), "in");
    EXPECT_EQ(unitName(0.5), "0.5 m");
    for (const char* bad : {"", "parsec", "0", "-1", "nan"})
        EXPECT_FALSE(parseUnit(bad)) << bad;
    EXPECT_EQ(*parseUpAxis("z"), UpAxis::Z);
    EXPECT_FALSE(parseUpAxis("W"));
}

TEST(Bounds, PassOverWhatIsNotFinite) {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    const float inf = std::numeric_limits<float>::infinity();
    const std::vector<Vec3f> points{{1, 2, 3}, {nan, 0, 0}, {-1, 5, 0}, {0, inf, 0}};
    const Bounds bounds = boundsOf(points);
    EXPECT_EQ(bounds.low, (Vec3d{-1, 2, 0}));
    EXPECT_EQ(bounds.high, (Vec3d{1, 5, 3}));
    EXPECT_TRUE(boundsOf({}).isEmpty());
    EXPECT_TRUE(boundsOf(std::vector<Vec3f>{{nan, nan, nan}}).isEmpty());
    EXPECT_EQ(Bounds().diagonal(), 0.0);
}

TEST(Topology, RefusesSizesThatDoNotAddUp) {
    EXPECT_FALSE(Topology::make({3, 4}, {0, 1, 2}));
    EXPECT_FALSE(Topology::make({-3}, {}));
    EXPECT_FALSE(Topology::make({2147483647, 2147483647}, {0}));
    const auto good = Topology::make({3}, {0, 1, 5});
    ASSERT_TRUE(good);
    EXPECT_TRUE((*good)->fits(6));
    EXPECT_FALSE((*good)->fits(5));
    EXPECT_FALSE((*Topology::make({3}, {0, -1, 2}))->fits(9));
}

TEST(Topology, TheHashTellsOrders) {
    const auto a = *Topology::make({3, 3}, {0, 1, 2, 2, 1, 3});
    const auto same = *Topology::make({3, 3}, {0, 1, 2, 2, 1, 3});
    const auto turned = *Topology::make({3, 3}, {1, 2, 0, 2, 1, 3});
    const auto grouped = *Topology::make({6}, {0, 1, 2, 2, 1, 3});
    EXPECT_EQ(a->hash(), same->hash());
    EXPECT_NE(a->hash(), turned->hash());
    EXPECT_NE(a->hash(), grouped->hash());
}

TEST(Placement, MultipliesUpTheChain) {
    Scene scene;
    const int a = addNode(scene, "a", -1, still({{Kind::Translate, 0}}, {1, 0, 0}));
    const int b = addNode(scene, "b", a, still({{Kind::Scale, 0}}, {2, 2, 2}));
    const int c = addNode(scene, "c", b, still({{Kind::Translate, 0}}, {0, 3, 0}));
    const auto placement = placementAt(scene, static_cast<std::size_t>(c), 0.0);
    ASSERT_TRUE(placement);
    expectNear(transformedPoint(Vec3d{1, 0, 0}, placement->matrix), {3, 6, 0});
    EXPECT_EQ(scene.find("/a/b/c"), 2U);
    EXPECT_FALSE(scene.find("/a/c"));
    EXPECT_EQ(scene.childrenOf(a).size(), 1U);
}

class DetachedTransform final : public Transform {
  public:
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t) const override {
        return std::vector<double>{5, 0, 0};
    }
    [[nodiscard]] Result<bool> inherits(std::size_t) const override { return false; }

  private:
    Sampling sampling_;
    std::vector<TransformOp> ops_{{Kind::Translate, 0}};
};

TEST(Placement, StopsWhereNothingIsInherited) {
    Scene scene;
    const int a = addNode(scene, "a", -1, still({{Kind::Translate, 0}}, {1, 0, 0}));
    const int b = addNode(scene, "b", a, std::make_shared<DetachedTransform>());
    const int c = addNode(scene, "c", b, still({{Kind::Translate, 0}}, {0, 1, 0}));
    expectNear(transformedPoint(Vec3d{0, 0, 0}, placementAt(scene, static_cast<std::size_t>(c), 0)->matrix), {5, 1, 0});
}

TEST(Placement, InterpolatesChannelByChannel) {
    Scene scene;
    const FrameRate rate;
    const int a =
        addNode(scene, "a", -1,
                std::make_shared<MemoryTransform>(Sampling::uniform(0.0, rate.secondsAt(1), 2),
                                                  std::vector<TransformOp>{{Kind::Translate, 0}, {Kind::RotateZ, 0}},
                                                  std::vector<std::vector<double>>{{0, 0, 0, 0}, {2, 0, 0, 90}}));
    const auto half = placementAt(scene, static_cast<std::size_t>(a), rate.secondsAt(0.5));
    ASSERT_TRUE(half);
    const double r = std::sqrt(0.5);
    expectNear(transformedPoint(Vec3d{1, 0, 0}, half->matrix), {1 + r, r, 0}, 1e-9);
    const auto span = movingSpan(scene, static_cast<std::size_t>(a));
    ASSERT_TRUE(span);
    EXPECT_DOUBLE_EQ(span->last, rate.secondsAt(1));
}

TEST(Placement, AnExplicitWordOnVisibilityIsFinal) {
    Scene scene;
    const int a = addNode(scene, "a", -1, nullptr);
    const int b = addNode(scene, "b", a, nullptr);
    const int c = addNode(scene, "c", b, nullptr);
    const auto say = [&](int node, Visibility value) {
        scene.nodes[static_cast<std::size_t>(node)].visibility = VisibilityTrack{Sampling::still(), {value}};
    };
    const auto visible = [&](int node) { return placementAt(scene, static_cast<std::size_t>(node), 0)->visible; };
    EXPECT_TRUE(visible(c));
    say(a, Visibility::Hidden);
    EXPECT_FALSE(visible(c));
    say(b, Visibility::Visible);
    EXPECT_TRUE(visible(c));
    say(c, Visibility::AsParent);
    EXPECT_TRUE(visible(c));
    EXPECT_FALSE(visible(a));
}

// A range of points is the same slice of all points, from whatever and through whatever they come.
TEST(Geometry, ARangeIsASliceOfTheWhole) {
    const TempFolder folder;
    const Scene scene = test::sheetScene();
    std::vector<std::pair<std::string, Scene>> cases{{"memory", scene}};
    for (const char* name : {"a.abc", "a.mdd", "a.####.obj"}) {
        const auto written = test::writeScene(scene, folder / name);
        ASSERT_TRUE(written) << written.error().text();
        const auto source = openSource({folder / name, {}, {}, false}, scene.view.rate);
        ASSERT_TRUE(source) << source.error().text();
        cases.emplace_back(name, (*source)->scene);
    }
    cases[0].second.nodes[0].transform = MemoryTransform::fixed(Mat4::rotation({1, 2, 3}, 1.0));
    for (const std::vector<Step>& steps : {std::vector<Step>{{"world", {{"groups", "kept"}}, true}},
                                           {{"unit", {{"from", "cm"}, {"to", "m"}}, true}},
                                           {{"turn", {{"from", "Z"}, {"to", "Y"}}, true}},
                                           {{"resample", {{"rate", "50"}}, true}}}) {
        std::vector<Step> whole = steps;
        for (Step& step : whole)
            step.options = *checkedOptions(*stepType(step.type), step.options);
        const auto made = applySteps(cases[0].second, whole);
        ASSERT_TRUE(made) << made.error().text();
        cases.emplace_back(steps[0].type, *made);
    }
    std::mt19937 random(3);
    for (const auto& [name, one] : cases) {
        SCOPED_TRACE(name);
        const Geometry& geometry = test::shapeOf(one);
        for (const std::size_t sample : {std::size_t{0}, geometry.sampling().count() - 2}) {
            const auto all = test::pointsOf(geometry, sample);
            for (int round = 0; round < 30; ++round) {
                const std::size_t first = random() % (all.size() + 1);
                std::vector<Vec3f> part(random() % (all.size() + 1 - first));
                ASSERT_TRUE(geometry.readRange(sample, first, part));
                EXPECT_TRUE(std::equal(part.begin(), part.end(), all.begin() + static_cast<std::ptrdiff_t>(first)));
            }
            std::vector<Vec3f> beyond(2);
            EXPECT_FALSE(geometry.readRange(sample, all.size() - 1, beyond));
            EXPECT_FALSE(geometry.readRange(sample, std::size_t{1} << 62, beyond));
        }
    }
}

TEST(Geometry, BuffersOfTheWrongSizeAreRefused) {
    const Scene scene = test::sheetScene();
    std::vector<Vec3f> wrong(3);
    EXPECT_FALSE(test::shapeOf(scene).readPoints(0, wrong));
    EXPECT_FALSE(test::shapeOf(scene).pointCount(999));
    EXPECT_EQ(test::pointsOf(test::shapeOf(scene), 0).size(), 30U);
}

} // namespace
} // namespace wyc::scene_test
