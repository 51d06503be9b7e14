// SPDX-License-Identifier: GPL-3.0-or-later
// Cycles: found where a motion comes back and nowhere else, closed so that nobody sees the seam, judged when given.
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <set>

#include <fmt/format.h>

#include "job/job.h"
#include "measure/loop.h"
#include "measure/motion.h"
#include "steps/step.h"
#include "steps/time/retime_curve.h"
#include "support/delivered.h"
#include "support/expected.h"
#include "support/motions.h"
#include "support/temp_folder.h"
#include "workbench/loops.h"
#include "workbench/workbench.h"

namespace wyc::loop_test {
namespace {

using nlohmann::json;

Result<std::vector<LoopCandidate>> candidatesOf(const Scene& scene, const LoopBounds& bounds = {}) {
    WYC_TRY(map, seamMapOf(movingItemsOf(scene), {}, Progress()));
    return loopCandidates(map, bounds);
}

Result<LoopCheck> checkOf(const Scene& scene) {
    return checkLoop(movingItemsOf(scene), Progress());
}

double offWholePeriods(double length, double period) {
    return std::abs(length - period * std::max(1.0, std::round(length / period)));
}

TEST(Loops, TheFirstCandidateIsAWholeNumberOfPeriods) {
    int right = 0;
    int good = 0;
    for (unsigned seed = 0; seed < 100; ++seed) {
        std::mt19937 random(seed * 7919U + 3U);
        test::Returning motion;
        motion.period = 14.0 + 0.5 * static_cast<double>(random() % 50U);
        motion.frames = static_cast<int>(std::ceil(motion.period * test::uniform(random, 2.2, 4.0)));
        motion.drift = seed % 3 == 0 ? test::uniform(random, 0.0, 0.0006) : 0.0;
        motion.noise = seed % 2 == 0 ? test::uniform(random, 0.0, 0.006) : 0.0;
        const auto found = candidatesOf(test::returningScene(random, motion));
        ASSERT_TRUE(found) << found.error().text();
        ASSERT_FALSE(found->empty()) << seed;
        const bool is = offWholePeriods(found->front().length, motion.period) <= 1.0;
        right += is;
        good += found->front().good;
        if (!is)
            std::cout << "seed " << seed << ": " << found->front().length << " for a period of " << motion.period
                      << "\n";
    }
    std::cout << right << " of 100 within a frame, " << good << " called good\n";
    EXPECT_GE(right, 99);
    EXPECT_GE(good, 90);
}

TEST(Loops, WhatNeverComesBackHasNoGoodOne) {
    for (unsigned seed = 0; seed < 100; ++seed) {
        std::mt19937 random(seed * 104729U + 11U);
        const auto found = candidatesOf(test::wanderingScene(random, static_cast<int>(seed)));
        ASSERT_TRUE(found) << seed << ": " << found.error().text();
        for (const LoopCandidate& candidate : *found)
            EXPECT_FALSE(candidate.good) << "kind " << seed % 6 << ", seed " << seed << ": " << candidate.start << " + "
                                         << candidate.length << ", gap " << candidate.gapSteps << " steps";
    }
}

TEST(Loops, BoundsAreKeptAndCandidatesAreDistinct) {
    const Scene scene = test::returningScene(5, {.period = 20, .frames = 90, .noise = 0.002});
    LoopBounds bounds;
    bounds.start = FrameRange{1005, 1015};
    bounds.length = FrameRange{30, 50};
    const auto found = candidatesOf(scene, bounds);
    ASSERT_TRUE(found);
    ASSERT_FALSE(found->empty());
    EXPECT_EQ(found->front().length, 40.0);
    for (std::size_t i = 0; i < found->size(); ++i) {
        EXPECT_TRUE(bounds.start->contains((*found)[i].start));
        EXPECT_TRUE(bounds.length->contains((*found)[i].length));
        for (std::size_t j = 0; j < i; ++j)
            EXPECT_GT(std::abs((*found)[i].length - (*found)[j].length) * 10.0 +
                          std::abs((*found)[i].start - (*found)[j].start),
                      2.5);
    }
    bounds.start = FrameRange{2000, 2010};
    EXPECT_FALSE(candidatesOf(scene, bounds));
}

TEST(Loops, ASketchFindsWhatAllPointsDo) {
    Scene scene = test::returningScene(9, {.period = 24, .frames = 80});
    const auto items = movingItemsOf(scene);
    const auto exact = seamMapOf(items, {}, Progress());
    SeamMapSettings settings;
    settings.sketchPoints = 16;
    const auto sketch = seamMapOf(items, settings, Progress());
    ASSERT_TRUE(exact && sketch);
    EXPECT_TRUE(exact->ofAllPoints());
    // Directly, pair by pair.
    for (const auto& [i, j] : {std::pair<std::size_t, std::size_t>{0, 24}, {3, 17}, {40, 71}}) {
        const auto a = test::pointsOf(test::shapeOf(scene), i);
        const auto b = test::pointsOf(test::shapeOf(scene), j);
        EXPECT_NEAR(exact->distance(i, j), static_cast<double>(rmsDistance(a, b)), 2e-4);
    }
    EXPECT_EQ(loopCandidates(*sketch, {})->front().length, loopCandidates(*exact, {})->front().length);
}

TEST(Loops, TravelIsTakenOutOnRequest) {
    // A sheet that swings on the spot while all of it moves on and turns.
    Scene scene = test::returningScene(21, {.period = 20, .frames = 70});
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t f = 0; f < 70; ++f) {
        auto points = test::pointsOf(test::shapeOf(scene), f);
        const Mat4 move = Mat4::rotation({0, 1, 0}, 0.03 * static_cast<double>(f)) *
                          Mat4::translation({0.08 * static_cast<double>(f), 0, 0});
        for (Vec3f& p : points) {
            const Vec3d q = transformedPoint(Vec3d(p), move);
            p = {static_cast<float>(q.x), static_cast<float>(q.y), static_cast<float>(q.z)};
        }
        samples.push_back(std::move(points));
    }
    scene.nodes[0].geometry =
        std::make_shared<MemoryGeometry>(test::shapeOf(scene).sampling(), test::gridTopology(6, 6), std::move(samples));
    const auto items = movingItemsOf(scene);
    SeamMapSettings settings;
    settings.inPlace = true;
    const auto still = seamMapOf(items, settings, Progress());
    const auto moving = seamMapOf(items, {}, Progress());
    ASSERT_TRUE(still && moving);
    const auto found = loopCandidates(*still, {});
    ASSERT_TRUE(found);
    EXPECT_EQ(std::fmod(found->front().length, 20.0), 0.0);
    EXPECT_TRUE(found->front().good);
    const auto wandering = loopCandidates(*moving, {});
    ASSERT_TRUE(wandering);
    for (const LoopCandidate& candidate : *wandering)
        EXPECT_FALSE(candidate.good);
}

TEST(Loops, WhatCannotBeSearchedIsSaid) {
    test::SheetOptions options;
    options.count = 3;
    EXPECT_NE(candidatesOf(test::sheetScene(options)).error().text().find("four"), std::string::npos);
    options.count = 20;
    options.pose = [](double) { return 0.0; }; // samples that are all the same
    EXPECT_NE(candidatesOf(test::sheetScene(options)).error().text().find("does not move"), std::string::npos);
    EXPECT_NE(checkOf(test::sheetScene(options)).error().text().find("does not move"), std::string::npos);
    options.pose = [](double frame) { return frame; };
    options.count = 4100;
    options.rows = options.columns = 2;
    EXPECT_NE(candidatesOf(test::sheetScene(options)).error().text().find("4,100"), std::string::npos);
    EXPECT_TRUE(checkOf(test::sheetScene(options))); // that looks at neighbours only
    options.count = 20;
    options.rows = options.columns = 6;
    options.plant = [](double frame, std::vector<Vec3f>& points) {
        if (frame == 1007)
            points[4].y = std::numeric_limits<float>::quiet_NaN();
    };
    EXPECT_NE(candidatesOf(test::sheetScene(options)).error().text().find("1007"), std::string::npos);
    Scene a = test::sheetScene();
    Scene b = test::sheetScene();
    b.view.rate = *FrameRate::parse("30");
    EXPECT_FALSE(seamMapOf({{&a, 0, 1.0}, {&b, 0, 1.0}}, {}, Progress()));
}

// Closed cycles of motions that nearly come back: over the seam as over any other frame.
TEST(Loops, ClosedCyclesHaveNoSeam) {
    int closed = 0;
    for (unsigned seed = 0; seed < 100; ++seed) {
        SCOPED_TRACE(seed);
        std::mt19937 random(seed * 31337U + 1U);
        test::Returning motion;
        motion.period = 18.0 + static_cast<double>(random() % 30U);
        motion.frames = static_cast<int>(motion.period * test::uniform(random, 2.3, 3.5));
        motion.drift = test::uniform(random, 0.0, 0.002);
        const Scene scene = test::returningScene(random, motion);
        const auto map = seamMapOf(movingItemsOf(scene), {}, Progress());
        ASSERT_TRUE(map);
        const auto candidate = candidateFor(*map, {});
        ASSERT_TRUE(candidate) << candidate.error().text();
        const LoopClosing closing = closingFor(*map, *candidate);
        const Step step = loopStepFor(*candidate, closing);
        const auto cycle = applySteps(scene, {step});
        ASSERT_TRUE(cycle) << cycle.error().text();
        const double period = candidate->length + (closing.close == "bridge" ? closing.fade : 0.0);
        EXPECT_EQ(test::shapeOf(*cycle).sampling().count(), static_cast<std::size_t>(period));
        const auto check = checkOf(*cycle);
        ASSERT_TRUE(check);
        EXPECT_FALSE(check->doubledEnd || check->closingCopy);
        closed += check->loops;
        EXPECT_TRUE(check->loops) << describeStep(step) << ": step " << check->step << " of " << check->smallestStep
                                  << " – " << check->largestStep << ", gap " << check->gap << " inside "
                                  << check->largestInside;
        // Again and again: every cycle is the first.
        Step thrice = step;
        thrice.options["cycles"] = 3.0;
        const auto three = applySteps(scene, {thrice});
        ASSERT_TRUE(three);
        const auto n = static_cast<std::size_t>(period);
        ASSERT_EQ(test::shapeOf(*three).sampling().count(), 3 * n);
        for (const std::size_t f : {std::size_t{0}, n / 2, n - 1})
            EXPECT_LT(
                rmsDistance(test::pointsOf(test::shapeOf(*three), f + n), test::pointsOf(test::shapeOf(*cycle), f)),
                1e-7F);
        Step copy = step;
        copy.options["closing_copy"] = true;
        const auto withCopy = applySteps(scene, {copy});
        ASSERT_EQ(test::shapeOf(*withCopy).sampling().count(), n + 1);
        EXPECT_TRUE(
            test::sameBits(test::pointsOf(test::shapeOf(*withCopy), n), test::pointsOf(test::shapeOf(*withCopy), 0)));
    }
    std::cout << closed << " of 100 closed\n";
}

TEST(Loops, ABridgeLeavesAndArrivesAsTheMotionDoes) {
    const Scene scene = test::returningScene(77, {.period = 40, .frames = 60});
    const Step step{"loop", {{"start", 1005}, {"length", 30}, {"close", "bridge"}, {"fade", 12}}, true};
    const auto cycle = applySteps(scene, {step});
    ASSERT_TRUE(cycle) << cycle.error().text();
    EXPECT_EQ(test::shapeOf(*cycle).sampling().count(), 42U);
    const auto check = checkOf(*cycle);
    ASSERT_TRUE(check);
    EXPECT_LT(check->gap, 1.5 * check->largestInside);
    for (std::size_t f = 0; f < 30; ++f) // what was there is untouched
        EXPECT_TRUE(
            test::sameBits(test::pointsOf(test::shapeOf(*cycle), f), test::pointsOf(test::shapeOf(scene), f + 4)));
}

TEST(Loops, AFadeThatKeepsShapeKeepsATurningBarsEdges) {
    // A bar that turns 2.5 times in 60 frames: poses that are faded into one another lie half a turn apart.
    std::vector<std::vector<Vec3f>> samples;
    for (int f = 0; f < 90; ++f) {
        std::vector<Vec3f> points;
        const double angle = 2.0 * std::numbers::pi * 2.35 * f / 60.0;
        for (int i = 0; i < 16; ++i) {
            const double along = (i / 2 - 3.5) * 0.3;
            const double side = i % 2 ? 0.05 : -0.05;
            points.push_back({static_cast<float>(along * std::cos(angle) - side * std::sin(angle)),
                              static_cast<float>(along * std::sin(angle) + side * std::cos(angle)),
                              0.02F * float(i % 3)});
        }
        samples.push_back(points);
    }
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(
        Sampling::uniform(scene.view.rate.secondsAt(1001), scene.view.rate.secondsAt(1.0), 90),
        test::gridTopology(8, 2), std::move(samples));
    Step step{"loop", {{"start", 1013}, {"length", 60}, {"fade", 12}, {"close", "overlap"}}, true};
    const auto straight = fadeShrink(scene, 0, step);
    step.options["keep_shape"] = true;
    const auto kept = fadeShrink(scene, 0, step);
    ASSERT_TRUE(straight && kept);
    std::cout << "edges shrink by " << *straight << " in a straight fade, by " << *kept << " with shape kept\n";
    EXPECT_GT(*straight, 0.10);
    EXPECT_LT(*kept, 0.01);
}

TEST(Loops, FaultyCyclesAreFoundEachWithWhatMendsIt) {
    const auto cycleOf = [](std::size_t count, const std::function<double(double)>& pose) {
        test::SheetOptions options;
        options.count = count;
        options.rows = options.columns = 6;
        options.pose = pose;
        // One turn of the sheet's phase a cycle of 30 frames; its second swing goes round in the same time.
        Scene scene = test::sheetScene(options);
        std::vector<std::vector<Vec3f>> samples;
        for (std::size_t f = 0; f < count; ++f) {
            const double turn = 2.0 * std::numbers::pi * pose(static_cast<double>(f)) / 30.0;
            std::vector<Vec3f> points = test::sheetPoints(6, 6, 0.0);
            for (std::size_t i = 0; i < points.size(); ++i) {
                points[i].x += static_cast<float>(0.3 * std::sin(turn + 0.2 * double(i)));
                points[i].y += static_cast<float>(0.2 * std::cos(turn + 0.1 * double(i)));
            }
            samples.push_back(std::move(points));
        }
        scene.nodes[0].geometry =
            std::make_shared<MemoryGeometry>(test::shapeOf(scene).sampling(), test::gridTopology(6, 6), samples);
        return scene;
    };
    const auto idsOf = [](const Scene& scene) {
        std::vector<std::string> ids;
        const auto check = checkOf(scene);
        EXPECT_TRUE(check);
        for (const Finding& finding : loopFindings(*check, "/sheet"))
            ids.push_back(finding.id);
        return ids;
    };
    const auto same = [](double f) { return f; };
    EXPECT_TRUE(checkOf(cycleOf(30, same))->loops);
    EXPECT_EQ(idsOf(cycleOf(30, same)), std::vector<std::string>{});
    const Scene copy = cycleOf(31, same);
    EXPECT_EQ(idsOf(copy), std::vector<std::string>{"loop.closing_copy"});
    EXPECT_EQ(checkOf(copy)->length, 30.0);
    const auto mended = applySteps(copy, loopFindings(*checkOf(copy), "").front().mend);
    ASSERT_TRUE(mended);
    EXPECT_TRUE(idsOf(*mended).empty());
    EXPECT_EQ(idsOf(cycleOf(29, same)), std::vector<std::string>{"loop.open"}); // a frame short
    EXPECT_EQ(idsOf(cycleOf(25, same)), std::vector<std::string>{"loop.open"});
    EXPECT_EQ(idsOf(cycleOf(31, [](double f) { return std::min(f, 29.0); })),
              std::vector<std::string>{"loop.doubled_end"});
    EXPECT_EQ(idsOf(cycleOf(31, [](double f) { return f < 30 ? f : 29.7; })), std::vector<std::string>{"loop.pause"});
    std::mt19937 random(4);
    EXPECT_FALSE(checkOf(test::wanderingScene(random, 0))->loops);
}

TEST(Loops, AWeightCanBeDrawn) {
    const Scene scene = test::returningScene(3, {.period = 20, .frames = 60});
    const auto cycle = [&](const json& more) {
        json options{{"start", 1021}, {"length", 20}, {"fade", 10}, {"side", "end"}};
        options.update(more);
        return applySteps(scene, {{"loop", options, true}});
    };
    const auto linear = cycle({{"weight", "linear"}});
    const auto drawn = cycle({{"weights", "0.25=0.25\n0.5 0.5; 0.75=0.75"}}); // the same, key by key
    ASSERT_TRUE(linear && drawn);
    for (std::size_t f = 0; f < 20; ++f)
        EXPECT_LT(rmsDistance(test::pointsOf(test::shapeOf(*linear), f), test::pointsOf(test::shapeOf(*drawn), f)),
                  1e-6F);
    const auto late = cycle({{"weights", "0.9=0.0"}}); // nothing of the other end until nearly the last frame
    ASSERT_TRUE(late);
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*late), 15), test::pointsOf(test::shapeOf(scene), 35)));
    EXPECT_FALSE(cycle({{"weights", "0.5=0.8, 0.25=0.1"}}));
    EXPECT_FALSE(cycle({{"weights", "soon"}}));
    EXPECT_FALSE(cycle({{"weights", "0.5=1.2"}}));
}

