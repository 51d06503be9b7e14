// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Small text helpers: exact numbers, figures for people, names.
#include <cstdint>
#include <initializer_list>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace wyc {

/// Shortest decimal that reads back to the same float32.
void appendFloat(std::string& text, float value);
/// Shortest decimal that reads back to the same double.
[[nodiscard]] std::string shortestNumber(double value);
/// A whole decimal or fraction number, nothing else around it.
[[nodiscard]] std::optional<double> parseNumber(std::string_view text);
[[nodiscard]] std::optional<std::int64_t> parseInteger(std::string_view text);

/// 1234567 as "1,234,567".
[[nodiscard]] std::string groupedDigits(std::uint64_t value);
/// A frame number: whole ones without decimals, others with up to three.
[[nodiscard]] std::string frameText(double frame);
/// Bytes as kB, MB, GB (powers of 1000).
[[nodiscard]] std::string sizeText(std::uint64_t sizeBytes);
/// A length given in metres in the unit that fits it: "0.42 mm", "1.44 m".
[[nodiscard]] std::string lengthText(double metres);
/// A distance in a picture: "0.42 px", "1,204 px", "under 0.001 px".
[[nodiscard]] std::string pixelsText(double pixels);
[[nodiscard]] std::string durationText(double seconds);

[[nodiscard]] std::string_view trimmed(std::string_view text);
[[nodiscard]] std::vector<std::string> splitText(std::string_view text, char separator);
/// "Crab, Eel and 3 more": the first names in full.
[[nodiscard]] std::string firstNames(const std::vector<std::string>& names, std::size_t inFull = 4);
[[nodiscard]] std::string lowerCase(std::string_view text);
/// Shell-like pattern with * and ? over a whole text.
[[nodiscard]] bool matchesPattern(std::string_view text, std::string_view pattern);
/// Patterns in turn over the names of one thing: one that fits takes it in, `!PATTERN` leaves it out. Without any that
/// takes in, all is taken in to begin with.
[[nodiscard]] bool chosenBy(const std::vector<std::string>& patterns, std::initializer_list<std::string_view> names);
/// A name made safe as one part of a path or a scene path: never empty, no '/', no control characters.
[[nodiscard]] std::string safeName(std::string_view text);
/// Bytes that are not valid UTF-8 replaced, so that any name can be shown and put into JSON.
[[nodiscard]] std::string validUtf8(std::string_view text);

} // namespace wyc
