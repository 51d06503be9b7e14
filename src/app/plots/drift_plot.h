// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The largest drift by frame, as it came and undone, by powers of ten; a click goes to a frame.
#include <array>
#include <optional>
#include <vector>

#include <QWidget>

#include "compare/reconcile.h"

namespace wyc::app {

class DriftPlot : public QWidget {
    Q_OBJECT
  public:
    explicit DriftPlot(QWidget* parent = nullptr);
    /// `toBoard`: what frame numbers of each times comes to on the board. `scale`: of a drift's figures to what `words`
    /// tells of, a length in metres or pixels; the tolerance is one.
    void show(const std::optional<Drift>& came, const std::optional<Drift>& undone, double scale, double tolerance,
              QString (*words)(double), const std::array<double, 2>& toBoard);
    void clear();
    [[nodiscard]] QSize sizeHint() const override { return {420, 104}; }

  signals:
    void framePicked(double frame);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    struct Line {
        std::vector<double> frames;
        std::vector<double> far;
    };
    [[nodiscard]] QRectF area() const;
    void paintCounts(QPainter& painter) const;
    std::vector<Line> lines_;         // as it came, undone
    std::vector<std::size_t> counts_; // of points by their drift: undone, else as it came
    double most_ = 0.0;               // that the last of them reaches
    QString (*words_)(double) = nullptr;
    double tolerance_ = 0.0001;
    double low_ = 0.0;
    double high_ = 0.0;
};

} // namespace wyc::app
