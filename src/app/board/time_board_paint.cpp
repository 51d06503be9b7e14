// SPDX-License-Identifier: GPL-3.0-or-later
// How the time board looks.
#include "board/time_board.h"

#include <algorithm>
#include <cmath>

#include <QPainter>
#include <QPainterPath>
#include <QScrollBar>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "measure/motion.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

// Distances of labels in frames, so that they stand clear of one another: of frames as animators count them, of seconds
// and timecodes whole seconds where there is no room for every frame.
double labelStep(double pixelsPerFrame, TimeReading reading, double framesASecond) {
    const double room = reading == TimeReading::Timecode ? 96.0 : 76.0;
    std::vector<double> steps{1.0,   2.0,   4.0,    8.0,    12.0,   24.0,    48.0,    96.0,    120.0,
                              240.0, 480.0, 1200.0, 2400.0, 4800.0, 12000.0, 24000.0, 120000.0};
    if (reading != TimeReading::Frames) {
        steps = {1.0, 2.0, 4.0};
        for (const double seconds : {0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1800.0, 3600.0})
            steps.push_back(seconds * framesASecond);
    }
    for (const double step : steps)
        if (step * pixelsPerFrame >= room)
            return step;
    return 1e6;
}

QString stateWords(const ItemView& item) {
    if (item.leftOut)
        return QStringLiteral("left out");
    if (item.error)
        return item.failedStep ? QStringLiteral("fails") : QStringLiteral("not read");
    if (item.hidden)
        return QStringLiteral("hidden");
    if (item.is().place)
        return QStringLiteral("helper");
    if (!item.profile)
        return QStringLiteral("…");
    if (item.profile->count() < 2) // a light whose colour changes, a mesh whose attributes do
        return item.range ? QStringLiteral("changes") : QStringLiteral("still");
    if (!item.profile->moves())
        return QStringLiteral("static");
    return item.scene->nodes[item.node].geometry->sampling().isStill() ? QStringLiteral("rigid")
                                                                       : QStringLiteral("moves");
}

QString amountWords(const ItemView& item) {
    if (item.is().place)
        return TimeBoard::tr("transform");
    if (!item.is().points)
        return QString::fromStdString(item.kind);
    if (item.pieces > 1)
        return TimeBoard::tr("%1 pieces").arg(item.pieces);
    const std::size_t most = item.mostPoints();
    return (most > item.points ? TimeBoard::tr("≤ %1 points") : TimeBoard::tr("%1 points")).arg(digits(most));
}

KindMark markOf(const ItemView& item) {
    switch (item.nodeKind) {
    case NodeKind::Points:
    case NodeKind::Instancer: return KindMark::Points;
    case NodeKind::Curves: return KindMark::Curves;
    case NodeKind::Camera: return KindMark::Camera;
    case NodeKind::Light: return KindMark::Light;
    case NodeKind::Skeleton: return KindMark::Joints;
    case NodeKind::Transform: return KindMark::Other;
    default: break;
    }
    const bool rigid = item.scene && item.scene->nodes[item.node].geometry &&
                       item.scene->nodes[item.node].geometry->sampling().isStill() && item.range;
    return rigid ? KindMark::Rigid : KindMark::Mesh;
}

void drawFold(QPainter& painter, const QPointF& at, bool folded, const QColor& c) {
    QPainterPath arrow;
    if (folded)
        arrow.addPolygon(QPolygonF{at + QPointF(-2, -4), at + QPointF(3, 0), at + QPointF(-2, 4)});
    else
        arrow.addPolygon(QPolygonF{at + QPointF(-4, -2), at + QPointF(4, -2), at + QPointF(0, 3)});
    painter.fillPath(arrow, c);
}

} // namespace

// Grey while it is not known whether it holds.
QColor TimeBoard::markColour(Severity severity) const {
    return workspace_.checked() == Checked::Yes ? severityColour(static_cast<int>(severity))
                                                : colour::kChalk2.darker(140);
}

QColor TimeBoard::colourOf(const ItemView& item) const {
    if (item.key == workspace_.active())
        return colour::kGlass;
    return item.leftOut ? QColor(0x3E, 0x50, 0x54) : QColor(0x86, 0xA5, 0xA3);
}

// While it plays only the play head moves: the lanes lie below it as they were drawn.
void TimeBoard::paintEvent(QPaintEvent* event) {
    QPainter painter(this);
    const double ratio = devicePixelRatioF();
    if (lanes_.isNull() || lanes_.size() != size() * ratio) {
        lanes_ = QPixmap(size() * ratio);
        lanes_.setDevicePixelRatio(ratio);
        QPainter onLanes(&lanes_);
        paintLanes(onLanes);
    }
    const QRect part = event->rect();
    painter.drawPixmap(QRectF(part), lanes_, QRectF(QPointF(part.topLeft()) * ratio, QSizeF(part.size()) * ratio));
    paintRuler(painter);
    paintPlayHead(painter);
}

