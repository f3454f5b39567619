// SPDX-License-Identifier: GPL-3.0-or-later
// Where the lines of the outbox have what they show, and how that is drawn.
#include <QPainter>

#include <algorithm>
#include <cmath>

#include "app/outbox/outbox_rows.h"
#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/stage.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/compose.h"

namespace wavetrope::app {

namespace {

constexpr double controlAt = 12, controlWide = 66, controlTall = 24, badgeAt = 88, goesAt = 214, valuesAt = 342;
constexpr double stripWide = 100, rightRoom = 216, sentRoom = 74, rowTall = 41, groupTall = 27, leastOutbox = 680;

void paintDiamond(QPainter& painter, const QPointF& centre, double half)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(Theme::get().accent, 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawPolygon(
        QPolygonF({centre + QPointF(0, -half), centre + QPointF(half, 0), centre + QPointF(0, half), centre + QPointF(-half, 0)}));
    painter.restore();
}

// That it cannot go out.
void paintStopped(QPainter& painter, const QPointF& centre, double size)
{
    painter.fillRect(QRectF(centre.x() - size / 2, centre.y() - size / 2, size, size), Theme::get().error);
}

// One place, one mark: only the word and the fill change.
void paintControl(QPainter& painter, const QRectF& box, OutboxLook::State state)
{
    static const QString words[] = {OutboxRows::tr("Send"), OutboxRows::tr("Sends"), OutboxRows::tr("Ready"), OutboxRows::tr("Waits")};
    using State = OutboxLook::State;
    const Theme& theme = Theme::get();
    const bool filled = state == State::sends;
    const QColor ink = filled ? theme.surface : state == State::waits ? theme.ink2 : theme.ink;
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(state == State::waits ? theme.ink3 : theme.accent, 1, state == State::waits ? Qt::DashLine : Qt::SolidLine));
    painter.setBrush(filled ? theme.accent : state == State::ready ? theme.accentSoft : theme.raised);
    painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), theme.px(4), theme.px(4));
    // A plug.
    const double y = box.center().y(), x = box.left() + theme.px(9);
    painter.setPen(QPen(ink, 1.4));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(QRectF(x, y - theme.px(3), theme.px(5), theme.px(6)));
    painter.drawLine(QPointF(x + theme.px(5), y), QPointF(x + theme.px(10), y));
    painter.drawLine(QPointF(x + theme.px(10), y - theme.px(3)), QPointF(x + theme.px(10), y + theme.px(3)));
    painter.restore();
    paintText(painter, box.adjusted(theme.px(23), 0, -2, 0), words[static_cast<int>(state)], theme.bodyStrong(), ink);
}

void paintPush(QPainter& painter, const QRectF& box, const QString& words, const QString& key = {})
{
    const Theme& theme = Theme::get();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(theme.hairline, 1));
    painter.setBrush(theme.raised);
    painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), theme.px(4), theme.px(4));
    painter.restore();
    QRectF at = box.adjusted(theme.px(8), 0, -theme.px(8), 0);
    if (!key.isEmpty()) {
        paintText(painter, at, key, theme.small(), theme.ink2);
        at.setLeft(at.left() + theme.px(12));
    }
    paintText(painter, at, words, theme.body(), theme.ink, key.isEmpty() ? Qt::AlignCenter : Qt::AlignLeft | Qt::AlignVCenter);
}

}  // namespace

int OutboxRows::pitch() const { return Theme::get().px(rowTall); }

int OutboxRows::tallOf(std::uint64_t index) const { return Theme::get().px(entries_[index].row ? rowTall : groupTall); }

QString OutboxRows::emptyText() const
{
    return wanted_.isEmpty()
               ? tr("Nothing to send yet. Type a message below, such as 0x1F0 11 22 33, or the name of one with values; or drag "
                    "a node, a message or a row of the roster here.")
               : tr("No row has \"%1\" in it.").arg(wanted_);
}

int OutboxRows::linesUnder(std::uint64_t index) const
{
    const Entry& entry = entries_[index];
    return entry.row && asks_.contains(entry.number) ? 1 : 0;
}

void OutboxRows::layHeads()
{
    const double wide = std::max(leastOutbox, viewport()->width() / Theme::get().scale());
    setHeads({{messageAt, tr("message")}, {goesAt, tr("goes out")}, {valuesAt + valuePad, tr("values")},
                 {wide - rightRoom, tr("last sendings")}, {wide - sentRoom, tr("sent"), wide - 14}},
        leastOutbox);
}

