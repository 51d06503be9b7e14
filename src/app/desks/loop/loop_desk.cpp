// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/loop/loop_desk.h"

#include <algorithm>
#include <cmath>

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QTreeWidget>
#include <QVBoxLayout>

#include <qcustomplot.h>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/loop/pinned_loops.h"
#include "plots/curve_plot.h"
#include "plots/seam_view.h"
#include "theme/theme.h"
#include "theme/words.h"
#include "time/frame_text.h"
#include "view/viewport.h"

namespace wyc::app {
namespace {

constexpr std::size_t kSketchPoints = 2048;
constexpr int kAround = 12; // frames that are drawn on both sides of a seam

// Speeds around the seam of a cycle, from its steps: the last of them is that over the seam.
std::vector<double> around(const std::vector<double>& steps, double frameSeconds) {
    std::vector<double> speeds;
    const auto count = static_cast<int>(steps.size());
    const int reach = std::min(kAround, count / 2);
    for (int k = -reach; k < reach; ++k)
        speeds.push_back(steps[static_cast<std::size_t>((k - 1 + count) % count)] / frameSeconds);
    return speeds;
}

// The steps of a cycle that is cut from a motion.
std::vector<double> stepsOf(const SeamMap& map, std::size_t first, std::size_t count) {
    std::vector<double> steps;
    for (std::size_t i = 0; i < count; ++i)
        steps.push_back(map.distance(first + i, first + (i + 1) % count));
    return steps;
}

} // namespace

void LoopDesk::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (stale_)
        study();
}

void LoopDesk::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    plays_ = false;
    emit cycleLeft();
}

void LoopDesk::say(const QString& words) {
    figures_->setText(words);
}

// The motion of what is chosen, as it is before a loop that it may have been given already.
void LoopDesk::study() {
    stale_ = false;
    auto subject = std::make_shared<Subject>();
    subject->inPlace = travel_->currentIndex() > 0;
    for (const ItemKey& key : workspace_.chosen()) {
        const ItemView* item = workspace_.item(key);
        if (!item || !item->scene)
            continue;
        std::shared_ptr<const Scene> scene = item->scene;
        std::size_t node = item->node;
        std::vector<Step> steps = item->steps;
        if (!item->steps.empty() && item->steps.back().type == "loop" && !item->failedStep) {
            const auto before = seenBefore(*item, item->steps.size() - 1);
            if (!before)
                continue;
            scene = before->scene;
            node = before->node;
            steps.pop_back();
        }
        if (!movingSpan(*scene, node))
            continue;
        subject->parts.push_back({key, item->source, std::move(steps)});
        subject->items.push_back({scene.get(), node, workspace_.unitMetres(*item)});
        subject->scenes.push_back(std::move(scene));
    }
    // The same as before: nothing to look at anew.
    if (subject_ && subject_->parts == subject->parts && subject_->inPlace == subject->inPlace) {
        showAct();
        return;
    }
    if (plays_) { // of what it was
        plays_ = false;
        emit cycleLeft();
    }
    ++generation_;
    map_.reset();
    candidates_.clear();
    pinned_.clear();
    chosen_.reset();
    judged_.reset();
    refused_.reset();
    byHand_ = false;
    list_->clear();
    seam_->show(nullptr, {});
    seam_->setPair(std::nullopt);
    note_->setText({});
    subject_ = std::move(subject);
    const ItemView* active = workspace_.activeItem();
    title_->setText(!active                      ? tr("Loop")
                    : subject_->parts.size() > 1 ? tr("Loop of %1 items together").arg(subject_->parts.size())
                                                 : tr("Loop of %1").arg(QString::fromStdString(active->name)));
    showClosing();
    if (subject_->items.empty()) {
        say(active ? tr("It does not move: there is nothing to loop.") : tr("Choose an item on the time board."));
        return;
    }
    say(tr("Looking for frames that are alike …"));
    look(kSketchPoints);
}

