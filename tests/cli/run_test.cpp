// SPDX-License-Identifier: GPL-3.0-or-later
// A run is one act: what stops any of it stops all of it before the first byte.
#include "support/two_sources.h"

namespace wyc::run_test {
namespace {

using nlohmann::json;
using test::wyc;

class Runs : public test::TwoSources {};

TEST_F(Runs, DeliveriesOfOneNameTakeTheNextVersionOrAreRefused) {
    const json archive{{"format", "alembic"}, {"name_template", "{item}_v{version}"}};
    json again = archive;
    again["folder"] = "out/../out"; // one folder however it is written
    const auto both = wyc({"deliver", job({archive, again}), "--json"});
    ASSERT_EQ(both.code, 0) << both.err;
    for (const char* name : {"early_v001.abc", "late_v001.abc", "early_v002.abc", "late_v002.abc"})
        EXPECT_TRUE(fs::exists(folder_ / "out" / name)) << name;
    fs::remove_all(folder_ / "out");

    for (const char* format : {"alembic", "obj-sequence"})
        for (const bool replace : {false, true}) {
            const json plain{{"format", format}, {"name_template", "{item}"}, {"replace", replace}};
            const auto refused = wyc({"deliver", job({plain, plain})});
            EXPECT_EQ(refused.code, 2) << format << refused.out;
            EXPECT_NE(refused.err.find("would both be written"), std::string::npos) << refused.err;
            EXPECT_TRUE(nothingIsThere()) << format;
        }
    // The rest mesh of one is the file of another.
    const auto rest = wyc({"deliver", job({{{"format", "mdd"}, {"name_template", "{item}"}},
                                           {{"format", "obj"}, {"name_template", "{item}_rest"}}})});
    EXPECT_EQ(rest.code, 2) << rest.out;
    EXPECT_NE(rest.err.find("would both be written"), std::string::npos) << rest.err;
    EXPECT_TRUE(nothingIsThere());
}

TEST_F(Runs, WhatStopsOneDeliveryStopsAll) {
    const json whole{{"format", "alembic"}, {"name_template", "{item}"}};
    const std::vector<json> stops{
        {{"format", "alembic"}, {"name_template", "b_{item}"}, {"range", {1001, 1060}}},
        {{"format", "alembic"}, {"name_template", "b_{nonsense}"}},
        {{"format", "mdd"}, {"name_template", "b_{item}"}, {"range", {3000, 3010}}},
    };
    for (const json& delivery : stops) {
        const auto outcome = wyc({"deliver", job({whole, delivery}), "--strict"});
        EXPECT_EQ(outcome.code, 2) << delivery.dump();
        EXPECT_TRUE(nothingIsThere()) << delivery.dump() << outcome.err;
    }
    EXPECT_EQ(wyc({"deliver", job({whole, whole}), "--only", "d1"}).code, 0);
}

TEST_F(Runs, ItemsOfARunStayInStep) {
    const std::string both = job({{{"format", "alembic"}, {"name_template", "{item}"}, {"first_frame", 1}}});
    const auto firsts = [&](const std::vector<std::string>& arguments) {
        const auto outcome = wyc(arguments);
        EXPECT_EQ(outcome.code, 0) << outcome.err;
        std::vector<double> result;
        const json document = outcome.json();
        for (const json& output : document["outputs"])
            result.push_back(output["first"].get<double>());
        return result;
    };
    EXPECT_EQ(firsts({"deliver", both, "--dry-run", "--json"}), (std::vector<double>{1, 21}));
    EXPECT_EQ(firsts({"deliver", both, "--dry-run", "--json", "--only", "late*"}), (std::vector<double>{21}));
    EXPECT_EQ(firsts({"convert", (folder_ / "early.abc").string(), (folder_ / "late.abc").string(), "--first", "1",
                      "--prove", "--json", "-o", (folder_ / "both.abc").string()}),
              (std::vector<double>{1}));
    const json late = wyc({"info", (folder_ / "both.abc").string(), "--json"}).json();
    std::set<double> begins;
    for (const json& item : late["items"])
        if (item.contains("first") && item["first"].is_number())
            begins.insert(item["first"].get<double>());
    EXPECT_EQ(begins, (std::set<double>{1, 21})) << late.dump(1);
}

TEST_F(Runs, AConversionFromSomethingElseThanTheSourceSaysIsRefused) {
    const fs::path archive = folder_ / "metres.abc";
    ASSERT_EQ(
        wyc({"convert", (folder_ / "early.abc").string(), "--is-unit", "m", "--is-up", "y", "-o", archive.string()})
            .code,
        0);
    const auto converted = [&](std::vector<std::string> options) {
        std::vector<std::string> arguments{"convert", archive.string(), "--replace", "-o",
                                           (folder_ / "o.abc").string()};
        arguments.insert(arguments.end(), options.begin(), options.end());
        return wyc(arguments);
    };
    EXPECT_EQ(converted({"--unit", "m:cm", "--up", "y:z"}).code, 0);
    for (const auto& [option, value, advice] :
         {std::tuple{"--unit", "cm:mm", "--unit m:mm"}, {"--up", "z:y", "leave --up out"}}) {
        const auto refused = converted({option, value});
        EXPECT_EQ(refused.code, 2) << value;
        EXPECT_NE(refused.err.find(advice), std::string::npos) << refused.err;
    }
    // After steps that changed it, what they left counts.
    const fs::path steps = test::writeFile(
        folder_ / "steps.json", json::array({{{"type", "unit"}, {"options", {{"from", "m"}, {"to", "cm"}}}}}).dump());
    EXPECT_EQ(converted({"--steps", steps.string(), "--unit", "cm:mm"}).code, 0)
        << converted({"--steps", steps.string(), "--unit", "cm:mm"}).err;
    EXPECT_EQ(converted({"--steps", steps.string(), "--unit", "m:mm"}).code, 2);
}

TEST_F(Runs, ManyWritersOfAJobKeepEveryEdit) {
    const std::string file = job(json::array());
    std::vector<std::unique_ptr<test::Process>> writers;
    for (int i = 0; i < 8; ++i)
        writers.push_back(std::make_unique<test::Process>(std::vector<std::string>{
            "job", file, "--delivery", "d" + std::to_string(i), "--format", "alembic", "--folder", "out"}));
    for (auto& writer : writers) {
        const auto outcome = writer->wait();
        EXPECT_EQ(outcome.code, 0) << outcome.err;
    }
    std::set<std::string> names;
    const json kept = json::parse(test::readFile(file));
    for (const json& delivery : kept["deliveries"])
        names.insert(delivery["name"]);
    EXPECT_EQ(names.size(), 8U);
}

TEST_F(Runs, AJobThatIsALinkStaysOneWithItsMode) {
    const fs::path file = job(json::array());
    fs::create_directories(folder_ / "real");
    fs::rename(file, folder_ / "real/job.wyc");
    fs::permissions(folder_ / "real/job.wyc", fs::perms(0664));
    fs::create_symlink("real/job.wyc", folder_ / "job.wyc");
    ASSERT_EQ(wyc({"job", file.string(), "--name", "sh050"}).code, 0);
    EXPECT_TRUE(fs::is_symlink(folder_ / "job.wyc"));
    EXPECT_EQ(fs::status(folder_ / "real/job.wyc").permissions(), fs::perms(0664));
    EXPECT_EQ(json::parse(test::readFile(folder_ / "real/job.wyc"))["shot"]["name"], "sh050");
}

TEST_F(Runs, AReplacedSequenceKeepsTheModeOfItsFolder) {
    const std::string file = job({{{"format", "obj-sequence"}, {"name_template", "{item}"}, {"replace", true}}});
    ASSERT_EQ(wyc({"deliver", file}).code, 0);
    const fs::perms mode = fs::perms(02775);
    fs::permissions(folder_ / "out/early", mode);
    ASSERT_EQ(wyc({"deliver", file}).code, 0);
    EXPECT_EQ(fs::status(folder_ / "out/early").permissions(), mode);
    EXPECT_EQ(std::distance(fs::directory_iterator(folder_ / "out"), fs::directory_iterator()), 2); // nothing beside it
}

TEST_F(Runs, AStepTakesValuesWithBlanks) {
    const std::string file = job(json::array());
    const auto added =
        wyc({"job", file, "--items", "*early", "--step", "retime curve=1001=1001, 1010=1024 beyond=there and back",
             "--step", "drop frames=1003, 1005:1006 close=true"});
    ASSERT_EQ(added.code, 0) << added.err;
    const json steps = json::parse(test::readFile(file))["items"][0]["steps"];
    EXPECT_EQ(steps[0]["options"]["curve"], "1001=1001, 1010=1024");
    EXPECT_EQ(steps[0]["options"]["beyond"], "there and back");
    EXPECT_EQ(steps[1]["options"]["frames"], "1003, 1005:1006");
    EXPECT_EQ(wyc({"job", file, "--items", "*early", "--step", "trim frist=1009 last=1020"}).code, 2);
}

TEST_F(Runs, ATargetsNumberIsWrittenInTwoWaysAndNoOther) {
    const std::string source = (folder_ / "early.abc").string();
    ASSERT_EQ(wyc({"convert", source, "-o", (folder_ / "a/poses.%04d.obj").string()}).code, 0);
    EXPECT_TRUE(fs::exists(folder_ / "a/poses.1001.obj"));
    for (const char* name :
         {"poses.$4.obj", "poses.%s.obj", "poses.@@@@.obj", "poses.<frame>.obj", "poses.####.##.obj"}) {
        const auto refused = wyc({"convert", source, "-o", (folder_ / "b" / name).string()});
        EXPECT_EQ(refused.code, 2) << name;
        EXPECT_NE(refused.err.find("####"), std::string::npos) << refused.err;
    }
    EXPECT_FALSE(fs::exists(folder_ / "b"));
    EXPECT_EQ(wyc({"convert", source, "-o", (folder_ / "50% @night.abc").string()}).code, 0); // a name like any other
    const auto none = wyc({"convert", source, "--range", "3000:3010", "-o", (folder_ / "c.abc").string()});
    EXPECT_EQ(none.code, 2);
    EXPECT_NE(none.err.find("1001"), std::string::npos) << none.err;
}

TEST_F(Runs, ADeliveryTakesOnlyWhatIsThere) {
    const std::string file = job(json::array());
    EXPECT_EQ(wyc({"job", file, "--delivery", "d", "--format", "alembic", "--take", "*late*"}).code, 0);
    const auto refused = wyc({"job", file, "--delivery", "e", "--format", "alembic", "--take", "*nobody*"});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("*nobody*"), std::string::npos) << refused.err;
}

} // namespace
} // namespace wyc::run_test
