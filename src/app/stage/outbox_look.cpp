// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/outbox_look.h"

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/stage.h"
#include "base/time_text.h"
#include "database/compose.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr Time foreignIsNew = std::chrono::seconds(5);

QString spanAsWritten(Time time) { return text(exactSpanText(time)); }

// As it is read: two figures behind the point where it is short.
QString agoText(Time time)
{
    const double ms = static_cast<double>(time.count()) * 1e-6;
    return ms < 10     ? OutboxLook::tr("%1 ms").arg(ms, 0, 'f', ms < 1 ? 2 : 1)
           : ms < 1000 ? OutboxLook::tr("%1 ms").arg(ms, 0, 'f', 0)
                       : OutboxLook::tr("%1 s").arg(ms * 1e-3, 0, 'f', 1);
}

QString periodKept(Time period, Time spread)
{
    const double ms = static_cast<double>(period.count()) * 1e-6, wide = static_cast<double>(spread.count()) * 1e-6;
    return ms < 500 ? OutboxLook::tr("%1 ms, spread %2").arg(ms, 0, 'f', 2).arg(wide, 0, 'f', 2)
                    : OutboxLook::tr("%1 s, spread %2 ms").arg(ms * 1e-3, 0, 'f', 3).arg(wide, 0, 'f', 1);
}

}  // namespace

QString sourceWords(const drive::SourceSpec& source)
{
    if (const auto* formula = std::get_if<drive::FormulaSpec>(&source))
        return QStringLiteral("= ") + text(formula->text);
    return std::holds_alternative<drive::SineSpec>(source)      ? OutboxLook::tr("sine")
           : std::holds_alternative<drive::NoiseSpec>(source)   ? OutboxLook::tr("noise")
           : std::holds_alternative<drive::CounterSpec>(source) ? OutboxLook::tr("counter")
           : std::holds_alternative<drive::Checksum>(source)    ? OutboxLook::tr("checksum")
           : std::holds_alternative<drive::CurveSpec>(source)   ? OutboxLook::tr("curve")
                                                                : QString();
}

void OutboxLook::refresh()
{
    (void)stage_.outbox().facts();
    facts_ = stage_.outbox().sharedFacts();
    first_.clear();
    std::size_t number = 0;
    for (const drive::OutboxGroup& group : stage_.outbox().groups()) {
        first_.push_back(number);
        number += group.rows.size();
    }
    if (facts_ && facts_->size() != number)
        facts_.reset();     // the run has not heard of the last edit yet
    health_.clear();
    if (const rig::Session* session = stage_.document().session())
        health_ = session->health();
}

bool OutboxLook::runs() const { return stage_.document().isLive() && stage_.document().session()->running(); }

const drive::OutboxRow& OutboxLook::spec(OutboxDesk::Place place) const { return stage_.outbox().row(place); }

const drive::OutboxRowFacts* OutboxLook::facts(OutboxDesk::Place place) const
{
    if (!facts_ || place.group >= first_.size() || first_[place.group] + place.row >= facts_->size())
        return nullptr;
    return &(*facts_)[first_[place.group] + place.row];
}

const database::CatalogMessage* OutboxLook::message(OutboxDesk::Place place) const
{
    return rig::messageOfRow(stage_.catalog(), spec(place).bus, spec(place).message);
}

int OutboxLook::bus(OutboxDesk::Place place) const { return stage_.catalog().findBus(spec(place).bus); }

can::Identifier OutboxLook::id(OutboxDesk::Place place) const
{
    const database::CatalogMessage* known = message(place);
    return known != nullptr ? known->message->id : spec(place).frame.id;
}

QString OutboxLook::name(OutboxDesk::Place place) const { return text(spec(place).name()); }

OutboxLook::State OutboxLook::state(OutboxDesk::Place place) const
{
    const drive::OutboxRowFacts* now = facts(place);
    if (!runs() || !problem(place).isEmpty())
        return State::waits;
    if (now == nullptr || !now->going)
        return State::send;
    return spec(place).when == drive::OutboxRow::When::every || spec(place).held ? State::sends : State::ready;
}

std::pair<QString, QString> OutboxLook::when(OutboxDesk::Place place) const
{
    using When = drive::OutboxRow::When;
    const drive::OutboxRow& row = spec(place);
    const drive::OutboxRowFacts* now = facts(place);
    const QString burst = row.burst > 1 ? tr("%1 times, %2 apart").arg(row.burst).arg(spanAsWritten(row.apart)) : QString();
    switch (row.when) {
    case When::every: {
        QString howLong = tr("until told");
        if (row.count > 0)
            howLong = now != nullptr && now->going ? tr("%1 times, %2 done").arg(countText(row.count), countText(now->beat))
                                                   : tr("%1 times").arg(countText(row.count));
        return {tr("every %1").arg(spanAsWritten(row.every)),
            row.offset.count() > 0 ? tr("%1, %2 later").arg(howLong, spanAsWritten(row.offset)) : howLong};
    }
    case When::answer:
        return {tr("answers %1").arg(text(row.answer)),
            tr("after %1, %2").arg(spanAsWritten(row.after), row.count > 0 ? tr("%1 times").arg(countText(row.count)) : tr("each time"))};
    case When::moment: return {tr("at %1").arg(timeWords(static_cast<double>(row.at.count()) * 1e-9, 3)), burst};
    default:
        if (!row.key.empty())
            return {row.held ? tr("while %1 is held").arg(text(row.key)) : tr("each press of %1").arg(text(row.key)),
                row.held ? tr("every %1").arg(spanAsWritten(row.every)) : burst};
        return {tr("once"), burst.isEmpty() ? tr("each time it is sent") : burst};
    }
}

