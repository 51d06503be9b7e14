// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The one bounds-checked reader of small binary blocks, and the appenders that mirror it.
#include <bit>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace wyc {

template<class T> [[nodiscard]] inline T byteSwapped(T value) {
    if constexpr (sizeof(T) == 4)
        return std::bit_cast<T>(__builtin_bswap32(std::bit_cast<std::uint32_t>(value)));
    else if constexpr (sizeof(T) == 8)
        return std::bit_cast<T>(__builtin_bswap64(std::bit_cast<std::uint64_t>(value)));
    else
        static_assert(sizeof(T) == 4 || sizeof(T) == 8);
}

/// Walks a block of little-endian values. Every read is checked against what is left; `origin` is the block's
/// offset in its file, so that errors name a byte of the file.
class ByteReader {
  public:
    ByteReader(std::span<const std::byte> bytes, std::uint64_t origin) : bytes_(bytes), origin_(origin) {}

    [[nodiscard]] std::size_t left() const { return bytes_.size() - at_; }
    [[nodiscard]] std::uint64_t offset() const { return origin_ + at_; }

    template<class T> [[nodiscard]] Result<T> read() {
        if (left() < sizeof(T))
            return fail(shortError(sizeof(T)));
        T value;
        std::memcpy(&value, bytes_.data() + at_, sizeof(T));
        at_ += sizeof(T);
        return value;
    }
    [[nodiscard]] Result<std::string> readString(std::size_t length) {
        if (left() < length)
            return fail(shortError(length));
        std::string text(reinterpret_cast<const char*>(bytes_.data() + at_), length);
        at_ += length;
        return text;
    }

  private:
    [[nodiscard]] Error shortError(std::size_t wanted) const {
        return makeError(ErrorKind::BadFormat, std::to_string(wanted) + " bytes are needed, " + std::to_string(left()) +
                                                   " are left in this block")
            .atByte(offset());
    }
    std::span<const std::byte> bytes_;
    std::uint64_t origin_;
    std::size_t at_ = 0;
};

template<class T>
requires std::is_arithmetic_v<T>
void appendBytes(std::vector<std::byte>& to, T value) {
    const auto* from = reinterpret_cast<const std::byte*>(&value);
    to.insert(to.end(), from, from + sizeof(T));
}
inline void appendBytes(std::vector<std::byte>& to, std::span<const std::byte> bytes) {
    to.insert(to.end(), bytes.begin(), bytes.end());
}
inline void appendBytes(std::vector<std::byte>& to, std::string_view text) {
    const auto* from = reinterpret_cast<const std::byte*>(text.data());
    to.insert(to.end(), from, from + text.size());
}

} // namespace wyc
