// SPDX-License-Identifier: GPL-3.0-or-later
// Every check: a planted fault that it finds, with item, frame and figure, and clean items that it leaves alone.
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <random>
#include <set>

#include <nlohmann/json.hpp>

#include "checks/measured.h"
#include "scene/components/light.h"
#include "steps/step.h"
#include "support/corpus.h"
#include "support/expected.h"

namespace wyc::checks_test {
namespace {

constexpr float kNan = std::numeric_limits<float>::quiet_NaN();

Shot shot(double first, double last, double handles = 0.0) {
    return test::corpusShot(first, last, handles);
}

// Holds scenes alive while they are checked.
class Checker {
  public:
    explicit Checker(Shot shot) { input_.shot = std::move(shot); }
    Checker& add(Scene scene, const std::string& source, std::shared_ptr<const std::vector<Vec3f>> rest = nullptr) {
        scenes_.push_back(std::make_shared<Scene>(std::move(scene)));
        const Scene& kept = *scenes_.back();
        for (std::size_t n = 0; n < kept.nodes.size(); ++n) {
            if (!kept.nodes[n].geometry)
                continue;
            MeasuredItem item;
            item.scene = &kept;
            item.node = n;
            item.label = source + kept.nodes[n].path;
            item.source = source;
            auto profile = motionProfile(kept, n, Progress());
            item.movesBySource = profile->count() > 1 && movingSpan(kept, n).has_value();
            item.profile = std::make_shared<const MotionProfile>(std::move(*profile));
            if (rest)
                item.restPoses = {rest};
            input_.items.push_back(std::move(item));
        }
        return *this;
    }
    [[nodiscard]] std::vector<Finding> run() const { return runChecks(input_); }
    [[nodiscard]] std::optional<Finding> find(const std::string& id) const {
        for (Finding& finding : run())
            if (finding.id == id)
                return finding;
        return std::nullopt;
    }
    [[nodiscard]] std::string ids() const {
        std::string text;
        for (const Finding& finding : run())
            text += finding.id + " ";
        return text;
    }

  private:
    std::vector<std::shared_ptr<Scene>> scenes_;
    CheckInput input_;
};

TEST(CleanItems, RaiseNothing) {
    EXPECT_EQ(Checker(shot(1001, 1024)).add(test::sheetScene(), "a").ids(), "");
    EXPECT_EQ(Checker(shot(1005, 1020, 4)).add(test::sheetScene(), "a").ids(), "");
    test::SheetOptions still;
    still.count = 1;
    EXPECT_EQ(Checker(shot(1001, 1024)).add(test::sheetScene(still), "a").ids(), "");
}

TEST(CleanItems, ALoopThatEndsWhereItBeginsIsNotStale) {
    test::SheetOptions options;
    options.count = 49; // phase 0.13 · 48.33 = 2π
    options.pose = [](double frame) { return (frame - 1001.0) * 2.0 * M_PI / 0.13 / 48.0; };
    EXPECT_EQ(Checker(shot(1001, 1049)).add(test::sheetScene(options), "a").ids(), "");
}

TEST(CleanItems, SomethingThatSettlesIsNotHeld) {
    test::SheetOptions options;
    options.count = 48; // slows down, then rests
    options.pose = [](double frame) {
        const double t = std::min(1.0, (frame - 1001.0) / 36.0);
        return 30.0 * (1.0 - (1.0 - t) * (1.0 - t) * (1.0 - t));
    };
    EXPECT_EQ(Checker(shot(1001, 1048)).add(test::sheetScene(options), "a").ids(), "");
}

TEST(CleanItems, AQuickStartFromRestIsNoJump) {
    test::SheetOptions options;
    options.count = 48;
    options.pose = [](double frame) { return frame < 1013 ? 0.0 : (frame - 1012) * 2.0; };
    EXPECT_FALSE(Checker(shot(1001, 1048)).add(test::sheetScene(options), "a").find("motion.jump"));
}

TEST(RangeCheck, Short) {
    const auto finding = Checker(shot(1001, 1048)).add(test::sheetScene(), "a").find("range.short");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->severity, Severity::Fault);
    EXPECT_EQ(finding->figure, 24.0);
    EXPECT_EQ(finding->frame, 1024.0);
    EXPECT_EQ(finding->item, "a/sheet");
    const auto mended = applySteps(test::sheetScene(), finding->mend);
    ASSERT_TRUE(mended);
    EXPECT_EQ(Checker(shot(1001, 1048)).add(*mended, "a").find("range.short"), std::nullopt);
}

TEST(RangeCheck, HandlesMissing) {
    const auto finding = Checker(shot(1005, 1020, 8)).add(test::sheetScene(), "a").find("range.handles_missing");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->severity, Severity::Caution);
    EXPECT_EQ(finding->figure, 8.0); // 4 at each end... of which both are said
}

