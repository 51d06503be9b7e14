// SPDX-License-Identifier: GPL-3.0-or-later
// Loops and retimes as pipeline scripts call them.
#include <gtest/gtest.h>

#include <cmath>

#include "support/expected.h"
#include "support/motions.h"
#include "support/process.h"
#include "support/temp_folder.h"

namespace wyc::loop_test {
namespace {

using nlohmann::json;
using test::TempFolder;
using test::wyc;

class Loop : public testing::Test {
  protected:
    std::string swing(double period = 24, int frames = 80, double drift = 0.002) {
        Scene scene = test::returningScene(12, {.period = period, .frames = frames, .drift = drift});
        scene.rate = scene.view.rate;
        const fs::path path = folder_ / "swing.abc";
        EXPECT_TRUE(test::writeScene(scene, path));
        return path.string();
    }
    [[nodiscard]] std::string to(const char* name) const { return (folder_ / name).string(); }
    TempFolder folder_;
};

TEST_F(Loop, FindMakeAndCheckAgree) {
    const std::string source = swing();
    const json found = wyc({"loop", "find", source, "--json"}).json();
    EXPECT_EQ(found["rate"], "24");
    EXPECT_EQ(found["first"], 1001.0);
    EXPECT_EQ(found["last"], 1080.0);
    ASSERT_FALSE(found["candidates"].empty());
    const json& best = found["candidates"][0];
    EXPECT_EQ(std::fmod(best["length"].get<double>(), 24.0), 0.0);
    for (const char* field : {"start", "length", "gap_metres", "gap_steps", "velocity_gap", "good"})
        EXPECT_TRUE(best.contains(field)) << field;
    EXPECT_EQ(wyc({"loop", "check", source}).code, 1); // as it is, it does not close
    const auto made = wyc({"loop", "make", source, "-o", to("cycle.abc"), "--record", "--json"});
    ASSERT_EQ(made.code, 0) << made.err;
    const json says = made.json();
    EXPECT_EQ(says["candidate"], best);
    EXPECT_TRUE(says["after"]["loops"]);
    EXPECT_LT(says["after"]["gap_metres"].get<double>(), says["before"]["gap_metres"].get<double>());
    EXPECT_TRUE(says["outputs"][0]["proof"]["passed"]);
    const auto check = wyc({"loop", "check", to("cycle.abc"), "--json"});
    EXPECT_EQ(check.code, 0);
    EXPECT_TRUE(check.json()["loops"]);
    EXPECT_FALSE(check.json()["closing_copy"]);
    EXPECT_EQ(check.json()["length"], best["length"]);
    EXPECT_EQ(wyc({"prove", to("cycle.abc")}).code, 0);
}

TEST_F(Loop, WhatIsAskedForIsMade) {
    const std::string source = swing();
    ASSERT_EQ(wyc({"loop", "make", source, "--start", "1010", "--length", "48", "--close", "overlap", "--fade", "6",
                   "--closing-copy", "--cycles", "2", "-o", to("a.abc"), "--prove"})
                  .code,
              0);
    const json a = wyc({"info", to("a.abc"), "--json"}).json();
    EXPECT_EQ(a["first"], 1010.0);
    EXPECT_EQ(a["last"], 1010.0 + 96.0); // and the closing copy
    ASSERT_EQ(wyc({"loop", "make", source, "--start", "1010", "--length", "48", "--fill", "1001:1200", "-o",
                   to("b.abc"), "--prove"})
                  .code,
              0);
    const json b = wyc({"info", to("b.abc"), "--json"}).json();
    EXPECT_EQ(b["first"], 1001.0);
    EXPECT_EQ(b["last"], 1200.0);
    test::writeFile(to("weights.txt"), "0.5 0.1\n0.75 0.6\n");
    const auto drawn = wyc({"loop", "make", source, "--start", "1010", "--length", "48", "--close", "overlap", "--fade",
                            "8", "--weight", to("weights.txt"), "-o", to("d.abc"), "--prove", "--json"});
    ASSERT_EQ(drawn.code, 0) << drawn.err;
    EXPECT_TRUE(drawn.json()["after"].contains("edges_shrink"));
    EXPECT_EQ(wyc({"loop", "make", source, "--weight", to("none.txt"), "-o", to("e.abc")}).code, 2);
    ASSERT_EQ(wyc({"job", to("a.wyc"), "--new", "--add", source, "--items", "*", "--loops"}).code, 0);
    EXPECT_NE(wyc({"check", to("a.wyc")}).out.find("loop.open"), std::string::npos);
    ASSERT_EQ(wyc({"job", to("a.wyc"), "--items", "*", "--no-loops"}).code, 0);
    EXPECT_EQ(wyc({"check", to("a.wyc")}).out.find("loop.open"), std::string::npos);
    const auto refused = wyc({"loop", "make", source, "--start", "1001", "--length", "48", "--close", "overlap",
                              "--fade", "40", "-o", to("c.abc")});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("At most"), std::string::npos);
    EXPECT_FALSE(fs::exists(to("c.abc")));
    EXPECT_EQ(wyc({"loop", "find", source, "--length", "200:300"}).code, 2);
    // A bridge is part of the length that is asked for.
    const auto bridged = wyc({"loop", "make", source, "--length", "47", "--close", "bridge", "--fade", "6", "-o",
                              to("bridged.abc"), "--prove"});
    EXPECT_NE(bridged.code, 2) << bridged.err;
    EXPECT_NE(bridged.out.find("cut: off by"), std::string::npos) << bridged.out;
    const json counted = wyc({"info", to("bridged.abc"), "--json"}).json();
    EXPECT_EQ(counted["last"].get<double>() - counted["first"].get<double>() + 1.0, 47.0);
    EXPECT_EQ(
        wyc({"loop", "make", source, "--length", "6", "--close", "bridge", "--fade", "6", "-o", to("f.abc")}).code, 2);
    const auto unknown = wyc({"loop", "fnid", source});
    EXPECT_EQ(unknown.code, 2);
    EXPECT_NE(unknown.err.find("Did you mean find"), std::string::npos);
}

TEST_F(Loop, RetimesByTextOrFile) {
    const std::string source = swing();
    ASSERT_EQ(wyc({"retime", source, "--curve", "x0.5", "-o", to("slow.abc"), "--prove"}).code, 0);
    EXPECT_EQ(wyc({"info", to("slow.abc"), "--json"}).json()["last"], 1001.0 + 2 * 79.0);
    test::writeFile(to("curve.txt"), "1001 1040\n1010 1020\n");
    ASSERT_EQ(wyc({"retime", source, "--curve", to("curve.txt"), "--beyond", "back", "--until", "1030", "-o",
                   to("b.abc"), "--record"})
                  .code,
              0);
    const json b = wyc({"info", to("b.abc"), "--json"}).json();
    EXPECT_EQ(b["first"], 1001.0);
    EXPECT_EQ(b["last"], 1030.0);
    const auto at = [&](const std::string& file, const char* frame) {
        return wyc({"sample", file, "--at", frame, "--json"}).json()["frames"][0]["items"][0]["points"];
    };
    EXPECT_EQ(at(to("b.abc"), "1001"), at(source, "1040"));
    EXPECT_EQ(at(to("b.abc"), "1010"), at(source, "1020"));
    EXPECT_EQ(at(to("b.abc"), "1019"), at(source, "1040")); // there and back
    const auto beyond = wyc({"retime", source, "--curve", "1001=1001,1010=2000", "-o", to("c.abc")});
    EXPECT_EQ(beyond.code, 2);
    EXPECT_NE(beyond.err.find("2000"), std::string::npos);
    EXPECT_EQ(wyc({"prove", to("b.abc")}).code, 0);
}

} // namespace
} // namespace wyc::loop_test
