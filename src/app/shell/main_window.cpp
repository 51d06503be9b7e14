// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/main_window.h"

#include <algorithm>

#include <QAbstractItemView>
#include <QActionGroup>
#include <QApplication>
#include <QClipboard>
#include <QCloseEvent>
#include <QComboBox>
#include <QDesktopServices>
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
#include "shell/notice.h"
#include "shell/shot_strip.h"
#include "theme/theme.h"
#include "view/transport.h"
#include "view/viewport.h"

namespace wyc::app {
namespace {

constexpr int kMostRecent = 10;

} // namespace

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent), workspace_(new Workspace(this)) {
    setObjectName(QStringLiteral("mainWindow"));
    setAcceptDrops(true);
    resize(1280, 800);
    auto* central = new QWidget(this);
    central->setObjectName(QStringLiteral("central"));
    auto* column = new QVBoxLayout(central);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    strip_ = new ShotStrip(*workspace_, central);
    notices_ = new Notices(central);
    message_ = new Notice(QStringLiteral("message"), colour::kRust, notices_);
    changed_ = new Notice(QStringLiteral("changed"), colour::kStraw, notices_);
    written_ = new Notice(QStringLiteral("written"), colour::kMoss, notices_);
    for (Notice* notice : {message_, changed_, written_})
        notices_->add(notice);
    makeUpper(central);
    empty_ = makeEmptyState(central);
    column->addWidget(strip_);
    column->addWidget(upper_, 1);
    column->addWidget(empty_, 1);
    setCentralWidget(central);
    makeStatus();
    makeMenus();
    connectAll();
    qApp->installEventFilter(this);
    central->setFocusPolicy(Qt::ClickFocus); // where the keys are when nothing else has them
    showTitle();
}

// Board above, view and desks below it.
void MainWindow::makeUpper(QWidget* parent) {
    upper_ = new QSplitter(Qt::Vertical, parent);
    upper_->setHandleWidth(3);
    upper_->setChildrenCollapsible(false);
    board_ = new TimeBoard(*workspace_, upper_);
    lower_ = new QSplitter(Qt::Horizontal, upper_);
    lower_->setHandleWidth(3);
    lower_->setChildrenCollapsible(false);
    auto* stage = new QWidget(lower_);
    auto* stageColumn = new QVBoxLayout(stage);
    stageColumn->setContentsMargins(0, 0, 0, 0);
    stageColumn->setSpacing(0);
    viewport_ = new Viewport(*workspace_, stage);
    transport_ = new Transport(*workspace_, *viewport_, stage);
    stageColumn->addWidget(makeViewBar());
    stageColumn->addWidget(viewport_, 1);
    stageColumn->addWidget(transport_);
    desks_ = new QTabWidget(lower_);
    desks_->setObjectName(QStringLiteral("desks"));
    desks_->setDocumentMode(true);
    desks_->tabBar()->setDrawBase(false);
    for (const DeskType& type : deskTypes()) {
        Desk* made = type.make(*workspace_, *viewport_, desks_);
        connect(made, &Desk::wanted, this, [this, made] { desks_->setCurrentWidget(made); });
        desks_->addTab(made, QCoreApplication::translate("Desk", type.title));
    }
    desks_->setMinimumWidth(420);
    lower_->addWidget(stage);
    lower_->addWidget(desks_);
    lower_->setStretchFactor(0, 1);
    lower_->setSizes({796, 484});
    upper_->addWidget(board_);
    upper_->addWidget(lower_);
    upper_->setStretchFactor(1, 1);
    upper_->setSizes({262, 436});
}

void MainWindow::makeStatus() {
    statusText_ = new QLabel(this);
    statusText_->setObjectName(QStringLiteral("statusText"));
    statusRight_ = new QLabel(this);
    statusBar_ = new QProgressBar(this);
    statusBar_->setFixedWidth(140);
    statusBar_->setTextVisible(false);
    statusBar_->setRange(0, 1000);
    statusBar_->hide();
    statusCancel_ = new QPushButton(tr("Stop"), this);
    statusCancel_->setProperty("flat", true);
    statusCancel_->hide();
    statusBar()->setSizeGripEnabled(false);
    statusBar()->addWidget(statusText_);
    statusBar()->addWidget(statusBar_);
    statusBar()->addPermanentWidget(statusRight_);
    statusBar()->addPermanentWidget(statusCancel_);
    statusBar()->setContentsMargins(8, 0, 8, 0);
}

