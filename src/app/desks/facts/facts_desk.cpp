// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/facts/facts_desk.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include <qcustomplot.h>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/facts/layers_of_item.h"
#include "desks/option_editor.h"
#include "measure/motion.h"
#include "shell/partner.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

// What was held against the shot is named; of what the shot does not say nothing was asked.
QString nothingFoundWords(const Shot& shot) {
    QStringList asked;
    QStringList open;
    const auto sort = [&](bool states, const QString& what) { (states ? asked : open) << what; };
    sort(shot.range.has_value(), FactsDesk::tr("range"));
    sort(shot.rate.has_value(), FactsDesk::tr("rate"));
    sort(shot.unitMetres.has_value(), FactsDesk::tr("unit"));
    QString words = QStringLiteral("✓ ") + FactsDesk::tr("Nothing found in frames, motion and mesh");
    if (!asked.isEmpty())
        words += FactsDesk::tr("; %1 as the shot asks").arg(asked.join(QStringLiteral(", ")));
    if (!open.isEmpty())
        words += FactsDesk::tr(". The shot states no %1").arg(open.join(FactsDesk::tr(" and no ")));
    return words + QLatin1Char('.');
}

} // namespace

FactsDesk::FactsDesk(Workspace& workspace, QWidget* parent) : Desk(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("factsDesk"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 4, 6);
    outer->setSpacing(6);
    auto* head = new QHBoxLayout();
    name_ = titleLabel({}, this);
    origin_ = new QLabel(this);
    origin_->setProperty("small", true);
    origin_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    keepToWidth(name_);
    keepToWidth(origin_);
    head->addWidget(name_, 1);
    head->addWidget(origin_, 1);
    head->addSpacing(10);
    outer->addLayout(head);

    makePlot();
    auto* plotRow = new QHBoxLayout();
    plotRow->addWidget(plot_);
    plotRow->addSpacing(10);
    outer->addLayout(plotRow);
    outer->addWidget(makeColumn(), 1);
    connect(&workspace_, &Workspace::activeChanged, this, [this] {
        showItem();
        showFindings();
    });
    connect(&workspace_, &Workspace::itemsChanged, this, &FactsDesk::showItem);
    connect(&workspace_, &Workspace::measuresChanged, this, &FactsDesk::showItem);
    connect(&workspace_, &Workspace::findingsChanged, this, &FactsDesk::showFindings);
    connect(&workspace_, &Workspace::checkedChanged, this, &FactsDesk::showChecked);
    connect(&workspace_, &Workspace::frameChanged, this, &FactsDesk::showFrame);
    showItem();
    showFindings();
}

