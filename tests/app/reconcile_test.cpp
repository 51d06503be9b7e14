// SPDX-License-Identifier: GPL-3.0-or-later
// The Reconcile desk: a file dropped on the lane that it came from, why it differs, undone and delivered.
#include <set>

#include <QCheckBox>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QTabBar>
#include <QTabWidget>
#include <QToolButton>
#include <QUrl>

#include "board/time_board.h"
#include "desks/reconcile/reconcile_desk.h"
#include "plots/drift_plot.h"
#include "scene/components/camera.h"
#include "shell/main_window.h"
#include "support/returned.h"
#include "view/viewport.h"
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
    [[nodiscard]] ReconcileDesk& desk() { return window_->desk<ReconcileDesk>(); }
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
    void showBodies(Arrangement arrangement) {
        auto* box = child<QComboBox>("reconcileBodies");
        box->setCurrentIndex(static_cast<int>(arrangement));
        emit box->activated(box->currentIndex());
        EXPECT_TRUE(settle());
    }
    // As it is drawn, once all that was asked for is there.
    [[nodiscard]] DrawComparison drawn() {
        EXPECT_TRUE(until([&] { return !window_->viewport().loading() && window_->viewport().comparedDrawn(); }));
        const DrawComparison* compared = window_->viewport().comparedDrawn();
        return compared ? *compared : DrawComparison();
    }
    // How many pixels of a part of the view have more of green than of blue (A's tint), and the other way (B's).
    [[nodiscard]] std::pair<int, int> tints(double from, double to) {
        const QImage picture = window_->viewport().grab().toImage();
        std::pair<int, int> counts{0, 0};
        for (int y = 60; y < picture.height() - 60; ++y)
            for (int x = static_cast<int>(from * picture.width()); x < static_cast<int>(to * picture.width()); ++x) {
                const QColor c = picture.pixelColor(x, y);
                if (c.green() > c.red() + 25 && c.green() > c.blue() + 6)
                    ++counts.first;
                if (c.blue() > c.green() + 14 && c.red() > c.green() + 4)
                    ++counts.second;
            }
        return counts;
    }
    [[nodiscard]] std::set<std::string> causes() {
        std::set<std::string> ids;
        for (const Cause& cause : desk().found()->found.causes)
            ids.insert(cause.id);
        return ids;
    }
};

TEST_F(ReconcileWindow, TheSameByKeysAlone) {
    open({folder_ / "sheet.abc"}, 1);
    dropOn(workspace().items().front().key, folder_ / "sheet_back.abc");
    ASSERT_TRUE(until([&] { return workspace().items().size() == 2; }));
    ASSERT_TRUE(compared());
    auto* undo = child<QWidget>("reconcileUndo");
    for (int i = 0; i < 160 && window_->focusWidget() != undo; ++i)
        QTest::keyClick(window_->focusWidget() ? window_->focusWidget() : window_.get(), Qt::Key_Tab);
    ASSERT_EQ(window_->focusWidget(), undo);
    QTest::keyClick(undo, Qt::Key_Return);
    ASSERT_TRUE(settle());
    ASSERT_TRUE(compared());
    EXPECT_TRUE(desk().found()->found.withinTolerance);
    QTest::keyClick(window_.get(), Qt::Key_5);
    ASSERT_TRUE(settle());
    QTest::keyClick(window_.get(), Qt::Key_Return, Qt::ControlModifier);
    const DeliverDesk& deliver = window_->desk<DeliverDesk>();
    ASSERT_TRUE(until([&] { return !deliver.delivering() && deliver.rows().size() == 1; }, 30000));
    ASSERT_TRUE(deliver.rows()[0].result);
    EXPECT_TRUE(deliver.rows()[0].result->proof.passed);
}

