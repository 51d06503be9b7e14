// SPDX-License-Identifier: GPL-3.0-or-later
#include "theme/words.h"

#include "base/text.h"

namespace wyc::app {

QString frameWords(double frame) {
    return QString::fromStdString(frameText(frame));
}

} // namespace wyc::app