TEST(Loops, WhatIsMeantToLoopIsChecked) {
    const test::TempFolder folder;
    Scene scene = test::returningScene(12, {.period = 24, .frames = 70});
    scene.rate = scene.view.rate;
    ASSERT_TRUE(test::writeScene(scene, folder / "swing.abc"));
    Job job;
    SourceSpec spec;
    spec.path = folder / "swing.abc";
    job.sources.push_back({SourceId{1}, spec});
    const auto idsOf = [&] {
        const auto opened = openSources(job);
        EXPECT_TRUE(opened);
        const auto items = measuredItemsOf(job, *opened, Progress());
        EXPECT_TRUE(items);
        std::set<std::string> ids;
        for (const ItemFinding& found : findingsOf(job, *opened, *items))
            ids.insert(found.finding.id);
        return ids;
    };
    EXPECT_FALSE(idsOf().contains("loop.open"));
    job.itemFor(SourceId{1}, "/sheet").loops = true;
    EXPECT_TRUE(idsOf().contains("loop.open"));
    job.itemFor(SourceId{1}, "/sheet").steps = {{"loop", {{"start", 1020}, {"length", 24}, {"fade", 6}}, true}};
    EXPECT_FALSE(idsOf().contains("loop.open"));
    job.itemFor(SourceId{1}, "/sheet").steps[0].options["closing_copy"] = true; // meant
    EXPECT_FALSE(idsOf().contains("loop.closing_copy"));
    ASSERT_TRUE(saveJob(job, folder / "a.wyc"));
    const auto again = loadJob(folder / "a.wyc");
    ASSERT_TRUE(again);
    EXPECT_TRUE(again->items.at(0).loops);
}

