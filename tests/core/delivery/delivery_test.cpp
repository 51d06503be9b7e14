// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <atomic>

#include <unistd.h>

#include <nlohmann/json.hpp>

#include "demo/lantern_shoal.h"
#include "job/job.h"
#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::delivery_test {
namespace {

using test::TempFolder;

DeliveryInput inputOf(Scene scene, const std::string& name = "sheet") {
    DeliveryInput input;
    input.label = name + ".mdd/" + name;
    input.itemName = name;
    input.scene = std::move(scene);
    input.provenance = {{"source", name + ".mdd"}};
    return input;
}

Shot sheetShot() {
    Shot shot;
    shot.name = "sh040";
    shot.range = FrameRange{1005, 1020};
    shot.handles = 2;
    shot.rate = FrameRate();
    shot.unitMetres = 1.0;
    return shot;
}

DeliverySpec specFor(const TempFolder& folder, const std::string& format = "alembic") {
    DeliverySpec spec;
    spec.format = format;
    spec.folder = folder.path();
    return spec;
}

TEST(Names, TemplatesAreFilled) {
    EXPECT_EQ(*nameFromTemplate("{shot}_{item}_v{version}", {"sh040", "jelly", "", "", 4}), "sh040_jelly_v004");
    EXPECT_EQ(*nameFromTemplate("{item}", {"", "a/b", "", "", 1}), "a_b");
    EXPECT_EQ(*nameFromTemplate("{shot}", {"", "x", "", "", 1}), "shot");
    EXPECT_EQ(*nameFromTemplate("{parent}-{path}", {"", "x", "rig", "/rig/x", 1}), "rig-rig_x");
    EXPECT_FALSE(nameFromTemplate("{artist}", {"s", "i", "", "", 1}));
}

TEST(Plan, ShotWithHandlesIsTheRange) {
    const TempFolder folder;
    const auto plan = planDelivery({inputOf(test::sheetScene())}, specFor(folder), sheetShot());
    ASSERT_TRUE(plan) << plan.error().text();
    ASSERT_EQ(plan->size(), 1U);
    const PlannedOutput& output = (*plan)[0];
    EXPECT_EQ(output.frames->first, 1003.0);
    EXPECT_EQ(output.frames->last, 1022.0);
    EXPECT_EQ(output.sampleCount, 20U);
    EXPECT_EQ(output.target.filename(), "sh040_sheet_v001.abc");
    EXPECT_GT(output.sizeEstimate, 20U * 30U * 12U);
}

// What is said before writing is what is there afterwards, within a fifth.
TEST(Plan, SizesAreEstimated) {
    test::SheetOptions big;
    big.rows = big.columns = 60;
    for (const char* format : {"alembic", "usd", "mdd", "obj-sequence"})
        for (const bool everything : {false, true}) {
            const TempFolder folder;
            DeliverySpec spec = specFor(folder, format);
            spec.wholeRange = true;
            spec.oneFile = everything;
            if (everything && !formatById(format)->manyItems)
                continue;
            const auto plan =
                planDelivery({inputOf(everything ? demo::lanternShoal() : test::sheetScene(big))}, spec, sheetShot());
            ASSERT_TRUE(plan) << plan.error().text();
            const auto result = runOutput((*plan)[0], {}, Progress());
            ASSERT_TRUE(result) << result.error().text();
            EXPECT_NEAR(static_cast<double>((*plan)[0].sizeEstimate) / static_cast<double>(result->sizeBytes), 1.0, 0.2)
                << format << everything;
        }
}

TEST(Plan, FirstFrameUnitAxisAndRate) {
    const TempFolder folder;
    DeliverySpec spec = specFor(folder);
    spec.firstFrame = 1.0;
    spec.handles = 0.0;
    spec.unitMetres = 0.01;
    spec.upAxis = UpAxis::Z;
    const auto plan = planDelivery({inputOf(test::sheetScene())}, spec, sheetShot());
    ASSERT_TRUE(plan);
    EXPECT_EQ((*plan)[0].frames->first, 1.0);
    EXPECT_EQ((*plan)[0].frames->last, 16.0);
    const Vec3f before = test::pointsOf(test::shapeOf(test::sheetScene()), 4)[7];
    const Vec3f after = test::pointsOf(test::shapeOf((*plan)[0].scene), 0)[7];
    EXPECT_EQ(after, (Vec3f{before.x * 100.0F, -before.z * 100.0F, before.y * 100.0F}));
    spec.rate = *FrameRate::make(48, 1);
    spec.wholeRange = true;
    spec.firstFrame.reset();
    const auto doubled = planDelivery({inputOf(test::sheetScene())}, spec, sheetShot());
    EXPECT_EQ((*doubled)[0].sampleCount, 47U);
    EXPECT_EQ((*doubled)[0].rate.text(), "48");
}

TEST(Plan, TheRangeCountsInFramesOfTheShotWhateverTheRate) {
    const TempFolder folder;
    DeliverySpec spec = specFor(folder);
    spec.rate = *FrameRate::make(48, 1); // away from the shot's 24: cut first
    const auto away = planDelivery({inputOf(test::sheetScene())}, spec, sheetShot());
    ASSERT_TRUE(away) << away.error().text();
    EXPECT_EQ((*away)[0].frames->first, 2006.0);
    EXPECT_EQ((*away)[0].frames->last, 2044.0);
    spec.firstFrame = 1.0;
    EXPECT_EQ((*planDelivery({inputOf(test::sheetScene())}, spec, sheetShot()))[0].frames->first, 1.0);
    test::SheetOptions fast; // 48 frames a second, brought to the shot's 24: cut afterwards
    fast.rate = *FrameRate::make(48, 1);
    fast.first = 2000;
    fast.count = 60;
    spec.rate = FrameRate();
    spec.firstFrame.reset();
    const auto towards = planDelivery({inputOf(test::sheetScene(fast))}, spec, sheetShot());
    ASSERT_TRUE(towards) << towards.error().text();
    EXPECT_EQ((*towards)[0].frames->first, 1003.0);
    EXPECT_EQ((*towards)[0].frames->last, 1022.0);
}

TEST(Plan, TheNextFreeVersionAndNeverAReplacement) {
    const TempFolder folder;
    test::writeFile(folder / "sh040_sheet_v001.abc", "mine");
    test::writeFile(folder / "sh040_sheet_v002.abc.record.json", "{}");
    const auto plan = planDelivery({inputOf(test::sheetScene())}, specFor(folder), sheetShot());
    EXPECT_EQ((*plan)[0].target.filename(), "sh040_sheet_v003.abc");
    DeliverySpec fixed = specFor(folder);
    fixed.nameTemplate = "{item}";
    test::writeFile(folder / "sheet.abc", "mine");
    const auto refused = planDelivery({inputOf(test::sheetScene())}, fixed, sheetShot());
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().kind, ErrorKind::Exists);
    // Nor is what is no delivery of the same item, even when asked to.
    fixed.replace = true;
    EXPECT_FALSE(planDelivery({inputOf(test::sheetScene())}, fixed, sheetShot()));
    fs::remove(folder / "sheet.abc");
    const auto first = planDelivery({inputOf(test::sheetScene())}, fixed, sheetShot());
    ASSERT_TRUE(first);
    ASSERT_TRUE(runOutput((*first)[0], {}, Progress()));
    EXPECT_TRUE(planDelivery({inputOf(test::sheetScene())}, fixed, sheetShot()));
    const std::string record = test::readFile(folder / "sheet.abc.record.json");
    for (const char* odd : {"", "[]", R"({"made_from": 3})", R"({"made_from": [{"source": 7, "item": []}]})"}) {
        test::writeFile(folder / "sheet.abc.record.json", odd);
        EXPECT_FALSE(planDelivery({inputOf(test::sheetScene())}, fixed, sheetShot())) << odd;
    }
    test::writeFile(folder / "sheet.abc.record.json", record);
    EXPECT_TRUE(planDelivery({inputOf(test::sheetScene())}, fixed, sheetShot()));
    DeliveryInput other = inputOf(test::sheetScene());
    other.provenance["item"] = "/elsewhere/sheet";
    EXPECT_FALSE(planDelivery({other}, fixed, sheetShot()));
}

