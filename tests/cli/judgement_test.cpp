// SPDX-License-Identifier: GPL-3.0-or-later
// The corpora through the program: files of the guilty and of the innocent, `wyc check`, and what it says.
#include <gtest/gtest.h>

#include "support/corpus.h"
#include "support/process.h"

namespace wyc::judgement_test {
namespace {

using nlohmann::json;
using test::CorpusCase;

// Writes a case's sources and checks them with its shot.
test::Outcome checked(const CorpusCase& one, const fs::path& folder) {
    std::vector<std::string> arguments{"check", "--json", "--fail-on", "caution"};
    for (const test::CorpusSource& source : one.sources) {
        const fs::path path = folder / (source.name + (source.rest ? ".mdd" : ".abc"));
        EXPECT_TRUE(test::writeScene(source.scene, path));
        if (source.rest) {
            Scene rest;
            rest.nodes.push_back(Node{"rest", "/rest", -1, NodeKind::Mesh, nullptr, source.rest, {}, {}});
            EXPECT_TRUE(test::writeScene(rest, folder / (source.name + "_rest.obj")));
        }
        arguments.push_back(path.string());
    }
    arguments.insert(arguments.end(), {"--range", one.shot.range->text(), "--handles", std::to_string(one.shot.handles),
                                       "--rate", "24", "--unit", "m", "--up", "Y"});
    return test::wyc(arguments);
}

TEST(Judgement, InnocentFilesAreClean) {
    for (const CorpusCase& one : test::innocents()) {
        if (std::any_of(one.sources.begin(), one.sources.end(), [](const auto& s) { return !s.steps.empty(); }))
            continue; // those are judged as items of a job
        const test::TempFolder folder;
        const auto outcome = checked(one, folder.path());
        EXPECT_EQ(outcome.code, 0) << one.name << ": " << outcome.out << outcome.err;
    }
}

TEST(Judgement, GuiltyFilesAreFound) {
    for (const CorpusCase& one : test::guilty()) {
        const test::TempFolder folder;
        const auto outcome = checked(one, folder.path());
        EXPECT_EQ(outcome.code, 1) << one.name << ": " << outcome.err;
        const json document = outcome.json();
        bool found = false;
        for (const json& finding : document["findings"])
            found = found || (finding["id"] == one.id && (!one.frame || finding["frame"] == *one.frame) &&
                              finding["count"] == one.count);
        EXPECT_TRUE(found) << one.name << ": " << outcome.out;
    }
}

// Two folders with a file of one name: what is found is said of the right one, and not joined with the other's.
TEST(Judgement, FilesOfOneNameAreToldApart) {
    const test::TempFolder folder;
    std::vector<std::string> arguments{"check", "--json"};
    for (const char* where : {"back", "out"}) {
        fs::create_directories(folder / where);
        test::SheetOptions options;
        options.plant = [&](double frame, std::vector<Vec3f>& points) {
            for (Vec3f& p : points)
                p.x += where[0] == 'b' && frame == 1012 ? 7.0F : 0.0F;
        };
        ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder / where / "sheet.abc"));
        arguments.push_back((folder / where / "sheet.abc").string());
    }
    const auto outcome = test::wyc(arguments);
    std::size_t pops = 0;
    const json document = outcome.json();
    for (const json& finding : document["findings"])
        if (finding["id"] == "motion.pop") {
            ++pops;
            EXPECT_EQ(finding["source"], (folder / "back/sheet.abc").string());
            EXPECT_EQ(finding["item"], "/sheet");
        }
    EXPECT_EQ(pops, 1U) << outcome.out << outcome.err;
}

} // namespace
} // namespace wyc::judgement_test
