// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/text.h"

#include <algorithm>
#include <charconv>
#include <cmath>

#include <fmt/format.h>

namespace wyc {

void appendFloat(std::string& text, float value) {
    char buffer[32];
    const auto end = std::to_chars(buffer, buffer + sizeof buffer, value).ptr;
    text.append(buffer, end);
}

std::string shortestNumber(double value) {
    char buffer[40];
    const auto end = std::to_chars(buffer, buffer + sizeof buffer, value).ptr;
    return {buffer, end};
}

std::optional<double> parseNumber(std::string_view text) {
    text = trimmed(text);
    if (!text.empty() && text.front() == '+')
        text.remove_prefix(1);
    double value = 0.0;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (code != std::errc() || end != text.data() + text.size() || !std::isfinite(value))
        return std::nullopt;
    return value;
}

std::optional<std::int64_t> parseInteger(std::string_view text) {
    text = trimmed(text);
    std::int64_t value = 0;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (code != std::errc() || end != text.data() + text.size())
        return std::nullopt;
    return value;
}

std::string groupedDigits(std::uint64_t value) {
    std::string digits = std::to_string(value);
    for (std::ptrdiff_t at = static_cast<std::ptrdiff_t>(digits.size()) - 3; at > 0; at -= 3)
        digits.insert(static_cast<std::size_t>(at), 1, ',');
    return digits;
}

std::string frameText(double frame) {
    if (std::abs(frame - std::round(frame)) < 1e-4)
        return fmt::format("{}", static_cast<long long>(std::llround(frame)));
    std::string text = fmt::format("{:.3f}", frame);
    while (text.back() == '0')
        text.pop_back();
    return text;
}

std::string sizeText(std::uint64_t sizeBytes) {
    const double bytes = static_cast<double>(sizeBytes);
    if (sizeBytes < 1000)
        return fmt::format("{} B", sizeBytes);
    if (bytes < 1e6)
        return fmt::format("{:.1f} kB", bytes / 1e3);
    if (bytes < 1e9)
        return fmt::format("{:.1f} MB", bytes / 1e6);
    return fmt::format("{:.2f} GB", bytes / 1e9);
}

std::string lengthText(double metres) {
    const double size = std::abs(metres);
    if (size == 0.0)
        return "0 mm";
    if (size < 1e-9)
        return "0.000 µm";
    if (size < 1e-6)
        return fmt::format("{:.3f} µm", metres * 1e6);
    if (size < 1e-5)
        return fmt::format("{:.2g} mm", metres * 1e3);
    if (size < 0.1)
        return fmt::format("{:.3g} mm", metres * 1e3);
    if (size < 0.995)
        return fmt::format("{:.3g} cm", metres * 1e2);
    if (size < 1000.0)
        return size < 99.95 ? fmt::format("{:.2f} m", metres) : fmt::format("{:.1f} m", metres);
    if (size < 9.9995e6) // four digits are not enough beyond
        return fmt::format("{:.4g} km", metres / 1e3);
    constexpr double kBeyondWords = 1e18;
    return fmt::format("{}{}{} km", size > kBeyondWords ? "over " : "", metres < 0.0 ? "-" : "",
                       groupedDigits(static_cast<std::uint64_t>(std::min(size, kBeyondWords) / 1e3)));
}

std::string pixelsText(double pixels) {
    if (pixels == 0.0)
        return "0 px";
    if (pixels < 0.001)
        return "under 0.001 px";
    if (pixels < 99.95)
        return fmt::format("{:.3g} px", pixels);
    return groupedDigits(static_cast<std::size_t>(std::llround(std::min(pixels, 1e15)))) + " px";
}

std::string durationText(double seconds) {
    if (seconds < 60.0)
        return fmt::format("{:.0f} s", std::ceil(seconds));
    const auto whole = static_cast<long long>(std::ceil(seconds));
    if (whole < 3600)
        return fmt::format("{} min {:02} s", whole / 60, whole % 60);
    return fmt::format("{} h {:02} min", whole / 3600, whole / 60 % 60);
}

std::string_view trimmed(std::string_view text) {
    const auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; };
    while (!text.empty() && blank(text.front()))
        text.remove_prefix(1);
    while (!text.empty() && blank(text.back()))
        text.remove_suffix(1);
    return text;
}

