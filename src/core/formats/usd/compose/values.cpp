// SPDX-License-Identifier: GPL-3.0-or-later
// Values between samples, and attributes at a time.
#include <algorithm>
#include <cmath>
#include <cstring>

#include "formats/usd/compose/stage.h"

namespace wyc::usd {
namespace {

template<class T> T numberAt(const std::byte* from, std::size_t i) {
    T value;
    std::memcpy(&value, from + i * sizeof(T), sizeof(T));
    return value;
}

// Single numbers are rounded once; those of vectors, each product and then their sum.
template<class T>
void mixFloats(const std::byte* a, const std::byte* b, std::size_t count, double weight, bool vector, std::byte* to) {
    for (std::size_t i = 0; i < count; ++i) {
        const double first = (1.0 - weight) * static_cast<double>(numberAt<T>(a, i));
        const double second = weight * static_cast<double>(numberAt<T>(b, i));
        const T mixed =
            vector ? static_cast<T>(static_cast<T>(first) + static_cast<T>(second)) : static_cast<T>(first + second);
        std::memcpy(to + i * sizeof(T), &mixed, sizeof(T));
    }
}

void mixHalves(const std::byte* a, const std::byte* b, std::size_t count, double weight, bool vector, std::byte* to) {
    for (std::size_t i = 0; i < count; ++i) {
        double first = (1.0 - weight) * halfToDouble(numberAt<std::uint16_t>(a, i));
        double second = weight * halfToDouble(numberAt<std::uint16_t>(b, i));
        if (vector) {
            first = halfToDouble(doubleToHalf(first));
            second = halfToDouble(doubleToHalf(second));
        }
        const std::uint16_t mixed = doubleToHalf(first + second);
        std::memcpy(to + 2 * i, &mixed, 2);
    }
}

// Along the shorter way of the sphere (K. Shoemake, Animating rotation with quaternion curves, 1985). Rounded once.
void mixSphere(const Type& type, const std::byte* a, const std::byte* b, std::size_t count, double weight,
               std::byte* to) {
    Type one = type.single();
    for (std::size_t i = 0; i < count; ++i) {
        const std::size_t at = i * sizeOf(one);
        const std::vector<double> p = numbersOf(one, std::span(a + at, sizeOf(one)));
        const std::vector<double> q = numbersOf(one, std::span(b + at, sizeOf(one)));
        double cosine = 0.0;
        for (std::size_t k = 0; k < 4; ++k)
            cosine += p[k] * q[k];
        const bool other = cosine < 0.0; // the same turn, from the near side
        cosine = std::abs(cosine);
        double first = 1.0 - weight;
        double second = weight;
        if (1.0 - cosine > 1e-5) {
            const double angle = std::acos(std::min(cosine, 1.0));
            first = std::sin((1.0 - weight) * angle) / std::sin(angle);
            second = std::sin(weight * angle) / std::sin(angle);
        }
        if (other)
            second = -second;
        std::array<double, 4> mixed{};
        for (std::size_t k = 0; k < 4; ++k)
            mixed[k] = first * p[k] + second * q[k];
        const std::vector<std::byte> bytes = bytesFrom(one, mixed);
        std::memcpy(to + at, bytes.data(), bytes.size());
    }
}

} // namespace

Value shiftedTimes(Value value, const Offset& offset) {
    const Data* data = value.data();
    if (!data || data->type.base != Base::TimeCode || offset.isIdentity())
        return value;
    auto numbers = numbersOf(value);
    if (!numbers)
        return value;
    for (double& time : *numbers)
        time = offset.outside(time);
    return Value::ofBytes(data->type, bytesFrom(data->type, *numbers));
}

bool canBeMixed(const Type& type) {
    return type.base == Base::Half || type.base == Base::Float || type.base == Base::Double ||
           type.base == Base::TimeCode || type.base == Base::Duration;
}

Result<Value> mixedValue(const Type& type, const Value& earlier, const Value& later, double weight) {
    const Data* a = earlier.data();
    const Data* b = later.data();
    if (weight == 0.0 || !a || !b || !canBeMixed(type) || a->type != b->type || a->type.isText())
        return earlier;
    WYC_TRY(first, bytesOf(*a));
    WYC_TRY(second, bytesOf(*b));
    if (first->size() != second->size())
        return earlier;
    std::vector<std::byte> mixed(first->size());
    const std::size_t values = first->size() / std::max<std::size_t>(sizeOf(a->type), 1);
    const std::size_t numbers = values * a->type.count;
    const bool vector = a->type.count > 1;
    if (a->type.quaternion)
        mixSphere(a->type, first->data(), second->data(), values, weight, mixed.data());
    else if (a->type.base == Base::Half)
        mixHalves(first->data(), second->data(), numbers, weight, vector, mixed.data());
    else if (a->type.base == Base::Float)
        mixFloats<float>(first->data(), second->data(), numbers, weight, vector, mixed.data());
    else
        mixFloats<double>(first->data(), second->data(), numbers, weight, vector, mixed.data());
    return Value::ofBytes(a->type, std::move(mixed));
}

bool Attribute::hasValue() const {
    return source.from != ValueSource::From::Nothing && source.from != ValueSource::From::Block;
}

Result<Value> Attribute::sample(std::size_t which) const {
    WYC_TRY(value, source.samples->value(which));
    if (value.isBlock())
        return Value();
    return shiftedTimes(std::move(value), source.toRoot);
}

Result<Value> Attribute::at(double timeCode, bool held) const {
    switch (source.from) {
    case ValueSource::From::Nothing:
    case ValueSource::From::Block: return Value();
    case ValueSource::From::Default: return shiftedTimes(source.value, source.toRoot);
    case ValueSource::From::Spline: {
        const auto number = splineAt(*source.spline, source.toRoot.inside(timeCode));
        if (!number)
            return Value();
        return Value::ofBytes(type, bytesFrom(type, std::span(&*number, 1)));
    }
    default: break;
    }
    const auto above = std::upper_bound(times_.begin(), times_.end(), timeCode);
    if (above == times_.begin())
        return sample(0);
    const auto lower = static_cast<std::size_t>(above - times_.begin()) - 1;
    if (above == times_.end() || times_[lower] == timeCode || held || !canBeMixed(type))
        return sample(lower);
    WYC_TRY(earlier, sample(lower));
    WYC_TRY(later, sample(lower + 1));
    if (later.isNothing()) // what comes is a block: it holds up to there
        return earlier;
    return mixedValue(type, earlier, later, (timeCode - times_[lower]) / (times_[lower + 1] - times_[lower]));
}

namespace {

// A cubic from p0 to p3 in one coordinate.
double cubic(double p0, double p1, double p2, double p3, double u) {
    const double v = 1.0 - u;
    return v * v * v * p0 + 3.0 * v * v * u * p1 + 3.0 * v * u * u * p2 + u * u * u * p3;
}

double segmentAt(const Spline& spline, const Spline::Knot& a, const Spline::Knot& b, double time) {
    const double end = b.valueBefore.value_or(b.value);
    const double span = b.time - a.time;
    if (a.after == Spline::Between::Held)
        return a.value;
    if (a.after == Spline::Between::Linear)
        return a.value + (end - a.value) * ((time - a.time) / span);
    if (spline.curve == Spline::Curve::Hermite) {
        const double u = (time - a.time) / span;
        return cubic(a.value, a.value + a.slopeAfter * span / 3.0, end - b.slopeBefore * span / 3.0, end, u);
    }
    // Time runs forward where both inner points lie within the segment.
    const double after = std::clamp(a.widthAfter, 0.0, span);
    const double before = std::clamp(b.widthBefore, 0.0, span);
    const double t1 = a.time + after;
    const double t2 = b.time - before;
    double low = 0.0;
    double high = 1.0;
    for (int i = 0; i < 80; ++i) {
        const double middle = 0.5 * (low + high);
        if (cubic(a.time, t1, t2, b.time, middle) < time)
            low = middle;
        else
            high = middle;
    }
    const double u = 0.5 * (low + high);
    return cubic(a.value, a.value + a.slopeAfter * after, end - b.slopeBefore * before, end, u);
}

// Slope of the curve where it begins or ends.
double endSlope(const Spline& spline, bool first) {
    const auto& knots = spline.knots;
    if (first) {
        const Spline::Knot& knot = knots.front();
        if (knot.valueBefore || knots.size() < 2)
            return 0.0;
        if (knot.after == Spline::Between::Linear)
            return (knots[1].valueBefore.value_or(knots[1].value) - knot.value) / (knots[1].time - knot.time);
        return knot.after == Spline::Between::Curve ? knot.slopeAfter : 0.0;
    }
    if (knots.size() < 2)
        return 0.0;
    const Spline::Knot& knot = knots.back();
    const Spline::Knot& before = knots[knots.size() - 2];
    if (before.after == Spline::Between::Linear)
        return (knot.valueBefore.value_or(knot.value) - before.value) / (knot.time - before.time);
    return before.after == Spline::Between::Curve ? knot.slopeBefore : 0.0;
}

} // namespace

std::optional<double> splineAt(const Spline& spline, double time) {
    const auto& knots = spline.knots;
    if (knots.empty() || spline.loop) // inner loops are listed as not carried
        return std::nullopt;
    const double first = knots.front().time;
    const double last = knots.back().time;
    double shift = 0.0;
    // What is told of the outside counts from the last knot on.
    const bool endsHere = spline.after == Spline::Outside::None || spline.after >= Spline::Outside::LoopRepeat;
    if (time < first || time > last || (time == last && endsHere)) {
        const bool before = time < first;
        const Spline::Outside way = before ? spline.before : spline.after;
        const double edge = before ? first : last;
        const double value = before ? knots.front().valueBefore.value_or(knots.front().value) : knots.back().value;
        switch (way) {
        case Spline::Outside::None: return std::nullopt;
        case Spline::Outside::Held: return value;
        case Spline::Outside::Linear: return value + (time - edge) * endSlope(spline, before);
        case Spline::Outside::Sloped: return value + (time - edge) * (before ? spline.slopeBefore : spline.slopeAfter);
        default: break;
        }
        const double span = last - first;
        if (!(span > 0.0))
            return value;
        const double rounds = std::floor((time - first) / span);
        double within = time - first - rounds * span;
        if (way == Spline::Outside::LoopOscillate && std::fmod(std::abs(rounds), 2.0) != 0.0)
            within = span - within;
        if (way == Spline::Outside::LoopRepeat)
            shift = rounds * (knots.back().value - knots.front().value);
        time = first + within;
    }
    const auto above =
        std::upper_bound(knots.begin(), knots.end(), time, [](double t, const Spline::Knot& k) { return t < k.time; });
    const auto at = static_cast<std::size_t>(above - knots.begin()) - 1;
    if (at + 1 == knots.size() || knots[at].time == time)
        return knots[at].after == Spline::Between::None && at + 1 < knots.size()
                   ? std::nullopt
                   : std::optional(knots[at].value + shift);
    if (knots[at].after == Spline::Between::None)
        return std::nullopt;
    return segmentAt(spline, knots[at], knots[at + 1], time) + shift;
}

} // namespace wyc::usd
