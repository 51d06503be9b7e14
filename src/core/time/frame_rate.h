// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Exact frame rates and frame ranges. Times are seconds (double); frame = seconds * rate.
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace wyc {

/// Two frame numbers closer than this are the same frame.
inline constexpr double kFrameTolerance = 1e-4;

/// Frames a second as an exact fraction in lowest terms, both parts positive.
class FrameRate {
  public:
    constexpr FrameRate() = default;
    [[nodiscard]] static std::optional<FrameRate> make(std::int64_t numerator, std::int64_t denominator);
    /// "24", "23.976" (= 24000/1001), "30000/1001".
    [[nodiscard]] static Result<FrameRate> parse(std::string_view text);
    /// The exact rate a measured number stands for: a usual rate when within one part in 10,000, else the
    /// number to a thousandth of a frame. Nothing for numbers that are no rate, or that are so uncertain (as a share)
    /// that they could be one of two.
    [[nodiscard]] static std::optional<FrameRate> nearest(double framesPerSecond, double uncertainty = 0.0);

    /// The usual ones, the commonest first.
    [[nodiscard]] static std::vector<FrameRate> usual();

    [[nodiscard]] constexpr std::int64_t numerator() const { return numerator_; }
    [[nodiscard]] constexpr std::int64_t denominator() const { return denominator_; }
    [[nodiscard]] constexpr double value() const {
        return static_cast<double>(numerator_) / static_cast<double>(denominator_);
    }
    [[nodiscard]] constexpr double secondsAt(double frame) const {
        return frame * static_cast<double>(denominator_) / static_cast<double>(numerator_);
    }
    [[nodiscard]] constexpr double frameAt(double seconds) const {
        return seconds * static_cast<double>(numerator_) / static_cast<double>(denominator_);
    }
    /// "24" or "24000/1001": exact, reads back the same.
    [[nodiscard]] std::string text() const;
    /// "24" or "23.976": for people.
    [[nodiscard]] std::string shortText() const;
    bool operator==(const FrameRate&) const = default;

  private:
    std::int64_t numerator_ = 24;
    std::int64_t denominator_ = 1;
};

/// First and last frame, both included. Negative and fractional frames are normal.
struct FrameRange {
    double first = 0.0;
    double last = 0.0;
    [[nodiscard]] double count() const { return last - first + 1.0; }
    [[nodiscard]] bool contains(double frame) const {
        return frame >= first - kFrameTolerance && frame <= last + kFrameTolerance;
    }
    [[nodiscard]] FrameRange widened(double frames) const { return {first - frames, last + frames}; }
    /// "1009:1128", "-5:2.5".
    [[nodiscard]] static Result<FrameRange> parse(std::string_view text);
    [[nodiscard]] std::string text() const;
    bool operator==(const FrameRange&) const = default;
};

[[nodiscard]] inline bool sameFrame(double a, double b) {
    return a - b < kFrameTolerance && b - a < kFrameTolerance;
}
/// The nearest whole frame when within tolerance of it, else the frame as it is.
[[nodiscard]] double snappedFrame(double frame);

} // namespace wyc
