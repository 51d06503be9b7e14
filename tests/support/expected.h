// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Foreign files with what independent readers found in them: copies in tests/data, all of them in ../shared when it
// is there.
#include <algorithm>
#include <set>
#include <string>
#include <vector>

#include <nlohmann/json.hpp>

#include "support/temp_folder.h"

namespace wyc::test {

inline nlohmann::json readJson(const fs::path& path) {
    return nlohmann::json::parse(readFile(path));
}

struct ForeignFile {
    fs::path path;
    nlohmann::json expected;
};

/// Files of a format with `suffix` + ".expected.json" (or ".expected.json" alone for archives) beside them.
inline std::vector<ForeignFile> foreignFiles(const std::string& format, const std::string& extension) {
    std::vector<ForeignFile> files;
    std::set<std::string> seen;
    for (const fs::path& folder :
         std::vector<fs::path>{fs::path(WYC_SHARED_FIXTURES) / format, fs::path(WYC_TEST_DATA) / format}) {
        std::error_code code;
        for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
            const fs::path path = it->path();
            if (path.extension() != extension || !seen.insert(path.filename().string()).second)
                continue;
            fs::path expected = path;
            expected += ".expected.json";
            if (!fs::exists(expected)) {
                expected = path;
                expected.replace_extension(".expected.json");
            }
            if (fs::exists(expected))
                files.push_back({path, readJson(expected)});
        }
    }
    std::sort(files.begin(), files.end(), [](const auto& a, const auto& b) { return a.path < b.path; });
    return files;
}

} // namespace wyc::test
