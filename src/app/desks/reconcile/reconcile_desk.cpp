// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/reconcile/reconcile_desk.h"

#include <algorithm>
#include <cmath>

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

#include "base/file.h"
#include "base/text.h"
#include "desks/desk_parts.h"
#include "maths/lengths.h"
#include "plots/drift_plot.h"
#include "shell/partner.h"
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

QString lengthWords(double metres) {
    return QString::fromStdString(lengthText(metres));
}

QString pixelWords(double pixels) {
    return QString::fromStdString(pixelsText(pixels));
}

} // namespace

struct ReconcileDesk::Left {
    std::optional<Drift> drift;
    std::shared_ptr<const Undone> undone;
    std::optional<PicturedDrift> pictured;
};

// For workers. What cannot be undone together, or is not to be measured, is not there.
ReconcileDesk::Left ReconcileDesk::leftOf(const ComparedPair& pair, const std::vector<char>& chosen,
                                          const std::optional<Picture>& picture, bool measure,
                                          const Progress& progress) {
    Left left;
    auto undone = undoneOf(pair.found, chosen, pair.b, pair.nodeB);
    if (!undone)
        return left;
    left.undone = std::make_shared<const Undone>(std::move(*undone));
    if (measure)
        if (auto drift = driftAfter(pair.found, chosen, pair.a, pair.nodeA, pair.b, pair.nodeB,
                                    progress.part(0.0, picture ? 0.4 : 1.0)))
            left.drift = std::move(*drift);
    if (picture)
        if (auto pictured = picturedDrift(pair.found, pair.a, pair.nodeA, pair.b, pair.nodeB, chosen, *picture,
                                          progress.part(0.4, 1.0)))
            left.pictured = std::move(*pictured);
    return left;
}

double ReconcileDesk::tolerance() const {
    return parseLength(lengthTolerance_.toStdString()).value_or(0.0);
}

double ReconcileDesk::tolerancePixels() const {
    QString digits = pixelTolerance_;
    if (digits.endsWith(QStringLiteral("px")))
        digits.chop(2);
    return parseNumber(digits.trimmed().toStdString()).value_or(0.0);
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
    viewport_.setPair(std::nullopt);
    viewport_.setComparison(std::nullopt);
}

