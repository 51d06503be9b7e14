// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/steps_desk.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/step_picker.h"
#include "theme/theme.h"

namespace wyc::app {
StepsDesk::StepsDesk(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("stepsDesk"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 4, 6);
    outer->setSpacing(7);
    auto* head = new QHBoxLayout();
    auto* names = new QVBoxLayout();
    names->setSpacing(1);
    name_ = titleLabel({}, this);
    origin_ = new QLabel(this);
    origin_->setProperty("small", true);
    names->addWidget(name_);
    names->addWidget(origin_);
    head->addLayout(names, 1);
    add_ = new QPushButton(tr("Add step"), this);
    add_->setObjectName(QStringLiteral("addStep"));
    auto* picker = new StepPicker(this);
    connect(picker, &StepPicker::picked, this, &StepsDesk::addStep);
    connect(add_, &QPushButton::clicked, this, [this, picker] { picker->openBelow(*add_); });
    head->addWidget(add_);
    head->addSpacing(10);
    outer->addLayout(head);
    strips_ = new ProfileStrips(this);
    auto* stripRow = new QHBoxLayout();
    stripRow->addWidget(strips_);
    stripRow->addSpacing(10);
    outer->addLayout(stripRow);
    auto* scroll = scrollingColumn(this);
    QWidget* content = scroll->widget();
    auto* column = static_cast<QVBoxLayout*>(content->layout());
    chain_ = new QVBoxLayout();
    chain_->setSpacing(6);
    column->addLayout(chain_);
    column->addStretch(1);
    outer->addWidget(scroll, 1);
    connect(&workspace_, &Workspace::activeChanged, this, &StepsDesk::showChain);
    connect(&workspace_, &Workspace::itemsChanged, this, &StepsDesk::showChain);
    connect(&workspace_, &Workspace::measuresChanged, this, [this] { strips_->show(workspace_.activeItem()); });
    showChain();
}

void StepsDesk::showChain() {
    const ItemView* item = workspace_.activeItem();
    strips_->show(item);
    add_->setEnabled(item != nullptr);
    name_->setText(item ? tr("Steps of %1").arg(QString::fromStdString(item->name)) : tr("Steps"));
    origin_->setText(
        item ? tr("from %1 · the source file is never touched").arg(QString::fromStdString(item->source->name))
             : QString());
    const std::vector<Step> steps = item ? item->steps : std::vector<Step>{};
    if (built_ && item && shownFor_ == item->key && shown_ == steps && !item->error)
        return;
    built_ = true;
    shownFor_ = item ? item->key : ItemKey{};
    shown_ = steps;
    clearLayout(chain_);
    if (!item)
        chain_->addWidget(smallLabel(tr("Choose an item on the time board. Its adjustments stand here, in "
                                        "order; each can be changed, switched off or undone."),
                                     this));
    else if (steps.empty())
        chain_->addWidget(smallLabel(tr("No steps: the item is delivered as it came. Add one, drag its lane "
                                        "sideways or by an end, or mend a finding on the Facts desk."),
                                     this));
    for (std::size_t i = 0; i < steps.size(); ++i) {
        chain_->addWidget(stepCard(i, steps));
        if (!item->error || item->failedStep != i)
            continue;
        QFrame* why = cardFrame(colour::kRust, this);
        auto* line = new QVBoxLayout(why);
        line->setContentsMargins(10, 6, 8, 7);
        auto* words = new QLabel(QStringLiteral("✕ ") + QString::fromStdString(item->error->what), why);
        words->setObjectName(QStringLiteral("stepFails"));
        words->setWordWrap(true);
        line->addWidget(words);
        if (!item->error->advice.empty())
            line->addWidget(smallLabel(QString::fromStdString(item->error->advice), why));
        if (i + 1 < steps.size())
            line->addWidget(smallLabel(tr("This step and those behind it do nothing until it is put right."), why));
        chain_->addWidget(why);
    }
    if (item && item->error && !item->failedStep)
        chain_->addWidget(smallLabel(QStringLiteral("✕ ") + QString::fromStdString(item->error->text()), this));
}

QFrame* StepsDesk::stepCard(std::size_t index, const std::vector<Step>& steps) {
    const Step step = steps[index];
    const StepType* type = stepType(step.type);
    QFrame* card = cardFrame(step.on ? QColor(0x3F, 0x7A, 0x6C) : colour::kInk3, this);
    card->setProperty("stepType", QString::fromStdString(step.type));
    auto* column = new QVBoxLayout(card);
    column->setContentsMargins(10, 3, 6, 6);
    column->setSpacing(1);
    auto* head = new QHBoxLayout();
    head->setSpacing(4);
    auto* title = new QLabel(QStringLiteral("<span style='color:#93A8A6'>%1</span>&nbsp; <b>%2</b>&nbsp; %3")
                                 .arg(index + 1)
                                 .arg(type ? text(type->title) : QStringLiteral("?"),
                                      QString::fromStdString(describeStep(step)).toHtmlEscaped()),
                             card);
    title->setEnabled(step.on);
    if (type)
        title->setToolTip(text(type->help));
    title->setWordWrap(true);
    head->addWidget(title, 1);
    const auto button = [&](const QString& words, const QString& name, const QString& tip, auto act) {
        auto* made = new QToolButton(card);
        made->setText(words);
        made->setObjectName(name);
        made->setToolTip(tip);
        connect(made, &QToolButton::clicked, this, act);
        head->addWidget(made);
        return made;
    };
    const auto edited = [this, steps](const QString& label, auto change) {
        std::vector<Step> next = steps;
        change(next);
        workspace_.document().endMerge();
        workspace_.setSteps(ItemKey(shownFor_), next, label);
    };
    if (index > 0)
        button(QStringLiteral("↑"), QStringLiteral("stepUp"), tr("Earlier in the chain"),
               [edited, index] { edited(tr("Move step"), [&](auto& s) { std::swap(s[index], s[index - 1]); }); });
    if (index + 1 < steps.size())
        button(QStringLiteral("↓"), QStringLiteral("stepDown"), tr("Later in the chain"),
               [edited, index] { edited(tr("Move step"), [&](auto& s) { std::swap(s[index], s[index + 1]); }); });
    button(step.on ? tr("on") : tr("off"), QStringLiteral("stepOn"), tr("Switch this step on or off"), [edited, index] {
        edited(tr("Switch step"), [&](auto& s) { s[index].on = !s[index].on; });
    })->setStyleSheet(step.on ? QStringLiteral("color: #6FCFB4;") : QString());
    button(QStringLiteral("✕"), QStringLiteral("stepRemove"), tr("Remove this step"), [edited, index] {
        edited(tr("Remove step"), [&](auto& s) { s.erase(s.begin() + static_cast<std::ptrdiff_t>(index)); });
    });
    column->addLayout(head);
    if (!type || !step.on)
        return card;
    const auto options = checkedOptions(*type, step.options);
    auto* row = new QHBoxLayout();
    row->setSpacing(6);
    for (const StepOption& option : type->options) {
        auto* label = new QLabel(text(option.name), card);
        label->setProperty("small", true);
        label->setToolTip(text(option.help));
        row->addWidget(label);
        row->addWidget(
            optionEditor(index, option, options ? (*options)[std::string(option.name)] : option.standard, card));
    }
    row->addStretch();
    column->addLayout(row);
    return card;
}

QWidget* StepsDesk::optionEditor(std::size_t index, const StepOption& option, const nlohmann::json& value,
                                 QWidget* parent) {
    const std::string name(option.name);
    QWidget* made = nullptr;
    if (option.kind == OptionKind::Choice || option.kind == OptionKind::Axis || option.kind == OptionKind::Unit) {
        auto* box = new QComboBox(parent);
        if (option.kind == OptionKind::Choice)
            for (const std::string_view choice : option.choices)
                box->addItem(text(choice));
        else
            box->addItems(option.kind == OptionKind::Axis
                              ? QStringList{QStringLiteral("X"), QStringLiteral("Y"), QStringLiteral("Z")}
                              : QStringList{QStringLiteral("mm"), QStringLiteral("cm"), QStringLiteral("m"),
                                            QStringLiteral("in"), QStringLiteral("ft")});
        const QString current = QString::fromStdString(value.is_string() ? value.get<std::string>() : value.dump());
        if (box->findText(current) < 0)
            box->addItem(current);
        box->setCurrentText(current);
        connect(box, &QComboBox::activated, this,
                [this, box, index, name] { change(index, name, box->currentText().toStdString()); });
        made = box;
    } else if (option.kind == OptionKind::Switch) {
        auto* box = new QCheckBox(parent);
        box->setChecked(value.is_boolean() && value.get<bool>());
        connect(box, &QCheckBox::clicked, this, [this, index, name](bool on) { change(index, name, on); });
        made = box;
    } else {
        auto* line = new QLineEdit(parent);
        const bool number = option.kind == OptionKind::Number || option.kind == OptionKind::Frame ||
                            option.kind == OptionKind::WholeNumber;
        line->setText(
            QString::fromStdString(value.is_number() ? shortestNumber(value.get<double>()) : value.get<std::string>()));
        line->setFixedWidth(number ? 62 : 104);
        connect(line, &QLineEdit::editingFinished, this, [this, line, index, name, number] {
            if (!line->isModified())
                return;
            const std::string given = line->text().trimmed().toStdString();
            const auto parsed = parseNumber(given);
            if (number && !parsed) {
                line->setProperty("bad", true);
                line->style()->polish(line);
                return;
            }
            change(index, name, number ? nlohmann::json(*parsed) : nlohmann::json(given));
        });
        made = line;
    }
    made->setObjectName(QStringLiteral("option_") + text(option.name));
    made->setToolTip(text(option.help));
    return made;
}

void StepsDesk::change(std::size_t index, const std::string& option, const nlohmann::json& value) {
    std::vector<Step> steps = shown_;
    if (index >= steps.size())
        return;
    steps[index].options[option] = value;
    const StepType* type = stepType(steps[index].type);
    if (const auto checked = checkedOptions(*type, steps[index].options); !checked) {
        emit workspace_.problem(QString::fromStdString(checked.error().text()));
        built_ = false;
        showChain(); // back to what holds
        return;
    }
    workspace_.document().endMerge();
    workspace_.setSteps(ItemKey(shownFor_), steps, tr("Change %1").arg(text(type->title)));
}

void StepsDesk::addStep(const StepType& type) {
    const ItemView* item = workspace_.activeItem();
    if (!item)
        return;
    // Begin with what most likely is meant here: the shot's range, rate, unit.
    nlohmann::json given = nlohmann::json::object();
    const Shot& shot = workspace_.job().shot;
    if (type.id == "trim") {
        const FrameRange range = shot.range.value_or(item->range().value_or(FrameRange{1, 100}));
        given = {{"first", range.first}, {"last", range.last}, {"handles", shot.range ? shot.handles : 0.0}};
    } else if (type.id == "resample" || type.id == "rate") {
        given = {{"rate", workspace_.rate().text()}};
    } else if (type.id == "start") {
        given = {{"frame", workspace_.playRange().first}};
    } else if (type.id == "rename") {
        given = {{"name", item->name}};
    } else if (type.id == "drop") {
        given = {{"frames", frameText(workspace_.frame())}};
    } else if (type.id == "unit" && shot.unitMetres) {
        given = {{"to", unitName(*shot.unitMetres)}};
    }
    const auto options = checkedOptions(type, given);
    if (options)
        workspace_.addSteps(ItemKey(item->key), {Step{std::string(type.id), *options, true}},
                            tr("Add %1").arg(text(type.title)));
}

} // namespace wyc::app
