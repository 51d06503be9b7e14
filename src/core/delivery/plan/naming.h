// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Names of what is delivered.
#include <string>
#include <vector>

#include "base/file.h"

namespace wyc {

/// What the words of a name template stand for: {shot} {item} {parent} {path} {version}.
struct NameParts {
    std::string shot;
    std::string item; // unique in the job
    std::string parent;
    std::string path; // "/a/b"; its slashes become underscores
    int version = 1;
};
/// The name a template gives. Unknown words in braces are an error.
[[nodiscard]] Result<std::string> nameFromTemplate(const std::string& nameTemplate, const NameParts& parts);

/// A target as it is named by a person: "poses.%04d.obj" is "poses.####.obj". An error for any other sign for a frame
/// number in the name of a file that may be one of a sequence: it would be taken for a name.
[[nodiscard]] Result<fs::path> targetPattern(const fs::path& given);

struct NamedItem {
    std::string name;
    std::string path;
    std::string source; // its file name without extension
};
/// A file name for every item that no other of them has: its own where it is the only one so called, else with its
/// parent's before it, else its whole path, else with the source's before that. Given all items there are, it does not
/// depend on which are chosen: what is delivered again by itself has the name it had.
[[nodiscard]] std::vector<std::string> uniqueNames(const std::vector<NamedItem>& items);

} // namespace wyc
