// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/paint/paint.h"

#include <QCache>
#include <QGlyphRun>
#include <QRawFont>
#include <QStaticText>

#include <QFontMetricsF>

#include <algorithm>
#include <cmath>
#include <map>

#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr unsigned beatsShown = 24;
constexpr std::size_t strokedTint = 2, dottedTint = 3;      // reddish and greenish

}  // namespace

namespace {

void paintBadge(QPainter& painter, const QRectF& box, QPen pen, const QString& letter)
{
    const Theme& theme = Theme::get();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    pen.setWidthF(std::max(1.5, box.width() / 9));
    painter.setPen(pen);
    painter.setBrush(theme.surface);
    const double inset = pen.widthF() / 2;
    painter.drawRoundedRect(box.adjusted(inset, inset, -inset, -inset), box.width() / 5, box.width() / 5);
    QFont font = theme.text(9.5, QFont::Bold);
    font.setPixelSize(std::max(font.pixelSize(), static_cast<int>(box.height() * 0.62)));
    painter.restore();
    paintText(painter, box.adjusted(-4, 0, 4, 0), letter, font, theme.ink, Qt::AlignCenter);
}

}  // namespace

void paintBusBadge(QPainter& painter, const QRectF& box, const BusMark& mark)
{
    QPen pen(Theme::get().bus(mark));
    if (mark.again)
        pen.setStyle(Qt::DashLine);
    paintBadge(painter, box, pen, mark.letter);
}

void paintDerivedBadge(QPainter& painter, const QRectF& box) { paintBadge(painter, box, QPen(Theme::get().ink2), QStringLiteral("=")); }

namespace {

// Shaping a text costs several times what painting it does, so texts that come again are laid out once; and numbers, in a
// face whose characters have one width, need no shaping.
struct TextKey {
    QString text;
    int size;
    int weight;
    int room;       // where it is elided; else -1
    friend bool operator==(const TextKey&, const TextKey&) = default;
};
size_t qHash(const TextKey& key, size_t seed = 0) { return qHashMulti(seed, key.text, key.size, key.weight, key.room); }

struct LaidOut {
    QStaticText text;
    double width = 0;
};

constexpr int keptTexts = 4096;

const LaidOut& laidOut(const QString& text, const QFont& font, int room)
{
    static auto& kept = *new QCache<TextKey, LaidOut>(keptTexts);     // outlives the application object
    const TextKey key{text, font.pixelSize(), font.weight(), room};
    if (const LaidOut* found = kept.object(key))
        return *found;
    auto* made = new LaidOut;
    made->text.setTextFormat(Qt::PlainText);
    made->text.setPerformanceHint(QStaticText::AggressiveCaching);
    QString shown = room < 0 ? text : QFontMetricsF(font).elidedText(text, Qt::ElideMiddle, room);
    // The face of texts makes a times sign of an x between digits: not of what introduces hexadecimal ones.
    made->text.setText(shown.replace(QLatin1String("0x"), QStringLiteral("0\u200Cx")));
    made->text.prepare(QTransform(), font);
    made->width = made->text.size().width();
    kept.insert(key, made);
    return *made;
}

// One size and weight of the face of numbers.
struct Digits {
    QRawFont font;
    std::array<quint32, 128> glyphs{};
    quint32 dots = 0;
    double advance = 0;
    double ascent = 0;
    double height = 0;
};

const Digits& digitsOf(const QFont& font)
{
    static auto& all = *new std::map<std::pair<int, int>, Digits>;
    auto [found, isNew] = all.try_emplace({font.pixelSize(), font.weight()});
    Digits& digits = found->second;
    if (isNew) {
        digits.font = QRawFont::fromFont(font);
        for (char16_t c = 32; c < 127; ++c) {
            const QList<quint32> glyph = digits.font.glyphIndexesForString(QString(QChar(c)));
            digits.glyphs[c] = glyph.isEmpty() ? 0 : glyph.front();
        }
        const QList<quint32> dots = digits.font.glyphIndexesForString(QStringLiteral("\u2026"));
        digits.dots = dots.isEmpty() ? digits.glyphs['.'] : dots.front();
        const QFontMetricsF metrics(font);
        digits.advance = metrics.horizontalAdvance(QLatin1Char('0'));
        digits.ascent = metrics.ascent();
        digits.height = metrics.height();
    }
    return digits;
}

bool isPlain(const QString& text)
{
    return std::all_of(text.begin(), text.end(), [](QChar c) { return c.unicode() >= 32 && c.unicode() < 127; });
}

double leftFor(const QRectF& box, double width, Qt::Alignment alignment)
{
    return (alignment & Qt::AlignRight) ? box.right() - width : (alignment & Qt::AlignHCenter) ? box.center().x() - width / 2 : box.left();
}

void paintDigits(QPainter& painter, const QRectF& box, const QString& text, const QFont& font, Qt::Alignment alignment)
{
    const Digits& digits = digitsOf(font);
    QList<quint32> glyphs;
    const auto fit = static_cast<qsizetype>((box.width() + 0.5) / digits.advance);
    if (text.size() <= fit) {
        for (const QChar c : text)
            glyphs << digits.glyphs[c.unicode()];
    } else {    // what stands in the middle is left out
        const qsizetype kept = std::max<qsizetype>(0, fit - 1);
        for (qsizetype i = 0; i < (kept + 1) / 2; ++i)
            glyphs << digits.glyphs[text[i].unicode()];
        glyphs << digits.dots;
        for (qsizetype i = text.size() - kept / 2; i < text.size(); ++i)
            glyphs << digits.glyphs[text[i].unicode()];
    }
    QList<QPointF> places;
    for (qsizetype i = 0; i < glyphs.size(); ++i)
        places << QPointF(static_cast<double>(i) * digits.advance, 0);
    QGlyphRun run;
    run.setRawFont(digits.font);
    run.setGlyphIndexes(glyphs);
    run.setPositions(places);
    painter.drawGlyphRun(QPointF(leftFor(box, static_cast<double>(glyphs.size()) * digits.advance, alignment),
                             std::floor(box.top() + (box.height() - digits.height) / 2 + digits.ascent + 0.5)),
        run);
}

}  // namespace

