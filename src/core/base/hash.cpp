// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/hash.h"

#include <fmt/format.h>
#include <murmurhash.h>
#if defined(__x86_64__)
#include <xxh_x86dispatch.h> // the widest registers that the processor has
#else
#include <xxhash.h>
#endif

namespace wyc {

std::uint64_t hash64(std::span<const std::byte> bytes) {
    return XXH64(bytes.data(), bytes.size(), 0);
}

struct Hasher64::State {
    XXH64_state_t* plain = nullptr; // one of the two
    XXH3_state_t* fast = nullptr;
};

Hasher64::Hasher64(Kind kind) : state_(new State) {
    if (kind == Kind::Xxh3)
        XXH3_64bits_reset(state_->fast = XXH3_createState());
    else
        XXH64_reset(state_->plain = XXH64_createState(), 0);
}

Hasher64::~Hasher64() {
    XXH64_freeState(state_->plain);
    XXH3_freeState(state_->fast);
    delete state_;
}

void Hasher64::add(std::span<const std::byte> bytes) {
    if (state_->fast)
        XXH3_64bits_update(state_->fast, bytes.data(), bytes.size());
    else
        XXH64_update(state_->plain, bytes.data(), bytes.size());
}

std::uint64_t Hasher64::hash() const {
    return state_->fast ? XXH3_64bits_digest(state_->fast) : XXH64_digest(state_->plain);
}

std::uint64_t hash64(std::span<const std::byte> first, std::span<const std::byte> second) {
    Hasher64 hasher;
    hasher.add(first);
    hasher.add(second);
    return hasher.hash();
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
