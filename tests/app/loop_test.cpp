// SPDX-License-Identifier: GPL-3.0-or-later
// The Loop desk: from a motion to a proven cycle, by the mouse alone and by keys alone.
#include <set>

#include <QComboBox>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QTabBar>
#include <QTabWidget>
#include <QToolButton>
#include <QTreeWidget>

#include "desks/loop/loop_desk.h"
#include "plots/curve_plot.h"
#include "plots/seam_view.h"
#include "shell/main_window.h"
#include "steps/time/retime_curve.h"
#include "support/motions.h"
#include "time/frame_text.h"
#include "view/transport.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class LoopWindow : public WindowTest {
  protected:
    void openSwing(int frames = 80, double drift = 0.002) {
        Scene scene = test::returningScene(12, {.period = 24, .frames = frames, .drift = drift});
        scene.rate = scene.view.rate;
        ASSERT_TRUE(test::writeScene(scene, folder_ / "swing.abc"));
        open({folder_ / "swing.abc"}, 1);
    }
    [[nodiscard]] LoopDesk& desk() { return window_->desk<LoopDesk>(); }
    [[nodiscard]] bool looked() {
        return until([&] { return !desk().looking() && desk().exact() && desk().chosen(); }) && settle();
    }
    [[nodiscard]] const ItemView& only() { return workspace().items().front(); }
};

TEST_F(LoopWindow, AMotionBecomesAProvenCycleInFewClicks) {
    openSwing();
    QTabBar* tabs = window_->desks().tabBar();
    ASSERT_TRUE(click(tabs, tabs->tabRect(2).center()));
    ASSERT_TRUE(looked());
    EXPECT_EQ(std::fmod(desk().chosen()->length, 24.0), 0.0);
    EXPECT_TRUE(child<QLabel>("loopFigures")->text().contains(QStringLiteral("closes")));
    EXPECT_TRUE(child<QLabel>("loopCounts")->text().contains(QStringLiteral("is left out")));
    auto* list = child<QTreeWidget>("loopList"); // look at it
    ASSERT_TRUE(click(list->viewport(), list->visualItemRect(list->topLevelItem(0)).center()));
    ASSERT_TRUE(window_->findChild<Transport*>()->playsCycle());
    QTest::qWait(200);
    ASSERT_TRUE(click(child<QPushButton>("loopAdd")));
    ASSERT_TRUE(settle());
    ASSERT_EQ(only().steps.size(), 1U);
    EXPECT_EQ(only().range->count(), desk().chosen()->length);
    ASSERT_TRUE(click(tabs, tabs->tabRect(4).center()));
    ASSERT_TRUE(settle());
    const auto back = delivered();
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_LE(clicks_, 5);
    EXPECT_TRUE(window_->desk<DeliverDesk>().rows()[0].result->proof.passed);
    const auto check = checkLoop(movingItemsOf(*back), Progress());
    ASSERT_TRUE(check);
    EXPECT_TRUE(check->loops);
    workspace().document().undo();
    EXPECT_TRUE(only().steps.empty());
}

TEST_F(LoopWindow, TheSameByKeysAlone) {
    openSwing();
    QTest::keyClick(window_.get(), Qt::Key_3);
    ASSERT_TRUE(looked());
    const auto press = [&](const char* name) {
        auto* widget = child<QWidget>(name);
        for (int i = 0; i < 120 && window_->focusWidget() != widget; ++i)
            QTest::keyClick(window_->focusWidget() ? window_->focusWidget() : window_.get(), Qt::Key_Tab);
        ASSERT_EQ(window_->focusWidget(), widget) << name;
        QTest::keyClick(widget, Qt::Key_Return);
    };
    press("loopAdd");
    ASSERT_TRUE(settle());
    ASSERT_EQ(only().steps.size(), 1U);
    QTest::keyClick(window_.get(), Qt::Key_5);
    ASSERT_TRUE(settle());
    QTest::keyClick(window_.get(), Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(until([&] { return !window_->desk<DeliverDesk>().delivering(); }, 30000));
    ASSERT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U);
    ASSERT_TRUE(window_->desk<DeliverDesk>().rows()[0].result);
    EXPECT_TRUE(window_->desk<DeliverDesk>().rows()[0].result->proof.passed);
}

