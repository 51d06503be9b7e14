// SPDX-License-Identifier: GPL-3.0-or-later
#include "theme/words.h"

#include <algorithm>

#include <QStringList>

#include "base/text.h"

namespace wyc::app {

bool hasAllWords(const QString& text, const QString& sought) {
    const QStringList words = sought.split(QLatin1Char(' '), Qt::SkipEmptyParts);
    return std::all_of(words.begin(), words.end(),
                       [&](const QString& word) { return text.contains(word, Qt::CaseInsensitive); });
}

QString frameWords(double frame) {
    return QString::fromStdString(frameText(frame));
}

} // namespace wyc::app
