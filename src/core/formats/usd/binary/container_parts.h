// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Between the files that read the binary container.
#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "formats/usd/binary/container.h"

namespace wyc::usd {

inline constexpr std::uint64_t kMostTableBytes = 4ULL << 30;

/// Small values one after another, read through a little window.
class Container::Cursor {
  public:
    Cursor(const Container& container, std::uint64_t at) : container_(container), at_(at) {}
    [[nodiscard]] std::uint64_t at() const { return at_; }
    void moveTo(std::uint64_t at) { at_ = at; }
    template<class T> [[nodiscard]] Result<T> read() {
        T value{};
        WYC_CHECK(readInto(std::as_writable_bytes(std::span(&value, 1))));
        return value;
    }
    [[nodiscard]] Status readInto(std::span<std::byte> into) {
        const std::uint64_t size = container_.bytes_.size();
        if (at_ > size || into.size() > size - at_)
            return fail(container_.damage(at_, "a value is said to lie behind the end of the file"));
        if (at_ < from_ || at_ + into.size() > from_ + filled_) {
            if (into.size() > window_.size()) {
                WYC_CHECK(container_.bytes_.read(at_, into));
                at_ += into.size();
                return {};
            }
            from_ = at_;
            filled_ = static_cast<std::size_t>(std::min<std::uint64_t>(window_.size(), size - at_));
            WYC_CHECK(container_.bytes_.read(from_, std::span(window_).first(filled_)));
        }
        std::copy_n(window_.begin() + static_cast<std::ptrdiff_t>(at_ - from_), into.size(), into.begin());
        at_ += into.size();
        return {};
    }
    /// A count of things of so many bytes each, which must fit into what is left.
    [[nodiscard]] Result<std::uint64_t> count(std::uint64_t bytesEach) {
        const std::uint64_t where = at_;
        WYC_TRY(count, read<std::uint64_t>());
        if (count > (container_.bytes_.size() - at_) / bytesEach)
            return fail(
                container_.damage(where, fmt::format("{} values are said to follow, more than the file has", count)));
        return count;
    }

  private:
    const Container& container_;
    std::uint64_t at_;
    std::uint64_t from_ = 0;
    std::size_t filled_ = 0;
    std::array<std::byte, 512> window_;
};

} // namespace wyc::usd
