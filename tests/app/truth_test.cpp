// SPDX-License-Identifier: GPL-3.0-or-later
// What the window says while it works, after a stop, and of files that are gone; and where the keys are afterwards.
#include <QAbstractButton>
#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include "desks/facts/facts_desk.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class WindowTruth : public WindowTest {
  protected:
    void shotOf(double first, double last) {
        workspace().document().edit("Shot", [&](Job& job) {
            job.shot.range = FrameRange{first, last};
            job.shot.rate = FrameRate();
        });
    }
    [[nodiscard]] QString badge() { return child<QPushButton>("faultCount")->text(); }
    [[nodiscard]] QString verdict() { return child<QLabel>("verdict")->text(); }
    [[nodiscard]] fs::path sheet(const char* name, const test::SheetOptions& options = {}) {
        EXPECT_TRUE(test::writeScene(test::sheetScene(options), folder_ / name));
        return folder_ / name;
    }
    [[nodiscard]] static test::SheetOptions popped() {
        test::SheetOptions options;
        options.count = 48;
        options.plant = [](double frame, std::vector<Vec3f>& points) {
            if (frame == 1020)
                for (Vec3f& p : points)
                    p.y += 0.5F;
        };
        return options;
    }
};

TEST_F(WindowTruth, ABadgeIsGreyUntilItIsKnownAndAfterAStop) {
    shotOf(1001, 1024);
    workspace().addPaths({QString::fromStdString(sheet("sheet.abc").string())});
    std::size_t greys = 0;
    ASSERT_TRUE(until([&] {
        if (workspace().checking()) { // whatever the moment, nothing is claimed
            greys += badge().contains(QStringLiteral("checking"));
            EXPECT_FALSE(badge().contains(QStringLiteral("✓"))) << badge().toStdString();
            EXPECT_FALSE(verdict().contains(QStringLiteral("✓"))) << verdict().toStdString();
        }
        return !workspace().items().empty() && !workspace().checking();
    }));
    EXPECT_GT(greys, 0U);
    EXPECT_TRUE(badge().contains(QStringLiteral("✓ no faults"))) << badge().toStdString();
    EXPECT_TRUE(verdict().contains(QStringLiteral("✓ Nothing found")));
    EXPECT_TRUE(verdict().contains(QStringLiteral("states no unit"))) << verdict().toStdString();
    // Stopped before it was done it is neither.
    test::SheetOptions large; // its measuring takes a while
    large.rows = large.columns = 300;
    large.count = 200;
    workspace().addPaths({QString::fromStdString(sheet("large.abc", large).string())});
    ASSERT_TRUE(until([&] { return workspace().items().size() == 2 && workspace().measureRunner().busy(); }));
    EXPECT_TRUE(badge().contains(QStringLiteral("checking")));
    workspace().stopAll();
    ASSERT_TRUE(until([&] { return !workspace().measureRunner().busy() && !workspace().checking(); }));
    ASSERT_EQ(workspace().checked(), Checked::Stopped);
    EXPECT_TRUE(badge().contains(QStringLiteral("not checked"))) << badge().toStdString();
    EXPECT_FALSE(child<QWidget>("message")->isVisible()) << "one's own stop is no error";
    EXPECT_TRUE(click(child<QPushButton>("faultCount")));
    ASSERT_TRUE(settle());
    EXPECT_EQ(workspace().checked(), Checked::Yes);
}

TEST_F(WindowTruth, AFileThatIsGoneIsSaidToBeGone) {
    shotOf(1001, 1024);
    fs::create_directories(folder_ / "poses");
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder_ / "poses" / "pose.####.obj"));
    open({sheet("sheet.abc"), folder_ / "poses"}, 2);
    QTest::qWait(900);
    EXPECT_FALSE(child<QWidget>("changed")->isVisible()) << "all files are there, those of the sequence too";
    EXPECT_EQ(workspace().checked(), Checked::Yes);
    fs::remove(folder_ / "sheet.abc");
    ASSERT_TRUE(until([&] { return child<QWidget>("changed")->isVisible(); }));
    const QString words = child<QLabel>("changedText")->text();
    EXPECT_TRUE(words.contains(QStringLiteral("No longer on disk: sheet.abc"))) << words.toStdString();
    EXPECT_FALSE(words.contains(QStringLiteral("pose")));
    EXPECT_EQ(badge().left(1), QStringLiteral("?")) << badge().toStdString();
    fs::remove_all(folder_ / "poses");
    ASSERT_TRUE(until([&] { return child<QLabel>("changedText")->text().contains(QStringLiteral("pose")); }));
}

