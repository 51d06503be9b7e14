// SPDX-License-Identifier: GPL-3.0-or-later
// The real window, driven by mouse and keys under an X server.
#include <gtest/gtest.h>

#include <cmath>

#include <QCheckBox>
#include <QDir>
#include <QDropEvent>
#include <QFileInfo>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QStandardPaths>
#include <QTabBar>
#include <QTabWidget>
#include <QToolButton>

#include "board/time_board.h"
#include "desks/deliver/deliver_desk.h"
#include "desks/desk_parts.h"
#include "desks/facts/facts_desk.h"
#include "support/demo.h"
#include "support/scenes.h"
#include "theme/theme.h"
#include "view/transport.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

constexpr std::size_t kDemoItems = 27;

class Window : public WindowTest {
  protected:
    static void SetUpTestSuite() {
        demo_ = std::make_unique<test::TempFolder>();
        test::copyDemo(*demo_ / "demo");
    }
    static void TearDownTestSuite() { demo_.reset(); }
    TimeBoard& board() { return window_->timeBoard(); }
    void openDemoJob() {
        // A copy of the job, so that no test writes beside another's.
        workspace().openJob(QString::fromStdString((*demo_ / "demo/lantern_shoal.wyc").string()));
        ASSERT_TRUE(until([&] { return workspace().items().size() == kDemoItems; }));
        ASSERT_TRUE(settle());
        ASSERT_TRUE(until([&] { return !workspace().findings().empty(); }));
    }
    const ItemView* itemOf(const std::string& source) {
        for (const ItemView& item : workspace().items())
            if (item.source->name == source)
                return &item;
        return nullptr;
    }
    QPoint onLane(const ItemView& item, double frame, int y = 14) {
        const QRect lane = board().laneRect(item.key);
        EXPECT_FALSE(lane.isEmpty());
        return {static_cast<int>(std::lround(board().xOfFrame(frame))), lane.top() + y};
    }
    bool clickMend(const char* id) {
        for (QPushButton* button : window_->findChildren<QPushButton*>(QStringLiteral("mend")))
            if (button->isVisible() && button->property("findingId").toString() == QLatin1String(id)) {
                return click(button) && settle();
            }
        return false;
    }
    std::vector<std::string> faultsOf(const ItemKey& key) {
        std::vector<std::string> ids;
        for (const ItemFinding& found : workspace().findings())
            if (found.key == key && found.finding.severity == Severity::Fault)
                ids.push_back(found.finding.id);
        return ids;
    }
    static std::unique_ptr<test::TempFolder> demo_;
};
std::unique_ptr<test::TempFolder> Window::demo_;

TEST_F(Window, BeginsEmptyAndSaysWhatToDo) {
    EXPECT_TRUE(child<QWidget>("emptyState")->isVisible());
    EXPECT_FALSE(board().isVisible());
    EXPECT_TRUE(child<QPushButton>("emptyDemo")->isVisible());
}

