// SPDX-License-Identifier: GPL-3.0-or-later
// What the mouse does on the board.
#include "base/text.h"
#include "board/time_board.h"
#include "theme/theme.h"
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QScrollBar>
#include <QToolButton>
#include <QToolTip>
#include <QWidgetAction>
#include <algorithm>
#include <cmath>
#include <functional>
#include <unordered_map>

namespace wyc::app {

const ItemFinding* TimeBoard::findingAt(const QPoint& at) const {
    const auto row = rowAt(at.y());
    if (!row || rows_[*row].kind != RowKind::Item || at.x() < headWidth_)
        return nullptr;
    const ItemView* item = workspace_.item(rows_[*row].item);
    if (!item || at.y() - rowTop(*row) > 11)
        return nullptr;
    for (const ItemFinding& found : workspace_.findings()) {
        if (found.key != item->key || found.finding.severity == Severity::Note)
            continue;
        if ((found.finding.frame || item->range) && std::abs(xOfFinding(found, *item, 0.0) - at.x()) < 6.0)
            return &found;
    }
    return nullptr;
}

TimeBoard::Grab TimeBoard::grabAt(const QPoint& at, const ItemView* item) const {
    if (!item || !item->range || item->error)
        return Grab::Scrub;
    const FrameRange range = *workspace_.boardRange(*item);
    const double first = xOfFrame(range.first);
    const double last = xOfFrame(range.last);
    constexpr double kGrip = 10.0; // pixels on either side
    if (std::abs(at.x() - first) < kGrip && last - first > 3.0 * kGrip)
        return Grab::TrimStart;
    if (std::abs(at.x() - last) < kGrip && last - first > 3.0 * kGrip)
        return Grab::TrimEnd;
    return at.x() > first && at.x() < last ? Grab::MoveLane : Grab::Scrub;
}

void TimeBoard::mousePressEvent(QMouseEvent* event) {
    pressedAt_ = event->position().toPoint();
    pressedFrame_ = frameOfX(event->position().x());
    pressedView_ = view_;
    dragFrames_ = 0.0;
    grab_ = Grab::None;
    grabbed_ = {};
    if (event->button() == Qt::MiddleButton) {
        grab_ = Grab::Pan;
        return;
    }
    if (event->button() != Qt::LeftButton)
        return;
    if (isHeadEdge(pressedAt_)) {
        grab_ = Grab::Head;
        return;
    }
    if (stripRect().contains(pressedAt_)) {
        grab_ = Grab::Window;
        if (const QRectF window = windowInStrip(); !window.adjusted(-3, -2, 3, 2).contains(pressedAt_)) {
            const double middle = whole_.first + (pressedAt_.x() - headWidth_) /
                                                     static_cast<double>(std::max(1, width() - headWidth_)) *
                                                     (whole_.last - whole_.first);
            const double half = (view_.last - view_.first) / 2.0;
            showFrames({middle - half, middle + half});
            pressedView_ = view_;
        }
        return;
    }
    const auto row = rowAt(pressedAt_.y());
    if (pressedAt_.x() < headWidth_) {
        if (!row)
            return;
        if (rows_[*row].kind != RowKind::Item) {
            const std::string key = foldKey(rows_[*row]);
            if (!folded_.erase(key))
                folded_.insert(key);
            rebuildRows();
            redraw();
        } else {
            chooseInHead(ItemKey(rows_[*row].item), event->modifiers());
        }
        return;
    }
    if (const ItemFinding* found = findingAt(pressedAt_)) {
        workspace_.goTo(*found);
        return;
    }
    const ItemView* item = row && rows_[*row].kind == RowKind::Item ? workspace_.item(rows_[*row].item) : nullptr;
    grab_ = pressedAt_.y() < kRulerHeight ? Grab::Scrub : grabAt(pressedAt_, item);
    if (grab_ == Grab::Scrub) {
        if (item)
            workspace_.setActive(ItemKey(item->key));
        workspace_.setFrame(std::round(pressedFrame_));
        return;
    }
    grabbed_ = item->key;
    pressedRange_ = *workspace_.boardRange(*item);
    // A trim dragged out gives back what it took.
    limits_ = pressedRange_;
    if (grab_ != Grab::MoveLane && !item->steps.empty() && item->steps.back().type == "trim" && item->steps.back().on)
        if (const auto before = rangeBefore(*item, item->steps.size() - 1))
            limits_ = {workspace_.boardFrame(*item, before->first), workspace_.boardFrame(*item, before->last)};
    if (!workspace_.isChosen(grabbed_))
        workspace_.setActive(grabbed_);
    else
        workspace_.setChosen(grab_ == Grab::MoveLane ? keysOf(workspace_.chosen()) : std::set<ItemKey>{}, grabbed_);
}

void TimeBoard::mouseMoveEvent(QMouseEvent* event) {
    const QPoint at = event->position().toPoint();
    if (grab_ == Grab::None) {
        const auto row = rowAt(at.y());
        const ItemView* item = row && rows_[*row].kind == RowKind::Item && at.x() >= headWidth_
                                   ? workspace_.item(rows_[*row].item)
                                   : nullptr;
        const Grab would = at.x() < headWidth_ || at.y() < kRulerHeight ? Grab::None : grabAt(at, item);
        const bool grips = would == Grab::TrimStart || would == Grab::TrimEnd;
        hover(grips ? item->key : ItemKey(), grips ? would : Grab::None);
        setCursor(isHeadEdge(at)                                       ? Qt::SplitHCursor
                  : findingAt(at)                                      ? Qt::PointingHandCursor
                  : would == Grab::TrimStart || would == Grab::TrimEnd ? Qt::SizeHorCursor
                  : would == Grab::MoveLane                            ? Qt::OpenHandCursor
                                                                       : Qt::ArrowCursor);
        return;
    }
    if (grab_ == Grab::Head) {
        setHeadWidth(at.x());
        return;
    }
    if (grab_ == Grab::Scrub) {
        workspace_.setFrame(std::round(std::clamp(frameOfX(event->position().x()), view_.first, view_.last)));
        return;
    }
    const double moved = (event->position().x() - pressedAt_.x()) / std::max(1, width() - headWidth_) *
                         (pressedView_.last - pressedView_.first);
    if (grab_ == Grab::Window) {
        const double by =
            (event->position().x() - pressedAt_.x()) / std::max(1, width() - headWidth_) * (whole_.last - whole_.first);
        showFrames({pressedView_.first + by, pressedView_.last + by});
        return;
    }
    if (grab_ == Grab::Pan) {
        view_ = {pressedView_.first - moved, pressedView_.last - moved};
        viewChosen_ = true;
    } else {
        // By whole frames of the item that is held.
        const ItemView* held = workspace_.item(grabbed_);
        dragFrames_ = held && !workspace_.atBoardRate(*held)
                          ? workspace_.boardFrame(*held, std::round(workspace_.ownFrame(*held, moved)))
                          : std::round(moved);
        setCursor(grab_ == Grab::MoveLane ? Qt::ClosedHandCursor : Qt::SizeHorCursor);
    }
    redraw();
}

void TimeBoard::mouseReleaseEvent(QMouseEvent* event) {
    const bool moved = (event->position().toPoint() - pressedAt_).manhattanLength() > 3;
    const bool lane = grab_ == Grab::MoveLane || grab_ == Grab::TrimStart || grab_ == Grab::TrimEnd;
    if (grab_ == Grab::MoveLane && !moved) { // a click on a lane goes to that frame
        workspace_.setActive(ItemKey(grabbed_));
        workspace_.setFrame(std::round(pressedFrame_));
    } else if (lane && dragFrames_ != 0.0) {
        commitDrag();
    }
    endDrag();
}

void TimeBoard::endDrag() {
    grab_ = Grab::None;
    grabbed_ = {};
    dragFrames_ = 0.0;
    setCursor(Qt::ArrowCursor);
    redraw();
}

bool TimeBoard::cancelDrag() {
    if (grab_ != Grab::MoveLane && grab_ != Grab::TrimStart && grab_ != Grab::TrimEnd)
        return false;
    endDrag();
    return true;
}

void TimeBoard::commitDrag() {
    const ItemView* item = workspace_.item(grabbed_);
    if (!item)
        return;
    const QString name = QString::fromStdString(item->name);
    if (grab_ == Grab::MoveLane) {
        const std::vector<ItemKey> keys = workspace_.chosen();
        workspace_.offsetBy(keys, dragFrames_,
                            keys.size() == 1 ? tr("Offset %1").arg(name) : tr("Offset %1 items").arg(keys.size()));
        return;
    }
    std::vector<Step> steps = item->steps;
    const FrameRange board = shownRange(*item);
    const FrameRange shown{workspace_.ownFrame(*item, board.first), workspace_.ownFrame(*item, board.last)};
    if (!steps.empty() && steps.back().type == "trim" && steps.back().on)
        steps.pop_back();
    if (board != limits_) // all there is: nothing is trimmed
        steps.push_back({"trim", {{"first", shown.first}, {"last", shown.last}, {"handles", 0.0}}, true});
    workspace_.document().endMerge();
    workspace_.setSteps(ItemKey(grabbed_), steps, tr("Trim %1").arg(name));
}

void TimeBoard::mouseDoubleClickEvent(QMouseEvent* event) {
    const auto row = rowAt(event->position().toPoint().y());
    if (event->position().y() < kRulerHeight) {
        viewChosen_ = false;
        showAll(); // of the ruler as of the strip
        return;
    }
    if (isHeadEdge(event->position().toPoint())) { // as the board would have it
        headChosen_ = false;
        placeHead();
        redraw();
        return;
    }
    if (!row || rows_[*row].kind != RowKind::Item)
        return;
    if (const ItemView* item = workspace_.item(rows_[*row].item))
        if (const auto range = workspace_.boardRange(*item))
            showFrames(range->widened(std::max(1.0, range->count() * 0.02)));
}

void TimeBoard::wheelEvent(QWheelEvent* event) {
    const double notches = event->angleDelta().y() / 120.0;
    if (event->position().x() < headWidth_ || (event->modifiers() & Qt::ShiftModifier)) {
        scroll_->setValue(scroll_->value() - static_cast<int>(notches * 3 * rowHeight_));
        return;
    }
    const double at = frameOfX(event->position().x());
    const double factor = std::pow(0.82, notches);
    const double span = std::clamp((view_.last - view_.first) * factor, 4.0, 1e7);
    const double share = (at - view_.first) / (view_.last - view_.first);
    view_ = {at - share * span, at - share * span + span};
    viewChosen_ = true;
    redraw();
    event->accept();
}

void TimeBoard::contextMenuEvent(QContextMenuEvent* event) {
    const auto row = rowAt(event->pos().y());
    if (!row)
        return;
    const Row chosen = rows_[*row];
    QMenu menu(this);
    if (chosen.kind == RowKind::Item) {
        const ItemView* item = workspace_.item(chosen.item);
        const bool leftOut = item && item->leftOut;
        std::vector<ItemKey> keys{chosen.item};
        if (workspace_.isChosen(chosen.item))
            keys = workspace_.chosen();
        const QString which = keys.size() == 1 ? tr("this item") : tr("these %1 items").arg(keys.size());
        menu.addAction(leftOut ? tr("Take %1 in").arg(which) : tr("Leave %1 out").arg(which), this,
                       [this, keys, leftOut] { workspace_.setLeftOut(keys, !leftOut); });
        const bool loops = item && item->loops;
        menu.addAction(loops ? tr("Not meant to loop") : tr("Meant to loop: check its seam"), this,
                       [this, keys, loops] { workspace_.setLoops(keys, !loops); });
        if (keys.size() > 1)
            menu.addAction(tr("Only these %1 items").arg(keys.size()), this, [this, keys = keysOf(keys)] {
                workspace_.choose([keys](const ItemView& one) { return keys.contains(one.key); },
                                  tr("Only %1 items").arg(keys.size()));
            });
        menu.addAction(tr("Show its whole range"), this, [this, chosen] {
            if (const ItemView* it = workspace_.item(chosen.item); it && it->range)
                showFrames(workspace_.boardRange(*it)->widened(2));
        });
        menu.addSeparator();
    }
    if (chosen.kind == RowKind::Group) {
        const auto inGroup = [chosen](const ItemView& item) {
            return item.key.source == chosen.source && item.key.path.starts_with(chosen.item.path + "/");
        };
        menu.addAction(tr("Only this group of the source"), this, [this, chosen, inGroup] {
            workspace_.choose(
                [=](const ItemView& item) { return item.key.source == chosen.source ? inGroup(item) : !item.leftOut; },
                tr("Only %1").arg(chosen.name));
        });
        menu.addAction(tr("Leave this group out"), this, [this, chosen, inGroup] {
            workspace_.choose([=](const ItemView& item) { return !inGroup(item) && !item.leftOut; },
                              tr("Leave out %1").arg(chosen.name));
        });
        menu.addSeparator();
    }
    menu.addAction(tr("Read the source again"), this, [this, chosen] { workspace_.reloadSources({chosen.source}); });
    menu.addAction(tr("Remove the source"), this, [this, chosen] { workspace_.removeSource(chosen.source); });
    menu.exec(event->globalPos());
}

bool TimeBoard::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        QString text;
        const auto row = rowAt(help->pos().y());
        if (const ItemFinding* found = findingAt(help->pos()))
            text = QString::fromStdString(found->finding.text);
        else if (row && rows_[*row].kind == RowKind::Source) {
            for (const SourceView& source : workspace_.sources())
                if (source.id == rows_[*row].source)
                    text = source.error ? QString::fromStdString(source.error->text())
                                        : QString::fromStdString(source.spec.path.string());
        } else if (row && help->pos().x() >= headWidth_) {
            if (const ItemView* item = workspace_.item(rows_[*row].item))
                text = tr("Curve: RMS speed of the points. Drag sideways to offset, an end to trim or to give back; "
                          "double-click to fit.%1")
                           .arg(item->error ? QStringLiteral("\n") + QString::fromStdString(item->error->text())
                                            : QString());
        } else if (row && rows_[*row].kind == RowKind::Group) {
            text = QString::fromStdString(rows_[*row].item.path);
        } else if (row) {
            text = QString::fromStdString(workspace_.labelOf(rows_[*row].item));
        }
        if (text.isEmpty())
            QToolTip::hideText();
        else
            QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QWidget::event(event);
}

void TimeBoard::hover(const ItemKey& key, Grab grip) {
    if (key == hovered_ && grip == hoveredGrip_)
        return;
    hovered_ = key;
    hoveredGrip_ = grip;
    redraw();
}

void TimeBoard::leaveEvent(QEvent*) {
    hover({}, Grab::None);
    setCursor(Qt::ArrowCursor);
}

} // namespace wyc::app
