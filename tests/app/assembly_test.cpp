// SPDX-License-Identifier: GPL-3.0-or-later
// The assembly act in the window: six items become six layers and an assembly, one item is sent again.
#include <algorithm>
#include <map>

#include <QAbstractItemView>
#include <QComboBox>
#include <QTabBar>

#include "desks/deliver/files_picture.h"
#include "support/demo.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class AssemblyAct : public WindowTest {
  protected:
    // As a hand does it: opens the box, chooses in its list.
    bool pick(const char* name, const char* text) {
        auto* box = child<QComboBox>(name);
        if (!box || !click(box))
            return false;
        QAbstractItemView* list = box->view();
        if (!until([&] { return list->isVisible(); }))
            return false;
        const int row = box->findText(QString::fromUtf8(text));
        const QModelIndex index = list->model()->index(row, 0);
        list->scrollTo(index);
        QTest::qWait(QApplication::doubleClickInterval() + 50); // the list takes no release before
        QTest::mouseMove(list->viewport(), list->visualRect(index).center());
        ++clicks_;
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualRect(index).center());
        return until([&] { return !list->isVisible(); }) && settle();
    }
    std::map<std::string, std::string> filesOut() const {
        std::map<std::string, std::string> files;
        for (const auto& entry : fs::directory_iterator(folder_ / "out"))
            files[entry.path().filename().string()] = test::readFile(entry.path());
        return files;
    }
    QStringList picture() {
        const auto all = window_->findChildren<FilesPicture*>();
        return all.size() == 1 ? all.front()->lines() : QStringList();
    }
    bool deliverAll() {
        const DeliverDesk& desk = window_->desk<DeliverDesk>();
        return click(child<QPushButton>("deliver")) && until([&] { return !desk.delivering(); }, 60000) && settle() &&
               desk.rows().size() == 1 && desk.rows()[0].result && desk.rows()[0].result->proof.passed;
    }
};

TEST_F(AssemblyAct, SixItemsThenOneSentAgain) {
    test::copyDemo(folder_ / "demo");
    fs::create_directories(folder_ / "shot");
    fs::create_directories(folder_ / "out");
    for (const auto& [file, as] : {std::pair{"survey_sub.abc", "survey_sub.abc"},
                                   {"seabed.obj", "seabed.obj"},
                                   {"lantern_jelly.mdd", "lantern_jelly.mdd"},
                                   {"lantern_jelly_rest.obj", "lantern_jelly_rest.obj"},
                                   {"kelp_frond.mdd", "kelp_frond.mdd"},
                                   {"kelp_frond_rest.obj", "kelp_frond_rest.obj"},
                                   {"kelp_frond.mdd", "kelp_near.mdd"},
                                   {"kelp_frond_rest.obj", "kelp_near_rest.obj"},
                                   {"kelp_frond.mdd", "kelp_far.mdd"},
                                   {"kelp_frond_rest.obj", "kelp_far_rest.obj"}})
        fs::copy(folder_ / "demo/clean" / file, folder_ / "shot" / as);
    workspace().addPaths({QString::fromStdString((folder_ / "shot").string())});
    ASSERT_TRUE(until([&] { return workspace().items().size() == 19; })) << workspace().items().size();
    ASSERT_TRUE(settle());
    DeliverySpec spec = workspace().job().deliveries.empty() ? DeliverySpec() : workspace().job().deliveries[0];
    spec.folder = folder_ / "out";
    spec.name = "shoal";
    spec.nameTemplate = "{item}_v{version}";
    workspace().document().edit("Where it goes", [&](Job& job) { job.deliveries = {spec}; });

    // The desk, the format, the layout, and go.
    clicks_ = 0;
    auto* tabs = window_->desks().tabBar();
    ASSERT_TRUE(click(tabs, tabs->tabRect(window_->desks().indexOf(&window_->desk<DeliverDesk>())).center()));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(pick("deliverFormat", "USD layered scene"));
    ASSERT_TRUE(pick("option_layout", "references"));
    QStringList lines = picture();
    ASSERT_GE(lines.size(), 7) << lines.join('\n').toStdString();
    EXPECT_TRUE(lines[0].startsWith(QStringLiteral("shoal_v001.usdc"))) << lines[0].toStdString();
    for (const char* item : {"survey_sub", "seabed", "lantern_jelly", "kelp_frond", "kelp_near", "kelp_far"})
        EXPECT_TRUE(lines.contains(QStringLiteral("shoal.%1.v001.usdc | new").arg(QString::fromLatin1(item))))
            << item << lines.join('\n').toStdString();
    ASSERT_TRUE(deliverAll());
    EXPECT_LE(clicks_, 6);
    std::printf("assembly of six items: %d clicks\n", clicks_);
    const auto before = filesOut();
    EXPECT_EQ(std::count_if(before.begin(), before.end(),
                            [](const auto& file) { return file.first.ends_with(".v001.usdc"); }),
              lines.filter(QStringLiteral(".v001.usdc")).size());
    EXPECT_TRUE(picture().filter(QStringLiteral("| written")).size() >= 7);

    // One department sends its item again.
    clicks_ = 0;
    fs::copy(folder_ / "demo/returns/kelp_frond_jump.mdd", folder_ / "shot/kelp_near.mdd",
             fs::copy_options::overwrite_existing);
    auto* again = child<QPushButton>("changedAct");
    ASSERT_TRUE(until([&] { return again->isVisible(); }));
    ASSERT_TRUE(click(again));
    ASSERT_TRUE(settle());
    // What was delivered stands there still; the next version is planned and written.
    ASSERT_TRUE(deliverAll());
    EXPECT_LE(clicks_, 2);
    std::printf("one item sent again: %d clicks\n", clicks_);
    const auto now = filesOut();
    EXPECT_EQ(now.size(), before.size() + 3) << "a layer, the assembly and its record";
    EXPECT_TRUE(now.contains("shoal.kelp_near.v002.usdc"));
    EXPECT_TRUE(now.contains("shoal_v002.usdc"));
    for (const auto& [name, bytes] : before)
        EXPECT_TRUE(now.at(name) == bytes) << name;
    EXPECT_EQ(picture().filter(QStringLiteral("| as it was")).size(),
              lines.filter(QStringLiteral(".v001.usdc")).size() - 1)
        << picture().join('\n').toStdString();
}

} // namespace
} // namespace wyc::app
