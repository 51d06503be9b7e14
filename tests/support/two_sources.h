// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A job over two archives, for tests of runs.
#include <gtest/gtest.h>

#include "support/process.h"
#include "support/scenes.h"

namespace wyc::test {

class TwoSources : public testing::Test {
  protected:
    // early.abc shows 1001-1024, late.abc 1021-1044.
    void SetUp() override {
        for (const auto& [name, first] : {std::pair{"early", 1001.0}, {"late", 1021.0}}) {
            SheetOptions options;
            options.name = name;
            options.first = first;
            ASSERT_TRUE(writeScene(sheetScene(options), folder_ / (std::string(name) + ".abc")));
        }
    }
    std::string job(nlohmann::json deliveries) const {
        for (std::size_t i = 0; i < deliveries.size(); ++i) {
            deliveries[i]["name"] = "d" + std::to_string(i + 1);
            if (!deliveries[i].contains("folder"))
                deliveries[i]["folder"] = "out";
        }
        const nlohmann::json document{
            {"wychronos_job", 1},
            {"shot", {{"name", "sh040"}, {"first", 1001}, {"last", 1044}, {"handles", 0}, {"rate", "24"}}},
            {"sources", {{{"id", 1}, {"path", "early.abc"}}, {{"id", 2}, {"path", "late.abc"}}}},
            {"items", nlohmann::json::array()},
            {"deliveries", deliveries}};
        return writeFile(folder_ / "job.wyc", document.dump()).string();
    }
    [[nodiscard]] bool nothingIsThere() const { return !fs::exists(folder_ / "out"); }
    TempFolder folder_;
};

} // namespace wyc::test
