// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/deliver/deliver_desk.h"

#include <algorithm>
#include <set>

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

#include "base/text.h"
#include "delivery/ask/chosen.h"
#include "desks/deliver/delivery_form.h"
#include "desks/desk_parts.h"
#include "theme/theme.h"
#include "theme/words.h"

namespace wyc::app {
namespace {

ItemNames namesOf(const ItemView& item) {
    return {itemLabel(*item.source, item.key.path), item.key.path, item.name, item.leftOut};
}

constexpr std::size_t kMostCards = 40;
constexpr std::size_t kManyItems = 12; // more are looked for by name

int urgencyOf(JobState state) {
    return state == JobState::Failed ? 2 : state == JobState::Running ? 1 : 0;
}

} // namespace

DeliverDesk::DeliverDesk(Workspace& workspace, QWidget* parent) : Desk(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("deliverDesk"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 4, 8);
    outer->setSpacing(6);
    auto* head = new QHBoxLayout();
    title_ = titleLabel(tr("Delivery"), this);
    count_ = new QLabel(this);
    count_->setProperty("small", true);
    head->addWidget(title_);
    head->addStretch();
    head->addWidget(count_);
    head->addSpacing(10);
    outer->addLayout(head);

    auto* scroll = scrollingColumn(this);
    QWidget* content = scroll->widget();
    auto* column = static_cast<QVBoxLayout*>(content->layout());
    column->setSpacing(7);
    cards_ = new QVBoxLayout();
    cards_->setSpacing(5);

    makeSettings(content);
    column->addWidget(settings_);
    column->addLayout(cards_);
    column->addStretch(1);
    outer->addWidget(scroll, 1);
    makeFoot(outer);
    connectAll();
    form_->show(spec());
    showItems();
    showRows();
}

// Which items, and how they are written.
void DeliverDesk::makeSettings(QWidget* content) {
    form_ = new DeliveryForm(content);
    connect(form_, &DeliveryForm::edited, this,
            [this](const char* label, const DeliveryForm::Change& change) { edit(label, change); });
    connect(form_, &DeliveryForm::refused, &workspace_, &Workspace::problem);

    items_ = new QVBoxLayout();
    items_->setSpacing(2);
    auto* itemsTitle = new QLabel(tr("Items"), content);
    itemsTitle->setFont(textFont(9, QFont::DemiBold));
    auto* itemsHead = new QHBoxLayout();
    itemsHead->addWidget(itemsTitle);
    itemsHead->addStretch();
    const auto choice = [&](const QString& name, const QString& words, const QString& tip, auto act) {
        auto* made = new QToolButton(content);
        made->setObjectName(name);
        made->setText(words);
        made->setToolTip(tip);
        connect(made, &QToolButton::clicked, this, act);
        itemsHead->addWidget(made);
        return made;
    };
    choice(QStringLiteral("deliverAll"), tr("all"), tr("Deliver every item that takes part"), [this] {
        follows_ = false;
        edit("Deliver all items", [](DeliverySpec& d) { d.items.clear(); });
        refresh();
    });
    choice(QStringLiteral("deliverNone"), tr("none"), tr("Begin with none, then tick what is wanted"),
           [this] { edit("Deliver no item", [](DeliverySpec& d) { d.items = {"!*"}; }); });
    only_ = choice(QStringLiteral("deliverOnlyActive"), tr("what is chosen"),
                   tr("Deliver what is chosen on the time board, whatever that is"), [this] {
                       follows_ = true;
                       // One file of a whole source is named after it: there a choice is a list.
                       edit("Deliver what is chosen", [this](DeliverySpec& d) {
                           d.items = d.oneFile ? chosenPatterns() : std::vector<std::string>();
                       });
                       refresh();
                   });
    settings_ = new QWidget(content);
    auto* settingsColumn = new QVBoxLayout(settings_);
    settingsColumn->setContentsMargins(0, 0, 0, 0);
    settingsColumn->setSpacing(7);
    settingsColumn->addLayout(itemsHead);
    chosenWords_ = smallLabel({}, content);
    chosenWords_->setObjectName(QStringLiteral("deliverChosen"));
    filter_ = new QLineEdit(content);
    filter_->setObjectName(QStringLiteral("deliverFilter"));
    filter_->setPlaceholderText(tr("find items by name, source or group"));
    filter_->setProperty("clears", true);
    filter_->setClearButtonEnabled(true);
    connect(filter_, &QLineEdit::textChanged, this, &DeliverDesk::showItems);
    settingsColumn->addWidget(chosenWords_);
    settingsColumn->addWidget(filter_);
    settingsColumn->addLayout(items_);
    settingsColumn->addWidget(form_);
}

// Why it cannot be done, what it will be, and the act.
void DeliverDesk::makeFoot(QVBoxLayout* outer) {
    back_ = new QPushButton(tr("Change what is delivered"), this);
    back_->setObjectName(QStringLiteral("deliverBack"));
    back_->setProperty("flat", true);
    back_->setToolTip(tr("Back to items, format, range and name"));
    connect(back_, &QPushButton::clicked, this, [this] {
        showResults_ = false;
        plan();
    });

    why_ = new QVBoxLayout();
    why_->setContentsMargins(0, 0, 10, 0);
    outer->addLayout(why_);
    auto* foot = new QHBoxLayout();
    summary_ = smallLabel({}, this);
    summary_->setObjectName(QStringLiteral("deliverSummary"));
    act_ = new QPushButton(tr("Deliver"), this);
    act_->setObjectName(QStringLiteral("deliver"));
    act_->setProperty("main", true);
    openFaults_ = new QToolButton(this);
    openFaults_->setObjectName(QStringLiteral("deliverFaults"));
    openFaults_->setToolTip(tr("What was found on these items and is not mended: shows it"));
    openLosses_ = new QToolButton(this);
    openLosses_->setObjectName(QStringLiteral("deliverLosses"));
    openLosses_->setToolTip(tr("What the format cannot carry: shows it"));
    foot->addWidget(summary_, 1);
    foot->addWidget(openFaults_);
    foot->addWidget(openLosses_);
    foot->addWidget(back_);
    foot->addWidget(act_);
    foot->addSpacing(10);
    outer->addLayout(foot);
}

void DeliverDesk::connectAll() {
    connect(openFaults_, &QToolButton::clicked, this, &DeliverDesk::findingsAsked);
    connect(openLosses_, &QToolButton::clicked, this, [this] {
        for (auto* area : findChildren<QScrollArea*>())
            if (auto* losses = findChild<QLabel*>(QStringLiteral("lossesHead")))
                area->ensureWidgetVisible(losses, 0, area->viewport()->height() - losses->height() - 8);
    });
    for (auto signal : {&Workspace::findingsChanged, &Workspace::checkedChanged})
        connect(&workspace_, signal, this, &DeliverDesk::showOpen);
    connect(act_, &QPushButton::clicked, this, [this] { delivering_ ? stop() : deliver(); });
    planTimer_.setSingleShot(true);
    planTimer_.setInterval(60);
    connect(&planTimer_, &QTimer::timeout, this, &DeliverDesk::plan);
    rowsTimer_.setSingleShot(true);
    rowsTimer_.setInterval(30);
    connect(&rowsTimer_, &QTimer::timeout, this, &DeliverDesk::showRows);
    connect(&workspace_, &Workspace::jobChanged, this, [this] {
        form_->show(spec());
        // Saving the job, or looking elsewhere, changes nothing of what was delivered.
        if (!(workspace_.job() == shownJob_))
            showResults_ = showResults_ && delivering_;
        shownJob_ = workspace_.job();
        refresh();
    });
    connect(&workspace_, &Workspace::itemsChanged, this, &DeliverDesk::refresh);
    connect(&workspace_, &Workspace::activeChanged, this, &DeliverDesk::refresh);
    connect(&workspace_.deliveryRunner(), &JobRunner::changed, this, &DeliverDesk::updateRow);
    connect(&workspace_.deliveryRunner(), &JobRunner::idle, this, [this] {
        delivering_ = false;
        showRows();
    });
}

DeliverySpec DeliverDesk::spec() const {
    if (!workspace_.job().deliveries.empty())
        return workspace_.job().deliveries.front();
    DeliverySpec standard;
    const fs::path job = workspace_.document().path();
    const auto& sources = workspace_.job().sources;
    if (!job.empty()) {
        standard.folder = job.parent_path() / "delivered";
    } else if (sources.empty()) {
        standard.folder = fs::current_path();
    } else { // beside the source; a sequence has a folder of its own
        const fs::path& first = sources.front().spec.path;
        const Format* format = formatOfName(first);
        standard.folder = format && format->sequence ? first.parent_path().parent_path() : first.parent_path();
    }
    // One archive becomes one archive beside it; what is chosen otherwise becomes the job's.
    const auto& opened = workspace_.sources();
    if (opened.size() == 1 && opened.front().source && opened.front().source->format->manyItems &&
        workspace_.items().size() > 1) {
        standard.oneFile = true;
        standard.name = opened.front().spec.path.stem().string();
        if (workspace_.job().shot.name.empty())
            standard.nameTemplate = "{item}_v{version}";
    }
    return standard;
}

bool DeliverDesk::follows() const {
    const DeliverySpec s = spec();
    return follows_ && s.items.empty() && !s.oneFile && workspace_.items().size() > 1;
}

DeliverySpec DeliverDesk::asked() const {
    DeliverySpec s = spec();
    if (follows())
        s.items = chosenPatterns();
    return s;
}

void DeliverDesk::edit(const std::string& label, const std::function<void(DeliverySpec&)>& change) {
    const DeliverySpec standard = spec();
    workspace_.document().edit(label, [&](Job& job) {
        if (job.deliveries.empty())
            job.deliveries.push_back(standard);
        change(job.deliveries.front());
    });
}

void DeliverDesk::showItems() {
    clearLayout(items_);
    const DeliverySpec s = asked();
    const bool following = follows();
    // Short enough that the settings below stay in sight.
    constexpr std::size_t kFirstListed = 8;
    const std::size_t mostListed = listAll_ ? 400 : kFirstListed;
    filter_->setVisible(!following && workspace_.items().size() > kManyItems);
    std::size_t listed = 0;
    std::size_t more = 0;
    for (const ItemView& item : workspace_.items()) {
        const ItemNames names = namesOf(item);
        const bool chosen = isTaken(s.items, names);
        if (following && !chosen)
            continue; // the board is where it is chosen
        // Long lists stay short: what is chosen, and the active item; or what is looked for.
        const bool sought = !filter_->text().trimmed().isEmpty();
        if (sought ? !hasAllWords(QString::fromStdString(names.label), filter_->text())
                   : !chosen && item.key != workspace_.active() && workspace_.items().size() > kManyItems)
            continue;
        if (listed == mostListed) {
            more += chosen;
            continue;
        }
        ++listed;
        auto* box =
            new QCheckBox(QStringLiteral("%1  ·  %2")
                              .arg(QString::fromStdString(item.name), QString::fromStdString(item.source->name)),
                          this);
        box->setObjectName(QStringLiteral("deliverItem"));
        box->setProperty("label", QString::fromStdString(names.label));
        keepToWidth(box);
        box->setChecked(chosen);
        if (item.key == workspace_.active())
            box->setStyleSheet(QStringLiteral("color: #6FCFB4;"));
        connect(box, &QCheckBox::clicked, this, [this, names](bool on) {
            const std::vector<std::string> before = asked().items;
            edit(on ? "Take item into the delivery" : "Leave item out of the delivery",
                 [&](DeliverySpec& d) { d.items = withItem(before, names, on); });
        });
        items_->addWidget(box);
    }
    if (listAll_ && more > 0)
        items_->addWidget(smallLabel(tr("and %1 more items").arg(more), this));
    if (more > 0 || (listAll_ && listed > kFirstListed)) {
        auto* fold = new QToolButton(this);
        fold->setObjectName(QStringLiteral("deliverItemsFold"));
        fold->setText(listAll_ ? tr("fewer ▴") : tr("%1 more items ▾").arg(more));
        connect(fold, &QToolButton::clicked, this, [this] {
            listAll_ = !listAll_;
            showItems();
        });
        items_->addWidget(fold, 0, Qt::AlignLeft);
    }
    only_->setVisible(workspace_.items().size() > 1 && !following);
    chosenWords_->setVisible(following);
    if (following) {
        std::vector<std::string> leftOut;
        for (const ItemKey& key : workspace_.chosen())
            if (const ItemView* item = workspace_.item(key); item && item->leftOut)
                leftOut.push_back(item->name);
        const QString out = QString::fromStdString(firstNames(leftOut));
        chosenWords_->setText(
            leftOut.empty() ? tr("What is chosen on the time board:")
                            : tr("What is chosen on the time board, but for what is left out there (%1):").arg(out));
    }
    if (workspace_.items().empty())
        items_->addWidget(smallLabel(tr("Open something first; what is chosen here is written, read back and "
                                        "compared point by point."),
                                     this));
}

std::vector<std::string> DeliverDesk::chosenPatterns() const {
    std::vector<std::string> patterns;
    for (const ItemKey& key : workspace_.chosen())
        if (const ItemView* item = workspace_.item(key); item && !item->leftOut)
            patterns.push_back(patternOf(workspace_.labelOf(key)));
    if (patterns.empty())
        patterns.emplace_back("!*");
    return patterns;
}

void DeliverDesk::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (stale_) {
        showItems();
        plan();
    }
}

