// SPDX-License-Identifier: GPL-3.0-or-later
// The demo's planted faults against what the checks find, and the whole act from faulty return to proven delivery.
#include <gtest/gtest.h>

#include <map>
#include <set>

#include <nlohmann/json.hpp>

#include "checks/measured.h"
#include "compare/comparison.h"
#include "demo/lantern_shoal.h"
#include "job/job.h"
#include "measure/motion.h"
#include "scene/stand_in.h"
#include "support/demo.h"
#include "support/expected.h"
#include "support/scenes.h"
#include "workbench/loops.h"

namespace wyc::demo_test {
namespace {

class Demo : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        folder_ = std::make_unique<test::TempFolder>();
        job_ = test::copyDemo(*folder_ / "demo");
    }
    static void TearDownTestSuite() { folder_.reset(); }
    static fs::path path(const std::string& relative) { return job_.parent_path() / relative; }

    static std::vector<Finding> findingsOf(const fs::path& file) {
        const auto gathered = gather({file}, false);
        EXPECT_TRUE(gathered) << gathered.error().text();
        const auto source = openSource(gathered->specs.at(0), FrameRate());
        EXPECT_TRUE(source) << source.error().text();
        const Scene scene = withStandIns((*source)->scene);
        auto items = measuredItems(**source, scene, false, Progress());
        CheckInput input;
        input.shot = demo::demoShot();
        input.items = std::move(*items);
        auto findings = runChecks(input);
        for (Finding& finding : readerFindings((*source)->scene))
            findings.push_back(std::move(finding));
        return findings;
    }
    static SourceSpec specOf(const fs::path& file) {
        SourceSpec spec;
        spec.path = file;
        return spec;
    }
    static std::unique_ptr<test::TempFolder> folder_;
    static fs::path job_;
};
std::unique_ptr<test::TempFolder> Demo::folder_;
fs::path Demo::job_;

TEST_F(Demo, EveryPlantedFaultIsFoundAtItsItemAndFrame) {
    const auto list = test::readJson(path("faults.json"));
    ASSERT_GE(list["faults"].size(), 17U);
    for (const auto& fault : list["faults"]) {
        SCOPED_TRACE(fault.dump());
        bool found = false;
        for (const Finding& finding : findingsOf(path(fault["file"])))
            found = found || (finding.id == fault["id"] && finding.item == fault["item"] &&
                              (fault["frame"].is_null() ||
                               (finding.frame && sameFrame(*finding.frame, fault["frame"].get<double>()))));
        EXPECT_TRUE(found);
    }
}

TEST_F(Demo, CyclesAreJudgedAsTheyWereMade) {
    const auto list = test::readJson(path("faults.json"));
    ASSERT_GE(list["cycles"].size(), 4U);
    for (const auto& cycle : list["cycles"]) {
        SCOPED_TRACE(cycle.dump());
        const auto source = openSource(specOf(path(cycle["file"])), FrameRate());
        ASSERT_TRUE(source);
        const auto check = checkLoop(movingItemsOf((*source)->scene), Progress());
        ASSERT_TRUE(check) << check.error().text();
        const auto found = loopFindings(*check, "");
        if (cycle["id"].is_null()) {
            EXPECT_TRUE(check->loops);
            EXPECT_TRUE(found.empty());
        } else {
            ASSERT_EQ(found.size(), 1U);
            EXPECT_EQ(found[0].id, cycle["id"]);
        }
    }
}

// The simulation's best cycle, closed by a fade, is smoother over its seam than the motion is from frame to frame, in
// every format there is.
TEST_F(Demo, TheSimulationIsClosedAndStaysClosedInEveryFormat) {
    const auto source = openSource(specOf(path("loops/lantern_jelly_sim.mdd")), FrameRate());
    ASSERT_TRUE(source);
    const Scene& scene = (*source)->scene;
    EXPECT_EQ(scene.view.rate.text(), "30");
    const auto map = seamMapOf(movingItemsOf(scene), {}, Progress());
    ASSERT_TRUE(map);
    ASSERT_EQ(map->count(), 220U);
    const auto candidate = candidateFor(*map, {});
    ASSERT_TRUE(candidate);
    LoopClosing closing = closingFor(*map, *candidate);
    closing.close = "overlap";
    const Step step = loopStepFor(*candidate, closing);
    for (const char* name : {"cycle.abc", "cycle.usdc", "cycle.usda", "cycle.mdd", "cycle_poses/cycle.####.obj"}) {
        SCOPED_TRACE(name);
        const test::TempFolder folder;
        const auto cycle = applySteps(scene, {step});
        ASSERT_TRUE(cycle) << cycle.error().text();
        fs::create_directories(folder / "cycle_poses");
        ASSERT_TRUE(test::writeScene(*cycle, folder / name));
        SourceSpec spec = specOf(folder / name);
        if (std::string(name).ends_with(".mdd"))
            spec.rest = path("loops/lantern_jelly_sim_rest.obj");
        const auto back = openSource(spec, *FrameRate::make(30, 1));
        ASSERT_TRUE(back) << back.error().text();
        const auto check = checkLoop(movingItemsOf((*back)->scene), Progress());
        ASSERT_TRUE(check) << check.error().text();
        EXPECT_TRUE(check->loops);
        EXPECT_TRUE(loopFindings(*check, "").empty());
        // The change of velocity over the seam, a frame long, against a usual step.
        EXPECT_LT(check->velocityGap / 30.0, check->usualStep);
        EXPECT_EQ(check->length, candidate->length);
    }
}