void TimeBoard::redraw() {
    lanes_ = {};
    update();
}

void TimeBoard::movePlayHead() {
    const auto strip = [this](double x) {
        return QRect(static_cast<int>(std::floor(x)) - 2, kRulerHeight - 3, 5, height() - kRulerHeight + 3);
    };
    update(strip(playHeadX_));
    update(strip(xOfFrame(workspace_.frame())));
    update(QRect(headWidth_, 0, width() - headWidth_, kRulerHeight));
}

void TimeBoard::paintLanes(QPainter& painter) {
    painter.fillRect(rect(), colour::kInk0);
    measureWhole();
    paintStrip(painter);
    const QRect lanes(headWidth_, kRulerHeight, width() - headWidth_, height() - kRulerHeight);
    painter.setClipRect(lanes);
    paintBands(painter, lanes);
    painter.setClipRect(QRect(0, kRulerHeight, width(), height() - kRulerHeight));
    const std::size_t first = static_cast<std::size_t>(std::max(0, scroll_->value() / rowHeight_));
    for (std::size_t i = first; i < rows_.size() && rowTop(i) < height(); ++i) {
        const QRect row(0, rowTop(i), width(), rowHeight_);
        painter.setClipRect(QRect(headWidth_, kRulerHeight, width() - headWidth_, height() - kRulerHeight));
        if (rows_[i].kind == RowKind::Source)
            paintSourceLane(painter, rows_[i], row.adjusted(headWidth_, 0, 0, 0));
        else if (rows_[i].kind == RowKind::Group)
            paintGroupLane(painter, rows_[i], row.adjusted(headWidth_, 0, 0, 0));
        else
            paintItemLane(painter, rows_[i], row.adjusted(headWidth_, 0, 0, 0));
        painter.setClipRect(QRect(0, kRulerHeight, headWidth_, height() - kRulerHeight));
        paintHead(painter, rows_[i], QRect(0, row.top(), headWidth_, rowHeight_));
    }
    painter.setClipping(false);
    painter.setPen(colour::kInk3);
    painter.drawLine(headWidth_, kRulerHeight, headWidth_, height());
    if (rows_.empty()) {
        painter.setPen(colour::kChalk2);
        painter.setFont(textFont(10));
        painter.drawText(rect().adjusted(0, kRulerHeight, 0, 0), Qt::AlignCenter,
                         tr("Drop files or folders here: .abc, .mdd with its rest mesh, .obj, numbered .obj"));
    }
}

void TimeBoard::paintPlayHead(QPainter& painter) {
    const double x = xOfFrame(workspace_.frame());
    playHeadX_ = x;
    if (x >= headWidth_) {
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(colour::kChalk, 1.4));
        painter.drawLine(QPointF(x, kRulerHeight - 2), QPointF(x, height()));
        const QString label = workspace_.timeWords(workspace_.frame());
        painter.setFont(textFont(9, QFont::DemiBold));
        const double w = painter.fontMetrics().horizontalAdvance(label) + 14;
        const QRectF box(std::clamp(x - w / 2, static_cast<double>(headWidth_), width() - w), 4, w, 21);
        painter.setPen(Qt::NoPen);
        painter.setBrush(colour::kChalk);
        painter.drawRoundedRect(box, 3, 3);
        painter.setPen(colour::kInk0);
        painter.drawText(box, Qt::AlignCenter, label);
    }
}

void TimeBoard::paintBands(QPainter& painter, const QRect& area) {
    const Shot& shot = workspace_.job().shot;
    if (!shot.range)
        return;
    const auto band = [&](double first, double last, const QColor& c) {
        const double left = xOfFrame(first - 0.5);
        const double right = xOfFrame(last + 0.5);
        painter.fillRect(QRectF(left, area.top(), right - left, area.height()), c);
    };
    if (shot.handles > 0)
        band(shot.range->first - shot.handles, shot.range->last + shot.handles, QColor(0x11, 0x1A, 0x1E));
    band(shot.range->first, shot.range->last, QColor(0x16, 0x22, 0x27));
    painter.setPen(QColor(0x4A, 0x60, 0x66));
    for (const double frame : {shot.range->first - 0.5, shot.range->last + 0.5})
        painter.drawLine(QPointF(xOfFrame(frame), area.top()), QPointF(xOfFrame(frame), area.bottom()));
}