// Nothing is planned while nobody looks: it costs a look at every item.
void DeliverDesk::refresh() {
    stale_ = true;
    if (!isVisible())
        return;
    showItems();
    planTimer_.start();
    // What stands there is of another choice until it is planned anew.
    if (!delivering_ && !showResults_) {
        act_->setEnabled(false);
        act_->setText(tr("Planning …"));
        count_->setText({});
        summary_->setText({});
    }
}

Workspace::Plan DeliverDesk::planned() const {
    return workspace_.planOf(asked(), {});
}

bool DeliverDesk::canPlan() const {
    const auto& sources = workspace_.sources();
    return !workspace_.items().empty() &&
           std::none_of(sources.begin(), sources.end(), [](const SourceView& s) { return s.opening; });
}

void DeliverDesk::plan() {
    if (delivering_ || showResults_)
        return;
    stale_ = false;
    const int number = ++planAsked_;
    const auto take = [this, number](Result<std::vector<PlannedOutput>> outputs) {
        if (number != planAsked_ || delivering_ || showResults_)
            return;
        takePlan(std::move(outputs));
        lookForEarlier();
        showRows();
    };
    if (!canPlan()) {
        take(std::vector<PlannedOutput>());
        return;
    }
    // By a worker: many items take a while, and the window does not wait for it.
    workspace_.deliveryRunner().start(
        tr("Planning"),
        [this, plan = planned(), take](const Progress&) -> Result<JobRunner::Done> {
            auto outputs = std::make_shared<Result<std::vector<PlannedOutput>>>(plan());
            const auto room = *outputs && !(*outputs)->empty() ? roomFor((*outputs)->front().target) : std::nullopt;
            return [this, take, outputs, room] {
                room_ = room;
                take(std::move(*outputs));
            };
        },
        [this](const Error&) { planTimer_.start(); });
}

