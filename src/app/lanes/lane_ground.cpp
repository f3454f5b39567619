// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/lane_ground.h"

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

LanePainting::LanePainting(QCPAxis* keyAxis, QCPAxis* valueAxis) : QCPAbstractPlottable(keyAxis, valueAxis) { setSelectable(QCP::stNone); }

QCPRange LanePainting::getKeyRange(bool& found, QCP::SignDomain) const
{
    found = false;
    return {};
}

QCPRange LanePainting::getValueRange(bool& found, QCP::SignDomain, const QCPRange&) const
{
    found = false;
    return {};
}

QRectF LanePainting::area() const { return mKeyAxis->axisRect()->rect(); }

// Whether the curve, as steps, comes into a box.
bool LaneGround::crosses(const QRectF& box) const
{
    if (!curve)
        return false;
    const auto end = curve->findEnd(mKeyAxis->pixelToCoord(box.right()), false);
    double before = std::nan("");
    for (auto point = curve->findBegin(mKeyAxis->pixelToCoord(box.left())); point != end; ++point) {
        const double y = mValueAxis->coordToPixel(point->value);
        const double from = std::isfinite(before) ? before : y;
        if (std::min(from, y) <= box.bottom() && std::max(from, y) >= box.top())
            return true;
        before = y;
    }
    return false;
}

// At the left, or as far to the right as the curve has to be let by.
void LaneGround::paintWords(QCPPainter& painter, const QString& words, double top, double line) const
{
    const Theme& theme = Theme::get();
    const QRectF box = area();
    const double wide = QFontMetricsF(theme.body()).horizontalAdvance(words) + theme.px(17);
    const double first = box.left() + theme.px(6);
    double left = first;
    const double apart = theme.px(3);
    while (left + wide <= box.right() && crosses(QRectF(left, top - apart, wide, line + 2 * apart)))
        left += theme.px(24);
    if (left + wide > box.right()) {
        left = first;
        painter.fillRect(QRectF(left - 2, top, wide + 4, line), theme.ground);
    }
    paintWarning(painter, QPointF(left + theme.px(5), top + line / 2), theme.px(9));
    paintText(painter, QRectF(left + theme.px(15), top, box.width() / 2, line), words, theme.body(), theme.ink);
}

void LaneGround::draw(QCPPainter* painter)
{
    const Theme& theme = Theme::get();
    const QRectF box = area();
    painter->setAntialiasing(false);
    QColor shade = theme.ink;
    shade.setAlphaF(0.05F);
    for (const bool high : {false, true}) {
        const std::optional<double>& limit = high ? highest : lowest;
        if (!limit)
            continue;
        const double y = mValueAxis->coordToPixel(*limit);
        if (!std::isfinite(y) || y <= box.top() + 1 || y >= box.bottom() - 1)
            continue;
        const QRectF beyond = high ? QRectF(box.topLeft(), QPointF(box.right(), y)) : QRectF(QPointF(box.left(), y), box.bottomRight());
        painter->fillRect(beyond, shade);
        QColor hairline = theme.ink3;
        hairline.setAlphaF(0.6F);
        painter->setPen(QPen(hairline, 1));
        painter->drawLine(QPointF(box.left(), y), QPointF(box.right(), y));
        QColor tint = theme.error;
        tint.setAlphaF(0.22F);
        for (const Outside& one : outside)
            if (high == (one.value > *limit))
                painter->fillRect(QRectF(QPointF(mKeyAxis->coordToPixel(one.from), y),
                                      QPointF(mKeyAxis->coordToPixel(one.to), mValueAxis->coordToPixel(one.value)))
                                      .normalized()
                                      .intersected(box),
                    tint);
        const QString& words = high ? highWords : lowWords;
        if (words.isEmpty())
            continue;
        // On the inner side of the limit, where there is room.
        const double line = theme.px(15);
        const double top = high ? std::min(y + 1, box.bottom() - line) : std::max(y - line - 1, box.top());
        paintWords(*painter, words, top, line);
    }
    for (const Gap& gap : gaps) {
        const double from = std::max(box.left(), mKeyAxis->coordToPixel(gap.from));
        const double to = std::min(box.right(), mKeyAxis->coordToPixel(gap.to));
        if (to - from < 2)
            continue;
        QColor hatch = theme.ink3;
        hatch.setAlphaF(0.55F);
        painter->fillRect(QRectF(QPointF(from, box.top()), QPointF(to, box.bottom())), QBrush(hatch, Qt::BDiagPattern));
        paintGapWords(*painter, gap, from, to);
    }
}

