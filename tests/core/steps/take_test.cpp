// SPDX-License-Identifier: GPL-3.0-or-later
// The step that takes points from another cache and keeps what lies on the mesh.
#include <gtest/gtest.h>

#include <fstream>

#include <fmt/format.h>

#include "compare/comparison.h"
#include "steps/shape/take.h"
#include "support/delivered.h"
#include "support/expected.h"
#include "support/returned.h"
#include "support/temp_folder.h"

namespace wyc::take_test {
namespace {

// A cache on disk, in metres, that moves under a moving group; and a still mesh of it in centimetres with its points
// and faces in another order, with UVs, a set and a name of its own.
class Take : public testing::Test {
  protected:
    void SetUp() override {
        std::mt19937 random(12);
        shape_ = test::roughShape(random, 7, 9);
        const FrameRate rate;
        const auto motion = test::motionOf(shape_, random, 20);
        const Sampling frames = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 20);
        a_ = test::sceneOf(shape_, motion, frames, rate);
        std::vector<std::vector<double>> way;
        for (int f = 0; f < 20; ++f)
            way.push_back({0.25 * f, 1.0, 0.0});
        a_.nodes[0].transform =
            std::make_shared<MemoryTransform>(frames, std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}}, way);
        ASSERT_TRUE(test::writeScene(a_, cache()));
        to_ = test::randomOrder(shape_.points.size(), random);
        test::Shape other = test::shuffled(shape_, to_, random);
        other.name = "cloth_final";
        b_ = test::sceneOf(other, {test::placed(motion[0], to_)}, Sampling::still(), rate);
        b_.unitMetres = 0.01;
        b_.rate.reset();
        std::vector<Vec3f> points(other.points.size());
        ASSERT_TRUE(readPoints(*b_.nodes[0].geometry, 0, points));
        for (Vec3f& p : points)
            p = {p.x * 100, p.y * 100, p.z * 100};
        test::OnMesh extras;
        extras.uvs = {Scope::Point, 2, {}, {}};
        for (std::size_t i = 0; i < points.size(); ++i)
            extras.uvs.values.insert(extras.uvs.values.end(), {static_cast<float>(i) * 0.001F, 0.5F});
        extras.normals = {Scope::Point, 3, std::vector<float>(points.size() * 3, 0.577F), {}};
        extras.faceSets = {{FaceSet::Kind::Material, "silk", {0, 2, 4}}};
        test::setMesh(b_.nodes[0], Sampling::still(), other.topology(), std::vector<std::vector<Vec3f>>{points},
                      extras);
    }
    [[nodiscard]] std::string cache() const { return (folder_ / "sim.abc").string(); }
    // As the Reconcile desk makes it.
    [[nodiscard]] Result<Step> step() const {
        WYC_TRY(found, compare(a_, b_, {}, Progress()));
        WYC_TRY(order, takingOrderOf(found.pairs.front()));
        Step step{"take", {{"from", cache()}}};
        if (order)
            step.options["order"] = order->text();
        return step;
    }
    test::TempFolder folder_;
    test::Shape shape_;
    Scene a_;
    Scene b_;
    std::vector<std::uint32_t> to_;
};

TEST_F(Take, PointsOfTheOneAndAllElseOfTheOther) {
    const auto take = step();
    ASSERT_TRUE(take) << take.error().text();
    const auto made = applySteps(b_, {*take});
    ASSERT_TRUE(made) << made.error().text();
    const Node& node = made->nodes[0];
    EXPECT_EQ(node.name, "cloth_final");
    EXPECT_DOUBLE_EQ(*made->unitMetres, 0.01);
    EXPECT_EQ(node.geometry->sampling().count(), 20U);
    EXPECT_EQ((*node.geometry->topology(7))->hash(), (*b_.nodes[0].geometry->topology(0))->hash());
    const test::OnMesh extras = test::onMesh(node, 7);
    EXPECT_EQ(extras.uvs, test::onMesh(b_.nodes[0], 0).uvs);
    EXPECT_EQ(extras.faceSets, test::onMesh(b_.nodes[0], 0).faceSets);
    EXPECT_TRUE(extras.normals.isEmpty()) << "they belong to a pose that is gone";
    ASSERT_EQ(made->report.notCarried.size(), 1U);
    for (std::size_t f = 0; f < 20; ++f) {
        std::vector<Vec3f> here;
        std::vector<Vec3f> there;
        ASSERT_TRUE(readPoints(*node.geometry, f, here));
        ASSERT_TRUE(readPoints(*a_.nodes[0].geometry, f, there));
        for (std::size_t p = 0; p < there.size(); ++p) {
            const Vec3d wanted = (Vec3d(there[p]) + Vec3d{0.25 * static_cast<double>(f), 1.0, 0.0}) * 100.0;
            ASSERT_LT(length(Vec3d(here[to_[p]]) - wanted), 2e-4) << f << " " << p;
        }
    }
}

