// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/lane_head.h"

#include <QApplication>
#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>
#include <utility>

#include "app/lanes/lanes_view.h"
#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double leastHead = 138;
constexpr double leastName = 44;        // of a name that stands beside its value
constexpr double headMargin = 8;
constexpr double besideBadge = 18;
constexpr double twoLines = 37;
constexpr double oneLine = 17;

}  // namespace

LaneHead::LaneHead(Stage& stage, const std::vector<Curve>& curves, QWidget* parent)
    : QWidget(parent), stage_(stage), curves_(curves), bar_(new QScrollBar(Qt::Vertical, this))
{
    setObjectName(QStringLiteral("laneHead"));
    bar_->setFocusPolicy(Qt::NoFocus);
    bar_->hide();
    connect(bar_, &QScrollBar::valueChanged, this, [this] { update(); });
}

QString LaneHead::letterOf(std::size_t index) { return QString(QChar(static_cast<char16_t>('a' + index % 26))); }

QString LaneHead::reading(const Curve& curve, bool* holds) const
{
    const Shown shown = now(curve);
    if (holds != nullptr)
        *holds = shown.holds;
    return shown.value;
}

LaneHead::Shown LaneHead::now(const Curve& curve) const
{
    const auto value = curve.series->at(stage_.snapshot(), stage_.cursor());
    return {value ? curve.source.reading(*value) : tr("no value yet"), value.has_value(),
        value && curve.series->holds(stage_.snapshot(), stage_.cursor())};
}

std::vector<LaneHead::Shown> LaneHead::now() const
{
    std::vector<Shown> out;
    for (const Curve& curve : curves_)
        out.push_back(now(curve));
    return out;
}

void LaneHead::refresh()
{
    std::vector<Shown> shown = now();
    if (shown == shown_)
        return;
    shown_ = std::move(shown);
    arrange();
    update();
}

// Room for the ends of its range, so that names stand still while values go on.
double LaneHead::valueRoom(std::size_t curve) const
{
    const QFontMetricsF metrics(Theme::get().mono());
    return std::max(curves_[curve].valueRoom, curve < shown_.size() ? metrics.horizontalAdvance(shown_[curve].value) : 0);
}

// The value of the first is written large where that leaves room for the others.
bool LaneHead::large() const
{
    const Theme& theme = Theme::get();
    return curves_.size() < 3
           && theme.px(4) + theme.px(twoLines + 7) + static_cast<int>(curves_.size() - 1) * theme.px(twoLines) < height();
}

double LaneHead::widestValue() const
{
    double widest = 0;
    for (std::size_t i = 0; i < curves_.size(); ++i)
        widest = std::max(widest, valueRoom(i));
    return widest;
}

int LaneHead::columns() const
{
    const Theme& theme = Theme::get();
    const double room = height() - theme.px(6);
    const auto count = static_cast<double>(curves_.size());
    if (count * theme.px(twoLines) <= room)
        return 0;
    if (count * theme.px(oneLine) <= room)
        return 1;
    // Two of them only where that leaves something of the names.
    const double half = (width() - theme.px(headMargin) - theme.px(6)) / 2.0;
    return half >= theme.px(besideBadge) + theme.px(leastName) + widestValue() + theme.px(12) ? 2 : 1;
}

int LaneHead::wantedWidth() const
{
    const Theme& theme = Theme::get();
    const auto count = static_cast<double>(curves_.size());
    const double room = height() - theme.px(6);
    const bool compact = count * theme.px(twoLines) > room;
    const bool twice = count * theme.px(oneLine) > room;
    double widest = 0;
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const QString name = (curves_.size() > 1 ? letterOf(i) + QLatin1Char(' ') : QString()) + curves_[i].source.name();
        const double named = QFontMetricsF(i == 0 && !compact ? theme.bodyStrong() : theme.body()).horizontalAdvance(name);
        const double value = compact ? valueRoom(i) + theme.px(12) : 0;
        widest = std::max({widest, theme.px(besideBadge + 4) + named + value, compact ? 0 : theme.px(4) + valueRoom(i)});
    }
    return static_cast<int>(std::ceil(std::max<double>(theme.px(leastHead), widest * (twice ? 2 : 1) + theme.px(headMargin + 6))));
}

void LaneHead::arrange()
{
    const Theme& theme = Theme::get();
    const int across = columns();
    const int lines = across == 0 ? 0 : (static_cast<int>(curves_.size()) + across - 1) / across;
    const int shown = std::max(1, (height() - theme.px(6)) / theme.px(oneLine));
    bar_->setRange(0, std::max(0, lines - shown));
    bar_->setPageStep(shown);
    bar_->setGeometry(width() - theme.px(9), 0, theme.px(9), height() - 1);
    bar_->setVisible(bar_->maximum() > 0);
}

void LaneHead::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    arrange();
}

