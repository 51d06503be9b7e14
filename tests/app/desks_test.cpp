// SPDX-License-Identifier: GPL-3.0-or-later
// The desks and the parts that draw: what they show for what is there.
#include <gtest/gtest.h>

#include <cmath>
#include <latch>

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QTabWidget>
#include <QToolButton>

#include "board/time_board.h"
#include "desks/deliver/deliver_desk.h"
#include "desks/desk_parts.h"
#include "desks/facts/facts_desk.h"
#include "shell/shot_strip.h"
#include "support/scenes.h"
#include "theme/theme.h"
#include "view/frame_loader.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class Desks : public WindowTest {
  protected:
    fs::path sheet(const std::string& name, test::SheetOptions options = {}) {
        const fs::path path = folder_ / name;
        EXPECT_TRUE(test::writeScene(test::sheetScene(options), path));
        return path;
    }
    void setShot(double first, double last) {
        workspace().document().edit("Shot", [&](Job& job) {
            job.shot.name = "sh010";
            job.shot.range = FrameRange{first, last};
            job.shot.rate = FrameRate();
            job.shot.unitMetres = 1.0;
            job.shot.upAxis = UpAxis::Y;
        });
        ASSERT_TRUE(settle());
    }
    QStringList textsOf(QWidget* widget) {
        QStringList texts;
        for (QLabel* label : widget->findChildren<QLabel*>())
            if (label->isVisible())
                texts << label->text();
        return texts;
    }
};

TEST_F(Desks, FactsShowFiguresWithTheirUnits) {
    open({sheet("sheet.abc")}, 1);
    setShot(1001, 1024);
    const QString all = textsOf(child<QWidget>("factsDesk")).join(QStringLiteral(" | "));
    for (const char* words : {"sheet", "30", "24 · every frame", "1001 – 1024", "24 fps", "not stated, read as m"})
        EXPECT_TRUE(all.contains(QString::fromUtf8(words))) << words << " in " << all.toStdString();
    EXPECT_TRUE(all.contains(QStringLiteral("Nothing found")));
}

TEST_F(Desks, FactsAskWhichRestMeshItIs) {
    for (const char* name : {"jelly_rest.obj", "kelp_rest_33.obj"})
        test::writeFile(folder_ / name, "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(
        Sampling::uniform(0, 1.0 / 24, 4), emptyTopology(),
        std::vector<std::vector<Vec3f>>(4, std::vector<Vec3f>{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}));
    ASSERT_TRUE(test::writeScene(scene, folder_ / "cache.mdd"));
    open({folder_ / "cache.mdd"}, 1);
    EXPECT_EQ(workspace().items()[0].kind, "points");
    const auto click = [&] { // the desk may make its buttons anew while it is looked at
        for (QPushButton* button : child<QWidget>("factsDesk")->findChildren<QPushButton*>())
            if (button->isVisible() && button->text() == QStringLiteral("kelp_rest_33.obj")) {
                QTest::mouseClick(button, Qt::LeftButton);
                break;
            }
        return workspace().job().sources[0].spec.rest.has_value();
    };
    ASSERT_TRUE(QTest::qWaitFor(click, 3000));
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return workspace().items().size() == 1 && workspace().items()[0].kind == "mesh"; }, 8000));
    EXPECT_EQ(workspace().items()[0].source->restUsed->filename(), "kelp_rest_33.obj");
}

TEST_F(Desks, FindingsOfOneItemOrOfAll) {
    test::SheetOptions late;
    late.first = 1003;
    open({sheet("a_sheet.abc"), sheet("b_sheet.abc", late)}, 2);
    setShot(1001, 1024);
    EXPECT_EQ(workspace().findings().size(), 1U);
    const auto cards = [&] {
        int visible = 0;
        for (FindingCard* card : window_->findChildren<FindingCard*>())
            visible += card->isVisible();
        return visible;
    };
    EXPECT_EQ(cards(), 0); // the active item is clean
    QTest::mouseClick(child<QPushButton>("faultCount"), Qt::LeftButton);
    QTest::qWait(50);
    EXPECT_EQ(cards(), 1);
    FindingCard* card = nullptr;
    for (FindingCard* candidate : window_->findChildren<FindingCard*>())
        if (candidate->isVisible())
            card = candidate;
    QTest::mouseClick(card, Qt::LeftButton, {}, {40, 10});
    EXPECT_EQ(workspace().activeItem()->source->name, "b_sheet.abc");
    EXPECT_EQ(workspace().frame(), 1003.0);
}

