// SPDX-License-Identifier: GPL-3.0-or-later
#include "plots/seam_view.h"

#include <algorithm>
#include <cmath>

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "base/text.h"
#include "theme/theme.h"
#include "theme/words.h"

namespace wyc::app {
SeamView::SeamView(QWidget* parent) : QWidget(parent) {
    setObjectName(QStringLiteral("seamView"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(150, 150);
    setToolTip(
        tr("How far apart any two frames are: dark is alike. Across: where a cycle starts; up: where it would begin "
           "again. Hover shows both poses, a click picks them; arrows and Return do the same."));
}

QImage SeamView::pictureOf(const SeamMap& map) {
    constexpr int kMost = 400;
    const auto n = static_cast<int>(map.count());
    const int side = std::min(n, kMost);
    QImage image(side, side, QImage::Format_RGB32);
    // Half of the way to the farthest is light enough: what matters is near.
    const double most = std::max(1e-12, map.largest() * 0.7);
    const auto frame = [&](int pixel) {
        return static_cast<std::size_t>(std::min(n - 1, static_cast<int>((pixel + 0.5) * n / side)));
    };
    for (int y = 0; y < side; ++y) {
        auto* line = reinterpret_cast<QRgb*>(image.scanLine(y));
        for (int x = 0; x < side; ++x) {
            const double d = map.distance(frame(x), frame(side - 1 - y));
            line[x] = heatColour(std::sqrt(std::min(1.0, d / most))).rgb();
        }
    }
    return image;
}

void SeamView::show(std::shared_ptr<const SeamMap> map, const QImage& picture) {
    map_ = std::move(map);
    image_ = picture;
    update();
}

void SeamView::setBounds(const LoopBounds& bounds) {
    bounds_ = bounds;
    update();
}

void SeamView::setPair(std::optional<std::pair<double, double>> pair) {
    pair_ = pair;
    update();
}

QRectF SeamView::picture() const {
    const double side = std::min(width(), height());
    return QRectF(0, 0, side, side);
}

QPointF SeamView::placeOf(double start, double end) const {
    if (!map_)
        return {};
    const QRectF box = picture();
    const double n = static_cast<double>(map_->count());
    const double first = map_->frames().front();
    return {box.left() + (start - first + 0.5) / n * box.width(),
            box.bottom() - (end - first + 0.5) / n * box.height()};
}

std::optional<std::pair<double, double>> SeamView::pairAt(const QPointF& at) const {
    const QRectF box = picture();
    if (!map_ || !box.contains(at))
        return std::nullopt;
    const double n = static_cast<double>(map_->count());
    const double first = map_->frames().front();
    double start = first + std::floor((at.x() - box.left()) / box.width() * n);
    double end = first + std::floor((box.bottom() - at.y()) / box.height() * n);
    if (start > end)
        std::swap(start, end); // the same pair on the other side
    const double last = map_->frames().back();
    return std::pair{std::clamp(start, first, last), std::clamp(end, first, last)};
}

void SeamView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const QRectF box = picture();
    painter.fillRect(box, colour::kInk1.darker(106));
    painter.setFont(textFont(8.5));
    if (!map_) {
        painter.setPen(colour::kChalk2);
        painter.drawText(box, Qt::AlignCenter, tr("looking …"));
        return;
    }
    painter.setRenderHint(QPainter::SmoothPixmapTransform, image_.width() > box.width());
    painter.drawImage(box, image_);
    painter.setRenderHint(QPainter::Antialiasing);
    const double first = map_->frames().front();
    const double last = map_->frames().back();
    // What lies outside of the bounds is dimmed.
    if (bounds_.start || bounds_.length) {
        QPolygonF inside;
        const double low = bounds_.start ? std::max(first, bounds_.start->first) : first;
        const double high = bounds_.start ? std::min(last, bounds_.start->last) : last;
        const double shortest = bounds_.length ? bounds_.length->first : 0.0;
        const double longest = bounds_.length ? bounds_.length->last : last - first;
        for (const auto& [s, l] : {std::pair{low, shortest}, {high, shortest}, {high, longest}, {low, longest}})
            inside << placeOf(s, std::min(last, s + l));
        painter.setPen(QPen(colour::kChalk, 1, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolygon(inside);
    }
    const auto mark = [&](const std::pair<double, double>& pair, const QColor& c, bool words) {
        const QPointF at = placeOf(pair.first, pair.second);
        painter.setPen(QPen(colour::kInk0, 3));
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(at, 5, 5);
        painter.setPen(QPen(c, 1.6));
        painter.drawEllipse(at, 5, 5);
        if (!words)
            return;
        const auto i = static_cast<std::size_t>(std::lround(pair.first - first));
        const auto j = static_cast<std::size_t>(std::lround(pair.second - first));
        const double d = map_->distance(i, j);
        const QString text =
            QStringLiteral("%1 → %2  %3")
                .arg(frameWords(pair.first), frameWords(pair.second),
                     map_->inSteps() ? tr("%1 steps").arg(d, 0, 'f', 2) : QString::fromStdString(lengthText(d)));
        const double w = painter.fontMetrics().horizontalAdvance(text) + 10;
        QRectF label(at.x() + 9, at.y() - 9, w, 18);
        if (label.right() > box.right())
            label.moveRight(at.x() - 9);
        label.moveLeft(std::max(box.left(), label.left()));
        label.moveTop(std::clamp(label.top(), box.top(), box.bottom() - 18));
        painter.fillRect(label, QColor(0x0E, 0x15, 0x18, 220));
        painter.setPen(c);
        painter.drawText(label, Qt::AlignCenter, text);
    };
    if (pair_)
        mark(*pair_, colour::kChalk, !hovered_);
    if (hovered_)
        mark(*hovered_, colour::kGlass, true);
    if (!pair_ && !hovered_) {
        const QRectF foot(box.left() + 4, box.bottom() - 18, 60, 16);
        painter.fillRect(foot, QColor(0x0E, 0x15, 0x18, 200));
        painter.setPen(colour::kChalk);
        painter.drawText(foot, Qt::AlignCenter, tr("start →"));
    }
    if (hasFocus()) {
        painter.setPen(QPen(colour::kGlass, 2));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(box.adjusted(1, 1, -1, -1));
    }
}

void SeamView::mouseMoveEvent(QMouseEvent* event) {
    hovered_ = pairAt(event->position());
    if (hovered_)
        emit pairHovered(hovered_->first, hovered_->second);
    update();
}

void SeamView::leaveEvent(QEvent*) {
    if (hovered_)
        emit hoverEnded();
    hovered_.reset();
    update();
}

void SeamView::mousePressEvent(QMouseEvent* event) {
    if (const auto pair = pairAt(event->position()); pair && event->button() == Qt::LeftButton)
        emit pairPicked(pair->first, pair->second);
}

// Arrows and Return are the map's while it has the keys, not the window's.
bool SeamView::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Up || key == Qt::Key_Down ||
            key == Qt::Key_Return || key == Qt::Key_Enter) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void SeamView::keyPressEvent(QKeyEvent* event) {
    const auto at = hovered_ ? hovered_ : pair_;
    if (!map_ || (!at && event->key() != Qt::Key_Return)) {
        QWidget::keyPressEvent(event);
        return;
    }
    double start = at ? at->first : 0.0;
    double end = at ? at->second : 0.0;
    const double by = event->modifiers() & Qt::ShiftModifier ? 10.0 : 1.0;
    switch (event->key()) {
    case Qt::Key_Left: start -= by; break;
    case Qt::Key_Right: start += by; break;
    case Qt::Key_Up: end += by; break;
    case Qt::Key_Down: end -= by; break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (hovered_)
            emit pairPicked(hovered_->first, hovered_->second);
        return;
    default: QWidget::keyPressEvent(event); return;
    }
    const double first = map_->frames().front();
    const double last = map_->frames().back();
    start = std::clamp(start, first, last);
    end = std::clamp(end, start, last);
    hovered_ = std::pair{start, end};
    emit pairHovered(start, end);
    update();
}

} // namespace wyc::app
