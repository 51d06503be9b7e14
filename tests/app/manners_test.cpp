// SPDX-License-Identifier: GPL-3.0-or-later
// Manners of the window: where the keys go, what a refused value does, what one bad thing does to the rest.
#include <QCheckBox>
#include <QCloseEvent>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QStandardPaths>
#include <QTextBlock>
#include <QTextBrowser>
#include <QTimer>
#include <QToolButton>

#include <fmt/format.h>

#include "board/time_board.h"
#include "shell/guide.h"
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
    type(rate, "0");
    EXPECT_TRUE(child<QWidget>("message")->isVisible());
    EXPECT_EQ(rate->text(), QStringLiteral("24"));
    type(child<QLineEdit>("shotHandles"), "4");
    EXPECT_EQ(workspace().job().shot.handles, 4.0);
    type(last, "1020");
    EXPECT_EQ(workspace().job().shot.range->last, 1020.0);
    // The range is moved in either order: the end that was typed first is kept until the other follows.
    auto* first = child<QLineEdit>("shotFirst");
    type(first, "2000");
    EXPECT_EQ(first->text(), QStringLiteral("2000"));
    EXPECT_TRUE(first->property("waits").toBool());
    EXPECT_EQ(workspace().job().shot.range->first, 1001.0); // nothing is in force yet
    type(last, "2050");
    EXPECT_EQ(workspace().job().shot.range, FrameRange({2000.0, 2050.0}));
    EXPECT_FALSE(first->property("waits").toBool());
    type(last, "1050");
    type(first, "1001");
    EXPECT_EQ(workspace().job().shot.range, FrameRange({1001.0, 1050.0}));
    type(first, "2000");
    type(last, "1900");
    EXPECT_EQ(workspace().job().shot.range, FrameRange({1001.0, 1050.0}));
    EXPECT_EQ(first->text(), QStringLiteral("1001")); // both were typed, and cannot be
}

TEST_F(Manners, OneBadStepLeavesTheStepsBeforeItAlone) {
    openSheet();
    const ItemKey key = only().key;
    workspace().addSteps(key, {{"offset", {{"frames", 10.0}}, true}}, QStringLiteral("Offset"));
    workspace().addSteps(key, {{"drop", {{"start", 500.0}}, true}}, QStringLiteral("Drop"));
    workspace().addSteps(key, {{"offset", {{"frames", 1.0}}, true}}, QStringLiteral("Offset"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(only().range->first, 1011.0); // what holds is applied
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
            workspace().reloadSources({source.id});
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
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(until([&] { return !window_->desk<DeliverDesk>().rows().empty(); }));
    ASSERT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U);
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.target, folder_ / "both_v001.abc");
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
        window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
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
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    window_->desk<DeliverDesk>().deliver();
    ASSERT_TRUE(until([&] { return workspace().deliveryRunner().busy(); }));
    bool asked = false;
    QTimer::singleShot(0, window_.get(), [&] {
        for (QWidget* top : QApplication::topLevelWidgets())
            if (auto* box = qobject_cast<QDialog*>(top); box && box->objectName() == QStringLiteral("stopDelivery")) {
                asked = true;
                box->reject(); // go on
            }
    });
    QCloseEvent close;
    QApplication::sendEvent(window_.get(), &close);
    EXPECT_TRUE(asked);
    EXPECT_FALSE(close.isAccepted());
    ASSERT_TRUE(until([&] { return !window_->desk<DeliverDesk>().delivering(); }, 60000));
    EXPECT_TRUE(window_->desk<DeliverDesk>().rows().at(0).result);
    // Saving the job is no reason to take the proof away.
    ASSERT_TRUE(workspace().saveJob(QString::fromStdString((folder_ / "job.wyc").string())));
    QTest::qWait(120);
    ASSERT_FALSE(window_->desk<DeliverDesk>().rows().empty());
    EXPECT_TRUE(window_->desk<DeliverDesk>().rows().at(0).result);
}