void MainWindow::connectAll() {
    const auto stopAll = [this] {
        bool dragged = board_->cancelDrag();
        for (Desk* desk : desks_->findChildren<Desk*>())
            dragged = dragged || desk->cancelDrag();
        if (dragged)
            return;
        workspace_->stopAll();
    };
    connect(statusCancel_, &QPushButton::clicked, this, stopAll);
    auto* escape = new QAction(this);
    escape->setShortcut(Qt::Key_Escape);
    connect(escape, &QAction::triggered, this, stopAll);
    addAction(escape);
    connect(strip_, &ShotStrip::refused, this, &MainWindow::showMessage);
    const auto showFindings = [this] {
        FactsDesk& facts = showDesk<FactsDesk>();
        facts.showAllFindings(true);
    };
    connect(strip_, &ShotStrip::findingsAsked, this, showFindings);
    connect(&desk<DeliverDesk>(), &DeliverDesk::findingsAsked, this, showFindings);
    connect(workspace_, &Workspace::jobChanged, this, &MainWindow::showTitle);
    connect(workspace_, &Workspace::itemsChanged, this, &MainWindow::showTitle);
    connect(workspace_, &Workspace::problem, this, &MainWindow::showMessage);
    // What was wrong with one act is settled by the next that works; an unread source stays told.
    connect(workspace_, &Workspace::jobChanged, this, [this] {
        for (Notice* notice : {message_, written_})
            if (notice->isOld() && (notice != message_ || unread_.isEmpty()))
                notice->hide();
    });
    connect(workspace_, &Workspace::pageWritten, this, [this](const QString& path) {
        written_->tell(QStringLiteral("✓  ") + tr("Written and opened: %1").arg(QFileInfo(path).fileName()),
                       tr("Copy its path"), [path] { QGuiApplication::clipboard()->setText(path); });
        QDesktopServices::openUrl(QUrl::fromLocalFile(path));
    });
    connect(&desk<LoopDesk>(), &LoopDesk::cycleAsked, transport_, &Transport::playCycle);
    connect(&desk<LoopDesk>(), &LoopDesk::cycleLeft, transport_, &Transport::endCycle);
    connect(transport_, &Transport::cycleEnded, &desk<LoopDesk>(), &LoopDesk::noteCycleEnded);
    connect(workspace_, &Workspace::sourcesChangedOnDisk, this, &MainWindow::showChangedSources);
    connect(qApp, &QGuiApplication::applicationStateChanged, this, [this](Qt::ApplicationState state) {
        if (state != Qt::ApplicationActive) // its release will not be seen
            transport_->holdAsItCame(false);
        if (state == Qt::ApplicationActive) // where nobody tells of changes: on return from elsewhere
            workspace_->lookAtFiles();
    });
    for (JobRunner* runner : {&workspace_->runner(), &workspace_->deliveryRunner(), &workspace_->measureRunner()})
        connect(runner, &JobRunner::changed, this, &MainWindow::showStatus);
}

MainWindow::~MainWindow() = default;

void MainWindow::showEvent(QShowEvent* event) {
    QMainWindow::showEvent(event);
    releaseKeys(); // no field has the keys before somebody asks for it
}

// A small window leaves the view what room there is.
void MainWindow::resizeEvent(QResizeEvent* event) {
    QMainWindow::resizeEvent(event);
    notices_->place(strip_->sizeHint().height() + 4, event->size().width());
    const bool narrow = event->size().width() < 1100;
    if (narrow != narrow_) {
        const int desks = narrow ? desks_->minimumWidth() : 484;
        lower_->setSizes({event->size().width() - desks, desks});
    }
    narrow_ = narrow;
}

void MainWindow::releaseKeys() {
    if (QWidget* now = focusWidget())
        now->clearFocus();
    centralWidget()->setFocus(Qt::OtherFocusReason);
}

