// SPDX-License-Identifier: GPL-3.0-or-later
// usage: wychronos_shots DEMO_FOLDER OUT_FOLDER [layers]
#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QMenu>
#include <QPushButton>
#include <QScreen>
#include <QScrollArea>
#include <QScrollBar>
#include <QTabWidget>
#include <QTest>
#include <QToolButton>
#include <QTreeWidget>

#include "board/time_board.h"
#include "desks/deliver/deliver_desk.h"
#include "desks/facts/facts_desk.h"
#include "desks/loop/loop_desk.h"
#include "desks/reconcile/reconcile_desk.h"
#include "shell/main_window.h"
#include "theme/theme.h"
#include "view/viewport.h"

using namespace wyc::app;

namespace {

void settle(MainWindow& window) {
    for (int i = 0; i < 400; ++i) {
        QTest::qWait(20);
        if (i > 8 && !window.workspace().busy() && !window.workspace().checking() && window.viewport().settled())
            break;
    }
    QTest::qWait(150);
}

// As it is at this moment, also while it plays.
void grab(MainWindow& window, const QString& path) {
    window.screen()->grabWindow(window.winId()).save(path);
}

void shoot(MainWindow& window, const QString& path) {
    settle(window);
    grab(window, path);
}

void choose(MainWindow& window, const std::string& source, const std::string& name = {}) {
    for (const wyc::ItemView& item : window.workspace().items())
        if (item.source->name == source && (name.empty() || item.name == name)) {
            window.workspace().setActive(wyc::ItemKey(item.key));
            return;
        }
}

void showBodies(MainWindow& window, Arrangement arrangement) {
    auto* box = window.findChild<QComboBox*>(QStringLiteral("reconcileBodies"));
    box->setCurrentIndex(static_cast<int>(arrangement));
    emit box->activated(box->currentIndex());
    settle(window);
}

QPushButton* mendOf(MainWindow& window, const QString& id) {
    for (QPushButton* button : window.findChildren<QPushButton*>(QStringLiteral("mend")))
        if (button->isVisible() && button->property("findingId").toString() == id)
            return button;
    return nullptr;
}

bool clickMend(MainWindow& window, const QString& id) {
    QPushButton* button = mendOf(window, id);
    if (!button)
        return false;
    QTest::mouseClick(button, Qt::LeftButton);
    settle(window);
    return true;
}

// A cycle that is played, and the whole scene with its camera of another rate, read as seconds.
void shootCycle(MainWindow& window, const QString& demo, const QDir& out) {
    window.workspace().openJob(demo + QStringLiteral("/lantern_shoal.wyc"));
    settle(window);
    choose(window, "lantern_jelly.mdd");
    window.viewport().setScope(ViewScope::Item);
    window.desks().setCurrentWidget(&window.desk<LoopDesk>());
    for (int i = 0; i < 400 && (window.desk<LoopDesk>().looking() || !window.desk<LoopDesk>().exact()); ++i)
        QTest::qWait(20);
    settle(window);
    window.viewport().frameActive();
    auto* list = window.findChild<QTreeWidget*>(QStringLiteral("loopList"));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->topLevelItem(0)).center());
    QTest::qWait(1700);
    auto* pin = window.findChild<QToolButton*>(QStringLiteral("loopPin"));
    for (int row = 1; row >= 0; --row) { // two that are compared
        list->setCurrentItem(list->topLevelItem(row));
        for (int i = 0; i < 400 && window.desk<LoopDesk>().looking(); ++i)
            QTest::qWait(20);
        QTest::mouseClick(pin, Qt::LeftButton);
    }
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("loopCompare")), Qt::LeftButton);
    QTest::qWait(1200);
    grab(window, out.filePath(QStringLiteral("cycle.png")));
    QTest::keyClick(&window, Qt::Key_Space);
    window.viewport().setScope(ViewScope::Source);
    window.desks().setCurrentIndex(0);
    window.workspace().addPaths({demo + QStringLiteral("/returns/kelp_frond_25fps.mdd")});
    settle(window);
    for (const wyc::ItemView& item : window.workspace().items())
        if (!window.workspace().atBoardRate(item))
            window.workspace().setActive(wyc::ItemKey(item.key));
    window.workspace().setTimeReading(wyc::TimeReading::Timecode);
    window.timeBoard().setHighLanes(true);
    window.timeBoard().showAll();
    window.workspace().setFrame(1042);
    shoot(window, out.filePath(QStringLiteral("time.png")));
    window.workspace().setTimeReading(wyc::TimeReading::Frames);
    window.timeBoard().setHighLanes(false);
    window.workspace().document().undo();
}

