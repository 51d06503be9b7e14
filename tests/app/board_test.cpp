// SPDX-License-Identifier: GPL-3.0-or-later
// The time board with many items: finding, choosing several, the width of its head; lanes that are trimmed and zoomed.
#include <QImage>
#include <QLineEdit>

#include <qcustomplot.h>

#include "board/time_board.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class Board : public WindowTest {
  protected:
    TimeBoard& board() { return window_->timeBoard(); }
    void openSheets(int count) {
        std::vector<fs::path> paths;
        for (int i = 0; i < count; ++i) {
            paths.push_back(folder_ / ("sail_" + std::string(1, static_cast<char>('a' + i)) + ".mdd"));
            ASSERT_TRUE(test::writeScene(test::sheetScene(), paths.back()));
        }
        open(paths, static_cast<std::size_t>(count));
        workspace().document().edit("Shot", [](Job& job) {
            job.shot.range = FrameRange{1001, 1024};
            job.shot.rate = FrameRate();
        });
        ASSERT_TRUE(settle());
    }
    [[nodiscard]] const ItemView& item(std::size_t index) { return workspace().items().at(index); }
    [[nodiscard]] QPoint head(std::size_t index) { return {90, board().laneRect(item(index).key).center().y()}; }
    [[nodiscard]] QPoint onLane(std::size_t index, double frame) {
        return {static_cast<int>(std::lround(board().xOfFrame(frame))), board().laneRect(item(index).key).top() + 14};
    }
    void choose(std::size_t index, Qt::KeyboardModifiers keys) {
        QTest::mouseClick(&board(), Qt::LeftButton, keys, head(index));
    }
};

TEST_F(Board, FindsByWordsAndEscapeShowsAllAgain) {
    openSheets(4);
    QTest::keyClick(window_.get(), Qt::Key_F, Qt::ControlModifier);
    auto* find = child<QLineEdit>("boardFind");
    ASSERT_EQ(window_->focusWidget(), find);
    QTest::keyClicks(find, QStringLiteral("SAIL_c"));
    EXPECT_TRUE(board().laneRect(item(0).key).isEmpty());
    EXPECT_FALSE(board().laneRect(item(2).key).isEmpty());
    QTest::keyClick(find, Qt::Key_Escape);
    QTest::qWait(20);
    EXPECT_NE(window_->focusWidget(), find);
    for (std::size_t i = 0; i < 4; ++i)
        EXPECT_FALSE(board().laneRect(item(i).key).isEmpty()) << i;
}

TEST_F(Board, FindsByKindAndFindings) {
    openSheets(3);
    workspace().addSteps(item(1).key, {{"offset", {{"frames", 40.0}}, true}}, QStringLiteral("Offset"));
    ASSERT_TRUE(settle());
    auto* find = child<QLineEdit>("boardFind");
    find->setText(QStringLiteral("fault"));
    EXPECT_TRUE(board().laneRect(item(0).key).isEmpty());
    EXPECT_FALSE(board().laneRect(item(1).key).isEmpty());
    workspace().document().undo();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(board().laneRect(item(1).key).isEmpty()); // it has none any more
    find->setText(QStringLiteral("points sail_c"));
    EXPECT_FALSE(board().laneRect(item(2).key).isEmpty());
    find->setText(QStringLiteral("camera"));
    EXPECT_TRUE(board().laneRect(item(2).key).isEmpty());
}

