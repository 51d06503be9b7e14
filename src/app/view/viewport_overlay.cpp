// SPDX-License-Identifier: GPL-3.0-or-later
// What is drawn over the picture: staff, scale bar, brackets, legend, film gate.
#include <algorithm>
#include <cmath>

#include <QPainter>
#include <QPainterPath>

#include "base/text.h"
#include "theme/theme.h"
#include "view/viewport.h"
#include "view/viewport_parts.h"

namespace wyc::app {
namespace {

constexpr double kStaffMetres = 1.8;

// Words over the picture: on a backing, as what lies below may be as pale as they are.
void drawWords(QPainter& painter, const QPointF& baseline, const QString& words) {
    const QFontMetricsF metrics(painter.font());
    const QRectF box(baseline.x() - 3, baseline.y() - metrics.ascent() - 1, metrics.horizontalAdvance(words) + 6,
                     metrics.height() + 1);
    const QPen pen = painter.pen();
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(0x0E, 0x15, 0x18, 176));
    painter.drawRoundedRect(box, 2, 2);
    painter.setPen(pen);
    painter.drawText(baseline, words);
}

} // namespace

double roundLength(double size) {
    const double power = std::pow(10.0, std::floor(std::log10(size)));
    for (const double step : {5.0, 2.0, 1.0})
        if (step * power <= size)
            return step * power;
    return power;
}

void Viewport::drawOverlay(const QMatrix4x4& matrix) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    if (workspace_.items().empty()) {
        painter.setPen(colour::kChalk2);
        painter.setFont(textFont(10));
        painter.drawText(rect(), Qt::AlignCenter,
                         workspace_.sources().empty() ? tr("Nothing to show yet") : tr("Opening …"));
        return;
    }
    if (camera_ && drawn_ && drawn_->camera) {
        drawGate(painter);
    } else {
        drawStaff(painter, matrix);
        drawScaleBar(painter);
        drawBrackets(painter, matrix);
    }
    if (drawn_ && drawn_->driftMax > 0.0F)
        drawLegend(painter, tr("drift of each point"),
                   QString::fromStdString(lengthText(static_cast<double>(drawn_->driftMax))));
    else if (style_ == ViewStyle::SpeedHeat && drawn_ && drawn_->speedMax > 0.0F)
        drawLegend(painter, tr("speed of each point"),
                   tr("%1 m/s").arg(static_cast<double>(drawn_->speedMax), 0, 'g', 3));
    if (drawn_ && !drawn_->error.isEmpty()) {
        painter.setFont(textFont(9.5));
        const QRectF box(16, 16, width() - 32, 44);
        painter.fillRect(box, QColor(0x3A, 0x1E, 0x1A, 235));
        painter.setPen(colour::kChalk);
        painter.drawText(box.adjusted(10, 4, -10, -4), Qt::AlignVCenter | Qt::TextWordWrap,
                         QStringLiteral("✕ ") + drawn_->error);
    }
    if (comparison_ && comparison_->over && !heldFrame_) {
        painter.setFont(textFont(9));
        painter.setPen(colour::kHeather);
        drawWords(painter, QPointF(16, 20), tr("A over B"));
    }
    if (heldFrame_) {
        painter.setFont(textFont(9));
        painter.setPen(colour::kHeather);
        drawWords(painter, QPointF(16, 20), tr("held pose of %1").arg(QString::fromStdString(frameText(*heldFrame_))));
    }
}

