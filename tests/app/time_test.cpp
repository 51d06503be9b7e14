// SPDX-License-Identifier: GPL-3.0-or-later
// One time for board, view and delivery: items at another rate, moments read as frames, seconds or timecodes, the strip
// of all that there is; what is shown while a mend is looked at or a key is held.
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include "board/time_board.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class WindowTime : public WindowTest {
  protected:
    TimeBoard& board() { return window_->timeBoard(); }
    // At 24 and at 30 frames a second, both from frame 1001 of their own.
    void openTwoRates() {
        workspace().document().edit("Shot", [](Job& job) {
            job.shot.range = FrameRange{1001, 1048};
            job.shot.rate = FrameRate();
        });
        test::SheetOptions other;
        other.name = "quick";
        other.rate = *FrameRate::make(30, 1);
        other.first = 1251; // 41.7 s, where 1001 of 24 is 41.708 s
        other.count = 61;
        Scene scene = test::sheetScene(other);
        scene.rate = scene.view.rate;
        ASSERT_TRUE(test::writeScene(scene, folder_ / "quick.abc"));
        ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "plain.abc"));
        open({folder_ / "plain.abc", folder_ / "quick.abc"}, 2);
    }
    const ItemView& named(const char* name) {
        for (const ItemView& item : workspace().items())
            if (item.name == name)
                return item;
        throw std::runtime_error(name);
    }
    void type(const char* text) {
        auto* field = child<QLineEdit>("frameField");
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, QString::fromLatin1(text));
        QTest::keyClick(field, Qt::Key_Return);
    }
};

TEST_F(WindowTime, AnItemOfAnotherRateIsAsLongAsItLasts) {
    openTwoRates();
    const ItemView& quick = named("quick");
    const FrameRange range = *workspace().boardRange(quick);
    EXPECT_NEAR(range.first, 1251.0 * 24 / 30, 1e-6);
    EXPECT_NEAR(range.last - range.first, 60.0 * 24 / 30, 1e-6);
    // A click on its lane shows the pose that it has at that second, and no other.
    workspace().setActive(ItemKey(quick.key));
    ASSERT_TRUE(settle());
    for (const double own : {1251.0, 1275.0, 1300.0, 1311.0}) {
        workspace().setOwnFrame(quick.key, own);
        ASSERT_TRUE(settle());
        std::vector<Vec3f> points;
        ASSERT_TRUE(
            readPointsAt(*quick.scene->nodes[quick.node].geometry, quick.scene->view.rate.secondsAt(own), points));
        DrawRequest request;
        request.frame = workspace().frame();
        request.rate = workspace().rate();
        request.items.push_back({quick.key, quick.scene, quick.node, 1.0, true, nullptr});
        std::shared_ptr<const DrawFrame> drawn;
        FrameLoader loader;
        QObject::connect(&loader, &FrameLoader::loaded, &loader, [&](const auto& frame) { drawn = frame; });
        loader.request(request);
        ASSERT_TRUE(until([&] { return drawn != nullptr; }));
        ASSERT_EQ(drawn->items.size(), 1U);
        EXPECT_EQ(drawn->items.front().points, points) << own;
    }
    EXPECT_TRUE(window_->viewport().stateWords().isEmpty()) << "its last sample is a sample";
    workspace().setFrame(range.last + 4);
    ASSERT_TRUE(settle());
    ASSERT_FALSE(window_->viewport().stateWords().isEmpty());
    EXPECT_TRUE(window_->viewport().stateWords().front().contains(QStringLiteral("last sample 1311 at 30 fps")))
        << window_->viewport().stateWords().front().toStdString();
}