TEST_F(Window, MendAllIsOneClickAndOneUndo) {
    openDemoJob();
    std::map<ItemKey, int> mends;
    for (const ItemFinding& found : workspace().findings())
        mends[found.key] += found.finding.severity != Severity::Note && !found.finding.mend.empty();
    const auto most =
        std::max_element(mends.begin(), mends.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    ASSERT_GT(most->second, 1);
    const ItemKey key = most->first;
    workspace().setActive(key);
    ASSERT_TRUE(settle());
    auto* button = child<QToolButton>("mendEverything");
    ASSERT_TRUE(button->isVisible());
    const auto stepsOf = [&] { return workspace().item(key)->steps; };
    const std::vector<Step> before = stepsOf();
    ASSERT_TRUE(click(button));
    ASSERT_TRUE(settle());
    EXPECT_GT(stepsOf().size(), before.size());
    for (const ItemFinding& found : workspace().findings())
        EXPECT_FALSE(found.key == key && found.finding.severity == Severity::Fault) << found.finding.text;
    workspace().document().undo();
    ASSERT_TRUE(settle());
    EXPECT_EQ(stepsOf(), before);
}

TEST_F(Window, OpensTheDemoAndMeasuresEveryItem) {
    openDemoJob();
    EXPECT_FALSE(child<QWidget>("emptyState")->isVisible());
    for (const ItemView& item : workspace().items()) {
        EXPECT_TRUE(item.profile) << item.name;
        EXPECT_FALSE(item.error) << item.name;
    }
    EXPECT_EQ(workspace().frame(), 1009.0);
    EXPECT_TRUE(child<QPushButton>("faultCount")->text().contains(QStringLiteral("faults")));
    EXPECT_EQ(workspace().activeItem()->name, "lantern_jelly");
    EXPECT_NEAR(window_->viewport().activeSizeMetres(), 2.6, 0.6);
}

TEST_F(Window, ScrubbingTheRulerMovesTheFrameAndTheView) {
    openDemoJob();
    const auto x = [&](double frame) { return static_cast<int>(std::lround(board().xOfFrame(frame))); };
    drag(board(), {x(1020), 12}, {x(1090), 12});
    EXPECT_NEAR(workspace().frame(), 1090.0, 1.0);
    EXPECT_TRUE(until([&] { return window_->viewport().drawnFrame() == workspace().frame(); }));
    QTest::keyClick(window_.get(), Qt::Key_Right);
    EXPECT_NEAR(workspace().frame(), 1091.0, 1.0);
    QTest::keyClick(window_.get(), Qt::Key_Home);
    EXPECT_EQ(workspace().frame(), 1001.0);
    QTest::keyClick(window_.get(), Qt::Key_End);
    EXPECT_EQ(workspace().frame(), 1136.0);
}

TEST_F(Window, TheWheelZoomsAtThePointer) {
    openDemoJob();
    const double frame = 1060.0;
    const QPointF at(board().xOfFrame(frame), 90);
    QWheelEvent wheel(at, board().mapToGlobal(at), {}, {0, 240}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                      false);
    const double before = board().frameOfX(at.x() + 100) - frame;
    QApplication::sendEvent(&board(), &wheel);
    EXPECT_NEAR(board().frameOfX(at.x()), frame, 0.5);
    EXPECT_LT(board().frameOfX(at.x() + 100) - frame, before * 0.8);
}

TEST_F(Window, DraggingALaneOffsetsAndUndoTakesItBack) {
    openDemoJob();
    const ItemKey key = itemOf("lantern_jelly.mdd")->key;
    const auto before = *workspace().item(key)->range;
    drag(board(), onLane(*workspace().item(key), 1060), onLane(*workspace().item(key), 1068));
    ASSERT_EQ(workspace().item(key)->steps.size(), 1U);
    EXPECT_EQ(workspace().item(key)->steps[0].type, "offset");
    EXPECT_NEAR(workspace().item(key)->range->first, before.first + 8, 1.0);
    // A second drag changes the same step.
    drag(board(), onLane(*workspace().item(key), 1060), onLane(*workspace().item(key), 1063));
    EXPECT_EQ(workspace().item(key)->steps.size(), 1U);
    EXPECT_NEAR(workspace().item(key)->range->first, before.first + 11, 2.0);
    ASSERT_TRUE(settle());
    EXPECT_FALSE(faultsOf(key).empty());
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(workspace().item(key)->steps.empty());
    EXPECT_EQ(workspace().item(key)->range->first, before.first);
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_EQ(workspace().item(key)->steps.size(), 1U);
}

TEST_F(Window, DraggingAnEndTrims) {
    openDemoJob();
    const ItemKey key = itemOf("lantern_jelly.mdd")->key;
    drag(board(), onLane(*workspace().item(key), 1136), onLane(*workspace().item(key), 1120));
    ASSERT_EQ(workspace().item(key)->steps.size(), 1U);
    EXPECT_EQ(workspace().item(key)->steps[0].type, "trim");
    EXPECT_NEAR(workspace().item(key)->range->last, 1120.0, 1.0);
    drag(board(), onLane(*workspace().item(key), 1001), onLane(*workspace().item(key), 1005));
    EXPECT_EQ(workspace().item(key)->steps.size(), 1U);
    EXPECT_NEAR(workspace().item(key)->range->first, 1005.0, 1.0);
    ASSERT_TRUE(settle());
    EXPECT_EQ(faultsOf(key), (std::vector<std::string>{"range.short"}));
}

TEST_F(Window, ANotchOnALaneLeadsToItsFrame) {
    openDemoJob();
    const ItemView* poses = itemOf("kelp_frond_pose.#.obj");
    ASSERT_NE(poses, nullptr);
    QTest::mouseClick(&board(), Qt::LeftButton, {}, onLane(*poses, 1051, 4));
    EXPECT_EQ(workspace().frame(), 1051.0);
    EXPECT_EQ(workspace().activeItem()->name, "kelp_frond_pose");
}

TEST_F(Window, ClickingAHeadChoosesAndFoldingHides) {
    openDemoJob();
    const ItemView* frond = itemOf("kelp_frond.mdd");
    const ItemKey key = frond->key;
    const QRect lane = board().laneRect(key);
    QTest::mouseClick(&board(), Qt::LeftButton, {}, QPoint(90, lane.center().y()));
    EXPECT_EQ(workspace().active(), key);
    QTest::mouseClick(&board(), Qt::LeftButton, {}, QPoint(90, lane.top() - 8)); // its source
    EXPECT_NE(board().laneRect(key), lane);
    QTest::keyClick(window_.get(), Qt::Key_Up);
    EXPECT_EQ(workspace().activeItem()->name, "kelp_frond_pose");
}

// The whole act from an empty window, with nothing but the mouse: see that the returned jelly is wrong in four ways,
// put it right, deliver it, see the proof.
TEST_F(Window, TheReturnedJellyIsMendedDeliveredAndProvenWithTheMouse) {
    const QDir data(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation));
    ASSERT_TRUE(data.path().contains(QStringLiteral("qttest")));
    QDir(data.filePath(QStringLiteral("lantern-shoal"))).removeRecursively(); // of an earlier run
    ASSERT_TRUE(child<QWidget>("emptyState")->isVisible());
    ASSERT_TRUE(click(child<QPushButton>("emptyDemo")));
    ASSERT_TRUE(until([&] { return workspace().items().size() == kDemoItems; }, 60000));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(until([&] { return !workspace().findings().empty(); }));
    const ItemKey key = itemOf("lantern_jelly_back.mdd")->key;
    ASSERT_TRUE(click(&board(), QPoint(90, board().laneRect(key).center().y())));
    ASSERT_TRUE(settle());
    EXPECT_EQ(workspace().active(), key);
    EXPECT_GT(window_->viewport().activeSizeMetres(), 200.0);
    EXPECT_EQ(faultsOf(key).size(), 4U);
    for (const char* id : {"size.ratio", "axis.turned", "frames.first_stale", "range.late"})
        ASSERT_TRUE(clickMend(id)) << id;
    EXPECT_TRUE(faultsOf(key).empty());
    EXPECT_LT(window_->viewport().activeSizeMetres(), 4.0);
    EXPECT_EQ(*workspace().item(key)->range, (FrameRange{1001, 1136}));
    QTabBar* tabs = window_->desks().tabBar();
    ASSERT_TRUE(click(tabs, tabs->tabRect(4).center()));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(click(child<QToolButton>("deliverOnlyActive")));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(click(child<QPushButton>("deliver")));
    ASSERT_TRUE(until([&] { return !window_->desk<DeliverDesk>().delivering(); }));
    ASSERT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U);
    const OutputRow& row = window_->desk<DeliverDesk>().rows()[0];
    ASSERT_TRUE(row.result) << row.words.toStdString();
    EXPECT_TRUE(row.result->proof.passed);
    EXPECT_TRUE(child<QLabel>("deliverSummary")->text().contains(QStringLiteral("all proven")));
    EXPECT_EQ(clicks_, 9);
    const fs::path target = row.result->target;
    EXPECT_EQ(target.filename(), "sh040_lantern_jelly_back_v001.abc");
    const auto proof = proveFromRecord(target, row.result->record, Progress());
    ASSERT_TRUE(proof);
    EXPECT_TRUE(proof->passed);
}