// In straight and even motion a frame late and a little way back are one and the same.
TEST_F(ReconcileWindow, WhatFitsAlikeIsOneCardAndNotSure) {
    const test::Shape shape = test::gridShape(5, 6);
    const FrameRate rate;
    const auto written = [&](const char* name, double first) {
        std::vector<std::vector<Vec3d>> poses;
        for (int f = 0; f < 24; ++f) {
            poses.push_back(shape.points);
            for (Vec3d& p : poses.back())
                p = p + Vec3d{0.04, 0.0, 0.01} * f;
        }
        test::Shape named = shape;
        named.name = name;
        const fs::path path = folder_ / (std::string(name) + ".abc");
        EXPECT_TRUE(test::writeScene(
            test::sceneOf(named, poses, Sampling::uniform(rate.secondsAt(first), rate.secondsAt(1), 24), rate), path));
        return path;
    };
    open({written("slider", 1001)}, 1);
    dropOn(workspace().items().front().key, written("slider_back", 1002));
    ASSERT_TRUE(until([&] { return workspace().items().size() == 2; }));
    ASSERT_TRUE(compared());
    const std::vector<Cause>& causes = desk().found()->found.causes;
    const auto choice = std::find_if(causes.begin(), causes.end(), [](const Cause& c) { return !c.instead.empty(); });
    ASSERT_NE(choice, causes.end());
    EXPECT_LE(choice->confidence, 0.5);
    const QString words = child<QLabel>("reconcileText")->text();
    EXPECT_TRUE(words.contains(QStringLiteral(", or "))) << words.toStdString();
    bool carded = false;
    for (const QLabel* label : desk().findChildren<QLabel*>())
        carded = carded || (label->isVisible() && label->text().contains(QString::fromStdString(choice->text)) &&
                            label != child<QLabel>("reconcileText"));
    EXPECT_TRUE(carded) << "one card with both";
    ASSERT_TRUE(click(child<QPushButton>("reconcileUndo")));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(compared());
    EXPECT_LT(desk().found()->found.drift->largest, 1e-4) << "either of them puts it right";
}

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
    ASSERT_TRUE(settle()); // what is active is what it means
    const auto made = delivered();
    ASSERT_TRUE(made) << made.error().text();
    EXPECT_TRUE(window_->desk<DeliverDesk>().rows()[0].result->proof.passed);
    EXPECT_LE(clicks_, 5);
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
    showBodies(Arrangement::Over);
    ASSERT_TRUE(settle());
    ASSERT_TRUE(window_->viewport().comparison());
    EXPECT_TRUE(window_->viewport().comparison()->heat);
    EXPECT_EQ(drawn().arrangement, Arrangement::Over);
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