void DeliverDesk::takePlan(Result<std::vector<PlannedOutput>> outputs) {
    rows_.clear();
    planError_.reset();
    *newestPlan_ = ++plans_;
    comparing_ = 0;
    if (!outputs) {
        planError_ = std::move(outputs.error());
        return;
    }
    for (PlannedOutput& output : *outputs)
        rows_.push_back({std::move(output), JobState::Queued, 0.0, {}, std::nullopt, 0});
}

// Whether something was delivered of the same items before; looked for by the worker, as folders may be full.
void DeliverDesk::lookForEarlier() {
    std::error_code code;
    if (rows_.empty() || !fs::is_directory(rows_.front().plan.target.parent_path(), code))
        return;
    std::vector<PlannedOutput> plans;
    for (std::size_t i = 0; i < std::min(rows_.size(), kMostCards); ++i)
        plans.push_back(rows_[i].plan);
    workspace_.runner().start(
        tr("Looking for the last delivery"),
        [this, plans, planned = plans_, newest = newestPlan_](const Progress& progress) -> Result<JobRunner::Done> {
            if (*newest != planned) // planned anew meanwhile
                return [] {};
            WYC_TRY(found, earlierDeliveries(plans, progress));
            return [this, planned, found] {
                if (planned != plans_)
                    return;
                for (std::size_t i = 0; i < std::min(rows_.size(), found.size()); ++i)
                    rows_[i].earlier = found[i];
                rowsTimer_.start();
            };
        },
        [](const Error&) {});
}

