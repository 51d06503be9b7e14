// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "gather/source.h"
#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::gather_test {
namespace {

using test::TempFolder;
using test::writeFile;

FileGroups group(const std::vector<std::string>& names) {
    return groupFiles("/x", names);
}

TEST(Sequences, AConstantNumberIsNoFrameNumber) {
    const auto groups = group({"v002_jelly.1001.obj", "v002_jelly.1002.obj", "v002_jelly.1003.obj", "alone_42.obj"});
    ASSERT_EQ(groups.sequences.size(), 1U);
    EXPECT_EQ(groups.sequences[0].pattern, "v002_jelly.####.obj");
    EXPECT_EQ(groups.sequences[0].name, "v002_jelly");
    ASSERT_EQ(groups.singles.size(), 1U);
}

TEST(Sequences, TwoRunsWithTwoNumbersEach) {
    const auto groups = group({"a1_f01.obj", "a1_f02.obj", "a2_f01.obj", "a2_f02.obj"});
    ASSERT_EQ(groups.sequences.size(), 2U);
    EXPECT_EQ(groups.sequences[0].pattern, "a1_f##.obj");
    EXPECT_EQ(groups.sequences[1].pattern, "a2_f##.obj");
}

TEST(Sequences, TheNumberMayStandInside) {
    const auto groups = group({"bell_0012_final.obj", "bell_0013_final.obj"});
    ASSERT_EQ(groups.sequences.size(), 1U);
    EXPECT_EQ(groups.sequences[0].pattern, "bell_####_final.obj");
    EXPECT_EQ(groups.sequences[0].name, "bell_final");
}

TEST(Sequences, SignsOnlyWhereTheyAreSigns) {
    const auto negative = group({"f.-2.obj", "f.-1.obj", "f.0.obj", "f.1.obj"});
    ASSERT_EQ(negative.sequences.size(), 1U);
    EXPECT_EQ(negative.sequences[0].files.front().frame, -2.0);
    const auto dashed = group({"jelly-001.obj", "jelly-002.obj"});
    ASSERT_EQ(dashed.sequences.size(), 1U);
    EXPECT_EQ(dashed.sequences[0].files.front().frame, 1.0);
}

TEST(Sequences, GapsDoublesStepsAndPaddings) {
    const auto gap = group({"f.1.obj", "f.2.obj", "f.5.obj", "f.6.obj", "f.8.obj"}).sequences[0];
    ASSERT_EQ(gap.missing.size(), 2U);
    EXPECT_EQ(gap.missing[0].first, 3.0);
    EXPECT_EQ(gap.missing[0].last, 4.0);
    EXPECT_EQ(gap.missing[1].first, 7.0);
    const auto step = group({"f.10.obj", "f.12.obj", "f.14.obj", "f.18.obj"}).sequences[0];
    EXPECT_EQ(step.step, 2.0);
    ASSERT_EQ(step.missing.size(), 1U);
    EXPECT_EQ(step.missing[0].first, 16.0);
    const auto doubled = group({"f.005.obj", "f.006.obj", "f.6.obj", "f.007.obj"}).sequences[0];
    ASSERT_EQ(doubled.doubled.size(), 1U);
    EXPECT_EQ(doubled.doubled[0].used.filename(), "f.006.obj");
    EXPECT_EQ(doubled.files.size(), 3U);
    EXPECT_TRUE(doubled.mixedPadding());
    EXPECT_FALSE(group({"f.8.obj", "f.9.obj", "f.10.obj"}).sequences[0].mixedPadding());
    EXPECT_TRUE(group({"f8.obj", "f9.obj", "f0010.obj"}).sequences[0].mixedPadding());
}

TEST(Sequences, PartsOfAFrameAreOneSequence) {
    const auto frames = [](const FileSequence& sequence) {
        std::vector<double> result;
        for (const SequenceFile& file : sequence.files)
            result.push_back(file.frame);
        return result;
    };
    const auto quarters = group({"cloth.1001.00.obj", "cloth.1001.25.obj", "cloth.1001.50.obj", "cloth.1001.75.obj",
                                 "cloth.1002.00.obj", "cloth.1002.50.obj", "cloth.1003.00.obj"});
    ASSERT_EQ(quarters.sequences.size(), 1U);
    EXPECT_EQ(quarters.sequences[0].pattern, "cloth.####.##.obj");
    EXPECT_EQ(quarters.sequences[0].name, "cloth");
    EXPECT_EQ(frames(quarters.sequences[0]), (std::vector<double>{1001, 1001.25, 1001.5, 1001.75, 1002, 1002.5, 1003}));
    // Whole frames without a fraction, and thirds, which no digits say.
    const auto mixed = group({"s_v002.9.obj", "s_v002.9.333.obj", "s_v002.9.667.obj", "s_v002.10.obj"});
    ASSERT_EQ(mixed.sequences.size(), 1U);
    EXPECT_EQ(frames(mixed.sequences[0]), (std::vector<double>{9, 9 + 1 / 3.0, 9 + 2 / 3.0, 10}));
    EXPECT_TRUE(quarters.singles.empty() && mixed.singles.empty());
    // Pieces with two numbers, tiles and versions are none.
    for (const std::vector<std::string>& names :
         {std::vector<std::string>{"tile.1.1.obj", "tile.1.2.obj", "tile.2.1.obj", "tile.2.2.obj"},
          {"p.0.0.obj", "p.0.1.obj", "p.1.0.obj", "p.1.1.obj"},
          {"c010.1001.obj", "c010.1002.obj", "c020.1001.obj", "c020.1002.obj"},
          {"m.0001.00.obj", "m.0001.25.obj", "m.0002.00.obj", "m.0002.75.obj"}})
        for (const FileSequence& sequence : group(names).sequences)
            EXPECT_EQ(sequence.pattern.find("#.#"), std::string::npos) << sequence.pattern;
    // By its pattern again, as it is found in the folder.
    test::TempFolder folder;
    for (const char* name : {"cloth.1001.obj", "cloth.1001.5.obj", "cloth.1002.obj", "cloth.1002.5.obj"})
        test::writeFile(folder / name, "v 0 0 0\n");
    const auto found = sequenceOfPattern(folder / "cloth.####.#.obj");
    ASSERT_TRUE(found) << found.error().text();
    EXPECT_EQ(frames(*found), (std::vector<double>{1001, 1001.5, 1002, 1002.5}));
    EXPECT_EQ(found->pattern, "cloth.####.#.obj");
    const auto opened = openSource({folder / "cloth.####.#.obj", {}, {}, true}, FrameRate());
    ASSERT_TRUE(opened) << opened.error().text();
    EXPECT_EQ((*opened)->scene.nodes.front().geometry->sampling().count(), 4U);
    test::writeFile(folder / "tile/t.1.1.obj", "v 0 0 0\n");
    test::writeFile(folder / "tile/t.2.2.obj", "v 0 0 0\n");
    EXPECT_FALSE(sequenceOfPattern(folder / "tile/t.#.#.obj"));
}

TEST(Sequences, NumbersLongerThanThirtyTwoBits) {
    const auto groups = group({"f.20261123000001.obj", "f.20261123000002.obj"});
    ASSERT_EQ(groups.sequences.size(), 1U);
    EXPECT_EQ(groups.sequences[0].files[1].frame - groups.sequences[0].files[0].frame, 1.0);
}

TEST(Sequences, ForeignFoldersGroupAsExpected) {
    for (const char* name : {"jelly_clean", "jelly_gap", "jelly_doubled", "jelly_padding", "frond_negative",
                             "frond_step2", "jelly_beside", "two_in_one", "number_inside"}) {
        const fs::path folder = fs::path(WYC_SHARED_FIXTURES) / "obj" / name;
        if (!fs::exists(folder))
            GTEST_SKIP() << "the shared fixtures are not here";
        SCOPED_TRACE(name);
        const auto expected = test::readJson(folder.parent_path() / (std::string(name) + ".expected.json"));
        std::vector<std::string> objects;
        for (const std::string& file : test::namesIn(folder))
            if (fs::path(file).extension() == ".obj")
                objects.push_back(file);
        const auto groups = groupFiles(folder, objects);
        ASSERT_EQ(groups.sequences.size(), expected["sequences"].size());
        for (std::size_t i = 0; i < groups.sequences.size(); ++i) {
            const auto& wanted = expected["sequences"][i];
            EXPECT_EQ(groups.sequences[i].files.front().frame, wanted["first"].get<double>());
            EXPECT_EQ(groups.sequences[i].files.back().frame, wanted["last"].get<double>());
            EXPECT_EQ(groups.sequences[i].step, wanted["step"].get<double>());
            EXPECT_EQ(groups.sequences[i].digits, wanted["digits"].get<std::vector<std::size_t>>());
            ASSERT_EQ(groups.sequences[i].missing.size(), wanted["missing"].size());
            for (std::size_t m = 0; m < wanted["missing"].size(); ++m)
                EXPECT_EQ(groups.sequences[i].missing[m].first, wanted["missing"][m][0].get<double>());
            EXPECT_EQ(groups.sequences[i].doubled.size(), wanted["doubled_numbers"].size());
        }
        EXPECT_EQ(groups.singles.size(), expected["single_files"].size());
    }
}

TEST(Patterns, NameTheirFiles) {
    const TempFolder folder;
    for (const char* name : {"s.0001.obj", "s.0002.obj", "s.00003.obj", "s.12345.obj", "s.x.obj", "t.0001.obj"})
        writeFile(folder / name, "v 0 0 0\n");
    const auto four = sequenceOfPattern(folder / "s.####.obj");
    ASSERT_TRUE(four);
    EXPECT_EQ(four->files.size(), 3U); // 12345 outgrew the padding; 00003 is another padding
    EXPECT_EQ(sequenceOfPattern(folder / "s.#.obj")->files.size(), 4U);
    EXPECT_FALSE(sequenceOfPattern(folder / "u.####.obj"));
    EXPECT_FALSE(sequenceOfPattern(folder / "s.##.##.obj"));
    EXPECT_FALSE(sequenceOfPattern(folder / "plain.obj"));
}

// A version is another thing, not another frame of it; a # of the name's own is no number.
TEST(Sequences, VersionsAndMarksInNamesAreNoFrames) {
    const TempFolder folder;
    const auto patternsOf = [&](const std::vector<std::string>& names) {
        std::string text;
        const FileGroups groups = groupFiles(folder.path(), names);
        for (const FileSequence& sequence : groups.sequences)
            text += sequence.pattern + " ";
        return text + std::to_string(groups.singles.size());
    };
    EXPECT_EQ(patternsOf({"jelly_v001.obj", "jelly_v002.obj"}), "2");
    EXPECT_EQ(patternsOf({"jelly.v1.obj", "jelly.v2.obj", "jelly-V3.obj"}), "3");
    EXPECT_EQ(patternsOf({"j_v002.0001.obj", "j_v002.0002.obj", "j_v003.0001.obj", "j_v003.0002.obj"}),
              "j_v002.####.obj j_v003.####.obj 0");
    EXPECT_EQ(patternsOf({"wave1.obj", "wave2.obj"}), "wave#.obj 0"); // no separate v
    for (const char* name : {"take#2.0001.obj", "take#2.0002.obj", "tag#.1.obj", "tag#.2.obj"})
        writeFile(folder / name, "v 0 0 0\n");
    EXPECT_EQ(sequenceOfPattern(folder / "take#2.####.obj")->files.size(), 2U);
    EXPECT_EQ(sequenceOfPattern(folder / "tag#.#.obj")->files.size(), 2U);
    writeFile(folder / "plain#3.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
    EXPECT_EQ(formatOfName(folder / "plain#3.obj")->id, "obj"); // it is there: a name
    EXPECT_TRUE(openSource({folder / "plain#3.obj", {}, {}, true}, FrameRate()));
}

TEST(Rest, NamesAreComparedByWords) {
    EXPECT_GT(nameNearness("jelly_pulse", "jelly_rest"), nameNearness("jelly_pulse", "kelp_rest_33"));
    EXPECT_EQ(nameNearness("size_100", "jelly_rest"), 0);
    EXPECT_EQ(nameNearness("Lantern_Jelly", "lantern.jelly.v3"), 2);
    EXPECT_EQ(nameNearness("a_rest_mesh", "b_rest_mesh"), 0); // words that say nothing
}

class RestSearch : public testing::Test {
  protected:
    void SetUp() override {
        for (const char* name : {"jelly_pulse.mdd", "jelly_rest.obj", "kelp_rest_33.obj"})
            fs::copy_file(fs::path(WYC_TEST_DATA) / "mdd" / name, folder_ / name);
    }
    SourcePtr open(const std::string& name) {
        auto source = openSource({folder_ / name, {}, {}, true}, FrameRate());
        EXPECT_TRUE(source) << source.error().text();
        return source ? *source : nullptr;
    }
    TempFolder folder_;
};

TEST_F(RestSearch, TheNearestByNameIsTaken) {
    const auto source = open("jelly_pulse.mdd");
    ASSERT_TRUE(source->restUsed);
    EXPECT_EQ(source->restUsed->filename(), "jelly_rest.obj");
    EXPECT_EQ(source->scene.nodes[0].kind, NodeKind::Mesh);
}

TEST_F(RestSearch, ItAsksWhenTwoFitEquallyWell) {
    fs::rename(folder_ / "jelly_pulse.mdd", folder_ / "cache.mdd");
    const auto source = open("cache.mdd");
    EXPECT_FALSE(source->restUsed);
    EXPECT_EQ(source->restCandidates.size(), 2U);
    ASSERT_FALSE(source->scene.report.remarks.empty());
    EXPECT_EQ(source->scene.report.remarks[0].id, "rest.ambiguous");
    EXPECT_EQ(source->scene.nodes[0].kind, NodeKind::Points);
}

TEST_F(RestSearch, TheOnlyOneThatFitsNeedsNoName) {
    fs::rename(folder_ / "jelly_pulse.mdd", folder_ / "cache.mdd");
    fs::remove(folder_ / "kelp_rest_33.obj");
    EXPECT_EQ(open("cache.mdd")->restUsed->filename(), "jelly_rest.obj");
    fs::remove(folder_ / "jelly_rest.obj");
    EXPECT_EQ(open("cache.mdd")->scene.report.remarks.at(0).id, "rest.none");
}

TEST_F(RestSearch, ItsOwnNameComesFirst) {
    for (const char* name : {"jelly_pulse.obj", "jelly.obj", "pulse_jelly.obj"})
        fs::copy_file(folder_ / "jelly_rest.obj", folder_ / name);
    EXPECT_EQ(open("jelly_pulse.mdd")->restUsed->filename(), "jelly_pulse.obj");
    fs::rename(folder_ / "jelly_pulse.obj", folder_ / "jelly_pulse_rest.obj");
    EXPECT_EQ(open("jelly_pulse.mdd")->restUsed->filename(), "jelly_pulse_rest.obj");
}

// Caches and meshes numbered alike: each cache has the mesh of its number, and the meshes are no sequence.
TEST_F(RestSearch, NumbersTellThemApart) {
    for (const char* number : {"01", "02", "03"}) {
        fs::copy_file(folder_ / "jelly_pulse.mdd", folder_ / (std::string("stone_") + number + ".mdd"));
        fs::copy_file(folder_ / "jelly_rest.obj", folder_ / (std::string("stone_mesh_") + number + ".obj"));
    }
    EXPECT_EQ(open("stone_02.mdd")->restUsed->filename(), "stone_mesh_02.obj");
    const auto gathered = gather({folder_.path()}, false);
    ASSERT_TRUE(gathered);
    for (const SourceSpec& spec : gathered->specs)
        EXPECT_EQ(spec.path.filename().string().find("stone_mesh"), std::string::npos) << spec.path;
}

TEST_F(RestSearch, AMeshThatNearlyFitsOrFitsByCountAloneIsSaid) {
    fs::rename(folder_ / "jelly_pulse.mdd", folder_ / "cache.mdd");
    fs::remove(folder_ / "kelp_rest_33.obj");
    const auto byCount = open("cache.mdd");
    EXPECT_EQ(byCount->scene.report.remarks.at(0).id, "rest.by_count");
    fs::rename(folder_ / "cache.mdd", folder_ / "jelly_pulse.mdd");
    fs::remove(folder_ / "jelly_rest.obj");
    writeFile(folder_ / "jelly_rest.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
    const auto nearly = open("jelly_pulse.mdd");
    EXPECT_EQ(nearly->scene.nodes[0].kind, NodeKind::Points);
    const ReaderRemark& remark = nearly->scene.report.remarks.at(0);
    EXPECT_EQ(remark.id, "rest.nearly_fits");
    EXPECT_NE(remark.text.find("3 points; the cache has 33"), std::string::npos) << remark.text;
}

TEST_F(RestSearch, AWrongMeshIsRefusedAndTheObjectThatFitsIsNamed) {
    SourceSpec spec{folder_ / "jelly_pulse.mdd", fs::path(WYC_TEST_DATA) / "obj/three_objects.obj", {}, true};
    const auto refused = openSource(spec, FrameRate());
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().what.find("33"), std::string::npos);
    EXPECT_NE(refused.error().what.find("77"), std::string::npos);
    EXPECT_NE(refused.error().advice.find("lantern_jelly"), std::string::npos);
    spec.restObject = "lantern_jelly";
    const auto source = openSource(spec, FrameRate());
    ASSERT_TRUE(source) << source.error().text();
    EXPECT_EQ((*source)->scene.nodes[0].kind, NodeKind::Mesh);
}

TEST_F(RestSearch, AFolderIsItsCachesAndTheirMeshesAreNoSources) {
    const auto gathered = gather({folder_.path()}, false);
    ASSERT_TRUE(gathered);
    std::vector<std::string> names;
    for (const SourceSpec& spec : gathered->specs)
        names.push_back(spec.path.filename().string());
    EXPECT_EQ(names, (std::vector<std::string>{"jelly_pulse.mdd", "kelp_rest_33.obj"}));
}

TEST(Gather, AFolderWithOneSequenceIsThatSequence) {
    const TempFolder folder;
    for (const char* name :
         {"j.0101.obj", "j.0102.obj", "j_rest.obj", "notes.txt", ".j.0103.obj.swp", "j.0104.obj.part"})
        writeFile(folder / name, "v 0 0 0\n");
    const auto gathered = gather({folder.path()}, false);
    ASSERT_TRUE(gathered);
    ASSERT_EQ(gathered->specs.size(), 1U);
    EXPECT_EQ(gathered->specs[0].path.filename(), "j.####.obj");
    EXPECT_EQ(gathered->remarks.size(), 2U);
    EXPECT_EQ(gather({folder / "j.0101.obj"}, false)->specs[0].path.filename(), "j.####.obj");
    EXPECT_EQ(gather({folder / "j.0101.obj"}, true)->specs[0].path.filename(), "j.0101.obj");
}

TEST(Gather, SaysWhatIsWrongWithAPath) {
    const TempFolder folder;
    EXPECT_EQ(gather({folder / "none.obj"}, false).error().kind, ErrorKind::NotFound);
    writeFile(folder / "a.txt", "x");
    EXPECT_EQ(gather({folder / "a.txt"}, false).error().kind, ErrorKind::Unsupported);
    EXPECT_EQ(gather({folder.path()}, false).error().kind, ErrorKind::BadInput);
}

TEST(Gather, LeftoversOfAKilledRunAreNoSources) {
    const TempFolder folder;
    writeFile(folder / "a.obj", "v 0 0 0\n");
    writeFile(temporarySibling(folder / "b.obj"), "v 0 0 0\n");
    EXPECT_EQ(gather({folder.path()}, false)->specs.size(), 1U);
}

TEST(Gather, AFolderOfLayersIsWhatNoneOfThemTakesIn) {
    const TempFolder folder;
    const auto layer = [&](const std::string& name, const std::string& header, const std::string& body = {}) {
        writeFile(folder / name, "#usda 1.0\n(\n" + header + ")\n" + body);
    };
    layer("shot.usda", "subLayers = [@./items/cam.usda@]\n",
          "def \"A\" (variants = { string v = \"x\" }\n add variantSets = \"v\")\n{\n variantSet \"v\" = {\n"
          "  \"x\" {\n def \"B\" (payload = @items/kelp.usda@) {}\n }\n"
          "  \"y\" {\n def \"B\" (payload = @items/reed.usda@</R>) {}\n }\n }\n}\n");
    layer("items/cam.usda", "");
    layer("items/kelp.usda", "",
          "over \"K\" (clips = { dictionary default = {\n"
          "string templateAssetPath = \"./clips/k.###.usda\" } }) {}\n");
    layer("items/reed.usda", "");
    layer("items/clips/k.001.usda", "");
    layer("items/clips/k.002.usda", "");
    layer("items/clips/other.usda", "");
    // Two that take in each other, and one that names itself.
    layer("ring_a.usda", "subLayers = [@./ring_b.usda@]\n");
    layer("ring_b.usda", "subLayers = [@./ring_a.usda@, @./ring_b.usda@]\n");
    const auto names = [](const Result<Gathered>& gathered) {
        std::vector<std::string> all;
        for (const SourceSpec& spec : gathered->specs)
            all.push_back(spec.path.filename().string());
        return all;
    };
    const auto gathered = gather({folder.path()}, false);
    EXPECT_EQ(names(gathered), (std::vector<std::string>{"ring_a.usda", "shot.usda", "other.usda"}));
    EXPECT_EQ(gathered->remarks.size(), 6U); // the others, each with a word
    // What is named by itself stays.
    EXPECT_EQ(names(gather({folder / "shot.usda", folder / "items/cam.usda"}, false)),
              (std::vector<std::string>{"shot.usda", "cam.usda"}));
    EXPECT_EQ(names(gather({folder / "items/cam.usda", folder.path()}, false)),
              (std::vector<std::string>{"cam.usda", "ring_a.usda", "shot.usda", "other.usda"}));
}

} // namespace
} // namespace wyc::gather_test
