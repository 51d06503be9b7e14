// SPDX-License-Identifier: GPL-3.0-or-later
#include "plots/curve_plot.h"

#include <algorithm>
#include <cmath>

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "base/text.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

constexpr double kReach = 9.0; // pixels around a key that take hold of it

double snapped(double value, double step) {
    // Hundredths are to be the numbers that a person would write.
    const double per = std::round(1.0 / step);
    return step < 1.0 ? std::round(value * per) / per : std::round(value / step) * step;
}

QString plain(double value) {
    return QString::fromStdString(shortestNumber(value));
}

} // namespace

CurvePlot::Setting CurvePlot::weights() {
    Setting setting;
    setting.rising = true;
    setting.name = tr("Weight of the fade");
    setting.line = [](const Keys& drawn) {
        Keys line{{0.0, 0.0}};
        line.insert(line.end(), drawn.begin(), drawn.end());
        line.emplace_back(1.0, 1.0);
        return line;
    };
    setting.words = [](const std::pair<double, double>& key) {
        return tr("%1 % of the way: %2 %").arg(key.first * 100.0, 0, 'f', 0).arg(key.second * 100.0, 0, 'f', 0);
    };
    return setting;
}

CurvePlot::CurvePlot(QWidget* parent) : QWidget(parent) {
    setObjectName(QStringLiteral("curvePlot"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(110, 54);
    setToolTip(tr("Drag a key; press beside the keys for a new one; the right button takes one away. By keys: Page Up "
                  "and Page Down choose one, arrows move it, Insert adds, Delete takes away."));
}

void CurvePlot::show(Keys keys, Setting setting) {
    keys_ = std::move(keys);
    setting_ = std::move(setting);
    setAccessibleName(setting_.name);
    before_.reset();
    hovered_.reset();
    if (active_ && *active_ >= keys_.size())
        active_.reset();
    redraw();
}

void CurvePlot::redraw() {
    line_ = setting_.line ? setting_.line(keys_) : keys_;
    update();
}

QRectF CurvePlot::area() const {
    // Room for numbers, where there is room.
    return height() > 100 ? QRectF(rect()).adjusted(38, 8, -8, -18) : QRectF(rect()).adjusted(6, 6, -6, -6);
}

QPointF CurvePlot::placeOf(double across, double up) const {
    const QRectF box = area();
    const auto part = [](const Scale& scale, double value) {
        return scale.high > scale.low ? (value - scale.low) / (scale.high - scale.low) : 0.5;
    };
    return {box.left() + part(setting_.across, across) * box.width(),
            box.bottom() - part(setting_.up, up) * box.height()};
}

std::pair<double, double> CurvePlot::valueAt(const QPointF& at) const {
    const QRectF box = area();
    const auto value = [](const Scale& scale, double part) { return scale.low + part * (scale.high - scale.low); };
    return {value(setting_.across, (at.x() - box.left()) / box.width()),
            value(setting_.up, (box.bottom() - at.y()) / box.height())};
}

std::optional<std::size_t> CurvePlot::keyAt(const QPointF& at) const {
    std::optional<std::size_t> found;
    double nearest = kReach;
    for (std::size_t i = 0; i < keys_.size(); ++i) {
        const QPointF off = placeOf(keys_[i].first, keys_[i].second) - at;
        if (const double gap = std::hypot(off.x(), off.y()); gap < nearest) {
            nearest = gap;
            found = i;
        }
    }
    return found;
}

std::pair<double, double> CurvePlot::allowed(std::size_t i, std::pair<double, double> wanted) const {
    auto [across, up] = wanted;
    const Scale& x = setting_.across;
    const Scale& y = setting_.up;
    across = snapped(across, x.step);
    up = std::clamp(snapped(up, y.step), y.low, y.high);
    const double low = i > 0 ? keys_[i - 1].first + x.step : setting_.rising ? x.low + x.step : -1e9;
    const double high = i + 1 < keys_.size() ? keys_[i + 1].first - x.step : setting_.rising ? x.high - x.step : 1e9;
    across = low <= high ? std::clamp(across, low, high) : keys_[i].first;
    if (setting_.rising)
        up = std::clamp(up, i > 0 ? keys_[i - 1].second : y.low, i + 1 < keys_.size() ? keys_[i + 1].second : y.high);
    return {across, up};
}

// A new key, where there is room for one between its neighbours.
void CurvePlot::add(std::pair<double, double> value) {
    const double across = snapped(value.first, setting_.across.step);
    const auto after =
        std::find_if(keys_.begin(), keys_.end(), [&](const auto& key) { return key.first > across - 1e-9; });
    if (after != keys_.end() && std::abs(after->first - across) < setting_.across.step / 2.0)
        return;
    const auto place = static_cast<std::size_t>(after - keys_.begin());
    keys_.insert(after, {across, value.second});
    keys_[place] = allowed(place, keys_[place]);
    active_ = place;
}

void CurvePlot::remove(std::size_t i) {
    if (keys_.size() <= setting_.least)
        return;
    keys_.erase(keys_.begin() + static_cast<std::ptrdiff_t>(i));
    active_.reset();
    hovered_.reset();
    redraw();
    emit keysChanged(keys_);
}

void CurvePlot::giveBack() {
    if (!before_)
        return;
    keys_ = *before_;
    before_.reset();
    active_.reset();
    redraw();
}

void CurvePlot::mousePressEvent(QMouseEvent* event) {
    const auto key = keyAt(event->position());
    if (event->button() == Qt::RightButton && key) {
        remove(*key);
        return;
    }
    if (event->button() != Qt::LeftButton)
        return;
    before_ = keys_;
    if (key)
        active_ = key;
    else
        add(valueAt(event->position()));
    hovered_ = active_;
    redraw();
}

void CurvePlot::mouseMoveEvent(QMouseEvent* event) {
    if (before_ && active_) {
        keys_[*active_] = allowed(*active_, valueAt(event->position()));
        redraw();
        return;
    }
    const auto at = keyAt(event->position());
    setCursor(at ? Qt::SizeAllCursor : Qt::CrossCursor);
    if (at != hovered_) {
        hovered_ = at;
        update();
    }
}

void CurvePlot::mouseReleaseEvent(QMouseEvent*) {
    if (!before_)
        return;
    const bool changed = *before_ != keys_;
    before_.reset();
    if (changed)
        emit keysChanged(keys_);
}

void CurvePlot::leaveEvent(QEvent*) {
    hovered_.reset();
    update();
}

// What it does with keys of the keyboard is not the window's.
bool CurvePlot::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        switch (static_cast<QKeyEvent*>(event)->key()) {
        case Qt::Key_Left:
        case Qt::Key_Right:
        case Qt::Key_Up:
        case Qt::Key_Down:
        case Qt::Key_PageUp:
        case Qt::Key_PageDown:
        case Qt::Key_Insert:
        case Qt::Key_Delete: event->accept(); return true;
        case Qt::Key_Escape:
            if (before_) {
                event->accept();
                return true;
            }
            break;
        default: break;
        }
    }
    return QWidget::event(event);
}

