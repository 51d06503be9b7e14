// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How the binary container packs blocks and whole numbers.
#include <cstdint>
#include <span>
#include <vector>

#include "base/error.h"

namespace wyc::usd {

/// A block: one byte says in how many pieces (0: one, without its size), each an LZ4 block. `most`: bytes that it may
/// unpack to; more is damage.
[[nodiscard]] Result<std::vector<std::byte>> unpackedBlock(std::span<const std::byte> packed, std::uint64_t most);

/// Whole numbers (T: 32 or 64 bits, signed): the commonest difference to the one before, two bits for each of them
/// (that difference; or one of a quarter, half or all of the width), then the other differences, packed as a block.
template<class T>
[[nodiscard]] Result<std::vector<T>> unpackedNumbers(std::span<const std::byte> packed, std::uint64_t count);

/// What the two above unpack.
[[nodiscard]] std::vector<std::byte> packedBlock(std::span<const std::byte> plain);
template<class T> [[nodiscard]] std::vector<std::byte> packedNumbers(std::span<const T> numbers);

} // namespace wyc::usd
