// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/shot_strip.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStyle>
#include <QVBoxLayout>

#include "base/text.h"
#include "theme/theme.h"

namespace wyc::app {

ShotStrip::ShotStrip(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("shotStrip"));
    setAttribute(Qt::WA_StyledBackground);
    setStyleSheet(QStringLiteral("QWidget#shotStrip { background: #141E22; border-bottom: 1px solid #26363C; }"
                                 "QLineEdit, QComboBox { background: transparent; border: 1px solid transparent; "
                                 "padding: 1px 3px; font-weight: 600; }"
                                 "QLineEdit:hover, QComboBox:hover { border-color: #33474E; } QLineEdit:focus, "
                                 "QComboBox:focus { border-color: #6FCFB4; background: #1B282D; }"));
    name_ = edit(QStringLiteral("shotName"), 92, tr("Name of the shot; it goes into the names of what is delivered"));
    first_ = edit(QStringLiteral("shotFirst"), 52, tr("First frame of the shot, without handles"));
    last_ = edit(QStringLiteral("shotLast"), 52, tr("Last frame of the shot, without handles"));
    handles_ = edit(QStringLiteral("shotHandles"), 30, tr("Frames beyond both ends that have to be there"));
    rate_ = edit(QStringLiteral("shotRate"), 52, tr("Frames a second: 24, 23.976, 30000/1001"));
    length_ = new QLabel(this);
    length_->setFont(textFont(9, QFont::DemiBold));
    length_->setContentsMargins(4, 0, 0, 0);
    unit_ = new QComboBox(this);
    unit_->setObjectName(QStringLiteral("shotUnit"));
    unit_->addItems({tr("not stated"), QStringLiteral("mm"), QStringLiteral("cm"), QStringLiteral("m"),
                     QStringLiteral("in"), QStringLiteral("ft")});
    unit_->setToolTip(tr("Unit of lengths; sources that state none are read in it"));
    up_ = new QComboBox(this);
    up_->setObjectName(QStringLiteral("shotUp"));
    up_->addItems({tr("not stated"), QStringLiteral("Y"), QStringLiteral("Z"), QStringLiteral("X")});
    up_->setToolTip(tr("The axis that points up"));
    faults_ = new QPushButton(this);
    cautions_ = new QPushButton(this);
    faults_->setObjectName(QStringLiteral("faultCount"));
    cautions_->setObjectName(QStringLiteral("cautionCount"));
    for (QPushButton* button : {faults_, cautions_}) {
        button->setCursor(Qt::PointingHandCursor);
        button->setToolTip(tr("Show the findings of all items"));
        connect(button, &QPushButton::clicked, this, [this] {
            if (workspace_.checked() == Checked::Stopped)
                workspace_.checkAgain();
            else
                emit findingsAsked();
        });
    }

    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 4, 12, 5);
    layout->setSpacing(0);
    const auto dash = [this](const QString& text) {
        auto* label = new QLabel(text, this);
        label->setProperty("dim", true);
        return label;
    };
    layout->addWidget(field(tr("Shot"), {name_}));
    layout->addWidget(
        field(tr("Range ± handles"), {first_, dash(QStringLiteral("–")), last_, dash(QStringLiteral("±")), handles_}));
    layout->addWidget(field(tr("Length"), {length_}));
    layout->addWidget(field(tr("Rate, fps"), {rate_}));
    layout->addWidget(field(tr("Unit"), {unit_}));
    layout->addWidget(field(tr("Up"), {up_}));
    layout->addStretch(1);
    layout->addWidget(faults_);
    layout->addSpacing(8);
    layout->addWidget(cautions_);

    for (QLineEdit* line : {name_, first_, last_, handles_, rate_})
        connect(line, &QLineEdit::editingFinished, this, &ShotStrip::take);
    connect(unit_, &QComboBox::activated, this, &ShotStrip::take);
    connect(up_, &QComboBox::activated, this, &ShotStrip::take);
    connect(&workspace_, &Workspace::jobChanged, this, &ShotStrip::show);
    connect(&workspace_, &Workspace::findingsChanged, this, &ShotStrip::showCounts);
    connect(&workspace_, &Workspace::checkedChanged, this, &ShotStrip::showCounts);
    show();
    showCounts();
}