std::vector<OutboxLook::Value> OutboxLook::values(OutboxDesk::Place place) const
{
    const drive::OutboxRow& row = spec(place);
    const drive::OutboxRowFacts* now = facts(place);
    std::vector<Value> out;
    if (!row.ask.empty())
        return {{QString(), 0, tr("asks, and waits for the answer"), true, true}};
    if (row.message.empty()) {
        if (row.frame.kind == can::FrameKind::remote)
            return {{QString(), 0, tr("remote %1").arg(row.frame.dlc), true, true}};
        QStringList bytes;
        for (unsigned i = 0; i < row.frame.length; ++i) {
            const auto own = row.values.find(std::to_string(i));
            const double* still = own == row.values.end() ? nullptr : std::get_if<double>(&own->second);
            bytes << (own != row.values.end() && still == nullptr
                          ? QStringLiteral("..")
                          : QStringLiteral("%1")
                                .arg(still != nullptr ? static_cast<unsigned>(*still) : row.frame.data[i], 2, 16, QLatin1Char('0'))
                                .toUpper());
        }
        Value value{QString(), 0, bytes.isEmpty() ? tr("no bytes") : bytes.join(QLatin1Char(' ')), true, false};
        if (now != nullptr && !now->waiting.empty())
            value.onBus = QString();
        return {value};
    }
    const database::CatalogMessage* known = message(place);
    if (known == nullptr)
        return out;
    const auto payload = rig::stillPayload(row, known);
    // What somebody set stands in front, in the order of the message; the rest has its start values.
    for (const bool set : {true, false})
        for (std::uint32_t i = 0; i < known->message->signals.size(); ++i) {
            const database::Signal& signal = known->message->signals[i];
            const auto own = row.values.find(signal.name);
            // The selector chooses what is shown; what was set all the same is told, since it keeps the row from going out.
            if ((own != row.values.end()) != set || (!set && payload && !known->plan.present(*payload, i)))
                continue;
            Value value{text(signal.name), i, {}, set, false};
            const database::SignalPlan& plan = known->plan.plan(i);
            bool fits = true;
            if (!set)
                value.text = text(database::readingOf(signal, plan, database::startBitsOf(signal, plan)));
            else if (const auto* still = std::get_if<double>(&own->second))
                value.text = text(database::readingOf(signal, plan, database::MessagePlan::bitsOf(plan, *still, fits)));
            else if (const auto* label = std::get_if<drive::LabelSpec>(&own->second))
                value.text = text(label->text);
            else {
                value.source = true;
                value.text = sourceWords(own->second);
            }
            if (now != nullptr)
                for (const auto& waits : now->waiting)
                    if (waits.place == i)
                        value.onBus = text(database::readingOf(signal, plan, waits.onBus));
            out.push_back(std::move(value));
        }
    return out;
}

QString OutboxLook::problem(OutboxDesk::Place place) const
{
    if (!stage_.document().isLive())
        return {};
    const drive::OutboxRowFacts* now = facts(place);
    if (now != nullptr && !now->problem.empty())
        return tr("not going out: %1").arg(text(now->problem));
    if (now != nullptr && now->busOff)
        return tr("not going out: bus is off");
    if (const int on = bus(place); on >= 0 && static_cast<std::size_t>(on) < health_.size() && !health_[static_cast<std::size_t>(on)].alive)
        return tr("not going out: %1 is %2").arg(text(spec(place).bus), text(health_[static_cast<std::size_t>(on)].words));
    return {};
}

QString OutboxLook::warning(OutboxDesk::Place place) const
{
    const drive::OutboxRowFacts* now = facts(place);
    if (now == nullptr || !now->going || spec(place).anyway || now->foreign == 0 || now->told - now->foreignLast > foreignIsNew)
        return {};
    const auto& others = stage_.outbox().others(first_[place.group] + place.row);
    return others.empty() ? QString() : others.front().words;
}