// Keys go where the eyes are: a field has them from a click into it until Return, Escape or a click elsewhere; a button
// that was walked to is pressed by Space and Return, one that was clicked leaves the keys to the board; all else is the
// window's shortcuts.
bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    auto* widget = qobject_cast<QWidget*>(watched);
    if (!widget || widget->window() != this)
        return false;
    if (event->type() == QEvent::Polish && (widget->focusPolicy() & Qt::ClickFocus) &&
        (qobject_cast<QAbstractButton*>(widget) || qobject_cast<QComboBox*>(widget)))
        widget->setFocusPolicy(Qt::TabFocus);
    // The wheel scrolls past a choice; it changes the one that was walked to.
    if (event->type() == QEvent::Wheel && !widget->hasFocus() && qobject_cast<QComboBox*>(widget)) {
        event->ignore();
        return true;
    }
    if (event->type() == QEvent::KeyPress || event->type() == QEvent::KeyRelease) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const bool typing = qobject_cast<QLineEdit*>(focusWidget()) != nullptr;
        if (key->key() == Qt::Key_C && key->modifiers() == Qt::NoModifier && (!typing || viewport_->asItCame())) {
            if (!key->isAutoRepeat())
                transport_->holdAsItCame(event->type() == QEvent::KeyPress);
            return true;
        }
    }
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Tab || key == Qt::Key_Backtab) {
            walking_ = true;
            QTimer::singleShot(0, this, [this] { walking_ = false; });
        }
    }
    // What had the keys has gone, and its neighbour would have them without anybody asking.
    if (event->type() == QEvent::FocusIn && !walking_) {
        const Qt::FocusReason reason = static_cast<QFocusEvent*>(event)->reason();
        if ((reason == Qt::TabFocusReason || reason == Qt::BacktabFocusReason) && widget != centralWidget())
            QTimer::singleShot(0, this, [this, widget = QPointer<QWidget>(widget)] {
                if (widget && focusWidget() == widget)
                    releaseKeys();
            });
    }
    auto* field = qobject_cast<QLineEdit*>(focusWidget());
    if (event->type() == QEvent::MouseButtonPress && field && widget != field && !field->isAncestorOf(widget)) {
        const bool takesFocus = (widget->focusPolicy() & Qt::ClickFocus) != 0;
        field->clearFocus();
        if (!takesFocus)
            centralWidget()->setFocus(Qt::MouseFocusReason);
        return false;
    }
    if (event->type() == QEvent::FocusIn && field == widget && field)
        field->setProperty("before", field->text());
    if (event->type() == QEvent::ShortcutOverride && widget == focusWidget()) {
        auto* key = static_cast<QKeyEvent*>(event);
        const bool press = key->key() == Qt::Key_Space || key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
        if (qobject_cast<QAbstractButton*>(widget) && press && key->modifiers() == Qt::NoModifier) {
            event->accept();
            return true;
        }
        if (field && key->key() == Qt::Key_Escape) {
            event->accept();
            return true;
        }
        // A list that has the keys is walked row by row.
        if (qobject_cast<QAbstractItemView*>(widget) && (key->key() == Qt::Key_Up || key->key() == Qt::Key_Down) &&
            key->modifiers() == Qt::NoModifier) {
            event->accept();
            return true;
        }
        // Nothing to undo in the field: the job's last change is meant.
        if (field && key->matches(QKeySequence::Undo) && !field->isUndoAvailable())
            return true;
    }
    if (event->type() == QEvent::KeyPress && widget == focusWidget()) {
        auto* key = static_cast<QKeyEvent*>(event);
        const bool enter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
        if (auto* button = qobject_cast<QAbstractButton*>(widget); button && enter) {
            button->click();
            return true;
        }
        if (field && key->key() == Qt::Key_Escape) {
            field->setText(field->property("clears").toBool() ? QString() : field->property("before").toString());
            field->setModified(false);
            releaseKeys();
            return true;
        }
        if (field && enter) // after the field has told that it is done
            QTimer::singleShot(0, this, [this, field = QPointer<QLineEdit>(field)] {
                if (field && focusWidget() == field)
                    releaseKeys();
            });
    }
    return false;
}

