// SPDX-License-Identifier: GPL-3.0-or-later
// A point that is asked in the view, and a partner's speed over an item's own.
#include <random>

#include <QLineEdit>
#include <QPushButton>
#include <QTimer>

#include <qcustomplot.h>

#include "base/text.h"
#include "desks/reconcile/reconcile_desk.h"
#include "view/asked_point.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

// Seen along −Z, a metre a pixel.
std::optional<QPointF> flat(const Vec3f& p) {
    return QPointF(static_cast<double>(p.x), static_cast<double>(p.y));
}

constexpr Vec3d kFarInFront{0, 0, 1e6};

TEST(PointUnder, IsACornerOfTheForemostFaceThere) {
    // Two sheets, one behind the other; points of the back one lie nearer to the pointer.
    DrawItem item;
    item.points = {{0, 0, 5},   {100, 0, 5}, {100, 100, 5}, {0, 100, 5},
                   {40, 40, 0}, {60, 40, 0}, {60, 60, 0},   {40, 60, 0}};
    auto indices = std::make_shared<DrawIndices>();
    indices->triangles = {4, 5, 6, 4, 6, 7, 0, 1, 2, 0, 2, 3};
    item.indices = indices;
    EXPECT_EQ(pointUnder(item, flat, {43, 42}, kFarInFront), 0U);
    EXPECT_EQ(pointUnder(item, flat, {90, 70}, kFarInFront), 2U);
    EXPECT_EQ(pointUnder(item, flat, {43, 42}, {0, 0, -1e6}), 4U); // from the other side
    EXPECT_FALSE(pointUnder(item, flat, {300, 300}, kFarInFront));
    EXPECT_EQ(pointUnder(item, flat, {104, 1}, kFarInFront), 1U); // beside its edge
    item.indices.reset();                                         // a cloud: the nearest
    EXPECT_EQ(pointUnder(item, flat, {43, 42}, kFarInFront), 4U);
    EXPECT_FALSE(pointUnder(
        item, [](const Vec3f&) { return std::optional<QPointF>(); }, {43, 42}, kFarInFront));
}

class AskedWindow : public WindowTest {
  protected:
    Viewport& view() { return window_->viewport(); }
    bool answered() {
        return until([&] { return view().way() && !view().way()->stops.empty(); }) && settle();
    }
    // The number is typed, as a person would; what else the sheet says is for `then`.
    void type(
        const QString& number, const std::function<void()>& then = [] {}) {
        bool shown = false;
        QTimer::singleShot(200, window_.get(), [&] {
            QWidget* sheet = QApplication::activeModalWidget();
            ASSERT_NE(sheet, nullptr);
            auto* field = sheet->findChild<QLineEdit*>(QStringLiteral("pointNumber"));
            shown = true;
            field->clear();
            QTest::keyClicks(field, number);
            QTest::keyClick(field, Qt::Key_Return);
            then();
        });
        QApplication::setActiveWindow(window_.get()); // nobody does after a sheet was closed
        QTest::keyClick(window_.get(), Qt::Key_P);
        EXPECT_TRUE(shown);
    }
};

