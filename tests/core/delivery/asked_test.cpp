// SPDX-License-Identifier: GPL-3.0-or-later
// What is asked of a source, worked out apart from the steps: they do that and nothing else.
#include <gtest/gtest.h>

#include <iostream>

#include "delivery/delivery.h"
#include "delivery/proof/as_asked.h"
#include "delivery/proof/shown.h"
#include "support/expected.h"
#include "support/random_chain.h"
#include "support/temp_folder.h"

namespace wyc::asked_test {
namespace {

using namespace test;

TEST(Asked, StepsDoWhatTheirOptionsAskFor) {
    int wrong = 0;
    int judged = 0;
    for (int round = firstCase(); round < firstCase() + casesAsked(6000); ++round) {
        const auto it = randomCase(static_cast<unsigned>(round) * 15485867U + 11U, 6);
        if (!it)
            continue;
        const auto intention = intentionOf(std::make_shared<const Scene>(it->source), it->chain);
        ASSERT_TRUE(intention) << intention.error().text();
        judged += !intention->asks->unknown;
        if (!intention->otherThanAsked.empty() && ++wrong < 8)
            ADD_FAILURE() << "case " << round << ": " << intention->otherThanAsked.front() << "\n"
                          << toJson(it->chain) << "\n"
                          << described(it->source);
    }
    std::cout << wrong << " wrong, " << judged << " judged\n";
    EXPECT_EQ(wrong, 0);
    EXPECT_GT(judged, casesAsked(6000) * 8 / 10);
}

// A scene that says which frame of it is shown: the mesh by its x, the transform above it by its y, as long as each has
// samples; and it is seen from one frame to another.
struct Clock {
    double meshFirst = 1001;
    double meshLast = 1020;
    double moveFirst = 1001;
    double moveLast = 1060;
    double step = 1.0; // of the mesh, in frames
    std::optional<std::pair<double, double>> seen = {};
    std::optional<FrameRate> rate = FrameRate();
};

std::vector<double> framesFrom(double first, double last, double step = 1.0) {
    std::vector<double> frames;
    for (double f = first; f <= last + 1e-9; f += step)
        frames.push_back(f);
    return frames;
}

Sampling at(const std::vector<double>& frames, const FrameRate& rate) {
    std::vector<double> times;
    for (const double f : frames)
        times.push_back(rate.secondsAt(f));
    return samplingFromTimes(times);
}

Scene clockScene(const Clock& clock = {}) {
    Scene scene;
    scene.rate = clock.rate;
    scene.view.rate = clock.rate.value_or(FrameRate());
    const FrameRate rate = scene.view.rate;
    Node& place = addNode(scene, "place", -1, NodeKind::Transform);
    std::vector<std::vector<double>> ways;
    const auto moves = framesFrom(clock.moveFirst, clock.moveLast);
    for (const double f : moves)
        ways.push_back({0, f, 0});
    place.transform = std::make_shared<MemoryTransform>(
        at(moves, rate), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}}, ways);
    Node& mesh = addNode(scene, "mesh", 0, NodeKind::Mesh);
    std::vector<std::vector<Vec3f>> points;
    const auto poses = framesFrom(clock.meshFirst, clock.meshLast, clock.step);
    for (const double f : poses) {
        points.push_back(sheetPoints(3, 3, 0.0));
        for (Vec3f& p : points.back())
            p.x += static_cast<float>(f);
    }
    mesh.geometry = std::make_shared<MemoryGeometry>(at(poses, rate), gridTopology(3, 3), std::move(points));
    if (clock.seen) {
        VisibilityTrack track;
        track.sampling = at({clock.moveFirst, clock.seen->first, clock.seen->second + 1.0}, rate);
        track.values = {Visibility::Hidden, Visibility::Visible, Visibility::Hidden};
        mesh.visibility = track;
    }
    return scene;
}

// Which frames of the mesh and of the transform are shown, as a reader of the scene sees it.
std::pair<double, double> shownAt(const Scene& scene, double frame, double step = 1.0) {
    const double t = scene.view.rate.secondsAt(frame);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].geometry) {
            const Vec3d first = plainPoints(scene, i, t).at(0);
            const Vec3f zero = sheetPoints(3, 3, 0.0)[0];
            const auto whole = [step](double f) { return std::round(f / step * 1000.0) / 1000.0 * step; };
            return {whole(first.x - static_cast<double>(zero.x)), whole(first.y - static_cast<double>(zero.y))};
        }
    return {};
}

