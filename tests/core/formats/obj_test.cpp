// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <bit>
#include <cstdlib>
#include <limits>
#include <random>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/hash.h"
#include "formats/obj/obj.h"
#include "gather/sequence.h"
#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::obj_test {
namespace {

using test::TempFolder;
using test::writeFile;

Result<obj::ObjText> parse(const std::string& text) {
    return obj::parseObj(text, "test.obj");
}

std::string hashOf(std::span<const std::byte> bytes) {
    return hashText(hash64(bytes));
}

// Every foreign file: what independent readers found, or an error at the line they name.
TEST(ObjForeign, FilesReadAsIndependentReadersReadThem) {
    const auto files = test::foreignFiles("obj", ".obj");
    ASSERT_GE(files.size(), 8U);
    for (const auto& [path, expected] : files) {
        SCOPED_TRACE(path.filename().string());
        const auto text = obj::readObjFile(path);
        if (expected.contains("error")) {
            ASSERT_FALSE(text);
            EXPECT_EQ(text.error().line, expected["error"]["line"].get<std::uint64_t>()) << text.error().text();
            EXPECT_FALSE(text.error().what.empty());
            continue;
        }
        ASSERT_TRUE(text) << text.error().text();
        EXPECT_EQ(text->points.size(), expected["points"]["count"].get<std::size_t>());
        EXPECT_EQ(hashOf(std::as_bytes(std::span(text->points))), expected["points"]["xxh64"].get<std::string>());
        EXPECT_EQ(text->faceSizes.size(), expected["faces"]["count"].get<std::size_t>());
        EXPECT_EQ(hashText(hash64(std::as_bytes(std::span(text->faceSizes)), std::as_bytes(std::span(text->corners)))),
                  expected["faces"]["xxh64"].get<std::string>());
        if (expected["faces"].contains("corner_uv_xxh64") && !text->cornerUvs.empty())
            EXPECT_EQ(hashOf(std::as_bytes(std::span(text->cornerUvs))),
                      expected["faces"]["corner_uv_xxh64"].get<std::string>());
        if (expected["faces"].contains("corner_normal_xxh64"))
            EXPECT_EQ(hashOf(std::as_bytes(std::span(text->cornerNormals))),
                      expected["faces"]["corner_normal_xxh64"].get<std::string>());
        if (expected.contains("uvs"))
            EXPECT_EQ(hashOf(std::as_bytes(std::span(text->uvs))), expected["uvs"]["xxh64"].get<std::string>());
        if (expected.contains("normals"))
            EXPECT_EQ(hashOf(std::as_bytes(std::span(text->normals))), expected["normals"]["xxh64"].get<std::string>());
        if (expected.contains("colours") && expected["colours"].contains("xxh64"))
            EXPECT_EQ(hashOf(std::as_bytes(std::span(text->colours))), expected["colours"]["xxh64"].get<std::string>());
        if (expected.contains("objects")) {
            ASSERT_EQ(text->objects.size(), expected["objects"].size());
            for (std::size_t i = 0; i < text->objects.size(); ++i) {
                EXPECT_EQ(text->objects[i].name, expected["objects"][i]["name"].get<std::string>());
                EXPECT_EQ(text->objects[i].pointCount, expected["objects"][i]["points_declared"].get<std::size_t>());
                EXPECT_EQ(text->objects[i].faces.size(), expected["objects"][i]["faces"].get<std::size_t>());
            }
        }
        for (const auto* key : {"groups", "materials"}) {
            if (!expected.contains(key))
                continue;
            const auto& sets = std::string(key) == "groups" ? text->groups : text->materials;
            for (const auto& [name, faces] : expected[key].items()) {
                const auto found =
                    std::find_if(sets.begin(), sets.end(), [&](const FaceSet& s) { return s.name == name; });
                ASSERT_NE(found, sets.end()) << name;
                EXPECT_EQ(found->faces.size(), faces.get<std::size_t>()) << name;
            }
        }
        if (expected.contains("not_carried"))
            for (const auto& [keyword, count] : expected["not_carried"].items())
                EXPECT_EQ(text->notCarried.at(keyword), count.get<std::size_t>()) << keyword;
    }
}

TEST(ObjForeign, TexturesAreFoundOrNotAsOthersFindThem) {
    for (const auto& [path, expected] : test::foreignFiles("obj", ".obj")) {
        if (!expected.contains("textures"))
            continue;
        SCOPED_TRACE(path.filename().string());
        const auto scene = test::openFile(path);
        ASSERT_TRUE(scene);
        for (const auto& texture : expected["textures"]) {
            if (texture["map"] != "map_Kd" || !fs::exists(path.parent_path() / "maps"))
                continue;
            const auto material = std::find_if(scene->materials.begin(), scene->materials.end(),
                                               [&](const Material& m) { return m.name == texture["material"]; });
            ASSERT_NE(material, scene->materials.end());
            EXPECT_EQ(material->look.baseColour.texture, texture["path"].get<std::string>());
            EXPECT_EQ(!material->look.baseColour.file.empty(), texture["found"].get<bool>())
                << material->look.baseColour.texture;
        }
    }
}

struct BadLine {
    const char* text;
    std::uint64_t line;
    const char* says;
};

TEST(ObjText, BadInputIsRefusedWithItsLine) {
    const std::string three = "v 0 0 0\nv 1 0 0\nv 0 1 0\n";
    const BadLine cases[] = {
        {"v 1 2\n", 1, "v has 2 numbers"},
        {"v 1 2 two\n", 1, "'two' is not a number"},
        {"v 1 nan 2\n", 1, "y = nan"},
        {"v 1 2 1e39\n", 1, "z = 1e39"},
        {"v 1 2 3 4 5 6 7 8\n", 1, "more than 7 numbers"},
        {"f 1 2 3\n", 1, "out of range"},
        {"vt\n", 1, "vt has 0 numbers"},
        {"vn 1 2\n", 1, "vn has 2 numbers"},
    };
    for (const BadLine& bad : cases) {
        const auto result = parse(bad.text);
        ASSERT_FALSE(result) << bad.text;
        EXPECT_EQ(result.error().line, bad.line) << bad.text;
        EXPECT_NE(result.error().what.find(bad.says), std::string::npos) << result.error().what;
    }
    const BadLine faces[] = {
        {"f 1 2 0\n", 4, "index 0"},
        {"f 1 2 4\n", 4, "index 4 is out of range: the file has 3 points"},
        {"f 1 2 -4\n", 4, "index -4 is out of range"},
        {"f 1 2\n", 4, "2 corners"},
        {"f\n", 4, "0 corners"},
        {"f 1/1 2 3\n", 4, "texture coordinates"},
        {"f 1//1 2 3\n", 4, "normals"},
        {"f 1 2 3x\n", 4, "stands in a corner"},
        {"f 1 2 99999999999999999999\n", 4, "99999999999999999999 is out of range"},
    };
    for (const BadLine& bad : faces) {
        const auto result = parse(three + bad.text);
        ASSERT_FALSE(result) << bad.text;
        EXPECT_EQ(result.error().line, bad.line) << bad.text;
        EXPECT_NE(result.error().what.find(bad.says), std::string::npos) << result.error().what;
    }
}

TEST(ObjText, NumbersAreRoundedOnceWhateverTheirForm) {
    std::mt19937_64 random(3);
    for (int i = 0; i < 200000; ++i) {
        // Decimals of 1 to 15 digits, and decimals that lie half way between two floats or just beside.
        std::string text;
        if (i % 4 == 0) {
            const auto bits = static_cast<std::uint32_t>(random() % 0x3f000000U + 0x20000000U);
            const double low = static_cast<double>(std::bit_cast<float>(bits));
            const double high = static_cast<double>(std::bit_cast<float>(bits + 1));
            text = fmt::format("{:.{}f}", (low + high) / 2, 1 + random() % 14);
        } else {
            text = fmt::format("{}{}.{}", random() % 2 ? "-" : "", random() % 10000, random() % 100000000);
        }
        const auto parsed = parse("v " + text + " 0 0\n");
        ASSERT_TRUE(parsed) << text;
        EXPECT_EQ(std::bit_cast<std::uint32_t>(parsed->points[0].x),
                  std::bit_cast<std::uint32_t>(std::strtof(text.c_str(), nullptr)))
            << text;
    }
}

TEST(ObjText, RareSpellings) {
    const auto text =
        parse("v 0 0 0 # a remark\r\nv\t1 0 \\\r\n 0\nv 0 1 0\nv 1 1 0\nf \\\n1 2 \\\n3 # end\nf -1 -3 -2");
    ASSERT_TRUE(text) << text.error().text();
    EXPECT_EQ(text->points.size(), 4U);
    EXPECT_EQ(text->corners, (std::vector<std::int32_t>{0, 1, 2, 3, 1, 2}));
    // Lines are counted through continued ones.
    const auto bad = parse("v 0 \\\n0 \\\n0\nv 1 x 0\n");
    ASSERT_FALSE(bad);
    EXPECT_EQ(bad.error().line, 4U);
}

TEST(ObjText, PointsDeclaredLaterMayBeUsed) {
    const auto text = parse("f 1 2 3\nv 0 0 0\nv 1 0 0\nv 0 1 0\n");
    ASSERT_TRUE(text);
    EXPECT_EQ(text->corners, (std::vector<std::int32_t>{0, 1, 2}));
}

TEST(ObjText, AFaceInSeveralGroupsAndNamesWithBlanks) {
    const auto text =
        parse("v 0 0 0\nv 1 0 0\nv 0 1 0\no first part\ng a b\nusemtl painted steel\nf 1 2 3\ng\nf 3 2 1\n"
              "usemtl\nf 2 3 1\n"); // a material ends where one without a name begins
    ASSERT_TRUE(text);
    ASSERT_EQ(text->groups.size(), 2U);
    EXPECT_EQ(text->groups[0].faces.size(), 1U);
    EXPECT_EQ(text->materials[0].name, "painted steel");
    EXPECT_EQ(text->materials[0].faces.size(), 2U);
    EXPECT_EQ(text->objects[0].name, "first part");
}

TEST(ObjText, BytesThatAreNoTextAreRefused) {
    std::string bytes;
    for (int i = 0; i < 400; ++i)
        bytes += static_cast<char>(i * 37 + 128);
    EXPECT_FALSE(parse(bytes));
    EXPECT_TRUE(parse("")); // nothing in it, and nothing wrong with it
}

TEST(Mtl, OptionsAreNotPartOfThePath) {
    const TempFolder folder;
    writeFile(folder / "maps/2nd sheet.png", "x");
    const auto materials =
        obj::parseMaterials("newmtl a b\nKd 0.5 0.25 1\nmap_Kd -s 2 2 1 -clamp on maps/2nd sheet.png\n"
                            "newmtl c\nmap_Kd -o 1 maps/none.png\n# end\n",
                            folder.path());
    ASSERT_EQ(materials.size(), 2U);
    EXPECT_EQ(materials[0].name, "a b");
    EXPECT_EQ(materials[0].look.baseColour.texture, "maps/2nd sheet.png");
    EXPECT_FALSE(materials[0].look.baseColour.file.empty());
    EXPECT_EQ(materials[0].look.baseColour.value[1], 0.25F);
    EXPECT_TRUE(materials[1].look.baseColour.file.empty());
}

TEST(Mtl, PathsNeverLeaveTheFolder) {
    const TempFolder folder;
    writeFile(folder / "inner/x.png", "x");
    writeFile(folder / "secret.png", "x");
    EXPECT_TRUE(obj::textureIsThere("x.png", folder / "inner"));
    EXPECT_TRUE(obj::textureIsThere("../inner/x.png", folder / "inner") == false);
    EXPECT_FALSE(obj::textureIsThere("../secret.png", folder / "inner"));
    EXPECT_FALSE(obj::textureIsThere((folder / "secret.png").string(), folder / "inner"));
    EXPECT_FALSE(obj::textureIsThere("C:\\x.png", folder / "inner"));
    EXPECT_FALSE(obj::textureIsThere("", folder / "inner"));
}

TEST(ObjWrite, EverythingItCarriesComesBack) {
    const TempFolder folder;
    const fs::path source = writeFile(
        folder / "in.obj",
        "mtllib in.mtl\nv 0.1 -0 1e-40 1 0.5 0.25\nv 1 0 0 0 0 1\nv 0 1 0 1 1 1\nv 16777217 3 0.333333343 0 0 0\n"
        "vt 0 0\nvt 1 0.5\nvn 0 0 1\ng top all\nusemtl red\nf 1/1/1 2/2/1 3/1/1\ng all\nf 2 4 3\n");
    writeFile(folder / "in.mtl", "newmtl red\nKd 1 0 0\nmap_Kd tex.png\n");
    const auto first = test::openFile(source);
    ASSERT_TRUE(first) << first.error().text();
    ASSERT_TRUE(test::writeScene(*first, folder / "out.obj"));
    const auto second = test::openFile(folder / "out.obj");
    ASSERT_TRUE(second) << second.error().text();
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*first), 0), test::pointsOf(test::shapeOf(*second), 0)));
    EXPECT_EQ((*test::shapeOf(*first).topology(0))->hash(), (*test::shapeOf(*second).topology(0))->hash());
    const test::OnMesh a = test::onMesh(first->nodes[0], 0);
    const test::OnMesh b = test::onMesh(second->nodes[0], 0);
    EXPECT_EQ(a.uvs, b.uvs);
    EXPECT_EQ(a.normals, b.normals);
    EXPECT_EQ(a.colours, b.colours);
    ASSERT_EQ(second->materials.size(), 1U);
    EXPECT_EQ(second->materials[0].look.baseColour.texture, "tex.png");
    // Face sets: names and faces, whatever their order.
    for (const FaceSet& set : a.faceSets)
        EXPECT_NE(std::find(b.faceSets.begin(), b.faceSets.end(), set), b.faceSets.end()) << set.name;
}

