// SPDX-License-Identifier: GPL-3.0-or-later
// Nothing is cut off or out of sight, from a small window (as a 1920 × 1080 screen at scale 2 has it) to a large one.
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QSplitter>

#include "board/time_board.h"
#include "desks/loop/loop_desk.h"
#include "support/demo.h"
#include "view/transport.h"
#include "window_fixture.h"

namespace wyc::app {
namespace {

class Sizes : public WindowTest, public testing::WithParamInterface<QSize> {
  protected:
    // What a widget needs to show its words whole, as far as it says so.
    static std::optional<QString> cutOff(const QWidget& widget) {
        const auto say = [&](const QString& words, QSize needed) {
            return QStringLiteral("“%1” (%2) has %3×%4, needs %5×%6")
                .arg(words, widget.objectName())
                .arg(widget.width())
                .arg(widget.height())
                .arg(needed.width())
                .arg(needed.height());
        };
        if (widget.property("keepsToWidth").toBool())
            return std::nullopt; // cut with an ellipsis, whole in the tip
        if (const auto* label = qobject_cast<const QLabel*>(&widget); label && !label->text().isEmpty()) {
            const QSize needed =
                label->wordWrap() ? QSize(0, label->heightForWidth(label->width())) : label->sizeHint();
            if (needed.width() > label->width() + 1 || needed.height() > label->height() + 1)
                return say(label->text(), needed);
        }
        if (const auto* button = qobject_cast<const QAbstractButton*>(&widget); button && !button->text().isEmpty()) {
            const int words = button->fontMetrics().horizontalAdvance(button->text());
            if (words > button->width() - 4)
                return say(button->text(), QSize(words + 4, 0));
        }
        if (const auto* box = qobject_cast<const QComboBox*>(&widget)) {
            const int words = box->fontMetrics().horizontalAdvance(box->currentText());
            if (words > box->width() - 18)
                return say(box->currentText(), QSize(words + 18, 0));
        }
        return std::nullopt;
    }
    void expectAllIsThere(const QString& where) {
        const QRect whole = window_->rect();
        for (QWidget* widget : window_->findChildren<QWidget*>()) {
            if (!widget->isVisible() || widget->width() == 0)
                continue;
            if (!qobject_cast<QLabel*>(widget) && !qobject_cast<QAbstractButton*>(widget) &&
                !qobject_cast<QComboBox*>(widget) && !qobject_cast<QLineEdit*>(widget))
                continue;
            // What lies in a column that scrolls has to keep to its width; all else to the window.
            QRect room = whole;
            bool scrolls = false;
            for (QWidget* up = widget->parentWidget(); up; up = up->parentWidget())
                if (auto* area = qobject_cast<QScrollArea*>(up)) {
                    room = QRect(area->viewport()->mapTo(window_.get(), QPoint()), area->viewport()->size());
                    scrolls = true;
                }
            const QRect rect(widget->mapTo(window_.get(), QPoint()), widget->size());
            const bool inside = rect.left() >= room.left() && rect.right() <= room.right() + 1 &&
                                (scrolls || (rect.top() >= room.top() && rect.bottom() <= room.bottom() + 1));
            EXPECT_TRUE(inside) << where.toStdString() << ": " << widget->metaObject()->className() << " "
                                << widget->objectName().toStdString() << " lies at " << rect.left() << " – "
                                << rect.right() << ", " << rect.top() << " – " << rect.bottom() << " of " << room.left()
                                << " – " << room.right() << ", " << room.bottom();
            for (QObject* other : widget->parentWidget()->children())
                if (auto* beside = qobject_cast<QWidget*>(other);
                    beside && beside > widget && beside->isVisible() && !beside->isWindow() &&
                    (qobject_cast<QLabel*>(beside) || qobject_cast<QAbstractButton*>(beside) ||
                     qobject_cast<QLineEdit*>(beside)))
                    EXPECT_FALSE(beside->geometry().intersects(widget->geometry()))
                        << where.toStdString() << ": " << widget->objectName().toStdString() << " lies over "
                        << beside->objectName().toStdString();
            if (const auto words = cutOff(*widget))
                ADD_FAILURE() << where.toStdString() << ": " << words->toStdString();
        }
    }
};

TEST_P(Sizes, NothingIsCutOff) {
    const test::TempFolder demo;
    const fs::path job = test::copyDemo(demo / "demo");
    window_->resize(GetParam());
    workspace().openJob(QString::fromStdString(job.string()));
    ASSERT_TRUE(until([&] { return !workspace().items().empty() && !workspace().findings().empty(); }));
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->size(), GetParam()); // it can be so small
    // Something with steps, findings and a long name.
    for (const ItemView& item : workspace().items())
        if (item.source->name == "lantern_jelly_back.mdd")
            workspace().setActive(ItemKey(item.key));
    workspace().addSteps(workspace().active(), {{"rename", {{"name", std::string(90, 'n')}}, true}},
                         QStringLiteral("Rename"));
    workspace().addSteps(workspace().active(), {{"hold", {{"before", 4.0}}, true}}, QStringLiteral("Hold"));
    ASSERT_TRUE(settle());
    for (int desk = 0; desk < window_->desks().count(); ++desk) {
        window_->desks().setCurrentIndex(desk);
        ASSERT_TRUE(settle());
        ASSERT_TRUE(until([&] { return !window_->desk<LoopDesk>().looking(); }) && settle());
        expectAllIsThere(window_->desks().tabText(desk));
    }
    EXPECT_GE(window_->timeBoard().height(), 105);
    EXPECT_GE(window_->viewport().height(), 150);
    EXPECT_GE(window_->viewport().width(), 440);
}

INSTANTIATE_TEST_SUITE_P(Windows, Sizes,
                         testing::Values(QSize(960, 540), QSize(1024, 700), QSize(1280, 800), QSize(1900, 1000)));

} // namespace
} // namespace wyc::app
