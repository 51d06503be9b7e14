// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <sys/wait.h>
#include <unistd.h>

#include <random>

#include "delivery/ask/chosen.h"
#include "job/document.h"
#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::job_test {
namespace {

using test::TempFolder;

Job fullJob(const fs::path& folder) {
    Job job;
    job.shot.name = "sh040";
    job.shot.range = FrameRange{1009, 1128};
    job.shot.handles = 8;
    job.shot.rate = *FrameRate::parse("23.976");
    job.shot.unitMetres = 0.01;
    job.shot.upAxis = UpAxis::Z;
    job.sources.push_back({{1}, {folder / "a b.mdd", folder / "rest.obj", "bell", false}});
    job.sources.push_back({{2}, {"/elsewhere/ü.####.obj", {}, {}, true, {{"part", "hull"}}}});
    job.items.push_back(
        {{1},
         "/a b",
         {{"offset", {{"frames", -1.0}}, true}, {"drop", *checkedOptions(*stepType("drop"), {{"start", 1}}), false}},
         true});
    DeliverySpec spec;
    spec.name = "layout";
    spec.items = {"a*", "!b"};
    spec.format = "mdd";
    spec.formatOptions = {{"materials", "left out"}};
    spec.range = FrameRange{1, 2};
    spec.handles = 0.0;
    spec.rate = FrameRate();
    spec.unitMetres = 1.0;
    spec.upAxis = UpAxis::Y;
    spec.firstFrame = 1;
    spec.oneFile = true;
    spec.nameTemplate = "{item}";
    spec.folder = folder / "out";
    spec.replace = true;
    job.deliveries.push_back(spec);
    return job;
}

TEST(Job, EverythingSurvivesSavingAndLoading) {
    const TempFolder folder;
    const Job job = fullJob(folder.path());
    ASSERT_TRUE(saveJob(job, folder / "a.wyc"));
    const auto back = loadJob(folder / "a.wyc");
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(*back, job);
}

TEST(Job, PathsBelowItsFolderMoveWithIt) {
    const TempFolder folder;
    fs::create_directories(folder / "one");
    ASSERT_TRUE(saveJob(fullJob(folder / "one"), folder / "one/a.wyc"));
    fs::rename(folder / "one", folder / "two");
    const auto moved = loadJob(folder / "two/a.wyc");
    ASSERT_TRUE(moved);
    EXPECT_EQ(moved->sources[0].spec.path, folder / "two/a b.mdd");
    EXPECT_EQ(moved->sources[1].spec.path, "/elsewhere/ü.####.obj");
    EXPECT_EQ(moved->deliveries[0].folder, folder / "two/out");
}

TEST(Job, DamagedFilesAreRefusedWithAWord) {
    const TempFolder folder;
    const auto refuse = [&](const std::string& text) {
        const auto job = loadJob(test::writeFile(folder / "a.wyc", text));
        EXPECT_FALSE(job) << text;
        return job ? std::string() : job.error().what;
    };
    EXPECT_NE(refuse("").find("JSON"), std::string::npos);
    EXPECT_NE(refuse("{}").find("no Wychronos job"), std::string::npos);
    EXPECT_NE(refuse(R"({"wychronos_job": 99})").find("later version"), std::string::npos);
    refuse(R"({"wychronos_job": "1"})");
    refuse(R"({"wychronos_job": 1, "sources": 5})");
    refuse(R"({"wychronos_job": 1, "sources": [{"id": 1, "path": "a"}, {"id": 1, "path": "b"}]})");
    refuse(R"({"wychronos_job": 1, "sources": [{"path": "a"}]})");
    refuse(R"({"wychronos_job": 1, "items": [{"source": 1, "path": "a", "steps": [{"type": "fly"}]}]})");
    refuse(R"({"wychronos_job": 1, "shot": {"first": 5, "last": 1}})");
    refuse(R"({"wychronos_job": 1, "shot": {"rate": "fast"}})");
    refuse(R"({"wychronos_job": 1, "shot": {"unit_metres": -1}})");
    refuse(R"({"wychronos_job": 1, "deliveries": [{"up_axis": "Q"}]})");
    refuse(R"({"wychronos_job": 2, "sources": [{"id": 1, "path": "a", "options": []}]})");
    refuse(R"({"wychronos_job": 2, "deliveries": [{"format_options": 3}]})");
    EXPECT_TRUE(loadJob(test::writeFile(folder / "b.wyc", R"({"wychronos_job": 1})")));
}

TEST(Job, SavingReplacesWholeOrNotAtAll) {
    const TempFolder folder;
    ASSERT_TRUE(saveJob(fullJob(folder.path()), folder / "a.wyc"));
    const std::string before = test::readFile(folder / "a.wyc");
    EXPECT_FALSE(saveJob(Job(), folder / "none/a.wyc"));
    EXPECT_EQ(test::readFile(folder / "a.wyc"), before);
}

TEST(Job, SourceIdsAreNeverGivenTwice) {
    Job job;
    job.sources.push_back({job.freeSourceId(), {"a", {}, {}, true}});
    job.items.push_back({{7}, "/gone", {}, false});
    EXPECT_EQ(job.freeSourceId().value, 8);
    EXPECT_EQ(job.source({9}), nullptr);
    EXPECT_NE(job.source({1}), nullptr);
    job.itemFor({1}, "/x").leftOut = true;
    EXPECT_TRUE(job.item({1}, "/x")->leftOut);
    EXPECT_EQ(&job.itemFor({1}, "/x"), job.item({1}, "/x"));
}

TEST(Document, EditsUndoAndRedo) {
    Document document;
    int changes = 0;
    document.onChange = [&] { ++changes; };
    document.edit("Name", [](Job& job) { job.shot.name = "a"; });
    document.edit("Name again", [](Job& job) { job.shot.name = "b"; });
    document.edit("Nothing", [](Job&) {});
    EXPECT_EQ(changes, 2);
    EXPECT_TRUE(document.modified());
    EXPECT_EQ(document.undoLabel(), "Name again");
    document.undo();
    EXPECT_EQ(document.job().shot.name, "a");
    EXPECT_EQ(document.redoLabel(), "Name again");
    document.redo();
    EXPECT_EQ(document.job().shot.name, "b");
    document.undo();
    document.undo();
    document.undo();
    EXPECT_EQ(document.job(), Job());
    EXPECT_FALSE(document.modified());
    document.edit("Other", [](Job& job) { job.shot.handles = 3; });
    EXPECT_FALSE(document.canRedo());
}

TEST(Document, ADragIsOneEdit) {
    Document document;
    for (int i = 1; i <= 20; ++i)
        document.edit(
            "Drag", [&](Job& job) { job.shot.handles = i; }, "drag");
    document.endMerge();
    document.edit(
        "Drag", [](Job& job) { job.shot.handles = 99; }, "drag");
    document.undo();
    EXPECT_EQ(document.job().shot.handles, 20.0);
    document.undo();
    EXPECT_EQ(document.job().shot.handles, 0.0);
    EXPECT_FALSE(document.canUndo());
}

TEST(Document, SavesLoadsAndKnowsWhetherItDiffers) {
    const TempFolder folder;
    Document document;
    document.edit("Name", [](Job& job) { job.shot.name = "a"; });
    ASSERT_TRUE(document.save(folder / "a.wyc"));
    EXPECT_FALSE(document.modified());
    document.undo();
    EXPECT_TRUE(document.modified());
    ASSERT_TRUE(document.load(folder / "a.wyc"));
    EXPECT_EQ(document.job().shot.name, "a");
    EXPECT_FALSE(document.canUndo());
    const Job before = document.job();
    EXPECT_FALSE(document.load(folder / "none.wyc"));
    EXPECT_EQ(document.job(), before); // a failed open loses nothing
}

TEST(Document, WhatSomebodyElseSavedMeanwhileIsNotWrittenOver) {
    const test::TempFolder folder;
    const fs::path path = folder / "shot.wyc";
    Document one;
    one.edit("name", [](Job& job) { job.shot.name = "first"; });
    ASSERT_TRUE(one.save(path));
    Document other;
    ASSERT_TRUE(other.load(path));
    other.edit("name", [](Job& job) { job.shot.name = "other"; });
    ASSERT_TRUE(other.save(path));
    one.edit("name", [](Job& job) { job.shot.name = "late"; });
    const auto refused = one.save(path);
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().kind, ErrorKind::Changed);
    EXPECT_EQ(loadJob(path)->shot.name, "other");
    EXPECT_TRUE(one.modified());
    EXPECT_TRUE(one.save(folder / "mine.wyc"));
    ASSERT_TRUE(other.save(path)); // it knows what it saved itself
    fs::remove(path);
    EXPECT_TRUE(other.save(path)); // and puts it there again when it is gone
}