TEST_F(Window, ADeliveryCanBeStoppedAndLeavesNothing) {
    const test::TempFolder folder;
    test::SheetOptions options;
    options.rows = options.columns = 300;
    options.count = 260;
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder / "big.mdd"));
    open({folder / "big.mdd"}, 1);
    workspace().document().edit("Folder", [&](Job& job) {
        job.deliveries.emplace_back();
        job.deliveries[0].folder = folder / "out";
    });
    ASSERT_TRUE(settle());
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    auto* act = child<QPushButton>("deliver");
    ASSERT_TRUE(until([&] { return act->isEnabled(); })); // it is planned by now
    QTest::mouseClick(act, Qt::LeftButton);
    const auto& rows = window_->desk<DeliverDesk>().rows(); // none until its names are held
    ASSERT_TRUE(until([&] { return !rows.empty() && rows[0].state == JobState::Running; }));
    EXPECT_EQ(act->text(), QStringLiteral("Stop"));
    QTest::mouseClick(act, Qt::LeftButton);
    ASSERT_TRUE(until([&] { return !window_->desk<DeliverDesk>().delivering(); }));
    ASSERT_FALSE(rows.empty());
    EXPECT_EQ(rows[0].state, JobState::Cancelled);
    EXPECT_TRUE(!fs::exists(folder / "out") || test::namesIn(folder / "out").empty());
}

