// SPDX-License-Identifier: GPL-3.0-or-later
// Whatever the steps: at every moment the result shows what the source shows at the moment that the steps mean. Random
// scenes, whose tracks are sampled each in its own way, through random chains of all steps, and through files; both
// sides read sample by sample, by a plain evaluator that shares nothing with the steps.
#include <gtest/gtest.h>

#include <cstdlib>
#include <iostream>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "delivery/delivery.h"
#include "gather/sequence.h"
#include "support/judge.h"
#include "support/temp_folder.h"

namespace wyc::truth_test {
namespace {

using nlohmann::json;
using namespace test;

// In parts, which run beside each other.
constexpr int kParts = 4;
class Truth : public testing::TestWithParam<int> {};
INSTANTIATE_TEST_SUITE_P(Parts, Truth, testing::Range(0, kParts));

TEST_P(Truth, AnyChainShowsWhatTheSourceShowsAtEveryMoment) {
    int wrong = 0;
    const int cases = casesAsked(3000) / kParts;
    double worst = 0.0;
    const int first = firstCase() + GetParam() * cases;
    for (int round = first; round < first + cases; ++round) {
        const auto it = randomCase(static_cast<unsigned>(round) * 7919U + 17U, 5);
        if (!it)
            continue;
        const auto result = applySteps(it->source, it->chain);
        const auto fault = result ? firstFault(it->source, *result, it->meaning, &worst)
                                  : std::optional<std::string>(result.error().text());
        if (fault && ++wrong < 12)
            ADD_FAILURE() << "case " << round << ": " << *fault << "\n"
                          << toJson(it->chain) << "\n"
                          << described(it->source) << (result ? described(*result) : "");
    }
    std::cout << wrong << " of " << cases << " wrong; largest gap " << worst << " of the distance from the origin\n";
    EXPECT_EQ(wrong, 0);
}

// Written, and proven on both questions; then read again: through every format that holds scenes.
TEST(TruthOfFiles, AnyChainThroughAnArchive) {
    const test::TempFolder folder;
    const int first = firstCase();
    for (const Format& format : formats()) {
        if (!format.manyItems || !format.keeps(Content::Transforms))
            continue;
        int wrong = 0;
        std::vector<int> rounds{100351}; // was wrong once, far from where the others lie
        for (int round = first; round < first + casesAsked(400); ++round)
            rounds.push_back(round);
        for (const int round : rounds) {
            if (wrong >= 12)
                break;
            const unsigned seed = static_cast<unsigned>(round) * 104729U + 5U;
            auto it = randomCase(seed, 4);
            if (!it)
                continue;
            // Some come from an archive whose times went through float32.
            const bool floatTimes = round % 3 == 0 && std::string_view(format.id) == "alembic";
            if (floatTimes) {
                ASSERT_TRUE(writeScene(randomCase(seed, 4, true)->source, folder / "source.abc"));
                auto read = test::openFile(folder / "source.abc");
                ASSERT_TRUE(read) << read.error().text();
                // The chain was made for what moves in it. An archive holds no rig, and knows what only seems to move.
                const auto span = movingSpan(it->source);
                const auto kept = movingSpan(*read);
                if (!kept || std::abs(kept->first - span->first) + std::abs(kept->last - span->last) > 1e-9)
                    continue;
                it->source = std::move(*read);
            }
            SCOPED_TRACE(fmt::format("{}, case {}: {}", format.id, round, toJson(it->chain).dump()));
            auto result = applySteps(it->source, it->chain);
            ASSERT_TRUE(result) << result.error().text();
            // Each of its encodings in turn.
            const auto which = static_cast<std::size_t>(round) % format.extensions.size();
            const auto path = folder.path() / ("scene" + std::string(format.extensions[which]));
            DeliveryInput input;
            input.scene = std::move(*result);
            input.source = std::make_shared<const Scene>(it->source);
            input.steps = it->chain;
            input.provenance = json::object();
            ConversionSpec spec{path, false, true};
            if (optionNamed(format.writeOptions, "layout")) // and each of its layouts
                spec.formatOptions["layout"] = std::array{"one file", "sublayers", "references",
                                                          "payloads"}[static_cast<std::size_t>(round) / 4 % 4];
            fs::remove_all(path.parent_path() / "out");
            spec.target = path.parent_path() / "out" / path.filename();
            const auto outputs = planConversion({input}, spec);
            ASSERT_TRUE(outputs) << outputs.error().text();
            const auto proven = runOutput(outputs->front(), {true, true}, Progress());
            EXPECT_TRUE(proven) << proven.error().text() << described(it->source);
            if (!proven) {
                ++wrong;
                continue;
            }
            EXPECT_TRUE(proven->proof.sourceCompared);
            const auto back = test::openFile(spec.target);
            ASSERT_TRUE(back) << back.error().text();
            if (const auto fault =
                    firstFault(it->source, *back, it->meaning, nullptr, 2e-6, false, floatTimes ? 1e-5 : 0.0);
                fault && ++wrong)
                ADD_FAILURE() << *fault << described(it->source);
        }
    }
}

// One mesh through the formats that hold no more than points: it stands in the world there, by a step of its chain or
// because the format has no transforms.
TEST(TruthOfFiles, AnyChainThroughAPointCacheAndANumberedSequence) {
    const test::TempFolder folder;
    int done = 0;
    int wrong = 0;
    const int first = firstCase();
    Random r(41);
    for (int round = first; round < first + casesAsked(300) && wrong < 12; ++round) {
        auto it = randomCase(static_cast<unsigned>(round) * 15485863U + 3U, 3);
        if (!it)
            continue;
        const auto mesh = std::find_if(it->source.nodes.begin(), it->source.nodes.end(), [&](const Node& n) {
            return n.kind == NodeKind::Mesh && !belowInstancers(it->source)[*it->source.find(n.id)];
        });
        if (mesh == it->source.nodes.end())
            continue;
        const std::string meshName = mesh->name;
        const auto whole = movingTimes(it->source);
        auto chosen = selectedItems(it->source, {mesh->path});
        ASSERT_TRUE(chosen);
        for (Node& node : chosen->nodes)
            node.visibility.reset(); // no place for it there
        const auto own = movingTimes(*chosen);
        if (!own || *own != *whole) // the chain was made for another span
            continue;
        it->source = std::move(*chosen);
        const bool asked = r.chance(50);
        if (asked)
            it->chain.push_back({"world", {{"groups", "dropped"}}, true});
        SCOPED_TRACE(fmt::format("case {}: {}", round, toJson(it->chain).dump()));
        for (const char* format : {"mdd", "obj-sequence"}) {
            auto result = applySteps(it->source, it->chain);
            // The chain was made for more than this mesh: it may have too few samples for it.
            if (!result && result.error().what.find("samples have no ends to mend") != std::string::npos)
                continue;
            ASSERT_TRUE(result) << result.error().text();
            DeliveryInput input;
            input.scene = std::move(*result);
            input.source = std::make_shared<const Scene>(it->source);
            input.steps = it->chain;
            input.provenance = json::object();
            input.label = input.itemName = meshName;
            const bool sequence = std::string(format) == "obj-sequence";
            DeliverySpec spec;
            spec.format = format;
            spec.folder = folder.path() / fmt::format("{}_{}", round, spec.format);
            spec.nameTemplate = "it";
            spec.wholeRange = true;
            const auto outputs = planDelivery({input}, spec, Shot());
            ASSERT_TRUE(outputs) << outputs.error().text();
            const auto path = outputs->front().target;
            const auto proven = runOutput(outputs->front(), {true, true}, Progress());
            if (!proven && sequence && proven.error().what.find("between whole frames") != std::string::npos)
                continue; // asked for within frames: refused, as it says
            EXPECT_TRUE(proven) << proven.error().text();
            wrong += !proven;
            if (!proven || proven->proof.items.front().samples < 2)
                continue;
            OpenRequest request;
            request.path = path;
            request.assumedRate = it->meaning.rate;
            request.name = meshName;
            if (sequence) {
                request.sequence = sequenceOfPattern(path)->files;
                request.path = request.sequence.front().path;
            }
            auto back = formatOfName(path)->read(request);
            ASSERT_TRUE(back) << back.error().text();
            for (Node& node : back->nodes)
                if (node.geometry) {
                    node.name = meshName;
                    node.kind = NodeKind::Mesh;
                }
            ChainMeaning meaning = it->meaning;
            if (meaning.only.empty()) // the ends of a span within frames are not in a sequence
                meaning.only = framesOf(meaning.first, meaning.last, meaning.rate);
            if (sequence) // what lies between whole frames is told as lost
                std::erase_if(meaning.only, [&](double t) {
                    const double frame = meaning.rate.frameAt(t);
                    return std::abs(frame - std::round(frame)) > 1e-3;
                });
            if (const auto fault = firstFault(it->source, *back, meaning, nullptr, 2e-6, true, sequence ? 0.0 : 1e-5);
                fault && ++wrong)
                ADD_FAILURE() << format << (asked ? ", asked: " : ": ") << *fault << described(it->source);
            ++done;
        }
    }
    EXPECT_GT(done, casesAsked(300) / 15);
}

} // namespace
} // namespace wyc::truth_test