// Every return against what went out: the planted causes, no others, and undone it is the clean one again.
TEST_F(Demo, ReturnsAreExplainedAndPutRight) {
    const auto list = test::readJson(path("faults.json"));
    ASSERT_GE(list["compared"].size(), 11U);
    for (const auto& one : list["compared"]) {
        SCOPED_TRACE(one["b"].get<std::string>());
        std::vector<SourcePtr> sides;
        for (const char* side : {"a", "b"}) {
            const auto gathered = gather({path(one[side])}, false);
            ASSERT_TRUE(gathered) << gathered.error().text();
            const auto source = openSource(gathered->specs.at(0), FrameRate());
            ASSERT_TRUE(source) << source.error().text();
            sides.push_back(*source);
        }
        const auto found = compare(sides[0]->scene, sides[1]->scene, {}, Progress());
        ASSERT_TRUE(found) << found.error().text();
        ASSERT_EQ(found->pairs.size(), 1U);
        const Reconciled& pair = found->pairs[0].found;
        EXPECT_FALSE(found->withinTolerance());
        std::map<std::string, double> told;
        for (const Cause& cause : pair.causes)
            if (!cause.isGuess())
                told.emplace(cause.id, cause.figure);
        std::map<std::string, double> planted;
        for (const auto& cause : one["causes"])
            planted.emplace(cause["id"].get<std::string>(), cause["figure"].get<double>());
        for (const auto& [id, figure] : planted) {
            ASSERT_TRUE(told.contains(id)) << id << " is not told: " << pair.text;
            EXPECT_NEAR(told[id], figure, 1e-3 * std::max(1.0, std::abs(figure))) << id;
        }
        for (const auto& [id, figure] : told)
            EXPECT_TRUE(planted.contains(id)) << id << " " << figure;
        // What was gone, what rests and what is broken cannot come back by itself.
        const bool whole = !planted.contains("missing") && !planted.contains("held") && !planted.contains("static");
        if (whole) {
            ASSERT_TRUE(pair.undone);
            EXPECT_LT(pair.undone->largest, 1e-5);
        }
    }
}

TEST_F(Demo, FaultyFilesHaveNoOtherFaults) {
    const auto list = test::readJson(path("faults.json"));
    std::map<std::string, std::set<std::string>> planted;
    for (const auto& fault : list["faults"])
        planted[fault["file"]].insert(fault["id"].get<std::string>());
    for (const auto& [file, ids] : planted)
        for (const Finding& finding : findingsOf(path(file)))
            if (finding.severity == Severity::Fault)
                EXPECT_TRUE(ids.contains(finding.id)) << file << ": " << finding.id << " " << finding.text;
}

TEST_F(Demo, CleanFilesRaiseNothing) {
    const auto list = test::readJson(path("faults.json"));
    ASSERT_GE(list["clean"].size(), 5U);
    for (const auto& file : list["clean"])
        for (const Finding& finding : findingsOf(path(file)))
            ADD_FAILURE() << file << ": " << finding.id << " " << finding.text;
}

TEST_F(Demo, IsTheSameEveryTime) {
    const test::TempFolder other;
    ASSERT_TRUE(demo::writeDemo(other / "again", Progress()));
    for (const char* file : {"clean/lantern_jelly.mdd", "clean/survey_sub.abc", "clean/lantern_shoal.abc",
                             "returns/kelp_frond_nan.mdd", "clean/seabed.obj", "faults.json", "lantern_shoal.wyc"})
        EXPECT_EQ(test::readFile(other / (std::string("again/") + file)), test::readFile(path(file))) << file;
}

TEST_F(Demo, NeverWritesIntoAFolderThatHoldsSomething) {
    const test::TempFolder other;
    test::writeFile(other / "precious.txt", "x");
    const auto refused = demo::writeDemo(other.path(), Progress());
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().kind, ErrorKind::Exists);
    EXPECT_EQ(test::namesIn(other.path()).size(), 1U);
}

