// SPDX-License-Identifier: GPL-3.0-or-later
// What a person does all day, counted: clicks from the empty window on, and the same by keys alone.
#include <QFile>
#include <QFileDialog>
#include <QTimer>
#include <QToolButton>

#include "window_fixture.h"

namespace wyc::app {
namespace {

class Acts : public WindowTest {
  protected:
    // A frame that leaps and one that is missing.
    [[nodiscard]] fs::path faulty() {
        test::SheetOptions options;
        options.count = 48;
        options.plant = [](double frame, std::vector<Vec3f>& points) {
            for (Vec3f& p : points)
                if (frame == 1020)
                    p.y += 0.5F;
                else if (frame == 1033)
                    p.x -= 0.7F;
        };
        fs::create_directories(folder_ / "poses");
        EXPECT_TRUE(test::writeScene(test::sheetScene(options), folder_ / "poses" / "sail.####.obj"));
        fs::remove(folder_ / "poses" / "sail.1040.obj");
        return folder_ / "poses";
    }
    void drop(const fs::path& path) {
        open({path}, 1);
        ++clicks_;
    }
    // Answers the next file dialog as it stands, by a click on its button or by Return.
    void acceptDialog(bool byKeys) {
        QTimer::singleShot(300, window_.get(), [this, byKeys] {
            auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
            ASSERT_NE(dialog, nullptr);
            EXPECT_TRUE(dialog->testOption(QFileDialog::DontUseNativeDialog) ||
                        QApplication::testAttribute(Qt::AA_DontUseNativeDialogs));
            if (byKeys)
                QTest::keyClick(dialog, Qt::Key_Return);
            else
                ++clicks_, dialog->findChild<QPushButton*>()->click();
        });
    }
    [[nodiscard]] bool proven() {
        const DeliverDesk& desk = window_->desk<DeliverDesk>();
        return until([&] { return !desk.delivering(); }, 30000) && settle() && desk.rows().size() == 1 &&
               desk.rows()[0].result && desk.rows()[0].result->proof.passed;
    }
    [[nodiscard]] int faults() {
        int count = 0;
        for (const ItemFinding& found : workspace().findings())
            count += found.finding.severity == Severity::Fault;
        return count;
    }
};

TEST_F(Acts, FromTheEmptyWindowToAProofInSixClicks) {
    drop(faulty());
    ASSERT_EQ(faults(), 3);
    ASSERT_TRUE(click(child<QToolButton>("mendEverything")));
    ASSERT_TRUE(settle());
    EXPECT_EQ(faults(), 0);
    QTabBar* tabs = window_->desks().tabBar();
    ASSERT_TRUE(click(tabs, tabs->tabRect(4).center()));
    ASSERT_TRUE(settle());
    ASSERT_TRUE(click(child<QPushButton>("deliver")));
    ASSERT_TRUE(proven());
    acceptDialog(false);
    ASSERT_TRUE(click(child<QPushButton>("proofPage")));
    ASSERT_TRUE(until([&] { return child<QWidget>("written")->isVisible(); }));
    EXPECT_LE(clicks_, 6);
}

TEST_F(Acts, TheSameByKeysAlone) {
    drop(faulty());
    const auto press = [&](const char* name) {
        auto* widget = child<QWidget>(name);
        for (int i = 0; i < 160 && window_->focusWidget() != widget; ++i)
            QTest::keyClick(window_->focusWidget() ? window_->focusWidget() : window_.get(), Qt::Key_Tab);
        EXPECT_EQ(window_->focusWidget(), widget) << name;
        QTest::keyClick(widget, Qt::Key_Return);
    };
    press("mendEverything");
    ASSERT_TRUE(settle());
    EXPECT_EQ(faults(), 0);
    QTest::keyClick(window_.get(), Qt::Key_5);
    ASSERT_TRUE(settle());
    QTest::keyClick(window_.get(), Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(proven());
    acceptDialog(true);
    press("proofPage");
    ASSERT_TRUE(until([&] { return child<QWidget>("written")->isVisible(); }));
}

} // namespace
} // namespace wyc::app