TEST(Loops, WhatFeedsAFadeHasToBeThere) {
    const Scene scene = test::returningScene(3, {.period = 20, .frames = 30}); // 1001 – 1030
    const auto words = [&](const json& options) {
        const auto made = applySteps(scene, {{"loop", options, true}});
        return made ? std::string() : made.error().text();
    };
    EXPECT_NE(words({{"start", 1005}, {"length", 20}, {"fade", 9}}).find("At most 6"), std::string::npos);
    EXPECT_TRUE(words({{"start", 1005}, {"length", 20}, {"fade", 6}}).empty());
    EXPECT_NE(words({{"start", 1001}, {"length", 30}, {"fade", 2}}).find("bridge"), std::string::npos);
    EXPECT_NE(words({{"start", 1015}, {"length", 20}}).find("1001 – 1030"), std::string::npos);
    const auto still = applySteps(scene, {{"keep", {{"frames", "1004"}}, true}, {"loop", {{"start", 1004}}, true}});
    EXPECT_FALSE(still);
}

TEST(Retime, CurvesShowWhatTheySay) {
    const Scene scene = test::sheetScene(); // 1001 – 1024
    const auto frames = [&](const json& options) {
        const auto made = applySteps(scene, {{"retime", options, true}});
        EXPECT_TRUE(made) << (made ? "" : made.error().text());
        std::vector<double> shown; // which source frame each sample is, −1 where none
        const Geometry& shape = test::shapeOf(*made);
        for (std::size_t s = 0; s < shape.sampling().count(); ++s) {
            double found = -1;
            for (std::size_t i = 0; i < 24; ++i)
                if (test::sameBits(test::pointsOf(shape, s), test::pointsOf(test::shapeOf(scene), i)))
                    found = 1001.0 + static_cast<double>(i);
            shown.push_back(found);
        }
        return shown;
    };
    const auto reversed = frames({{"curve", "reverse"}});
    ASSERT_EQ(reversed.size(), 24U);
    for (std::size_t i = 0; i < 24; ++i)
        EXPECT_EQ(reversed[i], 1024.0 - static_cast<double>(i));
    EXPECT_EQ(frames({{"curve", "x2"}}),
              (std::vector<double>{1001, 1003, 1005, 1007, 1009, 1011, 1013, 1015, 1017, 1019, 1021, 1023, 1024}));
    const auto back = frames({{"curve", "there and back"}});
    ASSERT_EQ(back.size(), 47U);
    EXPECT_EQ(back[23], 1024.0);
    EXPECT_EQ(back[46], 1001.0);
    EXPECT_EQ(frames({{"curve", "hold 1010"}}), std::vector<double>(24, 1010.0));
    const auto slow = frames({{"curve", "x0.5"}});
    ASSERT_EQ(slow.size(), 47U);
    EXPECT_EQ(slow[2], 1002.0);
    EXPECT_EQ(slow[3], -1.0); // between two
    EXPECT_EQ(frames({{"curve", "1001=1005, 1004=1008"}, {"beyond", "repeat"}, {"until", 1010}}),
              (std::vector<double>{1005, 1006, 1007, 1008, 1005, 1006, 1007, 1008, 1005, 1006}));
    EXPECT_EQ(frames({{"curve", "1001=1005, 1004=1008"}, {"beyond", "there and back"}, {"until", 1009}}),
              (std::vector<double>{1005, 1006, 1007, 1008, 1007, 1006, 1005, 1006, 1007}));
    const auto refused = [&](const char* curve) {
        const auto made = applySteps(scene, {{"retime", {{"curve", curve}}, true}});
        return made ? std::string() : made.error().text();
    };
    EXPECT_NE(refused("1001=1001, 1010=1030").find("1030"), std::string::npos);
    EXPECT_NE(refused("1010=1001, 1005=1010").find("rise"), std::string::npos);
    EXPECT_NE(refused("faster").find("OUT=IN"), std::string::npos);
    EXPECT_FALSE(refused("1001=1001").empty());
    EXPECT_FALSE(refused("x0").empty());
}

