// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/steps/step_picker.h"

#include <array>

#include <QHeaderView>
#include <QKeyEvent>
#include <QLineEdit>
#include <QScreen>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "desks/desk_parts.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

StepGroup groupOf(const StepType& type) {
    return type.space ? StepGroup::Place : type.group;
}

constexpr int kWidth = 640;

} // namespace

StepPicker::StepPicker(QWidget* parent) : QFrame(parent, Qt::Popup) {
    setObjectName(QStringLiteral("stepPicker"));
    setStyleSheet(
        QStringLiteral("QFrame#stepPicker { background: #172226; border: 1px solid #33474E; } "
                       "QTreeWidget { background: transparent; border: none; } QTreeWidget::item { padding: 2px 0; }"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 8, 8, 8);
    column->setSpacing(6);
    find_ = new QLineEdit(this);
    find_->setObjectName(QStringLiteral("stepFind"));
    find_->setPlaceholderText(tr("find a step"));
    find_->installEventFilter(this);
    column->addWidget(find_);
    list_ = new QTreeWidget(this);
    list_->setObjectName(QStringLiteral("stepList"));
    list_->setColumnCount(2);
    list_->header()->hide();
    list_->setRootIsDecorated(false);
    list_->setIndentation(10);
    list_->setFocusPolicy(Qt::NoFocus); // the keys stay in the field
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    const std::array<QString, 4> titles{tr("Time"), tr("Size and place"), tr("Shape"), tr("Names")};
    for (std::size_t g = 0; g < titles.size(); ++g) {
        auto* group = new QTreeWidgetItem(list_, {titles[g]});
        group->setFlags(Qt::ItemIsEnabled);
        group->setFont(0, textFont(8.5));
        group->setForeground(0, colour::kChalk2);
        group->setFirstColumnSpanned(true);
        for (const StepType& type : stepTypes()) {
            if (static_cast<std::size_t>(groupOf(type)) != g)
                continue;
            auto* line = new QTreeWidgetItem(group, {text(type.title), text(type.help)});
            line->setData(0, Qt::UserRole, text(type.id));
            line->setFont(0, textFont(9.5, QFont::DemiBold));
            line->setFont(1, textFont(9));
            line->setForeground(1, colour::kChalk2);
            line->setToolTip(1, text(type.help));
        }
    }
    list_->expandAll();
    list_->setItemsExpandable(false);
    list_->header()->resizeSection(0, 150);
    list_->header()->setStretchLastSection(true);
    column->addWidget(list_, 1);
    connect(find_, &QLineEdit::textChanged, this, &StepPicker::filter);
    connect(find_, &QLineEdit::returnPressed, this, [this] { pick(list_->currentItem()); });
    connect(list_, &QTreeWidget::itemClicked, this, &StepPicker::pick);
}

void StepPicker::openBelow(const QWidget& anchor) {
    find_->clear();
    filter({});
    const QRect screen = anchor.screen()->availableGeometry();
    int rows = 0;
    for (int g = 0; g < list_->topLevelItemCount(); ++g)
        rows += 1 + list_->topLevelItem(g)->childCount();
    const int height = std::min(rows * list_->sizeHintForRow(0) + 96, screen.height() - 40);
    resize(kWidth, height);
    const QPoint below = anchor.mapToGlobal(QPoint(anchor.width() - kWidth, anchor.height() + 2));
    move(std::clamp(below.x(), screen.left(), std::max(screen.left(), screen.right() - kWidth)),
         std::clamp(below.y(), screen.top(), std::max(screen.top(), screen.bottom() - height)));
    show();
    find_->setFocus();
}

void StepPicker::filter(const QString& words) {
    QTreeWidgetItem* first = nullptr;
    for (int g = 0; g < list_->topLevelItemCount(); ++g) {
        QTreeWidgetItem* group = list_->topLevelItem(g);
        bool any = false;
        for (int i = 0; i < group->childCount(); ++i) {
            QTreeWidgetItem* line = group->child(i);
            const bool fits = words.isEmpty() || line->text(0).contains(words, Qt::CaseInsensitive) ||
                              line->text(1).contains(words, Qt::CaseInsensitive);
            line->setHidden(!fits);
            any = any || fits;
            // What is called so comes before what only speaks of it.
            const bool named = line->text(0).contains(words, Qt::CaseInsensitive);
            if (fits && (!first || (named && !first->text(0).contains(words, Qt::CaseInsensitive))))
                first = line;
        }
        group->setHidden(!any);
    }
    list_->setCurrentItem(first);
}

void StepPicker::pick(const QTreeWidgetItem* item) {
    const StepType* type = item ? stepType(item->data(0, Qt::UserRole).toString().toStdString()) : nullptr;
    if (!type)
        return;
    hide();
    emit picked(*type);
}

void StepPicker::moveBy(int by) {
    QTreeWidgetItem* at = list_->currentItem();
    do
        at = !at ? nullptr : by > 0 ? list_->itemBelow(at) : list_->itemAbove(at);
    while (at && !at->parent());
    if (at)
        list_->setCurrentItem(at);
}

bool StepPicker::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Escape) {
            hide();
            return true;
        }
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            moveBy(key == Qt::Key_Down ? 1 : -1);
            return true;
        }
    }
    return QFrame::eventFilter(watched, event);
}

} // namespace wyc::app