void DeliverDesk::compareWithEarlier() {
    using Changes = OutputRow::Changes;
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        if (!rows_[i].earlier || rows_[i].changed != Changes::NotAsked)
            continue;
        ++comparing_;
        const auto settled = [this, i, planned = plans_](Changes changed, const std::string& words) {
            if (planned != plans_ || i >= rows_.size())
                return;
            --comparing_;
            rows_[i].changed = changed;
            rows_[i].changes = QString::fromStdString(words);
            rowsTimer_.start();
        };
        workspace_.runner().start(
            tr("Comparing with the last delivery"),
            [settled, plan = rows_[i].plan, earlier = *rows_[i].earlier,
             settings = ReconcileSettings{0.0001, workspace_.job().shot.unitMetres}](
                const Progress& progress) -> Result<JobRunner::Done> {
                WYC_TRY(comparison, againstEarlier(plan, earlier, settings, progress));
                return [settled, words = changesText(comparison), same = comparison.withinTolerance()] {
                    settled(same ? Changes::None : Changes::Some, words);
                };
            },
            [settled](const Error& error) {
                settled(error.kind == ErrorKind::Cancelled ? Changes::NotAsked : Changes::NotCompared, error.text());
            });
    }
    showRows();
}

void DeliverDesk::showRows() {
    clearLayout(cards_);
    stateLabels_.clear();
    std::uint64_t total = 0;
    std::size_t files = 0;
    std::size_t proven = 0;
    const bool started = delivering_ || showResults_;
    settings_->setVisible(!started);
    back_->setVisible(started && !delivering_);
    std::vector<const OutputRow*> order;
    for (const OutputRow& row : rows_) {
        total += row.result ? row.result->sizeBytes : row.plan.sizeEstimate;
        files += row.plan.fileCount;
        proven += row.result && row.result->proof.passed;
        order.push_back(&row);
    }
    // Of many outputs those that matter stand first.
    if (started)
        std::stable_sort(order.begin(), order.end(), [](const OutputRow* a, const OutputRow* b) {
            return urgencyOf(a->state) > urgencyOf(b->state);
        });
    const bool earlier = std::any_of(rows_.begin(), rows_.end(), [](const OutputRow& row) {
        return row.earlier && row.changed == OutputRow::Changes::NotAsked;
    });
    if (!started && earlier) {
        auto* against = new QPushButton(
            comparing_ > 0 ? tr("Comparing every frame …") : tr("What changed since the last delivery"), this);
        against->setObjectName(QStringLiteral("deliverAgainst"));
        against->setProperty("small", true);
        against->setEnabled(comparing_ == 0);
        against->setToolTip(tr("Range, order, pieces, materials, motion: what would be written, held against the files "
                               "of the last delivery"));
        connect(against, &QPushButton::clicked, this, &DeliverDesk::compareWithEarlier);
        cards_->addWidget(against, 0, Qt::AlignLeft);
    }
    for (std::size_t i = 0; i < std::min(order.size(), kMostCards); ++i) {
        QFrame* card = outputCard(*order[i], started, this);
        if (order[i]->jobId)
            stateLabels_[order[i]->jobId] = card->findChild<QLabel*>(QStringLiteral("outputState"));
        if (order[i]->result && !order[i]->result->record.empty()) {
            auto* page = new QPushButton(tr("Proof as a page …"), card);
            page->setObjectName(QStringLiteral("proofPage"));
            page->setProperty("small", true);
            page->setToolTip(
                tr("What was delivered, from what and how, and what was compared: one file to be sent on"));
            connect(page, &QPushButton::clicked, this, [this, result = *order[i]->result] { writePageOf(result); });
            card->layout()->addWidget(page);
            card->layout()->setAlignment(page, Qt::AlignLeft);
        }
        cards_->addWidget(card);
    }
    if (order.size() > kMostCards)
        cards_->addWidget(smallLabel(tr("and %1 more outputs").arg(order.size() - kMostCards), this));
    const auto intoWorldSpace = [this] { edit("World space", [](DeliverySpec& s) { s.ownSpace = false; }); };
    addLosses(*cards_, rows_, showResults_ ? tr("Not carried") : tr("Will be lost"), this,
              started ? std::function<void()>() : intoWorldSpace);
    showPlanError();
    count_->setText(rows_.empty()
                        ? QString()
                        : tr("%1 · %2").arg(rows_.size() == 1 ? tr("1 output") : tr("%1 outputs").arg(rows_.size()),
                                            files == 1 ? tr("1 file") : tr("%1 files").arg(files)));
    QString tip;
    if (delivering_)
        summary_->setText(tr("%1 of %2 proven").arg(proven).arg(rows_.size()));
    else if (showResults_ && proven == rows_.size() && !rows_.empty()) {
        // The folder's own name: the whole path would not fit, and is in the tip.
        const fs::path folder = rows_.front().plan.target.parent_path();
        summary_->setText(QStringLiteral("✓ ") + tr("all proven · %1 in %2")
                                                     .arg(QString::fromStdString(sizeText(total)),
                                                          QString::fromStdString(folder.filename().string())));
        tip = QString::fromStdString(folder.string());
    } else if (showResults_)
        summary_->setText(tr("%1 of %2 proven").arg(proven).arg(rows_.size()));
    else {
        summary_->setText(rows_.empty() ? QString()
                                        : tr("about %1 to write, then read back and compared point by point")
                                              .arg(QString::fromStdString(sizeText(total))));
        if (room_ && !rows_.empty()) {
            const QString free = QString::fromStdString(sizeText(*room_));
            tip = tr("%1 are free there").arg(free);
            if (*room_ < total) // the old files stay until the new ones are proven
                summary_->setText(QStringLiteral("<span style='color:%1'>! %2</span>")
                                      .arg(colour::kRust.name(),
                                           tr("about %1 to write, %2 free: free some room, or choose another folder")
                                               .arg(QString::fromStdString(sizeText(total)), free)));
        }
    }
    summary_->setToolTip(tip);
    act_->setText(
        delivering_      ? tr("Stop")
        : isPartlyDone() ? (missing() == 1 ? tr("Deliver the one that is missing")
                                           : tr("Deliver the %1 that are missing").arg(missing()))
        : showResults_   ? (missing() > 0 ? tr("Deliver again") : tr("Deliver next version"))
        : rows_.size() == 1
            ? tr("Deliver %1")
                  .arg(fontMetrics().elidedText(QString::fromStdString(rows_.front().plan.item), Qt::ElideMiddle, 130))
        : follows() && !rows_.empty()
            ? tr("Deliver %1 and %2 more")
                  .arg(fontMetrics().elidedText(QString::fromStdString(rows_.front().plan.item), Qt::ElideMiddle, 120))
                  .arg(rows_.size() - 1)
            : tr("Deliver %1 outputs").arg(rows_.size()));
    act_->setEnabled(delivering_ || !rows_.empty());
    showOpen();
}

