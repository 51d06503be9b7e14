// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What others' layered scenes hold, and what is said to be in them.
#include <algorithm>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace wyc::test {

inline std::filesystem::path usdData() {
    return std::filesystem::path(WYC_TEST_DATA) / "usd";
}

struct UsdCase {
    std::string name; // "skel"
    nlohmann::json expected;
    std::vector<std::filesystem::path> files; // of one content
};

inline std::vector<UsdCase> usdCases(const std::filesystem::path& root = usdData()) {
    std::vector<UsdCase> cases;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(root)) {
        const std::string file = entry.path().filename().string();
        if (!file.ends_with(".expected.json"))
            continue;
        UsdCase one;
        one.name = file.substr(0, file.size() - 14);
        std::ifstream in(entry.path());
        one.expected = nlohmann::json::parse(in);
        for (const auto& name : one.expected.at("files"))
            one.files.push_back(entry.path().parent_path() / name.get<std::string>());
        cases.push_back(std::move(one));
    }
    std::sort(cases.begin(), cases.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
    return cases;
}

/// Counts what was compared, and keeps the first few things that differ.
struct Tally {
    std::size_t compared = 0;
    std::size_t wrong = 0;
    std::vector<std::string> first;
    void check(bool holds, const std::string& what) {
        ++compared;
        if (holds)
            return;
        ++wrong;
        if (first.size() < 40)
            first.push_back(what);
    }
    template<class A, class B> void equal(const A& got, const B& wanted, const std::string& what) {
        check(got == wanted,
              fmt::format("{}: got {}, expected {}", what, nlohmann::json(got).dump(), nlohmann::json(wanted).dump()));
    }
    [[nodiscard]] std::string words() const {
        std::string text = fmt::format("{} of {} differ\n", wrong, compared);
        for (const std::string& one : first)
            text += "  " + one + "\n";
        return text;
    }
};

} // namespace wyc::test