void paintText(QPainter& painter, const QRectF& box, const QString& text, const QFont& font, const QColor& colour, Qt::Alignment alignment)
{
    if (box.width() <= 2 || text.isEmpty())
        return;
    painter.setPen(colour);
    static const QString numbers = Theme::get().mono().family();
    if (font.family() == numbers && isPlain(text))
        return paintDigits(painter, box, text, font, alignment);
    const LaidOut* shown = &laidOut(text, font, -1);
    if (shown->width > box.width() + 0.5)
        shown = &laidOut(text, font, static_cast<int>(box.width()));
    painter.setFont(font);
    const double height = shown->text.size().height();
    const double y = (alignment & Qt::AlignTop)      ? box.top()
                     : (alignment & Qt::AlignBottom) ? box.bottom() - height
                                                     : box.top() + (box.height() - height) / 2;
    painter.drawStaticText(QPointF(leftFor(box, shown->width, alignment), std::floor(y + 0.5)), shown->text);
}

Flag flagOf(const measure::Event& event)
{
    using Kind = measure::EventKind;
    switch (event.kind) {
    case Kind::errorFrame:
    case Kind::burst:
    case Kind::missedBeats:
    case Kind::state:
    case Kind::dialogue: return Flag::wrong;
    case Kind::note: return Flag::note;
    default: return Flag::condition;
    }
}