void TimeBoard::paintRuler(QPainter& painter) {
    painter.fillRect(QRect(headWidth_, 0, width() - headWidth_, kTicks), colour::kInk1);
    painter.fillRect(QRect(0, 0, headWidth_, kRulerHeight), QColor(0x18, 0x24, 0x29));
    painter.setFont(textFont(9, QFont::DemiBold));
    painter.setPen(colour::kChalk);
    if (chooser_->x() > 60) // else there is no room for it
        painter.drawText(QRect(12, 0, 72, kRulerHeight), Qt::AlignVCenter, tr("Time board"));
    const double perFrame = (width() - headWidth_) / (view_.last - view_.first);
    const TimeReading reading = workspace_.timeReading();
    const double second =
        reading == TimeReading::Timecode ? std::round(workspace_.rate().value()) : workspace_.rate().value();
    const double step = labelStep(perFrame, reading, second);
    const double tick = perFrame >= 5.0 ? 1.0 : step / (step >= 8.0 ? 8.0 : 4.0);
    painter.setClipRect(QRect(headWidth_, 0, width() - headWidth_, kRulerHeight));
    const Shot& shot = workspace_.job().shot;
    const double playhead = xOfFrame(workspace_.frame());
    const double headHalf =
        QFontMetrics(textFont(9, QFont::DemiBold)).horizontalAdvance(workspace_.timeWords(workspace_.frame())) / 2.0 +
        9;
    // Labels begin at the shot.
    const double origin = shot.range                       ? shot.range->first
                          : reading == TimeReading::Frames ? 0.0
                                                           : workspace_.timeOrigin();
    painter.setPen(QColor(0x3E, 0x50, 0x56));
    for (double frame = origin + std::floor((view_.first - origin) / tick) * tick; frame <= view_.last; frame += tick)
        painter.drawLine(QPointF(xOfFrame(frame), kTicks - 5), QPointF(xOfFrame(frame), kTicks - 1));
    painter.setFont(textFont(9));
    for (double frame = origin + std::floor((view_.first - origin) / step) * step; frame <= view_.last; frame += step) {
        const double x = xOfFrame(frame);
        painter.setPen(colour::kChalk2);
        painter.drawLine(QPointF(x, kTicks - 14), QPointF(x, kTicks - 1));
        painter.setPen(colour::kChalk);
        const QString label = workspace_.timeWords(snappedFrame(frame));
        const double wide = painter.fontMetrics().horizontalAdvance(label) + 6;
        if (x + wide < playhead - headHalf || x > playhead + headHalf) // not under the play head's tag
            painter.drawText(QPointF(x + 4, kTicks - 10), label);
    }
    painter.setClipping(false);
    paintWindow(painter);
}

// All that there is, from the first frame of anything to the last; and the part of it that lies below.
void TimeBoard::paintStrip(QPainter& painter) {
    const QRect strip = stripRect();
    painter.fillRect(strip, colour::kInk0);
    const auto bar = [&](const FrameRange& range, const QColor& c, double top, double high) {
        const double left = xInStrip(range.first);
        painter.fillRect(QRectF(left, strip.top() + top, std::max(1.5, xInStrip(range.last) - left), high), c);
    };
    if (const auto shot = workspace_.job().shot.range)
        bar({shot->first - 0.5, shot->last + 0.5}, QColor(0x22, 0x33, 0x39), 0.0, strip.height());
    for (const ItemView& item : workspace_.items())
        if (const auto range = workspace_.boardRange(item); range && !item.leftOut && item.key != workspace_.active())
            bar(*range, QColor(0x55, 0x6B, 0x6E), 3.5, 2.0);
    if (const ItemView* active = workspace_.activeItem())
        if (const auto range = workspace_.boardRange(*active))
            bar(*range, colour::kGlass, 3.5, 2.0);
}

