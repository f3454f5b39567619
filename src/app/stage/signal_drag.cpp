// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/signal_drag.h"

#include <QDrag>
#include <QMimeData>
#include <QPainter>
#include <QPixmap>
#include <QWidget>

#include <cmath>

#include "app/paint/paint.h"
#include "app/stage/curve_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr const char* laneMime = "application/x-wavetrope-lane";

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
    const Theme& theme = Theme::get();
    const auto source = curveOf(stage.document().catalog(), paths.value(0));
    QString name = source ? source->name() : paths.value(0);
    if (paths.size() > 1)
        name += QObject::tr(" and %1 more").arg(paths.size() - 1);
    const bool ref = source && source->bus();
    const double left = theme.px(ref ? 28 : 8);
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
    if (ref)
        paintBusBadge(painter, QRectF(theme.px(8), theme.px(5), theme.px(14), theme.px(14)), stage.mark(*source->bus()));
    paintText(painter, QRectF(left, 0, width - left, height), name, theme.bodyStrong(), theme.ink);
    return chip;
}

void dragSignals(QWidget* from, Stage& stage, const QStringList& paths, int lane)
{
    auto* drag = new QDrag(from);
    drag->setMimeData(signalData(paths, lane));
    drag->setPixmap(signalChip(stage, paths, from->devicePixelRatioF()));
    drag->setHotSpot(QPoint(-10, -6));  // beside the pointer, so that the place it points at is seen
    drag->exec(Qt::CopyAction);
}

}  // namespace wavetrope::app