QWidget* MainWindow::makeViewBar() {
    auto* bar = new QWidget(this);
    bar->setObjectName(QStringLiteral("viewBar"));
    bar->setAttribute(Qt::WA_StyledBackground);
    bar->setStyleSheet(QStringLiteral("QWidget#viewBar { background: #141E22; border-bottom: 1px solid #1B282D; }"));
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(8, 1, 8, 1);
    row->setSpacing(4);
    const auto choice = [&](const QString& name, const QStringList& entries, int current, const QString& tip,
                            auto act) {
        auto* button = new QToolButton(bar);
        button->setObjectName(name);
        button->setToolTip(tip);
        button->setPopupMode(QToolButton::InstantPopup);
        auto* menu = new QMenu(button);
        for (int i = 0; i < entries.size(); ++i)
            menu->addAction(entries[i], this, [button, entries, i, act] {
                button->setText(entries[i] + QStringLiteral(" ▾"));
                act(i);
            });
        button->setMenu(menu);
        button->setText(entries[current] + QStringLiteral(" ▾"));
        row->addWidget(button);
        return button;
    };
    style_ =
        choice(QStringLiteral("viewStyle"), {tr("clay"), tr("clay with wires"), tr("speed heat"), tr("order bands")}, 1,
               tr("How items are drawn. Order bands colour points by their number: same bands, same order."),
               [this](int i) { chooseStyle(i); });
    scope_ = choice(QStringLiteral("viewScope"), {tr("this item"), tr("its source"), tr("everything")}, 1,
                    tr("What is drawn beside the active item"),
                    [this](int i) { viewport_->setScope(static_cast<ViewScope>(i)); });
    row->addStretch();
    auto* fit = new QToolButton(bar);
    fit->setObjectName(QStringLiteral("frameActive"));
    fit->setText(tr("frame item"));
    fit->setToolTip(tr("Bring the active item into view (F)"));
    connect(fit, &QToolButton::clicked, this, [this] { viewport_->frameActive(); });
    row->addWidget(fit);
    auto* fitAll = new QToolButton(bar);
    fitAll->setObjectName(QStringLiteral("frameAll"));
    fitAll->setText(tr("frame all"));
    fitAll->setToolTip(tr("Bring everything that is drawn into view (Shift+F)"));
    connect(fitAll, &QToolButton::clicked, this, [this] { viewport_->frameAll(); });
    row->addWidget(fitAll);
    return bar;
}

QWidget* MainWindow::makeEmptyState(QWidget* parent) {
    auto* box = new QWidget(parent);
    box->setObjectName(QStringLiteral("emptyState"));
    auto* column = new QVBoxLayout(box);
    column->setSpacing(12);
    column->addStretch(3);
    auto* title = new QLabel(tr("Drop point caches and scene caches here"), box);
    title->setFont(textFont(17, QFont::DemiBold));
    title->setAlignment(Qt::AlignCenter);
    auto* words = new QLabel(tr("Files or whole folders: Alembic archives, MDD with their rest mesh, OBJ, "
                                "numbered OBJ sequences.\n"
                                "Their frames, sizes and vertex order are checked against the shot, put "
                                "right by steps, and delivered with proof."),
                             box);
    words->setAlignment(Qt::AlignCenter);
    words->setProperty("dim", true);
    column->addWidget(title);
    column->addWidget(words);
    auto* row = new QHBoxLayout();
    row->addStretch();
    auto* open = new QPushButton(tr("Open …"), box);
    open->setObjectName(QStringLiteral("emptyOpen"));
    open->setProperty("main", true);
    connect(open, &QPushButton::clicked, this, &MainWindow::openFiles);
    auto* demo = new QPushButton(tr("Open the demo"), box);
    demo->setObjectName(QStringLiteral("emptyDemo"));
    demo->setToolTip(tr("Writes the scenario “Lantern Shoal” into your data folder and opens its job"));
    connect(demo, &QPushButton::clicked, this, [this] {
        const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation);
        QDir().mkpath(folder);
        workspace_->openDemo(folder);
    });
    auto* guide = new QPushButton(tr("Guide"), box);
    guide->setObjectName(QStringLiteral("emptyGuide"));
    guide->setProperty("flat", true);
    guide->setToolTip(tr("An act a page, with pictures (?)"));
    connect(guide, &QPushButton::clicked, this, &MainWindow::showGuide);
    row->addWidget(open);
    row->addSpacing(8);
    row->addWidget(demo);
    row->addSpacing(8);
    row->addWidget(guide);
    row->addStretch();
    column->addSpacing(6);
    column->addLayout(row);
    column->addStretch(4);
    return box;
}

void MainWindow::chooseStyle(int index) {
    viewport_->setStyle(static_cast<ViewStyle>(index));
}

void MainWindow::moveActive(int by) {
    if (const auto next = board_->itemBeside(by))
        workspace_->setActive(*next);
}