void OutboxRows::resizeEvent(QResizeEvent* event)
{
    layHeads();
    RowList::resizeEvent(event);
}

QRectF OutboxRows::lineOf(std::size_t index) const
{
    if (index < top())
        return {};
    int y = headHeight();
    for (std::uint64_t at = top(); at < index; ++at)
        y += tallOf(at) + pitch() * linesUnder(at);
    return {0, static_cast<double>(y), static_cast<double>(rowWidth()), static_cast<double>(tallOf(index))};
}

QRectF OutboxRows::controlIn(const QRectF& line) const
{
    const Theme& theme = Theme::get();
    return {line.left() + theme.px(controlAt), line.top() + theme.px((rowTall - controlTall) / 2),
        static_cast<double>(theme.px(controlWide)), static_cast<double>(theme.px(controlTall))};
}

std::pair<QRectF, QRectF> OutboxRows::groupButtons(const QRectF& line) const
{
    const Theme& theme = Theme::get();
    const double start = QFontMetricsF(theme.body()).horizontalAdvance(tr("Start together")) + theme.px(20);
    const double hold = QFontMetricsF(theme.body()).horizontalAdvance(tr("Hold")) + theme.px(20);
    const double tall = std::min<double>(theme.px(controlTall), line.height() - theme.px(4));
    const QRectF right(line.right() - theme.px(12) - start, line.center().y() - tall / 2, start, tall);
    return {QRectF(right.left() - theme.px(6) - hold, right.top(), hold, right.height()), right};
}

std::vector<QRectF> OutboxRows::valueBoxes(const QRectF& line, const std::vector<OutboxLook::Value>& values, std::size_t* left) const
{
    const Theme& theme = Theme::get();
    const QFontMetricsF names(theme.body()), numbers(theme.mono());
    const double end = line.right() - theme.px(rightRoom) - theme.px(34);
    double x = theme.px(valuesAt);
    std::vector<QRectF> out;
    for (const OutboxLook::Value& value : values) {
        const double wide = (value.name.isEmpty() ? 0 : names.horizontalAdvance(value.name) + theme.px(5))
                            + numbers.horizontalAdvance(value.text) + 2 * theme.px(valuePad);
        if (x + wide > end && !out.empty())
            break;
        out.emplace_back(x, line.top() + theme.px(3), std::min(wide, end - x + theme.px(30)), theme.px(18));
        x += wide + theme.px(6);
    }
    if (left != nullptr)
        *left = values.size() - out.size();
    return out;
}

std::vector<QRectF> OutboxRows::remedyBoxes(const QRectF& line, const QStringList& words) const
{
    const Theme& theme = Theme::get();
    double x = theme.px(messageAt);
    std::vector<QRectF> out;
    for (const QString& one : words) {
        const double wide = QFontMetricsF(theme.body()).horizontalAdvance(one) + theme.px(30);
        out.emplace_back(x, line.bottom() + theme.px(5), wide, theme.px(controlTall));
        x += wide + theme.px(8);
    }
    return out;
}

void OutboxRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Theme& theme = Theme::get();
    const Entry& entry = entries_[index];
    const QRectF line(0, y, rowWidth(), tallOf(index));
    const auto [first, last] = chosenRange();
    const bool chosen = current_ >= 0 && index >= first && index <= last;
    const double under = pitch() * linesUnder(index);
    if (chosen)
        painter.fillRect(line.adjusted(2, 0, -2, under - 1), theme.accentSoft);
    painter.setPen(theme.grid);
    painter.drawLine(QPointF(theme.px(12), line.bottom() + under - 1), QPointF(line.right() - theme.px(12), line.bottom() + under - 1));
    if (!entry.row)
        return paintGroup(painter, line, entry, chosen);
    const OutboxDesk::Place place = entry.place();
    const drive::OutboxRow& spec = look_.spec(place);
    const double one = line.top() + theme.px(4), two = line.top() + theme.px(21), tall = theme.px(16);
    paintControl(painter, controlIn(line), look_.state(place));
    if (const int bus = look_.bus(place); bus >= 0)
        paintBusBadge(painter, QRectF(theme.px(badgeAt), line.top() + theme.px(5), theme.px(14), theme.px(14)),
            stage_.mark(static_cast<unsigned>(bus)));
    const double messageWide = theme.px(goesAt - messageAt - 8), goesWide = theme.px(valuesAt - goesAt - 8);
    const bool byId = spec.message.empty(), byWords = !spec.ask.empty();
    paintText(painter, QRectF(theme.px(messageAt), one, messageWide, tall), look_.name(place),
        byId && !byWords ? theme.mono() : theme.bodyStrong(), theme.ink);
    const QString kind = byWords                                     ? tr("a question")
                         : spec.frame.kind == can::FrameKind::remote ? tr("remote, length code %1").arg(spec.frame.dlc)
                         : spec.frame.kind == can::FrameKind::fd     ? tr("fd, %1 bytes").arg(spec.frame.length)
                                                                     : tr("frame, %1 bytes").arg(spec.frame.length);
    paintText(painter, QRectF(theme.px(messageAt), two, messageWide, tall), byId ? kind : text(can::toText(look_.id(place))),
        byId ? theme.body() : theme.mono(), theme.ink2);
    const auto [when, howLong] = look_.when(place);
    paintText(painter, QRectF(theme.px(goesAt), one, goesWide, tall), when, theme.body(), theme.ink);
    paintText(painter, QRectF(theme.px(goesAt), two, goesWide, tall), howLong, theme.body(), theme.ink2);
    paintValues(painter, line, place);
    // The second line under them: what presses most.
    const bool asks = asks_.contains(entry.number);
    const bool wrong = !look_.problem(place).isEmpty();
    const bool warns = !wrong && (asks || !look_.warning(place).isEmpty());
    const bool waits = !wrong && !warns && !look_.waiting(place).isEmpty();
    QString words = asks ? asks_.at(entry.number).front().words : look_.words(place);
    double x = theme.px(valuesAt) + theme.px(valuePad);
    const QPointF mark(x + theme.px(5), two + tall / 2);
    if (wrong)
        paintStopped(painter, mark, theme.px(8));
    else if (warns)
        paintWarning(painter, mark, theme.px(9));
    else if (waits)
        paintDiamond(painter, mark, theme.px(4));
    if (wrong || warns || waits)
        x += theme.px(15);
    const bool loud = wrong || warns || waits;
    const double room = line.right() - theme.px(rightRoom + 8) - x;
    // The mark says already that something waits.
    if (const QString before = tr("waits: ");
        waits && words.startsWith(before) && QFontMetricsF(theme.bodyStrong()).horizontalAdvance(words) > room)
        words.remove(0, before.size());
    paintText(painter, QRectF(x, two, room, tall), words, loud ? theme.bodyStrong() : theme.body(), loud ? theme.ink : theme.ink2);
    paintCounts(painter, line, place);
}

