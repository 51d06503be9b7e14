// SPDX-License-Identifier: GPL-3.0-or-later
#include "time/frame_rate.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

struct UsualRate {
    std::int64_t numerator;
    std::int64_t denominator;
};
constexpr std::array<UsualRate, 15> kUsualRates{{{24, 1},
                                                 {24000, 1001},
                                                 {25, 1},
                                                 {30, 1},
                                                 {30000, 1001},
                                                 {48, 1},
                                                 {48000, 1001},
                                                 {50, 1},
                                                 {60, 1},
                                                 {60000, 1001},
                                                 {120, 1},
                                                 {12, 1},
                                                 {15, 1},
                                                 {90, 1},
                                                 {96, 1}}};

// A ratio of small whole numbers, or of thousands over 1001, that is it but for the digits that files round away.
std::optional<FrameRate> plainRatio(double framesPerSecond) {
    constexpr double kDigits = 2e-7;
    const auto is = [&](double value) { return std::abs(framesPerSecond / value - 1.0) < kDigits; };
    if (const double thousands = std::round(framesPerSecond * 1.001); thousands >= 1.0 && is(thousands / 1.001))
        return FrameRate::make(static_cast<std::int64_t>(thousands) * 1000, 1001);
    for (std::int64_t below = 2; below <= 16; ++below)
        if (const double above = std::round(framesPerSecond * static_cast<double>(below));
            above >= 1.0 && is(above / static_cast<double>(below)))
            return FrameRate::make(static_cast<std::int64_t>(above), below);
    return std::nullopt;
}

Error rateError(std::string_view text) {
    return makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame rate", text))
        .withAdvice("Write frames a second, as 24, 23.976 or 30000/1001");
}

} // namespace

std::optional<FrameRate> FrameRate::make(std::int64_t numerator, std::int64_t denominator) {
    if (numerator <= 0 || denominator <= 0)
        return std::nullopt;
    const std::int64_t common = std::gcd(numerator, denominator);
    FrameRate rate;
    rate.numerator_ = numerator / common;
    rate.denominator_ = denominator / common;
    if (rate.value() < 1e-3 || rate.value() > 1e6)
        return std::nullopt;
    return rate;
}

std::vector<FrameRate> FrameRate::usual() {
    std::vector<FrameRate> rates;
    for (const UsualRate& rate : kUsualRates)
        rates.push_back(*make(rate.numerator, rate.denominator));
    return rates;
}

std::optional<FrameRate> FrameRate::nearest(double framesPerSecond, double uncertainty) {
    if (!std::isfinite(framesPerSecond) || framesPerSecond < 0.01 || framesPerSecond > 100'000.0)
        return std::nullopt;
    // The nearest of the usual ones: 24 and 24000/1001 are a thousandth apart, ten times the tolerance.
    const UsualRate* best = nullptr;
    // Beyond that the two would be one.
    if (uncertainty > 4e-4)
        return std::nullopt;
    double bestGap = std::max(1e-4, uncertainty);
    for (const UsualRate& usual : kUsualRates) {
        const double value = static_cast<double>(usual.numerator) / static_cast<double>(usual.denominator);
        if (const double gap = std::abs(framesPerSecond / value - 1.0); gap < bestGap) {
            bestGap = gap;
            best = &usual;
        }
    }
    if (best)
        return make(best->numerator, best->denominator);
    if (const double whole = std::round(framesPerSecond);
        whole >= 1.0 && std::abs(framesPerSecond / whole - 1.0) < 1e-5)
        return make(static_cast<std::int64_t>(whole), 1);
    if (const auto ratio = plainRatio(framesPerSecond))
        return ratio;
    return make(std::llround(framesPerSecond * 1000.0), 1000);
}

Result<FrameRate> FrameRate::parse(std::string_view text) {
    text = trimmed(text);
    std::optional<FrameRate> rate;
    if (const auto slash = text.find('/'); slash != std::string_view::npos) {
        const auto top = parseInteger(text.substr(0, slash));
        const auto bottom = parseInteger(text.substr(slash + 1));
        if (top && bottom)
            rate = make(*top, *bottom);
    } else if (const auto value = parseNumber(text)) {
        // 23.98, 23.976, 29.97, and 11.988, half of that: how rates over 1001 are written, to two or three places.
        for (const std::int64_t thousands : {12, 15, 24, 30, 48, 60, 120}) {
            const double exact = static_cast<double>(thousands) * 1000.0 / 1001.0;
            for (const double places : {100.0, 1000.0})
                if (std::abs(*value - std::round(exact * places) / places) < 1e-9)
                    rate = make(thousands * 1000, 1001);
        }
        if (!rate)
            rate = nearest(*value);
    }
    if (!rate)
        return fail(rateError(text));
    return *rate;
}

std::string FrameRate::text() const {
    return denominator_ == 1 ? std::to_string(numerator_) : fmt::format("{}/{}", numerator_, denominator_);
}

std::string FrameRate::shortText() const {
    return frameText(std::round(value() * 1000.0) / 1000.0);
}

Result<FrameRange> FrameRange::parse(std::string_view text) {
    const auto colon = text.find(':');
    if (colon != std::string_view::npos) {
        const auto first = parseNumber(text.substr(0, colon));
        const auto last = parseNumber(text.substr(colon + 1));
        if (first && last && *first <= *last && std::abs(*first) < 1e8 && std::abs(*last) < 1e8)
            return FrameRange{*first, *last};
    }
    return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame range", text))
                    .withAdvice("Write the first and the last frame, as 1009:1128"));
}

std::string FrameRange::text() const {
    return fmt::format("{}:{}", frameText(first), frameText(last));
}

double snappedFrame(double frame) {
    const double whole = std::round(frame);
    return sameFrame(frame, whole) ? whole : frame;
}

} // namespace wyc
