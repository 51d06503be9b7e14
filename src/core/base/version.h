// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
namespace wyc {
[[nodiscard]] const char* version();
}
