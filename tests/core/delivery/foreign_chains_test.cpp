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

TEST(ForeignChains, AreProvenOrRefusedInWords) {
    const test::TempFolder folder;
    std::vector<SourcePtr> sources;
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(fs::path(WYC_TEST_DATA) / "abc"))
        if (entry.path().extension() == ".abc")
            files.push_back(entry.path());
    for (const test::UsdCase& one : test::usdCases())
        files.insert(files.end(), one.files.begin(), one.files.end());
    std::sort(files.begin(), files.end());
    for (const fs::path& file : files) {
        const auto source = openSource({file, {}, {}, true}, FrameRate());
        ASSERT_TRUE(source) << source.error().text();
        sources.push_back(*source);
    }
    ASSERT_GE(sources.size(), 100U);
    const char* asked = std::getenv("WYC_TRUTH_CASES");
    const char* first = std::getenv("WYC_TRUTH_FIRST");
    const unsigned rounds = asked ? static_cast<unsigned>(std::atoi(asked)) : 600;
    const unsigned from = first ? static_cast<unsigned>(std::atoi(first)) : 20261129;
    int proven = 0;
    int refused = 0;
    for (unsigned round = from; round < from + rounds; ++round) {
        Random r{std::mt19937(round)};
        const Source& source = *r.of(sources);
        std::vector<Step> chain;
        for (int n = r.upTo(4); n > 0; --n)
            chain.push_back(randomStep(r));
        const std::string target = r.upTo(4) == 0 ? "scene.####.obj" : "scene.abc";
        SCOPED_TRACE(fmt::format("{}: {} {} into {}", round, source.name, toJson(chain).dump(), target));
        const auto result = applySteps(source.scene, chain);
        if (!result) {
            ++refused;
            EXPECT_NE(result.error().kind, ErrorKind::Internal) << result.error().text();
            continue;
        }
        const DeliveryInput input = deliveryInput(source, source.scene, *result, chain);
        const auto outputs = planConversion({input}, {folder / target, false, true});
        if (!outputs) {
            ++refused;
            EXPECT_NE(outputs.error().kind, ErrorKind::Internal) << outputs.error().text();
            continue;
        }
        const auto done = runOutput(outputs->front(), {true, true}, Progress());
        if (!done) {
            EXPECT_EQ(done.error().text().find("fault of ours"), std::string::npos) << done.error().text();
            ++refused;
            continue;
        }
        EXPECT_TRUE(done->proof.passed) << done->proof.words();
        EXPECT_TRUE(done->proof.sourceCompared);
        const auto again = proveFromRecord(done->target, done->record, Progress());
        ASSERT_TRUE(again) << again.error().text();
        EXPECT_TRUE(again->passed) << again->words();
        ++proven;
    }
    std::cout << proven << " proven, " << refused << " refused in words\n";
    EXPECT_GT(proven, static_cast<int>(rounds / 4));
}

} // namespace
} // namespace wyc::foreign_chains_test
