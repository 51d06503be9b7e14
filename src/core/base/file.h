// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Files: random access that survives a file shrinking under us, and writes that are whole or not there.
#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"

namespace wyc {

namespace fs = std::filesystem;

/// Identity of a file's contents as far as the system tells without reading them.
struct FileStamp {
    std::uint64_t sizeBytes = 0;
    std::int64_t modifiedNanoseconds = 0;
    std::uint64_t inode = 0;
    bool operator==(const FileStamp&) const = default;
};

[[nodiscard]] Result<FileStamp> fileStamp(const fs::path& path);

/// A file opened for reading at any offset from any thread. Reads go through pread, not through a mapping: a
/// mapped file that another program truncates kills the process, a short read is an error value.
class RandomAccessFile {
  public:
    [[nodiscard]] static Result<std::shared_ptr<const RandomAccessFile>> open(const fs::path& path);
    ~RandomAccessFile();
    RandomAccessFile(const RandomAccessFile&) = delete;
    RandomAccessFile& operator=(const RandomAccessFile&) = delete;

    [[nodiscard]] const fs::path& path() const { return path_; }
    [[nodiscard]] std::uint64_t size() const { return stamp_.sizeBytes; }
    [[nodiscard]] const FileStamp& stamp() const { return stamp_; }
    /// Fills `into` from `offset`. BadFormat when the range passes the end, Changed when the file is no
    /// longer the one that was opened.
    [[nodiscard]] Status readAt(std::uint64_t offset, std::span<std::byte> into) const;
    /// Changed if size or time differ from when the file was opened (in place or under its name).
    [[nodiscard]] Status verifyUnchanged() const;

  private:
    RandomAccessFile() = default;
    fs::path path_;
    FileStamp stamp_;
    int descriptor_ = -1;
};

/// The whole file as bytes; refused above `limitBytes`.
[[nodiscard]] Result<std::vector<char>> readWholeFile(const fs::path& path, std::uint64_t limitBytes);

/// The same without the mark of UTF-8 that some programs put in front of a text.
[[nodiscard]] Result<std::vector<char>> readTextFile(const fs::path& path, std::uint64_t limitBytes);

/// A file written beside its target under a temporary name and moved onto it at the end. Until commit()
/// nothing stands at the target; when dropped without commit() the temporary file goes.
class AtomicFile {
  public:
    enum class Replace { No, Yes };
    [[nodiscard]] static Result<std::unique_ptr<AtomicFile>> create(const fs::path& target);
    ~AtomicFile();
    AtomicFile(const AtomicFile&) = delete;
    AtomicFile& operator=(const AtomicFile&) = delete;

    [[nodiscard]] const fs::path& temporaryPath() const { return temporary_; }
    [[nodiscard]] std::uint64_t position() const { return position_; }
    [[nodiscard]] Status append(std::span<const std::byte> bytes);
    [[nodiscard]] Status append(std::string_view text);
    /// Overwrites bytes that were appended before (headers known only at the end).
    [[nodiscard]] Status rewriteAt(std::uint64_t offset, std::span<const std::byte> bytes);
    /// Fills `into` with what was written before.
    [[nodiscard]] Status readBack(std::uint64_t offset, std::span<std::byte> into);
    /// Writes out what is buffered and puts it safely on the disk; the temporary file can be read afterwards.
    [[nodiscard]] Status flushToDisk();
    /// Group and mode of a file that it will replace; nothing where there is none.
    [[nodiscard]] Status takeModeOf(const fs::path& other);
    /// Moves the file onto its target. With Replace::No an existing target is an error of kind Exists.
    [[nodiscard]] Status commit(Replace replace);

  private:
    AtomicFile() = default;
    [[nodiscard]] Status flushBuffer();
    [[nodiscard]] Status writeFully(const std::byte* data, std::size_t size, std::uint64_t offset);
    fs::path target_;
    fs::path temporary_;
    int descriptor_ = -1;
    std::uint64_t position_ = 0;
    std::uint64_t flushed_ = 0;
    std::uint64_t startedWriteback_ = 0;
    std::vector<std::byte> buffer_;
};

/// While it lives no other of these has the same file or folder, of this process or another. It ends with its process,
/// however that ends.
class FileLock {
  public:
    /// Waits until no other has it. A file that was replaced meanwhile is another one. Nothing is held where the file
    /// is not there or its system has no locks.
    explicit FileLock(const fs::path& path);
    /// Makes the file, which goes with the lock, and does not wait: null where another has it. Where the system has no
    /// locks it is there all the same.
    [[nodiscard]] static Result<std::unique_ptr<FileLock>> ofItsOwn(const fs::path& path);
    /// Another has it now.
    [[nodiscard]] static bool isHeld(const fs::path& path);
    ~FileLock();
    FileLock(const FileLock&) = delete;
    FileLock& operator=(const FileLock&) = delete;

  private:
    FileLock() = default;
    [[nodiscard]] bool stands(const fs::path& path) const; // what is open is what is called so
    int descriptor_ = -1;
    fs::path own_; // goes with it
};

/// Moves `from` onto `to` and makes the move durable. Replace::No never overwrites, not even in a race.
[[nodiscard]] Status moveIntoPlace(const fs::path& from, const fs::path& to, AtomicFile::Replace replace);
/// Puts the names in a folder onto the disk.
void flushFolder(const fs::path& folder);
/// The folder that a path lies in; "." where it names none.
[[nodiscard]] fs::path folderOf(const fs::path& path);
/// Bytes that are free where a file would go, whether its folders are there yet or not; nothing where that cannot be
/// known.
[[nodiscard]] std::optional<std::uint64_t> roomFor(const fs::path& target);
/// Writes a small text file atomically.
[[nodiscard]] Status writeTextFile(const fs::path& target, std::string_view text, AtomicFile::Replace replace);
/// A name beside `target` that no other run of ours uses: ".NAME.wyc-part-XXXX".
[[nodiscard]] fs::path temporarySibling(const fs::path& target);
/// True for names that temporarySibling made: leftovers of a killed run, never sources.
[[nodiscard]] bool isTemporaryName(std::string_view fileName);
/// The error for the current errno of a failed system call.
[[nodiscard]] Error systemError(ErrorKind kind, const std::string& act, const fs::path& path);

} // namespace wyc
