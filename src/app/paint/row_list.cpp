#include "app/paint/row_list.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t mostSteps = 2'000'000'000;
constexpr int wheelUnitsPerRow = 40;

}  // namespace

RowList::RowList(QWidget* parent) : QAbstractScrollArea(parent)
{
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
}

int RowList::headHeight() const { return heads_.empty() ? 0 : Theme::get().px(20); }

int RowList::pitch() const { return Theme::get().rowHeight(); }

int RowList::visibleRows() const { return std::max(1, (viewport()->height() - headHeight()) / pitch()); }

std::uint64_t RowList::lastTop() const
{
    const auto visible = static_cast<std::uint64_t>(visibleRows());
    return count() > visible ? count() - visible : 0;
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
    settingBar_ = false;
}

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
    const auto visible = static_cast<std::uint64_t>(visibleRows());
    if (index >= top_ && index < top_ + visible)
        return;
    if (middle)
        top_ = index > visible / 2 ? index - visible / 2 : 0;
    else
        top_ = index < top_ ? index : index - visible + 1;
    updateScrollBar();
    viewport()->update();
}

void RowList::scrollContentsBy(int, int)
{
    if (settingBar_)
        return;
    aboutToScroll(true);
    top_ = static_cast<std::uint64_t>(verticalScrollBar()->value()) * perStep_;
    viewport()->update();
}

void RowList::wheelEvent(QWheelEvent* event)
{
    const int rows = event->angleDelta().y() / wheelUnitsPerRow;
    aboutToScroll(rows > 0);
    top_ = static_cast<std::uint64_t>(std::clamp<std::int64_t>(static_cast<std::int64_t>(top_) - rows, 0, static_cast<std::int64_t>(lastTop())));
    updateScrollBar();
    viewport()->update();
    event->accept();
}

void RowList::resizeEvent(QResizeEvent*) { refresh(); }

std::int64_t RowList::rowAt(const QPointF& point) const
{
    if (point.y() < headHeight())
        return -1;
    const std::uint64_t index = top_ + static_cast<std::uint64_t>((static_cast<int>(point.y()) - headHeight()) / pitch());
    return index < count() ? static_cast<std::int64_t>(index) : -1;
}

void RowList::mousePressEvent(QMouseEvent* event)
{
    if (event->position().y() < headHeight())
        return headClicked(event->position().x());
    if (const std::int64_t index = rowAt(event->position()); index >= 0)
        choose(static_cast<std::uint64_t>(index));
}

void RowList::moveTo(std::int64_t index)
{
    if (count() == 0)
        return;
    const auto at = static_cast<std::uint64_t>(std::clamp<std::int64_t>(index, 0, static_cast<std::int64_t>(count()) - 1));
    choose(at);
    bring(at);
}

void RowList::keyPressEvent(QKeyEvent* event)
{
    const std::int64_t at = current();
    if (event->matches(QKeySequence::Copy)) {
        if (at >= 0 && static_cast<std::uint64_t>(at) < count())
            QApplication::clipboard()->setText(rowText(static_cast<std::uint64_t>(at)));
        return;
    }
    switch (event->key()) {
    case Qt::Key_Up: return moveTo(at - 1);
    case Qt::Key_Down: return moveTo(at + 1);
    case Qt::Key_PageUp: return moveTo(at - visibleRows());
    case Qt::Key_PageDown: return moveTo(at + visibleRows());
    case Qt::Key_Home: return moveTo(0);
    case Qt::Key_End: return moveTo(static_cast<std::int64_t>(count()) - 1);
    default: QAbstractScrollArea::keyPressEvent(event);
    }
}

void RowList::paintEvent(QPaintEvent*)
{
    QPainter painter(viewport());
    const Theme& theme = Theme::get();
    const int width = viewport()->width();
    painter.fillRect(viewport()->rect(), theme.surface);
    for (const Head& head : heads_) {
        const bool right = head.rightAt > 0;
        paintText(painter, QRectF(theme.px(head.at), 0, right ? theme.px(head.rightAt - head.at) : theme.px(110), headHeight()), head.text, theme.small(), theme.ink3, (right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    }
    if (!heads_.empty()) {
        painter.setPen(theme.hairline);
        painter.drawLine(0, headHeight() - 1, width, headHeight() - 1);
    }
    const std::uint64_t rows = count();
    if (rows == 0) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(QRectF(theme.px(20), headHeight(), width - theme.px(40), theme.px(90)), Qt::AlignCenter | Qt::TextWordWrap, emptyText());
        return;
    }
    int y = headHeight();
    for (std::uint64_t index = top_; index < rows && y < viewport()->height(); ++index, y += pitch()) {
        paintRow(painter, y, index);
        painter.setPen(theme.grid);
        painter.drawLine(theme.px(8), y + pitch() - 1, width, y + pitch() - 1);
    }
}

}  // namespace wavetrope::app
