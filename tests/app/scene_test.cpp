// SPDX-License-Identifier: GPL-3.0-or-later
// Scene matters in the window: the tree, states, quick choosing, cameras, curves, points.
#include <gtest/gtest.h>

#include <cmath>

#include <QAction>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTabWidget>
#include <QToolButton>

#include "board/time_board.h"
#include "demo/lantern_shoal.h"
#include "desks/deliver/deliver_desk.h"
#include "desks/facts/facts_desk.h"
#include "support/scenes.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class SceneWindow : public WindowTest {
  protected:
    void SetUp() override {
        WindowTest::SetUp();
        ASSERT_TRUE(test::writeScene(demo::lanternShoal(), folder_ / "shoal.abc"));
        open({folder_ / "shoal.abc"}, 22);
    }
    const ItemView& item(const std::string& name) {
        for (const ItemView& view : workspace().items())
            if (view.name == name)
                return view;
        throw std::runtime_error(name);
    }
    void trigger(const char* name) {
        auto* action = window_->findChild<QAction*>(QString::fromLatin1(name));
        ASSERT_NE(action, nullptr);
        action->trigger();
        ASSERT_TRUE(settle());
    }
    std::size_t takenIn() {
        std::size_t count = 0;
        for (const ItemView& view : workspace().items())
            count += view.leftOut ? 0 : 1;
        return count;
    }
    QImage picture() {
        settle();
        return window_->viewport().grab().toImage();
    }
    static int differing(const QImage& a, const QImage& b) {
        int count = 0;
        for (int y = 0; y < a.height(); y += 2)
            for (int x = 0; x < a.width(); x += 2)
                count += a.pixel(x, y) != b.pixel(x, y);
        return count;
    }
};

TEST_F(SceneWindow, ItemsAreKnownByKindAndState) {
    EXPECT_EQ(item("boom_cam").nodeKind, NodeKind::Camera);
    EXPECT_TRUE(item("boom_cam").profile->moves());
    EXPECT_EQ(item("beacon").nodeKind, NodeKind::Light);
    EXPECT_EQ(item("cable_end").nodeKind, NodeKind::Transform);
    EXPECT_TRUE(item("hull_proxy").hidden);
    EXPECT_FALSE(item("hull").hidden);
    EXPECT_EQ(item("fronds").nodeKind, NodeKind::Curves);
    // Flecks come and go; those that are there in two frames tell how fast they drift.
    const auto& snow = *item("marine_snow").profile;
    EXPECT_GT(snow.speedAt(60), 0.01F);
    EXPECT_LT(snow.speedAt(60), 1.0F);
}

TEST_F(SceneWindow, GroupsFoldAndChainsTakeNoRow) {
    TimeBoard& board = window_->timeBoard();
    workspace().setActive(ItemKey(item("hull").key));
    const QRect hull = board.laneRect(item("hull").key);
    ASSERT_FALSE(hull.isEmpty());
    // survey_sub is the row above its first part; a click there folds it.
    ASSERT_TRUE(click(&board, QPoint(60, hull.top() - 10)));
    EXPECT_TRUE(board.laneRect(item("hull").key).isEmpty());
    EXPECT_FALSE(board.laneRect(item("marine_snow").key).isEmpty());
    ASSERT_TRUE(click(&board, QPoint(60, hull.top() - 10)));
    EXPECT_FALSE(board.laneRect(item("hull").key).isEmpty());
}

TEST_F(SceneWindow, ChoosingLeavesTheRestOutInOneEdit) {
    EXPECT_EQ(takenIn(), 22U);
    trigger("chooseSeen");
    EXPECT_TRUE(item("hull_proxy").leftOut);
    EXPECT_EQ(takenIn(), 21U);
    trigger("chooseMoving");
    EXPECT_TRUE(item("seabed").leftOut);
    EXPECT_FALSE(item("bell").leftOut);
    trigger("chooseShapes");
    EXPECT_TRUE(item("boom_cam").leftOut);
    EXPECT_TRUE(item("cable_end").leftOut);
    EXPECT_FALSE(item("seabed").leftOut);
    trigger("chooseAll");
    EXPECT_EQ(takenIn(), 22U);
    auto* pattern = child<QLineEdit>("choosePattern");
    pattern->setText(QStringLiteral("*arm_* !*upper"));
    emit pattern->returnPressed();
    EXPECT_EQ(takenIn(), 2U); // arm_lower, and the gripper below its path
    EXPECT_FALSE(item("arm_lower").leftOut);
    workspace().document().undo();
    EXPECT_EQ(takenIn(), 22U);
}

