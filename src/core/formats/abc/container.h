// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The Ogawa container: a tree of groups (lists of children) and data (counted bytes), little-endian.
#include <array>
#include <memory>
#include <mutex>
#include <vector>

#include "base/file.h"

namespace wyc::abc {

inline constexpr std::uint64_t kDataBit = 1ULL << 63;

/// A child of a group. Position 0 stands for an empty group or empty data.
struct Child {
    bool isData = false;
    std::uint64_t position = 0;
};

class Container {
  public:
    [[nodiscard]] static Result<std::shared_ptr<const Container>> open(const fs::path& path);

    [[nodiscard]] const RandomAccessFile& file() const { return *file_; }
    [[nodiscard]] std::uint64_t rootPosition() const { return root_; }
    [[nodiscard]] Result<std::uint64_t> childCount(std::uint64_t group) const;
    [[nodiscard]] Result<Child> child(std::uint64_t group, std::uint64_t index) const;
    [[nodiscard]] Result<std::vector<Child>> children(std::uint64_t group) const;
    [[nodiscard]] Result<std::uint64_t> dataSize(std::uint64_t data) const;
    /// All bytes of a data block of the index (headers, metadata).
    [[nodiscard]] Result<std::vector<std::byte>> data(std::uint64_t data) const;
    /// Bytes from `offset` within a data block; checked against its size.
    [[nodiscard]] Status readData(std::uint64_t data, std::uint64_t offset, std::span<std::byte> into) const;
    [[nodiscard]] Error damage(std::uint64_t byte, std::string what) const;

  private:
    Container() = default;
    // Small reads of the index go through a few cached blocks; samples are read straight.
    [[nodiscard]] Status readSmall(std::uint64_t offset, std::span<std::byte> into) const;
    template<class T> [[nodiscard]] Result<T> value(std::uint64_t offset) const {
        T result{};
        WYC_CHECK(readSmall(offset, std::as_writable_bytes(std::span(&result, 1))));
        return result;
    }
    static constexpr std::size_t kBlockBytes = 8192;
    static constexpr std::size_t kBlocks = 128;
    struct Block {
        std::uint64_t number = ~0ULL;
        std::vector<std::byte> bytes;
    };
    std::shared_ptr<const RandomAccessFile> file_;
    std::uint64_t root_ = 0;
    mutable std::mutex mutex_;
    mutable std::array<Block, kBlocks> blocks_;
};

} // namespace wyc::abc
