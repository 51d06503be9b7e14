// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <atomic>
#include <set>
#include <thread>

#include "base/parallel.h"

namespace wyc::parallel_test {
namespace {

TEST(ParallelFor, VisitsEverythingOnce) {
    std::vector<std::atomic<int>> visits(1000);
    ASSERT_TRUE(parallelFor(1000, Progress(), [&](std::size_t i) -> Status {
        ++visits[i];
        return {};
    }));
    for (const auto& count : visits)
        EXPECT_EQ(count.load(), 1);
}

TEST(ParallelFor, TellsTheErrorOfTheSmallestIndexItMet) {
    std::atomic<bool> begun{false};
    const auto status = parallelFor(50, Progress(), [&](std::size_t i) -> Status {
        if (i == 0) {
            begun = true;
            std::this_thread::sleep_for(std::chrono::milliseconds(30));
        }
        while (!begun) // the others fail while the first is at work, however late it was given a processor
            std::this_thread::yield();
        return fail(ErrorKind::BadInput, std::to_string(i));
    });
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().what, "0");
}

TEST(ParallelFor, StopsOnCancel) {
    auto token = std::make_shared<CancelToken>();
    std::atomic<int> done{0};
    const auto status = parallelFor(100000, Progress({}, token), [&](std::size_t) -> Status {
        if (++done == 10)
            token->cancel();
        return {};
    });
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().kind, ErrorKind::Cancelled);
    EXPECT_LT(done.load(), 100000);
}

TEST(OrderedPipeline, TakesInOrderWithBoundedSlots) {
    constexpr std::size_t kSlots = 3;
    std::array<std::size_t, kSlots> held{};
    std::vector<std::size_t> taken;
    std::atomic<int> live{0};
    std::atomic<int> most{0};
    ASSERT_TRUE(orderedPipeline(
        200, kSlots, Progress(),
        [&](std::size_t i, std::size_t slot) -> Status {
            most = std::max(most.load(), ++live);
            held[slot] = i;
            return {};
        },
        [&](std::size_t i, std::size_t slot) -> Status {
            EXPECT_EQ(held[slot], i); // nobody touched the buffer in between
            taken.push_back(i);
            --live;
            return {};
        }));
    ASSERT_EQ(taken.size(), 200U);
    for (std::size_t i = 0; i < taken.size(); ++i)
        EXPECT_EQ(taken[i], i);
    EXPECT_LE(most.load(), static_cast<int>(kSlots));
}

TEST(OrderedPipeline, AnErrorEndsItAndLaterOnesAreNotTaken) {
    std::vector<std::size_t> taken;
    const auto status = orderedPipeline(
        100, 4, Progress(),
        [](std::size_t i, std::size_t) -> Status {
            return i == 17 ? Status(fail(ErrorKind::BadInput, "seventeen")) : Status();
        },
        [&](std::size_t i, std::size_t) -> Status {
            taken.push_back(i);
            return {};
        });
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().what, "seventeen");
    EXPECT_LE(taken.size(), 17U);
}

TEST(Progress, PartsMapOntoTheWhole) {
    std::vector<double> seen;
    const Progress whole([&](const ProgressReport& report) { seen.push_back(report.fraction); }, nullptr);
    const Progress second = whole.part(0.5, 1.0);
    second.report(0.0, "", "");
    second.part(0.0, 0.5).report(1.0, "", "");
    EXPECT_EQ(seen, (std::vector<double>{0.5, 0.75}));
    EXPECT_TRUE(whole.poll());
}

TEST(Threads, TheirNumberCanBeBounded) {
    setThreadCount(1);
    EXPECT_EQ(threadCount(), 1);
    std::set<std::thread::id> ids;
    ASSERT_TRUE(parallelFor(64, Progress(), [&](std::size_t) -> Status {
        ids.insert(std::this_thread::get_id()); // unguarded: one thread only
        return {};
    }));
    EXPECT_EQ(ids.size(), 1U);
    setThreadCount(0);
    EXPECT_GE(threadCount(), 1);
}

} // namespace
} // namespace wyc::parallel_test
