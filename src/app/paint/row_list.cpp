// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/paint/row_list.h"

#include <QAccessible>
#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t mostSteps = 2'000'000'000;
constexpr std::uint64_t mostCopied = 100'000;
constexpr int wheelUnitsPerRow = 40;
constexpr double openerRoom = 16;

}  // namespace

RowList::RowList(QWidget* parent) : QAbstractScrollArea(parent)
{
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
}

void RowList::setColumns(Columns columns)
{
    columns_ = std::move(columns);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    viewport()->setMouseTracking(true);
}

void RowList::restoreColumns(const nlohmann::json& kept)
{
    columns_.restore(kept);
    refresh();
}

void RowList::showColumn(int kind, bool on)
{
    columns_.show(kind, on);
    refresh();
    Q_EMIT columnsChanged();
}

QPoint RowList::headCentre(int place) const { return columns_.box(static_cast<std::size_t>(place), 0, headHeight()).center().toPoint(); }

QPoint RowList::headEdge(int place) const
{
    const QRectF box = columns_.box(static_cast<std::size_t>(place), 0, headHeight());
    return {static_cast<int>(box.right() + Theme::get().px(6) / 2.0), headHeight() / 2};
}

int RowList::headHeight() const { return heads_.empty() && columns_.empty() ? 0 : Theme::get().px(20); }

int RowList::pitch() const { return Theme::get().rowHeight(); }

int RowList::visibleRows() const { return std::max(1, (viewport()->height() - headHeight()) / pitch()); }

std::uint64_t RowList::topFor(std::uint64_t last) const
{
    int room = std::max(pitch(), viewport()->height() - headHeight()) - heightOf(last);
    while (last > 0 && room >= heightOf(last - 1))
        room -= heightOf(--last);
    return last;
}

std::uint64_t RowList::lastTop() const { return count() == 0 ? 0 : topFor(count() - 1); }

bool RowList::inSight(std::uint64_t index) const
{
    if (index < top_)
        return false;
    int y = headHeight();
    for (std::uint64_t at = top_; y < viewport()->height(); ++at) {
        y += at == index ? tallOf(at) : heightOf(at);
        if (at == index)
            return y <= viewport()->height();
    }
    return false;
}

void RowList::updateScrollBar()
{
    settingBar_ = true;
    const std::uint64_t last = lastTop();
    top_ = std::min(top_, last);
    perStep_ = last / mostSteps + 1;
    verticalScrollBar()->setRange(0, static_cast<int>(last / perStep_));
    verticalScrollBar()->setPageStep(visibleRows());
    verticalScrollBar()->setValue(static_cast<int>(top_ / perStep_));
    if (!columns_.empty()) {
        columns_.setView(viewport()->width(), horizontalScrollBar()->value());
        horizontalScrollBar()->setRange(0, std::max(0, columns_.total() - viewport()->width()));
        horizontalScrollBar()->setPageStep(viewport()->width());
        horizontalScrollBar()->setSingleStep(Theme::get().px(40));
        columns_.setView(viewport()->width(), horizontalScrollBar()->value());
    } else {
        horizontalScrollBar()->setRange(0, rowWidth() - viewport()->width());
        horizontalScrollBar()->setPageStep(viewport()->width());
        horizontalScrollBar()->setSingleStep(Theme::get().px(40));
    }
    settingBar_ = false;
}

int RowList::rowWidth() const { return std::max(viewport()->width(), columns_.empty() ? Theme::get().px(least_) : 0); }

void RowList::refresh()
{
    aboutToRefresh();
    updateScrollBar();
    viewport()->update();
}

void RowList::toEnd()
{
    top_ = lastTop();
    updateScrollBar();
    viewport()->update();
}

void RowList::bring(std::uint64_t index, bool middle)
{
    if (inSight(index))
        return;
    const auto visible = static_cast<std::uint64_t>(visibleRows());
    if (middle)
        top_ = index > visible / 2 ? index - visible / 2 : 0;
    else
        top_ = index < top_ ? index : topFor(index);
    updateScrollBar();
    viewport()->update();
}

void RowList::scrollContentsBy(int, int dy)
{
    if (settingBar_)
        return;
    if (dy != 0) {
        aboutToScroll(true);
        top_ = static_cast<std::uint64_t>(verticalScrollBar()->value()) * perStep_;
    }
    columns_.setView(viewport()->width(), horizontalScrollBar()->value());
    viewport()->update();
}