TEST_F(Take, IsProvenAgainstTheFileThatThePointsComeFrom) {
    const auto take = step();
    ASSERT_TRUE(take);
    for (const char* format : {"alembic", "mdd", "obj-sequence"}) {
        const auto done = test::delivered(b_, {*take, Step{"offset", {{"frames", 3}}}},
                                          {*take, Step{"offset", {{"frames", 3}}}}, format, folder_ / format);
        ASSERT_TRUE(done) << format << ": " << done.error().text();
        EXPECT_TRUE(done->proof.passed);
        ASSERT_FALSE(done->proof.items.empty());
        for (const ProvenItem& item : done->proof.items)
            if (!item.group) {
                EXPECT_GE(item.shown.moments.count(), 20U) << format;
                EXPECT_TRUE(test::allComparable(item)) << item.shown.notCompared.front();
            }
    }
    // What is written is another's order, or another frame, than the steps say: never proven.
    Step straight = *take;
    PointOrder order = *PointOrder::parse(take->options["order"]);
    std::swap(order.points[3], order.points[40]);
    straight.options["order"] = order.text();
    for (const std::vector<Step>& other :
         {std::vector<Step>{*take, Step{"offset", {{"frames", 1}}}}, {*take, Step{"scale", {{"factor", 1.001}}}}})
        EXPECT_FALSE(test::delivered(b_, other, {*take}, "alembic", folder_ / "wrong"));
    EXPECT_FALSE(applySteps(b_, {straight})) << "an order that tears faces apart";
}

TEST_F(Take, ACacheThatChangedMeanwhileIsNotProven) {
    const auto take = step();
    ASSERT_TRUE(take);
    DeliveryInput input;
    auto made = applySteps(b_, {*take});
    ASSERT_TRUE(made);
    input.scene = std::move(*made);
    input.source = std::make_shared<const Scene>(b_);
    input.steps = {*take};
    input.label = input.itemName = "cloth";
    Scene moved = a_;
    moved.nodes[0].transform = nullptr;
    ASSERT_TRUE(test::writeScene(moved, cache()));
    DeliverySpec spec;
    spec.folder = folder_ / "changed";
    spec.wholeRange = true;
    const auto plan = planDelivery({input}, spec, Shot());
    if (plan)
        EXPECT_FALSE(runOutput(plan->front(), {}, Progress()));
    EXPECT_TRUE(!std::filesystem::exists(folder_ / "changed") || std::filesystem::is_empty(folder_ / "changed"));
}

TEST_F(Take, WhatDoesNotFitIsRefusedWithAReason) {
    const auto refused = [&](const Scene& scene, const nlohmann::json& options) {
        const auto made = applySteps(scene, {Step{"take", options}});
        EXPECT_FALSE(made);
        return made ? std::string() : made.error().text();
    };
    EXPECT_NE(refused(b_, {{"from", cache()}}).find("other faces"), std::string::npos);
    EXPECT_NE(refused(b_, nlohmann::json::object()).find("no cache is named"), std::string::npos);
    EXPECT_NE(refused(b_, {{"from", (folder_ / "none.abc").string()}}).find("none.abc"), std::string::npos);
    EXPECT_NE(refused(b_, {{"from", cache()}, {"item", "/nobody"}}).find("/nobody"), std::string::npos);
    const Scene fewer = test::sceneOf(test::gridShape(3, 3), {test::gridShape(3, 3).points}, Sampling::still(), {});
    EXPECT_NE(refused(fewer, {{"from", cache()}}).find("16 points"), std::string::npos);
    Scene standing = b_;
    standing.upAxis = UpAxis::Z;
    EXPECT_NE(refused(standing, step()->options).find("Turn one of them"), std::string::npos);
    EXPECT_EQ(filesReadBy({*step()}), std::vector<fs::path>{cache()});
}

} // namespace
} // namespace wyc::take_test
