// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The steps there are, by what they act on, a line each; found by typing.
#include <QFrame>

#include "steps/step.h"

class QLineEdit;
class QTreeWidget;
class QTreeWidgetItem;

namespace wyc::app {

class StepPicker : public QFrame {
    Q_OBJECT
  public:
    explicit StepPicker(QWidget* parent);
    /// Opens below a widget, with the keys in its field.
    void openBelow(const QWidget& anchor);

  signals:
    void picked(const wyc::StepType& type);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void filter(const QString& words);
    void pick(const QTreeWidgetItem* item);
    void moveBy(int by);

    QLineEdit* find_;
    QTreeWidget* list_;
};

} // namespace wyc::app
