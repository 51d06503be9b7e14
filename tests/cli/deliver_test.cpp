// SPDX-License-Identifier: GPL-3.0-or-later
// Deliveries that cannot hurt, and manners that scripts rely on.
#include <gtest/gtest.h>

#include <map>
#include <random>

#include "scene/components/camera.h"
#include "steps/step.h"
#include "support/process.h"
#include "support/scenes.h"

namespace wyc::deliver_test {
namespace {

using nlohmann::json;
using test::TempFolder;
using test::wyc;

// Every file below a folder with what is in it.
std::map<std::string, std::string> contentsOf(const fs::path& folder) {
    std::map<std::string, std::string> result;
    std::error_code code;
    for (fs::recursive_directory_iterator it(folder, code), end; !code && it != end; it.increment(code))
        if (it->is_regular_file())
            result[fs::relative(it->path(), folder).string()] = test::readFile(it->path());
    return result;
}

class Deliveries : public testing::Test {
  protected:
    // Two bodies of one name under two parents, in one archive.
    fs::path twins() {
        Scene scene;
        for (const char* side : {"left", "right"}) {
            test::SheetOptions options;
            options.name = "body";
            options.rows = side[0] == 'l' ? 6 : 7;
            Node group{side, std::string("/") + side, -1, NodeKind::Transform, nullptr, nullptr, {}, {}};
            const int parent = static_cast<int>(scene.nodes.size());
            scene.nodes.push_back(group);
            Node body = test::sheetScene(options).nodes.front();
            body.parent = parent;
            body.path = std::string("/") + side + "/body";
            scene.nodes.push_back(body);
        }
        scene.rate = FrameRate();
        scene.unitMetres = 1.0;
        scene.upAxis = UpAxis::Y;
        EXPECT_TRUE(test::writeScene(scene, folder_ / "twins.abc"));
        return folder_ / "twins.abc";
    }
    // sheet.mdd with a frame that stands seven metres off.
    void poppedSheet() {
        test::SheetOptions options;
        options.plant = [](double frame, std::vector<Vec3f>& points) {
            for (Vec3f& p : points)
                p.x += frame == 1012 ? 7.0F : 0.0F;
        };
        EXPECT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "sheet.mdd"));
    }
    fs::path job(json delivery, const std::vector<std::string>& sources, json items = json::array()) {
        json list = json::array();
        for (std::size_t i = 0; i < sources.size(); ++i)
            list.push_back({{"id", i + 1}, {"path", sources[i]}});
        delivery["name"] = "out";
        if (!delivery.contains("folder"))
            delivery["folder"] = "delivered";
        const json document{
            {"wychronos_job", 1},
            {"shot", {{"name", "sh040"}, {"first", 1001}, {"last", 1024}, {"handles", 0}, {"rate", "24"}}},
            {"sources", list},
            {"items", std::move(items)},
            {"deliveries", json::array({delivery})}};
        return test::writeFile(folder_ / "job.wyc", document.dump());
    }
    TempFolder folder_;
};

TEST_F(Deliveries, RedoingOneOfTwoOfOneNameLeavesTheOtherAlone) {
    twins();
    for (const char* format : {"alembic", "usd", "mdd", "obj", "obj-sequence"})
        for (const char* name : {"{shot}_{item}_v{version}", "{item}", "{parent}_x", "{path}"}) {
            fs::remove_all(folder_ / "delivered");
            const json both{{"format", format}, {"name_template", name}, {"replace", true}};
            ASSERT_EQ(wyc({"deliver", job(both, {"twins.abc"}).string()}).code, 0) << format << name;
            const auto before = contentsOf(folder_ / "delivered");
            // The right one alone, moved by a step so that its file is another.
            const json steps =
                json::array({{{"source", 1},
                              {"path", "/right/body"},
                              {"steps", json::array({{{"type", "scale"}, {"options", {{"factor", 2.0}}}}})}}});
            json one = both;
            one["items"] = json::array({"*/right/body"});
            const auto again = wyc({"deliver", job(one, {"twins.abc"}, steps).string(), "--json"});
            ASSERT_EQ(again.code, 0) << format << name << again.out;
            const auto after = contentsOf(folder_ / "delivered");
            std::size_t changed = 0;
            for (const auto& [file, bytes] : before) {
                ASSERT_TRUE(after.contains(file)) << format << name << file;
                const bool right = file.find("right") != std::string::npos;
                EXPECT_TRUE(right || after.at(file) == bytes) << format << " " << name << " " << file;
                changed += after.at(file) != bytes;
            }
            const bool versioned = std::string(name).find("version") != std::string::npos;
            EXPECT_EQ(changed > 0, !versioned) << format << name;
            EXPECT_EQ(after.size() > before.size(), versioned) << format << name;
        }
}

