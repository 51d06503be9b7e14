// SPDX-License-Identifier: GPL-3.0-or-later
// Right about the guilty and about the innocent: through the workbench, as the window asks it, with every mend tried.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support/corpus.h"
#include "workbench/workbench.h"

namespace wyc {
namespace {

using test::CorpusCase;

// A case opened as a job.
class Opened {
  public:
    explicit Opened(const CorpusCase& given) {
        job_.shot = given.shot;
        for (const test::CorpusSource& from : given.sources) {
            auto source = std::make_shared<Source>();
            source->name = from.name;
            source->spec.path = from.name;
            source->format = formatById(from.rest ? "mdd" : "alembic");
            source->rest = from.rest;
            source->scene = from.scene;
            source->tree = std::make_shared<const SceneTree>(source->shown());
            const SourceId id{static_cast<int>(sources_.size()) + 1};
            job_.sources.push_back({id, source->spec});
            for (const Node& node : from.scene.nodes)
                if (!from.steps.empty())
                    job_.items.push_back({id, node.path, from.steps, false});
            sources_.push_back({id, std::move(source)});
        }
    }
    std::vector<ItemFinding> findings() {
        bool changed = false;
        auto items = itemsOf(job_, sources_, {}, changed);
        for (const ItemView& item : items)
            EXPECT_FALSE(item.error) << item.error->text();
        EXPECT_TRUE(measureItems(items, Progress()));
        return findingsOf(job_, sources_, items);
    }
    void add(const ItemKey& key, const std::vector<Step>& steps) {
        for (JobItem& item : job_.items)
            if (item.source == key.source && item.path == key.path) {
                item.steps.insert(item.steps.end(), steps.begin(), steps.end());
                return;
            }
        job_.items.push_back({key.source, key.path, steps, false});
    }

  private:
    Job job_;
    std::vector<OpenedSource> sources_;
};

std::string listed(const std::vector<ItemFinding>& findings) {
    std::string text;
    for (const ItemFinding& found : findings)
        text += "\n  " + found.finding.id + " " + found.finding.item + ": " + found.finding.text;
    return text;
}

TEST(Corpus, TheInnocentStayClean) {
    const auto cases = test::innocents();
    ASSERT_GE(cases.size(), 25U);
    for (const CorpusCase& one : cases) {
        std::vector<ItemFinding> findings = Opened(one).findings();
        std::erase_if(findings, [](const ItemFinding& f) { return f.finding.severity == Severity::Note; });
        EXPECT_TRUE(findings.empty()) << one.name << ":" << listed(findings);
    }
}

TEST(Corpus, TheGuiltyAreFoundAndTheirMendsLeaveNothing) {
    const auto cases = test::guilty();
    ASSERT_GE(cases.size(), 25U);
    for (const CorpusCase& one : cases) {
        Opened opened(one);
        const std::vector<ItemFinding> findings = opened.findings();
        const auto found = std::find_if(findings.begin(), findings.end(),
                                        [&](const ItemFinding& f) { return f.finding.id == one.id; });
        if (found == findings.end()) {
            ADD_FAILURE() << one.name << ": " << one.id << " was not found:" << listed(findings);
            continue;
        }
        const Finding& finding = found->finding;
        EXPECT_GE(finding.severity, Severity::Caution) << one.name;
        if (one.frame)
            EXPECT_EQ(finding.frame, one.frame) << one.name << ": " << finding.text;
        if (one.figure)
            EXPECT_NEAR(finding.figure.value_or(0.0) / *one.figure, 1.0, 0.01) << one.name << ": " << finding.text;
        EXPECT_EQ(finding.count, one.count) << one.name;
        EXPECT_FALSE(finding.advice.empty()) << one.name;
        // One fault, one finding: nothing else is accused.
        std::vector<ItemFinding> others = findings;
        std::erase_if(others, [&](const ItemFinding& f) {
            return f.finding.severity == Severity::Note || f.finding.id == one.id;
        });
        EXPECT_TRUE(others.empty()) << one.name << ", also:" << listed(others);
        if (!one.mends)
            continue;
        ASSERT_FALSE(finding.mend.empty()) << one.name;
        EXPECT_FALSE(finding.mendLabel.empty()) << one.name;
        opened.add(found->key, finding.mend);
        std::vector<ItemFinding> left = opened.findings();
        std::erase_if(left, [](const ItemFinding& f) { return f.finding.severity == Severity::Note; });
        EXPECT_TRUE(left.empty()) << one.name << ", after its mend " << toJson(finding.mend).dump() << ":"
                                  << listed(left);
    }
}

} // namespace
} // namespace wyc
