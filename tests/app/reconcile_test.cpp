// SPDX-License-Identifier: GPL-3.0-or-later
// The Reconcile desk: a file dropped on the lane that it came from, why it differs, undone and delivered.
#include <set>

#include <QCheckBox>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QTabBar>
#include <QTabWidget>
#include <QToolButton>
#include <QUrl>

#include "board/time_board.h"
#include "desks/drift_plot.h"
#include "desks/reconcile_desk.h"
#include "shell/main_window.h"
#include "support/returned.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class ReconcileWindow : public WindowTest {
  protected:
    void SetUp() override {
        WindowTest::SetUp();
        std::mt19937 random(11);
        test::Shape shape = test::gridShape(8, 9);
        shape.name = "sheet";
        const auto motion = test::motionOf(shape, random, 24);
        const FrameRate rate;
        ASSERT_TRUE(test::writeScene(
            test::sceneOf(shape, motion, Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24), rate),
            folder_ / "sheet.abc"));
        const auto to = test::randomOrder(shape.points.size(), random);
        std::vector<std::vector<Vec3d>> returned;
        for (const auto& sample : motion) {
            returned.emplace_back();
            for (const Vec3d& p : test::placed(sample, to)) // centimetres, Z up
                returned.back().push_back({p.x * 100, -p.z * 100, p.y * 100});
        }
        test::Shape other = test::shuffled(shape, to, random);
        other.name = "sheet_back";
        ASSERT_TRUE(test::writeScene(
            test::sceneOf(other, returned, Sampling::uniform(rate.secondsAt(1002), rate.secondsAt(1), 24), rate),
            folder_ / "sheet_back.abc"));
    }
    [[nodiscard]] ReconcileDesk& desk() { return window_->reconcileDesk(); }
    [[nodiscard]] bool compared() {
        return until([&] { return !desk().looking() && desk().found() != nullptr; }) && settle() &&
               until([&] { return !desk().looking() && desk().found() != nullptr; });
    }
    void dropOn(const ItemKey& key, const fs::path& file) {
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(QString::fromStdString(file.string()))});
        TimeBoard& board = window_->timeBoard();
        const QPoint at = board.mapTo(window_.get(), board.laneRect(key).center());
        QDragEnterEvent enter(at, Qt::CopyAction, &data, Qt::LeftButton, {});
        QApplication::sendEvent(window_.get(), &enter);
        EXPECT_TRUE(enter.isAccepted());
        QDropEvent drop(QPointF(at), Qt::CopyAction, &data, Qt::LeftButton, {});
        QApplication::sendEvent(window_.get(), &drop);
    }
    [[nodiscard]] std::set<std::string> causes() {
        std::set<std::string> ids;
        for (const Cause& cause : desk().found()->found.causes)
            ids.insert(cause.id);
        return ids;
    }
};

TEST_F(ReconcileWindow, WhatCameBackIsDroppedExplainedUndoneAndDelivered) {
    open({folder_ / "sheet.abc"}, 1);
    const ItemKey original = workspace().items().front().key;
    dropOn(original, folder_ / "sheet_back.abc");
    ++clicks_; // the drop
    ASSERT_TRUE(until([&] { return workspace().items().size() == 2; }));
    ASSERT_TRUE(compared());
    EXPECT_EQ(window_->desks().currentWidget(), &desk());
    EXPECT_EQ(desk().a(), original);
    const ItemKey back = desk().b();
    EXPECT_EQ(workspace().active(), back);
    EXPECT_EQ(causes(), (std::set<std::string>{"unit", "axis", "offset", "order"}));
    const QString words = child<QLabel>("reconcileText")->text();
    for (const char* told : {"100", "Z up", "1 frame late", "another order"})
        EXPECT_TRUE(words.contains(QString::fromLatin1(told))) << told << ": " << words.toStdString();
    ASSERT_TRUE(click(child<QPushButton>("reconcileUndo")));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(compared());
    EXPECT_TRUE(desk().found()->found.withinTolerance) << desk().found()->found.text;
    EXPECT_TRUE(desk().found()->found.causes.empty());
    EXPECT_FALSE(child<QPushButton>("reconcileUndo")->isEnabled());
    // Delivered, proven, and equal to what went out.
    QTabBar* tabs = window_->desks().tabBar();
    ASSERT_TRUE(click(tabs, tabs->tabRect(4).center()));
    ASSERT_TRUE(click(child<QToolButton>("deliverOnlyActive")));
    ASSERT_TRUE(settle());
    const auto made = delivered();
    ASSERT_TRUE(made) << made.error().text();
    EXPECT_TRUE(window_->deliverDesk().rows()[0].result->proof.passed);
    EXPECT_LE(clicks_, 6);
    const auto source = test::openFile(folder_ / "sheet.abc");
    ASSERT_TRUE(source);
    const auto again = compare(*source, *made, {}, Progress());
    ASSERT_TRUE(again) << again.error().text();
    EXPECT_TRUE(again->withinTolerance()) << again->text();
    EXPECT_EQ(again->pairs[0].found.order.by, "hash");
}