TEST(Plan, TwoItemsOfOneNameDoNotCollide) {
    const TempFolder folder;
    // Two versions of one thing would be the end of both: names that are one are refused.
    EXPECT_FALSE(
        planDelivery({inputOf(test::sheetScene()), inputOf(test::sheetScene())}, specFor(folder), sheetShot()));
    const std::vector<NamedItem> items{{"body", "/left/body", "rig"},  {"body", "/right/body", "rig"},
                                       {"head", "/head", "rig"},       {"cloth", "/a/x/cloth", "one"},
                                       {"cloth", "/b/x/cloth", "one"}, {"sand", "/sand", "one"},
                                       {"sand", "/sand", "two"}};
    const std::vector<std::string> names{"left_body", "right_body", "head",    "a_x_cloth",
                                         "b_x_cloth", "one_sand",   "two_sand"};
    EXPECT_EQ(uniqueNames(items), names);
    DeliverySpec fixed = specFor(folder);
    fixed.nameTemplate = "{shot}";
    EXPECT_FALSE(planDelivery({inputOf(test::sheetScene()), inputOf(test::sheetScene())}, fixed, sheetShot()));
    EXPECT_FALSE(planDelivery({}, specFor(folder), sheetShot()));
    EXPECT_FALSE(planDelivery({inputOf(test::sheetScene())}, specFor(folder, "clay tablet"), sheetShot()));
}

