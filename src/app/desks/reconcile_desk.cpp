// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/reconcile_desk.h"

#include <algorithm>
#include <cmath>

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/drift_plot.h"
#include "scene/lengths.h"
#include "theme/theme.h"
#include "view/viewport.h"

namespace wyc::app {
namespace {

QString sureWords(double confidence) {
    return confidence >= 0.97   ? ReconcileDesk::tr("certain")
           : confidence >= 0.75 ? ReconcileDesk::tr("likely")
           : confidence >= 0.5  ? ReconcileDesk::tr("probable")
                                : ReconcileDesk::tr("a guess");
}

// How much two items look as if they showed the same thing.
int kinship(const ItemView& a, const ItemView& b) {
    if (a.key == b.key || a.key.source == b.key.source)
        return -1;
    int score = 0;
    if (a.points > 0 && a.points == b.points)
        score += 4;
    if (a.topology != 0 && a.topology == b.topology)
        score += 4;
    if (a.name == b.name)
        score += 6;
    else if (a.name.size() > 3 && b.name.size() > 3 &&
             (a.name.find(b.name) != std::string::npos || b.name.find(a.name) != std::string::npos))
        score += 5;
    return score;
}

} // namespace

ReconcileDesk::ReconcileDesk(Workspace& workspace, Viewport& viewport, QWidget* parent)
    : QWidget(parent), workspace_(workspace), viewport_(viewport) {
    setObjectName(QStringLiteral("reconcileDesk"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 4, 8);
    outer->setSpacing(6);
    auto* sides = new QGridLayout();
    sides->setHorizontalSpacing(8);
    sides->setVerticalSpacing(4);
    const auto side = [&](int row, const QString& letter, const QString& words, const QColor& c, const QString& name,
                          const QString& tip) {
        auto* mark = new QLabel(letter, this);
        mark->setFont(textFont(11, QFont::Bold));
        mark->setStyleSheet(QStringLiteral("color: %1;").arg(c.name()));
        mark->setToolTip(words);
        auto* box = new QComboBox(this);
        box->setObjectName(name);
        box->setToolTip(tip);
        box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
        sides->addWidget(mark, row, 0);
        box->setAccessibleName(words);
        sides->addWidget(box, row, 1);
        return box;
    };
    chooseB_ = side(0, QStringLiteral("B"), tr("what came back"), colour::kHeather, QStringLiteral("reconcileB"),
                    tr("What came back: it is looked at, and put right"));
    chooseA_ = side(1, QStringLiteral("A"), tr("what it should be"), colour::kGlass, QStringLiteral("reconcileA"),
                    tr("What it should be; it stays as it is"));
    sides->setColumnStretch(1, 1);
    auto* swap = new QToolButton(this);
    swap->setObjectName(QStringLiteral("reconcileSwap"));
    swap->setText(QStringLiteral("⇅"));
    swap->setToolTip(tr("The other way round"));
    sides->addWidget(swap, 0, 2, 2, 1);
    sides->setContentsMargins(0, 0, 10, 0);
    outer->addLayout(sides);
    sentence_ = new QLabel(this);
    sentence_->setObjectName(QStringLiteral("reconcileText"));
    sentence_->setWordWrap(true);
    sentence_->setTextFormat(Qt::RichText);
    sentence_->setContentsMargins(0, 2, 0, 2);
    auto* scroll = scrollingColumn(this);
    auto* column = static_cast<QVBoxLayout*>(scroll->widget()->layout());
    scroll->setMinimumHeight(44);
    column->setSpacing(4);
    column->addWidget(sentence_);
    causes_ = new QVBoxLayout();
    causes_->setSpacing(4);
    column->addLayout(causes_);
    figures_ = smallLabel({}, this);
    figures_->setObjectName(QStringLiteral("reconcileFigures"));
    column->addWidget(figures_);
    column->addStretch(1);
    outer->addWidget(scroll, 1);
    plot_ = new DriftPlot(this);
    plot_->setMinimumHeight(34); // a small window has it small
    plot_->setMaximumHeight(66);
    auto* plotRow = new QHBoxLayout();
    plotRow->addWidget(plot_);
    plotRow->addSpacing(10);
    outer->addLayout(plotRow);
    const auto tool = [&](const char* name, const QString& words, const QString& tip) {
        auto* button = new QToolButton(this);
        button->setObjectName(QString::fromLatin1(name));
        button->setText(words);
        button->setToolTip(tip);
        return button;
    };
    auto* shows = new QHBoxLayout();
    shows->setSpacing(4);
    worst_ = tool("reconcileWorst", tr("worst frame"), tr("Goes to the frame with the largest drift"));
    heat_ = tool("reconcileHeat", tr("drift heat"), tr("Colours B's points by how far they are from A's"));
    over_ = tool("reconcileOver", tr("A over it"), tr("Draws A over B, at the same time"));
    for (QToolButton* toggle : {heat_, over_})
        toggle->setCheckable(true);
    shows->addWidget(worst_);
    shows->addWidget(heat_);
    shows->addWidget(over_);
    shows->addStretch();
    outer->addLayout(shows);
    auto* foot = new QHBoxLayout();
    auto* within = smallLabel(tr("tolerance"), this);
    within->setWordWrap(false);
    foot->addWidget(within);
    tolerance_ = new QLineEdit(QStringLiteral("0.1 mm"), this);
    tolerance_->setObjectName(QStringLiteral("reconcileTolerance"));
    tolerance_->setFixedWidth(66);
    tolerance_->setToolTip(tr("The largest drift that is none"));
    foot->addWidget(tolerance_);
    report_ = new QPushButton(tr("Report …"), this);
    report_->setObjectName(QStringLiteral("reconcileReport"));
    report_->setToolTip(tr("All of it as one page, to be sent on"));
    undo_ = new QPushButton(tr("Undo in B"), this);
    undo_->setObjectName(QStringLiteral("reconcileUndo"));
    undo_->setProperty("main", true);
    foot->addStretch(1);
    foot->addWidget(report_);
    foot->addWidget(undo_);
    foot->addSpacing(10);
    outer->addLayout(foot);

    look_.setSingleShot(true);
    look_.setInterval(80);
    connect(&look_, &QTimer::timeout, this, &ReconcileDesk::compareNow);
    for (QComboBox* box : {chooseA_, chooseB_})
        connect(box, &QComboBox::activated, this, &ReconcileDesk::takePair);
    connect(swap, &QToolButton::clicked, this, [this] {
        if (!a_.isEmpty() && !b_.isEmpty())
            choose(b_, a_);
    });
    connect(&workspace_, &Workspace::itemsChanged, this, [this] {
        listItems();
        if (isVisible())
            look_.start();
    });
    connect(&workspace_, &Workspace::activeChanged, this, [this] {
        // Another item is looked at: what it came from is guessed anew.
        if (isVisible() && workspace_.active() != b_ && workspace_.active() != a_) {
            byHand_ = false;
            guess();
        }
    });
    connect(plot_, &DriftPlot::framePicked, &workspace_, &Workspace::setFrame);
    connect(worst_, &QToolButton::clicked, this, [this] {
        if (const auto& drift = undone_ ? undone_ : found_ ? found_->found.drift : std::nullopt)
            workspace_.setFrame(drift->worstFrame);
    });
    for (QToolButton* toggle : {heat_, over_})
        connect(toggle, &QToolButton::clicked, this, &ReconcileDesk::showOnBody);
    connect(tolerance_, &QLineEdit::editingFinished, this, [this] {
        if (!(tolerance() > 0.0)) {
            emit workspace_.problem(tr("“%1” is no length: write it as 0.1 mm").arg(tolerance_->text()));
            tolerance_->setText(QStringLiteral("0.1 mm"));
        }
        sceneB_.reset(); // judged anew
        look_.start();
    });
    connect(report_, &QPushButton::clicked, this, &ReconcileDesk::writeReport);
    connect(undo_, &QPushButton::clicked, this, &ReconcileDesk::undoChosen);
    listItems();
    showFound();
}

double ReconcileDesk::tolerance() const {
    return parseLength(tolerance_->text().toStdString()).value_or(0.0);
}

void ReconcileDesk::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    listItems();
    if (!byHand_)
        guess();
    look_.start();
    showOnBody();
}

void ReconcileDesk::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    viewport_.setComparison(std::nullopt);
}

