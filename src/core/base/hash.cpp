// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/hash.h"

#include <algorithm>
#include <cstring>

#include <fmt/format.h>
#include <murmurhash.h>
#include <xxhash.h>

namespace wyc {

std::uint64_t hash64(std::span<const std::byte> bytes) {
    return XXH64(bytes.data(), bytes.size(), 0);
}

std::uint64_t hash64(std::span<const std::byte> first, std::span<const std::byte> second) {
    XXH64_state_t* state = XXH64_createState();
    XXH64_reset(state, 0);
    XXH64_update(state, first.data(), first.size());
    XXH64_update(state, second.data(), second.size());
    const std::uint64_t hash = XXH64_digest(state);
    XXH64_freeState(state);
    return hash;
}

HashedComparison hashAndCompare(std::span<const std::byte> a, std::span<const std::byte> b) {
    constexpr std::size_t kChunk = 16384; // both stay in the first cache
    HashedComparison result{0, a.size() == b.size()};
    XXH64_state_t* state = XXH64_createState();
    XXH64_reset(state, 0);
    for (std::size_t at = 0; at < b.size(); at += kChunk) {
        const std::size_t size = std::min(kChunk, b.size() - at);
        XXH64_update(state, b.data() + at, size);
        result.equal = result.equal && std::memcmp(a.data() + at, b.data() + at, size) == 0;
    }
    result.hash = XXH64_digest(state);
    XXH64_freeState(state);
    return result;
}

std::string hashText(std::uint64_t hash) {
    return fmt::format("{:016x}", hash);
}

Key128 hash128(std::span<const std::byte> bytes) {
    Key128 key{};
    lmmh_x64_128(bytes.data(), static_cast<unsigned>(bytes.size()), 0, key.data());
    return key;
}

} // namespace wyc