TEST_F(AskedWindow, SaysWhereItGoes) {
    test::SheetOptions options;
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "sheet.abc"));
    open({folder_ / "sheet.abc"}, 1);
    workspace().setFrame(1004);
    ASSERT_TRUE(settle());
    const auto pointAt = [&](double frame, std::uint32_t n) {
        return test::sheetPoints(options.rows, options.columns, frame * 0.13)[n];
    };
    QTest::mouseClick(&view(), Qt::LeftButton, {}, view().rect().center());
    ASSERT_TRUE(view().askedPoint()); // the item is framed: it is in the middle
    type(QStringLiteral("7"));
    ASSERT_EQ(view().askedPoint(), 7U);
    ASSERT_TRUE(answered());
    // Twelve frames on each side, where there are any: 1001 … 1016.
    const auto way = view().way();
    ASSERT_EQ(way->stops.size(), 16U);
    for (std::size_t i = 0; i < way->stops.size(); ++i) {
        EXPECT_NEAR(way->stops[i].frame, 1001.0 + static_cast<double>(i), 1e-6);
        const Vec3f truth = pointAt(way->stops[i].frame, 7);
        EXPECT_NEAR(length(way->stops[i].place - Vec3d(truth)), 0.0, 1e-5) << i;
        EXPECT_FALSE(way->stops[i].partner);
    }
    const Vec3f now = pointAt(1004, 7);
    const double speed = length(Vec3d(pointAt(1005, 7)) - Vec3d(pointAt(1003, 7))) * 24.0 / 2.0;
    const QString words = view().askedWords().join(QLatin1Char('\n'));
    EXPECT_TRUE(words.contains(QStringLiteral("at %1,").arg(static_cast<double>(now.x), 0, 'f', 3)))
        << words.toStdString();
    EXPECT_TRUE(words.contains(QStringLiteral("moves at %1").arg(QString::fromStdString(lengthText(speed)))))
        << words.toStdString();
    EXPECT_TRUE(words.contains(QStringLiteral("beside 2, 6, 8, 12"))) << words.toStdString(); // of five columns
    // A number that no point has is refused beside the field.
    type(QStringLiteral("30"), [&] {
        QWidget* dialog = QApplication::activeModalWidget();
        ASSERT_NE(dialog, nullptr);
        QTest::keyClick(dialog, Qt::Key_Escape);
    });
    // A drag turns the view and asks nothing; a click beside it lets go.
    type(QStringLiteral("3"));
    ASSERT_EQ(view().askedPoint(), 3U);
    drag(view(), {200, 150}, {260, 170});
    EXPECT_EQ(view().askedPoint(), 3U);
    QTest::mouseClick(&view(), Qt::LeftButton, {}, QPoint(3, 3));
    EXPECT_FALSE(view().askedPoint());
}

TEST_F(AskedWindow, KnowsItsOwnInA) {
    std::mt19937 random(7);
    test::SheetOptions options;
    const Scene a = test::sheetScene(options);
    ASSERT_TRUE(test::writeScene(a, folder_ / "sheet.abc"));
    options.plant = [](double frame, std::vector<Vec3f>& points) {
        if (frame == 1009)
            points[11].y += 0.25F;
    };
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "sheet_back.abc"));
    open({folder_ / "sheet.abc", folder_ / "sheet_back.abc"}, 2);
    const ItemKey first = workspace().items()[0].key;
    window_->desk<ReconcileDesk>().choose(first, workspace().items()[1].key);
    auto& desk = window_->desk<ReconcileDesk>();
    ASSERT_TRUE(until([&] { return !desk.looking() && desk.found() != nullptr; }));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(view().pair());
    EXPECT_FALSE(view().comparison()); // nothing is drawn of it
    workspace().setFrame(1009);
    ASSERT_TRUE(settle());
    type(QStringLiteral("11"));
    ASSERT_TRUE(answered());
    const WayCurve curve = curveOf(*view().way(), workspace().rate());
    ASSERT_TRUE(curve.drift);
    for (const auto& [frame, metres] : curve.points)
        EXPECT_NEAR(metres, std::abs(frame - 1009) < 0.1 ? 0.25 : 0.0, 1e-4) << frame;
    const QString words = view().askedWords().join(QLatin1Char('\n'));
    EXPECT_TRUE(words.contains(QStringLiteral("its own in A: point 11"))) << words.toStdString();
    EXPECT_TRUE(words.contains(QString::fromStdString(lengthText(0.25)) + QStringLiteral(" off")))
        << words.toStdString();
    // Another item is another question.
    workspace().setActive(first);
    ASSERT_TRUE(settle());
    EXPECT_FALSE(view().askedPoint());
    // What it is likely to be held against lies over its speed, where it is in time.
    const auto* plot = child<QCustomPlot>("speedPlot");
    const auto& own = *plot->graph(0)->data();
    const auto& over = *plot->graph(1)->data();
    ASSERT_EQ(own.size(), 23);
    ASSERT_EQ(over.size(), 23);
    for (int i = 0; i < own.size(); ++i) {
        EXPECT_NEAR((own.constBegin() + i)->key, (over.constBegin() + i)->key, 1e-6);
        const double apart = std::abs((own.constBegin() + i)->value - (over.constBegin() + i)->value);
        const double frame = (own.constBegin() + i)->key;
        EXPECT_EQ(apart > 0.05, std::abs(frame - 1009) < 0.1 || std::abs(frame - 1010) < 0.1) << frame;
    }
}

} // namespace
} // namespace wyc::app
