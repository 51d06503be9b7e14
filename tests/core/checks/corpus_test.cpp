// SPDX-License-Identifier: GPL-3.0-or-later
// Right about the guilty and about the innocent: through the workbench, as the window asks it, with every mend tried.
#include <gtest/gtest.h>

#include <random>

#include <nlohmann/json.hpp>

#include "support/corpus.h"
#include "workbench/workbench.h"

namespace wyc::corpus_test {
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
            if (from.rest) {
                Node mesh{"rest", "/rest", -1, NodeKind::Mesh, nullptr, from.rest, std::nullopt, {}};
                source->rest = std::make_shared<const Node>(std::move(mesh));
            }
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

// Motions made at random: sums of slow waves, eased moves with rests, turns and bending, on ones.
struct RandomMotion {
    explicit RandomMotion(std::uint64_t seed) : random(seed) {
        std::uniform_real_distribution<double> share(0.0, 1.0);
        for (int k = 0; k < 3; ++k)
            waves.push_back({share(random) * (k == 0 ? 2.0 : 0.5), 0.03 + 0.25 * share(random), share(random) * 6.28});
        bend = share(random) < 0.5 ? 0.0 : 0.2 + 0.5 * share(random);
        turn = share(random) < 0.5 ? 0.0 : 4.0 * share(random);
        easeFrom = 1001 + 80 * share(random);
        easeFrames = 6 + 40 * share(random);
        easeWay = share(random) < 0.5 ? 0.0 : 6.0 * share(random);
        restless = share(random) < 0.6; // else it only eases
    }
    struct Wave {
        double size;
        double speed;
        double phase;
    };
    [[nodiscard]] std::vector<Vec3f> operator()(double frame) const {
        double x = 0.0;
        for (const Wave& wave : waves)
            x += restless ? wave.size * std::sin(wave.speed * frame + wave.phase) : 0.0;
        const double t = std::clamp((frame - easeFrom) / easeFrames, 0.0, 1.0);
        std::vector<Vec3f> points =
            test::rigid({x, 0.5 * x, easeWay * t * t * (3.0 - 2.0 * t)}, restless ? turn * frame : 0.0);
        if (bend > 0.0 && restless) {
            const auto waved = test::waved(frame * bend);
            for (std::size_t i = 0; i < points.size(); ++i)
                points[i].y += waved[i].y;
        }
        return points;
    }
    std::mt19937_64 random;
    std::vector<Wave> waves;
    double bend = 0.0;
    double turn = 0.0;
    double easeFrom = 0.0;
    double easeFrames = 0.0;
    double easeWay = 0.0;
    bool restless = true;
};

TEST(Corpus, RandomSmoothMotionsAreInnocent) {
    for (std::uint64_t seed = 1; seed <= 400; ++seed) {
        const RandomMotion motion(seed);
        CorpusCase one{"random", {test::body([&](double f) { return motion(f); })}, test::corpusShot()};
        std::vector<ItemFinding> findings = Opened(one).findings();
        std::erase_if(findings, [](const ItemFinding& f) { return f.finding.severity == Severity::Note; });
        EXPECT_TRUE(findings.empty()) << "seed " << seed << ":" << listed(findings);
    }
}

TEST(Corpus, RandomPopsAndSpikesAreFoundAtTheirFrame) {
    std::size_t missed = 0;
    for (std::uint64_t seed = 1; seed <= 400; ++seed) {
        const RandomMotion motion(seed);
        std::mt19937_64 random(seed * 977);
        const double frame = 1003.0 + static_cast<double>(random() % 90);
        const bool spike = random() % 2 == 0;
        const std::size_t point = random() % 120;
        // Out by eight times what any point moves around there, and by a hand at least.
        float usual = 0.0F;
        for (double f = frame - 6; f < frame + 6; f += 1.0) {
            const auto a = motion(f);
            const auto b = motion(f + 1);
            for (std::size_t i = 0; i < a.size(); ++i)
                usual = std::max(usual, static_cast<float>(length(Vec3d(a[i]) - Vec3d(b[i]))));
        }
        const float away = std::max(8.0F * usual, 0.1F);
        const auto planted = [&](double f) {
            auto points = motion(f);
            if (f == frame)
                for (std::size_t i = 0; i < points.size(); ++i)
                    points[i].z += !spike || i == point ? away : 0.0F;
            return points;
        };
        const auto findings = Opened({"planted", {test::body(planted)}, test::corpusShot()}).findings();
        const auto found = std::find_if(findings.begin(), findings.end(), [&](const ItemFinding& f) {
            return f.finding.id == (spike ? "points.spike" : "motion.pop") && f.finding.frame == frame;
        });
        if (found == findings.end()) {
            ++missed;
            ADD_FAILURE() << (spike ? "spike" : "pop") << " at " << frame << ", seed " << seed << ":"
                          << listed(findings);
        }
    }
    EXPECT_EQ(missed, 0U);
}

} // namespace
} // namespace wyc::corpus_test
