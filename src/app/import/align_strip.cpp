// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/import/align_strip.h"

#include <QKeyEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double nameWidth = 150, laneHeight = 34;
constexpr std::size_t mostLines = 400;

}  // namespace

AlignStrip::AlignStrip(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("alignStrip"));
    setAccessibleName(tr("The logs over time"));
    setToolTip(tr("Drag a log against the first one; lines are frames that both hold. Wheel: zoom. Up and down choose a log, left and "
                  "right move it, with Shift by ten"));
    setFocusPolicy(Qt::StrongFocus);
}

QSize AlignStrip::sizeHint() const
{
    return {600, static_cast<int>(Theme::get().px(laneHeight) * std::max<std::size_t>(2, logs_.size()) + 8)};
}

void AlignStrip::setLogs(std::vector<Log> logs)
{
    const bool other = logs.size() != logs_.size() || std::any_of(logs.begin(), logs.end(), [](const Log& log) { return !log.read; })
                       || !fitted_;
    logs_ = std::move(logs);
    if (other)
        fit();
    updateGeometry();
    update();
}

void AlignStrip::fit()
{
    from_ = Time::max();
    to_ = Time::min();
    for (const Log& log : logs_)
        if (log.read) {
            from_ = std::min(from_, log.begins + log.offset);
            to_ = std::max(to_, log.ends + log.offset);
            fitted_ = true;
        }
    if (from_ >= to_) {
        from_ = Time{0};
        to_ = Time{1'000'000'000};
    }
}

double AlignStrip::xOf(Time time) const
{
    const double left = Theme::get().px(nameWidth);
    const double share = static_cast<double>((time - from_).count())
                         / static_cast<double>(std::max<std::int64_t>(1, (to_ - from_).count()));
    return std::clamp(left + share * (width() - left - 8), -1e6, 1e6);
}

Time AlignStrip::timeOfPixels(int pixels) const
{
    return Time(static_cast<std::int64_t>(
        static_cast<double>((to_ - from_).count()) * pixels / std::max(1.0, width() - double(Theme::get().px(nameWidth)) - 8)));
}

QRectF AlignStrip::lane(int log) const
{
    return {0, 4.0 + log * double(Theme::get().px(laneHeight)), double(width()), double(Theme::get().px(laneHeight))};
}

QPoint AlignStrip::barOf(int log) const
{
    const Log& is = logs_[static_cast<std::size_t>(log)];
    const double x = (std::max(double(Theme::get().px(nameWidth)), xOf(is.begins + is.offset))
                         + std::min(width() - 8.0, xOf(is.ends + is.offset)))
                     / 2;
    return QPointF(x, lane(log).center().y()).toPoint();
}

void AlignStrip::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    painter.setClipRect(rect());
    painter.setRenderHint(QPainter::Antialiasing);
    for (std::size_t i = 0; i < logs_.size(); ++i) {
        const Log& log = logs_[i];
        const QRectF box = lane(static_cast<int>(i));
        if (!log.read) {
            paintText(painter, QRectF(theme.px(nameWidth), box.top(), 300, box.height()), tr("reading"), theme.body(), theme.ink3);
        } else {
            const double x1 = xOf(log.begins + log.offset);
            const double x2 = std::max(x1 + 3, xOf(log.ends + log.offset));
            QColor fill = theme.bus(static_cast<unsigned>(i));
            fill.setAlphaF(0.35F);
            const QRectF bar(x1, box.center().y() - theme.px(6), x2 - x1, theme.px(12));
            painter.fillRect(bar, fill);
            painter.setPen(QPen(theme.bus(static_cast<unsigned>(i)), static_cast<int>(i) == chosen_ && hasFocus() ? 2 : 1));
            painter.setBrush(Qt::NoBrush);
            painter.drawRect(bar);
        }
        if (i > 0 && log.read && logs_[0].read) {
            QColor line = theme.accent;
            line.setAlphaF(0.55F);
            painter.setPen(QPen(line, 1));
            const std::size_t step = log.matched.size() / mostLines + 1;
            for (std::size_t m = 0; m < log.matched.size(); m += step) {
                const auto& [first, own] = log.matched[m];
                painter.drawLine(QPointF(xOf(first), lane(0).center().y() + theme.px(6)),
                    QPointF(xOf(own + log.offset), box.center().y() - theme.px(6)));
            }
        }
        painter.fillRect(QRectF(0, box.top(), theme.px(nameWidth), box.height()), theme.surface);
        paintText(painter, QRectF(theme.px(8), box.top(), theme.px(nameWidth - 14), box.height()), log.name,
            i == 0 ? theme.bodyStrong() : theme.body(), theme.ink);
    }
}

void AlignStrip::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    for (int i = 1; i < static_cast<int>(logs_.size()); ++i)
        if (lane(i).contains(event->position())) {
            dragged_ = chosen_ = i;
            pressedX_ = event->position().x();
            pressedOffset_ = logs_[static_cast<std::size_t>(i)].offset;
        }
    update();
}

void AlignStrip::mouseMoveEvent(QMouseEvent* event)
{
    if (dragged_ < 0)
        return;
    const Time next = pressedOffset_ + timeOfPixels(static_cast<int>(event->position().x() - pressedX_));
    logs_[static_cast<std::size_t>(dragged_)].offset = next;
    Q_EMIT offsetChanged(dragged_, next.count());
    update();
}

void AlignStrip::mouseReleaseEvent(QMouseEvent*) { dragged_ = -1; }

void AlignStrip::wheelEvent(QWheelEvent* event)
{
    const double factor = std::pow(0.8, event->angleDelta().y() / 120.0);
    const Time at = from_ + timeOfPixels(static_cast<int>(event->position().x()) - Theme::get().px(nameWidth));
    const auto scaled = [&](Time time) { return at + Time(static_cast<std::int64_t>(static_cast<double>((time - at).count()) * factor)); };
    if ((to_ - from_).count() * factor > 1000 && (to_ - from_).count() * factor < 1e18) {
        from_ = scaled(from_);
        to_ = scaled(to_);
    }
    update();
    event->accept();
}

void AlignStrip::keyPressEvent(QKeyEvent* event)
{
    const int last = static_cast<int>(logs_.size()) - 1;
    const int step = (event->modifiers() & Qt::ShiftModifier) != 0 ? 10 : 1;
    if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down) {
        chosen_ = std::clamp(chosen_ + (event->key() == Qt::Key_Up ? -1 : 1), 1, std::max(1, last));
        return update();
    }
    if ((event->key() == Qt::Key_Left || event->key() == Qt::Key_Right) && chosen_ <= last) {
        Time& offset = logs_[static_cast<std::size_t>(chosen_)].offset;
        offset += timeOfPixels(event->key() == Qt::Key_Left ? -step : step);
        Q_EMIT offsetChanged(chosen_, offset.count());
        return update();
    }
    QWidget::keyPressEvent(event);
}

}  // namespace wavetrope::app
