// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/binary/coding.h"

#include <algorithm>
#include <cstring>
#include <limits>
#include <unordered_map>

#include <fmt/format.h>
#include <lz4.h>

namespace wyc::usd {
namespace {

// An LZ4 block cannot hold more than 255 times its size.
constexpr std::uint64_t kMostGrowth = 255;

template<class T> T readAs(const std::byte* from) {
    T value;
    std::memcpy(&value, from, sizeof(T));
    return value;
}

} // namespace

Result<std::vector<std::byte>> unpackedBlock(std::span<const std::byte> packed, std::uint64_t most) {
    const auto damaged = [] { return fail(ErrorKind::BadFormat, "a packed block is damaged"); };
    if (packed.empty())
        return damaged();
    most = std::min(most, packed.size() * kMostGrowth);
    const auto pieces = static_cast<unsigned>(packed[0]);
    packed = packed.subspan(1);
    std::vector<std::byte> result(most);
    std::uint64_t filled = 0;
    const auto unpack = [&](std::span<const std::byte> piece) {
        const std::uint64_t room = std::min<std::uint64_t>(most - filled, LZ4_MAX_INPUT_SIZE);
        if (piece.size() > LZ4_MAX_INPUT_SIZE)
            return false;
        const int got = LZ4_decompress_safe(reinterpret_cast<const char*>(piece.data()),
                                            reinterpret_cast<char*>(result.data() + filled),
                                            static_cast<int>(piece.size()), static_cast<int>(room));
        if (got < 0)
            return false;
        filled += static_cast<std::uint64_t>(got);
        return true;
    };
    if (pieces == 0) {
        if (!unpack(packed))
            return damaged();
    }
    for (unsigned i = 0; i < pieces; ++i) {
        if (packed.size() < 4)
            return damaged();
        const auto size = readAs<std::int32_t>(packed.data());
        packed = packed.subspan(4);
        if (size < 0 || static_cast<std::size_t>(size) > packed.size() ||
            !unpack(packed.first(static_cast<std::size_t>(size))))
            return damaged();
        packed = packed.subspan(static_cast<std::size_t>(size));
    }
    result.resize(filled);
    return result;
}

template<class T> Result<std::vector<T>> unpackedNumbers(std::span<const std::byte> packed, std::uint64_t count) {
    using Quarter = std::conditional_t<sizeof(T) == 4, std::int8_t, std::int16_t>;
    using Half = std::conditional_t<sizeof(T) == 4, std::int16_t, std::int32_t>;
    using Unsigned = std::make_unsigned_t<T>;
    std::vector<T> result;
    if (count == 0)
        return result;
    const auto damaged = [] { return fail(ErrorKind::BadFormat, "packed whole numbers are damaged"); };
    // Two bits each is the least that so many numbers can take.
    if (count / 4 > packed.size() * kMostGrowth)
        return fail(ErrorKind::BadFormat,
                    fmt::format("{} whole numbers are said to be in {} bytes", count, packed.size()));
    const std::uint64_t codeBytes = (count + 3) / 4;
    WYC_TRY(plain, unpackedBlock(packed, sizeof(T) + codeBytes + count * sizeof(T)));
    if (plain.size() < sizeof(T) + codeBytes)
        return damaged();
    const T common = readAs<T>(plain.data());
    const std::byte* codes = plain.data() + sizeof(T);
    const std::byte* at = codes + codeBytes;
    const std::byte* end = plain.data() + plain.size();
    result.resize(count);
    Unsigned value = 0; // sums may run over
    for (std::uint64_t i = 0; i < count; ++i) {
        T step = common;
        const unsigned code = (static_cast<unsigned>(codes[i / 4]) >> (2 * (i % 4))) & 3U;
        const std::size_t width = code == 0 ? 0 : code == 1 ? sizeof(Quarter) : code == 2 ? sizeof(Half) : sizeof(T);
        if (static_cast<std::size_t>(end - at) < width)
            return damaged();
        if (code == 1)
            step = readAs<Quarter>(at);
        else if (code == 2)
            step = readAs<Half>(at);
        else if (code == 3)
            step = readAs<T>(at);
        at += width;
        value += static_cast<Unsigned>(step);
        result[i] = static_cast<T>(value);
    }
    return result;
}

std::vector<std::byte> packedBlock(std::span<const std::byte> plain) {
    constexpr std::size_t kPiece = LZ4_MAX_INPUT_SIZE;
    const std::size_t pieces = plain.size() <= kPiece ? 0 : (plain.size() + kPiece - 1) / kPiece;
    std::vector<std::byte> result{static_cast<std::byte>(pieces)};
    const auto pack = [&](std::span<const std::byte> piece, bool withSize) {
        const std::size_t head = withSize ? sizeof(std::int32_t) : 0;
        const std::size_t at = result.size();
        const int room = LZ4_compressBound(static_cast<int>(piece.size()));
        result.resize(at + head + static_cast<std::size_t>(room));
        const std::int32_t size = LZ4_compress_default(reinterpret_cast<const char*>(piece.data()),
                                                       reinterpret_cast<char*>(result.data() + at + head),
                                                       static_cast<int>(piece.size()), room);
        if (withSize)
            std::memcpy(result.data() + at, &size, head);
        result.resize(at + head + static_cast<std::size_t>(size));
    };
    if (pieces == 0)
        pack(plain, false);
    for (std::size_t i = 0; i < pieces; ++i)
        pack(plain.subspan(i * kPiece, std::min(kPiece, plain.size() - i * kPiece)), true);
    return result;
}

template<class T> std::vector<std::byte> packedNumbers(std::span<const T> numbers) {
    using Quarter = std::conditional_t<sizeof(T) == 4, std::int8_t, std::int16_t>;
    using Half = std::conditional_t<sizeof(T) == 4, std::int16_t, std::int32_t>;
    using Unsigned = std::make_unsigned_t<T>;
    if (numbers.empty())
        return {};
    std::vector<T> steps(numbers.size());
    Unsigned before = 0;
    for (std::size_t i = 0; i < numbers.size(); ++i) {
        steps[i] = static_cast<T>(static_cast<Unsigned>(numbers[i]) - before); // differences may run over
        before = static_cast<Unsigned>(numbers[i]);
    }
    // Of several that are equally common the largest, as others do.
    std::unordered_map<T, std::size_t> counts;
    T common = 0;
    std::size_t most = 0;
    for (const T step : steps) {
        const std::size_t count = ++counts[step];
        if (count > most || (count == most && step > common)) {
            common = step;
            most = count;
        }
    }
    const std::size_t codeBytes = (numbers.size() + 3) / 4;
    std::vector<std::byte> plain(sizeof(T) + codeBytes);
    plain.reserve(plain.size() + numbers.size() * sizeof(T));
    std::memcpy(plain.data(), &common, sizeof(T));
    const auto put = [&]<class As>(T step, As) {
        const auto narrow = static_cast<As>(step);
        const auto* from = reinterpret_cast<const std::byte*>(&narrow);
        plain.insert(plain.end(), from, from + sizeof(As));
    };
    const auto fits = [](T step, auto as) {
        using As = decltype(as);
        return step >= std::numeric_limits<As>::min() && step <= std::numeric_limits<As>::max();
    };
    for (std::size_t i = 0; i < steps.size(); ++i) {
        unsigned code = 0;
        if (steps[i] == common) {
            code = 0;
        } else if (fits(steps[i], Quarter{})) {
            code = 1;
            put(steps[i], Quarter{});
        } else if (fits(steps[i], Half{})) {
            code = 2;
            put(steps[i], Half{});
        } else {
            code = 3;
            put(steps[i], T{});
        }
        plain[sizeof(T) + i / 4] |= static_cast<std::byte>(code << (2 * (i % 4)));
    }
    return packedBlock(plain);
}

template std::vector<std::byte> packedNumbers(std::span<const std::int32_t>);
template std::vector<std::byte> packedNumbers(std::span<const std::int64_t>);
template Result<std::vector<std::int32_t>> unpackedNumbers(std::span<const std::byte>, std::uint64_t);
template Result<std::vector<std::int64_t>> unpackedNumbers(std::span<const std::byte>, std::uint64_t);

} // namespace wyc::usd
