// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/signal_drag.h"

#include <QDrag>
#include <QMimeData>
#include <QPainter>
#include <QPixmap>
#include <QWidget>

#include <cmath>

#include "app/paint/paint.h"
#include "app/stage/stage.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

QMimeData* signalData(const QString& path)
{
    auto* mime = new QMimeData;
    mime->setData(QLatin1String(signalMime), path.toUtf8());
    mime->setText(path);
    return mime;
}

QPixmap signalChip(const Stage& stage, const QString& path, qreal ratio)
{
    const Theme& theme = Theme::get();
    const auto ref = signalOf(stage.catalog(), path);
    const QString name = ref ? QString::fromStdString(ref->signal().name) : path;
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
        paintBusBadge(painter, QRectF(theme.px(8), theme.px(5), theme.px(14), theme.px(14)), stage.mark(ref->message->bus));
    paintText(painter, QRectF(left, 0, width - left, height), name, theme.bodyStrong(), theme.ink);
    return chip;
}

void dragSignal(QWidget* from, const Stage& stage, const QString& path)
{
    auto* drag = new QDrag(from);
    drag->setMimeData(signalData(path));
    drag->setPixmap(signalChip(stage, path, from->devicePixelRatioF()));
    drag->setHotSpot(QPoint(-10, -6));  // beside the pointer, so that the place it points at is seen
    drag->exec(Qt::CopyAction);
}

}  // namespace wavetrope::app