TEST(RangeCheck, Long) {
    const auto finding = Checker(shot(1001, 1010)).add(test::sheetScene(), "a").find("range.long");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->figure, 14.0);
    EXPECT_EQ(finding->frame, 1011.0);
    const auto mended = applySteps(test::sheetScene(), finding->mend);
    EXPECT_EQ(Checker(shot(1001, 1010)).add(*mended, "a").ids(), "");
}

TEST(RangeCheck, LateAndEarlyAreOneCause) {
    const auto late = Checker(shot(1000, 1023)).add(test::sheetScene(), "a").find("range.late");
    ASSERT_TRUE(late);
    EXPECT_EQ(late->figure, 1.0);
    EXPECT_EQ(Checker(shot(1000, 1023)).add(*applySteps(test::sheetScene(), late->mend), "a").ids(), "");
    const auto early = Checker(shot(1004, 1027)).add(test::sheetScene(), "a").find("range.early");
    ASSERT_TRUE(early);
    EXPECT_EQ(early->figure, 3.0);
    EXPECT_EQ(Checker(shot(1004, 1027)).add(*applySteps(test::sheetScene(), early->mend), "a").ids(), "");
}

TEST(RangeCheck, BeginsAtZeroOrOne) {
    for (const double first : {0.0, 1.0}) {
        test::SheetOptions options;
        options.first = first;
        const auto finding = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a").find("range.begins_at_zero");
        ASSERT_TRUE(finding) << first;
        EXPECT_EQ(finding->frame, first);
        EXPECT_EQ(Checker(shot(1001, 1024)).add(*applySteps(test::sheetScene(options), finding->mend), "a").ids(), "");
    }
    test::SheetOptions one;
    one.first = 1;
    EXPECT_EQ(Checker(shot(1, 24)).add(test::sheetScene(one), "a").ids(), "");
}

TEST(RateCheck, AnotherRateThanTheShots) {
    test::SheetOptions options;
    options.rate = *FrameRate::make(25, 1);
    Scene scene = test::sheetScene(options);
    scene.rate = options.rate;
    const auto finding = Checker(shot(1001, 1024)).add(scene, "a").find("rate.differs");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->figure, 25.0);
    EXPECT_NE(finding->text.find("4.0 % too slow"), std::string::npos) << finding->text;
    const auto mended = applySteps(scene, finding->mend);
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(*mended, "a").find("rate.differs"));
    scene.rate.reset(); // not stated: nothing to say
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(scene, "a").find("rate.differs"));
}

TEST(FramesCheck, HeldInTheMiddle) {
    test::SheetOptions options;
    options.pose = [](double frame) { return frame == 1010 || frame == 1011 ? 1009.0 : frame; };
    const auto finding = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a").find("frames.held");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->frame, 1010.0);
    EXPECT_EQ(finding->figure, 2.0);
    const auto mended = applySteps(test::sheetScene(options), finding->mend);
    EXPECT_FALSE(Checker(shot(1001, 1022)).add(*mended, "a").find("frames.held"));
}

TEST(FramesCheck, TheLastOneDoubled) {
    test::SheetOptions options;
    options.pose = [](double frame) { return std::min(frame, 1023.0); };
    // The shot needs the frame: there is nothing to drop.
    const auto needed = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a").find("frames.last_doubled");
    ASSERT_TRUE(needed);
    EXPECT_EQ(needed->frame, 1024.0);
    EXPECT_TRUE(needed->mend.empty());
    const auto finding = Checker(shot(1001, 1023)).add(test::sheetScene(options), "a").find("frames.last_doubled");
    ASSERT_TRUE(finding);
    const auto mended = applySteps(test::sheetScene(options), finding->mend);
    EXPECT_EQ(Checker(shot(1001, 1023)).add(*mended, "a").ids(), "");
}