// In a low window the causes come first.
void ReconcileDesk::resizeEvent(QResizeEvent* event) {
    Desk::resizeEvent(event);
    constexpr int kRoomForPlot = 320; // pixels
    plot_->setVisible(height() >= kRoomForPlot);
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
        const ItemView* best =
            a ? mostAlike(workspace_, *a,
                          [this](const ItemView& item) { return !awaited_->before.contains(item.key.source); })
              : nullptr;
        if (best) {
            const ItemKey against = awaited_->a;
            awaited_.reset();
            choose(against, best->key);
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
    const ItemView* best = likelyPartner(workspace_, *active);
    a_ = best ? best->key : ItemKey();
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
    for (const auto& [item, steps] : {std::pair{a, &pair->stepsA}, {b, &pair->stepsB}})
        for (const Step& step : item->steps)
            if (step.on)
                steps->push_back(stepWords(step));
    ReconcileSettings settings;
    settings.toleranceMetres = tolerance();
    sentence_->setText(tr("Comparing every frame and every point …"));
    workspace_.runner().start(
        tr("Comparing"),
        [this, pair, settings, generation, picture = picture()](const Progress& progress) -> Result<JobRunner::Done> {
            const Progress first = progress.part(0.0, picture ? 0.7 : 1.0);
            WYC_TRY(found, reconcile(pair->a, pair->nodeA, pair->b, pair->nodeB, settings, first));
            pair->found = std::move(found);
            std::vector<char> chosen;
            for (const Cause& cause : pair->found.causes)
                chosen.push_back(!cause.isGuess() && !cause.undo.empty());
            auto left = std::make_shared<Left>(leftOf(*pair, chosen, picture, false, progress.part(0.7, 1.0)));
            left->drift = pair->found.undone;
            return [this, pair, chosen, left, generation] {
                --looking_;
                if (generation != generation_)
                    return;
                found_ = pair;
                chosen_ = chosen;
                takeLeft(*left);
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
    for (QWidget* part :
         std::initializer_list<QWidget*>{worst_, heat_, order_, asUndone_, bodies_, measure_, more_, report_})
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
    const bool pixels = camera_.has_value();
    const auto inWords = pixels ? &pixelWords : &lengthWords;
    const double scale = pixels ? 1.0 : found.metres;
    const double most = pixels ? tolerancePixels() : tolerance();
    const std::optional<Drift> none;
    const std::optional<Drift>& came = !pixels ? found.drift : pictured_ ? pictured_->drift : none;
    const std::optional<Drift>& undone = !pixels ? undone_ : pictured_ ? pictured_->undone : none;
    plot_->show(came, undone, scale, most, inWords, {toBoard(false), toBoard(true)});
    const auto told = [&](const QString& name, const std::optional<Drift>& drift) {
        if (!drift)
            return pixels ? tr("%1: no point that both have is in the picture").arg(name)
                          : tr("%1: no point or no frame in common").arg(name);
        return tr("%1: %2 RMS, 99 % under %3, at most %4 at %5")
            .arg(name, inWords(drift->rms * scale), inWords(drift->p99 * scale), inWords(drift->largest * scale),
                 QString::fromStdString(frameText(drift->worstFrame)));
    };
    QString figures = pixels && !pictured_ ? tr("Measuring in the picture …")
                                           : told(QString::fromStdString(measuredAs(*found_)), came);
    if (count > 0 && undone) {
        const bool good = undone->largest * scale <= most;
        figures +=
            QStringLiteral("<br>") +
            QStringLiteral("<span style='color:%1'>%2</span> ")
                .arg((good ? colour::kMoss : colour::kStraw).name(), good ? QStringLiteral("✓") : QStringLiteral("!")) +
            told(tr("undone"), undone);
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
        // One order puts right what is split, welded and shuffled.
        const auto bringsOrder = [](const Cause& other) {
            return std::any_of(other.undo.begin(), other.undo.end(), &renumbers);
        };
        if (const auto with = std::find_if(found.causes.begin(), found.causes.end(), bringsOrder);
            cause.undo.empty() && with != found.causes.end() &&
            (cause.id == "order" || cause.id == "split" || cause.id == "welded")) {
            const auto place = static_cast<std::size_t>(with - found.causes.begin());
            check->setChecked(place < chosen_.size() && chosen_[place]);
            check->setToolTip(tr("Undone together with: %1").arg(QString::fromStdString(with->text)));
        }
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
        [this, pair = found_, chosen = chosen_, picture = picture(),
         generation](const Progress& progress) -> Result<JobRunner::Done> {
            auto left = std::make_shared<Left>(leftOf(*pair, chosen, picture, true, progress));
            return [this, left, pair, chosen, generation] {
                --looking_;
                if (generation != generation_ || chosen != chosen_ || found_ != pair)
                    return;
                takeLeft(*left);
                showFound();
            };
        },
        [this](const Error&) { --looking_; });
}

void ReconcileDesk::takeLeft(const Left& left) {
    undone_ = left.drift;
    shownUndone_ = left.undone;
    // Asked for another picture meanwhile, its figures are on their way.
    pictured_ = left.pictured;
}

// What a frame number of B, as it came or undone, times comes to on the board.
double ReconcileDesk::toBoard(bool undone) const {
    const ItemView* item = workspace_.item(b_);
    const Scene* scene = undone && shownUndone_ ? shownUndone_->scene.get() : item ? item->scene.get() : nullptr;
    return scene ? workspace_.rate().value() / scene->view.rate.value() : 1.0;
}

void ReconcileDesk::showOnBody() {
    const auto arrangement = static_cast<Arrangement>(std::max(0, bodies_->currentIndex()));
    const bool any =
        arrangement != Arrangement::BAlone || heat_->isChecked() || order_->isChecked() || asUndone_->isChecked();
    if (!found_ || !isVisible()) {
        viewport_.setPair(std::nullopt);
        viewport_.setComparison(std::nullopt);
        return;
    }
    ViewComparison shown;
    shown.b = b_;
    shown.a = found_->a;
    shown.nodeA = found_->nodeA;
    shown.metresA = found_->found.metres;
    shown.aOfB = found_->found.order.aOfB;
    std::optional<Drift> drift = found_->found.drift;
    if (asUndone_->isChecked() && shownUndone_) {
        shown.undone = shownUndone_;
        shown.aOfB = std::shared_ptr<const std::vector<std::uint32_t>>(shownUndone_, &shownUndone_->aOfB);
        drift = undone_;
    }
    // What is within the tolerance does not look as if it were far.
    shown.topMetres = std::max(tolerance(), drift ? drift->largest * found_->found.metres : 0.0);
    shown.toleranceMetres = tolerance();
    if (camera_ && pictured_)
        drift = shown.undone ? pictured_->undone : pictured_->drift;
    if (drift && drift->largest > 0.0)
        shown.worst = ViewComparison::Worst{drift->worstPoint, drift->worstFrame};
    shown.arrangement = arrangement;
    shown.heat = heat_->isChecked();
    shown.order = order_->isChecked();
    viewport_.setPair(shown);
    viewport_.setComparison(any ? std::optional(shown) : std::nullopt);
}

} // namespace wyc::app
