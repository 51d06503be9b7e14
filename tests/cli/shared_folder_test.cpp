// SPDX-License-Identifier: GPL-3.0-or-later
// Several runs and several people in one folder: runs side by side, runs that were killed, files of others.
#include <random>

#include <sys/file.h>
#include <sys/stat.h>

#include "support/two_sources.h"

namespace wyc::shared_folder_test {
namespace {

using nlohmann::json;
using test::wyc;

class SharedFolder : public test::TwoSources {
  protected:
    // Files in a folder by name, hidden ones too.
    [[nodiscard]] std::set<std::string> names(const std::string& folder = "out") const {
        std::set<std::string> result;
        std::error_code code;
        for (const auto& entry : fs::directory_iterator(folder_ / folder, code))
            result.insert(entry.path().filename().string());
        return result;
    }
    void expectProven(const fs::path& target) const {
        const auto proof = wyc({"prove", target.string()});
        EXPECT_EQ(proof.code, 0) << target << proof.out << proof.err;
    }
    fs::path left(const std::string& name, int hours, bool folder = true) const {
        const fs::path path = folder_ / "out" / name;
        fs::create_directories(folder ? path : path.parent_path());
        const fs::path file = test::writeFile(folder ? path / "late_v001.abc" : path, std::string(5000, 'x'));
        const auto when = fs::file_time_type::clock::now() - std::chrono::hours(hours);
        fs::last_write_time(file, when);
        fs::last_write_time(path, when);
        return path;
    }
};

TEST_F(SharedFolder, RunsSideBySideTakeDifferentVersionsAndAllSucceed) {
    for (const auto& [format, ending] : {std::pair{"alembic", ".abc"}, {"mdd", ".mdd"}, {"obj-sequence", ""}}) {
        const std::string file = job({{{"format", format}, {"name_template", "{item}_v{version}"}}});
        std::vector<std::unique_ptr<test::Process>> runs;
        for (int i = 0; i < 6; ++i)
            runs.push_back(std::make_unique<test::Process>(std::vector<std::string>{"deliver", file, "--json"}));
        std::set<std::string> targets;
        for (auto& run : runs) {
            const auto outcome = run->wait();
            ASSERT_EQ(outcome.code, 0) << format << outcome.err << outcome.out;
            std::set<std::string> versions; // one for all of a run
            const json document = outcome.json();
            for (const json& output : document["outputs"]) {
                const std::string target = output["target"];
                EXPECT_TRUE(targets.insert(target).second) << target << " was written twice";
                versions.insert(target.substr(target.find("_v"), 5));
            }
            EXPECT_EQ(versions.size(), 1U) << document.dump();
        }
        EXPECT_EQ(targets.size(), 12U);
        for (const char* item : {"early", "late"})
            for (int version = 1; version <= 6; ++version)
                expectProven(folder_ / "out" / (std::string(item) + "_v00" + std::to_string(version) + ending));
        for (const std::string& name : names())
            EXPECT_FALSE(name.starts_with(".")) << name;
        fs::remove_all(folder_ / "out");
    }
}

// Assemblies whose layers have names of their own, chosen while they are written.
TEST_F(SharedFolder, AssembliesSideBySideKeepTheirLayersApart) {
    const std::string file = job({{{"format", "usd"},
                                   {"format_options", {{"layout", "references"}, {"encoding", "text"}}},
                                   {"one_file", true},
                                   {"name_template", "both_v{version}"}}});
    for (int round = 0; round < 4; ++round) {
        std::vector<std::unique_ptr<test::Process>> runs;
        for (int i = 0; i < 4; ++i)
            runs.push_back(std::make_unique<test::Process>(std::vector<std::string>{"deliver", file, "-q"}));
        for (auto& run : runs) {
            const auto outcome = run->wait();
            ASSERT_EQ(outcome.code, 0) << outcome.err;
        }
        for (int version = 1; version <= 4; ++version)
            expectProven(folder_ / "out" / ("both_v00" + std::to_string(version) + ".usda"));
        fs::remove_all(folder_ / "out");
    }
}

// However many outputs, a run keeps few files open.
TEST_F(SharedFolder, ManyOutputsNeedNoMoreOpenFiles) {
    Scene many = test::sheetScene();
    const Node sheet = many.nodes.front();
    many.nodes.clear();
    for (int i = 0; i < 100; ++i) {
        Node node = sheet;
        node.name = "piece" + std::to_string(i);
        node.path = "/" + node.name;
        node.id = NodeId::fresh();
        many.nodes.push_back(std::move(node));
    }
    ASSERT_TRUE(test::writeScene(many, folder_ / "many.abc"));
    test::Process run({"-c", "ulimit -n 60; exec '" + std::string(WYC_PROGRAM) + "' convert '" +
                                 (folder_ / "many.abc").string() + "' --per-item -o '" +
                                 (folder_ / "out/x.mdd").string() + "'"},
                      "/bin/sh");
    const auto outcome = run.wait();
    EXPECT_EQ(outcome.code, 0) << outcome.err;
    EXPECT_EQ(names().size(), 200U);
}

TEST_F(SharedFolder, OfRunsForOneNameOneWritesItAndTheOthersSayWhy) {
    for (const bool replace : {false, true}) {
        const std::string file = job({{{"format", "alembic"}, {"name_template", "{item}"}, {"replace", replace}}});
        std::vector<std::unique_ptr<test::Process>> runs;
        for (int i = 0; i < 5; ++i)
            runs.push_back(std::make_unique<test::Process>(std::vector<std::string>{"deliver", file}));
        int written = 0;
        for (auto& run : runs) {
            const auto outcome = run->wait();
            written += outcome.code == 0;
            if (outcome.code != 0) {
                EXPECT_TRUE(outcome.err.find("is there already") != std::string::npos ||
                            outcome.err.find("another run is writing it now") != std::string::npos)
                    << outcome.err;
            }
        }
        EXPECT_TRUE(replace ? written >= 1 : written == 1) << written;
        for (const char* name : {"early.abc", "late.abc"})
            expectProven(folder_ / "out" / name);
        EXPECT_EQ(names().size(), 4U);
        if (!replace)
            fs::remove_all(folder_ / "out");
    }
}

TEST_F(SharedFolder, AKilledRunLeavesWholeFilesOrNoneAndStopsNobody) {
    const std::string file = job({{{"format", "alembic"}, {"name_template", "{item}_v{version}"}},
                                  {{"format", "obj-sequence"}, {"name_template", "{item}_s{version}"}}});
    std::mt19937 random(4711);
    for (int round = 0; round < 8; ++round) {
        test::Process run({"deliver", file});
        std::this_thread::sleep_for(std::chrono::milliseconds(random() % 120));
        run.signal(SIGKILL);
        (void)run.wait();
        for (const std::string& name : names())
            if (name.ends_with(".abc") || name.find("_s0") != std::string::npos)
                if (!name.starts_with("."))
                    expectProven(folder_ / "out" / name);
    }
    const auto before = names();
    const auto after = wyc({"deliver", file, "--json"});
    ASSERT_EQ(after.code, 0) << after.err;
    const json document = after.json();
    for (const json& output : document["outputs"])
        EXPECT_FALSE(before.contains(fs::path(output["target"].get<std::string>()).filename().string()));
    for (const std::string& name : before)
        EXPECT_FALSE((name.ends_with(".wyc-part-run") || name.starts_with(".claimed.")) && names().contains(name))
            << name;
}

TEST_F(SharedFolder, WhatKilledRunsLeftIsToldAndGoesWhenItIsOld) {
    const std::string file = job({{{"format", "alembic"}, {"name_template", "{item}_v{version}"}}});
    const fs::path old = left(".late_v001.abc.wyc-part-1-0", 30);
    const fs::path oldFile = left(".job.wyc.wyc-part-1-0", 30, false);
    const fs::path young = left(".late_v001.abc.wyc-part-1-1", 2);
    const fs::path replacing = left(".late_v001.abc.wyc-part-1-2", 30);
    test::writeFile(replacing / "replacing", "");
    fs::last_write_time(replacing / "replacing", fs::last_write_time(replacing / "late_v001.abc"));
    const fs::path alive = left(".late_v001.abc.wyc-part-1-3", 30);
    const fs::path ours = left(".mine", 30);
    const fs::path notes = left("about.wyc-part-notes.txt", 30, false);
    const int holder = ::open(alive.c_str(), O_RDONLY | O_DIRECTORY);
    ASSERT_EQ(::flock(holder, LOCK_EX), 0);
    const auto outcome = wyc({"deliver", file});
    ::close(holder);
    ASSERT_EQ(outcome.code, 0) << outcome.err;
    const auto told = [&](const fs::path& path) {
        return outcome.err.find("'" + path.string() + "'") != std::string::npos;
    };
    EXPECT_FALSE(fs::exists(old));
    EXPECT_FALSE(fs::exists(oldFile));
    for (const fs::path& kept : {young, replacing, alive, ours, notes})
        EXPECT_TRUE(fs::exists(kept)) << kept;
    for (const fs::path& path : {old, oldFile, young, replacing})
        EXPECT_TRUE(told(path)) << path << outcome.err;
    EXPECT_FALSE(told(alive) || told(ours) || told(notes)) << outcome.err;
}

TEST_F(SharedFolder, ReplacingTakesNothingThatSomebodyElseMade) {
    const fs::path out = folder_ / "out";
    const std::string file = job({{{"format", "mdd"}, {"name_template", "{item}"}, {"replace", true}}});
    const std::string source = (folder_ / "early.abc").string();
    const auto convert = [&](const std::string& name, bool record) {
        std::vector<std::string> words{"convert", source, "--replace", "-o", (out / name).string()};
        if (record)
            words.emplace_back("--record");
        return wyc(words);
    };
    const std::string mine = "# sculpted by hand\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n";
    const auto refusedWith = [&](const test::Outcome& outcome, const fs::path& kept) {
        EXPECT_EQ(outcome.code, 2) << kept;
        EXPECT_NE(outcome.err.find("not replaced"), std::string::npos) << outcome.err;
        EXPECT_EQ(test::readFile(kept), mine) << kept;
    };
    // The rest mesh of another, beside a free name and beside a delivery.
    fs::create_directories(out);
    test::writeFile(out / "early_rest.obj", mine);
    refusedWith(wyc({"deliver", file}), out / "early_rest.obj");
    refusedWith(convert("early.mdd", false), out / "early_rest.obj");
    fs::remove(out / "early_rest.obj");
    ASSERT_EQ(wyc({"deliver", file}).code, 0);
    ASSERT_EQ(wyc({"deliver", file}).code, 0); // its own it takes
    ASSERT_EQ(convert("early.mdd", true).code, 0);
    ASSERT_EQ(convert("early.mdd", false).code, 0); // without a record, by what the rest mesh says itself
    ASSERT_EQ(convert("early.mdd", false).code, 0);
    test::writeFile(out / "early_rest.obj", mine);
    refusedWith(convert("early.mdd", false), out / "early_rest.obj");
    fs::remove(out / "early_rest.obj");
    // A rest mesh that was delivered by itself.
    ASSERT_EQ(convert("plain_rest.obj", true).code, 0);
    const std::string plain = test::readFile(out / "plain_rest.obj");
    EXPECT_EQ(convert("plain.mdd", false).code, 2);
    EXPECT_EQ(test::readFile(out / "plain_rest.obj"), plain);
    // What is called like its record and is none.
    test::writeFile(out / "note.abc.record.json", mine);
    refusedWith(convert("note.abc", true), out / "note.abc.record.json");
    refusedWith(convert("note.abc", false), out / "note.abc.record.json");
    // A frame that somebody put among those that were delivered.
    const std::string sequence = job({{{"format", "obj-sequence"}, {"name_template", "{item}"}, {"replace", true}}});
    ASSERT_EQ(wyc({"deliver", sequence}).code, 0);
    const fs::path frame = test::writeFile(out / "early/early.1900.obj", mine);
    refusedWith(wyc({"deliver", sequence}), frame);
    fs::remove(frame);
    EXPECT_EQ(wyc({"deliver", sequence}).code, 0);
}

// Whoever must not read a file of ours cannot tell that it is nobody's.
TEST_F(SharedFolder, WhatIsHeldIsSeenToBeHeldWhateverTheMask) {
    fs::create_directories(folder_ / "out");
    const mode_t mask = ::umask(077);
    const fs::path path = folder_ / "out/.claimed.wyc-part-1-0";
    {
        const auto lock = FileLock::ofItsOwn(path);
        ::umask(mask);
        ASSERT_TRUE(lock && *lock);
        EXPECT_EQ(fs::status(path).permissions() & fs::perms::others_read, fs::perms::others_read);
        EXPECT_TRUE(FileLock::isHeld(path));
        const auto second = FileLock::ofItsOwn(path);
        EXPECT_TRUE(second && !*second);
    }
    EXPECT_FALSE(fs::exists(path));
    EXPECT_FALSE(FileLock::isHeld(path));
}

TEST_F(SharedFolder, ATargetThatIsThereIsRefusedBeforeAnythingIsWritten) {
    test::writeFile(folder_ / "there.abc", "mine");
    for (const char* name : {"there.abc", "fresh/new.mdd"}) {
        fs::create_directories(folder_ / "fresh");
        test::writeFile(folder_ / "fresh/new_rest.obj", "mine");
        const auto refused = wyc({"convert", (folder_ / "early.abc").string(), "-o", (folder_ / name).string()});
        EXPECT_EQ(refused.code, 2) << name;
        EXPECT_NE(refused.err.find("is there already"), std::string::npos) << refused.err;
    }
    EXPECT_EQ(test::readFile(folder_ / "there.abc"), "mine");
    EXPECT_EQ(names("fresh").size(), 1U);
}

TEST_F(SharedFolder, ASourceThatIsMissingStopsWhatMayNeedItAndNothingElse) {
    const std::string file = job({{{"format", "alembic"}, {"name_template", "{item}_a"}, {"items", {"early.abc/*"}}},
                                  {{"format", "alembic"}, {"name_template", "{item}_b"}}});
    fs::rename(folder_ / "late.abc", folder_ / "away.abc");
    const auto all = wyc({"deliver", file});
    EXPECT_EQ(all.code, 2);
    EXPECT_NE(all.err.find("'d2' may take from it"), std::string::npos) << all.err;
    EXPECT_TRUE(nothingIsThere());
    const auto judged = wyc({"deliver", file, "--only", "d1", "--fail-on", "note", "--json"});
    EXPECT_EQ(judged.out.find("source.unreadable"), std::string::npos) << judged.out;
    const auto one = wyc({"deliver", file, "--only", "d1"});
    EXPECT_EQ(one.code, 0) << one.err;
    EXPECT_NE(one.err.find("late.abc"), std::string::npos) << one.err; // told
    EXPECT_EQ(names(), (std::set<std::string>{"early_a.abc", "early_a.abc.record.json"}));
    for (const char* only : {"d2", "late.abc/*", "nobody", "*"})
        EXPECT_EQ(wyc({"deliver", file, "--only", only}).code, 2) << only;
    // A first frame counts from all items of a delivery.
    for (const auto& [items, code] : {std::pair{json{"*"}, 2}, {json{"*", "!late.abc/*"}, 0}}) {
        const std::string numbered =
            job({{{"format", "alembic"}, {"name_template", "{item}_c"}, {"items", items}, {"first_frame", 1}}});
        const auto outcome = wyc({"deliver", numbered, "--only", "early.abc/*"});
        EXPECT_EQ(outcome.code, code) << items.dump() << outcome.err;
    }
}

TEST_F(SharedFolder, NamesThatAreNoUtf8WorkOrAreRefusedInWords) {
    const std::string odd = "caf\xe9";
    const fs::path source = folder_ / (odd + ".abc");
    fs::copy_file(folder_ / "early.abc", source);
    const fs::path target = folder_ / ("o" + odd + ".abc");
    for (const bool asJson : {false, true})
        for (std::vector<std::string> words :
             {std::vector<std::string>{"info", source.string()},
              {"check", source.string()},
              {"convert", source.string(), "--record", "--replace", "-o", target.string()},
              {"convert", source.string(), "--record", "--replace", "-o", (folder_ / (odd + ".####.obj")).string()},
              {"prove", target.string()},
              {"compare", source.string(), target.string()},
              {"job", (folder_ / (odd + ".wyc")).string(), "--new", "--add", source.string()}}) {
            if (asJson)
                words.emplace_back("--json");
            const auto outcome = wyc(words);
            EXPECT_EQ((outcome.out + outcome.err).find("exception"), std::string::npos) << outcome.out << outcome.err;
            EXPECT_TRUE(outcome.code == 0 || outcome.code == 1 ||
                        (outcome.code == 2 && (asJson ? outcome.json().contains("error") : !outcome.err.empty())))
                << words[0] << outcome.code << outcome.out << outcome.err;
            if (asJson && words[0] != "prove") {
                EXPECT_TRUE(outcome.json().is_object()) << words[0] << outcome.out << outcome.err;
            }
        }
}

} // namespace
} // namespace wyc::shared_folder_test
