// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/roster/roster_rows.h"

#include <QActionGroup>
#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QMenu>
#include <QPainter>
#include <QScrollBar>
#include <QTimer>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/roster/roster_view.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/narrowing.h"
#include "app/stage/signal_drag.h"
#include "app/theme/theme.h"
#include "can/parameter_group.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t framesAtOnce = 40'000;     // looked through for extremes between two turns of the interface
constexpr int rosterFollowsEvery = 15;                    // ms
constexpr const char* groupings[] = {"none", "bus", "sender"};

bool isSilent(const measure::IdentifierMoment& moment, Time cycle, Time at)
{
    const Time beat = cycle.count() > 0 ? cycle : moment.period;
    return beat.count() > 0 && at - moment.beats.back() > beat * 4 && at - moment.beats.back() > std::chrono::milliseconds(500);
}

}  // namespace

RosterRows::RosterRows(RosterView& view) : view_(view)
{
    setObjectName(QStringLiteral("rosterRows"));
    setAccessibleName(tr("Roster of identifiers"));
    setColumns(Columns({
        {"bus", tr("bus"), tr("Bus, by its letter"), 26},
        {"id", tr("id"), tr("Identifier; or parameter group and source"), 78},
        {"message", tr("message"), tr("Message of the signal database"), 118},
        {"sender", tr("sender"), tr("Node that sends it, by the signal database"), 90, false},
        {"frames", tr("frames"), tr("Frames up to the cursor"), 68, false, true},
        {"beats", tr("last beats"), tr("Its last arrivals against the promised period; a hole is a missed beat"), 110},
        {"period", tr("period"), tr("Mean period of the last beats, or for how long it is silent"), 96, true, true},
        {"spread", tr("spread"), tr("Longest less shortest period of the last beats"), 70, false, true},
        {"since", tr("since last"), tr("Time from its last frame to the cursor"), 70, false, true},
        {"length", tr("len"), tr("Payload bytes of the newest frame"), 32, false, true},
        {"bits", tr("bits"), tr("Payload bit by bit: ink is 1, underlined where it changed lately, grey where it never did"), 174},
        {"newest", tr("newest"), tr("Signals of the newest frame; open the row for all, with the smallest and largest so far"), 130, true,
            false, true},
    }));
    sortBy(identifier, false);
}

QString RosterRows::periodText(Time span)
{
    const double ms = static_cast<double>(span.count()) * 1e-6;
    if (ms <= 0)
        return {};
    if (ms < 100)
        return QString::number(ms, 'f', 1) + QStringLiteral(" ms");
    if (ms < 10000)
        return QString::number(ms, 'f', 0) + QStringLiteral(" ms");
    return QString::number(ms / 1000, 'f', 1) + QStringLiteral(" s");
}

int RosterRows::pitch() const { return Theme::get().rowHeight() + 1; }

const database::CatalogMessage* RosterRows::messageOf(trace::IdentifierIndex index) const
{
    const trace::TraceKey& key = view_.stage().snapshot().trace().key(index);
    return key.error ? nullptr : view_.stage().catalog().find(key.bus, key.id);
}

trace::Row RosterRows::limit() const
{
    const trace::Row cursor = view_.stage().cursorRow();
    return cursor == trace::noRow ? 0 : cursor + 1;
}

void RosterRows::forget()
{
    extremes_.clear();
    rebuild();
}

void RosterRows::sortBy(int column, bool descending)
{
    order_ = column;
    descending_ = descending;
    setSorted(column, descending);
    rebuild();
    refresh();
}

void RosterRows::groupBy(Grouping grouping)
{
    grouping_ = grouping;
    rebuild();
    refresh();
    Q_EMIT columnsChanged();
}

void RosterRows::joinGroups(bool join)
{
    joined_ = join;
    rebuild();
    refresh();
    Q_EMIT columnsChanged();
}