TEST(MotionCheck, FirstFrameHoldsTheLastPose) {
    test::SheetOptions options;
    options.pose = [](double frame) { return frame == 1001 ? 1024.0 : frame; };
    const auto finding = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a").find("frames.first_stale");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->severity, Severity::Fault);
    EXPECT_EQ(finding->frame, 1001.0);
    EXPECT_EQ(finding->unit, "mm");
    EXPECT_GT(*finding->figure, 50.0);
    // The shot needs the frame: the second one stands in its place.
    const auto held = applySteps(test::sheetScene(options), finding->mend);
    ASSERT_TRUE(held);
    EXPECT_EQ(test::pointsOf(test::shapeOf(*held), 0), test::pointsOf(test::shapeOf(*held), 1));
    EXPECT_EQ(movingSpan(*held)->first, FrameRate().secondsAt(1001));
    const auto spare = Checker(shot(1002, 1024)).add(test::sheetScene(options), "a").find("frames.first_stale");
    ASSERT_TRUE(spare);
    const auto mended = applySteps(test::sheetScene(options), spare->mend);
    EXPECT_EQ(movingSpan(*mended)->first, FrameRate().secondsAt(1002));
    EXPECT_EQ(Checker(shot(1002, 1024)).add(*mended, "a").ids(), "");
}

TEST(MotionCheck, FirstFrameHoldsTheRestPose) {
    const auto rest = std::make_shared<const std::vector<Vec3f>>(test::sheetPoints(6, 5, -4.0));
    test::SheetOptions options;
    options.plant = [&](double frame, std::vector<Vec3f>& points) {
        if (frame == 1001)
            points = *rest;
    };
    const auto finding = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a", rest).find("frames.first_stale");
    ASSERT_TRUE(finding);
    EXPECT_NE(finding->text.find("rest pose"), std::string::npos);
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(test::sheetScene(), "a", rest).find("frames.first_stale"));
}

TEST(MotionCheck, AJump) {
    test::SheetOptions options;
    options.count = 48;
    options.pose = [](double frame) { return frame >= 1020 ? frame + 17 : frame; };
    const auto finding = Checker(shot(1001, 1048)).add(test::sheetScene(options), "a").find("motion.jump");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->frame, 1020.0);
    EXPECT_GT(*finding->figure, 0.0);
}

TEST(MotionCheck, MarkedMovingButStatic) {
    test::SheetOptions options;
    options.pose = [](double) { return 0.0; };
    const auto finding = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a").find("motion.static");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->figure, 24.0);
    // What changes in its figures alone, as a lamp that is dimmed, is not static.
    for (const bool dims : {false, true}) {
        Scene lamp = test::sheetScene(options);
        std::vector<LightFigures> figures(24);
        for (std::size_t i = 0; i < figures.size(); ++i)
            figures[i].intensity = dims ? 2.0 - 0.05 * static_cast<double>(i) : 2.0;
        setLight(lamp.nodes[0], lamp.nodes[0].geometry->sampling(), figures);
        EXPECT_EQ(Checker(shot(1001, 1024)).add(lamp, "a").find("motion.static").has_value(), !dims);
    }
}

TEST(MeshCheck, NotFinite) {
    test::SheetOptions options;
    options.plant = [](double frame, std::vector<Vec3f>& points) {
        if (frame == 1010)
            points[7].y = points[9].z = kNan;
        if (frame == 1012)
            points[0].x = -std::numeric_limits<float>::infinity();
    };
    const auto findings = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a").run();
    ASSERT_GE(findings.size(), 2U);
    EXPECT_EQ(findings[0].id, "points.not_finite");
    EXPECT_EQ(findings[0].frame, 1010.0);
    EXPECT_EQ(findings[0].figure, 2.0);
    EXPECT_NE(findings[0].text.find("y of point 7"), std::string::npos) << findings[0].text;
    EXPECT_EQ(findings[1].frame, 1012.0);
    const auto mended = applySteps(test::sheetScene(options), findings[0].mend);
    EXPECT_EQ(Checker(shot(1001, 1024)).add(*mended, "a").find("points.not_finite")->frame, 1012.0);
}

