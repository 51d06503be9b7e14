// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A curve through keys, edited by hand: frames that show frames, or the weight of a fade.
#include <functional>
#include <optional>
#include <utility>
#include <vector>

#include <QWidget>

namespace wyc::app {

class CurvePlot : public QWidget {
    Q_OBJECT
  public:
    using Keys = std::vector<std::pair<double, double>>; // across, up; rising across
    struct Scale {
        double low = 0.0;
        double high = 1.0;
        double step = 0.01; // keys snap to whole steps
    };
    struct Setting {
        Scale across;
        Scale up;
        bool rising = false;   // keys may not fall, and lie within what is shown
        std::size_t least = 0; // keys that have to stay
        QString name;          // for those who hear it
        /// What runs through the keys, as points of a line; nothing where they cannot hold.
        std::function<Keys(const Keys&)> line;
        /// What a key says: "1050 shows 1100".
        std::function<QString(std::pair<double, double>)> words;
    };
    /// For the weight of a fade: from nothing at 0 to all at 1, rising.
    [[nodiscard]] static Setting weights();
    explicit CurvePlot(QWidget* parent = nullptr);
    void show(Keys keys, Setting setting);
    [[nodiscard]] const Keys& keys() const { return keys_; }
    /// Where a place of the curve lies in the widget.
    [[nodiscard]] QPointF placeOf(double across, double up) const;
    [[nodiscard]] QSize sizeHint() const override { return {280, 96}; }

  signals:
    /// A key was moved, added or taken away, and let go.
    void keysChanged(const std::vector<std::pair<double, double>>& keys);

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QRectF area() const;
    [[nodiscard]] std::optional<std::size_t> keyAt(const QPointF& at) const;
    [[nodiscard]] std::pair<double, double> valueAt(const QPointF& at) const;
    /// The nearest place at which key number i may stand between its neighbours.
    [[nodiscard]] std::pair<double, double> allowed(std::size_t i, std::pair<double, double> wanted) const;
    void add(std::pair<double, double> value);
    void remove(std::size_t i);
    void redraw();
    void giveBack();

    Keys keys_;
    Setting setting_;
    Keys line_;
    std::optional<std::size_t> active_; // that the keys of the keyboard move
    std::optional<std::size_t> hovered_;
    std::optional<Keys> before_; // while one is dragged: as it was
};

} // namespace wyc::app