TEST_F(WindowTime, ALaneOfAnotherRateIsDraggedByItsOwnFramesAndTrimmedWhereItLies) {
    openTwoRates();
    board().showFrames({995, 1055});
    const ItemView& quick = named("quick");
    const double first = workspace().boardRange(quick)->first;
    const double last = workspace().boardRange(quick)->last;
    const int y = board().laneRect(quick.key).top() + 15;
    const auto at = [&](double frame) { return QPoint(static_cast<int>(std::lround(board().xOfFrame(frame))), y); };
    drag(board(), at(1020), at(1024));
    ASSERT_TRUE(settle());
    ASSERT_EQ(named("quick").steps.size(), 1U);
    EXPECT_EQ(named("quick").steps[0].options.value("frames", 0.0), 5.0) << "four of 24 are five of 30";
    EXPECT_NEAR(workspace().boardRange(named("quick"))->first, first + 4.0, 1e-6);
    drag(board(), at(last + 4.0), at(last - 4.0));
    ASSERT_TRUE(settle());
    EXPECT_NEAR(workspace().boardRange(named("quick"))->last, last - 4.0, 0.81);
    const double ownLast = named("quick").range->last;
    EXPECT_EQ(ownLast, std::round(ownLast)) << "by whole frames of its own";
    workspace().document().undo();
    workspace().document().undo();
    ASSERT_TRUE(settle());
    EXPECT_NEAR(workspace().boardRange(named("quick"))->last, last, 1e-6);
}

TEST_F(WindowTime, WhatIsDeliveredAtTheShotsRateIsWhatTheBoardShows) {
    openTwoRates();
    workspace().setActive(ItemKey(named("quick").key));
    const FrameRange shown = *workspace().boardRange(named("quick"));
    workspace().addSteps(named("quick").key, {Step{"resample", {{"rate", "24"}, {"method", "linear"}}, true}},
                         "Resample");
    ASSERT_TRUE(settle());
    const FrameRange after = *workspace().boardRange(named("quick"));
    EXPECT_TRUE(workspace().atBoardRate(named("quick")));
    EXPECT_NEAR(after.first, shown.first, 1.0) << "where it lay it lies";
    EXPECT_NEAR(after.last, shown.last, 1.0);
}

TEST_F(WindowTime, MomentsAreReadInOneWayEverywhereAndTypedInAny) {
    openTwoRates();
    workspace().setFrame(1013);
    auto* field = child<QLineEdit>("frameField");
    EXPECT_EQ(field->text(), QStringLiteral("1013"));
    QTest::keyClick(window_.get(), Qt::Key_T);
    EXPECT_EQ(field->text(), QStringLiteral("0.500 s"));
    QTest::keyClick(window_.get(), Qt::Key_T);
    EXPECT_EQ(field->text(), QStringLiteral("00:00:00:12"));
    type("1:06");
    EXPECT_EQ(workspace().frame(), 1001 + 24 + 6);
    type("1.5 s");
    EXPECT_EQ(workspace().frame(), 1001 + 36);
    type("-0:08");
    EXPECT_EQ(workspace().frame(), 1001 - 8);
    EXPECT_EQ(field->text(), QStringLiteral("−00:00:00:08"));
    type("soon");
    EXPECT_EQ(workspace().frame(), 1001 - 8) << "no moment";
    EXPECT_TRUE(child<QWidget>("message")->isVisible());
    window_->setFocus();
    QTest::keyClick(window_.get(), Qt::Key_T);
    EXPECT_EQ(workspace().timeReading(), TimeReading::Frames);
    EXPECT_EQ(field->text(), QStringLiteral("993"));
}

TEST_F(WindowTime, TheStripShowsAllAndMovesTheBoard) {
    openTwoRates();
    board().showFrames({1005, 1010});
    const QRectF window = board().windowInStrip();
    const QRect strip = board().stripRect();
    EXPECT_TRUE(QRectF(strip).contains(window));
    EXPECT_LT(window.width(), strip.width() / 3.0);
    drag(board(), window.center().toPoint(), window.center().toPoint() + QPoint(200, 0));
    EXPECT_GT(board().shownFrames().first, 1010.0);
    EXPECT_NEAR(board().shownFrames().last - board().shownFrames().first, 5.0, 1e-9) << "moved, not zoomed";
    QTest::mouseClick(&board(), Qt::LeftButton, {}, {strip.left() + 8, strip.center().y()});
    EXPECT_LT(board().shownFrames().first, 1005.0);
    EXPECT_EQ(workspace().frame(), 1001.0) << "no frame was gone to";
    // To what is chosen, and lanes to be read.
    workspace().setActive(ItemKey(named("sheet").key));
    QTest::keyClick(window_.get(), Qt::Key_Z);
    EXPECT_NEAR(board().shownFrames().first, 1000.0, 0.5);
    EXPECT_NEAR(board().shownFrames().last, 1025.0, 0.5);
    const int low = board().laneRect(named("sheet").key).height();
    QTest::keyClick(window_.get(), Qt::Key_L);
    EXPECT_GT(board().laneRect(named("sheet").key).height(), 2 * low);
    EXPECT_EQ(board().itemAt(board().laneRect(named("sheet").key).center()), std::optional(named("sheet").key));
}

