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
    window_->desks().setCurrentWidget(&window_->deliverDesk());
    ASSERT_TRUE(settle());
    auto* formats = child<QComboBox>("deliverFormat");
    formats->setCurrentIndex(formats->findData(QStringLiteral("box")));
    emit formats->activated(formats->currentIndex());
    ASSERT_TRUE(settle());
    const auto back = delivered();
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_TRUE(hasDeformers(*back) && hasInstancers(*back));
}

} // namespace
} // namespace wyc::app
