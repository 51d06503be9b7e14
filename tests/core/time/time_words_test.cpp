// SPDX-License-Identifier: GPL-3.0-or-later
// Moments in words: what is written reads back as the same frame, whatever the rate and the reading.
#include <gtest/gtest.h>

#include <random>

#include "time/time_words.h"

namespace wyc {
namespace {

TEST(TimeWords, WhatIsWrittenReadsBack) {
    std::mt19937 random(5);
    for (const auto& [up, down] :
         {std::pair{24, 1}, {25, 1}, {30, 1}, {24000, 1001}, {30000, 1001}, {60, 1}, {12, 1}}) {
        const FrameRate rate = *FrameRate::make(up, down);
        for (int i = 0; i < 300; ++i) {
            const double origin = static_cast<double>(random() % 3000U) - 1000.0;
            const double frame = origin + static_cast<double>(random() % 400000U) - 100000.0;
            for (const TimeReading reading : {TimeReading::Frames, TimeReading::Timecode}) {
                const std::string words = timeText(frame, reading, rate, origin);
                const auto back = parseTime(words, reading, rate, origin);
                ASSERT_TRUE(back) << words;
                EXPECT_DOUBLE_EQ(*back, frame) << words;
            }
            // A thousandth of a second is what its words hold.
            const std::string seconds = timeText(frame, TimeReading::Seconds, rate, origin);
            const auto near = parseTime(seconds, TimeReading::Frames, rate, origin);
            ASSERT_TRUE(near) << seconds;
            EXPECT_NEAR(*near, frame, 0.0006 * rate.value()) << seconds;
        }
    }
}

TEST(TimeWords, AreThoseOfTheTrade) {
    const FrameRate film;
    EXPECT_EQ(timeText(1009.0, TimeReading::Timecode, film, 1009.0), "00:00:00:00");
    EXPECT_EQ(timeText(1009.0 + 3661 * 24 + 7, TimeReading::Timecode, film, 1009.0), "01:01:01:07");
    EXPECT_EQ(timeText(1001.0, TimeReading::Timecode, film, 1009.0), "−00:00:00:08");
    EXPECT_EQ(timeText(1010.5, TimeReading::Timecode, film, 1009.0), "00:00:00:01.5");
    EXPECT_EQ(timeText(1003.0, TimeReading::Seconds, film, 1009.0), "−0.250 s");
    // A second of 23.976 has 24 frames in a timecode, and is a little longer.
    const FrameRate ntsc = *FrameRate::make(24000, 1001);
    EXPECT_EQ(timeText(24.0, TimeReading::Timecode, ntsc, 0.0), "00:00:01:00");
    EXPECT_EQ(timeText(24.0, TimeReading::Seconds, ntsc, 0.0), "1.001 s");
    EXPECT_EQ(*parseTime(" 2:00 ", TimeReading::Frames, film, 1009.0), 1009.0 + 48);
    EXPECT_EQ(*parseTime("12", TimeReading::Timecode, film, 1009.0), 1021.0);
    EXPECT_EQ(*parseTime("12", TimeReading::Frames, film, 1009.0), 12.0);
    for (const char* none : {"", "soon", "1:2:3:4:5", "1::x", "s", "1e400", "1e300", "9e99:00", "::", "1:-2"})
        EXPECT_FALSE(parseTime(none, TimeReading::Frames, film, 1009.0)) << none;
}

} // namespace
} // namespace wyc