// Where a driver serves one thread alone the window's own draws, and draws the same.
TEST_F(WindowTruth, APictureIsTheSameOnWhicheverThreadItIsDrawn) {
    open({sheet("sheet.abc")}, 1);
    std::shared_ptr<const DrawFrame> frame;
    FrameLoader loader;
    QObject::connect(&loader, &FrameLoader::loaded, &loader, [&](const auto& loaded) { frame = loaded; });
    DrawRequest request;
    const ItemView& item = workspace().items().front();
    request.frame = 1010.0;
    request.items.push_back({item.key, item.scene, item.node, 1.0, true, nullptr});
    loader.request(request);
    ASSERT_TRUE(until([&] { return frame != nullptr; }));
    PictureOrder order;
    order.number = 1;
    order.frame = frame;
    order.size = {320, 200};
    order.eye = {2, 3, 6};
    QMatrix4x4 matrix;
    matrix.perspective(40.0F, 1.6F, 0.1F, 100.0F);
    matrix.lookAt(order.eye, {0, 0, 0}, {0, 1, 0});
    order.panes = {{QRectF(0, 0, 320, 200), matrix}};
    std::vector<QImage> images;
    for (const auto where : {PictureMaker::Where::Beside, PictureMaker::Where::Here}) {
        PictureMaker maker(where);
        std::shared_ptr<const ViewPicture> made;
        QObject::connect(&maker, &PictureMaker::made, &maker, [&](const auto& picture) { made = picture; });
        maker.order(order);
        ASSERT_TRUE(until([&] { return made != nullptr; }));
        EXPECT_TRUE(made->error.isEmpty()) << made->error.toStdString();
        images.push_back(made->image);
    }
    EXPECT_EQ(images[0], images[1]);
    EXPECT_NE(images[0].pixel(160, 100), images[0].pixel(2, 2)) << "the sheet is in its middle";
}

TEST_F(WindowTruth, ACardActsOnce) {
    shotOf(1001, 1048);
    open({sheet("popped.abc", popped())}, 1);
    QPushButton* mend = nullptr;
    for (QPushButton* one : window_->findChildren<QPushButton*>(QStringLiteral("mend")))
        if (one->isVisible() && !mend)
            mend = one;
    ASSERT_TRUE(mend);
    const QPoint middle = mend->rect().center();
    QTest::mouseClick(mend, Qt::LeftButton, {}, middle);
    QTest::mouseDClick(mend, Qt::LeftButton, {}, middle);
    QTest::mouseClick(mend, Qt::LeftButton, {}, middle);
    const std::size_t once = workspace().activeItem()->steps.size();
    ASSERT_TRUE(settle());
    workspace().document().undo();
    EXPECT_FALSE(workspace().document().canUndo() && workspace().document().undoLabel().starts_with("Mend"))
        << "one act, not several";
    EXPECT_GT(once, 0U);
}

// Every button that is there is clicked, then letters, digits and Space are typed: nothing but shortcuts happens.
TEST_F(WindowTruth, AfterEveryActTheKeysAreShortcuts) {
    shotOf(1001, 1048);
    workspace().document().edit("Shot", [](Job& job) { job.shot.name = "sh040"; });
    open({sheet("popped.abc", popped()), sheet("clean.abc")}, 2);
    std::size_t clicked = 0;
    for (int desk = 0; desk < window_->desks().count(); ++desk) {
        window_->desks().setCurrentIndex(desk);
        ASSERT_TRUE(settle());
        std::vector<QPointer<QAbstractButton>> buttons;
        for (QAbstractButton* one : window_->findChildren<QAbstractButton*>())
            buttons.emplace_back(one);
        for (const QPointer<QAbstractButton>& button : buttons) {
            const auto* tool = qobject_cast<QToolButton*>(button.data());
            if (!button || !button->isVisible() || !button->isEnabled() || button->window() != window_.get() ||
                (tool && tool->menu()) || button->text().contains(QStringLiteral("…")))
                continue; // menus and dialogs have the keys themselves
            const QString name = button->objectName();
            if (name == QStringLiteral("deliver") || name == QStringLiteral("play") ||
                button->text() == QStringLiteral("Stop"))
                continue;
            const Shot before = workspace().job().shot;
            window_->centralWidget()->setFocus();
            ++clicked;
            QTest::mouseClick(button.data(), Qt::LeftButton);
            QTest::qWait(30);
            QWidget* keys = window_->focusWidget();
            EXPECT_FALSE(qobject_cast<QLineEdit*>(keys)) << name.toStdString();
            EXPECT_FALSE(qobject_cast<QAbstractButton*>(keys)) << name.toStdString();
            for (const Qt::Key key : {Qt::Key_7, Qt::Key_A, Qt::Key_Q, Qt::Key_9})
                QTest::keyClick(window_->focusWidget() ? window_->focusWidget() : window_.get(), key);
            EXPECT_EQ(workspace().job().shot, before) << name.toStdString();
            QTest::keyClick(window_->focusWidget() ? window_->focusWidget() : window_.get(), Qt::Key_Space);
            QTest::qWait(5);
            if (auto* transport = window_->findChild<Transport*>(); transport->playing()) // what Space began
                child<QAbstractButton>("play")->click();
            if (QWidget* dialog = QApplication::activeModalWidget())
                dialog->close();
        }
        ASSERT_TRUE(settle());
    }
    EXPECT_GT(clicked, 30U);
    EXPECT_EQ(workspace().job().shot.name, "sh040");
}

} // namespace
} // namespace wyc::app