void Viewport::drawStaff(QPainter& painter, const QMatrix4x4& matrix) {
    const DrawItem* item = activeDrawn();
    if (!item || item->bounds.isEmpty())
        return;
    // Beside the item on the right of the view, standing on the ground.
    const QVector3D right(static_cast<float>(std::cos(yaw_)), 0.0F, static_cast<float>(-std::sin(yaw_)));
    const Vec3d c = item->bounds.centre();
    const double reach = 0.5 * std::hypot(item->bounds.size().x, item->bounds.size().z) +
                         0.35 * std::max(kStaffMetres * 0.2, item->bounds.diagonal() * 0.15);
    const QVector3D foot =
        QVector3D(static_cast<float>(c.x), 0.0F, static_cast<float>(c.z)) + right * static_cast<float>(reach);
    constexpr int kBands = 6;
    std::optional<QPointF> top;
    for (int i = 0; i < kBands; ++i) {
        const auto a = project(matrix, foot + QVector3D(0, static_cast<float>(kStaffMetres * i / kBands), 0));
        const auto b = project(matrix, foot + QVector3D(0, static_cast<float>(kStaffMetres * (i + 1) / kBands), 0));
        if (!a || !b)
            return;
        painter.setPen(QPen(i % 2 ? colour::kChalk : QColor(0x5C, 0x74, 0x76), 4, Qt::SolidLine, Qt::FlatCap));
        painter.drawLine(*a, *b);
        top = b;
    }
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk);
    const auto low = project(matrix, foot);
    // Against something very large the staff is a speck: a ring says where it is.
    if (low && std::abs(top->y() - low->y()) < 12.0) {
        painter.setPen(QPen(colour::kChalk, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(*low, 9, 9);
        drawWords(painter, *low + QPointF(13, 4), tr("staff, 1.8 m"));
        return;
    }
    drawWords(painter, *top + QPointF(7, 5), tr("1.8 m"));
}

void Viewport::drawScaleBar(QPainter& painter) {
    const double perPixel = metresPerPixel();
    const double size = roundLength(120.0 * perPixel);
    const double pixels = size / perPixel;
    const QPointF right(width() - 22, height() - 22);
    const QPointF left = right - QPointF(pixels, 0);
    painter.setPen(QPen(colour::kChalk2, 1.2));
    painter.drawLine(left, right);
    for (const QPointF& end : {left, right})
        painter.drawLine(end - QPointF(0, 4), end + QPointF(0, 4));
    painter.setFont(textFont(8.5));
    const QString words =
        QString::fromStdString(size >= 1.0 && size < 1000.0 ? frameText(size) + " m" : lengthText(size));
    drawWords(painter,
              QPointF((left.x() + right.x() - painter.fontMetrics().horizontalAdvance(words)) / 2, left.y() - 8),
              words);
}

void Viewport::drawBrackets(QPainter& painter, const QMatrix4x4& matrix) {
    const DrawItem* item = activeDrawn();
    const ItemView* view = workspace_.activeItem();
    if (!item || !view || item->bounds.isEmpty())
        return;
    QRectF box;
    for (int corner = 0; corner < 8; ++corner) {
        const Vec3d& l = item->bounds.low;
        const Vec3d& h = item->bounds.high;
        const auto p =
            project(matrix, toQt({(corner & 1) ? h.x : l.x, (corner & 2) ? h.y : l.y, (corner & 4) ? h.z : l.z}));
        if (!p)
            return;
        box = corner == 0 ? QRectF(*p, QSizeF(0.1, 0.1)) : box.united(QRectF(*p, QSizeF(0.1, 0.1)));
    }
    box = box.adjusted(-8, -8, 8, 8) & QRectF(10, 26, width() - 20, height() - 36);
    if (box.width() < 8 || box.height() < 8)
        return;
    const double arm = std::min({16.0, box.width() / 3, box.height() / 3});
    painter.setPen(QPen(colour::kGlass, 1.6));
    for (const bool left : {true, false})
        for (const bool top : {true, false}) {
            const QPointF corner(left ? box.left() : box.right(), top ? box.top() : box.bottom());
            painter.drawLine(corner, corner + QPointF(left ? arm : -arm, 0));
            painter.drawLine(corner, corner + QPointF(0, top ? arm : -arm));
        }
    painter.setFont(textFont(9.5, QFont::DemiBold));
    painter.setPen(colour::kGlass);
    const QString name = painter.fontMetrics().elidedText(QString::fromStdString(view->name), Qt::ElideMiddle,
                                                          std::max(60, width() / 2));
    drawWords(painter, QPointF(box.left() + 2, box.top() - 6), name);
    // Its size in real units: what a ×100 mistake shows first.
    const Vec3d size = item->bounds.size();
    const QString words =
        QStringLiteral("%1 × %2 × %3")
            .arg(QString::fromStdString(lengthText(size.x)), QString::fromStdString(lengthText(size.y)),
                 QString::fromStdString(lengthText(size.z)));
    const double nameWidth = painter.fontMetrics().horizontalAdvance(name) + 12;
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    drawWords(painter, QPointF(box.left() + nameWidth, box.top() - 6), words);
}

void Viewport::drawLegend(QPainter& painter, const QString& what, const QString& most) {
    const QRectF bar(18, height() - 52, 150, 9);
    for (int i = 0; i < 150; ++i)
        painter.fillRect(QRectF(bar.left() + i, bar.top(), 1.5, bar.height()), heatColour(i / 149.0));
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    drawWords(painter, QPointF(bar.left(), bar.bottom() + 14), QStringLiteral("0"));
    drawWords(painter, QPointF(bar.right() - painter.fontMetrics().horizontalAdvance(most), bar.bottom() + 14), most);
    drawWords(painter, QPointF(bar.left(), bar.top() - 6), what);
}

void Viewport::drawGate(QPainter& painter) {
    const QRectF gate = gateRect();
    if (gate.isEmpty())
        return;
    QPainterPath outside;
    outside.addRect(QRectF(rect()));
    outside.addRect(gate);
    painter.fillPath(outside, QColor(8, 12, 14, 170)); // odd-even: the gate stays clear
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(colour::kChalk, 1.2));
    painter.drawRect(gate);
    // Borders within which action (93 %) and titles (90 %) are sure to be seen.
    for (const double share : {0.93, 0.90}) {
        const double dx = gate.width() * (1.0 - share) / 2.0;
        const double dy = gate.height() * (1.0 - share) / 2.0;
        painter.setPen(
            QPen(QColor(0x93, 0xA8, 0xA6, share > 0.91 ? 170 : 110), 1, share > 0.91 ? Qt::SolidLine : Qt::DotLine));
        painter.drawRect(gate.adjusted(dx, dy, -dx, -dy));
    }
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    painter.drawText(QPointF(gate.left(), gate.bottom() + 16), tr("film gate; inner borders 93 % and 90 %"));
    const CameraFigures& f = drawn_->camera->view.figures;
    const QString name = QString::fromStdString(drawn_->camera->name);
    painter.setFont(textFont(9.5, QFont::DemiBold));
    painter.setPen(colour::kChalk);
    painter.drawText(QPointF(gate.left(), gate.top() - 9), name);
    const double nameWidth = painter.fontMetrics().horizontalAdvance(name) + 14;
    painter.setFont(textFont(9));
    painter.setPen(colour::kChalk2);
    painter.drawText(QPointF(gate.left() + nameWidth, gate.top() - 9), QStringLiteral("%1 mm · %2 × %3 mm")
                                                                           .arg(f.focalLength, 0, 'f', 1)
                                                                           .arg(f.horizontalAperture * 10.0, 0, 'f', 1)
                                                                           .arg(f.verticalAperture * 10.0, 0, 'f', 1));
}

} // namespace wyc::app
