// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The demo's files for tests. Written once for a build of the test program and then copied: every test runs in a
// process of its own, and writing them takes longer than most tests.
#include <sys/stat.h>

#include <gtest/gtest.h>

#include "demo/lantern_shoal.h"
#include "support/temp_folder.h"

namespace wyc::test {

/// A copy of the demo's files that a test may change. Returns the job.
inline fs::path copyDemo(const fs::path& into) {
    const fs::path program = fs::read_symlink("/proc/self/exe");
    struct stat made {};
    EXPECT_EQ(::stat(program.c_str(), &made), 0);
    const fs::path all = program.parent_path() / ("demo of " + program.filename().string());
    const fs::path kept = all / std::to_string(made.st_mtim.tv_sec * 1'000'000'000 + made.st_mtim.tv_nsec);
    if (!fs::exists(kept)) {
        std::error_code ignored;
        fs::create_directories(all, ignored);
        std::string pattern = (all / "part-XXXXXX").string();
        if (!::mkdtemp(pattern.data()))
            throw std::runtime_error("no folder can be made in " + all.string());
        const fs::path part = pattern;
        if (const auto written = demo::writeDemo(part, Progress()); !written)
            throw std::runtime_error(written.error().text());
        for (const fs::directory_entry& entry : fs::directory_iterator(all))
            if (entry.path() != part && entry.path() != kept && !entry.path().filename().string().starts_with("part-"))
                fs::remove_all(entry.path(), ignored); // of builds before
        fs::rename(part, kept, ignored);
        if (ignored) // another process was first
            fs::remove_all(part, ignored);
    }
    fs::copy(kept, into, fs::copy_options::recursive);
    return into / "lantern_shoal.wyc";
}

} // namespace wyc::test