// Speed over time.
void FactsDesk::makePlot() {
    plot_ = new QCustomPlot(this);
    plot_->setObjectName(QStringLiteral("speedPlot"));
    plot_->setFixedHeight(104);
    plot_->setBackground(QBrush(colour::kInk1.darker(106)));
    plot_->setToolTip(
        tr("RMS over points of the distance to the sample before, times the rate. Click to go to a frame; the wheel "
           "zooms, a double click shows all. Dashed: what it is likely to be held against."));
    plot_->axisRect()->setRangeZoom(Qt::Horizontal);
    plot_->setInteraction(QCP::iRangeZoom);
    plot_->setMouseTracking(true);
    value_ = new QLabel(plot_);
    value_->setProperty("small", true);
    value_->setAttribute(Qt::WA_TransparentForMouseEvents);
    value_->setStyleSheet(QStringLiteral("background: #1B282D; color: #DFE8E4; padding: 0 4px;"));
    value_->hide();
    plot_->addGraph();
    plot_->graph(0)->setPen(QPen(colour::kGlass, 1.5));
    plot_->graph(0)->setAntialiased(true);
    QColor fill = colour::kGlass;
    fill.setAlpha(36);
    plot_->graph(0)->setBrush(fill);
    plot_->addGraph(); // of its partner
    plot_->graph(1)->setPen(QPen(colour::kHeather, 1.2, Qt::DashLine));
    plot_->graph(1)->setAntialiased(true);
    cursor_ = new QWidget(plot_); // above the plot: it moves without the plot being drawn anew
    cursor_->setStyleSheet(QStringLiteral("background: %1;").arg(colour::kChalk.name()));
    cursor_->setAttribute(Qt::WA_TransparentForMouseEvents);
    for (QCPAxis* axis : {plot_->xAxis, plot_->yAxis}) {
        axis->setBasePen(Qt::NoPen);
        axis->setTickPen(Qt::NoPen);
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(colour::kChalk2);
        axis->setTickLabelFont(textFont(8));
        axis->grid()->setPen(QPen(QColor(0x24, 0x33, 0x38), 1));
        axis->grid()->setZeroLinePen(QPen(QColor(0x30, 0x42, 0x48), 1));
    }
    plot_->xAxis->grid()->setVisible(false);
    plot_->yAxis->ticker()->setTickCount(3);
    plot_->xAxis->setNumberFormat(QStringLiteral("f"));
    plot_->xAxis->setNumberPrecision(0);
    plot_->axisRect()->setAutoMargins(QCP::msLeft | QCP::msBottom);
    plot_->axisRect()->setMinimumMargins(QMargins(34, 0, 0, 18));
    plot_->axisRect()->setMargins(QMargins(34, 20, 12, 18));
    const auto words = [this](Qt::Alignment side, double at, const QColor& c) {
        auto* made = new QCPItemText(plot_);
        made->setClipToAxisRect(false);
        made->setFont(textFont(8));
        made->setColor(c);
        made->setPositionAlignment(side | Qt::AlignTop);
        made->position->setType(QCPItemPosition::ptViewportRatio);
        made->position->setCoords(at, 0.02);
        return made;
    };
    caption_ = words(Qt::AlignLeft, 0.012, colour::kChalk2);
    partner_ = words(Qt::AlignRight, 0.985, colour::kHeather);
    plot_->installEventFilter(this);
    connect(plot_, &QCustomPlot::afterReplot, this, &FactsDesk::showFrame); // its area may be another
}

// Findings, and the figures below them.
QWidget* FactsDesk::makeColumn() {
    auto* scroll = scrollingColumn(this);
    QWidget* content = scroll->widget();
    auto* column = static_cast<QVBoxLayout*>(content->layout());
    column->setSpacing(6);
    gridHost_ = new QWidget(content);
    grid_ = new QGridLayout(gridHost_);
    grid_->setContentsMargins(2, 2, 2, 6);
    grid_->setHorizontalSpacing(12);
    grid_->setVerticalSpacing(4);
    grid_->setColumnStretch(1, 3);
    grid_->setColumnStretch(3, 2);
    auto* findingsHead = new QHBoxLayout();
    findingsTitle_ = titleLabel({}, content);
    findingsHead->addWidget(findingsTitle_);
    findingsHead->addStretch();
    mendAll_ = new QToolButton(content);
    mendAll_->setObjectName(QStringLiteral("mendEverything"));
    mendAll_->setToolTip(tr("Tries one mend after another and keeps what helps: no good sample is lost, and one undo "
                            "takes all of it back"));
    connect(mendAll_, &QToolButton::clicked, this, [this] {
        mendAll_->setEnabled(false); // until what it does is checked
        workspace_.mendAll(mendable_);
    });
    findingsHead->addWidget(mendAll_);
    scope_ = new QToolButton(content);
    scope_->setObjectName(QStringLiteral("findingScope"));
    scope_->setToolTip(tr("Findings of this item, or of all"));
    connect(scope_, &QToolButton::clicked, this, [this] { showAllFindings(!all_); });
    findingsHead->addWidget(scope_);
    column->addLayout(findingsHead);
    findings_ = new QVBoxLayout();
    findings_->setSpacing(5);
    column->addLayout(findings_);
    column->addSpacing(4);
    layers_ = new QVBoxLayout();
    column->addLayout(layers_);
    auto* factsTitle = titleLabel(tr("Figures"), content);
    column->addWidget(factsTitle);
    column->addWidget(gridHost_);
    column->addStretch(1);
    return scroll;
}