void TimeBoard::paintWindow(QPainter& painter) {
    painter.fillRect(QRectF(xInStrip(workspace_.frame()) - 0.75, kTicks, 1.5, kStrip), colour::kChalk);
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(grab_ == Grab::Window ? colour::kChalk : colour::kChalk2, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(windowInStrip().adjusted(0, 0, -1, 0));
}

void TimeBoard::paintHead(QPainter& painter, const Row& row, const QRect& rect) {
    painter.setRenderHint(QPainter::Antialiasing);
    if (row.kind == RowKind::Source) {
        painter.fillRect(rect, colour::kInk0);
        const auto& sources = workspace_.sources();
        const auto source =
            std::find_if(sources.begin(), sources.end(), [&](const SourceView& s) { return s.id == row.source; });
        if (source == sources.end())
            return;
        drawFold(painter, QPointF(18, rect.center().y() + 0.5), folded_.contains(foldKey(row)), colour::kChalk2);
        painter.setFont(textFont(9, QFont::DemiBold));
        QString state;
        QColor stateColour = colour::kChalk2;
        if (source->error) {
            state = QStringLiteral("✕ ") + tr("not read");
            stateColour = colour::kRust;
        } else if (!source->source) {
            state = tr("opening …");
        } else if (source->gone || source->changedOnDisk) {
            state = source->gone ? tr("gone from disk") : tr("changed on disk");
            stateColour = colour::kStraw;
        } else {
            const auto count = std::count_if(workspace_.items().begin(), workspace_.items().end(),
                                             [&](const ItemView& i) { return i.key.source == row.source; });
            state = source->source->fileCount > 1 ? tr("%1 files").arg(source->source->fileCount)
                    : count == 1                  ? tr("1 item")
                                                  : tr("%1 items").arg(count);
        }
        const int stateWidth = painter.fontMetrics().horizontalAdvance(state) + 14;
        painter.setPen(colour::kChalk);
        const QString name = QString::fromStdString(source->spec.path.filename().string());
        painter.drawText(rect.adjusted(28, 0, -stateWidth, 0), Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(name, Qt::ElideMiddle, rect.width() - 34 - stateWidth));
        painter.setFont(textFont(8.5));
        painter.setPen(stateColour);
        painter.drawText(rect.adjusted(0, 0, -10, 0), Qt::AlignVCenter | Qt::AlignRight, state);
        if (!source->error)
            paintWorst(painter, row, rect, rect.right() - 14 - painter.fontMetrics().horizontalAdvance(state));
        return;
    }
    if (row.kind == RowKind::Group) {
        paintGroupHead(painter, row, rect);
        return;
    }
    const ItemView* item = workspace_.item(row.item);
    if (!item)
        return;
    const bool active = item->key == workspace_.active();
    const bool chosen = workspace_.isChosen(item->key);
    painter.fillRect(rect, active   ? QColor(0x1B, 0x3A, 0x35)
                           : chosen ? QColor(0x18, 0x2E, 0x2D)
                                    : colour::kInk1.darker(108));
    if (chosen)
        painter.fillRect(QRect(0, rect.top(), 2, rect.height()), active ? colour::kGlass : colour::kGlass.darker(150));
    const int indent = 26 + 12 * std::min(row.depth, 6);
    drawKindMark(painter, QRectF(indent, rect.center().y() - 6, 15, 15), markOf(*item),
                 active ? colour::kGlass : colour::kChalk2);
    painter.setFont(textFont(9));
    painter.setPen(item->leftOut ? QColor(0x6B, 0x7C, 0x7C) : colour::kChalk);
    const QString name = QString::fromStdString(item->name);
    // The state stands at the right; the amount beside it where there is room for both.
    const int stateLeft = headWidth_ - 62;
    const QString amount = headWidth_ >= 290 ? amountWords(*item) : QString();
    const int amountRight = stateLeft - 4;
    const int end = amountRight - (amount.isEmpty() ? 0 : QFontMetrics(textFont(8.5)).horizontalAdvance(amount) + 10);
    int left = indent + 21;
    // Parents without a row stand before the name as far as there is room.
    constexpr int kLeastForParents = 28;
    const QFontMetrics metrics = painter.fontMetrics();
    const int room = end - left - metrics.horizontalAdvance(name);
    if (!row.above.isEmpty() && room >= kLeastForParents) {
        const QString above = metrics.horizontalAdvance(row.above) <= room
                                  ? row.above
                                  : metrics.elidedText(row.above.chopped(3), Qt::ElideRight,
                                                       room - metrics.horizontalAdvance(QStringLiteral(" / "))) +
                                        QStringLiteral(" / ");
        const QPen pen = painter.pen();
        painter.setPen(QColor(0x6B, 0x80, 0x80));
        painter.drawText(QRect(left, rect.top(), end - left, rect.height()), Qt::AlignVCenter, above);
        painter.setPen(pen);
        left += metrics.horizontalAdvance(above);
    }
    painter.drawText(QRect(left, rect.top(), end + 2 - left, rect.height()), Qt::AlignVCenter,
                     metrics.elidedText(name, Qt::ElideRight, end - left));
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    painter.drawText(QRect(left, rect.top(), amountRight - left, rect.height()), Qt::AlignVCenter | Qt::AlignRight,
                     amount);
    const QString state = stateWords(*item);
    painter.setPen(item->error ? colour::kRust : state == QStringLiteral("static") ? colour::kStraw : colour::kChalk2);
    painter.drawText(QRect(stateLeft, rect.top(), headWidth_ - 10 - stateLeft, rect.height()),
                     Qt::AlignVCenter | Qt::AlignRight, state);
}

void TimeBoard::paintGroupHead(QPainter& painter, const Row& row, const QRect& rect) {
    painter.fillRect(rect, colour::kInk1.darker(112));
    const int indent = 26 + 12 * std::min(row.depth, 6);
    drawFold(painter, QPointF(indent + 8, rect.center().y() + 0.5), folded_.contains(foldKey(row)), colour::kChalk2);
    painter.setFont(textFont(9));
    painter.setPen(colour::kChalk2);
    const QString name = row.above + row.name;
    const int room = headWidth_ - 96 - indent;
    painter.drawText(QRect(indent + 21, rect.top(), room + 2, rect.height()), Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(name, Qt::ElideMiddle, room));
    painter.setFont(textFont(8.5));
    const QString count = (row.below == 1 ? tr("%1 item") : tr("%1 items")).arg(row.below);
    painter.drawText(rect.adjusted(0, 0, -10, 0), Qt::AlignVCenter | Qt::AlignRight, count);
    paintWorst(painter, row, rect, rect.right() - 14 - painter.fontMetrics().horizontalAdvance(count));
}

// What is worst below: seen with its items folded away, too.
void TimeBoard::paintWorst(QPainter& painter, const Row& row, const QRect& rect, int right) {
    const auto worst = worst_.find(foldKey(row));
    if (worst == worst_.end())
        return;
    const auto severity = static_cast<int>(worst->second);
    painter.setPen(markColour(worst->second));
    painter.drawText(QRect(right - 20, rect.top(), 18, rect.height()), Qt::AlignVCenter | Qt::AlignRight,
                     severityMark(severity));
}

void TimeBoard::paintGroupLane(QPainter& painter, const Row& row, const QRect& rect) {
    for (const SourceView& source : workspace_.sources()) {
        if (source.id != row.source || !source.source)
            continue;
        const Scene& scene = source.source->shown();
        const auto node = source.source->tree->find(row.item.path);
        if (!node || !scene.nodes[*node].transform || scene.nodes[*node].transform->constant())
            return;
        // Only that it moves, and when: the items below show how fast.
        const Sampling& sampling = scene.nodes[*node].transform->sampling();
        const double y = rect.center().y() + 3;
        painter.setPen(QPen(QColor(0x55, 0x6B, 0x6E), 1.1));
        painter.drawLine(QPointF(xOfFrame(workspace_.rate().frameAt(sampling.firstTime())), y),
                         QPointF(xOfFrame(workspace_.rate().frameAt(sampling.lastTime())), y));
        for (const double time : {sampling.firstTime(), sampling.lastTime()}) {
            const double x = xOfFrame(workspace_.rate().frameAt(time));
            painter.drawLine(QPointF(x, y - 3), QPointF(x, y + 3));
        }
        return;
    }
}

void TimeBoard::paintSourceLane(QPainter& painter, const Row& row, const QRect& rect) {
    std::optional<FrameRange> all;
    std::set<std::string> rates; // of those that are not the board's
    for (const ItemView& item : workspace_.items()) {
        if (item.key.source != row.source || !item.range)
            continue;
        const FrameRange range = shownRange(item);
        all = all ? FrameRange{std::min(all->first, range.first), std::max(all->last, range.last)} : range;
        rates.insert(workspace_.atBoardRate(item) ? "" : item.scene->view.rate.shortText());
    }
    if (!all)
        return;
    painter.setRenderHint(QPainter::Antialiasing);
    const double left = xOfFrame(all->first);
    const double right = xOfFrame(all->last);
    const double y = rect.center().y() + 3;
    painter.setPen(QPen(QColor(0x6E, 0x88, 0x88), 1.2));
    painter.drawLine(QPointF(left, y), QPointF(right, y));
    painter.setFont(textFont(8));
    painter.setPen(colour::kChalk2);
    const QString first = workspace_.timeWords(snappedFrame(all->first));
    QString last = workspace_.timeWords(snappedFrame(all->last));
    if (rates.size() == 1 && !rates.begin()->empty()) // drawn as long as it lasts, at the seconds that it says
        last += tr("  at %1 fps").arg(QString::fromStdString(*rates.begin()));
    else if (rates.size() > 1)
        last += tr("  at several rates");
    const double w = painter.fontMetrics().horizontalAdvance(first);
    const double ofLast = painter.fontMetrics().horizontalAdvance(last);
    const auto label = [&](double x, double wide, const QString& words) { // over the line where there is no room beside
        painter.fillRect(QRectF(x - 3, y - 6, wide + 6, 13), QColor(0x10, 0x18, 0x1B));
        painter.drawText(QPointF(x, y + 4), words);
    };
    label(std::max<double>(rect.left() + 3, left - w - 5), w, first);
    label(std::min<double>(right + 5, rect.right() - ofLast - 12), ofLast, last);
}

// What has no speed to show: a pose that holds throughout, or a range that is not measured yet.
void TimeBoard::paintWithoutSpeed(QPainter& painter, const ItemView& item, const QRect& rect) {
    const QColor base = colourOf(item);
    const auto range = workspace_.boardRange(item);
    painter.setRenderHint(QPainter::Antialiasing);
    if (!range && item.profile) {
        QPen dotted(QColor(0x4A, 0x5E, 0x62), 1.2, Qt::DotLine);
        painter.setPen(dotted);
        painter.drawLine(QPointF(rect.left(), rect.center().y()), QPointF(rect.right(), rect.center().y()));
        painter.setPen(Qt::NoPen);
        painter.setBrush(base);
        painter.drawEllipse(QPointF(rect.left() + 8, rect.center().y()), 3, 3);
    } else if (range) {
        const double floor = rect.bottom() - 4;
        painter.setPen(QPen(base, 1.2));
        painter.drawLine(QPointF(xOfFrame(range->first), floor), QPointF(xOfFrame(range->last), floor));
    }
}

// Speed over time as a hill on the floor of a lane, with gaps where frames are missing. By pixel column: the fastest
// sample in it, so that nothing is lost when zoomed out.
QPainterPath TimeBoard::speedCurve(const MotionProfile& profile, const std::vector<double>& frames,
                                   const std::vector<std::size_t>& gaps, const FrameRange& shown, double floor) const {
    const float most = profileTop(profile.step);
    const double height = rowHeight_ - 9;
    const auto speed = [&](std::size_t i) {
        const float step = profile.step[i == 0 ? 1 : i];
        return std::isfinite(step) && most > 0.0F ? std::min(1.15, static_cast<double>(step / most)) : 0.0;
    };
    QPainterPath curve;
    std::optional<double> column;
    double columnTop = 0.0;
    bool open = false;
    const auto flush = [&] {
        if (!column)
            return;
        if (!open)
            curve.moveTo(*column, floor);
        open = true;
        curve.lineTo(*column, floor - columnTop * height);
    };
    const auto close = [&] {
        flush();
        if (open)
            curve.lineTo(*column, floor);
        open = false;
        column.reset();
    };
    const double perFrame = (width() - headWidth_) / (view_.last - view_.first);
    for (std::size_t i = 0; i < frames.size(); ++i) {
        // One sample beyond each edge of the view, so that the curve goes on to the edge however far it is zoomed in.
        const bool seen = frames[i] >= view_.first && frames[i] <= view_.last;
        const bool near = seen || (i > 0 && frames[i - 1] <= view_.last && frames[i] > view_.last) ||
                          (i + 1 < frames.size() && frames[i] < view_.first && frames[i + 1] >= view_.first);
        if (!near || frames[i] < shown.first - kFrameTolerance || frames[i] > shown.last + kFrameTolerance)
            continue;
        if (std::binary_search(gaps.begin(), gaps.end(), i))
            close(); // what is not there has no speed
        const double x = xOfFrame(frames[i]);
        const double at = perFrame < 1.0 ? std::round(x) : x;
        if (column && at == *column) {
            columnTop = std::max(columnTop, speed(i));
            continue;
        }
        flush();
        column = at;
        columnTop = speed(i);
    }
    close();
    return curve;
}

// Samples below the hill: a tick each, a band when they merge.
void TimeBoard::paintSamples(QPainter& painter, const std::vector<double>& frames, const std::vector<double>& own,
                             const FrameRange& shown, const QRect& rect, const QColor& fill) {
    const double floor = rect.bottom() - 4;
    const double firstX = std::max<double>(rect.left(), xOfFrame(shown.first));
    const double lastFrameX = std::min<double>(rect.right(), xOfFrame(shown.last));
    if ((width() - headWidth_) / (view_.last - view_.first) >= 4.0) {
        for (std::size_t i = 0; i < frames.size(); ++i) {
            const double frame = frames[i];
            const bool inside = frame >= shown.first - kFrameTolerance && frame <= shown.last + kFrameTolerance;
            if (!inside || frame < view_.first || frame > view_.last)
                continue;
            // Samples between whole frames stand lower and shorter.
            const bool whole = sameFrame(own[i], std::round(own[i]));
            painter.drawLine(QPointF(xOfFrame(frame), floor + (whole ? 0 : 2)), QPointF(xOfFrame(frame), floor + 3));
        }
    } else if (lastFrameX > firstX) {
        painter.fillRect(QRectF(firstX, floor + 1, lastFrameX - firstX, 2), fill);
    }
}

void TimeBoard::paintItemLane(QPainter& painter, const Row& row, const QRect& rect) {
    const ItemView* item = workspace_.item(row.item);
    if (!item || !item->scene)
        return;
    const QColor base = colourOf(*item);
    const bool active = item->key == workspace_.active();
    if (active)
        painter.fillRect(rect, QColor(111, 207, 180, 14));
    if (!item->range || !item->profile || item->profile->count() < 2) {
        paintWithoutSpeed(painter, *item, rect);
        return;
    }
    const bool dragged = grab_ == Grab::MoveLane && isDragged(item->key);
    const double shift = dragged ? dragFrames_ : 0.0;
    const FrameRange shown = shownRange(*item);
    std::vector<double> own; // frames of the item; and where they lie on the board
    std::vector<double> frames;
    for (std::size_t i = 0; i < item->profile->count(); ++i) {
        own.push_back(item->frameAt(i));
        frames.push_back(workspace_.boardFrame(*item, own.back()) + shift);
    }
    const std::vector<std::size_t> gaps = framesMissingBefore(own);
    painter.setRenderHint(QPainter::Antialiasing);
    QColor fill = base;
    fill.setAlphaF(active ? 0.38F : 0.28F);
    painter.setPen(QPen(base, 1.1));
    painter.setBrush(fill);
    painter.drawPath(speedCurve(*item->profile, frames, gaps, shown, rect.bottom() - 4));
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(base, 1));
    paintSamples(painter, frames, own, shown, rect, fill);
    paintHeld(painter, *item, rect, shift);
    paintStretches(painter, *item, rect, shift);
    for (const std::size_t i : gaps)
        paintGap(painter, frames[i - 1], frames[i], rect);
    paintRate(painter, *item, rect, shown);
    paintGhost(painter, *item, rect);
    paintNotches(painter, *item, rect, shift);
    if (hovered_ == item->key || (grabbed_ == item->key && grab_ != Grab::MoveLane))
        paintGrip(painter, rect, shown);
    if (dragged || grabbed_ == item->key)
        paintTags(painter, rect, shown);
}

