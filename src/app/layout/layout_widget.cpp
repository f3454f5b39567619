// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/layout/layout_widget.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double headHeight = 15;
constexpr double handleReach = 5;

// Place of a bit in the order in which bits are sent: byte by byte, the most significant bit first.
unsigned sentPlace(unsigned bit) { return bit / 8 * 8 + (7 - bit % 8); }
unsigned bitOfPlace(unsigned place) { return place / 8 * 8 + (7 - place % 8); }

// Bits counted along a byte order: for Intel by number, for Motorola in the order in which they are sent.
unsigned along(unsigned bit, database::ByteOrder order) { return order == database::ByteOrder::intel ? bit : sentPlace(bit); }

QString shortCount(std::uint32_t count)
{
    if (count >= 10'000)
        return QStringLiteral("%1k").arg(count / 1000);
    if (count >= 1000)
        return QStringLiteral("%1k").arg(count / 1000.0, 0, 'f', 1);
    return QString::number(count);
}

}  // namespace

LayoutWidget::LayoutWidget(Form form, QWidget* parent) : QWidget(parent), form_(form)
{
    setObjectName(QStringLiteral("layout"));
    setMouseTracking(form == Form::large);
    setFocusPolicy(form == Form::large ? Qt::StrongFocus : Qt::NoFocus);
    if (form == Form::small)
        setAttribute(Qt::WA_TransparentForMouseEvents);
    setAccessibleName(tr("Where each bit lies"));
    connect(&Theme::get(), &Theme::changed, this, [this] { update(); });
}

double LayoutWidget::rowHeight() const { return Theme::get().px(form_ == Form::large ? 25 : 16); }

int LayoutWidget::heightWanted() const
{
    const unsigned rows = std::max({layout_.rows, undefinedLength_, payloadLength()});
    return static_cast<int>(rows * rowHeight()) + Theme::get().px(form_ == Form::large ? headHeight + 4 : 2);
}

void LayoutWidget::rebuild()
{
    layout_ = database::layoutOf(shown_, selected_);
    setMinimumHeight(heightWanted());
    update();
}

void LayoutWidget::setMessage(const database::Message& message, const std::vector<std::int64_t>& selected)
{
    if (drag_ != Drag::none)
        return;
    undefinedLength_ = 0;
    if (message == message_ && selected == selected_ && layout_.rows > 0)
        return;
    message_ = message;
    shown_ = message;
    selected_ = selected;
    rebuild();
}

void LayoutWidget::setUndefined(unsigned length)
{
    message_ = {};
    shown_ = {};
    selected_.clear();
    undefinedLength_ = length;
    chosen_ = -1;
    rebuild();
}

void LayoutWidget::setChosen(int signal)
{
    if (chosen_ != signal)
        update();
    chosen_ = signal;
}

void LayoutWidget::setPayload(can::Payload payload)
{
    if (std::equal(payload.begin(), payload.end(), payload_.begin(), payload_.end()))
        return;
    const bool longer = payload.size() != payload_.size();
    payload_.assign(payload.begin(), payload.end());
    if (longer)
        setMinimumHeight(heightWanted());
    update();
}

void LayoutWidget::setReadings(std::vector<QString> readings)
{
    if (readings == readings_)
        return;
    readings_ = std::move(readings);
    update();
}

void LayoutWidget::setToggles(std::optional<measure::BitToggles> toggles)
{
    toggles_ = std::move(toggles);
    update();
}

void LayoutWidget::setWaiting(std::vector<unsigned> bits)
{
    if (std::exchange(waiting_, std::move(bits)) != waiting_)
        update();
}

QRectF LayoutWidget::cellOf(unsigned bit) const
{
    const Theme& theme = Theme::get();
    const double left = theme.px(form_ == Form::large ? 22 : 16);
    const double right = theme.px(form_ == Form::large ? 28 : 24);
    const double top = form_ == Form::large ? theme.px(headHeight) : 0;
    const double cell = (width() - left - right) / 8;
    return {left + (7 - bit % 8) * cell, top + bit / 8 * rowHeight(), cell, rowHeight() - theme.px(1.5)};
}

int LayoutWidget::bitAt(const QPointF& point) const
{
    const QRectF first = cellOf(7);
    const double column = (point.x() - first.left()) / first.width();
    const double row = (point.y() - first.top()) / rowHeight();
    const unsigned rows = std::max(layout_.rows, undefinedLength_);
    if (column < 0 || column >= 8 || row < 0 || row >= rows)
        return -1;
    return static_cast<int>(row) * 8 + 7 - static_cast<int>(column);
}

