// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Files that stand beside a main file, each in the version that it has: "shoal.bell.v003.usdc" of "shoal_v002.usda".
#include <map>
#include <string>
#include <vector>

#include "base/file.h"

namespace wyc {

class BesideFiles {
  public:
    /// Of a main file of this name, as they stand in a folder now.
    BesideFiles(const fs::path& folder, const fs::path& mainName);
    /// The highest version of a label with this end (".usdc", ".1001.png"); 0 where there is none.
    [[nodiscard]] int last(const std::string& label, const std::string& end) const;
    /// All ends that a version of a label has.
    [[nodiscard]] std::vector<std::string> ends(const std::string& label, int version) const;
    [[nodiscard]] std::string name(const std::string& label, int version, const std::string& end) const;
    [[nodiscard]] const fs::path& folder() const { return folder_; }

  private:
    fs::path folder_;
    std::string stem_; // "shoal": versions of a main file share them
    std::map<std::string, std::map<int, std::vector<std::string>>> there_; // by label
};

/// A link to a file that stands there, for a staging folder; NotWritable where neither kind of link can be made.
[[nodiscard]] Status takeAsItIs(const fs::path& there, const fs::path& link);

} // namespace wyc