// A lane is as long as it lasts; how many frames it has for that is said where it is not what the ruler says.
void TimeBoard::paintRate(QPainter& painter, const ItemView& item, const QRect& rect, const FrameRange& shown) {
    if (workspace_.atBoardRate(item))
        return;
    const QString words = tr("%1 fps").arg(QString::fromStdString(item.scene->view.rate.shortText()));
    painter.setFont(textFont(7.5, QFont::DemiBold));
    const double width = painter.fontMetrics().horizontalAdvance(words) + 8;
    const double left = std::max<double>(rect.left(), xOfFrame(shown.first)) + 3;
    if (left + width + 3 > std::min<double>(rect.right(), xOfFrame(shown.last)))
        return;
    const QRectF box(left, rect.top() + 2, width, 11);
    painter.fillRect(box, QColor(0x0E, 0x15, 0x18, 190));
    painter.setPen(colour::kStraw);
    painter.drawText(box, Qt::AlignCenter, words);
}

// Where a mend would have the item begin and end.
void TimeBoard::paintGhost(QPainter& painter, const ItemView& item, const QRect& rect) {
    const ItemView* ghost = workspace_.ghost();
    if (!ghost || ghost->key != item.key || !ghost->range)
        return;
    const FrameRange range = *workspace_.boardRange(*ghost);
    const QRectF box(xOfFrame(range.first - 0.5), rect.top() + 1.5,
                     xOfFrame(range.last + 0.5) - xOfFrame(range.first - 0.5), rect.height() - 4);
    QColor fill = colour::kGlass;
    fill.setAlpha(26);
    painter.fillRect(box, fill);
    painter.setPen(QPen(colour::kGlass, 1, Qt::DashLine));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(box);
    paintTags(painter, rect, range);
}