int LayoutWidget::signalAt(unsigned bit) const
{
    int found = -1;
    for (const database::LayoutStretch& stretch : layout_.stretches)
        if (stretch.row == bit / 8 && 7 - bit % 8 >= stretch.from && 7 - bit % 8 <= stretch.to && (found < 0 || stretch.signal == chosen_))
            found = stretch.signal;
    return found;
}

LayoutWidget::Drag LayoutWidget::handleAt(const QPointF& point) const
{
    if (!editable_ || chosen_ < 0 || static_cast<std::size_t>(chosen_) >= shown_.signals.size())
        return Drag::none;
    const auto bits = database::bitsOf(shown_.signals[static_cast<std::size_t>(chosen_)]);
    const double reach = Theme::get().px(handleReach);
    const QRectF least = cellOf(bits.front());
    const QRectF most = cellOf(bits.back());
    if (point.y() >= least.top() && point.y() <= least.bottom() && std::abs(point.x() - least.right()) <= reach)
        return Drag::least;
    if (point.y() >= most.top() && point.y() <= most.bottom() && std::abs(point.x() - most.left()) <= reach)
        return Drag::most;
    return Drag::none;
}

std::vector<unsigned> LayoutWidget::sweptBits() const
{
    const unsigned a = along(grabbed_, sweepOrder_);
    const unsigned b = along(sweepTo_, sweepOrder_);
    std::vector<unsigned> bits;
    for (unsigned i = std::min(a, b); i <= std::max(a, b) && bits.size() < 64; ++i)
        bits.push_back(sweepOrder_ == database::ByteOrder::intel ? i : bitOfPlace(i));
    return bits;
}

void LayoutWidget::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    const int bit = bitAt(event->position());
    if (event->button() != Qt::LeftButton)
        return;
    if (toggling_) {
        if (bit >= 0 && static_cast<unsigned>(bit) / 8 < payloadLength())
            Q_EMIT bitToggled(static_cast<unsigned>(bit));
        return;
    }
    if (const Drag handle = handleAt(event->position()); handle != Drag::none) {
        drag_ = handle;
        return;
    }
    if (bit < 0)
        return;
    const int signal = signalAt(static_cast<unsigned>(bit));
    if (signal >= 0) {
        chosen_ = signal;
        update();
        Q_EMIT signalChosen(signal);
        if (editable_) {
            drag_ = Drag::move;
            const auto bits = database::bitsOf(shown_.signals[static_cast<std::size_t>(signal)]);
            grabbed_ = static_cast<unsigned>(std::find(bits.begin(), bits.end(), static_cast<unsigned>(bit)) - bits.begin());
        }
    } else if (editable_) {
        drag_ = Drag::sweep;
        grabbed_ = sweepTo_ = static_cast<unsigned>(bit);
        update();
    }
}

void LayoutWidget::dragTo(unsigned bit, bool snap)
{
    if (drag_ == Drag::sweep) {
        sweepTo_ = bit;
        update();
        return;
    }
    const auto index = static_cast<std::size_t>(chosen_);
    const database::Signal& was = message_.signals[index];
    database::Signal& now = shown_.signals[index];
    const bool intel = was.order == database::ByteOrder::intel;
    const auto bits = database::bitsOf(was);
    const auto at = static_cast<int>(along(bit, was.order));
    if (drag_ == Drag::move) {
        int least = intel ? at - static_cast<int>(grabbed_) : at + static_cast<int>(grabbed_);
        if (least < 0 || least >= static_cast<int>(database::maxMessageLength * 8))
            return;
        auto leastBit = intel ? static_cast<unsigned>(least) : bitOfPlace(static_cast<unsigned>(least));
        // One bit beside the border of a byte, whole bytes snap to it; Alt lets them be.
        if (snap && was.length % 8 == 0 && (leastBit % 8 == 1 || leastBit % 8 == 7))
            leastBit = leastBit % 8 == 1 ? leastBit - 1 : std::min(leastBit + 1, database::maxMessageLength * 8 - 8);
        const int start = database::startFromLeast(leastBit, was.length, was.order);
        if (start < 0)
            return;
        now.startBit = static_cast<unsigned>(start);
    } else {
        const auto leastAt = static_cast<int>(along(bits.front(), was.order));
        const auto mostAt = static_cast<int>(along(bits.back(), was.order));
        const int newLeast = drag_ == Drag::least ? at : leastAt;
        const int newMost = drag_ == Drag::most ? at : mostAt;
        const int length = intel ? newMost - newLeast + 1 : newLeast - newMost + 1;
        if (length < 1 || length > 64)
            return;
        const int start = database::startFromLeast(intel ? static_cast<unsigned>(newLeast) : bitOfPlace(static_cast<unsigned>(newLeast)),
            static_cast<unsigned>(length), was.order);
        if (start < 0)
            return;
        now.startBit = static_cast<unsigned>(start);
        now.length = static_cast<unsigned>(length);
    }
    layout_ = database::layoutOf(shown_, selected_);
    update();
}

