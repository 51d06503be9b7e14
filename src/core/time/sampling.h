// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// When samples were taken.
#include <cmath>
#include <cstddef>
#include <optional>
#include <vector>

#include "time/frame_rate.h"

namespace wyc {

/// Seconds: a ten-thousandth of a frame at 24 a second.
inline constexpr double kSameMoment = 4e-6;

/// How far apart two files may tell one moment, of which one keeps seconds as float32.
[[nodiscard]] inline double momentMargin(double seconds) {
    return 1e-6 + std::abs(seconds) * 0x1p-22;
}
/// Whether a moment lies between two others, as far as that tells.
[[nodiscard]] inline bool liesWithin(double seconds, double first, double last) {
    return seconds >= first - momentMargin(first) && seconds <= last + momentMargin(last);
}

/// Times of a run of samples in seconds, never falling. A still thing has one sample, whose time says
/// nothing.
class Sampling {
  public:
    enum class Kind { Still, Uniform, Cyclic, Acyclic };

    Sampling() = default; // one still sample
    /// One sample; `atSeconds` is the moment it was taken at, which says nothing about when it holds.
    [[nodiscard]] static Sampling still(double atSeconds = 0.0);
    [[nodiscard]] static Sampling uniform(double startSeconds, double stepSeconds, std::size_t count);
    /// `times` repeat every `cycleSeconds`.
    [[nodiscard]] static Sampling cyclic(std::vector<double> times, double cycleSeconds, std::size_t count);
    [[nodiscard]] static Sampling acyclic(std::vector<double> times);

    [[nodiscard]] Kind kind() const { return kind_; }
    [[nodiscard]] std::size_t count() const { return count_; }
    [[nodiscard]] bool isStill() const { return kind_ == Kind::Still || count_ < 2; }
    [[nodiscard]] double time(std::size_t i) const {
        const std::size_t n = stored_.size();
        return n == 1 ? stored_[0] + static_cast<double>(i) * cycle_
                      : stored_[i % n] + static_cast<double>(i / n) * cycle_;
    }
    [[nodiscard]] double firstTime() const { return time(0); }
    [[nodiscard]] double lastTime() const { return time(count_ == 0 ? 0 : count_ - 1); }
    /// Times stored once (uniform: one; acyclic: all).
    [[nodiscard]] const std::vector<double>& storedTimes() const { return stored_; }
    [[nodiscard]] double cycleSeconds() const { return cycle_; }
    [[nodiscard]] std::vector<double> times() const;

    struct Position {
        std::size_t below = 0; // sample at or before the time (the first sample before the start)
        std::size_t above = 0; // the next one, or the same
        double weight = 0.0;   // 0 at `below`, 1 at `above`
    };
    /// Where a time lies between samples. Times nearer to a sample than kSameMoment, and than a thousandth of the way
    /// to the next, are at that sample. Before the first and after the last sample is at that sample.
    [[nodiscard]] Position locate(double seconds) const;
    bool operator==(const Sampling& other) const {
        return kind_ == other.kind_ && count_ == other.count_ && cycle_ == other.cycle_ &&
               (kind_ == Kind::Still || stored_ == other.stored_);
    }

  private:
    Kind kind_ = Kind::Still;
    std::vector<double> stored_{0.0};
    double cycle_ = 1.0;
    std::size_t count_ = 1;
};

/// The times in their order, those nearer than kSameMoment to the one before left out.
void sortMoments(std::vector<double>& times);
/// Exactly frame / rate where a time is a whole frame but for rounding, else the time as it is.
[[nodiscard]] double snappedToFrame(double seconds, const FrameRate& rate);
/// Times that went through float32, as in many tools, at the frames and parts of frames that they stand for: halves,
/// thirds, … sixteenths, the coarsest within two roundings. Only times that are float32 numbers are moved, by a
/// fiftieth of a frame at most; all stay as they are where two would become one.
[[nodiscard]] std::vector<double> timesAsMeant(const std::vector<double>& times, const FrameRate& rate);
/// Whole frames of a span of seconds, both ends included.
[[nodiscard]] std::vector<double> wholeFrames(double first, double last, const FrameRate& rate);

/// All times of several samplings together; the one itself where all that move are alike, still where none moves.
[[nodiscard]] Sampling commonSampling(const std::vector<Sampling>& samplings);
/// The simplest sampling with these times: uniform where they are k·step + start to within 1e-9 s, else
/// acyclic.
[[nodiscard]] Sampling samplingFromTimes(const std::vector<double>& times);
/// The rate at which all these times are whole steps of one frame, judged over the whole span; nothing when
/// uneven.
[[nodiscard]] std::optional<FrameRate> rateOfTimes(const std::vector<double>& times, double jitterSeconds);

} // namespace wyc
