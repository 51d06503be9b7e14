// SPDX-License-Identifier: GPL-3.0-or-later
// B10: many items in one scene (500, or as many as said): open, list, draw the time board; redraws while scrubbing
// lanes; an edit and the check after it; the Deliver desk. B6: whether the window waits while a loop is searched. B12:
// playback. `acts JOB COUNT`: how long single acts of a working day keep the window from hearing the next.
#include <algorithm>
#include <cstdio>
#include <ctime>
#include <functional>
#include <random>
#include <string>
#include <vector>

#include <QAbstractButton>
#include <QApplication>
#include <QElapsedTimer>
#include <QPixmap>
#include <QTabWidget>
#include <QTest>
#include <QTimer>

#include "board/time_board.h"
#include "desks/deliver/deliver_desk.h"
#include "desks/loop/loop_desk.h"
#include "shell/main_window.h"
#include "theme/theme.h"
#include "view/viewport.h"

namespace {

// How long the window hears nothing while a worker compares all frames of a motion: the longest time between two beats
// of a clock in its thread.
int stalls(const QString& file) {
    wyc::app::MainWindow window;
    window.show();
    QTest::qWait(300);
    // Software rendering of the view takes longer than the mark by itself; it is not what is measured.
    window.viewport().hide();
    window.workspace().addPaths({file});
    const auto idle = [&] {
        QTest::qWait(100);
        return QTest::qWaitFor([&] { return !window.workspace().runner().busy() && !window.workspace().checking(); },
                               300000);
    };
    if (!idle() || window.workspace().items().empty())
        return 2;
    QElapsedTimer between;
    qint64 longest = 0;
    qint64 beats = 0;
    QTimer beat;
    beat.setTimerType(Qt::PreciseTimer);
    QObject::connect(&beat, &QTimer::timeout, [&] {
        longest = std::max(longest, between.restart());
        ++beats;
    });
    QElapsedTimer clock;
    clock.start();
    // What a repaint of the window takes by itself, with nothing else to do: by software it is most of any wait.
    double alone = 0.0;
    for (int i = 0; i < 20; ++i) {
        clock.restart();
        window.repaint();
        QCoreApplication::processEvents();
        alone = std::max(alone, static_cast<double>(clock.nsecsElapsed()) * 1e-6);
    }
    window.desks().setCurrentWidget(&window.desk<wyc::app::LoopDesk>());
    window.desk<wyc::app::LoopDesk>().repaint();
    clock.restart();
    between.start();
    beat.start(2);
    (void)QTest::qWaitFor(
        [&] { return !window.desk<wyc::app::LoopDesk>().looking() && window.desk<wyc::app::LoopDesk>().exact(); },
        300000);
    std::printf("B6 the window while it searches: %.1f s, %lld beats, the longest wait between two %lld ms (mark 50); "
                "at rest a repaint takes up to %.0f ms\n",
                static_cast<double>(clock.elapsed()) / 1000.0, static_cast<long long>(beats),
                static_cast<long long>(longest), alone);
    return 0;
}

// How many frames a second are drawn of those that are played, and how long the window's thread is busy for each.
int plays(const QString& job, const QString& item, wyc::app::ViewScope scope, bool view) {
    wyc::app::MainWindow window;
    window.resize(1280, 800);
    window.show();
    QTest::qWait(300);
    window.workspace().addPaths({job});
    const auto idle = [&] {
        QTest::qWait(200);
        return QTest::qWaitFor([&] { return !window.workspace().busy() && !window.workspace().checking(); }, 300000);
    };
    if (!idle() || window.workspace().items().empty())
        return 2;
    for (const wyc::ItemView& one : window.workspace().items())
        if (QString::fromStdString(one.name) == item)
            window.workspace().setActive(wyc::ItemKey(one.key));
    window.viewport().setScope(scope);
    window.viewport().setVisible(view);
    QTest::qWait(500);
    auto* play = window.findChild<QAbstractButton*>(QStringLiteral("play"));
    const int before = window.viewport().paintedFrames();
    QElapsedTimer clock;
    clock.start();
    timespec cpuBefore{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &cpuBefore);
    play->click();
    QTest::qWait(6000);
    play->click();
    timespec cpu{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &cpu);
    const double seconds = static_cast<double>(clock.elapsed()) / 1000.0;
    const double busy = static_cast<double>(cpu.tv_sec - cpuBefore.tv_sec) +
                        static_cast<double>(cpu.tv_nsec - cpuBefore.tv_nsec) * 1e-9;
    const double rate = window.workspace().rate().value();
    const double each = busy * 1000.0 / (seconds * rate);
    if (view)
        std::printf("B12 %s, %s: %.1f of %.4g frames a second drawn (mark 24 alone, 12 with everything); the window's "
                    "thread busy %.1f ms a frame\n",
                    qPrintable(item), scope == wyc::app::ViewScope::All ? "everything visible" : "alone",
                    (window.viewport().paintedFrames() - before) / seconds, rate, each);
    else
        std::printf("B12 %s, without a view: the window's thread busy %.1f ms a frame (mark 4)\n", qPrintable(item),
                    each);
    return 0;
}

// Tells how long each event keeps the window from hearing the next one.
class TimedApplication : public QApplication {
  public:
    using QApplication::QApplication;
    struct Wait {
        double milliseconds = 0.0;
        QString what;
    };
    std::vector<Wait> waits; // of more than 20 ms
    QString act;             // what was done last
    std::size_t events = 0;
    bool notify(QObject* receiver, QEvent* event) override {
        if (depth_ > 0)
            return QApplication::notify(receiver, event);
        const QString what =
            QStringLiteral("%1 to %2 %3 after %4")
                .arg(static_cast<int>(event->type()))
                .arg(QString::fromLatin1(receiver->metaObject()->className()), receiver->objectName(), act);
        ++depth_;
        QElapsedTimer clock;
        clock.start();
        const bool done = QApplication::notify(receiver, event);
        --depth_;
        ++events;
        if (const double took = static_cast<double>(clock.nsecsElapsed()) * 1e-6; took > 20.0)
            waits.push_back({took, what});
        return done;
    }