// The end that a drag would trim.
void TimeBoard::paintGrip(QPainter& painter, const QRect& rect, const FrameRange& shown) {
    const Grab grip = grab_ == Grab::None ? hoveredGrip_ : grab_;
    if (grip != Grab::TrimStart && grip != Grab::TrimEnd)
        return;
    const bool start = grip == Grab::TrimStart;
    const double x = xOfFrame(start ? shown.first : shown.last);
    painter.fillRect(QRectF(x - 1.5, rect.top() + 2, 3, rect.height() - 4), colour::kChalk);
    const double way = start ? 1.0 : -1.0; // into the lane
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour::kChalk);
    const double middle = rect.center().y() + 0.5;
    painter.drawPolygon(
        QPolygonF{QPointF(x + way * 4, middle - 4), QPointF(x + way * 10, middle), QPointF(x + way * 4, middle + 4)});
    painter.setRenderHint(QPainter::Antialiasing, false);
}

// Lead-ins, rests and cycles, each between its ends, with a word where there is room.
void TimeBoard::paintStretches(QPainter& painter, const ItemView& item, const QRect& rect, double shift) {
    painter.setFont(textFont(7.5));
    const double top = rect.top() + 2.5;
    for (const TimeStretch& stretch : item.stretches) {
        const FrameRate rate = workspace_.rate(); // spans are seconds
        const double left = xOfFrame(rate.frameAt(stretch.span.first) + shift - 0.5);
        const double right = xOfFrame(rate.frameAt(stretch.span.last) + shift + 0.5);
        if (right < rect.left() || left > rect.right())
            continue;
        const bool cycle = stretch.kind == TimeStretch::Kind::Cycle;
        if (!cycle) // what was put in front of the shot or behind it
            painter.fillRect(QRectF(left, rect.top() + 1, right - left, rect.height() - 2), QColor(183, 155, 234, 26));
        painter.setPen(QPen(QColor(0x7C, 0x92, 0x94), 1));
        painter.drawLine(QPointF(left, top), QPointF(left, top + 7));
        if (right - left > 3.0)
            painter.drawLine(QPointF(right - 1, top), QPointF(right - 1, top + 7));
        const int frames =
            static_cast<int>(std::lround((stretch.span.last - stretch.span.first) / rate.secondsAt(1.0))) + 1;
        const QString words = cycle                                       ? tr("cycle %1").arg(stretch.number)
                              : stretch.kind == TimeStretch::Kind::LeadIn ? tr("lead-in %1").arg(frames)
                                                                          : tr("rest %1").arg(frames);
        const double width = painter.fontMetrics().horizontalAdvance(words);
        if (right - left < width + 10)
            continue;
        const QRectF box(std::max(left, static_cast<double>(rect.left())) + 2, rect.top() + 2, width + 6, 11);
        painter.fillRect(box, QColor(0x0E, 0x15, 0x18, 190));
        painter.setPen(colour::kChalk2);
        painter.drawText(box, Qt::AlignCenter, words);
    }
}

