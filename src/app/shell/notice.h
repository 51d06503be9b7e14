// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// One line below the head of the window: what went wrong or has changed, and what can be done about it.
#include <functional>

#include <QWidget>

class QLabel;
class QPushButton;

namespace wyc::app {

class Notice : public QWidget {
    Q_OBJECT
  public:
    /// `name` is the object name; the words are `<name>Text`, the act `<name>Act`.
    Notice(const QString& name, const QColor& colour, QWidget* parent);
    void tell(const QString& words);
    void tell(const QString& words, const QString& act, std::function<void()> does);
    [[nodiscard]] QString words() const;

  private:
    QLabel* words_;
    QPushButton* act_;
    std::function<void()> does_;
};

} // namespace wyc::app
