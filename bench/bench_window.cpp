// SPDX-License-Identifier: GPL-3.0-or-later
// B10: 500 items in one scene: open, list, draw the time board; then redraws while scrubbing lanes.
#include <cstdio>

#include <QApplication>
#include <QElapsedTimer>
#include <QTest>

#include "main_window.h"
#include "theme.h"
#include "time_board.h"

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    if (argc < 2)
        return 2;
    wyc::app::applyTheme(application);
    wyc::app::MainWindow window;
    window.show();
    QTest::qWait(300);
    QElapsedTimer clock;
    clock.start();
    window.workspace().addPaths({QString::fromLocal8Bit(argv[1])});
    while (window.workspace().items().size() < 500 && clock.elapsed() < 60000)
        QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
    window.timeBoard().repaint();
    std::printf("B10 500 items to first paint: %.2f s (mark 1 s)\n", static_cast<double>(clock.elapsed()) / 1000.0);
    while ((window.workspace().runner().busy() || window.workspace().checking()) && clock.elapsed() < 60000)
        QTest::qWait(20);
    std::printf("B10 500 items measured and checked after %.2f s\n", static_cast<double>(clock.elapsed()) / 1000.0);
    clock.restart();
    constexpr int kRedraws = 300;
    for (int i = 0; i < kRedraws; ++i) {
        window.timeBoard().showFrames({1001.0 - i * 0.1, 1048.0 + i * 0.1});
        window.timeBoard().repaint();
    }
    std::printf("B10 redraws of the time board: %.0f a second (mark 60)\n",
                kRedraws * 1000.0 / static_cast<double>(clock.elapsed()));
    return 0;
}