nlohmann::json RosterRows::save() const
{
    return {{"columns", columns_.save()}, {"sort", columns_.kinds()[static_cast<std::size_t>(order_)].key}, {"descending", descending_},
        {"group", groupings[static_cast<unsigned>(grouping_)]}, {"join_parameter_groups", joined_}};
}

void RosterRows::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("columns"))
        columns_.restore(setUp["columns"]);
    if (setUp.contains("group"))
        for (unsigned i = 0; i < std::size(groupings); ++i)
            if (setUp["group"] == groupings[i])
                grouping_ = static_cast<Grouping>(i);
    joined_ = setUp.contains("join_parameter_groups") && setUp["join_parameter_groups"] == true;
    int column = identifier;
    if (setUp.contains("sort"))
        for (std::size_t i = 0; i < columns_.kinds().size(); ++i)
            if (setUp["sort"] == columns_.kinds()[i].key)
                column = static_cast<int>(i);
    sortBy(column, setUp.contains("descending") && setUp["descending"] == true);
}

void RosterRows::aboutToRefresh()
{
    if (!open_.empty())
        follow();
    if (!view_.stage().snapshot().valid())
        return;
    const bool others = lookForWholes();
    if (others || view_.stage().snapshot().trace().identifierCount() != known_)
        rebuild();
}

std::int64_t RosterRows::current() const
{
    const Selection& selection = view_.stage().selection();
    if (selection.kind != Selection::Kind::message && selection.kind != Selection::Kind::signal)
        return -1;
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (isCurrent(entries_[i]))
            return static_cast<std::int64_t>(i);
    return -1;
}

bool RosterRows::isCurrent(const Entry& entry) const
{
    const Selection& selection = view_.stage().selection();
    if (selection.kind != Selection::Kind::message && selection.kind != Selection::Kind::signal)
        return false;
    if (entry.whole)
        return entry.whole->first == selection.bus && entry.whole->second == selection.id.key();
    return std::any_of(entry.members.begin(), entry.members.end(), [&](trace::IdentifierIndex member) {
        const trace::TraceKey& key = view_.stage().snapshot().trace().key(member);
        return key.bus == selection.bus && key.id == selection.id && !key.error;
    });
}

void RosterRows::choose(std::uint64_t index)
{
    // Heads of groups are stepped over, in the direction in which they are met.
    const bool back = index > 0 && current() > static_cast<std::int64_t>(index);
    while (entries_[index].isHead() && (back ? index > 0 : index + 1 < entries_.size()))
        index = back ? index - 1 : index + 1;
    if (entries_[index].isHead() && index + 1 < entries_.size())
        ++index;
    if (entries_[index].isHead())
        return;
    Selection selection;
    selection.kind = Selection::Kind::message;
    if (const auto& whole = entries_[index].whole) {
        selection.bus = whole->first;
        selection.id = can::Identifier::fromKey(whole->second);
    } else {
        const trace::TraceKey& key = view_.stage().snapshot().trace().key(entries_[index].members.front());
        selection.bus = key.bus;
        selection.id = key.id;
    }
    view_.stage().select(selection);
}

void RosterRows::headClicked(int kind)
{
    sortBy(kind, order_ == kind && !descending_);
    Q_EMIT columnsChanged();
}

void RosterRows::fillHeadMenu(QMenu& menu, int)
{
    QMenu* group = menu.addMenu(tr("Grouped by"));
    group->setObjectName(QStringLiteral("groupMenu"));
    auto* one = new QActionGroup(group);
    int i = 0;
    for (const QString& words : {tr("nothing"), tr("bus"), tr("sender")}) {
        const auto grouping = static_cast<Grouping>(i++);
        QAction* action = group->addAction(words);
        action->setCheckable(true);
        action->setChecked(grouping_ == grouping);
        one->addAction(action);
        connect(action, &QAction::triggered, this, [this, grouping] { groupBy(grouping); });
    }
    QAction* join = menu.addAction(tr("One row for a parameter group and source"));
    join->setObjectName(QStringLiteral("joinGroups"));
    join->setToolTip(tr("Identifiers of 29 bits that differ only in priority or destination share a row"));
    join->setCheckable(true);
    join->setChecked(joined_);
    connect(join, &QAction::toggled, this, &RosterRows::joinGroups);
}