void LayoutWidget::mouseMoveEvent(QMouseEvent* event)
{
    if (drag_ == Drag::none) {
        setCursor(handleAt(event->position()) != Drag::none ? Qt::SizeHorCursor : Qt::ArrowCursor);
        return;
    }
    if (const int bit = bitAt(event->position()); bit >= 0)
        dragTo(static_cast<unsigned>(bit), (event->modifiers() & Qt::AltModifier) == 0);
}

void LayoutWidget::mouseReleaseEvent(QMouseEvent*)
{
    const Drag drag = drag_;
    drag_ = Drag::none;
    if (drag == Drag::sweep) {
        const auto bits = sweptBits();
        update();
        Q_EMIT swept(sweepOrder_ == database::ByteOrder::intel ? bits.front() : bits.back(), static_cast<unsigned>(bits.size()));
        return;
    }
    if (drag == Drag::none || chosen_ < 0)
        return;
    const database::Signal now = shown_.signals[static_cast<std::size_t>(chosen_)];
    const database::Signal& was = message_.signals[static_cast<std::size_t>(chosen_)];
    if (now.startBit == was.startBit && now.length == was.length)
        return;
    const bool size = now.length != was.length;
    shown_ = message_;  // the view that edits brings the new one
    layout_ = database::layoutOf(shown_, selected_);
    if (size)
        Q_EMIT resized(chosen_, now.startBit, now.length);
    else
        Q_EMIT moved(chosen_, now.startBit);
}

void LayoutWidget::nudge(int by, bool size)
{
    const database::Signal& signal = message_.signals[static_cast<std::size_t>(chosen_)];
    const unsigned least = database::bitsOf(signal).front();
    if (size) {
        const int length = static_cast<int>(signal.length) + by;
        const int start = length < 1 || length > 64 ? -1 : database::startFromLeast(least, static_cast<unsigned>(length), signal.order);
        if (start >= 0)
            Q_EMIT resized(chosen_, static_cast<unsigned>(start), static_cast<unsigned>(length));
        return;
    }
    const bool intel = signal.order == database::ByteOrder::intel;
    // To the left is towards the more significant bit; down is the next byte.
    const int place = static_cast<int>(along(least, signal.order)) + (intel || std::abs(by) == 8 ? by : -by);
    if (place < 0 || place >= static_cast<int>(database::maxMessageLength * 8))
        return;
    const int start = database::startFromLeast(
        intel ? static_cast<unsigned>(place) : bitOfPlace(static_cast<unsigned>(place)), signal.length, signal.order);
    if (start >= 0)
        Q_EMIT moved(chosen_, static_cast<unsigned>(start));
}

void LayoutWidget::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape && drag_ != Drag::none) {
        drag_ = Drag::none;
        shown_ = message_;
        rebuild();
        return;
    }
    const bool any = chosen_ >= 0 && static_cast<std::size_t>(chosen_) < message_.signals.size();
    if (!any || !editable_)
        return QWidget::keyPressEvent(event);
    const bool size = (event->modifiers() & Qt::ShiftModifier) != 0;
    switch (event->key()) {
    case Qt::Key_Left: return nudge(1, size);
    case Qt::Key_Right: return nudge(-1, size);
    case Qt::Key_Up: return nudge(-8, false);
    case Qt::Key_Down: return nudge(8, false);
    case Qt::Key_Delete: Q_EMIT removeWanted(chosen_); return;
    default: QWidget::keyPressEvent(event);
    }
}

bool LayoutWidget::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int bit = bitAt(help->pos());
        const int signal = bit < 0 ? -1 : signalAt(static_cast<unsigned>(bit));
        QString text;
        if (bit >= 0)
            text = tr("Bit %1 of byte %2").arg(bit % 8).arg(bit / 8);
        if (signal >= 0) {
            const database::Signal& s = shown_.signals[static_cast<std::size_t>(signal)];
            text = tr("%1: start bit %2, %3 bits\n%4").arg(QString::fromStdString(s.name)).arg(s.startBit).arg(s.length).arg(text);
            if (editable_)
                text += tr(
                    "\nDrag to move, its ends to resize (Alt: no snapping). Arrow keys move, with Shift resize, Delete takes it out");
        } else if (bit >= 0 && toggles_) {
            text += tr("\nchanged %1 times in %2 frames").arg(toggles_->of(static_cast<unsigned>(bit))).arg(toggles_->frames);
        }
        QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QWidget::event(event);
}