TEST_F(Board, WhatIsChosenTogetherIsLeftOutMovedAndGivenStepsTogether) {
    openSheets(4);
    choose(0, {});
    choose(2, Qt::ControlModifier);
    EXPECT_TRUE(workspace().isChosen(item(0).key) && workspace().isChosen(item(2).key));
    EXPECT_FALSE(workspace().isChosen(item(1).key));
    QTest::keyClick(window_.get(), Qt::Key_X);
    QTest::qWait(30);
    EXPECT_TRUE(item(0).leftOut && item(2).leftOut);
    EXPECT_FALSE(item(1).leftOut);
    workspace().document().undo();
    EXPECT_FALSE(item(0).leftOut || item(2).leftOut); // one edit
    const FrameRange before = *item(0).range;
    const double perFrame = board().xOfFrame(1.0) - board().xOfFrame(0.0);
    const QPoint from = onLane(2, before.first + 10);
    drag(board(), from, from + QPoint(static_cast<int>(std::lround(3 * perFrame)), 0));
    EXPECT_EQ(item(0).range->first, before.first + 3);
    EXPECT_EQ(item(2).range->first, before.first + 3);
    EXPECT_EQ(item(1).range->first, before.first);
    workspace().document().undo();
    choose(0, {});
    choose(3, Qt::ShiftModifier); // all between
    EXPECT_EQ(workspace().chosen().size(), 4U);
    choose(1, {});
    EXPECT_EQ(workspace().chosen(), std::vector<ItemKey>{item(1).key});
}

TEST_F(Board, ItsHeadAndItselfAreAsWideAndHighAsTheHandWants) {
    openSheets(2);
    const int before = board().headWidth();
    const int y = board().laneRect(item(0).key).center().y();
    drag(board(), QPoint(before, y), QPoint(before + 120, y));
    EXPECT_NEAR(board().headWidth(), before + 120, 2);
    auto* splitter = qobject_cast<QSplitter*>(board().parentWidget());
    ASSERT_TRUE(splitter);
    splitter->setSizes({splitter->height(), 0});
    QTest::qWait(20);
    EXPECT_GT(board().height(), splitter->height() * 55 / 100); // most of the window
    splitter->setSizes({0, splitter->height()});
    QTest::qWait(20);
    EXPECT_LT(board().height(), splitter->height() * 3 / 10);
}

TEST_F(Board, ATrimDraggedOutGivesBackWhatItTook) {
    openSheets(1);
    const FrameRange whole = *item(0).range;
    const double perFrame = board().xOfFrame(1.0) - board().xOfFrame(0.0);
    const auto dragEnd = [&](double frame, double by) {
        const QPoint from = onLane(0, frame);
        drag(board(), from, from + QPoint(static_cast<int>(std::lround(by * perFrame)), 0));
        QTest::qWait(30);
    };
    dragEnd(whole.last, -8);
    EXPECT_EQ(item(0).range->last, whole.last - 8);
    dragEnd(whole.last - 8, 5);
    EXPECT_EQ(item(0).range->last, whole.last - 3);
    EXPECT_EQ(item(0).steps.size(), 1U);
    dragEnd(whole.last - 3, 30); // there is no more than there is
    EXPECT_EQ(*item(0).range, whole);
    EXPECT_TRUE(item(0).steps.empty());
}

TEST_F(Board, LanesReachTheEdgesHoweverFarTheyAreZoomed) {
    openSheets(1);
    const double middle = std::floor(0.5 * (item(0).range->first + item(0).range->last));
    board().showFrames({middle - 2.3, middle + 2.4}); // samples beyond both edges
    const QRect lane = board().laneRect(item(0).key);
    const QImage picture = board().grab().toImage();
    const int y = lane.bottom() - 6; // within what lies under the curve
    const QColor ground = picture.pixelColor(lane.center().x(), lane.top() + 1);
    for (const int x : {lane.left() + 2, lane.right() - 2})
        EXPECT_NE(picture.pixelColor(x, y), ground) << x;
}

TEST_F(Board, WhatIsMissingHasNoSpeed) {
    test::SheetOptions options;
    options.count = 24;
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "pose.#.obj"));
    ASSERT_TRUE(fs::remove(folder_ / "pose.1012.obj"));
    open({folder_ / "pose.#.obj"}, 1);
    const auto* plot = child<QCustomPlot>("speedPlot");
    int numbers = 0;
    int gaps = 0;
    for (const QCPGraphData& point : *plot->graph(0)->data()) {
        numbers += std::isfinite(point.value);
        gaps += !std::isfinite(point.value) && std::abs(point.key - 1012.0) < 0.6;
    }
    EXPECT_EQ(gaps, 1);
    EXPECT_EQ(numbers, 22);
}

} // namespace
} // namespace wyc::app
