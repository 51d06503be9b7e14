// SPDX-License-Identifier: GPL-3.0-or-later
// New points over an asset: a light layer, which shows the asset moving as the cache moves.
#include <gtest/gtest.h>

#include <cstdio>

#include <fmt/format.h>

#include "delivery/delivery.h"
#include "formats/format.h"
#include "formats/usd/compose/stage.h"
#include "plain/plain.h"
#include "support/random_chain.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::test {
namespace usd_overs {

using nlohmann::json;

// A sheet of 5 by 4 points below a group that makes it half as large and moves it, with a material and old normals.
std::string assetText(const std::string& more = {}, const std::string& head = {}) {
    std::string points;
    std::string counts;
    std::string corners;
    for (const Vec3f& p : sheetPoints(5, 4, 0.0))
        points += fmt::format("({}, {}, {}), ", p.x, p.y, p.z);
    const TopologyPtr faces = gridTopology(5, 4);
    for (const std::int32_t size : faces->faceSizes())
        counts += fmt::format("{}, ", size);
    for (const std::int32_t corner : faces->corners())
        corners += fmt::format("{}, ", corner);
    return fmt::format(R"(#usda 1.0
(
    defaultPrim = "shoal"
    metersPerUnit = 1
    upAxis = "Y"
    {}
)
def Xform "shoal"
{{
    double3 xformOp:translate = (3, 0, -1)
    double3 xformOp:scale = (0.5, 0.5, 0.5)
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:scale"]
    def Mesh "sheet" (prepend apiSchemas = ["MaterialBindingAPI"])
    {{
        int[] faceVertexCounts = [{}]
        int[] faceVertexIndices = [{}]
        point3f[] points = [{}]
        normal3f[] normals = [{}] (interpolation = "vertex")
        color3f[] primvars:displayColor = [(1, 0, 0)] (interpolation = "constant")
        rel material:binding = </shoal/looks/silk>
        {}
    }}
    def Scope "looks"
    {{
        def Material "silk"
        {{
            token outputs:surface.connect = </shoal/looks/silk/surface.outputs:surface>
            def Shader "surface"
            {{
                uniform token info:id = "UsdPreviewSurface"
                float inputs:roughness = 0.25
                token outputs:surface
            }}
        }}
    }}
}}
)",
                       head, counts, corners, points, points, more);
}

Scene motion(std::size_t samples = 5) {
    Scene scene;
    scene.rate = scene.view.rate = FrameRate();
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    std::vector<std::vector<Vec3f>> poses;
    for (std::size_t s = 0; s < samples; ++s)
        poses.push_back(sheetPoints(5, 4, static_cast<double>(s)));
    Node& node = addNode(scene, "sheet", -1, NodeKind::Mesh);
    node.geometry = std::make_shared<MemoryGeometry>(Sampling::uniform(42.0, 1.0 / 24.0, samples), gridTopology(5, 4),
                                                     std::move(poses));
    return scene;
}

Result<OutputResult> layOver(const Scene& scene, const fs::path& asset, const fs::path& target) {
    DeliveryInput input;
    input.label = "sheet";
    input.scene = scene;
    input.source = std::make_shared<const Scene>(scene);
    input.provenance = json::object();
    WYC_TRY(outputs,
            planConversion({input}, {target, false, true, {{"layout", "points only"}, {"over", asset.string()}}}));
    return runOutput(outputs.front(), {true, true}, Progress());
}