Scene after(const Scene& scene, const std::vector<Step>& steps) {
    const auto result = applySteps(scene, steps);
    EXPECT_TRUE(result) << (result ? "" : result.error().text());
    const auto intention = intentionOf(std::make_shared<const Scene>(scene), steps);
    EXPECT_TRUE(intention && intention->otherThanAsked.empty());
    return result ? *result : Scene();
}

// The points end at 1020, what carries them goes on to 1060, and so does all that a step leaves.
TEST(Asked, NothingStopsWhereThePointsEnd) {
    const std::vector<std::vector<Step>> chains{
        {{"every", {{"count", 2}}}},
        {{"drop", {{"frames", "1010"}}}},
        {{"drop", {{"frames", "1030"}}}},
        {{"fill", nlohmann::json::object()}},
        {{"drop", {{"frames", "1010:1011"}}}, {"fill", nlohmann::json::object()}},
        {{"ends", {{"first", "as it is"}, {"last", "as its neighbour"}}}},
        {{"ends", {{"first", "as its neighbour"}, {"last", "left out"}}}},
        {{"resample", {{"rate", "24"}, {"method", "nearest"}}}},
        {{"resample", {{"rate", "12"}, {"method", "nearest"}}},
         {"rate", {{"rate", "24"}}},
         {"resample", {{"rate", "24"}}}},
    };
    for (const auto& chain : chains) {
        SCOPED_TRACE(toJson(chain).dump());
        const Scene result = after(clockScene(), chain);
        const auto span = movingSpan(result);
        ASSERT_TRUE(span);
        if (chain.size() == 3)
            continue;
        for (const double frame : {1025.0, 1041.0, 1059.0})
            EXPECT_EQ(shownAt(result, frame).second, frame);
        EXPECT_GE(span->last, result.view.rate.secondsAt(1059.0) - 1e-6);
    }
}