void ReconcileDesk::chooseWhenOpened(const ItemKey& a, const QStringList& paths) {
    Awaited awaited{a, {}};
    for (const SourceView& source : workspace_.sources())
        awaited.before.insert(source.id);
    awaited_ = std::move(awaited);
    workspace_.addPaths(paths);
}

// Items with points, in the order of the board.
void ReconcileDesk::listItems() {
    if (awaited_) {
        const ItemView* a = workspace_.item(awaited_->a);
        std::optional<ItemKey> best;
        int most = -1;
        for (const ItemView& item : workspace_.items())
            if (a && item.scene && item.points > 0 && !awaited_->before.contains(item.key.source))
                if (const int score = kinship(*a, item); score > most) {
                    most = score;
                    best = item.key;
                }
        if (best) {
            const ItemKey against = awaited_->a;
            awaited_.reset();
            choose(against, *best);
            return;
        }
    }
    std::vector<ItemKey> keys;
    for (const ItemView& item : workspace_.items())
        if (item.scene && item.points > 0)
            keys.push_back(item.key);
    if (keys != listed_) {
        listed_ = keys;
        for (QComboBox* box : {chooseA_, chooseB_}) {
            const QSignalBlocker quiet(box);
            box->clear();
            for (const ItemKey& key : listed_) {
                const ItemView* item = workspace_.item(key);
                box->addItem(QStringLiteral("%1 › %2").arg(QString::fromStdString(item->source->name),
                                                           QString::fromStdString(item->name)));
            }
        }
    }
    const auto show = [&](QComboBox* box, const ItemKey& key) {
        const QSignalBlocker quiet(box);
        const auto found = std::find(listed_.begin(), listed_.end(), key);
        box->setCurrentIndex(found == listed_.end() ? -1 : static_cast<int>(found - listed_.begin()));
    };
    show(chooseA_, a_);
    show(chooseB_, b_);
}