void RowList::wheelEvent(QWheelEvent* event)
{
    if (event->angleDelta().y() == 0 || (event->modifiers() & Qt::ShiftModifier) != 0) {    // sideways
        horizontalScrollBar()->setValue(horizontalScrollBar()->value() - (event->angleDelta().x() + event->angleDelta().y()) / 2);
        event->accept();
        return;
    }
    const int rows = event->angleDelta().y() / wheelUnitsPerRow;
    aboutToScroll(rows > 0);
    top_ = static_cast<std::uint64_t>(
        std::clamp<std::int64_t>(static_cast<std::int64_t>(top_) - rows, 0, static_cast<std::int64_t>(lastTop())));
    updateScrollBar();
    viewport()->update();
    event->accept();
}

void RowList::resizeEvent(QResizeEvent*)
{
    // What stood at its end stays there.
    const bool atEnd = verticalScrollBar()->maximum() > 0 && verticalScrollBar()->value() == verticalScrollBar()->maximum();
    refresh();
    if (atEnd)
        toEnd();
}

std::int64_t RowList::rowAt(const QPointF& point, int* line) const
{
    if (line != nullptr)
        *line = -1;
    if (point.y() < headHeight())
        return -1;
    const std::uint64_t rows = count();
    int y = headHeight();
    for (std::uint64_t index = top_; index < rows && y < viewport()->height(); ++index) {
        const int height = heightOf(index);
        if (point.y() < y + height) {
            if (line != nullptr)
                *line = point.y() < y + tallOf(index) ? -1 : (static_cast<int>(point.y()) - y - tallOf(index)) / pitch();
            return static_cast<std::int64_t>(index);
        }
        y += height;
    }
    return -1;
}

std::pair<std::uint64_t, std::uint64_t> RowList::chosenRange() const
{
    const std::int64_t at = current();
    if (at < 0)
        return {0, 0};
    const std::int64_t other = anchor_ < 0 || static_cast<std::uint64_t>(anchor_) >= count() ? at : anchor_;
    return {static_cast<std::uint64_t>(std::min(at, other)), static_cast<std::uint64_t>(std::max(at, other))};
}

QString RowList::chosenText() const
{
    if (current() < 0 || static_cast<std::uint64_t>(current()) >= count())
        return {};
    const auto [first, last] = chosenRange();
    if (first == last)
        return rowText(first);
    QStringList lines;
    if (!columns_.empty()) {
        QStringList heads;
        for (std::size_t i = 0; i < columns_.count(); ++i)
            heads << columns_.at(i).head();
        lines << heads.join(QLatin1Char('\t'));
    }
    for (std::uint64_t index = first; index <= last && index - first < mostCopied; ++index)
        lines << rowText(index);
    return lines.join(QLatin1Char('\n'));
}

QString RowList::allText(std::uint64_t most) const
{
    QStringList heads;
    for (std::size_t i = 0; i < columns_.count(); ++i)
        heads << columns_.at(i).head();
    if (columns_.empty())
        for (const Head& head : heads_)
            heads << head.text;
    QStringList lines = {heads.join(QLatin1Char('\t'))};
    for (std::uint64_t index = 0; index < std::min(most, count()); ++index)
        lines << rowText(index);
    return lines.join(QLatin1Char('\n'));
}

void RowList::setOpen(std::uint64_t index, bool shallOpen)
{
    if (index >= count() || !opens(index))
        return;
    open(index, shallOpen);
    refresh();
    if (!shallOpen || index < top_)
        return;
    // As many of its lines as there is room for come into sight.
    int bottom = headHeight();
    for (std::uint64_t at = top_; at <= index; ++at)
        bottom += heightOf(at);
    while (bottom > viewport()->height() && top_ < index)
        bottom -= heightOf(top_++);
    updateScrollBar();
    viewport()->update();
}

