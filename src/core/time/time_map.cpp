// SPDX-License-Identifier: GPL-3.0-or-later
#include "time/time_map.h"

#include <algorithm>
#include <cmath>

namespace wyc {
namespace {

constexpr double kInfinite = std::numeric_limits<double>::infinity();
// Far below any tolerance on frames: what two ways of the same sum may differ by.
constexpr double kRounding = 1e-10;

const TimePiece& pieceAt(const std::vector<TimePiece>& pieces, double seconds) {
    const auto after = std::upper_bound(pieces.begin(), pieces.end(), seconds + kRounding,
                                        [](double t, const TimePiece& piece) { return t < piece.from; });
    return after == pieces.begin() ? pieces.front() : *(after - 1);
}

double runAt(const TimePiece& piece, double seconds) {
    // A move by nothing must not round.
    return piece.speed == 1.0 ? seconds + (piece.inFrom - piece.anchor)
                              : (seconds - piece.anchor) * piece.speed + piece.inFrom;
}

double mixWeight(const TimePiece& piece, double seconds) {
    return piece.to > piece.from ? std::clamp((seconds - piece.from) / (piece.to - piece.from), 0.0, 1.0) : 0.0;
}

// The same, but the moment at which a run comes to rest, or begins to fade, is still a moment of the run: it has its
// speed.
const TimePiece& pieceShown(const std::vector<TimePiece>& pieces, double seconds) {
    const TimePiece& piece = pieceAt(pieces, seconds);
    const bool runs = piece.kind == TimePiece::Kind::Run && piece.speed != 0.0;
    if (&piece == &pieces.front() || runs || seconds > piece.from + kRounding)
        return piece;
    const TimePiece& previous = *(&piece - 1);
    const bool runEnds = previous.kind == TimePiece::Kind::Run && previous.speed != 0.0 &&
                         std::abs(runAt(previous, piece.from) - piece.inFrom) <= kRounding;
    return runEnds ? previous : piece;
}

double outputOf(const TimePiece& piece, double input) {
    return piece.speed == 1.0 ? input - (piece.inFrom - piece.anchor)
                              : (input - piece.inFrom) / piece.speed + piece.anchor;
}

void sortOnce(std::vector<double>& times) {
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end(), [](double a, double b) { return b - a <= 1e-9; }), times.end());
}

// Output times of one stage for times behind it.
std::vector<double> before(const std::vector<TimePiece>& pieces, const std::vector<double>& inputs) {
    std::vector<double> result;
    for (const TimePiece& piece : pieces) {
        if (std::isfinite(piece.from))
            result.push_back(piece.from);
        if (std::isfinite(piece.to))
            result.push_back(piece.to);
        if (piece.kind != TimePiece::Kind::Run || piece.speed == 0.0)
            continue;
        // Only the inputs that this piece shows: inputs are rising.
        const double a = std::isfinite(piece.from) ? runAt(piece, piece.from) : -kInfinite * piece.speed;
        const double b = std::isfinite(piece.to) ? runAt(piece, piece.to) : kInfinite * piece.speed;
        const auto low = std::lower_bound(inputs.begin(), inputs.end(), std::min(a, b) - kRounding);
        const auto high = std::upper_bound(low, inputs.end(), std::max(a, b) + kRounding);
        for (auto it = low; it != high; ++it)
            result.push_back(outputOf(piece, *it));
    }
    sortOnce(result);
    return result;
}

} // namespace

TimeMap::TimeMap(std::vector<TimePiece> pieces) {
    if (!pieces.empty())
        stages_.push_back(std::make_shared<const std::vector<TimePiece>>(std::move(pieces)));
}

TimeMap TimeMap::run(double outAnchor, double inAnchor, double speed) {
    TimePiece piece;
    piece.anchor = outAnchor;
    piece.inFrom = inAnchor;
    piece.speed = speed;
    return TimeMap({piece});
}

TimeMap TimeMap::heldOutside(const TimeSpan& span) {
    const auto hold = [](double from, double to, double pose) {
        return TimePiece{TimePiece::Kind::Run, from, to, pose, pose, 0.0, 0.0};
    };
    return TimeMap({hold(-kInfinite, span.first, span.first),
                    TimePiece{TimePiece::Kind::Run, span.first, span.last, span.first, span.first, 1.0, 0.0},
                    hold(span.last, kInfinite, span.last)});
}

