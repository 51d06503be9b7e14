// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: any bytes as a container, walked group by group.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <unordered_set>

#include "formats/abc/container.h"

namespace {

void walk(const wyc::abc::Container& container, std::uint64_t group, std::unordered_set<std::uint64_t>& seen,
          int depth) {
    if (depth > 400 || !seen.insert(group).second)
        return;
    const auto children = container.children(group);
    if (!children)
        return;
    for (const wyc::abc::Child& child : *children) {
        if (child.isData)
            (void)container.data(child.position);
        else
            walk(container, child.position, seen, depth + 1);
    }
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const std::string kPath = [] {
        std::string pattern = "/dev/shm/wychronos-fuzz-XXXXXX";
        return std::string(mkdtemp(pattern.data()) ? pattern : "/tmp") + "/input.abc";
    }();
    std::FILE* file = std::fopen(kPath.c_str(), "wb");
    if (!file)
        return 0;
    std::fwrite(data, 1, size, file);
    std::fclose(file);
    if (const auto container = wyc::abc::Container::open(kPath)) {
        std::unordered_set<std::uint64_t> seen;
        walk(**container, (*container)->rootPosition(), seen, 0);
    }
    return 0;
}