void RowList::mousePressEvent(QMouseEvent* event)
{
    gestureFrom_ = gestureAt_ = event->pos();
    gestureMoved_ = false;
    if (event->position().y() < headHeight()) {
        if (columns_.empty())
            return headClicked(static_cast<int>(event->position().x() / Theme::get().scale()));
        if (event->button() != Qt::LeftButton)
            return;
        gestureColumn_ = columns_.edgeUnder(event->position().x());
        gesture_ = gestureColumn_ >= 0 ? Gesture::size : Gesture::move;
        if (gesture_ == Gesture::move)
            gestureColumn_ = columns_.placeUnder(event->position().x());
        else
            gestureWidth_ = (columns_.box(static_cast<std::size_t>(gestureColumn_), 0, 1).width() + Theme::get().px(6))
                            / Theme::get().scale();
        if (gestureColumn_ < 0)
            gesture_ = Gesture::none;
        return;
    }
    int line = -1;
    const std::int64_t index = rowAt(event->position(), &line);
    if (index < 0)
        return;
    const auto row = static_cast<std::uint64_t>(index);
    if (opens(row) && line < 0 && event->button() == Qt::LeftButton && event->position().x() < Theme::get().px(openerRoom))
        return setOpen(row, linesUnder(row) == 0);
    if (line >= 0)
        return lineClicked(row, line);
    if ((event->modifiers() & Qt::ShiftModifier) != 0)
        anchor_ = anchor_ < 0 ? current() : anchor_;
    else if (event->button() == Qt::LeftButton || row < chosenRange().first || row > chosenRange().second)
        anchor_ = -1;
    else
        return;     // a menu for the rows that are chosen together
    choose(row);
    viewport()->update();
    tell();
}

void RowList::mouseMoveEvent(QMouseEvent* event)
{
    if (columns_.empty())
        return;
    gestureAt_ = event->pos();
    if (gesture_ == Gesture::none) {
        viewport()->setCursor(
            event->position().y() < headHeight() && columns_.edgeUnder(event->position().x()) >= 0 ? Qt::SizeHorCursor : Qt::ArrowCursor);
        return;
    }
    gestureMoved_ = gestureMoved_
                    || (gestureAt_ - gestureFrom_).manhattanLength() >= (gesture_ == Gesture::size ? 1 : QApplication::startDragDistance());
    if (gesture_ == Gesture::size)
        columns_.setWidth(gestureColumn_, gestureWidth_ + (gestureAt_.x() - gestureFrom_.x()) / Theme::get().scale());
    updateScrollBar();
    viewport()->update();
}

void RowList::mouseReleaseEvent(QMouseEvent* event)
{
    const Gesture gesture = gesture_;
    gesture_ = Gesture::none;
    if (gesture == Gesture::none)
        return;
    if (gesture == Gesture::move && gestureMoved_)
        columns_.move(gestureColumn_, columns_.placeUnder(event->position().x()));
    else if (gesture == Gesture::move)
        return headClicked(columns_.kindAt(static_cast<std::size_t>(gestureColumn_)));
    refresh();
    Q_EMIT columnsChanged();
}

void RowList::moveTo(std::int64_t index, bool extend)
{
    if (count() == 0)
        return;
    anchor_ = !extend ? -1 : anchor_ < 0 ? current() : anchor_;
    const auto at = static_cast<std::uint64_t>(std::clamp<std::int64_t>(index, 0, static_cast<std::int64_t>(count()) - 1));
    choose(at);
    bring(at);
    viewport()->update();
    tell();
}

// What assistive technology reads out: the row in force.
void RowList::tell()
{
    if (current() < 0 || static_cast<std::uint64_t>(current()) >= count())
        return;
    setAccessibleDescription(tr("Row %1 of %2: %3")
            .arg(countText(static_cast<std::uint64_t>(current()) + 1), countText(count()),
                rowText(static_cast<std::uint64_t>(current())).replace(QLatin1Char('\t'), QStringLiteral(", "))));
    QAccessibleEvent event(this, QAccessible::DescriptionChanged);
    QAccessible::updateAccessibility(&event);
}

