// SPDX-License-Identifier: GPL-3.0-or-later
// The command line with one format more: nothing in it knows that format.
#include <gtest/gtest.h>

#include "box/box.h"
#include "box/everything.h"
#include "support/process.h"

namespace wyc::box {
namespace {

using test::Outcome;

Outcome wyc(std::vector<std::string> arguments) {
    return test::Process(std::move(arguments), WYC_PROGRAM_WITH_BOX).wait();
}

TEST(BoxCli, ReadsTellsConvertsProvesAndCompares) {
    const test::TempFolder folder;
    const std::string all = (folder / "all.wbox").string();
    ASSERT_TRUE(format().write(everything(), all, {}, Progress()));
    const Outcome formats = wyc({"formats"});
    EXPECT_NE(formats.out.find(".wbox"), std::string::npos) << formats.out;
    const auto info = wyc({"info", all, "--json"});
    ASSERT_EQ(info.code, 0) << info.err;
    EXPECT_EQ(info.json()["format"], "box");
    EXPECT_EQ(info.json()["first"], 1001.0);
    EXPECT_EQ(info.json()["materials"].size(), 2U);
    const auto check = wyc({"check", all, "--json"});
    EXPECT_LE(check.code, 1) << check.out << check.err;
    // To itself, later and in centimetres; then both ways into an archive.
    const std::string later = (folder / "later.wbox").string();
    const auto converted = wyc({"convert", all, "-o", later, "--offset", "10", "--unit", "m:cm"});
    ASSERT_EQ(converted.code, 0) << converted.out << converted.err;
    const auto moved = wyc({"info", later, "--json"});
    EXPECT_EQ(moved.json()["first"], 1011.0);
    EXPECT_EQ(moved.json()["unit_metres"], 0.01);
    const std::string archive = (folder / "all.abc").string();
    const auto toArchive = wyc({"convert", all, "-o", archive});
    ASSERT_EQ(toArchive.code, 0) << toArchive.out << toArchive.err;
    EXPECT_NE((toArchive.out + toArchive.err).find("skin and morphs"), std::string::npos) << toArchive.out;
    const auto back = wyc({"convert", archive, "-o", (folder / "back.wbox").string()});
    ASSERT_EQ(back.code, 0) << back.out << back.err;
    const auto same = wyc({"compare", all, archive, "--json"});
    EXPECT_NE(same.out.find("6 of 6 items are alike"), std::string::npos) << same.out << same.err;
    const auto one = wyc({"convert", all, "-o", (folder / "swimmer.mdd").string(), "--items", "swimmer", "--world"});
    ASSERT_EQ(one.code, 0) << one.out << one.err;
}

} // namespace
} // namespace wyc::box
