// SPDX-License-Identifier: GPL-3.0-or-later
// Manners of the window: where the keys go, what a refused value does, what one bad thing does to the rest.
#include <QCloseEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QTimer>
#include <QToolButton>

#include "board/time_board.h"
#include "shell/shot_strip.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class Manners : public WindowTest {
  protected:
    void openSheet(const test::SheetOptions& options = {}) {
        ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "sheet.mdd"));
        open({folder_ / "sheet.mdd"}, 1);
        workspace().document().edit("Shot", [](Job& job) {
            job.shot.name = "sh040";
            job.shot.range = FrameRange{1001, 1024};
            job.shot.rate = FrameRate();
        });
        ASSERT_TRUE(settle());
    }
    void type(QLineEdit* field, const char* text, Qt::Key end = Qt::Key_Return) {
        click(field);
        field->selectAll();
        QTest::keyClicks(field, QString::fromLatin1(text));
        QTest::keyClick(field, end);
        QTest::qWait(20);
    }
    [[nodiscard]] bool aFieldHasTheKeys() const { return qobject_cast<QLineEdit*>(window_->focusWidget()) != nullptr; }
    [[nodiscard]] const ItemView& only() { return workspace().items().front(); }
    [[nodiscard]] bool found(const std::string& id) {
        return std::any_of(workspace().findings().begin(), workspace().findings().end(),
                           [&](const ItemFinding& f) { return f.finding.id == id; });
    }
};

TEST_F(Manners, LettersAreShortcutsUntilAFieldIsAskedFor) {
    openSheet();
    EXPECT_FALSE(aFieldHasTheKeys());
    const std::string name = workspace().job().shot.name;
    const auto pressX = [&] {
        const bool before = only().leftOut;
        QTest::keyClick(window_->focusWidget() ? window_->focusWidget() : window_.get(), Qt::Key_X);
        QTest::qWait(30);
        return only().leftOut != before && workspace().job().shot.name == name;
    };
    EXPECT_TRUE(pressX());
    auto* field = child<QLineEdit>("shotName");
    for (const Qt::Key end : {Qt::Key_Return, Qt::Key_Escape}) {
        click(field);
        EXPECT_TRUE(aFieldHasTheKeys());
        QTest::keyClick(field, end);
        QTest::qWait(20);
        EXPECT_FALSE(aFieldHasTheKeys()) << end;
        EXPECT_TRUE(pressX());
    }
    click(field); // a click elsewhere lets go too
    click(child<QLabel>("statusText"));
    EXPECT_FALSE(aFieldHasTheKeys());
    EXPECT_TRUE(pressX());
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
    QTest::qWait(20);
    QTest::keyClick(window_.get(), Qt::Key_Y, Qt::ControlModifier);
    EXPECT_TRUE(workspace().document().canUndo());
    EXPECT_FALSE(workspace().document().canRedo());
}

TEST_F(Manners, EscapeInAFieldTakesBackWhatWasTyped) {
    openSheet();
    auto* last = child<QLineEdit>("shotLast");
    type(last, "1500", Qt::Key_Escape);
    EXPECT_EQ(workspace().job().shot.range->last, 1024.0);
    EXPECT_EQ(last->text(), QStringLiteral("1024"));
}

TEST_F(Manners, ARefusedShotValueIsSaidAndDoesNotBlockTheRest) {
    openSheet();
    auto* last = child<QLineEdit>("shotLast");
    auto* rate = child<QLineEdit>("shotRate");
    type(last, "900");
    EXPECT_EQ(workspace().job().shot.range->last, 1024.0);
    EXPECT_EQ(last->text(), QStringLiteral("1024"));
    EXPECT_TRUE(child<QWidget>("message")->isVisible());
    type(rate, "0");
    EXPECT_EQ(rate->text(), QStringLiteral("24"));
    type(child<QLineEdit>("shotHandles"), "4");
    EXPECT_EQ(workspace().job().shot.handles, 4.0);
    type(last, "1020");
    EXPECT_EQ(workspace().job().shot.range->last, 1020.0);
}

TEST_F(Manners, OneBadStepLeavesTheStepsBeforeItAlone) {
    openSheet();
    const ItemKey key = only().key;
    workspace().addSteps(key, {{"offset", {{"frames", 10.0}}, true}}, QStringLiteral("Offset"));
    workspace().addSteps(key, {{"drop", {{"start", 500.0}}, true}}, QStringLiteral("Drop"));
    workspace().addSteps(key, {{"offset", {{"frames", 1.0}}, true}}, QStringLiteral("Offset"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(only().range()->first, 1011.0); // what holds is applied
    EXPECT_EQ(only().failedStep, 1U);
    EXPECT_TRUE(found("job.step_fails"));
    EXPECT_NE(child<QPushButton>("faultCount")->text().indexOf(QStringLiteral("no faults")), 0);
    window_->desks().setCurrentIndex(1);
    QTest::qWait(30);
    EXPECT_TRUE(child<QWidget>("stepFails")->isVisible()); // right below the step
    workspace().setSteps(key, {{"offset", {{"frames", 10.0}}, true}}, QStringLiteral("Mend"));
    ASSERT_TRUE(settle());
    EXPECT_FALSE(found("job.step_fails"));
}

TEST_F(Manners, OneBadFileDoesNotKeepTheOthersOut) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    test::writeFile(folder_ / "broken.abc", "no archive");
    test::writeFile(folder_ / "notes.pdf", "no cache");
    workspace().addPaths({QString::fromStdString((folder_ / "notes.pdf").string()),
                          QString::fromStdString((folder_ / "broken.abc").string()),
                          QString::fromStdString((folder_ / "sheet.mdd").string())});
    ASSERT_TRUE(until([&] { return workspace().items().size() == 1; }));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(child<QWidget>("message")->isVisible());
    // What cannot be read is a fault that the badge counts, and its reason can be read.
    ASSERT_TRUE(until([&] { return found("source.unreadable"); }));
    EXPECT_TRUE(child<QPushButton>("faultCount")->text().contains(QStringLiteral("1 fault")));
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "broken.abc"));
    for (const SourceView& source : workspace().sources())
        if (source.error)
            workspace().reloadSource(SourceId(source.id));
    ASSERT_TRUE(until([&] { return workspace().items().size() == 2; }));
    ASSERT_TRUE(settle());
    EXPECT_FALSE(found("source.unreadable"));
}

