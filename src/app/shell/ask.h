// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Questions and words that hold the window up, in the window's own look.
#include <QString>
#include <QStringList>

class QDialog;
class QWidget;

namespace wyc::app {

/// A sheet with a title and words below it; whoever makes it puts acts below those.
[[nodiscard]] QDialog* sheet(const QString& name, const QString& title, const QString& words, QWidget* parent);

/// Asks and waits. The first answer is what Return means; −1 where nothing was answered (Escape).
/// `name` is the object name of the sheet.
[[nodiscard]] int ask(const QString& name, const QString& title, const QString& words, const QStringList& answers,
                      QWidget* parent);

} // namespace wyc::app
