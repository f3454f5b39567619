// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/condition_rows.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double conditionNameAt = 30, wordsAt = 150, wordsEnd = 406, behindWords = 178;    // the columns from there to the strip
constexpr double usualStrip = 180, mostForWords = 240;

// How close one came that was never true: the values seen, and the gap to its limit.
void paintMiss(QPainter& painter, const QRectF& box, const rules::NearMiss& miss)
{
    const Theme& theme = Theme::get();
    double left = box.left();
    if (miss.values && miss.values->limit != miss.values->lowest) {
        const rules::NearMiss::Values& seen = *miss.values;
        // From the end that lies further off to the limit, whichever way that is.
        const double far = seen.closest < seen.limit ? seen.lowest : seen.highest;
        const double width = theme.px(40), share = std::clamp((seen.closest - far) / (seen.limit - far), 0.0, 1.0);
        const double middle = box.center().y();
        painter.fillRect(QRectF(left, middle - theme.px(2), std::max(2.0, width * share), theme.px(4)), theme.ink3);
        painter.setPen(QPen(theme.ink2, 1, Qt::DotLine));
        painter.drawLine(QPointF(left + width * share, middle), QPointF(left + width, middle));
        painter.fillRect(QRectF(left + width, middle - theme.px(5), 1.5, theme.px(10)), theme.ink);
        left += width + theme.px(7);
    }
    paintText(painter, QRectF(left, box.top() - 3, box.right() - left + theme.px(10), box.height() + 6), text(miss.words), theme.body(),
        theme.ink2);
}

}  // namespace

void paintLevel(QPainter& painter, const QRectF& box, const std::vector<TrueSpan>& spans, Time from, Time to)
{
    const Theme& theme = Theme::get();
    const double width = static_cast<double>(std::max(to - from, Time{1}).count());
    const auto x = [&](Time time) { return box.left() + box.width() * static_cast<double>((time - from).count()) / width; };
    painter.setPen(QPen(theme.ink2, 1));
    painter.drawLine(QPointF(box.left(), box.bottom() - 2), QPointF(box.right(), box.bottom() - 2));
    // What lies within one pixel is drawn once, and what follows is looked for behind it.
    for (auto span = spans.begin(); span != spans.end();) {
        const bool open = span->to == Time::max();
        const double left = std::clamp(x(span->from), box.left(), box.right());
        const double right = std::min(box.right(), std::max(left + 1.5, open ? box.right() : x(span->to)));
        painter.fillRect(QRectF(left, box.top() + 1, right - left, box.height() - 3), theme.grid);
        painter.setPen(QPen(theme.ink, 1));
        painter.drawLine(QPointF(left, box.bottom() - 2), QPointF(left, box.top() + 1));
        painter.drawLine(QPointF(left, box.top() + 1), QPointF(right, box.top() + 1));
        if (!open)
            painter.drawLine(QPointF(right, box.top() + 1), QPointF(right, box.bottom() - 2));
        const Time behind = from + Time(static_cast<std::int64_t>((right - box.left()) / box.width() * width));
        span = std::upper_bound(span + 1, spans.end(), behind, [](Time time, const TrueSpan& one) { return time < one.to; });
    }
}

// Where there is room, what a condition hangs on has some of it.
void ConditionRows::layColumns()
{
    const double wide = viewport()->width() / std::max(0.1, Theme::get().scale());
    more_ = std::floor(std::clamp((wide - wordsEnd - behindWords - usualStrip) * 0.4, 0.0, mostForWords));
    setHeads({{conditionNameAt, tr("condition")}, {wordsAt, tr("true when")}, {nowAt(), tr("now")}, {metAt(), tr("met"), metAt() + 40},
                 {lastAt(), tr("last"), lastAt() + 66, true}, {stripAt(), tr("over the run")}},
        wordsEnd + behindWords + 100);
}

void ConditionRows::resizeEvent(QResizeEvent* event)
{
    layColumns();
    RowList::resizeEvent(event);
}

double ConditionRows::nowAt() const { return wordsEnd + more_; }
double ConditionRows::metAt() const { return nowAt() + 56; }
double ConditionRows::lastAt() const { return nowAt() + 104; }
double ConditionRows::stripAt() const { return nowAt() + behindWords; }

ConditionRows::ConditionRows(Stage& stage) : stage_(stage), field_(new InPlaceField(viewport()))
{
    setObjectName(QStringLiteral("conditionRows"));
    setAccessibleName(tr("Conditions of the rig"));
    field_->setObjectName(QStringLiteral("conditionField"));
    layColumns();
    connect(field_, &InPlaceField::kept, this, [this](int next) {
        const Part part = part_;
        if (adding_ && part == Part::name)
            return edit(rows_.size(), Part::words);     // a new one has both
        if (adding_) {
            adding_ = false;
            chosen_ = static_cast<int>(edited_);
        }
        if (next > 0 && part == Part::name)
            return edit(edited_, Part::words);
        if (next < 0 && part == Part::words)
            return edit(edited_, Part::name);
        setFocus();
        refresh();
    });
    connect(field_, &InPlaceField::left, this, [this] {
        adding_ = false;
        setFocus();
        refresh();
    });
}