// First a sketch from some of the points, at once; then all of them.
void LoopDesk::look(std::size_t sketchPoints) {
    ++looking_;
    SeamMapSettings settings;
    settings.sketchPoints = sketchPoints;
    settings.inPlace = subject_->inPlace;
    const int generation = generation_;
    workspace_.runner().start(
        sketchPoints > 0 ? tr("A first look at the motion") : tr("Comparing all frames"),
        [this, subject = subject_, settings, generation](const Progress& progress) -> Result<JobRunner::Done> {
            WYC_TRY(found, seamMapOf(subject->items, settings, progress));
            auto map = std::make_shared<const SeamMap>(std::move(found));
            return [this, map, picture = SeamView::pictureOf(*map), generation] {
                --looking_;
                if (generation != generation_)
                    return;
                map_ = map;
                judgedFor_.reset(); // what was told by a sketch is told anew
                seam_->show(map, picture);
                note_->setText(map->ofAllPoints() ? tr("exact · all %1 × %1 pairs of frames").arg(map->count())
                                                  : tr("a first look · %1 × %1 pairs").arg(map->count()));
                search();
                if (!map->ofAllPoints())
                    look(0);
            };
        },
        [this, generation](const Error& error) {
            --looking_;
            if (generation != generation_ || error.kind == ErrorKind::Cancelled)
                return;
            say(QStringLiteral("✕ ") + QString::fromStdString(error.text()));
        });
}

// By the worker: of thousands of frames there are millions of pairs.
void LoopDesk::search() {
    if (!map_)
        return;
    ++looking_;
    seam_->setBounds(bounds_);
    const int generation = generation_;
    workspace_.runner().start(
        tr("Looking for cycles"),
        [this, map = map_, bounds = bounds_, generation](const Progress&) -> Result<JobRunner::Done> {
            auto found = std::make_shared<Result<std::vector<LoopCandidate>>>(loopCandidates(*map, bounds));
            return [this, map, bounds, generation, found] {
                --looking_;
                if (generation == generation_ && map == map_ && bounds.start == bounds_.start &&
                    bounds.length == bounds_.length)
                    takeCandidates(*found);
            };
        },
        [this](const Error&) { --looking_; });
}

void LoopDesk::takeCandidates(const Result<std::vector<LoopCandidate>>& found) {
    candidates_ = found ? *found : std::vector<LoopCandidate>();
    const std::optional<LoopCandidate> before = chosen_;
    const QSignalBlocker quiet(list_);
    list_->clear();
    for (const LoopCandidate& c : candidates_) {
        auto* row = new QTreeWidgetItem(
            list_, {QStringLiteral("%1 – %2").arg(frameWords(c.start), frameWords(c.start + c.length - 1.0)),
                    frameWords(c.length),
                    (c.good ? QStringLiteral("✓ ") : QString()) + loopLengthWords(c.gap, map_->inSteps())});
        row->setToolTip(2, tr("%1 usual steps; speeds differ by %2 a second")
                               .arg(c.gapSteps, 0, 'f', 2)
                               .arg(loopLengthWords(c.velocityGap, map_->inSteps())));
        if (c.good)
            row->setForeground(2, colour::kMoss);
    }
    if (candidates_.empty()) {
        chosen_.reset();
        showClosing();
        say(found ? tr("It never comes back to where it was: no cycle was found. Pick two frames on the map, and "
                       "bridge them.")
                  : QStringLiteral("✕ ") + QString::fromStdString(found.error().text()));
        return;
    }
    // What was chosen stays chosen when the exact map has come.
    std::size_t row = 0;
    for (std::size_t i = 0; before && i < candidates_.size(); ++i)
        if (candidates_[i].start == before->start && candidates_[i].length == before->length)
            row = i;
    list_->setCurrentItem(list_->topLevelItem(static_cast<int>(row)));
    choose(candidates_[row].start, candidates_[row].length);
}

