// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The real window under an X server: what every test of it needs.
#include <gtest/gtest.h>

#include <functional>
#include <memory>

#include <QApplication>
#include <QPushButton>
#include <QTest>

#include "desks/deliver/deliver_desk.h"
#include "shell/main_window.h"
#include "support/scenes.h"
#include "support/temp_folder.h"
#include "view/transport.h"
#include "view/viewport.h"

namespace wyc::app {

class WindowTest : public testing::Test {
  protected:
    void SetUp() override {
        window_ = std::make_unique<MainWindow>();
        window_->show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(window_.get()));
        QApplication::setActiveWindow(window_.get()); // there is no window manager to do it
    }
    void TearDown() override { window_.reset(); }

    Workspace& workspace() { return window_->workspace(); }
    bool until(const std::function<bool()>& condition, int milliseconds = 15000) {
        return QTest::qWaitFor(condition, milliseconds);
    }
    bool settle() {
        QTest::qWait(120);
        const auto still = [&] { // while it plays one picture follows the other
            const auto* transport = window_->findChild<Transport*>();
            return window_->viewport().settled() || (transport && transport->playing());
        };
        const bool quiet = until([&] { return !workspace().busy() && !workspace().checking() && still(); });
        QTest::qWait(30); // new cards show themselves in the next round of events
        return quiet;
    }
    void open(const std::vector<fs::path>& paths, std::size_t items) {
        QStringList list;
        for (const fs::path& path : paths)
            list << QString::fromStdString(path.string());
        workspace().addPaths(list);
        ASSERT_TRUE(until([&] { return workspace().items().size() == items; }));
        ASSERT_TRUE(settle());
    }
    template<class T> T* child(const char* name) {
        auto* found = window_->findChild<T*>(QString::fromLatin1(name));
        EXPECT_NE(found, nullptr) << name;
        return found;
    }
    /// A click with the mouse on what can be seen; counted.
    bool click(QWidget* widget, std::optional<QPoint> at = {}) {
        if (!widget || !widget->isVisible() || !widget->isEnabled())
            return false;
        ++clicks_;
        QTest::mouseClick(widget, Qt::LeftButton, {}, at ? *at : widget->rect().center());
        return true;
    }

    void drag(QWidget& widget, QPoint from, QPoint to) {
        QTest::mousePress(&widget, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 6; ++i) {
            QTest::mouseMove(&widget, from + (to - from) * i / 6);
            QTest::qWait(8);
        }
        QTest::mouseRelease(&widget, Qt::LeftButton, {}, to);
    }

    /// Presses the button of the Deliver desk and reads the one file that comes of it.
    Result<Scene> delivered() {
        const DeliverDesk& desk = window_->desk<DeliverDesk>();
        if (!click(child<QPushButton>("deliver")) || !until([&] { return !desk.delivering(); }, 30000) ||
            desk.rows().size() != 1)
            return fail(ErrorKind::Internal, "no single output");
        if (!desk.rows()[0].result)
            return fail(ErrorKind::Internal, desk.rows()[0].words.toStdString());
        return test::openFile(desk.rows()[0].result->target);
    }

    int clicks_ = 0;
    test::TempFolder folder_;
    std::unique_ptr<MainWindow> window_;
};

} // namespace wyc::app
