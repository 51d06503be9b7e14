// SPDX-License-Identifier: GPL-3.0-or-later
// What the desk is made of, and what its fields do.
#include "base/file.h"
#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/reconcile/reconcile_desk.h"
#include "maths/lengths.h"
#include "plots/drift_plot.h"
#include "theme/theme.h"
#include "view/viewport.h"
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
#include <algorithm>
#include <cmath>

namespace wyc::app {

ReconcileDesk::ReconcileDesk(Workspace& workspace, Viewport& viewport, QWidget* parent)
    : Desk(parent), workspace_(workspace), viewport_(viewport) {
    setObjectName(QStringLiteral("reconcileDesk"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 4, 8);
    outer->setSpacing(6);
    outer->addLayout(makeSides());
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
    outer->addLayout(makeShows());
    outer->addLayout(makeFoot());
    connectPair();
    connectShown();
    listItems();
    showFound();
}

QToolButton* ReconcileDesk::tool(const char* name, const QString& words, const QString& tip) {
    auto* button = new QToolButton(this);
    button->setObjectName(QString::fromLatin1(name));
    button->setText(words);
    button->setToolTip(tip);
    return button;
}

// Which two are compared.
QLayout* ReconcileDesk::makeSides() {
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
    swap_ = new QToolButton(this);
    swap_->setObjectName(QStringLiteral("reconcileSwap"));
    swap_->setText(QStringLiteral("⇅"));
    swap_->setToolTip(tr("The other way round"));
    sides->addWidget(swap_, 0, 2, 2, 1);
    sides->setContentsMargins(0, 0, 10, 0);
    return sides;
}

// How the view shows them.
QLayout* ReconcileDesk::makeShows() {
    auto* shows = new QHBoxLayout();
    shows->setSpacing(4);
    worst_ = tool("reconcileWorst", tr("worst"), tr("Goes to the frame and shows the point with the largest drift"));
    bodies_ = new QComboBox(this);
    bodies_->setObjectName(QStringLiteral("reconcileBodies"));
    bodies_->setToolTip(tr("Which bodies the view shows, by one eye and at one time"));
    bodies_->addItems({tr("B alone"), tr("A beside B"), tr("A over B"), tr("A | B parted"), tr("what differs")});
    bodies_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    bodies_->setMinimumContentsLength(9);
    heat_ = tool("reconcileHeat", tr("heat"), tr("Colours B's points by how far they are from A's"));
    order_ = tool("reconcileOrder", tr("order"),
                  tr("Colours both by their point numbers, in repeating bands, and draws lines from where a number is "
                     "in A to where it is in B"));
    asUndone_ = tool("reconcileAsUndone", tr("undone"), tr("Shows B with what is ticked undone, beside A at its time"));
    for (QToolButton* toggle : {heat_, order_, asUndone_})
        toggle->setCheckable(true);
    measure_ = tool("reconcileMeasure", tr("mm ▾"), tr("Drift in lengths, or in pixels of a camera's picture"));
    measure_->setPopupMode(QToolButton::InstantPopup);
    measure_->setMenu(new QMenu(measure_));
    connect(measure_->menu(), &QMenu::aboutToShow, this, &ReconcileDesk::listMeasures);
    shows->addWidget(bodies_, 1);
    shows->addWidget(heat_);
    shows->addWidget(order_);
    shows->addWidget(asUndone_);
    shows->addWidget(worst_);
    shows->addWidget(measure_);
    shows->addSpacing(10);
    return shows;
}

QLayout* ReconcileDesk::makeFoot() {
    auto* foot = new QHBoxLayout();
    foot->setSpacing(3); // all of it has to fit at the least width of the desk
    auto* within = smallLabel(tr("tolerance"), this);
    within->setWordWrap(false);
    foot->addWidget(within);
    tolerance_ = new QLineEdit(QStringLiteral("0.1 mm"), this);
    tolerance_->setObjectName(QStringLiteral("reconcileTolerance"));
    tolerance_->setFixedWidth(58);
    tolerance_->setToolTip(tr("The largest drift that is none"));
    foot->addWidget(tolerance_);
    more_ = tool("reconcileMore", tr("more ▾"), tr("Save the order of points; take A's points into B"));
    more_->setPopupMode(QToolButton::InstantPopup);
    auto* acts = new QMenu(more_);
    acts->setToolTipsVisible(true);
    QAction* take = acts->addAction(tr("Take A's points into B"), this, &ReconcileDesk::takePoints);
    take->setObjectName(QStringLiteral("reconcileTake"));
    take->setToolTip(tr("B keeps its faces, UVs, colours, sets, materials and names, and moves as A does"));
    QAction* save = acts->addAction(tr("Save the order of points …"), this, &ReconcileDesk::saveOrder);
    save->setObjectName(QStringLiteral("reconcileSaveOrder"));
    save->setToolTip(tr("A file for the step Reorder, to be used on the next version too"));
    more_->setMenu(acts);
    report_ = new QPushButton(tr("Report …"), this);
    report_->setObjectName(QStringLiteral("reconcileReport"));
    report_->setToolTip(tr("All of it as one page, to be sent on"));
    undo_ = new QPushButton(tr("Undo in B"), this);
    undo_->setObjectName(QStringLiteral("reconcileUndo"));
    undo_->setProperty("main", true);
    foot->addStretch(1);
    foot->addWidget(more_);
    foot->addWidget(report_);
    foot->addWidget(undo_);
    foot->addSpacing(7);
    return foot;
}

void ReconcileDesk::connectPair() {
    look_.setSingleShot(true);
    look_.setInterval(80);
    connect(&look_, &QTimer::timeout, this, &ReconcileDesk::compareNow);
    for (QComboBox* box : {chooseA_, chooseB_})
        connect(box, &QComboBox::activated, this, &ReconcileDesk::takePair);
    connect(swap_, &QToolButton::clicked, this, [this] {
        if (!a_.isEmpty() && !b_.isEmpty())
            choose(b_, a_);
    });
    connect(&workspace_, &Workspace::itemsChanged, this, [this] {
        listItems();
        // A camera that is gone sees nothing; one that moves otherwise sees something else.
        const ItemView* camera = camera_ ? workspace_.item(*camera_) : nullptr;
        if (camera_ && (!camera || !camera->scene))
            measureIn(std::nullopt);
        else if (camera_ && camera->scene != sceneOfCamera_.lock())
            measureAnew();
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
}

void ReconcileDesk::connectShown() {
    connect(plot_, &DriftPlot::framePicked, &workspace_, &Workspace::setFrame);
    connect(worst_, &QToolButton::clicked, this, [this] {
        if (!found_)
            return;
        const std::optional<Drift>& after = pictured_ ? pictured_->undone : undone_;
        const std::optional<Drift>& before = pictured_ ? pictured_->drift : found_->found.drift;
        const bool undone = asUndone_->isChecked() && after;
        const std::optional<Drift>& drift = undone ? after : before;
        if (!drift)
            return;
        workspace_.setFrame(snappedFrame(drift->worstFrame * toBoard(undone)));
        if (!viewport_.comparison()) { // the point is to be seen
            heat_->setChecked(true);
            showOnBody();
        }
    });
    for (QToolButton* toggle : {heat_, order_, asUndone_})
        connect(toggle, &QToolButton::clicked, this, [this, toggle](bool on) {
            if (on && toggle != asUndone_) // a point has one colour
                (toggle == heat_ ? order_ : heat_)->setChecked(false);
            showOnBody();
        });
    connect(bodies_, &QComboBox::activated, this, &ReconcileDesk::showOnBody);
    connect(tolerance_, &QLineEdit::editingFinished, this, [this] {
        QString& held = camera_ ? pixelTolerance_ : lengthTolerance_;
        const QString given = tolerance_->text().trimmed();
        if (given == held)
            return;
        const QString before = std::exchange(held, given);
        if (!((camera_ ? tolerancePixels() : tolerance()) > 0.0)) {
            emit workspace_.problem(camera_ ? tr("“%1” are no pixels: write it as 0.1 px").arg(given)
                                            : tr("“%1” is no length: write it as 0.1 mm").arg(given));
            held = before;
            tolerance_->setText(before);
            return;
        }
        if (camera_) {
            showFound();
            return;
        }
        sceneB_.reset(); // judged anew
        look_.start();
    });
    connect(report_, &QPushButton::clicked, this, &ReconcileDesk::writeReport);
    connect(undo_, &QPushButton::clicked, this, &ReconcileDesk::undoChosen);
}

} // namespace wyc::app
