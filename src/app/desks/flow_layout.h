// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Widgets beside one another, as many as fit, and further rows below.
#include <vector>

#include <QLayout>

namespace wyc::app {

class FlowLayout : public QLayout {
  public:
    FlowLayout(int across, int down) : across_(across), down_(down) { setContentsMargins(0, 0, 0, 0); }
    ~FlowLayout() override;
    void addItem(QLayoutItem* item) override { items_.push_back(item); }
    [[nodiscard]] int count() const override { return static_cast<int>(items_.size()); }
    [[nodiscard]] QLayoutItem* itemAt(int index) const override;
    QLayoutItem* takeAt(int index) override;
    [[nodiscard]] Qt::Orientations expandingDirections() const override { return {}; }
    [[nodiscard]] bool hasHeightForWidth() const override { return true; }
    [[nodiscard]] int heightForWidth(int width) const override { return place({0, 0, width, 0}, false); }
    [[nodiscard]] QSize sizeHint() const override { return minimumSize(); }
    [[nodiscard]] QSize minimumSize() const override;
    void setGeometry(const QRect& rect) override;

  private:
    int place(const QRect& rect, bool move) const;
    std::vector<QLayoutItem*> items_;
    int across_;
    int down_;
};

} // namespace wyc::app
