// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/signal_drag.h"

#include <QDrag>
#include <QMimeData>
#include <QPainter>
#include <QPixmap>
#include <QWidget>

#include <algorithm>
#include <cmath>
#include <optional>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/curve_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr const char* laneMime = "application/x-wavetrope-lane";
constexpr const char* messageMime = "application/x-wavetrope-messages";
constexpr const char* nodeMime = "application/x-wavetrope-nodes";

QPixmap chipOf(const QString& name, const std::optional<BusMark>& bus, qreal ratio)
{
    const Theme& theme = Theme::get();
    const double left = theme.px(bus ? 28 : 8);
    const double width = std::ceil(left + QFontMetricsF(theme.bodyStrong()).horizontalAdvance(name) + theme.px(10));
    const double height = theme.px(24);
    QPixmap chip((QSizeF(width, height) * ratio).toSize());
    chip.setDevicePixelRatio(ratio);
    chip.fill(Qt::transparent);
    QPainter painter(&chip);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(theme.accent, 1));
    painter.setBrush(theme.surface);
    painter.drawRoundedRect(QRectF(0.5, 0.5, width - 1, height - 1), 4, 4);
    if (bus)
        paintBusBadge(painter, QRectF(theme.px(8), theme.px(5), theme.px(14), theme.px(14)), *bus);
    paintText(painter, QRectF(left, 0, width - left, height), name, theme.bodyStrong(), theme.ink);
    return chip;
}

QString withMore(const QString& first, qsizetype count) { return count > 1 ? first + QObject::tr(" and %1 more").arg(count - 1) : first; }

void drag(QWidget* from, QMimeData* mime, const QPixmap& chip)
{
    auto* drag = new QDrag(from);
    drag->setMimeData(mime);
    drag->setPixmap(chip);
    drag->setHotSpot(QPoint(-10, -6));  // beside the pointer, so that the place it points at is seen
    drag->exec(Qt::CopyAction);
}

}  // namespace

QMimeData* signalData(const QStringList& paths, int lane)
{
    auto* mime = new QMimeData;
    mime->setData(QLatin1String(signalMime), paths.join(QLatin1Char('\n')).toUtf8());
    mime->setText(paths.join(QLatin1Char('\n')));
    if (lane >= 0)
        mime->setData(QLatin1String(laneMime), QByteArray::number(lane));
    return mime;
}

QStringList pathsIn(const QMimeData* mime)
{
    return QString::fromUtf8(mime->data(QLatin1String(signalMime))).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
}

int laneIn(const QMimeData* mime) { return mime->hasFormat(QLatin1String(laneMime)) ? mime->data(QLatin1String(laneMime)).toInt() : -1; }

QPixmap signalChip(Stage& stage, const QStringList& paths, qreal ratio)
{
    const auto source = curveOf(stage.document().catalog(), paths.value(0));
    return chipOf(withMore(source ? source->name() : paths.value(0), paths.size()),
        source && source->bus() ? std::optional(stage.mark(*source->bus())) : std::nullopt, ratio);
}

void dragSignals(QWidget* from, Stage& stage, const QStringList& paths, int lane)
{
    drag(from, signalData(paths, lane), signalChip(stage, paths, from->devicePixelRatioF()));
}

QMimeData* sendableData(const Sendable& what)
{
    auto* mime = what.paths.isEmpty() ? new QMimeData : signalData(what.paths);
    QStringList messages;
    for (const auto& [bus, id] : what.messages)
        messages << QStringLiteral("%1 %2").arg(bus).arg(id.key());
    if (!messages.isEmpty())
        mime->setData(QLatin1String(messageMime), messages.join(QLatin1Char('\n')).toUtf8());
    if (!what.nodes.isEmpty())
        mime->setData(QLatin1String(nodeMime), what.nodes.join(QLatin1Char('\n')).toUtf8());
    return mime;
}

Sendable sendableIn(const database::Catalog& catalog, const QMimeData* mime)
{
    const auto linesOf = [mime](const char* kind) {
        return QString::fromUtf8(mime->data(QLatin1String(kind))).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
    };
    Sendable out;
    const auto add = [&](const MessageKey& key) {
        if (std::find(out.messages.begin(), out.messages.end(), key) == out.messages.end())
            out.messages.push_back(key);
    };
    for (const QString& line : linesOf(messageMime))
        add({static_cast<std::uint8_t>(line.section(QLatin1Char(' '), 0, 0).toUInt()),
            can::Identifier::fromKey(line.section(QLatin1Char(' '), 1, 1).toUInt())});
    out.nodes = linesOf(nodeMime);
    out.paths = pathsIn(mime);
    // Signals beside their message are only its curves.
    if (out.messages.empty())
        for (const QString& path : out.paths)
            if (const auto ref = signalOf(catalog, path))
                add({ref->message->bus, ref->message->message->id});
    return out;
}

bool carriesSendable(const QMimeData* mime)
{
    return mime->hasFormat(QLatin1String(messageMime)) || mime->hasFormat(QLatin1String(nodeMime))
           || mime->hasFormat(QLatin1String(signalMime));
}

void dragSendable(QWidget* from, Stage& stage, const Sendable& what)
{
    const qsizetype count = static_cast<qsizetype>(what.messages.size()) + what.nodes.size();
    if (count == 0)
        return;
    QString name = what.nodes.value(0);
    std::optional<BusMark> bus;
    if (!what.messages.empty()) {
        const auto& [on, id] = what.messages.front();
        const auto* message = stage.catalog().find(on, id);
        name = text(message != nullptr ? message->message->name : can::toText(id));
        bus = stage.mark(on);
    }
    drag(from, sendableData(what), chipOf(withMore(name, count), bus, from->devicePixelRatioF()));
}

}  // namespace wavetrope::app