void FactsDesk::showAllFindings(bool all) {
    all_ = all;
    showFindings();
}

bool FactsDesk::eventFilter(QObject* watched, QEvent* event) {
    if (watched == plot_ && (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::MouseMove)) {
        const auto* mouse = static_cast<QMouseEvent*>(event);
        if (mouse->buttons() & Qt::LeftButton)
            workspace_.setOwnFrame(workspace_.active(), std::round(plot_->xAxis->pixelToCoord(mouse->position().x())));
        showValue(mouse->position());
    } else if (watched == plot_ && event->type() == QEvent::Leave) {
        value_->hide();
    } else if (watched == plot_ && event->type() == QEvent::MouseButtonDblClick) {
        showPlot();
    }
    return QWidget::eventFilter(watched, event);
}

// What the curve says under the pointer.
void FactsDesk::showValue(const QPointF& at) {
    if (!plot_->axisRect()->rect().contains(at.toPoint())) {
        value_->hide();
        return;
    }
    const double frame = std::round(plot_->xAxis->pixelToCoord(at.x()));
    QStringList values;
    for (const int graph : {0, 1}) {
        const auto& curve = *plot_->graph(graph)->data();
        const auto found = curve.findBegin(frame, false);
        if (found != curve.constEnd() && std::abs(found->key - frame) <= 0.5 && std::isfinite(found->value))
            values << (graph == 0 ? tr("%1 m/s") : tr("dashed %1 m/s"))
                          .arg(found->value * (graph == 0 ? 1.0 : partnerLower_), 0, 'g', 3);
    }
    value_->setVisible(!values.isEmpty());
    if (values.isEmpty())
        return;
    value_->setText(
        tr("frame %1: %2").arg(QString::fromStdString(frameText(frame)), values.join(QStringLiteral(" · "))));
    value_->adjustSize();
    const int x =
        at.x() > plot_->width() / 2.0 ? static_cast<int>(at.x()) - value_->width() - 8 : static_cast<int>(at.x()) + 8;
    value_->move(x, 18);
    value_->show();
}

void FactsDesk::fact(int row, int column, const ItemFact& fact) {
    auto* label = new QLabel(fact.name, gridHost_);
    label->setProperty("dim", true);
    auto* figure = new QLabel(fact.value, gridHost_);
    figure->setTextInteractionFlags(Qt::TextSelectableByMouse);
    figure->setToolTip(fact.tip);
    label->setToolTip(fact.tip);
    figure->setWordWrap(true);
    grid_->addWidget(label, row, column * 2, Qt::AlignTop);
    grid_->addWidget(figure, row, column * 2 + 1, 1, fact.wide ? 3 : 1, Qt::AlignTop);
}

