// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>

namespace wyc::app {

/// Whether a text has all words that are looked for, in any order and case.
[[nodiscard]] bool hasAllWords(const QString& text, const QString& sought);
/// A frame as people write it.
[[nodiscard]] QString frameWords(double frame);

} // namespace wyc::app