void MainWindow::showTitle() {
    const Document& document = workspace_->document();
    const bool nothing = workspace_->job().sources.empty();
    empty_->setVisible(nothing);
    board_->parentWidget()->setVisible(!nothing);
    const QString name =
        document.path().empty() ? tr("unsaved job") : QString::fromStdString(document.path().filename().string());
    setWindowTitle(
        QStringLiteral("%1%2 — Wychronos").arg(name, document.modified() ? QStringLiteral(" •") : QString()));
    undo_->setEnabled(document.canUndo());
    redo_->setEnabled(document.canRedo());
    undo_->setText(document.canUndo() ? tr("Undo: %1").arg(QString::fromStdString(document.undoLabel())) : tr("Undo"));
    redo_->setText(document.canRedo() ? tr("Redo: %1").arg(QString::fromStdString(document.redoLabel())) : tr("Redo"));
    std::uint64_t size = 0;
    std::size_t opened = 0;
    for (const SourceView& source : workspace_->sources())
        if (source.source) {
            size += source.source->sizeBytes;
            ++opened;
        }
    statusRight_->setText(nothing ? QString()
                                  : (opened == 1 ? tr("%1 source · %2 · frames are read when asked for · %3")
                                                 : tr("%1 sources · %2 · frames are read when asked for · %3"))
                                        .arg(opened)
                                        .arg(QString::fromStdString(sizeText(size)),
                                             document.modified() ? tr("job not saved") : tr("job saved")));
    if (!document.path().empty())
        remember(QString::fromStdString(document.path().string()));
    // An error of a source is told once, and goes when the source was read after all.
    QStringList unread;
    for (const SourceView& source : workspace_->sources())
        if (source.error && !source.opening)
            unread << QString::fromStdString(source.error->text());
    if (unread == unread_)
        return;
    if (!unread.isEmpty())
        showMessage(unread.join(QStringLiteral("\n")));
    else if (message_->words().contains(unread_.join(QStringLiteral("\n"))))
        message_->hide();
    unread_ = unread;
}

void MainWindow::showStatus(const JobStatus& status) {
    const bool running = status.state == JobState::Running || workspace_->busy();
    statusBar_->setVisible(running);
    statusCancel_->setVisible(running);
    if (status.state == JobState::Running) {
        statusBar_->setValue(static_cast<int>(status.fraction * 1000));
        statusText_->setText(status.title + (status.secondsLeft > 1.0
                                                 ? tr("  %1 % · %2 left")
                                                       .arg(static_cast<int>(status.fraction * 100))
                                                       .arg(QString::fromStdString(durationText(status.secondsLeft)))
                                                 : QString()));
    } else if (!running) {
        statusText_->setText(status.state == JobState::Cancelled ? tr("Stopped; nothing was left behind")
                             : status.state == JobState::Failed  ? tr("Failed: %1").arg(status.title)
                                                                 : tr("All sources read"));
    }
}

void MainWindow::showMessage(const QString& text) {
    message_->tell(QStringLiteral("✕  ") + text);
}

void MainWindow::showChangedSources() {
    std::vector<SourceId> ids;
    QStringList words;
    const auto say = [&](bool SourceView::*is, const QString& what) {
        std::vector<std::string> names;
        for (const SourceView& source : workspace_->sources())
            if (source.*is) {
                names.push_back(source.spec.path.filename().string());
                ids.push_back(source.id);
            }
        if (!names.empty())
            words << what.arg(QString::fromStdString(firstNames(names, 3)));
    };
    say(&SourceView::gone, tr("No longer on disk: %1. What is shown was read before"));
    say(&SourceView::changedOnDisk, tr("Changed on disk since it was read: %1"));
    if (ids.empty()) {
        changed_->hide();
        return;
    }
    changed_->tell(QStringLiteral("!  ") + words.join(QStringLiteral("\n!  ")), tr("Read again"),
                   [this, ids] { workspace_->reloadSources(ids); });
}

void MainWindow::openFiles() {
    const QStringList paths = QFileDialog::getOpenFileNames(
        this, tr("Open"), {}, tr("Jobs, caches and meshes (*.wyc %1)").arg(QString::fromStdString(fileFilter())));
    if (paths.isEmpty())
        return;
    if (paths.front().endsWith(QStringLiteral(".wyc")) && !mayLoseChanges())
        return;
    workspace_->addPaths(paths);
}

void MainWindow::save(bool as) {
    QString path = QString::fromStdString(workspace_->document().path().string());
    if (as || path.isEmpty())
        path = QFileDialog::getSaveFileName(this, tr("Save job"), path.isEmpty() ? QStringLiteral("job.wyc") : path,
                                            tr("Wychronos jobs (*.wyc)"));
    if (path.isEmpty())
        return;
    if (!path.endsWith(QStringLiteral(".wyc")))
        path += QStringLiteral(".wyc");
    workspace_->saveJob(path);
}

