// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDragEnterEvent>
#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/playback/playback_view.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t cells = 240;

}  // namespace

PlaybackStrip::PlaybackStrip(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("playbackStrip"));
    setFixedHeight(Theme::get().px(40));
    setToolTip(tr("The log. Click: go there. Drag: play only this stretch"));
}

void PlaybackStrip::setLog(const std::shared_ptr<const trace::Trace>& log)
{
    log_ = log;
    histogram_.assign(cells, 0);
    rangeFrom_ = rangeTo_ = Time{0};
    if (!log)
        return;
    const trace::Snapshot snapshot = log->snapshot();
    const Time from = snapshot.earliest();
    const Time span = std::max(Time(1), snapshot.latest() - from);
    // Every so many frames is enough for a picture of the density.
    const trace::Row step = std::max<trace::Row>(1, snapshot.rows() / 4'000'000);
    for (trace::Row row = 0; row < snapshot.rows(); row += step)
        ++histogram_[std::min(cells - 1, static_cast<std::size_t>(static_cast<double>((snapshot.time(row) - from).count())
                                                                  / static_cast<double>(span.count()) * cells))];
    update();
}

void PlaybackStrip::setPosition(Time start, Time end, Time position)
{
    start_ = start;
    end_ = end;
    position_ = position;
    update();
}

Time PlaybackStrip::timeAt(double x) const
{
    return start_
           + Time(static_cast<std::int64_t>(std::clamp(x / std::max(1, width()), 0.0, 1.0) * static_cast<double>((end_ - start_).count())));
}

void PlaybackStrip::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.setPen(theme.hairline);
    painter.setBrush(theme.raised);
    painter.drawRoundedRect(rect().adjusted(0, 0, -1, -1), 3, 3);
    if (histogram_.empty() || end_ <= start_)
        return;
    const double scale = width() / static_cast<double>((end_ - start_).count());
    const double at = static_cast<double>((position_ - start_).count()) * scale;
    painter.fillRect(QRectF(1, 1, at, height() - 2), theme.accentSoft);
    const unsigned most = std::max(1U, *std::max_element(histogram_.begin(), histogram_.end()));
    QColor colour = hue_.isValid() ? hue_ : theme.ink3;
    colour.setAlphaF(0.4F);
    QPainterPath path(QPointF(0, height() - 1));
    for (std::size_t i = 0; i < cells; ++i) {
        const double y = height() - 1 - (height() - 8.0) * histogram_[i] / most * 0.7;
        path.lineTo(static_cast<double>(i) * width() / cells, y);
        path.lineTo(static_cast<double>(i + 1) * width() / cells, y);
    }
    path.lineTo(width(), height() - 1);
    painter.fillPath(path, colour);
    if (rangeTo_ > rangeFrom_) {
        painter.setPen(QPen(theme.accent, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(static_cast<double>((rangeFrom_ - start_).count()) * scale, 1,
            static_cast<double>((rangeTo_ - rangeFrom_).count()) * scale, height() - 3));
    }
    for (const drive::LateFrame& late : late_)
        painter.fillRect(
            QRectF(static_cast<double>((late.log - start_).count()) * scale, height() - theme.px(7), 1.5, theme.px(6)), theme.error);
    painter.fillRect(QRectF(at - 0.75, 0, 2, height()), theme.accent);
    const QString text = QStringLiteral("%1 s").arg(static_cast<double>((position_ - start_).count()) * 1e-9, 0, 'f', 1);
    const double room = theme.px(60);
    paintText(painter, QRectF(at + room < width() ? at + 5 : at - room - 5, 2, room, theme.px(14)), text, theme.mono(), theme.accent,
        at + room < width() ? Qt::AlignLeft : Qt::AlignRight);
}

void PlaybackStrip::mousePressEvent(QMouseEvent* event) { pressedAt_ = event->position().x(); }

void PlaybackStrip::mouseMoveEvent(QMouseEvent* event)
{
    if (pressedAt_ < 0 || std::abs(event->position().x() - pressedAt_) < 6)
        return;
    rangeFrom_ = timeAt(std::min(pressedAt_, event->position().x()));
    rangeTo_ = timeAt(std::max(pressedAt_, event->position().x()));
    update();
}

void PlaybackStrip::mouseReleaseEvent(QMouseEvent* event)
{
    if (pressedAt_ < 0)
        return;
    if (std::abs(event->position().x() - pressedAt_) < 6) {
        if (rangeTo_ > rangeFrom_) {
            rangeFrom_ = rangeTo_ = Time{0};
            Q_EMIT rangeChosen(0, 0);
        }
        Q_EMIT sought(timeAt(event->position().x()).count());
    } else {
        Q_EMIT rangeChosen(rangeFrom_.count(), rangeTo_.count());
    }
    pressedAt_ = -1;
}

// How late the frames at the pointer were.
bool PlaybackStrip::event(QEvent* event)
{
    if (event->type() != QEvent::ToolTip)
        return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    QStringList lines;
    for (const drive::LateFrame& late : late_)
        if (late.log >= timeAt(help->pos().x() - 3) && late.log <= timeAt(help->pos().x() + 3) && lines.size() < 8)
            lines << tr("%1 s of the log: %2 ms late")
                         .arg(static_cast<double>((late.log - start_).count()) * 1e-9, 0, 'f', 3)
                         .arg(static_cast<double>(late.by.count()) * 1e-6, 0, 'f', 1);
    if (lines.isEmpty())
        return QWidget::event(event);
    QToolTip::showText(help->globalPos(), lines.join(QLatin1Char('\n')), this);
    return true;
}

void PlaybackStrip::dragEnterEvent(QDragEnterEvent* event) { event->ignore(); }

}  // namespace wavetrope::app