class ChangingGeometry final : public GeometryWrapper {
  public:
    ChangingGeometry(GeometryPtr inner, std::size_t at, std::size_t points, TopologyPtr faces)
        : GeometryWrapper(std::move(inner)), at_(at), points_(points), faces_(std::move(faces)) {}
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t s) const override {
        return s == at_ ? points_ : inner().pointCount(s);
    }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        if (s != at_)
            return inner().readRange(s, first, into);
        std::vector<Vec3f> own;
        WYC_CHECK(wyc::readPoints(inner(), s, own));
        own.resize(points_);
        return copyRange(own, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t s) const override {
        return s == at_ && faces_ ? faces_ : inner().topology(s);
    }
    [[nodiscard]] bool topologyVaries() const override { return true; }

  private:
    std::size_t at_;
    std::size_t points_;
    TopologyPtr faces_;
};

TEST(MeshCheck, ThePointCountChanges) {
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry = std::make_shared<ChangingGeometry>(scene.nodes[0].geometry, 5, 33, nullptr);
    const auto finding = Checker(shot(1001, 1024)).add(scene, "a").find("points.count_changes");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->frame, 1006.0);
    EXPECT_EQ(finding->figure, 33.0);
    EXPECT_EQ(finding->severity, Severity::Fault);
    scene.nodes[0].kind = NodeKind::Points; // particles are born
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(scene, "a").find("points.count_changes"));
}

TEST(MeshCheck, TheOrderChanges) {
    Scene scene = test::sheetScene();
    auto corners = (*test::shapeOf(scene).topology(0))->corners();
    std::rotate(corners.begin(), corners.begin() + 4, corners.end());
    const auto other = *Topology::make((*test::shapeOf(scene).topology(0))->faceSizes(), corners);
    scene.nodes[0].geometry = std::make_shared<ChangingGeometry>(scene.nodes[0].geometry, 9, 30, other);
    const auto finding = Checker(shot(1001, 1024)).add(scene, "a").find("order.changes");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->frame, 1010.0);
}

TEST(MeshCheck, FacesOutOfRangeAndDegenerate) {
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry =
        std::make_shared<MemoryGeometry>(Sampling::still(), *Topology::make({3}, {0, 1, 30}),
                                         std::vector<std::vector<Vec3f>>{test::sheetPoints(6, 5, 0)});
    const auto outside = Checker(shot(1, 2)).add(scene, "a").find("faces.out_of_range");
    ASSERT_TRUE(outside);
    EXPECT_NE(outside->text.find("Corner 2 refers to point 30 of 30"), std::string::npos) << outside->text;
    scene.nodes[0].geometry =
        std::make_shared<MemoryGeometry>(Sampling::still(), *Topology::make({3, 4, 2}, {0, 1, 2, 3, 4, 4, 5, 6, 7}),
                                         std::vector<std::vector<Vec3f>>{test::sheetPoints(6, 5, 0)});
    const auto thin = Checker(shot(1, 2)).add(scene, "a").find("faces.degenerate");
    ASSERT_TRUE(thin);
    EXPECT_EQ(thin->figure, 2.0);
    EXPECT_NE(thin->text.find("face 1"), std::string::npos);
}

TEST(MeshCheck, FarFromTheOrigin) {
    test::SheetOptions options;
    options.plant = [](double, std::vector<Vec3f>& points) {
        for (Vec3f& p : points)
            p.x += 60000.0F;
    };
    const auto finding = Checker(shot(1001, 1024)).add(test::sheetScene(options), "a").find("points.far_from_origin");
    ASSERT_TRUE(finding);
    EXPECT_NEAR(*finding->figure, 3.90625, 1e-6); // float32 steps at 60,000 m, in mm
    EXPECT_EQ(finding->unit, "mm");
}

Scene scaledSheet(float factor, bool zUp, const std::string& name = "sheet") {
    test::SheetOptions options;
    options.name = name;
    options.plant = [=](double, std::vector<Vec3f>& points) {
        for (Vec3f& p : points)
            p = zUp ? Vec3f{p.x * factor, -p.z * factor, p.y * factor}
                    : Vec3f{p.x * factor, p.y * factor, p.z * factor};
    };
    return test::sheetScene(options);
}