TEST_F(Manners, AStepIsDraggedToItsPlace) {
    openSheet();
    const ItemKey key = only().key;
    workspace().setSteps(
        key,
        {{"offset", {{"frames", 10.0}}, true}, {"hold", {{"before", 2.0}}, true}, {"start", {{"frame", 1001.0}}, true}},
        QStringLiteral("Steps"));
    window_->desks().setCurrentIndex(1);
    ASSERT_TRUE(settle());
    const auto grip = [&](int index) -> QLabel* {
        for (QLabel* label : window_->desks().findChildren<QLabel*>())
            if (label->isVisible() && label->property("stepGrip").isValid() &&
                label->property("stepGrip").toInt() == index)
                return label;
        return nullptr;
    };
    const auto types = [&] {
        std::vector<std::string> all;
        for (const Step& step : only().steps)
            all.push_back(step.type);
        return all;
    };
    const auto pull = [&](QLabel* from, QLabel* to, int below) {
        QTest::mousePress(from, Qt::LeftButton, {}, QPoint(3, 3));
        const QPoint there = from->mapFromGlobal(to->mapToGlobal(QPoint(3, below)));
        for (int i = 1; i <= 4; ++i)
            QTest::mouseMove(from, QPoint(3, 3) + (there - QPoint(3, 3)) * i / 4);
        return there;
    };
    ASSERT_TRUE(grip(0) && grip(2));
    QPoint there = pull(grip(0), grip(2), 60);
    EXPECT_TRUE(child<QWidget>("dropMark")->isVisible());
    QTest::mouseRelease(grip(0), Qt::LeftButton, {}, there);
    EXPECT_EQ(types(), (std::vector<std::string>{"hold", "start", "offset"}));
    ASSERT_TRUE(settle());
    there = pull(grip(2), grip(0), -20);
    QTest::keyClick(window_.get(), Qt::Key_Escape); // lets go
    QTest::mouseRelease(grip(2), Qt::LeftButton, {}, there);
    EXPECT_EQ(types(), (std::vector<std::string>{"hold", "start", "offset"}));
    there = pull(grip(2), grip(0), -20);
    QTest::mouseRelease(grip(2), Qt::LeftButton, {}, there);
    EXPECT_EQ(types(), (std::vector<std::string>{"offset", "hold", "start"}));
}

TEST_F(Manners, HowItCameIsKnownAfterAJobIsOpenedAgain) {
    openSheet();
    workspace().addSteps(only().key, {{"unit", {{"from", "mm"}, {"to", "m"}}, true}}, QStringLiteral("Unit"));
    const QString job = QString::fromStdString((folder_ / "job.wyc").string());
    ASSERT_TRUE(workspace().saveJob(job));
    workspace().newJob();
    workspace().openJob(job);
    ASSERT_TRUE(until([&] { return !workspace().items().empty() && only().profile && only().rawProfile; }));
    EXPECT_EQ(only().rawProfile->count(), only().profile->count());
    EXPECT_NE(only().rawProfile->step.back(), only().profile->step.back()); // before its steps
}

TEST_F(Manners, WhatIsFramedStaysFramedWhenAStepChangesItsSize) {
    openSheet();
    window_->viewport().frameActive();
    const double before = window_->viewport().distance();
    workspace().setSteps(only().key, {{"scale", {{"factor", 2.0}}, true}}, QStringLiteral("Scale"));
    ASSERT_TRUE(settle());
    EXPECT_NEAR(window_->viewport().distance() / before, 2.0, 0.2);
}

TEST_F(Manners, AChangedFileIsNoticedAndReadAgain) {
    openSheet();
    auto* notice = child<QWidget>("changed");
    EXPECT_FALSE(notice->isVisible());
    QTest::qWait(600); // the files are watched by now
    test::SheetOptions longer;
    longer.count = 40;
    ASSERT_TRUE(test::writeScene(test::sheetScene(longer), folder_ / "other.mdd"));
    fs::rename(folder_ / "other.mdd", folder_ / "sheet.mdd");
    ASSERT_TRUE(until([&] { return notice->isVisible(); }));
    EXPECT_TRUE(child<QLabel>("changedText")->text().contains(QStringLiteral("sheet.mdd")));
    ASSERT_TRUE(click(child<QPushButton>("changedAct")));
    ASSERT_TRUE(settle());
    EXPECT_EQ(only().range->count(), 40.0);
    QTest::qWait(600);
    EXPECT_FALSE(notice->isVisible());
    // Another file beside it is none of ours.
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "beside.mdd"));
    QTest::qWait(900);
    EXPECT_FALSE(notice->isVisible());
}