TEST_F(ReconcileWindow, CausesAreUndoneOneByOneAndTheFiguresFollow) {
    open({folder_ / "sheet.abc", folder_ / "sheet_back.abc"}, 2);
    workspace().setActive(ItemKey(workspace().items()[1].key));
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(compared());
    EXPECT_EQ(desk().a(), workspace().items()[0].key); // guessed by its name
    EXPECT_EQ(desk().b(), workspace().items()[1].key);
    const auto checks = window_->findChildren<QCheckBox*>(QStringLiteral("cause"));
    ASSERT_EQ(checks.size(), 4);
    // All but the size: a hundred times too large is what is left.
    std::size_t unit = 0;
    for (std::size_t i = 0; i < 4; ++i)
        if (desk().found()->found.causes[i].id == "unit")
            unit = i;
    ASSERT_TRUE(click(checks[static_cast<int>(unit)], QPoint(8, checks[static_cast<int>(unit)]->height() / 2)));
    ASSERT_TRUE(until([&] { return !desk().looking(); }));
    EXPECT_TRUE(child<QPushButton>("reconcileUndo")->text().contains(QStringLiteral("3")));
    EXPECT_TRUE(child<QLabel>("reconcileFigures")->text().contains(QStringLiteral("!")));
    ASSERT_TRUE(click(child<QPushButton>("reconcileUndo")));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(compared());
    EXPECT_EQ(causes(), (std::set<std::string>{"unit"}));
    workspace().document().undo();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(compared());
    EXPECT_EQ(causes().size(), 4U);
    // On the body, over one another, and to the worst frame.
    ASSERT_TRUE(click(child<QToolButton>("reconcileHeat")));
    ASSERT_TRUE(click(child<QToolButton>("reconcileOver")));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(window_->viewport().comparison());
    EXPECT_TRUE(window_->viewport().comparison()->heat && window_->viewport().comparison()->over);
    ASSERT_TRUE(click(child<QToolButton>("reconcileWorst")));
    ASSERT_TRUE(click(child<QToolButton>("reconcileSwap")));
    ASSERT_TRUE(compared());
    EXPECT_EQ(desk().b(), workspace().items()[0].key);
    for (const Cause& cause : desk().found()->found.causes)
        if (cause.id == "unit")
            EXPECT_NEAR(cause.figure, 0.01, 1e-6);
    window_->desks().setCurrentIndex(0);
    EXPECT_FALSE(window_->viewport().comparison());
}

TEST_F(ReconcileWindow, WhatCannotBeComparedIsSaid) {
    open({folder_ / "sheet.abc"}, 1);
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(settle());
    EXPECT_TRUE(child<QLabel>("reconcileText")->text().contains(QStringLiteral("why they differ")));
    EXPECT_FALSE(child<QPushButton>("reconcileUndo")->isEnabled());
    EXPECT_FALSE(child<QPushButton>("reconcileReport")->isEnabled());
    auto* tolerance = child<QLineEdit>("reconcileTolerance");
    tolerance->setText(QStringLiteral("wide"));
    emit tolerance->editingFinished();
    EXPECT_EQ(tolerance->text(), QStringLiteral("0.1 mm"));
}

} // namespace
} // namespace wyc::app