TEST(SizeCheck, RatiosToAKin) {
    for (const float factor : {100.0F, 1000.0F, 10.0F, 39.37008F, 0.01F}) {
        Checker checker(shot(1001, 1024));
        checker.add(test::sheetScene(), "sheet_clean.mdd")
            .add(scaledSheet(factor, false, "sheet_back"), "sheet_back.mdd");
        const auto finding = checker.find("size.ratio");
        ASSERT_TRUE(finding) << factor << ": " << checker.ids();
        EXPECT_NEAR(*finding->figure / static_cast<double>(factor), 1.0, 0.01);
        EXPECT_EQ(finding->item, "sheet_back.mdd/sheet_back") << factor;
        const auto mended = applySteps(scaledSheet(factor, false, "sheet_back"), finding->mend);
        Checker again(shot(1001, 1024));
        EXPECT_FALSE(
            again.add(test::sheetScene(), "sheet_clean.mdd").add(*mended, "sheet_back.mdd").find("size.ratio"));
    }
}

// What came back often has the name it went out with, in another folder.
TEST(SizeCheck, AKinOfTheSameFileName) {
    const test::TempFolder folder;
    CheckInput input;
    input.shot = shot(1001, 1024);
    std::vector<SourcePtr> sources;
    std::vector<MeasuredItem> items;
    for (const char* where : {"out", "back"}) {
        fs::create_directories(folder / where);
        const fs::path path = folder / where / "sheet.abc";
        ASSERT_TRUE(test::writeScene(scaledSheet(where[0] == 'b' ? 100.0F : 1.0F, false, "sheet"), path));
        auto source = openSource({path, {}, {}, true}, FrameRate());
        ASSERT_TRUE(source) << source.error().text();
        sources.push_back(*source);
        auto measured = measuredItems(**source, (*source)->scene, true, Progress());
        ASSERT_TRUE(measured);
        input.items.insert(input.items.end(), measured->begin(), measured->end());
    }
    const auto findings = runChecks(input);
    EXPECT_TRUE(std::any_of(findings.begin(), findings.end(), [](const Finding& f) { return f.id == "size.ratio"; }));
}

TEST(SizeCheck, OnItsSideAgainstAKin) {
    Checker checker(shot(1001, 1024));
    checker.add(test::sheetScene(), "sheet_clean.mdd").add(scaledSheet(1.0F, true, "sheet_back"), "sheet_back.mdd");
    const auto finding = checker.find("axis.turned");
    ASSERT_TRUE(finding) << checker.ids();
    const auto mended = applySteps(scaledSheet(1.0F, true, "sheet_back"), finding->mend);
    EXPECT_EQ(Checker(shot(1001, 1024)).add(test::sheetScene(), "sheet_clean.mdd").add(*mended, "sheet_back.mdd").ids(),
              "");
}

TEST(SizeCheck, AgainstItsOwnRestMesh) {
    const auto rest = std::make_shared<const std::vector<Vec3f>>(test::sheetPoints(6, 5, 2.0));
    const auto both = Checker(shot(1001, 1024)).add(scaledSheet(100.0F, true), "a", rest);
    const auto size = both.find("size.ratio");
    const auto axis = both.find("axis.turned");
    ASSERT_TRUE(size) << both.ids();
    ASSERT_TRUE(axis) << both.ids();
    std::vector<Step> mend = size->mend;
    mend.insert(mend.end(), axis->mend.begin(), axis->mend.end());
    EXPECT_EQ(Checker(shot(1001, 1024)).add(*applySteps(scaledSheet(100.0F, true), mend), "a", rest).ids(), "");
    EXPECT_EQ(Checker(shot(1001, 1024)).add(test::sheetScene(), "a", rest).ids(), "");
}

TEST(SizeCheck, StrangersAreNotCompared) {
    Checker checker(shot(1001, 1024));
    checker.add(test::sheetScene(), "anchor.mdd").add(scaledSheet(100.0F, false, "whale"), "whale.mdd");
    EXPECT_FALSE(checker.find("size.ratio"));
}