void FactsDesk::showItem() {
    while (QLayoutItem* old = grid_->takeAt(0)) {
        if (old->widget()) {
            old->widget()->hide();
            old->widget()->deleteLater();
        }
        delete old;
    }
    clearLayout(layers_);
    const ItemView* item = workspace_.activeItem();
    plot_->setVisible(item != nullptr);
    scope_->setVisible(item != nullptr);
    if (!item) {
        name_->setText(tr("Nothing open"));
        origin_->setText({});
        grid_->addWidget(
            smallLabel(tr("Drop files or a folder onto the window, or open the demo. What is in each source "
                          "shows here: points, samples, range, size, and what is wrong with it."),
                       gridHost_),
            0, 0, 1, 4);
        showPlot();
        return;
    }
    name_->setText(QString::fromStdString(item->name));
    origin_->setText(
        QStringLiteral("%1 · %2").arg(QString::fromStdString(item->kind), QString::fromStdString(item->source->name)));
    int row = 0;
    int column = 0;
    for (const ItemFact& it : factsOf(workspace_, *item)) {
        if (it.wide && column > 0)
            ++row;
        fact(row, it.wide ? 0 : column, it);
        column = it.wide ? 0 : 1 - column;
        if (column == 0)
            ++row;
    }
    if (!item->source->restCandidates.empty() && !item->source->restUsed) {
        auto* ask = new QWidget(gridHost_);
        auto* choices = new QVBoxLayout(ask);
        choices->setContentsMargins(0, 4, 0, 0);
        choices->addWidget(smallLabel(tr("Which is its rest mesh?"), ask));
        for (const fs::path& candidate : item->source->restCandidates) {
            auto* choose = new QPushButton(QString::fromStdString(candidate.filename().string()), ask);
            choose->setProperty("small", true);
            connect(choose, &QPushButton::clicked, this, [this, id = item->key.source, candidate] {
                workspace_.setRest(id, QString::fromStdString(candidate.string()));
            });
            choices->addWidget(choose);
        }
        grid_->addWidget(ask, ++row, 0, 1, 4);
    } else if (item->source->format->wantsRest() && !item->source->restUsed) {
        auto* choose = new QPushButton(tr("Choose its rest mesh …"), gridHost_);
        choose->setProperty("small", true);
        connect(choose, &QPushButton::clicked, this, [this, id = item->key.source] {
            const QString path = QFileDialog::getOpenFileName(
                this, tr("Rest mesh"), {}, tr("Meshes (%1)").arg(QString::fromStdString(fileFilter(true))));
            if (!path.isEmpty())
                workspace_.setRest(id, path);
        });
        grid_->addWidget(choose, ++row, 0, 1, 4);
    }
    const auto choose = [this, id = item->key.source](const std::string& name, const nlohmann::json& value) {
        // The desk is made anew, and the field with it: not while it is speaking.
        QTimer::singleShot(0, this, [this, id, name, value] { workspace_.setOpenOption(id, name, value); });
    };
    if (QWidget* layers = layersOfItem(*item, gridHost_->parentWidget(), choose))
        layers_->addWidget(layers);
    if (QWidget* options = optionsEditor(item->source->format->openOptions, item->source->spec.options, gridHost_,
                                         choose, [this](const QString& why) { emit workspace_.problem(why); }))
        grid_->addWidget(options, ++row, 0, 1, 4);
    if (item->error)
        grid_->addWidget(smallLabel(QStringLiteral("✕ ") + QString::fromStdString(item->error->text()), gridHost_),
                         ++row, 0, 1, 4);
    showPlot();
}

