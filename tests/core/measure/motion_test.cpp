// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "base/parallel.h"
#include "demo/lantern_shoal.h"
#include "measure/motion.h"
#include "support/scenes.h"

namespace wyc::motion_test {
namespace {

Scene slidingScene(double metresPerFrame, std::size_t count) {
    test::SheetOptions options;
    options.count = count;
    options.pose = [](double) { return 0.0; };
    options.plant = [=](double frame, std::vector<Vec3f>& points) {
        for (Vec3f& p : points)
            p.x += static_cast<float>(metresPerFrame * (frame - 1001.0));
    };
    return test::sheetScene(options);
}

TEST(Motion, RmsSpeedOfSomethingThatSlides) {
    const Scene scene = slidingScene(0.25, 40);
    const auto profile = motionProfile(scene, 0, Progress());
    ASSERT_TRUE(profile);
    ASSERT_EQ(profile->count(), 40U);
    EXPECT_TRUE(std::isnan(profile->step[0]));
    for (std::size_t i = 1; i < 40; ++i) {
        EXPECT_NEAR(profile->step[i], 0.25F, 1e-5);
        EXPECT_NEAR(profile->speedAt(i), 6.0F, 1e-3); // 24 frames a second
        EXPECT_FALSE(profile->sameAsPrevious[i]);
    }
    EXPECT_NEAR(profile->firstToLast, 39 * 0.25F, 1e-4);
    EXPECT_TRUE(profile->moves());
    EXPECT_NEAR(profile->extent.size().x - profile->bounds[0].size().x, 39 * 0.25, 1e-4);
}

TEST(Motion, DoesNotDependOnTheNumberOfThreads) {
    const Scene scene = test::sheetScene();
    setThreadCount(1);
    const auto one = motionProfile(scene, 0, Progress());
    setThreadCount(0);
    const auto many = motionProfile(scene, 0, Progress());
    for (std::size_t i = 1; i < one->count(); ++i)
        EXPECT_EQ(one->step[i], many->step[i]);
    EXPECT_EQ(one->topologies, many->topologies);
}

TEST(Motion, RigidItemsMoveByTheTransformsAboveThem) {
    const Scene sub = demo::surveySub();
    const std::size_t propeller = *sub.find("/survey_sub/propeller_turn/propeller");
    const auto profile = motionProfile(sub, propeller, Progress());
    ASSERT_TRUE(profile);
    EXPECT_EQ(profile->count(), 136U);
    EXPECT_TRUE(profile->moves());
    // It turns fast: its points outrun those of the hull.
    const auto hull = motionProfile(sub, *sub.find("/survey_sub/hull"), Progress());
    EXPECT_GT(profile->step[50], hull->step[50] * 1.5F);
}

TEST(Motion, HeldFramesAreEqualBitForBit) {
    test::SheetOptions options;
    options.pose = [](double frame) { return frame == 1017 ? 1016.0 : frame; }; // across a block border
    const Scene scene = test::sheetScene(options);
    const auto profile = motionProfile(scene, 0, Progress());
    for (std::size_t i = 1; i < profile->count(); ++i)
        EXPECT_EQ(profile->sameAsPrevious[i], i == 16) << i;
    EXPECT_EQ(profile->step[16], 0.0F);
}

TEST(Motion, NonFinitePointsAreListedAndPassedOver) {
    test::SheetOptions options;
    options.plant = [](double frame, std::vector<Vec3f>& points) {
        if (frame == 1004)
            points[11].z = std::numeric_limits<float>::quiet_NaN();
    };
    const Scene scene = test::sheetScene(options);
    const auto profile = motionProfile(scene, 0, Progress());
    ASSERT_EQ(profile->nonFinite.size(), 1U);
    EXPECT_EQ(profile->nonFinite[0].sample, 3U);
    EXPECT_EQ(profile->nonFinite[0].point, 11U);
    EXPECT_EQ(profile->nonFinite[0].axis, 'z');
    EXPECT_TRUE(std::isfinite(profile->step[3]));
    EXPECT_TRUE(std::isfinite(profile->extent.diagonal()));
}

class BrokenGeometry final : public GeometryWrapper {
  public:
    using GeometryWrapper::GeometryWrapper;
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        if (s == 8)
            return fail(ErrorKind::BadFormat, "frame eight is broken");
        return inner().readRange(s, first, into);
    }
};

TEST(Motion, OneUnreadableSampleDoesNotHideTheRest) {
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry = std::make_shared<BrokenGeometry>(scene.nodes[0].geometry);
    const auto profile = motionProfile(scene, 0, Progress());
    ASSERT_TRUE(profile);
    ASSERT_EQ(profile->unreadable.size(), 1U);
    EXPECT_EQ(profile->unreadable[0].sample, 8U);
    EXPECT_EQ(profile->unreadable[0].error.what, "frame eight is broken");
    EXPECT_TRUE(std::isfinite(profile->step[5]));
    EXPECT_TRUE(std::isnan(profile->step[9])); // nothing to compare with
    EXPECT_TRUE(std::isfinite(profile->step[10]));
}

TEST(Motion, CancelIsNotAPartialProfile) {
    auto token = std::make_shared<CancelToken>();
    token->cancel();
    const auto profile = motionProfile(test::sheetScene(), 0, Progress({}, token));
    ASSERT_FALSE(profile);
    EXPECT_EQ(profile.error().kind, ErrorKind::Cancelled);
}

TEST(Drift, SaysHowMuchAndWhere) {
    auto a = test::sheetPoints(6, 5, 0);
    auto b = a;
    EXPECT_EQ(driftOf(a, b).largest, 0.0);
    b[17].y += 0.5F;
    b[3].x += 0.25F;
    const DriftFigure drift = driftOf(a, b);
    EXPECT_NEAR(drift.largest, 0.5, 1e-6);
    EXPECT_EQ(drift.point, 17U);
    EXPECT_NEAR(drift.rms, std::sqrt((0.25 + 0.0625) / 30.0), 1e-6);
    b[2].x = std::numeric_limits<float>::quiet_NaN();
    EXPECT_TRUE(std::isinf(driftOf(a, b).largest));
    a[2].x = b[2].x;
    EXPECT_NEAR(driftOf(a, b).largest, 0.5, 1e-6); // the same not-a-number on both sides
    b[4].z = -0.0F;
    a[4].z = 0.0F;
    EXPECT_NEAR(driftOf(a, b).largest, 0.5, 1e-6);
}

} // namespace
} // namespace wyc::motion_test