TEST_F(Deliveries, OneVersionForAllOfADelivery) {
    twins();
    const fs::path file = job({{"format", "alembic"}}, {"twins.abc"});
    ASSERT_EQ(wyc({"deliver", file.string()}).code, 0);
    fs::remove(folder_ / "delivered/sh040_left_body_v001.abc");
    fs::remove(folder_ / "delivered/sh040_left_body_v001.abc.record.json");
    ASSERT_EQ(wyc({"deliver", file.string()}).code, 0);
    for (const char* name : {"sh040_left_body_v002.abc", "sh040_right_body_v002.abc"})
        EXPECT_TRUE(fs::exists(folder_ / "delivered" / name)) << name;
    EXPECT_FALSE(fs::exists(folder_ / "delivered/sh040_left_body_v001.abc"));
}

TEST_F(Deliveries, ASourceIsNeverWrittenOver) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    fs::create_directories(folder_ / "poses");
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "poses/sheet.####.obj"));
    const std::string cache = test::readFile(folder_ / "sheet.mdd");
    const auto inPlace = wyc({"convert", (folder_ / "sheet.mdd").string(), "--scale", "2", "--replace", "-o",
                              (folder_ / "sheet.mdd").string()});
    EXPECT_EQ(inPlace.code, 2);
    EXPECT_NE(inPlace.err.find("source"), std::string::npos) << inPlace.err;
    const auto frames = wyc({"convert", (folder_ / "poses").string(), "--scale", "2", "--replace", "-o",
                             (folder_ / "poses/sheet.#.obj").string()});
    EXPECT_EQ(frames.code, 2) << frames.out;
    // One frame of it, or all of them by way of one file of it.
    const std::string frame = test::readFile(folder_ / "poses/sheet.1010.obj");
    EXPECT_EQ(wyc({"convert", (folder_ / "poses").string(), "--frames", "1003", "--scale", "2", "--replace", "-o",
                   (folder_ / "poses/sheet.1010.obj").string()})
                  .code,
              2);
    EXPECT_EQ(wyc({"convert", (folder_ / "poses/sheet.1010.obj").string(), "--single", "--scale", "2", "--replace",
                   "-o", (folder_ / "poses/sheet.####.obj").string()})
                  .code,
              2);
    EXPECT_EQ(test::readFile(folder_ / "poses/sheet.1010.obj"), frame);
    // Nor a material file that it names.
    test::writeFile(folder_ / "rock.obj", "mtllib rock.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl moss\nf 1 2 3\n");
    test::writeFile(folder_ / "rock.mtl", "newmtl moss\nKd 0 1 0\nKs 1 1 1\n");
    EXPECT_EQ(
        wyc({"convert", (folder_ / "rock.obj").string(), "--replace", "-o", (folder_ / "rock.####.obj").string()}).code,
        2);
    EXPECT_EQ(test::readFile(folder_ / "rock.mtl"), "newmtl moss\nKd 0 1 0\nKs 1 1 1\n");
    const json delivery{{"format", "mdd"}, {"name_template", "{item}"}, {"folder", "."}, {"replace", true}};
    EXPECT_EQ(wyc({"deliver", job(delivery, {"sheet.mdd"}).string()}).code, 2);
    EXPECT_EQ(test::readFile(folder_ / "sheet.mdd"), cache);
}

