// SPDX-License-Identifier: GPL-3.0-or-later
#include "plots/drift_plot.h"

#include <algorithm>
#include <cmath>

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "base/text.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

constexpr int kCountsWidth = 92;

} // namespace

DriftPlot::DriftPlot(QWidget* parent) : QWidget(parent) {
    setObjectName(QStringLiteral("driftPlot"));
    setToolTip(tr("Largest distance of points that belong together, frame by frame, by powers of ten: dashed as it "
                  "came, line with the chosen causes undone. A click goes to the frame. On the right, how many points "
                  "are how far off."));
}

void DriftPlot::show(const std::optional<Drift>& came, const std::optional<Drift>& undone, double scale,
                     double tolerance, QString (*words)(double), const std::array<double, 2>& toBoard) {
    lines_.clear();
    words_ = words;
    tolerance_ = tolerance;
    for (const std::optional<Drift>* drift : {&came, &undone}) {
        Line line;
        if (*drift) {
            for (const double frame : (*drift)->frames)
                line.frames.push_back(frame * toBoard[lines_.size()]);
            for (const double y : (*drift)->largestAt)
                line.far.push_back(y * scale);
        }
        lines_.push_back(std::move(line));
    }
    const std::optional<Drift>& counted = undone ? undone : came;
    counts_ = counted ? counted->counts : std::vector<std::size_t>();
    most_ = counted && !counted->edges.empty() ? counted->edges.back() * scale : 0.0;
    low_ = 1e300;
    high_ = -1e300;
    for (const Line& line : lines_)
        for (const double f : line.frames) {
            low_ = std::min(low_, f);
            high_ = std::max(high_, f);
        }
    update();
}

void DriftPlot::clear() {
    lines_.clear();
    update();
}

QRectF DriftPlot::area() const {
    return QRectF(rect()).adjusted(58, 6, -8 - kCountsWidth, -16);
}

void DriftPlot::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colour::kInk1.darker(106));
    if (lines_.empty() || !(high_ >= low_))
        return;
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF box = area();
    double top = tolerance_;
    for (const Line& line : lines_)
        for (const double y : line.far)
            top = std::max(top, y);
    const double least = std::max(1e-9, std::min(tolerance_ / 100.0, top / 1e6));
    const double decades = std::max(1.0, std::log10(top / least));
    const auto px = [&](double frame) {
        return box.left() + (high_ > low_ ? (frame - low_) / (high_ - low_) : 0.5) * box.width();
    };
    const auto py = [&](double y) {
        return box.bottom() - std::clamp(std::log10(std::max(y, least) / least) / decades, 0.0, 1.0) * box.height();
    };
    painter.setFont(textFont(7.5));
    const int every =
        std::max(1, static_cast<int>(std::ceil(decades / std::max(1.0, std::floor(box.height() / 12.0)))));
    for (int k = static_cast<int>(std::ceil(std::log10(least))); std::pow(10.0, k) <= top * 1.001; k += every) {
        const double y = std::pow(10.0, k);
        painter.setPen(QPen(colour::kInk3, 1));
        painter.drawLine(QPointF(box.left(), py(y)), QPointF(box.right(), py(y)));
        painter.setPen(colour::kChalk2);
        painter.drawText(QRectF(0, py(y) - 8, box.left() - 5, 16), Qt::AlignRight | Qt::AlignVCenter, words_(y));
    }
    painter.setPen(QPen(colour::kStraw, 1, Qt::DotLine));
    painter.drawLine(QPointF(box.left(), py(tolerance_)), QPointF(box.right(), py(tolerance_)));
    for (std::size_t i = 0; i < lines_.size(); ++i) {
        const Line& line = lines_[i];
        QPainterPath path;
        for (std::size_t k = 0; k < line.frames.size(); ++k) {
            const QPointF at(px(line.frames[k]), py(line.far[k]));
            k == 0 ? path.moveTo(at) : path.lineTo(at);
        }
        painter.setPen(i == 0 ? QPen(colour::kHeather, 1.3, Qt::DashLine) : QPen(colour::kMoss, 1.6));
        painter.setBrush(Qt::NoBrush);
        painter.drawPath(path);
    }
    paintCounts(painter);
    painter.setPen(colour::kChalk2);
    const QRectF foot(box.left(), box.bottom() + 1, box.width(), 14);
    painter.drawText(foot, Qt::AlignLeft, QString::fromStdString(frameText(low_)));
    painter.drawText(foot, Qt::AlignRight, QString::fromStdString(frameText(high_)));
    const double ends = 2.0 * painter.fontMetrics().horizontalAdvance(QString::fromStdString(frameText(high_)) + "  ");
    painter.drawText(foot, Qt::AlignHCenter,
                     painter.fontMetrics().elidedText(tr("dashed before · dotted the tolerance"), Qt::ElideRight,
                                                      static_cast<int>(std::max(0.0, foot.width() - ends))));
}

// How many points are how far off, from none at the left; bars by powers of ten, so that a few are seen beside many.
void DriftPlot::paintCounts(QPainter& painter) const {
    const QRectF box = QRectF(rect()).adjusted(width() - kCountsWidth + 6, 6, -8, -16);
    const std::size_t top = counts_.empty() ? 0 : *std::max_element(counts_.begin(), counts_.end());
    if (top == 0)
        return;
    const double wide = box.width() / static_cast<double>(counts_.size());
    const double decades = std::log10(static_cast<double>(top) * 10.0);
    for (std::size_t i = 0; i < counts_.size(); ++i)
        if (counts_[i] > 0) {
            const double high = box.height() * std::log10(static_cast<double>(counts_[i]) * 10.0) / decades;
            painter.fillRect(QRectF(box.left() + wide * static_cast<double>(i), box.bottom() - high,
                                    std::max(1.0, wide - 0.6), high),
                             QColor(0x6F, 0x8E, 0x8C));
        }
    painter.setPen(colour::kChalk2);
    painter.drawText(QRectF(box.left(), box.bottom() + 1, box.width(), 14), Qt::AlignRight, words_(most_));
}

void DriftPlot::mousePressEvent(QMouseEvent* event) {
    const QRectF box = area();
    if (lines_.empty() || !(high_ > low_) || event->button() != Qt::LeftButton)
        return;
    const double share = std::clamp((event->position().x() - box.left()) / box.width(), 0.0, 1.0);
    emit framePicked(std::round(low_ + share * (high_ - low_)));
}

} // namespace wyc::app