  private:
    int depth_ = 0;
};

// Acts of a working day, one after the other in a fixed order of chance: which of them keeps the window busy.
int acts(TimedApplication& application, const QString& job, int count) {
    wyc::app::MainWindow window;
    window.resize(1280, 800);
    window.show();
    QTest::qWait(300);
    window.workspace().openJob(job);
    const auto idle = [&] {
        QTest::qWait(200);
        return QTest::qWaitFor([&] { return !window.workspace().busy() && !window.workspace().checking(); }, 300000);
    };
    if (!idle() || window.workspace().items().empty())
        return 2;
    std::mt19937 random(1);
    const auto below = [&](std::size_t n) { return std::uniform_int_distribution<std::size_t>(0, n - 1)(random); };
    const auto key = [&](Qt::Key which, Qt::KeyboardModifiers held = Qt::NoModifier) {
        QTest::keyClick(&window, which, held);
    };
    const auto press = [&](const char* name) {
        for (auto* button : window.findChildren<QAbstractButton*>(QString::fromLatin1(name)))
            if (button->isVisible() && button->isEnabled()) {
                QTest::mouseClick(button, Qt::LeftButton);
                return;
            }
    };
    wyc::app::TimeBoard& board = window.timeBoard();
    const std::vector<std::pair<const char*, std::function<void()>>> all{
        {"the item below", [&] { key(Qt::Key_Down); }},
        {"the item above", [&] { key(Qt::Key_Up); }},
        {"another desk", [&] { key(static_cast<Qt::Key>(Qt::Key_1 + static_cast<int>(below(5)))); }},
        {"a frame on", [&] { key(Qt::Key_Right); }},
        {"play, pause", [&] { key(Qt::Key_Space); }},
        {"the next finding", [&] { key(Qt::Key_N); }},
        {"a mend", [&] { press("mend"); }},
        {"mend all", [&] { press("mendEverything"); }},
        {"undo", [&] { key(Qt::Key_Z, Qt::ControlModifier); }},
        {"redo", [&] { key(Qt::Key_Y, Qt::ControlModifier); }},
        {"another way to draw", [&] { key(Qt::Key_V); }},
        {"a pose held", [&] { key(Qt::Key_H); }},
        {"poses before and after", [&] { key(Qt::Key_O); }},
        {"left out", [&] { key(Qt::Key_X); }},
        {"seconds", [&] { key(Qt::Key_T); }},
        {"lanes", [&] { key(Qt::Key_L); }},
        {"all frames", [&] { key(Qt::Key_A); }},
        {"what is chosen", [&] { key(Qt::Key_Z); }},
        {"heat", [&] { press("reconcileHeat"); }},
        {"undone", [&] { press("reconcileUndo"); }},
        {"the loop", [&] { press("loopAdd"); }},
        {"delivery", [&] { press("deliver"); }},
        {"back from the delivery", [&] { press("deliverBack"); }},
        {"a click on the board",
         [&] {
             QTest::mouseClick(&board, Qt::LeftButton, {},
                               {static_cast<int>(below(static_cast<std::size_t>(board.width()))),
                                static_cast<int>(below(static_cast<std::size_t>(board.height())))});
         }},
        {"a point asked",
         [&] { QTest::mouseClick(&window.viewport(), Qt::LeftButton, {}, window.viewport().rect().center()); }},
    };
    application.waits.clear();
    application.events = 0;
    for (int i = 0; i < count; ++i) {
        const auto& [name, act] = all[below(all.size())];
        application.act = QString::fromLatin1(name);
        QApplication::setActiveWindow(&window);
        act();
        QTest::qWait(20 + static_cast<int>(below(8)) * (below(6) == 0 ? 60 : 4));
    }
    auto& waits = application.waits;
    std::sort(waits.begin(), waits.end(), [](const auto& a, const auto& b) { return a.milliseconds > b.milliseconds; });
    const auto over = std::count_if(waits.begin(), waits.end(), [](const auto& w) { return w.milliseconds > 50.0; });
    std::printf("acts: %d acts, %zu events, %zu of more than 20 ms, %zd of more than 50 ms (mark 0)\n", count,
                application.events, waits.size(), static_cast<ssize_t>(over));
    for (std::size_t i = 0; i < std::min<std::size_t>(12, waits.size()); ++i)
        std::printf("  %.0f ms: %s\n", waits[i].milliseconds, qPrintable(waits[i].what));
    return 0;
}

} // namespace