TEST_F(Desks, DeliverSaysWhatWillBeWrittenAndLost) {
    open({sheet("sheet.mdd")}, 1);
    setShot(1005, 1010);
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    ASSERT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U);
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.sampleCount, 6U);
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.target.filename(), "sh010_sheet_v001.abc");
    auto* format = child<QComboBox>("deliverFormat");
    format->setCurrentIndex(format->findData(QStringLiteral("obj-sequence")));
    emit format->activated(format->currentIndex());
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.fileCount, 6U);
    const QString all = textsOf(child<QWidget>("deliverDesk")).join(QStringLiteral(" | "));
    EXPECT_TRUE(all.contains(QStringLiteral("Will be lost"))) << all.toStdString();
    EXPECT_TRUE(all.contains(QStringLiteral("the rate (24 fps)"))) << all.toStdString();
    workspace().document().undo();
    EXPECT_EQ(format->currentData().toString(), QStringLiteral("alembic"));
}

TEST_F(Desks, DeliverChoicesBecomeTheJobs) {
    open({sheet("sheet.mdd")}, 1);
    setShot(1001, 1024);
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    const auto choose = [&](const char* name, const char* text) {
        auto* box = child<QComboBox>(name);
        box->setCurrentText(QString::fromLatin1(text));
        emit box->activated(box->currentIndex());
    };
    choose("deliverUnit", "cm");
    choose("deliverUp", "Z");
    choose("deliverRate", "25");
    auto* first = child<QLineEdit>("deliverFirst");
    first->setFocus();
    QTest::keyClicks(first, QStringLiteral("1"));
    QTest::keyClick(first, Qt::Key_Return);
    ASSERT_EQ(workspace().job().deliveries.size(), 1U);
    const DeliverySpec& spec = workspace().job().deliveries[0];
    EXPECT_EQ(spec.unitMetres, 0.01);
    EXPECT_EQ(spec.upAxis, UpAxis::Z);
    EXPECT_EQ(spec.rate->text(), "25");
    EXPECT_EQ(spec.firstFrame, 1.0);
    ASSERT_TRUE(settle());
    ASSERT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U);
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.rate.text(), "25");
}

TEST_F(Desks, DeliverTellsWhyItCannot) {
    open({sheet("sheet.mdd")}, 1);
    setShot(5001, 5024);
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->desk<DeliverDesk>().rows().empty());
    EXPECT_TRUE(child<QLabel>("planError")->text().contains(QStringLiteral("no sample of this item is left")));
    EXPECT_FALSE(child<QPushButton>("deliver")->isEnabled());
}

TEST_F(Desks, ItemsAreTakenInAndOut) {
    open({sheet("a.mdd"), sheet("b.mdd")}, 2);
    setShot(1001, 1024);
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U); // the active one
    ASSERT_TRUE(click(child<QToolButton>("deliverAll")));
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->desk<DeliverDesk>().rows().size(), 2U);
    for (QCheckBox* box : window_->findChildren<QCheckBox*>(QStringLiteral("deliverItem")))
        if (box->isVisible() && box->property("label").toString() == QStringLiteral("a.mdd/a")) {
            QTest::mouseClick(box, Qt::LeftButton, {}, {8, box->height() / 2});
            break;
        }
    ASSERT_TRUE(settle());
    ASSERT_EQ(window_->desk<DeliverDesk>().rows().size(), 1U);
    EXPECT_EQ(window_->desk<DeliverDesk>().rows()[0].plan.item, "b");
    EXPECT_EQ(workspace().job().deliveries[0].items, (std::vector<std::string>{"!a.mdd/a"}));
}

TEST_F(Desks, DeliveringAgainTakesTheNextVersion) {
    open({sheet("sheet.mdd")}, 1);
    setShot(1001, 1024);
    workspace().document().edit("Folder", [&](Job& job) {
        job.deliveries.emplace_back();
        job.deliveries[0].folder = folder_ / "out";
    });
    ASSERT_TRUE(settle());
    for (const char* name : {"sh010_sheet_v001.abc", "sh010_sheet_v002.abc"}) {
        window_->desk<DeliverDesk>().deliver();
        ASSERT_TRUE(QTest::qWaitFor([&] { return !window_->desk<DeliverDesk>().delivering(); }, 10000));
        EXPECT_TRUE(fs::exists(folder_ / "out" / name)) << name;
    }
    QTest::mouseClick(child<QPushButton>("deliverBack"), Qt::LeftButton);
}

