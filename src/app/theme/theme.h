// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Colours, fonts and the style of every widget.
#include <QColor>
#include <QFont>
#include <QString>

class QApplication;
class QPainter;
class QRectF;

namespace wyc::app {

namespace colour {
inline const QColor kInk0{0x0E, 0x15, 0x18};
inline const QColor kInk1{0x14, 0x1E, 0x22};
inline const QColor kInk2{0x1B, 0x28, 0x2D};
inline const QColor kInk3{0x26, 0x36, 0x3C};
inline const QColor kChalk{0xDF, 0xE8, 0xE4};
inline const QColor kChalk2{0x93, 0xA8, 0xA6};
inline const QColor kGlass{0x6F, 0xCF, 0xB4};
inline const QColor kHeather{0xB7, 0x9B, 0xEA};
inline const QColor kStraw{0xE4, 0xC7, 0x65};
inline const QColor kRust{0xE0, 0x70, 0x5A};
inline const QColor kMoss{0x8F, 0xBF, 0x6A};
} // namespace colour

void applyTheme(QApplication& application);
[[nodiscard]] QFont textFont(double points, QFont::Weight weight = QFont::Normal);
/// A perceptually even map, 0 … 1: deep blue-green to pale sand.
[[nodiscard]] QColor heatColour(double value);
/// Colour of a finding's severity (0 note, 1 caution, 2 fault) and its mark.
[[nodiscard]] QColor severityColour(int severity);
[[nodiscard]] QString severityMark(int severity);

/// Small marks of item kinds, drawn in a square.
enum class KindMark { Mesh, Points, Rigid, Curves, Camera, Light, Joints, Other };
void drawKindMark(QPainter& painter, const QRectF& box, KindMark mark, const QColor& colour);

} // namespace wyc::app
