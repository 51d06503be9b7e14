// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/deliver/delivery_form.h"

#include <cmath>

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

#include "base/text.h"
#include "desks/option_editor.h"
#include "formats/format.h"
#include "time/frame_text.h"

namespace wyc::app {

DeliveryForm::DeliveryForm(QWidget* parent) : QWidget(parent) {
    makeFields();
    placeFields();
    connectFields();
}

void DeliveryForm::makeFields() {
    const auto combo = [&](const QString& name) {
        auto* box = new QComboBox(this);
        box->setObjectName(name);
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(9);
        return box;
    };
    format_ = combo(QStringLiteral("deliverFormat"));
    for (const Format& format : formats())
        if (format.write && format.offered)
            format_->addItem(QString::fromUtf8(format.name.data(), static_cast<qsizetype>(format.name.size())),
                             QString::fromUtf8(format.id.data(), static_cast<qsizetype>(format.id.size())));
    range_ = combo(QStringLiteral("deliverRange"));
    range_->addItems({tr("shot with handles"), tr("shot without handles"), tr("all there is")});
    range_->setEditable(true);
    range_->setInsertPolicy(QComboBox::NoInsert);
    rate_ = combo(QStringLiteral("deliverRate"));
    rate_->setEditable(true);
    rate_->addItems(
        {tr("as it is"), QStringLiteral("24"), QStringLiteral("25"), QStringLiteral("30"), QStringLiteral("23.976")});
    unit_ = combo(QStringLiteral("deliverUnit"));
    unit_->addItems({tr("as it is"), QStringLiteral("mm"), QStringLiteral("cm"), QStringLiteral("m"),
                     QStringLiteral("in"), QStringLiteral("ft")});
    up_ = combo(QStringLiteral("deliverUp"));
    up_->addItems({tr("as it is"), QStringLiteral("Y"), QStringLiteral("Z"), QStringLiteral("X")});
    first_ = new QLineEdit(this);
    first_->setObjectName(QStringLiteral("deliverFirst"));
    first_->setPlaceholderText(tr("as it is"));
    template_ = new QLineEdit(this);
    template_->setObjectName(QStringLiteral("deliverTemplate"));
    folder_ = new QLineEdit(this);
    folder_->setObjectName(QStringLiteral("deliverFolder"));
    folderRow_ = new QWidget(this);
    auto* folderLayout = new QHBoxLayout(folderRow_);
    folderLayout->setContentsMargins(0, 0, 0, 0);
    folderLayout->setSpacing(4);
    browse_ = new QToolButton(folderRow_);
    browse_->setText(QStringLiteral("…"));
    browse_->setToolTip(tr("Choose a folder"));
    folderLayout->addWidget(folder_);
    folderLayout->addWidget(browse_);
    frames_ = new QLineEdit(this);
    frames_->setObjectName(QStringLiteral("deliverFrames"));
    frames_->setPlaceholderText(tr("all of the range"));
    lead_ = new QLineEdit(this);
    lead_->setObjectName(QStringLiteral("deliverLead"));
    lead_->setPlaceholderText(tr("0 frames"));
    length_ = new QLineEdit(this);
    length_->setObjectName(QStringLiteral("deliverLength"));
    length_->setPlaceholderText(tr("as it is"));
    shutter_ = combo(QStringLiteral("deliverShutter"));
    shutter_->setEditable(true);
    shutter_->addItems(
        {tr("one a frame"), QStringLiteral("-0.25 0.25 3"), QStringLiteral("0 0.5 3"), QStringLiteral("-0.25 0.25 5")});
    // What is seldom changed stays folded, so that the outputs are in sight.
    more_ = new QToolButton(this);
    more_->setObjectName(QStringLiteral("deliverMore"));
    more_->setCheckable(true);
    more_->setToolTip(tr("Chosen frames, exact length, samples within a frame, settling frames"));
    oneFile_ = new QCheckBox(tr("all items in one file"), this);
    oneFile_->setObjectName(QStringLiteral("deliverOneFile"));
    replace_ = new QCheckBox(tr("replace what is there"), this);
    replace_->setToolTip(tr("Only for names without {version}: otherwise nothing is ever replaced"));
    world_ = new QCheckBox(tr("in world space"), this);
    world_->setObjectName(QStringLiteral("deliverWorld"));
    world_->setToolTip(tr("Transforms go into the points; cameras get the whole way as one matrix"));
}

void DeliveryForm::placeFields() {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(5);
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    const auto place = [&](int row, int column2, const QString& name, QWidget* widget, const QString& tip,
                           int span = 1) {
        auto* label = new QLabel(name, this);
        label->setProperty("dim", true);
        label->setToolTip(tip);
        widget->setToolTip(tip);
        grid->addWidget(label, row, column2 * 2);
        grid->addWidget(widget, row, column2 * 2 + 1, 1, span);
    };
    place(0, 0, tr("format"), format_, tr("What is written; what it cannot carry is listed below"));
    place(0, 1, tr("range"), range_,
          tr("Frames that are written: the shot's, all, or a range of your own as 1009:1060"));
    place(1, 0, tr("unit"), unit_, tr("Unit of the delivery: sizes are converted"));
    place(1, 1, tr("up"), up_, tr("Up axis of the delivery: turned, handedness kept"));
    place(2, 0, tr("rate"), rate_, tr("Resampled to this rate; seconds are kept"));
    place(2, 1, tr("first frame"), first_, tr("Number of the range's first frame in what is written"));
    grid->addWidget(more_, 6, 3, Qt::AlignLeft);
    place(7, 0, tr("frames"), frames_, tr("Only these frames of the range, as 1009,1020:1024"));
    place(7, 1, tr("length"), length_, tr("Exactly so many frames; fewer are refused"));
    place(8, 0, tr("samples"), shutter_,
          tr("Samples within a frame: shutter open, shutter close (in frames from it), how many"));
    place(8, 1, tr("lead"), lead_, tr("Settling frames left out at the start of each item"));
    place(3, 0, tr("name"), template_, tr("{shot} {item} {version}; the next free version is taken"), 3);
    place(4, 0, tr("folder"), folderRow_, tr("Where it goes"), 3);
    grid->addWidget(oneFile_, 5, 1);
    grid->addWidget(world_, 5, 3);
    grid->addWidget(replace_, 6, 1);
    for (QWidget* field : std::initializer_list<QWidget*>{frames_, length_, shutter_, lead_})
        folded_.push_back(field);
    for (int row : {7, 8})
        for (int column2 : {0, 2})
            folded_.push_back(grid->itemAtPosition(row, column2)->widget());
}

void DeliveryForm::connectFields() {
    connect(more_, &QToolButton::toggled, this, [this] { showFolded(); });
    connect(format_, &QComboBox::activated, this, [this] {
        change("Choose format", [this](DeliverySpec& s) {
            s.format = format_->currentData().toString().toStdString();
            s.formatOptions = nlohmann::json::object();
        });
    });
    const auto chooseRange = [this](int index) {
        change("Choose range", [&](DeliverySpec& s) {
            s.range.reset();
            s.wholeRange = index == 2;
            s.handles = index == 1 ? std::optional(0.0) : std::nullopt;
        });
    };
    connect(range_, &QComboBox::activated, this, chooseRange);
    connect(range_->lineEdit(), &QLineEdit::editingFinished, this, [this, chooseRange] {
        const QString given = range_->currentText().trimmed();
        if (given == rangeWords(shown_))
            return;
        if (const int index = range_->findText(given); index >= 0) {
            chooseRange(index);
            return;
        }
        const auto range = FrameRange::parse(given.toStdString());
        if (!range || range->last < range->first) {
            refuse(tr("“%1”: a range is as 1009:1060").arg(given));
            return;
        }
        change("Choose range", [&](DeliverySpec& s) { // exactly those: no handles are added
            s.range = *range;
            s.wholeRange = false;
            s.handles = 0.0;
        });
    });
    const auto takeRate = [this] {
        const QString given = rate_->currentText().trimmed();
        const auto rate = FrameRate::parse(given.toStdString());
        if (!rate && !given.isEmpty() && given != tr("as it is")) {
            refuse(tr("“%1”: a rate is as 24, 23.976 or 30000/1001").arg(given));
            return;
        }
        change("Choose rate", [&](DeliverySpec& s) { s.rate = rate ? std::optional(*rate) : std::nullopt; });
    };
    connect(rate_, &QComboBox::activated, this, takeRate);
    connect(rate_->lineEdit(), &QLineEdit::editingFinished, this, takeRate);
    connect(unit_, &QComboBox::activated, this, [this] {
        const auto unit = parseUnit(unit_->currentText().toStdString());
        change("Choose unit", [&](DeliverySpec& s) { s.unitMetres = unit ? std::optional(*unit) : std::nullopt; });
    });
    connect(up_, &QComboBox::activated, this, [this] {
        const auto up = parseUpAxis(up_->currentText().toStdString());
        change("Choose up axis", [&](DeliverySpec& s) { s.upAxis = up ? std::optional(*up) : std::nullopt; });
    });
    connect(first_, &QLineEdit::editingFinished, this, [this] {
        const QString given = first_->text().trimmed();
        const auto frame = parseNumber(given.toStdString());
        if (!frame && !given.isEmpty()) {
            refuse(tr("“%1”: a frame is a number").arg(given));
            return;
        }
        change("Choose first frame", [&](DeliverySpec& s) { s.firstFrame = frame; });
    });
    connect(frames_, &QLineEdit::editingFinished, this, [this] {
        const std::string given = frames_->text().trimmed().toStdString();
        if (const auto frames = parseFrameList(given); !frames)
            refuse(QString::fromStdString(frames.error().text()));
        else
            change("Choose frames", [&](DeliverySpec& s) { s.frames = given; });
    });
    connect(lead_, &QLineEdit::editingFinished, this, [this] {
        if (const auto lead = frameCount(lead_, 0.0))
            change("Leave a lead out", [&](DeliverySpec& s) { s.lead = lead->value_or(0.0); });
    });
    connect(length_, &QLineEdit::editingFinished, this, [this] {
        if (const auto length = frameCount(length_, 1.0))
            change("Choose length", [&](DeliverySpec& s) { s.length = *length; });
    });
    const auto takeShutter = [this] {
        const QString text = shutter_->currentText();
        if (text == tr("one a frame") || text.trimmed().isEmpty()) {
            change("Choose samples", [](DeliverySpec& s) { s.shutter.reset(); });
            return;
        }
        std::vector<double> numbers;
        for (const QString& word : text.split(QLatin1Char(' '), Qt::SkipEmptyParts))
            if (const auto number = parseNumber(word.toStdString()))
                numbers.push_back(*number);
        if (numbers.size() != 3 || numbers[2] < 1.0) {
            refuse(tr("“%1” is no shutter. Write open, close and number, as -0.25 0.25 3").arg(text));
            return;
        }
        change("Choose samples", [&](DeliverySpec& s) {
            s.shutter = ShutterSpec{numbers[0], numbers[1], static_cast<int>(numbers[2])};
        });
    };
    connect(shutter_, &QComboBox::activated, this, takeShutter);
    connect(shutter_->lineEdit(), &QLineEdit::editingFinished, this, takeShutter);
    connect(world_, &QCheckBox::clicked, this, [this](bool on) {
        const Format* format = formatById(shown_.format);
        const bool transforms = format && format->keeps(Content::Transforms);
        change(on ? "World space" : "Own space", [&](DeliverySpec& s) {
            s.world = on && transforms;
            s.ownSpace = !on && !transforms;
        });
    });
    connect(template_, &QLineEdit::editingFinished, this, [this] {
        change("Change name", [this](DeliverySpec& s) { s.nameTemplate = template_->text().toStdString(); });
    });
    connect(folder_, &QLineEdit::editingFinished, this,
            [this] { change("Choose folder", [this](DeliverySpec& s) { s.folder = folder_->text().toStdString(); }); });
    connect(browse_, &QToolButton::clicked, this, [this] {
        const QString path = QFileDialog::getExistingDirectory(this, tr("Where it goes"), folder_->text());
        if (!path.isEmpty())
            change("Choose folder", [&](DeliverySpec& s) { s.folder = path.toStdString(); });
    });
    connect(oneFile_, &QCheckBox::clicked, this,
            [this](bool on) { change("One file", [&](DeliverySpec& s) { s.oneFile = on; }); });
    connect(replace_, &QCheckBox::clicked, this,
            [this](bool on) { change("Replace", [&](DeliverySpec& s) { s.replace = on; }); });
}

void DeliveryForm::change(const char* label, const Change& change) {
    emit edited(label, change);
}

void DeliveryForm::refuse(const QString& why) {
    show(DeliverySpec(shown_)); // back to what holds
    emit refused(why);
}

// A whole number of frames, or nothing for an empty field; no answer, and a word about it, for anything else.
std::optional<std::optional<double>> DeliveryForm::frameCount(QLineEdit* field, double least) {
    const QString text = field->text().trimmed();
    if (text.isEmpty())
        return std::optional<double>();
    const auto number = parseNumber(text.toStdString());
    if (number && *number >= least && *number == std::round(*number))
        return number;
    refuse(tr("“%1” is no number of frames").arg(text));
    return std::nullopt;
}

void DeliveryForm::show(const DeliverySpec& s) {
    shown_ = s;
    format_->setCurrentIndex(std::max(0, format_->findData(QString::fromStdString(s.format))));
    range_->setEditText(rangeWords(s));
    range_->lineEdit()->setCursorPosition(0);
    rate_->setCurrentText(s.rate ? QString::fromStdString(s.rate->shortText()) : tr("as it is"));
    unit_->setCurrentText(s.unitMetres ? QString::fromStdString(unitName(*s.unitMetres)) : tr("as it is"));
    up_->setCurrentText(s.upAxis ? QString::fromLatin1(upAxisName(*s.upAxis)) : tr("as it is"));
    first_->setText(s.firstFrame ? QString::fromStdString(frameText(*s.firstFrame)) : QString());
    frames_->setText(QString::fromStdString(s.frames));
    lead_->setText(s.lead > 0.0 ? QString::fromStdString(frameText(s.lead)) : QString());
    length_->setText(s.length ? QString::fromStdString(frameText(*s.length)) : QString());
    shutter_->setCurrentText(s.shutter ? QStringLiteral("%1 %2 %3")
                                             .arg(QString::fromStdString(shortestNumber(s.shutter->open)),
                                                  QString::fromStdString(shortestNumber(s.shutter->close)))
                                             .arg(s.shutter->samples)
                                       : tr("one a frame"));
    // Without transforms to hold them, points stand in the world unless they are asked for as they are.
    const Format* target = formatById(s.format);
    world_->setChecked(s.world || (target && !target->keeps(Content::Transforms) && !s.ownSpace));
    showFolded();
    template_->setText(QString::fromStdString(s.nameTemplate));
    folder_->setText(QString::fromStdString(s.folder.string()));
    folder_->setCursorPosition(0);
    const Format* format = formatById(s.format);
    showFormatOptions(s);
    oneFile_->setVisible(format && format->manyItems);
    oneFile_->setChecked(s.oneFile);
    replace_->setChecked(s.replace);
}

QString DeliveryForm::rangeWords(const DeliverySpec& s) const {
    if (s.range)
        return QString::fromStdString((s.handles ? s.range->widened(*s.handles) : *s.range).text());
    return range_->itemText(s.wholeRange ? 2 : s.handles ? 1 : 0);
}

// Made anew for another format, or when another value holds; not while a field of it speaks.
void DeliveryForm::showFormatOptions(const DeliverySpec& s) {
    if (formatShown_ && *formatShown_ == std::pair{s.format, s.formatOptions})
        return;
    formatShown_ = std::pair{s.format, s.formatOptions};
    if (formatOptions_)
        formatOptions_->deleteLater();
    const Format* format = formatById(s.format);
    formatOptions_ = optionsEditor(
        format ? format->writeOptions : Options(), s.formatOptions, this,
        [this](const std::string& name, const nlohmann::json& value) {
            const Format* chosen = formatById(shown_.format);
            nlohmann::json options = shown_.formatOptions;
            options[name] = value;
            if (const auto checked = chosenAs(*chosen, options); !checked) {
                formatShown_.reset();
                refuse(QString::fromStdString(checked.error().text()));
            } else {
                change("Choose how it is written", [&](DeliverySpec& spec) {
                    spec.formatOptions = options;
                    if (chosen->assembles &&
                        chosen->assembles((*checked)->chosen)) // of all items, that is what it is for
                        spec.oneFile = true;
                });
            }
        },
        [this](const QString& why) {
            formatShown_.reset();
            refuse(why);
        });
    if (formatOptions_)
        static_cast<QGridLayout*>(layout())->addWidget(formatOptions_, 9, 0, 1, 4);
}

void DeliveryForm::showFolded() {
    const DeliverySpec& s = shown_;
    const bool used = !s.frames.empty() || s.length || s.shutter || s.lead > 0.0;
    const bool open = used || more_->isChecked();
    more_->setText(open ? tr("fewer settings ▴") : tr("more settings ▾"));
    more_->setEnabled(!used);
    for (QWidget* widget : folded_)
        widget->setVisible(open);
}

} // namespace wyc::app