TEST_F(Manners, OnlyChangesAreAskedAbout) {
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.mdd"));
    open({folder_ / "sheet.mdd"}, 1);
    bool asked = false;
    const auto close = [&] {
        asked = false;
        QTimer::singleShot(0, window_.get(), [&] {
            for (QWidget* top : QApplication::topLevelWidgets())
                if (auto* box = qobject_cast<QDialog*>(top); box && box->objectName() == QStringLiteral("unsaved")) {
                    asked = true;
                    box->reject();
                }
        });
        QCloseEvent event;
        QApplication::sendEvent(window_.get(), &event);
        return event.isAccepted();
    };
    EXPECT_TRUE(close()); // a look at a file
    EXPECT_FALSE(asked);
    workspace().addSteps(only().key, {{"offset", {{"frames", 1.0}}, true}}, QStringLiteral("Offset"));
    EXPECT_FALSE(close());
    EXPECT_TRUE(asked);
}

TEST_F(Manners, ASecondAfterAChangeItCanBeRecovered) {
    window_->setAutosaveFolder(QString::fromStdString((folder_ / "recovery").string()));
    openSheet();
    EXPECT_TRUE(
        until([&] { return fs::exists(folder_ / "recovery") && !test::namesIn(folder_ / "recovery").empty(); }, 4000));
}

TEST_F(Manners, RecoveryRestoresDiscardsOrWaits) {
    const QString data = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation);
    ASSERT_TRUE(data.contains(QStringLiteral("qttest")));
    const fs::path recovery = fs::path(data.toStdString()) / "recovery";
    fs::remove_all(recovery);
    fs::create_directories(recovery);
    const auto leaveBehind = [&] { // as a run that has died
        Job job;
        job.shot.name = "unsaved";
        test::writeFile(recovery / "99999999.recovery.json",
                        nlohmann::json{{"process", 99999999}, {"job_path", ""}, {"job", toJson(job, "/")}}.dump());
    };
    const auto offer = [&](const char* answer) {
        QTimer::singleShot(0, window_.get(), [&] {
            for (QWidget* top : QApplication::topLevelWidgets())
                if (auto* box = qobject_cast<QDialog*>(top); box && box->objectName() == QStringLiteral("recovery")) {
                    if (auto* button = box->findChild<QPushButton*>(QString::fromLatin1(answer)))
                        button->click();
                    else
                        box->reject();
                }
        });
        return window_->offerRecovery();
    };
    leaveBehind();
    EXPECT_FALSE(offer("none of them"));
    EXPECT_FALSE(test::namesIn(recovery).empty()); // asked again next time
    EXPECT_TRUE(offer("answer0"));
    EXPECT_EQ(workspace().job().shot.name, "unsaved");
    EXPECT_TRUE(workspace().document().modified());
    EXPECT_FALSE(fs::exists(recovery / "99999999.recovery.json"));
    leaveBehind();
    EXPECT_FALSE(offer("answer1"));
    EXPECT_FALSE(fs::exists(recovery / "99999999.recovery.json"));
    workspace().document().discardAutosave();
}

TEST_F(Manners, FieldsRefuseWordsAndSayWhy) {
    openSheet();
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    auto* message = child<QWidget>("message");
    const auto refused = [&](QLineEdit* field, const char* given) {
        message->hide();
        const QString before = field->text();
        type(field, given);
        QTest::qWait(30);
        return message->isVisible() && field->text() == before &&
               child<QLabel>("messageText")->text().contains(QString::fromLatin1(given));
    };
    EXPECT_TRUE(refused(child<QLineEdit>("deliverFirst"), "soon"));
    EXPECT_TRUE(refused(child<QComboBox>("deliverRate")->lineEdit(), "fast"));
    EXPECT_TRUE(refused(child<QLineEdit>("frameField"), "last"));
    click(child<QToolButton>("deliverMore"));
    EXPECT_TRUE(refused(child<QLineEdit>("deliverFrames"), "some"));
    type(child<QLineEdit>("deliverFrames"), "1009-1012");
    ASSERT_EQ(workspace().job().deliveries.size(), 1U);
    EXPECT_EQ(workspace().job().deliveries[0].frames, "1009-1012");
    window_->desks().setCurrentIndex(1);
    workspace().addSteps(only().key, {{"offset", {{"frames", 1.0}}, true}}, QStringLiteral("Offset"));
    ASSERT_TRUE(settle());
    message->hide();
    type(child<QLineEdit>("option_frames"), "few");
    QTest::qWait(30); // the card is made anew
    EXPECT_TRUE(message->isVisible());
    EXPECT_EQ(child<QLineEdit>("option_frames")->text(), QStringLiteral("1"));
}