// Right above the button that it keeps from working, with what puts it right.
void DeliverDesk::showPlanError() {
    clearLayout(why_);
    if (!planError_ || delivering_ || showResults_)
        return;
    QFrame* card = cardFrame(colour::kRust, this);
    auto* line = new QHBoxLayout(card);
    line->setContentsMargins(10, 6, 8, 7);
    auto* words = new QLabel(QStringLiteral("✕ ") + QString::fromStdString(planError_->text()), card);
    words->setObjectName(QStringLiteral("planError"));
    words->setWordWrap(true);
    line->addWidget(words, 1);
    const auto mend = [&](const QString& name, const QString& label, const char* what,
                          const std::function<void(DeliverySpec&)>& change) {
        auto* made = new QPushButton(label, card);
        made->setObjectName(name);
        made->setProperty("small", true);
        connect(made, &QPushButton::clicked, this, [this, what, change] { edit(what, change); });
        line->addWidget(made);
    };
    const DeliverySpec s = spec();
    if (planError_->kind == ErrorKind::Exists && s.nameTemplate.find("{version}") == std::string::npos) {
        mend(QStringLiteral("mendVersion"), tr("Next version"), "Name by version",
             [](DeliverySpec& d) { d.nameTemplate += "_v{version}"; });
        if (!s.replace)
            mend(QStringLiteral("mendReplace"), tr("Replace"), "Replace what is there",
                 [](DeliverySpec& d) { d.replace = true; });
    }
    // Items at several rates in one file: one of two things is meant.
    std::set<std::string> rates;
    for (const ItemView* item : takenItems())
        if (item->scene)
            rates.insert(item->scene->view.rate.text());
    if (s.oneFile && !s.rate && rates.size() > 1) {
        const FrameRate rate = workspace_.rate();
        mend(QStringLiteral("mendRate"), tr("Resample all to %1").arg(QString::fromStdString(rate.shortText())),
             "Resample all", [rate](DeliverySpec& d) { d.rate = rate; });
        mend(QStringLiteral("mendParted"), tr("A file for each"), "A file for each item",
             [](DeliverySpec& d) { d.oneFile = false; });
    }
    why_->addWidget(card);
}

