// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "demo/lantern_shoal.h"
#include "steps/step.h"
#include "support/scenes.h"

namespace wyc::steps_test {
namespace {

using nlohmann::json;

Result<Scene> apply(const Scene& scene, const std::string& type, const json& options) {
    return applySteps(scene, {Step{type, options, true}});
}

std::vector<double> framesOf(const Scene& scene) {
    std::vector<double> frames;
    for (const double time : test::shapeOf(scene).sampling().times())
        frames.push_back(snappedFrame(scene.view.rate.frameAt(time)));
    return frames;
}

std::vector<double> frameRun(double first, double last, double step = 1.0) {
    std::vector<double> frames;
    for (double f = first; f <= last; f += step)
        frames.push_back(f);
    return frames;
}

TEST(Steps, AnEmptyChainAndOneSwitchedOffChangeNothing) {
    const Scene scene = test::sheetScene();
    EXPECT_EQ(framesOf(*applySteps(scene, {})), framesOf(scene));
    EXPECT_EQ(framesOf(*applySteps(scene, {Step{"offset", {{"frames", 5.0}}, false}})), framesOf(scene));
}

TEST(Steps, OffsetMovesTimesAndNothingElse) {
    const Scene scene = test::sheetScene();
    const auto moved = apply(scene, "offset", {{"frames", -1.0}});
    ASSERT_TRUE(moved);
    EXPECT_EQ(framesOf(*moved), frameRun(1000, 1023));
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*moved), 7), test::pointsOf(test::shapeOf(scene), 7)));
    const auto back = apply(*moved, "offset", {{"frames", 1.0}});
    EXPECT_EQ(test::shapeOf(*back).sampling(), test::shapeOf(scene).sampling()); // exactly, not nearly
}

TEST(Steps, StartNumbersTheFirstFrame) {
    EXPECT_EQ(framesOf(*apply(test::sheetScene(), "start", {{"frame", 1.0}})), frameRun(1, 24));
}

TEST(Steps, TrimKeepsTheRangeAndInventsNothing) {
    const Scene scene = test::sheetScene();
    EXPECT_EQ(framesOf(*apply(scene, "trim", {{"first", 1005.0}, {"last", 1010.0}, {"handles", 2.0}})),
              frameRun(1003, 1012));
    EXPECT_EQ(framesOf(*apply(scene, "trim", {{"first", 990.0}, {"last", 1003.0}})), frameRun(1001, 1003));
    const auto none = apply(scene, "trim", {{"first", 1.0}, {"last", 5.0}});
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().item, "/sheet");
    EXPECT_FALSE(apply(scene, "trim", {{"first", 9.0}, {"last", 5.0}}));
    const auto trimmed = apply(scene, "trim", {{"first", 1005.0}, {"last", 1010.0}});
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*trimmed), 0), test::pointsOf(test::shapeOf(scene), 4)));
}

TEST(Steps, HoldRepeatsTheEnds) {
    const Scene scene = test::sheetScene();
    const auto held = apply(scene, "hold", {{"before", 3.0}, {"after", 2.0}});
    ASSERT_TRUE(held);
    EXPECT_EQ(framesOf(*held), frameRun(998, 1026));
    const Geometry& shape = test::shapeOf(*held);
    EXPECT_TRUE(test::sameBits(test::pointsOf(shape, 0), test::pointsOf(shape, 3)));
    EXPECT_TRUE(test::sameBits(test::pointsOf(shape, 28), test::pointsOf(test::shapeOf(scene), 23)));
}

TEST(Steps, DropAtTheStartTheEndAndByNumber) {
    const Scene scene = test::sheetScene();
    EXPECT_EQ(framesOf(*apply(scene, "drop", {{"start", 1.0}})), frameRun(1002, 1024));
    EXPECT_EQ(framesOf(*apply(scene, "drop", {{"end", 2.0}})), frameRun(1001, 1022));
    auto gap = frameRun(1001, 1024);
    gap.erase(gap.begin() + 9, gap.begin() + 12);
    EXPECT_EQ(framesOf(*apply(scene, "drop", {{"frames", "1010:1012"}})), gap);
    const auto closed = apply(scene, "drop", {{"frames", "1010, 1012"}, {"close", true}});
    ASSERT_TRUE(closed);
    EXPECT_EQ(framesOf(*closed), frameRun(1001, 1022));
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*closed), 9), test::pointsOf(test::shapeOf(scene), 10)));
    EXPECT_FALSE(apply(scene, "drop", {{"frames", "ten"}}));
    EXPECT_FALSE(apply(scene, "drop", {{"start", 99.0}}));
}