TEST_F(Manners, WhatIsMissingOfADeliveryIsDeliveredAlone) {
    fs::create_directories(folder_ / "poses");
    test::SheetOptions later;
    later.first = 1005;
    ASSERT_TRUE(test::writeScene(test::sheetScene(later), folder_ / "poses" / "pose.####.obj"));
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "whole.mdd"));
    open({folder_ / "whole.mdd", folder_ / "poses"}, 2);
    // One of them was delivered before: both get the version that is free for both.
    workspace().document().edit("Template", [&](Job& job) {
        job.deliveries.push_back({});
        job.deliveries.back().folder = folder_.path();
        job.deliveries.back().nameTemplate = "{item}_v{version}";
        job.deliveries.back().firstFrame = 1.0; // counts from both, whichever is written
    });
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "whole_v001.abc"));
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(click(child<QToolButton>("deliverAll")));
    ASSERT_TRUE(settle());
    auto* act = child<QPushButton>("deliver");
    const DeliverDesk& desk = window_->desk<DeliverDesk>();
    const auto run = [&] { return click(act) && until([&] { return !desk.delivering(); }, 30000) && settle(); };
    fs::rename(folder_ / "poses" / "pose.1012.obj", folder_ / "away.obj");
    ASSERT_TRUE(run());
    ASSERT_EQ(desk.rows().size(), 2U);
    EXPECT_EQ(act->text(), QStringLiteral("Deliver the one that is missing"));
    const fs::path first = desk.rows()[0].result ? desk.rows()[0].result->target : desk.rows()[1].result->target;
    const auto written = fs::last_write_time(first);
    fs::rename(folder_ / "away.obj", folder_ / "poses" / "pose.1012.obj");
    ASSERT_TRUE(run());
    ASSERT_EQ(desk.rows().size(), 2U);
    for (const OutputRow& row : desk.rows()) {
        ASSERT_TRUE(row.result) << row.words.toStdString();
        EXPECT_TRUE(row.result->proof.passed);
        EXPECT_NE(row.result->target.string().find("v002"), std::string::npos) << row.result->target;
        EXPECT_EQ(row.plan.frames->first, row.plan.item == "whole" ? 1.0 : 5.0) << "in step with one another";
    }
    EXPECT_EQ(fs::last_write_time(first), written) << "what was proven is not written again";
    EXPECT_EQ(act->text(), QStringLiteral("Deliver next version"));
}

TEST_F(Manners, OfManyItemsSomeAreFoundByNameAndARangeIsTyped) {
    std::vector<fs::path> paths;
    for (int i = 0; i < 15; ++i) {
        paths.push_back(folder_ / fmt::format("sail_{}.mdd", static_cast<char>('a' + i)));
        ASSERT_TRUE(test::writeScene(test::sheetScene(), paths.back()));
    }
    open(paths, 15);
    workspace().document().edit("Shot", [](Job& job) { job.shot.range = FrameRange{1005, 1020}; });
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    EXPECT_FALSE(child<QLineEdit>("deliverFilter")->isVisible()) << "the board is where it is chosen";
    ASSERT_TRUE(click(child<QToolButton>("deliverNone")));
    ASSERT_TRUE(settle());
    auto* filter = child<QLineEdit>("deliverFilter");
    ASSERT_TRUE(filter->isVisible());
    filter->setText(QStringLiteral("SAIL_k"));
    QTest::qWait(60);
    std::vector<QCheckBox*> listed;
    for (auto* box : window_->findChildren<QCheckBox*>(QStringLiteral("deliverItem")))
        if (box->isVisible())
            listed.push_back(box);
    ASSERT_EQ(listed.size(), 1U);
    QTest::mouseClick(listed[0], Qt::LeftButton, {}, {6, listed[0]->height() / 2});
    ASSERT_TRUE(settle());
    ASSERT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U);
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.item, "sail_k");
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.frames->text(), "1005:1020");
    auto* range = child<QComboBox>("deliverRange");
    range->setEditText(QStringLiteral("1008:1012"));
    emit range->lineEdit()->editingFinished();
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.frames->text(), "1008:1012");
    EXPECT_EQ(range->currentText(), QStringLiteral("1008:1012"));
    range->setEditText(QStringLiteral("later"));
    emit range->lineEdit()->editingFinished();
    EXPECT_EQ(range->currentText(), QStringLiteral("1008:1012")) << "what holds";
    emit range->activated(2);
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.frames->text(), "1001:1024");
}

