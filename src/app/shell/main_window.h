// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include <QMainWindow>
#include <QTabWidget>

#include "shell/workspace.h"

class QLabel;
class QProgressBar;
class QPushButton;
class QSplitter;
class QToolButton;

namespace wyc::app {

class Notice;
class Notices;
class ShotStrip;
class TimeBoard;
class Transport;
class Viewport;

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    explicit MainWindow(QWidget* parent = nullptr);
    ~MainWindow() override;

    [[nodiscard]] Workspace& workspace() { return *workspace_; }
    [[nodiscard]] TimeBoard& timeBoard() { return *board_; }
    [[nodiscard]] Viewport& viewport() { return *viewport_; }
    /// Of the table of desks the one of this class.
    template<class T> [[nodiscard]] T& desk() { return *desks_->findChild<T*>(); }
    [[nodiscard]] QTabWidget& desks() { return *desks_; }
    /// Offers what runs that died left behind; true when it was taken. Not at construction: tests open windows too.
    bool offerRecovery();
    void setAutosaveFolder(const QString& folder);
    /// As it was left the last time; and it will be remembered when it is closed.
    void restoreLayout();

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void makeUpper(QWidget* parent);
    void makeStatus();
    void connectAll();
    void makeMenus(); // with all that follow, in main_menus.cpp
    void makeFileMenu();
    void makeEditMenu();
    void makeTimeMenu();
    void makeItemMenu();
    void makeViewMenu();
    void makeDeliveryMenu();
    void makeHelpMenu();
    void showKeys();
    void askPoint();
    void showGuide();
    QAction* act(QMenu* menu, const QString& text, const QKeySequence& keys, const std::function<void()>& what);
    template<class T> T& showDesk() {
        T& found = desk<T>();
        desks_->setCurrentWidget(&found);
        return found;
    }
    QWidget* makeViewBar();
    QWidget* makeEmptyState(QWidget* parent);
    void showTitle();
    void showStatus(const JobStatus& status);
    void showMessage(const QString& text);
    void showChangedSources();
    void openFiles();
    void save(bool as);
    [[nodiscard]] bool mayLoseChanges();
    [[nodiscard]] bool mayStopDelivery();
    void releaseKeys(); // to the window's shortcuts
    void remember(const QString& path);
    void fillRecent();
    void chooseStyle(int index);
    void moveActive(int by);

    Workspace* workspace_;
    ShotStrip* strip_;
    TimeBoard* board_;
    Viewport* viewport_;
    Transport* transport_;
    QTabWidget* desks_;
    QWidget* empty_;
    QSplitter* upper_;
    QSplitter* lower_;
    bool keepsLayout_ = false;
    bool narrow_ = false;  // the desks have their least width
    bool walking_ = false; // from field to field, by Tab
    QToolButton* style_;
    QToolButton* scope_;
    QLabel* statusText_;
    QLabel* statusRight_;
    QProgressBar* statusBar_;
    QPushButton* statusCancel_;
    Notices* notices_;
    Notice* message_;
    Notice* changed_;    // sources that are no longer what was read
    Notice* written_;    // a page
    QStringList unread_; // errors of sources that the message tells
    QAction* undo_;
    QAction* redo_;
    QMenu* recent_;
};

} // namespace wyc::app