// What came back under the name that it went out with has its points, in its order; what only sounds alike need not.
TEST(NamesakeCheck, PointsAndOrderOfWhatWentOut) {
    const auto sheet = [](const char* name, int rows) {
        test::SheetOptions options;
        options.name = name;
        options.rows = rows;
        return test::sheetScene(options);
    };
    const auto of = [&](const Scene& back, const char* source) {
        return Checker(shot(1001, 1024)).add(sheet("sheet", 6), "sheet_v001.abc").add(back, source);
    };
    EXPECT_FALSE(of(sheet("sheet", 6), "sheet_back.abc").ids().find("namesake") != std::string::npos);
    const auto fewer = of(sheet("sheet", 5), "sheet_back_v012.abc").find("points.not_as_namesake");
    ASSERT_TRUE(fewer);
    EXPECT_EQ(fewer->severity, Severity::Caution);
    EXPECT_EQ(*fewer->figure, -5.0);
    EXPECT_EQ(fewer->item, "sheet_back_v012.abc/sheet") << "of the one that came back";
    Scene turned = sheet("Sheet_returned", 6);
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < 24; ++i) {
        samples.push_back(test::pointsOf(*turned.nodes[0].geometry, i));
        std::reverse(samples.back().begin(), samples.back().end());
    }
    const TopologyPtr own = *turned.nodes[0].geometry->topology(0);
    std::vector<std::int32_t> corners;
    for (const std::int32_t c : own->corners())
        corners.push_back(29 - c);
    turned.nodes[0].geometry = std::make_shared<MemoryGeometry>(
        turned.nodes[0].geometry->sampling(),
        *Topology::make({own->faceSizes().begin(), own->faceSizes().end()}, std::move(corners)), std::move(samples));
    turned.nodes[0].path = "/sheet";
    EXPECT_TRUE(of(turned, "sheet_export.abc").find("order.not_as_namesake"));
    // A name of such words alone is a name.
    const auto called = [&](const char* one, const char* other) {
        return Checker(shot(1001, 1024)).add(sheet(one, 6), "set.abc").add(sheet(other, 5), "set_back.abc").ids();
    };
    EXPECT_EQ(called("back", "export").find("namesake"), std::string::npos);
    EXPECT_EQ(called("door_in", "door_out").find("namesake"), std::string::npos) << "two doors";
    EXPECT_NE(called("back", "back").find("namesake"), std::string::npos);
    // Another thing, another file, or two of one file.
    EXPECT_FALSE(of(sheet("sheet_left", 5), "sheet_back.abc").ids().find("namesake") != std::string::npos);
    EXPECT_FALSE(of(sheet("sheet", 5), "sail.abc").ids().find("namesake") != std::string::npos);
    EXPECT_FALSE(of(sheet("sheet", 5), "sheet_v001.abc").ids().find("namesake") != std::string::npos);
}

TEST(SizeCheck, ImplausibleInItsUnit) {
    EXPECT_TRUE(Checker(shot(1001, 1024)).add(scaledSheet(50000.0F, false), "a").find("size.suspect"));
    EXPECT_TRUE(Checker(shot(1001, 1024)).add(scaledSheet(1e-5F, false), "a").find("size.suspect"));
    Scene inMillimetres = scaledSheet(50000.0F, false);
    inMillimetres.unitMetres = 0.001;
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(inMillimetres, "a").find("size.suspect"));
}

TEST(StatementsCheck, UnitAndAxis) {
    Shot silent = shot(1001, 1024);
    silent.unitMetres.reset();
    silent.upAxis.reset();
    const auto unsaid = Checker(silent).add(test::sheetScene(), "a").find("source.not_stated");
    ASSERT_TRUE(unsaid);
    EXPECT_EQ(unsaid->severity, Severity::Note);
    Scene scene = test::sheetScene();
    scene.unitMetres = 0.01;
    scene.upAxis = UpAxis::Z;
    const Checker differs = Checker(shot(1001, 1024)).add(scene, "a");
    ASSERT_TRUE(differs.find("unit.differs"));
    ASSERT_TRUE(differs.find("axis.differs"));
    EXPECT_EQ(differs.find("unit.differs")->mend[0].type, "unit");
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    EXPECT_EQ(Checker(silent).add(scene, "a").ids(), "");
}