void CurvePlot::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && before_) {
        giveBack();
        return;
    }
    const double by = event->modifiers() & Qt::ShiftModifier ? 10.0 : 1.0;
    const auto moveBy = [&](double across, double up) {
        if (!active_)
            return;
        const auto [x, y] = keys_[*active_];
        const auto moved = allowed(*active_, {x + across * by * setting_.across.step, y + up * by * setting_.up.step});
        if (moved == keys_[*active_])
            return;
        keys_[*active_] = moved;
        redraw();
        emit keysChanged(keys_);
    };
    const std::size_t count = keys_.size();
    switch (event->key()) {
    case Qt::Key_Left: moveBy(-1.0, 0.0); return;
    case Qt::Key_Right: moveBy(1.0, 0.0); return;
    case Qt::Key_Up: moveBy(0.0, 1.0); return;
    case Qt::Key_Down: moveBy(0.0, -1.0); return;
    case Qt::Key_PageUp:
    case Qt::Key_PageDown:
        if (count > 0) {
            const std::size_t next = event->key() == Qt::Key_PageDown ? 1 : count - 1;
            active_ = active_ ? (*active_ + next) % count : 0;
            update();
        }
        return;
    case Qt::Key_Insert: {
        // Half way to the next key, on the line.
        const double from = active_ ? keys_[*active_].first : setting_.across.low;
        const double to = active_ && *active_ + 1 < count ? keys_[*active_ + 1].first
                          : active_ || keys_.empty()      ? setting_.across.high
                                                          : keys_.front().first;
        const double across = (from + to) / 2.0;
        double up = (setting_.up.low + setting_.up.high) / 2.0;
        for (std::size_t i = 0; i + 1 < line_.size(); ++i)
            if (line_[i].first <= across && across <= line_[i + 1].first && line_[i + 1].first > line_[i].first)
                up = line_[i].second + (line_[i + 1].second - line_[i].second) * (across - line_[i].first) /
                                           (line_[i + 1].first - line_[i].first);
        add({across, up});
        redraw();
        if (keys_.size() > count)
            emit keysChanged(keys_);
        return;
    }
    case Qt::Key_Delete:
        if (active_)
            remove(*active_);
        return;
    default: QWidget::keyPressEvent(event);
    }
}

