// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/abc/container.h"

#include <algorithm>
#include <cstring>

#include <fmt/format.h>

namespace wyc::abc {

Error Container::damage(std::uint64_t byte, std::string what) const {
    return makeError(ErrorKind::BadFormat, std::move(what))
        .inFile(file_->path().string())
        .atByte(byte)
        .withAdvice("The archive is damaged; write it again");
}

Result<std::shared_ptr<const Container>> Container::open(const fs::path& path) {
    std::shared_ptr<Container> container(new Container());
    WYC_TRY(file, RandomAccessFile::open(path));
    container->file_ = file;
    std::array<unsigned char, 16> head{};
    const std::size_t available = static_cast<std::size_t>(std::min<std::uint64_t>(16, file->size()));
    WYC_CHECK(file->readAt(0, std::as_writable_bytes(std::span(head).first(available))));
    constexpr std::array<unsigned char, 8> kHdf5{0x89, 'H', 'D', 'F', '\r', '\n', 0x1a, '\n'};
    if (available >= 8 && std::equal(kHdf5.begin(), kHdf5.end(), head.begin()))
        return fail(makeError(ErrorKind::Unsupported, "this is an Alembic archive in the older HDF5 container")
                        .inFile(path.string())
                        .withAdvice("Write it again with the Ogawa container, the default since Alembic 1.5"));
    if (available < 16 || std::memcmp(head.data(), "Ogawa", 5) != 0)
        return fail(makeError(ErrorKind::BadFormat, "this is no Alembic archive: it does not begin with 'Ogawa'")
                        .inFile(path.string())
                        .atByte(0)
                        .withAdvice("Check that the file is what its name says"));
    if (head[5] != 0xff)
        return fail(makeError(ErrorKind::BadFormat,
                              "the archive is not finished: its writer is still at work, or stopped "
                              "before the end")
                        .inFile(path.string())
                        .atByte(5)
                        .withAdvice("Wait for the export to end, or export it again"));
    if (head[6] != 0 || head[7] != 1)
        return fail(
            makeError(ErrorKind::Unsupported, fmt::format("container version {} is not known", head[6] * 256 + head[7]))
                .inFile(path.string())
                .atByte(6));
    std::memcpy(&container->root_, head.data() + 8, 8);
    if (container->root_ == 0)
        return fail(container->damage(8, "the header gives no root group: nothing can be read"));
    WYC_CHECK(container->childCount(container->root_));
    return std::shared_ptr<const Container>(std::move(container));
}

Status Container::readSmall(std::uint64_t offset, std::span<std::byte> into) const {
    const std::uint64_t size = file_->size();
    if (offset > size || into.size() > size - offset)
        return fail(damage(offset, fmt::format("a position leads beyond the file, which ends at byte {}", size)));
    if (into.size() > 4 * kBlockBytes)
        return file_->readAt(offset, into);
    const std::lock_guard lock(mutex_);
    std::size_t done = 0;
    while (done < into.size()) {
        const std::uint64_t at = offset + done;
        const std::uint64_t number = at / kBlockBytes;
        Block& block = blocks_[number % kBlocks];
        if (block.number != number) {
            const std::uint64_t start = number * kBlockBytes;
            block.number = ~0ULL;
            block.bytes.resize(static_cast<std::size_t>(std::min<std::uint64_t>(kBlockBytes, size - start)));
            WYC_CHECK(file_->readAt(start, block.bytes));
            block.number = number;
        }
        const auto within = static_cast<std::size_t>(at % kBlockBytes);
        const std::size_t count = std::min(block.bytes.size() - within, into.size() - done);
        std::memcpy(into.data() + done, block.bytes.data() + within, count);
        done += count;
    }
    return {};
}

Result<std::uint64_t> Container::childCount(std::uint64_t group) const {
    if (group == 0)
        return 0;
    WYC_TRY(count, value<std::uint64_t>(group));
    if (count > (file_->size() - group - 8) / 8)
        return fail(
            damage(group, fmt::format("a group says it has {} children, more than the file has room for", count)));
    return count;
}

Result<Child> Container::child(std::uint64_t group, std::uint64_t index) const {
    WYC_TRY(count, childCount(group));
    if (index >= count)
        return fail(damage(group, fmt::format("child {} of a group with {} is asked for", index, count)));
    WYC_TRY(raw, value<std::uint64_t>(group + 8 + index * 8));
    return Child{(raw & kDataBit) != 0, raw & ~kDataBit};
}

Result<std::vector<Child>> Container::children(std::uint64_t group) const {
    WYC_TRY(count, childCount(group));
    std::vector<std::uint64_t> raw(count);
    if (count > 0)
        WYC_CHECK(readSmall(group + 8, std::as_writable_bytes(std::span(raw))));
    std::vector<Child> result(raw.size());
    for (std::size_t i = 0; i < raw.size(); ++i)
        result[i] = {(raw[i] & kDataBit) != 0, raw[i] & ~kDataBit};
    return result;
}

Result<std::uint64_t> Container::dataSize(std::uint64_t data) const {
    if (data == 0)
        return 0;
    WYC_TRY(size, value<std::uint64_t>(data));
    if (size > file_->size() - data - 8)
        return fail(damage(
            data, fmt::format("data of {} bytes is announced here, the file ends at byte {}", size, file_->size())));
    return size;
}

Result<std::vector<std::byte>> Container::data(std::uint64_t data) const {
    WYC_TRY(size, dataSize(data));
    std::vector<std::byte> bytes(size);
    if (size > 0)
        WYC_CHECK(readSmall(data + 8, bytes));
    return bytes;
}

Status Container::readData(std::uint64_t data, std::uint64_t offset, std::span<std::byte> into) const {
    WYC_TRY(size, dataSize(data));
    if (offset > size || into.size() > size - offset)
        return fail(
            damage(data, fmt::format("{} bytes from {} are needed of data that has {}", into.size(), offset, size)));
    return into.size() <= 64 ? readSmall(data + 8 + offset, into) : file_->readAt(data + 8 + offset, into);
}

} // namespace wyc::abc
