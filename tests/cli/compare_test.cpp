// SPDX-License-Identifier: GPL-3.0-or-later
// compare and order as pipeline scripts call them.
#include <gtest/gtest.h>

#include <map>

#include "base/file.h"
#include "scene/components/camera.h"
#include "support/expected.h"
#include "support/process.h"
#include "support/returned.h"
#include "support/temp_folder.h"

namespace wyc::compare_test {
namespace {

using nlohmann::json;
using test::wyc;

class Compare : public testing::Test {
  protected:
    void SetUp() override {
        std::mt19937 random(6);
        const test::Shape shape = test::roughShape(random, 8, 9); // some points have no faces
        const auto motion = test::motionOf(shape, random, 24);
        const FrameRate rate;
        const Sampling frames = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24);
        ASSERT_TRUE(test::writeScene(test::sceneOf(shape, motion, frames, rate), a()));
        const auto to = test::randomOrder(shape.points.size(), random);
        std::vector<std::vector<Vec3d>> returned;
        for (const auto& sample : motion) {
            returned.emplace_back();
            for (const Vec3d& p : test::placed(sample, to)) // centimetres, Z up
                returned.back().push_back({p.x * 100, -p.z * 100, p.y * 100});
        }
        const Sampling later = Sampling::uniform(rate.secondsAt(1003), rate.secondsAt(1), 24);
        ASSERT_TRUE(test::writeScene(test::sceneOf(test::shuffled(shape, to, random), returned, later, rate), b()));
    }
    [[nodiscard]] std::string a() const { return (folder_ / "out.abc").string(); }
    [[nodiscard]] std::string b() const { return (folder_ / "back.abc").string(); }
    [[nodiscard]] std::string to(const char* name) const { return (folder_ / name).string(); }
    test::TempFolder folder_;
};

TEST_F(Compare, EveryCauseIsToldAndTheMendedCopyComparesEqual) {
    const auto same = wyc({"compare", a(), a(), "--json"});
    EXPECT_EQ(same.code, 0) << same.err;
    EXPECT_TRUE(same.json()["within_tolerance"]);
    const auto told = wyc({"compare", a(), b(), "--explain", "--json"});
    EXPECT_EQ(told.code, 1) << told.err;
    const json document = told.json();
    for (const char* field :
         {"a", "b", "tolerance_metres", "within_tolerance", "text", "pairs", "others", "only_a", "only_b"})
        EXPECT_TRUE(document.contains(field)) << field;
    ASSERT_EQ(document["pairs"].size(), 1U);
    const json& pair = document["pairs"][0];
    std::map<std::string, double> causes;
    for (const json& cause : pair["causes"]) {
        causes[cause["id"]] = cause["figure"];
        EXPECT_GE(cause["confidence"].get<double>(), 0.9);
        EXPECT_TRUE(cause["step"].is_object());
        for (const char* field : {"unit", "text", "evidence"})
            EXPECT_TRUE(cause.contains(field)) << field;
    }
    EXPECT_EQ(causes.size(), 4U) << pair["causes"].dump(1);
    EXPECT_NEAR(causes["unit"], 100.0, 1e-3);
    EXPECT_NEAR(causes["axis"], 90.0, 1e-3);
    EXPECT_NEAR(causes["offset"], 2.0, 1e-3);
    EXPECT_GT(causes["order"], 50.0);
    EXPECT_EQ(pair["order"]["by"], "connectivity");
    EXPECT_EQ(pair["order"]["unmatched_a"], 0);
    EXPECT_LT(pair["drift_undone"]["max"].get<double>(), 1e-5);
    // The mended copy goes the way of every delivery, and is A.
    const auto applied = wyc({"compare", a(), b(), "--apply", to("mended.abc"), "--report", to("why.html"), "--json"});
    EXPECT_EQ(applied.code, 1) << applied.err;
    EXPECT_TRUE(applied.json()["outputs"][0]["proof"]["passed"]);
    EXPECT_EQ(wyc({"compare", a(), to("mended.abc"), "--json"}).code, 0);
    EXPECT_EQ(wyc({"prove", to("mended.abc")}).code, 0);
    // A tolerance has a unit, and counts.
    const auto loose = wyc({"compare", a(), b(), "--tolerance", "1000m", "--json"});
    EXPECT_EQ(loose.code, 1); // points in another order are never within
    EXPECT_EQ(wyc({"compare", a(), to("mended.abc"), "--tolerance", "0"}).code, 1);
    const auto bytes = readWholeFile(to("why.html"), 1 << 24);
    ASSERT_TRUE(bytes);
    const std::string page(reinterpret_cast<const char*>(bytes->data()), bytes->size());
    for (const char* word : {"<svg", "turned Z up", "undone", "as it came, by number", "first frame, 1001, undone",
                             "last frame, 1024, undone", "prefers-color-scheme"})
        EXPECT_NE(page.find(word), std::string::npos) << word;
    EXPECT_EQ(page.find("http"), std::string::npos); // nothing outside of it
    EXPECT_EQ(pair["drift_is"], "as it came, by number");
    EXPECT_GT(pair["drift"]["max"].get<double>(), 1.0);
    EXPECT_EQ(same.json()["pairs"][0]["drift_is"], "as it came");
    // What exists stays.
    EXPECT_EQ(wyc({"compare", a(), b(), "--apply", to("mended.abc")}).code, 2);
}

TEST_F(Compare, AnOrderIsAFileThatIsUsedAgain) {
    const auto made = wyc({"order", a(), b(), "-o", to("b.order.json"), "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    EXPECT_EQ(made.json()["order"]["ambiguous"], 0);
    EXPECT_EQ(wyc({"order", a(), b(), "-o", to("b.order.json")}).code, 2); // it is there
    const json chain = json::array({{{"type", "reorder"}, {"options", {{"order", to("b.order.json")}}}}});
    ASSERT_TRUE(writeTextFile(to("steps.json"), chain.dump(), AtomicFile::Replace::No));
    const auto written =
        wyc({"convert", b(), "--steps", to("steps.json"), "-o", to("ordered.abc"), "--record", "--json"});
    ASSERT_EQ(written.code, 0) << written.err;
    const auto again = wyc({"compare", a(), to("ordered.abc"), "--explain", "--json"});
    EXPECT_TRUE(again.json()["pairs"][0]["order"]["same"]);
    EXPECT_EQ(again.json()["pairs"][0]["order"]["by"], "hash"); // faces, too
}

// What steps place goes into the points of formats that have no transforms.
TEST_F(Compare, AMendedCopyStandsWhereItShouldInEveryFormat) {
    const json place =
        json::array({{{"type", "place"}, {"options", {{"matrix", "0, 0, -1, 0, 1, 0, 1, 0, 0, 3.5, 1, -2"}}}}});
    ASSERT_TRUE(writeTextFile(to("place.json"), place.dump(), AtomicFile::Replace::No));
    ASSERT_EQ(wyc({"convert", a(), "--steps", to("place.json"), "-o", to("placed.abc")}).code, 0);
    for (const char* target : {"mended.abc", "mended.mdd", "mended.####.obj", "mended.usdc"}) {
        const auto applied = wyc({"compare", a(), to("placed.abc"), "--apply", to(target), "--json"});
        ASSERT_EQ(applied.code, 1) << target << ": " << applied.err;
        std::string written = applied.json()["outputs"][0]["target"];
        if (written.find('#') != std::string::npos)
            written = to("mended.1001.obj");
        const auto again = wyc({"compare", a(), written, "--rest-b", a(), "--json"});
        ASSERT_LT(again.code, 2) << target << ": " << again.err;
        EXPECT_LT(again.json()["pairs"][0]["drift"]["max"].get<double>(), 1e-4) << target;
    }
}

// One item is late and the other larger: each gets what undoes it.
TEST_F(Compare, EveryItemGetsStepsOfItsOwn) {
    const auto made = [&](const char* name, std::vector<std::string> further) {
        std::vector<std::string> words{"convert", a(), "-o", to(name), "-q"};
        words.insert(words.end(), further.begin(), further.end());
        ASSERT_EQ(wyc(words).code, 0);
    };
    made("sail.abc", {});
    made("keel.abc", {});
    fs::create_directories(to("back"));
    made("back/sail.abc", {"--offset", "3"});
    made("back/keel.abc", {"--scale", "100"});
    ASSERT_EQ(wyc({"convert", to("sail.abc"), to("keel.abc"), "-o", to("both.abc"), "-q"}).code, 0);
    ASSERT_EQ(wyc({"convert", to("back/sail.abc"), to("back/keel.abc"), "-o", to("both_back.abc"), "-q"}).code, 0);
    const auto applied = wyc({"compare", to("both.abc"), to("both_back.abc"), "--apply", to("each.abc"), "--json"});
    ASSERT_EQ(applied.code, 1) << applied.err;
    EXPECT_EQ(wyc({"compare", to("both.abc"), to("each.abc")}).code, 0);
    // What belongs together may be said; nonsense is told.
    EXPECT_EQ(wyc({"compare", to("both.abc"), to("both.abc"), "--pair", "rough"}).code, 2);
    EXPECT_EQ(wyc({"compare", to("both.abc"), to("both.abc"), "--pair", "nothing=nobody"}).code, 2);
}

// Faces that never change have an order, however often they are written.
TEST_F(Compare, ASequenceOfOneMeshTakesEveryStep) {
    ASSERT_EQ(wyc({"convert", a(), "-o", to("sheet.####.obj"), "-q"}).code, 0);
    for (const char* step : {"flip", "merge"}) {
        const json chain = json::array({{{"type", step}}});
        const std::string file = to((std::string(step) + ".json").c_str());
        ASSERT_TRUE(writeTextFile(file, chain.dump(), AtomicFile::Replace::No));
        const std::string target = to((std::string(step) + ".abc").c_str());
        const auto written = wyc({"convert", to("sheet.1001.obj"), "--steps", file, "--prove", "-o", target});
        EXPECT_EQ(written.code, 0) << step << ": " << written.err;
    }
    const auto told = wyc({"compare", to("sheet.1001.obj"), to("flip.abc"), "--explain", "--json"});
    ASSERT_EQ(told.code, 1) << told.err;
    EXPECT_EQ(told.json()["pairs"][0]["causes"][0]["id"], "winding");
}

TEST_F(Compare, WhatCannotBeComparedIsSaid) {
    for (const std::vector<std::string>& words : {std::vector<std::string>{"compare", a(), to("nowhere.abc")},
                                                  {"compare", a(), b(), "--tolerance", "wide"},
                                                  {"compare", a(), b(), "--items", "nothing*"},
                                                  {"compare", a()},
                                                  {"order", a(), b()}}) {
        const auto ran = wyc(words);
        EXPECT_EQ(ran.code, 2) << words.back();
        EXPECT_FALSE(ran.err.empty());
    }
    // Two that have nothing in common: an answer, and no claim.
    ASSERT_TRUE(test::writeScene(test::returningScene(3, {}), to("other.abc")));
    const auto alien = wyc({"compare", a(), to("other.abc"), "--explain", "--json"});
    EXPECT_EQ(alien.code, 1) << alien.err;
    for (const json& cause : alien.json()["pairs"][0]["causes"])
        EXPECT_LT(cause["confidence"].get<double>(), 0.9) << cause.dump();
}

TEST_F(Compare, DriftInThePictureOfACamera) {
    auto scene = test::openFile(a());
    ASSERT_TRUE(scene);
    Node camera;
    camera.name = "boom";
    camera.path = "/boom";
    camera.kind = NodeKind::Camera;
    setCamera(camera, Sampling::still(), {CameraFigures()});
    camera.transform = std::make_shared<MemoryTransform>(Sampling::still(),
                                                         std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
                                                         std::vector<std::vector<double>>{{0.8, 0, 12}});
    scene->nodes.push_back(camera);
    ASSERT_TRUE(test::writeScene(*scene, to("seen.abc")));
    const json place = json::array({{{"type", "place"}, {"options", {{"move", "0.02, 0, 0"}}}}});
    ASSERT_TRUE(writeTextFile(to("place.json"), place.dump(), AtomicFile::Replace::No));
    const auto moved = wyc({"convert", a(), "--steps", to("place.json"), "-o", to("moved.abc")});
    ASSERT_EQ(moved.code, 0) << moved.err;
    const auto told = wyc({"compare", to("seen.abc"), to("moved.abc"), "--camera", "boom", "--picture-width", "2000",
                           "--explain", "--json"});
    EXPECT_EQ(told.code, 1) << told.err;
    const json document = told.json();
    const json& pixels = document["pairs"][0]["pixels"];
    EXPECT_EQ(pixels["camera"], "/boom/boom");
    EXPECT_EQ(pixels["drift"]["unit"], "pixels");
    // 35 mm before a gate of 36: 20 mm at nine to thirteen metres.
    const auto pixelsAt = [](double metres) { return 35.0 / 36.0 * 0.02 / metres * 2000.0; };
    EXPECT_GT(pixels["drift"]["max"].get<double>(), pixelsAt(13.0));
    EXPECT_LT(pixels["drift"]["max"].get<double>(), pixelsAt(9.0));
    EXPECT_LT(pixels["drift_undone"]["max"].get<double>(), 1e-3);
    EXPECT_EQ(wyc({"compare", to("seen.abc"), a(), "--camera", "nobody"}).code, 2);
    const auto words =
        wyc({"compare", to("seen.abc"), to("moved.abc"), "--camera", "boom", "--report", to("page.html")});
    const std::string before = test::readFile(a());
    EXPECT_EQ(wyc({"compare", a(), b(), "--report", a()}).code, 2) << "a page is written over no cache";
    EXPECT_EQ(test::readFile(a()), before);
    EXPECT_NE(words.out.find(" px RMS"), std::string::npos) << words.out;
    EXPECT_NE(test::readFile(to("page.html")).find("in pixels"), std::string::npos);
}

TEST_F(Compare, PointsAreTakenByAnOrderThatWasSaved) {
    // What came back keeps its own order and name; the cache that went out gives it its motion again.
    ASSERT_LE(wyc({"order", b(), a(), "-o", to("as_b.json")}).code, 1);
    const json chain = json::array({{{"type", "take"}, {"options", {{"from", a()}, {"order", to("as_b.json")}}}}});
    const std::string steps = to("take.json");
    ASSERT_TRUE(writeTextFile(steps, chain.dump(), AtomicFile::Replace::No));
    const auto taken = wyc({"convert", b(), "--steps", steps, "-o", to("taken.abc"), "--record"});
    ASSERT_EQ(taken.code, 0) << taken.err;
    const auto told = wyc({"compare", a(), to("taken.abc"), "--explain", "--json"});
    const json pair = told.json()["pairs"][0];
    std::vector<std::string> ids;
    for (const json& cause : pair["causes"])
        ids.push_back(cause["id"]);
    EXPECT_EQ(ids, std::vector<std::string>{"order"}) << told.out;
    EXPECT_LT(pair["drift_undone"]["max"].get<double>(), 1e-6);
    EXPECT_EQ(wyc({"prove", to("taken.abc")}).code, 0);
    const std::string record = test::readFile(to("taken.abc.record.json"));
    EXPECT_NE(record.find("steps_read"), std::string::npos);
    // And nothing is written over what it was taken from.
    EXPECT_NE(wyc({"convert", b(), "--steps", steps, "-o", a(), "--replace"}).code, 0);
}

} // namespace
} // namespace wyc::compare_test
