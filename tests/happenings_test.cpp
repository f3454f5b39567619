// SPDX-License-Identifier: GPL-3.0-or-later
// All that happened, against plain references that look at every frame, taken in at once and in pieces.
#include <QTest>

#include <map>
#include <random>
#include <set>

#include "can/error_words.h"
#include "made_traffic.h"
#include "measure/happenings.h"
#include "measure/range_events.h"
#include "rules/rehearsal.h"
#include "sanitized.h"

using namespace wavetrope;
using namespace wavetrope::measure;
using test::fill, test::madeCatalog;

namespace {

using Line = std::tuple<Time, std::optional<Time>, int, std::string, std::string>;

Line lineOf(const Event& event)
{
    return {event.time, event.open ? std::nullopt : std::optional(event.until), event.bus == noBus ? -1 : event.bus, toText(event.kind),
        event.what};
}

filter::Filter compiled(const std::string& text, const std::shared_ptr<const database::Catalog>& catalog)
{
    auto made = filter::Filter::compile(text, catalog);
    if (!made)
        qFatal("%s", made.error().text().c_str());
    return std::move(*made);
}

std::vector<rules::ConditionRule> conditions(const std::shared_ptr<const database::Catalog>& catalog)
{
    std::vector<rules::ConditionRule> out;
    for (const auto& [name, when, hold] :
        {std::tuple{"low", "bus Front and Two.A < -20", 0}, {"held", "bus Rear and Two.A > 10", 30}, {"rear", "bus Rear", 0}}) {
        rules::ConditionRule rule;
        rule.name = name;
        rule.filter = compiled(when, catalog);
        rule.span = std::chrono::milliseconds(hold);
        rule.known = true;
        out.push_back(std::move(rule));
    }
    rules::ConditionRule silent;
    silent.name = "silent";
    silent.kind = rules::ConditionKind::silent;
    silent.filter = compiled("bus Front and Real.Temperature > -1", catalog);
    silent.span = std::chrono::milliseconds(60);
    silent.known = true;
    out.push_back(std::move(silent));
    return out;
}

// Error frames here and there, of a few classes, some close together.
void strewErrors(trace::Trace& trace, std::mt19937& random)
{
    Time time = trace.snapshot().latest();
    for (int i = 0; i < 60; ++i) {
        can::Frame frame;
        time += std::chrono::milliseconds(random() % 4 == 0 ? random() % 400 : random() % 90);
        frame.time = time;
        frame.bus = static_cast<std::uint8_t>(random() % 2);
        frame.kind = can::FrameKind::error;
        frame.id = {random() % 3 == 0 ? 0x040U : random() % 2 == 0 ? 0x008U : 0x004U, false};
        frame.length = frame.dlc = 8;
        frame.data[1] = static_cast<std::uint8_t>(random() % 3 == 0 ? 0x10 : random() % 3 == 0 ? 0x40 : 0);
        trace.append(frame.view());
    }
}

}  // namespace

class HappeningsTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void allThatHappensIsFound_data()
    {
        QTest::addColumn<bool>("disorder");
        QTest::newRow("in order") << false;
        QTest::newRow("out of order") << true;
    }
    void allThatHappensIsFound()
    {
        QFETCH(bool, disorder);
        std::mt19937 random(disorder ? 5 : 4);
        std::map<std::string, std::size_t> seen;
        for (int round = 0; round < test::some(120, 12); ++round) {
            trace::Trace trace;
            fill(trace, random, 40 + static_cast<int>(random() % 900), disorder);
            strewErrors(trace, random);
            const auto plain = madeCatalog();
            const auto catalog = plain->withDerived({{"Sum", "Front.Two.A + Front.Two.B", "mm", -3, 40, ""}});
            const trace::Snapshot snapshot = trace.snapshot();
            const std::vector<can::BitRate> rates = {trace.buses()[0].rate, trace.buses()[1].rate};

            std::vector<Line> wanted;
            // Conditions and states: a rehearsal of each.
            const auto rehearsed = [&](std::vector<rules::ConditionRule> rules, const char* kind) {
                rules::RuleSet set;
                set.conditions = rules;
                const rules::Rehearsed plainly = rules::rehearse(snapshot, std::move(set), rates);
                for (const rules::TrueStretch& one : plainly.stretches) {
                    const rules::ConditionRule& rule = rules[one.condition];
                    const bool frames = rule.kind == rules::ConditionKind::frames;
                    const Time before = frames || rule.kind == rules::ConditionKind::silent ? rule.span : Time{0};
                    wanted.emplace_back(one.from - before, one.to, frames ? one.bus : rule.bus, kind, rule.name);
                }
            };
            rehearsed(conditions(catalog), "condition");
            std::vector<rules::ConditionRule> states;
            for (int bus = 0; bus < 2; ++bus)
                for (const rules::BusState state : {rules::BusState::errorPassive, rules::BusState::busOff}) {
                    rules::ConditionRule rule;
                    rule.name = rules::toText(state);
                    rule.kind = rules::ConditionKind::state;
                    rule.bus = bus;
                    rule.busName = bus == 0 ? "Front" : "Rear";
                    rule.state = state;
                    states.push_back(std::move(rule));
                }
            rehearsed(states, "state");
            // Ranges: every sample.
            const auto ranged = [&](const Samples& samples, double low, double high, int bus, const std::string& what) {
                bool outside = false;
                for (std::size_t i = 0; i < samples.size(); ++i) {
                    if (std::isnan(samples.values[i]))
                        continue;
                    const bool is = samples.values[i] < low || samples.values[i] > high;
                    if (is && !outside)
                        wanted.emplace_back(samples.times[i], std::nullopt, bus, "range", what);
                    else if (!is && outside)
                        std::get<1>(wanted.back()) = samples.times[i];
                    outside = is;
                }
            };
            for (const database::CatalogMessage& message : catalog->messages())
                for (std::uint32_t i = 0; i < message.message->signals.size(); ++i)
                    if (const database::Signal& signal = message.message->signals[i]; signal.minimum && signal.maximum)
                        ranged(samplesOf(snapshot, *catalog, {&message, i}), *signal.minimum, *signal.maximum, message.bus,
                            message.message->name + "." + signal.name);
            ranged(derivedSamples(snapshot, *catalog, 0), -3, 40, -1, "Sum");
            // Errors: bunches of a class on a bus less than 100 ms apart.
            std::map<std::pair<int, std::string>, std::size_t> open;
            for (trace::Row row = 0; row < snapshot.rows(); ++row) {
                const can::FrameView frame = snapshot.frame(row);
                if (frame.kind != can::FrameKind::error)
                    continue;
                const std::string words = can::errorClassWords(can::errorClasses(frame));
                const auto found = open.find({frame.bus, words});
                if (found != open.end() && frame.time - *std::get<1>(wanted[found->second]) < std::chrono::milliseconds(100)) {
                    std::get<1>(wanted[found->second]) = frame.time;
                } else {
                    open[{frame.bus, words}] = wanted.size();
                    wanted.emplace_back(frame.time, frame.time, frame.bus, "error", words);
                }
            }
            std::sort(wanted.begin(), wanted.end());

            const auto options = [&] {
                Happenings::Options out;
                out.conditions = conditions(catalog);
                out.buses = {"Front", "Rear"};
                out.rates = rates;
                return out;
            };
            Happenings once(catalog, options());
            QVERIFY(once.advance(snapshot, {}));
            once.finish(snapshot);
            const std::vector<Event> all = once.all(snapshot.latest());
            std::vector<Line> found;
            for (const Event& event : all) {
                ++seen[toText(event.kind)];
                if (event.kind != EventKind::missedBeats && event.kind != EventKind::burst)
                    found.push_back(lineOf(event));
            }
            std::sort(found.begin(), found.end());
            if (found != wanted) {
                for (std::size_t i = 0; i < std::max(found.size(), wanted.size()); ++i)
                    if (i >= found.size() || i >= wanted.size() || found[i] != wanted[i]) {
                        const auto& [from, to, bus, kind, what] = i < wanted.size() ? wanted[i] : found[i];
                        QFAIL(qPrintable(QStringLiteral("round %1: %2 found, %3 wanted; the first that differs is %4 %5 on %6 at %7 ns")
                                .arg(round)
                                .arg(found.size())
                                .arg(wanted.size())
                                .arg(kind.c_str(), what.c_str())
                                .arg(bus)
                                .arg((from - test::start).count())));
                    }
            }
            QVERIFY(std::is_sorted(all.begin(), all.end(), inOrder));

            // In pieces, by a trace that grows and a search that is told to end now and then: the same.
            trace::Trace growing;
            for (const char* bus : {"Front", "Rear"})
                growing.addBus({bus, {500'000, 2'000'000}});
            Happenings pieces(catalog, options());
            trace::Row next = 0;
            std::uint64_t changes = 0;
            while (next < snapshot.rows()) {
                for (const trace::Row end = std::min<trace::Row>(snapshot.rows(), next + 1 + random() % 200); next < end; ++next)
                    growing.append(snapshot.frame(next));
                (void)pieces.advance(growing.snapshot(), [&] { return random() % 4 != 0; }, 1);
                QVERIFY(pieces.changes() >= changes);
                changes = pieces.changes();
                (void)pieces.all(growing.snapshot().latest());
            }
            QVERIFY(pieces.advance(growing.snapshot(), {}, 2));
            pieces.finish(growing.snapshot());
            const std::vector<Event> again = pieces.all(growing.snapshot().latest());
            QCOMPARE(again.size(), all.size());
            for (std::size_t i = 0; i < all.size(); ++i)
                QVERIFY(lineOf(again[i]) == lineOf(all[i]) && again[i].why == all[i].why && again[i].count == all[i].count);
        }
        for (const char* kind : {"condition", "range", "error", "state"})
            QVERIFY2(seen[kind] > 10, kind);
    }

    // What was taken in may be let go: the list stays as it is of the whole.
    void aRunThatGoesOnWhileRowsAreLetGo()
    {
        struct Nowhere final : trace::SegmentStore {
            std::unique_ptr<trace::Segment> load(std::size_t) override { return nullptr; }
        } nowhere;
        std::mt19937 random(11);
        trace::Trace whole;
        fill(whole, random, 3 * static_cast<int>(trace::segmentRows) + 10'000, false);
        strewErrors(whole, random);
        const auto catalog = madeCatalog()->withDerived({{"Sum", "Front.Two.A + mean(Front.Two.B, 200 ms)", "mm", -3, 40, ""}});
        const trace::Snapshot snapshot = whole.snapshot();
        Happenings::Options options;
        options.conditions = conditions(catalog);
        options.buses = {"Front", "Rear"};
        options.rates = {whole.buses()[0].rate, whole.buses()[1].rate};
        Happenings once(catalog, options);
        QVERIFY(once.advance(snapshot, {}));
        once.finish(snapshot);

        trace::Trace growing;
        growing.boundTo(1, nowhere);
        for (const char* bus : {"Front", "Rear"})
            growing.addBus({bus, {500'000, 2'000'000}});
        Happenings pieces(catalog, options);
        std::size_t gone = 0;
        for (trace::Row next = 0; next < snapshot.rows();) {
            for (const trace::Row end = std::min<trace::Row>(snapshot.rows(), next + 1 + random() % 30'000); next < end; ++next)
                growing.append(snapshot.frame(next));
            QVERIFY(pieces.advance(growing.snapshot(), {}, 1));
            while (growing.residence()->letGoOldest() != trace::Residence::none)
                ++gone;
            growing.residence()->relieve();
        }
        QCOMPARE(gone, std::size_t{3});
        pieces.finish(growing.snapshot());
        const std::vector<Event> all = once.all(snapshot.latest()), again = pieces.all(growing.snapshot().latest());
        QVERIFY(all.size() > 1000);
        QCOMPARE(again.size(), all.size());
        for (std::size_t i = 0; i < all.size(); ++i)
            QVERIFY(lineOf(again[i]) == lineOf(all[i]) && again[i].why == all[i].why && again[i].count == all[i].count);
    }

    void whatIsNotAskedForIsNotLookedFor()
    {
        std::mt19937 random(9);
        trace::Trace trace;
        fill(trace, random, 500, false);
        const auto catalog = madeCatalog();
        Happenings::Options options;
        options.conditions = conditions(catalog);
        options.buses = {"Front", "Rear"};
        options.rates = {trace.buses()[0].rate, trace.buses()[1].rate};
        options.kinds.fill(false);
        options.kinds[static_cast<std::size_t>(EventKind::range)] = true;
        options.most = 3;
        Happenings some(catalog, options);
        QVERIFY(some.advance(trace.snapshot(), {}));
        some.finish(trace.snapshot());
        std::map<std::string, std::size_t> each;
        for (const Event& event : some.all(trace.snapshot().latest())) {
            QCOMPARE(event.kind, EventKind::range);
            ++each[event.what + std::to_string(event.bus)];
        }
        for (const auto& [what, count] : each)
            QVERIFY2(count <= 3, what.c_str());
        QVERIFY(some.notKept() > 0);
    }
};

QTEST_APPLESS_MAIN(HappeningsTest)
#include "happenings_test.moc"