TEST_F(SceneWindow, LooksThroughTheCameraWithItsGate) {
    Viewport& view = window_->viewport();
    const QImage freeEye = picture();
    view.setCamera(item("boom_cam").key);
    ASSERT_TRUE(settle());
    const QRectF gate = view.gateRect();
    EXPECT_NEAR(gate.width() / gate.height(), 1.5, 1e-6); // 36 × 24 mm
    EXPECT_TRUE(QRectF(view.rect()).contains(gate));
    EXPECT_TRUE(child<QToolButton>("eye")->text().contains(QStringLiteral("boom_cam")));
    const QImage through = picture();
    EXPECT_GT(differing(freeEye, through), 2000);
    workspace().setFrame(1100); // the dolly and the lens have moved on
    EXPECT_GT(differing(through, picture()), 1000);
    // Turning the view frees the eye.
    QTest::mousePress(&view, Qt::LeftButton, {}, {200, 200});
    QTest::mouseMove(&view, {230, 205});
    QTest::mouseRelease(&view, Qt::LeftButton, {}, {230, 205});
    EXPECT_FALSE(view.camera());
    EXPECT_TRUE(view.gateRect().isEmpty());
}

TEST_F(SceneWindow, AFreeEyeBeginsWhereTheCameraStood) {
    Viewport& view = window_->viewport();
    view.setCamera(item("boom_cam").key);
    ASSERT_TRUE(settle());
    const QVector3D place = view.shownEye();
    QTest::mousePress(&view, Qt::LeftButton, {}, view.rect().center());
    QTest::mouseMove(&view, view.rect().center() + QPoint(4, 0));
    QTest::mouseRelease(&view, Qt::LeftButton, {}, view.rect().center() + QPoint(4, 0));
    ASSERT_TRUE(settle());
    EXPECT_FALSE(view.camera());
    EXPECT_LT((view.shownEye() - place).length(), 0.04 * view.distance() + 1e-3);
}

TEST_F(SceneWindow, CurvesPointsAndCamerasAreDrawn) {
    Viewport& view = window_->viewport();
    view.setScope(ViewScope::Item);
    for (const char* name : {"fronds", "marine_snow", "boom_cam", "beacon"}) {
        SCOPED_TRACE(name);
        workspace().setActive(ItemKey(item(name).key));
        ASSERT_TRUE(settle());
        view.frameActive();
        const QImage shown = picture();
        int bright = 0;
        for (int y = 40; y < shown.height() - 40; ++y)
            for (int x = 0; x < shown.width(); ++x)
                bright += qGray(shown.pixel(x, y)) > 150;
        EXPECT_GT(bright, 60);
    }
}

TEST_F(SceneWindow, FactsSayWhatMattersForAKind) {
    const auto facts = [&](const char* name) {
        workspace().setActive(ItemKey(item(name).key));
        settle();
        QStringList words;
        for (const QLabel* label : child<QWidget>("factsDesk")->findChildren<QLabel*>())
            if (label->isVisible())
                words << label->text();
        return words;
    };
    const QStringList camera = facts("boom_cam");
    EXPECT_TRUE(camera.contains(QStringLiteral("32 – 50 mm")));
    EXPECT_TRUE(camera.contains(QStringLiteral("36.0 × 24.0 mm")));
    EXPECT_TRUE(camera.contains(QStringLiteral("180°")));
    EXPECT_FALSE(camera.contains(QStringLiteral("faces")));
    const QStringList curves = facts("fronds");
    EXPECT_TRUE(curves.contains(QStringLiteral("curves")));
    EXPECT_FALSE(curves.contains(QStringLiteral("order")));
    const QStringList snow = facts("marine_snow");
    EXPECT_TRUE(snow.contains(QStringLiteral("489 – 729")));
    EXPECT_FALSE(snow.filter(QStringLiteral("point ids")).isEmpty());
    EXPECT_TRUE(facts("hull").contains(QStringLiteral("order")));
}