void RowList::keyPressEvent(QKeyEvent* event)
{
    const std::int64_t at = current();
    if (event->matches(QKeySequence::Copy)) {
        if (const QString text = chosenText(); !text.isEmpty())
            QApplication::clipboard()->setText(text);
        return;
    }
    const bool extend = (event->modifiers() & Qt::ShiftModifier) != 0;
    switch (event->key()) {
    case Qt::Key_Up: return moveTo(at - 1, extend);
    case Qt::Key_Down: return moveTo(at + 1, extend);
    case Qt::Key_PageUp: return moveTo(at - visibleRows(), extend);
    case Qt::Key_PageDown: return moveTo(at + visibleRows(), extend);
    case Qt::Key_Home: return moveTo(0, extend);
    case Qt::Key_End: return moveTo(static_cast<std::int64_t>(count()) - 1, extend);
    case Qt::Key_Right:
    case Qt::Key_Left:
        if (at >= 0 && static_cast<std::uint64_t>(at) < count() && opens(static_cast<std::uint64_t>(at)))
            return setOpen(static_cast<std::uint64_t>(at), event->key() == Qt::Key_Right);
        [[fallthrough]];
    default: QAbstractScrollArea::keyPressEvent(event);
    }
}

void RowList::addColumnsMenu(QMenu& menu)
{
    if (columns_.empty())
        return;
    QMenu* which = menu.addMenu(tr("Columns"));
    which->setObjectName(QStringLiteral("columnsMenu"));
    for (std::size_t i = 0; i < columns_.kinds().size(); ++i) {
        const ColumnKind& kind = columns_.kinds()[i];
        QAction* action = which->addAction(kind.title);
        action->setObjectName(QStringLiteral("column-") + QLatin1String(kind.key));
        action->setToolTip(kind.says);
        action->setCheckable(true);
        action->setChecked(columns_.has(static_cast<int>(i)));
        connect(action, &QAction::toggled, this, [this, i](bool on) { showColumn(static_cast<int>(i), on); });
    }
    which->addSeparator();
    connect(which->addAction(tr("As at first")), &QAction::triggered, this, [this] {
        columns_.reset();
        refresh();
        Q_EMIT columnsChanged();
    });
}

bool RowList::headMenu(QContextMenuEvent* event)
{
    if (columns_.empty() || event->reason() == QContextMenuEvent::Keyboard || event->pos().y() >= headHeight())
        return false;
    const int place = columns_.placeUnder(event->pos().x());
    QMenu menu(this);
    menu.setObjectName(QStringLiteral("headMenu"));
    const int kind = place < 0 ? -1 : columns_.kindAt(static_cast<std::size_t>(place));
    if (kind >= 0) {
        QAction* hide = menu.addAction(tr("Hide %1").arg(columns_.at(static_cast<std::size_t>(place)).title));
        hide->setObjectName(QStringLiteral("hideColumn"));
        connect(hide, &QAction::triggered, this, [this, kind] { showColumn(kind, false); });
    }
    fillHeadMenu(menu, kind);
    addColumnsMenu(menu);
    menu.exec(event->globalPos());
    return true;
}

void RowList::contextMenuEvent(QContextMenuEvent* event)
{
    if (!headMenu(event))
        QAbstractScrollArea::contextMenuEvent(event);
}

bool RowList::viewportEvent(QEvent* event)
{
    if (event->type() == QEvent::ToolTip && !columns_.empty()) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int place = help->pos().y() < headHeight() ? columns_.placeUnder(help->pos().x()) : -1;
        if (place >= 0) {
            QToolTip::showText(help->globalPos(), tr("%1. Drag to move, drag its right edge to size, right click for more")
                                                      .arg(columns_.at(static_cast<std::size_t>(place)).says));
            return true;
        }
    }
    return QAbstractScrollArea::viewportEvent(event);
}

