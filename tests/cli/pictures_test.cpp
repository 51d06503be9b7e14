// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures of materials on their way to another folder: found again, collected, repointed, missing.
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>

#include "support/process.h"

namespace wyc::pictures_test {
namespace {

using nlohmann::json;
using test::readFile;
using test::TempFolder;
using test::wyc;

constexpr const char* kScene = R"(#usda 1.0
(
    defaultPrim = "lamp"
    metersPerUnit = 1
    upAxis = "Y"
)
def Xform "lamp"
{
    def Mesh "shade" (prepend apiSchemas = ["MaterialBindingAPI"])
    {
        int[] faceVertexCounts = [3]
        int[] faceVertexIndices = [0, 1, 2]
        point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (0, 1)] (interpolation = "vertex")
        rel material:binding = </lamp/looks/paper>
    }
    def DomeLight "sky"
    {
        asset inputs:texture:file = @./sky/dawn.hdr@
    }
    def Scope "looks"
    {
        def Material "paper"
        {
            token outputs:surface.connect = </lamp/looks/paper/surface.outputs:surface>
            def Shader "surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = </lamp/looks/paper/colour.outputs:rgb>
                token outputs:surface
            }
            def Shader "colour"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @../tex/skin.png@
                asset inputs:second = @other/skin.png@
                asset inputs:tiles = @../tex/cloth.<UDIM>.png@
                asset inputs:gone = @./nowhere.png@
                asset inputs:odd = @C:\tex\rust.png@
                asset inputs:secret = @../secret.key@
                float3 outputs:rgb
            }
        }
    }
}
)";

class CarriedPictures : public testing::Test {
  protected:
    void SetUp() override {
        for (const auto& [name, bytes] : std::map<std::string, std::string>{{"src/lamp.usda", kScene},
                                                                            {"src/sky/dawn.hdr", "dawn"},
                                                                            {"tex/skin.png", "first skin"},
                                                                            {"src/other/skin.png", "other skin"},
                                                                            {"tex/cloth.1001.png", "tile one"},
                                                                            {"tex/cloth.1012.png", "tile twelve"},
                                                                            {"secret.key", "nobody's business"}}) {
            fs::create_directories((folder_ / name).parent_path());
            test::writeFile(folder_ / name, bytes);
        }
        fs::create_directories(folder_ / "to/here");
    }
    test::Outcome convert(const std::string& to, std::vector<std::string> more) const {
        more.insert(more.begin(), {"convert", (folder_ / "src/lamp.usda").string(), "-o", (folder_ / to).string()});
        return wyc(more);
    }
    // What a text layer names, as it stands there.
    static std::vector<std::string> names(const fs::path& layer) {
        std::vector<std::string> all;
        const std::string text = readFile(layer);
        for (std::size_t at = text.find('@'); at != std::string::npos; at = text.find('@', at + 1)) {
            const std::size_t end = text.find('@', at + 1);
            all.push_back(text.substr(at + 1, end - at - 1));
            at = end;
        }
        return all;
    }
    // Bytes that the names of a layer lead to.
    static std::multiset<std::string> contents(const fs::path& layer) {
        std::multiset<std::string> all;
        for (const std::string& name : names(layer)) {
            const std::size_t tile = name.find("<UDIM>");
            for (const char* number : {"1001", "1012"}) {
                std::string one = name;
                if (tile != std::string::npos)
                    one.replace(tile, 6, number);
                const fs::path path = fs::path(one).is_absolute() ? fs::path(one) : layer.parent_path() / one;
                std::error_code code;
                if (fs::is_regular_file(path, code))
                    all.insert(readFile(path));
                if (tile == std::string::npos)
                    break;
            }
        }
        return all;
    }
    const std::multiset<std::string> pictures_{"dawn", "first skin", "other skin", "tile one", "tile twelve"};
    TempFolder folder_;
};

TEST_F(CarriedPictures, PathsLeadToTheSameFilesFromElsewhere) {
    const auto done = convert("to/here/lamp.usda", {"--record"});
    ASSERT_EQ(done.code, 0) << done.out << done.err;
    auto wanted = pictures_;
    wanted.insert("nobody's business"); // it stays where it is
    EXPECT_EQ(contents(folder_ / "to/here/lamp.usda"), wanted);
    for (const std::string& name : names(folder_ / "to/here/lamp.usda"))
        EXPECT_FALSE(fs::path(name).is_absolute()) << name;
    EXPECT_NE((done.out + done.err).find("its file './nowhere.png' is not there"), std::string::npos)
        << done.out << done.err;
    EXPECT_NE((done.out + done.err).find("other systems"), std::string::npos) << done.out << done.err;
    EXPECT_EQ(wyc({"prove", (folder_ / "to/here/lamp.usda").string()}).code, 0);
    // In the same folder nothing changes.
    ASSERT_EQ(convert("src/again.usda", {}).code, 0);
    auto own = names(folder_ / "src/lamp.usda");
    auto again = names(folder_ / "src/again.usda");
    std::sort(own.begin(), own.end());
    std::sort(again.begin(), again.end());
    EXPECT_EQ(again, own);
    // As they are written: they lead nowhere, which is told.
    const auto asWritten = convert("to/here/plain.usda", {"--textures", "as written"});
    ASSERT_EQ(asWritten.code, 0) << asWritten.err;
    auto plain = names(folder_ / "to/here/plain.usda");
    std::sort(plain.begin(), plain.end());
    EXPECT_EQ(plain, own);
    EXPECT_NE((asWritten.out + asWritten.err).find("leads to no file"), std::string::npos)
        << asWritten.out << asWritten.err;
}

