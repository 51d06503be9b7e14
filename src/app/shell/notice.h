// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// One line below the head of the window: what went wrong or has changed, and what can be done about it.
#include <functional>

#include <QElapsedTimer>
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
    /// It was told long enough ago to have been read.
    [[nodiscard]] bool isOld() const { return told_.isValid() && told_.elapsed() > 1500; }

  private:
    QElapsedTimer told_;
    QLabel* words_;
    QPushButton* act_;
    std::function<void()> does_;
};

/// Where notices lie: over the window, below its head, so that nothing under the eye moves when one comes or goes.
class Notices : public QWidget {
    Q_OBJECT
  public:
    explicit Notices(QWidget* parent);
    void add(Notice* notice);
    /// The top edge, and how wide it may be.
    void place(int top, int width);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void fit();
    int top_ = 0;
    int room_ = 0;
};

} // namespace wyc::app