TEST_F(Window, StepsCanBeAddedChangedSwitchedAndRemoved) {
    openDemoJob();
    const ItemKey key = workspace().active();
    window_->desks().setCurrentIndex(1);
    // Found by typing, or in its group with the arrows.
    ASSERT_TRUE(click(child<QPushButton>("addStep")));
    auto* find = child<QLineEdit>("stepFind");
    ASSERT_TRUE(until([&] { return find->isVisible(); }));
    QTest::keyClick(find, Qt::Key_Escape);
    EXPECT_FALSE(find->isVisible());
    ASSERT_TRUE(click(child<QPushButton>("addStep")));
    QTest::keyClicks(find, QStringLiteral("hol"));
    QTest::keyClick(find, Qt::Key_Return);
    EXPECT_FALSE(find->isVisible());
    ASSERT_EQ(workspace().item(key)->steps.size(), 1U);
    ASSERT_TRUE(settle());
    auto* before = child<QLineEdit>("option_before");
    before->setFocus();
    before->selectAll();
    QTest::keyClicks(before, QStringLiteral("4"));
    QTest::keyClick(before, Qt::Key_Return);
    EXPECT_EQ(workspace().item(key)->steps[0].options["before"], 4.0);
    EXPECT_EQ(workspace().item(key)->range->first, 997.0);
    ASSERT_TRUE(settle());
    before = child<QLineEdit>("option_before");
    before->selectAll();
    QTest::keyClicks(before, QStringLiteral("-3"));
    QTest::keyClick(before, Qt::Key_Return);
    EXPECT_EQ(workspace().item(key)->steps[0].options["before"], 4.0); // refused, with a word
    EXPECT_TRUE(child<QWidget>("message")->isVisible());
    ASSERT_TRUE(settle());
    QTest::mouseClick(child<QToolButton>("stepOn"), Qt::LeftButton);
    EXPECT_EQ(workspace().item(key)->range->first, 1001.0);
    ASSERT_TRUE(settle());
    QTest::mouseClick(child<QToolButton>("stepRemove"), Qt::LeftButton);
    EXPECT_TRUE(workspace().item(key)->steps.empty());
}

