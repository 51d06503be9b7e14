// SPDX-License-Identifier: GPL-3.0-or-later
// Playing, and the view's eye.
#include <gtest/gtest.h>

#include <cmath>

#include <QLineEdit>
#include <QSettings>
#include <QToolButton>

#include "support/scenes.h"
#include "view/transport.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class Playing : public WindowTest {
  protected:
    void SetUp() override {
        WindowTest::SetUp();
        ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "sheet.abc"));
        open({folder_ / "sheet.abc"}, 1);
        transport_ = window_->findChild<Transport*>();
        ASSERT_NE(transport_, nullptr);
    }
    QToolButton* button(const char* name) { return window_->findChild<QToolButton*>(QString::fromLatin1(name)); }
    Transport* transport_ = nullptr;
};

TEST_F(Playing, WithoutAShotTheItemsGiveTheRange) {
    EXPECT_EQ(workspace().playRange(), (FrameRange{1001, 1024}));
    transport_->toEnd();
    EXPECT_EQ(workspace().frame(), 1024.0);
    transport_->stepBy(1); // beyond the range is allowed: the last pose holds there
    EXPECT_EQ(workspace().frame(), 1025.0);
    transport_->toStart();
    EXPECT_EQ(workspace().frame(), 1001.0);
}

TEST_F(Playing, RepeatsOrStopsAtTheEnd) {
    workspace().setFrame(1018);
    transport_->togglePlay();
    ASSERT_TRUE(QTest::qWaitFor([&] { return workspace().frame() < 1015; }, 3000)); // began again
    EXPECT_TRUE(transport_->playing());
    button("repeat")->click();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !transport_->playing(); }, 4000));
    EXPECT_EQ(workspace().frame(), 1024.0);
}

TEST_F(Playing, EveryFrameShowsEachOne) {
    button("playMode")->click();
    EXPECT_TRUE(button("playMode")->text().contains(QStringLiteral("every frame")));
    button("repeat")->click();
    std::vector<double> seen;
    QObject::connect(&workspace(), &Workspace::frameChanged, window_.get(),
                     [&] { seen.push_back(workspace().frame()); });
    workspace().setFrame(1002);
    seen.clear();
    transport_->togglePlay();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !transport_->playing(); }, 10000));
    ASSERT_EQ(seen.size(), 22U);
    for (std::size_t i = 0; i < seen.size(); ++i)
        EXPECT_EQ(seen[i], 1003.0 + static_cast<double>(i));
}

TEST_F(Playing, AFrameCanBeTyped) {
    auto* field = window_->findChild<QLineEdit*>(QStringLiteral("frameField"));
    field->setFocus();
    field->selectAll();
    QTest::keyClicks(field, QStringLiteral("1010.5"));
    QTest::keyClick(field, Qt::Key_Return);
    EXPECT_EQ(workspace().frame(), 1010.5);
    field->selectAll();
    QTest::keyClicks(field, QStringLiteral("x"));
    QTest::keyClick(field, Qt::Key_Return);
    EXPECT_EQ(workspace().frame(), 1010.5);
}

TEST_F(Playing, TheWheelBringsTheEyeNearerAndFramingBringsItBack) {
    Viewport& view = window_->viewport();
    view.frameActive();
    const double framed = view.distance();
    const QPointF centre(view.width() / 2.0, view.height() / 2.0);
    QWheelEvent wheel(centre, view.mapToGlobal(centre), {}, {0, 480}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                      false);
    QApplication::sendEvent(&view, &wheel);
    EXPECT_LT(view.distance(), framed * 0.8);
    QTest::keyClick(window_.get(), Qt::Key_F);
    EXPECT_NEAR(view.distance(), framed, framed * 0.01);
    QTest::keyClick(window_.get(), Qt::Key_F, Qt::ShiftModifier);
    EXPECT_NEAR(view.distance(), framed, framed * 0.5);
}

TEST_F(Playing, JobsThatWereSavedAreRemembered) {
    const QString path = QString::fromStdString((folder_ / "remembered.wyc").string());
    ASSERT_TRUE(workspace().saveJob(path));
    EXPECT_EQ(QSettings().value(QStringLiteral("recent")).toStringList().value(0), path);
}

} // namespace
} // namespace wyc::app