TEST(Document, WhatARunThatDiedLeftBehindIsRecovered) {
    const TempFolder folder;
    const fs::path recovery = folder / "recovery";
    const pid_t child = ::fork();
    if (child == 0) {
        Document document;
        document.setAutosaveFolder(recovery);
        document.edit("Name", [](Job& job) { job.shot.name = "unsaved"; });
        ::_exit(document.autosave() ? 0 : 1);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_EQ(status, 0);
    const auto states = Document::recoverable(recovery);
    ASSERT_EQ(states.size(), 1U);
    Document document;
    document.recover(states[0]);
    EXPECT_EQ(document.job().shot.name, "unsaved");
    EXPECT_TRUE(document.modified());
    EXPECT_TRUE(Document::recoverable(recovery).empty());
}

// A run that is started elsewhere has to find the job again.
TEST(Document, RecoveryKnowsTheWholePathOfTheJob) {
    const TempFolder folder;
    Job job;
    job.shot.name = "a";
    ASSERT_TRUE(saveJob(job, folder / "a.wyc"));
    const fs::path before = fs::current_path();
    fs::current_path(folder.path());
    const pid_t child = ::fork();
    if (child == 0) {
        Document document;
        document.setAutosaveFolder(folder / "recovery");
        const bool opened = document.load("a.wyc").has_value();
        document.edit("Name", [](Job& next) { next.shot.name = "unsaved"; });
        ::_exit(opened && document.autosave() ? 0 : 1);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    fs::current_path(before);
    ASSERT_EQ(status, 0);
    const auto states = Document::recoverable(folder / "recovery");
    ASSERT_EQ(states.size(), 1U);
    EXPECT_EQ(states[0].jobPath, folder / "a.wyc");
    Document document;
    document.setAutosaveFolder(folder / "recovery");
    document.recover(states[0]);
    EXPECT_TRUE(document.modified());
    EXPECT_EQ(test::namesIn(folder / "recovery").size(), 1U); // ours, in its place
}

TEST(Document, ACleanEndLeavesNoRecovery) {
    const TempFolder folder;
    Document document;
    document.setAutosaveFolder(folder / "recovery");
    document.edit("Name", [](Job& job) { job.shot.name = "x"; });
    ASSERT_TRUE(document.autosave());
    EXPECT_EQ(test::namesIn(folder / "recovery").size(), 1U);
    EXPECT_TRUE(Document::recoverable(folder / "recovery").empty()); // it still lives
    document.undo();
    ASSERT_TRUE(document.autosave());
    EXPECT_TRUE(test::namesIn(folder / "recovery").empty());
}

// Ticking items one by one takes what a set of ticks says, whatever the patterns were before.
TEST(Chosen, TicksMeanWhatTheyShow) {
    std::vector<ItemNames> items;
    for (const char* path : {"/a/bell", "/a/ring", "/b/bell", "/b*d", "/c"})
        items.push_back({std::string("shoal.abc") + path, path,
                         std::string(path).substr(std::string(path).rfind('/') + 1), std::string_view(path) == "/c"});
    const auto taken = [&](const std::vector<std::string>& patterns) {
        std::vector<bool> result;
        for (const ItemNames& item : items)
            result.push_back(isTaken(patterns, item));
        return result;
    };
    EXPECT_EQ(taken({}), (std::vector<bool>{true, true, true, true, false})); // the job leaves the last one out
    EXPECT_EQ(taken({"*"}), taken({}));
    EXPECT_EQ(taken({"!*bell"}), (std::vector<bool>{false, true, false, true, false}));
    EXPECT_EQ(taken({"*/c"}), (std::vector<bool>{false, false, false, false, true}));
    std::mt19937 random(5);
    for (const std::vector<std::string>& start :
         {std::vector<std::string>{}, {"*"}, {"!*bell"}, {"shoal.abc/a/bell"}, {"*bell", "!*/b/*"}, {"!*"}}) {
        std::vector<std::string> patterns = start;
        std::vector<bool> ticks = taken(patterns);
        for (int step = 0; step < 200; ++step) {
            const std::size_t which = random() % items.size();
            ticks[which] = !ticks[which];
            patterns = withItem(patterns, items[which], ticks[which]);
            ASSERT_EQ(taken(patterns), ticks) << step;
        }
        EXPECT_LE(patterns.size(), start.size() + 2 * items.size() + 1); // they do not pile up
    }
}

TEST(ItemScene, IsTheItemWithWhatStandsAboveIt) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.abc"));
    const auto source = openSource({folder / "s.abc", {}, {}, true}, FrameRate());
    ASSERT_TRUE(source);
    EXPECT_TRUE(itemScene(**source, "/sheet", {}));
    EXPECT_FALSE(itemScene(**source, "/nobody", {}));
    Job job;
    job.sources.push_back({{1}, (*source)->spec});
    job.itemFor({1}, "/sheet").steps = {{"rename", {{"name", "leaf"}}, true}};
    const auto inputs = deliveryInputs(job, DeliverySpec(), {*source});
    ASSERT_TRUE(inputs);
    ASSERT_EQ(inputs->size(), 1U);
    EXPECT_EQ((*inputs)[0].itemName, "leaf");
    EXPECT_EQ((*inputs)[0].label, "s.abc/sheet");
    DeliverySpec none;
    none.items = {"other*"};
    EXPECT_FALSE(deliveryInputs(job, none, {*source})); // it would deliver nothing without a word
    job.itemFor({1}, "/sheet").leftOut = true;
    EXPECT_TRUE(deliveryInputs(job, DeliverySpec(), {*source})->empty());
}

} // namespace
} // namespace wyc::job_test
