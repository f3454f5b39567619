// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts/wrap_layout.h"

#include <QWidget>

#include <algorithm>

namespace wavetrope::app {

WrapLayout::~WrapLayout()
{
    for (QLayoutItem* item : items_)
        delete item;
}

QLayoutItem* WrapLayout::takeAt(int index)
{
    QLayoutItem* item = itemAt(index);
    if (item != nullptr)
        items_.erase(items_.begin() + index);
    return item;
}

QSize WrapLayout::sizeHint() const
{
    QSize size(0, 0);
    for (const QLayoutItem* item : items_)
        if (!item->isEmpty())
            size = QSize(size.width() + item->sizeHint().width() + (size.width() > 0 ? gap_ : 0),
                std::max(size.height(), item->sizeHint().height()));
    return size;
}

QSize WrapLayout::minimumSize() const
{
    QSize size(0, 0);
    for (const QLayoutItem* item : items_)
        if (!item->isEmpty())
            size = size.expandedTo(item->minimumSize());
    return size;
}

void WrapLayout::setGeometry(const QRect& box)
{
    QLayout::setGeometry(box);
    lay(box, true);
}

// Gives the height that all lines take.
int WrapLayout::lay(const QRect& box, bool place) const
{
    int y = box.y();
    for (std::size_t first = 0; first < items_.size();) {
        // As many as go into the line, and at least one.
        std::size_t end = first;
        int width = 0;
        int height = 0;
        for (; end < items_.size(); ++end) {
            if (items_[end]->isEmpty())
                continue;
            const QSize size = items_[end]->sizeHint();
            const int next = width + (width > 0 ? gap_ : 0) + size.width();
            if (width > 0 && next > box.width())
                break;
            width = next;
            height = std::max(height, size.height());
        }
        int x = box.x();
        for (std::size_t i = first; i < end && place; ++i)
            if (!items_[i]->isEmpty()) {
                const QSize size(std::min(items_[i]->sizeHint().width(), box.width()), items_[i]->sizeHint().height());
                items_[i]->setGeometry(QRect(QPoint(x, y + (height - size.height()) / 2), size));
                x += size.width() + gap_;
            }
        first = end;
        if (height > 0)
            y += height + (end < items_.size() ? gap_ : 0);
    }
    return y - box.y();
}

}  // namespace wavetrope::app