TEST(ObjWrite, WritingTwiceGivesTheSameBytes) {
    const TempFolder folder;
    const Scene scene = test::sheetScene();
    ASSERT_TRUE(test::writeScene(scene, folder / "a.obj"));
    ASSERT_TRUE(test::writeScene(scene, folder / "b.obj"));
    EXPECT_EQ(test::readFile(folder / "a.obj"), test::readFile(folder / "b.obj"));
}

TEST(ObjWrite, WhatItCannotHoldIsRefusedNotWritten) {
    const TempFolder folder;
    test::SheetOptions options;
    options.count = 1;
    options.plant = [](double, std::vector<Vec3f>& points) { points[3].x = std::numeric_limits<float>::infinity(); };
    const auto infinite = test::writeScene(test::sheetScene(options), folder / "a.obj");
    ASSERT_FALSE(infinite);
    EXPECT_NE(infinite.error().what.find("point 3"), std::string::npos);
    EXPECT_FALSE(fs::exists(folder / "a.obj"));
    Scene two = test::sheetScene();
    two.nodes.push_back(two.nodes[0]);
    EXPECT_FALSE(test::writeScene(two, folder / "b.obj"));
}

TEST(ObjSequence, FramesAreFetchedOnDemandAndShareTheirFaces) {
    const TempFolder folder;
    test::SheetOptions options;
    options.first = -3;
    options.count = 20;
    const Scene scene = test::sheetScene(options);
    ASSERT_TRUE(test::writeScene(scene, folder / "sheet.####.obj"));
    EXPECT_TRUE(fs::exists(folder / "sheet.-0003.obj"));
    EXPECT_TRUE(fs::exists(folder / "sheet.0016.obj"));
    const auto sequence = sequenceOfPattern(folder / "sheet.####.obj");
    ASSERT_TRUE(sequence) << sequence.error().text();
    ASSERT_EQ(sequence->files.size(), 20U);
    OpenRequest request;
    request.path = sequence->files.front().path;
    request.sequence = sequence->files;
    request.name = sequence->name;
    const auto back = obj::openObj(request);
    ASSERT_TRUE(back);
    const Geometry& shape = test::shapeOf(*back);
    EXPECT_EQ(back->nodes[0].name, "sheet");
    for (const std::size_t i : {19U, 0U, 7U, 7U, 3U})
        EXPECT_TRUE(test::sameBits(test::pointsOf(shape, i), test::pointsOf(test::shapeOf(scene), i))) << i;
    EXPECT_EQ(shape.topology(3)->get(), shape.topology(15)->get());
    EXPECT_EQ(shape.faceSets(3)->get(), shape.faceSets(15)->get());
    for (const Layer& layer : layersOf(back->nodes[0].properties))
        EXPECT_EQ(layer.values->token(3), layer.values->token(15));
}