QLineEdit* ShotStrip::edit(const QString& name, int width, const QString& tip) {
    auto* line = new QLineEdit(this);
    line->setObjectName(name);
    line->setFixedWidth(width);
    line->setToolTip(tip);
    return line;
}

QWidget* ShotStrip::field(const QString& title, std::initializer_list<QWidget*> widgets) {
    auto* box = new QWidget(this);
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 18, 0);
    column->setSpacing(0);
    auto* label = new QLabel(title, box);
    label->setFont(textFont(8));
    label->setProperty("dim", true);
    label->setContentsMargins(4, 0, 0, 0);
    column->addWidget(label);
    auto* row = new QHBoxLayout();
    row->setSpacing(2);
    row->setContentsMargins(0, 0, 0, 0);
    for (QWidget* widget : widgets) {
        widget->setFixedHeight(22);
        row->addWidget(widget);
    }
    row->addStretch();
    column->addLayout(row);
    return box;
}

void ShotStrip::show() {
    const Shot& shot = workspace_.job().shot;
    const auto set = [](QLineEdit* line, const QString& text) {
        if (!line->hasFocus() || line->text() != text)
            line->setText(text);
        line->setModified(false); // it holds
        line->setProperty("bad", false);
        line->setProperty("waits", false);
        line->style()->polish(line);
        line->setCursorPosition(0);
    };
    set(name_, QString::fromStdString(shot.name));
    name_->setPlaceholderText(tr("unnamed"));
    set(first_, shot.range ? QString::fromStdString(frameText(shot.range->first)) : QString());
    set(last_, shot.range ? QString::fromStdString(frameText(shot.range->last)) : QString());
    first_->setPlaceholderText(tr("first"));
    last_->setPlaceholderText(tr("last"));
    set(handles_, QString::fromStdString(frameText(shot.handles)));
    set(rate_, shot.rate ? QString::fromStdString(shot.rate->shortText()) : QString());
    rate_->setPlaceholderText(QStringLiteral("24?"));
    unit_->setCurrentText(shot.unitMetres ? QString::fromStdString(unitName(*shot.unitMetres)) : tr("not stated"));
    up_->setCurrentText(shot.upAxis ? QString::fromLatin1(upAxisName(*shot.upAxis)) : tr("not stated"));
    length_->setText(shot.range ? tr("%1 frames · %2 s")
                                      .arg(QString::fromStdString(frameText(shot.range->count())))
                                      .arg(shot.range->count() / shot.rateOrDefault().value(), 0, 'f', 3)
                                : QStringLiteral("–"));
}