TEST_F(Manners, WhatIsChosenForADeliveryAndWhatKeepsItFromWorking) {
    for (const char* name : {"a.mdd", "b.mdd", "c.mdd"})
        ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / name));
    open({folder_ / "a.mdd", folder_ / "b.mdd", folder_ / "c.mdd"}, 3);
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    const auto outputs = [&] {
        EXPECT_TRUE(settle());
        return window_->desk<DeliverDesk>().rows().size();
    };
    // What is chosen on the board, and said in words; what is left out there is not delivered.
    EXPECT_EQ(outputs(), 1U);
    EXPECT_EQ(child<QPushButton>("deliver")->text(), QStringLiteral("Deliver a"));
    EXPECT_TRUE(child<QLabel>("deliverChosen")->isVisible());
    workspace().setChosen({workspace().items()[0].key, workspace().items()[2].key}, workspace().items()[0].key);
    EXPECT_FALSE(child<QPushButton>("deliver")->isEnabled()) << "of another choice until it is planned anew";
    EXPECT_EQ(outputs(), 2U);
    EXPECT_EQ(child<QPushButton>("deliver")->text(), QStringLiteral("Deliver a and 1 more"));
    workspace().setLeftOut({workspace().items()[2].key}, true);
    EXPECT_EQ(outputs(), 1U);
    workspace().setLeftOut({workspace().items()[2].key}, false);
    workspace().setActive(ItemKey(workspace().items()[0].key));
    ASSERT_TRUE(click(child<QToolButton>("deliverAll")));
    EXPECT_EQ(outputs(), 3U);
    ASSERT_TRUE(click(child<QToolButton>("deliverNone")));
    EXPECT_EQ(outputs(), 0U);
    // Why it does nothing stands right above the button.
    auto* why = child<QLabel>("planError");
    auto* act = child<QPushButton>("deliver");
    EXPECT_LT(act->mapTo(window_.get(), QPoint()).y() - why->mapTo(window_.get(), QPoint(0, why->height())).y(), 40);
    ASSERT_TRUE(click(child<QToolButton>("deliverOnlyActive")));
    EXPECT_EQ(outputs(), 1U);
    ASSERT_TRUE(click(child<QToolButton>("deliverAll")));
    EXPECT_EQ(outputs(), 3U);
    // A name that is taken: one click takes the next version.
    workspace().document().edit("Name", [&](Job& job) {
        job.deliveries.at(0).nameTemplate = "{item}";
        job.deliveries.at(0).folder = folder_ / "out";
    });
    test::writeFile(folder_ / "out/a.abc", "somebody's");
    ASSERT_TRUE(until([&] {
        const auto* mend = window_->findChild<QPushButton*>(QStringLiteral("mendVersion"));
        return mend && mend->isVisible();
    }));
    EXPECT_EQ(outputs(), 0U);
    ASSERT_TRUE(click(child<QPushButton>("mendVersion")));
    EXPECT_EQ(outputs(), 3U);
    EXPECT_EQ(test::readFile(folder_ / "out/a.abc"), "somebody's");
}

TEST_F(Manners, ALongNameStaysInItsPanel) {
    const std::string name(140, 'n');
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / (name + ".mdd")));
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "b.mdd"));
    open({folder_ / (name + ".mdd"), folder_ / "b.mdd"}, 2);
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    const int edge = window_->desks().mapTo(window_.get(), QPoint(window_->desks().width(), 0)).x();
    EXPECT_LE(edge, window_->width());
    for (const char* inside : {"deliverFormat", "deliverRange", "deliverTemplate", "deliver", "deliverItem"}) {
        const auto* widget = child<QWidget>(inside);
        EXPECT_LE(widget->mapTo(window_.get(), QPoint(widget->width(), 0)).x(), edge) << inside;
    }
}