void RowList::paintHeads(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const int width = rowWidth();
    painter.fillRect(QRect(0, 0, width, headHeight()), theme.surface);
    for (const Head& head : heads_) {
        const bool right = head.rightAt > 0;
        paintText(painter, QRectF(theme.px(head.at), 0, right ? theme.px(head.rightAt - head.at) : theme.px(110), headHeight()),
            head.time ? timeHead(head.text) : head.text, theme.small(), theme.ink3,
            (right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    }
    for (std::size_t i = 0; i < columns_.count(); ++i) {
        const QRectF box = columns_.box(i, 0, headHeight());
        const bool held = gesture_ == Gesture::move && gestureMoved_ && static_cast<int>(i) == gestureColumn_;
        const bool sorted = columns_.kindAt(i) == sortedKind_;
        const QFont font = sorted ? theme.text(9.8, QFont::DemiBold) : theme.small();
        paintText(painter, box, columns_.at(i).head(), font,
            held     ? theme.accent
            : sorted ? theme.ink
                     : theme.ink3,
            (columns_.at(i).right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
        if (sorted) {   // a small arrow, towards the larger
            const double textWidth = QFontMetricsF(font).horizontalAdvance(columns_.at(i).head());
            const QPointF c(
                columns_.at(i).right ? box.right() - textWidth - theme.px(6) : box.left() + textWidth + theme.px(6), headHeight() / 2.0);
            const double s = theme.px(2.5) * (descending_ ? -1 : 1);
            const QPointF arrow[3] = {{c.x() - std::abs(s), c.y() + s / 2}, {c.x(), c.y() - s / 2}, {c.x() + std::abs(s), c.y() + s / 2}};
            painter.setRenderHint(QPainter::Antialiasing);
            painter.setPen(QPen(theme.ink, 1.2));
            painter.drawPolyline(arrow, 3);
            painter.setRenderHint(QPainter::Antialiasing, false);
        }
    }
    painter.setPen(theme.hairline);
    painter.drawLine(0, headHeight() - 1, width, headHeight() - 1);
    if (gesture_ == Gesture::move && gestureMoved_)
        if (const int over = columns_.placeUnder(gestureAt_.x()); over >= 0 && over != gestureColumn_) {
            const QRectF target = columns_.box(static_cast<std::size_t>(over), 0, headHeight());
            painter.fillRect(QRectF(over > gestureColumn_ ? target.right() : target.left() - 2, 0, 2, viewport()->height()), theme.accent);
        }
    if (gesture_ == Gesture::size) {
        const QRectF box = columns_.box(static_cast<std::size_t>(gestureColumn_), 0, headHeight());
        painter.fillRect(QRectF(box.right() + theme.px(3), 0, 1, viewport()->height()), theme.accent);
    }
}

void RowList::paintOpener(QPainter& painter, int y, bool isOpen) const
{
    const Theme& theme = Theme::get();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(theme.ink3, 1.3));
    const QPointF c(theme.px(8.5), y + pitch() / 2.0);
    const double s = theme.px(2.6);
    const QPointF line[3] = {isOpen ? QPointF(c.x() - s, c.y() - s / 2) : QPointF(c.x() - s / 2, c.y() - s),
        isOpen ? QPointF(c.x(), c.y() + s / 2) : QPointF(c.x() + s / 2, c.y()),
        isOpen ? QPointF(c.x() + s, c.y() - s / 2) : QPointF(c.x() - s / 2, c.y() + s)};
    painter.drawPolyline(line, 3);
    painter.restore();
}

void RowList::setStale(bool stale)
{
    stale_ = stale;
    viewport()->update();
}

void RowList::paintEvent(QPaintEvent*)
{
    QPainter painter(viewport());
    const Theme& theme = Theme::get();
    const int width = rowWidth();
    painter.fillRect(viewport()->rect(), theme.surface);
    const std::uint64_t rows = count();
    if (rows == 0) {
        if (headHeight() > 0)
            paintHeads(painter);
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(QRectF(theme.px(20), headHeight(), viewport()->width() - theme.px(40), theme.px(90)),
            Qt::AlignCenter | Qt::TextWordWrap, emptyText());
        return;
    }
    if (columns_.empty())
        painter.translate(-horizontalScrollBar()->value(), 0);
    const auto [first, last] = anchor_ < 0 ? std::pair<std::uint64_t, std::uint64_t>(1, 0) : chosenRange();
    int y = headHeight();
    for (std::uint64_t index = top_; index < rows && y < viewport()->height(); ++index) {
        if (index >= first && index <= last)
            painter.fillRect(QRectF(2, y, width - 4, tallOf(index)), theme.accentSoft);
        paintRow(painter, y, index);
        const int lines = linesUnder(index);
        if (opens(index))
            paintOpener(painter, y, lines > 0);
        y += tallOf(index);
        for (int line = 0; line < lines; ++line, y += pitch())
            paintLine(painter, y, index, line);
        painter.setPen(theme.grid);
        painter.drawLine(theme.px(8), y - 1, width, y - 1);
    }
    if (stale_) {
        QColor veil = theme.surface;
        veil.setAlphaF(0.62F);
        painter.fillRect(QRect(0, headHeight(), width, viewport()->height()), veil);
    }
    if (headHeight() > 0)
        paintHeads(painter);
}

}  // namespace wavetrope::app