std::vector<std::string> splitText(std::string_view text, char separator) {
    std::vector<std::string> parts;
    std::size_t from = 0;
    for (std::size_t at = text.find(separator); at != std::string_view::npos; at = text.find(separator, from)) {
        parts.emplace_back(text.substr(from, at - from));
        from = at + 1;
    }
    parts.emplace_back(text.substr(from));
    return parts;
}

std::string firstNames(const std::vector<std::string>& names, std::size_t inFull) {
    const std::size_t shown = std::min(inFull, names.size());
    const std::size_t more = names.size() - shown;
    return fmt::format("{}{}", fmt::join(names.begin(), names.begin() + static_cast<std::ptrdiff_t>(shown), ", "),
                       more > 0 ? fmt::format(" and {} more", more) : "");
}

std::string lowerCase(std::string_view text) {
    std::string result(text);
    for (char& c : result)
        if (c >= 'A' && c <= 'Z')
            c = static_cast<char>(c - 'A' + 'a');
    return result;
}

bool matchesPattern(std::string_view text, std::string_view pattern) {
    std::size_t t = 0;
    std::size_t p = 0;
    std::size_t starAt = std::string_view::npos;
    std::size_t resume = 0;
    while (t < text.size()) {
        if (p < pattern.size() && pattern[p] == '*') {
            starAt = p++;
            resume = t;
        } else if (p < pattern.size() && (pattern[p] == '?' || pattern[p] == text[t])) {
            ++p;
            ++t;
        } else if (starAt != std::string_view::npos) {
            p = starAt + 1;
            t = ++resume;
        } else {
            return false;
        }
    }
    while (p < pattern.size() && pattern[p] == '*')
        ++p;
    return p == pattern.size();
}

bool chosenBy(const std::vector<std::string>& patterns, std::initializer_list<std::string_view> names) {
    bool chosen =
        std::none_of(patterns.begin(), patterns.end(), [](const std::string& p) { return !p.starts_with("!"); });
    for (const std::string& pattern : patterns) {
        const bool leaves = pattern.starts_with("!");
        const std::string_view words = std::string_view(pattern).substr(leaves ? 1 : 0);
        if (std::any_of(names.begin(), names.end(), [&](std::string_view name) { return matchesPattern(name, words); }))
            chosen = !leaves;
    }
    return chosen;
}

std::string safeName(std::string_view text) {
    std::string result;
    for (const char c : text)
        result += (static_cast<unsigned char>(c) < 0x20 || c == '/' || c == 0x7f) ? '_' : c;
    if (result.empty() || result == "." || result == "..")
        return "unnamed";
    return result;
}

std::string validUtf8(std::string_view text) {
    std::string result;
    for (std::size_t i = 0; i < text.size();) {
        const auto lead = static_cast<unsigned char>(text[i]);
        const std::size_t length = lead < 0x80                   ? 1
                                   : lead >= 0xC2 && lead < 0xE0 ? 2
                                   : (lead & 0xF0) == 0xE0       ? 3
                                   : lead >= 0xF0 && lead < 0xF5 ? 4
                                                                 : 0;
        bool good = length > 0 && i + length <= text.size();
        for (std::size_t k = 1; good && k < length; ++k)
            good = (static_cast<unsigned char>(text[i + k]) & 0xC0) == 0x80;
        if (good && length >= 3) {
            const auto second = static_cast<unsigned char>(text[i + 1]);
            good = !(lead == 0xE0 && second < 0xA0) && !(lead == 0xED && second >= 0xA0) &&
                   !(lead == 0xF0 && second < 0x90) && !(lead == 0xF4 && second >= 0x90);
        }
        if (good) {
            result.append(text.substr(i, length));
            i += length;
        } else {
            result += "\xEF\xBF\xBD";
            ++i;
        }
    }
    return result;
}

} // namespace wyc
