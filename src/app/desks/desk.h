// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The desks beside the view: a folder each, and a line in the table in desks.cpp.
#include <vector>

#include <QWidget>

namespace wyc::app {

class Viewport;
class Workspace;

class Desk : public QWidget {
    Q_OBJECT
  public:
    using QWidget::QWidget;
    /// Lets go of what is being dragged, as if nothing had been; false when nothing is.
    virtual bool cancelDrag() { return false; }

  signals:
    /// Something elsewhere is shown here: the desk is to be seen.
    void wanted();
};

struct DeskType {
    const char* title;
    Desk* (*make)(Workspace& workspace, Viewport& viewport, QWidget* parent);
};
/// In the order of their tabs and keys.
[[nodiscard]] const std::vector<DeskType>& deskTypes();

} // namespace wyc::app