TEST_F(CarriedPictures, CollectedTheyStandAloneAndOnlyNewOnesAreWritten) {
    const auto done = convert("to/here/lamp.usda", {"--textures", "collected", "--record"});
    ASSERT_EQ(done.code, 0) << done.out << done.err;
    EXPECT_NE((done.out + done.err).find("is no picture"), std::string::npos) << done.out << done.err;
    fs::rename(folder_ / "tex", folder_ / "put_away");
    fs::rename(folder_ / "src", folder_ / "away");
    auto wanted = pictures_;
    wanted.insert("nobody's business"); // named, not taken along
    EXPECT_EQ(contents(folder_ / "to/here/lamp.usda"), wanted);
    for (const auto& entry : fs::directory_iterator(folder_ / "to/here"))
        EXPECT_NE(readFile(entry.path()), "nobody's business") << entry.path();
    EXPECT_TRUE(fs::exists(folder_ / "to/here/lamp.cloth.v001.1012.png"));
    EXPECT_EQ(wyc({"prove", (folder_ / "to/here/lamp.usda").string()}).code, 0);
    fs::rename(folder_ / "put_away", folder_ / "tex");
    fs::rename(folder_ / "away", folder_ / "src");

    // One picture is painted anew.
    test::writeFile(folder_ / "tex/skin.png", "painted anew");
    const auto again = convert("to/here/lamp.usda", {"--textures", "collected", "--record", "--replace"});
    ASSERT_EQ(again.code, 0) << again.out << again.err;
    std::size_t second = 0;
    for (const auto& entry : fs::directory_iterator(folder_ / "to/here"))
        second += entry.path().string().find(".v002.") != std::string::npos ? 1U : 0U;
    EXPECT_EQ(second, 1U);
    const auto now = contents(folder_ / "to/here/lamp.usda");
    EXPECT_TRUE(now.contains("painted anew"));
    EXPECT_FALSE(now.contains("first skin"));
    // Delivered once more nothing is new, whatever else stands there.
    test::writeFile(folder_ / "to/here/lamp.cloth.v001.usdc", "a layer of an item called so");
    ASSERT_EQ(convert("to/here/lamp.usda", {"--textures", "collected", "--record", "--replace"}).code, 0);
    EXPECT_FALSE(fs::exists(folder_ / "to/here/lamp.cloth.v002.1001.png"));
    // A tile fewer: no old one stands in for it.
    fs::remove(folder_ / "tex/cloth.1012.png");
    ASSERT_EQ(convert("to/here/lamp.usda", {"--textures", "collected", "--record", "--replace"}).code, 0);
    EXPECT_FALSE(contents(folder_ / "to/here/lamp.usda").contains("tile twelve"));
    EXPECT_EQ(wyc({"prove", (folder_ / "to/here/lamp.usda").string()}).code, 0);
    // Damaged, it is proven no longer.
    const std::string collected = (folder_ / "to/here/lamp.dawn.v001.hdr").string();
    fs::remove(collected);
    test::writeFile(collected, "dusk");
    EXPECT_EQ(wyc({"prove", (folder_ / "to/here/lamp.usda").string()}).code, 1);
}

TEST_F(CarriedPictures, APackageHasThemInItAndGivesThemBack) {
    ASSERT_EQ(convert("to/lamp.usdz", {"--record"}).code, 0);
    const std::string package = readFile(folder_ / "to/lamp.usdz");
    for (const std::string& picture : pictures_)
        EXPECT_NE(package.find(picture), std::string::npos) << picture;
    EXPECT_EQ(package.find("nobody's business"), std::string::npos);
    fs::rename(folder_ / "tex", folder_ / "put_away");
    fs::rename(folder_ / "src", folder_ / "away");
    const auto back = wyc({"convert", (folder_ / "to/lamp.usdz").string(), "-o",
                           (folder_ / "to/here/back.usda").string(), "--textures", "collected"});
    ASSERT_EQ(back.code, 0) << back.out << back.err;
    auto wanted = pictures_;
    wanted.insert("nobody's business");
    EXPECT_EQ(contents(folder_ / "to/here/back.usda"), wanted);
}