QString LayoutWidget::words() const
{
    QStringList lines;
    for (const database::LayoutOverlap& overlap : layout_.overlaps)
        lines << tr("%1 and %2 overlap")
                     .arg(QString::fromStdString(shown_.signals[static_cast<std::size_t>(overlap.a)].name),
                         QString::fromStdString(shown_.signals[static_cast<std::size_t>(overlap.b)].name));
    for (const int index : layout_.outside)
        lines << tr("%1 reaches past the payload").arg(QString::fromStdString(shown_.signals[static_cast<std::size_t>(index)].name));
    return lines.join(QStringLiteral(", "));
}

void LayoutWidget::paintStretch(QPainter& painter, const database::LayoutStretch& stretch, bool labelled)
{
    const Theme& theme = Theme::get();
    const QRectF left = cellOf(stretch.row * 8 + 7 - stretch.from);
    const QRectF right = cellOf(stretch.row * 8 + 7 - stretch.to);
    QRectF box(left.left(), left.top(), right.right() - left.left() - 1, left.height());
    paintTint(painter, box, static_cast<std::size_t>(stretch.signal));
    const bool chosen = stretch.signal == chosen_;
    if (chosen) {
        painter.setPen(QPen(theme.accent, 1.5));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5));
        if (editable_) {
            if (stretch.first)
                painter.fillRect(QRectF(box.left() - 1, box.top() + box.height() * 0.25, 4, box.height() * 0.5), theme.accent);
            if (stretch.last)
                painter.fillRect(QRectF(box.right() - 3, box.top() + box.height() * 0.25, 4, box.height() * 0.5), theme.accent);
        }
    }
    if (form_ == Form::large && labelled) {
        const auto index = static_cast<std::size_t>(stretch.signal);
        const QString name = QString::fromStdString(shown_.signals[index].name);
        const QString reading = index < readings_.size() ? readings_[index] : QString();
        const QFont font = chosen ? theme.bodyStrong() : theme.body();
        const QFontMetricsF metrics(font);
        QRectF text(box.left() + theme.px(5), box.top(), box.width() - theme.px(8), theme.px(16));
        paintText(painter, text, name, font, theme.ink);
        const double used = metrics.horizontalAdvance(name) + theme.px(10);
        text.setLeft(text.left() + used);
        if (!reading.isEmpty() && QFontMetricsF(theme.mono()).horizontalAdvance(reading) <= text.width())
            paintText(painter, text, reading, theme.mono(), theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    }
}

void LayoutWidget::paintCell(QPainter& painter, unsigned row, unsigned column)
{
    const Theme& theme = Theme::get();
    const unsigned bit = row * 8 + 7 - column;
    const QRectF at = cellOf(bit);
    const bool used = bit < layout_.used.size() && layout_.used[bit];
    const bool inside = row < std::max(layout_.length, undefinedLength_);
    if (!used) {
        painter.fillRect(at.adjusted(0, 0, -1, 0), inside ? theme.ground : theme.surface);
        if (inside && message_.uid != 0)
            painter.fillRect(at.adjusted(0, 0, -1, 0), QBrush(theme.hairline, Qt::BDiagPattern));
        if (toggles_ && form_ == Form::large && inside) {
            const std::uint32_t count = toggles_->of(bit);
            if (count > 0) {
                QColor heat = theme.accent;
                heat.setAlphaF(static_cast<float>(0.12
                                                  + 0.45 * std::log1p(static_cast<double>(count))
                                                        / std::log1p(static_cast<double>(std::max<std::uint64_t>(2, toggles_->frames)))));
                painter.fillRect(at.adjusted(0, 0, -1, 0), heat);
            }
            paintText(painter, QRectF(at.left(), at.top(), at.width() - theme.px(5), theme.px(16)), shortCount(count), theme.mono(9.8),
                count > 0 ? theme.ink : theme.ink3, Qt::AlignRight | Qt::AlignVCenter);
        }
    }
}