void RosterRows::mousePressEvent(QMouseEvent* event)
{
    pressedAt_ = event->position().toPoint();
    RowList::mousePressEvent(event);
}

void RosterRows::contextMenuEvent(QContextMenuEvent* event)
{
    if (headMenu(event))
        return;
    const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
    const std::int64_t index = byKey ? current() : rowAt(event->pos());
    if (index < 0 || static_cast<std::uint64_t>(index) >= count() || entries_[static_cast<std::size_t>(index)].members.empty())
        return;
    choose(static_cast<std::uint64_t>(index));
    const trace::IdentifierIndex first = entries_[static_cast<std::size_t>(index)].members.front();
    const trace::TraceKey key = view_.stage().snapshot().trace().key(first);
    const auto* message = messageOf(first);
    const int place = byKey ? -1 : columns_.placeUnder(event->pos().x());
    const int column = place < 0 ? static_cast<int>(identifier) : columns_.kindAt(static_cast<std::size_t>(place));
    std::string condition = key.error ? "kind error" : "id " + can::toText(key.id);
    if (column == bus)
        condition = "bus " + quotedName(view_.stage().catalog().busName(key.bus));
    else if (column == name && message != nullptr)
        condition = "name " + quotedName(message->message->name);
    else if ((column == sender || column == newest) && message != nullptr && !message->message->sender.empty())
        condition = "from " + quotedName(message->message->sender);
    else if (joined_ && key.id.extended && !key.error) {
        const auto group = can::ParameterGroup::of(key.id);
        char text[48];
        std::snprintf(text, sizeof text, "group 0x%X and source 0x%X", group.group, group.source);
        condition = text;
    }
    QMenu menu(this);
    menu.setObjectName(QStringLiteral("rosterMenu"));
    addNarrowing(menu, *view_.filterLine(), condition);
    menu.addSeparator();
    const bool isOpenNow = linesUnder(static_cast<std::uint64_t>(index)) > 0;
    QAction* openIt = menu.addAction(isOpenNow ? tr("Close its signals") : tr("Open its signals"));
    openIt->setObjectName(QStringLiteral("openRow"));
    openIt->setShortcut(isOpenNow ? Qt::Key_Left : Qt::Key_Right);
    connect(openIt, &QAction::triggered, this, [this, index, isOpenNow] { setOpen(static_cast<std::uint64_t>(index), !isOpenNow); });
    connect(menu.addAction(tr("Show only these frames in the stream")), &QAction::triggered, this,
        [this, condition] { Q_EMIT view_.stage().filterWanted(QString::fromStdString(condition)); });
    if (!key.error)
        connect(menu.addAction(tr("Put it into the outbox, as it came")), &QAction::triggered, this,
            [this, key] { view_.stage().outbox().addSeen(key.bus, key.id); });
    QAction* copied = menu.addAction(tr("Copy row"));
    copied->setShortcut(QKeySequence::Copy);
    connect(copied, &QAction::triggered, this, [this] { QApplication::clipboard()->setText(chosenText()); });
    menu.addSeparator();
    fillHeadMenu(menu, -1);
    addColumnsMenu(menu);
    menu.exec(byKey ? viewport()->mapToGlobal(QPoint(Theme::get().px(34), headHeight())) : event->globalPos());
}

QString RosterRows::emptyText() const
{
    return known_ == 0 ? tr("No frames yet. Press Start in the run bar, or open a log with Ctrl+O.")
                       : tr("No identifier passes this filter.");
}

