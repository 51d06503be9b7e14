// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <bit>
#include <cmath>
#include <limits>
#include <random>

#include "base/hash.h"
#include "base/text.h"

namespace wyc::text_test {
namespace {

TEST(Text, ShortestFloatReadsBackToTheSameBits) {
    std::mt19937 random(7);
    for (int i = 0; i < 20000; ++i) {
        const auto value = std::bit_cast<float>(static_cast<std::uint32_t>(random()));
        if (!std::isfinite(value))
            continue;
        std::string text;
        appendFloat(text, value);
        const float back = std::strtof(text.c_str(), nullptr);
        ASSERT_EQ(std::bit_cast<std::uint32_t>(value), std::bit_cast<std::uint32_t>(back)) << text;
    }
}

TEST(Text, ShortestFloatIsShort) {
    std::string text;
    appendFloat(text, 0.1F);
    EXPECT_EQ(text, "0.1");
    text.clear();
    appendFloat(text, -0.0F);
    EXPECT_EQ(text, "-0");
}

TEST(Text, NumbersAreWholeOrNothing) {
    EXPECT_EQ(parseNumber(" 12.5 "), 12.5);
    EXPECT_EQ(parseNumber("+3"), 3.0);
    EXPECT_EQ(parseNumber("-1e3"), -1000.0);
    for (const char* bad : {"", " ", "1x", "x1", "1 2", "nan", "inf", "--1", "1e999"})
        EXPECT_FALSE(parseNumber(bad)) << bad;
    EXPECT_EQ(parseInteger("-42"), -42);
    EXPECT_FALSE(parseInteger("4.2"));
    EXPECT_FALSE(parseInteger("99999999999999999999"));
}

TEST(Text, FiguresForPeople) {
    EXPECT_EQ(groupedDigits(0), "0");
    EXPECT_EQ(groupedDigits(999), "999");
    EXPECT_EQ(groupedDigits(1234567), "1,234,567");
    EXPECT_EQ(frameText(1001.0), "1001");
    EXPECT_EQ(frameText(1001.25), "1001.25");
    EXPECT_EQ(frameText(-8.00001), "-8");
    EXPECT_EQ(sizeText(999), "999 B");
    EXPECT_EQ(sizeText(1500), "1.5 kB");
    EXPECT_EQ(sizeText(13'236'133), "13.2 MB");
    EXPECT_EQ(lengthText(0.0), "0 mm");
    EXPECT_EQ(lengthText(0.00042), "0.42 mm");
    EXPECT_EQ(lengthText(1.4e-7), "0.140 µm");
    EXPECT_EQ(lengthText(2e-6), "0.002 mm");
    EXPECT_EQ(lengthText(0.5), "50 cm");
    EXPECT_EQ(lengthText(1.44), "1.44 m");
    EXPECT_EQ(lengthText(143.94), "143.9 m");
    EXPECT_EQ(durationText(18.2), "19 s");
    EXPECT_EQ(durationText(125.0), "2 min 05 s");
    EXPECT_EQ(durationText(7260.0), "2 h 01 min");
}

TEST(Text, PatternsCoverTheWholeText) {
    EXPECT_TRUE(matchesPattern("lantern_jelly", "lantern*"));
    EXPECT_TRUE(matchesPattern("lantern_jelly", "*jelly"));
    EXPECT_TRUE(matchesPattern("lantern_jelly", "l*n*y"));
    EXPECT_TRUE(matchesPattern("a", "?"));
    EXPECT_TRUE(matchesPattern("", "*"));
    EXPECT_TRUE(matchesPattern("abc", "***"));
    EXPECT_FALSE(matchesPattern("lantern_jelly", "jelly"));
    EXPECT_FALSE(matchesPattern("ab", "?"));
    EXPECT_FALSE(matchesPattern("", "?"));
}

TEST(Text, PatternsDoNotExplode) {
    const std::string text(2000, 'a');
    EXPECT_FALSE(matchesPattern(text, "*a*a*a*a*a*a*a*a*a*a*b"));
}

TEST(Text, NamesBecomeSafePartsOfAPath) {
    EXPECT_EQ(safeName("a/b"), "a_b");
    EXPECT_EQ(safeName(""), "unnamed");
    EXPECT_EQ(safeName(".."), "unnamed");
    EXPECT_EQ(safeName("größe 灯"), "größe 灯");
    EXPECT_EQ(safeName(std::string("a\0b\n", 4)), "a_b_");
}

TEST(Text, BrokenUtf8IsReplacedAndGoodIsKept) {
    EXPECT_EQ(validUtf8("größe 灯 😀"), "größe 灯 😀");
    const std::string replacement = "\xEF\xBF\xBD";
    EXPECT_EQ(validUtf8("a\xFFz"), "a" + replacement + "z");
    EXPECT_EQ(validUtf8("\xC3"), replacement);
    EXPECT_EQ(validUtf8("\xED\xA0\x80"), replacement + replacement + replacement); // a surrogate half
    EXPECT_EQ(validUtf8("\xC0\xAF"), replacement + replacement);                   // an overlong slash
}

TEST(Text, SplitKeepsEmptyParts) {
    EXPECT_EQ(splitText("a,,b", ','), (std::vector<std::string>{"a", "", "b"}));
    EXPECT_EQ(splitText("", ','), (std::vector<std::string>{""}));
}

TEST(Hash, KnownValues) {
    EXPECT_EQ(hashText(hash64({})), "ef46db3751d8e999");
    const std::string text = "lantern";
    const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
    EXPECT_EQ(hash64(bytes), hash64(bytes.first(3), bytes.subspan(3)));
    EXPECT_NE(hash64(bytes), hash64(bytes.first(6)));
}

TEST(Patterns, InTurnTakeInAndLeaveOut) {
    EXPECT_TRUE(chosenBy({}, {"anything"}));
    EXPECT_TRUE(chosenBy({"*bell"}, {"bell", "/jelly/bell"}));
    EXPECT_FALSE(chosenBy({"*bell"}, {"hull"}));
    EXPECT_TRUE(chosenBy({"!*rope*"}, {"bell"})); // nothing takes in: all are in to begin with
    EXPECT_FALSE(chosenBy({"!*rope*"}, {"rope_2"}));
    EXPECT_FALSE(chosenBy({"*arm*", "!*upper"}, {"arm_upper"}));
    EXPECT_TRUE(chosenBy({"*arm*", "!*upper", "arm_upper"}, {"arm_upper"})); // the last that fits says
    EXPECT_TRUE(chosenBy({"/jelly/*"}, {"bell", "/jelly/bell"}));            // one of its names is enough
}

} // namespace
} // namespace wyc::text_test