void LayoutWidget::paintEvent(QPaintEvent* event)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    const bool large = form_ == Form::large;
    const unsigned rows = std::max({layout_.rows, undefinedLength_, payloadLength()});
    if (large)
        for (unsigned column = 0; column < 8; ++column) {
            const QRectF at = cellOf(7 - column);
            paintText(painter, QRectF(at.left(), 0, at.width(), theme.px(headHeight)), QString::number(7 - column), theme.mono(9.8),
                theme.ink3, Qt::AlignCenter);
        }
    const auto firstRow = static_cast<unsigned>(std::max(0.0, (event->rect().top() - cellOf(0).top()) / rowHeight()));
    const auto lastRow = std::min(rows, static_cast<unsigned>(std::max(0.0, (event->rect().bottom() - cellOf(0).top()) / rowHeight()) + 1));
    for (unsigned row = firstRow; row < lastRow; ++row) {
        const QRectF at = cellOf(row * 8 + 7);
        paintText(painter, QRectF(0, at.top(), at.left() - theme.px(4), at.height()), QString::number(row), theme.mono(9.8), theme.ink3,
            large ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter);
        for (unsigned column = 0; column < 8; ++column)
            paintCell(painter, row, column);
    }
    // Each signal is labelled once, in its widest stretch; the chosen one lies on top.
    std::vector<const database::LayoutStretch*> widest(shown_.signals.size(), nullptr);
    for (const database::LayoutStretch& stretch : layout_.stretches)
        if (const database::LayoutStretch*& best = widest[static_cast<std::size_t>(stretch.signal)];
            best == nullptr || stretch.to - stretch.from > best->to - best->from)
            best = &stretch;
    for (const bool chosen : {false, true})
        for (const database::LayoutStretch& stretch : layout_.stretches)
            if ((stretch.signal == chosen_) == chosen && stretch.row >= firstRow && stretch.row < lastRow)
                paintStretch(painter, stretch, widest[static_cast<std::size_t>(stretch.signal)] == &stretch);
    for (const unsigned bit : waiting_) {
        painter.setPen(QPen(theme.accent, 1.2, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(cellOf(bit).adjusted(0.5, 0.5, -1.5, -0.5));
    }
    for (const database::LayoutOverlap& overlap : layout_.overlaps) {
        const auto a = database::bitsOf(shown_.signals[static_cast<std::size_t>(overlap.a)]);
        for (const unsigned bit : database::bitsOf(shown_.signals[static_cast<std::size_t>(overlap.b)]))
            if (std::find(a.begin(), a.end(), bit) != a.end()) {
                painter.fillRect(cellOf(bit).adjusted(0, 0, -1, 0), QBrush(theme.error, Qt::DiagCrossPattern));
                painter.setPen(QPen(theme.error, 1));
                painter.setBrush(Qt::NoBrush);
                painter.drawRect(cellOf(bit).adjusted(0.5, 0.5, -1.5, -0.5));
            }
    }
    if (layout_.rows > layout_.length && message_.uid != 0) {
        const double y = cellOf(layout_.length * 8).top() - theme.px(1);
        painter.setPen(QPen(theme.error, 1.5, Qt::DashLine));
        painter.drawLine(QPointF(cellOf(7).left(), y), QPointF(cellOf(0).right(), y));
    }
    if (drag_ == Drag::sweep)
        for (const unsigned bit : sweptBits()) {
            painter.fillRect(cellOf(bit).adjusted(0, 0, -1, 0), theme.accentSoft);
            painter.setPen(QPen(theme.accent, 1));
            painter.drawRect(cellOf(bit).adjusted(0, 0, -2, -1));
        }
    for (unsigned row = firstRow; row < std::min(lastRow, payloadLength()); ++row) {
        for (unsigned bit = 0; bit < 8; ++bit) {
            const QRectF at = cellOf(row * 8 + bit);
            const bool one = (payload_[row] >> bit & 1U) != 0;
            const double size = theme.px(one ? (large ? 6 : 7) : 2);
            const QPointF centre(large ? at.right() - theme.px(8) : at.center().x(), large ? at.bottom() - theme.px(5.5) : at.center().y());
            painter.fillRect(QRectF(centre.x() - size / 2, centre.y() - size / 2, size, size), one ? theme.ink : theme.ink3);
        }
        const QRectF last = cellOf(row * 8);
        paintText(painter, QRectF(last.right() + theme.px(6), last.top(), theme.px(22), last.height()),
            QStringLiteral("%1").arg(payload_[row], 2, 16, QLatin1Char('0')).toUpper(), theme.mono(), theme.ink);
    }
    if (hasFocus() && large) {
        painter.setPen(QPen(theme.accent, 1, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRect(0, 0, width() - 1, std::min(height(), heightWanted()) - 1));
    }
}

}  // namespace wavetrope::app