TEST_F(Desks, AStepThatCannotBeAppliedIsToldAndTheItemStillShows) {
    open({sheet("sheet.mdd")}, 1);
    setShot(1001, 1024);
    workspace().addSteps(ItemKey(workspace().active()),
                         {Step{"trim", {{"first", 1.0}, {"last", 5.0}, {"handles", 0.0}}, true}},
                         QStringLiteral("Bad trim"));
    ASSERT_TRUE(settle());
    ASSERT_NE(workspace().activeItem(), nullptr);
    ASSERT_TRUE(workspace().activeItem()->error);
    EXPECT_NE(workspace().activeItem()->error->what.find("Trim"), std::string::npos);
    EXPECT_GT(window_->viewport().activeSizeMetres(), 0.5);
    workspace().document().undo();
    EXPECT_FALSE(workspace().activeItem()->error);
}

TEST_F(Desks, RemovingASourceTakesItsItemsAlongAndUndoBringsThemBack) {
    open({sheet("a.mdd"), sheet("b.mdd")}, 2);
    const SourceId id = workspace().items()[0].key.source;
    workspace().removeSource(id);
    EXPECT_EQ(workspace().items().size(), 1U);
    EXPECT_EQ(workspace().activeItem()->name, "b");
    workspace().document().undo();
    ASSERT_TRUE(QTest::qWaitFor([&] { return workspace().items().size() == 2; }, 8000));
}