TEST_F(Deliveries, WhatIsNoDeliveryOfOursIsNotReplaced) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    fs::create_directories(folder_ / "delivered");
    test::writeFile(folder_ / "delivered/sheet.abc", "somebody's");
    const json delivery{{"format", "alembic"}, {"name_template", "{item}"}, {"replace", true}};
    const fs::path file = job(delivery, {"sheet.mdd"});
    EXPECT_EQ(wyc({"deliver", file.string()}).code, 2);
    EXPECT_EQ(test::readFile(folder_ / "delivered/sheet.abc"), "somebody's");
    fs::remove(folder_ / "delivered/sheet.abc");
    fs::create_directories(folder_ / "delivered/sheet.abc"); // a folder in its place
    EXPECT_EQ(wyc({"deliver", file.string()}).code, 2);
    EXPECT_TRUE(fs::is_directory(folder_ / "delivered/sheet.abc"));
    // What a person names outright is theirs to replace.
    test::writeFile(folder_ / "named.abc", "mine");
    EXPECT_EQ(wyc({"convert", (folder_ / "sheet.mdd").string(), "-o", (folder_ / "named.abc").string()}).code, 2);
    EXPECT_EQ(
        wyc({"convert", (folder_ / "sheet.mdd").string(), "-o", (folder_ / "named.abc").string(), "--replace"}).code,
        0);
}

TEST_F(Deliveries, AShorterSequenceLeavesNoStaleFrames) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    const std::string target = (folder_ / "out/sheet.####.obj").string();
    const std::vector<std::string> whole{"convert", (folder_ / "sheet.mdd").string(), "-o", target, "--replace"};
    ASSERT_EQ(wyc(whole).code, 0);
    test::writeFile(folder_ / "out/notes.txt", "keep me");
    std::vector<std::string> part = whole;
    part.insert(part.end(), {"--range", "1003:1008"});
    ASSERT_EQ(wyc(part).code, 0);
    EXPECT_EQ(contentsOf(folder_ / "out").size(), 7U);
    EXPECT_TRUE(fs::exists(folder_ / "out/notes.txt"));
    EXPECT_FALSE(fs::exists(folder_ / "out/sheet.1020.obj"));
}

// Killed at random moments while a sequence is replaced: the old one or the new one stands there, whole.
TEST_F(Deliveries, AReplacedSequenceIsNeverAMixture) {
    test::SheetOptions options;
    options.rows = options.columns = 60;
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "sheet.mdd"));
    const json delivery{{"format", "obj-sequence"}, {"name_template", "{item}"}, {"replace", true}};
    const auto scaledBy = [&](double factor) {
        return json::array({{{"source", 1},
                             {"path", "/sheet"},
                             {"steps", json::array({{{"type", "scale"}, {"options", {{"factor", factor}}}}})}}});
    };
    const fs::path file = job(delivery, {"sheet.mdd"}, scaledBy(2.0));
    const auto started = std::chrono::steady_clock::now();
    ASSERT_EQ(wyc({"deliver", file.string(), "-q"}).code, 0);
    const auto took =
        std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now() - started).count();
    std::mt19937 random(5);
    int killed = 0;
    for (int i = 0; i < 16; ++i) {
        // Each delivery is longer or shorter than the one before.
        json changed = delivery;
        changed["first"] = 1001 + i % 3;
        changed["last"] = 1024 - i % 5;
        job(changed, {"sheet.mdd"}, scaledBy(3.0 + i));
        const auto before = contentsOf(folder_ / "delivered/sheet");
        test::Process process({"deliver", file.string(), "-q"});
        std::this_thread::sleep_for(
            std::chrono::milliseconds(std::uniform_int_distribution<long>(took / 3, took + took / 4)(random)));
        process.signal(SIGKILL);
        killed += process.wait().code != 0;
        const auto proof = wyc({"prove", (folder_ / "delivered/sheet").string()});
        EXPECT_EQ(proof.code, 0) << proof.out << proof.err;
        const auto after = contentsOf(folder_ / "delivered/sheet");
        if (after != before) // all of it is new, and nothing of the old one is left
            EXPECT_EQ(after.size(), static_cast<std::size_t>(1024 - i % 5 - (1001 + i % 3) + 1) + 1);
        for (const auto& entry : fs::directory_iterator(folder_ / "delivered"))
            if (entry.path().filename() != "sheet")
                fs::remove_all(entry.path()); // what a killed process could not take away
    }
    EXPECT_GT(killed, 2);
}

