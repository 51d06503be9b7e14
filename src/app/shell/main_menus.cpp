// SPDX-License-Identifier: GPL-3.0-or-later
// The menus of the window, and the list of its keys.
#include "base/text.h"
#include "base/version.h"
#include "board/time_board.h"
#include "desks/deliver/deliver_desk.h"
#include "desks/desk_parts.h"
#include "desks/facts/facts_desk.h"
#include "desks/loop/loop_desk.h"
#include "desks/reconcile/reconcile_desk.h"
#include "desks/steps/steps_desk.h"
#include "shell/ask.h"
#include "shell/guide.h"
#include "shell/main_window.h"
#include "shell/notice.h"
#include "shell/shot_strip.h"
#include "theme/theme.h"
#include "view/transport.h"
#include "view/viewport.h"
#include <QApplication>
#include <QCloseEvent>
#include <QDialog>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QMimeData>
#include <QPointer>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QStandardPaths>
#include <QStatusBar>
#include <QTabBar>
#include <QTabWidget>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace wyc::app {
namespace {

struct KeyLine {
    const char* keys;
    const char* what;
};
constexpr std::array<KeyLine, 30> kKeys{{{"Space", "play or pause"},
                                         {"Left, Right", "one frame back, forward"},
                                         {"Home, End", "first, last frame"},
                                         {"Up, Down", "item above, below"},
                                         {"F", "frame the active item in the view"},
                                         {"Shift+F", "frame everything in the view"},
                                         {"A, Z", "show all frames; those of what is chosen"},
                                         {"T", "frames, seconds, timecode"},
                                         {"L", "high lanes, low lanes"},
                                         {"C held", "as it came, without its steps"},
                                         {"V", "next way to draw: clay, wires, speed, order"},
                                         {"H", "hold this pose, let it go"},
                                         {"P, or a click in the view", "ask a point: its way, its own in A"},
                                         {"O", "poses before and after it"},
                                         {"X", "leave what is chosen out, take it in"},
                                         {"Ctrl+F", "find items on the time board"},
                                         {"Ctrl, Shift and a click", "choose several items"},
                                         {"N, Shift+N", "next, previous finding"},
                                         {"1, 2, 3, 4, 5", "Facts, Steps, Loop, Reconcile, Deliver"},
                                         {"Ctrl+Return", "deliver"},
                                         {"Ctrl+Z, Ctrl+Y", "undo, redo"},
                                         {"Ctrl+O, Ctrl+S", "open, save the job"},
                                         {"Ctrl+Shift+O", "add sources"},
                                         {"wheel", "zoom: time on the board, distance in the view"},
                                         {"drag a lane, its end", "offset, trim"},
                                         {"Alt, F10", "menus"},
                                         {"Tab", "next button or field"},
                                         {"left, right drag in the view", "turn, move the eye"},
                                         {"?", "the guide"},
                                         {"Esc", "stop what is running"}}};

} // namespace

QAction* MainWindow::act(QMenu* menu, const QString& text, const QKeySequence& keys,
                         const std::function<void()>& what) {
    QAction* made = menu->addAction(text, this, what);
    if (!keys.isEmpty())
        made->setShortcut(keys);
    return made;
}

void MainWindow::makeMenus() {
    makeFileMenu();
    makeEditMenu();
    makeTimeMenu();
    makeItemMenu();
    makeViewMenu();
    makeDeliveryMenu();
    makeHelpMenu();
    auto* menus = new QAction(this);
    menus->setShortcut(Qt::Key_F10);
    connect(menus, &QAction::triggered, this, [this] { menuBar()->setActiveAction(menuBar()->actions().front()); });
    addAction(menus);
}

void MainWindow::makeFileMenu() {
    QMenu* file = menuBar()->addMenu(tr("&File"));
    act(file, tr("New job"), QKeySequence::New, [this] {
        if (mayLoseChanges())
            workspace_->newJob();
    });
    act(file, tr("Open job or sources …"), QKeySequence::Open, [this] { openFiles(); });
    act(file, tr("Add sources …"), Qt::CTRL | Qt::SHIFT | Qt::Key_O, [this] {
        const QStringList paths = QFileDialog::getOpenFileNames(
            this, tr("Add sources"), {}, tr("Caches and meshes (%1)").arg(QString::fromStdString(fileFilter())));
        if (!paths.isEmpty())
            workspace_->addPaths(paths);
    });
    act(file, tr("Add a folder …"), {}, [this] {
        const QString path = QFileDialog::getExistingDirectory(this, tr("Add a folder"));
        if (!path.isEmpty())
            workspace_->addPaths({path});
    });
    recent_ = file->addMenu(tr("Recent"));
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
    act(file, tr("Open the demo"), {}, [this] {
        if (auto* demo = findChild<QPushButton*>(QStringLiteral("emptyDemo")))
            demo->click();
    });
    file->addSeparator();
    act(file, tr("Save job"), QKeySequence::Save, [this] { save(false); });
    act(file, tr("Save job as …"), Qt::CTRL | Qt::SHIFT | Qt::Key_S, [this] { save(true); });
    file->addSeparator();
    act(file, tr("Quit"), QKeySequence::Quit, [this] { close(); });
}

