// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Attributes of a composed scene as tracks of ours: time codes become seconds, halves floats.
#include "formats/usd/compose/stage.h"
#include "scene/properties.h"

namespace wyc::usd {

/// Time codes of the root layer and seconds.
struct Clock {
    double codesPerSecond = 24.0;
    FrameRate rate; // the same, exactly
    [[nodiscard]] double seconds(double code) const;
    [[nodiscard]] double code(double seconds) const { return seconds * codesPerSecond; }
    [[nodiscard]] Sampling sampling(const std::vector<double>& codes) const;
};
/// All times at which one of them has a sample, in time codes.
[[nodiscard]] std::vector<double> codesOf(const std::vector<const Attribute*>& attributes);
/// Times between whose values nothing bends: of a spline its knots and the whole frames between.
[[nodiscard]] std::vector<double> codesOf(const Attribute& attribute);

/// Numbers of an attribute at a time code; empty where it has no value.
[[nodiscard]] Result<std::vector<double>> numbersAtCode(const Attribute& attribute, double code);
[[nodiscard]] Result<std::vector<std::int64_t>> wholesAtCode(const Attribute& attribute, double code);
[[nodiscard]] std::string textAtCode(const Attribute& attribute, double code, std::string otherwise = {});

struct ValuesAs {
    std::optional<ValueType> type = {}; // floats from any numbers, say; else as they are, halves as floats
    std::uint32_t extent = 0;           // 0: as its type and element size say
    double factor = 1.0;
    int first = 0;                      // of the numbers of a value the first one taken
    std::vector<double> otherwise = {}; // where a block says nothing
};
/// Null where it has no value, or one that cannot be had so.
[[nodiscard]] ValuesPtr valuesOf(const Attribute& attribute, const Clock& clock, const ValuesAs& as = {});

} // namespace wyc::usd
