// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/gauge_ink.h"

#include <QCache>
#include <QPixmap>
#include <QStaticText>

#include <algorithm>
#include <cmath>
#include <memory>
#include <unordered_map>

#include "app/paint/paint.h"

namespace wavetrope::app {

// Fonts by size, with their measures: made once, since shaping costs more than painting.
const GaugeInk::Face& GaugeInk::face(double pixels, bool mono, QFont::Weight weight)
{
    static std::unordered_map<std::uint32_t, std::unique_ptr<Face>> kept;
    const Theme& theme = Theme::get();
    const auto size = static_cast<std::uint32_t>(std::clamp(pixels, 7.0, 1000.0));
    const std::uint32_t key = size << 12U | (mono ? 1U << 11U : 0U) | static_cast<std::uint32_t>(weight);
    std::unique_ptr<Face>& known = kept[key];
    if (!known) {
        QFont made = mono ? theme.mono(10, weight) : theme.text(10, weight);
        made.setPixelSize(static_cast<int>(size));
        const QFontMetricsF metrics(made);
        known = std::make_unique<Face>(
            Face{made, metrics.ascent(), metrics.descent(), metrics.capHeight(), metrics.horizontalAdvance(QLatin1Char('0')), key});
    }
    return *known;
}

// Of words at a hundred pixels: digits of the monospace face have one width, others are remembered.
double GaugeInk::wideAt100(const QString& words, bool mono, QFont::Weight weight)
{
    const Face& at100 = face(100, mono, weight);
    if (mono && std::all_of(words.begin(), words.end(), [](QChar c) { return c.unicode() < 128; }))
        return at100.digit * static_cast<double>(words.size());
    static QCache<QString, double> kept(4096);
    const QString key = QString::number(static_cast<int>(weight)) + (mono ? QLatin1Char('m') : QLatin1Char('t')) + words;
    if (const double* known = kept.object(key))
        return *known;
    const double wide = QFontMetricsF(at100.font).horizontalAdvance(words);
    kept.insert(key, new double(wide));
    return wide;
}

double GaugeInk::wideOf(const QString& words, double pixels, bool mono, QFont::Weight weight)
{
    return wideAt100(words, mono, weight) * std::clamp(std::floor(pixels), 7.0, 1000.0) / 100;
}

QFont GaugeInk::font(double pixels, bool mono, QFont::Weight weight) { return face(pixels, mono, weight).font; }

double GaugeInk::sizeFor(const QString& words, double most, double width, bool mono, QFont::Weight weight)
{
    const double at100 = wideAt100(words, mono, weight);
    return at100 <= 0 ? most : std::min(most, 100 * width / at100);
}

void GaugeInk::words(const QRectF& box, const QString& text, const QFont& font, const QColor& colour, Qt::Alignment alignment)
{
    if (!touches(box))
        return;
    const bool mono = font.family() == monoFamily_;
    const auto weight = static_cast<QFont::Weight>(font.weight());
    const double wide = wideOf(text, font.pixelSize(), mono, weight);
    if (wide > box.width() || box.width() <= 0)
        return paintText(painter_, box, text, font, colour, alignment);
    const Face& drawn = face(font.pixelSize(), mono, weight);
    const double x = (alignment & Qt::AlignRight) != 0     ? box.right() - wide
                     : (alignment & Qt::AlignHCenter) != 0 ? box.center().x() - wide / 2
                                                           : box.left();
    const double y = (alignment & Qt::AlignTop) != 0 ? box.top() + drawn.ascent : box.center().y() + (drawn.ascent - drawn.descent) / 2;
    draw({x, y}, text, drawn, colour);
}

void GaugeInk::draw(const QPointF& base, const QString& text, const Face& face, const QColor& colour)
{
    static QCache<QString, QStaticText> kept(8192);
    const QString key = QString(QChar(static_cast<char16_t>(face.key & 0xFFFFU))) + QChar(static_cast<char16_t>(face.key >> 16U)) + text;
    QStaticText* known = kept.object(key);
    painter_.setFont(face.font);
    painter_.setPen(colour);
    if (known == nullptr) {
        auto made = std::make_unique<QStaticText>(text);
        made->setTextFormat(Qt::PlainText);
        made->setPerformanceHint(QStaticText::AggressiveCaching);
        made->prepare({}, face.font);
        known = made.get();
        kept.insert(key, made.release());
    }
    painter_.drawStaticText(QPointF(base.x(), base.y() - face.ascent), *known);
}

void GaugeInk::digits(const QPointF& base, const QString& number, const Face& face, const QColor& colour)
{
    if (!std::all_of(number.begin(), number.end(), [](QChar c) { return c.unicode() < 128; }))
        return draw(base, number, face, colour);
    static std::unordered_map<std::uint64_t, QPixmap> kept;
    constexpr std::size_t most = 4096;
    const double ratio = painter_.device()->devicePixelRatioF();
    if (kept.size() > most)
        kept.clear();
    const double top = std::floor(base.y() - face.ascent);
    for (qsizetype i = 0; i < number.size(); ++i) {
        if (number[i] == QLatin1Char(' '))
            continue;
        const std::uint64_t key = (static_cast<std::uint64_t>(colour.rgb() & 0xFFFFFFU) << 40U)
                                  ^ (static_cast<std::uint64_t>(face.key) << 12U) ^ (static_cast<std::uint64_t>(ratio * 4) << 8U)
                                  ^ number[i].unicode();
        QPixmap& known = kept[key];
        if (known.isNull()) {
            known = QPixmap((QSizeF(std::ceil(face.digit) + 2, std::ceil(face.ascent + face.descent) + 2) * ratio).toSize());
            known.setDevicePixelRatio(ratio);
            known.fill(Qt::transparent);
            QPainter painter(&known);
            painter.setFont(face.font);
            painter.setPen(colour);
            painter.drawText(QPointF(1, face.ascent), QString(number[i]));
        }
        painter_.drawPixmap(QPointF(std::round(base.x() + face.digit * static_cast<double>(i)) - 1, top), known);
    }
}

// As a picture, since there are as many as items.
void GaugeInk::badge(const QRectF& box, const BusMark& mark)
{
    if (!touches(box))
        return;
    static QCache<QString, QPixmap> kept(256);
    const double ratio = painter_.device()->devicePixelRatioF();
    const QSize size(static_cast<int>(std::ceil(box.width())) + 1, static_cast<int>(std::ceil(box.height())) + 1);
    const QString key = QStringLiteral("%1 %2 %3 %4 %5 %6")
                            .arg(mark.letter)
                            .arg(mark.hue)
                            .arg(mark.again)
                            .arg(size.width())
                            .arg(ratio)
                            .arg(theme_.bus(mark).rgba());
    QPixmap* known = kept.object(key);
    if (known == nullptr) {
        known = new QPixmap(size * ratio);
        known->setDevicePixelRatio(ratio);
        known->fill(Qt::transparent);
        QPainter painter(known);
        painter.setRenderHint(QPainter::Antialiasing);
        paintBusBadge(painter, QRectF(0, 0, box.width(), box.height()), mark);
        painter.end();
        kept.insert(key, known);
    }
    painter_.drawPixmap(box.topLeft().toPoint(), *known);
}

void GaugeInk::dot(const QPointF& centre, double radius, const QColor& colour)
{
    static QCache<QString, QPixmap> kept(64);
    const double ratio = painter_.device()->devicePixelRatioF();
    const QString key = QStringLiteral("%1 %2 %3").arg(radius).arg(colour.rgba()).arg(ratio);
    QPixmap* known = kept.object(key);
    const double side = std::ceil(2 * radius) + 2;
    if (known == nullptr) {
        known = new QPixmap((QSizeF(side, side) * ratio).toSize());
        known->setDevicePixelRatio(ratio);
        known->fill(Qt::transparent);
        QPainter painter(known);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(Qt::NoPen);
        painter.setBrush(colour);
        painter.drawEllipse(QPointF(side / 2, side / 2), radius, radius);
        painter.end();
        kept.insert(key, known);
    }
    painter_.drawPixmap(QPointF(std::round(centre.x() - side / 2), std::round(centre.y() - side / 2)), *known);
}

}  // namespace wavetrope::app
