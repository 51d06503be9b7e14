// SPDX-License-Identifier: GPL-3.0-or-later
#include "time/frame_text.h"

#include <algorithm>
#include <cctype>

#include <fmt/format.h>

#include "base/text.h"
#include "time/frame_rate.h"

namespace wyc {

Result<std::set<double>> parseFrameList(const std::string& text) {
    std::set<double> frames;
    for (const std::string& listed : splitText(text, ',')) {
        std::string part(trimmed(listed));
        if (part.empty())
            continue;
        // "1020-1024", but not the sign of "-5": a dash behind a digit stands between two frames.
        const auto dash = part.find('-', 1);
        if (part.find(':') == std::string::npos && dash != std::string::npos &&
            std::isdigit(static_cast<unsigned char>(part[dash - 1])) != 0)
            part[dash] = ':';
        if (part.find(':') != std::string::npos) {
            WYC_TRY(range, FrameRange::parse(part));
            if (range.count() > 1e6)
                return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is too many frames", part)));
            for (double frame = range.first; frame <= range.last + kFrameTolerance; frame += 1.0)
                frames.insert(frame);
        } else if (const auto frame = parseNumber(part)) {
            frames.insert(*frame);
        } else {
            return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame", part))
                            .withAdvice("Write frames and ranges, as 1009,1020:1024"));
        }
    }
    return frames;
}

Result<std::vector<std::pair<double, double>>> numberPairs(const std::string& text) {
    std::string plain = text;
    std::replace_if(
        plain.begin(), plain.end(), [](char c) { return c == ';' || c == '\n' || c == '\r'; }, ',');
    std::vector<std::pair<double, double>> pairs;
    for (const std::string& listed : splitText(plain, ',')) {
        const std::string pair(trimmed(listed));
        if (pair.empty())
            continue;
        const auto middle = pair.find_first_of("= \t", 1);
        const auto refused = makeError(ErrorKind::BadInput, fmt::format("'{}' is no pair of numbers", pair));
        if (middle == std::string::npos)
            return fail(refused);
        const auto first = parseNumber(std::string(trimmed(pair.substr(0, middle))));
        const auto second = parseNumber(std::string(trimmed(pair.substr(middle + 1))));
        if (!first || !second)
            return fail(refused);
        pairs.emplace_back(*first, *second);
    }
    return pairs;
}

std::string pairsText(const std::vector<std::pair<double, double>>& pairs) {
    std::string text;
    for (const auto& [first, second] : pairs)
        text += fmt::format("{}{}={}", text.empty() ? "" : ", ", shortestNumber(first), shortestNumber(second));
    return text;
}

} // namespace wyc