TEST(ObjSequence, OneUnreadableFileIsAnErrorOfThatFrameOnly) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.####.obj"));
    writeFile(folder / "s.1010.obj", "v 1 2\n");
    const auto sequence = *sequenceOfPattern(folder / "s.####.obj");
    OpenRequest request;
    request.path = sequence.files.front().path;
    request.sequence = sequence.files;
    const auto scene = obj::openObj(request);
    ASSERT_TRUE(scene);
    std::vector<Vec3f> points;
    EXPECT_TRUE(readPoints(test::shapeOf(*scene), 8, points));
    const auto bad = readPoints(test::shapeOf(*scene), 9, points);
    ASSERT_FALSE(bad);
    EXPECT_NE(bad.error().file.find("s.1010.obj"), std::string::npos);
    EXPECT_EQ(bad.error().line, 1U);
}

TEST(ObjSequence, AFileChangedSinceItWasOpenedIsAnError) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.####.obj"));
    const auto sequence = *sequenceOfPattern(folder / "s.####.obj");
    OpenRequest request;
    request.path = sequence.files.front().path;
    request.sequence = sequence.files;
    const auto scene = obj::openObj(request);
    writeFile(folder / "s.1012.obj", "v 1 2 3\n");
    std::vector<Vec3f> points;
    const auto changed = readPoints(test::shapeOf(*scene), 11, points);
    ASSERT_FALSE(changed);
    EXPECT_EQ(changed.error().kind, ErrorKind::Changed);
}

TEST(ObjObjects, OneObjectCanServeAsAMesh) {
    const fs::path path = fs::path(WYC_TEST_DATA) / "obj/three_objects.obj";
    const auto sizes = obj::objectSizes(path);
    ASSERT_TRUE(sizes);
    EXPECT_EQ((*sizes)[1].points, 33U);
    const auto mesh = obj::extractObject(path, "lantern_jelly");
    ASSERT_TRUE(mesh) << mesh.error().text();
    EXPECT_EQ(*mesh->geometry->pointCount(0), 33U);
    EXPECT_EQ((*mesh->geometry->topology(0))->faceCount(), 32U);
    EXPECT_TRUE((*mesh->geometry->topology(0))->fits(33));
    EXPECT_FALSE(obj::extractObject(path, "nobody"));
    EXPECT_EQ(*obj::countPoints(path), 77U);
}

} // namespace
} // namespace wyc::obj_test
