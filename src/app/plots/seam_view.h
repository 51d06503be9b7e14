// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The seam map as a picture: start along one way, end along the other, dark where two frames are alike.
#include <memory>
#include <optional>

#include <QImage>
#include <QWidget>

#include "measure/loop.h"

namespace wyc::app {

class SeamView : public QWidget {
    Q_OBJECT
  public:
    explicit SeamView(QWidget* parent = nullptr);
    /// The picture of a map, small enough to be drawn at once. Safe to make on any thread.
    [[nodiscard]] static QImage pictureOf(const SeamMap& map);
    void show(std::shared_ptr<const SeamMap> map, const QImage& picture);
    void setBounds(const LoopBounds& bounds);
    /// The pair that is marked: first frame and the frame that would equal it.
    void setPair(std::optional<std::pair<double, double>> pair);
    [[nodiscard]] const std::optional<std::pair<double, double>>& pair() const { return pair_; }
    /// Where a pair lies in the widget.
    [[nodiscard]] QPointF placeOf(double start, double end) const;
    [[nodiscard]] QSize sizeHint() const override { return {190, 190}; }
    [[nodiscard]] int heightForWidth(int width) const override { return width; }

  signals:
    void pairHovered(double start, double end);
    void hoverEnded();
    void pairPicked(double start, double end);

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QRectF picture() const;
    [[nodiscard]] std::optional<std::pair<double, double>> pairAt(const QPointF& at) const;
    std::shared_ptr<const SeamMap> map_;
    QImage image_;
    LoopBounds bounds_;
    std::optional<std::pair<double, double>> pair_;
    std::optional<std::pair<double, double>> hovered_;
};

} // namespace wyc::app