// B is what is looked at; A what is most like it in another source, or the other of two that are chosen.
void ReconcileDesk::guess() {
    const ItemView* active = workspace_.activeItem();
    if (!active || active->points == 0)
        return;
    const std::vector<ItemKey> chosen = workspace_.chosen();
    ItemKey best;
    if (chosen.size() == 2) {
        best = chosen[0] == active->key ? chosen[1] : chosen[0];
    } else {
        int most = 0;
        for (const ItemView& item : workspace_.items())
            if (item.scene && item.points > 0)
                if (const int score = kinship(item, *active); score > most) {
                    most = score;
                    best = item.key;
                }
    }
    a_ = best;
    b_ = active->key;
    found_.reset();
    sceneB_.reset();
    listItems();
    showFound();
    look_.start();
}

void ReconcileDesk::choose(ItemKey a, ItemKey b) {
    byHand_ = true;
    a_ = std::move(a);
    b_ = std::move(b);
    found_.reset();
    sceneB_.reset();
    listItems();
    emit wanted();
    workspace_.setActive(ItemKey(b_));
    showFound();
    look_.start();
}

void ReconcileDesk::takePair() {
    const auto of = [&](const QComboBox* box) {
        const int row = box->currentIndex();
        return row >= 0 && static_cast<std::size_t>(row) < listed_.size() ? listed_[static_cast<std::size_t>(row)]
                                                                          : ItemKey();
    };
    choose(of(chooseA_), of(chooseB_));
}

void ReconcileDesk::compareNow() {
    const ItemView* a = workspace_.item(a_);
    const ItemView* b = workspace_.item(b_);
    if (!isVisible())
        return;
    if (!a || !b || !a->scene || !b->scene || a_ == b_) {
        found_.reset();
        showFound();
        return;
    }
    if (found_ && sceneA_.lock() == a->scene && sceneB_.lock() == b->scene)
        return; // nothing is other than it was
    sceneA_ = a->scene;
    sceneB_ = b->scene;
    refused_.reset();
    ++looking_;
    const int generation = ++generation_;
    auto pair = std::make_shared<ComparedPair>();
    const auto inMetres = [&](const ItemView& item) {
        // What states no unit counts as the shot does.
        auto scene = std::make_shared<Scene>(*item.scene);
        if (!scene->unitMetres)
            scene->unitMetres = workspace_.unitMetres(item);
        return std::shared_ptr<const Scene>(std::move(scene));
    };
    pair->a = inMetres(*a);
    pair->nodeA = a->node;
    pair->b = inMetres(*b);
    pair->nodeB = b->node;
    ReconcileSettings settings;
    settings.toleranceMetres = tolerance();
    sentence_->setText(tr("Comparing every frame and every point …"));
    workspace_.runner().start(
        tr("Comparing"),
        [this, pair, settings, generation](const Progress& progress) -> Result<JobRunner::Done> {
            WYC_TRY(found, reconcile(pair->a, pair->nodeA, pair->b, pair->nodeB, settings, progress));
            pair->found = std::move(found);
            return [this, pair, generation] {
                --looking_;
                if (generation != generation_)
                    return;
                found_ = pair;
                chosen_.clear();
                for (const Cause& cause : pair->found.causes)
                    chosen_.push_back(!cause.isGuess() && !cause.undo.empty());
                undone_ = pair->found.undone;
                showFound();
            };
        },
        [this, generation](const Error& error) {
            --looking_;
            if (generation != generation_ || error.kind == ErrorKind::Cancelled)
                return;
            refused_ = error;
            found_.reset();
            showFound();
        });
}