TEST(UsdOvers, TheAssetMovesAsTheCacheDoes) {
    const TempFolder folder;
    fs::create_directories(folder / "asset");
    fs::create_directories(folder / "shot");
    const fs::path asset = folder / "asset/sheet.usda";
    writeFile(asset, assetText());
    const std::string before = readFile(asset);
    const Scene scene = motion();
    for (const char* name : {"motion.usda", "motion.usdc"}) {
        SCOPED_TRACE(name);
        const fs::path target = folder / "shot" / name;
        const auto done = layOver(scene, asset, target);
        ASSERT_TRUE(done) << done.error().text();
        EXPECT_TRUE(done->proof.passed);
        EXPECT_TRUE(done->proof.sourceCompared);
        const auto stage = usd::ComposedScene::open(target, {});
        ASSERT_TRUE(stage);
        const usd::Prim* prim = (*stage)->prim("/shoal/sheet");
        ASSERT_NE(prim, nullptr);
        const usd::Attribute points = (*stage)->attribute(*prim, "points");
        ASSERT_EQ(points.times().size(), 5U);
        for (std::size_t s = 0; s < 5; ++s) {
            const auto value = points.sample(s);
            const auto numbers = usd::numbersOf(*value);
            const auto wanted = sheetPoints(5, 4, static_cast<double>(s));
            ASSERT_EQ(numbers->size(), wanted.size() * 3);
            for (std::size_t p = 0; p < wanted.size(); ++p) { // half as large, then moved
                EXPECT_NEAR((*numbers)[p * 3] * 0.5 + 3.0, wanted[p].x, 1e-6);
                EXPECT_NEAR((*numbers)[p * 3 + 1] * 0.5, wanted[p].y, 1e-6);
                EXPECT_NEAR((*numbers)[p * 3 + 2] * 0.5 - 1.0, wanted[p].z, 1e-6);
            }
            EXPECT_NEAR(points.times()[s], 42.0 * 24.0 + static_cast<double>(s), 1e-9);
        }
        EXPECT_FALSE((*stage)->attribute(*prim, "normals").hasValue()) << "they are those of other points";
        EXPECT_EQ((*stage)->targets(*prim, "material:binding").size(), 1U);
        EXPECT_TRUE((*stage)->attribute(*prim, "primvars:displayColor").hasValue());
        // The layer itself has fields of motion alone.
        const auto bytes = usd::Bytes::ofFile(target);
        const auto layer = usd::openLayer(*bytes);
        ASSERT_TRUE(layer);
        const usd::PrimSpec* own = (*layer)->root->children.front()->children.front().get();
        for (const usd::PropertySpec& property : own->properties)
            EXPECT_TRUE(property.name == "points" || property.name == "extent" || property.name == "normals")
                << property.name;
        EXPECT_EQ(readFile(asset), before);
        const auto again = proveFromRecord(target, done->record, Progress());
        ASSERT_TRUE(again);
        EXPECT_TRUE(again->passed) << again->words();
    }
    // The asset is given another shape: that is no longer what was proven.
    std::string wider = assetText();
    wider.replace(wider.find("0.25"), 4, "0.75");
    writeFile(asset, wider);
    const auto after =
        proveFromRecord(folder / "shot/motion.usda", folder / "shot/motion.usda.record.json", Progress());
    EXPECT_TRUE(!after || !after->passed);
}

TEST(UsdOvers, WhatStandsInTheWayIsSaid) {
    const TempFolder folder;
    const fs::path asset = folder / "sheet.usda";
    const fs::path target = folder / "motion.usdc";
    const auto refusal = [&](const Scene& scene, const std::string& text, const fs::path& to, const char* words) {
        writeFile(asset, text);
        const auto done = layOver(scene, asset, to);
        EXPECT_FALSE(done) << words;
        if (!done) {
            EXPECT_NE(done.error().text().find(words), std::string::npos) << done.error().text();
            EXPECT_NE(done.error().kind, ErrorKind::Internal) << done.error().text();
        }
        EXPECT_EQ(readFile(asset), text);
        EXPECT_FALSE(fs::exists(target));
    };
    Scene inches = motion();
    inches.unitMetres = 0.0254;
    refusal(inches, assetText(), target, "the new points are in");
    Scene zUp = motion();
    zUp.upAxis = UpAxis::Z;
    refusal(zUp, assetText(), target, "up axis");
    Scene smaller = motion();
    smaller.nodes[0].geometry = std::make_shared<MemoryGeometry>(
        Sampling::still(), gridTopology(4, 4), std::vector<std::vector<Vec3f>>{sheetPoints(4, 4, 0.0)});
    refusal(smaller, assetText(), target, "other points or faces");
    Scene renamed = smaller;
    renamed.nodes[0].name = "kelp";
    renamed.nodes[0].path = "/kelp";
    refusal(renamed, assetText(), target, "has no shape 'kelp'");
    Scene moving = motion();
    moving.nodes[0].transform = std::make_shared<MemoryTransform>(
        Sampling::uniform(42.0, 1.0 / 24.0, 2), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
        std::vector<std::vector<double>>{{0, 0, 0}, {1, 0, 0}});
    refusal(moving, assetText(), target, "its transforms move");
    std::string turning = assetText();
    const std::string still = "double3 xformOp:translate = (3, 0, -1)";
    turning.replace(turning.find(still), still.size(),
                    "double3 xformOp:translate.timeSamples = { 1: (0, 0, 0), 9: (1, 0, 0) }");
    refusal(motion(), turning, target, "the asset's transforms");
    Scene twice = motion();
    twice.nodes.push_back(twice.nodes[0]);
    twice.nodes[1].name = "other";
    twice.nodes[1].path = "/other";
    twice.nodes[1].id = NodeId::fresh();
    refusal(twice, assetText(), target, "two items are the asset's");
    refusal(motion(), assetText(), asset, "written over the asset itself");
    // An asset that takes in the layer to be: each would take in the other.
    refusal(motion(), assetText({}, "subLayers = [@./motion.usdc@]"), target, "takes in the layer");
    writeFile(folder / "between.usda", "#usda 1.0\n(\n    subLayers = [@./motion.usdc@]\n)\n");
    refusal(motion(), assetText({}, "subLayers = [@./between.usda@]"), target, "takes in the layer");
    refusal(motion(), assetText(), folder / "motion.usdz", "package");
    const auto nowhere = layOver(motion(), folder / "gone.usda", target);
    ASSERT_FALSE(nowhere);
    EXPECT_NE(nowhere.error().text().find("is not there"), std::string::npos) << nowhere.error().text();
}

