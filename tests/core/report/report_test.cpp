// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <limits>
#include <map>
#include <set>

#include <nlohmann/json.hpp>

#include "base/hash.h"
#include "demo/lantern_shoal.h"
#include "report/report.h"
#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::report_test {
namespace {

using nlohmann::json;
using test::TempFolder;

SourcePtr sourceOf(const fs::path& path) {
    auto source = openSource({path, {}, {}, true}, FrameRate());
    EXPECT_TRUE(source) << source.error().text();
    return source ? *source : nullptr;
}

TEST(Report, ItemsSayHowTheyMove) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(demo::surveySub(), folder / "sub.abc"));
    const auto source = sourceOf(folder / "sub.abc");
    const auto info = sourceInfo(*source, false);
    ASSERT_TRUE(info);
    std::map<std::string, json> items;
    for (const json& item : (*info)["items"])
        items[item["path"]] = item;
    EXPECT_EQ(items.size(), 19U);
    EXPECT_EQ(items["/survey_sub"]["kind"], "transform");
    EXPECT_EQ(items["/survey_sub"]["samples"], 136);
    EXPECT_EQ(items["/survey_sub/hull"]["moves"], json({"transform"}));
    EXPECT_EQ(items["/survey_sub/hull"]["first"], 1001.0);
    EXPECT_EQ(items["/survey_sub/hull"]["samples"], 1);
    EXPECT_TRUE(items["/survey_sub"]["points"].is_null());
    EXPECT_EQ((*info)["unit_metres"], 1.0);
    EXPECT_EQ((*info)["first"], 1001.0);
    EXPECT_EQ((*info)["last"], 1136.0);
}

TEST(Report, AStillSourceHasNoRange) {
    const auto source = sourceOf(fs::path(WYC_TEST_DATA) / "obj/survey_groups.obj");
    const auto info = sourceInfo(*source, true);
    ASSERT_TRUE(info);
    EXPECT_TRUE((*info)["first"].is_null());
    EXPECT_TRUE((*info)["rate"].is_null());
    EXPECT_TRUE((*info)["items"][0]["moves"].empty());
    EXPECT_TRUE((*info)["items"][0]["times"].empty());
    EXPECT_EQ((*info)["materials"][0]["name"], "painted steel");
    EXPECT_EQ((*info)["materials"].size(), 3U);
    bool smoothing = false;
    for (const json& lost : (*info)["not_carried"])
        smoothing = smoothing || lost["what"].get<std::string>().find("smoothing") != std::string::npos;
    EXPECT_TRUE(smoothing);
}

TEST(Report, TopologyIsTheHashThatOthersCompute) {
    for (const char* name : {"survey_groups", "porthole_1200", "beacon_negative", "kelp_uv_normals"}) {
        const fs::path path = fs::path(WYC_TEST_DATA) / "obj" / (std::string(name) + ".obj");
        const auto expected = test::readJson(path.string() + ".expected.json");
        EXPECT_EQ((*sourceInfo(*sourceOf(path), false))["items"][0]["topology"], expected["faces"]["xxh64"]) << name;
    }
}

TEST(Report, SamplesInterpolateBetweenAndHoldBeyond) {
    const TempFolder folder;
    const Scene scene = test::sheetScene();
    ASSERT_TRUE(test::writeScene(scene, folder / "s.abc"));
    const auto source = sourceOf(folder / "s.abc");
    const auto document = sampleDocument(*source, {900.0, 1001.0, 1005.5, 2000.0}, "", false);
    ASSERT_TRUE(document);
    const auto y = [&](std::size_t frame, std::size_t point) {
        return (*document)["frames"][frame]["items"][0]["points"][point][1].get<double>();
    };
    const auto first = test::pointsOf(test::shapeOf(scene), 0);
    const auto last = test::pointsOf(test::shapeOf(scene), 23);
    const auto five = test::pointsOf(test::shapeOf(scene), 4);
    const auto six = test::pointsOf(test::shapeOf(scene), 5);
    for (const std::size_t p : {0U, 7U, 29U}) {
        EXPECT_EQ(y(0, p), static_cast<double>(first[p].y));
        EXPECT_EQ(y(1, p), static_cast<double>(first[p].y));
        EXPECT_NEAR(y(2, p), static_cast<double>(five[p].y + six[p].y) / 2, 1e-6);
        EXPECT_EQ(y(3, p), static_cast<double>(last[p].y));
    }
    EXPECT_EQ((*document)["frames"][2]["frame"], 1005.5);
    EXPECT_FALSE(sampleDocument(*source, {1.0}, "nobody", false));
}

TEST(Report, WhatIsNotFiniteIsWrittenAsText) {
    const TempFolder folder;
    test::SheetOptions options;
    options.plant = [](double frame, std::vector<Vec3f>& points) {
        if (frame == 1001) {
            points[0] = {std::numeric_limits<float>::quiet_NaN(), std::numeric_limits<float>::infinity(),
                         -std::numeric_limits<float>::infinity()};
        }
    };
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder / "s.mdd"));
    const auto document = sampleDocument(*sourceOf(folder / "s.mdd"), {1001.0}, "", false);
    ASSERT_TRUE(document);
    EXPECT_EQ((*document)["frames"][0]["items"][0]["points"][0], json({"nan", "inf", "-inf"}));
    EXPECT_NO_THROW((void)document->dump());
}