void FactsDesk::showPlot() {
    const ItemView* item = workspace_.activeItem();
    const auto frameOf = [&](const ItemView& of, std::size_t sample) {
        return item->scene && of.scene
                   ? item->scene->view.rate.frameAt(of.scene->view.rate.secondsAt(of.frameAt(sample)))
                   : of.frameAt(sample);
    };
    struct Speeds {
        QVector<double> frames;
        QVector<double> values; // metres a second
        double most = 0.0;
        double top = 0.0; // one stale frame must not flatten all others: what is beyond is clipped
    };
    const auto speedsOf = [&](const ItemView* of) {
        Speeds speeds;
        if (!of || !of->profile)
            return speeds;
        std::vector<double> own;
        for (std::size_t i = 0; i < of->profile->count(); ++i)
            own.push_back(of->frameAt(i));
        const std::vector<std::size_t> gaps = framesMissingBefore(own);
        std::vector<float> known;
        for (std::size_t i = 1; i < own.size(); ++i) {
            if (std::binary_search(gaps.begin(), gaps.end(), i)) { // what is not there has no speed
                speeds.frames.push_back(0.5 * (frameOf(*of, i - 1) + frameOf(*of, i)));
                speeds.values.push_back(std::nan(""));
            }
            const double speed = static_cast<double>(of->profile->speedAt(i)) * workspace_.unitMetres(*of);
            speeds.frames.push_back(frameOf(*of, i));
            speeds.values.push_back(std::isfinite(speed) ? speed : std::nan(""));
            if (std::isfinite(speed)) {
                known.push_back(static_cast<float>(speed));
                speeds.most = std::max(speeds.most, speed);
            }
        }
        speeds.top = std::min(speeds.most, static_cast<double>(profileTop(known)));
        return speeds;
    };
    const Speeds own = speedsOf(item);
    const ItemView* partner = item && item->points > 0 ? likelyPartner(workspace_, *item) : nullptr;
    Speeds other = speedsOf(partner);
    // In another unit it would be far above the picture, or flat: its shape is what is looked at.
    constexpr double kMostApart = 4.0;
    const double ratio = own.top > 0.0 && other.top > 0.0 ? other.top / own.top : 1.0;
    partnerLower_ =
        ratio > kMostApart || ratio < 1.0 / kMostApart ? std::pow(10.0, std::round(std::log10(ratio))) : 1.0;
    for (double& value : other.values)
        value /= partnerLower_;
    plot_->graph(0)->setData(own.frames, own.values, true);
    plot_->graph(1)->setData(other.frames, other.values, true);
    caption_->setText(own.top < own.most ? tr("speed, m/s (RMS) · clipped, up to %1").arg(own.most, 0, 'g', 3)
                                         : tr("speed, m/s (RMS)"));
    const double top = partnerLower_ == 1.0 ? std::max(own.top, other.top) : own.top;
    partner_->setVisible(!other.values.isEmpty());
    if (partner) {
        const QString scale = partnerLower_ > 1.0   ? tr(", drawn %1 × lower").arg(partnerLower_, 0, 'g', 3)
                              : partnerLower_ < 1.0 ? tr(", drawn %1 × higher").arg(1.0 / partnerLower_, 0, 'g', 3)
                                                    : QString();
        const QFontMetrics metrics(textFont(8));
        const int room = plot_->width() - 24 - metrics.horizontalAdvance(caption_->text() + tr("dashed: ") + scale);
        partner_->setText(
            tr("dashed: ") +
            metrics.elidedText(QString::fromStdString(partner->name), Qt::ElideMiddle, std::max(40, room)) + scale);
    }
    const FrameRange range = item && item->range ? *item->range : workspace_.playRange();
    plot_->xAxis->setRange(range.first, std::max(range.last, range.first + 1));
    plot_->yAxis->setRange(0, top > 0 ? top * 1.12 : 1.0);
    plot_->replot(QCustomPlot::rpQueuedReplot);
    showFrame();
}

void FactsDesk::showFrame() {
    const QRect area = plot_->axisRect()->rect();
    const ItemView* item = workspace_.activeItem();
    const double at = item ? workspace_.ownFrame(*item, workspace_.frame()) : workspace_.frame();
    const int x = static_cast<int>(std::lround(plot_->xAxis->coordToPixel(at)));
    cursor_->setGeometry(x, area.top(), 1, area.height());
    cursor_->setVisible(item && x >= area.left() && x <= area.right());
}

