// SPDX-License-Identifier: GPL-3.0-or-later
#include "theme/theme.h"

#include <array>
#include <cmath>

#include <QApplication>
#include <QPainter>
#include <QPainterPath>
#include <QPalette>
#include <QStyleFactory>

// Of a static library resources have to be asked for, outside of any namespace.
static void initMarks() {
    Q_INIT_RESOURCE(marks);
}

namespace wyc::app {

QFont textFont(double points, QFont::Weight weight) {
    QFont font(QStringLiteral("Inter"));
    font.setPointSizeF(points);
    font.setWeight(weight);
    return font;
}

QColor heatColour(double value) {
    // Lightness rises evenly; hue goes from deep water to sand.
    static constexpr std::array<std::array<double, 3>, 6> kStops{{{0.09, 0.16, 0.30},
                                                                  {0.11, 0.34, 0.45},
                                                                  {0.20, 0.52, 0.50},
                                                                  {0.47, 0.66, 0.47},
                                                                  {0.80, 0.76, 0.48},
                                                                  {0.98, 0.90, 0.72}}};
    const double at = std::clamp(std::isfinite(value) ? value : 0.0, 0.0, 1.0) * (kStops.size() - 1);
    const auto low = std::min<std::size_t>(static_cast<std::size_t>(at), kStops.size() - 2);
    const double mix = at - static_cast<double>(low);
    const auto channel = [&](std::size_t c) { return kStops[low][c] + (kStops[low + 1][c] - kStops[low][c]) * mix; };
    return QColor::fromRgbF(static_cast<float>(channel(0)), static_cast<float>(channel(1)),
                            static_cast<float>(channel(2)));
}

QColor severityColour(int severity) {
    return severity == 2 ? colour::kRust : severity == 1 ? colour::kStraw : colour::kChalk2;
}

QString severityMark(int severity) {
    return severity == 2 ? QStringLiteral("✕") : severity == 1 ? QStringLiteral("!") : QStringLiteral("·");
}

void drawKindMark(QPainter& painter, const QRectF& box, KindMark mark, const QColor& c) {
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(c, 1.3));
    painter.setBrush(Qt::NoBrush);
    const QRectF b = box.adjusted(2, 2, -2, -2);
    const QPointF m = b.center();
    switch (mark) {
    case KindMark::Mesh: {
        QPolygonF six;
        for (int i = 0; i < 6; ++i)
            six << QPointF(m.x() + b.width() / 2 * std::cos(i * M_PI / 3),
                           m.y() + b.height() / 2 * std::sin(i * M_PI / 3));
        painter.drawPolygon(six);
        painter.drawLine(m, six[0]);
        painter.drawLine(m, six[2]);
        painter.drawLine(m, six[4]);
        break;
    }
    case KindMark::Points:
        painter.setBrush(c);
        for (const QPointF& p :
             {QPointF(0.2, 0.3), QPointF(0.7, 0.2), QPointF(0.5, 0.6), QPointF(0.15, 0.8), QPointF(0.85, 0.75)})
            painter.drawEllipse(QPointF(b.left() + p.x() * b.width(), b.top() + p.y() * b.height()), 0.9, 0.9);
        break;
    case KindMark::Rigid:
        painter.drawRect(b.adjusted(1, 1, -1, -1));
        painter.drawLine(QPointF(m.x(), b.top() - 1), QPointF(m.x(), b.bottom() + 1));
        painter.drawLine(QPointF(b.left() - 1, m.y()), QPointF(b.right() + 1, m.y()));
        break;
    case KindMark::Curves: {
        QPainterPath path(b.bottomLeft());
        path.cubicTo(b.topLeft(), b.bottomRight(), b.topRight());
        painter.drawPath(path);
        break;
    }
    case KindMark::Camera:
        painter.drawPolygon(QPolygonF{b.topRight(), b.bottomRight(), QPointF(b.left() + 3, m.y() + 2),
                                      QPointF(b.left() + 3, m.y() - 2)});
        break;
    case KindMark::Light:
        painter.drawEllipse(m, b.width() / 4, b.width() / 4);
        for (int i = 0; i < 8; ++i)
            painter.drawLine(m + QPointF(std::cos(i * M_PI / 4), std::sin(i * M_PI / 4)) * b.width() * 0.36,
                             m + QPointF(std::cos(i * M_PI / 4), std::sin(i * M_PI / 4)) * b.width() * 0.5);
        break;
    case KindMark::Joints: {
        const QPointF hip(b.left() + 1.5, b.bottom() - 1.5);
        const QPointF knee(m.x() - 1, b.top() + 3.5);
        const QPointF foot(b.right() - 1.5, b.bottom() - 3);
        painter.drawPolyline(QPolygonF{hip, knee, foot});
        painter.setBrush(c);
        for (const QPointF& joint : {hip, knee, foot})
            painter.drawEllipse(joint, 1.3, 1.3);
        break;
    }
    case KindMark::Other: painter.drawEllipse(b.adjusted(2, 2, -2, -2)); break;
    }
    painter.restore();
}