void ConditionRows::show(std::vector<ConditionRow> rows)
{
    rows_ = std::move(rows);
    chosen_ = std::min(chosen_, static_cast<int>(rows_.size()) - 1);
    refresh();
}

void ConditionRows::add(const QString& words)
{
    if (!field_->finish())
        return;
    adding_ = true;
    newName_ = stage_.rules().freeName(true);
    newWords_ = words;
    chosen_ = static_cast<int>(rows_.size());
    refresh();
    edit(rows_.size(), Part::name);
}

void ConditionRows::edit(std::size_t index, Part part)
{
    if (!field_->finish() || index > rows_.size() || (index == rows_.size() && !adding_))
        return;
    bring(index);
    edited_ = index;
    part_ = part;
    const Theme& theme = Theme::get();
    const int y = headHeight() + static_cast<int>(index - top()) * pitch() + 1;
    const bool fresh = index == rows_.size();
    const QString name = fresh ? newName_ : rows_[index].name, words = fresh ? newWords_ : rows_[index].words;
    if (part == Part::name) {
        field_->open(
            QRect(theme.px(conditionNameAt) - horizontalScrollBar()->value(), y, theme.px(wordsAt - conditionNameAt - 30), pitch() - 2),
            100, name, tr("a name"), [=, this](const QString& typed) -> Expected<void> {
                if (!fresh)
                    return stage_.rules().setCondition(index, typed, words);
                if (typed.trimmed().isEmpty())
                    return fail("a condition has a name");
                newName_ = typed.trimmed();
                return {};
            });
    } else {
        field_->open(QRect(theme.px(wordsAt) - horizontalScrollBar()->value(), y, theme.px(nowAt() - wordsAt - 34), pitch() - 2), 300,
            words, tr("a filter, such as Chatter > 6 mm/s for 100 ms, stays 2 s"),
            [=, this](const QString& typed) { return stage_.rules().setCondition(index, fresh ? newName_ : rows_[index].name, typed); });
    }
}

void ConditionRows::removeCurrent()
{
    if (chosen_ < 0 || static_cast<std::size_t>(chosen_) >= rows_.size())
        return;
    if (const auto removed = stage_.rules().removeCondition(static_cast<std::size_t>(chosen_)); !removed)
        Q_EMIT stage_.told(text(removed.error().text()));
}

void ConditionRows::choose(std::uint64_t index)
{
    if (index >= rows_.size())
        return;
    chosen_ = static_cast<int>(index);
    if (rows_[index].last)
        stage_.setCursor(*rows_[index].last);
    else if (rows_[index].miss && rows_[index].miss->at)
        stage_.setCursor(*rows_[index].miss->at);
    viewport()->update();
    Q_EMIT chosen();
}

QString ConditionRows::rowText(std::uint64_t index) const
{
    if (index >= rows_.size())
        return {};
    const ConditionRow& row = rows_[index];
    return QStringList{row.name, row.words, row.now ? tr("true") : tr("not true"), row.met == 0 ? tr("never") : QString::number(row.met)}
        .join(QLatin1Char('\t'));
}

QString ConditionRows::emptyText() const
{
    return tr(
        "The rig has no conditions yet. A condition is something that may happen: a signal above a limit, an identifier that falls silent, "
        "a bus that is full. It flags the timeline, and recordings hang on it. Insert, or Add a condition.");
}

int ConditionRows::pitch() const { return Theme::get().px(21); }

void ConditionRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Theme& theme = Theme::get();
    const double height = pitch();
    const auto at = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
    if (static_cast<std::int64_t>(index) == current())
        painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
    if (index >= rows_.size()) {
        paintText(painter, at(conditionNameAt, wordsAt - 6), newName_, theme.bodyStrong(), theme.ink3);
        paintText(painter, at(wordsAt, nowAt() - 8), newWords_, theme.mono(), theme.ink3);
        return;
    }
    const ConditionRow& row = rows_[index];
    // A level: high while it is true.
    painter.setPen(QPen(row.known ? theme.ink : theme.ink3, 1.6));
    const double low = y + height * 0.68, high = y + height * 0.3, x = theme.px(12);
    if (row.now) {
        const QPointF line[] = {{x, low}, {x + theme.px(3), low}, {x + theme.px(3), high}, {x + theme.px(9), high}, {x + theme.px(9), low},
            {x + theme.px(12), low}};
        painter.drawPolyline(line, 6);
    } else {
        painter.drawLine(QPointF(x, low), QPointF(x + theme.px(12), low));
    }
    paintText(painter, at(conditionNameAt, wordsAt - 6), row.name, theme.bodyStrong(), row.known ? theme.ink : theme.ink3);
    if (!row.isArmed) {
        const double wide = std::min<double>(
            QFontMetricsF(theme.mono()).horizontalAdvance(row.words) + theme.px(6), theme.px(nowAt() - wordsAt - 4));
        painter.fillRect(QRectF(theme.px(wordsAt) - theme.px(3), y + 2, wide, height - 5), theme.accentSoft);
        painter.fillRect(QRectF(theme.px(wordsAt) - theme.px(3), y + height - 4, wide, 1.5), theme.accent);
    }
    paintText(painter, at(wordsAt, nowAt() - 8), row.words, theme.mono(), row.isArmed ? theme.ink2 : theme.ink);
    paintText(painter, at(nowAt(), metAt() - 4),
        !row.known     ? tr("not here")
        : !row.isArmed ? tr("not armed")
        : row.now      ? tr("true")
                       : tr("not true"),
        row.now ? theme.bodyStrong() : theme.body(), row.now ? theme.ink : theme.ink2);
    paintText(painter, at(metAt() - 10, metAt() + 40), row.met == 0 ? tr("never") : countText(row.met),
        row.met == 0 ? theme.bodyStrong() : theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
    if (row.last)
        paintText(painter, at(lastAt() - 6, lastAt() + 66), row.now ? tr("now") : timeText(stage_.seconds(*row.last), 2), theme.mono(),
            theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    const QRectF strip(theme.px(stripAt()), y + 3, rowWidth() - theme.px(stripAt()) - theme.px(14), height - 6);
    const Time from = stage_.wholeFrom(), to = std::max(stage_.newest(), from + Time(1));
    if (row.met == 0 && row.miss)
        paintMiss(painter, strip, *row.miss);
    else
        paintLevel(painter, strip, row.spans, from, to);
    painter.setPen(theme.hairline);
    painter.drawLine(0, y + static_cast<int>(height) - 1, rowWidth(), y + static_cast<int>(height) - 1);
}

bool ConditionRows::viewportEvent(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const std::int64_t index = rowAt(help->pos());
        if (index >= 0 && static_cast<std::size_t>(index) < rows_.size()) {
            const ConditionRow& row = rows_[static_cast<std::size_t>(index)];
            QString words = row.words;
            if (row.met == 0 && row.miss)
                words += QLatin1Char('\n') + text(row.miss->words)
                         + (row.miss->more.empty() ? QString() : QLatin1Char('\n') + text(row.miss->more));
            QToolTip::showText(
                help->globalPos(), words + QLatin1Char('\n') + tr("Return changes it, F2 its name, Delete takes it out"), viewport());
            return true;
        }
    }
    return RowList::viewportEvent(event);
}

void ConditionRows::mouseDoubleClickEvent(QMouseEvent* event)
{
    const std::int64_t index = rowAt(event->position());
    const double x = event->position().x() + horizontalScrollBar()->value();
    if (index >= 0 && static_cast<std::size_t>(index) < rows_.size() && x < Theme::get().px(nowAt()))
        edit(static_cast<std::size_t>(index), x < Theme::get().px(wordsAt - 4) ? Part::name : Part::words);
}

void ConditionRows::keyPressEvent(QKeyEvent* event)
{
    const bool any = chosen_ >= 0 && static_cast<std::size_t>(chosen_) < rows_.size();
    if (event->key() == Qt::Key_Insert)
        return add({});
    if (any && (event->key() == Qt::Key_F2 || event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
        && (event->modifiers() & Qt::ControlModifier) == 0)
        return edit(static_cast<std::size_t>(chosen_), event->key() == Qt::Key_F2 ? Part::name : Part::words);
    if (any && event->key() == Qt::Key_Delete)
        return removeCurrent();
    RowList::keyPressEvent(event);
}

void ConditionRows::contextMenuEvent(QContextMenuEvent* event)
{
    const std::int64_t index = rowAt(event->pos());
    if (index < 0 || static_cast<std::size_t>(index) >= rows_.size())
        return;
    choose(static_cast<std::uint64_t>(index));
    QMenu menu(this);
    menu.addAction(tr("Change what it hangs on") + QStringLiteral("\tReturn"), this,
        [=, this] { edit(static_cast<std::size_t>(index), Part::words); });
    menu.addAction(
        tr("Give it another name") + QStringLiteral("\tF2"), this, [=, this] { edit(static_cast<std::size_t>(index), Part::name); });
    menu.addAction(tr("A recording that starts with it"), this,
        [=, this] { stage_.rules().addRecording(rules::quotedName(rows_[static_cast<std::size_t>(index)].name.toStdString())); });
    menu.addSeparator();
    menu.addAction(tr("Take it out of the rig") + QStringLiteral("\tDel"), this, [this] { removeCurrent(); });
    menu.exec(event->globalPos());
}

}  // namespace wavetrope::app
