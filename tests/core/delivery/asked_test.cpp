// SPDX-License-Identifier: GPL-3.0-or-later
// What is asked of a source, worked out apart from the steps: they do that and nothing else.
#include <gtest/gtest.h>

#include <iostream>

#include "delivery/proof/as_asked.h"
#include "delivery/proof/shown.h"
#include "support/random_chain.h"

namespace wyc::asked_test {
namespace {

using namespace test;

TEST(Asked, StepsDoWhatTheirOptionsAskFor) {
    int wrong = 0;
    int judged = 0;
    for (int round = firstCase(); round < firstCase() + casesAsked(6000); ++round) {
        const auto it = randomCase(static_cast<unsigned>(round) * 15485867U + 11U, 6);
        if (!it)
            continue;
        const auto intention = intentionOf(std::make_shared<const Scene>(it->source), it->chain);
        if (!intention) // too few samples are left for the last one
            continue;
        judged += intention->notJudged.empty();
        if (!intention->otherThanAsked.empty() && ++wrong < 8)
            ADD_FAILURE() << "case " << round << ": " << intention->otherThanAsked.front() << "\n"
                          << toJson(it->chain) << "\n"
                          << described(it->source);
    }
    std::cout << wrong << " wrong, " << judged << " judged\n";
    EXPECT_EQ(wrong, 0);
    EXPECT_GT(judged, casesAsked(6000) * 8 / 10);
}

} // namespace
} // namespace wyc::asked_test