void paintTint(QPainter& painter, const QRectF& box, std::size_t field)
{
    const Theme& theme = Theme::get();
    const std::size_t tint = field % theme.tint.size();
    painter.fillRect(box, theme.tint[tint]);
    if (tint != strokedTint && tint != dottedTint)
        return;
    painter.save();
    painter.setClipRect(box, Qt::IntersectClip);
    QColor ink = theme.ink;
    ink.setAlphaF(0.15F);
    const double step = theme.px(tint == strokedTint ? 6 : 4);
    if (tint == strokedTint) {
        // Counted from the corner of the widget, so that they go on from box to box.
        painter.setPen(QPen(ink, 1));
        for (double at = std::floor((box.left() - box.bottom()) / step) * step; at < box.right() - box.top(); at += step)
            painter.drawLine(QPointF(at + box.top(), box.top()), QPointF(at + box.bottom(), box.bottom()));
    } else {
        for (double y = std::ceil(box.top() / step) * step; y < box.bottom(); y += step)
            for (double x = std::ceil(box.left() / step) * step; x < box.right(); x += step)
                painter.fillRect(QRectF(x, y, 1, 1), ink);
    }
    painter.restore();
}

QString silentText(double seconds, const QFont& font, double width)
{
    // Three digits at the most, rounded down.
    const auto [value, unit] = seconds < 1000      ? std::pair(seconds, "s")
                               : seconds < 6000    ? std::pair(seconds / 60, "min")
                               : seconds < 360'000 ? std::pair(seconds / 3600, "h")
                                                   : std::pair(seconds / 86'400, "d");
    const bool whole = value >= 100 || seconds >= 1000;
    const QString time = QStringLiteral("%1 %2")
                             .arg(whole ? std::floor(value) : std::floor(value * 10) / 10, 0, 'f', whole ? 0 : 1)
                             .arg(QLatin1String(unit));
    const QString words = QObject::tr("silent %1").arg(time);
    return QFontMetricsF(font).horizontalAdvance(words) <= width ? words : time;
}

void paintFlag(QPainter& painter, const QPointF& centre, double size, Flag flag)
{
    const Theme& theme = Theme::get();
    const double s = size / 2;
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(flag == Flag::wrong ? theme.error : flag == Flag::note ? theme.accent : theme.ink2);
    const QPointF triangle[3] = {centre + QPointF(-s, -s * 0.6), centre + QPointF(s, -s * 0.6), centre + QPointF(0, s * 0.9)};
    const QPointF diamond[4] = {
        centre + QPointF(0, -s * 1.2), centre + QPointF(s, 0), centre + QPointF(0, s * 1.2), centre + QPointF(-s, 0)};
    if (flag == Flag::wrong)
        painter.drawPolygon(diamond, 4);
    else if (flag == Flag::note)
        painter.drawEllipse(centre, s * 0.8, s * 0.8);
    else
        painter.drawPolygon(triangle, 3);
    painter.restore();
}

void paintWarning(QPainter& painter, const QPointF& centre, double size)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(Theme::get().error, 1.3));
    painter.setBrush(Qt::NoBrush);
    const QPointF points[3] = {
        centre + QPointF(0, -size * 0.5), centre + QPointF(size * 0.55, size * 0.45), centre + QPointF(-size * 0.55, size * 0.45)};
    painter.drawPolygon(points, 3);
    painter.restore();
}

double latticeWidth() { return Theme::get().px(8 * 20.6); }

void paintBitLattice(QPainter& painter, const QRectF& box, const std::uint8_t* data, unsigned length, const measure::BitMask& lately,
    const measure::BitMask& ever)
{
    const Theme& theme = Theme::get();
    const QColor still = theme.faint;
    const QColor empty = theme.grid;
    const double unit = theme.scale();
    if (length > can::maxClassicLength) {
        // One cell a byte, in two rows.
        const unsigned perRow = (length + 1) / 2;
        const double cell = std::min(6.0 * unit, box.width() / perRow);
        for (unsigned i = 0; i < length; ++i) {
            const QRectF at(box.left() + (i % perRow) * cell, box.center().y() + (i < perRow ? -6.5 : 0.5) * unit, cell - unit, 5 * unit);
            const bool moved = lately.bytes[i] != 0;
            QColor fill = data[i] == 0 && !moved ? empty : moved ? theme.ink : still;
            if (moved)
                fill.setAlphaF(0.35F + 0.65F * static_cast<float>(data[i]) / 255.0F);
            painter.fillRect(at, fill);
            if (moved)
                painter.fillRect(QRectF(at.left(), at.bottom(), at.width(), unit), theme.accent);
        }
        return;
    }
    const double cell = 4.0 * unit;
    const double pitch = 4.6 * unit;
    const double byteWidth = 20.6 * unit;
    const double top = box.center().y() - 6.5 * unit;
    for (unsigned i = 0; i < length; ++i)
        for (unsigned k = 0; k < 8; ++k) {
            const unsigned bit = 7 - k;
            const QRectF at(box.left() + i * byteWidth + (k % 4) * pitch, top + (k < 4 ? 0 : 7.0 * unit), cell, 4.6 * unit);
            const bool one = (data[i] >> bit & 1U) != 0;
            const bool moved = lately.test(i, bit);
            const bool alive = moved || ever.test(i, bit);
            painter.fillRect(at, one ? (alive ? theme.ink : still) : empty);
            if (moved)
                painter.fillRect(QRectF(at.left(), at.bottom() + 0.4 * unit, cell, 1.2 * unit), theme.accent);
        }
}

