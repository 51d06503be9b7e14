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

// Options that a format declares are options of the command line, are kept in a job, and say what is lost.
TEST(BoxCli, OptionsOfAFormatAreAskedForByTheirNames) {
    const test::TempFolder folder;
    const std::string all = (folder / "all.wbox").string();
    ASSERT_TRUE(format().write(everything(), all, {}, Progress()));
    const auto morphsOf = [&](const Outcome& info) {
        const nlohmann::json document = info.json();
        for (const auto& item : document["items"])
            if (item["path"] == "/current/swimmer")
                return item.value("morphs", nlohmann::json::array()).size();
        return std::size_t{99};
    };
    EXPECT_EQ(morphsOf(wyc({"info", all, "--json"})), 2U);
    EXPECT_EQ(morphsOf(wyc({"info", all, "--json", "--morphs", "left out"})), 0U);
    const auto formats = wyc({"formats"});
    EXPECT_NE(formats.out.find("--morphs kept|left out"), std::string::npos) << formats.out;
    EXPECT_NE(wyc({"info", "--help"}).out.find("--morphs"), std::string::npos);
    const auto senseless = wyc({"info", all, "--morphs", "perhaps"});
    EXPECT_EQ(senseless.code, 2);
    EXPECT_NE(senseless.err.find("kept, left out"), std::string::npos) << senseless.err;
    // Writing: what is left out is told, and the proof asks for the rest.
    const std::string bare = (folder / "bare.wbox").string();
    const auto written = wyc({"convert", all, "-o", bare, "--values", "left out", "--prove"});
    ASSERT_EQ(written.code, 0) << written.out << written.err;
    EXPECT_NE(written.err.find("user value"), std::string::npos) << written.err;
    EXPECT_LT(fs::file_size(bare), fs::file_size(all));
    const auto nobody = wyc({"convert", all, "-o", (folder / "a.abc").string(), "--values", "kept"});
    EXPECT_EQ(nobody.code, 2);
    EXPECT_NE(nobody.err.find("--values says nothing"), std::string::npos) << nobody.err;
    EXPECT_FALSE(fs::exists(folder / "a.abc"));
    // Of two sides the one that knows it; the record says how a file was written.
    ASSERT_EQ(wyc({"convert", all, "-o", (folder / "b.abc").string()}).code, 0);
    EXPECT_LE(wyc({"compare", all, (folder / "b.abc").string(), "--morphs", "left out"}).code, 1);
    EXPECT_EQ(wyc({"compare", (folder / "b.abc").string(), (folder / "b.abc").string(), "--morphs", "kept"}).code, 2);
    ASSERT_EQ(wyc({"convert", all, "-o", (folder / "r.wbox").string(), "--values", "left out", "--record"}).code, 0);
    EXPECT_NE(test::readFile(folder / "r.wbox.record.json").find("\"left out\""), std::string::npos);
    EXPECT_EQ(wyc({"prove", (folder / "r.wbox").string()}).code, 0);
    // A job keeps both.
    const std::string job = (folder / "a.wyc").string();
    const std::string out = (folder / "out").string();
    ASSERT_EQ(wyc({"job", job, "--new", "--add", all, "--morphs", "left out"}).code, 0);
    const auto delivery = wyc({"job", job, "--delivery", "d", "--format", "box", "--values", "left out",
                               "--whole-range", "--folder", out, "--take", "*", "--one-file", "--template", "all"});
    ASSERT_EQ(delivery.code, 0) << delivery.err;
    const auto delivered = wyc({"deliver", job, "--json"});
    ASSERT_EQ(delivered.code, 0) << delivered.out << delivered.err;
    EXPECT_EQ(delivered.json()["outputs"][0]["format_options"]["values"], "left out");
    EXPECT_TRUE(delivered.json()["outputs"][0]["proof"]["passed"]);
    EXPECT_EQ(morphsOf(wyc({"info", out + "/all.wbox", "--json"})), 0U);
    EXPECT_EQ(wyc({"prove", out + "/all.wbox"}).code, 0);
    EXPECT_EQ(wyc({"job", job, "--delivery", "d", "--format", "mdd", "--values", "kept"}).code, 2);
}

} // namespace
} // namespace wyc::box
