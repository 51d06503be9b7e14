// SPDX-License-Identifier: GPL-3.0-or-later
#include "facts_desk.h"

#include <algorithm>
#include <cmath>

#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

#include <qcustomplot.h>

#include "base/hash.h"
#include "base/text.h"
#include "desk_parts.h"
#include "theme.h"

namespace wyc::app {

FactsDesk::FactsDesk(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("factsDesk"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 4, 6);
    outer->setSpacing(6);
    auto* head = new QHBoxLayout();
    name_ = titleLabel({}, this);
    origin_ = new QLabel(this);
    origin_->setProperty("small", true);
    head->addWidget(name_);
    head->addStretch();
    head->addWidget(origin_);
    head->addSpacing(10);
    outer->addLayout(head);

    plot_ = new QCustomPlot(this);
    plot_->setObjectName(QStringLiteral("speedPlot"));
    plot_->setFixedHeight(104);
    plot_->setBackground(QBrush(colour::kInk1.darker(106)));
    plot_->setToolTip(
        tr("RMS over points of the distance to the sample before, times the rate. Click to go to a frame."));
    plot_->addGraph();
    plot_->graph(0)->setPen(QPen(colour::kGlass, 1.5));
    plot_->graph(0)->setAntialiased(true);
    QColor fill = colour::kGlass;
    fill.setAlpha(36);
    plot_->graph(0)->setBrush(fill);
    cursor_ = new QCPItemLine(plot_);
    cursor_->setPen(QPen(colour::kChalk, 1));
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
    auto* caption = new QCPItemText(plot_);
    caption->setText(tr("speed, m/s (RMS)"));
    caption->setClipToAxisRect(false);
    caption->setFont(textFont(8));
    caption->setColor(colour::kChalk2);
    caption->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
    caption->position->setType(QCPItemPosition::ptViewportRatio);
    caption->position->setCoords(0.012, 0.02);
    plot_->installEventFilter(this);
    auto* plotRow = new QHBoxLayout();
    plotRow->addWidget(plot_);
    plotRow->addSpacing(10);
    outer->addLayout(plotRow);

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
    auto* factsTitle = titleLabel(tr("Figures"), content);
    column->addWidget(factsTitle);
    column->addWidget(gridHost_);
    column->addStretch(1);
    outer->addWidget(scroll, 1);

    connect(&workspace_, &Workspace::activeChanged, this, [this] {
        showItem();
        showFindings();
    });
    connect(&workspace_, &Workspace::itemsChanged, this, &FactsDesk::showItem);
    connect(&workspace_, &Workspace::measuresChanged, this, &FactsDesk::showItem);
    connect(&workspace_, &Workspace::findingsChanged, this, &FactsDesk::showFindings);
    connect(&workspace_, &Workspace::frameChanged, this, &FactsDesk::showFrame);
    showItem();
    showFindings();
}

void FactsDesk::showAllFindings(bool all) {
    all_ = all;
    showFindings();
}

bool FactsDesk::eventFilter(QObject* watched, QEvent* event) {
    if (watched == plot_ && (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::MouseMove)) {
        const auto* mouse = static_cast<QMouseEvent*>(event);
        if (mouse->buttons() & Qt::LeftButton)
            workspace_.setFrame(std::round(plot_->xAxis->pixelToCoord(mouse->position().x())));
    }
    return QWidget::eventFilter(watched, event);
}

void FactsDesk::fact(int row, int column, const QString& name, const QString& value, const QString& tip) {
    auto* label = new QLabel(name, gridHost_);
    label->setProperty("dim", true);
    auto* figure = new QLabel(value, gridHost_);
    figure->setTextInteractionFlags(Qt::TextSelectableByMouse);
    figure->setToolTip(tip);
    label->setToolTip(tip);
    figure->setWordWrap(true);
    grid_->addWidget(label, row, column * 2, Qt::AlignTop);
    grid_->addWidget(figure, row, column * 2 + 1, Qt::AlignTop);
}

void FactsDesk::showItem() {
    while (QLayoutItem* old = grid_->takeAt(0)) {
        if (old->widget()) {
            old->widget()->hide();
            old->widget()->deleteLater();
        }
        delete old;
    }
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
    const double unit = workspace_.unitMetres(*item);
    QString points = QString::fromStdString(groupedDigits(item->points));
    if (item->profile && !item->profile->pointCounts.empty()) {
        const auto& counts = item->profile->pointCounts;
        const auto [least, most] = std::minmax_element(counts.begin(), counts.end());
        if (*least != *most)
            points = QStringLiteral("%1 – %2").arg(QString::fromStdString(groupedDigits(*least)),
                                                   QString::fromStdString(groupedDigits(*most)));
    }
    fact(row, 0, tr("points"), points, tr("Points of a sample; two numbers where they come and go"));
    fact(row++, 1, tr("faces"), QString::fromStdString(groupedDigits(item->faces)), tr("Faces of the first sample"));
    const auto range = item->range();
    QString samples = QStringLiteral("1 · %1").arg(tr("still"));
    if (item->profile && item->profile->count() > 1) {
        const double frames = range ? range->count() : 1.0;
        const double each = frames / static_cast<double>(item->profile->count());
        samples = QStringLiteral("%1 · %2")
                      .arg(item->profile->count())
                      .arg(std::abs(each - 1.0) < 0.02 ? tr("every frame")
                           : each > 1.0                ? tr("one in %1 frames").arg(each, 0, 'g', 3)
                                                       : tr("%1 a frame").arg(1.0 / each, 0, 'g', 3));
    }
    fact(row, 0, tr("samples"), samples, tr("Stored poses and how dense they are"));
    fact(row++, 1, tr("range"),
         range ? QStringLiteral("%1 – %2").arg(QString::fromStdString(frameText(range->first)),
                                               QString::fromStdString(frameText(range->last)))
               : tr("still"),
         tr("First and last frame with a sample, at the source's rate"));
    if (item->profile && !item->profile->extent.isEmpty()) {
        const Vec3d size = item->profile->bounds.empty() || item->profile->bounds[0].isEmpty()
                               ? item->profile->extent.size()
                               : item->profile->bounds[item->profile->count() / 2].size();
        fact(row, 0, tr("size"),
             QStringLiteral("%1 × %2 × %3")
                 .arg(QString::fromStdString(lengthText(size.x * unit)),
                      QString::fromStdString(lengthText(size.y * unit)),
                      QString::fromStdString(lengthText(size.z * unit))),
             tr("Width, height, depth of the pose in the middle of its range"));
    }
    std::size_t same = 0;
    for (const ItemView& other : workspace_.items())
        same += other.topology == item->topology && other.faces > 0;
    fact(row++, 1, tr("order"),
         item->faces > 0 ? QString::fromStdString(hashText(item->topology)).left(8) +
                               (same > 1 ? tr(" same in %1").arg(same) : QString())
                         : QStringLiteral("–"),
         tr("Hash of face sizes and corners: equal hashes are the same vertex order"));
    const Scene& scene = item->source->scene;
    fact(row, 0, tr("unit"),
         item->scene && item->scene->unitMetres ? QString::fromStdString(unitName(*item->scene->unitMetres))
         : workspace_.job().shot.unitMetres ? tr("not stated, read as %1").arg(QString::fromStdString(unitName(unit)))
                                            : tr("not stated"),
         tr("As the source states it, or the shot"));
    fact(row++, 1, tr("rate"),
         scene.rate ? QString::fromStdString(scene.rate->shortText()) + QStringLiteral(" fps") : tr("not stated"),
         tr("As the source states it, or as its times say"));
    fact(row, 0, tr("file"),
         QStringLiteral("%1%2").arg(QString::fromStdString(sizeText(item->source->sizeBytes)),
                                    item->source->fileCount > 1 ? tr(" in %1 files").arg(item->source->fileCount)
                                                                : QString()),
         QString::fromStdString(item->source->spec.path.string()));
    if (item->source->format->id == "mdd")
        fact(row++, 1, tr("rest mesh"),
             item->source->restUsed ? QString::fromStdString(item->source->restUsed->filename().string()) : tr("none"),
             tr("Mesh the point cache takes its faces from"));
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
    } else if (item->source->format->id == "mdd" && !item->source->restUsed) {
        auto* choose = new QPushButton(tr("Choose its rest mesh …"), gridHost_);
        choose->setProperty("small", true);
        connect(choose, &QPushButton::clicked, this, [this, id = item->key.source] {
            const QString path = QFileDialog::getOpenFileName(this, tr("Rest mesh"), {}, tr("Meshes (*.obj *.abc)"));
            if (!path.isEmpty())
                workspace_.setRest(id, path);
        });
        grid_->addWidget(choose, ++row, 0, 1, 4);
    }
    if (item->error)
        grid_->addWidget(smallLabel(QStringLiteral("✕ ") + QString::fromStdString(item->error->text()), gridHost_),
                         ++row, 0, 1, 4);
    showPlot();
}