TEST_F(Deliveries, WhatIsAskedForAndNotThereIsSaidOrAnError) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    const std::vector<std::string> asked{
        "convert", (folder_ / "sheet.mdd").string(), "--range", "1001:1040", "--record", "--replace",
        "-o",      (folder_ / "a.abc").string()};
    std::vector<std::string> inJson = asked;
    inJson.push_back("--json");
    const auto said = wyc(inJson);
    ASSERT_EQ(said.code, 0) << said.err;
    EXPECT_NE(said.err.find("16 frames at the end"), std::string::npos) << said.err;
    EXPECT_EQ(said.json()["outputs"][0]["not_filled"].size(), 1U);
    EXPECT_EQ(json::parse(test::readFile(folder_ / "a.abc.record.json"))["not_filled"].size(), 1U);
    std::vector<std::string> strict = asked;
    strict.push_back("--strict");
    fs::remove(folder_ / "a.abc");
    const auto refused = wyc(strict);
    EXPECT_EQ(refused.code, 2);
    EXPECT_FALSE(fs::exists(folder_ / "a.abc"));
    strict[3] = "1001:1024";
    EXPECT_EQ(wyc(strict).code, 0);
    const auto frames = wyc({"convert", (folder_ / "sheet.mdd").string(), "--frames", "1003,1020-1022,1090", "-o",
                             (folder_ / "b.abc").string(), "--json"});
    EXPECT_NE(frames.err.find("1 of the frames asked for is missing"), std::string::npos) << frames.err;
    EXPECT_EQ(frames.json()["outputs"][0]["samples"], 4);
}

