// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/flow_layout.h"

#include <algorithm>

namespace wyc::app {

FlowLayout::~FlowLayout() {
    for (QLayoutItem* item : items_)
        delete item;
}

QLayoutItem* FlowLayout::itemAt(int index) const {
    return index >= 0 && index < count() ? items_[static_cast<std::size_t>(index)] : nullptr;
}

QLayoutItem* FlowLayout::takeAt(int index) {
    QLayoutItem* item = itemAt(index);
    if (item)
        items_.erase(items_.begin() + index);
    return item;
}

QSize FlowLayout::minimumSize() const {
    QSize size;
    for (const QLayoutItem* item : items_)
        size = size.expandedTo(item->minimumSize());
    return size;
}

void FlowLayout::setGeometry(const QRect& rect) {
    QLayout::setGeometry(rect);
    place(rect, true);
}

// The height that it takes.
int FlowLayout::place(const QRect& rect, bool move) const {
    int x = rect.x();
    int y = rect.y();
    int row = 0;
    for (std::size_t i = 0; i < items_.size();) {
        std::size_t end = i;
        int right = x;
        int height = 0;
        while (end < items_.size()) {
            const QSize size = items_[end]->sizeHint();
            if (end > i && right + size.width() > rect.right() + 1)
                break;
            right += size.width() + across_;
            height = std::max(height, size.height());
            ++end;
        }
        y += row++ > 0 ? down_ : 0;
        for (; i < end; ++i) {
            const QSize size = items_[i]->sizeHint();
            if (move)
                items_[i]->setGeometry(QRect(QPoint(x, y + (height - size.height()) / 2), size));
            x += size.width() + across_;
        }
        x = rect.x();
        y += height;
    }
    return y - rect.y();
}

} // namespace wyc::app