TEST_F(LoopWindow, TheMapIsHoveredPickedAndWalkedByKeys) {
    openSwing();
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(looked());
    auto* map = child<SeamView>("seamView");
    const QPoint at = map->placeOf(1010, 1058).toPoint();
    QTest::mouseMove(map, at);
    QTest::qWait(60);
    EXPECT_NEAR(workspace().frame(), 1010, 1.0);
    ASSERT_TRUE(window_->viewport().heldFrame());
    EXPECT_NEAR(*window_->viewport().heldFrame(), 1058, 1.0);
    QTest::mouseClick(map, Qt::LeftButton, {}, at);
    ASSERT_TRUE(looked());
    EXPECT_NEAR(desk().chosen()->start, 1010, 1.0);
    EXPECT_NEAR(desk().chosen()->length, 48, 2.0);
    const auto before = *desk().chosen();
    map->setFocus();
    QTest::keyClick(map, Qt::Key_Right);
    QTest::keyClick(map, Qt::Key_Up);
    QTest::keyClick(map, Qt::Key_Return);
    ASSERT_TRUE(looked());
    EXPECT_EQ(desk().chosen()->start, before.start + 1);
    EXPECT_EQ(desk().chosen()->length, before.length);
    // Bounds leave only what lies within.
    auto* lengths = child<QLineEdit>("loopLengths");
    click(lengths);
    QTest::keyClicks(lengths, QStringLiteral("20:30"));
    QTest::keyClick(lengths, Qt::Key_Return);
    ASSERT_TRUE(looked());
    for (const LoopCandidate& candidate : desk().candidates())
        EXPECT_TRUE(candidate.length >= 20 && candidate.length <= 30);
}

TEST_F(LoopWindow, WhatCannotLoopIsSaidAndWaysOfClosingShowWhatTheyDo) {
    ASSERT_TRUE(test::writeScene(test::sheetScene([] {
                                     test::SheetOptions options;
                                     options.count = 3;
                                     return options;
                                 }()),
                                 folder_ / "short.mdd"));
    open({folder_ / "short.mdd"}, 1);
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(until([&] { return !desk().looking(); }) && settle());
    EXPECT_TRUE(child<QLabel>("loopFigures")->text().contains(QStringLiteral("four")));
    EXPECT_FALSE(child<QPushButton>("loopAdd")->isEnabled());
    workspace().newJob();
    openSwing(60);
    ASSERT_TRUE(looked());
    const QString overlapped = child<QLabel>("loopCounts")->text();
    ASSERT_TRUE(click(child<QToolButton>("loop_bridge")));
    ASSERT_TRUE(looked());
    EXPECT_NE(child<QLabel>("loopCounts")->text(), overlapped); // it is longer
    auto* fade = child<QLineEdit>("loopFade");
    ASSERT_TRUE(click(child<QToolButton>("loop_overlap")));
    click(fade);
    fade->selectAll();
    QTest::keyClicks(fade, QStringLiteral("400"));
    QTest::keyClick(fade, Qt::Key_Return);
    ASSERT_TRUE(until([&] { return !desk().looking(); }) && settle());
    EXPECT_TRUE(child<QLabel>("loopFigures")->text().contains(QStringLiteral("At most")));
    EXPECT_FALSE(child<QPushButton>("loopAdd")->isEnabled());
}

TEST_F(LoopWindow, SeveralItemsGetOneCycleAndAreNotLookedAtTwice) {
    for (const unsigned seed : {4U, 5U}) {
        Scene scene = test::returningScene(seed, {.period = 24, .frames = 80, .drift = 0.001});
        scene.rate = scene.view.rate;
        ASSERT_TRUE(test::writeScene(scene, folder_ / ("swing_" + std::to_string(seed) + ".abc")));
    }
    open({folder_ / "swing_4.abc", folder_ / "swing_5.abc"}, 2);
    std::set<ItemKey> both;
    for (const ItemView& item : workspace().items())
        both.insert(item.key);
    workspace().setChosen(both, *both.begin());
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(looked());
    EXPECT_EQ(std::fmod(desk().chosen()->length, 24.0), 0.0);
    int looks = 0;
    QObject::connect(&workspace().runner(), &JobRunner::changed, window_.get(), [&](const JobStatus& status) {
        looks += status.state == JobState::Running && status.title.contains(QStringLiteral("Comparing"));
    });
    ASSERT_TRUE(click(child<QPushButton>("loopAdd")));
    ASSERT_TRUE(settle());
    for (const ItemView& item : workspace().items()) {
        ASSERT_EQ(item.steps.size(), 1U);
        EXPECT_EQ(item.range->count(), desk().chosen()->length);
    }
    EXPECT_EQ(looks, 0); // the motion before the loop is the same
    EXPECT_EQ(child<QPushButton>("loopAdd")->text(), QStringLiteral("Change the loop"));
    auto* fade = child<QLineEdit>("loopFade");
    const QString held = fade->text();
    click(fade);
    fade->selectAll();
    QTest::keyClicks(fade, QStringLiteral("few"));
    QTest::keyClick(fade, Qt::Key_Return);
    EXPECT_EQ(fade->text(), held);
    EXPECT_TRUE(child<QWidget>("message")->isVisible());
}