TEST_F(Manners, TransportStaysWhereItIs) {
    openSheet();
    const auto places = [&] {
        std::vector<int> all;
        for (const char* name : {"toStart", "play", "toEnd", "frameField", "playMode", "repeat", "holdPose"})
            all.push_back(child<QWidget>(name)->mapTo(window_.get(), QPoint()).x());
        return all;
    };
    const std::vector<int> before = places();
    ASSERT_TRUE(click(child<QToolButton>("play")));
    QTest::qWait(1700); // the rate is told by now
    EXPECT_EQ(places(), before);
    ASSERT_TRUE(click(child<QToolButton>("playMode")));
    QTest::qWait(200);
    EXPECT_EQ(places(), before);
    click(child<QToolButton>("play"));
}

TEST_F(Manners, MenusOpenByKeysAndFocusIsSeen) {
    openSheet();
    for (const bool alt : {false, true}) {
        if (alt)
            QTest::keyClick(window_.get(), Qt::Key_F, Qt::AltModifier);
        else
            QTest::keyClick(window_.get(), Qt::Key_F10);
        QTest::qWait(60);
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        ASSERT_TRUE(menu) << alt;
        EXPECT_EQ(menu->title(), QStringLiteral("&File"));
        QTest::keyClick(menu, Qt::Key_Escape);
        QTest::qWait(30);
    }
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    for (const char* name : {"deliver", "deliverAll", "deliverOneFile", "play"}) {
        auto* widget = child<QWidget>(name);
        if (!widget->isVisible())
            continue;
        const auto differing = [&] {
            window_->centralWidget()->setFocus();
            QTest::qWait(30);
            const QImage without = widget->grab().toImage();
            widget->setFocus(Qt::ShortcutFocusReason);
            QTest::qWait(30);
            const QImage with = widget->grab().toImage();
            int pixels = 0;
            for (int y = 0; y < with.height(); ++y)
                for (int x = 0; x < with.width(); ++x)
                    pixels += with.pixel(x, y) != without.pixel(x, y);
            return pixels;
        };
        EXPECT_GT(differing(), 30) << name;
    }
}

// Every page is there, with its pictures, and every link leads to a page that is.
TEST_F(Manners, TheGuideLiesInTheProgram) {
    window_->setFocus();
    QTest::keyClick(window_.get(), '?');
    auto* guide = window_->findChild<Guide*>();
    ASSERT_TRUE(guide && guide->isVisible());
    auto* pages = guide->findChild<QTextBrowser*>(QStringLiteral("guidePages"));
    std::set<QString> seen;
    std::vector<QString> todo{QStringLiteral("index")};
    std::size_t pictures = 0;
    while (!todo.empty()) {
        const QString name = todo.back();
        todo.pop_back();
        if (!seen.insert(name).second)
            continue;
        guide->showPage(name);
        EXPECT_GT(pages->toPlainText().size(), 200) << name.toStdString();
        for (QTextBlock block = pages->document()->begin(); block.isValid(); block = block.next())
            for (auto at = block.begin(); !at.atEnd(); ++at) {
                const QTextCharFormat format = at.fragment().charFormat();
                if (format.isImageFormat()) {
                    ++pictures;
                    const QVariant image =
                        pages->document()->resource(QTextDocument::ImageResource, QUrl(format.toImageFormat().name()));
                    EXPECT_GT(image.value<QImage>().width(), 200) << name.toStdString();
                    EXPECT_LE(image.value<QImage>().width(), pages->viewport()->width());
                } else if (format.isAnchor()) {
                    const QString link = format.anchorHref();
                    ASSERT_TRUE(link.endsWith(QStringLiteral(".md"))) << link.toStdString();
                    todo.push_back(link.chopped(3));
                }
            }
    }
    EXPECT_EQ(seen.size(), 9U);
    EXPECT_GE(pictures, 5U);
}

} // namespace
} // namespace wyc::app