TEST(Losses, AreTheDifferenceToWhatTheFormatCarries) {
    Scene scene = test::sheetScene();
    test::OnMesh extras;
    extras.uvs = {Scope::Corner, 2, {0, 0}, std::vector<std::int32_t>(80, 0)};
    extras.normals = {Scope::Point, 3, std::vector<float>(90), {}};
    extras.colours = {Scope::Point, 3, std::vector<float>(90), {}};
    extras.faceSets = {{FaceSet::Kind::Group, "g", {0}}, {FaceSet::Kind::Material, "m", {1}}};
    test::setMesh(scene.nodes[0], Sampling::uniform(0, 0.03, 2), test::gridTopology(6, 5),
                  std::vector<std::vector<Vec3f>>(2, test::sheetPoints(6, 5, 0)), extras);
    scene.unitMetres = 1.0;
    const auto words = [&](const char* format) {
        std::string text;
        for (const Loss& loss : lossesOf(scene, *formatById(format)))
            text += loss.what + "; ";
        return text;
    };
    EXPECT_EQ(words("alembic").find("UVs"), std::string::npos);
    EXPECT_EQ(words("alembic").find("colours"), std::string::npos);
    EXPECT_EQ(words("alembic").find("face group"), std::string::npos); // they become face sets
    EXPECT_NE(words("alembic").find("1 material"), std::string::npos);
    EXPECT_NE(words("mdd").find("normals"), std::string::npos);
    EXPECT_EQ(words("mdd").find("UVs"), std::string::npos); // the rest mesh beside it has them
    EXPECT_NE(words("mdd").find("unit"), std::string::npos);
    EXPECT_NE(words("obj-sequence").find("samples between frames"), std::string::npos);
    EXPECT_NE(words("obj").find("all but the first of 2 samples"), std::string::npos);
    const Scene sub = demo::surveySub();
    std::size_t placements = 0;
    for (const Loss& loss : lossesOf(sub, *formatById("mdd")))
        placements += loss.what.find("its transform") != std::string::npos;
    EXPECT_EQ(placements, 14U);
}

struct FormatCase {
    const char* id;
    std::size_t files; // beside the record
};
class EveryFormat : public testing::TestWithParam<FormatCase> {};