void RosterRows::mouseMoveEvent(QMouseEvent* event)
{
    RowList::mouseMoveEvent(event);
    // A row dragged onto the lanes plots its first signal; onto the outbox it is sent.
    const std::int64_t index = current();
    if (pressedAt_.y() < headHeight() || !(event->buttons() & Qt::LeftButton) || index < 0
        || (event->position().toPoint() - pressedAt_).manhattanLength() < QApplication::startDragDistance()
        || entries_[static_cast<std::size_t>(index)].members.empty())
        return;
    const trace::IdentifierIndex member = entries_[static_cast<std::size_t>(index)].members.front();
    const trace::TraceKey key = view_.stage().snapshot().trace().key(member);
    if (key.error)
        return;
    Sendable what;
    what.messages.emplace_back(key.bus, key.id);
    if (const auto* message = messageOf(member); message != nullptr && !message->message->signals.empty())
        what.paths << signalPath(view_.stage().catalog(), {message, 0});
    dragSendable(this, view_.stage(), what);
}

QString RosterRows::identifierText(const Entry& entry) const
{
    const trace::TraceKey& key = view_.stage().snapshot().trace().key(entry.members.front());
    if (!joined_ || !key.id.extended || key.error)
        return QString::fromStdString(can::toText(key.id));
    const auto group = can::ParameterGroup::of(key.id);
    const auto hex = [](unsigned value, int digits) { return QStringLiteral("%1").arg(value, digits, 16, QLatin1Char('0')).toUpper(); };
    return tr("%1 from %2").arg(hex(group.group, 4), hex(group.source, 2));
}

QString RosterRows::rowText(std::uint64_t index) const
{
    const Entry& entry = entries_[index];
    if (entry.whole)
        return wholeText(*entry.whole);
    if (entry.members.empty())
        return entry.title;
    Stage& stage = view_.stage();
    const trace::TraceKey& key = stage.snapshot().trace().key(entry.members.front());
    const auto moment = measure::momentOf(stage.snapshot(), entry.members, limit());
    const auto* message = messageOf(entry.members.front());
    const bool seen = moment.row != trace::noRow;
    const can::FrameView frame = seen ? stage.snapshot().frame(moment.row) : can::FrameView();
    QStringList cells;
    for (std::size_t place = 0; place < columns_.count(); ++place)
        switch (columns_.kindAt(place)) {
        case bus: cells << QString::fromStdString(stage.document().busName(key.bus)); break;
        case identifier: cells << identifierText(entry); break;
        case name: cells << (message != nullptr ? QString::fromStdString(message->message->name) : QString()); break;
        case sender: cells << (message != nullptr ? QString::fromStdString(message->message->sender) : QString()); break;
        case frames: cells << QString::number(moment.count); break;
        case period: cells << periodText(moment.mean()); break;
        case spread: cells << periodText(moment.spread()); break;
        case since: cells << (seen ? periodText(stage.cursor() - moment.beats.back()) : QString()); break;
        case length: cells << (seen ? QString::number(frame.length) : QString()); break;
        case bits:
            cells << QString::fromLatin1(QByteArray(reinterpret_cast<const char*>(frame.data), frame.length).toHex(' ').toUpper());
            break;
        case newest:
            cells << (seen && message != nullptr ? signalWords(*message, frame.payload(), Theme::get().body(), 1e9) : QString());
            break;
        default: cells << QString(); break;     // what is only drawn
        }
    return cells.join(QLatin1Char('\t'));
}

void RosterRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Entry& entry = entries_[index];
    const Theme& theme = Theme::get();
    Stage& stage = view_.stage();
    const trace::Snapshot& snapshot = stage.snapshot();
    const int height = theme.rowHeight();
    const int width = viewport()->width();
    if (entry.whole)
        return paintWhole(painter, y, entry);
    if (entry.members.empty()) {
        painter.fillRect(QRectF(0, y, width, pitch()), theme.ground);
        return paintText(painter, QRectF(theme.px(12), y, width - theme.px(24), height), entry.title, theme.bodyStrong(), theme.ink2);
    }
    const trace::IdentifierIndex first = entry.members.front();
    const trace::TraceKey& key = snapshot.trace().key(first);
    const bool selected = isCurrent(entry);
    if (selected)
        painter.fillRect(QRectF(2, y, width - 4, height), theme.accentSoft);
    const auto* message = messageOf(first);
    const measure::IdentifierMoment moment = measure::momentOf(snapshot, entry.members, limit());
    const bool seen = moment.row != trace::noRow;
    const can::FrameView frame = seen ? snapshot.frame(moment.row) : can::FrameView();
    const Time cycle = message != nullptr ? message->message->cycleTime : Time{0};
    const bool silent = seen && isSilent(moment, cycle, stage.cursor());
    const QColor ink = !seen || silent ? theme.ink3 : theme.ink;
    const Qt::Alignment right = Qt::AlignRight | Qt::AlignVCenter;
    for (std::size_t place = 0; place < columns_.count(); ++place) {
        const QRectF box = columns_.box(place, y, height);
        if (box.right() < 0 || box.left() > width)
            continue;
        switch (columns_.kindAt(place)) {
        case bus: {
            const double badge = theme.px(14);
            paintBusBadge(painter, QRectF(box.left(), y + (height - badge) / 2, badge, badge), view_.stage().mark(key.bus));
            break;
        }
        case identifier:
            if (key.error)
                paintText(painter, QRectF(box.left(), y, theme.px(120), height), tr("error frames"), theme.bodyStrong(), theme.error);
            else
                paintText(painter, box, identifierText(entry), theme.mono(), ink);
            break;
        case name:
            if (message != nullptr) {
                paintText(painter, box, QString::fromStdString(message->message->name), selected ? theme.bodyStrong() : theme.body(), ink);
            } else if (!key.error) {
                paintText(painter, box, tr("undefined"), theme.body(), theme.ink3);
                paintWarning(painter,
                    QPointF(box.left() + QFontMetricsF(theme.body()).horizontalAdvance(tr("undefined")) + theme.px(10), y + height / 2.0),
                    theme.px(9));
            }
            break;
        case sender:
            paintText(painter, box, message != nullptr ? QString::fromStdString(message->message->sender) : QString(), theme.body(), ink);
            break;
        case frames: paintText(painter, box, countText(moment.count), theme.mono(), ink, right); break;
        case beats:
            if (seen)
                paintRhythm(painter, QRectF(box.left(), y, std::min(box.width(), double(theme.px(104))), height), moment.beats, cycle,
                    stage.cursor());
            else
                paintText(painter, box, stage.lostOldest() ? tr("none kept") : tr("not yet seen"), theme.body(), theme.ink3);
            break;
        case period:
            if (seen)
                paintText(painter, box,
                    silent
                        ? silentText(static_cast<double>((stage.cursor() - moment.beats.back()).count()) * 1e-9, theme.mono(), box.width())
                        : periodText(moment.mean()),
                    theme.mono(), silent && cycle.count() > 0 ? theme.error : ink, right);
            break;
        case spread: paintText(painter, box, periodText(moment.spread()), theme.mono(), ink, right); break;
        case since:
            paintText(painter, box, seen ? periodText(stage.cursor() - moment.beats.back()) : QString(), theme.mono(), ink, right);
            break;
        case length: paintText(painter, box, seen ? QString::number(frame.length) : QString(), theme.mono(), ink, right); break;
        case bits:
            if (seen) {
                const measure::BitMask ever = stage.document().measures().read([&](const measure::MeasureState& s) {
                    return first < s.identifiers.size() ? s.identifiers[first].changed : measure::BitMask{};
                });
                paintBitLattice(painter, box, frame.data, frame.length, moment.changedLately, ever);
            }
            break;
        case newest:
            if (seen && message != nullptr)
                paintText(painter, box, signalWords(*message, frame.payload(), theme.body(), box.width()), theme.body(),
                    silent ? theme.ink3 : theme.ink);
            else if (seen && !key.error)
                paintText(painter, box, tr("no definition"), theme.body(), theme.ink3);
            break;
        default: break;
        }
    }
}