void FactsDesk::showPlot() {
    const ItemView* item = workspace_.activeItem();
    QVector<double> frames;
    QVector<double> speeds;
    if (item && item->profile) {
        const double unit = workspace_.unitMetres(*item);
        for (std::size_t i = 1; i < item->profile->count(); ++i) {
            frames.push_back(item->frameAt(i));
            const float speed = item->profile->speedAt(i);
            speeds.push_back(std::isfinite(speed) ? static_cast<double>(speed) * unit : std::nan(""));
        }
    }
    plot_->graph(0)->setData(frames, speeds, true);
    double top = 0.0;
    for (const double v : speeds)
        if (std::isfinite(v))
            top = std::max(top, v);
    const FrameRange range = item && item->range() ? *item->range() : workspace_.playRange();
    plot_->xAxis->setRange(range.first, std::max(range.last, range.first + 1));
    plot_->yAxis->setRange(0, top > 0 ? top * 1.12 : 1.0);
    showFrame();
}

void FactsDesk::showFrame() {
    cursor_->start->setCoords(workspace_.frame(), plot_->yAxis->range().lower);
    cursor_->end->setCoords(workspace_.frame(), plot_->yAxis->range().upper);
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void FactsDesk::showFindings() {
    clearLayout(findings_);
    std::vector<const ItemFinding*> shown;
    for (const ItemFinding& found : workspace_.findings())
        if (all_ || found.key == workspace_.active())
            shown.push_back(&found);
    findingsTitle_->setText(all_ ? tr("Findings of all items") : tr("Findings"));
    scope_->setText(all_ ? tr("only this item") : tr("all items (%1)").arg(workspace_.findings().size()));
    constexpr std::size_t kMostShown = 120;
    for (std::size_t i = 0; i < std::min(shown.size(), kMostShown); ++i) {
        auto* card = new FindingCard(*shown[i], workspace_, all_, this);
        connect(card, &FindingCard::goAsked, this, [this](const ItemFinding& found) {
            const std::optional<double> frame = found.finding.frame;
            workspace_.setActive(ItemKey(found.key));
            if (frame)
                workspace_.setFrame(*frame);
        });
        connect(card, &FindingCard::mendAsked, this, [this](const ItemFinding& found) {
            workspace_.addSteps(found.key, found.finding.mend,
                                tr("Mend: %1").arg(QString::fromStdString(found.finding.mendLabel)));
        });
        findings_->addWidget(card);
    }
    if (shown.size() > kMostShown)
        findings_->addWidget(smallLabel(tr("and %1 more").arg(shown.size() - kMostShown), this));
    if (shown.empty() && workspace_.activeItem())
        findings_->addWidget(
            smallLabel(workspace_.checking()
                           ? tr("Checking …")
                           : QStringLiteral("✓ ") +
                                 tr("Nothing found: range, rate, frames, motion, mesh and size are as the shot asks."),
                       this));
}

} // namespace wyc::app