std::vector<const ItemView*> DeliverDesk::takenItems() const {
    const DeliverySpec s = asked();
    std::vector<const ItemView*> taken;
    for (const ItemView& item : workspace_.items())
        if (isTaken(s.items, namesOf(item)))
            taken.push_back(&item);
    return taken;
}

// What an artist should know before pressing the button, beside it: each opens in full.
void DeliverDesk::showOpen() {
    if (!isVisible())
        return;
    std::set<ItemKey> taken;
    for (const ItemView* item : takenItems())
        taken.insert(item->key);
    int faults = 0;
    for (const ItemFinding& found : workspace_.findings())
        faults += found.finding.severity == Severity::Fault && (taken.contains(found.key) || found.key.isEmpty());
    const bool known = workspace_.checked() == Checked::Yes;
    std::set<std::string> lost;
    for (const OutputRow& row : rows_)
        for (const Loss& loss : row.plan.losses)
            lost.insert(loss.what);
    const bool before = !showResults_ && !delivering_;
    openFaults_->setVisible(before && !rows_.empty() && (faults > 0 || !known));
    openFaults_->setText(!known        ? tr("? not checked yet")
                         : faults == 1 ? tr("✕ 1 fault open")
                                       : tr("✕ %1 faults open").arg(faults));
    openFaults_->setStyleSheet(QStringLiteral("color: %1;").arg((known ? colour::kRust : colour::kChalk2).name()));
    openLosses_->setVisible(before && !lost.empty());
    openLosses_->setText(lost.size() == 1 ? tr("! 1 loss") : tr("! %1 losses").arg(lost.size()));
    openLosses_->setStyleSheet(QStringLiteral("color: %1;").arg(colour::kStraw.name()));
}

} // namespace wyc::app