TEST_F(LoopWindow, SeamPlaybackStaysAroundTheSeam) {
    openSwing();
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(looked());
    ASSERT_TRUE(click(child<QPushButton>("loopAdd")));
    ASSERT_TRUE(settle());
    const FrameRange cycle = *only().range;
    ASSERT_TRUE(click(child<QToolButton>("seam")));
    ASSERT_TRUE(click(child<QToolButton>("play")));
    bool atEnd = false;
    bool atStart = false;
    for (int i = 0; i < 120; ++i) {
        QTest::qWait(20);
        const double frame = workspace().frame();
        EXPECT_TRUE(frame >= cycle.last - 12 || frame <= cycle.first + 12) << frame;
        atEnd = atEnd || (frame >= cycle.last - 12 && frame <= cycle.last);
        atStart = atStart || (frame <= cycle.first + 12 && frame >= cycle.first);
    }
    EXPECT_TRUE(atEnd && atStart);
    click(child<QToolButton>("play"));
}

TEST_F(LoopWindow, ARowPlaysItsCycleAtOnceClosedAndAsItIs) {
    openSwing(100, 0.004);
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(looked());
    auto* transport = window_->findChild<Transport*>();
    EXPECT_FALSE(transport->playing()) << "nobody asked";
    auto* list = child<QTreeWidget>("loopList");
    ASSERT_GT(list->topLevelItemCount(), 1);
    ASSERT_TRUE(click(list->viewport(), list->visualItemRect(list->topLevelItem(1)).center()));
    EXPECT_TRUE(transport->playing() && transport->playsCycle()) << "at once";
    ASSERT_TRUE(until([&] { return !desk().looking(); }));
    const LoopCandidate chosen = *desk().chosen();
    bool atEnd = false;
    bool atStart = false;
    for (int i = 0; i < 100; ++i) {
        QTest::qWait(20);
        const double frame = workspace().frame();
        EXPECT_TRUE(frame >= chosen.start && frame < chosen.start + chosen.length) << frame;
        atEnd = atEnd || frame == chosen.start + chosen.length - 1.0;
        atStart = atStart || frame == chosen.start;
    }
    EXPECT_TRUE(atEnd && atStart);
    EXPECT_TRUE(workspace().activeItem()->steps.empty()) << "looked at, not made";
    EXPECT_TRUE(window_->viewport().stateWords().join(QLatin1Char(' ')).contains(QStringLiteral("seam in the middle")));
    QTest::keyPress(window_->centralWidget(), Qt::Key_C);
    EXPECT_TRUE(window_->viewport().asItCame());
    QTest::keyRelease(window_->centralWidget(), Qt::Key_C);
    QTest::keyClick(window_.get(), Qt::Key_Space);
    EXPECT_FALSE(transport->playing());
    EXPECT_FALSE(transport->playsCycle()) << "what stands is what there is";
    ASSERT_TRUE(settle());
    EXPECT_FALSE(window_->viewport().stateWords().join(QLatin1Char(' ')).contains(QStringLiteral("seam")));
    // The next row by keys plays, too; another desk ends it.
    list->setFocus();
    QTest::keyClick(list, Qt::Key_Up);
    EXPECT_TRUE(transport->playsCycle());
    window_->desks().setCurrentIndex(0);
    EXPECT_FALSE(transport->playsCycle());
}