TEST_F(ReconcileWindow, BothBodiesAreSeenByOneEyeEachAtItsTime) {
    open({folder_ / "sheet.abc", folder_ / "sheet_back.abc"}, 2);
    workspace().setActive(ItemKey(workspace().items()[1].key));
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(compared());
    workspace().setFrame(1010);
    showBodies(Arrangement::Beside);
    EXPECT_FALSE(drawn().ownFrameOfB);
    const std::size_t points = workspace().items()[1].points;
    EXPECT_EQ(drawn().points, points);
    EXPECT_EQ(drawn().apart, points) << "a hundred times too large";
    // Undone, B has the size and the place of A, and its own frame is the next.
    ASSERT_TRUE(click(child<QToolButton>("reconcileAsUndone")));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(drawn().ownFrameOfB);
    EXPECT_EQ(*drawn().ownFrameOfB, 1011.0);
    EXPECT_EQ(drawn().apart, 0U);
    const auto [aLeft, bLeft] = tints(0.0, 0.5);
    const auto [aRight, bRight] = tints(0.5, 1.0);
    EXPECT_GT(aLeft, 300);
    EXPECT_GT(bRight, 300);
    EXPECT_LT(bLeft, aLeft / 20);
    EXPECT_LT(aRight, bRight / 12); // the brackets of what is active have A's tint
    // By their numbers: as it came most are elsewhere, undone none.
    ASSERT_TRUE(click(child<QToolButton>("reconcileOrder")));
    ASSERT_TRUE(settle());
    EXPECT_EQ(drawn().elsewhereCount, 0U);
    ASSERT_TRUE(click(child<QToolButton>("reconcileAsUndone")));
    ASSERT_TRUE(settle());
    EXPECT_GT(drawn().elsewhereCount, points / 2);
    EXPECT_FALSE(drawn().elsewhere.empty());
    ASSERT_TRUE(click(child<QToolButton>("reconcileOrder")));
    ASSERT_TRUE(click(child<QToolButton>("reconcileAsUndone")));
    // A line between them, which is dragged.
    showBodies(Arrangement::Parted);
    (void)drawn();
    Viewport& view = window_->viewport();
    ASSERT_TRUE(view.partAt());
    const QPoint line(static_cast<int>(*view.partAt() * view.width()), view.height() / 2);
    QTest::mousePress(&view, Qt::LeftButton, Qt::NoModifier, line);
    QTest::mouseMove(&view, QPoint(view.width() / 5, view.height() / 2));
    QTest::mouseRelease(&view, Qt::LeftButton, Qt::NoModifier, QPoint(view.width() / 5, view.height() / 2));
    EXPECT_NEAR(*view.partAt(), 0.2, 0.02);
    (void)drawn(); // until it is in the picture
    EXPECT_LT(tints(0.0, 0.19).second, 20);
    EXPECT_GT(tints(0.21, 1.0).second, 300);
    EXPECT_LT(tints(0.21, 1.0).first, tints(0.21, 1.0).second / 12);
    // Nothing differs any more; as it came everything does.
    showBodies(Arrangement::Differs);
    EXPECT_EQ(drawn().apart, 0U);
    ASSERT_TRUE(click(child<QToolButton>("reconcileAsUndone")));
    ASSERT_TRUE(settle());
    EXPECT_EQ(drawn().apart, points);
}

TEST_F(ReconcileWindow, DriftInPixelsAndAsPointsThatAreTaken) {
    Scene eye;
    eye.unitMetres = 1.0;
    Node camera;
    camera.name = "lookout";
    camera.path = "/lookout";
    camera.kind = NodeKind::Camera;
    setCamera(camera, Sampling::still(), {CameraFigures()});
    camera.transform = std::make_shared<MemoryTransform>(Sampling::still(),
                                                         std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
                                                         std::vector<std::vector<double>>{{1, 0.5, 8}});
    eye.nodes.push_back(camera);
    ASSERT_TRUE(test::writeScene(eye, folder_ / "lookout.abc"));
    open({folder_ / "sheet.abc", folder_ / "sheet_back.abc", folder_ / "lookout.abc"}, 3);
    workspace().setActive(ItemKey(workspace().items()[1].key));
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(compared());
    QMenu* measures = child<QToolButton>("reconcileMeasure")->menu();
    emit measures->aboutToShow();
    ASSERT_EQ(measures->actions().size(), 2);
    measures->actions()[1]->trigger();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(until([&] { return !desk().looking(); }));
    const QString figures = child<QLabel>("reconcileFigures")->text();
    EXPECT_TRUE(figures.contains(QStringLiteral("px"))) << figures.toStdString();
    EXPECT_TRUE(figures.contains(QStringLiteral("✓"))) << figures.toStdString();
    EXPECT_EQ(child<QLineEdit>("reconcileTolerance")->text(), QStringLiteral("0.1 px"));
    emit measures->aboutToShow();
    measures->actions()[0]->trigger();
    EXPECT_EQ(child<QLineEdit>("reconcileTolerance")->text(), QStringLiteral("0.1 mm"));
    // B keeps its own numbers and its name, and moves as A does.
    window_->findChild<QAction*>(QStringLiteral("reconcileTake"))->trigger();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(compared());
    EXPECT_EQ(causes(), (std::set<std::string>{"order"}));
    EXPECT_LT(desk().found()->found.undone->largest, 1e-5);
    QTabBar* tabs = window_->desks().tabBar();
    ASSERT_TRUE(click(tabs, tabs->tabRect(4).center()));
    ASSERT_TRUE(settle()); // what is active is what it means
    const auto made = delivered();
    ASSERT_TRUE(made) << made.error().text();
    EXPECT_TRUE(window_->desk<DeliverDesk>().rows()[0].result->proof.passed);
}

