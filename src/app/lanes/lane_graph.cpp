// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/lane_graph.h"

#include <algorithm>
#include <cmath>

namespace wavetrope::app {

namespace {

// Points of a column of pixels that a line is still drawn through. Steps look the same either way.
constexpr double stepsToTell = 0.25, pointsToTell = 1.5;

}  // namespace

void LaneGraph::draw(QCPPainter* painter)
{
    const QCPAxis* across = keyAxis();
    const QCPAxis* up = valueAxis();
    if (across == nullptr || up == nullptr)
        return;
    const QRect box = across->axisRect()->rect();
    const auto begin = data()->findBegin(across->range().lower), end = data()->findEnd(across->range().upper);
    if (static_cast<double>(end - begin)
        < (lineStyle() == lsStepLeft && pen().style() == Qt::SolidLine ? stepsToTell : pointsToTell) * box.width())
        return QCPGraph::draw(painter);
    const bool joined = lineStyle() != lsNone;
    const double half = std::max(1.0, pen().widthF()) / 2;
    applyDefaultAntialiasingHint(painter);
    // A smooth painter stands half a pixel aside, so that lines lie in the middle of pixels; columns are whole ones.
    const double onPixels = painter->antialiasing() ? 0.5 : 0;
    QVector<QRectF> columns;
    columns.reserve(box.width() + 2);
    double low = 0, high = 0, last = std::nan("");
    int column = 0;
    bool any = false;
    const auto put = [&] {
        if (any && column >= box.left() - 1 && column <= box.right() + 1) {
            const double top = std::clamp(high - half, box.top() - 2.0, box.bottom() + 2.0);
            const double bottom = std::clamp(low + half, box.top() - 2.0, box.bottom() + 2.0);
            if (bottom > top)
                columns.append(QRectF(column - onPixels, top, 1, bottom - top));
        }
        any = false;
    };
    // What held goes on up to a column.
    const auto holdTo = [&](int to) {
        if (joined && std::isfinite(last))
            for (int between = std::max(column + 1, box.left()); between < std::min(to, box.right() + 1); ++between)
                columns.append(QRectF(between - onPixels, last - half, 1, 2 * half));
    };
    for (auto point = begin; point != end; ++point) {
        const int at = static_cast<int>(std::floor(across->coordToPixel(point->key)));
        if (std::isnan(point->value)) {     // a gap
            put();
            holdTo(at);
            last = std::nan("");
            continue;
        }
        const double y = up->coordToPixel(point->value);
        if (!any || at != column) {
            put();
            holdTo(at);
            column = at;
            low = high = joined && std::isfinite(last) ? last : y;
            any = true;
        }
        low = std::max(low, y);     // pixels go down
        high = std::min(high, y);
        last = y;
    }
    put();
    painter->setPen(Qt::NoPen);
    painter->setBrush(pen().color());
    painter->drawRects(columns);
}

}  // namespace wavetrope::app
