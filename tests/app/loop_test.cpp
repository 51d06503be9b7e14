// SPDX-License-Identifier: GPL-3.0-or-later
// The Loop desk: from a motion to a proven cycle, by the mouse alone and by keys alone.
#include <set>

#include <QLabel>
#include <QLineEdit>
#include <QTabBar>
#include <QTabWidget>
#include <QToolButton>
#include <QTreeWidget>

#include "desks/loop_desk.h"
#include "desks/seam_view.h"
#include "shell/main_window.h"
#include "support/motions.h"
#include "view/transport.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class LoopWindow : public WindowTest {
  protected:
    void openSwing(int frames = 80, double drift = 0.002) {
        Scene scene = test::returningScene(12, {.period = 24, .frames = frames, .drift = drift});
        scene.rate = scene.workingRate;
        ASSERT_TRUE(test::writeScene(scene, folder_ / "swing.abc"));
        open({folder_ / "swing.abc"}, 1);
    }
    [[nodiscard]] LoopDesk& desk() { return window_->loopDesk(); }
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
    ASSERT_TRUE(click(child<QPushButton>("loopAdd")));
    ASSERT_TRUE(settle());
    ASSERT_EQ(only().steps.size(), 1U);
    EXPECT_EQ(only().range()->count(), desk().chosen()->length);
    ASSERT_TRUE(click(child<QToolButton>("seam"))); // look at it
    ASSERT_TRUE(click(child<QToolButton>("play")));
    QTest::qWait(200);
    ASSERT_TRUE(click(tabs, tabs->tabRect(3).center()));
    ASSERT_TRUE(settle());
    const auto back = delivered();
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_LE(clicks_, 8);
    EXPECT_TRUE(window_->deliverDesk().rows()[0].result->proof.passed);
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
    QTest::keyClick(window_.get(), Qt::Key_4);
    ASSERT_TRUE(settle());
    QTest::keyClick(window_.get(), Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(until([&] { return !window_->deliverDesk().delivering(); }, 30000));
    ASSERT_EQ(window_->deliverDesk().rows().size(), 1U);
    ASSERT_TRUE(window_->deliverDesk().rows()[0].result);
    EXPECT_TRUE(window_->deliverDesk().rows()[0].result->proof.passed);
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
        scene.rate = scene.workingRate;
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
        EXPECT_EQ(item.range()->count(), desk().chosen()->length);
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
    const FrameRange cycle = *only().range();
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

} // namespace
} // namespace wyc::app