TEST_F(Window, TheShotIsEditedInPlace) {
    openDemoJob();
    auto* last = child<QLineEdit>("shotLast");
    last->setFocus();
    last->selectAll();
    QTest::keyClicks(last, QStringLiteral("1100"));
    QTest::keyClick(last, Qt::Key_Return);
    EXPECT_EQ(workspace().job().shot.range->last, 1100.0);
    last->selectAll();
    QTest::keyClicks(last, QStringLiteral("soon"));
    QTest::keyClick(last, Qt::Key_Return);
    EXPECT_EQ(last->text(), QStringLiteral("1100")); // what holds
    EXPECT_TRUE(child<QWidget>("message")->isVisible());
    EXPECT_EQ(workspace().job().shot.range->last, 1100.0);
    workspace().document().undo();
    EXPECT_EQ(workspace().job().shot.range->last, 1128.0);
    EXPECT_EQ(last->text(), QStringLiteral("1128"));
}

TEST_F(Window, PlaybackKeepsRealTime) {
    openDemoJob();
    workspace().setFrame(1010);
    QElapsedTimer clock;
    // How far each shown frame is from where the clock says it should be, in the moment it is shown: a machine that is
    // busy shows fewer frames, and none of them late.
    std::vector<double> off;
    QObject::connect(&workspace(), &Workspace::frameChanged, window_.get(), [&] {
        if (clock.isValid())
            off.push_back(workspace().frame() - 1010.0 - static_cast<double>(clock.elapsed()) / 1000.0 * 24.0);
    });
    auto* play = child<QToolButton>("play");
    clock.start();
    play->click();
    ASSERT_TRUE(until([&] { return workspace().frame() >= 1034.0; }, 20000));
    ASSERT_FALSE(off.empty());
    std::nth_element(off.begin(), off.begin() + static_cast<std::ptrdiff_t>(off.size() / 2), off.end());
    EXPECT_NEAR(off[off.size() / 2], 0.0, 5.0);
    clock.invalidate();
    QTest::keyClick(window_.get(), Qt::Key_Space);
    const double stopped = workspace().frame();
    QTest::qWait(150);
    EXPECT_EQ(workspace().frame(), stopped);
}

TEST_F(Window, TheViewDrawsTurnsAndHoldsAPose) {
    openDemoJob();
    const auto picture = [&] {
        settle();
        return window_->viewport().grab().toImage();
    };
    const QImage first = picture();
    ASSERT_FALSE(first.isNull());
    int bright = 0; // clay is there: the centre is not background
    for (int y = first.height() / 4; y < first.height() / 2; y += 3)
        for (int x = first.width() * 2 / 5; x < first.width() * 3 / 5; x += 3)
            bright += qGray(first.pixel(x, y)) > 110;
    EXPECT_GT(bright, 60);
    drag(window_->viewport(), {300, 200}, {420, 230});
    const QImage turned = picture();
    EXPECT_NE(first, turned);
    for (const ViewStyle style : {ViewStyle::SpeedHeat, ViewStyle::OrderBands, ViewStyle::Clay}) {
        window_->viewport().setStyle(style);
        EXPECT_NE(picture(), turned);
    }
    QTest::keyClick(window_.get(), Qt::Key_H);
    EXPECT_EQ(window_->viewport().heldFrame(), workspace().frame());
    QTest::keyClick(window_.get(), Qt::Key_H);
    EXPECT_FALSE(window_->viewport().heldFrame());
}