TEST_F(ReconcileWindow, WhatChangedSinceTheLastDeliveryIsToldBeforeTheNext) {
    open({folder_ / "sheet.abc"}, 1);
    QTabBar* tabs = window_->desks().tabBar();
    ASSERT_TRUE(click(tabs, tabs->tabRect(4).center()));
    ASSERT_TRUE(settle());
    EXPECT_FALSE(window_->findChild<QPushButton*>(QStringLiteral("deliverAgainst")));
    ASSERT_TRUE(delivered());
    ASSERT_TRUE(click(child<QPushButton>("deliverBack")));
    ASSERT_TRUE(settle());
    const auto changes = [&]() -> QString {
        EXPECT_TRUE(until([&] {
            const auto* button = window_->findChild<QPushButton*>(QStringLiteral("deliverAgainst"));
            return button && button->isVisible() && button->isEnabled();
        }));
        EXPECT_TRUE(click(child<QPushButton>("deliverAgainst")));
        EXPECT_TRUE(
            until([&] { return window_->desk<DeliverDesk>().rows()[0].changed != OutputRow::Changes::NotAsked; }) &&
            settle());
        const auto* words = window_->findChild<QLabel*>(QStringLiteral("outputChanges"));
        return words ? words->text() : QString();
    };
    EXPECT_TRUE(changes().contains(QStringLiteral("✓")));
    workspace().addSteps(workspace().items()[0].key, {Step{"offset", {{"frames", 3}}}}, QStringLiteral("later"));
    ASSERT_TRUE(settle());
    const QString other = changes();
    EXPECT_TRUE(other.contains(QStringLiteral("3 frames late"))) << other.toStdString();
}

TEST_F(ReconcileWindow, OfPointsThatCannotBeToldNothingIsClaimed) {
    const FrameRate rate;
    const Sampling run = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 8);
    for (const float up : {0.0F, 1.0F}) {
        std::vector<std::vector<Vec3f>> flecks(8);
        for (std::size_t f = 0; f < 8; ++f)
            for (std::size_t p = 0; p < 10 + f; ++p)
                flecks[f].push_back({static_cast<float>(p), up, static_cast<float>(f)});
        Scene scene;
        scene.unitMetres = 1.0;
        Node node;
        node.name = "flecks";
        node.path = "/flecks";
        node.kind = NodeKind::Points;
        node.geometry = std::make_shared<VaryingPoints>(run, flecks);
        scene.nodes.push_back(node);
        ASSERT_TRUE(test::writeScene(scene, folder_ / (up > 0.0F ? "flecks_back.abc" : "flecks.abc")));
    }
    open({folder_ / "flecks.abc", folder_ / "flecks_back.abc"}, 2);
    workspace().setActive(ItemKey(workspace().items()[1].key));
    window_->desks().setCurrentWidget(&desk());
    ASSERT_TRUE(compared());
    EXPECT_FALSE(desk().found()->found.withinTolerance);
    showBodies(Arrangement::Differs);
    ASSERT_TRUE(click(child<QToolButton>("reconcileOrder")));
    ASSERT_TRUE(settle());
    (void)drawn();
    const QStringList words = window_->viewport().comparisonWords();
    ASSERT_EQ(words.size(), 1) << words.join(QLatin1Char(';')).toStdString();
    EXPECT_TRUE(words[0].contains(QStringLiteral("cannot be told")));
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