TEST(ForeignFaults, AreFoundAndCleanOnesAreNot) {
    const fs::path data = fs::path(WYC_TEST_DATA) / "mdd";
    const auto idsOf = [&](const char* name) {
        const auto source = openSource({data / name, data / "jelly_rest.obj", {}, true}, FrameRate());
        EXPECT_TRUE(source) << source.error().text();
        auto items = measuredItems(**source, (*source)->scene, false, Progress());
        CheckInput input;
        input.shot.unitMetres = 1.0;
        input.shot.upAxis = UpAxis::Y;
        input.items = std::move(*items);
        std::string text;
        for (const Finding& finding : runChecks(input))
            text += finding.id + (finding.frame ? "@" + std::to_string(static_cast<int>(*finding.frame)) : "") + " ";
        return text;
    };
    EXPECT_EQ(idsOf("jelly_pulse.mdd"), "");
    EXPECT_EQ(idsOf("first_stale.mdd"), "frames.first_stale@0 ");
    EXPECT_EQ(idsOf("held_frames.mdd"), "frames.held@5 frames.held@9 ");
    EXPECT_EQ(idsOf("size_100.mdd"), "size.ratio ");
    EXPECT_EQ(idsOf("z_up.mdd"), "axis.turned ");
}

TEST(Findings, SortWorstFirstAndSpeakJson) {
    std::vector<Finding> findings(3);
    findings[0].severity = Severity::Note;
    findings[1].severity = Severity::Fault;
    findings[1].frame = 9;
    findings[1].item = "b";
    findings[2].severity = Severity::Fault;
    findings[2].frame = 3;
    findings[2].item = "b";
    sortFindings(findings);
    EXPECT_EQ(findings[0].frame, 3.0);
    EXPECT_EQ(findings[2].severity, Severity::Note);
    const auto json = toJson(findings[0]);
    for (const char* key : {"id", "severity", "item", "frame", "figure", "unit", "text", "advice"})
        EXPECT_TRUE(json.contains(key)) << key;
    EXPECT_EQ(json["severity"], "fault");
    EXPECT_TRUE(json["figure"].is_null());
    EXPECT_FALSE(parseSeverity("awful"));
}

// A cache in which some frames are not there.
Scene withoutFrames(const std::set<double>& missing, std::size_t count = 24) {
    const Scene whole = test::sheetScene();
    std::vector<double> times;
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < count; ++i) {
        if (missing.contains(1001.0 + static_cast<double>(i)))
            continue;
        times.push_back(test::shapeOf(whole).sampling().time(i));
        samples.push_back(test::pointsOf(test::shapeOf(whole), i));
    }
    Scene scene = whole;
    scene.nodes[0].geometry =
        std::make_shared<MemoryGeometry>(samplingFromTimes(times), test::gridTopology(6, 5), samples);
    return scene;
}

TEST(Gaps, AreFoundWithFrameAndCountAndCanBeFilled) {
    const auto one = Checker(shot(1001, 1024)).add(withoutFrames({1010}), "a").find("frames.missing");
    ASSERT_TRUE(one);
    EXPECT_EQ(one->frame, 1010.0);
    EXPECT_EQ(one->figure, 1.0);
    EXPECT_NE(one->text.find("Frame 1010 is missing"), std::string::npos) << one->text;
    const Scene three = withoutFrames({1015, 1016, 1017});
    const auto run = Checker(shot(1001, 1024)).add(three, "a").find("frames.missing");
    ASSERT_TRUE(run);
    EXPECT_EQ(run->frame, 1015.0);
    EXPECT_EQ(run->figure, 3.0);
    const auto mended = applySteps(three, run->mend);
    ASSERT_TRUE(mended) << mended.error().text();
    EXPECT_EQ(test::shapeOf(*mended).sampling().count(), 24U);
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(*mended, "a").find("frames.missing"));
}

TEST(Gaps, AreNotSeenInWhatIsWholeOrUnevenByNature) {
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(test::sheetScene(), "a").find("frames.missing"));
    // Shutter samples: two distances, neither a multiple of the other's usual one in a few places.
    const auto shutter =
        applySteps(test::sheetScene(), {{"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}, true}});
    ASSERT_TRUE(shutter);
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(*shutter, "a").find("frames.missing"));
    // Every other frame is a rate, not a gap.
    const auto thinned = applySteps(test::sheetScene(), {{"every", {{"count", 2}}, true}});
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(*thinned, "a").find("frames.missing"));
    // What a reader told already is not told twice.
    Scene told = withoutFrames({1010});
    told.report.remarks.push_back({"frames.missing", "/sheet", 1010.0, 1.0, "frames", "", "", 2});
    std::size_t count = 0;
    for (const Finding& finding : Checker(shot(1001, 1024)).add(told, "a").run())
        count += finding.id == "frames.missing";
    EXPECT_EQ(count, 0U);
}