TEST_F(SceneWindow, PiecesOfASplitAreSeenTogether) {
    const ItemView before = item("bell");
    workspace().setActive(ItemKey(before.key));
    window_->viewport().setScope(ViewScope::Item);
    window_->viewport().frameActive();
    const QImage whole = picture();
    workspace().addSteps(before.key, {{"split", {{"by", "face sets"}}, true}}, QStringLiteral("Split"));
    ASSERT_TRUE(settle());
    const ItemView& after = item("bell");
    EXPECT_FALSE(after.error);
    EXPECT_GT(after.pieces, 1U);
    EXPECT_EQ(after.points, before.points);
    EXPECT_EQ(after.topology, before.topology);
    EXPECT_EQ(after.profile->speedAt(40), before.profile->speedAt(40));
    const QImage pieces = picture();
    EXPECT_LT(differing(whole, pieces), whole.width() * whole.height() / 4000);
}

TEST_F(SceneWindow, WhatIsWrongWithManyItemsIsOneCardAndOneClick) {
    workspace().document().edit("Shot", [](Job& job) {
        job.shot.rate = *FrameRate::parse("25");
        job.shot.unitMetres = 1.0;
        job.shot.upAxis = UpAxis::Y;
    });
    ASSERT_TRUE(settle());
    const auto wrong = [&] {
        return std::count_if(workspace().findings().begin(), workspace().findings().end(),
                             [](const ItemFinding& f) { return f.finding.id == "rate.differs"; });
    };
    const auto before = wrong();
    ASSERT_GT(before, 10);
    auto* facts = child<FactsDesk>("factsDesk");
    facts->showAllFindings(true);
    ASSERT_TRUE(settle());
    std::vector<QPushButton*> mends;
    for (QPushButton* button : facts->findChildren<QPushButton*>(QStringLiteral("mendAll")))
        if (button->isVisible() && button->property("findingId").toString() == QStringLiteral("rate.differs"))
            mends.push_back(button);
    ASSERT_EQ(mends.size(), 1U);
    EXPECT_TRUE(mends[0]->text().contains(QString::number(before))) << mends[0]->text().toStdString();
    ASSERT_TRUE(click(mends[0]));
    ASSERT_TRUE(settle());
    EXPECT_EQ(wrong(), 0);
    EXPECT_EQ(item("hull").scene->view.rate.shortText(), "25");
    workspace().document().undo(); // one edit
    ASSERT_TRUE(settle());
    EXPECT_EQ(wrong(), before);
}

class PlainWindow : public WindowTest {};

TEST_F(PlainWindow, InstancesAreItemsAndGoIntoADeliveryAsCopies) {
    open({fs::path(WYC_TEST_DATA) / "abc" / "instances.abc"}, 8);
    const Scene shown = workspace().items().front().source->shown();
    workspace().document().edit("Delivery", [&](Job& job) {
        job.deliveries.emplace_back();
        job.deliveries[0].folder = folder_ / "out";
        job.deliveries[0].oneFile = true;
        job.deliveries[0].wholeRange = true;
    });
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    bool told = false;
    for (const QLabel* label : window_->desk<DeliverDesk>().findChildren<QLabel*>())
        told = told || (label->isVisible() && label->text().contains(QStringLiteral("once more")));
    EXPECT_TRUE(told);
    const auto back = delivered();
    ASSERT_TRUE(back) << back.error().text();
    for (const char* path : {"/library/bell", "/port_0/blade_again", "/port_2/propeller_again/blade"}) {
        SCOPED_TRACE(path);
        const auto from = shown.find(path);
        const auto to = back->find(path);
        ASSERT_TRUE(from && to);
        EXPECT_EQ(test::pointsOf(*back->nodes[*to].geometry, 0), test::pointsOf(*shown.nodes[*from].geometry, 0));
        EXPECT_EQ(placementAt(*back, *to, 41.75)->matrix, placementAt(shown, *from, 41.75)->matrix);
    }
}

