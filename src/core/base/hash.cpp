// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/hash.h"

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

std::string hashText(std::uint64_t hash) {
    return fmt::format("{:016x}", hash);
}

Key128 hash128(std::span<const std::byte> bytes) {
    Key128 key{};
    lmmh_x64_128(bytes.data(), static_cast<unsigned>(bytes.size()), 0, key.data());
    return key;
}

} // namespace wyc
