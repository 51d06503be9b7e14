// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file.h"

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <utility>

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fmt/format.h>

namespace wyc {
namespace {

constexpr std::size_t kBufferBytes = 1 << 18;
constexpr std::uint64_t kWritebackBytes = 16 << 20;
constexpr std::size_t kLongName = 180; // bytes; a name has 255 at most

FileStamp stampOf(const struct stat& info) {
    return {static_cast<std::uint64_t>(info.st_size),
            static_cast<std::int64_t>(info.st_mtim.tv_sec) * 1'000'000'000 + info.st_mtim.tv_nsec,
            static_cast<std::uint64_t>(info.st_ino)};
}

Error changedError(const fs::path& path) {
    return makeError(ErrorKind::Changed, "the file changed on disk while it was open")
        .inFile(path.string())
        .withAdvice("Read the source again");
}

} // namespace

Error systemError(ErrorKind kind, const std::string& act, const fs::path& path) {
    const int code = errno;
    if (code == ENOSPC || code == EDQUOT || code == EFBIG)
        kind = ErrorKind::NoSpace;
    if (code == ENOENT && kind == ErrorKind::NotReadable)
        kind = ErrorKind::NotFound;
    Error error = makeError(kind, fmt::format("{}: {}", act, std::strerror(code))).inFile(path.string());
    if (kind == ErrorKind::NoSpace)
        error.advice = "Free some space or choose another folder; nothing was left behind";
    else if (kind == ErrorKind::NotWritable)
        error.advice = "Choose a folder you may write to";
    return error;
}

Result<FileStamp> fileStamp(const fs::path& path) {
    struct stat info {};
    if (::stat(path.c_str(), &info) != 0)
        return fail(systemError(ErrorKind::NotReadable, "cannot look at the file", path));
    return stampOf(info);
}

Result<std::shared_ptr<const RandomAccessFile>> RandomAccessFile::open(const fs::path& path) {
    // O_NONBLOCK: a pipe with nobody at its other end must not hang us; for plain files it changes nothing.
    const int descriptor = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
    if (descriptor < 0)
        return fail(systemError(ErrorKind::NotReadable, "cannot open the file", path));
    std::shared_ptr<RandomAccessFile> file(new RandomAccessFile());
    file->descriptor_ = descriptor;
    file->path_ = path;
    struct stat info {};
    if (::fstat(descriptor, &info) != 0)
        return fail(systemError(ErrorKind::NotReadable, "cannot look at the file", path));
    if (!S_ISREG(info.st_mode))
        return fail(makeError(ErrorKind::NotReadable,
                              S_ISDIR(info.st_mode) ? "this is a folder, not a file" : "this is not a plain file")
                        .inFile(path.string()));
    file->stamp_ = stampOf(info);
    return std::shared_ptr<const RandomAccessFile>(std::move(file));
}

RandomAccessFile::~RandomAccessFile() {
    if (descriptor_ >= 0)
        ::close(descriptor_);
}

Status RandomAccessFile::verifyUnchanged() const {
    struct stat info {};
    if (::fstat(descriptor_, &info) != 0 || stampOf(info) != stamp_)
        return fail(changedError(path_));
    // Replaced under its name: the old contents can still be read, but they are not what is on the disk.
    struct stat named {};
    if (::stat(path_.c_str(), &named) != 0 || named.st_ino != info.st_ino)
        return fail(changedError(path_));
    return {};
}

Status RandomAccessFile::readAt(std::uint64_t offset, std::span<std::byte> into) const {
    if (offset > size() || into.size() > size() - offset)
        return fail(makeError(ErrorKind::BadFormat,
                              fmt::format("{} bytes are needed here, the file ends at byte {}", into.size(), size()))
                        .inFile(path_.string())
                        .atByte(offset));
    std::size_t done = 0;
    while (done < into.size()) {
        const ssize_t got =
            ::pread(descriptor_, into.data() + done, into.size() - done, static_cast<off_t>(offset + done));
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0)
            return fail(systemError(ErrorKind::NotReadable, "cannot read", path_).atByte(offset + done));
        if (got == 0)
            return fail(changedError(path_));
        done += static_cast<std::size_t>(got);
    }
    return {};
}

Result<std::vector<char>> readWholeFile(const fs::path& path, std::uint64_t limitBytes) {
    WYC_TRY(file, RandomAccessFile::open(path));
    if (file->size() > limitBytes)
        return fail(
            makeError(ErrorKind::BadFormat, fmt::format("{} bytes are more than the {} that are taken for such a file",
                                                        file->size(), limitBytes))
                .inFile(path.string()));
    std::vector<char> bytes(file->size());
    WYC_CHECK(file->readAt(0, std::as_writable_bytes(std::span(bytes))));
    return bytes;
}

Result<std::vector<char>> readTextFile(const fs::path& path, std::uint64_t limitBytes) {
    WYC_TRY(bytes, readWholeFile(path, limitBytes));
    if (constexpr std::string_view mark = "\xEF\xBB\xBF";
        std::string_view(bytes.data(), bytes.size()).starts_with(mark))
        bytes.erase(bytes.begin(), bytes.begin() + mark.size());
    return bytes;
}