TEST_F(SceneWindow, AProofSaysThatTransformsCarryARigidPart) {
    const auto rigid = std::find_if(workspace().items().begin(), workspace().items().end(), [](const ItemView& i) {
        return i.nodeKind == NodeKind::Mesh && i.points > 0 && i.range &&
               i.scene->nodes[i.node].geometry->sampling().isStill();
    });
    ASSERT_NE(rigid, workspace().items().end());
    workspace().setActive(ItemKey(rigid->key));
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    ASSERT_TRUE(click(child<QToolButton>("deliverOnlyActive")));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(delivered());
    ASSERT_TRUE(settle());
    QStringList words;
    for (const QLabel* label : window_->desk<DeliverDesk>().findChildren<QLabel*>())
        if (label->isVisible())
            words << label->text();
    const QString all = words.join(QLatin1Char('\n'));
    EXPECT_TRUE(all.contains(QStringLiteral("carried by transforms"))) << all.toStdString();
    EXPECT_FALSE(all.contains(QStringLiteral("still")));
}

TEST_F(SceneWindow, ADeliverySettingThatMakesNoSenseIsToldAndNotTaken) {
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    auto* length = child<QLineEdit>("deliverLength");
    EXPECT_FALSE(length->isVisible());
    ASSERT_TRUE(click(child<QToolButton>("deliverMore")));
    EXPECT_TRUE(length->isVisible());
    length->setText(QStringLiteral("24"));
    emit length->editingFinished();
    EXPECT_EQ(workspace().job().deliveries.at(0).length, 24.0);
    length->setText(QStringLiteral("a few"));
    emit length->editingFinished();
    EXPECT_EQ(workspace().job().deliveries.at(0).length, 24.0);
    EXPECT_EQ(length->text(), QStringLiteral("24"));
    EXPECT_TRUE(child<QLabel>("messageText")->text().contains(QStringLiteral("a few")));
    auto* shutter = child<QComboBox>("deliverShutter");
    shutter->lineEdit()->setText(QStringLiteral("wide open"));
    emit shutter->lineEdit()->editingFinished();
    EXPECT_FALSE(workspace().job().deliveries.at(0).shutter);
    EXPECT_TRUE(child<QLabel>("messageText")->text().contains(QStringLiteral("wide open")));
    shutter->lineEdit()->setText(QStringLiteral("0 0.5 5"));
    emit shutter->lineEdit()->editingFinished();
    EXPECT_EQ(workspace().job().deliveries.at(0).shutter, (ShutterSpec{0.0, 0.5, 5}));
}

TEST_F(SceneWindow, ACameraIsDeliveredInWorldSpaceWithShutterSamples) {
    workspace().document().edit("Delivery", [&](Job& job) {
        job.shot.range = FrameRange{1009, 1032};
        job.shot.rate = FrameRate();
        job.deliveries.emplace_back();
        job.deliveries[0].folder = folder_ / "out";
        job.deliveries[0].items = {"*boom_cam", "*bell"};
        job.deliveries[0].oneFile = true;
    });
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    ASSERT_TRUE(click(child<QWidget>("deliverWorld")));
    auto* length = child<QLineEdit>("deliverLength");
    length->setText(QStringLiteral("12"));
    emit length->editingFinished();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(workspace().job().deliveries[0].world);
    EXPECT_EQ(workspace().job().deliveries[0].length, 12.0);
    workspace().document().edit("Shutter", [](Job& job) { job.deliveries[0].shutter = ShutterSpec{-0.25, 0.25, 3}; });
    ASSERT_TRUE(settle());
    const auto back = delivered();
    ASSERT_TRUE(back) << back.error().text();
    const auto bell = back->find("/lantern_jelly/bell");
    ASSERT_TRUE(bell);
    EXPECT_EQ(back->nodes[*bell].geometry->sampling().count(), 36U);
    const auto camera = back->find("/dolly/boom_cam");
    ASSERT_TRUE(camera);
    EXPECT_EQ(back->nodes[*camera].kind, NodeKind::Camera);
    EXPECT_TRUE(placementAt(*back, *bell, 42.1)->matrix.isIdentity());
}

} // namespace
} // namespace wyc::app