void OutboxRows::paintCounts(QPainter& painter, const QRectF& line, OutboxDesk::Place place) const
{
    const drive::OutboxRowFacts* facts = look_.facts(place);
    if (facts == nullptr)
        return;
    const Theme& theme = Theme::get();
    const drive::OutboxRow& spec = look_.spec(place);
    const double one = line.top() + theme.px(4), two = line.top() + theme.px(21), tall = theme.px(16);
    const double strip = line.right() - theme.px(rightRoom);
    if (!facts->ticks.empty() || !facts->refusals.empty())  // the run has gone on since, and the row with it
        paintRhythm(painter, QRectF(strip, line.top() + theme.px(2), theme.px(stripWide), theme.px(18)), facts->ticks,
            spec.every.count() > 0 ? spec.every : facts->kept, facts->told, &facts->refusals);
    paintText(painter, QRectF(strip, two, theme.px(rightRoom - sentRoom - 20), tall), look_.timekeeping(place), theme.small(), theme.ink2);
    const QRectF sent(line.right() - theme.px(sentRoom + 14), one, theme.px(sentRoom), tall);
    paintText(painter, sent, countText(facts->sent), theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
    bool wrong = false;
    const QString last = look_.last(place, &wrong);
    paintText(painter, QRectF(sent.left(), two, sent.width(), tall), last, wrong ? theme.bodyStrong() : theme.body(),
        wrong ? theme.error : theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
}

void OutboxRows::paintGroup(QPainter& painter, const QRectF& line, const Entry& entry, bool)
{
    const Theme& theme = Theme::get();
    const drive::OutboxGroup& group = stage_.outbox().groups()[entry.group];
    const bool folded = folded_.contains(group.name) && wanted_.isEmpty();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.ink2);
    const QPointF at(theme.px(17), line.center().y());
    const double half = theme.px(3.5);
    painter.drawPolygon(folded
                            ? QPolygonF({at + QPointF(-half * 0.7, -half), at + QPointF(half * 0.9, 0), at + QPointF(-half * 0.7, half)})
                            : QPolygonF({at + QPointF(-half, -half * 0.7), at + QPointF(half, -half * 0.7), at + QPointF(0, half * 0.9)}));
    painter.restore();
    const auto [hold, start] = groupButtons(line);
    const double wide = QFontMetricsF(theme.head()).horizontalAdvance(text(group.name)) + theme.px(10);
    const QRectF words(theme.px(28), line.top(), hold.left() - theme.px(36), line.height());
    paintText(painter, words, text(group.name), theme.head(), theme.ink);
    const QString rows = group.rows.size() == 1 ? tr("1 row") : tr("%1 rows").arg(group.rows.size());
    paintText(painter, words.adjusted(wide, 0, 0, 0), group.comment.empty() ? rows : tr("%1, %2").arg(rows, text(group.comment)),
        theme.body(), theme.ink2);
    paintPush(painter, hold, tr("Hold"));
    paintPush(painter, start, tr("Start together"));
}

void OutboxRows::paintValues(QPainter& painter, const QRectF& line, OutboxDesk::Place place) const
{
    const Theme& theme = Theme::get();
    const std::vector<OutboxLook::Value> values = look_.values(place);
    std::size_t left = 0;
    const std::vector<QRectF> boxes = valueBoxes(line, values, &left);
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        QRectF box = boxes[i];
        if (values[i].onBus) {
            painter.setPen(QPen(theme.accent, 1, Qt::DashLine));
            painter.setBrush(theme.raised);
            painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -1.5));
        }
        box.adjust(theme.px(valuePad), 0, -theme.px(valuePad) + 2, 0);
        if (!values[i].name.isEmpty()) {
            const double wide = QFontMetricsF(theme.body()).horizontalAdvance(values[i].name);
            paintText(painter, QRectF(box.left(), box.top(), std::min(wide + 1, box.width()), box.height()), values[i].name, theme.body(),
                theme.ink2);
            box.setLeft(box.left() + wide + theme.px(5));
        }
        paintText(painter, box, values[i].text, theme.mono(), values[i].set ? theme.ink : theme.ink3);
    }
    if (left > 0 && !boxes.empty())
        paintText(painter, QRectF(boxes.back().right() + theme.px(4), boxes.back().top(), theme.px(30), boxes.back().height()),
            QStringLiteral("+%1").arg(left), theme.body(), theme.ink2);
}

void OutboxRows::paintLine(QPainter& painter, int y, std::uint64_t index, int)
{
    const QStringList words = remedies(index);
    const std::vector<QRectF> boxes = remedyBoxes(QRectF(0, y - pitch(), rowWidth(), pitch()), words);
    for (std::size_t i = 0; i < boxes.size(); ++i)
        paintPush(painter, boxes[i], words[static_cast<qsizetype>(i)], QString::number(i + 1));
}

void OutboxRows::paintEvent(QPaintEvent* event)
{
    RowList::paintEvent(event);
    if (dropLine_ < 0)
        return;
    QPainter painter(viewport());
    painter.fillRect(QRect(Theme::get().px(12), dropLine_ - 1, rowWidth() - Theme::get().px(24), 2), Theme::get().accent);
}

QRect OutboxRows::controlOf(std::size_t index) const
{
    return (entries_[index].row ? controlIn(lineOf(index)) : groupButtons(lineOf(index)).second).toRect();
}

QRect OutboxRows::holdOf(std::size_t index) const { return groupButtons(lineOf(index)).first.toRect(); }

QRect OutboxRows::valueOf(std::size_t index, std::size_t value) const
{
    const std::vector<QRectF> boxes = valueBoxes(lineOf(index), look_.values(entries_[index].place()));
    return value < boxes.size() ? boxes[value].toRect() : QRect();
}

QRect OutboxRows::remedyOf(std::size_t index, std::size_t remedy) const
{
    const std::vector<QRectF> boxes = remedyBoxes(lineOf(index), remedies(index));
    return remedy < boxes.size() ? boxes[remedy].toRect() : QRect();
}

}  // namespace wavetrope::app