QString OutboxLook::waiting(OutboxDesk::Place place) const
{
    const drive::OutboxRowFacts* now = facts(place);
    if (now == nullptr || now->waiting.empty())
        return {};
    const bool beats = now->going && !spec(place).gathers && now->next;
    QString what;
    if (now->waiting.size() > 1)
        what = spec(place).message.empty() ? tr("%1 bytes wait: they go out").arg(now->waiting.size())
                                           : tr("%1 values wait: they go out").arg(now->waiting.size());
    else
        what = tr("waits: goes out");
    if (stage_.outbox().held())
        return tr("%1 when all rows go out").arg(what);
    if (beats)
        return tr("%1 with the next beat in %2").arg(what, agoText(std::max(Time{0}, *now->next - now->told)));
    if (now->going && !spec(place).gathers)
        return tr("%1 with the next answer").arg(what);
    return tr("%1 when you send it").arg(what);
}

QString OutboxLook::words(OutboxDesk::Place place) const
{
    if (!stage_.document().isLive())
        return tr("not going out: this is a log");
    if (const QString wrong = problem(place); !wrong.isEmpty())
        return wrong;
    const drive::OutboxRowFacts* now = facts(place);
    if (!runs())
        return tr("not going out: nothing runs");
    if (const QString other = warning(place); !other.isEmpty())
        return other;
    if (const QString waits = waiting(place); !waits.isEmpty())
        return waits;
    if (now != nullptr && stage_.outbox().held() && now->going)
        return tr("not going out: all rows are held, %1 held back").arg(countText(now->withheld));
    const drive::OutboxRow& row = spec(place);
    if (!row.comment.empty())
        return text(row.comment);
    if (now != nullptr && row.when == drive::OutboxRow::When::moment && now->next)
        return tr("goes out in %1").arg(agoText(std::max(Time{0}, *now->next - now->told)));
    for (const Value& value : values(place))
        if (!value.set)
            if (const database::CatalogMessage* known = message(place))
                return tr("%1: %2").arg(
                    value.name, text(database::startWords(known->message->signals[value.place], known->plan.plan(value.place))));
    return {};
}

QString OutboxLook::timekeeping(OutboxDesk::Place place) const
{
    const drive::OutboxRowFacts* now = facts(place);
    const drive::OutboxRow& row = spec(place);
    if (now == nullptr)
        return {};
    if (now->sent > 1 && row.every.count() > 0)
        return periodKept(now->kept, now->spread);
    if (row.when == drive::OutboxRow::When::answer && now->sent == 0)
        return now->going ? tr("no answer yet") : QString();
    if (row.when == drive::OutboxRow::When::moment && now->sent == 0)
        return now->going ? tr("not yet") : QString();
    return now->sent > 0 && row.when == drive::OutboxRow::When::byHand && row.key.empty() ? tr("by hand") : QString();
}

QString OutboxLook::last(OutboxDesk::Place place, bool* wrong) const
{
    const drive::OutboxRowFacts* now = facts(place);
    if (now == nullptr)
        return {};
    if (wrong != nullptr)
        *wrong = now->refused > 0;
    if (now->refused > 0)
        return now->refusedWhy.empty() || now->refusedWhy == "queue full"
                   ? tr("%1 refused").arg(countText(now->refused))
                   : tr("%1 refused: %2").arg(countText(now->refused), text(now->refusedWhy));
    if (now->withheld > 0 && stage_.outbox().held())
        return tr("%1 held back").arg(countText(now->withheld));
    return now->sent > 0 ? tr("%1 ago").arg(agoText(std::max(Time{0}, now->told - now->last))) : QString();
}

bool OutboxLook::anyGoing(std::size_t group) const
{
    for (std::size_t row = 0; row < stage_.outbox().groups()[group].rows.size(); ++row)
        if (const drive::OutboxRowFacts* now = facts({group, row}); now != nullptr && now->going)
            return true;
    return false;
}

QString OutboxLook::summary() const
{
    std::size_t rows = 0, going = 0;
    std::uint64_t sent = 0, refused = 0, withheld = 0;
    double perSecond = 0;
    for (const drive::OutboxGroup& group : stage_.outbox().groups())
        rows += group.rows.size();
    for (std::size_t g = 0; g < first_.size(); ++g)
        for (std::size_t r = 0; r < stage_.outbox().groups()[g].rows.size(); ++r)
            if (const drive::OutboxRowFacts* now = facts({g, r})) {
                going += now->going ? 1 : 0;
                sent += now->sent;
                refused += now->refused;
                withheld += now->withheld;
                if (now->going && spec({g, r}).every.count() > 0)
                    perSecond += 1e9 / static_cast<double>(spec({g, r}).every.count()) * spec({g, r}).burst;
            }
    if (rows == 0)
        return tr("empty");
    QString out = rows == 1 ? tr("1 row") : tr("%1 rows").arg(rows);
    out += tr(", %1 going out").arg(going);
    if (going > 0 && perSecond >= 1)
        out += tr(", %1 frames/s").arg(perSecond, 0, 'f', 0);
    out += tr(", %1 sent").arg(countText(sent));
    if (refused > 0)
        out += tr(", %1 refused").arg(countText(refused));
    if (withheld > 0)
        out += tr(", %1 held back").arg(countText(withheld));
    return out;
}

}  // namespace wavetrope::app
