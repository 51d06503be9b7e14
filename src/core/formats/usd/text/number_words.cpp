// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/text/number_words.h"

#include <charconv>
#include <cmath>
#include <cstring>

namespace wyc::usd {
namespace {

template<class T> T readAs(const std::byte* from) {
    T value;
    std::memcpy(&value, from, sizeof(T));
    return value;
}

template<class T> void appendNumber(T value, std::string& to) {
    if constexpr (std::is_floating_point_v<T>) {
        if (std::isnan(value)) { // the text has no signs of them
            to += "nan";
            return;
        }
        if (std::isinf(value)) {
            to += value < 0 ? "-inf" : "inf";
            return;
        }
    }
    char text[32];
    const auto end = std::to_chars(text, text + sizeof(text), value);
    to.append(text, end.ptr);
}

void appendOne(Base base, const std::byte* at, std::string& to) {
    switch (base) {
    case Base::Bool: to += std::to_integer<int>(*at) != 0 ? "true" : "false"; break;
    case Base::UChar: appendNumber(std::to_integer<unsigned>(*at), to); break;
    case Base::Int: appendNumber(readAs<std::int32_t>(at), to); break;
    case Base::UInt: appendNumber(readAs<std::uint32_t>(at), to); break;
    case Base::Int64: appendNumber(readAs<std::int64_t>(at), to); break;
    case Base::UInt64: appendNumber(readAs<std::uint64_t>(at), to); break;
    case Base::Half: appendNumber(static_cast<float>(halfToDouble(readAs<std::uint16_t>(at))), to); break;
    case Base::Float: appendNumber(readAs<float>(at), to); break;
    default: appendNumber(readAs<double>(at), to); break;
    }
}

} // namespace

void appendValueWords(const Type& type, std::span<const std::byte> bytes, std::string& to) {
    const std::size_t one = sizeOf(type.base);
    if (type.count == 1) {
        appendOne(type.base, bytes.data(), to);
        return;
    }
    to += '(';
    if (type.isMatrix()) {
        const std::size_t rows = type.matrix2 ? 2 : type.count == 9 ? 3 : 4;
        for (std::size_t row = 0; row < rows; ++row) {
            to += row == 0 ? " (" : ", (";
            for (std::size_t i = 0; i < rows; ++i) {
                if (i > 0)
                    to += ", ";
                appendOne(type.base, bytes.data() + (row * rows + i) * one, to);
            }
            to += ')';
        }
        to += " )";
        return;
    }
    for (std::size_t i = 0; i < type.count; ++i) {
        if (i > 0)
            to += ", ";
        // Quaternions: the real part stands first here, and last in memory.
        appendOne(type.base, bytes.data() + (type.quaternion ? (i + 3) % 4 : i) * one, to);
    }
    to += ')';
}

} // namespace wyc::usd
