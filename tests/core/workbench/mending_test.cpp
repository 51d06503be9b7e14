// SPDX-License-Identifier: GPL-3.0-or-later
// Mends under "mend all": faults in pairs and threes are planted into a clean motion, and what comes out is held
// against it. A good pose is never lost, and what is left in place is told.
#include <gtest/gtest.h>

#include <iostream>
#include <numbers>

#include <nlohmann/json.hpp>

#include "support/random_chain.h"
#include "support/scenes.h"
#include "support/temp_folder.h"
#include "workbench/mending.h"

namespace wyc::mending_test {
namespace {

using namespace test;

constexpr int kFirst = 1001;
constexpr int kLast = 1060;

std::vector<Vec3f> cleanPose(double frame) {
    std::vector<Vec3f> points = sheetPoints(6, 5, frame * 0.11);
    for (Vec3f& p : points)
        p.z += static_cast<float>(0.3 * std::sin(0.045 * frame) + 0.002 * frame);
    return points;
}

struct Sample {
    double frame;
    double clean; // frame of the clean motion whose pose it is
    bool good = true;
    std::vector<Vec3f> points;
};

// What was exported, with faults of these kinds; which is not what it says of each sample.
std::vector<Sample> exported(Random& r, const std::vector<int>& kinds, double step, std::string& told) {
    std::vector<Sample> samples;
    for (double f = kFirst; f <= kLast + 1e-9; f += step)
        samples.push_back({f, f, true, cleanPose(f)});
    const auto at = [&] { return static_cast<std::size_t>(r.whole(12, static_cast<int>(samples.size()) - 14)); };
    const auto spoil = [&](Sample& s, std::vector<Vec3f> points) {
        s.good = false;
        s.points = std::move(points);
    };
    std::size_t k = at();
    const bool beside = r.chance(40); // one at the next sample or a few on
    for (const int kind : kinds) {
        k = beside && k + 16 < samples.size() ? k + static_cast<std::size_t>(r.whole(0, 3)) : at();
        told += fmt::format(" {}@{}", kind, samples[k].frame);
        switch (kind) {
        case 0: // doubled: all behind is late, and the end is cut off
            for (std::size_t i = samples.size() - 1; i > k; --i) {
                samples[i].clean = samples[i - 1].clean;
                samples[i].points = samples[i - 1].points;
                samples[i].good = samples[i - 1].good;
            }
            samples[k + 1].good = false;
            break;
        case 1: spoil(samples[k], samples[k - 1].points); break; // stuck: the motion catches up
        case 2: {                                                // a pop
            std::vector<Vec3f> points = samples[k].points;
            for (Vec3f& p : points)
                p.x += 3.0F;
            spoil(samples[k], std::move(points));
            break;
        }
        case 3: { // one point
            std::vector<Vec3f> points = samples[k].points;
            points[7].y += 5.0F;
            spoil(samples[k], std::move(points));
            break;
        }
        case 4: { // no number
            std::vector<Vec3f> points = samples[k].points;
            points[3].x = std::numeric_limits<float>::quiet_NaN();
            spoil(samples[k], std::move(points));
            break;
        }
        case 5: spoil(samples.front(), samples.back().points); break;             // stale
        case 6: spoil(samples.back(), samples[samples.size() - 2].points); break; // the last is doubled
        case 7:                                                                   // late
            for (Sample& s : samples)
                s.frame += 8.0;
            break;
        default: samples.erase(samples.begin() + static_cast<std::ptrdiff_t>(k)); break; // missing
        }
    }
    return samples;
}

TEST(Mending, AllKeepsEveryGoodPose) {
    const TempFolder folder;
    int lost = 0;
    int planted = 0;
    int left = 0;
    int wrongTime = 0;
    const int cases = casesAsked(200);
    for (int round = firstCase(); round < firstCase() + cases; ++round) {
        Random r(static_cast<unsigned>(round) * 2246822519U + 3U);
        const double step = r.chance(25) ? 0.25 : 1.0;
        std::vector<int> kinds;
        for (int n = r.whole(1, 4); n > 0; --n)
            kinds.push_back(step < 1.0 ? r.whole(2, 4) : r.whole(0, 8));
        std::string told;
        const std::vector<Sample> samples = exported(r, kinds, step, told);
        Scene scene = sheetScene();
        std::vector<double> times;
        std::vector<std::vector<Vec3f>> points;
        for (const Sample& s : samples) {
            times.push_back(scene.view.rate.secondsAt(s.frame));
            points.push_back(s.points);
        }
        scene.rate = scene.view.rate;
        scene.unitMetres = 1.0;
        scene.upAxis = UpAxis::Y;
        scene.nodes[0].geometry =
            std::make_shared<MemoryGeometry>(samplingFromTimes(times), gridTopology(6, 5), std::move(points));
        const fs::path file = folder.path() / fmt::format("{}.abc", round);
        ASSERT_TRUE(writeScene(scene, file));
        Job job;
        job.shot.rate = scene.view.rate;
        job.shot.range = FrameRange{kFirst, kLast};
        // A shot that asks for more than there is, or for less.
        const bool asIs = !r.chance(40);
        if (!asIs)
            job.shot.range =
                FrameRange{static_cast<double>(kFirst + r.whole(-9, 9)), static_cast<double>(kLast + r.whole(-9, 9))};
        job.shot.unitMetres = 1.0;
        job.shot.upAxis = UpAxis::Y;
        job.sources.push_back({{1}, {file, {}, {}, true}});
        const auto opened = openSources(job);
        ASSERT_TRUE(opened);
        const auto items = measuredItemsOf(job, *opened, Progress());
        ASSERT_TRUE(items) << items.error().text();
        const auto outcomes = mended(
            job, *items, {items->front().key}, [](const Finding&) { return true; }, Progress());
        ASSERT_TRUE(outcomes) << outcomes.error().text();
        const Mended* outcome = &outcomes->front();
        const auto made = applySteps(opened->front().source->scene, outcome->steps);
        ASSERT_TRUE(made) << told << made.error().text();
        const Geometry& shape = shapeOf(*made);
        // Every good pose that was exported is there, and at the frame that it belongs to as far as all was mended.
        std::string gone;
        int late = 0;
        for (const Sample& s : samples) {
            if (!s.good || (!asIs && (s.clean < job.shot.range->first || s.clean > job.shot.range->last)))
                continue;
            bool there = false;
            bool inTime = false;
            for (std::size_t i = 0; i < shape.sampling().count(); ++i)
                if (pointsOf(shape, i) == s.points) {
                    there = true;
                    inTime = inTime || std::abs(made->view.rate.frameAt(shape.sampling().time(i)) - s.clean) < 1e-3;
                }
            if (!there)
                gone += fmt::format(" {}", s.frame);
            late += there && !inTime;
        }
        planted += static_cast<int>(kinds.size());
        std::string stays;
        for (const Finding& finding : outcome->left)
            if (!finding.id.starts_with("range.")) {
                ++left;
                stays += fmt::format(" {}@{}", finding.id, finding.frame.value_or(0));
            }
        std::string done;
        for (const Finding& finding : outcome->done)
            done += fmt::format(" {}@{}", finding.id, finding.frame.value_or(0));
        // It is an end: another go does nothing, and nothing is found that was not found before.
        std::set<std::string> before;
        for (const ItemFinding& found : findingsOf(job, *opened, *items))
            before.insert(found.finding.id);
        job.itemFor({1}, items->front().key.path).steps = outcome->steps;
        const auto after = measuredItemsOf(job, *opened, Progress());
        ASSERT_TRUE(after) << after.error().text();
        std::string fresh;
        for (const ItemFinding& found : findingsOf(job, *opened, *after))
            if (!before.contains(found.finding.id) && !found.finding.id.starts_with("range."))
                fresh += " " + found.finding.id;
        const auto again = mended(
            job, *after, {after->front().key}, [](const Finding&) { return true; }, Progress());
        ASSERT_TRUE(again) << again.error().text();
        EXPECT_TRUE(fresh.empty() && again->front().done.empty())
            << "case " << round << told << " found anew" << fresh << "; done" << done << "; done again "
            << again->front().done.size() << "\n"
            << toJson(outcome->steps);
        lost += !gone.empty();
        wrongTime += late > 0 && stays.empty() && asIs;
        EXPECT_TRUE(gone.empty()) << "case " << round << told << " lost" << gone << "; done" << done << "; left"
                                  << stays << "\n"
                                  << toJson(outcome->steps);
        fs::remove(file);
    }
    std::cout << planted << " faults; " << left << " left in place and told, " << lost << " cases lost good poses, "
              << wrongTime << " out of time\n";
    // The doubled end of what the shot needs has no mend; two faults beside each other may look like another.
    EXPECT_LT(left, planted / 8);
    EXPECT_LE(wrongTime, cases / 12);
}

// A cycle that the shot asks more of goes on; it is not held at its last pose.
TEST(Mending, ACycleIsRepeatedOverTheShot) {
    const TempFolder folder;
    constexpr int kPeriod = 20;
    for (const bool copy : {false, true}) {
        const auto pose = [](double frame) {
            std::vector<Vec3f> points = sheetPoints(6, 5, 0.4);
            const double turn = 2.0 * std::numbers::pi * std::fmod(frame - kFirst, kPeriod) / kPeriod;
            for (Vec3f& p : points)
                p.y += static_cast<float>(0.3 * std::sin(turn + 2.0 * static_cast<double>(p.x)));
            return points;
        };
        SheetOptions options;
        options.first = kFirst;
        options.count = kPeriod + copy;
        options.plant = [&](double frame, std::vector<Vec3f>& points) { points = pose(frame); };
        Scene scene = sheetScene(options);
        scene.rate = scene.view.rate;
        const fs::path file = folder.path() / "cycle.abc";
        ASSERT_TRUE(writeScene(scene, file));
        Job job;
        job.shot.rate = scene.view.rate;
        job.shot.range = FrameRange{kFirst, kFirst + 53};
        job.shot.handles = 3;
        job.sources.push_back({{1}, {file, {}, {}, true}});
        const auto opened = openSources(job);
        ASSERT_TRUE(opened);
        const std::string path = opened->front().source->scene.nodes[0].path;
        // As anything else it is held; as a cycle it is repeated.
        for (const bool loops : {false, true}) {
            job.itemFor({1}, path).loops = loops;
            const auto items = measuredItemsOf(job, *opened, Progress());
            ASSERT_TRUE(items);
            const auto found = findingsOf(job, *opened, *items);
            const auto isShort = [](const ItemFinding& f) { return f.finding.id == "range.short"; };
            const auto told = std::find_if(found.begin(), found.end(), isShort);
            ASSERT_NE(told, found.end());
            EXPECT_EQ(told->finding.mend.front().type, loops ? "loop" : "hold");
            if (!loops)
                continue;
            const auto made = applySteps(opened->front().source->scene, told->finding.mend);
            ASSERT_TRUE(made) << made.error().text();
            const Geometry& shape = shapeOf(*made);
            ASSERT_EQ(shape.sampling().count(), 60U);
            for (std::size_t i = 0; i < shape.sampling().count(); ++i) {
                const double frame = std::round(made->view.rate.frameAt(shape.sampling().time(i)));
                EXPECT_EQ(frame, kFirst - 3 + static_cast<double>(i));
                EXPECT_EQ(pointsOf(shape, i), pose(frame + kPeriod)) << frame;
            }
            job.itemFor({1}, path).steps = told->finding.mend;
            const auto after = measuredItemsOf(job, *opened, Progress());
            ASSERT_TRUE(after);
            for (const ItemFinding& one : findingsOf(job, *opened, *after))
                EXPECT_FALSE(one.finding.id.starts_with("range.")) << one.finding.text;
        }
        job.itemFor({1}, path).steps.clear();
    }
}

// What loop steps made goes on by its own period, however much of it is shown; where anything else stands beside the
// cycle, or it travels on, its ends are held as those of all else.
TEST(Mending, WhatWasMadeACycleGoesOnByItsOwnPeriod) {
    const TempFolder folder;
    Scene scene = sheetScene();
    scene.rate = scene.view.rate;
    scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(
        Sampling::uniform(scene.view.rate.secondsAt(kFirst), scene.view.rate.secondsAt(1), 60), gridTopology(6, 5), [] {
            std::vector<std::vector<Vec3f>> poses;
            for (int k = 0; k < 60; ++k)
                poses.push_back(cleanPose(kFirst + k));
            return poses;
        }());
    const fs::path file = folder.path() / "clean.abc";
    ASSERT_TRUE(writeScene(scene, file));
    int repeated = 0;
    for (int round = 0; round < 60; ++round) {
        Random r(static_cast<unsigned>(round) * 747796405U + 11U);
        const int length = r.whole(8, 20);
        const int start = kFirst + r.whole(0, 60 - length - 20);
        const bool bridged = r.chance(40);
        const int period = length + (bridged ? 5 : 0);
        nlohmann::json options{
            {"start", start}, {"length", length}, {"close", bridged ? "bridge" : "cut"}, {"fade", 5}};
        if (r.chance(50)) // not whole cycles, or less than one
            options["fill"] = FrameRange{static_cast<double>(start - r.whole(0, 5)),
                                         static_cast<double>(start + r.whole(period / 2, 3 * period))}
                                  .text();
        else
            options["closing_copy"] = r.chance(50);
        std::vector<Step> steps{{"loop", options, true}};
        const bool besides = r.chance(30);
        if (besides)
            steps.push_back(r.chance(50) ? Step{"hold", {{"after", 3}}, true}
                                         : Step{"lead_in", {{"frames", 4}, {"from", "frame"}, {"frame", start}}, true});
        if (r.chance(30))
            steps.push_back({"scale", {{"factor", 2.0}}, true});
        const auto plain = applySteps(scene, steps);
        ASSERT_TRUE(plain) << plain.error().text();
        const auto range = movingFrames(*plain, 0);
        Job job;
        job.shot.rate = scene.view.rate;
        job.shot.range = FrameRange{range->first - r.whole(0, 9), range->last + r.whole(1, 40)};
        job.sources.push_back({{1}, {file, {}, {}, true}});
        job.itemFor({1}, scene.nodes[0].path).steps = steps;
        const auto opened = openSources(job);
        ASSERT_TRUE(opened);
        const auto items = measuredItemsOf(job, *opened, Progress());
        ASSERT_TRUE(items);
        for (const ItemFinding& found : findingsOf(job, *opened, *items)) {
            if (found.finding.id != "range.short")
                continue;
            const std::string told = fmt::format("case {}: {}", round, describeStep(steps[0]));
            ASSERT_EQ(found.finding.mend.size(), 1U);
            if (found.finding.mend[0].type != "loop")
                continue;
            EXPECT_FALSE(besides) << told;
            ++repeated;
            std::vector<Step> all = steps;
            all.push_back(found.finding.mend[0]);
            const auto made = applySteps(scene, all);
            ASSERT_TRUE(made) << told << made.error().text();
            const FrameRate rate = made->view.rate;
            const auto at = [&](const Scene& of, double frame) {
                std::vector<Vec3f> points;
                EXPECT_TRUE(readPointsAt(shapeOf(of), rate.secondsAt(frame), points));
                return points;
            };
            const auto after = movingFrames(*made, 0);
            EXPECT_LE(after->first, job.shot.range->first) << told;
            EXPECT_GE(after->last, job.shot.range->last) << told;
            for (double frame = after->first; frame <= after->last; frame += 1.0) {
                const double within = start + std::fmod(std::fmod(frame - start, period) + period, period);
                EXPECT_LT(rmsDistance(at(*made, frame), at(*plain, within)), 1e-5F) << told << " frame " << frame;
                const bool copied = options.value("closing_copy", false) && frame == range->last;
                if (range->contains(frame) && !copied)
                    EXPECT_LT(rmsDistance(at(*made, frame), at(*plain, frame)), 1e-5F) << told << " frame " << frame;
            }
        }
    }
    EXPECT_GT(repeated, 20);
}

} // namespace
} // namespace wyc::mending_test
