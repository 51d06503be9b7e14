// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>
#include <QIcon>
#include <QSurfaceFormat>

#include "base/version.h"
#include "shell/main_window.h"
#include "theme/theme.h"

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("wychronos"));
    QApplication::setOrganizationName(QStringLiteral("wychronos"));
    QApplication::setApplicationVersion(QString::fromLatin1(wyc::version()));
    QApplication::setDesktopFileName(QStringLiteral("wychronos"));
    QApplication::setWindowIcon(QIcon::fromTheme(QStringLiteral("wychronos")));
    wyc::app::applyTheme(application);
    QCommandLineParser parser;
    parser.setApplicationDescription(QStringLiteral("Point caches and scene caches that arrive as they left"));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(QStringLiteral("paths"), QStringLiteral("A job, or sources"),
                                 QStringLiteral("[paths...]"));
    parser.process(application);
    wyc::app::MainWindow window;
    window.restoreLayout();
    window.show();
    const bool recovered = window.offerRecovery();
    if (!recovered && !parser.positionalArguments().isEmpty())
        window.workspace().addPaths(parser.positionalArguments());
    return QApplication::exec();
}