void LoopDesk::takeBounds() {
    LoopBounds bounds;
    const auto take = [&](QLineEdit* line, std::optional<FrameRange>& into) {
        const std::string text = line->text().trimmed().toStdString();
        if (text.empty())
            return true;
        const auto range = rangeOrOne(text);
        if (range)
            into = *range;
        return range.has_value();
    };
    for (const auto& [line, into] : {std::pair{starts_, &bounds.start}, {lengths_, &bounds.length}})
        if (!take(line, *into)) {
            emit workspace_.problem(tr("“%1”: a range is as 1009:1060").arg(line->text()));
            line->clear();
            return;
        }
    if (bounds.start == bounds_.start && bounds.length == bounds_.length)
        return;
    bounds_ = bounds;
    search();
}

void LoopDesk::choose(double start, double length) {
    if (!map_)
        return;
    LoopBounds exactly = bounds_;
    exactly.start = FrameRange{start, start};
    exactly.length = FrameRange{length, length};
    const auto candidate = candidateFor(*map_, exactly);
    if (!candidate)
        return;
    chosen_ = *candidate;
    for (const LoopCandidate& c : candidates_)
        if (c.start == start && c.length == length)
            chosen_ = c;
    seam_->setPair(std::pair{start, start + length});
    if (!byHand_) {
        const LoopClosing best = closingFor(*map_, *chosen_);
        way_ = best.close;
        fade_->setText(frameWords(best.fade));
    }
    showClosing();
}

std::optional<std::size_t> LoopDesk::pinnedAt() const {
    for (std::size_t i = 0; chosen_ && i < pinned_.size(); ++i)
        if (pinned_[i].is(*chosen_))
            return i;
    return std::nullopt;
}

void LoopDesk::pinOrUnpin() {
    if (const auto at = pinnedAt())
        pinned_.erase(pinned_.begin() + static_cast<std::ptrdiff_t>(*at));
    else if (chosen_)
        pinned_.push_back(
            {*chosen_, closing(), judged_ && judgedFor_ == step() ? std::optional(judged_->closed) : std::nullopt});
    showClosing();
}

void LoopDesk::showPinned() {
    if (pinned_.empty())
        compare_->setChecked(false);
    if (compare_->isChecked())
        pins_->fill(pinned_, pinnedAt(), map_ && map_->inSteps());
}

// What a field of whole numbers holds; back to what held, with a word, where it is none.
bool LoopDesk::takeCount(QLineEdit* field, double least) {
    const auto number = parseNumber(field->text().trimmed().toStdString());
    if (number && *number >= least && *number <= 1e5 && *number == std::round(*number)) {
        return true;
    }
    emit workspace_.problem(tr("“%1” is no number of frames or times").arg(field->text()));
    field->setText(field->property("before").toString()); // as it was when the keys came
    return false;
}

LoopClosing LoopDesk::closing() const {
    LoopClosing made;
    made.close = way_;
    made.fade = parseNumber(fade_->text().toStdString()).value_or(0.0);
    if (weight_->currentIndex() < 3)
        made.weight = weight_->currentText().toStdString();
    else
        made.weights = weights_->text().trimmed().toStdString();
    made.keepShape = keepShape_->isChecked();
    made.closingCopy = copy_->isChecked();
    made.travel = std::array{"comes back", "goes on", "taken out"}[static_cast<std::size_t>(travel_->currentIndex())];
    made.cycles = std::max(1, static_cast<int>(parseNumber(cycles_->text().toStdString()).value_or(1.0)));
    return made;
}

std::optional<Step> LoopDesk::step() const {
    return chosen_ ? std::optional(loopStepFor(*chosen_, closing())) : std::nullopt;
}

