// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>

namespace wyc::app {

/// A frame as people write it.
[[nodiscard]] QString frameWords(double frame);

} // namespace wyc::app
