// SPDX-License-Identifier: GPL-3.0-or-later
// Whatever is clicked, dragged and typed in whatever order: the window stands and shows what the job comes to when it
// is read anew, the sources stay as they are, and undo leads back to where it began.
#include <random>

#include <QComboBox>
#include <QLabel>
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
    // What a program that opens the job now would find, against what this one keeps.
    void expectWhatAFreshLookFinds() {
        const Job job = workspace().job();
        const auto sources = openedSources(job);
        const auto items = measuredItemsOf(job, sources, Progress());
        ASSERT_TRUE(items) << items.error().text();
        const auto words = [](const std::vector<ItemFinding>& findings) {
            std::multiset<std::string> all;
            for (const ItemFinding& found : findings)
                all.insert(found.key.path + " " + found.finding.id + " " + found.finding.text + " " +
                           found.finding.mendLabel);
            return all;
        };
        const auto found = findingsOf(job, sources, *items);
        EXPECT_EQ(words(workspace().findings()), words(found));
        std::size_t taking = 0;
        for (const ItemView& shown : workspace().items()) {
            if (shown.leftOut)
                continue;
            ++taking;
            const auto same =
                std::find_if(items->begin(), items->end(), [&](const ItemView& item) { return item.key == shown.key; });
            ASSERT_NE(same, items->end()) << shown.key.path;
            EXPECT_EQ(shown.name, same->name);
            EXPECT_EQ(shown.points, same->points) << shown.key.path;
            EXPECT_EQ(shown.range ? shown.range->text() : "", same->range ? same->range->text() : "") << shown.key.path;
            EXPECT_EQ(shown.failedStep, same->failedStep) << shown.key.path;
        }
        EXPECT_EQ(taking, items->size());
        const auto faults = std::count_if(found.begin(), found.end(),
                                          [](const ItemFinding& f) { return f.finding.severity == Severity::Fault; });
        const QString counted = child<QPushButton>("faultCount")->text();
        EXPECT_TRUE(counted.contains(faults == 0 ? QStringLiteral("no fault") : QString::number(faults)))
            << faults << " " << counted.toStdString();
    }
    void expectWordsOfTheActiveItem() {
        const ItemView* item = workspace().activeItem();
        ASSERT_NE(item, nullptr);
        const auto* desk = window_->desks().currentWidget();
        const QString name = QString::fromStdString(item->name);
        if (desk->objectName() == QStringLiteral("factsDesk") || desk->objectName() == QStringLiteral("stepsDesk")) {
            const auto labels = desk->findChildren<QLabel*>();
            EXPECT_TRUE(
                std::any_of(labels.begin(), labels.end(),
                            [&](const QLabel* label) { return label->isVisible() && label->text().contains(name); }))
                << desk->objectName().toStdString() << " without " << item->name;
        }
        const auto* frame = child<QLineEdit>("frameField");
        EXPECT_TRUE(frame->hasFocus() || frame->text() == workspace().timeWords(workspace().frame()))
            << frame->text().toStdString() << " at " << workspace().frame();
        EXPECT_EQ(window_->windowTitle().contains(QStringLiteral("•")), workspace().document().modified());
        const QWidget* keys = window_->focusWidget();
        EXPECT_TRUE(!keys || keys->isVisible()) << keys->objectName().toStdString();
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
            if (i % 25 != 24)
                continue;
            if (auto* transport = window_->findChild<Transport*>(); transport && transport->playing())
                transport->togglePlay();
            ASSERT_TRUE(until([&] { return !workspace().busy(); }, 60000));
            if (workspace().checked() == Checked::Stopped)
                workspace().checkAgain(); // a button was hit that stops it
            ASSERT_TRUE(settle());
            SCOPED_TRACE(i);
            expectWhatAFreshLookFinds();
            expectWordsOfTheActiveItem();
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