// A cache for motion blur stays one.
TEST(Retime, SamplesBetweenFramesStay) {
    const Scene plain = test::sheetScene();
    const Scene fine = *applySteps(plain, {{"shutter", {{"open", -0.25}, {"close", 0.5}, {"samples", 4}}, true}});
    const Scene open = *applySteps(fine, {{"trim", {{"first", 1001}, {"last", 1023}}, true}});
    for (const auto& [scene, curve, samples] : {std::tuple{&plain, "x0.5", 47U},
                                                {&fine, "1001=1001, 1021=1011", 81U},
                                                {&open, "1001=1020, 1011=1010", 41U}}) {
        const auto made = applySteps(*scene, {{"retime", {{"curve", curve}}, true}});
        ASSERT_TRUE(made) << made.error().text();
        EXPECT_EQ(test::shapeOf(*made).sampling().count(), samples) << curve;
    }
}

TEST(Retime, SmoothKeysGoThroughAndNeverBeyond) {
    const FrameRange there{1001, 1100};
    auto curve = RetimeCurve::parse("1001=1001, 1010=1050, 1020=1052, 1040=1100", there);
    ASSERT_TRUE(curve);
    curve->smooth();
    double before = 1000.0;
    for (const RetimeCurve::Key& run : curve->runs()) {
        EXPECT_GE(run.in, before - 1e-9); // rising keys never turn back
        before = run.in;
    }
    for (const RetimeCurve::Key& key : curve->keys())
        EXPECT_TRUE(std::any_of(curve->runs().begin(), curve->runs().end(), [&](const RetimeCurve::Key& run) {
            return std::abs(run.out - key.out) < 1e-9 && std::abs(run.in - key.in) < 1e-9;
        }));
}

