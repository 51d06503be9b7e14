// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Content hashes, over packaged implementations.
#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>

namespace wyc {

/// XXH64, seed 0: topology hashes and point hashes in records.
[[nodiscard]] std::uint64_t hash64(std::span<const std::byte> bytes);
/// XXH64 of one block followed by another, as if they stood together.
[[nodiscard]] std::uint64_t hash64(std::span<const std::byte> first, std::span<const std::byte> second);
/// XXH64 of what comes bit by bit; or XXH3 (64 bits), several times as fast, for what is read in bulk.
class Hasher64 {
  public:
    enum class Kind { Xxh64, Xxh3 };
    explicit Hasher64(Kind kind = Kind::Xxh64);
    ~Hasher64();
    Hasher64(const Hasher64&) = delete;
    Hasher64& operator=(const Hasher64&) = delete;
    void add(std::span<const std::byte> bytes);
    [[nodiscard]] std::uint64_t hash() const;

  private:
    struct State;
    State* state_;
};
[[nodiscard]] std::string hashText(std::uint64_t hash);

using Key128 = std::array<std::uint64_t, 2>;
/// MurmurHash3 (A. Appleby), x64 128-bit variant, seed 0: the sample keys of scene archives.
[[nodiscard]] Key128 hash128(std::span<const std::byte> bytes);

} // namespace wyc
