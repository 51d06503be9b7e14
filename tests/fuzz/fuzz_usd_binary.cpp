// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: any bytes as a layered scene (binary).
#include "fuzz_scene.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    wyc::fuzz::doEverything(wyc::fuzz::written("input.usdc", {reinterpret_cast<const char*>(data), size}));
    return 0;
}
