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

QString sizeWords(const Bounds& bounds) {
    const Vec3d size = bounds.size();
    return QStringLiteral("%1 × %2 × %3")
        .arg(QString::fromStdString(lengthText(size.x)), QString::fromStdString(lengthText(size.y)),
             QString::fromStdString(lengthText(size.z)));
}

} // namespace

void drawWords(QPainter& painter, const QPointF& at, const QString& words) {
    const QFontMetricsF metrics(painter.font());
    // Not out of the picture on its right.
    const QPointF baseline(
        std::max(4.0, std::min(at.x(), painter.window().width() - 6 - metrics.horizontalAdvance(words))), at.y());
    const QRectF box(baseline.x() - 3, baseline.y() - metrics.ascent() - 1, metrics.horizontalAdvance(words) + 6,
                     metrics.height() + 1);
    const QPen pen = painter.pen();
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(0x0E, 0x15, 0x18, 176));
    painter.drawRoundedRect(box, 2, 2);
    painter.setPen(pen);
    painter.drawText(baseline, words);
}

double roundLength(double size) {
    const double power = std::pow(10.0, std::floor(std::log10(size)));
    for (const double step : {5.0, 2.0, 1.0})
        if (step * power <= size)
            return step * power;
    return power;
}

void Viewport::drawOverlay(QPainter& painter, const std::vector<Pane>& panes) {
    const QMatrix4x4& matrix = panes.back().matrix; // of B, where there are two
    if (shown_ && !shown_->error.isEmpty()) {
        painter.setPen(colour::kStraw);
        painter.setFont(textFont(10));
        painter.drawText(rect(), Qt::AlignCenter, shown_->error);
    }
    if (workspace_.items().empty()) {
        painter.setPen(colour::kChalk2);
        painter.setFont(textFont(10));
        painter.drawText(rect(), Qt::AlignCenter,
                         workspace_.sources().empty() ? tr("Nothing to show yet") : tr("Opening …"));
        return;
    }
    if (camera_ && drawn_ && drawn_->camera) {
        for (const Pane& pane : panes) // parted by a line there is one gate
            if (const bool twice = panes.size() > 1 && arrangement() == Arrangement::Beside;
                twice || &pane == &panes[0])
                drawGate(painter, gateRect().translated(twice ? pane.box.left() : 0.0, 0.0),
                         twice ? pane.box : QRectF(rect()));
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
    if (comparedDrawn())
        drawComparison(painter, panes);
    drawAsked(painter, panes);
    // Low on the left, clear of names and brackets.
    std::vector<std::pair<QString, QColor>> lines;
    if (heldFrame_)
        lines.emplace_back(tr("held pose of %1").arg(workspace_.timeWords(*heldFrame_)), colour::kHeather);
    if (skinStep_ > 0.0)
        lines.emplace_back(
            tr("poses of ±%1 and ±%2 frames: before heather, after green")
                .arg(QString::fromStdString(frameText(skinStep_)), QString::fromStdString(frameText(2.0 * skinStep_))),
            colour::kHeather);
    for (const QString& words : stateWords())
        lines.emplace_back(words, colour::kStraw);
    const bool legend =
        drawn_ && (drawn_->driftMax > 0.0F || (style_ == ViewStyle::SpeedHeat && drawn_->speedMax > 0.0F));
    double y = height() - (legend ? 78.0 : 18.0) - 18.0 * (static_cast<double>(lines.size()) - 1.0);
    painter.setFont(textFont(9));
    for (const auto& [words, pen] : lines) {
        painter.setPen(pen);
        drawWords(painter, QPointF(16, y), words);
        y += 18;
    }
}

// What the picture alone does not say of the active item: a pose that is held, or why there is none.
QStringList Viewport::stateWords() const {
    QStringList words;
    const ItemView* item = workspace_.activeItem();
    if (!item || !drawn_)
        return words;
    if (asItCame_ && preview_.empty())
        words << tr("as it came, without its steps");
    else if (!preview_.empty())
        words << previewWords_ + (asItCame_ ? tr(" · as it is now") : QString());
    if (const ItemView* ghost = workspace_.ghost(); ghost && ghost->key == item->key)
        words << tr("translucent: as the mend would have it");
    // In the item's own frames, as its source has them.
    const auto frame = [&](double f) {
        const QString text = QString::fromStdString(frameText(f));
        return workspace_.atBoardRate(*item)
                   ? text
                   : tr("%1 at %2 fps").arg(text, QString::fromStdString(item->scene->view.rate.shortText()));
    };
    const double at = workspace_.ownFrame(*item, drawn_->frame);
    if (item->range && at < item->range->first - kFrameTolerance)
        words << tr("held: first sample %1").arg(frame(item->range->first));
    else if (item->range && at > item->range->last + kFrameTolerance)
        words << tr("held: last sample %1").arg(frame(item->range->last));
    if (!waiting_ && !activeDrawn() && drawn_->error.isEmpty() && item->scene)
        words << (item->hidden ? tr("%1 is never shown: its source hides it").arg(QString::fromStdString(item->name))
                               : tr("%1 is hidden at this frame").arg(QString::fromStdString(item->name)));
    else if (item->leftOut)
        words << tr("left out: not checked, not delivered");
    return words;
}

void Viewport::drawComparison(QPainter& painter, const std::vector<Pane>& panes) {
    const DrawComparison& compared = *comparedDrawn();
    const QMatrix4x4& ofA = panes.front().matrix;
    const QMatrix4x4& ofB = panes.back().matrix;
    // From where a number is in A to where it is in B.
    if (compared.showsA()) {
        painter.setPen(QPen(QColor(0xE4, 0xC7, 0x65, 96), 1));
        for (const auto& [from, to] : compared.elsewhere)
            if (const auto p = project(ofA, toQt(Vec3d(from))), q = project(ofB, toQt(Vec3d(to))); p && q)
                painter.drawLine(*p, *q);
    }
    painter.setPen(QPen(colour::kRust, 1.6));
    const auto mark = [&](const QMatrix4x4& matrix, const QRectF& box, const std::vector<Vec3f>& points) {
        for (const Vec3f& point : points)
            if (const auto at = project(matrix, toQt(Vec3d(point))); at && box.contains(*at)) {
                painter.drawLine(*at + QPointF(-3, -3), *at + QPointF(3, 3));
                painter.drawLine(*at + QPointF(-3, 3), *at + QPointF(3, -3));
            }
    };
    if (compared.showsA())
        mark(ofA, panes.front().box, compared.unmatchedA);
    mark(ofB, panes.back().box, compared.unmatchedB);
    if (panes.size() > 1) {
        const double x = panes.back().box.left();
        painter.setPen(QPen(QColor(0x4A, 0x5E, 0x62), 1));
        painter.drawLine(QPointF(x, 0), QPointF(x, height()));
        if (partAt()) { // to be dragged
            painter.setBrush(colour::kInk2);
            painter.setPen(QPen(colour::kChalk2, 1.2));
            painter.drawRoundedRect(QRectF(x - 4, height() / 2.0 - 14, 8, 28), 4, 4);
        }
    }
    if (compared.worst)
        if (const auto at = project(ofB, toQt(Vec3d(*compared.worst))); at && panes.back().box.contains(*at)) {
            painter.setBrush(Qt::NoBrush);
            painter.setPen(QPen(colour::kStraw, 1.6));
            painter.drawEllipse(*at, 8, 8);
            painter.setFont(textFont(8.5));
            drawWords(painter, *at + QPointF(12, 4), tr("largest drift"));
        }
    const auto speck = project(ofA, toQt(compared.boundsA.centre()));
    if (compared.showsA() && speck && panes.front().box.contains(*speck) &&
        compared.boundsA.diagonal() < 12.0 * metresPerPixel()) { // against B it is too small to be seen
        painter.setPen(QPen(colour::kGlass, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(*speck, 9, 9);
        painter.setFont(textFont(8.5));
        drawWords(painter, *speck + QPointF(13, 4), tr("A is here"));
    }
    nameBodies(painter, panes);
}

QStringList Viewport::comparisonWords() const {
    QStringList told;
    const DrawComparison* drawn = comparedDrawn();
    if (!drawn)
        return told;
    const DrawComparison& compared = *drawn;
    const auto count = [](std::size_t n) { return QString::fromStdString(groupedDigits(n)); };
    // Where no point of one is known in the other, nothing is claimed of them.
    if (compared.points == 0) {
        if (compared.arrangement == Arrangement::Differs || (comparison_ && comparison_->order))
            told << tr("its points cannot be told one by one");
        return told;
    }
    const QString tolerance = QString::fromStdString(lengthText(comparison_ ? comparison_->toleranceMetres : 0.0));
    if (compared.arrangement == Arrangement::Differs)
        told << (compared.apart == 0 ? tr("no point is more than %1 off here").arg(tolerance)
                                     : tr("%1 of %2 points more than %3 off")
                                           .arg(count(compared.apart), count(compared.points), tolerance));
    if (comparison_ && comparison_->order) {
        QString words = compared.elsewhereCount == 0
                            ? tr("every number is at its own point")
                            : tr("%1 numbers are at other points").arg(count(compared.elsewhereCount));
        if (compared.showsA() && compared.elsewhere.size() < compared.elsewhereCount)
            words += tr(", %1 drawn").arg(count(compared.elsewhere.size()));
        told << words;
    }
    if (!compared.unmatchedB.empty())
        told << tr("✕ points of B that A has not");
    if (compared.showsA() && !compared.unmatchedA.empty())
        told << tr("✕ points of A that B has not");
    return told;
}

// Which body is which, and what is to be said of the two.
void Viewport::nameBodies(QPainter& painter, const std::vector<Pane>& panes) {
    const DrawComparison& compared = *comparedDrawn();
    const auto name = [&](const QPointF& at, double end, const QColor& c, const QString& letter,
                          const std::string& what, const QString& more) {
        painter.setFont(textFont(9, QFont::DemiBold));
        painter.setPen(c);
        const QString words = painter.fontMetrics().elidedText(letter + QLatin1Char(' ') + QString::fromStdString(what),
                                                               Qt::ElideMiddle, static_cast<int>(paneWidth() / 3));
        drawWords(painter, at, words);
        const double wide = painter.fontMetrics().horizontalAdvance(words) + 9;
        painter.setFont(textFont(8.5));
        painter.setPen(colour::kChalk2);
        drawWords(painter, at + QPointF(wide, 0),
                  painter.fontMetrics().elidedText(more, Qt::ElideRight, static_cast<int>(end - at.x() - wide - 8)));
    };
    double y = 20;
    double left = 16;
    if (compared.showsA()) {
        name(QPointF(left, y), std::max(240.0, panes.front().box.right()), colour::kGlass, QStringLiteral("A"),
             compared.nameA, sizeWords(compared.boundsA));
        // Beside A's where there is room for it.
        if (panes.size() > 1 && panes.back().box.left() > 260)
            left = panes.back().box.left() + 12;
        else
            y += 17;
    }
    const bool undone = comparison_ && comparison_->undone;
    const ItemView* view = workspace_.activeItem();
    const bool stepped =
        view && std::any_of(view->steps.begin(), view->steps.end(), [](const Step& s) { return s.on; });
    const QString state = compared.ownFrameOfB
                              ? tr("undone, its frame %1").arg(QString::fromStdString(frameText(*compared.ownFrameOfB)))
                          : undone  ? tr("undone")
                          : stepped ? tr("after its steps")
                                    : tr("as it came");
    const DrawItem* body = activeDrawn();
    name(QPointF(left, y), width(), colour::kHeather, QStringLiteral("B"), view ? view->name : std::string(),
         state + (body ? QStringLiteral(" · ") + sizeWords(body->bounds) : QString()));
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk);
    for (const QString& words : comparisonWords())
        drawWords(painter, QPointF(16, y += 17), words);
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
        drawWords(painter, *low + QPointF(-30, 25), tr("staff, 1.8 m"));
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
    if (comparedDrawn())
        return; // a comparison names its bodies
    painter.setFont(textFont(9.5, QFont::DemiBold));
    painter.setPen(colour::kGlass);
    const QString name = painter.fontMetrics().elidedText(QString::fromStdString(view->name), Qt::ElideMiddle,
                                                          std::max(60, width() / 2));
    // Its size in real units: what a ×100 mistake shows first.
    const QString size = sizeWords(item->bounds);
    const double nameWidth = painter.fontMetrics().horizontalAdvance(name) + 10;
    const double both = nameWidth + QFontMetricsF(textFont(8.5)).horizontalAdvance(size);
    const QPointF at(std::max(4.0, std::min(box.left() + 2, width() - 8.0 - both)), box.top() - 6);
    drawWords(painter, at, name);
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    drawWords(painter, at + QPointF(nameWidth, 0), size);
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

void Viewport::drawGate(QPainter& painter, const QRectF& gate, const QRectF& pane) {
    if (gate.isEmpty())
        return;
    QPainterPath outside;
    outside.addRect(pane);
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
