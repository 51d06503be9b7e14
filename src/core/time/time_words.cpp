// SPDX-License-Identifier: GPL-3.0-or-later
#include "time/time_words.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

double framesASecond(const FrameRate& rate) {
    return std::max(1.0, std::round(rate.value()));
}

std::string timecode(double frames, const FrameRate& rate) {
    const double whole = framesASecond(rate);
    const double at = snappedFrame(std::abs(frames));
    const double seconds = std::floor(at / whole);
    const double rest = snappedFrame(at - seconds * whole);
    const auto part = [](double value) { return static_cast<long long>(value); };
    std::string within = frameText(rest);
    if (rest < 10.0)
        within.insert(0, 1, '0');
    return fmt::format("{}{:02}:{:02}:{:02}:{}", frames < -kFrameTolerance ? "−" : "", part(seconds / 3600.0),
                       part(std::fmod(seconds / 60.0, 60.0)), part(std::fmod(seconds, 60.0)), within);
}

} // namespace

std::string timeText(double frame, TimeReading reading, const FrameRate& rate, double origin) {
    switch (reading) {
    case TimeReading::Seconds: {
        const double seconds = rate.secondsAt(frame - origin);
        return fmt::format("{}{:.3f} s", seconds < -0.0005 ? "−" : "", std::abs(seconds));
    }
    case TimeReading::Timecode: return timecode(frame - origin, rate);
    case TimeReading::Frames: break;
    }
    return frameText(frame);
}

Result<double> parseTime(const std::string& text, TimeReading reading, const FrameRate& rate, double origin) {
    std::string given(trimmed(text));
    constexpr double kFarthest = 1e9; // frames
    const auto refuse = [&] {
        return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no moment", text))
                        .withAdvice("Write a frame (1024), seconds from the shot's first frame (1.5 s), or a timecode "
                                    "from there (00:00:01:12)"));
    };
    double sign = 1.0;
    for (const std::string minus : {"−", "-"})
        if (given.starts_with(minus)) {
            sign = -1.0;
            given.erase(0, minus.size());
            break;
        }
    if (given.find(':') != std::string::npos || given.find(';') != std::string::npos) {
        std::replace(given.begin(), given.end(), ';', ':');
        const std::vector<std::string> parts = splitText(given, ':');
        if (parts.size() > 4)
            return refuse();
        double frames = 0.0;
        double worth = 1.0;
        for (auto part = parts.rbegin(); part != parts.rend(); ++part) {
            const auto number = parseNumber(std::string(trimmed(*part)));
            if (!number || *number < 0.0)
                return refuse();
            frames += *number * worth;
            worth *= part == parts.rbegin() ? framesASecond(rate) : 60.0;
        }
        if (!(frames <= kFarthest))
            return refuse();
        return origin + sign * frames;
    }
    const bool seconds = given.ends_with('s');
    if (seconds)
        given.pop_back();
    const auto number = parseNumber(std::string(trimmed(given)));
    if (!number || !(std::abs(*number) <= kFarthest))
        return refuse();
    if (seconds || reading == TimeReading::Seconds)
        return origin + snappedFrame(rate.frameAt(sign * *number));
    return reading == TimeReading::Timecode ? origin + sign * *number : sign * *number;
}

} // namespace wyc