// A layered scene: who speaks of an item, and the variant that is shown.
void shootLayers(MainWindow& window, const QString& demo, const QDir& out) {
    window.workspace().newJob();
    window.workspace().addPaths({demo + QStringLiteral("/layers/shoal.usda")});
    settle(window);
    window.desks().setCurrentIndex(0);
    choose(window, "shoal.usda", "bell");
    window.workspace().setFrame(1042);
    window.viewport().setScope(ViewScope::Item);
    settle(window);
    window.viewport().frameActive();
    shoot(window, out.filePath(QStringLiteral("layers.png")));
}

// The shoal as an assembly with a layer for each item, planned on the Deliver desk.
void shootAssembly(MainWindow& window, const QString& demo, const QDir& out) {
    window.workspace().newJob();
    for (const char* file : {"survey_sub.abc", "seabed.obj", "lantern_jelly.mdd", "kelp_frond.mdd"})
        window.workspace().addPaths({demo + QStringLiteral("/clean/") + QString::fromLatin1(file)});
    settle(window);
    window.desks().setCurrentWidget(&window.desk<DeliverDesk>());
    settle(window);
    auto* format = window.findChild<QComboBox*>(QStringLiteral("deliverFormat"));
    format->setCurrentIndex(format->findData(QStringLiteral("usd")));
    emit format->activated(format->currentIndex());
    settle(window);
    if (auto* layout = window.findChild<QComboBox*>(QStringLiteral("option_layout"))) {
        layout->setCurrentIndex(2);
        emit layout->activated(2);
    }
    settle(window);
    for (auto* area : window.desk<DeliverDesk>().findChildren<QScrollArea*>())
        area->verticalScrollBar()->setValue(area->verticalScrollBar()->maximum());
    settle(window);
    shoot(window, out.filePath(QStringLiteral("assembly.png")));
}

} // namespace

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    if (argc < 3)
        return 2;
    QApplication::setApplicationName(QStringLiteral("wychronos-shots"));
    QApplication::setOrganizationName(QStringLiteral("wychronos-shots"));
    applyTheme(application);
    const QString demo = QString::fromLocal8Bit(argv[1]);
    const QDir out(QString::fromLocal8Bit(argv[2]));
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    if (argc > 3) { // only this
        shootCycle(window, demo, out);
        shootLayers(window, demo, out);
        shootAssembly(window, demo, out);
        return 0;
    }
    shoot(window, out.filePath(QStringLiteral("empty.png")));
    window.workspace().openJob(demo + QStringLiteral("/lantern_shoal.wyc"));
    settle(window);
    window.workspace().setFrame(1042);
    window.viewport().frameActive();
    shoot(window, out.filePath(QStringLiteral("main.png")));
    // What came back against what went out; undone, and everything as it was.
    choose(window, "lantern_jelly_back.mdd");
    window.desks().setCurrentWidget(&window.desk<ReconcileDesk>());
    for (int i = 0; i < 400 && (window.desk<ReconcileDesk>().looking() || !window.desk<ReconcileDesk>().found()); ++i)
        QTest::qWait(20);
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("reconcileHeat")), Qt::LeftButton);
    window.viewport().setScope(ViewScope::Item);
    settle(window);
    window.viewport().frameActive();
    if (const auto& pair = window.viewport().pair(); pair && pair->worst)
        window.viewport().askPoint(pair->worst->point);
    settle(window);
    shoot(window, out.filePath(QStringLiteral("reconcile.png")));
    window.viewport().askPoint(std::nullopt);
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("reconcileHeat")), Qt::LeftButton);
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("reconcileHeat")), Qt::LeftButton);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("reconcileUndo")), Qt::LeftButton);
    settle(window);
    for (int i = 0; i < 400 && (window.desk<ReconcileDesk>().looking() || !window.desk<ReconcileDesk>().found()); ++i)
        QTest::qWait(20);
    window.viewport().frameActive();
    shoot(window, out.filePath(QStringLiteral("reconciled.png")));
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("reconcileHeat")), Qt::LeftButton);
    window.workspace().document().undo();
    // Points in another order: where the numbers went.
    window.workspace().addPaths({demo + QStringLiteral("/returns/lantern_jelly_shuffled.abc")});
    settle(window);
    choose(window, "lantern_jelly_shuffled.abc");
    settle(window);
    for (int i = 0; i < 400 && (window.desk<ReconcileDesk>().looking() || !window.desk<ReconcileDesk>().found()); ++i)
        QTest::qWait(20);
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("reconcileOrder")), Qt::LeftButton);
    showBodies(window, Arrangement::Beside);
    shoot(window, out.filePath(QStringLiteral("order.png")));
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("reconcileOrder")), Qt::LeftButton);
    showBodies(window, Arrangement::BAlone);
    window.workspace().document().undo();
    choose(window, "lantern_jelly_back.mdd");
    settle(window);
    window.viewport().setScope(ViewScope::Source);
    window.desks().setCurrentIndex(0);
    settle(window);
    choose(window, "lantern_jelly_back.mdd");
    window.workspace().setFrame(1042);
    settle(window);
    if (QPushButton* late = mendOf(window, QStringLiteral("range.late"))) { // what it would do
        QEnterEvent enter(QPointF(4, 4), QPointF(4, 4), QPointF(4, 4));
        QApplication::sendEvent(late, &enter);
    }
    shoot(window, out.filePath(QStringLiteral("fault-found.png")));
    window.workspace().hideGhost();
    for (const char* id : {"size.ratio", "axis.turned", "frames.first_stale", "range.late"})
        if (!clickMend(window, QString::fromLatin1(id)))
            return 3;
    window.desks().setCurrentIndex(1);
    window.viewport().frameActive();
    shoot(window, out.filePath(QStringLiteral("steps.png")));
    window.desks().setCurrentWidget(&window.desk<DeliverDesk>());
    if (auto* only = window.findChild<QToolButton*>(QStringLiteral("deliverOnlyActive")))
        QTest::mouseClick(only, Qt::LeftButton);
    settle(window);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("deliver")), Qt::LeftButton);
    for (int i = 0; i < 500 && window.desk<DeliverDesk>().delivering(); ++i)
        QTest::qWait(20);
    shoot(window, out.filePath(QStringLiteral("delivered-proof.png")));
    window.desks().setCurrentIndex(0);
    choose(window, "lantern_shoal.abc", "hull");
    window.findChild<FactsDesk*>()->showAllFindings(true);
    window.viewport().frameActive();
    shoot(window, out.filePath(QStringLiteral("all-findings.png")));
    choose(window, "lantern_jelly.mdd");
    window.desks().setCurrentWidget(&window.desk<LoopDesk>());
    settle(window);
    shoot(window, out.filePath(QStringLiteral("loop.png")));
    // A curve of its frames, and a lead-in and a rest on the board; and back.
    const wyc::ItemKey jelly(window.workspace().active());
    window.desks().setCurrentIndex(1);
    window.workspace().addSteps(
        jelly, {{"retime", {{"curve", "1001=1001, 1030=1016, 1060=1100, 1100=1136"}, {"shape", "smooth"}}, true}},
        QStringLiteral("Retime"));
    settle(window);
    window.timeBoard().showFrames({960, 1170});
    shoot(window, out.filePath(QStringLiteral("retime.png")));
    window.workspace().setSteps(
        jelly,
        {{"lead_in", {{"frames", 24}, {"from", "frame"}, {"frame", 1068}}, true}, {"hold", {{"after", 16}}, true}},
        QStringLiteral("Lead-in"));
    settle(window);
    shoot(window, out.filePath(QStringLiteral("lead-in.png")));
    window.workspace().setSteps(jelly, {}, QStringLiteral("As it came"));
    window.timeBoard().showFrames({990, 1150});
    settle(window);
    window.desks().setCurrentIndex(0);
    window.findChild<QToolButton*>(QStringLiteral("viewStyle"))->menu()->actions()[2]->trigger();
    window.workspace().setFrame(1060);
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("holdPose")), Qt::LeftButton);
    window.workspace().setFrame(1042);
    window.findChild<FactsDesk*>()->showAllFindings(false);
    window.viewport().frameActive();
    shoot(window, out.filePath(QStringLiteral("speed-heat.png")));
    QTest::mouseClick(window.findChild<QToolButton*>(QStringLiteral("holdPose")), Qt::LeftButton);
    window.findChild<QToolButton*>(QStringLiteral("viewStyle"))->menu()->actions()[0]->trigger();
    // The whole scene: its tree, then through its camera.
    choose(window, "lantern_shoal.abc", "beacon");
    choose(window, "lantern_shoal.abc", "marine_snow");
    settle(window);
    window.viewport().frameActive();
    shoot(window, out.filePath(QStringLiteral("scene-tree.png")));
    window.viewport().setScope(ViewScope::Source);
    for (const wyc::ItemView& item : window.workspace().items())
        if (item.nodeKind == wyc::NodeKind::Camera)
            window.viewport().setCamera(item.key);
    window.workspace().setFrame(1100);
    shoot(window, out.filePath(QStringLiteral("camera-view.png")));
    shootCycle(window, demo, out);
    shootLayers(window, demo, out);
    shootAssembly(window, demo, out);
    return 0;
}
