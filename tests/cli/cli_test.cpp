// SPDX-License-Identifier: GPL-3.0-or-later
// The program itself: exit codes, the JSON that scripts rely on, manners, and what a stop leaves behind.
#include <gtest/gtest.h>

#include <random>

#include <sys/resource.h>

#include "support/process.h"
#include "support/scenes.h"

namespace wyc::cli_test {
namespace {

using nlohmann::json;
using test::TempFolder;
using test::wyc;

const fs::path kData = WYC_TEST_DATA;

class Cli : public testing::Test {
  protected:
    // A cache large enough that work on it can be interrupted.
    fs::path largeCache(std::size_t frames = 60) {
        test::SheetOptions options;
        options.rows = options.columns = 260;
        options.count = frames;
        const fs::path path = folder_ / "large sheet ü.mdd";
        EXPECT_TRUE(test::writeScene(test::sheetScene(options), path));
        return path;
    }
    fs::path smallCache() {
        const fs::path path = folder_ / "sheet.mdd";
        EXPECT_TRUE(test::writeScene(test::sheetScene(), path));
        return path;
    }
    TempFolder folder_;
};

TEST_F(Cli, InfoHasThePromisedFields) {
    const auto outcome = wyc({"info", (kData / "mdd/jelly_pulse.mdd").string(), "--json"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    const json info = outcome.json();
    for (const char* key :
         {"source", "format", "rate", "unit_metres", "up_axis", "first", "last", "items", "not_carried", "findings"})
        ASSERT_TRUE(info.contains(key)) << key;
    EXPECT_EQ(info["format"], "mdd");
    EXPECT_EQ(info["rate"], "24");
    EXPECT_TRUE(info["unit_metres"].is_null());
    EXPECT_EQ(info["first"], 0.0);
    EXPECT_EQ(info["last"], 24.0);
    const json& item = info["items"][0];
    for (const char* key :
         {"path", "kind", "points", "faces", "corners", "samples", "first", "last", "moves", "visible", "topology"})
        ASSERT_TRUE(item.contains(key)) << key;
    EXPECT_EQ(item["path"], "/jelly_pulse");
    EXPECT_EQ(item["kind"], "mesh");
    EXPECT_EQ(item["points"], 33);
    EXPECT_EQ(item["moves"], json({"points"}));
    EXPECT_FALSE(item.contains("times"));
    const json deep = wyc({"info", (kData / "mdd/jelly_pulse.mdd").string(), "--json", "--deep"}).json();
    EXPECT_EQ(deep["items"][0]["times"].size(), 25U);
}

TEST_F(Cli, InfoOnSeveralSourcesIsStillOneDocument) {
    const auto outcome =
        wyc({"info", (kData / "mdd/jelly_pulse.mdd").string(), (kData / "abc/mesh_static.abc").string(), "--json"});
    ASSERT_EQ(outcome.code, 0);
    EXPECT_EQ(outcome.json()["sources"].size(), 2U);
}

TEST_F(Cli, DeepInfoShowsTheContainer) {
    const json info = wyc({"info", (kData / "abc/mesh_static.abc").string(), "--deep", "--json"}).json();
    EXPECT_EQ(info["container"]["objects"][1]["path"], "/seabed_grp");
    EXPECT_EQ(info["container"]["library_version"], 10812);
}

TEST_F(Cli, SampleGivesPointsFacesAndMatrices) {
    const auto outcome = wyc({"sample", (kData / "abc/mesh_deforming.abc").string(), "--at", "1001,1012.5", "--json"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    const json document = outcome.json();
    ASSERT_EQ(document["frames"].size(), 2U);
    EXPECT_NEAR(document["frames"][0]["seconds"].get<double>(), 1001.0 / 24.0, 1e-9);
    const json& bell = document["frames"][0]["items"][1];
    EXPECT_EQ(bell["kind"], "mesh");
    EXPECT_EQ(bell["points"].size(), 128U);
    EXPECT_EQ(bell["corners"].size(), 448U);
    EXPECT_EQ(bell["face_sizes"].size(), 112U);
    EXPECT_EQ(bell["matrix"].size(), 16U);
    EXPECT_EQ(document["frames"][0]["items"][0]["matrix"][12], 1.0); // the transform's own
    EXPECT_EQ(bell["matrix"][12], 0.0);
    const json world = wyc({"sample", (kData / "abc/mesh_deforming.abc").string(), "--at", "1001", "--item", "*/bell",
                            "--world", "--json"})
                           .json();
    const json& placed = world["frames"][0]["items"].back();
    EXPECT_EQ(placed["matrix"][12], 1.0);
    EXPECT_NEAR(placed["points"][5][0].get<double>(), bell["points"][5][0].get<double>() + 1.0, 1e-5);
}

TEST_F(Cli, CheckExitsByTheWorstFinding) {
    const std::string clean = smallCache().string();
    EXPECT_EQ(wyc({"check", clean, "--range", "1001:1024", "--rate", "24", "--unit", "m", "--up", "Y"}).code, 0);
    EXPECT_EQ(wyc({"check", clean, "--range", "1001:1048"}).code, 1);
    EXPECT_EQ(wyc({"check", clean, "--range", "1001:1024", "--handles", "4"}).code, 0); // a caution: handles
    EXPECT_EQ(wyc({"check", clean, "--range", "1001:1024", "--handles", "4", "--fail-on", "caution"}).code, 1);
    EXPECT_EQ(wyc({"check", clean, "--range", "1001:1010", "--fail-on", "caution"}).code, 0); // more than the shot
    const auto outcome = wyc({"check", clean, "--range", "1001:1048", "--json"});
    EXPECT_EQ(outcome.code, 1);
    const json document = outcome.json();
    EXPECT_EQ(document["findings"][0]["id"], "range.short");
    EXPECT_EQ(document["findings"][0]["item"], "/sheet");
    EXPECT_EQ(document["counts"]["fault"], 1);
    EXPECT_EQ(wyc({"check", clean, "--fail-on", "doom"}).code, 2);
}

TEST_F(Cli, ErrorsSayWhatWhereAndWhatToDo) {
    const auto outcome = wyc({"info", (kData / "mdd/broken_cut.mdd").string(), "--json"});
    EXPECT_EQ(outcome.code, 2);
    const json error = outcome.json()["error"];
    EXPECT_EQ(error["kind"], "bad_format");
    EXPECT_EQ(error["byte"], 4508);
    EXPECT_FALSE(error["advice"].get<std::string>().empty());
    EXPECT_NE(outcome.err.find("byte 4508"), std::string::npos);
    EXPECT_EQ(wyc({"info", (folder_ / "nothing.abc").string()}).code, 2);
    EXPECT_EQ(wyc({"info"}).code, 2);
    EXPECT_EQ(wyc({"fly"}).code, 2);
    EXPECT_EQ(wyc({}).code, 2);
    EXPECT_EQ(wyc({"info", "--no-such-option", "x"}).code, 2);
}

TEST_F(Cli, HelpAndVersionAreNoErrors) {
    EXPECT_EQ(wyc({"--version"}).code, 0);
    for (const char* verb : {"info", "sample", "check", "convert", "deliver", "prove", "demo"}) {
        const auto help = wyc({verb, "--help"});
        EXPECT_EQ(help.code, 0);
        EXPECT_NE(help.out.find("Example"), std::string::npos) << verb;
    }
}

TEST_F(Cli, ConvertThereAndBackIsBitForBit) {
    const fs::path cache = smallCache();
    const std::string archive = (folder_ / "ä b.abc").string();
    ASSERT_EQ(wyc({"convert", cache.string(), "-o", archive}).code, 0);
    ASSERT_EQ(wyc({"convert", archive, "-o", (folder_ / "back.mdd").string()}).code, 0);
    EXPECT_EQ(test::readFile(folder_ / "back.mdd"), test::readFile(cache));
    ASSERT_EQ(wyc({"convert", cache.string(), "-o", (folder_ / "poses/p.####.obj").string()}).code, 0);
    ASSERT_EQ(
        wyc({"convert", (folder_ / "poses").string(), "--rate", "24", "-o", (folder_ / "again.mdd").string()}).code, 0);
    EXPECT_EQ(test::readFile(folder_ / "again.mdd"), test::readFile(cache));
}

TEST_F(Cli, ConvertRefusesToReplaceUnlessTold) {
    const fs::path cache = smallCache();
    const fs::path target = test::writeFile(folder_ / "a.abc", "precious");
    const auto refused = wyc({"convert", cache.string(), "-o", target.string(), "--json"});
    EXPECT_EQ(refused.code, 2);
    EXPECT_EQ(refused.json()["error"]["kind"], "exists");
    EXPECT_EQ(test::readFile(target), "precious");
    EXPECT_EQ(wyc({"convert", cache.string(), "-o", target.string(), "--replace"}).code, 0);
    EXPECT_NE(test::readFile(target), "precious");
    EXPECT_EQ(wyc({"convert", cache.string(), "-o", (folder_ / "a.xyz").string()}).code, 2);
}

TEST_F(Cli, ConvertTakesStepsInTheirOrder) {
    const fs::path cache = smallCache();
    const fs::path target = folder_ / "a.abc";
    const auto outcome = wyc({"convert", cache.string(), "-o", target.string(), "--unit", "cm:m", "--up", "Z:Y",
                              "--range", "1005:1010", "--handles", "1", "--first", "1", "--json", "--prove"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    const json output = outcome.json()["outputs"][0];
    EXPECT_EQ(output["first"], 1.0);
    EXPECT_EQ(output["last"], 8.0);
    EXPECT_EQ(output["proof"]["passed"], true);
    const json info = wyc({"info", target.string(), "--json"}).json();
    EXPECT_EQ(info["unit_metres"], 1.0);
    EXPECT_EQ(info["up_axis"], "Y");
    const auto before =
        wyc({"sample", cache.string(), "--at", "1004", "--json"}).json()["frames"][0]["items"][0]["points"][7];
    const auto after =
        wyc({"sample", target.string(), "--at", "1", "--json"}).json()["frames"][0]["items"][0]["points"][7];
    EXPECT_NEAR(after[0].get<double>(), before[0].get<double>() / 100, 1e-8);
    EXPECT_NEAR(after[1].get<double>(), before[2].get<double>() / 100, 1e-8);
    EXPECT_NEAR(after[2].get<double>(), -before[1].get<double>() / 100, 1e-8);
}

TEST_F(Cli, ConvertTakesAChainFromAFile) {
    const fs::path cache = smallCache();
    test::writeFile(folder_ / "steps.json",
                    R"([{"type": "drop", "options": {"start": 1}}, {"type": "offset", "options": {"frames": -1}}])");
    ASSERT_EQ(wyc({"convert", cache.string(), "-o", (folder_ / "a.abc").string(), "--steps",
                   (folder_ / "steps.json").string()})
                  .code,
              0);
    EXPECT_EQ(wyc({"info", (folder_ / "a.abc").string(), "--json"}).json()["first"], 1001.0);
    test::writeFile(folder_ / "bad.json", R"([{"type": "fly"}])");
    EXPECT_EQ(
        wyc({"convert", cache.string(), "-o", (folder_ / "b.abc").string(), "--steps", (folder_ / "bad.json").string()})
            .code,
        2);
    EXPECT_FALSE(fs::exists(folder_ / "b.abc"));
}

TEST_F(Cli, SeveralItemsIntoAFormatOfOneAreAskedAbout) {
    const std::string archive = (kData / "abc/visibility.abc").string();
    const auto refused = wyc({"convert", archive, "-o", (folder_ / "a.obj").string()});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("--per-item"), std::string::npos);
    EXPECT_EQ(wyc({"convert", archive, "-o", (folder_ / "out/a.obj").string(), "--per-item"}).code, 0);
    EXPECT_GT(test::namesIn(folder_ / "out").size(), 1U);
}

TEST_F(Cli, WhatWillBeLostIsSaidBeforeAndInJson) {
    const auto outcome =
        wyc({"convert", (kData / "obj/survey_groups.obj").string(), "-o", (folder_ / "a.abc").string(), "--json"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    std::string words;
    const json document = outcome.json();
    for (const json& loss : document["outputs"][0]["will_be_lost"])
        words += loss["what"].get<std::string>() + "; ";
    EXPECT_EQ(words.find("face groups"), std::string::npos) << words; // they become face sets
    EXPECT_NE(words.find("material"), std::string::npos) << words;
    EXPECT_NE(words.find("smoothing"), std::string::npos) << words;
}

fs::path writeJob(const TempFolder& folder, const fs::path& cache, const std::string& format) {
    const json job{{"wychronos_job", 1},
                   {"shot", {{"name", "sh040"}, {"first", 1001}, {"last", 1024}, {"handles", 0}, {"rate", "24"}}},
                   {"sources", json::array({{{"id", 1}, {"path", cache.filename().string()}}})},
                   {"deliveries", json::array({{{"name", "layout"}, {"format", format}, {"folder", "delivered"}}})}};
    return test::writeFile(folder / "job.wyc", job.dump());
}

TEST_F(Cli, MaterialsAreLeftOutWhereThatIsAsked) {
    const std::string source = (kData / "obj/survey_groups.obj").string();
    ASSERT_EQ(wyc({"convert", source, "-o", (folder_ / "with/a.obj").string(), "--prove"}).code, 0);
    EXPECT_TRUE(fs::exists(folder_ / "with/a.mtl"));
    const auto outcome = wyc(
        {"convert", source, "-o", (folder_ / "bare/a.obj").string(), "--materials", "left out", "--record", "--json"});
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    EXPECT_FALSE(fs::exists(folder_ / "bare/a.mtl"));
    const auto text = *readWholeFile(folder_ / "bare/a.obj", 1 << 20);
    const std::string_view words(reinterpret_cast<const char*>(text.data()), text.size());
    EXPECT_EQ(words.find("usemtl"), std::string_view::npos);
    EXPECT_NE(words.find("\ng "), std::string_view::npos); // groups are no materials
    EXPECT_NE(outcome.out.find("material"), std::string::npos) << outcome.out;
    EXPECT_EQ(wyc({"prove", (folder_ / "bare/a.obj").string()}).code, 0);
}

// What says yes and no at once is refused, whichever comes last; quotes that hold a value together are not part of it.
TEST_F(Cli, ContradictionsAreRefusedAndQuotesAreRead) {
    const fs::path sheet = folder_ / "sheet.abc";
    ASSERT_TRUE(test::writeScene(test::sheetScene(), sheet));
    const std::string job = (folder_ / "j.wyc").string();
    ASSERT_EQ(wyc({"job", job, "--new", "--add", sheet.string()}).code, 0);
    for (const std::vector<std::string>& both :
         {std::vector<std::string>{"--delivery", "d", "--format", "usd", "--folder", "o", "--one-file",
                                   "--no-one-file"},
          {"--delivery", "d", "--format", "usd", "--folder", "o", "--no-world", "--world"},
          {"--items", "*", "--loops", "--no-loops"},
          {"--items", "*", "--take-in", "--leave-out"}}) {
        std::vector<std::string> words{"job", job};
        words.insert(words.end(), both.begin(), both.end());
        const auto refused = wyc(words);
        EXPECT_EQ(refused.code, 2) << both.back() << refused.out;
        EXPECT_NE(refused.err.find(both.back().substr(5)), std::string::npos) << refused.err;
    }
    EXPECT_EQ(wyc({"convert", sheet.string(), "-o", (folder_ / "x.abc").string(), "--per-item", "--one-file"}).code, 2);
    ASSERT_EQ(wyc({"job", job, "--items", "*", "--step", "place turn=\"0, 90, 0\" move=1, 2, 3"}).code, 0);
    const auto plain = wyc({"job", job, "--json"}).json();
    EXPECT_EQ(plain["items"][0]["steps"][0]["options"]["turn"], "0, 90, 0") << plain.dump();
    EXPECT_EQ(plain["items"][0]["steps"][0]["options"]["move"], "1, 2, 3");
}

TEST_F(Cli, DeliverProvesRecordsAndTakesTheNextVersion) {
    const fs::path job = writeJob(folder_, smallCache(), "alembic");
    const auto dry = wyc({"deliver", job.string(), "--dry-run", "--json"});
    ASSERT_EQ(dry.code, 0) << dry.err;
    EXPECT_FALSE(fs::exists(folder_ / "delivered"));
    for (const char* name : {"sh040_sheet_v001.abc", "sh040_sheet_v002.abc"}) {
        const auto outcome = wyc({"deliver", job.string(), "--json"});
        ASSERT_EQ(outcome.code, 0) << outcome.err;
        EXPECT_EQ(outcome.json()["outputs"][0]["proof"]["passed"], true);
        const std::string target = (folder_ / "delivered" / name).string();
        const auto proof = wyc({"prove", target, "--record", target + ".record.json", "--json"});
        EXPECT_EQ(proof.code, 0) << proof.out;
        EXPECT_EQ(proof.json()["passed"], true);
        const std::string page = (folder_ / "proof.html").string();
        EXPECT_EQ(wyc({"prove", target, "--report", page}).code, 0); // the record beside it
        const std::string html = test::readFile(page);
        for (const char* told : {name, "✓ proven", "/sheet", "first frame, 1001", "last frame, ", "<circle", "XXH64"})
            EXPECT_NE(html.find(told), std::string::npos) << told;
        EXPECT_EQ(html.find("http"), std::string::npos) << "nothing from elsewhere";
    }
    EXPECT_EQ(wyc({"deliver", job.string(), "--only", "nobody"}).code, 2);
    EXPECT_EQ(wyc({"deliver", job.string(), "--only", "lay*"}).code, 0);
    const auto against = wyc({"deliver", job.string(), "--dry-run", "--against-last", "--json"});
    EXPECT_EQ(against.code, 0) << against.err;
    const json last = against.json()["outputs"][0]["against_last"];
    EXPECT_EQ(last["changes"], "as it was");
    EXPECT_EQ(last["a"], "sh040_sheet_v003.abc");
    EXPECT_EQ(last["within_tolerance"], true);
    const auto changed = wyc({"job", job.string(), "--items", "*", "--step", "offset frames=1"});
    EXPECT_EQ(changed.code, 0) << changed.err;
    const auto words = wyc({"deliver", job.string(), "--against-last"});
    EXPECT_EQ(words.code, 0) << words.err;
    EXPECT_NE(words.out.find("against sh040_sheet_v003.abc: 1 frame late"), std::string::npos) << words.out;
}

TEST_F(Cli, ADeliveryThatWasTouchedDoesNotProve) {
    const fs::path job = writeJob(folder_, smallCache(), "mdd");
    ASSERT_EQ(wyc({"deliver", job.string()}).code, 0);
    const fs::path target = folder_ / "delivered/sh040_sheet_v001.mdd";
    ASSERT_TRUE(fs::exists(target));
    std::string bytes = test::readFile(target);
    bytes[bytes.size() - 5] = static_cast<char>(bytes[bytes.size() - 5] ^ 1);
    test::writeFile(target, bytes);
    const auto proof = wyc({"prove", target.string()});
    EXPECT_EQ(proof.code, 1);
    EXPECT_NE(proof.out.find("frame 1024"), std::string::npos) << proof.out;
}

TEST_F(Cli, CtrlCStopsCleanly) {
    const fs::path cache = largeCache(400);
    int stopped = 0;
    for (int tryNumber = 0; tryNumber < 6; ++tryNumber) {
        const fs::path target = folder_ / ("out/a" + std::to_string(tryNumber) + ".abc");
        test::Process process({"convert", cache.string(), "-o", target.string(), "--prove"});
        std::this_thread::sleep_for(std::chrono::milliseconds(15 + 25 * tryNumber));
        process.signal(SIGINT);
        const auto started = std::chrono::steady_clock::now();
        const auto outcome = process.wait();
        EXPECT_LT(std::chrono::steady_clock::now() - started, std::chrono::seconds(5));
        if (outcome.code == 0)
            continue; // it was done already
        EXPECT_TRUE(outcome.code == 130 || outcome.code == 128 + SIGINT) << outcome.code << outcome.err;
        stopped += outcome.code == 130;
        if (fs::exists(folder_ / "out") && outcome.code == 130)
            for (const std::string& name : test::namesIn(folder_ / "out"))
                EXPECT_TRUE(name.ends_with(".abc") && !name.starts_with(".")) << name; // finished ones only
        EXPECT_FALSE(fs::exists(target));
    }
    EXPECT_GT(stopped, 0);
}

// Thirty moments at random: whatever stands at a final name proves, with the record that stands beside it.
class Killed : public Cli, public testing::WithParamInterface<const char*> {};

TEST_P(Killed, NothingAtAFinalNameFailsToProve) {
    const fs::path cache = largeCache(24);
    const fs::path job = writeJob(folder_, cache, GetParam());
    const auto started = std::chrono::steady_clock::now();
    ASSERT_EQ(wyc({"deliver", job.string(), "-q"}).code, 0);
    auto whole =
        std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - started).count();
    fs::remove_all(folder_ / "delivered");
    std::mt19937 random(11);
    int killed = 0;
    for (int round = 0; round < 30; ++round) {
        test::Process process({"deliver", job.string(), "-q"});
        std::this_thread::sleep_for(
            std::chrono::microseconds(static_cast<long>(random() % static_cast<unsigned>(whole * 11 / 10))));
        process.signal(SIGKILL);
        const bool inTime = process.wait().code == 128 + SIGKILL;
        killed += inTime;
        if (!inTime)
            whole = whole * 9 / 10; // the first run was slower than those that follow
        if (!fs::exists(folder_ / "delivered"))
            continue;
        for (const std::string& name : test::namesIn(folder_ / "delivered")) {
            const fs::path path = folder_ / "delivered" / name;
            const bool main = name.ends_with(".abc") || name.ends_with(".usdc") || name.ends_with(".mdd") ||
                              (fs::is_directory(path) && !isTemporaryName(name));
            if (!main)
                continue;
            const auto proof = wyc({"prove", path.string(), "-q"});
            EXPECT_EQ(proof.code, 0) << name << proof.out << proof.err;
            fs::remove_all(path); // and its record: each was judged once
            fs::remove(path.string() + ".record.json");
        }
    }
    EXPECT_GT(killed, 8);
}
INSTANTIATE_TEST_SUITE_P(Formats, Killed, testing::Values("alembic", "usd", "mdd", "obj-sequence"),
                         [](const auto& given) {
                             return std::string(given.param) == "obj-sequence" ? std::string("objSequence")
                                                                               : std::string(given.param);
                         });

TEST_F(Cli, AFullDiskLeavesNothing) {
    const fs::path cache = largeCache(24);
    // A file-size limit stands for the full disk.
    const pid_t child = ::fork();
    if (child == 0) {
        std::signal(SIGXFSZ, SIG_IGN);
        const rlimit limit{4 << 20, 4 << 20};
        ::setrlimit(RLIMIT_FSIZE, &limit);
        const int devnull = ::open("/dev/null", O_WRONLY);
        ::dup2(devnull, 2);
        ::execl(WYC_PROGRAM, WYC_PROGRAM, "convert", cache.c_str(), "-o", (folder_ / "out.abc").c_str(), nullptr);
        ::_exit(127);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_TRUE(WIFEXITED(status));
    EXPECT_EQ(WEXITSTATUS(status), 2);
    EXPECT_EQ(test::namesIn(folder_.path()).size(), 1U);
}

TEST_F(Cli, OneThreadGivesTheSameBytesAsMany) {
    const fs::path cache = largeCache(12);
    ASSERT_EQ(wyc({"convert", cache.string(), "-o", (folder_ / "one/a.abc").string(), "--threads", "1"}).code, 0);
    ASSERT_EQ(wyc({"convert", cache.string(), "-o", (folder_ / "all/a.abc").string()}).code, 0);
    EXPECT_EQ(test::readFile(folder_ / "one/a.abc"), test::readFile(folder_ / "all/a.abc"));
}

TEST_F(Cli, QuietInAPipe) {
    const auto outcome = wyc({"convert", smallCache().string(), "-o", (folder_ / "a.abc").string()});
    EXPECT_EQ(outcome.code, 0);
    EXPECT_EQ(outcome.err.find('\r'), std::string::npos);
    EXPECT_EQ(outcome.err.find('\x1b'), std::string::npos);
}

TEST_F(Cli, DemoRefusesAFolderInUseAndChecksWithItsOwnShot) {
    const fs::path demo = folder_ / "demo";
    ASSERT_EQ(wyc({"demo", demo.string(), "-q"}).code, 0);
    EXPECT_EQ(wyc({"demo", demo.string()}).code, 2);
    const auto returns = wyc({"check", (demo / "returns").string(), "--json"});
    EXPECT_EQ(returns.code, 1);
    const auto clean = wyc({"check", (demo / "clean").string(), "--json"});
    EXPECT_EQ(clean.code, 0);
    EXPECT_TRUE(clean.json()["findings"].empty()) << clean.json()["findings"].dump(1);
    const json returned = returns.json();
    const json list = json::parse(test::readFile(demo / "faults.json"));
    for (const json& fault : list["faults"]) {
        bool found = false;
        for (const json& finding : returned["findings"])
            found = found || (finding["id"] == fault["id"] && finding["item"] == fault["item"] &&
                              (fault["frame"].is_null() || finding["frame"] == fault["frame"]));
        EXPECT_TRUE(found) << fault;
    }
    const auto job = wyc({"check", (demo / "lantern_shoal.wyc").string(), "--json"});
    EXPECT_EQ(job.code, 1);
}

TEST_F(Cli, PagesComeFromTheOptionTable) {
    ASSERT_EQ(wyc({"pages", folder_.path().string()}).code, 0);
    const std::string man = test::readFile(folder_ / "wyc.1");
    for (const char* word : {".SS convert", "\\-\\-resample", "\\-\\-fail\\-on", "EXIT STATUS"})
        EXPECT_NE(man.find(word), std::string::npos) << word;
    EXPECT_NE(test::readFile(folder_ / "wyc.bash").find("--handles"), std::string::npos);
    EXPECT_NE(test::readFile(folder_ / "_wyc").find("--handles"), std::string::npos);
    EXPECT_NE(test::readFile(folder_ / "wyc.fish").find("-l handles"), std::string::npos);
    // Values that can be listed are completed.
    const auto completed = [&](const std::string& line) {
        const std::string out = (folder_ / "completed").string();
        const std::string script = "source '" + (folder_ / "wyc.bash").string() + "'; COMP_WORDS=(" + line +
                                   "); COMP_CWORD=$((${#COMP_WORDS[@]}-1)); _wyc; printf '%s ' \"${COMPREPLY[@]}\"";
        test::writeFile(folder_ / "try.sh", script);
        EXPECT_EQ(std::system(("bash '" + (folder_ / "try.sh").string() + "' >'" + out + "'").c_str()), 0);
        return test::readFile(out);
    };
    EXPECT_EQ(completed("wyc check --fail-on c"), "caution ");
    EXPECT_EQ(completed("wyc info --kind s"), "seen shapes ");
    EXPECT_EQ(completed("wyc che"), "check ");
}

} // namespace
} // namespace wyc::cli_test