// Between samples a curve is nearer to a swing than straight lines are.
TEST(Retime, CurvesBetweenSamplesKeepTheSpeed) {
    const Scene scene = test::returningScene(8, {.period = 12, .frames = 40});
    const Scene truth = test::returningScene(8, {.period = 24, .frames = 79}); // the same at half the speed
    const auto worst = [&](const char* between) {
        const auto made = applySteps(scene, {{"retime", {{"curve", "x0.5"}, {"between", between}}, true}});
        EXPECT_TRUE(made);
        double largest = 0.0;
        for (std::size_t s = 4; s + 4 < test::shapeOf(*made).sampling().count(); ++s)
            largest = std::max(largest, static_cast<double>(rmsDistance(test::pointsOf(test::shapeOf(*made), s),
                                                                        test::pointsOf(test::shapeOf(truth), s))));
        return largest;
    };
    EXPECT_LT(worst("curve"), 0.4 * worst("line"));
}

struct LeadCase {
    Scene scene;
    GeometryPtr rest;
};

LeadCase withRest() {
    LeadCase made{test::sheetScene(), nullptr};
    made.rest = std::make_shared<MemoryGeometry>(Sampling::still(), test::gridTopology(6, 5),
                                                 std::vector<std::vector<Vec3f>>{test::sheetPoints(6, 5, 99.0)});
    made.scene.rest = made.rest;
    made.scene.restOf = made.scene.nodes[0].id;
    return made;
}

