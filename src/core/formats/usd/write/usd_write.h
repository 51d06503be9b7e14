// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "formats/format.h"

namespace wyc::usd {

/// What makes the format one that is written: answers, options, functions.
void addWriting(Format& format);

} // namespace wyc::usd
