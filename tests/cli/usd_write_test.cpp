// SPDX-License-Identifier: GPL-3.0-or-later
// Layered scenes written by command line: an assembly of six items, one of them sent again.
#include <gtest/gtest.h>

#include <algorithm>
#include <map>

#include "support/process.h"

namespace wyc::usd_write_test {
namespace {

using nlohmann::json;
using test::readFile;
using test::TempFolder;
using test::wyc;

class WrittenLayers : public testing::Test {
  protected:
    void SetUp() override {
        const auto made = wyc({"demo", (folder_ / "demo").string(), "-q"});
        ASSERT_EQ(made.code, 0) << made.err;
        fs::create_directories(folder_ / "shot");
        // Copies, which a department may send again; one of them three times.
        for (const auto& [file, as] : {std::pair{"survey_sub.abc", "survey_sub.abc"},
                                       {"seabed.obj", "seabed.obj"},
                                       {"lantern_jelly.mdd", "lantern_jelly.mdd"},
                                       {"lantern_jelly_rest.obj", "lantern_jelly_rest.obj"},
                                       {"kelp_frond.mdd", "kelp_near.mdd"},
                                       {"kelp_frond_rest.obj", "kelp_near_rest.obj"},
                                       {"kelp_frond.mdd", "kelp_frond.mdd"},
                                       {"kelp_frond_rest.obj", "kelp_frond_rest.obj"},
                                       {"kelp_frond.mdd", "kelp_far.mdd"},
                                       {"kelp_frond_rest.obj", "kelp_far_rest.obj"}})
            fs::copy(folder_ / "demo/clean" / file, folder_ / "shot" / as);
    }
    std::vector<std::string> command(const std::vector<std::string>& more) const {
        std::vector<std::string> arguments{"convert"};
        for (const char* file :
             {"survey_sub.abc", "seabed.obj", "lantern_jelly.mdd", "kelp_frond.mdd", "kelp_near.mdd", "kelp_far.mdd"})
            arguments.push_back((folder_ / "shot" / file).string());
        arguments.insert(arguments.end(),
                         {"-o", (folder_ / "out/shoal.usda").string(), "--layout", "references", "--record"});
        arguments.insert(arguments.end(), more.begin(), more.end());
        return arguments;
    }
    test::Outcome deliver(const std::vector<std::string>& more = {}) const { return wyc(command(more)); }
    std::map<std::string, std::string> filesOut() const {
        std::map<std::string, std::string> files;
        for (const auto& entry : fs::directory_iterator(folder_ / "out"))
            files[entry.path().filename().string()] = readFile(entry.path());
        return files;
    }
    TempFolder folder_;
};

TEST_F(WrittenLayers, SixItemsAreAssembledAndOneIsSentAgain) {
    const auto first = deliver();
    ASSERT_EQ(first.code, 0) << first.out << first.err;
    EXPECT_NE(first.out.find("proven"), std::string::npos) << first.out;
    const auto before = filesOut();
    ASSERT_EQ(before.size(), 8U); // six layers, the assembly, its record
    std::size_t layers = 0;
    for (const auto& [name, bytes] : before)
        layers += name.ends_with(".v001.usdc") ? 1U : 0U;
    EXPECT_EQ(layers, 6U);
    EXPECT_LT(before.at("shoal.usda").size(), 2000U) << "the assembly points, and holds nothing";

    // As it is: nothing changes.
    const auto same = deliver({"--replace"});
    ASSERT_EQ(same.code, 0) << same.out << same.err;
    auto now = filesOut();
    EXPECT_EQ(now.size(), 8U);
    EXPECT_EQ(now.at("shoal.usda"), before.at("shoal.usda"));

    // One department sends its item again.
    fs::copy(folder_ / "demo/returns/kelp_frond_jump.mdd", folder_ / "shot/kelp_frond.mdd",
             fs::copy_options::overwrite_existing);
    const auto again = deliver({"--replace"});
    ASSERT_EQ(again.code, 0) << again.out << again.err;
    now = filesOut();
    EXPECT_EQ(now.size(), 9U);
    EXPECT_TRUE(now.contains("shoal.kelp_frond.v002.usdc"));
    for (const auto& [name, bytes] : before)
        if (name != "shoal.usda" && !name.ends_with(".record.json"))
            EXPECT_TRUE(now.at(name) == bytes) << name;
    std::string pointed = before.at("shoal.usda");
    const std::size_t at = pointed.find("shoal.kelp_frond.v001.usdc");
    ASSERT_NE(at, std::string::npos);
    pointed.replace(at, 26, "shoal.kelp_frond.v002.usdc");
    EXPECT_EQ(now.at("shoal.usda"), pointed) << "only the pointer changed";
    const auto proven = wyc({"prove", (folder_ / "out/shoal.usda").string()});
    EXPECT_EQ(proven.code, 0) << proven.out << proven.err;

    // The folder opens as its assembly: an earlier layer is no source.
    const json opened = wyc({"info", "--json", (folder_ / "out").string()}).json();
    EXPECT_EQ(opened["sources"].size(), 1U) << opened.dump(1);

    // Another version of the assembly takes the layers that stand there.
    std::vector<std::string> another = command({});
    *std::find(another.begin(), another.end(), (folder_ / "out/shoal.usda").string()) =
        (folder_ / "out/shoal_v002.usda").string();
    ASSERT_EQ(wyc(another).code, 0);
    EXPECT_EQ(filesOut().size(), 11U);
    fs::remove(folder_ / "out/shoal_v002.usda");
    fs::remove(folder_ / "out/shoal_v002.usda.record.json");

    // Somebody writes in the assembly: it stays.
    test::writeFile(folder_ / "out/shoal.usda", pointed + "\nover \"seabed\" (\n    active = false\n)\n{\n}\n");
    const auto edited = filesOut();
    const auto refused = deliver({"--replace"});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("was changed since it was delivered"), std::string::npos) << refused.err;
    EXPECT_EQ(filesOut(), edited);
}

TEST_F(WrittenLayers, AKilledRunLeavesTheOldAssemblyOrTheNewOne) {
    ASSERT_EQ(deliver().code, 0);
    const auto before = filesOut();
    fs::copy(folder_ / "demo/returns/kelp_frond_jump.mdd", folder_ / "shot/kelp_frond.mdd",
             fs::copy_options::overwrite_existing);
    int old = 0;
    for (int i = 0; i < 12; ++i) {
        test::Process run(command({"--replace"}));
        std::this_thread::sleep_for(std::chrono::milliseconds(40 + 70 * i));
        run.signal(SIGKILL);
        run.wait();
        const auto proven = wyc({"prove", (folder_ / "out/shoal.usda").string()});
        EXPECT_EQ(proven.code, 0) << "killed at " << 40 + 70 * i << " ms: " << proven.out << proven.err;
        old += readFile(folder_ / "out/shoal.usda") == before.at("shoal.usda");
    }
    EXPECT_GT(old, 0);
}

} // namespace
} // namespace wyc::usd_write_test