bool MainWindow::mayLoseChanges() {
    // A look at some files is no work that could be lost.
    const Job& job = workspace_->job();
    const bool onlyLooked =
        workspace_->document().path().empty() && job.items.empty() && job.deliveries.empty() && job.shot == Shot();
    if (!workspace_->document().modified() || onlyLooked)
        return true;
    const int answer = ask(QStringLiteral("unsaved"), tr("The job has changes that are not saved"),
                           tr("Steps, choices and deliveries are in the job; the sources stay as they are."),
                           {tr("Save"), tr("Discard"), tr("Go on working")}, this);
    if (answer == 0)
        save(false);
    return answer == 1 || (answer == 0 && !workspace_->document().modified());
}

void MainWindow::remember(const QString& path) {
    QSettings settings;
    QStringList list = settings.value(QStringLiteral("recent")).toStringList();
    if (!list.isEmpty() && list.front() == path)
        return;
    list.removeAll(path);
    list.prepend(path);
    settings.setValue(QStringLiteral("recent"), QStringList(list.mid(0, kMostRecent)));
}

void MainWindow::fillRecent() {
    recent_->clear();
    for (const QString& path : QSettings().value(QStringLiteral("recent")).toStringList())
        recent_
            ->addAction(path, this,
                        [this, path] {
                            if (mayLoseChanges())
                                workspace_->openJob(path);
                        })
            ->setEnabled(QFile::exists(path));
    if (recent_->isEmpty())
        recent_->addAction(tr("nothing yet"))->setEnabled(false);
}

void MainWindow::setAutosaveFolder(const QString& folder) {
    workspace_->document().setAutosaveFolder(folder.toStdString());
}

bool MainWindow::offerRecovery() {
    const QString folder =
        QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + QStringLiteral("/recovery");
    setAutosaveFolder(folder);
    for (const Document::Recoverable& state : Document::recoverable(folder.toStdString())) {
        const QString name =
            state.jobPath.empty() ? tr("A job that was never saved") : QString::fromStdString(state.jobPath.string());
        const int answer = ask(QStringLiteral("recovery"), tr("Changes that were not saved"),
                               tr("%1 had changes that were not saved when Wychronos last ended. Restore opens them; "
                                  "Discard deletes them.")
                                   .arg(name),
                               {tr("Restore"), tr("Discard")}, this);
        if (answer == 0) {
            workspace_->document().recover(state);
            return true;
        }
        if (answer == 1) {
            std::error_code code;
            fs::remove(state.file, code);
        }
    }
    return false;
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile())
            paths << url.toLocalFile();
    if (paths.isEmpty() || (paths.front().endsWith(QStringLiteral(".wyc")) && !mayLoseChanges()))
        return;
    // On the lane of an item: laid against it. Anywhere else: a source more.
    const QPoint at = board_->mapFrom(this, event->position().toPoint());
    const auto lane = board_->rect().contains(at) ? board_->itemAt(at) : std::nullopt;
    const ItemView* item = lane ? workspace_->item(*lane) : nullptr;
    if (item && item->points > 0 && !paths.front().endsWith(QStringLiteral(".wyc")))
        desk<ReconcileDesk>().chooseWhenOpened(*lane, paths);
    else
        workspace_->addPaths(paths);
    event->acceptProposedAction();
}

void MainWindow::restoreLayout() {
    keepsLayout_ = true;
    const QSettings settings;
    restoreGeometry(settings.value(QStringLiteral("window/geometry")).toByteArray());
    upper_->restoreState(settings.value(QStringLiteral("window/upper")).toByteArray());
    lower_->restoreState(settings.value(QStringLiteral("window/lower")).toByteArray());
    if (const int head = settings.value(QStringLiteral("window/head")).toInt(); head > 0)
        board_->setHeadWidth(head);
}

bool MainWindow::mayStopDelivery() {
    if (!desk<DeliverDesk>().delivering())
        return true;
    return ask(QStringLiteral("stopDelivery"), tr("A delivery is being written"),
               tr("Stop it and quit? What is not finished leaves nothing behind."),
               {tr("Go on delivering"), tr("Stop it and quit")}, this) == 1;
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!mayStopDelivery()) {
        event->ignore();
        return;
    }
    if (!mayLoseChanges()) {
        event->ignore();
        return;
    }
    workspace_->stopAll();
    workspace_->document().discardAutosave();
    if (keepsLayout_) {
        QSettings settings;
        settings.setValue(QStringLiteral("window/geometry"), saveGeometry());
        settings.setValue(QStringLiteral("window/upper"), upper_->saveState());
        settings.setValue(QStringLiteral("window/lower"), lower_->saveState());
        settings.setValue(QStringLiteral("window/head"), board_->chosenHeadWidth());
    }
    event->accept();
}

} // namespace wyc::app
