// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/import/layout_table.h"

#include <QApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/theme/theme.h"
#include "formats/text_line.h"

namespace wavetrope::app {

namespace {

constexpr int numberWidth = 40, gap = 14, widest = 360;

QString words(formats::Meaning meaning)
{
    switch (meaning) {
    case formats::Meaning::nothing: return LayoutTable::tr("not used");
    case formats::Meaning::date: return LayoutTable::tr("date");
    case formats::Meaning::time: return LayoutTable::tr("time");
    case formats::Meaning::channel: return LayoutTable::tr("bus");
    case formats::Meaning::direction: return LayoutTable::tr("direction");
    case formats::Meaning::kind: return LayoutTable::tr("kind");
    case formats::Meaning::identifier: return LayoutTable::tr("identifier");
    case formats::Meaning::length: return LayoutTable::tr("length");
    case formats::Meaning::data: return LayoutTable::tr("data");
    case formats::Meaning::bitRateSwitch: return LayoutTable::tr("bit-rate switch");
    case formats::Meaning::errorState: return LayoutTable::tr("error state");
    case formats::Meaning::fraction: return LayoutTable::tr("part of a second");
    case formats::Meaning::fdFormat: return LayoutTable::tr("CAN FD");
    case formats::Meaning::extendedId: return LayoutTable::tr("29 bits");
    case formats::Meaning::remoteRequest: return LayoutTable::tr("remote");
    }
    return {};
}

}  // namespace

LayoutTable::LayoutTable(QWidget* parent) : QAbstractScrollArea(parent)
{
    setObjectName(QStringLiteral("layoutTable"));
    setAccessibleName(tr("Lines of the log and what their columns mean"));
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    viewport()->setMouseTracking(true);
}

int LayoutTable::headHeight() const { return Theme::get().px(30); }

void LayoutTable::setLines(std::vector<std::string> lines)
{
    lines_.clear();
    for (std::string& line : lines)
        lines_.push_back({std::move(line), {}, nullptr, false});
    split();
}

void LayoutTable::setTextLayout(const formats::TextLayout& layout, const std::vector<double>& confidence)
{
    layout_ = layout;
    confidence_ = confidence;
    split();
}

void LayoutTable::split()
{
    formats::LineReader reader(layout_);
    can::FrameView frame;
    std::uint8_t payload[can::maxLength];
    std::string_view channel;
    std::vector<std::string_view> cells;
    unsigned number = 0;
    bool any = false;
    for (Line& line : lines_) {
        formats::splitLine(line.text, layout_, cells);
        line.cells.assign(cells.begin(), cells.end());
        line.remark = number++ < layout_.headLines || formats::isSkipped(line.text, layout_);
        line.problem = line.remark ? nullptr : reader.read(line.text, frame, payload, channel);
        any = any || (!line.remark && line.problem == nullptr);
        if (!any)
            line.remark = line.remark || line.problem != nullptr;   // still the head
    }
    if (!any)
        for (Line& line : lines_)
            line.remark = formats::isSkipped(line.text, layout_);
    measure();
    viewport()->update();
}

int LayoutTable::misfits() const
{
    return static_cast<int>(
        std::count_if(lines_.begin(), lines_.end(), [](const Line& line) { return !line.remark && line.problem != nullptr; }));
}

void LayoutTable::measure()
{
    const Theme& theme = Theme::get();
    const QFontMetricsF mono(theme.mono());
    const QFontMetricsF head(theme.bodyStrong());
    std::vector<double> wide;
    const bool anyFits = std::any_of(
        lines_.begin(), lines_.end(), [](const Line& line) { return !line.remark && line.problem == nullptr; });
    for (const Line& line : lines_) {
        if (line.remark)
            continue;
        if (wide.size() < line.cells.size())
            wide.resize(line.cells.size(), 0);
        if (line.problem != nullptr && anyFits)     // what does not fit is no measure
            continue;
        for (std::size_t c = 0; c < line.cells.size(); ++c)
            wide[c] = std::max(wide[c], mono.horizontalAdvance(QLatin1Char('0')) * static_cast<double>(line.cells[c].size()) + 2);
    }
    // Behind a payload that stands apart the columns are its bytes.
    edges_.clear();
    widths_.clear();
    int x = theme.px(numberWidth);
    for (std::size_t c = 0; c < wide.size(); ++c) {
        const bool inData = layout_.bytes == formats::Bytes::apart && layout_.columnOf(formats::Meaning::data) >= 0
                            && static_cast<int>(c) > layout_.columnOf(formats::Meaning::data);
        const double title = inData ? 0 : head.horizontalAdvance(words(meaningOf(static_cast<int>(c)))) + theme.px(10);
        const int width = std::min(static_cast<int>(std::max(wide[c], title)), theme.px(widest));
        edges_.push_back(x);
        widths_.push_back(width);
        x += width + theme.px(inData ? 6 : gap);
    }
    horizontalScrollBar()->setRange(0, std::max(0, x - viewport()->width()));
    horizontalScrollBar()->setPageStep(viewport()->width());
    const int all = headHeight() + static_cast<int>(lines_.size()) * theme.rowHeight();
    verticalScrollBar()->setRange(0, std::max(0, all - viewport()->height()));
    verticalScrollBar()->setPageStep(viewport()->height());
    verticalScrollBar()->setSingleStep(theme.rowHeight());
}

void LayoutTable::resizeEvent(QResizeEvent*) { measure(); }

formats::Meaning LayoutTable::meaningOf(int column) const
{
    return column >= 0 && static_cast<std::size_t>(column) < layout_.columns.size() ? layout_.columns[static_cast<std::size_t>(column)]
                                                                                    : formats::Meaning::nothing;
}

QRect LayoutTable::headOf(int column) const
{
    const auto c = static_cast<std::size_t>(column);
    return {edges_[c] - horizontalScrollBar()->value() - Theme::get().px(5), Theme::get().px(4), widths_[c] + Theme::get().px(10),
        headHeight() - Theme::get().px(9)};
}

int LayoutTable::columnAt(int x) const
{
    for (int c = 0; c < columnCount(); ++c)
        if (const QRect head = headOf(c); x >= head.left() && x <= head.right())
            return c;
    return -1;
}

void LayoutTable::setMeaning(int column, formats::Meaning meaning)
{
    if (column < 0 || column >= columnCount())
        return;
    const auto at = static_cast<std::size_t>(column);
    if (layout_.columns.size() <= at)
        layout_.columns.resize(at + 1, formats::Meaning::nothing);
    confidence_.resize(std::max(confidence_.size(), layout_.columns.size()), 0);
    // A meaning has one column; the one that it leaves takes what stood here.
    const int before = meaning == formats::Meaning::nothing ? -1 : layout_.columnOf(meaning);
    if (before == column)
        return;
    if (before >= 0)
        layout_.columns[static_cast<std::size_t>(before)] = formats::Meaning::nothing;
    layout_.columns[at] = meaning;
    confidence_[at] = 1;    // the user said so
    split();
    Q_EMIT layoutChanged();
}

void LayoutTable::offer(int column)
{
    if (column < 0)
        return;
    chosen_ = column;
    viewport()->update();
    QMenu menu(this);
    menu.setObjectName(QStringLiteral("meaningMenu"));
    for (unsigned i = 0; i < formats::meaningCount; ++i) {
        const auto meaning = static_cast<formats::Meaning>(i);
        QAction* action = menu.addAction(words(meaning));
        action->setCheckable(true);
        action->setChecked(meaningOf(column) == meaning);
        connect(action, &QAction::triggered, this, [this, column, meaning] { setMeaning(column, meaning); });
    }
    menu.exec(viewport()->mapToGlobal(headOf(column).bottomLeft()));
}

void LayoutTable::mousePressEvent(QMouseEvent* event)
{
    pressedAt_ = dragAt_ = event->pos();
    dragging_ = false;
    dragged_ = event->pos().y() < headHeight() ? columnAt(event->pos().x()) : -1;
    if (const int column = columnAt(event->pos().x()); column >= 0)
        chosen_ = column;
    viewport()->update();
}

void LayoutTable::mouseMoveEvent(QMouseEvent* event)
{
    viewport()->setCursor(event->pos().y() < headHeight() && columnAt(event->pos().x()) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (dragged_ < 0 || !(event->buttons() & Qt::LeftButton))
        return;
    dragAt_ = event->pos();
    dragging_ = dragging_ || (dragAt_ - pressedAt_).manhattanLength() >= QApplication::startDragDistance();
    viewport()->update();
}

void LayoutTable::mouseReleaseEvent(QMouseEvent* event)
{
    const int from = dragged_;
    const bool moved = dragging_;
    dragged_ = -1;
    dragging_ = false;
    viewport()->update();
    if (from < 0)
        return;
    if (!moved)
        return offer(from);
    const int to = columnAt(event->pos().x());
    if (to >= 0 && to != from && meaningOf(from) != formats::Meaning::nothing) {
        chosen_ = to;
        setMeaning(to, meaningOf(from));
    }
}

void LayoutTable::keyPressEvent(QKeyEvent* event)
{
    const int step = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
    if (step != 0 && columnCount() > 0) {
        const int next = std::clamp(chosen_ + step, 0, columnCount() - 1);
        // With Shift the head goes along.
        if ((event->modifiers() & Qt::ShiftModifier) != 0 && next != chosen_ && meaningOf(chosen_) != formats::Meaning::nothing)
            setMeaning(next, meaningOf(chosen_));
        chosen_ = next;
        viewport()->update();
        return;
    }
    if (event->key() == Qt::Key_Space)
        return offer(chosen_);
    QAbstractScrollArea::keyPressEvent(event);
}

bool LayoutTable::viewportEvent(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int column = help->pos().y() < headHeight() ? columnAt(help->pos().x()) : -1;
        if (column >= 0)
            QToolTip::showText(help->globalPos(),
                tr("Column %1: %2%3. Drag to the column that says this; click or Space for another meaning; Shift with an arrow key moves "
                   "it")
                    .arg(column + 1)
                    .arg(words(meaningOf(column)),
                        meaningOf(column) == formats::Meaning::nothing || static_cast<std::size_t>(column) >= confidence_.size()
                            ? QString()
                            : tr(", %1 % sure").arg(qRound(100 * confidence_[static_cast<std::size_t>(column)]))));
        else
            QToolTip::hideText();
        return true;
    }
    return QAbstractScrollArea::viewportEvent(event);
}

void LayoutTable::paintEvent(QPaintEvent*)
{
    QPainter painter(viewport());
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& theme = Theme::get();
    const int width = viewport()->width();
    painter.fillRect(viewport()->rect(), theme.surface);
    const int left = horizontalScrollBar()->value();
    const int row = theme.rowHeight();
    const int firstByte = layout_.bytes == formats::Bytes::apart ? layout_.columnOf(formats::Meaning::data) : -1;
    // Used columns stand out from the others by their ink.
    int y = headHeight() - verticalScrollBar()->value();
    for (std::size_t i = 0; i < lines_.size(); ++i, y += row) {
        if (y + row < headHeight())
            continue;
        if (y > viewport()->height())
            break;
        const Line& line = lines_[i];
        paintText(painter, QRectF(0, y, theme.px(numberWidth) - theme.px(10), row), QString::number(i + 1), theme.mono(), theme.ink3,
            Qt::AlignRight | Qt::AlignVCenter);
        if (line.remark) {
            paintText(painter, QRectF(theme.px(numberWidth) - left, y, width, row),
                QString::fromUtf8(line.text.data(), static_cast<qsizetype>(std::min<std::size_t>(line.text.size(), 300))), theme.mono(),
                theme.ink3);
            continue;
        }
        if (line.problem != nullptr) {  // as it stands, and why not
            const QString raw = QString::fromUtf8(line.text.data(), static_cast<qsizetype>(std::min<std::size_t>(line.text.size(), 120)));
            const double used = QFontMetricsF(theme.mono()).horizontalAdvance(raw);
            paintText(painter, QRectF(theme.px(numberWidth) - left, y, used + 2, row), raw, theme.mono(), theme.ink3);
            paintWarning(painter, QPointF(theme.px(numberWidth) - left + used + theme.px(18), y + row / 2.0), theme.px(9));
            paintText(painter, QRectF(theme.px(numberWidth) - left + used + theme.px(28), y, theme.px(340), row), tr(line.problem),
                theme.body(), theme.ink2);
            continue;
        }
        for (std::size_t c = 0; c < line.cells.size() && c < edges_.size(); ++c) {
            const bool used = meaningOf(static_cast<int>(c)) != formats::Meaning::nothing
                              || (firstByte >= 0 && static_cast<int>(c) > firstByte);
            paintText(painter, QRectF(edges_[c] - left, y, widths_[c], row),
                QString::fromUtf8(line.cells[c].data(), static_cast<qsizetype>(line.cells[c].size())), theme.mono(),
                used ? theme.ink : theme.ink3);
        }
    }
    painter.fillRect(QRect(0, 0, width, headHeight()), theme.surface);
    for (int c = 0; c < columnCount(); ++c) {
        if (firstByte >= 0 && c > firstByte)
            break;
        const QRectF box = headOf(c);
        const formats::Meaning meaning = meaningOf(c);
        const bool used = meaning != formats::Meaning::nothing;
        const double sure = static_cast<std::size_t>(c) < confidence_.size() ? confidence_[static_cast<std::size_t>(c)] : 0;
        if (used)
            painter.fillRect(box, theme.accentSoft);
        paintText(painter, box.adjusted(theme.px(5), 0, 0, 0), words(meaning), used ? theme.bodyStrong() : theme.body(),
            used ? theme.ink : theme.ink3);
        if (used) {     // how sure, as a line under it
            painter.fillRect(QRectF(box.left(), box.bottom() + 1, box.width(), theme.px(2)), theme.hairline);
            painter.fillRect(QRectF(box.left(), box.bottom() + 1, box.width() * std::clamp(sure, 0.0, 1.0), theme.px(2)), theme.accent);
        }
        if (c == chosen_ && hasFocus()) {
            painter.setPen(theme.accent);
            painter.drawRect(box);
        }
    }
    painter.setPen(theme.hairline);
    painter.drawLine(0, headHeight() - 1, width, headHeight() - 1);
    if (dragging_ && meaningOf(dragged_) != formats::Meaning::nothing) {
        const int over = columnAt(dragAt_.x());
        if (over >= 0 && over != dragged_) {
            painter.setPen(QPen(theme.accent, 2));
            const QRect target = headOf(over);
            painter.drawRect(QRect(target.left(), target.top(), target.width(), viewport()->height() - target.top() - 4));
        }
        const QRectF chip(dragAt_.x() - theme.px(30), dragAt_.y() - theme.px(10), theme.px(80), theme.px(20));
        painter.fillRect(chip, theme.accent);
        paintText(painter, chip, words(meaningOf(dragged_)), theme.bodyStrong(), theme.surface, Qt::AlignCenter);
    }
}

}  // namespace wavetrope::app