void applyTheme(QApplication& application) {
    initMarks();
    QApplication::setAttribute(Qt::AA_DontUseNativeDialogs); // ours look as the window does
    application.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
    application.setFont(textFont(9));
    QPalette palette;
    palette.setColor(QPalette::Window, colour::kInk1);
    palette.setColor(QPalette::WindowText, colour::kChalk);
    palette.setColor(QPalette::Base, colour::kInk0);
    palette.setColor(QPalette::AlternateBase, colour::kInk1);
    palette.setColor(QPalette::Text, colour::kChalk);
    palette.setColor(QPalette::Button, colour::kInk2);
    palette.setColor(QPalette::ButtonText, colour::kChalk);
    palette.setColor(QPalette::Highlight, QColor(0x2B, 0x5A, 0x50));
    palette.setColor(QPalette::HighlightedText, colour::kChalk);
    palette.setColor(QPalette::PlaceholderText, colour::kChalk2);
    palette.setColor(QPalette::Link, colour::kGlass);
    palette.setColor(QPalette::LinkVisited, colour::kGlass.darker(125));
    palette.setColor(QPalette::ToolTipBase, colour::kInk3);
    palette.setColor(QPalette::ToolTipText, colour::kChalk);
    palette.setColor(QPalette::Disabled, QPalette::Text, QColor(0x5E, 0x70, 0x70));
    palette.setColor(QPalette::Disabled, QPalette::ButtonText, QColor(0x5E, 0x70, 0x70));
    palette.setColor(QPalette::Disabled, QPalette::WindowText, QColor(0x5E, 0x70, 0x70));
    application.setPalette(palette);
    application.setStyleSheet(QStringLiteral(R"(
QMainWindow, QWidget#central { background: #0E1518; }
QDialog { background: #172226; }
QMenuBar { background: #141E22; color: #93A8A6; padding: 3px 6px; }
QMenuBar::item { padding: 4px 9px; background: transparent; border-radius: 3px; }
QMenuBar::item:selected { background: #26363C; color: #DFE8E4; }
QMenu { background: #1B282D; color: #DFE8E4; border: 1px solid #26363C; padding: 4px; }
QMenu::item { padding: 5px 26px 5px 18px; border-radius: 3px; }
QMenu::item:selected { background: #26363C; }
QMenu::item:disabled { color: #5E7070; }
QMenu::separator { height: 1px; background: #26363C; margin: 4px 8px; }
QToolTip { background: #26363C; color: #DFE8E4; border: 1px solid #3A4E55; padding: 4px; }
QPushButton { background: #1B282D; color: #DFE8E4; border: 1px solid #33474E; border-radius: 3px; padding: 4px 11px; }
QPushButton:hover { background: #26363C; }
QPushButton:pressed { background: #141E22; }
QPushButton:focus { border-color: #6FCFB4; }
QPushButton:disabled { color: #5E7070; border-color: #26363C; }
QPushButton[main="true"] { background: #2B5A50; border-color: #6FCFB4; color: #F2FBF8; }
QPushButton[main="true"]:hover { background: #357062; }
QPushButton[main="true"]:disabled { background: #1B282D; border-color: #26363C; color: #5E7070; }
QPushButton[small="true"] { padding: 3px 9px; }
QPushButton[flat="true"], QToolButton { background: transparent; border: none; color: #93A8A6; padding: 4px 7px; border-radius: 3px; }
QPushButton[flat="true"]:hover, QToolButton:hover { background: #26363C; color: #DFE8E4; }
QToolButton:checked { color: #6FCFB4; }
QToolButton:focus, QPushButton[flat="true"]:focus { border: 1px solid #6FCFB4; padding: 3px 6px; color: #DFE8E4; }
QPushButton[main="true"]:focus { border: 2px solid #DFE8E4; padding: 3px 10px; }
QCheckBox:focus { color: #6FCFB4; }
QCheckBox::indicator:focus { border: 2px solid #6FCFB4; }
QTabBar::tab:focus { color: #6FCFB4; text-decoration: underline; }
QToolButton::menu-indicator { image: none; width: 0; }
QLineEdit, QDoubleSpinBox, QSpinBox, QComboBox { background: #1B282D; color: #DFE8E4; border: 1px solid #26363C; border-radius: 3px; padding: 2px 6px; selection-background-color: #2B5A50; }
QLineEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus, QComboBox:focus { border-color: #6FCFB4; }
QLineEdit[bad="true"] { border-color: #E0705A; }
QLineEdit[waits="true"] { border-color: #E4C765; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url(:/marks/down.png); width: 9px; height: 6px; }
QComboBox QAbstractItemView { background: #1B282D; color: #DFE8E4; border: 1px solid #33474E; selection-background-color: #26363C; }
QCheckBox { color: #DFE8E4; spacing: 7px; }
QCheckBox::indicator { width: 13px; height: 13px; border: 1px solid #4A6068; border-radius: 3px; background: #0E1518; }
QCheckBox::indicator:checked { background: #6FCFB4; border-color: #6FCFB4; }
QTabBar { background: #141E22; }
QTabBar::tab { background: #141E22; color: #93A8A6; padding: 7px 15px 6px 15px; border: none; border-top: 2px solid transparent; }
QTabBar::tab:selected { background: #0E1518; color: #DFE8E4; border-top: 2px solid #6FCFB4; }
QTabBar::tab:hover:!selected { color: #DFE8E4; }
QTabWidget::pane { border: none; background: #0E1518; }
QScrollArea { background: #0E1518; border: none; }
QScrollArea > QWidget > QWidget { background: transparent; }
QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
QScrollBar::handle:vertical { background: #33474E; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar:horizontal { background: transparent; height: 9px; }
QScrollBar::handle:horizontal { background: #33474E; border-radius: 4px; min-width: 24px; }
QSplitter::handle { background: #0E1518; }
QProgressBar { background: #26363C; border: none; border-radius: 1px; max-height: 3px; }
QProgressBar::chunk { background: #6FCFB4; }
QFrame#card { background: #172226; border-radius: 3px; }
QLabel#title { color: #DFE8E4; font-weight: 600; font-size: 10pt; }
QLabel#dim, QLabel[dim="true"] { color: #93A8A6; }
QLabel#small, QLabel[small="true"] { color: #93A8A6; font-size: 8pt; }
QStatusBar { background: #141E22; color: #93A8A6; }
)"));
}

} // namespace wyc::app