TEST_F(LoopWindow, PinnedCyclesStandSideBySide) {
    openSwing(100, 0.004);
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(looked());
    ASSERT_GE(desk().candidates().size(), 2U);
    auto* list = child<QTreeWidget>("loopList");
    for (int row = 0; row < 2; ++row) {
        list->setCurrentItem(list->topLevelItem(row));
        ASSERT_TRUE(looked());
        EXPECT_FALSE(child<QToolButton>("loopPin")->isChecked());
        ASSERT_TRUE(click(child<QToolButton>("loopPin")));
        EXPECT_TRUE(child<QToolButton>("loopPin")->isChecked());
    }
    ASSERT_TRUE(click(child<QToolButton>("loopCompare")));
    auto* table = child<QFrame>("pinnedLoops");
    const auto takes = [&] { return table->findChildren<QPushButton*>(QStringLiteral("takePinned")); };
    ASSERT_TRUE(until([&] { return table->isVisible() && takes().size() == 2; }));
    int closes = 0;
    for (const QLabel* label : table->findChildren<QLabel*>())
        closes += label->text().contains(QStringLiteral("closes"));
    EXPECT_EQ(closes, 2); // each with what it comes to
    // The first one again, with one press: it plays, and the table stays beside it.
    EXPECT_FALSE(window_->viewport().geometry().intersects(
        QRect(table->mapTo(window_.get(), QPoint()), table->size())
            .translated(-window_->viewport().parentWidget()->mapTo(window_.get(), QPoint()))));
    QTest::mouseClick(takes()[0], Qt::LeftButton);
    EXPECT_EQ(desk().chosen()->length, desk().candidates()[0].length);
    EXPECT_TRUE(until([&] { return window_->findChild<Transport*>()->playsCycle(); }));
    EXPECT_TRUE(table->isVisible());
    // Let go of, one after the other; then there is no table.
    ASSERT_TRUE(looked());
    ASSERT_TRUE(click(child<QToolButton>("loopPin")));
    EXPECT_TRUE(until([&] { return takes().size() == 1; }));
    QTest::mouseClick(table->findChild<QPushButton*>(QStringLiteral("dropPinned")), Qt::LeftButton);
    EXPECT_TRUE(until([&] { return !table->isVisible(); }));
}

TEST_F(LoopWindow, AWeightIsDrawnByHandAndByKeys) {
    openSwing();
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(looked());
    ASSERT_TRUE(click(child<QToolButton>("loop_overlap")));
    auto* weight = child<QComboBox>("loopWeight");
    weight->setCurrentIndex(3);
    emit weight->activated(3);
    auto* drawn = child<CurvePlot>("loopDrawn");
    ASSERT_TRUE(until([&] { return drawn->isVisible(); }));
    const CurvePlot::Keys before = drawn->keys();
    ASSERT_EQ(before.size(), 2U);
    drag(*drawn, drawn->placeOf(before[0].first, before[0].second).toPoint(), drawn->placeOf(0.4, 0.2).toPoint());
    ASSERT_EQ(drawn->keys().size(), 2U);
    EXPECT_NEAR(drawn->keys()[0].first, 0.4, 0.02);
    EXPECT_NEAR(drawn->keys()[0].second, 0.2, 0.03);
    // It cannot be drawn past its neighbour, or down.
    drag(*drawn, drawn->placeOf(drawn->keys()[0].first, drawn->keys()[0].second).toPoint(),
         drawn->placeOf(0.95, 0.99).toPoint());
    EXPECT_LT(drawn->keys()[0].first, drawn->keys()[1].first);
    EXPECT_LE(drawn->keys()[0].second, drawn->keys()[1].second);
    drawn->setFocus();
    QTest::keyClick(drawn, Qt::Key_Left);
    QTest::keyClick(drawn, Qt::Key_Delete);
    ASSERT_EQ(drawn->keys().size(), 1U);
    ASSERT_TRUE(looked());
    ASSERT_TRUE(click(child<QPushButton>("loopAdd")));
    ASSERT_TRUE(settle());
    ASSERT_EQ(only().steps.size(), 1U);
    EXPECT_EQ(only().steps[0].options["weights"], pairsText(drawn->keys()));
    EXPECT_FALSE(only().error);
}