void CurvePlot::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colour::kInk1.darker(106));
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF box = area();
    painter.setPen(QPen(colour::kInk3, 1));
    for (int i = 0; i <= 4; ++i) {
        const double x = box.left() + box.width() * i / 4.0;
        const double y = box.top() + box.height() * i / 4.0;
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()));
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y));
    }
    painter.setFont(textFont(7.5));
    painter.setPen(colour::kChalk2);
    if (height() > 100) {
        const auto number = [&](const QRectF& place, int align, double value) {
            painter.drawText(place, align, plain(value));
        };
        const QRectF left(2, box.top() - 6, box.left() - 6, box.height() + 12);
        const QRectF below(box.left(), box.bottom() + 3, box.width(), 14);
        number(left, Qt::AlignRight | Qt::AlignTop, setting_.up.high);
        number(left, Qt::AlignRight | Qt::AlignBottom, setting_.up.low);
        number(below, Qt::AlignLeft | Qt::AlignTop, setting_.across.low);
        number(below, Qt::AlignRight | Qt::AlignTop, setting_.across.high);
        painter.drawText(below, Qt::AlignHCenter | Qt::AlignTop, setting_.name);
    }
    painter.setClipRect(rect());
    if (line_.size() > 1) {
        QPainterPath path(placeOf(line_.front().first, line_.front().second));
        for (std::size_t i = 1; i < line_.size(); ++i)
            path.lineTo(placeOf(line_[i].first, line_[i].second));
        painter.setPen(QPen(colour::kGlass, 1.6));
        painter.drawPath(path);
    }
    for (std::size_t i = 0; i < keys_.size(); ++i) {
        const QPointF at = placeOf(keys_[i].first, keys_[i].second);
        const bool chosen = active_ == i || hovered_ == i;
        painter.setPen(QPen(colour::kInk0, 1.5));
        painter.setBrush(chosen ? colour::kChalk : colour::kGlass);
        painter.drawEllipse(at, chosen ? 5.0 : 4.0, chosen ? 5.0 : 4.0);
    }
    const auto told = before_ ? active_ : hovered_ ? hovered_ : hasFocus() ? active_ : std::nullopt;
    if (told && *told < keys_.size() && setting_.words) {
        const QString words = setting_.words(keys_[*told]);
        painter.setFont(textFont(8.5));
        QRectF label(0, 0, painter.fontMetrics().horizontalAdvance(words) + 10, 17);
        const QPointF at = placeOf(keys_[*told].first, keys_[*told].second);
        label.moveCenter(QPointF(at.x(), at.y() - 16));
        if (label.top() < 1)
            label.moveTop(at.y() + 8);
        label.moveLeft(std::clamp(label.left(), 1.0, std::max(1.0, width() - label.width() - 1.0)));
        painter.fillRect(label, QColor(0x0E, 0x15, 0x18, 225));
        painter.setPen(colour::kChalk);
        painter.drawText(label, Qt::AlignCenter, words);
    }
    if (hasFocus()) {
        painter.setPen(QPen(colour::kGlass, 1.5));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(rect()).adjusted(1, 1, -1, -1));
    }
}

} // namespace wyc::app