QRect LaneHead::rectOf(std::size_t index) const
{
    const Theme& theme = Theme::get();
    const int across = columns();
    const int left = theme.px(headMargin);
    const int full = width() - left - theme.px(bar_->isVisibleTo(this) ? 11 : 6);
    const int top = theme.px(4);
    if (across == 0) {
        const int first = theme.px(large() ? twoLines + 7 : twoLines);
        const int next = theme.px(twoLines);
        return {left, top + (index == 0 ? 0 : first + static_cast<int>(index - 1) * next), full, index == 0 ? first : next};
    }
    const int lines = (static_cast<int>(curves_.size()) + across - 1) / across;
    const int line = static_cast<int>(index) % lines - bar_->value();
    const int column = static_cast<int>(index) / lines;
    const int gap = across == 2 ? theme.px(6) : 0;
    const int each = (full - gap) / across;
    const QRect rect(left + column * (each + gap), top + line * theme.px(oneLine), each, theme.px(oneLine));
    return line < 0 || rect.bottom() > height() ? QRect() : rect;
}

void LaneHead::paintEvent(QPaintEvent*)
{
    arrange();
    if (shown_.size() != curves_.size())
        shown_ = now();
    QPainter painter(this);
    const Theme& theme = Theme::get();
    const int across = columns();
    const int badge = theme.px(14);
    const Selection& selection = stage_.selection();
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const QRect rect = rectOf(i);
        if (rect.isEmpty())
            continue;
        const Curve& curve = curves_[i];
        const auto& [value, any, holds] = shown_[i];
        const QString name = (curves_.size() > 1 ? letterOf(i) + QLatin1Char(' ') : QString()) + curve.source.name();
        const QColor ink = holds ? theme.ink : theme.ink3;      // what is past is written fainter
        const QRectF place(rect.left(), rect.top() + theme.px(1), badge, badge);
        if (const auto bus = curve.source.bus())
            paintBusBadge(painter, place, stage_.mark(*bus));
        else
            paintDerivedBadge(painter, place);
        const int from = rect.left() + theme.px(besideBadge + (across == 0 ? 2 : 0));
        if (across > 0) {
            const int room = std::min(rect.width() - theme.px(besideBadge),
                static_cast<int>(std::ceil(QFontMetricsF(any ? theme.mono() : theme.body()).horizontalAdvance(value))) + 1);
            paintText(
                painter, QRectF(from, rect.top(), rect.right() - from - room - theme.px(6), theme.px(16)), name, theme.body(), theme.ink);
            paintText(painter, QRectF(rect.right() - room, rect.top(), room, theme.px(16)), value, any ? theme.mono() : theme.body(), ink,
                Qt::AlignRight | Qt::AlignVCenter);
        } else {
            paintText(painter, QRectF(from, rect.top(), rect.right() - from, theme.px(16)), name,
                i == 0 ? theme.bodyStrong() : theme.body(), theme.ink);
            const bool grand = i == 0 && large();
            const QFont font = !any                                                                              ? theme.body()
                               : grand && QFontMetricsF(theme.mono(15)).horizontalAdvance(value) <= rect.width() ? theme.mono(15)
                                                                                                                 : theme.mono();
            paintText(painter, QRectF(rect.left(), rect.top() + theme.px(18), rect.width(), theme.px(grand ? 22 : 15)), value, font, ink);
        }
        if (curve.source.chosenIn(selection))
            painter.fillRect(QRect(across == 2 && rect.left() > width() / 2 ? rect.left() - theme.px(5) : 0, rect.top(), theme.px(3),
                                 rect.height() - theme.px(2)),
                theme.accent);
    }
}

int LaneHead::curveAt(const QPoint& at) const
{
    for (std::size_t i = 0; i < curves_.size(); ++i)
        if (const QRect rect = rectOf(i); rect.top() <= at.y() && at.y() <= rect.bottom() && at.x() <= rect.right() + Theme::get().px(6)
                                          && (at.x() >= rect.left() || rect.left() < width() / 2))
            return static_cast<int>(i);
    return -1;
}

void LaneHead::mousePressEvent(QMouseEvent* event)
{
    const int index = curveAt(event->position().toPoint());
    if (event->button() != Qt::LeftButton || index < 0) {
        event->ignore();
        return;
    }
    pressed_ = index;
    pressedAt_ = event->position();
    stage_.select(curves_[static_cast<std::size_t>(index)].source.selection());
}

void LaneHead::mouseMoveEvent(QMouseEvent* event)
{
    if ((event->buttons() & Qt::LeftButton) == 0 || pressed_ < 0
        || (event->position() - pressedAt_).manhattanLength() < QApplication::startDragDistance())
        return;
    Q_EMIT dragged(std::exchange(pressed_, -1));
}

void LaneHead::mouseDoubleClickEvent(QMouseEvent*)
{
    pressed_ = -1;
    Q_EMIT foldWanted();
}

void LaneHead::wheelEvent(QWheelEvent* event)
{
    if (bar_->maximum() > 0)
        QCoreApplication::sendEvent(bar_, event);
    else
        event->ignore();        // the lanes scroll
}

bool LaneHead::event(QEvent* event)
{
    // All of them in full, where names are cut and values scroll.
    if (event->type() == QEvent::ToolTip) {
        QStringList lines;
        for (std::size_t i = 0; i < curves_.size(); ++i)
            lines << (curves_.size() > 1 ? letterOf(i) + QStringLiteral("  ") : QString())
                         + QStringLiteral("%1: %2  (%3)").arg(curves_[i].source.name(), reading(curves_[i]), curves_[i].source.origin());
        lines << tr("Drag: another place; double click: fold");
        QToolTip::showText(static_cast<QHelpEvent*>(event)->globalPos(), lines.join(QLatin1Char('\n')), this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace wavetrope::app
