// SPDX-License-Identifier: GPL-3.0-or-later
// Conversions as pipeline scripts call them, on our own and on foreign files.
#include <gtest/gtest.h>

#include <cmath>

#include "base/hash.h"
#include "support/expected.h"
#include "support/process.h"
#include "support/scenes.h"

namespace wyc::convert_test {
namespace {

using nlohmann::json;
using test::TempFolder;
using test::wyc;

class Convert : public testing::Test {
  protected:
    fs::path cache(test::SheetOptions options = {}) {
        const fs::path path = folder_ / (options.name + ".mdd");
        EXPECT_TRUE(test::writeScene(test::sheetScene(options), path));
        return path;
    }
    json infoOf(const fs::path& path) { return wyc({"info", path.string(), "--json"}).json(); }
    test::Outcome convert(std::vector<std::string> arguments) {
        arguments.insert(arguments.begin(), "convert");
        return wyc(std::move(arguments));
    }
    TempFolder folder_;
};

TEST_F(Convert, ChoosesItems) {
    const std::string archive = (fs::path(WYC_TEST_DATA) / "abc/uv_and_normals.abc").string();
    ASSERT_EQ(convert({archive, "--items", "flat_*", "--items", "!flat_var", "-o", (folder_ / "a.abc").string()}).code,
              0);
    const json info = infoOf(folder_ / "a.abc");
    ASSERT_GE(info["items"].size(), 2U);
    for (const json& item : info["items"]) {
        EXPECT_TRUE(item["path"].get<std::string>().starts_with("/flat_")) << item["path"];
        EXPECT_NE(item["path"], "/flat_var");
    }
    const auto none = convert({archive, "--items", "whale", "-o", (folder_ / "b.abc").string()});
    EXPECT_EQ(none.code, 2);
    EXPECT_NE(none.err.find("whale"), std::string::npos);
}

TEST_F(Convert, EveryNthOffsetAndScale) {
    ASSERT_EQ(convert({cache().string(), "--every", "3", "--offset", "-1000", "--scale", "2", "-o",
                       (folder_ / "a.mdd").string()})
                  .code,
              0);
    const json info = infoOf(folder_ / "a.mdd");
    EXPECT_EQ(info["items"][0]["samples"], 8);
    EXPECT_EQ(info["rate"], "8"); // a cache says its rate through its times
    const auto scene = test::openFile(folder_ / "a.mdd");
    EXPECT_EQ(test::pointsOf(test::shapeOf(*scene), 1)[4].x,
              test::pointsOf(test::shapeOf(test::sheetScene()), 3)[4].x * 2.0F);
}

TEST_F(Convert, ResamplesToARate) {
    const fs::path source = cache();
    ASSERT_EQ(convert({source.string(), "--rate", "48", "-o", (folder_ / "a.abc").string()}).code, 0);
    EXPECT_EQ(infoOf(folder_ / "a.abc")["items"][0]["samples"], 47);
    EXPECT_EQ(infoOf(folder_ / "a.abc")["rate"], "48");
    ASSERT_EQ(
        convert({source.string(), "--rate", "23.976", "--resample", "nearest", "-o", (folder_ / "b.abc").string()})
            .code,
        0);
    EXPECT_EQ(infoOf(folder_ / "b.abc")["rate"], "24000/1001");
    EXPECT_EQ(convert({source.string(), "--resample", "magic", "-o", (folder_ / "c.abc").string()}).code, 2);
    EXPECT_EQ(convert({source.string(), "--rate", "0", "-o", (folder_ / "c.abc").string()}).code, 2);
    EXPECT_FALSE(fs::exists(folder_ / "c.abc"));
}

TEST_F(Convert, NegativeFramesGoThereAndBack) {
    test::SheetOptions options;
    options.first = -8;
    const fs::path source = cache(options);
    ASSERT_EQ(convert({source.string(), "-o", (folder_ / "p/s.####.obj").string()}).code, 0);
    EXPECT_TRUE(fs::exists(folder_ / "p/s.-0008.obj"));
    EXPECT_TRUE(fs::exists(folder_ / "p/s.0015.obj"));
    const json info = infoOf(folder_ / "p");
    EXPECT_EQ(info["first"], -8.0);
    EXPECT_EQ(info["last"], 15.0);
    ASSERT_EQ(convert({(folder_ / "p").string(), "--rate", "24", "-o", (folder_ / "b.mdd").string()}).code, 0);
    EXPECT_EQ(test::readFile(folder_ / "b.mdd"), test::readFile(source));
}

TEST_F(Convert, ASequenceIsNotMixedIntoOneThatIsThere) {
    const fs::path source = cache();
    test::writeFile(folder_ / "p/s.1010.obj", "v 0 0 0\n");
    const auto refused = convert({source.string(), "-o", (folder_ / "p/s.####.obj").string()});
    EXPECT_EQ(refused.code, 2);
    EXPECT_EQ(test::namesIn(folder_ / "p"), (std::vector<std::string>{"s.1010.obj"}));
    EXPECT_EQ(test::readFile(folder_ / "p/s.1010.obj"), "v 0 0 0\n");
    EXPECT_EQ(convert({source.string(), "-o", (folder_ / "p/s.####.obj").string(), "--replace"}).code, 0);
    EXPECT_EQ(test::namesIn(folder_ / "p").size(), 24U);
}

TEST_F(Convert, SamplesBetweenFramesDoNotFitASequence) {
    ASSERT_EQ(convert({cache().string(), "--rate", "48", "-o", (folder_ / "a.abc").string()}).code, 0);
    ASSERT_EQ(convert({(folder_ / "a.abc").string(), "-o", (folder_ / "p/s.####.obj").string()}).code,
              0); // whole at 48
    // Samples where they happen to lie: whole frames are taken, and that is said. Asked for by name they are refused.
    const std::string uneven = (fs::path(WYC_TEST_DATA) / "abc/mesh_acyclic_times.abc").string();
    const auto taken = convert({uneven, "-o", (folder_ / "q/s.####.obj").string()});
    EXPECT_EQ(taken.code, 0) << taken.err;
    EXPECT_NE(taken.err.find("samples between frames"), std::string::npos) << taken.err;
    const auto asked = convert({uneven, "--shutter=-0.25:0.25:3", "-o", (folder_ / "r/s.####.obj").string()});
    EXPECT_EQ(asked.code, 2);
    EXPECT_NE(asked.err.find("between whole frames"), std::string::npos) << asked.err;
    EXPECT_TRUE(!fs::exists(folder_ / "r") || test::namesIn(folder_ / "r").empty());
}

TEST_F(Convert, AChangingMeshIsRefusedByAPointCacheAndKeptByASequence) {
    const std::string archive = (fs::path(WYC_TEST_DATA) / "abc/mesh_varying_topology.abc").string();
    const auto refused = convert({archive, "-o", (folder_ / "a.mdd").string()});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("points"), std::string::npos);
    EXPECT_FALSE(fs::exists(folder_ / "a.mdd"));
    ASSERT_EQ(convert({archive, "-o", (folder_ / "p/s.####.obj").string()}).code, 0);
    ASSERT_EQ(convert({(folder_ / "p").string(), "--rate", "24", "-o", (folder_ / "b.abc").string()}).code, 0);
    const auto a = test::openFile(archive);
    const auto b = test::openFile(folder_ / "b.abc");
    ASSERT_EQ(test::shapeOf(*a).sampling().count(), test::shapeOf(*b).sampling().count());
    for (std::size_t i = 0; i < test::shapeOf(*a).sampling().count(); ++i) {
        EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*a), i), test::pointsOf(test::shapeOf(*b), i))) << i;
        EXPECT_EQ((*test::shapeOf(*a).topology(i))->hash(), (*test::shapeOf(*b).topology(i))->hash()) << i;
    }
}

