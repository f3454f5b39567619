// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_reader.h"

#include <algorithm>
#include <cmath>

#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/event_desk.h"
#include "app/stage/manipulation_desk.h"
#include "database/compose.h"
#include "drive/node.h"
#include "rig/outbox_edits.h"

namespace wavetrope::app {

namespace {

constexpr double usualPast = 20, latelySpan = 10, lookBack = 60;     // seconds
constexpr unsigned pastColumns = 120;
constexpr std::size_t mostChoices = 8;
constexpr std::uint64_t mostRecent = 16'384;      // samples that are read one by one

QString lasted(double seconds)
{
    return seconds < 10 ? QObject::tr("%1 s").arg(seconds, 0, 'f', 1) : QObject::tr("%1 s").arg(seconds, 0, 'f', 0);
}

QString fixed(double value, const std::optional<int>& decimals, const QString& otherwise)
{
    return decimals ? QString::number(value, 'f', *decimals) : otherwise;
}

// Whether two readings differ in nothing but their values.
bool sameAround(const BoardReading& a, const BoardReading& b)
{
    return a.label == b.label && a.unit == b.unit && a.problem == b.problem && a.bus == b.bus && a.named == b.named && a.from == b.from
           && a.to == b.to && a.below == b.below && a.above == b.above && a.side == b.side && a.outWords == b.outWords && a.old == b.old
           && a.oldWords == b.oldWords && a.since == b.since && a.lit == b.lit && a.pastSpan == b.pastSpan
           && a.value.has_value() == b.value.has_value();
}

}  // namespace

BoardReader::~BoardReader()
{
    if (looks_)
        stage_.curveDesk().look(&who_, {});
}

const BoardReader::Curve* BoardReader::curve(const QString& path)
{
    if (path.isEmpty())
        return nullptr;
    auto known = curves_.find(path);
    if (known == curves_.end()) {
        const auto source = curveOf(stage_.document().catalog(), path);
        if (!source)
            return nullptr;
        known = curves_.emplace(path, Curve{*source, stage_.curveDesk().series(*source)}).first;
    }
    return &known->second;
}

std::vector<BoardReader::Changed> BoardReader::refresh(const std::vector<board::Item>& items)
{
    if (catalog_ != stage_.document().catalog()) {
        catalog_ = stage_.document().catalog();
        curves_.clear();
        recents_.clear();
    }
    const bool controls = std::any_of(items.begin(), items.end(), [](const board::Item& one) {
        return board::isControl(one.shown) || one.of.kind == board::Binding::Kind::row || one.of.kind == board::Binding::Kind::variable;
    });
    if (controls) {
        outbox_.refresh();
        const rig::Session* session = stage_.document().session();
        nodes_ = session != nullptr ? session->nodeReports() : std::vector<rig::NodeReport>();
    }
    ages_.clear();
    std::swap(before_, readings_);
    readings_.assign(items.size(), {});
    for (std::size_t i = 0; i < items.size(); ++i) {
        const board::Item& item = items[i];
        BoardReading& out = readings_[i];
        out.label = text(item.label);
        switch (item.of.kind) {
        case board::Binding::Kind::signal: readSignal(out, item, text(item.of.name), i); break;
        case board::Binding::Kind::derived: readSignal(out, item, QLatin1Char(':') + text(item.of.name), i); break;
        case board::Binding::Kind::condition: readCondition(out, item); break;
        case board::Binding::Kind::variable: readVariable(out, item); break;
        case board::Binding::Kind::row: readRow(out, item); break;
        case board::Binding::Kind::manipulation: readManipulation(out, item); break;
        case board::Binding::Kind::none:
            if (board::isGauge(item.shown) || board::isControl(item.shown))
                out.problem = QObject::tr("bound to nothing yet");
        }
        if (const Curve* beside = curve(text(item.also)); beside != nullptr && item.of.kind != board::Binding::Kind::none) {
            out.also = beside->series->at(stage_.snapshot(), stage_.cursor());
            if (out.also)
                out.alsoWords = beside->source.number(*out.also);
            if (item.shown == board::Shown::history)
                readPast(out.alsoPast, *beside, out.pastSpan);
        }
        if (board::isControl(item.shown))
            readControl(out, item, i);
    }
    // What short histories, arcs and limits are drawn from is brought up in the background.
    std::vector<measure::SeriesKeeper::Look> looks;
    const Time from = stage_.cursor() - std::chrono::seconds(static_cast<int>(lookBack));
    for (const auto& [path, one] : curves_)
        looks.push_back({one.series, from, stage_.cursor(), one.series->derived() ? pastColumns : 0});
    if (!looks.empty() || looks_)
        stage_.curveDesk().look(&who_, std::move(looks));
    looks_ = !curves_.empty();
    std::vector<Changed> changed;
    for (std::size_t i = 0; i < readings_.size(); ++i)
        if (i >= before_.size())
            changed.push_back({i, false});
        else if (readings_[i] != before_[i])
            changed.push_back({i, sameAround(readings_[i], before_[i])});
    return changed;
}

void BoardReader::readSignal(BoardReading& out, const board::Item& item, const QString& path, std::size_t index)
{
    const Curve* known = curve(path);
    if (known == nullptr) {
        out.problem = QObject::tr("there is no signal %1").arg(path);
        if (out.label.isEmpty())
            out.label = path.section(QLatin1Char('.'), -1);
        return;
    }
    const CurveSource& source = known->source;
    if (out.label.isEmpty())
        out.label = source.name();
    out.unit = source.unit();
    out.bus = source.bus();
    out.named = source.named();
    if (source.isDerived()) {
        out.from = source.minimum().value_or(0);
        out.to = source.maximum().value_or(out.from + 1);
    } else {
        const auto [low, high] = database::rangeOf(source.ref.signal(), source.ref.message->plan.plan(source.ref.index));
        out.from = low;
        out.to = high;
    }
    out.from = item.from.value_or(out.from);
    out.to = item.to.value_or(out.to);
    out.below = item.below;
    out.above = item.above;
    out.value = known->series->at(stage_.snapshot(), stage_.cursor());
    if (!out.value) {
        out.number = QStringLiteral("–");
        return;
    }
    out.number = out.named ? source.reading(*out.value) : fixed(*out.value, item.decimals, source.number(*out.value));
    out.lit = *out.value != 0;
    readAge(out, item, *known);
    readLimits(out, item, *known, index);
    if (item.shown == board::Shown::history) {
        out.pastSpan = item.span.count() > 0 ? static_cast<double>(item.span.count()) * 1e-9 : usualPast;
        if (const measure::RecentCurve* past = recent(*known, item, index, item.below || item.above)) {
            std::vector<std::pair<Time, double>> points;
            past->points(*known->series, stage_.cursor() - Time(static_cast<std::int64_t>(out.pastSpan * 1e9)), points);
            for (const auto& [time, value] : points)
                out.past.emplace_back(std::min(0.0, static_cast<double>((time - stage_.cursor()).count()) * 1e-9), value);
        } else {
            readPast(out.past, *known, out.pastSpan);
        }
    } else if (item.shown == board::Shown::dial) {
        if (const measure::RecentCurve* past = recent(*known, item, index, item.below || item.above)) {
            out.lately = past->range(stage_.cursor() - Time(static_cast<std::int64_t>(latelySpan * 1e9)));
            return;
        }
        std::vector<QPointF> past;
        readPast(past, *known, latelySpan);
        for (const QPointF& point : past)
            if (std::isfinite(point.y()))
                out.lately = out.lately ? std::pair(std::min(out.lately->first, point.y()), std::max(out.lately->second, point.y()))
                                        : std::pair(point.y(), point.y());
    } else if (item.shown == board::Shown::state || item.shown == board::Shown::lamp) {
        double began = 0;
        bool open = false;
        if (const measure::RecentCurve* past = recent(*known, item, index, false)) {
            const auto [from, wide] = past->since();
            began = stage_.seconds(from);
            open = wide;
        } else {
            const measure::Since one = since(*known, [now = *out.value](double value) { return value == now; });
            began = one.from;
            open = one.open;
        }
        out.since = open ? QString() : QObject::tr("since %1").arg(timeWords(began, 1));
    }
}

const measure::RecentCurve* BoardReader::recent(const Curve& curve, const board::Item& item, std::size_t index, bool bySide)
{
    const Time to = stage_.cursor(), span(static_cast<std::int64_t>(lookBack * 1e9));
    if (curve.source.isDerived() || !stage_.snapshot().valid())
        return nullptr;
    const Time wide = item.shown == board::Shown::history && item.span.count() > 0 ? item.span
                                                                                   : Time(static_cast<std::int64_t>(usualPast * 1e9));
    auto known = recents_.find({index, bySide});
    const QString path = text(item.of.name);
    if (known != recents_.end()
        && (known->second.path != path || known->second.below != item.below || known->second.above != item.above
            || known->second.span != wide)) {
        recents_.erase(known);
        known = recents_.end();
    }
    if (known == recents_.end()) {
        std::function<double(double)> key;
        if (bySide)
            key = [below = item.below, above = item.above](
                      double value) { return static_cast<double>(measure::sideOf(value, below, above)); };
        known = recents_
                    .insert({{index, bySide}, {path, item.below, item.above, wide,
                                                  measure::RecentCurve(std::max(wide, span),
                                                      std::max(wide / static_cast<int>(pastColumns), Time{1}), std::move(key))}})
                    .first;
    }
    if (curve.series->about(to - std::max(wide, span), to) > mostRecent)
        return nullptr;
    known->second.curve.follow(*curve.series, stage_.snapshot(), to);
    return &known->second.curve;
}

bool BoardReader::settled() const
{
    return std::all_of(curves_.begin(), curves_.end(), [&](const auto& one) { return one.second.series->complete(stage_.snapshot()); });
}

void BoardReader::readPast(std::vector<QPointF>& into, const Curve& curve, double span) const
{
    const Time to = stage_.cursor(), from = to - Time(static_cast<std::int64_t>(span * 1e9));
    const measure::SignalSeries::Points points = stage_.curveDesk().points(*curve.series, from, to, pastColumns);
    const double now = stage_.seconds(to);
    for (std::size_t i = 0; i < points.times.size(); ++i)
        into.emplace_back(std::min(0.0, points.times[i] - now), points.values[i]);
}

// Of a message: when its newest frame came, against how often it does.
void BoardReader::readAge(BoardReading& out, const board::Item& item, const Curve& curve)
{
    if (curve.source.isDerived())
        return;
    const database::CatalogMessage& message = *curve.source.ref.message;
    auto [known, fresh] = ages_.try_emplace({message.bus, message.message->id.key()});
    if (fresh) {
        const trace::Row limit = stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1;
        known->second = measure::ageOf(stage_.snapshot(), {message.bus, false, message.message->id}, limit, message.message->cycleTime);
    }
    if (!known->second)
        return;
    measure::Age age = *known->second;
    if (item.old.count() > 0)
        age.after = item.old;
    out.old = age.oldAt(stage_.cursor());
    if (out.old)
        out.oldWords = QObject::tr("old since %1").arg(timeWords(stage_.seconds(age.came), 1));
}

measure::Since BoardReader::since(const Curve& curve, const std::function<bool(double)>& holds) const
{
    const Time to = stage_.cursor(), from = to - Time(static_cast<std::int64_t>(lookBack * 1e9));
    return measure::sinceOf(stage_.curveDesk().points(*curve.series, from, to, 4 * pastColumns), stage_.seconds(to), holds);
}

void BoardReader::readLimits(BoardReading& out, const board::Item& item, const Curve& curve, std::size_t index)
{
    out.side = measure::sideOf(*out.value, out.below, out.above);
    if (out.side == measure::Side::inside)
        return;
    const bool under = out.side == measure::Side::under;
    double began = 0;
    bool open = false;
    if (const measure::RecentCurve* past = recent(curve, item, index, true)) {
        const auto [from, wide] = past->since();
        began = stage_.seconds(from);
        open = wide;
    } else {
        const measure::Since one = since(curve, [&](double value) { return measure::sideOf(value, out.below, out.above) == out.side; });
        began = one.from;
        open = one.open;
    }
    const QString how = open ? QObject::tr("more than %1").arg(lasted(lookBack)) : lasted(stage_.seconds(stage_.cursor()) - began);
    out.outWords = (under ? QObject::tr("under %1 for %2") : QObject::tr("over %1 for %2"))
                       .arg(curve.source.number(under ? *out.below : *out.above), how);
}

void BoardReader::readCondition(BoardReading& out, const board::Item& item)
{
    const QString name = text(item.of.name);
    if (out.label.isEmpty())
        out.label = name;
    const auto& specs = stage_.document().rig().events;
    if (std::none_of(specs.begin(), specs.end(), [&](const rig::EventSpec& one) { return one.name == item.of.name; })) {
        out.problem = QObject::tr("there is no condition %1").arg(name);
        return;
    }
    out.named = true;
    out.value = 0;
    const Time now = stage_.cursor();
    for (const measure::Event& event : stage_.events().all())
        if (event.kind == measure::EventKind::condition && event.what == item.of.name && event.time <= now
            && (event.until >= now || (event.open && stage_.following()))) {
            out.value = 1;
            out.since = QObject::tr("since %1").arg(timeWords(stage_.seconds(event.time), 1));
        }
    out.lit = *out.value != 0;
    out.number = out.lit ? QObject::tr("on") : QObject::tr("off");
}

// All that the rig keeps under its name.
void BoardReader::readManipulation(BoardReading& out, const board::Item& item) const
{
    const QString name = text(item.of.name);
    if (out.label.isEmpty())
        out.label = name;
    std::size_t all = 0, acting = 0;
    for (const ManipulationDesk::Row& row : stage_.manipulations().rows())
        if (row.kept && row.name == name) {
            ++all;
            acting += row.acts ? 1 : 0;
        }
    if (all == 0) {
        out.problem = QObject::tr("the rig keeps nothing as %1").arg(name);
        return;
    }
    out.from = 0;
    out.to = 1;
    out.lit = acting > 0;
    out.asked = out.actual = out.value = acting > 0 ? 1.0 : 0.0;
    out.number = out.askedText = acting > 0 ? QObject::tr("on") : QObject::tr("off");
    out.controlWords = acting == 0    ? QObject::tr("lifted")
                       : acting < all ? QObject::tr("%1 of %2 act").arg(acting).arg(all)
                                      : QObject::tr("acts on purpose");
}

void BoardReader::readVariable(BoardReading& out, const board::Item& item)
{
    const QString name = text(item.of.name);
    const std::string node = name.section(QLatin1Char('.'), 0, 0).toStdString();
    const std::string variable = name.section(QLatin1Char('.'), 1).toStdString();
    if (out.label.isEmpty())
        out.label = text(variable);
    out.from = item.from.value_or(0);
    out.to = item.to.value_or(1);
    out.below = item.below;
    out.above = item.above;
    const auto& specs = stage_.document().rig().nodes;
    const auto spec = std::find_if(specs.begin(), specs.end(), [&](const drive::NodeSpec& one) { return one.name == node; });
    if (spec == specs.end() || !spec->variables.contains(variable)) {
        out.problem = spec == specs.end() ? QObject::tr("there is no node %1").arg(text(node))
                                          : QObject::tr("%1 has no variable %2").arg(text(node), text(variable));
        return;
    }
    for (const rig::NodeReport& report : nodes_)
        if (report.name == node)
            if (const auto value = report.variables.find(variable); value != report.variables.end()) {
                out.value = value->second;
                out.number = fixed(*out.value, item.decimals, text(database::numberText(*out.value, 6)));
                out.lit = *out.value != 0;
                out.asked = out.actual = *out.value;
                if (!report.on)
                    out.controlWords = QObject::tr("%1 is taken out").arg(text(node));
            }
    if (!out.value)
        out.number = QStringLiteral("–");
}

void BoardReader::readRow(BoardReading& out, const board::Item& item)
{
    const auto place = stage_.outbox().placeNamed(text(item.of.name));
    if (!place) {
        out.problem = QObject::tr("the outbox has no row %1").arg(text(item.of.name));
        return;
    }
    if (const int bus = outbox_.bus(*place); bus >= 0)
        out.bus = static_cast<unsigned>(bus);
    const drive::OutboxRowFacts* facts = outbox_.facts(*place);
    if (item.of.value.empty()) {
        if (out.label.isEmpty())
            out.label = outbox_.name(*place);
        out.pressed = facts != nullptr && facts->going;
        out.controlWords = outbox_.words(*place);
        if (const QString wrong = outbox_.problem(*place); !wrong.isEmpty())
            out.controlWords = wrong;
        return;
    }
    const database::CatalogMessage* message = outbox_.message(*place);
    const database::Signal* signal = message == nullptr ? nullptr : message->message->find(item.of.value);
    if (signal == nullptr) {
        out.problem = QObject::tr("the row has no signal %1").arg(text(item.of.value));
        return;
    }
    const auto at = static_cast<std::uint32_t>(signal - message->message->signals.data());
    const database::SignalPlan& plan = message->plan.plan(at);
    if (out.label.isEmpty())
        out.label = text(signal->name);
    out.unit = text(signal->unit);
    out.named = !signal->texts.empty();
    const auto [low, high] = database::rangeOf(*signal, plan);
    out.from = item.from.value_or(low);
    out.to = item.to.value_or(high);
    out.below = item.below;
    out.above = item.above;
    for (const database::ValueText& one : signal->texts)
        out.choices.emplace_back(text(one.text), plan.physicalOf(static_cast<std::uint64_t>(one.value) & plan.mask));
    const auto reading = [&](std::uint64_t bits) {
        if (!out.named && item.decimals)
            return QString::number(plan.physicalOf(bits), 'f', *item.decimals);
        return out.named ? text(database::readingOf(*signal, plan, bits)) : text(database::numberText(plan.physicalOf(bits), 9));
    };
    database::Decoded decoded;
    if (const auto still = rig::stillPayload(outbox_.spec(*place), message); still && message->plan.decodeOne(*still, at, decoded)) {
        out.asked = decoded.value;
        out.askedText = reading(decoded.bits);
        const std::uint64_t up = database::steppedBits(*signal, plan, decoded.bits, 1),
                            down = database::steppedBits(*signal, plan, decoded.bits, -1);
        out.step = std::max(std::abs(plan.physicalOf(up) - decoded.value), std::abs(plan.physicalOf(down) - decoded.value));
    }
    if (facts != nullptr && facts->sent > 0 && message->plan.decodeOne({facts->frame.data.data(), facts->frame.length}, at, decoded)) {
        out.actual = decoded.value;
        out.actualText = reading(decoded.bits);
    }
    out.value = out.actual ? out.actual : out.asked;
    out.number = out.actual ? out.actualText : out.askedText;
    out.lit = out.value && *out.value != 0;
    if (facts != nullptr)
        out.waits = std::any_of(facts->waiting.begin(), facts->waiting.end(), [&](const auto& one) { return one.place == at; });
    if (const QString wrong = outbox_.problem(*place); !wrong.isEmpty())
        out.controlWords = wrong;
    else if (facts == nullptr || (facts->sent == 0 && !facts->going))
        out.controlWords = QObject::tr("not going out: %1 is not sent").arg(outbox_.name(*place));
    else if (out.waits)
        out.controlWords = outbox_.waiting(*place).replace(QObject::tr("waits: "), QString());
    else
        out.controlWords =
            QObject::tr("on the bus: %1").arg(out.actualText + (out.unit.isEmpty() || out.named ? QString() : QLatin1Char(' ') + out.unit));
}

void BoardReader::readControl(BoardReading& out, const board::Item& item, std::size_t index) const
{
    if (item.of.kind == board::Binding::Kind::variable) {
        out.step = (out.to - out.from) / 100;
        out.askedText = out.number;
        if (item.shown == board::Shown::toggle)
            out.choices = {{QObject::tr("off"), out.from}, {QObject::tr("on"), out.to}};
        else if (item.shown == board::Shown::choice)
            for (double value = out.from; value <= out.to && out.choices.size() < mostChoices; ++value)
                out.choices.emplace_back(text(database::numberText(value, 6)), value);
        // What a signal beside it measures says whether it has come there.
        if (out.also) {
            if (out.controlWords.isEmpty())
                out.controlWords = QObject::tr("measured %1").arg(out.alsoWords);
        }
    }
    if (item.shown == board::Shown::toggle && out.choices.size() != 2) {
        if (out.choices.size() > 2)
            out.choices.resize(2);
        else
            out.choices = {{QObject::tr("off"), 0}, {QObject::tr("on"), 1}};
    }
    if (!stage_.document().isLive() || !stage_.document().session()->running()) {
        out.inert = true;
        out.controlWords = stage_.document().isLive() ? QObject::tr("nothing runs") : QObject::tr("a log: nothing is driven");
    } else if (!stage_.following()) {
        out.inert = true;
        out.controlWords = QObject::tr("the cursor rests: Space goes back to now");
    }
    if (const auto drag = dragged.find(index); drag != dragged.end() && !out.inert) {
        out.asked = drag->second;
        out.askedText = item.decimals ? QString::number(drag->second, 'f', *item.decimals) : text(database::numberText(drag->second, 6));
        out.waits = true;
    }
    if (const auto down = pressed.find(index); down != pressed.end())
        out.pressed = out.pressed || down->second;
}

}  // namespace wavetrope::app