TEST_P(EveryFormat, DeliversProvesAndRecords) {
    const TempFolder folder;
    auto plan = planDelivery({inputOf(test::sheetScene())}, specFor(folder, GetParam().id), sheetShot());
    ASSERT_TRUE(plan) << plan.error().text();
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_TRUE(result->proof.passed) << result->proof.words();
    EXPECT_EQ(result->proof.items[0].largestDrift, 0.0);
    EXPECT_EQ(result->proof.items[0].samples, 20U);
    EXPECT_EQ(result->proof.items[0].first, 1003.0);
    EXPECT_EQ(result->files.size(), GetParam().files + 1);
    for (const fs::path& file : result->files)
        EXPECT_TRUE(fs::exists(file)) << file;
    // The record alone proves it again; a changed byte, or another file, does not pass.
    const auto again = proveFromRecord(result->target, result->record, Progress());
    ASSERT_TRUE(again) << again.error().text();
    EXPECT_TRUE(again->passed) << again->words();
    const auto record = test::readJson(result->record);
    EXPECT_EQ(record["wychronos_record"], 4);
    EXPECT_EQ(record["made_from"][0]["source"], "sheet.mdd");
    EXPECT_EQ(record["items"][0]["sample_xxh3"].size(), 20U);
    EXPECT_EQ(record["proof"]["passed"], true);
    auto other = planDelivery({inputOf(*applySteps(test::sheetScene(), {Step{"scale", {{"factor", 1.0001}}, true}}))},
                              specFor(folder, GetParam().id), sheetShot());
    const auto wrong = runOutput((*other)[0], {}, Progress());
    ASSERT_TRUE(wrong);
    EXPECT_NE(wrong->target, result->target);
    const auto mixed = proveFromRecord(wrong->target, result->record, Progress());
    EXPECT_TRUE(!mixed || !mixed->passed);
    // Nothing temporary stays.
    for (const std::string& name : test::namesIn(folder.path()))
        EXPECT_FALSE(isTemporaryName(name)) << name;
}

TEST_P(EveryFormat, CancelAtAnyPollLeavesNothing) {
    for (const int polls : {0, 1, 3, 8, 15, 22, 30}) {
        const TempFolder folder;
        auto plan = planDelivery({inputOf(test::sheetScene())}, specFor(folder, GetParam().id), sheetShot());
        auto token = std::make_shared<CancelToken>();
        std::atomic<int> seen{0};
        if (polls == 0)
            token->cancel();
        const Progress progress(
            [&](const ProgressReport&) {
                if (++seen == polls)
                    token->cancel();
            },
            token);
        const auto result = runOutput((*plan)[0], {}, progress);
        if (result)
            continue; // it was over before
        EXPECT_EQ(result.error().kind, ErrorKind::Cancelled) << result.error().text();
        EXPECT_TRUE(test::namesIn(folder.path()).empty()) << polls;
    }
}

TEST_P(EveryFormat, AnUnreadableSampleLeavesNothing) {
    class Broken final : public GeometryWrapper {
      public:
        using GeometryWrapper::GeometryWrapper;
        [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
            return s == 10 ? Status(fail(ErrorKind::Changed, "the source changed")) : inner().readRange(s, first, into);
        }
    };
    const TempFolder folder;
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry = std::make_shared<Broken>(scene.nodes[0].geometry);
    auto plan = planDelivery({inputOf(scene)}, specFor(folder, GetParam().id), sheetShot());
    ASSERT_TRUE(plan);
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().what, "the source changed");
    EXPECT_TRUE(test::namesIn(folder.path()).empty());
}

INSTANTIATE_TEST_SUITE_P(Formats, EveryFormat,
                         testing::Values(FormatCase{"alembic", 1}, FormatCase{"usd", 1}, FormatCase{"mdd", 2},
                                         FormatCase{"obj-sequence", 20}),
                         [](const auto& given) {
                             return std::string(given.param.id) == "obj-sequence" ? std::string("objSequence")
                                                                                  : std::string(given.param.id);
                         });

