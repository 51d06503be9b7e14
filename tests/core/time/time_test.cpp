// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "time/frame_rate.h"
#include "time/sampling.h"

namespace wyc::time_test {
namespace {

TEST(FrameRate, ReadsTheFormsPeopleWrite) {
    const auto exact = [](const char* text) { return FrameRate::parse(text)->text(); };
    EXPECT_EQ(exact("24"), "24");
    EXPECT_EQ(exact("23.976"), "24000/1001");
    EXPECT_EQ(exact("29.97"), "30000/1001");
    EXPECT_EQ(exact("11.988"), "12000/1001"); // half of it
    EXPECT_EQ(exact("30000/1001"), "30000/1001");
    EXPECT_EQ(exact("48/2"), "24");
    EXPECT_EQ(exact("12.5"), "25/2");
    for (const char* bad : {"", "0", "-24", "24/0", "fast", "1/2/3", "1e9", "nan"})
        EXPECT_FALSE(FrameRate::parse(bad)) << bad;
}

TEST(FrameRate, MeasuredNumbersFindTheUsualRate) {
    EXPECT_EQ(FrameRate::nearest(23.97602)->text(), "24000/1001");
    for (const char* rate : {"12000/1001", "17000/1001", "25/3", "25/2", "37/4"}) // as a double, and to six places
        for (const double places : {0.0, 1e6}) {
            const double value = FrameRate::parse(rate)->value();
            EXPECT_EQ(FrameRate::nearest(places > 0.0 ? std::round(value * places) / places : value)->text(), rate);
        }
    EXPECT_EQ(FrameRate::nearest(24.0004)->text(), "24");
    EXPECT_EQ(FrameRate::nearest(25.0)->text(), "25");
    EXPECT_EQ(FrameRate::nearest(59.9401)->text(), "60000/1001");
    EXPECT_EQ(FrameRate::nearest(1000.0)->text(), "1000");
    EXPECT_FALSE(FrameRate::nearest(0.0));
    EXPECT_FALSE(FrameRate::nearest(-5.0));
}

TEST(FrameRate, FramesAndSecondsAreInverse) {
    for (const char* text : {"24", "25", "24000/1001", "30000/1001", "120"}) {
        const FrameRate rate = *FrameRate::parse(text);
        for (double frame = -1000; frame < 200000; frame += 977.25)
            EXPECT_NEAR(rate.frameAt(rate.secondsAt(frame)), frame, 1e-7);
    }
}

TEST(FrameRate, ShortTextIsForPeople) {
    EXPECT_EQ(FrameRate::parse("24000/1001")->shortText(), "23.976");
    EXPECT_EQ(FrameRate::parse("24")->shortText(), "24");
}

TEST(FrameRange, BothEndsCount) {
    const auto range = FrameRange::parse("1009:1128");
    ASSERT_TRUE(range);
    EXPECT_EQ(range->count(), 120.0);
    EXPECT_TRUE(range->contains(1009));
    EXPECT_TRUE(range->contains(1128.00001));
    EXPECT_FALSE(range->contains(1128.5));
    EXPECT_EQ(range->widened(8).text(), "1001:1136");
    EXPECT_EQ(FrameRange::parse("-8:2.5")->first, -8.0);
    for (const char* bad : {"", "5", "9:1", "a:b", "1:", ":1", "1:nan"})
        EXPECT_FALSE(FrameRange::parse(bad)) << bad;
}

TEST(FrameRange, WholeFramesAreSnappedWithinTolerance) {
    EXPECT_EQ(snappedFrame(1001.00004), 1001.0);
    EXPECT_EQ(snappedFrame(1001.01), 1001.01);
    EXPECT_TRUE(sameFrame(7.0, 7.00005));
    EXPECT_FALSE(sameFrame(7.0, 7.001));
}

TEST(Sampling, KindsGiveTheirTimes) {
    EXPECT_TRUE(Sampling::still().isStill());
    EXPECT_EQ(Sampling::still().count(), 1U);
    const Sampling uniform = Sampling::uniform(2.0, 0.5, 4);
    EXPECT_EQ(uniform.times(), (std::vector<double>{2.0, 2.5, 3.0, 3.5}));
    const Sampling cyclic = Sampling::cyclic({-0.01, 0.0, 0.01}, 0.04, 6);
    EXPECT_DOUBLE_EQ(cyclic.time(4), 0.04);
    EXPECT_DOUBLE_EQ(cyclic.lastTime(), 0.05);
    const Sampling acyclic = Sampling::acyclic({0.0, 0.1, 0.7});
    EXPECT_EQ(acyclic.count(), 3U);
    EXPECT_EQ(acyclic.time(2), 0.7);
}

TEST(Sampling, LocatesBetweenAndBeyond) {
    const FrameRate rate;
    const Sampling sampling = Sampling::uniform(rate.secondsAt(10), rate.secondsAt(1), 5);
    const auto at = [&](double frame) { return sampling.locate(rate.secondsAt(frame)); };
    EXPECT_EQ(at(0).below, 0U);
    EXPECT_EQ(at(0).weight, 0.0);
    EXPECT_EQ(at(12).below, 2U);
    EXPECT_EQ(at(12).weight, 0.0);
    EXPECT_EQ(at(12.25).below, 2U);
    EXPECT_EQ(at(12.25).above, 3U);
    EXPECT_NEAR(at(12.25).weight, 0.25, 1e-9);
    EXPECT_EQ(at(99).below, 4U);
    EXPECT_EQ(at(99).weight, 0.0);
    EXPECT_EQ(at(12.00005).weight, 0.0); // within tolerance of a sample
}

TEST(Sampling, FallingTimesDoNotDivideByZero) {
    const FrameRate rate;
    const Sampling odd = Sampling::acyclic({0.0, 0.2, 0.1, 0.1, 0.4});
    for (double t = -0.1; t < 0.6; t += 0.003) {
        const auto at = odd.locate(t);
        EXPECT_LT(at.above, 5U);
        EXPECT_GE(at.weight, 0.0);
        EXPECT_LE(at.weight, 1.0);
    }
}

TEST(Sampling, SimplestFormOfGivenTimes) {
    EXPECT_EQ(samplingFromTimes({1.0, 1.5, 2.0}).kind(), Sampling::Kind::Uniform);
    EXPECT_EQ(samplingFromTimes({1.0, 1.5, 2.1}).kind(), Sampling::Kind::Acyclic);
    EXPECT_EQ(samplingFromTimes({}).count(), 0U);
    EXPECT_EQ(samplingFromTimes({3.0}).count(), 1U);
}

TEST(Sampling, RateOfTimesJudgesTheWholeSpan) {
    std::vector<double> times;
    for (int i = 0; i < 240; ++i) // float32 steps at 42 s
        times.push_back(static_cast<double>(static_cast<float>((1001.0 + i) / 24.0)));
    const auto rate = rateOfTimes(times, 5e-6);
    ASSERT_TRUE(rate);
    EXPECT_EQ(rate->text(), "24");
    times[100] += 0.013;
    EXPECT_FALSE(rateOfTimes(times, 5e-6));
    EXPECT_FALSE(rateOfTimes({1.0}, 1e-6));
    EXPECT_FALSE(rateOfTimes({2.0, 1.0}, 1e-6));
}

TEST(Sampling, TimesThatWentThroughFloat32AreFramesAgain) {
    for (const char* text : {"24", "25", "30", "24000/1001", "60"}) {
        const FrameRate rate = *FrameRate::parse(text);
        for (const double first : {-40.0, 0.0, 1001.0, 20001.0, 100001.0})
            for (const double step : {1.0, 0.25, 0.5}) {
                std::vector<double> exact;
                std::vector<double> rounded;
                for (int i = 0; i < 200; ++i) {
                    exact.push_back(rate.secondsAt(first + i * step));
                    rounded.push_back(static_cast<double>(static_cast<float>(exact.back())));
                }
                EXPECT_EQ(timesAsMeant(rounded, rate), exact) << text << " from " << first << " by " << step;
                EXPECT_EQ(timesAsMeant(exact, rate), exact);
            }
        // Times that say something else stay, and so do two that would become one.
        const std::vector<double> odd{1.0203, 1.0204, 41.71234};
        EXPECT_EQ(timesAsMeant(odd, rate), odd);
        const std::vector<double> close{4166.66650390625, 4166.6669921875};
        EXPECT_EQ(timesAsMeant(close, FrameRate()), close);
    }
}

} // namespace
} // namespace wyc::time_test