fs::path temporarySibling(const fs::path& target) {
    static std::atomic<unsigned> counter{0};
    return target.parent_path() / fmt::format(".{}.wyc-part-{}-{}", target.filename().string().substr(0, kLongName),
                                              ::getpid(), counter.fetch_add(1));
}

bool isTemporaryName(std::string_view fileName) {
    constexpr std::string_view mark = ".wyc-part-";
    const auto at = fileName.rfind(mark);
    if (at == std::string_view::npos || at == 0 || !fileName.starts_with("."))
        return false;
    const std::string_view end = fileName.substr(at + mark.size());
    return end == "run" || (!end.empty() && end.find_first_not_of("0123456789-") == std::string_view::npos);
}

Result<std::unique_ptr<AtomicFile>> AtomicFile::create(const fs::path& target) {
    std::unique_ptr<AtomicFile> file(new AtomicFile());
    file->target_ = target;
    // A killed run of the same number may have left its own there.
    do {
        file->temporary_ = temporarySibling(target);
        file->descriptor_ = ::open(file->temporary_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
    } while (file->descriptor_ < 0 && errno == EEXIST);
    if (file->descriptor_ < 0) {
        Error error = systemError(ErrorKind::NotWritable, "cannot write in this folder", target);
        file->temporary_.clear();
        return fail(std::move(error));
    }
    (void)!::flock(file->descriptor_, LOCK_EX | LOCK_NB); // tells it from what a killed run left
    file->buffer_.reserve(kBufferBytes);
    return file;
}

AtomicFile::~AtomicFile() {
    if (descriptor_ >= 0)
        ::close(descriptor_);
    if (!temporary_.empty())
        ::unlink(temporary_.c_str());
}

Status AtomicFile::writeFully(const std::byte* data, std::size_t size, std::uint64_t offset) {
    std::size_t done = 0;
    while (done < size) {
        const ssize_t put = ::pwrite(descriptor_, data + done, size - done, static_cast<off_t>(offset + done));
        if (put < 0 && errno == EINTR)
            continue;
        if (put <= 0)
            return fail(systemError(ErrorKind::NotWritable, "cannot write", target_));
        done += static_cast<std::size_t>(put);
    }
    return {};
}

Status AtomicFile::flushBuffer() {
    WYC_CHECK(writeFully(buffer_.data(), buffer_.size(), flushed_));
    flushed_ += buffer_.size();
    buffer_.clear();
    if (flushed_ - startedWriteback_ >= kWritebackBytes) {
        // Starts the disk early, so that the final fsync has little left to wait for.
        ::sync_file_range(descriptor_, static_cast<off64_t>(startedWriteback_),
                          static_cast<off64_t>(flushed_ - startedWriteback_), SYNC_FILE_RANGE_WRITE);
        startedWriteback_ = flushed_;
    }
    return {};
}

Status AtomicFile::append(std::span<const std::byte> bytes) {
    position_ += bytes.size();
    if (buffer_.size() + bytes.size() > kBufferBytes)
        WYC_CHECK(flushBuffer());
    if (bytes.size() >= kBufferBytes) {
        WYC_CHECK(writeFully(bytes.data(), bytes.size(), flushed_));
        flushed_ += bytes.size();
        return {};
    }
    buffer_.insert(buffer_.end(), bytes.begin(), bytes.end());
    return {};
}

Status AtomicFile::append(std::string_view text) {
    return append(std::as_bytes(std::span(text.data(), text.size())));
}

Status AtomicFile::rewriteAt(std::uint64_t offset, std::span<const std::byte> bytes) {
    WYC_CHECK(flushBuffer());
    return writeFully(bytes.data(), bytes.size(), offset);
}

Status AtomicFile::readBack(std::uint64_t offset, std::span<std::byte> into) {
    WYC_CHECK(flushBuffer());
    std::size_t done = 0;
    while (done < into.size()) {
        const ssize_t got =
            ::pread(descriptor_, into.data() + done, into.size() - done, static_cast<off_t>(offset + done));
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            return fail(systemError(ErrorKind::NotReadable, "cannot read what was written", temporary_));
        done += static_cast<std::size_t>(got);
    }
    return {};
}

Status AtomicFile::flushToDisk() {
    WYC_CHECK(flushBuffer());
    if (::fsync(descriptor_) != 0)
        return fail(systemError(ErrorKind::NotWritable, "cannot put the file safely on the disk", target_));
    return {};
}

Status AtomicFile::commit(Replace replace) {
    WYC_CHECK(flushToDisk());
    if (::close(std::exchange(descriptor_, -1)) != 0)
        return fail(systemError(ErrorKind::NotWritable, "cannot finish the file", target_));
    WYC_CHECK(moveIntoPlace(temporary_, target_, replace));
    temporary_.clear();
    return {};
}

bool FileLock::stands(const fs::path& path) const {
    struct stat own {};
    struct stat named {};
    return ::fstat(descriptor_, &own) == 0 && ::stat(path.c_str(), &named) == 0 && own.st_ino == named.st_ino &&
           own.st_dev == named.st_dev;
}

FileLock::FileLock(const fs::path& path) {
    for (;;) {
        descriptor_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
        std::error_code code;
        if (descriptor_ < 0 || ::flock(descriptor_, LOCK_EX) != 0 || stands(path) || !fs::exists(path, code))
            return;
        ::close(descriptor_); // somebody put another file in its place while we waited
    }
}

Result<std::unique_ptr<FileLock>> FileLock::ofItsOwn(const fs::path& path) {
    for (;;) {
        std::unique_ptr<FileLock> lock(new FileLock());
        lock->descriptor_ = ::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
        const int why = errno;
        if (lock->descriptor_ < 0 && why == EACCES) // another person's, made under a narrower mask
            lock->descriptor_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW);
        if (lock->descriptor_ < 0) {
            errno = why;
            return fail(systemError(ErrorKind::NotWritable, "cannot write in this folder", path));
        }
        if (::flock(lock->descriptor_, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK)
            return std::unique_ptr<FileLock>();
        if (!lock->stands(path))
            continue;                             // whoever had it took it away
        (void)!::fchmod(lock->descriptor_, 0644); // others look whether it is held, whatever the mask
        lock->own_ = path;
        return lock;
    }
}

bool FileLock::isHeld(const fs::path& path) {
    const int descriptor = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOFOLLOW);
    if (descriptor < 0)
        return errno == EACCES; // nothing says that it is free
    const bool held = ::flock(descriptor, LOCK_SH | LOCK_NB) != 0 && errno == EWOULDBLOCK;
    ::close(descriptor);
    return held;
}