// Among several items of a source one that is cut off in motion is short; one that came to rest is not.
TEST_F(Deliveries, OneItemThatIsShortIsSaidToBe) {
    const auto strict = [&](bool rests) {
        Scene both = test::sheetScene();
        both.nodes.push_back(both.nodes[0]);
        both.nodes[1].name = "other";
        both.nodes[1].path = "/other";
        both.nodes[1].id = {};
        const auto kept = both.nodes[0].geometry;
        const Geometry& shape = *kept;
        for (std::size_t i = 0; i < 2; ++i) {
            std::vector<std::vector<Vec3f>> samples;
            const int frames = i == 0 ? 40 : 24;
            for (int f = 0; f < frames; ++f) {
                samples.push_back(test::pointsOf(shape, 0));
                const double s = static_cast<double>(f) / (frames - 1);
                for (Vec3f& p : samples.back())
                    p.y += static_cast<float>(rests && i == 1 ? s * s * (3.0 - 2.0 * s) : s);
            }
            both.nodes[i].geometry = std::make_shared<MemoryGeometry>(
                Sampling::uniform(both.view.rate.secondsAt(1001), 1.0 / 24, samples.size()), *shape.topology(0),
                samples);
        }
        EXPECT_TRUE(test::writeScene(both, folder_ / "both.abc"));
        return wyc({"convert", (folder_ / "both.abc").string(), "--range", "1001:1040", "--strict", "--replace", "-o",
                    (folder_ / "made.abc").string()});
    };
    const auto rests = strict(true);
    EXPECT_EQ(rests.code, 0) << rests.err;
    const auto cut = strict(false);
    EXPECT_EQ(cut.code, 2);
    EXPECT_NE(cut.err.find("other: 16 frames at the end"), std::string::npos) << cut.err;
    // Points that came to rest, below a transform that is cut off in motion, and a camera that is.
    for (const bool camera : {false, true}) {
        Scene scene = test::sheetScene();
        const auto kept = scene.nodes[0].geometry;
        const auto moving = [&](int frames) {
            std::vector<std::vector<double>> way;
            for (int f = 0; f < frames; ++f)
                way.push_back({0.1 * f, 0.0, 0.0});
            return std::make_shared<MemoryTransform>(
                Sampling::uniform(scene.view.rate.secondsAt(1001), 1.0 / 24, way.size()),
                std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}}, way);
        };
        scene.nodes[0].transform = moving(40);
        Node other = scene.nodes[0];
        other.name = "other";
        other.path = "/other";
        other.id = {};
        other.transform = moving(24);
        if (camera) {
            other.kind = NodeKind::Camera;
            other.geometry = nullptr;
            other.properties = nullptr;
            setCamera(other, Sampling::still(), {CameraFigures{}});
        } else {
            std::vector<std::vector<Vec3f>> poses(12, test::pointsOf(*kept, 0));
            for (std::size_t f = 0; f < poses.size(); ++f)
                for (Vec3f& p : poses[f])
                    p.y += 0.1F * static_cast<float>(std::min<std::size_t>(f, 6));
            other.geometry = std::make_shared<MemoryGeometry>(
                Sampling::uniform(scene.view.rate.secondsAt(1001), 1.0 / 24, poses.size()), *kept->topology(0), poses);
        }
        scene.nodes.push_back(other);
        ASSERT_TRUE(test::writeScene(scene, folder_ / "placed.abc"));
        const auto placed = wyc({"convert", (folder_ / "placed.abc").string(), "--range", "1001:1040", "--strict",
                                 "--replace", "-o", (folder_ / "made.abc").string()});
        EXPECT_EQ(placed.code, 2) << camera;
        EXPECT_NE(placed.err.find("other: 16 frames at the end"), std::string::npos) << placed.err;
    }
}

TEST_F(Deliveries, FindingsCanStopADelivery) {
    poppedSheet();
    const fs::path file = job({{"format", "alembic"}}, {"sheet.mdd"});
    const auto stopped = wyc({"deliver", file.string(), "--fail-on", "fault", "--json"});
    EXPECT_EQ(stopped.code, 1);
    EXPECT_EQ(stopped.json()["findings"][0]["id"], "motion.pop");
    EXPECT_FALSE(fs::exists(folder_ / "delivered"));
    EXPECT_EQ(wyc({"deliver", file.string()}).code, 0);
}

TEST_F(Deliveries, PlainOptionsSayWhatStepsSay) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    const auto converted = [&](std::vector<std::string> options) {
        std::vector<std::string> arguments{
            "convert", (folder_ / "sheet.mdd").string(), "-o", (folder_ / "a.abc").string(), "--replace", "--prove",
            "--json"};
        arguments.insert(arguments.end(), options.begin(), options.end());
        const auto outcome = wyc(arguments);
        EXPECT_EQ(outcome.code, 0) << outcome.out << outcome.err;
        const json output = outcome.json()["outputs"][0];
        return std::vector<double>{output["first"], output["last"], output["samples"]};
    };
    EXPECT_EQ(converted({"--hold", "4:8"}), (std::vector<double>{997, 1032, 36}));
    EXPECT_EQ(converted({"--drop", "1001:1004"}), (std::vector<double>{1005, 1024, 20}));
    EXPECT_EQ(converted({"--drop", "1010:1011", "--close"}), (std::vector<double>{1001, 1022, 22}));
    EXPECT_EQ(converted({"--start", "1"}), (std::vector<double>{1, 24, 24}));
    EXPECT_EQ(converted({"--read-as", "25"}), (std::vector<double>{1001, 1024, 24}));
    const auto stated = wyc({"convert", (folder_ / "sheet.mdd").string(), "--is-unit", "cm", "--is-up", "z", "-o",
                             (folder_ / "b.abc").string()});
    ASSERT_EQ(stated.code, 0) << stated.err;
    const json info = wyc({"info", (folder_ / "b.abc").string(), "--json"}).json();
    EXPECT_EQ(info["unit_metres"], 0.01);
    EXPECT_EQ(info["up_axis"], "Z");
    EXPECT_EQ(wyc({"info", (folder_ / "b.abc").string(), "--is-unit", "m"}).code, 2); // it says so itself
}