// Whatever of both states a rate: codes of the asset count as they do below the layer.
TEST(UsdOvers, RatesThatAreNotStatedCountAsTheyDoBelowAnother) {
    const TempFolder folder;
    const fs::path asset = folder / "sheet.usda";
    for (const char* assetRate : {"", "timeCodesPerSecond = 30"})
        for (const double rate : {24.0, 25.0})
            for (const bool stated : {true, false}) {
                SCOPED_TRACE(fmt::format("{} {} {}", assetRate, rate, stated));
                writeFile(asset, assetText("double moving.timeSamples = { 1: 0, 9: 1 }", assetRate));
                Scene scene = motion();
                scene.view.rate = FrameRate::nearest(rate).value();
                scene.rate = stated ? std::optional(scene.view.rate) : std::nullopt;
                const auto done = layOver(scene, asset, folder / "motion.usdc");
                EXPECT_TRUE(done) << done.error().text();
            }
}

TEST(UsdOvers, NormalsOfCornersDoNotGoOnFacesWalkedTheOtherWay) {
    const TempFolder folder;
    const fs::path asset = folder / "sheet.usda";
    std::string text = assetText("uniform token orientation = \"leftHanded\"");
    // As the asset is read: each face from its first corner on backwards.
    writeFile(asset, text);
    const auto read = openFile(asset);
    ASSERT_TRUE(read);
    Scene scene = motion();
    for (const Node& node : read->nodes)
        if (node.geometry)
            scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(
                Sampling::uniform(42.0, 1.0 / 24.0, 2), *node.geometry->topology(0),
                std::vector<std::vector<Vec3f>>{sheetPoints(5, 4, 0.0), sheetPoints(5, 4, 1.0)});
    std::vector<float> normals;
    const std::size_t corners = (*scene.nodes[0].geometry->topology(0))->cornerCount();
    for (std::size_t i = 0; i < corners; ++i)
        normals.insert(normals.end(), {0.0F, i % 2 ? 1.0F : 0.0F, i % 2 ? 0.0F : 1.0F});
    PropertyNode property =
        plainProperty(Meaning::Normals, "N", stillValues(ValueType::Float, 3, true, normals), SpaceRole::Normal);
    property.scope = Scope::Corner;
    scene.nodes[0].properties = plainProperties({property});
    // At the asset's own place, so that nothing else keeps them from going along.
    const std::string place = "uniform token[] xformOpOrder = [\"xformOp:translate\", \"xformOp:scale\"]";
    text.erase(text.find(place), place.size());
    writeFile(asset, text);
    const auto done = layOver(scene, asset, folder / "motion.usda");
    ASSERT_TRUE(done) << done.error().text();
    const auto stage = usd::ComposedScene::open(folder / "motion.usda", {});
    EXPECT_FALSE((*stage)->attribute(*(*stage)->prim("/shoal/sheet"), "normals").hasValue());
}