void MainWindow::makeEditMenu() {
    QMenu* edit = menuBar()->addMenu(tr("&Edit"));
    undo_ = act(edit, tr("Undo"), QKeySequence::Undo, [this] { workspace_->document().undo(); });
    redo_ = act(edit, tr("Redo"), {}, [this] { workspace_->document().redo(); });
    redo_->setShortcuts({Qt::CTRL | Qt::SHIFT | Qt::Key_Z, Qt::CTRL | Qt::Key_Y});
}

void MainWindow::makeTimeMenu() {
    QMenu* time = menuBar()->addMenu(tr("&Time"));
    act(time, tr("Play or pause"), Qt::Key_Space, [this] { transport_->togglePlay(); });
    act(time, tr("One frame back"), Qt::Key_Left, [this] { transport_->stepBy(-1); });
    act(time, tr("One frame forward"), Qt::Key_Right, [this] { transport_->stepBy(1); });
    act(time, tr("First frame"), Qt::Key_Home, [this] { transport_->toStart(); });
    act(time, tr("Last frame"), Qt::Key_End, [this] { transport_->toEnd(); });
    act(time, tr("Show all frames"), Qt::Key_A, [this] { board_->showAll(); });
    act(time, tr("Show the frames of what is chosen"), Qt::Key_Z, [this] { board_->showChosen(); });
    act(time, tr("High lanes, or low ones"), Qt::Key_L, [this] { board_->setHighLanes(!board_->highLanes()); });
    time->addMenu(transport_->readings());
    act(time, tr("Next way to read moments"), Qt::Key_T, [this] {
        workspace_->setTimeReading(static_cast<TimeReading>((static_cast<int>(workspace_->timeReading()) + 1) % 3));
    });
    const auto finding = [this](int by) {
        const auto& all = workspace_->findings();
        std::vector<const ItemFinding*> shown;
        for (const ItemFinding& found : all)
            if (found.finding.severity != Severity::Note)
                shown.push_back(&found);
        if (shown.empty())
            return;
        static int at = -1;
        const int count = static_cast<int>(shown.size());
        at = ((at + by) % count + count) % count;
        const ItemFinding chosen = *shown[static_cast<std::size_t>(at)];
        showDesk<FactsDesk>();
        workspace_->goTo(chosen);
    };
    act(time, tr("Next finding"), Qt::Key_N, [finding] { finding(1); });
    act(time, tr("Previous finding"), Qt::SHIFT | Qt::Key_N, [finding] { finding(-1); });
}

void MainWindow::makeItemMenu() {
    QMenu* item = menuBar()->addMenu(tr("&Item"));
    act(item, tr("Item above"), Qt::Key_Up, [this] { moveActive(-1); });
    act(item, tr("Item below"), Qt::Key_Down, [this] { moveActive(1); });
    act(item, tr("Find …"), QKeySequence::Find, [this] { board_->find(); });
    act(item, tr("Leave out, take in"), Qt::Key_X, [this] {
        if (const ItemView* active = workspace_->activeItem())
            workspace_->setLeftOut(workspace_->chosen(), !active->leftOut);
    });
    act(item, tr("Read its source again"), Qt::Key_F5,
        [this] { workspace_->reloadSources({workspace_->active().source}); });
    act(item, tr("Remove its source"), {}, [this] { workspace_->removeSource(workspace_->active().source); });
}

void MainWindow::makeViewMenu() {
    QMenu* view = menuBar()->addMenu(tr("&View"));
    act(view, tr("Frame the active item"), Qt::Key_F, [this] { viewport_->frameActive(); });
    act(view, tr("Frame everything"), Qt::SHIFT | Qt::Key_F, [this] { viewport_->frameAll(); });
    act(view, tr("Next way to draw"), Qt::Key_V,
        [this] { style_->menu()->actions()[(static_cast<int>(viewport_->style()) + 1) % 4]->trigger(); });
    act(view, tr("Hold this pose"), Qt::Key_H, [this] { transport_->toggleHold(); });
    act(view, tr("Poses before and after: none, close, wide"), Qt::Key_O, [this] {
        constexpr double kClose = 2.0; // frames
        constexpr double kWide = 6.0;
        const double now = viewport_->skinStep();
        viewport_->setSkinStep(now == 0.0 ? kClose : now == kClose ? kWide : 0.0);
    });
    act(view, tr("Ask a point …"), Qt::Key_P, [this] { askPoint(); });
    view->addSeparator();
    for (int i = 0; i < desks_->count(); ++i)
        act(view, tr("%1 desk").arg(desks_->tabText(i)), QKeySequence(QString::number(i + 1)),
            [this, i] { desks_->setCurrentIndex(i); });
}