TEST_F(LoopWindow, WhatTravelsGoesOnFromCycleToCycle) {
    openSwing(90, 0.05);
    window_->desks().setCurrentWidget(&desk());
    auto* travel = child<QComboBox>("loopTravel");
    ASSERT_TRUE(until([&] { return !desk().looking(); }));
    travel->setCurrentIndex(1);
    emit travel->activated(1);
    ASSERT_TRUE(looked());
    EXPECT_EQ(desk().chosen()->length, 24.0);
    EXPECT_TRUE(child<QLabel>("loopFigures")->text().contains(QStringLiteral("closes")));
    auto* cycles = child<QLineEdit>("loopCycles");
    cycles->setText(QStringLiteral("3"));
    emit cycles->editingFinished();
    ASSERT_TRUE(looked());
    ASSERT_TRUE(click(child<QPushButton>("loopAdd")));
    ASSERT_TRUE(settle());
    const ItemView& item = only();
    ASSERT_FALSE(item.error);
    EXPECT_EQ(item.range->count(), 72.0);
    ASSERT_EQ(item.stretches.size(), 3U); // the board shows them
    std::vector<Vec3f> first;
    std::vector<Vec3f> later;
    const FrameRate rate = item.scene->view.rate;
    const double start = rate.secondsAt(item.range->first);
    ASSERT_TRUE(readPointsAt(*item.scene->nodes[item.node].geometry, start, first));
    ASSERT_TRUE(readPointsAt(*item.scene->nodes[item.node].geometry, start + rate.secondsAt(48), later));
    EXPECT_GT(length(Vec3d(first[0]) - Vec3d(later[0])), 1.0);
}

TEST_F(LoopWindow, ARetimeCurveIsEditedOnItsPlot) {
    openSwing(48, 0.0);
    workspace().addSteps(only().key, {{"retime", {{"curve", "x0.5"}}, true}}, QStringLiteral("Retime"));
    window_->desks().setCurrentIndex(1);
    ASSERT_TRUE(settle());
    const auto plot = [&] { return child<CurvePlot>("curve_curve"); };
    ASSERT_EQ(plot()->keys(), (CurvePlot::Keys{{1001, 1001}, {1095, 1048}}));
    // A press beside the keys makes one, and holds it.
    drag(*plot(), plot()->placeOf(1040, 1020).toPoint(), plot()->placeOf(1040, 1035).toPoint());
    ASSERT_TRUE(settle());
    ASSERT_EQ(plot()->keys().size(), 3U);
    EXPECT_NEAR(plot()->keys()[1].first, 1040, 1);
    EXPECT_NEAR(plot()->keys()[1].second, 1035, 1);
    EXPECT_EQ(only().steps[0].options["curve"], pairsText(plot()->keys()));
    EXPECT_EQ(only().range->last, 1095.0);
    // The end is drawn out; Escape lets go as if nothing had been.
    const CurvePlot::Keys before = plot()->keys();
    QTest::mousePress(plot(), Qt::LeftButton, {}, plot()->placeOf(1095, 1048).toPoint());
    QTest::mouseMove(plot(), plot()->placeOf(1060, 1048).toPoint());
    QTest::keyClick(plot(), Qt::Key_Escape);
    QTest::mouseRelease(plot(), Qt::LeftButton, {}, plot()->placeOf(1060, 1048).toPoint());
    ASSERT_TRUE(settle());
    EXPECT_EQ(plot()->keys(), before);
    drag(*plot(), plot()->placeOf(1095, 1048).toPoint(), plot()->placeOf(1080, 1048).toPoint());
    ASSERT_TRUE(settle());
    EXPECT_NEAR(only().range->last, 1080.0, 1.0);
    // By the keyboard alone, and undone.
    plot()->setFocus();
    QTest::keyClick(plot(), Qt::Key_PageDown);
    QTest::keyClick(plot(), Qt::Key_PageDown);
    QTest::keyClick(plot(), Qt::Key_Up);
    ASSERT_TRUE(settle());
    EXPECT_EQ(plot()->keys()[1].second, before[1].second + 1.0);
    QTest::mouseClick(plot(), Qt::RightButton, {},
                      plot()->placeOf(plot()->keys()[1].first, plot()->keys()[1].second).toPoint());
    ASSERT_TRUE(settle());
    EXPECT_EQ(plot()->keys().size(), 2U);
    workspace().document().undo();
    ASSERT_TRUE(settle());
    EXPECT_EQ(plot()->keys().size(), 3U);
}

} // namespace
} // namespace wyc::app
