// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/package/package.h"

#include <algorithm>

#include <fmt/format.h>

#include <array>
#include <cstring>
#include <span>

#include "base/bytes.h"
#include "base/text.h"

namespace wyc::usd {
namespace {

constexpr std::uint32_t kEndMark = 0x06054b50;
constexpr std::uint32_t kEntryMark = 0x02014b50;
constexpr std::uint32_t kLocalMark = 0x04034b50;
constexpr std::uint64_t kEndBytes = 22;
constexpr std::uint64_t kLongestComment = 65535;
constexpr std::uint64_t kEntryBytes = 46;
constexpr std::uint64_t kLocalBytes = 30;

} // namespace

bool leadsOut(const std::string& name) {
    if (name.empty() || name.front() == '/' || name.find('\\') != std::string::npos ||
        name.find(':') != std::string::npos)
        return true;
    for (const std::string& part : splitText(name, '/'))
        if (part == "..")
            return true;
    return false;
}

bool isPackageName(std::string_view name) {
    return lowerCase(name).ends_with(".usdz");
}

bool isLayerName(std::string_view name) {
    const std::string lower = lowerCase(name);
    return lower.ends_with(".usd") || lower.ends_with(".usda") || lower.ends_with(".usdc");
}

const PackageEntry* Package::find(std::string_view name) const {
    const auto found =
        std::find_if(entries.begin(), entries.end(), [&](const PackageEntry& e) { return e.name == name; });
    return found == entries.end() ? nullptr : &*found;
}

const PackageEntry* Package::rootLayer() const {
    const auto found =
        std::find_if(entries.begin(), entries.end(), [](const PackageEntry& e) { return isLayerName(e.name); });
    return found == entries.end() ? nullptr : &*found;
}

Result<Package> readPackage(const Bytes& bytes) {
    const auto damage = [&](std::uint64_t at, std::string what) {
        return makeError(ErrorKind::BadFormat, std::move(what))
            .atByte(bytes.offset() + at)
            .inFile(bytes.name())
            .withAdvice("The package is cut or damaged: have it written again");
    };
    // The directory stands at the end, behind it at most a comment.
    const std::uint64_t tailBytes = std::min(bytes.size(), kEndBytes + kLongestComment);
    std::vector<std::byte> tail(static_cast<std::size_t>(tailBytes));
    WYC_CHECK(bytes.read(bytes.size() - tailBytes, tail));
    std::optional<std::size_t> end;
    for (std::size_t i = tail.size() < kEndBytes ? 0 : tail.size() - kEndBytes + 1; i-- > 0 && !end;) {
        std::uint32_t mark = 0;
        std::memcpy(&mark, tail.data() + i, 4);
        if (mark == kEndMark)
            end = i;
    }
    if (!end)
        return fail(damage(bytes.size(), "the package has no directory"));
    const std::uint64_t endAt = bytes.size() - tailBytes + *end;
    ByteReader closing(std::span<const std::byte>(tail).subspan(*end), endAt);
    WYC_CHECK(closing.read<std::uint32_t>());
    WYC_CHECK(closing.read<std::uint32_t>()); // disks
    WYC_CHECK(closing.read<std::uint16_t>());
    WYC_TRY(count, closing.read<std::uint16_t>());
    WYC_TRY(directoryBytes, closing.read<std::uint32_t>());
    WYC_TRY(directoryAt, closing.read<std::uint32_t>());
    if (count == 0xffff || directoryAt == 0xffffffffU)
        return fail(
            makeError(ErrorKind::Unsupported, "a package of more than 4 GB or 65,534 entries").inFile(bytes.name()));
    if (directoryAt > endAt || directoryBytes > endAt - directoryAt)
        return fail(damage(endAt, "the directory of the package is said to lie outside of it"));
    std::vector<std::byte> directory(directoryBytes);
    WYC_CHECK(bytes.read(directoryAt, directory));
    Package package;
    ByteReader reader(directory, directoryAt);
    bool firstLayer = true;
    for (unsigned i = 0; i < count; ++i) {
        const std::uint64_t where = reader.offset();
        if (reader.left() < kEntryBytes)
            return fail(damage(where, fmt::format("the directory ends behind {} of {} entries", i, count)));
        WYC_TRY(mark, reader.read<std::uint32_t>());
        if (mark != kEntryMark)
            return fail(damage(where, "an entry of the directory does not begin as one"));
        WYC_CHECK(reader.read<std::uint32_t>()); // versions
        WYC_TRY(flags, reader.read<std::uint16_t>());
        WYC_TRY(method, reader.read<std::uint16_t>());
        WYC_CHECK(reader.read<std::uint32_t>()); // time
        WYC_CHECK(reader.read<std::uint32_t>()); // check sum
        WYC_TRY(packedBytes, reader.read<std::uint32_t>());
        WYC_TRY(plainBytes, reader.read<std::uint32_t>());
        WYC_TRY(nameBytes, reader.read<std::uint16_t>());
        WYC_TRY(extraBytes, reader.read<std::uint16_t>());
        WYC_TRY(commentBytes, reader.read<std::uint16_t>());
        WYC_CHECK(reader.read<std::uint32_t>());
        WYC_CHECK(reader.read<std::uint32_t>());
        WYC_TRY(localAt, reader.read<std::uint32_t>());
        WYC_TRY(name, reader.readString(nameBytes));
        WYC_CHECK(reader.readString(extraBytes));
        WYC_CHECK(reader.readString(commentBytes));
        if (name.ends_with('/')) // a folder
            continue;
        if (leadsOut(name)) {
            package.remarks.push_back(fmt::format("its entry '{}' (byte {}) leads out of the package and is left out",
                                                  safeName(name), where));
            continue;
        }
        const bool isFirst = firstLayer && isLayerName(name);
        firstLayer = firstLayer && !isFirst;
        if (method != 0 || (flags & 1U) != 0 || packedBytes != plainBytes) {
            const char* how = (flags & 1U) != 0 ? "encrypted" : "compressed";
            if (isFirst)
                return fail(makeError(ErrorKind::Unsupported,
                                      fmt::format("its layer '{}' is {}; a package stores its entries as they are",
                                                  safeName(name), how))
                                .atByte(bytes.offset() + where)
                                .inFile(bytes.name())
                                .withAdvice("Have the package written again, without compression"));
            package.remarks.push_back(
                fmt::format("its entry '{}' (byte {}) is {} and is left out", safeName(name), where, how));
            continue;
        }
        std::array<std::byte, kLocalBytes> local{};
        WYC_CHECK(bytes.read(localAt, local));
        std::uint32_t localMark = 0;
        std::uint16_t localName = 0;
        std::uint16_t localExtra = 0;
        std::memcpy(&localMark, local.data(), 4);
        std::memcpy(&localName, local.data() + 26, 2);
        std::memcpy(&localExtra, local.data() + 28, 2);
        const std::uint64_t begin = std::uint64_t{localAt} + kLocalBytes + localName + localExtra;
        if (localMark != kLocalMark || begin > bytes.size() || plainBytes > bytes.size() - begin)
            return fail(
                damage(localAt, fmt::format("the entry '{}' does not lie where the directory says", safeName(name))));
        package.entries.push_back({name, begin, plainBytes});
    }
    return package;
}

} // namespace wyc::usd