std::vector<Step> ReconcileDesk::chosenSteps(int* causes) const {
    std::vector<Step> steps;
    for (std::size_t i = 0; found_ && i < found_->found.causes.size(); ++i)
        if (i < chosen_.size() && chosen_[i] && !found_->found.causes[i].undo.empty()) {
            const std::vector<Step>& own = found_->found.causes[i].undo;
            steps.insert(steps.end(), own.begin(), own.end());
            if (causes)
                ++*causes;
        }
    return steps;
}

void ReconcileDesk::showFound() {
    showCauses();
    const bool any = found_ != nullptr;
    for (QWidget* part : {static_cast<QWidget*>(worst_), static_cast<QWidget*>(heat_), static_cast<QWidget*>(over_),
                          static_cast<QWidget*>(report_)})
        part->setEnabled(any);
    int count = 0;
    (void)chosenSteps(&count);
    undo_->setEnabled(any && count > 0);
    undo_->setText(count > 1 ? tr("Undo these %1 in B").arg(count) : tr("Undo in B"));
    if (!any) {
        plot_->clear();
        figures_->setText({});
        sentence_->setText(refused_ ? QStringLiteral("✕ ") + QString::fromStdString(refused_->text()).toHtmlEscaped()
                           : looking() ? tr("Comparing every frame and every point …")
                           : listed_.size() < 2
                               ? tr("Open what went out and what came back: this desk says why they differ.")
                               : tr("Choose what came back (B) and what it should be (A), choose two items on the time "
                                    "board, or drop a file on the lane that it came from."));
        showOnBody();
        return;
    }
    const Reconciled& found = found_->found;
    QString words = QString::fromStdString(found.text).toHtmlEscaped();
    for (const Cause& cause : found.causes) {
        const QString own = QString::fromStdString(cause.text).toHtmlEscaped();
        words.replace(own, QStringLiteral("<b>%1</b>").arg(own));
    }
    if (found.withinTolerance)
        words = QStringLiteral("<span style='color:%1'>✓ %2</span>").arg(colour::kMoss.name(), words);
    sentence_->setText(words + QStringLiteral("."));
    plot_->show(found.drift, undone_, found.metres, tolerance());
    const auto told = [&](const QString& name, const std::optional<Drift>& drift) {
        if (!drift)
            return tr("%1: no point or no frame in common").arg(name);
        return tr("%1: %2 RMS, 99 % under %3, at most %4 at %5")
            .arg(name, QString::fromStdString(lengthText(drift->rms * found.metres)),
                 QString::fromStdString(lengthText(drift->p99 * found.metres)),
                 QString::fromStdString(lengthText(drift->largest * found.metres)),
                 QString::fromStdString(frameText(drift->worstFrame)));
    };
    QString figures = told(tr("as it came"), found.drift);
    if (count > 0 && undone_) {
        const bool good = undone_->largest * found.metres <= tolerance();
        figures +=
            QStringLiteral("<br>") +
            QStringLiteral("<span style='color:%1'>%2</span> ")
                .arg((good ? colour::kMoss : colour::kStraw).name(), good ? QStringLiteral("✓") : QStringLiteral("!")) +
            told(tr("undone"), undone_);
    }
    figures_->setText(figures);
    showOnBody();
}

