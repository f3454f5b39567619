// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/lane_graph.h"

#include <QImage>

#include <algorithm>
#include <array>
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
    std::vector<Column> columns;
    columns.reserve(static_cast<std::size_t>(box.width()) + 2);
    double low = 0, high = 0, last = std::nan("");
    int column = 0;
    // What does not rise or fall fills the pixel that it is in, so that it is as dark as a line.
    const auto flat = [half](int at, double top, double bottom) {
        if (bottom - top > 2 * half + 0.5)
            return Column{at, top, bottom};
        const double middle = (top + bottom) / 2;
        const double pixel = std::floor(middle);
        const double begins = middle - pixel < 0.5 ? pixel + 1 - 2 * half : pixel;
        return Column{at, begins, begins + 2 * half};
    };
    bool any = false;
    const auto put = [&] {
        if (any && column >= box.left() - 1 && column <= box.right() + 1) {
            const double top = std::clamp(high - half, box.top() - 2.0, box.bottom() + 2.0);
            const double bottom = std::clamp(low + half, box.top() - 2.0, box.bottom() + 2.0);
            if (bottom > top)
                columns.push_back(flat(column, top, bottom));
        }
        any = false;
    };
    // What held goes on up to a column.
    const auto holdTo = [&](int to) {
        if (joined && std::isfinite(last))
            for (int between = std::max(column + 1, box.left()); between < std::min(to, box.right() + 1); ++between)
                columns.push_back(flat(between, last - half, last + half));
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
    if (painter->modes().testFlag(QCPPainter::pmVectorized))
        drawRects(painter, columns);
    else
        drawPixels(painter, box, columns);
}

void LaneGraph::drawRects(QCPPainter* painter, const std::vector<Column>& columns) const
{
    applyDefaultAntialiasingHint(painter);
    // A smooth painter stands half a pixel aside, so that lines lie in the middle of pixels; columns are whole ones.
    const double onPixels = painter->antialiasing() ? 0.5 : 0;
    QVector<QRectF> rects;
    rects.reserve(static_cast<qsizetype>(columns.size()));
    for (const Column& column : columns)
        rects.append(QRectF(column.at - onPixels, column.top, 1, column.bottom - column.top));
    painter->setPen(Qt::NoPen);
    painter->setBrush(pen().color());
    painter->drawRects(rects);
}

// The same, a pixel being as dark as it is covered.
void LaneGraph::drawPixels(QCPPainter* painter, const QRect& box, const std::vector<Column>& columns) const
{
    const double ratio = painter->device()->devicePixelRatioF();
    const QSize size(qCeil(box.width() * ratio), qCeil(box.height() * ratio));
    if (size.isEmpty())
        return;
    QImage image(size, QImage::Format_ARGB32_Premultiplied);
    image.fill(Qt::transparent);
    std::array<QRgb, 256> shades{};
    const QColor colour = pen().color();
    for (std::size_t i = 0; i < shades.size(); ++i)
        shades[i] = qPremultiply(qRgba(colour.red(), colour.green(), colour.blue(), static_cast<int>(i) * colour.alpha() / 255));
    auto* const pixels = reinterpret_cast<QRgb*>(image.bits());
    const auto perLine = static_cast<std::ptrdiff_t>(image.bytesPerLine() / static_cast<qsizetype>(sizeof(QRgb)));
    for (const Column& column : columns) {
        const int left = std::clamp(qRound((column.at - box.left()) * ratio), 0, size.width());
        const int right = std::clamp(qRound((column.at + 1 - box.left()) * ratio), 0, size.width());
        const double top = std::clamp((column.top - box.top()) * ratio, 0.0, static_cast<double>(size.height()));
        const double bottom = std::clamp((column.bottom - box.top()) * ratio, 0.0, static_cast<double>(size.height()));
        for (int y = static_cast<int>(top); y < qCeil(bottom); ++y) {
            const double covered = std::min(bottom, y + 1.0) - std::max<double>(top, y);
            const QRgb shade = shades[static_cast<std::size_t>(std::lround(255 * covered))];
            std::fill(pixels + y * perLine + left, pixels + y * perLine + right, shade);
        }
    }
    image.setDevicePixelRatio(ratio);
    const bool smooth = painter->antialiasing();
    painter->setAntialiasing(false);
    painter->drawImage(box.topLeft(), image);
    painter->setAntialiasing(smooth);
}

}  // namespace wavetrope::app
