// SPDX-License-Identifier: GPL-3.0-or-later
// Layered scenes by command line: what is in them, choices, and the way into other formats, proven.
#include <gtest/gtest.h>

#include "core/formats/usd_fixtures.h"
#include "support/process.h"

namespace wyc::usd_test {
namespace {

using nlohmann::json;
using test::TempFolder;
using test::usdData;
using test::wyc;

class LayeredScene : public testing::Test {
  protected:
    static json infoOf(const fs::path& path, std::vector<std::string> more = {}) {
        more.insert(more.begin(), {"info", path.string(), "--json"});
        const auto outcome = wyc(std::move(more));
        EXPECT_EQ(outcome.code, 0) << outcome.err;
        return outcome.json();
    }
    static const json* itemAt(const json& info, const std::string& path) {
        for (const json& item : info["items"])
            if (item["path"] == path)
                return &item;
        return nullptr;
    }
    TempFolder folder_;
};

TEST_F(LayeredScene, InfoTellsLayersVariantsPayloadsAndWhoSpeaks) {
    const json info = infoOf(usdData() / "variants/variants.usda");
    EXPECT_EQ(info["format"], "usd");
    ASSERT_EQ(info["layers"].size(), 3U);
    EXPECT_TRUE(info["layers"][0]["path"].get<std::string>().ends_with("variants.usda"));
    bool found = false;
    for (const json& variant : info["variants"])
        if (variant["item"] == "/Shoal/chosen_stronger" && variant["set"] == "look") {
            found = true;
            EXPECT_EQ(variant["chosen"], "faulty");
            EXPECT_EQ(variant["choices"], json({"clean", "faulty"}));
        }
    EXPECT_TRUE(found);
    ASSERT_TRUE(itemAt(info, "/Shoal/chosen_stronger/bell"));
    EXPECT_TRUE((*itemAt(info, "/Shoal/chosen_stronger/bell"))["layers"][0].get<std::string>().ends_with("jelly.usda"));
    // Another choice: for one prim, then for all.
    const json one = infoOf(usdData() / "variants/variants.usda", {"--variant", "/Shoal/as_stored:look=faulty"});
    EXPECT_TRUE(itemAt(one, "/Shoal/as_stored/bell"));
    EXPECT_FALSE(itemAt(info, "/Shoal/as_stored/bell"));
    const json all =
        infoOf(usdData() / "variants/variants.usda", {"--variant", "look=clean", "--variant", "size=large"});
    EXPECT_FALSE(itemAt(all, "/Shoal/chosen_stronger/bell"));
    EXPECT_EQ(wyc({"info", (usdData() / "variants/variants.usda").string(), "--variant", "look"}).code, 2);

    const fs::path payloads = usdData() / "payloads/payloads.usda";
    EXPECT_TRUE(itemAt(infoOf(payloads), "/Shoal/one/bell"));
    EXPECT_FALSE(itemAt(infoOf(payloads, {"--payloads", "none"}), "/Shoal/one/bell"));
    const json some = infoOf(payloads, {"--payloads", "/Shoal/one"});
    EXPECT_TRUE(itemAt(some, "/Shoal/one/bell"));
    EXPECT_FALSE(itemAt(some, "/Shoal/with_offset/bell"));
    const json proxies = infoOf(usdData() / "visibility_purpose.usda", {"--purpose", "proxy"});
    EXPECT_TRUE(itemAt(proxies, "/V/proxy_group/inherits_proxy"));
    EXPECT_FALSE(itemAt(proxies, "/V/guide_cube"));
    EXPECT_EQ(wyc({"info", payloads.string(), "--purpose", "beauty"}).code, 2);
}

TEST_F(LayeredScene, SearchFoldersFindWhatIsNotBesideTheLayer) {
    fs::create_directories(folder_ / "library");
    fs::create_directories(folder_ / "shot");
    test::writeFile(folder_ / "library/kelp.usda", "#usda 1.0\n(\n    defaultPrim = \"K\"\n)\ndef Cube \"K\"\n{\n}\n");
    test::writeFile(folder_ / "shot/shot.usda", "#usda 1.0\ndef \"A\" (references = @kelp.usda@)\n{\n}\n");
    const auto missing = wyc({"check", (folder_ / "shot/shot.usda").string(), "--json"});
    EXPECT_NE(missing.out.find("layer.missing"), std::string::npos) << missing.out;
    EXPECT_EQ(missing.code, 1);
    const auto found =
        wyc({"check", (folder_ / "shot/shot.usda").string(), "--json", "--search", (folder_ / "library").string()});
    EXPECT_EQ(found.out.find("layer.missing"), std::string::npos) << found.out;
}

TEST_F(LayeredScene, DeepShowsALayerAsItIs) {
    const auto outcome = wyc({"info", (usdData() / "references/references.usda").string(), "--deep", "--json"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    const json prims = outcome.json()["container"]["prims"];
    bool found = false;
    for (const json& prim : prims)
        if (prim["path"] == "/Shoal/offset") {
            found = true;
            EXPECT_EQ(prim["fields"]["references"]["explicit"][0]["scale"], 2.0);
        }
    EXPECT_TRUE(found);
}

TEST_F(LayeredScene, SampleTellsValuesAtATimeCode) {
    const auto outcome = wyc({"sample", (usdData() / "point_instancer.usda").string(), "--at", "1001", "--item",
                              "kelp_stand", "--world", "--json"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    const json document = outcome.json();
    bool found = false;
    for (const json& item : document["frames"][0]["items"])
        if (item.contains("instances")) {
            found = true;
            EXPECT_EQ(item["instances"].size(), 4U);
            EXPECT_NEAR(item["instances"][0]["world_matrix"][12].get<double>(), 11.7320507764816284, 1e-6);
        }
    EXPECT_TRUE(found);
    const json lights = wyc({"sample", (usdData() / "lights.usda").string(), "--at-seconds", "0.0416666666666667",
                             "--item", "beacon_rect", "--json"})
                            .json();
    for (const json& item : lights["frames"][0]["items"])
        if (item["kind"] == "light") {
            EXPECT_EQ(item["light"]["kind"], "rect");
            EXPECT_EQ(item["light"]["intensity"], 102.0);
            EXPECT_EQ(item["light"]["cone_degrees"], 60.0);
        }
}

TEST_F(LayeredScene, EveryReadableCaseGoesIntoAnArchiveAndIsProven) {
    std::size_t proven = 0;
    std::size_t pairs = 0;
    for (const test::UsdCase& one : test::usdCases()) {
        const fs::path& file = one.files.front();
        const json info = infoOf(file);
        if (info["items"].empty())
            continue;
        const fs::path target = folder_ / (one.name + ".abc");
        const auto made = wyc({"convert", file.string(), "-o", target.string(), "--prove"});
        EXPECT_EQ(made.code, 0) << file << "\n" << made.out << made.err;
        if (made.code != 0)
            continue;
        ++proven;
        // What is compared there is the same on both sides.
        const auto compared = wyc({"compare", file.string(), target.string(), "--json"});
        if (compared.code == 2) { // nothing in it that has a shape
            EXPECT_NE(compared.err.find("no item"), std::string::npos) << compared.err;
            continue;
        }
        const json document = compared.json();
        for (const json& pair : document.value("pairs", json::array())) {
            if (!pair.contains("order") || !pair.contains("drift") || pair["drift"].is_null())
                continue; // without points
            ++pairs;
            EXPECT_LE(pair["drift"]["max"].get<double>(), 1e-6) << file << pair["a"];
            EXPECT_TRUE(pair["order"]["same"].get<bool>()) << file << pair["a"];
        }
    }
    EXPECT_GT(proven, 35U);
    EXPECT_GT(pairs, 50U);
}

TEST_F(LayeredScene, LayersOfAnotherUnitAndAxisAreMendedInAJobAndNoLongerFound) {
    const auto layer = [&](const std::string& name, const std::string& unit, const std::string& up) {
        test::writeFile(folder_ / (name + ".usda"), "#usda 1.0\n(\n    metersPerUnit = " + unit + "\n    upAxis = \"" +
                                                        up + "\"\n)\ndef Xform \"" + name +
                                                        "\"\n{\n    def Cube \"c\" {\n    }\n}\n");
    };
    layer("inch", "0.0254", "Y");
    layer("z", "1", "Z");
    const fs::path scene = test::writeFile(
        folder_ / "scene.usda",
        "#usda 1.0\n(\n    metersPerUnit = 1\n    upAxis = \"Y\"\n    subLayers = [@inch.usda@, @z.usda@]\n)\n");
    const std::string job = (folder_ / "layers.wyc").string();
    ASSERT_EQ(wyc({"job", job, "--new", "--add", scene.string()}).code, 0);
    const auto found = [&] {
        std::vector<std::string> ids;
        const json document = wyc({"check", job, "--json"}).json();
        for (const json& finding : document["findings"])
            if (const std::string id = finding["id"]; id.starts_with("layer."))
                ids.push_back(id);
        std::sort(ids.begin(), ids.end());
        return ids;
    };
    EXPECT_EQ(found(), (std::vector<std::string>{"layer.axis", "layer.unit"}));
    ASSERT_EQ(wyc({"job", job, "--mend", "layer.unit", "--mend", "layer.axis"}).code, 0);
    EXPECT_EQ(found(), std::vector<std::string>());
}

} // namespace
} // namespace wyc::usd_test