TEST(LeadIn, BeginsWithTheRestPoseAndLeavesTheShotAlone) {
    const LeadCase it = withRest();
    const std::vector<Step> chain{{"lead_in", {{"frames", 8}}, true}, {"hold", {{"after", 5}}, true}};
    const auto made = applySteps(it.scene, chain);
    ASSERT_TRUE(made) << made.error().text();
    const Geometry& shape = test::shapeOf(*made);
    ASSERT_EQ(shape.sampling().count(), 8U + 24U + 5U);
    EXPECT_EQ(snappedFrame(made->view.rate.frameAt(shape.sampling().firstTime())), 993.0);
    EXPECT_TRUE(test::sameBits(test::pointsOf(shape, 0), test::pointsOf(*it.rest, 0)));
    for (std::size_t i = 0; i < 24; ++i)
        EXPECT_TRUE(test::sameBits(test::pointsOf(shape, 8 + i), test::pointsOf(test::shapeOf(it.scene), i))) << i;
    for (std::size_t i = 1; i < 8; ++i) // on its way, nowhere there yet
        EXPECT_FALSE(test::sameBits(test::pointsOf(shape, i), test::pointsOf(shape, i - 1)));
    // All of it later instead.
    const auto later = applySteps(it.scene, {{"lead_in", {{"frames", 8}, {"place", "shot later"}}, true}});
    ASSERT_TRUE(later);
    EXPECT_EQ(snappedFrame(later->view.rate.frameAt(test::shapeOf(*later).sampling().firstTime())), 1001.0);
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*later), 8), test::pointsOf(test::shapeOf(it.scene), 0)));
    // After a change of size the rest pose has it too.
    const auto scaled = applySteps(it.scene, {{"unit", {{"from", "m"}, {"to", "cm"}}, true}, chain[0]});
    ASSERT_TRUE(scaled);
    EXPECT_NEAR(test::pointsOf(test::shapeOf(*scaled), 0)[7].x, 100.0F * test::pointsOf(*it.rest, 0)[7].x, 1e-3F);
    // Without a rest pose it says so.
    EXPECT_FALSE(applySteps(test::sheetScene(), {chain[0]}));
    const auto fromFrame =
        applySteps(test::sheetScene(), {{"lead_in", {{"frames", 4}, {"from", "frame"}, {"frame", 1010}}, true}});
    ASSERT_TRUE(fromFrame);
    EXPECT_TRUE(
        test::sameBits(test::pointsOf(test::shapeOf(*fromFrame), 0), test::pointsOf(test::shapeOf(it.scene), 9)));
}