TEST(Report, HiddenItemsSaySo) {
    const TempFolder folder;
    Scene scene = test::sheetScene();
    scene.nodes[0].visibility = VisibilityTrack{Sampling::still(), {Visibility::Hidden}};
    ASSERT_TRUE(test::writeScene(scene, folder / "s.abc"));
    EXPECT_FALSE((*sourceInfo(*sourceOf(folder / "s.abc"), false))["items"][0]["visible"].get<bool>());
}

TEST(Report, EverySharedArchiveIsListedItemByItem) {
    std::size_t listed = 0;
    std::set<std::string> changing;
    for (const auto& [path, expected] : test::foreignFiles("abc", ".abc")) {
        SCOPED_TRACE(path.filename().string());
        const auto info = sourceInfo(*sourceOf(path), false);
        ASSERT_TRUE(info) << info.error().text();
        std::size_t objects = 0;
        for (const json& object : expected["objects"])
            objects += object["path"] != "/" && !object.contains("below_instance");
        EXPECT_EQ((*info)["items"].size(), objects);
        if (!expected.contains("evaluated"))
            continue;
        std::map<std::string, json> items;
        for (const json& item : (*info)["items"])
            items[item["path"]] = item;
        const double rate = expected["archive"]["info"].contains("dccFPS") &&
                                    expected["archive"]["info"]["dccFPS"].is_number() &&
                                    expected["archive"]["info"]["dccFPS"].get<double>() > 0
                                ? expected["archive"]["info"]["dccFPS"].get<double>()
                                : 24.0;
        for (const json& object : expected["evaluated"]["objects"]) {
            const auto item = items.find(object["path"]);
            if (item == items.end() || (item->second["kind"] != "mesh" && item->second["kind"] != "subdivision"))
                continue;
            ++listed;
            std::set<std::string> theirs;
            for (const json& word : object["moves_by"])
                theirs.insert(word.get<std::string>());
            std::set<std::string> ours;
            for (const json& word : item->second["moves"])
                ours.insert(word.get<std::string>());
            if (ours.erase("values") > 0) // theirs speaks of points and transforms
                changing.insert(path.filename().string() + object["path"].get<std::string>());
            EXPECT_EQ(ours, theirs) << object["path"];
            if (!theirs.empty() && object["first_sample_time"].is_number() && item->second["first"].is_number())
                EXPECT_NEAR(item->second["first"].get<double>(), object["first_sample_time"].get<double>() * rate, 0.03)
                    << object["path"];
        }
    }
    EXPECT_GT(listed, 10U);
    EXPECT_EQ(changing, (std::set<std::string>{"arb_params.abc/box", "uv_and_normals.abc/moving_uv"}));
}

TEST(Report, CamerasMoveByTheirFiguresAndWhatIsCarriedIsListed) {
    const fs::path data = fs::path(WYC_TEST_DATA) / "abc";
    const auto info = sourceInfo(*sourceOf(data / "camera.abc"), false);
    ASSERT_TRUE(info);
    for (const json& item : (*info)["items"]) {
        if (item["path"] != "/dolly/boom_cam")
            continue;
        EXPECT_EQ(item["kind"], "camera");
        EXPECT_EQ(item["moves"], json({"transform", "values"}));
        EXPECT_EQ(item["samples"], 12);
        EXPECT_EQ(item["first"], 1001.0);
    }
    EXPECT_TRUE((*info)["not_carried"].empty());
    EXPECT_TRUE((*info)["carried"].empty()); // a camera is understood
    const auto sample = sampleDocument(*sourceOf(data / "camera.abc"), {1001.0}, "/dolly/boom_cam", true);
    ASSERT_TRUE(sample);
    const json& camera = (*sample)["frames"][0]["items"].back()["camera"];
    EXPECT_EQ(camera["focal_length_mm"], 35.0);
    EXPECT_EQ(camera["aperture_mm"], json({36.0, 24.0}));
    EXPECT_NEAR(camera["offset_mm"][0].get<double>(), 0.5, 1e-12);
    EXPECT_EQ(camera["near"], 0.1);
}

TEST(Report, CurvesAndInstancesSayWhatTheyAre) {
    const fs::path data = fs::path(WYC_TEST_DATA) / "abc";
    const auto curves = sourceInfo(*sourceOf(data / "curves.abc"), false);
    ASSERT_TRUE(curves);
    std::map<std::string, std::pair<std::size_t, std::string>> found;
    for (const json& item : (*curves)["items"])
        if (item["kind"] == "curves")
            found[item["path"]] = {item["curves"].get<std::size_t>(), item["curve_kind"].get<std::string>()};
    EXPECT_EQ(found["/cubic_hermite"], (std::pair<std::size_t, std::string>{2, "cubic, Hermite"}));
    EXPECT_EQ(found["/cubic_periodic"], (std::pair<std::size_t, std::string>{4, "cubic, B-spline, closed"}));
    EXPECT_EQ(found["/variable_order"], (std::pair<std::size_t, std::string>{4, "orders 2 – 5"}));
    EXPECT_EQ(found["/linear"].second, "linear");
    const auto instances = sourceInfo(*sourceOf(data / "instances.abc"), false);
    ASSERT_TRUE(instances);
    std::map<std::string, std::string> shown;
    for (const json& item : (*instances)["items"])
        if (item.contains("instance_of"))
            shown[item["path"]] = item["instance_of"];
    EXPECT_EQ(shown.size(), 6U);
    EXPECT_EQ(shown["/port_1/blade_again"], "/library/propeller/blade");
    EXPECT_EQ(shown["/port_2/propeller_again"], "/library/propeller");
}

} // namespace
} // namespace wyc::report_test