TEST(Steps, EveryNth) {
    EXPECT_EQ(framesOf(*apply(test::sheetScene(), "every", {{"count", 4.0}})), frameRun(1001, 1024, 4));
}

TEST(Steps, ReadAsRateKeepsFrames) {
    const Scene scene = test::sheetScene();
    const auto read = apply(scene, "rate", {{"rate", "25"}});
    ASSERT_TRUE(read);
    EXPECT_EQ(framesOf(*read), framesOf(scene));
    EXPECT_EQ(read->rate->text(), "25");
    EXPECT_DOUBLE_EQ(test::shapeOf(*read).sampling().time(0), 1001.0 / 25.0);
}

TEST(Steps, ResampleKeepsSeconds) {
    const Scene scene = test::sheetScene();
    const auto faster = apply(scene, "resample", {{"rate", "48"}});
    ASSERT_TRUE(faster);
    EXPECT_EQ(framesOf(*faster), frameRun(2002, 2048));
    const auto a = test::pointsOf(test::shapeOf(scene), 0);
    const auto b = test::pointsOf(test::shapeOf(scene), 1);
    const auto between = test::pointsOf(test::shapeOf(*faster), 1);
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*faster), 2), b)); // on a sample: untouched
    for (std::size_t i = 0; i < a.size(); ++i)
        EXPECT_NEAR(between[i].y, (a[i].y + b[i].y) / 2, 1e-6);
    const auto nearest = apply(scene, "resample", {{"rate", "25"}, {"method", "nearest"}});
    for (std::size_t i = 0; i < test::shapeOf(*nearest).sampling().count(); ++i) {
        const auto points = test::pointsOf(test::shapeOf(*nearest), i);
        bool found = false;
        for (std::size_t k = 0; k < 24 && !found; ++k)
            found = test::sameBits(points, test::pointsOf(test::shapeOf(scene), k));
        EXPECT_TRUE(found) << i; // never a mixture
    }
}

TEST(Steps, ResampleDoesNotInterpolateAcrossATopologyChange) {
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry =
        std::make_shared<MemoryGeometry>(Sampling::uniform(0, 1.0 / 24, 2), emptyTopology(),
                                         std::vector<std::vector<Vec3f>>{std::vector<Vec3f>(3), std::vector<Vec3f>(4)});
    const auto faster = apply(scene, "resample", {{"rate", "48"}});
    ASSERT_TRUE(faster);
    std::vector<Vec3f> points;
    // The earlier pose holds until the change.
    ASSERT_TRUE(readPoints(test::shapeOf(*faster), 1, points));
    EXPECT_EQ(points.size(), 3U);
}

TEST(Steps, UnitAndTurnKeepHandednessAndComeBackExactly) {
    const Scene scene = test::sheetScene();
    const auto inCm = apply(scene, "unit", {{"from", "m"}, {"to", "cm"}});
    ASSERT_TRUE(inCm);
    EXPECT_EQ(inCm->unitMetres, 0.01);
    EXPECT_EQ(test::pointsOf(test::shapeOf(*inCm), 3)[7].x, test::pointsOf(test::shapeOf(scene), 3)[7].x * 100.0F);
    const auto turned = apply(scene, "turn", {{"from", "Y"}, {"to", "Z"}});
    const Vec3f before = test::pointsOf(test::shapeOf(scene), 3)[7];
    const Vec3f after = test::pointsOf(test::shapeOf(*turned), 3)[7];
    EXPECT_EQ(after, (Vec3f{before.x, -before.z, before.y}));
    const auto back = apply(*turned, "turn", {{"from", "Z"}, {"to", "Y"}});
    for (std::size_t i = 0; i < 24; ++i)
        EXPECT_EQ(test::pointsOf(test::shapeOf(*back), i), test::pointsOf(test::shapeOf(scene), i));
    EXPECT_EQ(back->upAxis, UpAxis::Y);
}