TimeMap TimeMap::of(const TimeMap& other) const {
    TimeMap result = *this;
    result.stages_.insert(result.stages_.end(), other.stages_.begin(), other.stages_.end());
    return result;
}

std::vector<TimedPose> TimeMap::at(double seconds) const {
    std::vector<TimedPose> poses{{seconds, 1.0, 1.0}};
    for (const Stage& stage : stages_) {
        std::vector<TimedPose> next;
        for (const TimedPose& pose : poses) {
            const TimePiece& piece = pieceShown(*stage, pose.seconds);
            const double inside = std::clamp(pose.seconds, stage->front().from, stage->back().to);
            if (piece.kind == TimePiece::Kind::Run) {
                next.push_back({runAt(piece, inside), pose.weight, pose.speed * piece.speed});
                continue;
            }
            const double weight = mixWeight(piece, inside);
            const double speed = pose.speed * (piece.inTo - piece.inFrom) / (piece.to - piece.from);
            if (weight < 1.0)
                next.push_back({piece.inFrom, pose.weight * (1.0 - weight), speed});
            if (weight > 0.0)
                next.push_back({piece.inTo, pose.weight * weight, speed});
        }
        poses = std::move(next);
    }
    return poses;
}

double TimeMap::heldAt(double seconds) const {
    for (const Stage& stage : stages_) {
        const TimePiece& piece = pieceAt(*stage, seconds);
        const double inside = std::clamp(seconds, stage->front().from, stage->back().to);
        if (piece.kind == TimePiece::Kind::Run)
            seconds = runAt(piece, inside);
        else
            seconds = inside >= piece.to ? piece.inTo : piece.inFrom;
    }
    return seconds;
}

std::vector<double> TimeMap::outputTimesOf(std::vector<double> inputTimes) const {
    for (std::size_t i = stages_.size(); i-- > 0;)
        inputTimes = before(*stages_[i], inputTimes);
    return inputTimes;
}

std::vector<TimeSpan> TimeMap::holds() const {
    std::vector<TimeSpan> result;
    for (std::size_t s = stages_.size(); s-- > 0;) {
        // What a later stage holds lies at other times seen from here.
        std::vector<TimeSpan> moved;
        for (const TimeSpan& span : result)
            for (const TimePiece& piece : *stages_[s]) {
                if (piece.kind != TimePiece::Kind::Run || piece.speed == 0.0)
                    continue;
                const double a = outputOf(piece, span.first);
                const double b = outputOf(piece, span.last);
                const TimeSpan seen{std::max(std::min(a, b), piece.from), std::min(std::max(a, b), piece.to)};
                if (seen.last > seen.first)
                    moved.push_back(seen);
            }
        for (const TimePiece& piece : *stages_[s])
            if (piece.kind == TimePiece::Kind::Mix || piece.speed == 0.0)
                moved.push_back({piece.from, piece.to});
        result = std::move(moved);
    }
    return result;
}

std::optional<TimeSpan> TimeMap::outputSpanOf(const TimeSpan& input) const {
    std::optional<TimeSpan> span = input;
    for (std::size_t i = stages_.size(); i-- > 0 && span;) {
        std::optional<TimeSpan> seen;
        for (const TimePiece& piece : *stages_[i]) {
            TimeSpan here{piece.from, piece.to};
            if (piece.kind == TimePiece::Kind::Run && piece.speed != 0.0) {
                const double a = outputOf(piece, span->first);
                const double b = outputOf(piece, span->last);
                here = {std::max(std::min(a, b), piece.from), std::min(std::max(a, b), piece.to)};
            } else if (piece.kind == TimePiece::Kind::Run) {
                continue;
            }
            if (here.last < here.first)
                continue;
            seen = seen ? TimeSpan{std::min(seen->first, here.first), std::max(seen->last, here.last)} : here;
        }
        span = seen;
    }
    return span;
}

std::optional<TimePiece> TimeMap::asOneRun() const {
    TimePiece result;
    for (const Stage& stage : stages_) {
        const TimePiece& piece = stage->front();
        if (stage->size() != 1 || piece.kind != TimePiece::Kind::Run || std::isfinite(piece.from) ||
            std::isfinite(piece.to))
            return std::nullopt;
        // input = (t·s1 + c1)·s2 + c2
        const double shift = piece.inFrom - piece.anchor * piece.speed;
        result.inFrom = result.inFrom * piece.speed + shift;
        result.speed *= piece.speed;
    }
    return result;
}

} // namespace wyc
