// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/loop/pinned_loops.h"

#include <algorithm>
#include <limits>

#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollBar>

#include "base/text.h"
#include "theme/theme.h"

namespace wyc::app {

QString loopVerdict(const ClosedLoop& closed) {
    if (closed.closes())
        return QStringLiteral("✓ ") + PinnedLoops::tr("closes");
    return QStringLiteral("! ") + (closed.check.loops ? PinnedLoops::tr("its speed jumps at the seam")
                                                      : PinnedLoops::tr("the seam can be seen"));
}

QString loopLengthWords(double metres, bool inSteps) {
    return QString::fromStdString(loopLengthText(metres, inSteps));
}

PinnedLoops::PinnedLoops(QWidget* parent) : QScrollArea(parent) {
    setObjectName(QStringLiteral("pinnedLoops"));
    setFrameShape(QFrame::NoFrame);
    setWidgetResizable(true);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* table = new QWidget(this);
    setWidget(table);
    grid_ = new QGridLayout(table);
    grid_->setContentsMargins(0, 2, 0, 2);
    grid_->setHorizontalSpacing(12);
    grid_->setVerticalSpacing(2);
    hide();
}

void PinnedLoops::fill(const std::vector<PinnedLoop>& pinned, std::optional<std::size_t> chosen, bool inSteps) {
    while (QLayoutItem* item = grid_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    const auto frame = [](double f) { return QString::fromStdString(frameText(f)); };
    const QStringList names{tr("frames"),           tr("from – to"), tr("gap of the cut"), tr("in usual steps"),
                            tr("speeds differ by"), tr("closed by"), tr("then off by"),    tr("speeds then by"),
                            tr("edges shrink"),     tr("the seam")};
    for (int row = 0; row < names.size(); ++row) {
        auto* label = new QLabel(names[row], widget());
        label->setProperty("small", true);
        grid_->addWidget(label, row, 0);
    }
    // The least of each row stands out.
    const auto least = [&](auto&& figure) {
        double best = std::numeric_limits<double>::infinity();
        if (pinned.size() < 2)
            return -best;
        for (const PinnedLoop& one : pinned)
            best = std::min(best, figure(one));
        return best;
    };
    const auto after = [](auto&& figure) {
        return [figure](const PinnedLoop& one) {
            return one.closed ? figure(*one.closed) : std::numeric_limits<double>::infinity();
        };
    };
    // As soon as it was worked out, by the measure that holds after closing, too.
    const auto gap = [](const PinnedLoop& one) { return one.closed ? one.closed->cut.gap : one.candidate.gap; };
    const auto steps = [](const PinnedLoop& one) {
        return one.closed ? one.closed->cut.gapSteps : one.candidate.gapSteps;
    };
    const auto velocity = [](const PinnedLoop& one) {
        return one.closed ? one.closed->cut.velocityGap : one.candidate.velocityGap;
    };
    const auto closedGap = after([](const ClosedLoop& closed) { return closed.check.gap; });
    const auto closedVelocity = after([](const ClosedLoop& closed) { return closed.check.velocityGap; });
    for (std::size_t i = 0; i < pinned.size(); ++i) {
        const PinnedLoop& one = pinned[i];
        const int column = static_cast<int>(i) + 1;
        int row = 0;
        const auto add = [&](const QString& words, bool best = false) {
            auto* label = new QLabel(words, widget());
            if (best)
                label->setStyleSheet(QStringLiteral("color: %1;").arg(colour::kGlass.name()));
            grid_->addWidget(label, row++, column);
        };
        const double period = periodOf(loopStepFor(one.candidate, one.closing));
        add(chosen == i ? tr("%1, shown").arg(frame(period)) : frame(period), chosen == i);
        add(QStringLiteral("%1 – %2").arg(frame(one.candidate.start), frame(one.candidate.start + period - 1.0)));
        add(loopLengthWords(gap(one), inSteps), gap(one) == least(gap));
        add(QString::number(steps(one), 'f', 2), steps(one) == least(steps));
        add(tr("%1 a second").arg(loopLengthWords(velocity(one), inSteps)), velocity(one) == least(velocity));
        add(one.closing.close == "cut"
                ? tr("a cut")
                : tr("%1 over %2").arg(QString::fromStdString(one.closing.close), frame(one.closing.fade)));
        if (one.closed) {
            const LoopCheck& check = one.closed->check;
            add(loopLengthWords(check.gap, inSteps), closedGap(one) == least(closedGap));
            add(tr("%1 a second").arg(loopLengthWords(check.velocityGap, inSteps)),
                closedVelocity(one) == least(closedVelocity));
            add(one.closing.close == "overlap" ? tr("%1 %").arg(one.closed->shrink * 100.0, 0, 'f', 1) : tr("none"));
            add(loopVerdict(*one.closed));
        } else {
            for (int k = 0; k < 4; ++k)
                add(QStringLiteral("…"));
        }
        auto* take = new QPushButton(tr("Play"), widget());
        take->setProperty("small", true);
        take->setToolTip(tr("Chooses this one and plays it"));
        take->setObjectName(QStringLiteral("takePinned"));
        connect(take, &QPushButton::clicked, this, [this, i] { emit picked(i); });
        grid_->addWidget(take, row++, column);
        auto* drop = new QPushButton(tr("Unpin"), widget());
        drop->setProperty("small", true);
        drop->setObjectName(QStringLiteral("dropPinned"));
        connect(drop, &QPushButton::clicked, this, [this, i] { emit letGo(i); });
        grid_->addWidget(drop, row, column);
    }
    grid_->setColumnStretch(static_cast<int>(pinned.size()) + 1, 1);
    for (auto* part : widget()->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
        part->show(); // else the table has no size yet
    setFixedHeight(grid_->sizeHint().height() + horizontalScrollBar()->sizeHint().height());
}

} // namespace wyc::app