TEST_F(Demo, TheReturnedJellyIsPutRightAndIsTheCleanOneAgain) {
    const auto source = openSource({path("returns/lantern_jelly_back.mdd"), {}, {}, true}, FrameRate());
    ASSERT_TRUE(source);
    std::vector<Step> mend;
    Scene scene = (*source)->scene;
    for (const char* id : {"size.ratio", "axis.turned", "frames.first_stale", "range.late"}) {
        auto items = measuredItems(**source, scene, false, Progress());
        CheckInput input;
        input.shot = demo::demoShot();
        input.items = std::move(*items);
        bool found = false;
        for (const Finding& finding : runChecks(input)) {
            if (finding.id != id)
                continue;
            mend.insert(mend.end(), finding.mend.begin(), finding.mend.end());
            found = true;
        }
        ASSERT_TRUE(found) << id;
        scene = *applySteps((*source)->scene, mend);
    }
    const auto clean = openSource({path("clean/lantern_jelly.mdd"), {}, {}, true}, FrameRate());
    const Geometry& a = test::shapeOf((*clean)->scene);
    const Geometry& b = test::shapeOf(scene);
    ASSERT_EQ(a.sampling(), b.sampling());
    for (std::size_t i = 0; i < a.sampling().count(); i += 9)
        EXPECT_LT(driftOf(test::pointsOf(a, i), test::pointsOf(b, i)).largest, 3e-7)
            << i; // float32 through centimetres
}

TEST_F(Demo, PointCacheToArchiveToPointCacheIsBitForBit) {
    const test::TempFolder out;
    const auto source = openSource({path("clean/lantern_jelly.mdd"), {}, {}, true}, FrameRate());
    ASSERT_TRUE(test::writeScene((*source)->scene, out / "a.abc"));
    const auto archive = test::openFile(out / "a.abc");
    ASSERT_TRUE(test::writeScene(*archive, out / "b.mdd"));
    EXPECT_EQ(test::readFile(out / "b.mdd"), test::readFile(path("clean/lantern_jelly.mdd")));
}

TEST_F(Demo, SequenceToPointCacheAndBackIsBitForBit) {
    const test::TempFolder out;
    const auto source = openSource(gather({path("clean/lantern_jelly_poses")}, false)->specs.at(0), FrameRate());
    ASSERT_TRUE(source) << source.error().text();
    ASSERT_TRUE(test::writeScene((*source)->scene, out / "a.mdd"));
    EXPECT_EQ(test::readFile(out / "a.mdd"), test::readFile(path("clean/lantern_jelly.mdd")));
    const auto cache = test::openFile(out / "a.mdd", &test::openFile(path("clean/lantern_jelly_rest.obj"))->nodes[0]);
    ASSERT_TRUE(test::writeScene(*cache, out / "lantern_jelly.####.obj"));
    EXPECT_EQ(test::readFile(out / "lantern_jelly.1050.obj"),
              test::readFile(path("clean/lantern_jelly_poses/lantern_jelly.1050.obj")));
}

TEST_F(Demo, TheJobDelivers) {
    auto job = loadJob(job_);
    ASSERT_TRUE(job) << job.error().text();
    EXPECT_EQ(job->shot, demo::demoShot());
    std::vector<SourcePtr> sources;
    for (const JobSource& entry : job->sources) {
        auto source = openSource(entry.spec, FrameRate());
        ASSERT_TRUE(source) << source.error().text();
        sources.push_back(*source);
    }
    const test::TempFolder out;
    job->deliveries[0].folder = out.path();
    const auto inputs = deliveryInputs(*job, job->deliveries[0], sources);
    ASSERT_TRUE(inputs);
    const auto plan = planDelivery(*inputs, job->deliveries[0], job->shot);
    ASSERT_TRUE(plan) << plan.error().text();
    ASSERT_EQ(plan->size(), 1U);
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_EQ(result->proof.items[0].points, 8013U);
    EXPECT_EQ(result->proof.items[0].samples, 136U);
}

TEST(DemoShapes, FacesAreSoundAndWoundOutward) {
    const Scene sub = demo::surveySub();
    for (const Node& node : sub.nodes) {
        if (!node.geometry || node.name == "propeller") // its blades are open sheets
            continue;
        const auto points = test::pointsOf(*node.geometry, 0);
        const auto faces = *node.geometry->topology(0);
        ASSERT_TRUE(faces->fits(points.size())) << node.path;
        double volume = 0.0; // positive when faces look outward
        std::size_t at = 0;
        for (const std::int32_t size : faces->faceSizes()) {
            for (std::int32_t k = 2; k < size; ++k) {
                const auto corner = [&](std::int32_t c) {
                    return Vec3d(points[static_cast<std::size_t>(faces->corners()[at + static_cast<std::size_t>(c)])]);
                };
                volume += dot(corner(0), cross(corner(k - 1), corner(k))) / 6.0;
            }
            at += static_cast<std::size_t>(size);
        }
        EXPECT_GT(volume, 0.0) << node.path;
    }
}

} // namespace
} // namespace wyc::demo_test