TEST_F(Convert, TheRestMeshGivesTheFacesAndItsUvs) {
    const fs::path source = cache();
    Scene mesh = test::sheetScene();
    test::OnMesh extras;
    extras.uvs = {Scope::Corner, 2, {0, 0, 1, 0, 1, 1}, std::vector<std::int32_t>(80, 2)};
    test::setMesh(mesh.nodes[0], Sampling::still(), test::gridTopology(6, 5),
                  std::vector<std::vector<Vec3f>>{test::sheetPoints(6, 5, 0)}, extras);
    ASSERT_TRUE(test::writeScene(mesh, folder_ / "mesh.obj"));
    ASSERT_EQ(convert({source.string(), "--rest", (folder_ / "mesh.obj").string(), "-o", (folder_ / "a.abc").string(),
                       "--record"})
                  .code,
              0);
    const auto scene = test::openFile(folder_ / "a.abc");
    EXPECT_EQ((*test::shapeOf(*scene).topology(3))->faceCount(), 20U);
    EXPECT_EQ(test::onMesh(scene->nodes[0], 3).uvs, extras.uvs);
    EXPECT_EQ(wyc({"prove", (folder_ / "a.abc").string()}).code, 0);
    EXPECT_EQ(
        convert({source.string(), "--rest", (folder_ / "none.obj").string(), "-o", (folder_ / "b.abc").string()}).code,
        2);
}

