// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/package/package_write.h"

#include <algorithm>
#include <limits>

#include <fmt/format.h>
#include <zlib.h>

#include "base/bytes.h"
#include "base/text.h"
#include "formats/usd/layer/layer_write.h"
#include "formats/usd/package/package.h"

namespace wyc::usd {
namespace {

constexpr std::uint64_t kAlignment = 64;
constexpr std::uint64_t kHeaderBytes = 30;
constexpr std::uint16_t kPadding = 0x1986; // id of a field that means nothing
constexpr std::uint16_t kVersion = 10;
constexpr std::uint16_t kDay = 0x21; // 1 January 1980: the same scene makes the same bytes
constexpr std::size_t kPiece = 1 << 20;

// What header and directory say alike.
void putCommon(std::vector<std::byte>& to, std::uint32_t check, std::uint64_t size, std::size_t nameBytes) {
    appendBytes(to, kVersion);
    appendBytes(to, std::uint16_t{0}); // flags
    appendBytes(to, std::uint16_t{0}); // stored
    appendBytes(to, std::uint16_t{0}); // midnight
    appendBytes(to, kDay);
    appendBytes(to, check);
    appendBytes(to, static_cast<std::uint32_t>(size));
    appendBytes(to, static_cast<std::uint32_t>(size));
    appendBytes(to, static_cast<std::uint16_t>(nameBytes));
}

} // namespace

Result<std::unique_ptr<PackageWriter>> PackageWriter::create(const fs::path& target) {
    std::unique_ptr<PackageWriter> writer(new PackageWriter);
    WYC_TRY(file, AtomicFile::create(target));
    writer->file_ = std::move(file);
    return writer;
}

Status PackageWriter::begin(const std::string& name) {
    if (leadsOut(name))
        return fail(ErrorKind::BadInput, fmt::format("'{}' is no name for a file of a package", safeName(name)));
    if (std::any_of(entries_.begin(), entries_.end(), [&](const Entry& e) { return e.name == name; }))
        return fail(ErrorKind::Exists, fmt::format("the package has two files '{}'", safeName(name)));
    Entry entry;
    entry.name = name;
    entry.at = file_->position();
    // What is in front of its bytes is filled up; the filling has four bytes of its own.
    const std::uint64_t plain = entry.at + kHeaderBytes + name.size();
    std::uint64_t padding = (kAlignment - plain % kAlignment) % kAlignment;
    if (padding > 0 && padding < 4)
        padding += kAlignment;
    std::vector<std::byte> header;
    appendBytes(header, std::uint32_t{0x04034b50});
    putCommon(header, 0, 0, name.size()); // sum and size are put in at its end
    appendBytes(header, static_cast<std::uint16_t>(padding));
    WYC_CHECK(file_->append(header));
    WYC_CHECK(file_->append(name));
    if (padding > 0) {
        std::vector<std::byte> filling;
        appendBytes(filling, kPadding);
        appendBytes(filling, static_cast<std::uint16_t>(padding - 4));
        filling.resize(padding);
        WYC_CHECK(file_->append(filling));
    }
    entry.begin = file_->position();
    entries_.push_back(std::move(entry));
    return {};
}

Status PackageWriter::end() {
    Entry& entry = entries_.back();
    entry.size = file_->position() - entry.begin;
    if (file_->position() > std::numeric_limits<std::uint32_t>::max())
        return fail(makeError(ErrorKind::Unsupported, "a package cannot hold more than 4 GB")
                        .withAdvice("Write a file and its layers instead"));
    // Read back: a layer puts its head in last.
    std::vector<std::byte> piece(kPiece);
    uLong check = crc32(0, nullptr, 0);
    for (std::uint64_t at = 0; at < entry.size;) {
        const auto some =
            std::span(piece).first(static_cast<std::size_t>(std::min<std::uint64_t>(kPiece, entry.size - at)));
        WYC_CHECK(file_->readBack(entry.begin + at, some));
        check = crc32(check, reinterpret_cast<const Bytef*>(some.data()), static_cast<uInt>(some.size()));
        at += some.size();
    }
    entry.check = static_cast<std::uint32_t>(check);
    std::vector<std::byte> said;
    appendBytes(said, entry.check);
    appendBytes(said, static_cast<std::uint32_t>(entry.size));
    appendBytes(said, static_cast<std::uint32_t>(entry.size));
    return file_->rewriteAt(entry.at + 14, said);
}

Status PackageWriter::addLayer(const std::string& name, const Layer& layer, Encoding encoding,
                               const Progress& progress) {
    WYC_CHECK(begin(name));
    WYC_CHECK(writeLayer(layer, encoding, *file_, progress));
    return end();
}

Status PackageWriter::addFile(const std::string& name, const Bytes& bytes, const Progress& progress) {
    WYC_CHECK(begin(name));
    WYC_CHECK(bytes.appendTo(*file_, progress));
    return end();
}

Status PackageWriter::finish() {
    if (entries_.size() > 65'534)
        return fail(ErrorKind::Unsupported, "a package cannot hold more than 65,534 files");
    const std::uint64_t directory = file_->position();
    for (const Entry& entry : entries_) {
        std::vector<std::byte> row;
        appendBytes(row, std::uint32_t{0x02014b50});
        appendBytes(row, kVersion); // of the writer
        putCommon(row, entry.check, entry.size, entry.name.size());
        appendBytes(row, std::uint16_t{0}); // nothing further, no comment, first disk, no attributes
        appendBytes(row, std::uint16_t{0});
        appendBytes(row, std::uint16_t{0});
        appendBytes(row, std::uint16_t{0});
        appendBytes(row, std::uint32_t{0});
        appendBytes(row, static_cast<std::uint32_t>(entry.at));
        WYC_CHECK(file_->append(row));
        WYC_CHECK(file_->append(entry.name));
    }
    const std::uint64_t size = file_->position() - directory;
    if (file_->position() > std::numeric_limits<std::uint32_t>::max())
        return fail(ErrorKind::Unsupported, "a package cannot hold more than 4 GB");
    std::vector<std::byte> closing;
    appendBytes(closing, std::uint32_t{0x06054b50});
    appendBytes(closing, std::uint32_t{0}); // disks
    appendBytes(closing, static_cast<std::uint16_t>(entries_.size()));
    appendBytes(closing, static_cast<std::uint16_t>(entries_.size()));
    appendBytes(closing, static_cast<std::uint32_t>(size));
    appendBytes(closing, static_cast<std::uint32_t>(directory));
    appendBytes(closing, std::uint16_t{0});
    return file_->append(closing);
}

} // namespace wyc::usd