// Whatever stands above an item: the world point after the step is the changed world point before it.
TEST(Steps, SpaceStepsAgreeWithTransformsAbove) {
    const Scene sub = demo::surveySub();
    for (const auto& [type, options, change] : std::vector<std::tuple<std::string, json, Mat4>>{
             {"scale", {{"factor", 2.5}}, Mat4::scaling({2.5, 2.5, 2.5})},
             {"unit", {{"from", "m"}, {"to", "mm"}}, Mat4::scaling({1000, 1000, 1000})},
             {"turn", {{"from", "Y"}, {"to", "Z"}}, upAxisTurn(UpAxis::Y, UpAxis::Z)},
             {"turn", {{"from", "X"}, {"to", "Z"}}, upAxisTurn(UpAxis::X, UpAxis::Z)}}) {
        const auto changed = apply(sub, type, options);
        ASSERT_TRUE(changed);
        for (const double frame : {1001.0, 1050.5, 1136.0}) {
            const double seconds = sub.view.rate.secondsAt(frame);
            for (std::size_t n = 0; n < sub.nodes.size(); ++n) {
                if (!sub.nodes[n].geometry)
                    continue;
                const auto before = placementAt(sub, n, seconds);
                const auto after = placementAt(*changed, n, seconds);
                const Vec3d p(test::pointsOf(*sub.nodes[n].geometry, 0)[3]);
                const Vec3d q(test::pointsOf(*changed->nodes[n].geometry, 0)[3]);
                const Vec3d wanted = transformedPoint(transformedPoint(p, before->matrix), change);
                const Vec3d got = transformedPoint(q, after->matrix);
                EXPECT_LT(length(got - wanted), 1e-5 * length(wanted))
                    << type << " " << sub.nodes[n].path << " at " << frame;
            }
        }
    }
}

TEST(Steps, NormalsTurnWithThePoints) {
    Scene scene = test::sheetScene();
    test::OnMesh extras;
    extras.normals = {Scope::Point, 3, {0, 1, 0, 1, 0, 0}, {}};
    test::setMesh(scene.nodes[0], Sampling::still(), emptyTopology(),
                  std::vector<std::vector<Vec3f>>{{{0, 0, 0}, {1, 1, 1}}}, extras);
    const auto turned = apply(scene, "turn", {{"from", "Y"}, {"to", "Z"}});
    EXPECT_EQ(test::onMesh(turned->nodes[0], 0).normals.values, (std::vector<float>{0, 0, 1, 1, 0, 0}));
    const auto scaled = apply(scene, "scale", {{"factor", 7.0}});
    EXPECT_EQ(test::onMesh(scaled->nodes[0], 0).normals.values, extras.normals.values);
}

TEST(Steps, RenameChangesTheItemAndNothingAbove) {
    const auto renamed = apply(test::sheetScene(), "rename", {{"name", "leaf/a"}});
    ASSERT_TRUE(renamed);
    EXPECT_EQ(renamed->nodes[0].path, "/leaf_a");
}

TEST(Steps, TimeStepsTakeTransformsAndVisibilityAlong) {
    Scene sub = demo::surveySub();
    sub.nodes[1].visibility =
        VisibilityTrack{Sampling::uniform(sub.view.rate.secondsAt(1001), sub.view.rate.secondsAt(1), 136),
                        std::vector<Visibility>(136, Visibility::Visible)};
    sub.nodes[1].visibility->values[135] = Visibility::Hidden;
    const auto moved = apply(sub, "offset", {{"frames", 10.0}});
    ASSERT_TRUE(moved);
    const auto at = [&](const Scene& scene, double frame) {
        return placementAt(scene, 1, scene.view.rate.secondsAt(frame));
    };
    EXPECT_EQ(at(*moved, 1060)->matrix, at(sub, 1050)->matrix);
    EXPECT_TRUE(at(*moved, 1136)->visible);
    EXPECT_FALSE(at(*moved, 1146)->visible);
    const auto trimmed = apply(sub, "trim", {{"first", 2000.0}, {"last", 2010.0}});
    ASSERT_TRUE(trimmed); // outside its samples a transform holds
    EXPECT_TRUE(trimmed->nodes[0].transform->sampling().isStill());
}