FileLock::~FileLock() {
    if (descriptor_ < 0)
        return;
    if (!own_.empty() && stands(own_))
        ::unlink(own_.c_str());
    ::close(descriptor_);
}

Status moveIntoPlace(const fs::path& from, const fs::path& to, AtomicFile::Replace replace) {
    const unsigned flags = replace == AtomicFile::Replace::No ? RENAME_NOREPLACE : 0U;
    int outcome = ::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), flags);
    if (outcome != 0 && errno == EINVAL && replace == AtomicFile::Replace::No) {
        // A file system without RENAME_NOREPLACE: a hard link refuses an existing name just as surely.
        outcome = ::link(from.c_str(), to.c_str());
        if (outcome == 0)
            ::unlink(from.c_str());
    }
    if (outcome != 0) {
        if (errno == EEXIST || errno == ENOTEMPTY)
            return fail(makeError(ErrorKind::Exists, "the target is there already")
                            .inFile(to.string())
                            .withAdvice("Choose another name, or say that it may be replaced"));
        return fail(systemError(ErrorKind::NotWritable, "cannot move the finished file to its name", to));
    }
    flushFolder(folderOf(to));
    return {};
}

fs::path folderOf(const fs::path& path) {
    return path.parent_path().empty() ? fs::path(".") : path.parent_path();
}

std::optional<std::uint64_t> roomFor(const fs::path& target) {
    std::error_code code;
    fs::path folder = fs::absolute(target, code);
    while (!code && folder != folder.parent_path()) {
        folder = folder.parent_path();
        if (fs::exists(folder, code)) {
            const fs::space_info room = fs::space(folder, code);
            return code ? std::nullopt : std::optional<std::uint64_t>(room.available);
        }
    }
    return std::nullopt;
}

void flushFolder(const fs::path& folder) {
    if (const int handle = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); handle >= 0) {
        ::fsync(handle);
        ::close(handle);
    }
}

Status AtomicFile::takeModeOf(const fs::path& other) {
    struct stat info {};
    if (::stat(other.c_str(), &info) != 0)
        return {};
    // The group first: giving it away takes special bits.
    if (::fchown(descriptor_, static_cast<uid_t>(-1), info.st_gid) != 0 && errno != EPERM)
        return fail(systemError(ErrorKind::NotWritable, "cannot keep the group of the file", other));
    if (::fchmod(descriptor_, info.st_mode & 07777) != 0)
        return fail(systemError(ErrorKind::NotWritable, "cannot keep the mode of the file", other));
    return {};
}

Status writeTextFile(const fs::path& given, std::string_view text, AtomicFile::Replace replace) {
    // What is replaced stays what it was: a link goes on naming its file, and modes are kept.
    std::error_code code;
    const fs::path target =
        replace == AtomicFile::Replace::Yes && fs::is_symlink(given, code) ? fs::weakly_canonical(given, code) : given;
    WYC_TRY(file, AtomicFile::create(target));
    if (replace == AtomicFile::Replace::Yes)
        WYC_CHECK(file->takeModeOf(target));
    WYC_CHECK(file->append(text));
    return file->commit(replace);
}

} // namespace wyc
