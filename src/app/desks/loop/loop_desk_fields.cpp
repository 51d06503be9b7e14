// SPDX-License-Identifier: GPL-3.0-or-later
// What the desk is made of, and what its fields do.
#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/loop/loop_desk.h"
#include "desks/loop/pinned_loops.h"
#include "plots/curve_plot.h"
#include "plots/seam_view.h"
#include "theme/theme.h"
#include "theme/words.h"
#include "time/frame_text.h"
#include "view/viewport.h"
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
#include <algorithm>
#include <cmath>
#include <qcustomplot.h>

namespace wyc::app {

LoopDesk::LoopDesk(Workspace& workspace, Viewport& viewport, QWidget* parent)
    : Desk(parent), workspace_(workspace), viewport_(viewport) {
    setObjectName(QStringLiteral("loopDesk"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 4, 8);
    outer->setSpacing(6);
    auto* head = new QHBoxLayout();
    title_ = titleLabel({}, this);
    keepToWidth(title_);
    note_ = new QLabel(this);
    note_->setObjectName(QStringLiteral("loopNote"));
    note_->setProperty("small", true);
    head->addWidget(title_, 1);
    head->addWidget(note_);
    head->addSpacing(10);
    outer->addLayout(head);

    auto* scroll = scrollingColumn(this);
    QWidget* content = scroll->widget();
    auto* column = static_cast<QVBoxLayout*>(content->layout());
    column->setSpacing(5);
    column->addLayout(makeSearch(content));
    pins_ = new PinnedLoops(content);
    pinsTimer_.setSingleShot(true);
    connect(&pinsTimer_, &QTimer::timeout, this, &LoopDesk::showPinned);
    column->addWidget(pins_);
    column->addLayout(makeClosing(content));
    column->addLayout(makeChecks(content));
    column->addLayout(makePlots(content));
    figures_ = smallLabel({}, content);
    figures_->setObjectName(QStringLiteral("loopFigures"));
    column->addWidget(figures_);
    column->addStretch(1);
    outer->addWidget(scroll, 1);
    auto* foot = new QHBoxLayout();
    counts_ = smallLabel({}, this);
    counts_->setObjectName(QStringLiteral("loopCounts"));
    add_ = new QPushButton(tr("Close the loop"), this);
    add_->setObjectName(QStringLiteral("loopAdd"));
    add_->setProperty("main", true);
    foot->addWidget(counts_, 1);
    foot->addWidget(add_);
    foot->addSpacing(10);
    outer->addLayout(foot);
    connectSearch();
    connectClosing();
    showClosing();
}

// The seam map, the cycles found, and what is searched.
QLayout* LoopDesk::makeSearch(QWidget* content) {
    auto* upper = new QHBoxLayout();
    upper->setSpacing(12);
    seam_ = new SeamView(content);
    seam_->setFixedSize(172, 172);
    upper->addWidget(seam_, 0, Qt::AlignTop);
    auto* right = new QVBoxLayout();
    right->setSpacing(4);
    list_ = new QTreeWidget(content);
    list_->setObjectName(QStringLiteral("loopList"));
    list_->setHeaderLabels({tr("from – to"), tr("frames"), tr("gap")});
    list_->setRootIsDecorated(false);
    list_->setUniformRowHeights(true);
    list_->setFixedHeight(96);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->header()->setSectionResizeMode(QHeaderView::Stretch);
    list_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    list_->setStyleSheet(QStringLiteral(
        "QTreeWidget { background: transparent; border: none; } QTreeWidget::item { padding: 2px 0; } "
        "QTreeWidget::item:selected { background: #1B3A35; color: #DFE8E4; } QHeaderView::section { background: "
        "transparent; color: #93A8A6; border: none; padding: 1px 3px; }"));
    right->addWidget(list_);
    auto* limits = new QGridLayout();
    limits->setHorizontalSpacing(6);
    limits->setVerticalSpacing(3);
    const auto field = [&](int row, const QString& name, const QString& words, const QString& hint,
                           const QString& tip) {
        auto* label = smallLabel(words, content);
        label->setWordWrap(false);
        auto* line = new QLineEdit(content);
        line->setObjectName(name);
        line->setPlaceholderText(hint);
        line->setToolTip(tip);
        limits->addWidget(label, row, 0);
        limits->addWidget(line, row, 1);
        return line;
    };
    starts_ = field(0, QStringLiteral("loopStarts"), tr("starts"), tr("anywhere"),
                    tr("First frames to try, as 1009:1060, or one"));
    lengths_ = field(1, QStringLiteral("loopLengths"), tr("lengths"), tr("any"),
                     tr("Lengths to try in frames, as 24:96, or one"));
    travel_ = new QComboBox(content);
    travel_->setObjectName(QStringLiteral("loopTravel"));
    travel_->addItems({tr("comes back"), tr("goes on"), tr("taken out")});
    travel_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    travel_->setToolTip(tr("Every cycle begins where the first did; or where the one before ended; or what it travels "
                           "is taken out of it. For the last two the search leaves rigid travel out of account."));
    auto* travels = smallLabel(tr("travel"), content);
    travels->setWordWrap(false);
    limits->addWidget(travels, 2, 0);
    limits->addWidget(travel_, 2, 1, 1, 2);
    pin_ = new QToolButton(content);
    pin_->setObjectName(QStringLiteral("loopPin"));
    pin_->setText(tr("pin"));
    pin_->setCheckable(true);
    pin_->setToolTip(tr("Keeps the chosen cycle, as it is closed now, to be compared with others"));
    compare_ = new QToolButton(content);
    compare_->setObjectName(QStringLiteral("loopCompare"));
    compare_->setText(tr("compare"));
    compare_->setCheckable(true);
    compare_->setToolTip(tr("What is pinned, side by side"));
    limits->addWidget(pin_, 0, 2);
    limits->addWidget(compare_, 1, 2);
    right->addLayout(limits);
    upper->addLayout(right, 1);
    return upper;
}

// How the cycle is closed.
QLayout* LoopDesk::makeClosing(QWidget* content) {
    auto* closeRow = new QHBoxLayout();
    closeRow->setSpacing(4);
    const std::array<std::array<QString, 3>, 3> ways{
        {{QStringLiteral("cut"), tr("cut"), tr("The frame behind the last is left out; nothing is changed")},
         {QStringLiteral("overlap"), tr("overlap"), tr("One end fades into the frames beside the other")},
         {QStringLiteral("bridge"), tr("bridge"),
          tr("New frames from the end to the start, leaving and arriving at speed")}}};
    for (const auto& [id, words, tip] : ways) {
        auto* button = new QToolButton(content);
        button->setObjectName(QStringLiteral("loop_") + id);
        button->setText(words);
        button->setToolTip(tip);
        button->setCheckable(true);
        connect(button, &QToolButton::clicked, this, [this, id = id.toStdString()] {
            way_ = id;
            byHand_ = true;
            if (chosen_ && map_ && id != "cut") // as many frames as go here
                if (const LoopClosing best = closingFor(*map_, *chosen_);
                    best.close == id || fade_->text() == QStringLiteral("0"))
                    fade_->setText(frameWords(std::max(2.0, best.fade)));
            showClosing();
        });
        ways_.push_back(button);
        closeRow->addWidget(button);
    }
    auto* over = smallLabel(tr("over"), content);
    over->setWordWrap(false);
    closeRow->addWidget(over);
    fade_ = new QLineEdit(content);
    fade_->setObjectName(QStringLiteral("loopFade"));
    fade_->setFixedWidth(44);
    fade_->setToolTip(tr("Frames of the overlap or of the bridge"));
    closeRow->addWidget(fade_);
    weight_ = new QComboBox(content);
    weight_->setObjectName(QStringLiteral("loopWeight"));
    weight_->addItems({QStringLiteral("linear"), QStringLiteral("smooth"), QStringLiteral("smoother"), tr("by keys")});
    weight_->setCurrentIndex(1);
    weight_->setToolTip(tr("How the weight of the fade grows"));
    closeRow->addWidget(weight_);
    weights_ = new QLineEdit(content);
    weights_->setObjectName(QStringLiteral("loopWeights"));
    weights_->setPlaceholderText(QStringLiteral("0.25=0.1, 0.5=0.8"));
    weights_->setToolTip(tr("Keys of the weight: how far along the fade, and how much of the other end, from 0 to 1"));
    weights_->setMinimumWidth(40);
    weights_->hide();
    closeRow->addWidget(weights_, 100);
    closeRow->addStretch(1);
    return closeRow;
}

QLayout* LoopDesk::makeChecks(QWidget* content) {
    auto* checks = new QHBoxLayout();
    keepShape_ = new QCheckBox(tr("keep shape"), content);
    keepShape_->setObjectName(QStringLiteral("loopKeepShape"));
    keepShape_->setToolTip(tr("Connected pieces turn as wholes in the fade, where straight lines would shrink them"));
    copy_ = new QCheckBox(tr("closing copy"), content);
    copy_->setObjectName(QStringLiteral("loopCopy"));
    copy_->setToolTip(tr("One frame more, equal to the first, for receivers that want it"));
    checks->addWidget(keepShape_);
    checks->addWidget(copy_);
    checks->addStretch();
    cycles_ = new QLineEdit(QStringLiteral("1"), content);
    cycles_->setObjectName(QStringLiteral("loopCycles"));
    cycles_->setFixedWidth(38);
    cycles_->setToolTip(tr("How often the cycle is shown"));
    auto* times = smallLabel(tr("times"), content);
    times->setWordWrap(false);
    checks->addWidget(times);
    checks->addWidget(cycles_);
    return checks;
}

// The weight of the fade, and the speed around the seam.
QLayout* LoopDesk::makePlots(QWidget* content) {
    drawn_ = new CurvePlot(content);
    drawn_->setObjectName(QStringLiteral("loopDrawn"));
    drawn_->setFixedSize(150, 54);
    drawn_->hide();
    connect(weights_, &QLineEdit::editingFinished, this, [this] {
        showDrawn();
        showClosing();
    });
    connect(drawn_, &CurvePlot::keysChanged, this, [this](const CurvePlot::Keys& keys) {
        weights_->setText(QString::fromStdString(pairsText(keys)));
        showClosing();
    });
    plot_ = new QCustomPlot(content);
    plot_->setObjectName(QStringLiteral("seamPlot"));
    plot_->setFixedHeight(54);
    plot_->setBackground(QBrush(colour::kInk1.darker(106)));
    plot_->setToolTip(tr("Speed around the seam (RMS over points): dashed as it is cut, line as it is closed"));
    for (int g = 0; g < 2; ++g)
        plot_->addGraph();
    plot_->graph(0)->setPen(QPen(colour::kChalk2, 1.2, Qt::DashLine));
    plot_->graph(1)->setPen(QPen(colour::kGlass, 1.6));
    for (QCPAxis* axis : {plot_->xAxis, plot_->yAxis})
        axis->setVisible(false);
    plot_->axisRect()->setAutoMargins(QCP::msNone);
    plot_->axisRect()->setMargins(QMargins(4, 4, 4, 4));
    auto* seamLine = new QCPItemLine(plot_);
    seamLine->setPen(QPen(QColor(0x4A, 0x60, 0x66), 1));
    seamLine->start->setCoords(0, -1e6);
    seamLine->end->setCoords(0, 1e6);
    auto* plots = new QHBoxLayout(); // the weight beside what comes of it
    plots->addWidget(drawn_);
    plots->addWidget(plot_, 1);
    return plots;
}

void LoopDesk::connectSearch() {
    connect(seam_, &SeamView::pairHovered, this, [this](double start, double end) {
        if (plays_ || !subject_ || subject_->parts.empty())
            return;
        const ItemKey key = subject_->parts.front().key;
        workspace_.setOwnFrame(key, start);
        if (const ItemView* item = workspace_.item(key))
            viewport_.setHeldFrame(workspace_.boardFrame(*item, end));
    });
    connect(seam_, &SeamView::hoverEnded, this, [this] { viewport_.setHeldFrame(std::nullopt); });
    connect(seam_, &SeamView::pairPicked, this, [this](double start, double end) {
        if (end - start < 2.0)
            return;
        choose(start, end - start);
        playChosen();
    });
    connect(pin_, &QToolButton::clicked, this, &LoopDesk::pinOrUnpin);
    connect(compare_, &QToolButton::toggled, this, [this](bool on) {
        pins_->setVisible(on);
        pinsTimer_.start();
    });
    connect(pins_, &PinnedLoops::picked, this, [this](std::size_t i) {
        if (i >= pinned_.size())
            return;
        const PinnedLoop one = pinned_[i];
        way_ = one.closing.close;
        byHand_ = true;
        fade_->setText(frameWords(one.closing.fade));
        choose(one.candidate.start, one.candidate.length);
        playChosen();
    });
    connect(pins_, &PinnedLoops::letGo, this, [this](std::size_t i) {
        if (i >= pinned_.size())
            return;
        pinned_.erase(pinned_.begin() + static_cast<std::ptrdiff_t>(i));
        showClosing();
    });
    connect(list_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        const int row = item ? list_->indexOfTopLevelItem(item) : -1;
        if (row < 0 || static_cast<std::size_t>(row) >= candidates_.size())
            return;
        choose(candidates_[static_cast<std::size_t>(row)].start, candidates_[static_cast<std::size_t>(row)].length);
        playChosen();
    });
    // The one that is chosen already, too.
    for (auto signal : {&QTreeWidget::itemClicked, &QTreeWidget::itemActivated})
        connect(list_, signal, this, [this] {
            if (!plays_)
                playChosen();
        });
}

void LoopDesk::connectClosing() {
    for (QLineEdit* line : {starts_, lengths_})
        connect(line, &QLineEdit::editingFinished, this, &LoopDesk::takeBounds);
    connect(fade_, &QLineEdit::editingFinished, this, [this] {
        if (takeCount(fade_, 0.0))
            byHand_ = true;
        showClosing();
    });
    connect(cycles_, &QLineEdit::editingFinished, this, [this] {
        takeCount(cycles_, 1.0);
        showClosing();
    });
    connect(weight_, &QComboBox::activated, this, [this] {
        if (weight_->currentIndex() == 3 && weights_->text().isEmpty())
            weights_->setText(QStringLiteral("0.25=0.1, 0.75=0.9")); // something to take hold of
        showDrawn();
        showClosing();
    });
    connect(travel_, &QComboBox::activated, this, [this] {
        study(); // what travels is searched in place
        showClosing();
    });
    for (QCheckBox* box : {keepShape_, copy_})
        connect(box, &QCheckBox::clicked, this, &LoopDesk::showClosing);
    connect(add_, &QPushButton::clicked, this, &LoopDesk::closeLoop);
    const auto changed = [this] {
        stale_ = true;
        if (isVisible())
            study();
    };
    connect(&workspace_, &Workspace::activeChanged, this, changed);
    connect(&workspace_, &Workspace::itemsChanged, this, changed);
    judge_.setSingleShot(true);
    judge_.setInterval(60);
    connect(&judge_, &QTimer::timeout, this, &LoopDesk::judge);
}

} // namespace wyc::app