void ReconcileDesk::showCauses() {
    clearLayout(causes_);
    checks_.clear();
    if (!found_)
        return;
    const Reconciled& found = found_->found;
    for (std::size_t i = 0; i < found.causes.size(); ++i) {
        const Cause& cause = found.causes[i];
        QFrame* card = cardFrame(cause.isGuess() ? colour::kInk3 : colour::kHeather, this);
        card->setProperty("causeId", QString::fromStdString(cause.id));
        auto* row = new QHBoxLayout(card);
        row->setContentsMargins(8, 3, 8, 3);
        row->setSpacing(7);
        auto* check = new QCheckBox(card);
        check->setObjectName(QStringLiteral("cause"));
        check->setEnabled(!cause.undo.empty());
        check->setChecked(i < chosen_.size() && chosen_[i]);
        check->setToolTip(cause.undo.empty() ? tr("Nothing undoes this") : tr("Undone with the others"));
        check->setAccessibleName(QString::fromStdString(cause.text));
        connect(check, &QCheckBox::clicked, this, [this, i](bool on) {
            if (i < chosen_.size())
                chosen_[i] = on;
            chosenChanged();
        });
        checks_.push_back(check);
        row->addWidget(check);
        auto* what = new QLabel(QString::fromStdString(cause.text), card);
        what->setFont(textFont(9.5, QFont::DemiBold));
        row->addWidget(what);
        auto* evidence = smallLabel(QString::fromStdString(cause.evidence), card);
        evidence->setWordWrap(false);
        keepToWidth(evidence);
        row->addWidget(evidence, 1);
        auto* sure = smallLabel(sureWords(cause.confidence), card);
        sure->setWordWrap(false);
        sure->setToolTip(tr("confidence %1").arg(cause.confidence, 0, 'f', 2));
        row->addWidget(sure);
        causes_->addWidget(card);
    }
    const OrderFacts& order = found.order;
    QString points =
        tr("points told by %1: %2 certain")
            .arg(QString::fromStdString(order.by == "hash" ? "their faces" : order.by), digits(order.certain));
    if (order.ambiguous > 0)
        points += tr(", %1 ambiguous").arg(digits(order.ambiguous));
    if (!order.unmatchedA.empty())
        points += tr(", %1 of A without one").arg(digits(order.unmatchedA.size()));
    if (!order.unmatchedB.empty())
        points += tr(", %1 of B more").arg(digits(order.unmatchedB.size()));
    if (order.by != "none")
        causes_->addWidget(smallLabel(points, this));
}

// What is left with just these undone, worked out by the worker.
void ReconcileDesk::chosenChanged() {
    if (!found_)
        return;
    int count = 0;
    (void)chosenSteps(&count);
    undo_->setEnabled(count > 0);
    undo_->setText(count > 1 ? tr("Undo these %1 in B").arg(count) : tr("Undo in B"));
    ++looking_;
    const int generation = generation_;
    workspace_.runner().start(
        tr("Comparing"),
        [this, pair = found_, chosen = chosen_, generation](const Progress& progress) -> Result<JobRunner::Done> {
            auto left = std::make_shared<Result<std::optional<Drift>>>(
                driftAfter(pair->found, chosen, pair->a, pair->nodeA, pair->b, pair->nodeB, progress));
            return [this, left, chosen, generation] {
                --looking_;
                if (generation != generation_ || chosen != chosen_ || !found_)
                    return;
                undone_ = *left ? **left : std::nullopt;
                showFound();
            };
        },
        [this](const Error&) { --looking_; });
}

void ReconcileDesk::showOnBody() {
    if (!found_ || !isVisible() || (!heat_->isChecked() && !over_->isChecked())) {
        viewport_.setComparison(std::nullopt);
        return;
    }
    ViewComparison shown;
    shown.b = b_;
    shown.a = found_->a;
    shown.nodeA = found_->nodeA;
    shown.metresA = found_->found.metres;
    shown.aOfB = found_->found.order.aOfB;
    // What is within the tolerance does not look as if it were far.
    shown.topMetres =
        std::max(tolerance(), found_->found.drift ? found_->found.drift->largest * found_->found.metres : 0.0);
    shown.heat = heat_->isChecked();
    shown.over = over_->isChecked();
    viewport_.setComparison(shown);
}

void ReconcileDesk::undoChosen() {
    const std::vector<Step> steps = chosenSteps();
    if (steps.empty() || b_.isEmpty())
        return;
    workspace_.document().endMerge();
    workspace_.addSteps(b_, steps, tr("Undo what differs"));
}

void ReconcileDesk::writeReport() {
    if (!found_)
        return;
    QString path =
        QFileDialog::getSaveFileName(this, tr("Report"), QStringLiteral("reconcile.html"), tr("Pages (*.html)"));
    if (path.isEmpty())
        return;
    if (!path.endsWith(QStringLiteral(".html")))
        path += QStringLiteral(".html");
    Comparison comparison;
    comparison.a = workspace_.labelOf(a_);
    comparison.b = workspace_.labelOf(b_);
    comparison.toleranceMetres = tolerance();
    comparison.pairs.push_back(*found_);
    workspace_.runner().start(
        tr("Writing the report"),
        [comparison, path](const Progress&) -> Result<JobRunner::Done> {
            WYC_CHECK(writeHtmlReport(comparison, fs::path(path.toStdString())));
            return [] {};
        },
        [this](const Error& error) { emit workspace_.problem(QString::fromStdString(error.text())); });
}

} // namespace wyc::app
