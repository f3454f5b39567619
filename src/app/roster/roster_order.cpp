// SPDX-License-Identifier: GPL-3.0-or-later
// Which rows the roster has, and in what order.
#include <algorithm>
#include <bit>
#include <map>
#include <tuple>

#include "app/paint/paint.h"
#include "app/roster/roster_rows.h"
#include "app/roster/roster_view.h"
#include "app/stage/filter_line.h"
#include "can/parameter_group.h"

namespace wavetrope::app {

void RosterRows::rebuild()
{
    const trace::Snapshot& snapshot = view_.stage().snapshot();
    if (!snapshot.valid())
        return;
    known_ = snapshot.trace().identifierCount();
    const auto& trace = snapshot.trace();
    const filter::Filter& filter = view_.filterLine()->filter();
    const Time at = view_.stage().cursor();
    std::vector<Entry> rows;
    std::map<std::tuple<std::uint8_t, std::uint32_t, std::uint8_t>, std::size_t> joined;
    std::size_t passing = 0;
    for (trace::IdentifierIndex i = 0; i < known_; ++i) {
        const trace::TraceKey& key = trace.key(i);
        if (filter.verdict(key) == filter::Verdict::never)
            continue;
        ++passing;
        if (joined_ && key.id.extended && !key.error) {
            const auto group = can::ParameterGroup::of(key.id);
            const auto [found, isNew] = joined.try_emplace({key.bus, group.group, group.source}, rows.size());
            if (!isNew) {
                rows[found->second].members.push_back(i);
                continue;
            }
        }
        rows.push_back({{i}, {}, {}});
    }
    // What each row is sorted by is looked up once.
    struct Key {
        std::string group;
        double number = 0;
        std::string word;
        std::tuple<std::uint8_t, bool, bool, std::uint32_t> usual;
    };
    std::vector<std::pair<Key, Entry>> sorted;
    for (Entry& entry : rows) {
        const trace::IdentifierIndex first = entry.members.front();
        const trace::TraceKey& key = trace.key(first);
        const auto* message = messageOf(first);
        Key by;
        by.usual = {key.bus, key.error, key.id.extended, key.id.value};
        const std::string from = message != nullptr ? message->message->sender : std::string();
        if (grouping_ == Grouping::bus)
            by.group = std::string(1, static_cast<char>(key.bus));
        else if (grouping_ == Grouping::sender)
            by.group = from.empty() ? "\x7F" : from;
        const auto moment = [&] { return measure::momentOf(snapshot, entry.members, limit()); };
        switch (order_) {
        case name:
        case newest: by.word = message != nullptr ? message->message->name : std::string("~"); break;
        case sender: by.word = from.empty() ? "~" : from; break;
        case frames: by.number = static_cast<double>(moment().count); break;
        case beats:
        case period: by.number = static_cast<double>(moment().mean().count()); break;
        case spread: by.number = static_cast<double>(moment().spread().count()); break;
        case since: {
            const auto now = moment();
            by.number = now.beats.empty() ? 1e30 : static_cast<double>((at - now.beats.back()).count());
            break;
        }
        case length: {
            const auto now = moment();
            by.number = now.row == trace::noRow ? -1 : snapshot.frame(now.row).length;
            break;
        }
        case bits:
            by.number = view_.stage().document().measures().read([&](const measure::MeasureState& state) {
                int changed = 0;
                if (first < state.identifiers.size())
                    for (const std::uint8_t byte : state.identifiers[first].changed.bytes)
                        changed += std::popcount(byte);
                return static_cast<double>(changed);
            });
            break;
        default: break;
        }
        sorted.emplace_back(std::move(by), std::move(entry));
    }
    std::stable_sort(sorted.begin(), sorted.end(), [&](const auto& a, const auto& b) {
        if (a.first.group != b.first.group)
            return a.first.group < b.first.group;
        const auto whole = [](const Key& key) { return std::tie(key.number, key.word); };
        if (whole(a.first) != whole(b.first))
            return descending_ ? whole(b.first) < whole(a.first) : whole(a.first) < whole(b.first);
        return descending_ && (order_ == identifier || order_ == bus) ? b.first.usual < a.first.usual : a.first.usual < b.first.usual;
    });
    entries_.clear();
    shown_.clear();
    for (std::size_t i = 0; i < sorted.size(); ++i) {
        if (grouping_ != Grouping::none && (i == 0 || sorted[i].first.group != sorted[i - 1].first.group)) {
            std::size_t end = i;
            while (end < sorted.size() && sorted[end].first.group == sorted[i].first.group)
                ++end;
            const trace::IdentifierIndex first = sorted[i].second.members.front();
            const auto* message = messageOf(first);
            const QString title = grouping_ == Grouping::bus
                                      ? QString::fromStdString(view_.stage().document().busName(trace.key(first).bus))
                                  : message != nullptr && !message->message->sender.empty()
                                      ? QString::fromStdString(message->message->sender)
                                      : tr("no sender known");
            entries_.push_back({{}, tr("%1, %2").arg(title, counted(end - i, joined_ ? "row" : "identifier")), {}});
        }
        shown_.push_back(sorted[i].second.members.front());
        entries_.push_back(std::move(sorted[i].second));
    }
    // Behind all frames: what comes in pieces, as long as the identifier alone could pass.
    std::vector<Entry> wholes;
    for (const auto& [whole, known] : wholes_)
        if (filter.verdict({whole.first, false, can::Identifier::fromKey(whole.second)}) != filter::Verdict::never)
            wholes.push_back({{}, {}, whole});
    if (!wholes.empty()) {
        entries_.push_back({{}, tr("put together from pieces, %1").arg(counted(wholes.size(), "group")), {}});
        entries_.insert(entries_.end(), wholes.begin(), wholes.end());
    }
    view_.filterLine()->setResult(
        joined_ ? tr("%1 rows of %2 identifiers").arg(shown_.size()).arg(passing) : tr("%1 of %2 identifiers").arg(passing).arg(known_));
}

}  // namespace wavetrope::app
