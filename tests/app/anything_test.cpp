// SPDX-License-Identifier: GPL-3.0-or-later
// Whatever is clicked, dragged and typed in whatever order: the window stands, the sources stay as they are, and undo
// leads back to where it began.
#include <random>

#include <QComboBox>
#include <QLineEdit>
#include <QToolButton>
#include <QWheelEvent>

#include "board/time_board.h"
#include "support/demo.h"
#include "view/transport.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class Anything : public WindowTest {
  protected:
    // Acts that wait for an answer elsewhere (dialogs, menus), or write, are left to their own tests.
    static bool mayBeClicked(const QWidget& widget) {
        static const QStringList kLeft{QStringLiteral("deliver"),   QStringLiteral("changedAct"),
                                       QStringLiteral("addStep"),   QStringLiteral("emptyOpen"),
                                       QStringLiteral("emptyDemo"), QStringLiteral("deliverBack")};
        const auto* tool = qobject_cast<const QToolButton*>(&widget);
        const auto* button = qobject_cast<const QAbstractButton*>(&widget);
        return !kLeft.contains(widget.objectName()) && !(tool && tool->menu()) &&
               !(button && button->text().contains(QStringLiteral("…")));
    }
    void act() {
        static constexpr std::array kKeys{Qt::Key_Space, Qt::Key_Left, Qt::Key_Right,  Qt::Key_Home,   Qt::Key_End,
                                          Qt::Key_Up,    Qt::Key_Down, Qt::Key_F,      Qt::Key_A,      Qt::Key_V,
                                          Qt::Key_H,     Qt::Key_X,    Qt::Key_N,      Qt::Key_1,      Qt::Key_2,
                                          Qt::Key_3,     Qt::Key_Tab,  Qt::Key_Escape, Qt::Key_Return, Qt::Key_9};
        QWidget* keys = window_->focusWidget() ? window_->focusWidget() : window_.get();
        TimeBoard& board = window_->timeBoard();
        const auto somewhere = [this](const QWidget& in) {
            return QPoint(below(std::max(1, in.width())), below(std::max(1, in.height())));
        };
        const Qt::KeyboardModifiers held = std::array<Qt::KeyboardModifiers, 4>{
            Qt::NoModifier, Qt::NoModifier, Qt::ControlModifier, Qt::ShiftModifier}[static_cast<std::size_t>(below(4))];
        switch (below(9)) {
        case 0: QTest::keyClick(keys, kKeys[static_cast<std::size_t>(below(int(kKeys.size())))]); break;
        case 1: QTest::keyClick(keys, below(2) ? Qt::Key_Z : Qt::Key_Y, Qt::ControlModifier); break;
        case 2: QTest::mouseClick(&board, Qt::LeftButton, held, somewhere(board)); break;
        case 3: drag(board, somewhere(board), somewhere(board)); break;
        case 4: drag(window_->viewport(), somewhere(window_->viewport()), somewhere(window_->viewport())); break;
        case 5: {
            QWheelEvent wheel(QPointF(somewhere(board)), board.mapToGlobal(QPointF(10, 10)), {},
                              {0, below(2) ? 120 : -120}, Qt::NoButton, held, Qt::NoScrollPhase, false);
            QApplication::sendEvent(&board, &wheel);
            break;
        }
        case 6: // any field
            if (const auto fields = shown<QLineEdit>(); !fields.empty()) {
                auto* field = fields[static_cast<std::size_t>(below(int(fields.size())))];
                QTest::mouseClick(field, Qt::LeftButton);
                QTest::keyClicks(field,
                                 std::array{QStringLiteral("1"), QStringLiteral("-"), QStringLiteral("1050"),
                                            QStringLiteral("x*"), QString()}[static_cast<std::size_t>(below(5))]);
                QTest::keyClick(field, below(3) ? Qt::Key_Return : Qt::Key_Escape);
            }
            break;
        default: // any button
            if (const auto buttons = shown<QAbstractButton>(); !buttons.empty())
                if (auto* button = buttons[static_cast<std::size_t>(below(int(buttons.size())))]; button->isEnabled())
                    QTest::mouseClick(button, Qt::LeftButton);
        }
    }
    template<class T> std::vector<T*> shown() {
        std::vector<T*> found;
        for (T* widget : window_->findChildren<T*>())
            if (widget->isVisible() && mayBeClicked(*widget))
                found.push_back(widget);
        return found;
    }
    int below(int limit) { return std::uniform_int_distribution<int>(0, limit - 1)(random_); }
    std::mt19937 random_;
};

TEST_F(Anything, LeavesTheWindowStandingAndCanBeUndone) {
    test::copyDemo(folder_ / "demo");
    const std::string source = test::readFile(folder_ / "demo/lantern_jelly.mdd");
    const unsigned seeds = std::getenv("WYC_LONG_TESTS") ? 20 : 2;
    for (unsigned seed = 1; seed <= seeds; ++seed) {
        SCOPED_TRACE(seed);
        random_.seed(seed);
        workspace().openJob(QString::fromStdString((folder_ / "demo/lantern_shoal.wyc").string()));
        ASSERT_TRUE(until([&] { return !workspace().items().empty(); }));
        ASSERT_TRUE(settle());
        const Job before = workspace().job();
        for (int i = 0; i < 100; ++i) {
            act();
            if (i % 10 == 0)
                QTest::qWait(30);
        }
        if (auto* transport = window_->findChild<Transport*>(); transport && transport->playing())
            transport->togglePlay();
        ASSERT_TRUE(until([&] { return !workspace().runner().busy(); }, 60000));
        while (workspace().document().canUndo())
            workspace().document().undo();
        EXPECT_EQ(workspace().job(), before);
        EXPECT_EQ(workspace().items().size(), 27U);
    }
    EXPECT_EQ(test::readFile(folder_ / "demo/lantern_jelly.mdd"), source);
}

} // namespace
} // namespace wyc::app
