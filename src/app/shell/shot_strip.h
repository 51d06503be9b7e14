// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The shot along the head of the window: name, range, handles, rate, unit, up axis, and how many findings
// there are.
#include <QWidget>

#include "shell/workspace.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace wyc::app {

class ShotStrip : public QWidget {
    Q_OBJECT
  public:
    explicit ShotStrip(Workspace& workspace, QWidget* parent = nullptr);

  signals:
    void findingsAsked();
    /// A value that cannot be; the field shows what held before.
    void refused(const QString& words); // a count was clicked

  private:
    QWidget* field(const QString& title, std::initializer_list<QWidget*> widgets);
    QLineEdit* edit(const QString& name, int width, const QString& tip);
    void show();
    void take();
    void showCounts();
    Workspace& workspace_;
    QLineEdit* name_;
    QLineEdit* first_;
    QLineEdit* last_;
    QLineEdit* handles_;
    QLineEdit* rate_;
    QComboBox* unit_;
    QComboBox* up_;
    QLabel* length_;
    QPushButton* faults_;
    QPushButton* cautions_;
};

} // namespace wyc::app