void MainWindow::makeDeliveryMenu() {
    QMenu* delivery = menuBar()->addMenu(tr("&Delivery"));
    act(delivery, tr("Deliver"), Qt::CTRL | Qt::Key_Return, [this] { showDesk<DeliverDesk>().deliver(); });
    act(delivery, tr("Stop"), {}, [this] { desk<DeliverDesk>().stop(); });
}

void MainWindow::makeHelpMenu() {
    QMenu* help = menuBar()->addMenu(tr("&Help"));
    act(help, tr("Guide"), Qt::Key_Question, [this] { showGuide(); });
    act(help, tr("Keys"), Qt::Key_F1, [this] { showKeys(); });
    act(help, tr("About Wychronos"), {}, [this] {
        (void)ask(QStringLiteral("about"), tr("Wychronos %1").arg(QString::fromLatin1(version())),
                  tr("Point caches and scene caches that arrive as they left.\nFree software under the GNU GPL, "
                     "version 3 or later."),
                  {tr("Close")}, this);
    });
}

// A point by its number; the worst of a comparison stands there already.
void MainWindow::askPoint() {
    const ItemView* item = workspace_->activeItem();
    if (!item || !item->scene || !item->scene->nodes[item->node].is().points)
        return;
    QDialog* asked =
        sheet(QStringLiteral("askPoint"), tr("Ask a point"),
              tr("Its number, as %1 is shown. Nothing: no point.").arg(QString::fromStdString(item->name)), this);
    auto* column = static_cast<QVBoxLayout*>(asked->layout());
    auto* field = new QLineEdit(asked);
    field->setObjectName(QStringLiteral("pointNumber"));
    field->setAccessibleName(tr("Number of the point"));
    const auto& pair = viewport_->pair();
    if (const auto now = viewport_->askedPoint())
        field->setText(QString::number(*now));
    else if (pair && pair->b == item->key && pair->worst)
        field->setText(QString::number(pair->worst->point));
    field->selectAll();
    auto* why = new QLabel(asked);
    why->setStyleSheet(QStringLiteral("color: %1;").arg(colour::kRust.name()));
    why->setVisible(false);
    auto* take = new QPushButton(tr("Ask"), asked);
    take->setDefault(true);
    column->addWidget(field);
    column->addWidget(why);
    column->addWidget(take, 0, Qt::AlignRight);
    connect(take, &QPushButton::clicked, asked, [this, asked, field, why] {
        const QString text = field->text().trimmed();
        bool isNumber = false;
        const uint number = text.toUInt(&isNumber);
        if (text.isEmpty())
            viewport_->askPoint(std::nullopt);
        else if (isNumber)
            viewport_->askPoint(number);
        if (text.isEmpty() || (isNumber && viewport_->askedPoint())) {
            asked->accept();
            return;
        }
        why->setText(tr("There is no such point: whole numbers from 0 to %1.").arg(viewport_->lastPoint()));
        why->setVisible(true);
        field->selectAll();
    });
    asked->exec();
    asked->deleteLater();
}

void MainWindow::showGuide() {
    auto* guide = findChild<Guide*>();
    if (!guide)
        guide = new Guide(this);
    guide->show();
    guide->raise();
    guide->activateWindow();
}

void MainWindow::showKeys() {
    QDialog* keySheet = sheet(QStringLiteral("keySheet"), tr("Keys"), {}, this);
    keySheet->setAttribute(Qt::WA_DeleteOnClose);
    auto* grid = new QGridLayout();
    static_cast<QVBoxLayout*>(keySheet->layout())->addLayout(grid);
    grid->setHorizontalSpacing(22);
    grid->setVerticalSpacing(6);
    constexpr int kRows = (static_cast<int>(kKeys.size()) + 1) / 2;
    for (int i = 0; i < static_cast<int>(kKeys.size()); ++i) {
        auto* keys = new QLabel(tr(kKeys[static_cast<std::size_t>(i)].keys), keySheet);
        keys->setFont(textFont(9.5, QFont::DemiBold));
        auto* what = new QLabel(tr(kKeys[static_cast<std::size_t>(i)].what), keySheet);
        what->setProperty("dim", true);
        grid->addWidget(keys, i % kRows, i / kRows * 2);
        grid->addWidget(what, i % kRows, i / kRows * 2 + 1);
    }
    keySheet->show();
}

} // namespace wyc::app
