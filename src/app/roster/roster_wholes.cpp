// SPDX-License-Identifier: GPL-3.0-or-later
// Rows of the roster for messages that come in pieces, and that no frame has the identifier of.
#include <QPainter>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/roster/roster_rows.h"
#include "app/roster/roster_view.h"
#include "app/stage/protocol_desk.h"
#include "app/theme/theme.h"
#include "protocol/describe.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t beatsShown = 25;

}  // namespace

// What came since. Whether there are others than before.
bool RosterRows::lookForWholes()
{
    Stage& stage = view_.stage();
    ProtocolDesk& desk = stage.protocols();
    const auto& spoken = desk.spoken();
    const bool any = view_.isVisible() && std::any_of(spoken.begin(), spoken.end(), [](const SpokenOn& one) {
        return std::any_of(
            one.spoken.begin(), one.spoken.end(), [](const protocol::Spoken& of) { return of.protocol == protocol::Protocol::vehicle; });
    });
    const auto index = any ? desk.messages() : nullptr;
    if (index != index_) {
        index_ = index;
        wholes_.clear();
    }
    if (index_ == nullptr)
        return false;
    bool others = false;
    for (const measure::MessageIndex::Newest& one : index_->newest()) {
        if (!one.id.extended || stage.snapshot().trace().find({one.bus, false, one.id}))
            continue;
        const auto [found, isNew] = wholes_.try_emplace({one.bus, one.id.key()});
        others = others || isNew;
        std::vector<std::uint64_t>& known = found->second;
        const std::size_t before = known.size();
        for (std::optional<std::uint64_t> at = one.whole; at && (before == 0 || *at > known[before - 1]); at = index_->previous(*at))
            known.push_back(*at);
        std::reverse(known.begin() + static_cast<std::ptrdiff_t>(before), known.end());
    }
    return others;
}

measure::IdentifierMoment RosterRows::momentOf(const WholeKey& whole) const
{
    measure::IdentifierMoment moment;
    const auto found = wholes_.find(whole);
    if (found == wholes_.end() || index_ == nullptr)
        return moment;
    const trace::Row end = limit();
    const auto& known = found->second;
    const auto behind = std::partition_point(known.begin(), known.end(), [&](std::uint64_t at) { return index_->wholeRow(at) < end; });
    moment.count = static_cast<std::uint64_t>(behind - known.begin());
    if (moment.count == 0)
        return moment;
    moment.row = index_->wholeRow(*std::prev(behind));
    for (auto at = behind - static_cast<std::ptrdiff_t>(std::min<std::size_t>(beatsShown, moment.count)); at != behind; ++at)
        moment.beats.push_back(view_.stage().snapshot().time(index_->wholeRow(*at)));
    if (moment.beats.size() > 1)
        moment.period = moment.beats.back() - moment.beats[moment.beats.size() - 2];
    return moment;
}

const database::CatalogMessage* RosterRows::messageOf(const WholeKey& whole) const
{
    return view_.stage().catalog().find(whole.first, can::Identifier::fromKey(whole.second));
}

// Its cells, by kind.
std::vector<std::pair<int, QString>> RosterRows::wholeCells(const WholeKey& whole, double room) const
{
    Stage& stage = view_.stage();
    const auto* message = messageOf(whole);
    const measure::IdentifierMoment moment = momentOf(whole);
    const bool seen = moment.row != trace::noRow;
    measure::Message newestOne;
    if (seen)
        newestOne = index_->at(stage.snapshot(), moment.row);
    const protocol::Described described = seen && newestOne.head
                                              ? protocol::describe(newestOne.row(), nullptr, stage.document().databases().names.get())
                                              : protocol::Described();
    return {{bus, text(stage.document().busName(whole.first))}, {identifier, text(can::toText(can::Identifier::fromKey(whole.second)))},
        {name, message != nullptr ? text(message->message->name) : text(described.what)},
        {sender, seen && newestOne.head ? stage.protocols().betweenWords(whole.first, *newestOne.head) : QString()},
        {frames, countText(moment.count)}, {period, seen ? periodText(moment.mean()) : QString()}, {spread, periodText(moment.spread())},
        {since, seen ? periodText(stage.cursor() - moment.beats.back()) : QString()},
        {length, seen ? QString::number(newestOne.data.size()) : QString()},
        {newest, !seen                ? QString()
                 : message != nullptr ? signalWords(*message, newestOne.data, Theme::get().body(), room)
                                      : text(described.value)}};
}

QString RosterRows::wholeText(const WholeKey& whole) const
{
    const auto all = wholeCells(whole, 1e9);
    QStringList cells;
    for (std::size_t place = 0; place < columns_.count(); ++place) {
        const auto found = std::find_if(all.begin(), all.end(), [&](const auto& one) { return one.first == columns_.kindAt(place); });
        cells << (found == all.end() ? QString() : found->second);
    }
    return cells.join(QLatin1Char('\t'));
}

void RosterRows::paintWhole(QPainter& painter, int y, const Entry& entry) const
{
    const Theme& theme = Theme::get();
    const int height = theme.rowHeight();
    const WholeKey& whole = *entry.whole;
    if (isCurrent(entry))
        painter.fillRect(QRectF(2, y, viewport()->width() - 4, height), theme.accentSoft);
    const measure::IdentifierMoment moment = momentOf(whole);
    const QColor ink = moment.row == trace::noRow ? theme.ink3 : theme.ink;
    for (std::size_t place = 0; place < columns_.count(); ++place) {
        const QRectF box = columns_.box(place, y, height);
        const int kind = columns_.kindAt(place);
        if (kind == bus) {
            const double badge = theme.px(14);
            paintBusBadge(painter, QRectF(box.left(), y + (height - badge) / 2, badge, badge), view_.stage().mark(whole.first));
            continue;
        }
        if (kind == beats) {
            // A group may come in one frame in between: nothing is missing where it does not come in pieces.
            Time longest = std::chrono::milliseconds(1);
            for (std::size_t i = 1; i < moment.beats.size(); ++i)
                longest = std::max(longest, Time(moment.beats[i] - moment.beats[i - 1]));
            if (moment.row != trace::noRow)
                paintRhythm(painter, QRectF(box.left(), y, std::min(box.width(), double(theme.px(104))), height), moment.beats,
                    std::max(longest, Time(view_.stage().cursor() - moment.beats.back())), view_.stage().cursor());
            continue;
        }
        const auto all = wholeCells(whole, box.width());
        const auto found = std::find_if(all.begin(), all.end(), [&](const auto& one) { return one.first == kind; });
        if (found == all.end())
            continue;
        const bool number = kind == frames || kind == period || kind == spread || kind == since || kind == length;
        paintText(painter, box, found->second, number || kind == identifier ? theme.mono() : theme.body(), ink,
            number ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter);
    }
}

}  // namespace wavetrope::app
