// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Writes a package: files stored as they are, each beginning at a multiple of 64 bytes, the first layer in front.
#include "base/progress.h"
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

class PackageWriter {
  public:
    [[nodiscard]] static Result<std::unique_ptr<PackageWriter>> create(const fs::path& target);
    /// `name`: with '/' between folders, and no ".." in it. Exists where the name is taken.
    [[nodiscard]] Status addLayer(const std::string& name, const Layer& layer, Encoding encoding,
                                  const Progress& progress);
    [[nodiscard]] Status addFile(const std::string& name, const Bytes& bytes, const Progress& progress);
    /// Writes the directory. The file still has its temporary name. Unsupported beyond 4 GB or 65,534 entries.
    [[nodiscard]] Status finish();
    [[nodiscard]] AtomicFile& file() { return *file_; }

  private:
    struct Entry {
        std::string name;
        std::uint64_t at = 0; // of its header
        std::uint64_t begin = 0;
        std::uint64_t size = 0;
        std::uint32_t check = 0;
    };
    PackageWriter() = default;
    [[nodiscard]] Status begin(const std::string& name);
    [[nodiscard]] Status end();
    std::unique_ptr<AtomicFile> file_;
    std::vector<Entry> entries_;
};

} // namespace wyc::usd
