// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/steps/steps_desk.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/flow_layout.h"
#include "desks/option_editor.h"
#include "desks/steps/step_picker.h"
#include "plots/curve_plot.h"
#include "steps/time/retime_curve.h"
#include "steps/time/time_parts.h"
#include "theme/theme.h"
#include "time/frame_text.h"

namespace wyc::app {
StepsDesk::StepsDesk(Workspace& workspace, QWidget* parent) : Desk(parent), workspace_(workspace) {
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
    dropMark_ = new QFrame(content);
    dropMark_->setObjectName(QStringLiteral("dropMark"));
    dropMark_->setStyleSheet(QStringLiteral("background: %1;").arg(colour::kGlass.name()));
    dropMark_->hide();
    keepToWidth(name_);
    keepToWidth(origin_);
    connect(&workspace_, &Workspace::activeChanged, this, &StepsDesk::showChain);
    connect(&workspace_, &Workspace::itemsChanged, this, &StepsDesk::showChain);
    connect(&workspace_, &Workspace::measuresChanged, this, [this] { strips_->show(workspace_.activeItem()); });
    showChain();
}

void StepsDesk::showChain() {
    const ItemView* item = workspace_.activeItem();
    strips_->show(item);
    add_->setEnabled(item != nullptr);
    const std::size_t chosen = workspace_.chosen().size();
    name_->setText(item ? tr("Steps of %1").arg(QString::fromStdString(item->name)) : tr("Steps"));
    origin_->setText(
        !item ? QString()
        : chosen > 1
            ? tr("%1 items are chosen: a step that is added goes to all of them").arg(chosen)
            : tr("from %1 · the source file is never touched").arg(QString::fromStdString(item->source->name)));
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
    const auto grip = [&](const QString& words, bool dim) {
        auto* label = new QLabel(words, card);
        label->setEnabled(step.on);
        label->setProperty("dim", dim);
        if (steps.size() > 1) { // a step is dragged by its words
            label->setProperty("stepGrip", static_cast<int>(index));
            label->installEventFilter(this);
            label->setCursor(Qt::OpenHandCursor);
        }
        head->addWidget(label);
        return label;
    };
    grip(QString::number(index + 1), true);
    auto* title = grip(type ? text(type->title) : QStringLiteral("?"), false);
    title->setFont(textFont(9, QFont::Bold));
    auto* what = grip(QString::fromStdString(describeStep(step)), false);
    if (type)
        title->setToolTip(text(type->help));
    keepToWidth(what);
    head->setStretchFactor(what, 1);
    const auto button = [&](const QString& words, const QString& name, const QString& tip, auto act) {
        auto* made = new QToolButton(card);
        made->setText(words);
        made->setObjectName(name);
        made->setToolTip(tip);
        connect(made, &QToolButton::clicked, this, act);
        head->addWidget(made);
        return made;
    };
    card->setProperty("stepIndex", static_cast<int>(index));
    if (index > 0)
        button(QStringLiteral("↑"), QStringLiteral("stepUp"), tr("Earlier in the chain"),
               [this, index] { moveStep(index, index - 1); });
    if (index + 1 < steps.size())
        button(QStringLiteral("↓"), QStringLiteral("stepDown"), tr("Later in the chain"),
               [this, index] { moveStep(index, index + 1); });
    button(step.on ? tr("on") : tr("off"), QStringLiteral("stepOn"), tr("Switch this step on or off"), [this, index] {
        edited(tr("Switch step"), [&](auto& s) { s[index].on = !s[index].on; });
    })->setStyleSheet(step.on ? QStringLiteral("color: #6FCFB4;") : QString());
    button(QStringLiteral("✕"), QStringLiteral("stepRemove"), tr("Remove this step"), [this, index] {
        edited(tr("Remove step"), [&](auto& s) { s.erase(s.begin() + static_cast<std::ptrdiff_t>(index)); });
    });
    column->addLayout(head);
    if (!type || !step.on)
        return card;
    const auto options = checkedOptions(*type, step.options);
    // Each option with its name, as many beside one another as fit.
    auto* flow = new FlowLayout(12, 3);
    for (const Option& option : type->options) {
        auto* pair = new QWidget(card);
        auto* row = new QHBoxLayout(pair);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(6);
        QString name = text(option.name);
        auto* label = new QLabel(name.replace(QLatin1Char('_'), QLatin1Char(' ')), pair);
        label->setProperty("small", true);
        label->setToolTip(text(option.help));
        row->addWidget(label);
        const auto& value = options ? (*options)[std::string(option.name)] : option.standard;
        row->addWidget(optionEditor(
            option, value, pair,
            [this, index, name = std::string(option.name)](const nlohmann::json& given) { change(index, name, given); },
            [this](const QString& why) {
                emit workspace_.problem(why);
                built_ = false;
                showChain(); // back to what holds
            }));
        flow->addWidget(pair);
    }
    column->addLayout(flow);
    for (const Option& option : type->options)
        if (QWidget* curve = options ? curveEditor(index, option, *options, card) : nullptr)
            column->addWidget(curve);
    return card;
}

// A curve as it is, to be taken hold of; null for what is none, or cannot be shown.
QWidget* StepsDesk::curveEditor(std::size_t index, const Option& option, const nlohmann::json& options,
                                QWidget* parent) {
    const std::string name(option.name);
    const std::string given = options[name].get<nlohmann::json>().is_string() ? options[name].get<std::string>() : "";
    CurvePlot::Keys keys;
    CurvePlot::Setting setting;
    if (option.kind == OptionKind::Weights) {
        const auto pairs = numberPairs(given);
        if (!pairs || pairs->empty())
            return nullptr;
        keys = *pairs;
        setting = CurvePlot::weights();
    } else if (option.kind == OptionKind::Curve) {
        const ItemView* item = workspace_.activeItem();
        const auto before = item ? seenBefore(*item, index) : fail(ErrorKind::BadInput, "");
        const auto span = before && before->scene ? spanOf(*before->scene) : std::nullopt;
        if (!span)
            return nullptr;
        const FrameRate rate = before->scene->view.rate;
        const FrameRange there{snappedFrame(rate.frameAt(span->first)), snappedFrame(rate.frameAt(span->last))};
        const auto curve = RetimeCurve::parse(given, there);
        if (!curve)
            return nullptr;
        for (const RetimeCurve::Key& key : curve->keys())
            keys.emplace_back(key.out, key.in);
        Step step = shown_[index];
        // What is shown at every frame, with what comes behind the last key.
        const auto lineOf = [scene = before->scene, step, name, rate](const CurvePlot::Keys& drawn) mutable {
            step.options[name] = pairsText(drawn);
            CurvePlot::Keys line;
            const auto meaning = meaningOf(*scene, step);
            if (!meaning || !meaning->time || !meaning->time->view.range)
                return line;
            const TimeSpan range = *meaning->time->view.range;
            constexpr int kPoints = 240;
            for (int i = 0; i <= kPoints; ++i) {
                const double t = range.first + (range.last - range.first) * i / kPoints;
                line.emplace_back(rate.frameAt(t), rate.frameAt(meaning->time->map.heldAt(t)));
            }
            return line;
        };
        setting.line = lineOf;
        const CurvePlot::Keys line = CurvePlot::Keys(setting.line(keys));
        double low = keys.front().first;
        double high = keys.back().first;
        if (!line.empty()) {
            low = std::min(low, line.front().first);
            high = std::max(high, line.back().first);
        }
        const double room = std::max(2.0, std::round((high - low) * 0.06)); // to draw the ends out
        setting.name = tr("frame of the source, by frame");
        setting.words = [](const std::pair<double, double>& key) {
            return tr("%1 shows %2")
                .arg(QString::fromStdString(frameText(key.first)), QString::fromStdString(frameText(key.second)));
        };
        setting.across = {low - room, high + room, 1.0};
        setting.up = {there.first, there.last, 1.0};
        setting.least = 2;
    } else {
        return nullptr;
    }
    auto* plot = new CurvePlot(parent);
    plot->setObjectName(QStringLiteral("curve_") + text(option.name));
    plot->setFixedHeight(option.kind == OptionKind::Curve ? 150 : 84);
    plot->show(std::move(keys), std::move(setting));
    connect(plot, &CurvePlot::keysChanged, this, [this, index, name](const CurvePlot::Keys& drawn) {
        // The card is made anew, and the plot with it: not while it is speaking.
        QTimer::singleShot(0, this, [this, index, name, drawn] { change(index, name, pairsText(drawn)); });
    });
    return plot;
}

void StepsDesk::edited(const QString& label, const std::function<void(std::vector<Step>&)>& change) {
    std::vector<Step> next = shown_;
    change(next);
    workspace_.document().endMerge();
    workspace_.setSteps(ItemKey(shownFor_), next, label);
}

void StepsDesk::moveStep(std::size_t from, std::size_t to) {
    edited(tr("Move step"), [&](std::vector<Step>& steps) {
        const Step step = steps[from];
        steps.erase(steps.begin() + static_cast<std::ptrdiff_t>(from));
        steps.insert(steps.begin() + static_cast<std::ptrdiff_t>(to), step);
    });
}

std::vector<QWidget*> StepsDesk::cards() const {
    std::vector<QWidget*> found;
    for (int i = 0; i < chain_->count(); ++i)
        if (QWidget* widget = chain_->itemAt(i)->widget(); widget && widget->property("stepIndex").isValid())
            found.push_back(widget);
    return found;
}

// A step is dragged by its title; the mark shows between which others it would stand.
bool StepsDesk::eventFilter(QObject* watched, QEvent* event) {
    const auto* mouse = dynamic_cast<QMouseEvent*>(event);
    if (!mouse)
        return QWidget::eventFilter(watched, event);
    const QPoint at = mouse->globalPosition().toPoint();
    if (event->type() == QEvent::MouseButtonPress && mouse->button() == Qt::LeftButton) {
        pressedAt_ = at;
        dragged_ =
            static_cast<std::size_t>(static_cast<QWidget*>(watched)->parentWidget()->property("stepIndex").toInt());
        return true;
    }
    if (event->type() == QEvent::MouseMove && dragged_) {
        if ((at - pressedAt_).manhattanLength() > 6 || dropMark_->isVisible())
            showDropPlace(at.y());
        return true;
    }
    if (event->type() == QEvent::MouseButtonRelease && dragged_) {
        const std::size_t from = *dragged_;
        const bool moved = dropMark_->isVisible();
        cancelDrag();
        const std::size_t to = dropAt_ > from ? dropAt_ - 1 : dropAt_;
        if (moved && to != from)
            moveStep(from, to);
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

void StepsDesk::showDropPlace(int globalY) {
    const std::vector<QWidget*> all = cards();
    QWidget* column = dropMark_->parentWidget();
    const int y = column->mapFromGlobal(QPoint(0, globalY)).y();
    dropAt_ = 0;
    for (const QWidget* card : all)
        dropAt_ += y > card->geometry().center().y();
    const int edge = dropAt_ < all.size() ? all[dropAt_]->geometry().top() - 4 : all.back()->geometry().bottom() + 2;
    dropMark_->setGeometry(all.front()->x(), std::max(0, edge), all.front()->width(), 2);
    dropMark_->raise();
    dropMark_->show();
}

bool StepsDesk::cancelDrag() {
    const bool any = dragged_.has_value();
    dragged_.reset();
    dropMark_->hide();
    return any;
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
        const FrameRange range = shot.range.value_or(item->range.value_or(FrameRange{1, 100}));
        given = {{"first", range.first}, {"last", range.last}, {"handles", shot.range ? shot.handles : 0.0}};
    } else if (type.id == "resample" || type.id == "rate") {
        given = {{"rate", workspace_.rate().text()}};
    } else if (type.id == "start") {
        given = {{"frame", workspace_.ownFrame(*item, workspace_.playRange().first)}};
    } else if (type.id == "rename") {
        given = {{"name", item->name}};
    } else if (type.id == "drop") {
        given = {{"frames", frameText(std::round(workspace_.ownFrame(*item, workspace_.frame())))}};
    } else if (type.id == "unit" && shot.unitMetres) {
        given = {{"to", unitName(*shot.unitMetres)}};
    }
    const auto options = checkedOptions(type, given);
    if (options)
        workspace_.addSteps(type.id == "rename" ? std::vector{item->key} : workspace_.chosen(),
                            {Step{std::string(type.id), *options, true}}, tr("Add %1").arg(text(type.title)));
}

} // namespace wyc::app
