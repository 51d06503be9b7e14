// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What the viewport's two halves share.
#include <QVector3D>

#include "maths/math.h"

class QPainter;
class QPointF;
class QString;

namespace wyc::app {

/// 1, 2 or 5 times a power of ten, at most `size`.
[[nodiscard]] double roundLength(double size);
[[nodiscard]] inline QVector3D toQt(const Vec3d& v) {
    return {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z)};
}

/// Words over the picture, on a backing: what lies below may be as pale as they are.
void drawWords(QPainter& painter, const QPointF& at, const QString& words);

} // namespace wyc::app