int main(int argc, char** argv) {
    TimedApplication application(argc, argv);
    if (argc < 2)
        return 2;
    if (argc == 3 && QString::fromLocal8Bit(argv[1]) == QStringLiteral("stalls")) {
        wyc::app::applyTheme(application);
        return stalls(QString::fromLocal8Bit(argv[2]));
    }
    if (argc == 4 && QString::fromLocal8Bit(argv[1]) == QStringLiteral("acts")) {
        wyc::app::applyTheme(application);
        return acts(application, QString::fromLocal8Bit(argv[2]), std::stoi(argv[3]));
    }
    if (argc >= 4 && QString::fromLocal8Bit(argv[1]) == QStringLiteral("play")) {
        wyc::app::applyTheme(application);
        using wyc::app::ViewScope;
        const QString what = argc > 4 ? QString::fromLocal8Bit(argv[4]) : QString();
        return plays(QString::fromLocal8Bit(argv[2]), QString::fromLocal8Bit(argv[3]),
                     what == QStringLiteral("all") ? ViewScope::All : ViewScope::Item, what != QStringLiteral("blind"));
    }
    const std::size_t items = argc > 2 ? std::stoul(argv[2]) : 500;
    wyc::app::applyTheme(application);
    wyc::app::MainWindow window;
    window.show();
    QTest::qWait(300);
    // Software rendering of ten thousand sheets one upon another is not what is measured.
    window.viewport().setScope(wyc::app::ViewScope::Item);
    QElapsedTimer clock;
    clock.start();
    window.workspace().addPaths({QString::fromLocal8Bit(argv[1])});
    while (window.workspace().items().size() < items && clock.elapsed() < 60000)
        QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
    window.timeBoard().repaint();
    const auto told = [&](const char* what) {
        std::printf("B10 %zu items: %s %.2f s\n", items, what, static_cast<double>(clock.elapsed()) / 1000.0);
    };
    const auto idle = [&] {
        while ((window.workspace().runner().busy() || window.workspace().checking()) && clock.elapsed() < 60000)
            QTest::qWait(5);
    };
    told("first paint after (mark 1 s at 500)");
    idle();
    told("measured and checked after");
    clock.restart();
    const wyc::ItemKey key = window.workspace().items()[items / 2].key;
    window.workspace().addSteps(key, {{"offset", {{"frames", 1}}, true}}, QStringLiteral("Offset"));
    told("an edit is shown after");
    QTest::qWait(60);
    idle();
    told("and checked after");
    clock.restart();
    window.desks().setCurrentWidget(&window.desk<wyc::app::DeliverDesk>());
    window.desks().repaint();
    told("the Deliver desk shows after");
    window.desks().setCurrentIndex(0);
    // Into a picture: a repaint on the screen also composes the view, by a driver in software here.
    QPixmap picture(window.timeBoard().size());
    constexpr int kRedraws = 300;
    clock.restart();
    for (int i = 0; i < kRedraws; ++i) {
        window.timeBoard().showFrames({1001.0 - i * 0.1, 1048.0 + i * 0.1});
        window.timeBoard().render(&picture);
    }
    std::printf("B10 the time board drawn: %.0f a second (mark 60)\n",
                kRedraws * 1000.0 / static_cast<double>(clock.elapsed()));
    return 0;
}