void FactsDesk::showMendAll(const std::vector<FindingGroup>& shown) {
    mendable_.clear();
    std::size_t mends = 0;
    for (const FindingGroup& group : shown)
        if (group.first.finding.severity != Severity::Note && !group.first.finding.mend.empty()) {
            ++mends;
            if (all_)
                mendable_.insert(group.keys.begin(), group.keys.end());
            else
                mendable_.insert(group.first.key);
        }
    mendAll_->setVisible(mends > 1 || mendable_.size() > 1);
    mendAll_->setEnabled(true);
    mendAll_->setText(mendable_.size() > 1 ? tr("Mend all (%1 items)").arg(mendable_.size()) : tr("Mend all"));
    // Behind the arrow: a source of several items as a whole.
    std::map<SourceId, std::set<ItemKey>> bySource;
    for (const ItemFinding& found : workspace_.findings())
        if (found.finding.severity != Severity::Note && !found.finding.mend.empty() && !found.key.isEmpty() &&
            (all_ || found.key.source == workspace_.active().source))
            bySource[found.key.source].insert(found.key);
    auto* menu = new QMenu(mendAll_);
    for (const auto& [source, keys] : bySource) {
        const ItemView* item = workspace_.item(*keys.begin());
        if (!item || keys.size() < 2 || keys == mendable_)
            continue;
        QAction* act = menu->addAction(
            tr("All of %1 (%2 items)").arg(QString::fromStdString(item->source->name)).arg(keys.size()));
        connect(act, &QAction::triggered, this, [this, keys] { workspace_.mendAll(keys); });
    }
    if (QMenu* old = mendAll_->menu())
        old->deleteLater();
    mendAll_->setMenu(menu->isEmpty() ? nullptr : menu);
    mendAll_->setPopupMode(menu->isEmpty() ? QToolButton::DelayedPopup : QToolButton::MenuButtonPopup);
}

void FactsDesk::showFindings() {
    clearLayout(findings_);
    std::vector<FindingGroup> shown;
    for (FindingGroup& group : groupedFindings(workspace_.findings())) {
        const auto own = std::find(group.keys.begin(), group.keys.end(), workspace_.active());
        if (!all_ && own == group.keys.end())
            continue;
        if (!all_)
            group.first.key = *own;
        shown.push_back(std::move(group));
    }
    scope_->setText(all_ ? tr("only this item") : tr("all items (%1)").arg(workspace_.findings().size()));
    showMendAll(shown);
    constexpr std::size_t kMostShown = 120;
    for (std::size_t i = 0; i < std::min(shown.size(), kMostShown); ++i) {
        auto* card = new FindingCard(shown[i], workspace_, all_, this);
        connect(card, &FindingCard::goAsked, &workspace_, &Workspace::goTo);
        connect(card, &FindingCard::mendLookedAt, &workspace_, [this](const ItemFinding& found, bool on) {
            if (on)
                workspace_.showGhost(found.key, found.finding.mend);
            else
                workspace_.hideGhost();
        });
        connect(card, &FindingCard::mendAsked, this,
                [this](const ItemFinding& found, const std::vector<ItemKey>& items) {
                    workspace_.addSteps(items, found.finding.mend,
                                        tr("Mend: %1").arg(QString::fromStdString(found.finding.mendLabel)));
                });
        findings_->addWidget(card);
    }
    if (shown.size() > kMostShown)
        findings_->addWidget(smallLabel(tr("and %1 more").arg(shown.size() - kMostShown), this));
    verdict_ = smallLabel({}, this);
    verdict_->setObjectName(QStringLiteral("verdict"));
    findings_->addWidget(verdict_);
    nothingFound_ = shown.empty();
    showChecked();
}

// What is not known yet, or no more, is not said to be so.
void FactsDesk::showChecked() {
    const Checked checked = workspace_.checked();
    const QString title = all_ ? tr("Findings of all items") : tr("Findings");
    findingsTitle_->setText(checked == Checked::Underway   ? tr("%1 · checking …").arg(title)
                            : checked == Checked::Stopped  ? tr("%1 · not checked").arg(title)
                            : checked == Checked::Outdated ? tr("%1 · of what was read before").arg(title)
                                                           : title);
    verdict_->setVisible(nothingFound_ && workspace_.activeItem());
    verdict_->setText(checked == Checked::Underway   ? tr("Checking …")
                      : checked == Checked::Stopped  ? tr("The check was stopped: nothing is known of it")
                      : checked == Checked::Outdated ? tr("Nothing was found in what was read; files are others by now")
                                                     : nothingFoundWords(workspace_.job().shot));
}

} // namespace wyc::app