TEST_F(Manners, WhatAReaderFoundMovesWithTheItem) {
    fs::create_directories(folder_ / "poses");
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "poses/s.####.obj"));
    fs::remove(folder_ / "poses/s.1010.obj");
    open({folder_ / "poses"}, 1);
    const auto missing = [&]() -> std::optional<double> {
        for (const ItemFinding& f : workspace().findings())
            if (f.finding.id == "frames.missing")
                return f.finding.frame;
        return std::nullopt;
    };
    ASSERT_TRUE(until([&] { return missing().has_value(); }));
    EXPECT_EQ(missing(), 1010.0);
    const ItemKey key = only().key;
    workspace().addSteps(key, {{"offset", {{"frames", 5.0}}, true}}, QStringLiteral("Offset"));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(until([&] { return missing() == 1015.0; }));
    workspace().addSteps(key, {{"resample", {{"rate", "24"}, {"method", "linear"}}, true}}, QStringLiteral("Fill"));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(until([&] { return !missing(); }));
}

TEST_F(Manners, AnArchiveAloneBecomesOneFileBesideIt) {
    Scene scene;
    for (const char* name : {"a", "b"}) {
        test::SheetOptions options;
        options.name = name;
        scene.nodes.push_back(test::sheetScene(options).nodes.front());
    }
    scene.rate = FrameRate();
    ASSERT_TRUE(test::writeScene(scene, folder_ / "both.abc"));
    open({folder_ / "both.abc"}, 2);
    window_->desks().setCurrentIndex(2);
    ASSERT_TRUE(until([&] { return !window_->deliverDesk().rows().empty(); }));
    ASSERT_EQ(window_->deliverDesk().rows().size(), 1U);
    EXPECT_EQ(window_->deliverDesk().rows()[0].plan.target, folder_ / "both_v001.abc");
    const auto result = delivered();
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_EQ(result->nodes.size(), 2U);
}

TEST_F(Manners, EscapeLetsGoOfALane) {
    openSheet();
    TimeBoard& board = window_->timeBoard();
    const auto laneAt = [&](double frame) {
        return QPoint(static_cast<int>(board.xOfFrame(frame)), board.laneRect(only().key).center().y());
    };
    QTest::mousePress(&board, Qt::LeftButton, {}, laneAt(1012));
    QTest::mouseMove(&board, laneAt(1016));
    QTest::qWait(20);
    QTest::keyClick(window_.get(), Qt::Key_Escape);
    QTest::mouseRelease(&board, Qt::LeftButton, {}, laneAt(1016));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(only().steps.empty());
}

TEST_F(Manners, ReturnAndSpacePressTheButtonThatHasTheKeys) {
    openSheet();
    auto* faults = child<QPushButton>("faultCount");
    for (const Qt::Key key : {Qt::Key_Return, Qt::Key_Space}) {
        window_->desks().setCurrentIndex(2);
        faults->setFocus(Qt::TabFocusReason);
        QTest::keyClick(faults, key);
        QTest::qWait(20);
        EXPECT_EQ(window_->desks().currentIndex(), 0) << key;
    }
}

TEST_F(Manners, QuittingAmidADeliveryAsks) {
    test::SheetOptions options;
    options.rows = options.columns = 200;
    options.count = 240;
    openSheet(options);
    workspace().document().edit("Deliver", [&](Job& job) {
        DeliverySpec spec;
        spec.folder = folder_ / "out";
        spec.wholeRange = true;
        job.deliveries = {spec};
    });
    workspace().saveJob(QString::fromStdString((folder_ / "job.wyc").string()));
    window_->desks().setCurrentIndex(2);
    ASSERT_TRUE(settle());
    window_->deliverDesk().deliver();
    ASSERT_TRUE(until([&] { return workspace().deliveryRunner().busy(); }));
    bool asked = false;
    QTimer::singleShot(0, window_.get(), [&] {
        for (QWidget* top : QApplication::topLevelWidgets())
            if (auto* box = qobject_cast<QMessageBox*>(top)) {
                asked = true;
                box->reject(); // go on
            }
    });
    QCloseEvent close;
    QApplication::sendEvent(window_.get(), &close);
    EXPECT_TRUE(asked);
    EXPECT_FALSE(close.isAccepted());
    ASSERT_TRUE(until([&] { return !window_->deliverDesk().delivering(); }, 60000));
    EXPECT_TRUE(window_->deliverDesk().rows().at(0).result);
    // Saving the job is no reason to take the proof away.
    ASSERT_TRUE(workspace().saveJob(QString::fromStdString((folder_ / "job.wyc").string())));
    QTest::qWait(120);
    ASSERT_FALSE(window_->deliverDesk().rows().empty());
    EXPECT_TRUE(window_->deliverDesk().rows().at(0).result);
}

} // namespace
} // namespace wyc::app
