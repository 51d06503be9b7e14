// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/notice.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

#include "theme/theme.h"

namespace wyc::app {

Notice::Notice(const QString& name, const QColor& colour, QWidget* parent) : QWidget(parent) {
    setObjectName(name);
    setAttribute(Qt::WA_StyledBackground);
    const auto mixed = [&](int channel, int ink) { return (channel * 20 + ink * 80) / 100; };
    const QColor back(mixed(colour.red(), colour::kInk1.red()), mixed(colour.green(), colour::kInk1.green()),
                      mixed(colour.blue(), colour::kInk1.blue()));
    setStyleSheet(QStringLiteral("QWidget#%1 { background: %2; border: 1px solid %3; border-radius: 4px; }")
                      .arg(name, back.name(), colour.name()));
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(14, 5, 8, 5);
    words_ = new QLabel(this);
    words_->setObjectName(name + QStringLiteral("Text"));
    words_->setWordWrap(true);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    act_ = new QPushButton(this);
    act_->setObjectName(name + QStringLiteral("Act"));
    act_->setProperty("small", true);
    connect(act_, &QPushButton::clicked, this, [this] {
        hide();
        if (does_)
            does_();
    });
    auto* dismiss = new QToolButton(this);
    dismiss->setText(QStringLiteral("✕"));
    dismiss->setToolTip(tr("Take this line away"));
    connect(dismiss, &QToolButton::clicked, this, &QWidget::hide);
    row->addWidget(words_, 1);
    row->addWidget(act_);
    row->addWidget(dismiss);
    hide();
}

void Notice::tell(const QString& words) {
    tell(words, {}, {});
}

void Notice::tell(const QString& words, const QString& act, std::function<void()> does) {
    words_->setText(words);
    act_->setText(act);
    act_->setVisible(!act.isEmpty());
    does_ = std::move(does);
    told_.start();
    show();
}

QString Notice::words() const {
    return words_->text();
}

Notices::Notices(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    hide();
}

void Notices::add(Notice* notice) {
    layout()->addWidget(notice);
    notice->installEventFilter(this);
}

void Notices::place(int top, int width) {
    top_ = top;
    room_ = width;
    fit();
}

bool Notices::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::ShowToParent || event->type() == QEvent::HideToParent ||
        event->type() == QEvent::LayoutRequest)
        fit();
    return QWidget::eventFilter(watched, event);
}

void Notices::fit() {
    constexpr int kWidest = 820;
    const auto notices = findChildren<Notice*>(Qt::FindDirectChildrenOnly);
    const bool any = std::any_of(notices.begin(), notices.end(), [](const Notice* n) { return !n->isHidden(); });
    setVisible(any);
    if (!any)
        return;
    const int width = std::min(kWidest, room_ - 32);
    setGeometry((room_ - width) / 2, top_, width, std::max(24, layout()->totalHeightForWidth(width)));
    raise();
}

} // namespace wyc::app