// In it, behind it or in front of it, at the middle, the top or the bottom: where there is room beside the curve. The name of what comes
// next stands behind a gap of a band.
void LaneGround::paintGapWords(QCPPainter& painter, const Gap& gap, double from, double to) const
{
    const Theme& theme = Theme::get();
    const QRectF box = area();
    const double wide = QFontMetricsF(theme.body()).horizontalAdvance(gap.words) + 2;
    const double line = theme.px(16);
    const double inside = (from + to - wide) / 2, behind = to + theme.px(5), before = from - theme.px(5) - wide;
    std::vector<double> lefts = named ? std::vector{before, behind} : std::vector{behind, before};
    if (to - from > wide + theme.px(20))
        lefts = {inside};
    else
        lefts.push_back(inside);
    std::optional<QRectF> place;
    for (const bool free : {true, false})       // of the curve, else at least seen
        for (const double left : lefts)
            for (const double top : {box.center().y() - line / 2, box.top() + 1, box.bottom() - line - 1}) {
                const QRectF words(left, top, wide, line);
                if (!place && words.left() >= box.left() && words.right() <= box.right() && (named || !free || !crosses(words)))
                    place = words;
            }
    if (!place)
        return;
    if (!named)
        painter.fillRect(place->adjusted(-3, 0, 3, 0), theme.ground);
    paintText(painter, *place, gap.words, theme.body(), theme.ink2);
}

void LaneBand::take(const std::vector<double>& times, const std::vector<double>& values)
{
    pieces.clear();
    for (std::size_t i = 0; i + 1 < times.size(); ++i) {
        if (std::isnan(values[i]) || times[i + 1] <= times[i])
            continue;
        if (!pieces.empty() && pieces.back().value == values[i] && pieces.back().to >= times[i])
            pieces.back().to = times[i + 1];
        else
            pieces.push_back({times[i], times[i + 1], values[i]});
    }
}

void LaneBand::draw(QCPPainter* painter)
{
    const Theme& theme = Theme::get();
    const QRectF box = area();
    const double tall = std::min(box.height() - 4, static_cast<double>(theme.px(24)));
    const QRectF band(box.left(), box.center().y() - tall / 2, box.width(), tall);
    painter->setAntialiasing(false);
    const QFontMetricsF metrics(theme.body());
    double before = 0;
    bool any = false;
    for (const Piece& piece : pieces) {
        const double from = std::max(box.left(), mKeyAxis->coordToPixel(piece.from));
        const double to = std::min(box.right(), mKeyAxis->coordToPixel(piece.to));
        if (to <= from) {
            any = false;
            continue;
        }
        const QRectF rect(from, band.top(), std::max(to - from, 1.0), band.height());
        const bool set = piece.value != 0;
        if (flag) {
            const double y = set ? rect.top() + 1 : rect.bottom() - 1;
            QColor pale = line;
            pale.setAlphaF(0.16F);
            if (set)
                painter->fillRect(rect, pale);
            painter->setPen(QPen(line, 1.4));
            if (any && before != y)
                painter->drawLine(QPointF(from, before), QPointF(from, y));
            painter->drawLine(QPointF(from, y), QPointF(to, y));
            before = y;
            any = true;
        } else {
            painter->fillRect(rect, colourOf(piece.value));
            painter->setPen(QPen(line, 1.4));
            painter->drawLine(rect.bottomLeft(), rect.bottomRight());
            if (to - from > 3) {
                painter->setPen(QPen(theme.surface, 1));
                painter->drawLine(rect.topLeft(), rect.bottomLeft());
            }
        }
        // The name where it begins, behind a mark that would cut it.
        double left = from + theme.px(6);
        const QString name = nameOf(piece.value);
        const double wide = metrics.horizontalAdvance(name);
        for (const double mark : marks)
            if (const double x = mKeyAxis->coordToPixel(mark); x > left - theme.px(4) && x < left + wide + theme.px(4))
                left = x + theme.px(6);
        if (const double room = to - theme.px(4) - left; room >= std::min(wide, static_cast<double>(theme.px(24))))
            paintText(*painter, QRectF(left, rect.top(), room, rect.height()), name, theme.body(), theme.ink);
    }
}

}  // namespace wavetrope::app
