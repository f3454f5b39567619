// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/gauges.h"

#include <QCache>
#include <QImage>
#include <QPixmap>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "app/board/board_picture.h"
#include "app/parts/text.h"

namespace wavetrope::app {

namespace {

QColor blend(const QColor& a, const QColor& b, double part)
{
    return QColor::fromRgbF(static_cast<float>(a.redF() * (1 - part) + b.redF() * part),
        static_cast<float>(a.greenF() * (1 - part) + b.greenF() * part), static_cast<float>(a.blueF() * (1 - part) + b.blueF() * part));
}

}  // namespace

QRectF GaugePainter::inner(const QRectF& box, double cell)
{
    constexpr double inset = 0.3;       // of a cell's height
    const double by = cell * inset;
    return box.adjusted(by, by, -by, -by);
}

double GaugePainter::labelSize() const { return std::clamp(cell_ * 0.72, 9.0, 34.0); }

QColor GaugePainter::hue(const BoardReading& reading) const
{
    return reading.side != measure::Side::inside ? theme_.error : reading.bus ? theme_.bus(stage_.mark(*reading.bus)) : theme_.ink2;
}

double GaugePainter::partOf(const BoardReading& reading, double value)
{
    return reading.to > reading.from ? std::clamp((value - reading.from) / (reading.to - reading.from), 0.0, 1.0) : 0;
}

double GaugePainter::head(const QRectF& box, const BoardReading& reading, double right)
{
    const double size = labelSize();
    double left = box.left();
    if (reading.bus) {
        ink_.badge(QRectF(left, box.top() + size * 0.15, size, size), stage_.mark(*reading.bus));
        left += size * 1.4;
    }
    ink_.words(QRectF(left, box.top(), box.right() - left - right, size * 1.3), reading.label, GaugeInk::font(size, false), theme_.ink2);
    return box.top() + size * 1.4;
}

void GaugePainter::value(const QRectF& box, const BoardReading& reading, Qt::Alignment alignment, double most)
{
    if (!ink_.touches(box))
        return;
    if (!reading.problem.isEmpty()) {
        ink_.words(box, reading.problem, GaugeInk::font(labelSize() * 0.8, false), theme_.ink2, Qt::AlignLeft | Qt::AlignTop);
        return;
    }
    const QFont::Weight weight = reading.old ? QFont::Light : reading.side != measure::Side::inside ? QFont::DemiBold : QFont::Normal;
    // Digits keep their place: a minus or one more digit does not make them smaller.
    const QString widest = reading.number.size() < 4 ? QStringLiteral("0000") : reading.number;
    const double unitPart = reading.unit.isEmpty() ? 0 : 0.4;
    double size = GaugeInk::sizeFor(widest + (reading.unit.isEmpty() ? QString() : QStringLiteral(" ")),
        std::min(most, box.height() / 0.95), box.width(), true, weight);
    double unit = size * unitPart;
    const bool letter = reading.unit.size() == 1;     // an l alone is no line in the face of numbers
    const auto wide = [&] {
        return GaugeInk::wideOf(reading.number, size, true, weight)
               + (unit > 0 ? GaugeInk::wideOf(reading.unit, unit, letter) + size * 0.15 : 0);
    };
    if (const double needed = wide(); needed > box.width()) {
        size *= box.width() / needed;
        unit = size * unitPart;
    }
    const GaugeInk::Face& digits = GaugeInk::face(size, true, weight);
    const double numberWide = GaugeInk::wideOf(reading.number, size, true, weight), whole = wide();
    const double left = (alignment & Qt::AlignRight) != 0     ? box.right() - whole
                        : (alignment & Qt::AlignHCenter) != 0 ? box.center().x() - whole / 2
                                                              : box.left();
    const double base = box.center().y() + digits.cap / 2;
    ink_.digits(QPointF(left, base), reading.number, digits, reading.old ? theme_.ink3 : theme_.ink);
    if (unit > 0)
        ink_.draw(QPointF(left + numberWide + size * 0.15, base), reading.unit, GaugeInk::face(std::max(unit, 9.0), letter, QFont::Normal),
            theme_.ink2);
    if (reading.old) {
        painter_.setPen(QPen(theme_.ink, std::max(1.0, cell_ * 0.06), Qt::DashLine));
        painter_.drawLine(QPointF(left, base + size * 0.14), QPointF(left + numberWide, base + size * 0.14));
    }
}

// What is out of its limit, or old, in words.
void GaugePainter::limitWords(const QRectF& line, const BoardReading& reading)
{
    double size = labelSize() * 0.86;
    if (reading.old) {
        size = GaugeInk::sizeFor(reading.oldWords, size, line.width(), false, QFont::DemiBold);
        ink_.words(line, reading.oldWords, GaugeInk::font(size, false, QFont::DemiBold), theme_.ink);
        return;
    }
    if (reading.side == measure::Side::inside)
        return;
    size = std::min(size, GaugeInk::sizeFor(reading.outWords + QStringLiteral("mm"), size, line.width(), false, QFont::DemiBold));
    const QFont strong = GaugeInk::font(size, false, QFont::DemiBold);
    const double wide = std::min(line.width(), GaugeInk::wideOf(reading.outWords, size, false, QFont::DemiBold) + size * 2);
    const QRectF box(line.left(), line.top(), wide, size * 1.45);
    painter_.setPen(Qt::NoPen);
    painter_.setBrush(theme_.error);
    painter_.drawRoundedRect(box, 3, 3);
    const bool under = reading.side == measure::Side::under;
    const QPointF at(box.left() + size * 0.8, box.center().y());
    const double half = size * 0.32, way = under ? 1 : -1;
    painter_.setBrush(theme_.surface);
    painter_.drawPolygon(
        QPolygonF({at + QPointF(-half, -half * 0.7 * way), at + QPointF(half, -half * 0.7 * way), at + QPointF(0, half * 0.9 * way)}));
    ink_.words(box.adjusted(size * 1.5, 0, -size * 0.3, 0), reading.outWords, strong, theme_.surface);
}

void GaugePainter::bar(const QRectF& line, const BoardReading& reading)
{
    if (!reading.value || reading.named || !ink_.touches(line))
        return;
    if (reading.old) {
        painter_.setBrush(Qt::NoBrush);
        painter_.setPen(QPen(theme_.ink3, 1.2, Qt::DotLine));
        painter_.drawRect(line);
        painter_.setPen(QPen(theme_.ink2, 1.4, Qt::DashLine));
        painter_.drawRect(QRectF(line.left(), line.top(), line.width() * partOf(reading, *reading.value), line.height()));
        return;
    }
    painter_.fillRect(line, theme_.grid);
    // From zero where the range goes through it.
    const double zero = reading.from < 0 && reading.to > 0 ? partOf(reading, 0) : 0, part = partOf(reading, *reading.value);
    painter_.fillRect(
        QRectF(line.left() + line.width() * std::min(zero, part), line.top(), line.width() * std::abs(part - zero), line.height()),
        hue(reading));
    const double over = line.height() * 0.35;
    for (const auto& limit : {reading.below, reading.above})
        if (limit && *limit > reading.from && *limit < reading.to) {
            const double x = line.left() + line.width() * partOf(reading, *limit);
            painter_.fillRect(QRectF(x - 1.5, line.top() - over, 3, line.height() + 2 * over), theme_.ink);
        }
    if (reading.also) {
        const double x = line.left() + line.width() * partOf(reading, *reading.also);
        painter_.fillRect(QRectF(x - 1, line.top() - over, 2, line.height() + 2 * over), theme_.ink2);
    }
}

void GaugePainter::number(const QRectF& box, const BoardReading& reading)
{
    double top = head(box, reading);
    double bottom = box.bottom();
    const double line = labelSize() * 1.3;
    const double beside = GaugeInk::wideOf(reading.label, labelSize(), false) + labelSize() * 2;
    if (box.height() < cell_ * 3 && (reading.side != measure::Side::inside || reading.old)) {
        // Low ones say it beside their name.
        limitWords(QRectF(box.left() + beside, box.top(), std::max(0.0, box.width() - beside), line), reading);
    } else if (reading.side != measure::Side::inside || reading.old) {
        limitWords(QRectF(box.left(), bottom - line, box.width(), line), reading);
        bottom -= line;
    } else if (!reading.alsoWords.isEmpty()) {
        painter_.setPen(QPen(theme_.ink2, 1.4, Qt::DashLine));
        painter_.drawLine(QPointF(box.left(), bottom - line / 2), QPointF(box.left() + cell_, bottom - line / 2));
        ink_.words(QRectF(box.left() + cell_ * 1.3, bottom - line, box.width() - cell_ * 1.3, line),
            QObject::tr("asked %1").arg(reading.alsoWords), GaugeInk::font(labelSize() * 0.9, false), theme_.ink2);
        bottom -= line;
    }
    value(QRectF(box.left(), top, box.width(), bottom - top), reading, Qt::AlignLeft, cell_ * 5);
}

void GaugePainter::barGauge(const QRectF& box, const BoardReading& reading)
{
    const bool tall = box.height() > cell_ * 4.4;
    const double thick = std::max(4.0, std::min(cell_ * 0.5, box.height() * 0.16));
    const double under = tall ? labelSize() * 1.2 : 0;
    const QRectF line(box.left(), box.bottom() - thick - under - cell_ * 0.1, box.width(), thick);
    if (tall) {
        const double top = head(box, reading);
        value(QRectF(box.left(), top, box.width(), line.top() - top - cell_ * 0.3), reading, Qt::AlignLeft, cell_ * 5);
        const QRectF below(box.left(), line.bottom() + 1, box.width(), under);
        const QFont small = GaugeInk::font(labelSize() * 0.8, false);
        ink_.words(below, text(database::numberText(reading.from, 6)), small, theme_.ink2);
        ink_.words(below, text(database::numberText(reading.to, 6)), small, theme_.ink2, Qt::AlignRight | Qt::AlignVCenter);
        if (reading.side != measure::Side::inside || reading.old)
            limitWords(below.adjusted(box.width() * 0.2, 0, -box.width() * 0.2, 0), reading);
        else if (!reading.alsoWords.isEmpty())
            ink_.words(below, QObject::tr("wanted %1").arg(reading.alsoWords), small, theme_.ink2, Qt::AlignCenter);
    } else {
        const double half = box.width() * 0.52;
        head(QRectF(box.left(), box.top(), half, box.height()), reading);
        limitWords(QRectF(box.left(), box.top() + labelSize() * 1.35, half, labelSize() * 1.3), reading);
        value(QRectF(box.left() + half, box.top(), box.width() - half, line.top() - box.top() - cell_ * 0.15), reading, Qt::AlignRight,
            cell_ * 3);
    }
    bar(line, reading);
}

// Marks of a dial and its limits, which stand still: drawn once.
void GaugePainter::rim(const Dial& dial, const BoardReading& reading)
{
    static QCache<QString, QPixmap> kept(128);
    const double ratio = painter_.device()->devicePixelRatioF(), reach = dial.radius * 1.2 + 2;
    // As the middle lies between pixels, so it does in the picture.
    const QPointF whole(std::floor(dial.centre.x() - reach), std::floor(dial.centre.y() - reach));
    const QPointF centre = dial.centre - whole;
    QString key = QStringLiteral("%1 %2 %3 %4 %5").arg(dial.radius).arg(centre.x()).arg(centre.y()).arg(ratio).arg(theme_.ink.rgba());
    std::vector<double> limits;
    for (const auto& limit : {reading.below, reading.above})
        if (limit && *limit > reading.from && *limit < reading.to) {
            limits.push_back(angleOf(partOf(reading, *limit)));
            key += QLatin1Char(' ') + QString::number(limits.back());
        }
    QPixmap* known = kept.object(key);
    if (known == nullptr) {
        known = new QPixmap((QSizeF(2 * reach + 2, reach + 2) * ratio).toSize());
        known->setDevicePixelRatio(ratio);
        known->fill(Qt::transparent);
        QPainter painter(known);
        painter.setRenderHint(QPainter::Antialiasing);
        const auto at = [&](double degrees, double radius) {
            const double a = degrees * std::numbers::pi / 180;
            return centre + QPointF(std::sin(a), -std::cos(a)) * radius;
        };
        for (int i = 0; i <= 10; ++i) {
            const double angle = angleOf(i / 10.0);
            painter.setPen(QPen(i % 5 == 0 ? theme_.ink : theme_.ink3, i % 5 == 0 ? 2 : 1.2));
            painter.drawLine(at(angle, dial.radius * (i % 5 == 0 ? 1.04 : 1.07)), at(angle, dial.radius * 1.14));
        }
        for (const double angle : limits) {
            painter.setPen(QPen(theme_.error, 3));
            painter.drawLine(at(angle, dial.radius * 0.98), at(angle, dial.radius * 1.18));
        }
        painter.end();
        kept.insert(key, known);
    }
    painter_.drawPixmap(whole, *known);
}

void GaugePainter::dial(const QRectF& outer, const BoardReading& reading, bool control, bool focused)
{
    const QRectF box = inner(outer, cell_);
    head(box, reading);
    const Dial dial = dialOf(outer, cell_);
    const auto at = [&](double degrees, double radius) {
        const double a = degrees * std::numbers::pi / 180;
        return dial.centre + QPointF(std::sin(a), -std::cos(a)) * radius;
    };
    // Where it was in the last ten seconds.
    if (reading.lately && !reading.old) {
        const double from = angleOf(partOf(reading, reading.lately->first)), to = angleOf(partOf(reading, reading.lately->second));
        const double half = dial.radius * 0.06, r = dial.radius * 0.95;
        const int steps = std::max(1, static_cast<int>(std::ceil((to - from) / 4)));
        QPolygonF band;
        for (int i = 0; i <= steps; ++i)
            band << at(from + (to - from) * i / steps, r + half);
        for (int i = steps; i >= 0; --i)
            band << at(from + (to - from) * i / steps, r - half);
        painter_.setPen(Qt::NoPen);
        painter_.setBrush(blend(theme_.surface, hue(reading), 0.4));
        painter_.drawPolygon(band);
    }
    rim(dial, reading);
    const QFont small = GaugeInk::font(labelSize() * 0.8, false);
    const double wide = dial.radius * 0.9, tall = labelSize();
    const QPointF low = at(angleOf(0), dial.radius * 1.2), high = at(angleOf(1), dial.radius * 1.2);
    ink_.words(QRectF(low.x() - wide, low.y(), wide, tall), text(database::numberText(reading.from, 6)), small, theme_.ink2,
        Qt::AlignRight | Qt::AlignTop);
    ink_.words(QRectF(high.x(), high.y(), wide, tall), text(database::numberText(reading.to, 6)), small, theme_.ink2,
        Qt::AlignLeft | Qt::AlignTop);
    const std::optional<double> shown = control && reading.asked ? reading.asked : reading.value;
    if (shown) {
        const double angle = angleOf(partOf(reading, *shown));
        painter_.setPen(QPen(reading.old ? theme_.ink3 : theme_.ink, std::max(3.0, dial.radius * 0.055),
            reading.old ? Qt::DashLine : Qt::SolidLine, Qt::RoundCap));
        painter_.drawLine(at(angle, dial.radius * 0.14), at(angle, dial.radius * 0.92));
        painter_.setPen(QPen(theme_.ink, std::max(1.5, dial.radius * 0.025)));
        painter_.setBrush(theme_.surface);
        painter_.drawEllipse(dial.centre, dial.radius * 0.045, dial.radius * 0.045);
        if (control) {
            const QPointF tip = at(angle, dial.radius * 1.09);
            const double half = cell_ * 0.3;
            painter_.setPen(QPen(theme_.accent, focused ? 3 : 2));
            painter_.drawPolygon(
                QPolygonF({tip + QPointF(0, -half), tip + QPointF(half, 0), tip + QPointF(0, half), tip + QPointF(-half, 0)}));
        }
    }
    const double top = dial.centre.y() + dial.radius * 0.1;
    QRectF below(box.left(), top, box.width(), box.bottom() - top);
    if (control) {
        controlWords(QRectF(box.left(), box.bottom() - labelSize() * 1.2, box.width(), labelSize() * 1.2), reading);
        below.setBottom(below.bottom() - labelSize() * 1.2);
    } else if (reading.side != measure::Side::inside || reading.old) {
        limitWords(QRectF(box.left(), box.bottom() - labelSize() * 1.3, box.width(), labelSize() * 1.3), reading);
        below.setBottom(below.bottom() - labelSize() * 1.3);
    }
    value(below, reading, Qt::AlignHCenter, cell_ * 3);
}

void GaugePainter::lamp(const QRectF& box, const BoardReading& reading)
{
    const double size = std::min(box.height() * 0.8, cell_ * 1.15);
    const QRectF mark(box.left(), box.center().y() - size / 2, size, size);
    const bool wrong = reading.lit && (reading.above || reading.below) && reading.side != measure::Side::inside;
    const double line = std::max(1.5, cell_ * 0.07);
    if (!reading.lit || reading.old) {
        painter_.setPen(QPen(theme_.ink2, line, reading.old ? Qt::DashLine : Qt::SolidLine));
        painter_.setBrush(Qt::NoBrush);
        painter_.drawEllipse(mark.adjusted(line, line, -line, -line));
    } else if (wrong) {
        painter_.setPen(Qt::NoPen);
        painter_.setBrush(theme_.error);
        painter_.drawRoundedRect(mark, 3, 3);
        ink_.words(mark, QStringLiteral("!"), GaugeInk::font(size * 0.8, false, QFont::Bold), theme_.surface, Qt::AlignCenter);
    } else {
        painter_.setPen(Qt::NoPen);
        painter_.setBrush(theme_.ink);
        painter_.drawEllipse(mark);
    }
    const double left = mark.right() + cell_ * 0.5;
    const QString state = !reading.problem.isEmpty() ? reading.problem
                          : reading.old              ? reading.oldWords
                          : !reading.value           ? QStringLiteral("–")
                          : reading.named            ? reading.number
                          : reading.lit              ? QObject::tr("on")
                                                     : QObject::tr("off");
    const double big = std::min(labelSize() * 1.15, box.height() * 0.5);
    const QFont label = GaugeInk::font(big, false, reading.lit ? QFont::DemiBold : QFont::Normal);
    const double nameWide = GaugeInk::wideOf(reading.label, big, false, reading.lit ? QFont::DemiBold : QFont::Normal);
    const bool two = box.height() > cell_ * 1.5 && !reading.since.isEmpty();
    const QRectF name(left, two ? box.top() : box.top(), box.right() - left, two ? box.height() * 0.55 : box.height());
    ink_.words(name, reading.label, label, reading.lit ? theme_.ink : theme_.ink2);
    double x = left + nameWide + cell_ * 0.35;
    if (reading.bus && x + big < box.right()) {
        ink_.badge(QRectF(x, name.center().y() - big * 0.45, big * 0.9, big * 0.9), stage_.mark(*reading.bus));
        x += big * 1.2;
    }
    const QFont small = GaugeInk::font(labelSize() * 0.85, false);
    if (two)
        ink_.words(QRectF(left, box.top() + box.height() * 0.55, box.right() - left, box.height() * 0.4),
            state + QStringLiteral(" ") + reading.since, small, theme_.ink2);
    else if (x < box.right())
        ink_.words(QRectF(x, name.top(), box.right() - x, name.height()), state, small, reading.old ? theme_.ink : theme_.ink2);
}

void GaugePainter::state(const QRectF& box, const BoardReading& reading)
{
    const QFont small = GaugeInk::font(labelSize() * 0.85, false);
    const double since = reading.since.isEmpty() ? 0 : GaugeInk::wideOf(reading.since, labelSize() * 0.85, false) + 4;
    const double top = head(box, reading, since);
    if (since > 0)
        ink_.words(QRectF(box.right() - since, box.top(), since, labelSize() * 1.3), reading.since, small, theme_.ink2,
            Qt::AlignRight | Qt::AlignVCenter);
    QRectF rest(box.left(), top, box.width(), box.bottom() - top);
    if (reading.old || reading.side != measure::Side::inside) {
        limitWords(QRectF(box.left(), box.bottom() - labelSize() * 1.3, box.width(), labelSize() * 1.3), reading);
        rest.setBottom(rest.bottom() - labelSize() * 1.3);
    }
    if (!reading.problem.isEmpty())
        return ink_.words(rest, reading.problem, GaugeInk::font(labelSize() * 0.8, false), theme_.ink2, Qt::AlignLeft | Qt::AlignTop);
    const QString said = reading.named || reading.unit.isEmpty() ? reading.number : reading.number + QLatin1Char(' ') + reading.unit;
    const QFont::Weight weight = reading.old ? QFont::Light : QFont::DemiBold;
    ink_.words(rest, said,
        GaugeInk::font(GaugeInk::sizeFor(said, std::min(cell_ * 1.6, rest.height() / 1.2), rest.width(), false, weight), false, weight),
        reading.old ? theme_.ink3 : theme_.ink);
}

void GaugePainter::history(const QRectF& box, const BoardReading& reading)
{
    const double left = box.width() * 0.46;
    number(QRectF(box.left(), box.top(), left - cell_ * 0.4, box.height()), reading);
    const QFont small = GaugeInk::font(labelSize() * 0.78, false);
    const double line = labelSize();
    const QRectF plot(box.left() + left, box.top() + line * 0.3,
        box.width() - left - GaugeInk::wideOf(QStringLiteral("00.0 mm"), labelSize() * 0.78, false), box.height() - line * 1.8);
    if (plot.width() < 10 || plot.height() < 10)
        return;
    double low = std::numeric_limits<double>::infinity(), high = -low;
    for (const auto* list : {&reading.past, &reading.alsoPast})
        for (const QPointF& point : *list)
            if (std::isfinite(point.y())) {
                low = std::min(low, point.y());
                high = std::max(high, point.y());
            }
    if (!std::isfinite(low))
        return;
    const double least = (reading.to - reading.from) * 0.02;
    if (high - low < least) {
        const double middle = (high + low) / 2;
        low = middle - least / 2;
        high = middle + least / 2;
    }
    const double wide = high - low > 0 ? high - low : 1;
    low -= wide * 0.08;
    high += wide * 0.08;
    for (int i = 0; i <= 3; ++i)
        painter_.fillRect(
            QRect(static_cast<int>(plot.left()), static_cast<int>(plot.top() + plot.height() * i / 3), static_cast<int>(plot.width()), 1),
            theme_.grid);
    const auto place = [&](const QPointF& point) {
        return QPointF(
            plot.right() + point.x() / reading.pastSpan * plot.width(), plot.bottom() - (point.y() - low) / (high - low) * plot.height());
    };
    // Of each column of pixels the stretch that the steps go through: as wide as the plot, whatever the samples. Written straight into a
    // picture, since there are as many columns as would be shapes.
    const double ratio = painter_.device()->devicePixelRatioF();
    constexpr double margin = 2;
    const QSize size = (QSizeF(plot.width() + 1, plot.height() + 2 * margin) * ratio).toSize();
    if (drawn_.size() != size)
        drawn_ = QImage(size, QImage::Format_ARGB32_Premultiplied);
    QImage& drawn = drawn_;
    drawn.fill(Qt::transparent);
    drawn.setDevicePixelRatio(ratio);
    const QPointF corner(std::floor(plot.left()), std::floor(plot.top() - margin));
    const auto columns = static_cast<std::size_t>(drawn.width());
    const auto trace = [&](const std::vector<QPointF>& points, const QColor& colour, double thick, bool dashed) {
        columns_.assign(columns, {1e9, -1e9});
        const auto columnOf = [&](double x) {
            return static_cast<std::size_t>(std::clamp((x - corner.x()) * ratio, 0.0, static_cast<double>(columns - 1)));
        };
        const auto add = [&](std::size_t column, double y) {
            columns_[column].first = std::min(columns_[column].first, y);
            columns_[column].second = std::max(columns_[column].second, y);
        };
        QPointF before;
        bool any = false;
        for (const QPointF& point : points) {
            if (!std::isfinite(point.y())) {
                any = false;
                continue;
            }
            const QPointF at = place(point);
            const std::size_t to = columnOf(at.x());
            for (std::size_t column = columnOf(any ? before.x() : at.x()); any && column <= to; ++column)
                add(column, before.y());
            add(to, at.y());
            before = at;
            any = true;
        }
        for (std::size_t column = columnOf(before.x()); any && column < columns; ++column)
            add(column, before.y());
        const QRgb ink = qPremultiply(colour.rgba());
        const auto dash = static_cast<std::size_t>(8 * ratio);
        for (std::size_t column = 0; column < columns; ++column) {
            const auto& [top, bottom] = columns_[column];
            if (bottom < top || (dashed && column % dash >= dash * 5 / 8))
                continue;
            const int from = std::max(0, static_cast<int>(std::lround((top - thick / 2 - corner.y()) * ratio)));
            const int to = std::min(
                drawn.height(), std::max(from + 1, static_cast<int>(std::lround((bottom + thick / 2 - corner.y()) * ratio))));
            auto* pixel = reinterpret_cast<QRgb*>(drawn.scanLine(0)) + column;
            const auto stride = drawn.bytesPerLine() / static_cast<qsizetype>(sizeof(QRgb));
            for (int y = from; y < to; ++y)
                pixel[y * stride] = ink;
        }
    };
    trace(reading.alsoPast, theme_.ink2, 1.4, true);
    trace(reading.past, hue(reading), std::max(1.8, cell_ * 0.08), false);
    painter_.drawImage(corner, drawn);
    if (reading.value && !reading.past.empty()) {
        const QPointF now = place(QPointF(0, *reading.value));
        ink_.dot(now, cell_ * 0.16, hue(reading));
    }
    const double right = plot.right() + cell_ * 0.25;
    const GaugeInk::Face& ends = GaugeInk::face(labelSize() * 0.74, true, QFont::Normal);
    ink_.digits(QPointF(right, plot.top() + ends.cap / 2), text(database::numberText(high, 3)), ends, theme_.ink2);
    ink_.digits(QPointF(right, plot.bottom() + ends.cap / 2), text(database::numberText(low, 3)), ends, theme_.ink2);
    const QRectF foot(plot.left(), plot.bottom() + line * 0.3, plot.width(), line * 1.1);
    const QString ago = QObject::tr("%1 s ago").arg(reading.pastSpan, 0, 'f', 0), now = QObject::tr("now");
    ink_.words(foot, ago, small, theme_.ink2);
    if (GaugeInk::wideOf(ago + now, labelSize() * 0.78, false) + line < foot.width())
        ink_.words(foot, now, small, theme_.ink2, Qt::AlignRight | Qt::AlignVCenter);
}

void GaugePainter::picture(const QRectF& box, const board::Item& item)
{
    QString problem;
    const QString path = text(stage_.document().rig().resolve(item.text));
    const double ratio = painter_.device()->devicePixelRatioF();
    QPixmap made = item.text.empty() ? QPixmap() : boardPicture(path, (box.size() * ratio).toSize(), problem);
    if (made.isNull()) {
        painter_.setPen(QPen(theme_.hairline, 1, Qt::DashLine));
        painter_.setBrush(Qt::NoBrush);
        painter_.drawRect(box);
        return ink_.words(box.adjusted(6, 0, -6, 0), problem.isEmpty() ? QObject::tr("a picture: SVG or PNG") : problem,
            GaugeInk::font(labelSize() * 0.8, false), theme_.ink2, Qt::AlignCenter);
    }
    made.setDevicePixelRatio(ratio);
    painter_.drawPixmap(box.topLeft(), made);
}

std::vector<QRectF> GaugePainter::movingOf(const QRectF& box, board::Shown shown, double cell)
{
    const QRectF in = inner(box, cell);
    const double label = std::clamp(cell * 0.72, 9.0, 34.0), top = in.top() + label * 1.4;
    using board::Shown;
    switch (shown) {
    case Shown::number:
    case Shown::dial:
    case Shown::history: return {QRectF(in.left(), top, box.right() - in.left() - 1, box.bottom() - top - 1)};
    case Shown::bar:
        if (in.height() > cell * 4.4)
            return {QRectF(in.left(), top, in.width(), in.bottom() - top)};
        else {
            const double half = in.width() * 0.52, line = in.height() * 0.35;
            return {QRectF(in.left() + half, in.top() - 1, in.width() - half, in.height() - line + 1),
                QRectF(in.left(), in.bottom() - line, in.width(), line + cell * 0.2)};
        }
    default: return {};
    }
}

void GaugePainter::paint(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused)
{
    painter_.save();
    painter_.setClipRect(box, Qt::IntersectClip);
    ink_.paintOnly({});
    draw(box, item, reading, focused);
    painter_.restore();
}

void GaugePainter::paintPart(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused, const QRectF& part)
{
    ink_.paintOnly(part);
    draw(box, item, reading, focused);
}

void GaugePainter::draw(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused)
{
    painter_.setRenderHint(QPainter::Antialiasing);
    const QRectF in = inner(box, cell_);
    if (reading.side != measure::Side::inside && board::isGauge(item.shown))
        painter_.fillRect(QRectF(box.left(), box.top() + cell_ * 0.1, cell_ * 0.18, box.height() - cell_ * 0.2), theme_.error);
    using board::Shown;
    switch (item.shown) {
    case Shown::number: number(in, reading); break;
    case Shown::dial: dial(box, reading, false, false); break;
    case Shown::bar: barGauge(in, reading); break;
    case Shown::lamp: lamp(in, reading); break;
    case Shown::state: state(in, reading); break;
    case Shown::history: history(in, reading); break;
    case Shown::slider: slider(box, reading, focused); break;
    case Shown::turn: dial(box, reading, true, focused); break;
    case Shown::toggle:
    case Shown::choice: parts(box, reading, focused); break;
    case Shown::button:
    case Shown::key: button(box, item, reading, focused); break;
    case Shown::entry: entry(box, reading, focused); break;
    case Shown::title: {
        const QString said = item.text.empty() ? QObject::tr("title") : text(item.text);
        ink_.words(in, said,
            GaugeInk::font(GaugeInk::sizeFor(said, std::min(cell_ * 1.6, in.height() / 1.1), in.width(), false, QFont::DemiBold), false,
                QFont::DemiBold),
            theme_.ink);
        break;
    }
    case Shown::text:
        painter_.setFont(GaugeInk::font(labelSize(), false));
        painter_.setPen(theme_.ink2);
        painter_.drawText(in, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, item.text.empty() ? QObject::tr("text") : text(item.text));
        break;
    case Shown::picture: picture(in, item); break;
    }
}

}  // namespace wavetrope::app
