// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/time/retime_curve.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "time/frame_text.h"

namespace wyc {
namespace {

Error noCurve(const std::string& text, std::string why) {
    return makeError(ErrorKind::BadInput, fmt::format("'{}' is no curve: {}", text, why))
        .withAdvice(
            "Write pairs OUT=IN of frames, as 1001=1001, 1050=1100; or x0.5, reverse, there and back, hold 1040");
}

} // namespace

Result<RetimeCurve> RetimeCurve::parse(const std::string& text, const FrameRange& there) {
    RetimeCurve curve;
    const std::string plain(trimmed(text));
    const double span = there.last - there.first;
    const auto set = [&](std::vector<Key> keys) {
        curve.keys_ = std::move(keys);
        curve.runs_ = curve.keys_;
        return curve;
    };
    if (plain == "reverse")
        return set({{there.first, there.last}, {there.last, there.first}});
    if (plain == "there and back")
        return set({{there.first, there.first}, {there.last, there.last}, {there.last + span, there.first}});
    if (plain.starts_with("x")) {
        const auto speed = parseNumber(plain.substr(1));
        if (!speed || !(*speed > 0.0) || !(*speed < 1e6))
            return fail(noCurve(text, "a speed is a number above 0"));
        const double last = there.first + span / *speed;
        std::vector<Key> keys{{there.first, there.first}, {last, there.last}};
        // No whole frame of the source is missing at the end: the last one is shown where it falls between two.
        if ((last - std::floor(last + kFrameTolerance)) * *speed >= 1.0 - kFrameTolerance)
            keys.push_back({std::ceil(last), there.last});
        return set(std::move(keys));
    }
    if (plain.starts_with("hold ")) {
        const auto frame = parseNumber(std::string(trimmed(plain.substr(5))));
        if (!frame)
            return fail(noCurve(text, "a frame is a number"));
        return set({{there.first, *frame}, {there.last, *frame}});
    }
    const auto pairs = numberPairs(plain);
    if (!pairs)
        return fail(noCurve(text, pairs.error().what));
    std::vector<Key> keys;
    for (const auto& [out, in] : *pairs) {
        if (!keys.empty() && out <= keys.back().out + kFrameTolerance)
            return fail(noCurve(text, fmt::format("its frames do not rise: {} comes after {}", frameText(out),
                                                  frameText(keys.back().out))));
        keys.push_back({out, in});
    }
    if (keys.size() < 2)
        return fail(noCurve(text, "it takes two keys or more"));
    return set(std::move(keys));
}

Status RetimeCurve::staysWithin(const FrameRange& there) const {
    for (const Key& key : keys_)
        if (!there.contains(key.in))
            return fail(
                makeError(ErrorKind::BadInput, fmt::format("the curve shows frame {} at {}, which is not there",
                                                           frameText(key.in), frameText(key.out)))
                    .withAdvice(fmt::format("There is {} – {}", frameText(there.first), frameText(there.last))));
    return {};
}

void RetimeCurve::smooth() {
    const std::size_t n = keys_.size();
    if (n < 3)
        return;
    std::vector<double> slope(n - 1);
    for (std::size_t i = 0; i + 1 < n; ++i)
        slope[i] = (keys_[i + 1].in - keys_[i].in) / (keys_[i + 1].out - keys_[i].out);
    std::vector<double> tangent(n);
    tangent.front() = slope.front();
    tangent.back() = slope.back();
    for (std::size_t i = 1; i + 1 < n; ++i)
        tangent[i] = slope[i - 1] * slope[i] <= 0.0 ? 0.0 : 0.5 * (slope[i - 1] + slope[i]);
    for (std::size_t i = 0; i + 1 < n; ++i) {
        if (slope[i] == 0.0) {
            tangent[i] = tangent[i + 1] = 0.0;
            continue;
        }
        const double a = tangent[i] / slope[i];
        const double b = tangent[i + 1] / slope[i];
        if (const double size = std::hypot(a, b); size > 3.0) {
            tangent[i] = 3.0 * a / size * slope[i];
            tangent[i + 1] = 3.0 * b / size * slope[i];
        }
    }
    runs_.clear();
    for (std::size_t i = 0; i + 1 < n; ++i) {
        const Key& a = keys_[i];
        const Key& b = keys_[i + 1];
        const double width = b.out - a.out;
        runs_.push_back(a);
        for (double out = std::floor(a.out) + 1.0; out < b.out - kFrameTolerance; out += 1.0) {
            const double u = (out - a.out) / width;
            const double u2 = u * u;
            const double u3 = u2 * u;
            runs_.push_back({out, (2 * u3 - 3 * u2 + 1) * a.in + (u3 - 2 * u2 + u) * width * tangent[i] +
                                      (3 * u2 - 2 * u3) * b.in + (u3 - u2) * width * tangent[i + 1]});
        }
    }
    runs_.push_back(keys_.back());
}

} // namespace wyc
