// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Decimal to float32, rounded once. The common short forms go through one exact double division; whatever could
// round twice, or is long or rare, is left to the caller's full parser.
#include <array>
#include <bit>
#include <cstdint>
#include <optional>

namespace wyc {

struct FastNumber {
    float value = 0.0F;
    const char* end = nullptr;
};

/// Reads [-]digits[.digits] from [at, end); nothing for any other form, or when the result is not certain.
inline std::optional<FastNumber> fastFloat(const char* at, const char* end) {
    static constexpr std::array<double, 19> kPowers{1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8, 1e9,
                                                    1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18};
    const bool negative = at < end && *at == '-';
    if (negative)
        ++at;
    std::uint64_t mantissa = 0;
    int digits = 0;
    int decimals = 0;
    const auto digitAt = [&] { return at < end && static_cast<unsigned char>(*at - '0') < 10; };
    for (; digitAt(); ++at, ++digits)
        mantissa = mantissa * 10 + static_cast<std::uint64_t>(*at - '0');
    if (at < end && *at == '.') {
        ++at;
        for (; digitAt(); ++at, ++digits, ++decimals)
            mantissa = mantissa * 10 + static_cast<std::uint64_t>(*at - '0');
    }
    // 15 digits are exact in a double, and so are powers of ten up to 22: the quotient is rounded once.
    if (digits == 0 || digits > 15 || (at < end && (*at == 'e' || *at == 'E')))
        return std::nullopt;
    const double quotient = static_cast<double>(mantissa) / kPowers[static_cast<std::size_t>(decimals)];
    if (mantissa != 0) {
        if (quotient < 1e-30 || quotient > 1e30)
            return std::nullopt;
        // Half way between two floats, or within a rounding of it: a second rounding could go astray.
        const std::uint64_t tail = std::bit_cast<std::uint64_t>(quotient) & 0x1fffffffU;
        if (tail >= 0x0fffffffU && tail <= 0x10000001U)
            return std::nullopt;
    }
    const auto value = static_cast<float>(quotient);
    return FastNumber{negative ? -value : value, at};
}

} // namespace wyc