int RosterRows::linesUnder(std::uint64_t index) const
{
    if (open_.empty() || index >= entries_.size() || entries_[index].members.empty() || open_.count(entries_[index].members.front()) == 0)
        return 0;
    const auto* message = messageOf(entries_[index].members.front());
    return message == nullptr ? 1 : std::max<int>(1, static_cast<int>(message->message->signals.size()));
}

void RosterRows::open(std::uint64_t index, bool shallOpen)
{
    const Entry& entry = entries_[index];
    if (entry.members.empty())
        return;
    const trace::IdentifierIndex first = entry.members.front();
    if (!shallOpen) {
        open_.erase(first);
        for (const trace::IdentifierIndex member : entry.members)
            extremes_.erase(member);
        return;
    }
    open_.insert(first);
    follow();
}

// Goes on with the extremes of the open rows, a little at a time.
void RosterRows::follow()
{
    if (following_)
        return;
    bool more = false;
    for (const Entry& entry : entries_) {
        if (entry.members.empty() || open_.count(entry.members.front()) == 0)
            continue;
        const auto* message = messageOf(entry.members.front());
        if (message == nullptr)
            continue;
        for (const trace::IdentifierIndex member : entry.members) {
            if (messageOf(member) != message)
                continue;
            Extremes& extremes = extremes_[member];
            if (extremes.known == nullptr)
                extremes.known = std::make_unique<measure::SignalExtremes>(member, *message);
            more = !extremes.known->advance(view_.stage().snapshot(), framesAtOnce) || more;
        }
    }
    viewport()->update();
    if (!more)
        return;
    following_ = true;
    QTimer::singleShot(rosterFollowsEvery, this, [this] {
        following_ = false;
        follow();
    });
}

std::vector<RosterRows::Line> RosterRows::linesOf(const Entry& entry) const
{
    std::vector<Line> lines;
    const trace::IdentifierIndex first = entry.members.front();
    const auto* message = messageOf(first);
    if (message == nullptr)
        return lines;
    // Of all identifiers of the row: the newest frame, and the extremes once those of each are known.
    const trace::Snapshot& snapshot = view_.stage().snapshot();
    trace::Row row = trace::noRow;
    std::vector<measure::RangeSummary> soFar(message->message->signals.size());
    bool known = true;
    for (const trace::IdentifierIndex member : entry.members) {
        if (messageOf(member) != message)
            continue;
        const trace::Row last = snapshot.previousOf(member, limit());
        if (last != trace::noRow && (row == trace::noRow || last > row))
            row = last;
        const auto found = extremes_.find(member);
        known = known && found != extremes_.end() && found->second.known != nullptr && found->second.known->reaches(limit());
        if (!known)
            continue;
        if (found->second.at != limit()) {
            found->second.answer = found->second.known->before(snapshot, limit());
            found->second.at = limit();
        }
        for (std::size_t i = 0; i < soFar.size(); ++i)
            soFar[i].add(found->second.answer[i]);
    }
    std::vector<database::Decoded> decoded;
    if (row != trace::noRow)
        message->plan.decode(snapshot.frame(row), decoded);
    for (std::uint32_t i = 0; i < message->message->signals.size(); ++i) {
        Line line;
        line.signal = &message->message->signals[i];
        for (const database::Decoded& value : decoded)
            if (value.signal == i)
                line.newest = value;
        if (known && soFar[i].count > 0)
            line.soFar = soFar[i];
        lines.push_back(line);
    }
    return lines;
}