// With a mark of UTF-8 in front, as some editors leave it.
TEST_F(Convert, MaterialsOfTheRestMeshGoAlongAndAreProven) {
    const fs::path data = fs::path(WYC_TEST_DATA) / "mdd";
    fs::copy_file(data / "jelly_pulse.mdd", folder_ / "j.mdd");
    test::writeFile(folder_ / "j_rest.obj",
                    "\xEF\xBB\xBFmtllib j.mtl\nusemtl skin\n" + test::readFile(data / "jelly_rest.obj"));
    test::writeFile(folder_ / "j.mtl", "\xEF\xBB\xBFnewmtl skin\nKd 0.5 0.125 0.25\n");
    const std::string source = (folder_ / "j.mdd").string();
    for (const auto& [target, materials] : {std::pair{"s/p.####.obj", "s/p.mtl"}, {"o.mdd", "o_rest.mtl"}}) {
        const auto outcome = wyc({"convert", source, "--record", "-o", (folder_ / target).string()});
        ASSERT_EQ(outcome.code, 0) << outcome.err;
        EXPECT_EQ(outcome.err.find("material"), std::string::npos) << outcome.err;
        EXPECT_NE(test::readFile(folder_ / materials).find("Kd 0.5 0.125 0.25"), std::string::npos);
        const auto proof = wyc({"prove", (folder_ / target).string()});
        EXPECT_NE(proof.out.find("material 'skin'"), std::string::npos) << proof.out;
        // Another colour is another delivery.
        test::writeFile(folder_ / materials, "newmtl skin\nKd 0.5 0.125 0.5\n");
        EXPECT_EQ(wyc({"prove", (folder_ / target).string()}).code, 1) << target;
    }
    const auto archive = wyc({"convert", source, "-o", (folder_ / "o.abc").string()});
    EXPECT_NE(archive.err.find("1 material with colour"), std::string::npos) << archive.err;
    fs::remove(folder_ / "j.mtl");
    EXPECT_NE(wyc({"check", source}).out.find("material.file_missing"), std::string::npos);
}

TEST_F(Convert, SeveralSourcesBecomeOneArchive) {
    test::SheetOptions second;
    second.name = "other";
    ASSERT_EQ(convert({cache().string(), cache(second).string(), "-o", (folder_ / "a.abc").string(), "--prove"}).code,
              0);
    EXPECT_EQ(infoOf(folder_ / "a.abc")["items"].size(), 2U);
    test::SheetOptions faster;
    faster.name = "faster";
    faster.rate = *FrameRate::make(30, 1);
    const auto mixed = convert({cache().string(), cache(faster).string(), "-o", (folder_ / "b.abc").string()});
    EXPECT_EQ(mixed.code, 2);
    EXPECT_NE(mixed.err.find("--rate"), std::string::npos);
    EXPECT_EQ(
        convert({cache().string(), cache(faster).string(), "--rate", "24", "-o", (folder_ / "b.abc").string()}).code,
        0);
}

// Foreign sequences, frame by frame, through the program.
TEST_F(Convert, ForeignSequencesSampleAsIndependentReadersRead) {
    std::size_t compared = 0;
    for (const char* name : {"jelly_clean", "jelly_gap", "jelly_padding", "frond_negative", "jelly_cut"}) {
        const fs::path folder = fs::path(WYC_SHARED_FIXTURES) / "obj" / name;
        if (!fs::exists(folder))
            GTEST_SKIP() << "the shared fixtures are not here";
        const json expected = test::readJson(folder.parent_path() / (std::string(name) + ".expected.json"));
        for (const json& frame : expected["sequences"][0]["frames"]) {
            SCOPED_TRACE(std::string(name) + " " + frame["frame"].dump());
            const auto outcome = wyc({"sample", folder.string(), "--at", frame["frame"].dump(), "--json"});
            if (frame.contains("error")) {
                EXPECT_EQ(outcome.code, 2);
                EXPECT_EQ(outcome.json()["error"]["line"], frame["error"]["line"]);
                continue;
            }
            ASSERT_EQ(outcome.code, 0) << outcome.err;
            const json document = outcome.json();
            std::vector<Vec3f> points;
            for (const json& p : document["frames"][0]["items"][0]["points"])
                points.push_back({p[0].get<float>(), p[1].get<float>(), p[2].get<float>()});
            EXPECT_EQ(hashText(hash64(std::as_bytes(std::span(points)))), frame["xxh64"].get<std::string>());
            ++compared;
        }
    }
    EXPECT_GT(compared, 30U);
}

