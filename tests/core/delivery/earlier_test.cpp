// SPDX-License-Identifier: GPL-3.0-or-later
// What a delivery changes of the one before it.
#include <gtest/gtest.h>

#include "delivery/plan/earlier.h"
#include "support/expected.h"
#include "support/returned.h"
#include "support/temp_folder.h"

namespace wyc::earlier_test {
namespace {

class Earlier : public testing::Test {
  protected:
    void SetUp() override {
        std::mt19937 random(8);
        shape_ = test::roughShape(random, 6, 7);
        motion_ = test::motionOf(shape_, random, 24);
    }
    [[nodiscard]] Scene scene() const {
        const FrameRate rate;
        Scene made =
            test::sceneOf(shape_, motion_, Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24), rate);
        std::vector<std::vector<Vec3f>> points(24);
        for (std::size_t f = 0; f < points.size(); ++f)
            EXPECT_TRUE(readPoints(*made.nodes[0].geometry, f, points[f]));
        test::OnMesh extras;
        extras.faceSets = {{FaceSet::Kind::Group, "hem", {0, 1, 2}}, {FaceSet::Kind::Group, "belt", {5, 6}}};
        test::setMesh(made.nodes[0], made.nodes[0].geometry->sampling(), shape_.topology(), points, extras);
        return made;
    }
    [[nodiscard]] PlannedOutput plan(const Scene& from, const std::vector<Step>& steps, const char* format = "alembic",
                                     const char* source = "/shots/sim_v001.abc", const char* item = "/cloth") const {
        DeliveryInput input;
        auto made = applySteps(from, steps);
        EXPECT_TRUE(made) << made.error().text();
        input.scene = std::move(*made);
        input.source = std::make_shared<const Scene>(from);
        input.steps = steps;
        input.label = input.itemName = "cloth";
        input.provenance = {{"source", source}, {"item", item}, {"steps", toJson(steps)}};
        DeliverySpec spec;
        spec.format = format;
        spec.folder = folder_.path();
        spec.wholeRange = true;
        auto outputs = planDelivery({input}, spec, Shot());
        EXPECT_TRUE(outputs) << outputs.error().text();
        return outputs->front();
    }
    [[nodiscard]] std::string changes(const PlannedOutput& output) const {
        const auto earlier = earlierDelivery(output, Progress());
        EXPECT_TRUE(earlier);
        if (!*earlier)
            return "none before";
        const auto comparison = againstEarlier(output, **earlier, {}, Progress());
        EXPECT_TRUE(comparison) << comparison.error().text();
        return changesText(*comparison);
    }
    void deliver(const PlannedOutput& output) { ASSERT_TRUE(runOutput(output, {}, Progress())); }
    test::TempFolder folder_;
    test::Shape shape_;
    std::vector<std::vector<Vec3d>> motion_;
};

TEST_F(Earlier, WhatIsOtherIsToldInEveryFormat) {
    EXPECT_EQ(changes(plan(scene(), {})), "none before");
    for (const char* format : {"alembic", "usd", "mdd", "obj-sequence"}) {
        SCOPED_TRACE(format);
        deliver(plan(scene(), {}, format));
        EXPECT_EQ(changes(plan(scene(), {}, format)), "as it was");
        const std::string late = changes(plan(scene(), {Step{"offset", {{"frames", 2}}}}, format));
        EXPECT_NE(late.find("2 frames late"), std::string::npos) << late;
        const std::string cut = changes(plan(scene(), {Step{"trim", {{"first", 1001}, {"last", 1020}}}}, format));
        EXPECT_NE(cut.find("4 frames"), std::string::npos) << cut;
        motion_[11][3].y += 0.25;
        const std::string other = changes(plan(scene(), {}, format));
        EXPECT_NE(other.find("1 of 24 frames"), std::string::npos) << other;
        EXPECT_NE(other.find("25 cm at most at 1012"), std::string::npos) << other;
        motion_[11][3].y -= 0.25;
    }
}

TEST_F(Earlier, SetsAndMaterialsCount) {
    deliver(plan(scene(), {}));
    Scene other = scene();
    test::OnMesh extras = test::onMesh(other.nodes[0], 0);
    extras.faceSets = {{FaceSet::Kind::Group, "hem", {0, 1, 3}}, {FaceSet::Kind::Group, "collar", {5, 6}}};
    std::vector<std::vector<Vec3f>> points(24);
    for (std::size_t f = 0; f < points.size(); ++f)
        ASSERT_TRUE(readPoints(*other.nodes[0].geometry, f, points[f]));
    test::setMesh(other.nodes[0], other.nodes[0].geometry->sampling(), shape_.topology(), points, extras);
    EXPECT_EQ(changes(plan(other, {})), "set belt is gone, set hem has other faces, set collar is new");
}

TEST_F(Earlier, ItIsTheLastOneOfTheSameItems) {
    deliver(plan(scene(), {Step{"offset", {{"frames", 5}}}}));
    deliver(plan(scene(), {}));
    EXPECT_EQ(changes(plan(scene(), {})), "as it was") << "the second version, not the first";
    // Another item in the same folder is none; a newer version of the source is.
    EXPECT_EQ(changes(plan(scene(), {}, "alembic", "/shots/sim_v001.abc", "/other")), "none before");
    EXPECT_EQ(changes(plan(scene(), {}, "alembic", "/shots/sim_v002.abc")), "as it was");
    // What is damaged, or was left behind, is passed over.
    test::writeFile(folder_ / "shot_cloth_v009.abc.record.json", "{\"made_from\": [{\"source\": 3}], \"written\": [");
    const std::string record = test::readFile(folder_ / "shot_cloth_v002.abc.record.json");
    test::writeFile(folder_ / "shot_cloth_v008.abc.record.json", record);
    EXPECT_EQ(changes(plan(scene(), {})), "as it was");
}

} // namespace
} // namespace wyc::earlier_test