TEST(Asked, DroppedFramesAreNowhereAndTheRestStays) {
    // Beyond the points, too.
    const Scene one = after(clockScene(), {{"drop", {{"frames", "1030"}, {"close", true}}}});
    EXPECT_EQ(shownAt(one, 1029).second, 1029.0);
    EXPECT_EQ(shownAt(one, 1030).second, 1031.0);
    EXPECT_EQ(shownAt(one, 1059).second, 1060.0);
    // A frame goes with the samples in it: all behind it moves by a whole one.
    Clock quarters;
    quarters.step = 0.25;
    quarters.meshLast = 1040;
    const Scene closed = after(clockScene(quarters), {{"drop", {{"frames", "1010"}, {"close", true}}}});
    EXPECT_EQ(shownAt(closed, 1010, 0.25), std::pair(1011.0, 1011.0));
    EXPECT_EQ(shownAt(closed, 1010.25, 0.25).first, 1011.25);
    const Scene open = after(clockScene(quarters), {{"drop", {{"frames", "1010:1014"}}}});
    for (const Node& node : open.nodes)
        for (const Sampling& sampling : {node.geometry ? node.geometry->sampling() : Sampling(),
                                         node.transform ? node.transform->sampling() : Sampling()})
            for (std::size_t i = 0; i < sampling.count() && !sampling.isStill(); ++i)
                EXPECT_FALSE(sampling.time(i) > open.view.rate.secondsAt(1009.8) &&
                             sampling.time(i) < open.view.rate.secondsAt(1014.99));
    // They do not come back with the world.
    const Scene world = after(clockScene(), {{"drop", {{"frames", "1010:1011"}}}, {"world", nlohmann::json::object()}});
    EXPECT_EQ(shapeOf(world).sampling().locate(world.view.rate.secondsAt(1010.0)).weight > 0.0, true);
    // A shutter's samples go with their frame on both sides of it.
    const Scene shutter = after(clockScene(), {{"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}},
                                               {"drop", {{"frames", "1030"}, {"close", true}}}});
    for (const double beside : {-0.25, 0.0, 0.25})
        EXPECT_EQ(shownAt(shutter, 1030 + beside, 0.25).second, 1031 + beside);
}

TEST(Asked, WhatIsSeenStaysSeenAndFlipsAreInTheRange) {
    Clock clock{1001, 1020, 1001, 1020};
    clock.seen = std::pair(1007.0, 1040.0);
    const Scene held = after(clockScene(clock), {{"hold", {{"after", 2}}}});
    EXPECT_TRUE(test::plainVisible(held, 1, held.view.rate.secondsAt(1040.4)));
    EXPECT_FALSE(test::plainVisible(held, 1, held.view.rate.secondsAt(1041.4)));
    const Scene closed = after(clockScene(clock), {{"drop", {{"frames", "1003:1004"}, {"close", true}}}});
    for (double f = 1001; f < 1039; f += 1.0) {
        const double source = f < 1002.5 ? f : f + 2.0;
        EXPECT_EQ(test::plainVisible(closed, 1, closed.view.rate.secondsAt(f + 0.1)), source >= 1007 && source < 1041)
            << f;
    }
}

TEST(Asked, AMendOfAnEndIsForThePointsAlone) {
    for (const char* how : {"left out", "as its neighbour"}) {
        Clock late;
        late.meshFirst = 1005;
        const Scene result = after(clockScene(late), {{"ends", {{"first", how}, {"last", how}}}});
        EXPECT_EQ(shownAt(result, 1005), std::pair(1006.0, 1005.0));
        EXPECT_EQ(shownAt(result, 1001), std::pair(1006.0, 1001.0));
        EXPECT_EQ(shownAt(result, 1020), std::pair(1019.0, 1020.0));
        EXPECT_EQ(shownAt(result, 1060), std::pair(1019.0, 1060.0));
    }
}

TEST(Asked, CurvesAndCyclesShowTheirEnds) {
    const Clock ten{1001, 1010, 1001, 1010};
    const Scene again =
        after(clockScene(ten), {{"retime", {{"curve", "x1"}, {"beyond", "repeat"}, {"until", 1015.0}}}});
    for (const auto& [frame, shown] : {std::pair(1010.0, 1010.0), {1011.0, 1001.0}, {1012.0, 1002.0}})
        EXPECT_EQ(shownAt(again, frame), std::pair(shown, shown));
    const Scene fast = after(clockScene(ten), {{"retime", {{"curve", "x2"}}}});
    EXPECT_EQ(fast.view.rate.frameAt(fast.view.range->last), 1006.0);
    EXPECT_EQ(shownAt(fast, 1006).first, 1010.0);
    const Step loop{"loop", {{"start", 1001.0}, {"length", 5}, {"close", "cut"}, {"closing_copy", true}}};
    EXPECT_EQ(shownAt(after(clockScene(ten), {loop}), 1006).first, 1001.0);
    Step filled = loop;
    filled.options["fill"] = "1001:1012";
    EXPECT_FALSE(applySteps(clockScene(ten), {filled}));
}

TEST(Asked, ALeadInBeginsWhereAnythingMoves) {
    Clock late;
    late.meshFirst = 1010;
    const Scene led = after(clockScene(late), {{"lead_in", {{"frames", 5}, {"from", "frame"}, {"frame", 1012.0}}}});
    EXPECT_EQ(led.view.rate.frameAt(led.view.range->first), 996.0);
    EXPECT_EQ(shownAt(led, 1003), std::pair(1010.0, 1003.0));
}

DeliveryInput inputOf(const Scene& scene, const std::string& name) {
    DeliveryInput input;
    input.label = input.itemName = name;
    input.scene = scene;
    input.source = std::make_shared<const Scene>(scene);
    input.provenance = nlohmann::json::object();
    return input;
}

TEST(Asked, ItemsOfADeliveryStayInStepAndRangesCountInTheirRate) {
    const TempFolder folder;
    DeliverySpec spec;
    spec.folder = folder.path();
    spec.nameTemplate = "{item}";
    spec.wholeRange = true;
    spec.firstFrame = 1.0;
    const auto plan = planDelivery(
        {inputOf(clockScene({1001, 1050, 1001, 1050}), "early"), inputOf(clockScene({1021, 1050, 1021, 1050}), "late")},
        spec, Shot());
    ASSERT_TRUE(plan) << plan.error().text();
    EXPECT_EQ((*plan)[0].frames->first, 1.0);
    EXPECT_EQ((*plan)[1].frames->first, 21.0);
    for (const PlannedOutput& output : *plan) {
        const auto proven = runOutput(output, {}, Progress());
        EXPECT_TRUE(proven) << proven.error().text();
    }
    // No rate is told: it counts in frames of the source.
    Clock thirty{1, 200, 1, 200};
    thirty.rate = FrameRate::make(30, 1);
    Shot shot;
    shot.range = FrameRange{1, 200};
    spec.wholeRange = false;
    spec.firstFrame.reset();
    spec.nameTemplate = "{item}_30";
    const auto all = planDelivery({inputOf(clockScene(thirty), "all")}, spec, shot);
    ASSERT_TRUE(all) << all.error().text();
    EXPECT_EQ((*all)[0].frames->first, 1.0);
    EXPECT_EQ((*all)[0].frames->last, 200.0);
}

// A step that means something else than its options ask is found out, whichever way it strays.
TEST(Asked, StepsThatStrayAreFoundOut) {
    const Scene scene = clockScene();
    const std::vector<Step> steps{{"trim", {{"first", 1005.0}, {"last", 1050.0}}}, {"offset", {{"frames", 10.0}}}};
    const auto intention = intentionOf(std::make_shared<const Scene>(scene), steps);
    ASSERT_TRUE(intention);
    const FrameRate rate = scene.view.rate;
    // What is said when this is other than it should be.
    const auto words = [&](const std::function<void(Intention&)>& stray) {
        Intention other = *intention;
        stray(other);
        const auto all = otherThanAsked(*other.asks, other, false);
        return all.empty() ? std::string() : all.front();
    };
    EXPECT_EQ(words([](Intention&) {}), "");
    EXPECT_EQ(words([&](Intention& i) { i.time = TimeMap::run(rate.secondsAt(11), 0.0); }),
              "frame 1015 would show the source's 1004; 1005 is asked for");
    EXPECT_NE(words([&](Intention& i) { i.points = TimeMap::run(rate.secondsAt(9), 0.0); }), "");
    EXPECT_EQ(words([&](Intention& i) { i.wanted.range->last = rate.secondsAt(1020.0); }),
              "frame 1021 is asked for and left out");
    EXPECT_NE(words([&](Intention& i) { i.wanted.range->last = rate.secondsAt(1070.0); }), "");
    EXPECT_EQ(words([&](Intention& i) {
                  i.wanted.gaps = {{rate.secondsAt(1030.0), rate.secondsAt(1032.0)}};
              }),
              "frame 1031 is asked for and left out");
    EXPECT_NE(words([&](Intention& i) { i.wanted.moments = at({1015, 1016}, rate); }), "");
    EXPECT_NE(words([&](Intention& i) { i.wanted.rate = *FrameRate::make(25, 1); }), "");
}

// A scene that was cut by nobody's step promises less than was asked: it is not proven.
TEST(Asked, WhatWasCutOnTheWayIsNotProven) {
    const TempFolder folder;
    DeliveryInput input = inputOf(clockScene(), "clock");
    input.scene = *applySteps(input.scene, {{"trim", {{"first", 1001.0}, {"last", 1030.0}}}});
    for (const char* name : {"a.abc", "p/a.####.obj"}) {
        const auto plan = planConversion({input}, {folder.path() / name, false, true});
        ASSERT_TRUE(plan) << plan.error().text();
        const auto done = runOutput(plan->front(), {}, Progress());
        ASSERT_FALSE(done) << name;
        EXPECT_NE(done.error().what.find("frame 1031 is asked for and left out"), std::string::npos)
            << done.error().text();
    }
}

// Times that no motion has, as a damaged file may say them.
TEST(Asked, EndsOfTimeAreNoReasonToWait) {
    Scene scene = clockScene();
    for (const double last : {1e9, 1e18, 1e300}) {
        scene.nodes[0].transform = std::make_shared<MemoryTransform>(
            Sampling::acyclic({0.0, last}), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
            std::vector<std::vector<double>>{{0, 0, 0}, {0, 1, 0}});
        for (const Step& step : std::vector<Step>{{"offset", {{"frames", 5.0}}},
                                                  {"every", {{"count", 2}}},
                                                  {"hold", {{"after", 2}}},
                                                  {"shutter", nlohmann::json::object()}})
            (void)intentionOf(std::make_shared<const Scene>(scene), {step});
    }
}

// Between two whole frames something moves: there is no sample to count, and still a motion to hold.
TEST(Asked, AMotionWithinAFrameIsHeld) {
    Scene scene = clockScene();
    const FrameRate rate = scene.view.rate;
    scene.nodes[1].geometry = std::make_shared<MemoryGeometry>(Sampling::still(), gridTopology(3, 3),
                                                               std::vector<std::vector<Vec3f>>{sheetPoints(3, 3, 0)});
    scene.nodes[0].transform = std::make_shared<MemoryTransform>(
        at({1001.2, 1001.7}, rate), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
        std::vector<std::vector<double>>{{0, 0, 0}, {0, 1, 0}});
    const Scene held = after(scene, {{"hold", {{"after", 2}}}});
    EXPECT_NEAR(plainMatrix(held, 0, rate.secondsAt(1003.0)).m[13], 1.0, 1e-9);
}

// Every step on time is known here: one that is not would go unjudged.
// A rigid thing under a transform, in a format that has none: it stands where it stood, and that is told; or it lies in
// its own space where that is asked for.
TEST(Asked, WithoutTransformsThingsStandWhereTheyStood) {
    const TempFolder folder;
    Scene scene = clockScene();
    const auto pose = pointsOf(*scene.nodes[1].geometry, 0);
    scene.nodes[1].geometry =
        std::make_shared<MemoryGeometry>(Sampling::still(), gridTopology(3, 3), std::vector<std::vector<Vec3f>>{pose});
    for (const bool ownSpace : {false, true})
        for (const char* format : {"mdd", "obj-sequence", "obj"}) {
            DeliverySpec spec;
            spec.format = format;
            spec.folder = folder.path() / (std::string(format) + (ownSpace ? "_own" : ""));
            spec.nameTemplate = "it";
            spec.wholeRange = true;
            spec.ownSpace = ownSpace;
            const auto plan = planDelivery({inputOf(scene, "mesh")}, spec, Shot());
            ASSERT_TRUE(plan) << format << plan.error().text();
            const PlannedOutput& output = plan->front();
            const bool one = ownSpace || std::string(format) == "obj"; // a file of one pose holds the first
            EXPECT_TRUE(std::any_of(output.losses.begin(), output.losses.end(), [&](const Loss& loss) {
                return loss.what.find(ownSpace ? "in their own space" : "it goes into the points") != std::string::npos;
            })) << format;
            const auto done = runOutput(output, {}, Progress());
            ASSERT_TRUE(done) << format << ": " << done.error().text();
            const Node& node = *std::find_if(output.scene.nodes.begin(), output.scene.nodes.end(),
                                             [](const Node& n) { return n.geometry != nullptr; });
            const std::size_t last = node.geometry->sampling().count() - 1;
            EXPECT_EQ(output.sampleCount, ownSpace ? 1U : 60U) << format;
            EXPECT_EQ(done->files.size() > 10, !one && output.format->sequence) << format;
            const float up = pointsOf(*node.geometry, last)[0].y - pose[0].y;
            EXPECT_FLOAT_EQ(up, ownSpace ? 0.0F : 1060.0F) << format;
        }
}

TEST(Asked, KnowsEveryStepOnTime) {
    for (const StepType& type : stepTypes())
        if (type.time) {
            nlohmann::json options = nlohmann::json::object();
            if (type.id == "lead_in")
                options = {{"from", "frame"}, {"frame", 1003.0}};
            if (type.id == "loop")
                options = {{"start", 1005.0}, {"length", 12}, {"fade", 4}};
            if (type.id == "keep" || type.id == "drop")
                options = {{"frames", "1004:1009"}};
            const Asked asks = asked(clockScene(), {{std::string(type.id), options, true}});
            EXPECT_FALSE(asks.unknown) << type.id;
        }
}

} // namespace
} // namespace wyc::asked_test