TEST_F(Desks, TheBoardStaysPutWhenAnItemIsEdited) {
    open({sheet("sheet.mdd")}, 1);
    setShot(1001, 1024);
    TimeBoard& board = window_->timeBoard();
    const double before = board.frameOfX(700);
    workspace().addSteps(ItemKey(workspace().active()), {Step{"offset", {{"frames", 40.0}}, true}},
                         QStringLiteral("Offset"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(board.frameOfX(700), before);
    QTest::keyClick(window_.get(), Qt::Key_A);
    EXPECT_NE(board.frameOfX(700), before);
    for (double frame = 950; frame < 1100; frame += 13)
        EXPECT_NEAR(board.frameOfX(board.xOfFrame(frame)), frame, 1e-9);
}

TEST_F(Desks, TheWindowHoldsTogetherAtItsSmallestAndLarge) {
    open({sheet("a very long name of a sheet that goes on and on until nobody can read it any more.mdd")}, 1);
    for (const QSize size : {QSize(1280, 800), QSize(1000, 640), QSize(1920, 1080)}) {
        window_->resize(size);
        ASSERT_TRUE(settle());
        for (int desk = 0; desk < 3; ++desk) {
            window_->desks().setCurrentIndex(desk);
            QTest::qWait(20);
            EXPECT_GT(window_->timeBoard().height(), 100);
            EXPECT_GT(window_->viewport().width(), 300);
            EXPECT_LE(window_->desks().geometry().right(), window_->width());
        }
    }
}

TEST(FrameLoading, InterpolatesScalesAndColours) {
    FrameLoader loader;
    std::shared_ptr<const DrawFrame> got;
    QObject::connect(&loader, &FrameLoader::loaded,
                     [&](const std::shared_ptr<const DrawFrame>& frame) { got = frame; });
    const auto scene = std::make_shared<const Scene>(test::sheetScene());
    const auto ask = [&](double frame, ViewStyle style, double unit) {
        DrawRequest request;
        request.number = 7;
        request.frame = frame;
        request.style = style;
        request.items.push_back({{{1}, "/sheet"}, scene, 0, unit, true, nullptr});
        got.reset();
        loader.request(std::move(request));
        return QTest::qWaitFor([&] { return got != nullptr; }, 5000);
    };
    ASSERT_TRUE(ask(1004.5, ViewStyle::Clay, 0.01));
    ASSERT_EQ(got->items.size(), 1U);
    const DrawItem& item = got->items[0];
    const auto a = test::pointsOf(test::shapeOf(*scene), 3);
    const auto b = test::pointsOf(test::shapeOf(*scene), 4);
    EXPECT_NEAR(item.points[9].y, (a[9].y + b[9].y) / 2 * 0.01F, 1e-6);
    EXPECT_EQ(item.indices->triangles.size(), 20U * 6U);
    EXPECT_EQ(item.indices->edges.size(), 2U * (4U * 6U + 5U * 5U));
    EXPECT_EQ(item.normals.size(), item.points.size());
    EXPECT_TRUE(item.colours.empty());
    ASSERT_TRUE(ask(1004, ViewStyle::SpeedHeat, 1.0));
    EXPECT_EQ(got->items[0].colours.size(), 30U);
    EXPECT_GT(got->speedMax, 0.0F);
    ASSERT_TRUE(ask(1004, ViewStyle::OrderBands, 1.0));
    EXPECT_EQ(got->items[0].colours[0], got->items[0].colours[0]);
    EXPECT_NE(got->items[0].colours.front(), got->items[0].colours[2]);
}

TEST(FrameLoading, OnlyTheNewestRequestCountsAndErrorsAreTold) {
    // Holds the first read until all requests are made; then fails.
    class Broken final : public GeometryWrapper {
      public:
        Broken(GeometryPtr inner, const std::latch& asked) : GeometryWrapper(std::move(inner)), asked_(asked) {}
        [[nodiscard]] Status readRange(std::size_t, std::size_t, std::span<Vec3f>) const override {
            asked_.wait();
            return fail(ErrorKind::Changed, "gone");
        }

      private:
        const std::latch& asked_;
    };
    std::latch asked(1);
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry = std::make_shared<Broken>(scene.nodes[0].geometry, asked);
    FrameLoader loader;
    std::vector<int> loaded;
    QString error;
    QObject::connect(&loader, &FrameLoader::loaded, [&](const std::shared_ptr<const DrawFrame>& frame) {
        loaded.push_back(frame->request);
        error = frame->error;
    });
    const auto kept = std::make_shared<const Scene>(scene);
    for (int i = 1; i <= 50; ++i) {
        DrawRequest request;
        request.number = i;
        request.frame = 1000.0 + i;
        request.items.push_back({{{1}, "/sheet"}, kept, 0, 1.0, true, nullptr});
        loader.request(std::move(request));
    }
    asked.count_down();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !loaded.empty() && loaded.back() == 50; }, 5000));
    EXPECT_LE(loaded.size(), 2U); // the one that had begun, and the newest
    EXPECT_TRUE(error.contains(QStringLiteral("gone")));
}

TEST(Drawing, KindMarksAreDistinctAndInsideTheirBox) {
    std::vector<QImage> pictures;
    for (const KindMark mark : {KindMark::Mesh, KindMark::Points, KindMark::Rigid, KindMark::Curves, KindMark::Camera,
                                KindMark::Light, KindMark::Other}) {
        QImage image(48, 48, QImage::Format_ARGB32_Premultiplied);
        image.fill(Qt::transparent);
        QPainter painter(&image);
        drawKindMark(painter, QRectF(12, 12, 24, 24), mark, Qt::white);
        painter.end();
        int inside = 0;
        for (int y = 0; y < 48; ++y)
            for (int x = 0; x < 48; ++x) {
                const bool drawn = qAlpha(image.pixel(x, y)) > 40;
                inside += drawn;
                if (drawn)
                    EXPECT_TRUE(x >= 10 && x <= 38 && y >= 10 && y <= 38);
            }
        EXPECT_GT(inside, 15);
        for (const QImage& other : pictures)
            EXPECT_NE(other, image);
        pictures.push_back(image);
    }
}

TEST(Drawing, AProfilesTopIsNotThatOfASingleJump) {
    std::vector<float> steps(100, 1.0F);
    steps[0] = std::nanf("");
    EXPECT_FLOAT_EQ(profileTop(steps), 1.0F);
    steps[50] = 1000.0F;
    EXPECT_FLOAT_EQ(profileTop(steps), 1.3F);
    EXPECT_EQ(profileTop({}), 0.0F);
    EXPECT_FLOAT_EQ(profileTop({1.0F, 9.0F}), 9.0F);
}

} // namespace
} // namespace wyc::app
