// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/notice.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>

#include "theme/theme.h"

namespace wyc::app {

Notice::Notice(const QString& name, const QColor& colour, QWidget* parent) : QWidget(parent) {
    setObjectName(name);
    setAttribute(Qt::WA_StyledBackground);
    const auto mixed = [&](int channel, int ink) { return (channel * 20 + ink * 80) / 100; };
    const QColor back(mixed(colour.red(), colour::kInk1.red()), mixed(colour.green(), colour::kInk1.green()),
                      mixed(colour.blue(), colour::kInk1.blue()));
    setStyleSheet(QStringLiteral("QWidget#%1 { background: %2; border-bottom: 1px solid %3; }")
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
    show();
}

QString Notice::words() const {
    return words_->text();
}

} // namespace wyc::app