// What is wrong with the values of a signal: with the newest, or else with one before it.
QString RosterRows::rangeText(const Line& line)
{
    const database::Signal& signal = *line.signal;
    if (!line.soFar)
        return {};
    const auto limit = [&](double value) { return valueText(value, signal.factor); };
    const auto low = [&](double value) { return signal.minimum && value < *signal.minimum; };
    const auto high = [&](double value) { return signal.maximum && value > *signal.maximum; };
    if (line.newest && low(line.newest->value))
        return tr("below its minimum, %1").arg(limit(*signal.minimum));
    if (line.newest && high(line.newest->value))
        return tr("above its maximum, %1").arg(limit(*signal.maximum));
    if (low(line.soFar->low))
        return tr("was below its minimum, %1").arg(limit(*signal.minimum));
    if (high(line.soFar->high))
        return tr("was above its maximum, %1").arg(limit(*signal.maximum));
    return {};
}

QString RosterRows::lineText(std::uint64_t index, int line) const
{
    const auto lines = linesOf(entries_[index]);
    if (static_cast<std::size_t>(line) >= lines.size())
        return tr("no definition: its signals are not known");
    const Line& is = lines[static_cast<std::size_t>(line)];
    const QString unit = is.signal->unit.empty() ? QString() : QLatin1Char(' ') + QString::fromStdString(is.signal->unit);
    const QString range = rangeText(is);
    QStringList parts{QString::fromStdString(is.signal->name), is.newest ? readingText(*is.signal, *is.newest) : tr("not in this frame"),
        is.soFar
            ? tr("%1 to %2%3 so far").arg(valueText(is.soFar->low, is.signal->factor), valueText(is.soFar->high, is.signal->factor), unit)
            : QString()};
    if (!range.isEmpty())
        parts.append(range);
    return parts.join(QLatin1Char('\t'));
}

void RosterRows::paintLine(QPainter& painter, int y, std::uint64_t index, int line)
{
    const Theme& theme = Theme::get();
    const int height = theme.rowHeight();
    const double left = theme.px(34) - horizontalScrollBar()->value();
    painter.fillRect(QRectF(0, y, viewport()->width(), pitch()), theme.raised);
    const auto part = [&](double from, double to) { return QRectF(left + theme.px(from), y, theme.px(to - from), height); };
    const QStringList parts = lineText(index, line).split(QLatin1Char('\t'));
    if (parts.size() < 3)
        return paintText(painter, part(0, 400), parts.front(), theme.body(), theme.ink3);
    const auto lines = linesOf(entries_[index]);
    const Line& is = lines[static_cast<std::size_t>(line)];
    paintText(painter, part(0, 168), parts[0], theme.body(), is.newest ? theme.ink : theme.ink3);
    paintText(painter, part(172, 320), parts[1], is.newest ? theme.mono() : theme.body(), is.newest ? theme.ink : theme.ink3,
        Qt::AlignRight | Qt::AlignVCenter);
    paintText(painter, part(336, 560), parts[2], theme.mono(), theme.ink2);
    if (parts.size() > 3) {
        const double at = left + theme.px(336) + QFontMetricsF(theme.mono()).horizontalAdvance(parts[2]) + theme.px(20);
        paintWarning(painter, QPointF(at, y + height / 2.0), theme.px(9));
        paintText(painter, QRectF(at + theme.px(10), y, theme.px(300), height), parts[3], theme.body(), theme.ink);
    }
}

void RosterRows::lineClicked(std::uint64_t index, int line)
{
    const Entry& entry = entries_[index];
    const auto* message = messageOf(entry.members.front());
    if (message == nullptr || static_cast<std::size_t>(line) >= message->message->signals.size())
        return;
    const trace::TraceKey& key = view_.stage().snapshot().trace().key(entry.members.front());
    Selection selection;
    selection.kind = Selection::Kind::signal;
    selection.bus = key.bus;
    selection.id = key.id;
    selection.signal = line;
    view_.stage().select(selection);
}

}  // namespace wavetrope::app