// A place is taken by the group above: below it, points and rest pose are as they were.
TEST(LeadIn, BeginsWithTheRestPoseBelowAGroupThatWasMoved) {
    LeadCase it = withRest();
    Node group;
    group.name = "group";
    group.path = "/group";
    group.kind = NodeKind::Transform;
    Node mesh = it.scene.nodes[0];
    mesh.parent = 0;
    mesh.path = "/group/" + mesh.name;
    it.scene.nodes = {group, mesh};
    const auto made = applySteps(
        it.scene, {{"place", {{"turn", "0, 90, 0"}, {"move", "3, 0, 0"}}, true}, {"lead_in", {{"frames", 8}}, true}});
    ASSERT_TRUE(made) << made.error().text();
    EXPECT_TRUE(test::sameBits(test::pointsOf(*made->nodes[1].geometry, 0), test::pointsOf(*it.rest, 0)));
    EXPECT_TRUE(test::sameBits(test::pointsOf(*made->nodes[1].geometry, 8), test::pointsOf(*mesh.geometry, 0)));
    ASSERT_TRUE(made->nodes[0].transform); // and all of it has moved
}

// Delivered, proven and read back: n frames in front and m behind, the first pose that of rest, the shot's own
// untouched.
TEST(LeadIn, IsDeliveredBitForBit) {
    const LeadCase it = withRest();
    const std::vector<Step> chain{{"lead_in", {{"frames", 8}}, true}, {"hold", {{"after", 5}}, true}};
    for (const char* format : {"alembic", "mdd"}) {
        SCOPED_TRACE(format);
        const test::TempFolder folder;
        const auto result = test::delivered(it.scene, chain, chain, format, folder.path());
        ASSERT_TRUE(result) << result.error().text();
        EXPECT_TRUE(result->proof.passed) << result->proof.words();
        const auto back = test::openFile(result->target);
        ASSERT_TRUE(back) << back.error().text();
        const Geometry& shape = test::shapeOf(*back);
        ASSERT_EQ(shape.sampling().count(), 8U + 24U + 5U);
        EXPECT_TRUE(test::sameBits(test::pointsOf(shape, 0), test::pointsOf(*it.rest, 0)));
        for (std::size_t i = 0; i < 24; ++i)
            EXPECT_TRUE(test::sameBits(test::pointsOf(shape, 8 + i), test::pointsOf(test::shapeOf(it.scene), i))) << i;
        for (std::size_t i = 32; i < 37; ++i)
            EXPECT_TRUE(test::sameBits(test::pointsOf(shape, i), test::pointsOf(test::shapeOf(it.scene), 23))) << i;
    }
}

