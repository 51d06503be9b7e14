// SPDX-License-Identifier: GPL-3.0-or-later
// Files that others wrote, through random chains of all kinds of steps: what is written is proven, or refused in words
// that blame the asking. A proof that fails here is a fault of ours: of the steps, or of the proof.
#include <gtest/gtest.h>

#include <cstdlib>
#include <iostream>
#include <random>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "core/formats/usd_fixtures.h"
#include "delivery/delivery.h"
#include "gather/source.h"
#include "support/temp_folder.h"

namespace wyc::foreign_chains_test {
namespace {

using nlohmann::json;

struct Random {
    std::mt19937 engine;
    template<class T> T of(const std::vector<T>& list) { return list[engine() % list.size()]; }
    int upTo(int most) { return static_cast<int>(engine() % static_cast<unsigned>(most + 1)); }
};

Step randomStep(Random& r) {
    switch (r.upTo(22)) {
    case 0: return {"offset", {{"frames", r.of<double>({3, -2.5, 7})}}};
    case 1: return {"trim", {{"first", r.of<int>({1001, 1003, 1, 1009})}, {"last", r.of<int>({1006, 1010, 1020, 6})}}};
    case 2: return {"hold", {{"before", r.upTo(3)}, {"after", r.upTo(3)}}};
    case 3: return {"drop", {{"frames", r.of<std::string>({"1003", "1010", "3"})}, {"close", r.upTo(1) == 1}}};
    case 4: return {"resample", {{"rate", r.of<std::string>({"30", "48", "12"})}}};
    case 5: return {"rate", {{"rate", r.of<std::string>({"30", "25"})}}};
    case 6: return {"every", {{"count", 2}}};
    case 7: return {"scale", {{"factor", r.of<double>({2.0, 0.1})}}};
    case 8: return {"unit", {{"from", "cm"}, {"to", "m"}}};
    case 9: return {"turn", {{"from", "Z"}, {"to", "Y"}}};
    case 10: return {"world", {{"groups", r.of<std::string>({"kept", "dropped"})}}};
    case 11: return {"keep", {{"frames", "1001:1005,1009:1015,1:4"}}};
    case 12: return {"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}};
    case 13:
    case 14:
        return {"retime",
                {{"curve", r.of<std::string>({"x0.5", "x2", "reverse", "there and back", "x0.7"})},
                 {"between", r.of<std::string>({"line", "curve"})}}};
    case 15:
    case 16:
        return {"loop",
                {{"start", r.of<int>({1002, 1003, 1010, 2})},
                 {"length", r.of<int>({3, 4, 6})},
                 {"close", r.of<std::string>({"cut", "overlap", "bridge"})},
                 {"fade", 1 + r.upTo(2)},
                 {"cycles", 1 + r.upTo(1)},
                 {"travel", r.of<std::string>({"comes back", "goes on", "taken out"})}}};
    case 17:
        return {"lead_in",
                {{"frames", r.of<int>({2, 5})},
                 {"from", "frame"},
                 {"frame", r.of<int>({1001, 1003, 1})},
                 {"ease", r.of<std::string>({"linear", "smooth"})}}};
    case 18: return {"place", {{"turn", "10, 20, 30"}, {"move", "1, 2, 3"}}};
    case 19: return {"flip", json::object()};
    case 20: return {"travel", json::object()};
    case 21: return {"place", {{"matrix", "0,2,0, -2,0,0, 0,0,2, 1,0,0"}}}; // twice the size, a quarter turned
    default: return {"start", {{"frame", 101}}};
    }
}

// Whether what is written was proven; else it was refused in words that blame the asking.
bool isProven(const Source& source, const std::vector<Step>& chain, const fs::path& target) {
    const auto isInWords = [](const Error& error) {
        EXPECT_NE(error.kind, ErrorKind::Internal) << error.text();
        EXPECT_EQ(error.text().find("fault of ours"), std::string::npos) << error.text();
        return false;
    };
    const auto result = applySteps(source.scene, chain);
    if (!result)
        return isInWords(result.error());
    const auto outputs = planConversion({deliveryInput(source, source.scene, *result, chain)}, {target, false, true});
    if (!outputs)
        return isInWords(outputs.error());
    const auto done = runOutput(outputs->front(), {true, true}, Progress());
    if (!done)
        return isInWords(done.error());
    EXPECT_TRUE(done->proof.passed) << done->proof.words();
    EXPECT_TRUE(done->proof.sourceCompared);
    const auto again = proveFromRecord(done->target, done->record, Progress());
    EXPECT_TRUE(again && again->passed) << (again ? again->words() : again.error().text());
    return true;
}

std::vector<fs::path> foreignFiles() {
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(fs::path(WYC_TEST_DATA) / "abc"))
        if (entry.path().extension() == ".abc")
            files.push_back(entry.path());
    for (const test::UsdCase& one : test::usdCases())
        files.insert(files.end(), one.files.begin(), one.files.end());
    std::sort(files.begin(), files.end());
    return files;
}

TEST(ForeignChains, AreProvenOrRefusedInWords) {
    const test::TempFolder folder;
    std::vector<SourcePtr> sources;
    for (const fs::path& file : foreignFiles()) {
        const auto source = openSource({file, {}, {}, true}, FrameRate());
        ASSERT_TRUE(source) << source.error().text();
        sources.push_back(*source);
    }
    ASSERT_GE(sources.size(), 100U);
    const char* asked = std::getenv("WYC_TRUTH_CASES");
    const char* first = std::getenv("WYC_TRUTH_FIRST");
    const unsigned rounds = asked ? static_cast<unsigned>(std::atoi(asked)) : 600;
    const unsigned from = first ? static_cast<unsigned>(std::atoi(first)) : 20261129;
    unsigned proven = 0;
    for (unsigned round = from; round < from + rounds; ++round) {
        Random r{std::mt19937(round)};
        const Source& source = *r.of(sources);
        std::vector<Step> chain;
        for (int n = r.upTo(4); n > 0; --n)
            chain.push_back(randomStep(r));
        const std::string target = r.upTo(4) == 0 ? "scene.####.obj" : "scene.abc";
        SCOPED_TRACE(fmt::format("{}: {} {} into {}", round, source.name, toJson(chain).dump(), target));
        proven += isProven(source, chain, folder / target) ? 1U : 0U;
    }
    std::cout << proven << " proven, " << rounds - proven << " refused in words\n";
    EXPECT_GT(proven, rounds / 4);
}

// Each was once refused as a fault of ours, or written wrongly without a word.
TEST(ForeignChains, OfHardKindsAreProven) {
    const test::TempFolder folder;
    const json cycle{{"start", 1002}, {"length", 4}, {"fade", 1}, {"cycles", 1}};
    const auto loop = [&](const json& more) {
        json options = cycle;
        options.update(more);
        return Step{"loop", options};
    };
    const Step half{"retime", {{"curve", "x0.5"}, {"between", "curve"}}};
    const Step shutter{"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}};
    const Step later{"offset", {{"frames", -2.5}}};
    struct Case {
        std::string file;
        std::vector<Step> chain;
    };
    const std::vector<Case> cases{
        {"xform_ops.usda", {}}, // turns along the sphere
        {"splines.usda", {}},
        {"mesh_deforming.abc", {loop({{"close", "cut"}}), shutter}}, // what is before a cycle
        {"mesh_deforming.abc", {loop({{"close", "overlap"}}), shutter}},
        {"mesh_deforming.abc", {loop({{"close", "overlap"}, {"fade", 2}, {"length", 3}}), later}}, // frames in a fade
        {"points_birth_death.abc", {loop({{"close", "overlap"}, {"fade", 2}, {"travel", "goes on"}}), later}},
        {"mesh_varying_topology.abc", {loop({{"close", "cut"}, {"start", 1003}, {"travel", "taken out"}})}},
        {"value_clips.usda", {half}}, // samples that are not evenly apart
        {"skel.usda", {Step{"travel"}, Step{"resample", {{"rate", "12"}}}, Step{"every", {{"count", 2}}}}},
        {"xform_ops.abc", // what lets go of its parents
         {Step{"scale", {{"factor", 0.1}}}, Step{"place", {{"turn", "10, 20, 30"}, {"move", "1, 2, 3"}}}}},
        {"splines.usda", {Step{"world", {{"groups", "dropped"}}}, Step{"hold", {{"before", 3}, {"after", 3}}}}},
        {"mesh_points_animated.usdc", {half, half}},
        {"cameras.usda",
         {Step{"every", {{"count", 2}}}, loop({{"close", "cut"}, {"start", 2}, {"length", 6}}),
          Step{"start", {{"frame", 101}}}}},
        {"cameras.usdc",
         {Step{"hold", {{"before", 3}, {"after", 3}}},
          Step{"retime", {{"curve", "there and back"}, {"between", "curve"}}}, shutter}},
    };
    const std::vector<fs::path> files = foreignFiles();
    for (const Case& one : cases) {
        SCOPED_TRACE(fmt::format("{} {}", one.file, toJson(one.chain).dump()));
        const auto file =
            std::find_if(files.begin(), files.end(), [&](const fs::path& f) { return f.filename() == one.file; });
        ASSERT_NE(file, files.end());
        const auto source = openSource({*file, {}, {}, true}, FrameRate());
        ASSERT_TRUE(source) << source.error().text();
        EXPECT_TRUE(isProven(**source, one.chain, folder / "scene.abc"));
    }
}

// What the first range cut does not come back with the second.
TEST(ForeignChains, RangesWithNothingInCommonAreRefused) {
    const auto source = openSource({fs::path(WYC_TEST_DATA) / "abc" / "mesh_deforming.abc", {}, {}, true}, FrameRate());
    ASSERT_TRUE(source);
    const auto camera = openSource({fs::path(WYC_TEST_DATA) / "abc" / "camera.abc", {}, {}, true}, FrameRate());
    ASSERT_TRUE(camera);
    for (const SourcePtr& one : {*source, *camera}) {
        const auto result = applySteps(one->scene, {Step{"trim", {{"first", 1002}, {"last", 1004}}},
                                                    Step{"trim", {{"first", 1008}, {"last", 1012}}}});
        ASSERT_FALSE(result);
        EXPECT_EQ(result.error().kind, ErrorKind::BadInput) << result.error().text();
    }
}

} // namespace
} // namespace wyc::foreign_chains_test