TEST(Counts, AMeshThatLosesPointsIsToldWithTheFrame) {
    Scene scene = test::sheetScene();
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < 24; ++i) {
        samples.push_back(test::pointsOf(test::shapeOf(scene), i));
        if (i >= 9)
            samples.back().resize(27);
    }
    scene.nodes[0].kind = NodeKind::Mesh;
    scene.nodes[0].geometry = std::make_shared<VaryingPoints>(test::shapeOf(scene).sampling(), samples);
    const auto found = Checker(shot(1001, 1024)).add(scene, "a").find("points.count_changes");
    ASSERT_TRUE(found);
    EXPECT_EQ(found->severity, Severity::Fault);
    EXPECT_EQ(found->frame, 1010.0);
    EXPECT_NE(found->text.find("30 points up to 1009, 27 from 1010 on"), std::string::npos) << found->text;
    scene.nodes[0].kind = NodeKind::Points; // flecks come and go
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(scene, "a").find("points.count_changes"));
}

// Boxes of many proportions; of some the same thing is there again, a hundred times too large or on its side.
TEST(Sizes, AmongManyProportionsEachOddOneIsFound) {
    const auto box = [](const std::string& name, double x, double y, double z) {
        std::vector<Vec3f> points;
        for (int corner = 0; corner < 8; ++corner)
            points.push_back({static_cast<float>(corner & 1 ? x : 0), static_cast<float>(corner & 2 ? y : 0),
                              static_cast<float>(corner & 4 ? z : 0)});
        Node node;
        node.name = name;
        node.path = "/" + name;
        node.kind = NodeKind::Points;
        node.geometry = std::make_shared<VaryingPoints>(Sampling::still(), std::vector<std::vector<Vec3f>>{points});
        return node;
    };
    std::mt19937 random(17);
    std::uniform_real_distribution<double> log(0.3, 1.2);
    std::uniform_real_distribution<double> jitter(0.996, 1.004);
    Scene good;
    Scene back;
    std::set<std::string> large;
    std::set<std::string> turned;
    for (int i = 0; i < 150; ++i) {
        const double x = 1.0;
        const double y = std::exp(log(random));
        const double z = y * std::exp(log(random)); // no two sides alike
        const std::string name =
            "crate" + std::string(1, static_cast<char>('a' + i / 26)) + static_cast<char>('a' + i % 26);
        good.nodes.push_back(box(name, x, y, z));
        const double by = i % 7 == 3 ? 100.0 : 1.0;
        const bool lies = i % 11 == 5;
        back.nodes.push_back(box(name + "_back", x * by * jitter(random), (lies ? z : y) * by * jitter(random),
                                 (lies ? y : z) * by * jitter(random)));
        if (by > 1.0)
            large.insert(name + "_back");
        if (lies)
            turned.insert(name + "_back");
    }
    Checker checker(shot(1001, 1024));
    checker.add(good, "good.abc").add(back, "back.abc");
    std::set<std::string> foundLarge;
    std::set<std::string> foundTurned;
    for (const Finding& finding : checker.run()) {
        const std::string name = finding.item.substr(finding.item.rfind('/') + 1);
        if (finding.id == "size.ratio") {
            foundLarge.insert(name);
            EXPECT_NEAR(*finding.figure, 100.0, 2.0);
        } else if (finding.id == "axis.turned") {
            foundTurned.insert(name);
        }
    }
    EXPECT_EQ(foundLarge, large);
    EXPECT_EQ(foundTurned, turned);
}

TEST(Sizes, ManyAlikeItemsAreNoFindingAndOneOddOneIs) {
    Scene many;
    for (int i = 0; i < 40; ++i) {
        Node node = test::sheetScene().nodes[0];
        node.name = "piece_" + std::to_string(i);
        node.path = "/" + node.name;
        many.nodes.push_back(node);
    }
    EXPECT_FALSE(Checker(shot(1001, 1024)).add(many, "a").find("size.ratio"));
    Scene odd;
    odd.nodes.push_back(many.nodes[7]);
    odd = *applySteps(odd, {{"scale", {{"factor", 100.0}}, true}});
    const auto found = Checker(shot(1001, 1024)).add(many, "a").add(odd, "b").find("size.ratio");
    ASSERT_TRUE(found);
    EXPECT_EQ(found->item, "b/piece_7");
}

} // namespace
} // namespace wyc::checks_test
