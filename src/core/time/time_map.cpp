// SPDX-License-Identifier: GPL-3.0-or-later
#include "time/time_map.h"

#include <algorithm>
#include <cmath>

namespace wyc {
namespace {

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

// What a piece shows beside where it stands.
struct Contribution {
    double at = 0.0;
    double weight = 1.0;
    double weightRate = 0.0; // a second of the time before the piece
    double speed = 1.0;
    double rate = 1.0; // of `at`, likewise
};

void addPoses(const TimePiece& piece, double seconds, const TimedPose& of, std::vector<TimedPose>& into) {
    const auto add = [&](const Contribution& part, const Carry& carry) {
        if (part.weight == 0.0)
            return;
        TimedPose& pose = into.emplace_back();
        pose.seconds = part.at;
        pose.weight = of.weight * part.weight;
        pose.weightRate = of.weightRate * part.weight + of.weight * part.weightRate * of.rate;
        pose.speed = of.speed * part.speed;
        pose.rate = of.rate * part.rate;
        const double past = piece.kind == TimePiece::Kind::Run ? seconds - piece.anchor : 0.0;
        for (std::size_t i = 0; i < 3; ++i) {
            pose.carry[i] = of.carry[i] + carry[i] + piece.carrySpeed[i] * past;
            pose.carrySpeed[i] = of.carrySpeed[i] + piece.carrySpeed[i] * of.speed;
        }
    };
    const double way = mixWeight(piece, seconds);
    const double whole = piece.to - piece.from;
    switch (piece.kind) {
    case TimePiece::Kind::Run: add({runAt(piece, seconds), 1.0, 0.0, piece.speed, piece.speed}, piece.carry); return;
    case TimePiece::Kind::Mix: {
        const double speed = (piece.inTo - piece.inFrom) / whole;
        add({piece.inFrom, 1.0 - way, -1.0 / whole, speed, 0.0}, piece.carry);
        add({piece.inTo, way, 1.0 / whole, speed, 0.0}, piece.carryTo);
        return;
    }
    case TimePiece::Kind::Fade: {
        const double weight = piece.ease ? piece.ease->at(way) : way;
        const double slope = (piece.ease ? piece.ease->slopeAt(way) : 1.0) / whole;
        const double past = seconds - piece.anchor;
        add({runAt(piece, seconds), 1.0 - weight, -slope, piece.speed, piece.speed}, piece.carry);
        if (piece.fromRest && weight < 1.0)
            into.back().rest = true;
        add({piece.speedTo == 1.0 ? seconds + (piece.inTo - piece.anchor) : past * piece.speedTo + piece.inTo, weight,
             slope, piece.speedTo, piece.speedTo},
            piece.carryTo);
        if (piece.keepsShape && weight > 0.0 && weight < 1.0)
            into.back().keepsShape = true;
        return;
    }
    case TimePiece::Kind::Bridge: {
        // Hermite's base functions; a velocity is the difference of two poses, so all of it is a sum of four.
        const double u = way;
        const double steps = whole / piece.grid;
        const double leaving = ((u - 2.0) * u + 1.0) * u * steps;
        const double arriving = (u - 1.0) * u * u * steps;
        const double end = (3.0 - 2.0 * u) * u * u;
        const double leavingRate = ((3.0 * u - 4.0) * u + 1.0) * steps / whole;
        const double arrivingRate = (3.0 * u - 2.0) * u * steps / whole;
        const double endRate = 6.0 * u * (1.0 - u) / whole;
        add({piece.inFrom, 1.0 - end + leaving, leavingRate - endRate, 1.0, 0.0}, piece.carry);
        add({piece.inTo, end - arriving, endRate - arrivingRate, 1.0, 0.0}, piece.carryTo);
        add({piece.inFrom - piece.grid, -leaving, -leavingRate, 1.0, 0.0}, piece.carry);
        add({piece.inTo + piece.grid, arriving, arrivingRate, 1.0, 0.0}, piece.carryTo);
        return;
    }
    case TimePiece::Kind::Cubic: {
        const std::vector<double>& knots = *piece.knots;
        const double input = std::clamp(runAt(piece, seconds), knots.front(), knots.back());
        const auto next = std::upper_bound(knots.begin(), knots.end(), input + kRounding);
        const auto below = static_cast<std::size_t>(next - knots.begin()) - 1;
        if (input - knots[below] <= kRounding || next == knots.end()) {
            add({knots[below], 1.0, 0.0, piece.speed, piece.speed}, piece.carry);
            return;
        }
        // Hermite's base functions; the velocity at a knot is that from the one before it to the one behind. At the
        // ends the pose stands as far beyond as the next knot is.
        const double width = knots[below + 1] - knots[below];
        const double u = std::max(0.0, input - knots[below]) / width;
        const double before = below > 0 ? knots[below] - knots[below - 1] : width;
        const double behind = below + 2 < knots.size() ? knots[below + 2] - knots[below + 1] : width;
        const double a = width / (before + width);
        const double b = width / (width + behind);
        const double leaving = ((u - 2.0) * u + 1.0) * u;
        const double arriving = (u - 1.0) * u * u;
        const double end = (3.0 - 2.0 * u) * u * u;
        const double leavingSlope = (3.0 * u - 4.0) * u + 1.0;
        const double arrivingSlope = (3.0 * u - 2.0) * u;
        const double endSlope = 6.0 * u * (1.0 - u);
        const auto share = [&](std::size_t knot, double weight, double slope) {
            add({knots[std::min(knot, knots.size() - 1)], weight, slope * piece.speed / width, piece.speed, 0.0},
                piece.carry);
        };
        share(below, 1.0 - end - arriving * b, -endSlope - arrivingSlope * b);
        share(below + 1, end + leaving * a, endSlope + leavingSlope * a);
        share(below > 0 ? below - 1 : 0, -leaving * a, -leavingSlope * a);
        share(below + 2, arriving * b, arrivingSlope * b);
        return;
    }
    }
}

double outputOf(const TimePiece& piece, double input) {
    return piece.speed == 1.0 ? input - (piece.inFrom - piece.anchor)
                              : (input - piece.inFrom) / piece.speed + piece.anchor;
}

bool runs(const TimePiece& piece) {
    return (piece.kind == TimePiece::Kind::Run || piece.kind == TimePiece::Kind::Fade ||
            piece.kind == TimePiece::Kind::Cubic) &&
           piece.speed != 0.0;
}

// Where spans of the time behind a stage are seen before it.
std::vector<TimeSpan> seenThrough(const std::vector<TimePiece>& pieces, const std::vector<TimeSpan>& spans) {
    std::vector<TimeSpan> moved;
    for (const TimeSpan& span : spans)
        for (const TimePiece& piece : pieces) {
            if (!runs(piece))
                continue;
            const double a = outputOf(piece, span.first);
            const double b = outputOf(piece, span.last);
            const TimeSpan seen{std::max(std::min(a, b), piece.from), std::min(std::max(a, b), piece.to)};
            if (seen.last > seen.first)
                moved.push_back(seen);
        }
    return moved;
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
        // Only the inputs that this piece shows: inputs are rising.
        const auto add = [&](const TimePiece& run) {
            const double a = std::isfinite(run.from) ? runAt(run, run.from) : -kForever * run.speed;
            const double b = std::isfinite(run.to) ? runAt(run, run.to) : kForever * run.speed;
            const auto low = std::lower_bound(inputs.begin(), inputs.end(), std::min(a, b) - kRounding);
            const auto high = std::upper_bound(low, inputs.end(), std::max(a, b) + kRounding);
            for (auto it = low; it != high; ++it)
                result.push_back(outputOf(run, *it));
        };
        if (runs(piece))
            add(piece);
        if (piece.kind == TimePiece::Kind::Fade && piece.speedTo != 0.0) {
            TimePiece into = piece; // the run it fades into
            into.inFrom = piece.inTo;
            into.speed = piece.speedTo;
            add(into);
        }
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
    return TimeMap({hold(-kForever, span.first, span.first),
                    TimePiece{TimePiece::Kind::Run, span.first, span.last, span.first, span.first, 1.0, 0.0},
                    hold(span.last, kForever, span.last)});
}

TimeMap TimeMap::of(const TimeMap& other) const {
    TimeMap result = *this;
    result.stages_.insert(result.stages_.end(), other.stages_.begin(), other.stages_.end());
    return result;
}

std::vector<TimedPose> TimeMap::at(double seconds) const {
    std::vector<TimedPose> poses(1);
    poses.front().seconds = seconds;
    for (const Stage& stage : stages_) {
        std::vector<TimedPose> next;
        for (const TimedPose& pose : poses) {
            const TimePiece& piece = pieceShown(*stage, pose.seconds);
            const double inside = std::clamp(pose.seconds, stage->front().from, stage->back().to);
            const std::size_t had = next.size();
            addPoses(piece, inside, pose, next);
            if (pose.rest) // a rest pose has no time: what is behind changes where the others look, and nothing of it
                for (std::size_t i = had; i < next.size(); ++i)
                    next[i].rest = true;
            if (pose.keepsShape && next.size() > had)
                next[had].keepsShape = true;
        }
        poses = std::move(next);
    }
    return poses;
}

double TimeMap::heldAt(double seconds) const {
    for (const Stage& stage : stages_) {
        const TimePiece& piece = pieceAt(*stage, seconds);
        const double inside = std::clamp(seconds, stage->front().from, stage->back().to);
        switch (piece.kind) {
        case TimePiece::Kind::Run:
        case TimePiece::Kind::Fade: seconds = runAt(piece, inside); break;
        case TimePiece::Kind::Cubic:
            seconds = std::clamp(runAt(piece, inside), piece.knots->front(), piece.knots->back());
            break;
        default: seconds = inside >= piece.to ? piece.inTo : piece.inFrom;
        }
    }
    return seconds;
}

double Ease::at(double way) const {
    const double u = std::clamp(way, 0.0, 1.0);
    switch (kind) {
    case Kind::Linear: return u;
    case Kind::Smooth: return (3.0 - 2.0 * u) * u * u;
    case Kind::Smoother: return ((6.0 * u - 15.0) * u + 10.0) * u * u * u;
    case Kind::Drawn: break;
    }
    std::pair<double, double> before{0.0, 0.0};
    for (const auto& key : keys) {
        if (key.first >= u && key.first > before.first)
            return before.second + (key.second - before.second) * (u - before.first) / (key.first - before.first);
        before = key;
    }
    return before.first >= 1.0 ? before.second
                               : before.second + (1.0 - before.second) * (u - before.first) / (1.0 - before.first);
}

double Ease::slopeAt(double way) const {
    const double u = std::clamp(way, 0.0, 1.0);
    switch (kind) {
    case Kind::Linear: return 1.0;
    case Kind::Smooth: return 6.0 * u * (1.0 - u);
    case Kind::Smoother: return 30.0 * u * u * (1.0 - u) * (1.0 - u);
    case Kind::Drawn: break;
    }
    std::pair<double, double> before{0.0, 0.0};
    for (const auto& key : keys) {
        if (key.first >= u && key.first > before.first)
            return (key.second - before.second) / (key.first - before.first);
        before = key;
    }
    return before.first >= 1.0 ? 0.0 : (1.0 - before.second) / (1.0 - before.first);
}

std::vector<TimeSpan> TimeMap::bends() const {
    std::vector<TimeSpan> result;
    for (std::size_t s = stages_.size(); s-- > 0;) {
        result = seenThrough(*stages_[s], result);
        for (const TimePiece& piece : *stages_[s])
            if (piece.kind != TimePiece::Kind::Run && piece.kind != TimePiece::Kind::Mix)
                result.push_back({piece.from, piece.to});
    }
    return result;
}

bool TimeMap::joinsApart() const {
    return std::any_of(stages_.begin(), stages_.end(), [](const Stage& stage) {
        for (std::size_t i = 0; i < stage->size(); ++i) {
            const TimePiece& piece = (*stage)[i];
            if (piece.kind == TimePiece::Kind::Fade || piece.kind == TimePiece::Kind::Bridge)
                return true;
            if (i == 0 || !std::isfinite(piece.from) || piece.kind != TimePiece::Kind::Run)
                continue;
            const TimePiece& before = (*stage)[i - 1];
            if (before.kind == TimePiece::Kind::Run &&
                std::abs(runAt(before, piece.from) - runAt(piece, piece.from)) > 1e-6)
                return true;
        }
        return false;
    });
}

std::vector<double> TimeMap::outputTimesOf(std::vector<double> inputTimes) const {
    for (std::size_t i = stages_.size(); i-- > 0;)
        inputTimes = before(*stages_[i], inputTimes);
    return inputTimes;
}

std::vector<TimeSpan> TimeMap::holds() const {
    std::vector<TimeSpan> result;
    for (std::size_t s = stages_.size(); s-- > 0;) {
        result = seenThrough(*stages_[s], result);
        for (const TimePiece& piece : *stages_[s])
            if ((piece.kind != TimePiece::Kind::Run && piece.kind != TimePiece::Kind::Cubic) || piece.speed == 0.0)
                result.push_back({piece.from, piece.to});
    }
    return result;
}

std::optional<TimeSpan> TimeMap::outputSpanOf(const TimeSpan& input) const {
    std::optional<TimeSpan> span = input;
    for (std::size_t i = stages_.size(); i-- > 0 && span;) {
        std::optional<TimeSpan> seen;
        for (const TimePiece& piece : *stages_[i]) {
            TimeSpan here{piece.from, piece.to};
            if ((piece.kind == TimePiece::Kind::Run || piece.kind == TimePiece::Kind::Cubic) && piece.speed != 0.0) {
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

bool TimeMap::carries() const {
    constexpr Carry kNowhere{};
    return std::any_of(stages_.begin(), stages_.end(), [&](const Stage& stage) {
        return std::any_of(stage->begin(), stage->end(), [&](const TimePiece& piece) {
            return piece.carry != kNowhere || piece.carryTo != kNowhere || piece.carrySpeed != kNowhere;
        });
    });
}

Carry TimeMap::carryAt(double seconds) const {
    Carry sum{};
    for (const TimedPose& pose : at(seconds))
        for (std::size_t i = 0; i < 3; ++i)
            sum[i] += pose.weight * pose.carry[i];
    return sum;
}

TimeMap TimeMap::turned(const std::array<double, 9>& linear) const {
    if (!carries())
        return *this;
    const auto turn = [&](const Carry& v) {
        Carry result{};
        for (std::size_t c = 0; c < 3; ++c)
            for (std::size_t r = 0; r < 3; ++r)
                result[c] += v[r] * linear[r * 3 + c];
        return result;
    };
    TimeMap result;
    for (const Stage& stage : stages_) {
        auto pieces = std::make_shared<std::vector<TimePiece>>(*stage);
        for (TimePiece& piece : *pieces) {
            piece.carry = turn(piece.carry);
            piece.carryTo = turn(piece.carryTo);
            piece.carrySpeed = turn(piece.carrySpeed);
        }
        result.stages_.push_back(std::move(pieces));
    }
    return result;
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