TEST_F(Convert, FramesLengthLeadAndShutter) {
    const std::string source = cache().string(); // 1001 – 1024
    const auto times = [&](const std::vector<std::string>& options) {
        std::vector<std::string> arguments{source, "-o", (folder_ / "t.abc").string(), "--replace"};
        arguments.insert(arguments.end(), options.begin(), options.end());
        const auto outcome = convert(arguments);
        EXPECT_EQ(outcome.code, 0) << outcome.err;
        const auto scene = test::openFile(folder_ / "t.abc");
        std::vector<double> frames;
        for (const double time : test::shapeOf(*scene).sampling().times())
            frames.push_back(std::round(FrameRate().frameAt(time) * 1000.0) / 1000.0);
        return frames;
    };
    EXPECT_EQ(times({"--frames", "1003,1010:1012"}), (std::vector<double>{1003, 1010, 1011, 1012}));
    EXPECT_EQ(times({"--lead", "20"}), (std::vector<double>{1021, 1022, 1023, 1024}));
    EXPECT_EQ(times({"--length", "2"}), (std::vector<double>{1001, 1002}));
    EXPECT_EQ(times({"--lead", "10", "--length", "2", "--shutter=-0.25:0.25:3"}),
              (std::vector<double>{1010.75, 1011, 1011.25, 1011.75, 1012, 1012.25}));
    const auto tooLong = convert({source, "--length", "30", "-o", (folder_ / "l.abc").string()});
    EXPECT_EQ(tooLong.code, 2);
    EXPECT_NE(tooLong.err.find("24 are there"), std::string::npos) << tooLong.err;
    EXPECT_FALSE(fs::exists(folder_ / "l.abc"));
    const auto senseless = convert({source, "--shutter", "wide", "-o", (folder_ / "s.abc").string()});
    EXPECT_EQ(senseless.code, 2);
    EXPECT_NE(senseless.err.find("OPEN:CLOSE:SAMPLES"), std::string::npos) << senseless.err;
}

TEST_F(Convert, WorldPutsTransformsIntoThePointsAndCamerasStay) {
    const fs::path data = fs::path(WYC_TEST_DATA) / "abc";
    const auto outcome =
        convert({(data / "camera.abc").string(), "--world", "--record", "-o", (folder_ / "c.abc").string()});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    EXPECT_EQ(wyc({"prove", (folder_ / "c.abc").string()}).code, 0);
    const auto sampled =
        wyc({"sample", (folder_ / "c.abc").string(), "--at", "1001", "--item", "*boom_cam", "--json"}).json();
    const auto before =
        wyc({"sample", (data / "camera.abc").string(), "--at", "1001", "--item", "*boom_cam", "--json"}).json();
    const auto camera = [](const json& document) {
        for (const json& item : document["frames"][0]["items"])
            if (item.contains("camera"))
                return item;
        return json();
    };
    ASSERT_TRUE(camera(sampled).is_object());
    EXPECT_EQ(camera(sampled)["camera"], camera(before)["camera"]);
    for (std::size_t k = 0; k < 16; ++k)
        EXPECT_NEAR(camera(sampled)["world_matrix"][k].get<double>(), camera(before)["world_matrix"][k].get<double>(),
                    1e-12);
    // Instances become copies where a format has none.
    EXPECT_EQ(
        convert({(data / "instances.abc").string(), "--world", "--per-item", "-o", (folder_ / "i.obj").string()}).code,
        0);
    EXPECT_GT(test::namesIn(folder_.path()).size(), 8U);
}

} // namespace
} // namespace wyc::convert_test