TEST(Run, ATargetThatAppearsInBetweenIsNotReplaced) {
    const TempFolder folder;
    auto plan = planDelivery({inputOf(test::sheetScene())}, specFor(folder), sheetShot());
    test::writeFile((*plan)[0].target, "somebody else's");
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().kind, ErrorKind::Exists);
    EXPECT_EQ(test::readFile((*plan)[0].target), "somebody else's");
    EXPECT_EQ(test::namesIn(folder.path()).size(), 1U);
}

TEST(Run, AFolderWithoutPermissionIsAClearError) {
    if (::getuid() == 0)
        GTEST_SKIP() << "root may write anywhere; a file in the folder's place stands for it below";
    const TempFolder folder;
    fs::permissions(folder.path(), fs::perms::owner_read | fs::perms::owner_exec);
    auto plan = planDelivery({inputOf(test::sheetScene())}, specFor(folder), sheetShot());
    EXPECT_EQ(runOutput((*plan)[0], {}, Progress()).error().kind, ErrorKind::NotWritable);
}

TEST(Run, AFileInTheFoldersPlaceIsAClearError) {
    const TempFolder folder;
    test::writeFile(folder / "delivered", "a file");
    DeliverySpec spec = specFor(folder);
    spec.folder = folder / "delivered";
    auto plan = planDelivery({inputOf(test::sheetScene())}, spec, sheetShot());
    ASSERT_TRUE(plan);
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().kind, ErrorKind::NotWritable);
    EXPECT_EQ(test::readFile(folder / "delivered"), "a file");
}

TEST(Run, FoldersOnTheWayAreMade) {
    const TempFolder folder;
    DeliverySpec spec = specFor(folder, "obj-sequence");
    spec.folder = folder / "new/deep ër";
    auto plan = planDelivery({inputOf(test::sheetScene())}, spec, sheetShot());
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_EQ(result->target.parent_path(), folder / "new/deep ër/sh040_sheet_v001");
    EXPECT_TRUE(fs::exists(result->target.parent_path() / "sh040_sheet_v001.1003.obj"));
}

TEST(Proof, SeesAWrongPointAFaceAndATime) {
    const TempFolder folder;
    const Scene meant = test::sheetScene();
    PlannedOutput output;
    output.format = *chosenAs(*formatById("alembic"));
    output.rate = FrameRate();
    const fs::path path = folder / "a.abc";
    const auto judge = [&](const Scene& written) {
        EXPECT_TRUE(test::writeScene(written, path));
        return proveAgainst(meant, output, path, Progress());
    };
    EXPECT_TRUE(judge(meant)->passed);
    test::SheetOptions off;
    off.plant = [](double frame, std::vector<Vec3f>& points) {
        if (frame == 1013)
            points[22].z += 0.002F;
    };
    const auto drifted = judge(test::sheetScene(off));
    EXPECT_FALSE(drifted->passed);
    EXPECT_NEAR(drifted->largestDriftMetres(), 0.002, 1e-6);
    EXPECT_EQ(drifted->items[0].worstFrame, 1013.0);
    EXPECT_EQ(drifted->items[0].worstPoint, 22U);
    test::SheetOptions late;
    late.first = 1002;
    late.pose = [](double frame) { return frame - 1; };
    EXPECT_NE(judge(test::sheetScene(late))->words().find("meant for frame 1001"), std::string::npos);
    test::SheetOptions few;
    few.count = 23;
    EXPECT_NE(judge(test::sheetScene(few))->words().find("24 samples were meant, 23"), std::string::npos);
    test::SheetOptions otherFaces;
    otherFaces.rows = 5;
    otherFaces.columns = 6;
    EXPECT_FALSE(judge(test::sheetScene(otherFaces))->passed);
    test::SheetOptions renamed;
    renamed.name = "somebody";
    EXPECT_NE(judge(test::sheetScene(renamed))->words().find("not in what was written"), std::string::npos);
    Scene placed = meant;
    placed.nodes[0].transform = MemoryTransform::fixed(Mat4::translation({0, 0.5, 0}));
    EXPECT_FALSE(judge(placed)->passed);
}

