// SPDX-License-Identifier: GPL-3.0-or-later
// The window with one format more: nothing in it knows that format.
#include <QComboBox>

#include "app/window_fixture.h"
#include "box/box.h"
#include "box/everything.h"
#include "scene/components/instancer.h"
#include "scene/deform/deformers.h"

namespace wyc::app {
namespace {

class BoxWindow : public WindowTest {};

TEST_F(BoxWindow, ShowsEveryItemAndDeliversThemProven) {
    const fs::path file = folder_ / "all.wbox";
    ASSERT_TRUE(box::format().write(box::everything(), file, {}, Progress()));
    open({file}, 9); // the rig and the instance are items, too
    std::set<std::string> kinds;
    for (const ItemView& item : workspace().items()) {
        kinds.insert(item.kind);
        EXPECT_FALSE(item.error) << item.key.path << ": " << item.error->text();
    }
    for (const char* kind : {"mesh", "points", "skeleton", "instancer", "curves", "camera", "light"})
        EXPECT_TRUE(kinds.contains(kind)) << kind;
    workspace().document().edit("Delivery", [&](Job& job) {
        job.shot.range = FrameRange{1001, 1013};
        job.shot.rate = FrameRate();
        job.deliveries.emplace_back();
        job.deliveries[0].folder = folder_ / "out";
        job.deliveries[0].items = {"*"};
        job.deliveries[0].oneFile = true;
    });
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    auto* formats = child<QComboBox>("deliverFormat");
    formats->setCurrentIndex(formats->findData(QStringLiteral("box")));
    emit formats->activated(formats->currentIndex());
    ASSERT_TRUE(settle());
    const auto back = delivered();
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_TRUE(hasDeformers(*back) && hasInstancers(*back));
}

TEST_F(BoxWindow, OptionsOfAFormatAreChosenWhereItIsOpenedAndWhereItIsWritten) {
    const fs::path file = folder_ / "all.wbox";
    ASSERT_TRUE(box::format().write(box::everything(), file, {}, Progress()));
    open({file}, 9);
    const auto swimmer = [&] {
        return std::find_if(workspace().items().begin(), workspace().items().end(),
                            [](const ItemView& item) { return item.name == "swimmer"; });
    };
    const auto choose = [&](const char* name, const QString& value) {
        auto* field = child<QComboBox>(name);
        field->setCurrentText(value);
        emit field->activated(field->currentIndex());
    };
    workspace().setActive(swimmer()->key);
    window_->desks().setCurrentIndex(0);
    ASSERT_TRUE(settle());
    const auto morphs = [&] {
        return morphNames(swimmer()->source->scene.nodes[*swimmer()->source->scene.find(swimmer()->key.path)]);
    };
    ASSERT_EQ(morphs().size(), 2U);
    choose("option_morphs", QStringLiteral("left out"));
    ASSERT_TRUE(until([&] { return swimmer() != workspace().items().end() && morphs().empty(); }));
    workspace().document().undo();
    ASSERT_TRUE(until([&] { return swimmer() != workspace().items().end() && morphs().size() == 2; }));
    workspace().document().edit("Delivery", [&](Job& job) {
        job.deliveries.emplace_back();
        job.deliveries[0].folder = folder_ / "out";
        job.deliveries[0].format = "box";
        job.deliveries[0].wholeRange = true;
        job.deliveries[0].items = {"*"};
        job.deliveries[0].oneFile = true;
    });
    window_->desks().setCurrentWidget(&window_->desk<DeliverDesk>());
    ASSERT_TRUE(settle());
    choose("option_values", QStringLiteral("left out"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(workspace().job().deliveries[0].formatOptions.value("values", ""), "left out");
    ASSERT_TRUE(until([&] { return !window_->desk<DeliverDesk>().rows().empty(); }));
    const auto& losses = window_->desk<DeliverDesk>().rows()[0].plan.losses;
    EXPECT_TRUE(std::any_of(losses.begin(), losses.end(),
                            [](const Loss& loss) { return loss.what.find("user value") != std::string::npos; }));
    const auto back = delivered();
    ASSERT_TRUE(back) << back.error().text();
    // Another format has no such option, and none is left of it.
    choose("deliverFormat", child<QComboBox>("deliverFormat")->itemText(0));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(workspace().job().deliveries[0].formatOptions.empty());
    EXPECT_FALSE(window_->findChild<QComboBox*>(QStringLiteral("option_values")));
}

} // namespace
} // namespace wyc::app