TEST_F(Deliveries, AGarmentComesWithoutItsFigureInOneAct) {
    const std::string file = (fs::path(WYC_TEST_DATA) / "obj/three_objects.obj").string();
    const std::string target = (folder_ / "one.abc").string();
    const auto outcome =
        wyc({"convert", file, "--split", "sets", "--items", "*lantern_jelly", "--prove", "-o", target, "--json"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    const json info = wyc({"info", target, "--kind", "shapes", "--json"}).json();
    std::vector<std::string> meshes;
    for (const json& item : info["items"])
        if (item["kind"] == "mesh")
            meshes.push_back(item["path"]);
    ASSERT_EQ(meshes.size(), 1U) << info.dump();
    EXPECT_NE(meshes[0].find("lantern_jelly"), std::string::npos);
    EXPECT_TRUE(outcome.json()["outputs"][0]["proof"]["passed"]);
}

// A farm's way: a job made, mended and delivered without a window.
TEST_F(Deliveries, AJobIsMadeChangedAndDeliveredByCommands) {
    poppedSheet();
    twins();
    const std::string file = (folder_ / "made.wyc").string();
    const auto run = [&](std::vector<std::string> arguments, int code = 0) {
        arguments.insert(arguments.begin(), {"job", file});
        arguments.push_back("--json");
        const auto outcome = wyc(arguments);
        EXPECT_EQ(outcome.code, code) << outcome.out << outcome.err;
        return outcome.json();
    };
    run({"--name", "sh010"}, 2); // there is none to change
    const json made =
        run({"--new", "--add", (folder_ / "sheet.mdd").string(), "--add", (folder_ / "twins.abc").string(), "--name",
             "sh010", "--range", "1001:1024", "--rate", "24", "--unit", "m", "--up", "Y"});
    EXPECT_EQ(made["sources"].size(), 2U);
    EXPECT_EQ(made["shot"]["name"], "sh010");
    run({"--new"}, 2); // it is there
    EXPECT_EQ(wyc({"check", file}).code, 1);
    const json mended = run({"--items", "*sheet*", "--mend", "motion.pop"});
    EXPECT_EQ(mended["items"][0]["steps"].size(), 2U);
    EXPECT_EQ(wyc({"check", file, "--fail-on", "caution"}).code, 0);
    run({"--items", "left", "--leave-out"});
    const json stepped = run({"--items", "*/right/body", "--step", "offset frames=0", "--step", "scale factor=2"});
    EXPECT_EQ(stepped["items"].size(), 3U);
    run({"--items", "*/right/body", "--step", "scale size=2"}, 2);
    run({"--items", "whale", "--step", "scale factor=2"}, 2);
    run({"--step", "scale factor=2"}, 2); // of what?
    const json planned = run({"--delivery", "layout", "--format", "mdd", "--folder", (folder_ / "out").string(),
                              "--template", "{shot}_{item}"});
    EXPECT_EQ(planned["deliveries"][0]["folder"], "out");
    run({"--delivery", "layout", "--template", "{artist}"}, 2);
    // Every setting of a delivery has its option; what may be none is so again.
    const json set = run({"--delivery",
                          "layout",
                          "--to-unit",
                          "cm",
                          "--first",
                          "1",
                          "--length",
                          "10",
                          "--lead",
                          "2",
                          "--frames",
                          "1003:1012",
                          "--shutter=-0.25:0.25:3",
                          "--world",
                          "--one-file",
                          "--resample",
                          "nearest",
                          "--to-rate",
                          "23.976",
                          "--to-up",
                          "z",
                          "--delivery-handles",
                          "0"})["deliveries"][0];
    EXPECT_EQ(set["unit_metres"], 0.01);
    EXPECT_EQ(set["first_frame"], 1.0);
    EXPECT_EQ(set["rate"], "24000/1001");
    EXPECT_EQ(set["up_axis"], "Z");
    EXPECT_EQ(set["shutter"]["samples"], 3);
    EXPECT_TRUE(set["world"] && set["one_file"]);
    run({"--delivery", "layout", "--length", "0"}, 2);
    run({"--delivery", "layout", "--frames", "ten"}, 2);
    const json unset =
        run({"--delivery", "layout",        "--to-unit", "none",     "--first",   "none",      "--length",
             "none",       "--lead",        "0",         "--frames", "1001:1024", "--shutter", "none",
             "--no-world", "--no-one-file", "--to-rate", "none",     "--to-up",   "none",      "--delivery-handles",
             "none"})["deliveries"][0];
    for (const char* name : {"unit_metres", "first_frame", "length", "rate", "up_axis", "handles", "shutter"})
        EXPECT_TRUE(unset[name].is_null()) << name << ": " << unset[name];
    EXPECT_FALSE(unset["world"] || unset["one_file"]);
    ASSERT_EQ(wyc({"deliver", file, "--fail-on", "fault"}).code, 0);
    EXPECT_TRUE(fs::exists(folder_ / "out/sh010_sheet.mdd"));
    EXPECT_TRUE(fs::exists(folder_ / "out/sh010_right_body.mdd"));
    EXPECT_FALSE(fs::exists(folder_ / "out/sh010_left_body.mdd"));
    run({"--delivery", "layout", "--drop-delivery"});
    // A step that fails is found, as in the window, and stops a delivery.
    run({"--items", "*sheet*", "--step", "drop start=500"});
    const auto failing = wyc({"check", file, "--json"});
    EXPECT_EQ(failing.code, 1) << failing.err;
    const json found = failing.json();
    EXPECT_TRUE(std::any_of(found["findings"].begin(), found["findings"].end(), [&](const json& f) {
        return f["id"] == "job.step_fails" && f["item"] == "/sheet" && f["source"] == (folder_ / "sheet.mdd").string();
    })) << failing.out;
    EXPECT_EQ(run({"--remove", "twins.abc"})["sources"].size(), 1U);
}

TEST_F(Deliveries, ItemsAreChosenByNameGroupAndKind) {
    const std::string scene = (fs::path(WYC_TEST_DATA) / "abc/mesh_deforming.abc").string();
    const auto count = [&](std::vector<std::string> options) {
        std::vector<std::string> arguments{"info", scene, "--json"};
        arguments.insert(arguments.end(), options.begin(), options.end());
        const auto outcome = wyc(arguments);
        return outcome.code == 0 ? outcome.json()["items"].size() : 0;
    };
    const std::size_t all = count({});
    ASSERT_GT(all, 1U);
    EXPECT_LE(count({"--kind", "shapes"}), all);
    EXPECT_GT(count({"--kind", "moving"}), 0U);
    EXPECT_EQ(count({"--kind", "cameras"}), 0U);
    const fs::path twinFile = twins();
    const auto group = wyc({"info", twinFile.string(), "--items", "left", "--json"}).json();
    EXPECT_EQ(group["items"].size(), 2U); // the group and what is below it
    EXPECT_EQ(wyc({"check", twinFile.string(), "--items", "whale"}).code, 2);
}

TEST_F(Deliveries, SenselessUseIsRefusedInJsonToo) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    const std::string cache = (folder_ / "sheet.mdd").string();
    const std::string target = (folder_ / "a.abc").string();
    for (const std::vector<std::string>& bad : {std::vector<std::string>{"--length", "0"},
                                                {"--lead", "-1"},
                                                {"--range", ""},
                                                {"--frames", ""},
                                                {"--handles", "-2"},
                                                {"--rnage", "1001:1004"},
                                                {"--hold", "8"},
                                                {"--items", ""},
                                                {"--kind", "whales"}}) {
        std::vector<std::string> arguments{"convert", cache, "-o", target, "--json"};
        arguments.insert(arguments.end(), bad.begin(), bad.end());
        const auto outcome = wyc(arguments);
        EXPECT_EQ(outcome.code, 2) << bad[0];
        EXPECT_TRUE(outcome.json()["error"]["what"].is_string()) << bad[0] << outcome.out;
        EXPECT_FALSE(fs::exists(target)) << bad[0];
        if (bad[0] == "--rnage")
            EXPECT_NE(outcome.err.find("Did you mean --range?"), std::string::npos) << outcome.err;
    }
    const auto verb = wyc({"chekc", cache});
    EXPECT_EQ(verb.code, 2);
    EXPECT_NE(verb.err.find("Did you mean check?"), std::string::npos) << verb.err;
    // A word that is right is no mistake, and what is missing is said with the way on.
    for (const auto& [words, said] :
         {std::pair{std::vector<std::string>{"convert", "x.abc", "--world", "--own-space", "-o", "y.mdd"},
                    "--world excludes --own-space. `wyc convert --help`"},
          {{"convert", "x.abc", "--hold", "-o", "y.abc"}, "`wyc convert --help`"},
          {{"chekc"}, "'chekc' is no verb. Did you mean check?"},
          {{"loop", "fnid", "x.abc"}, "'fnid' is no verb. Did you mean find?"},
          {{"prove", "/nowhere/x.mdd"}, "x.mdd.record.json: there is no record of it. Name the record"},
          {{"deliver", "/nowhere/x.wyc"}, "x.wyc: there is no such job. `wyc job"},
          {{"convert", std::string(WYC_TEST_DATA) + "/mdd/jelly_pulse.mdd", "--rest", "/nowhere/r.obj", "-o", "y.abc"},
           "r.obj: the rest mesh is not there. Put it back"}}) {
        const auto outcome = wyc(words);
        EXPECT_EQ(outcome.code, 2) << said;
        EXPECT_NE(outcome.err.find(said), std::string::npos) << outcome.err;
    }
    test::writeFile(target, "there");
    const auto exists = wyc({"convert", cache, "-o", target});
    EXPECT_NE(exists.err.find("--replace"), std::string::npos) << exists.err;
}

TEST_F(Deliveries, AClosedPipeIsSilentAndAFullDiskIsNot) {
    const std::string program = WYC_PROGRAM;
    const fs::path err = folder_ / "err";
    const std::string scene = (fs::path(WYC_TEST_DATA) / "abc/mesh_deforming.abc").string();
    ASSERT_EQ(std::system(("('" + program + "' info '" + scene + "' --deep --json 2>'" + err.string() +
                           "') | head -c 10 >/dev/null")
                              .c_str()),
              0);
    EXPECT_EQ(test::readFile(err), "");
    const int full =
        std::system(("'" + program + "' info '" + scene + "' --json >/dev/full 2>'" + err.string() + "'").c_str());
    EXPECT_EQ(WEXITSTATUS(full), 2);
    EXPECT_NE(test::readFile(err).find("standard output"), std::string::npos) << test::readFile(err);
}

TEST_F(Deliveries, HangingUpCleansUp) {
    test::SheetOptions options;
    options.rows = options.columns = 260;
    options.count = 300;
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "large.mdd"));
    test::Process process(
        {"convert", (folder_ / "large.mdd").string(), "-o", (folder_ / "out/a.abc").string(), "--prove"});
    // Once it writes, however busy the machine is.
    for (int tries = 0; tries < 2000 && !fs::exists(folder_ / "out"); ++tries)
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    process.signal(SIGHUP);
    EXPECT_EQ(process.wait().code, 130);
    if (fs::exists(folder_ / "out"))
        EXPECT_TRUE(test::namesIn(folder_ / "out").empty());
}

} // namespace
} // namespace wyc::deliver_test