// Two poses before and two after, each the one of its frame; none beyond the samples.
TEST_F(WindowTime, PosesBeforeAndAfterAreThoseOfTheirFrames) {
    openTwoRates();
    const ItemView& sheet = named("sheet");
    for (const auto& [frame, there] : {std::pair{1010.0, std::vector{-2, -1, 1, 2}}, {1002.0, {1, 2}}}) {
        DrawRequest request;
        request.frame = frame;
        request.skinStep = 2.0;
        request.items.push_back({sheet.key, sheet.scene, sheet.node, 1.0, true, nullptr});
        std::shared_ptr<const DrawFrame> drawn;
        FrameLoader loader;
        QObject::connect(&loader, &FrameLoader::loaded, &loader, [&](const auto& loaded) { drawn = loaded; });
        loader.request(request);
        ASSERT_TRUE(until([&] { return drawn != nullptr; }));
        std::vector<int> skins;
        for (const DrawItem& item : drawn->items) {
            if (item.role != DrawRole::Skin)
                continue;
            skins.push_back(item.copy);
            std::vector<Vec3f> points;
            ASSERT_TRUE(readPointsAt(*sheet.scene->nodes[sheet.node].geometry,
                                     FrameRate().secondsAt(frame + 2.0 * item.copy), points));
            EXPECT_EQ(item.points, points) << item.copy;
        }
        EXPECT_EQ(skins, there);
    }
    QTest::keyClick(window_.get(), Qt::Key_O);
    EXPECT_EQ(window_->viewport().skinStep(), 2.0);
    QTest::keyClick(window_.get(), Qt::Key_O);
    QTest::keyClick(window_.get(), Qt::Key_O);
    EXPECT_EQ(window_->viewport().skinStep(), 0.0);
}

TEST_F(WindowTime, AMendIsSeenBeforeItIsMadeAndHowItCameWhileAKeyIsHeld) {
    workspace().document().edit("Shot", [](Job& job) {
        job.shot.range = FrameRange{1003, 1026};
        job.shot.rate = FrameRate();
    });
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "early.abc"));
    open({folder_ / "early.abc"}, 1);
    QPushButton* mend = nullptr;
    for (QPushButton* one : window_->findChildren<QPushButton*>(QStringLiteral("mend")))
        if (one->isVisible() && one->property("findingId").toString() == QStringLiteral("range.early"))
            mend = one;
    ASSERT_TRUE(mend);
    EXPECT_EQ(workspace().ghost(), nullptr);
    QEnterEvent enter(QPointF(4, 4), QPointF(4, 4), QPointF(4, 4));
    QApplication::sendEvent(mend, &enter);
    ASSERT_TRUE(workspace().ghost());
    EXPECT_EQ(workspace().ghost()->range->first, 1003.0);
    EXPECT_EQ(workspace().items().front().range->first, 1001.0) << "nothing is changed yet";
    EXPECT_FALSE(workspace().document().modified() && workspace().document().undoLabel().starts_with("Mend"));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->viewport().stateWords().join(QLatin1Char(' ')).contains(QStringLiteral("translucent")));
    QEvent leave(QEvent::Leave);
    QApplication::sendEvent(mend, &leave);
    EXPECT_EQ(workspace().ghost(), nullptr);
    ASSERT_TRUE(click(mend));
    ASSERT_TRUE(settle());
    EXPECT_EQ(workspace().items().front().range->first, 1003.0);
    EXPECT_EQ(workspace().ghost(), nullptr) << "it is what there is now";
    QTest::keyPress(window_->centralWidget(), Qt::Key_C);
    EXPECT_TRUE(window_->viewport().asItCame());
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->viewport().stateWords().join(QLatin1Char(' ')).contains(QStringLiteral("as it came")));
    QTest::keyRelease(window_->centralWidget(), Qt::Key_C);
    EXPECT_FALSE(window_->viewport().asItCame());
}

} // namespace
} // namespace wyc::app