// Random motion over random assets: under still transforms, mirrored and stretched, in all encodings, at other rates,
// beside other things that move. World points, worked out plainly, are those of the cache.
TEST(UsdOvers, AnyMotionOverAnyAssetIsProvenAndStandsWhereItStood) {
    const TempFolder folder;
    fs::create_directories(folder / "shot");
    int proven = 0;
    for (int round = firstCase(); round < firstCase() + casesAsked(150); ++round) {
        auto it = randomCase(static_cast<unsigned>(round) * 15485863U + 9U, 3);
        if (!it)
            continue;
        SCOPED_TRACE(fmt::format("case {}: {}", round, toJson(it->chain).dump()));
        Random r(static_cast<unsigned>(round) * 77U + 1U);
        const auto one = [&](int below) { return static_cast<std::size_t>(r.whole(0, below - 1)); };
        if (r.chance(80))
            it->chain.push_back({"world", json::object(), true});
        const auto result = applySteps(it->source, it->chain);
        ASSERT_TRUE(result) << result.error().text();
        std::vector<std::size_t> shapes;
        for (std::size_t i = 0; i < result->nodes.size(); ++i)
            if (const Node& n = result->nodes[i]; n.geometry && n.is().points && n.kind != NodeKind::Instancer)
                shapes.push_back(i);
        if (shapes.empty())
            continue;
        const auto chosen = selectedItems(*result, {result->nodes[shapes[one(static_cast<int>(shapes.size()))]].path});
        ASSERT_TRUE(chosen);
        std::size_t own = chosen->nodes.size();
        while (!chosen->nodes[--own].geometry || chosen->nodes[own].kind == NodeKind::Instancer)
            ;
        const Node& cache = chosen->nodes[own];

        Scene asset;
        asset.rate = asset.view.rate = FrameRate::nearest(std::array{24.0, 25.0, 30.0}[one(3)]).value();
        asset.unitMetres = chosen->unitMetres;
        asset.upAxis = chosen->upAxis;
        const Mat4 place = Mat4::scaling({r.real(0.5, 2.0) * (r.chance(30) ? -1.0 : 1.0), r.real(0.5, 2.0), 1.5}) *
                           Mat4::translation({r.real(-3.0, 3.0), 1.0, 2.0});
        addNode(asset, "group", -1, NodeKind::Transform).transform =
            MemoryTransform::fixed(r.chance(70) ? place : Mat4());
        Node& shape = addNode(asset, r.chance(80) ? cache.name : "renamed", 0, cache.kind);
        std::vector<Vec3f> pose(*cache.geometry->pointCount(0));
        ASSERT_TRUE(cache.geometry->readRange(0, 0, pose));
        for (Vec3f& p : pose)
            p.x += 1.0F;
        shape.geometry = std::make_shared<MemoryGeometry>(Sampling::still(), *cache.geometry->topology(0),
                                                          std::vector<std::vector<Vec3f>>{pose});
        shape.properties = cache.properties;
        const std::string path = shape.path;
        addNode(asset, "beside", -1, NodeKind::Transform).transform = std::make_shared<MemoryTransform>(
            Sampling::uniform(40.0, 0.1, 2), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
            std::vector<std::vector<double>>{{0, 0, 0}, {1, 0, 0}});
        const fs::path assetFile = folder / std::array{"asset.usda", "asset.usdc", "asset.usdz"}[one(3)];
        DeliveryInput whole;
        whole.scene = asset;
        whole.provenance = json::object();
        const auto written = planConversion({whole}, {assetFile, false, true});
        if (!written || !runOutput(written->front(), {false, false}, Progress()))
            continue;

        DeliveryInput input;
        input.label = "motion";
        input.scene = *chosen;
        input.source = std::make_shared<const Scene>(it->source);
        input.steps = it->chain;
        input.provenance = json::object();
        const fs::path target = folder / "shot" / std::array{"m.usda", "m.usdc"}[one(2)];
        const auto outputs =
            planConversion({input}, {target, false, true, {{"layout", "points only"}, {"over", assetFile.string()}}});
        if (!outputs) {
            EXPECT_NE(outputs.error().kind, ErrorKind::Internal) << outputs.error().text();
            continue;
        }
        const auto done = runOutput(outputs->front(), {true, true}, Progress());
        ASSERT_TRUE(done) << done.error().text();
        ++proven;
        const auto back = openFile(target);
        ASSERT_TRUE(back) << back.error().text();
        std::size_t there = 0;
        while (back->nodes[there].path != path)
            ASSERT_LT(++there, back->nodes.size());
        const Geometry& shown = *back->nodes[there].geometry;
        for (std::size_t s = 0; s < cache.geometry->sampling().count(); ++s) {
            const double t = cache.geometry->sampling().time(s);
            std::vector<Vec3f> a(*cache.geometry->pointCount(s));
            std::vector<Vec3f> b(*shown.pointCountAt(t));
            ASSERT_EQ(a.size(), b.size());
            ASSERT_TRUE(cache.geometry->readRange(s, 0, a));
            ASSERT_TRUE(shown.readAt(t, 0, b));
            const auto from = plainWorld(*chosen, own, t);
            const auto to = plainWorld(*back, there, t);
            double worst = 0.0;
            double size = 1.0;
            for (std::size_t p = 0; p < a.size(); ++p) {
                const Vec3d x = transformedPoint(Vec3d{a[p].x, a[p].y, a[p].z}, *from);
                const Vec3d y = transformedPoint(Vec3d{b[p].x, b[p].y, b[p].z}, *to);
                worst = std::max({worst, std::abs(x.x - y.x), std::abs(x.y - y.y), std::abs(x.z - y.z)});
                size = std::max({size, std::abs(x.x), std::abs(x.y), std::abs(x.z)});
            }
            ASSERT_LE(worst, 3e-6 * size) << "sample " << s;
        }
    }
    std::printf("%d proven\n", proven);
    EXPECT_GT(proven, casesAsked(150) / 4);
}

} // namespace usd_overs
} // namespace wyc::test