void paintLever(QPainter& painter, const QPointF& centre, const QColor& colour)
{
    const Theme& theme = Theme::get();
    const double s = theme.px(5);
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(colour, 1.8, Qt::SolidLine, Qt::RoundCap));
    painter.drawLine(centre + QPointF(-s, s * 0.55), centre + QPointF(s * 1.1, -s * 0.7));
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour);
    painter.drawPolygon(QPolygonF({centre + QPointF(-s * 0.2, s * 0.15), centre + QPointF(s * 0.45, s), centre + QPointF(-s * 0.85, s)}));
    painter.restore();
}

void paintRhythm(
    QPainter& painter, const QRectF& box, const std::vector<Time>& beats, Time period, Time at, const std::vector<Time>* refused)
{
    const Theme& theme = Theme::get();
    if (beats.size() < 2 && period.count() == 0) {
        if (refused == nullptr)
            return;
        period = std::chrono::seconds(1);
    }
    if (period.count() == 0) {
        // Nothing is promised: measured against the median of the gaps.
        std::vector<Time> gaps;
        for (std::size_t i = 1; i < beats.size(); ++i)
            gaps.push_back(beats[i] - beats[i - 1]);
        std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
        period = std::max(Time(1), gaps[gaps.size() / 2]);
    }
    const double width = box.width() / beatsShown;
    const double half = theme.px(5.5);
    const auto x = [&](Time time) {
        return box.right() - static_cast<double>((at - time).count()) / static_cast<double>(period.count()) * width;
    };
    painter.save();
    painter.setClipRect(box.adjusted(-1, -2, 1, 2));
    const auto hole = [&](double place) {
        painter.setPen(QPen(theme.error, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(place - 1.5, box.center().y() - half, 3, 2 * half));
    };
    if (refused != nullptr)
        for (const Time moment : *refused)
            if (x(moment) >= box.left())
                hole(x(moment));
    for (std::size_t i = 0; i <= beats.size(); ++i) {
        const Time next = i < beats.size() ? beats[i] : at;
        if (i > 0 && refused == nullptr) {
            // Holes between this arrival and the one before.
            const double missed = static_cast<double>((next - beats[i - 1]).count()) / static_cast<double>(period.count());
            const int holes = std::min(30, static_cast<int>(missed + (i < beats.size() ? 0.4 : -0.5)) - (i < beats.size() ? 1 : 0));
            if (missed > 1.6)
                for (int k = 1; k <= holes; ++k)
                    if (const double place = x(beats[i - 1] + period * k); place >= box.left())
                        hole(place);
        }
        if (i < beats.size() && x(next) >= box.left())
            painter.fillRect(
                QRectF(std::round(x(next)) - 0.5, box.center().y() - half, std::max(1.0, theme.scale()), 2 * half), theme.ink2);
    }
    painter.restore();
}

QString secondsText(double seconds, int decimals) { return QString::number(seconds, 'f', decimals); }

QString valueText(double value, double factor)
{
    if (!std::isfinite(value))
        return QStringLiteral("not a number");
    const double step = std::abs(factor);
    int decimals = 0;
    if (step > 0 && step < 1)
        decimals = std::clamp(static_cast<int>(std::ceil(-std::log10(step) - 1e-9)), 0, 6);
    if (step == 1 && value != std::floor(value))
        decimals = 3;  // a floating-point signal
    if (std::abs(value) >= 1e7)
        return QString::number(value, 'g', 10);
    return QString::number(value, 'f', decimals);
}

QString counted(std::uint64_t count, const char* what)
{
    return countText(count) + QLatin1Char(' ') + QLatin1String(what) + (count == 1 ? QString() : QStringLiteral("s"));
}

QString readingText(const database::Signal& signal, std::uint64_t bits, double value)
{
    const std::string_view label = database::textOf(signal, bits);
    if (!label.empty())
        return QString::fromUtf8(label.data(), static_cast<qsizetype>(label.size()));
    return signal.unit.empty() ? valueText(value, signal.factor)
                               : valueText(value, signal.factor) + QLatin1Char(' ') + QString::fromStdString(signal.unit);
}

QString signalWords(const database::CatalogMessage& message, can::Payload payload, const QFont& font, double room)
{
    std::vector<database::Decoded> decoded;
    message.plan.decode(payload, decoded);
    const QFontMetricsF metrics(font);
    const QString between = QStringLiteral(",  ");
    const double gap = metrics.horizontalAdvance(between);
    QString text;
    double used = 0;
    for (const database::Decoded& value : decoded) {
        const database::Signal& signal = message.message->signals[value.signal];
        const QString part = QString::fromStdString(signal.name) + QLatin1Char(' ') + readingText(signal, value);
        used += metrics.horizontalAdvance(part) + (text.isEmpty() ? 0 : gap);
        if (used > room && !text.isEmpty())
            break;
        text += text.isEmpty() ? part : between + part;
    }
    return text;
}

QStringList signalParts(const database::CatalogMessage& message, const database::Decoded& decoded)
{
    const database::Signal& signal = message.message->signals[decoded.signal];
    const std::string_view meaning = database::textOf(signal, decoded.bits);
    QString value = valueText(decoded.value, signal.factor);
    if (!signal.unit.empty())
        value += QLatin1Char(' ') + QString::fromStdString(signal.unit);
    QString range;
    if (signal.minimum && decoded.value < *signal.minimum)
        range = QObject::tr("below its minimum, %1").arg(valueText(*signal.minimum, signal.factor));
    else if (signal.maximum && decoded.value > *signal.maximum)
        range = QObject::tr("above its maximum, %1").arg(valueText(*signal.maximum, signal.factor));
    return {value, QString::fromUtf8(meaning.data(), static_cast<qsizetype>(meaning.size())),
        QObject::tr("raw %1").arg(rawText(
            database::rawText(message.plan.plan(decoded.signal), decoded.bits), decoded.bits, message.plan.plan(decoded.signal).length)),
        range};
}

void paintSignalLine(QPainter& painter, const QRectF& box, const database::CatalogMessage& message, const database::Decoded& decoded)
{
    const Theme& theme = Theme::get();
    const QStringList parts = signalParts(message, decoded);
    const auto part = [&](double from, double to) {
        return QRectF(box.left() + theme.px(from), box.top(), theme.px(to - from), box.height());
    };
    const bool outside = !parts[3].isEmpty();
    paintText(painter, part(0, 168), QString::fromStdString(message.message->signals[decoded.signal].name), theme.body(), theme.ink);
    paintText(painter, part(172, 282), parts[0], theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
    paintText(painter, part(298, 438), parts[1], theme.body(), theme.ink2);
    paintText(painter, part(442, 540), parts[2], theme.mono(), theme.ink3);
    if (outside) {
        paintWarning(painter, QPointF(box.left() + theme.px(552), box.center().y()), theme.px(9));
        paintText(painter, part(562, 800), parts[3], theme.body(), theme.ink);
    }
}

QString countText(std::uint64_t count)
{
    QString text = QString::number(count);
    for (qsizetype at = text.size() - 3; at > 0; at -= 3)
        text.insert(at, QLatin1Char(','));
    return text;
}

}  // namespace wavetrope::app