TEST(Items, PatternsChooseAndLeaveOut) {
    const Scene sub = demo::surveySub();
    const auto paths = [](const Result<Scene>& scene) {
        std::vector<std::string> list;
        if (scene)
            for (const Node& node : scene->nodes)
                if (node.geometry)
                    list.push_back(node.name);
        return list;
    };
    EXPECT_EQ(paths(selectedItems(sub, {"hull"})), (std::vector<std::string>{"hull"}));
    EXPECT_EQ(paths(selectedItems(sub, {"/survey_sub/fin*"})).size(), 3U);
    EXPECT_EQ(paths(selectedItems(sub, {"!fin*"})).size(), 11U);
    EXPECT_EQ(paths(selectedItems(sub, {"/survey_sub", "!*propeller*"})).size(), 13U);
    EXPECT_FALSE(selectedItems(sub, {"whale"}));
    EXPECT_FALSE(selectedItems(sub, {"!*"}));
    const auto gripper = selectedItems(sub, {"gripper"});
    ASSERT_TRUE(gripper); // with all that stands above it, and nothing else
    EXPECT_EQ(gripper->nodes.size(), 5U);
    EXPECT_EQ(gripper->nodes.back().path, "/survey_sub/arm_shoulder/arm_elbow/gripper_place/gripper");
    const std::size_t there = *sub.find(gripper->nodes.back().path);
    EXPECT_EQ(placementAt(*gripper, 4, 43.0)->matrix, placementAt(sub, there, 43.0)->matrix);
}

TEST(StepOptions, AreCheckedOnceForAll) {
    const StepType* drop = stepType("drop");
    ASSERT_NE(drop, nullptr);
    const auto standard = checkedOptions(*drop, json::object());
    ASSERT_TRUE(standard);
    EXPECT_EQ((*standard)["start"], 0.0);
    for (const json& bad : std::vector<json>{
             {{"start", -1.0}}, {{"start", 1.5}}, {{"start", "two"}}, {{"close", 1}}, {{"unknown", 1}}, json::array()})
        EXPECT_FALSE(checkedOptions(*drop, bad)) << bad;
    EXPECT_FALSE(checkedOptions(*stepType("turn"), {{"from", "W"}}));
    EXPECT_FALSE(checkedOptions(*stepType("resample"), {{"method", "magic"}}));
    EXPECT_EQ((*checkedOptions(*stepType("rate"), {{"rate", 23.976}}))["rate"], "24000/1001");
    EXPECT_EQ(stepType("nothing"), nullptr);
}

TEST(StepOptions, EveryTypeDescribesItselfAndRoundTripsAsJson) {
    for (const StepType& type : stepTypes()) {
        const auto standard = checkedOptions(type, json::object());
        ASSERT_TRUE(standard) << type.id;
        const Step step{std::string(type.id), *standard, true};
        EXPECT_EQ(describeStep(step), type.describe(*standard));
        const auto back = stepsFromJson(toJson({step}));
        ASSERT_TRUE(back) << type.id;
        EXPECT_EQ((*back)[0], step);
        EXPECT_FALSE(type.help.empty());
        for (const Option& option : type.options)
            EXPECT_FALSE(option.help.empty()) << type.id << "." << option.name;
    }
}

TEST(StepOptions, BadChainsAreRefused) {
    for (const char* bad :
         {"{}", "[1]", "[{}]", R"([{"type": "fly"}])", R"([{"type": "offset", "options": {"frames": "far"}}])"})
        EXPECT_FALSE(stepsFromJson(json::parse(bad))) << bad;
    const auto failing = applySteps(test::sheetScene(), {Step{"offset", {{"frames", 1.0}}, true},
                                                         Step{"trim", {{"first", 1.0}, {"last", 2.0}}, true}});
    ASSERT_FALSE(failing);
    EXPECT_NE(failing.error().what.find("step 2 (Trim)"), std::string::npos);
}

} // namespace
} // namespace wyc::steps_test
