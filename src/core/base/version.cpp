// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/version.h"

namespace wyc {
const char* version() {
    return WYC_VERSION;
}
} // namespace wyc