TEST_F(Window, SavesOpensAndKnowsWhetherItIsSaved) {
    const test::TempFolder folder;
    openDemoJob();
    EXPECT_FALSE(window_->windowTitle().contains(QStringLiteral("•")));
    workspace().setLeftOut({workspace().active()}, true);
    EXPECT_TRUE(window_->windowTitle().contains(QStringLiteral("•")));
    const QString path = QString::fromStdString((folder / "mine.wyc").string());
    ASSERT_TRUE(workspace().saveJob(path));
    EXPECT_FALSE(window_->windowTitle().contains(QStringLiteral("•")));
    workspace().newJob();
    EXPECT_TRUE(child<QWidget>("emptyState")->isVisible());
    workspace().openJob(path);
    ASSERT_TRUE(until([&] { return workspace().items().size() == kDemoItems; }));
    EXPECT_TRUE(workspace().items()[0].leftOut);
}

TEST_F(Window, DroppedFilesAreGathered) {
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(QString::fromStdString((*demo_ / "demo/returns/kelp_frond_poses").string()))});
    QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    static_cast<QObject&>(*window_).event(&drop);
    ASSERT_TRUE(until([&] { return workspace().items().size() == 1U; }));
    EXPECT_EQ(workspace().items()[0].name, "kelp_frond_pose");
}

TEST_F(Window, AnUnreadableFileIsToldInTheWindow) {
    const test::TempFolder folder;
    test::writeFile(folder / "bad.mdd", "not a cache at all");
    workspace().addPaths({QString::fromStdString((folder / "bad.mdd").string())});
    ASSERT_TRUE(until([&] { return child<QWidget>("message")->isVisible(); }));
    EXPECT_TRUE(child<QLabel>("messageText")->text().contains(QStringLiteral("bad.mdd")));
    workspace().addPaths({QString::fromStdString((folder / "none.abc").string())});
    EXPECT_TRUE(child<QLabel>("messageText")->text().contains(QStringLiteral("no such file")));
}

TEST_F(Window, ASourceThatChangesWhileOpenIsAnErrorAndCanBeReadAgain) {
    const test::TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.mdd"));
    open({folder / "s.mdd"}, 1);
    test::SheetOptions longer;
    longer.count = 30;
    ASSERT_TRUE(test::writeScene(test::sheetScene(longer), folder / "s.mdd"));
    workspace().setFrame(1015);
    settle();
    workspace().reloadSources({workspace().items()[0].key.source});
    ASSERT_TRUE(until([&] {
        return workspace().items().size() == 1U && workspace().items()[0].range &&
               workspace().items()[0].range->last == 1030.0;
    }));
}

TEST_F(Window, FiveHundredItemsStayFluid) {
    const test::TempFolder folder;
    Scene scene;
    for (int i = 0; i < 500; ++i) {
        test::SheetOptions options;
        options.name = "piece_" + std::to_string(i);
        options.rows = options.columns = 3;
        options.count = 48;
        scene.nodes.push_back(test::sheetScene(options).nodes[0]);
    }
    ASSERT_TRUE(test::writeScene(scene, folder / "many.abc"));
    open({folder / "many.abc"}, 500);
    EXPECT_FALSE(board().laneRect(workspace().items()[3].key).isEmpty());
    EXPECT_TRUE(board().laneRect(workspace().items()[400].key).isEmpty());
    workspace().setActive(ItemKey(workspace().items()[400].key));
    EXPECT_FALSE(board().laneRect(workspace().items()[400].key).isEmpty()); // scrolled to
}