TEST(Proof, ARecordThatIsNoneIsRefused) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "a.abc"));
    for (const char* bad : {"", "{}", "[]", R"({"wychronos_record": 1})",
                            R"({"wychronos_record": 1, "format": "alembic", "items": [{}]})",
                            R"({"wychronos_record": 1, "format": "clay", "items": []})"}) {
        test::writeFile(folder / "r.json", bad);
        EXPECT_FALSE(proveFromRecord(folder / "a.abc", folder / "r.json", Progress())) << bad;
    }
    test::writeFile(folder / "r.json", R"({"wychronos_record": 1, "format": "alembic", "items": []})");
    EXPECT_FALSE(
        proveFromRecord(folder / "a.abc", folder / "r.json", Progress())->passed); // nothing proven is not proof
}

TEST(Merged, ItemsOfOneSourceSayTheSameOnce) {
    Scene scene = test::sheetScene();
    scene.materials = {colourMaterial("kelp", {{0, 1, 0}, "", {}}),
                       colourMaterial("sand", {{}, "sand.png", "sand.png"})};
    scene.report.notCarried = {{"", "smoothing groups"}, {"/sheet", "polylines"}};
    Scene other = scene;
    other.nodes[0].name = "other";
    other.nodes[0].path = "/other";
    other.report.notCarried.push_back({"/other", "polylines"});
    other.materials.push_back(colourMaterial("sand", {{}, "other.png", "other.png"}));
    const Scene all = mergedScenes({scene, other, scene});
    EXPECT_EQ(all.materials.size(), 3U);
    EXPECT_EQ(all.report.notCarried.size(), 3U);
    ASSERT_EQ(all.nodes.size(), 3U);
    EXPECT_EQ(all.nodes[2].path, "/sheet_2"); // a clash is numbered
}

TEST(Merged, SharedParentsStayOneAndClashesGetANumber) {
    const Scene sub = demo::surveySub();
    const Scene merged =
        mergedScenes({*selectedItems(sub, {"hull"}), *selectedItems(sub, {"gripper"}), *selectedItems(sub, {"hull"})});
    std::vector<std::string> paths;
    for (const Node& node : merged.nodes)
        if (node.geometry)
            paths.push_back(node.path);
    EXPECT_EQ(paths,
              (std::vector<std::string>{"/survey_sub/hull", "/survey_sub/arm_shoulder/arm_elbow/gripper_place/gripper",
                                        "/survey_sub/hull_2"}));
    EXPECT_EQ(merged.childrenOf(-1).size(), 1U);
    const TempFolder folder;
    DeliverySpec spec = specFor(folder);
    spec.oneFile = true;
    spec.wholeRange = true;
    auto plan = planDelivery(
        {inputOf(*selectedItems(sub, {"hull"}), "hull"), inputOf(*selectedItems(sub, {"gripper"}), "gripper")}, spec,
        demo::demoShot());
    ASSERT_TRUE(plan);
    ASSERT_EQ(plan->size(), 1U);
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_EQ(result->proof.itemCount(), 2U);
}

TEST(RestMesh, GoesBesideAPointCacheInThePoseItCameWith) {
    const TempFolder folder;
    test::SheetOptions still;
    still.count = 1;
    still.pose = [](double) { return -77.0; };
    DeliveryInput input = inputOf(test::sheetScene());
    Node mesh = test::sheetScene(still).nodes[0];
    test::OnMesh on;
    on.normals = {Scope::Point, 3, std::vector<float>(90, 0.577F), {}};
    test::setLayers(mesh, Sampling::still(), {on});
    input.rest = std::make_shared<const Node>(mesh);
    auto plan = planDelivery({input}, specFor(folder, "mdd"), sheetShot());
    const auto result = runOutput((*plan)[0], {}, Progress());
    ASSERT_TRUE(result) << result.error().text();
    const auto rest = test::openFile(folder / "sh040_sheet_v001_rest.obj");
    ASSERT_TRUE(rest);
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(*rest), 0), test::pointsOf(*input.rest->geometry, 0)));
    EXPECT_EQ(test::onMesh(rest->nodes[0], 0).normals.valueCount(), 30U);
}

} // namespace
} // namespace wyc::delivery_test