void LoopDesk::showClosing() {
    const std::array<std::string, 3> ids{"cut", "overlap", "bridge"};
    for (std::size_t i = 0; i < ways_.size(); ++i) {
        ways_[i]->setChecked(way_ == ids[i]);
        ways_[i]->setEnabled(chosen_.has_value());
    }
    const bool fades = way_ != "cut";
    fade_->setEnabled(chosen_ && fades);
    weight_->setEnabled(chosen_ && way_ == "overlap");
    for (QWidget* part : {static_cast<QWidget*>(weights_), static_cast<QWidget*>(drawn_)})
        part->setVisible(weight_->isEnabled() && weight_->currentIndex() == 3);
    pin_->setEnabled(chosen_.has_value());
    compare_->setEnabled(!pinned_.empty());
    const auto pinned = pinnedAt();
    pin_->setChecked(pinned.has_value());
    pinsTimer_.start();
    keepShape_->setEnabled(chosen_ && way_ == "overlap");
    copy_->setEnabled(chosen_.has_value());
    cycles_->setEnabled(chosen_.has_value());
    if (judged_ && chosen_ && judgedFor_ == step()) // nothing is other than it was
        return;
    judged_.reset();
    if (!chosen_) {
        counts_->setText({});
        add_->setEnabled(false);
        plot_->graph(0)->data()->clear();
        plot_->graph(1)->data()->clear();
        plot_->replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    const LoopClosing made = closing();
    const double period = periodOf(*step());
    const double end = chosen_->start + period;
    add_->setEnabled(false); // until it is known what comes of it
    counts_->setText(made.closingCopy ? tr("%1 frames, %2 – %3; %3 equals %2")
                                            .arg(frameWords(period + 1.0), frameWords(chosen_->start), frameWords(end))
                                      : tr("%1 frames, %2 – %3; %4 would equal %2 and is left out")
                                            .arg(frameWords(period), frameWords(chosen_->start), frameWords(end - 1.0),
                                                 frameWords(end)));
    showAct();
    judge_.start();
}

// The weight as a curve to be drawn on; words that are none leave it as it is.
void LoopDesk::showDrawn() {
    const auto keys = numberPairs(weights_->text().toStdString());
    if (!keys)
        return;
    drawn_->show(*keys, CurvePlot::weights());
}

void LoopDesk::showAct() {
    const ItemView* active = workspace_.activeItem();
    const bool has = active && !active->steps.empty() && active->steps.back().type == "loop";
    add_->setText(has ? tr("Change the loop") : tr("Close the loop"));
}

// What comes of it, worked out by the worker.
void LoopDesk::judge() {
    const auto made = step();
    if (!made || !subject_ || !map_)
        return;
    ++looking_;
    const int generation = generation_;
    const Step wanted = *made;
    const std::size_t first =
        static_cast<std::size_t>(std::max(0.0, std::round(chosen_->start - map_->frames().front())));
    const auto length = static_cast<std::size_t>(chosen_->length);
    workspace_.runner().start(
        tr("Looking at the seam"),
        [this, subject = subject_, map = map_, wanted, generation, first,
         length](const Progress& progress) -> Result<JobRunner::Done> {
            Judged judged;
            WYC_TRY(closed, closedBy(subject->items, wanted, progress));
            if (first + length <= map->count())
                judged.before = around(stepsOf(*map, first, length), map->frameSeconds());
            judged.after = around(closed.check.steps, map->frameSeconds());
            judged.closed = std::move(closed);
            for (std::size_t i = 0; i < subject->scenes.size(); ++i) {
                const Scene& before = *subject->scenes[i];
                const std::size_t node = subject->items[i].node;
                WYC_TRY(cycle, applySteps(before, {judged.closed.steps[i]}));
                const std::size_t there = cycle.find(before.nodes[node].id).value_or(node);
                judged.made.push_back({std::make_shared<const Scene>(std::move(cycle)), there});
            }
            return [this, judged, generation, wanted] {
                --looking_;
                if (generation != generation_ || step() != std::optional(wanted))
                    return;
                judged_ = judged;
                judgedFor_ = wanted;
                // What is pinned is shown as it would be closed now.
                if (const auto pinned = pinnedAt()) {
                    pinned_[*pinned].closing = closing();
                    pinned_[*pinned].closed = judged.closed;
                }
                pinsTimer_.start();
                refused_.reset();
                showFigures();
                if (plays_)
                    playChosen();
            };
        },
        [this, generation](const Error& error) {
            --looking_;
            if (generation != generation_ || error.kind == ErrorKind::Cancelled)
                return;
            refused_ = error;
            showFigures();
        });
}

// At once as it is, cut; and as it would be closed as soon as that is known.
void LoopDesk::playChosen() {
    if (!chosen_ || !subject_ || subject_->items.empty())
        return;
    plays_ = true;
    const bool known = judged_ && judgedFor_ == step() && judged_->made.size() == subject_->parts.size();
    CyclePreview cycle;
    cycle.rate = subject_->scenes.front()->view.rate;
    cycle.start = chosen_->start;
    cycle.cutCount = chosen_->length;
    cycle.closedCount = known ? periodOf(*judgedFor_) : cycle.cutCount;
    for (std::size_t i = 0; i < subject_->parts.size(); ++i) {
        const SeenItem came{subject_->scenes[i], subject_->items[i].node};
        cycle.items.emplace(subject_->parts[i].key, Viewport::Preview{known ? judged_->made[i] : came, came});
    }
    emit cycleAsked(cycle);
}

void LoopDesk::showFigures() {
    add_->setEnabled(judged_.has_value());
    if (refused_ && !judged_) {
        say(QStringLiteral("✕ ") + QString::fromStdString(refused_->text()));
        return;
    }
    if (!judged_ || !chosen_)
        return;
    const auto points = [](const std::vector<double>& speeds, QVector<double>& x, QVector<double>& y) {
        for (std::size_t i = 0; i < speeds.size(); ++i) {
            x.push_back(static_cast<double>(i) - static_cast<double>(speeds.size()) / 2.0);
            y.push_back(speeds[i]);
        }
    };
    double top = 1e-9;
    double reach = 1.0;
    for (int g = 0; g < 2; ++g) {
        QVector<double> x;
        QVector<double> y;
        points(g == 0 ? judged_->before : judged_->after, x, y);
        plot_->graph(g)->setData(x, y, true);
        for (const double v : y)
            top = std::max(top, v);
        if (!x.empty())
            reach = std::max(reach, -x.front());
    }
    plot_->xAxis->setRange(-reach, reach);
    plot_->yAxis->setRange(0.0, top * 1.1);
    plot_->replot(QCustomPlot::rpQueuedReplot);
    const bool inSteps = map_ && map_->inSteps();
    const LoopCheck& check = judged_->closed.check;
    const LoopCheck& cut = judged_->closed.cut;
    QString words = tr("across the seam: off by %1 → %2, speeds by %3 → %4 a second")
                        .arg(loopLengthWords(cut.gap, inSteps), loopLengthWords(check.gap, inSteps),
                             loopLengthWords(cut.velocityGap, inSteps), loopLengthWords(check.velocityGap, inSteps));
    if (way_ == "overlap")
        words += tr(" · edges shrink by %1 % (shape kept: %2 %)")
                     .arg(judged_->closed.shrink * 100.0, 0, 'f', 1)
                     .arg(std::max(0.0, judged_->closed.keptShrink) * 100.0, 0, 'f', 1);
    const ClosedLoop& closed = judged_->closed;
    say(QStringLiteral("<span style='color:%1'>%2</span> · ")
            .arg(closed.closes() ? colour::kMoss.name() : colour::kStraw.name(), loopVerdict(closed)) +
        words.toHtmlEscaped());
}

void LoopDesk::closeLoop() {
    const auto made = step();
    if (!made || !judged_ || !subject_)
        return;
    workspace_.document().endMerge();
    const auto each = loopStepsFor(subject_->items, *made);
    if (!each) {
        emit workspace_.problem(QString::fromStdString(each.error().text()));
        return;
    }
    workspace_.document().edit(tr("Close the loop").toStdString(), [&](Job& job) {
        for (std::size_t i = 0; i < subject_->parts.size(); ++i) {
            const Subject::Part& part = subject_->parts[i];
            auto& steps = job.itemFor(part.key.source, part.key.path).steps;
            if (!steps.empty() && steps.back().type == "loop")
                steps.pop_back();
            steps.push_back((*each)[i]);
        }
    });
}

} // namespace wyc::app