TEST_F(CarriedPictures, AStepLooksForThemElsewhere) {
    fs::create_directories(folder_ / "farm/looks");
    fs::copy(folder_ / "tex/skin.png", folder_ / "farm/looks/skin.png");
    const auto repoint = [&](const std::string& from, const fs::path& to) {
        const json step{{"type", "repoint"}, {"options", {{"from", from}, {"to", to.string()}}}, {"on", true}};
        test::writeFile(folder_ / "steps.json", json::array({step}).dump());
        return (folder_ / "steps.json").string();
    };
    const auto done = convert("to/here/lamp.usda", {"--steps", repoint("../tex", folder_ / "farm/looks")});
    ASSERT_EQ(done.code, 0) << done.out << done.err;
    const auto all = names(folder_ / "to/here/lamp.usda");
    EXPECT_EQ(std::count(all.begin(), all.end(), (folder_ / "farm/looks/skin.png").string()), 1);
    EXPECT_EQ(std::count(all.begin(), all.end(), (folder_ / "farm/looks/cloth.<UDIM>.png").string()), 1);
    EXPECT_NE((done.out + done.err).find("cloth.<UDIM>.png' is not there"), std::string::npos) << done.out << done.err;
    EXPECT_TRUE(contents(folder_ / "to/here/lamp.usda").contains("other skin")) << "others stay as they are";
    const auto drive = convert("to/here/drive.usda", {"--steps", repoint(R"(C:\tex)", folder_ / "tex")});
    ASSERT_EQ(drive.code, 0) << drive.out << drive.err;
    const auto there = names(folder_ / "to/here/drive.usda");
    EXPECT_EQ(std::count(there.begin(), there.end(), (folder_ / "tex/rust.png").string()), 1);
}

TEST_F(CarriedPictures, AColouredPictureOfAMeshFileGoesThroughLayersAndBack) {
    fs::create_directories(folder_ / "mesh/maps");
    test::writeFile(folder_ / "mesh/maps/sand.png", "sand");
    test::writeFile(folder_ / "mesh/sand.mtl", "newmtl sand\nKd 0.5 0.25 1\nmap_Kd maps/sand.png\n");
    test::writeFile(folder_ / "mesh/sand.obj", "mtllib sand.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl sand\nf 1 2 3\n"
                                               "usemtl unknown\nf 3 2 1\n");
    const std::string mesh = (folder_ / "mesh/sand.obj").string();
    for (const char* extension : {"usda", "usdc", "usdz"}) {
        const std::string layer = (folder_ / "to" / (std::string("sand.") + extension)).string();
        const auto done = wyc({"convert", mesh, "-o", layer, "--prove"});
        ASSERT_EQ(done.code, 0) << extension << done.out << done.err;
        const std::string back = (folder_ / "to" / (std::string("back_") + extension + ".obj")).string();
        const auto again = wyc({"convert", layer, "-o", back, "--prove"});
        ASSERT_EQ(again.code, 0) << extension << again.out << again.err;
        const std::string materials = readFile(fs::path(back).replace_extension(".mtl"));
        EXPECT_NE(materials.find("Kd 0.5 0.25 1\n"), std::string::npos) << extension << materials;
        EXPECT_NE(materials.find("sand"), std::string::npos) << materials;
        EXPECT_NE(readFile(back).find("usemtl unknown"), std::string::npos) << "known by its name alone";
    }
    // Beside a point cache, too, it is told that the picture is not found from there.
    const auto cache = wyc({"convert", mesh, "-o", (folder_ / "to/sand.mdd").string()});
    EXPECT_EQ(cache.code, 0) << cache.err;
    EXPECT_NE((cache.out + cache.err).find("leads to no file"), std::string::npos) << cache.out << cache.err;
    // A link named like a picture is what it leads to.
    fs::create_symlink(folder_ / "secret.key", folder_ / "mesh/maps/link.png");
    test::writeFile(folder_ / "mesh/sand.mtl", "newmtl sand\nmap_Kd maps/link.png\n");
    const auto linked = wyc({"convert", mesh, "-o", (folder_ / "to/link.usdz").string()});
    EXPECT_EQ(linked.code, 0) << linked.err;
    EXPECT_EQ(readFile(folder_ / "to/link.usdz").find("nobody's business"), std::string::npos);
    fs::create_symlink(folder_ / "secret.key", folder_ / "tex/cloth.1003.png"); // a tile, too
    ASSERT_EQ(convert("to/tiles.usdz", {}).code, 0);
    EXPECT_EQ(readFile(folder_ / "to/tiles.usdz").find("nobody's business"), std::string::npos);
}

} // namespace
} // namespace wyc::pictures_test