TEST_F(Window, EveryKeyOfTheSheetIsThere) {
    QTest::keyClick(window_.get(), Qt::Key_F1);
    ASSERT_TRUE(until([&] { return window_->findChild<QWidget*>(QStringLiteral("keySheet")) != nullptr; }));
    openDemoJob();
    QTest::keyClick(window_.get(), Qt::Key_3);
    EXPECT_EQ(window_->desks().currentIndex(), 2);
    QTest::keyClick(window_.get(), Qt::Key_1);
    EXPECT_EQ(window_->desks().currentIndex(), 0);
    QTest::keyClick(window_.get(), Qt::Key_N);
    EXPECT_NE(workspace().activeItem()->name, "lantern_jelly"); // the first finding is elsewhere
    QTest::keyClick(window_.get(), Qt::Key_V);
    EXPECT_EQ(window_->viewport().style(), ViewStyle::SpeedHeat);
    QTest::keyClick(window_.get(), Qt::Key_X);
    EXPECT_TRUE(workspace().activeItem()->leftOut);
}

TEST_F(Window, TextStandsOutFromItsGround) {
    // Contrast by WCAG 2: at least 4.5 : 1 for text on every ground it stands on.
    const auto luminance = [](const QColor& c) {
        const auto channel = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        return 0.2126 * channel(c.redF()) + 0.7152 * channel(c.greenF()) + 0.0722 * channel(c.blueF());
    };
    for (const QColor& text : {colour::kChalk, colour::kChalk2, colour::kGlass, colour::kHeather, colour::kStraw,
                               colour::kRust, colour::kMoss})
        for (const QColor& ground : {colour::kInk0, colour::kInk1, colour::kInk2})
            EXPECT_GE((luminance(text) + 0.05) / (luminance(ground) + 0.05), 4.5)
                << text.name().toStdString() << " on " << ground.name().toStdString();
    double last = -1.0; // the heat map's lightness rises throughout
    for (int i = 0; i <= 50; ++i) {
        const double now = luminance(heatColour(i / 50.0));
        EXPECT_GT(now, last);
        last = now;
    }
}

TEST(Runner, StatesAreExplicit) {
    JobRunner runner;
    std::vector<JobState> states;
    QObject::connect(&runner, &JobRunner::changed, [&](const JobStatus& status) { states.push_back(status.state); });
    bool done = false;
    bool failed = false;
    runner.start(QStringLiteral("good"),
                 [&](const Progress&) -> Result<JobRunner::Done> { return [&] { done = true; }; });
    runner.start(
        QStringLiteral("bad"),
        [](const Progress&) -> Result<JobRunner::Done> { return fail(ErrorKind::BadInput, "no"); },
        [&](const Error&) { failed = true; });
    ASSERT_TRUE(QTest::qWaitFor([&] { return !runner.busy(); }, 5000));
    EXPECT_TRUE(done);
    EXPECT_TRUE(failed);
    EXPECT_EQ(states,
              (std::vector<JobState>{JobState::Running, JobState::Finished, JobState::Running, JobState::Failed}));
}

TEST(Runner, CancelStopsWhatRunsAndWhatWaits) {
    JobRunner runner;
    bool ran = false;
    int cancelled = 0;
    const auto failed = [&](const Error& error) { cancelled += error.kind == ErrorKind::Cancelled; };
    runner.start(
        QStringLiteral("long"),
        [](const Progress& progress) -> Result<JobRunner::Done> {
            for (;;) {
                WYC_CHECK(progress.poll());
                QThread::msleep(2);
            }
        },
        failed);
    runner.start(
        QStringLiteral("next"),
        [&](const Progress&) -> Result<JobRunner::Done> {
            ran = true;
            return [] {};
        },
        failed);
    QTest::qWait(30);
    runner.cancelAll();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !runner.busy(); }, 5000));
    EXPECT_FALSE(ran);
    EXPECT_EQ(cancelled, 2);
}

} // namespace
} // namespace wyc::app

int main(int argc, char** argv) {
    testing::InitGoogleTest(&argc, argv);
    if (testing::GTEST_FLAG(list_tests)) // needs no display
        return RUN_ALL_TESTS();
    QStandardPaths::setTestModeEnabled(true);
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("wychronos-tests"));
    QApplication::setOrganizationName(QStringLiteral("wychronos-tests"));
    wyc::app::applyTheme(application);
    return RUN_ALL_TESTS();
}