TEST(Fill, MissingFramesComeFromTheirNeighbours) {
    Scene scene = test::sheetScene();
    std::vector<double> times;
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < 24; ++i)
        if (i != 7 && i != 12 && i != 13) {
            times.push_back(scene.view.rate.secondsAt(1001.0 + static_cast<double>(i)));
            samples.push_back(test::pointsOf(test::shapeOf(scene), i));
        }
    scene.nodes[0].geometry =
        std::make_shared<MemoryGeometry>(Sampling::acyclic(times), test::gridTopology(6, 5), samples);
    const auto made = applySteps(scene, {{"fill", json::object(), true}});
    ASSERT_TRUE(made);
    const Geometry& shape = test::shapeOf(*made);
    ASSERT_EQ(shape.sampling().count(), 24U);
    const auto filled = test::pointsOf(shape, 7);
    const auto before = test::pointsOf(shape, 6);
    const auto after = test::pointsOf(shape, 8);
    for (std::size_t p = 0; p < filled.size(); ++p)
        EXPECT_NEAR(filled[p].x, 0.5F * (before[p].x + after[p].x), 1e-6F);
}

// Written, read back, proven against the source, and judged again.
TEST(Loops, ADeliveredCycleIsProvenAndCloses) {
    Scene scene = test::returningScene(12, {.period = 24, .frames = 70, .drift = 0.001});
    const std::vector<Step> chain{
        {"loop", {{"start", 1013}, {"length", 24}, {"fade", 8}, {"close", "overlap"}, {"cycles", 2}}, true}};
    for (const char* format : {"alembic", "mdd", "obj-sequence"}) {
        SCOPED_TRACE(format);
        const test::TempFolder folder;
        const auto result = test::delivered(scene, chain, chain, format, folder.path());
        ASSERT_TRUE(result) << result.error().text();
        EXPECT_TRUE(result->proof.passed) << result->proof.words();
        EXPECT_EQ(result->proof.items[0].shown.mixed.count(), 0U); // fades are held against the source too
        EXPECT_TRUE(result->proof.items[0].shown.notCompared.empty());
        EXPECT_EQ(result->proof.items[0].samples, 48U);
    }
    // Places that turn are mixed as turns, no sums of poses: that is not held against the source, and said.
    {
        const test::TempFolder folder;
        Scene carried = test::sheetScene();
        carried.nodes[0].geometry = std::make_shared<MemoryGeometry>(
            Sampling::still(), test::gridTopology(6, 5), std::vector<std::vector<Vec3f>>{test::sheetPoints(6, 5, 0.0)});
        std::vector<std::vector<double>> turns;
        for (int f = 0; f < 60; ++f)
            turns.push_back({200.0 * std::sin(f / 24.0 * 6.283)});
        carried.nodes[0].transform = std::make_shared<MemoryTransform>(
            Sampling::uniform(carried.view.rate.secondsAt(1001), carried.view.rate.secondsAt(1.0), 60),
            std::vector<TransformOp>{{TransformOp::Kind::RotateY, 0}}, turns);
        const auto result = test::delivered(carried, chain, chain, "alembic", folder.path());
        ASSERT_TRUE(result) << result.error().text();
        const Shown& shown = result->proof.items[0].shown;
        EXPECT_GE(shown.mixed.count(), 7U); // the inner frames of the fade
        ASSERT_FALSE(shown.notCompared.empty());
        EXPECT_NE(shown.notCompared.front().find("frames " + shown.mixed.frames(carried.view.rate)), std::string::npos);
        Shown::Moments some;
        for (const double frame : {1012.0, 1010.0, 1011.0, 1020.5, 1021.0, 1030.0})
            some.add(carried.view.rate.secondsAt(frame));
        EXPECT_EQ(some.words(carried.view.rate), "frames 1010 – 1012, 1020.5 – 1021, 1030 (6 of them)");
        EXPECT_GE(shown.moments.count(), 30U);
        EXPECT_FALSE(shown.notCompared.empty());
        EXPECT_NE(result->proof.words().find("not everything could be compared with the source"), std::string::npos);
    }
    // A wrong step would be found: what is meant is not what the file then holds.
    const test::TempFolder folder;
    Step other = chain[0];
    other.options["weight"] = "linear";
    const auto result = test::delivered(scene, {other}, chain, "alembic", folder.path());
    EXPECT_FALSE(result && result->proof.passed);
}

} // namespace
} // namespace wyc::loop_test
