// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <csignal>

#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/bytes.h"
#include "base/file.h"
#include "support/temp_folder.h"

namespace wyc::file_test {
namespace {

using test::namesIn;
using test::readFile;
using test::TempFolder;
using test::writeFile;

std::span<const std::byte> bytesOf(const std::string& text) {
    return std::as_bytes(std::span(text.data(), text.size()));
}

TEST(RandomAccessFile, ReadsAnyRangeAndNamesTheByteBeyondTheEnd) {
    const TempFolder folder;
    const auto path = writeFile(folder / "a.bin", "0123456789");
    const auto file = RandomAccessFile::open(path);
    ASSERT_TRUE(file) << file.error().text();
    std::array<char, 4> four{};
    ASSERT_TRUE((*file)->readAt(3, std::as_writable_bytes(std::span(four))));
    EXPECT_EQ(std::string(four.data(), 4), "3456");
    const auto beyond = (*file)->readAt(8, std::as_writable_bytes(std::span(four)));
    ASSERT_FALSE(beyond);
    EXPECT_EQ(beyond.error().kind, ErrorKind::BadFormat);
    EXPECT_EQ(beyond.error().byte, 8U);
    const auto overflow = (*file)->readAt(~0ULL - 1, std::as_writable_bytes(std::span(four)));
    EXPECT_FALSE(overflow);
}

TEST(RandomAccessFile, SaysWhenAFileIsNotThereOrAFolder) {
    const TempFolder folder;
    const auto missing = RandomAccessFile::open(folder / "nothing");
    ASSERT_FALSE(missing);
    EXPECT_EQ(missing.error().kind, ErrorKind::NotFound);
    const auto isFolder = RandomAccessFile::open(folder.path());
    ASSERT_FALSE(isFolder);
    EXPECT_NE(isFolder.error().what.find("folder"), std::string::npos);
}

TEST(RandomAccessFile, ANamedPipeDoesNotHang) {
    const TempFolder folder;
    const fs::path pipe = folder / "pipe";
    ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
    EXPECT_FALSE(RandomAccessFile::open(pipe));
}

TEST(RandomAccessFile, ATruncatedFileIsAnErrorNotASignal) {
    const TempFolder folder;
    const auto path = writeFile(folder / "a.bin", std::string(100'000, 'x'));
    const auto file = RandomAccessFile::open(path);
    ASSERT_TRUE(file);
    EXPECT_TRUE((*file)->verifyUnchanged());
    fs::resize_file(path, 10);
    std::vector<std::byte> buffer(50'000);
    const auto status = (*file)->readAt(40'000, buffer);
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().kind, ErrorKind::Changed);
    EXPECT_FALSE((*file)->verifyUnchanged());
}

TEST(RandomAccessFile, NoticesAFileReplacedUnderItsName) {
    const TempFolder folder;
    const auto path = writeFile(folder / "a.bin", "old");
    const auto file = RandomAccessFile::open(path);
    ASSERT_TRUE(file);
    const auto other = writeFile(folder / "b.bin", "new");
    fs::rename(other, path);
    const auto status = (*file)->verifyUnchanged();
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().kind, ErrorKind::Changed);
}

TEST(AtomicFile, NothingStandsAtTheTargetBeforeCommit) {
    const TempFolder folder;
    const fs::path target = folder / "out.bin";
    {
        auto file = AtomicFile::create(target);
        ASSERT_TRUE(file);
        ASSERT_TRUE((*file)->append(std::string(500'000, 'a')));
        ASSERT_TRUE((*file)->append("tail"));
        EXPECT_EQ((*file)->position(), 500'004U);
        EXPECT_FALSE(fs::exists(target));
        ASSERT_TRUE((*file)->rewriteAt(0, bytesOf("head")));
        ASSERT_TRUE((*file)->commit(AtomicFile::Replace::No));
    }
    const std::string written = readFile(target);
    EXPECT_EQ(written.size(), 500'004U);
    EXPECT_EQ(written.substr(0, 5), "heada");
    EXPECT_EQ(written.substr(500'000), "tail");
    EXPECT_EQ(namesIn(folder.path()).size(), 1U);
}

TEST(AtomicFile, DroppedWithoutCommitLeavesNothing) {
    const TempFolder folder;
    {
        auto file = AtomicFile::create(folder / "out.bin");
        ASSERT_TRUE(file);
        ASSERT_TRUE((*file)->append("half"));
    }
    EXPECT_TRUE(namesIn(folder.path()).empty());
}

TEST(AtomicFile, NeverReplacesUnlessTold) {
    const TempFolder folder;
    const fs::path target = writeFile(folder / "out.txt", "precious");
    const auto refused = writeTextFile(target, "new", AtomicFile::Replace::No);
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().kind, ErrorKind::Exists);
    EXPECT_EQ(readFile(target), "precious");
    EXPECT_EQ(namesIn(folder.path()).size(), 1U);
    ASSERT_TRUE(writeTextFile(target, "new", AtomicFile::Replace::Yes));
    EXPECT_EQ(readFile(target), "new");
}

TEST(AtomicFile, AFolderThatIsNotThereIsAClearError) {
    const TempFolder folder;
    const auto status = writeTextFile(folder / "no/such/out.txt", "x", AtomicFile::Replace::No);
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().kind, ErrorKind::NotWritable);
    EXPECT_FALSE(status.error().advice.empty());
}

// A file-size limit stands for a full disk; in a child process, for the limit holds until its end.
TEST(AtomicFile, AFullDiskIsAnErrorAndLeavesNothing) {
    const TempFolder folder;
    const fs::path target = folder / "out.bin";
    const auto outcome = [&]() -> int {
        std::signal(SIGXFSZ, SIG_IGN);
        const rlimit limit{1 << 20, 1 << 20};
        setrlimit(RLIMIT_FSIZE, &limit);
        auto file = AtomicFile::create(target);
        if (!file)
            return 2;
        for (int i = 0; i < 64; ++i) {
            const auto status = (*file)->append(std::string(100'000, 'x'));
            if (!status) {
                file->reset();
                return status.error().kind == ErrorKind::NoSpace && !status.error().advice.empty() ? 0 : 3;
            }
        }
        return 4;
    };
    EXPECT_EXIT(std::_Exit(outcome()), testing::ExitedWithCode(0), "");
    EXPECT_TRUE(namesIn(folder.path()).empty());
}

TEST(TemporaryNames, AreUniqueHiddenAndKnown) {
    const fs::path a = temporarySibling("/x/jelly.abc");
    const fs::path b = temporarySibling("/x/jelly.abc");
    EXPECT_NE(a, b);
    EXPECT_EQ(a.parent_path(), "/x");
    EXPECT_TRUE(a.filename().string().starts_with("."));
    EXPECT_TRUE(isTemporaryName(a.filename().string()));
    EXPECT_FALSE(isTemporaryName("jelly.abc"));
}

TEST(ByteReader, ChecksEveryReadAndNamesTheByte) {
    std::vector<std::byte> bytes;
    appendBytes(bytes, std::uint32_t{7});
    appendBytes(bytes, std::string_view("ab"));
    ByteReader reader(bytes, 100);
    const auto number = reader.read<std::uint32_t>();
    ASSERT_TRUE(number);
    EXPECT_EQ(*number, 7U);
    EXPECT_EQ(reader.offset(), 104U);
    const auto tooMuch = reader.read<std::uint64_t>();
    ASSERT_FALSE(tooMuch);
    EXPECT_EQ(tooMuch.error().byte, 104U);
    const auto text = reader.readString(2);
    ASSERT_TRUE(text);
    EXPECT_EQ(*text, "ab");
    EXPECT_FALSE(reader.readString(1));
    EXPECT_EQ(reader.left(), 0U);
}

TEST(ByteSwap, GoesThereAndBack) {
    EXPECT_EQ(byteSwapped(std::uint32_t{0x01020304}), 0x04030201U);
    EXPECT_EQ(byteSwapped(byteSwapped(1.5F)), 1.5F);
    EXPECT_EQ(byteSwapped(std::int64_t{1}), std::int64_t{1} << 56);
}

TEST(Errors, SayWhereAndWhatToDo) {
    const Error error =
        makeError(ErrorKind::BadFormat, "index 0").inFile("a.obj").atLine(10).withAdvice("Count from 1");
    EXPECT_EQ(error.text(), "a.obj, line 10: index 0. Count from 1");
    EXPECT_EQ(makeError(ErrorKind::Internal, "x").inFile("a").inFile("b").file, "a");
    EXPECT_STREQ(errorKindName(ErrorKind::NoSpace), "no_space");
}

} // namespace
} // namespace wyc::file_test
