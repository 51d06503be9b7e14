// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: any bytes as several layers that name each other, a.usda to e.usda, one behind each form feed.
#include "fuzz_scene.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    std::string_view rest(reinterpret_cast<const char*>(data), size);
    std::string first;
    for (char name = 'a'; name <= 'e'; ++name) {
        const std::size_t end = rest.find('\f');
        const std::string path =
            wyc::fuzz::written(std::string(1, name) + ".usda", "#usda 1.0\n" + std::string(rest.substr(0, end)));
        if (name == 'a')
            first = path;
        rest = end == std::string_view::npos ? std::string_view() : rest.substr(end + 1);
    }
    wyc::fuzz::doEverything(first);
    return 0;
}
