// SPDX-License-Identifier: GPL-3.0-or-later
#include "time/sampling.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace wyc {

Sampling Sampling::still(double atSeconds) {
    Sampling result;
    result.stored_ = {atSeconds};
    return result;
}

Sampling Sampling::uniform(double startSeconds, double stepSeconds, std::size_t count) {
    Sampling result;
    result.kind_ = Kind::Uniform;
    result.stored_ = {startSeconds};
    result.cycle_ = stepSeconds;
    result.count_ = count;
    return result;
}

Sampling Sampling::cyclic(std::vector<double> times, double cycleSeconds, std::size_t count) {
    Sampling result;
    result.kind_ = Kind::Cyclic;
    result.stored_ = std::move(times);
    result.cycle_ = cycleSeconds;
    result.count_ = count;
    return result;
}

Sampling Sampling::acyclic(std::vector<double> times) {
    Sampling result;
    result.kind_ = Kind::Acyclic;
    result.count_ = times.size();
    if (!times.empty())
        result.stored_ = std::move(times);
    result.cycle_ = 0.0;
    return result;
}

std::vector<double> Sampling::times() const {
    std::vector<double> result(count_);
    for (std::size_t i = 0; i < count_; ++i)
        result[i] = time(i);
    return result;
}

Sampling::Position Sampling::locate(double seconds) const {
    if (isStill())
        return {};
    std::size_t low = 0;
    std::size_t high = count_; // first index whose time is beyond `seconds`
    while (low < high) {
        const std::size_t middle = low + (high - low) / 2;
        if (time(middle) <= seconds)
            low = middle + 1;
        else
            high = middle;
    }
    if (low == count_)
        return {count_ - 1, count_ - 1, 0.0};
    if (low == 0)
        return {};
    const std::size_t below = low - 1;
    const double gap = time(low) - time(below);
    const double tolerance = std::min(kSameMoment, gap * 1e-3);
    if (seconds - time(below) <= tolerance)
        return {below, below, 0.0};
    if (time(low) - seconds <= tolerance)
        return {low, low, 0.0};
    return {below, low, (seconds - time(below)) / gap};
}

void sortMoments(std::vector<double>& times) {
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end(), [](double a, double b) { return b - a <= kSameMoment; }),
                times.end());
}

double snappedToFrame(double seconds, const FrameRate& rate) {
    const double frame = rate.frameAt(seconds);
    const double whole = std::round(frame);
    return std::abs(frame - whole) < 1e-6 ? rate.secondsAt(whole) : seconds;
}

namespace {

double timeAsMeant(double seconds, const FrameRate& rate) {
    constexpr double kMostFrames = 0.02;
    const auto rounded = static_cast<float>(seconds);
    if (static_cast<double>(rounded) != seconds)
        return seconds;
    const float size = std::abs(rounded);
    const double rounding = static_cast<double>(std::nextafter(size, std::numeric_limits<float>::infinity()) - size);
    const double allowed = std::min(2.0 * rounding, rate.secondsAt(kMostFrames));
    for (const double parts : {1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0}) {
        const double meant = rate.secondsAt(std::round(rate.frameAt(seconds) * parts) / parts);
        if (std::abs(meant - seconds) <= allowed)
            return meant;
    }
    return seconds;
}

} // namespace

std::vector<double> timesAsMeant(const std::vector<double>& times, const FrameRate& rate) {
    std::vector<double> meant = times;
    for (std::size_t i = 0; i < times.size(); ++i) {
        meant[i] = timeAsMeant(times[i], rate);
        if (i > 0 && times[i] > times[i - 1] && !(meant[i] > meant[i - 1]))
            return times;
    }
    return meant;
}

std::vector<double> wholeFrames(double first, double last, const FrameRate& rate) {
    std::vector<double> times;
    const double from = std::ceil(rate.frameAt(first) - kFrameTolerance);
    const double to = std::floor(rate.frameAt(last) + kFrameTolerance);
    if (!(to - from < 1e7)) // nobody means that many, and memory has an end
        return times;
    for (double frame = from; frame <= to; frame += 1.0)
        times.push_back(rate.secondsAt(frame));
    return times;
}

Sampling samplingFromTimes(const std::vector<double>& times) {
    if (times.size() < 2)
        return times.empty() ? Sampling::acyclic({}) : Sampling::uniform(times[0], 1.0 / 24.0, 1);
    const double step = (times.back() - times.front()) / static_cast<double>(times.size() - 1);
    for (std::size_t i = 0; i < times.size(); ++i)
        if (std::abs(times[i] - (times.front() + static_cast<double>(i) * step)) > 1e-9)
            return Sampling::acyclic(times);
    return step > 0.0 ? Sampling::uniform(times.front(), step, times.size()) : Sampling::acyclic(times);
}

std::optional<FrameRate> rateOfTimes(const std::vector<double>& times, double jitterSeconds) {
    if (times.size() < 2)
        return std::nullopt;
    const double span = times.back() - times.front();
    const double step = span / static_cast<double>(times.size() - 1);
    if (!(step > 0.0))
        return std::nullopt;
    for (std::size_t i = 0; i < times.size(); ++i)
        if (std::abs(times[i] - (times.front() + static_cast<double>(i) * step)) > jitterSeconds)
            return std::nullopt;
    // A short span measures the rate coarsely, a long one finely: two ends, each off by the jitter at most. Where that
    // leaves several, the one at which the times themselves are whole frames; far from zero only one fits.
    const double uncertainty = 2.0 * jitterSeconds / span;
    std::vector<FrameRate> fitting;
    for (const FrameRate& rate : FrameRate::usual()) {
        if (std::abs(1.0 / (step * rate.value()) - 1.0) > std::max(1e-4, uncertainty))
            continue;
        const double allowed = 1e-4 + jitterSeconds * rate.value();
        const bool whole = allowed < 0.2 && std::all_of(times.begin(), times.end(), [&](double time) {
                               return std::abs(rate.frameAt(time) - std::round(rate.frameAt(time))) <= allowed;
                           });
        if (whole)
            fitting.push_back(rate);
    }
    if (fitting.size() == 1)
        return fitting.front();
    const auto rate = FrameRate::nearest(1.0 / step, uncertainty);
    // One that nobody uses has to say the times themselves.
    const auto usual = FrameRate::usual();
    const bool known = rate && std::find(usual.begin(), usual.end(), *rate) != usual.end();
    if (rate && !known && std::abs(rate->secondsAt(static_cast<double>(times.size() - 1)) - span) > 2.0 * jitterSeconds)
        return std::nullopt;
    return rate;
}

Sampling commonSampling(const std::vector<Sampling>& samplings) {
    std::vector<Sampling> moving;
    for (const Sampling& sampling : samplings)
        if (!sampling.isStill() && std::find(moving.begin(), moving.end(), sampling) == moving.end())
            moving.push_back(sampling);
    if (moving.empty())
        return Sampling::still();
    if (moving.size() == 1)
        return moving.front();
    std::vector<double> times;
    for (const Sampling& sampling : moving) {
        const auto own = sampling.times();
        times.insert(times.end(), own.begin(), own.end());
    }
    sortMoments(times);
    return samplingFromTimes(times);
}

} // namespace wyc