void ShotStrip::take() {
    Shot shot = workspace_.job().shot;
    QStringList wrong; // the rest is taken all the same
    const auto refuse = [&](QLineEdit* line, const QString& words) {
        wrong << tr("“%1”: %2").arg(line->text(), words);
        line->setModified(false);
    };
    shot.name = safeName(name_->text().trimmed().toStdString());
    if (name_->text().trimmed().isEmpty())
        shot.name.clear();
    const auto first = parseNumber(first_->text().toStdString());
    const auto last = parseNumber(last_->text().toStdString());
    // One end is kept as it was typed until the other follows it.
    const bool waits = first && last && *last < *first && first_->isModified() != last_->isModified();
    if (first_->text().isEmpty() && last_->text().isEmpty())
        shot.range.reset();
    else if (!first && !first_->text().isEmpty())
        refuse(first_, tr("a frame is a number"));
    else if (!last && !last_->text().isEmpty())
        refuse(last_, tr("a frame is a number"));
    else if (first && last && *last < *first && !waits)
        refuse(last_, tr("a shot ends after it begins (%1 – %2)").arg(first_->text(), last_->text()));
    else if (first && last && *last >= *first)
        shot.range = FrameRange{*first, *last};
    const bool halfRange = first_->text().isEmpty() != last_->text().isEmpty() || waits;
    for (QLineEdit* line : {first_, last_}) {
        line->setProperty("waits", waits && line->isModified());
        line->style()->polish(line);
    }
    if (waits)
        length_->setText(first_->isModified() ? tr("until which frame?") : tr("from which frame?"));
    const auto handles = parseNumber(handles_->text().toStdString());
    if (handles && *handles >= 0.0)
        shot.handles = *handles;
    else
        refuse(handles_, tr("handles are 0 or more frames"));
    const auto rate = FrameRate::parse(rate_->text().toStdString());
    if (rate_->text().isEmpty())
        shot.rate.reset();
    else if (rate)
        shot.rate = *rate;
    else
        refuse(rate_, tr("a rate is as 24, 23.976 or 30000/1001"));
    const auto unit = parseUnit(unit_->currentText().toStdString());
    shot.unitMetres = unit ? std::optional(*unit) : std::nullopt;
    const auto up = parseUpAxis(up_->currentText().toStdString());
    shot.upAxis = up ? std::optional(*up) : std::nullopt;
    if (shot != workspace_.job().shot)
        workspace_.document().edit("Change the shot", [&](Job& job) { job.shot = shot; });
    if (!wrong.isEmpty()) {
        if (!halfRange)
            show(); // what holds
        emit refused(wrong.join(QStringLiteral("\n")));
    }
}

void ShotStrip::showCounts() {
    int faults = 0;
    int cautions = 0;
    for (const ItemFinding& found : workspace_.findings()) {
        faults += found.finding.severity == Severity::Fault;
        cautions += found.finding.severity == Severity::Caution;
    }
    const bool any = !workspace_.items().empty() || !workspace_.findings().empty();
    const auto style = [](QPushButton* button, const QColor& c, bool strong) {
        QColor back = c;
        back.setAlpha(strong ? 46 : 18);
        button->setStyleSheet(
            QStringLiteral(
                "QPushButton { background: rgba(%1,%2,%3,%4); color: %5; border: none; border-radius: 3px; "
                "padding: 5px 11px; font-weight: 600; } QPushButton:hover { background: rgba(%1,%2,%3,80); }")
                .arg(c.red())
                .arg(c.green())
                .arg(c.blue())
                .arg(back.alpha())
                .arg(strong ? c.lighter(112).name() : QStringLiteral("#93A8A6")));
    };
    const QString counted = faults == 0 ? tr("no faults") : faults == 1 ? tr("1 fault") : tr("%1 faults").arg(faults);
    const Checked checked = workspace_.checked();
    // What is not known is grey: neither passed nor failed.
    const QString words = checked == Checked::Underway  ? tr("… checking")
                          : checked == Checked::Stopped ? tr("? not checked")
                          : checked == Checked::Outdated
                              ? (faults == 0 ? tr("? files have changed") : tr("? %1, as read").arg(counted))
                              : (faults == 0 ? QStringLiteral("✓ ") : QStringLiteral("✕ ")) + counted;
    faults_->setText(words);
    faults_->setToolTip(checked == Checked::Underway
                            ? tr("Items are measured and checked; until then nothing is known of them")
                        : checked == Checked::Stopped  ? tr("The check was stopped. Click to check again")
                        : checked == Checked::Outdated ? tr("This is of what was read; files are others by now")
                                                       : tr("All findings"));
    if (checked != Checked::Yes) {
        style(faults_, colour::kChalk2, false);
        style(cautions_, colour::kChalk2, false);
    } else {
        style(faults_, faults == 0 ? colour::kMoss : colour::kRust, true);
        style(cautions_, colour::kStraw, true);
    }
    cautions_->setText(cautions == 1 ? QStringLiteral("! %1").arg(tr("1 caution"))
                                     : QStringLiteral("! %1").arg(tr("%1 cautions").arg(cautions)));
    faults_->setVisible(any);
    cautions_->setVisible(any && cautions > 0);
}

} // namespace wyc::app