void TimeBoard::paintHeld(QPainter& painter, const ItemView& item, const QRect& rect, double shift) {
    if (!item.profile->moves())
        return;
    const double w = std::max(4.0, xOfFrame(1.0) - xOfFrame(0.0));
    for (std::size_t i = 1; i < item.profile->count(); ++i) {
        const double x = xOfFrame(workspace_.boardFrame(item, item.frameAt(i)) + shift);
        if (item.profile->sameAsPrevious[i] && x + w >= rect.left() && x <= rect.right())
            painter.fillRect(QRectF(x - w / 2, rect.top() + 4, w, rect.height() - 9),
                             QBrush(colour::kStraw, Qt::BDiagPattern));
    }
}

void TimeBoard::paintGap(QPainter& painter, double before, double after, const QRect& rect) {
    const double left = xOfFrame(before) + 2;
    const QRectF gap(left, rect.top() + 3, std::max(3.0, xOfFrame(after) - 2 - left), rect.height() - 7);
    painter.fillRect(gap, QColor(0x08, 0x0C, 0x0E));
    painter.setPen(QPen(colour::kRust, 1, Qt::DotLine));
    painter.drawRect(gap);
}

// While a lane is dragged: where it would begin and end, and how far it went.
void TimeBoard::paintTags(QPainter& painter, const QRect& rect, const FrameRange& shown) {
    painter.setFont(textFont(8, QFont::DemiBold));
    const auto tag = [&](double middle, const QString& text, const QColor& back, const QColor& pen) {
        const double w = painter.fontMetrics().horizontalAdvance(text) + 10;
        const QRectF box(std::clamp(middle - w / 2, static_cast<double>(rect.left()), rect.right() - w), rect.top() + 3,
                         w, 16);
        painter.fillRect(box, back);
        painter.setPen(pen);
        painter.drawText(box, Qt::AlignCenter, text);
    };
    const double room = 24.0;
    tag(xOfFrame(shown.first) - room, workspace_.timeWords(snappedFrame(shown.first)), colour::kInk3, colour::kChalk);
    tag(xOfFrame(shown.last) + room, workspace_.timeWords(snappedFrame(shown.last)), colour::kInk3, colour::kChalk);
    if (grab_ == Grab::MoveLane)
        tag((xOfFrame(shown.first) + xOfFrame(shown.last)) / 2,
            (dragFrames_ > 0 ? QStringLiteral("+") : QString()) + QString::fromStdString(frameText(dragFrames_)),
            colour::kGlass, colour::kInk0);
}

// One without a frame sits before the lane.
double TimeBoard::xOfFinding(const ItemFinding& found, const ItemView& item, double shift) const {
    return found.finding.frame ? xOfFrame(workspace_.boardFrame(item, *found.finding.frame) + shift)
                               : std::max(headWidth_ + 7.0, xOfFrame(workspace_.boardRange(item)->first + shift) - 9.0);
}

void TimeBoard::paintNotches(QPainter& painter, const ItemView& item, const QRect& rect, double shift) {
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    for (const ItemFinding& found : workspace_.findings()) {
        if (found.key != item.key || found.finding.severity == Severity::Note)
            continue;
        if (!found.finding.frame && !item.range)
            continue;
        const double x = xOfFinding(found, item, shift);
        painter.setBrush(markColour(found.finding.severity));
        painter.drawPolygon(
            QPolygonF{QPointF(x - 4.5, rect.top() + 2), QPointF(x + 4.5, rect.top() + 2), QPointF(x, rect.top() + 9)});
    }
}

} // namespace wyc::app
