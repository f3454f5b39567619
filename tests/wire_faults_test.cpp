// SPDX-License-Identifier: GPL-3.0-or-later
// What goes wrong on the wire on purpose, by a node and for a time. Counters are those of ISO 11898-1:2015, 12.1.4.2.
#include <QTest>

#include <nlohmann/json.hpp>

#include "rig/manipulations.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::rig;
using namespace std::chrono_literals;

namespace {

// Ten sends each 10 ms; Other hears it, and sends rarely.
struct Bench {
    explicit Bench(const std::vector<std::string>& faults = {}, const nlohmann::json& more = nlohmann::json::object())
    {
        nlohmann::json document = {{"wavetrope", 1}, {"name", "One"}, {"begins", "2027-02-01T18:00:00Z"},
            {"buses", {{{"name", "A"}, {"rate", "500k"}}}},
            {"nodes", nlohmann::json::array(
                          {{{"name", "Ten"}, {"buses", {"A"}}, {"sends", {{{"id", "0x100"}, {"length", 8}, {"every", "10 ms"}}}}},
                              {{"name", "Other"}, {"buses", {"A"}},
                                  {"sends", {{{"id", "0x300"}, {"length", 1}, {"every", "400 ms"}, {"phase", "5 ms"}}}}}})},
            {"events", {{{"name", "seen"}, {"when", "id 0x300 and time 100 ms .. 999 s"}, {"stays", "1 ms"}}}}};
        document.update(more);
        const auto rig = rigFromText(document.dump(), "one.json");
        if (!rig)
            qFatal("%s", rig.error().text().c_str());
        auto made = Session::create(*rig, loadDatabases(*rig));
        if (!made)
            qFatal("%s", made.error().text().c_str());
        session = std::move(*made);
        bus = dynamic_cast<bus::SimulatedBus*>(&session->bus(0));
        for (const std::string& text : faults) {
            const auto typed = bus::wireFaultFromText(text);
            if (!typed)
                qFatal("%s", typed.error().text().c_str());
            if (const auto done = session->wireFaults().add(text, *typed); !done)
                qFatal("%s", done.error().text().c_str());
        }
    }
    void run(Time span) { session->runFor(span, nullptr); }
    [[nodiscard]] const can::ErrorCounters& counters(const std::string& node) const
    {
        const auto names = bus->portNames();
        return bus->counters(static_cast<bus::Port>(std::find(names.begin(), names.end(), node) - names.begin()));
    }
    [[nodiscard]] std::vector<can::Frame> frames(std::uint32_t id, bool errors = false) const
    {
        std::vector<can::Frame> out;
        const trace::Snapshot snapshot = session->trace().snapshot();
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            if (const can::FrameView frame = snapshot.frame(row);
                errors == (frame.kind == can::FrameKind::error) && (errors || frame.id.value == id))
                out.emplace_back(frame);
        return out;
    }
    [[nodiscard]] std::size_t errors() const { return frames(0, true).size(); }
    [[nodiscard]] drive::WireFaultRow fault(std::size_t which = 0) const
    {
        return std::any_cast<drive::WireFaultList>(session->wireFaults().report().facts).rows.at(which);
    }
    std::unique_ptr<Session> session;
    bus::SimulatedBus* bus = nullptr;
};

}  // namespace

class WireFaultsTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void aNodeFlagsAnErrorThatNobodyElseFinds()
    {
        Bench plain;
        plain.run(300ms);
        Bench bench({"A error Other 0x100 at 100ms"});
        bench.run(105ms);
        QCOMPARE(bench.errors(), std::size_t{1});
        // Ten: rule c, 8, and one less for the frame that went out behind it. Other: rule a and rule b, since the others' flags follow its own, and
        // one less for that frame.
        QCOMPARE(bench.counters("Ten").transmit(), 7U);
        QCOMPARE(bench.counters("Other").receive(), 8U);
        bench.run(195ms);
        QCOMPARE(bench.frames(0x100).size(), plain.frames(0x100).size());
        QVERIFY(bench.fault().over && bench.fault().harmed == 1);
        // By the one who sends the frame itself.
        Bench own({"A error Ten 3 times at 100ms"});
        own.run(105ms);
        QCOMPARE(own.errors(), std::size_t{3});
        QCOMPARE(own.counters("Ten").transmit(), 23U);
        QCOMPARE(own.counters("Other").receive(), 2U);
    }

    void aPassiveNodesFlagDisturbsNobody()
    {
        Bench bench({"A counters Other 200 0 at 50ms", "A error Other 2 times at 100ms"});
        bench.run(95ms);
        QVERIFY(bench.counters("Other").transmit() == 200 && bench.counters("Other").state() == can::ErrorState::passive);
        bench.run(30ms);
        QCOMPARE(bench.errors(), std::size_t{0});
        QCOMPARE(bench.frames(0x100).size(), std::size_t{13});
        QCOMPARE(bench.counters("Ten").transmit(), 0U);
    }

    void countersAreSet()
    {
        Bench bench({"A counters Ten 120 3 at 95ms", "A crc 0x100 at 100ms", "A counters Other 256 0 at 200ms"});
        bench.run(96ms);
        QVERIFY(bench.counters("Ten").transmit() == 120 && bench.counters("Ten").receive() == 3);
        QCOMPARE(bench.counters("Ten").state(), can::ErrorState::warning);
        bench.run(9ms);  // 128 behind its error, which makes it passive; 127 behind the frame
        QCOMPARE(bench.counters("Ten").transmit(), 127U);
        bench.run(100ms);
        QCOMPARE(bench.counters("Other").state(), can::ErrorState::busOff);
        QVERIFY(bench.session->health().front().words.find("Other is bus off") != std::string::npos);
        QVERIFY(bench.fault(0).over && bench.fault(2).over);
    }

    void whoBabblesLeavesNothingToOthers()
    {
        Bench bench({"A babble Other at 100ms for 50ms"});
        bench.run(300ms);
        const auto babble = bench.frames(0);
        QVERIFY(babble.size() > 100);
        const can::Frame first = babble.front();
        const Time each = can::occupancy(can::wireLength(first.view()), {500'000, 0});
        for (std::size_t i = 1; i < babble.size(); ++i)
            QCOMPARE(babble[i].time - babble[i - 1].time, each);  // one behind the other
        QVERIFY(babble.back().time - bench.session->begins() <= Time(150ms) + each);
        for (const can::Frame& frame : bench.frames(0x100)) {
            const Time at = frame.time - bench.session->begins();
            QVERIFY2(at < Time(101ms) || at > Time(150ms), qPrintable(QString::number(at.count())));
        }
        // What waited comes behind it: nothing is lost but time.
        QCOMPARE(bench.frames(0x100).size(), std::size_t{30});
        QCOMPARE(bench.fault().harmed, babble.size());
        // Lifted it ends at once; with an identifier of its own others go before it.
        Bench kind({"A babble Other 0x700 at 100ms for 10s"});
        kind.run(200ms);
        QCOMPARE(kind.frames(0x100).size(), std::size_t{20});
        const auto so = kind.frames(0x700).size();
        kind.session->wireFaults().lift("A babble Other 0x700 at 100ms for 10s");
        kind.run(100ms);
        QVERIFY(kind.frames(0x700).size() <= so + 1);
    }

    void nobodyIsHeardOnAShortedWire()
    {
        Bench bench({"A short at 105ms for 50ms"});
        bench.run(104ms);
        QCOMPARE(bench.frames(0x100).size(), std::size_t{11});
        bench.run(50ms);
        QVERIFY(bench.session->health().front().words.find("shorted") != std::string::npos);
        // Its start of frame comes back recessive: 8, and 8 for each bit of its flag until it is passive at 128. The bit that made it so has it send an
        // active flag all the same (12.1.4.3), whose first bit comes back recessive as well: 136. Then 8 for each try, up to 256.
        QCOMPARE(bench.counters("Ten").state(), can::ErrorState::busOff);
        QCOMPARE(bench.errors(), std::size_t{16});
        QCOMPARE(bench.counters("Other").receive(), 0U);
        // Each state of it is told with its moment.
        const auto changes = bench.bus->health().changes;
        QVERIFY(changes && changes->size() == 2);
        QVERIFY((*changes)[0].who == "Ten" && (*changes)[0].state == can::ErrorState::passive && (*changes)[0].transmit == 136);
        QVERIFY((*changes)[1].state == can::ErrorState::busOff && (*changes)[1].time > (*changes)[0].time);
        bench.run(100ms);
        QCOMPARE(bench.frames(0x100).size(), std::size_t{11});  // it waits to be asked
        QVERIFY(bench.fault().over && bench.fault().harmed == 16);
        // Asked, it comes back behind 128 times 11 recessive bits.
        const Time asked = bench.session->scheduler().now();
        bench.bus->restart(0);
        bench.run(10ms);
        const auto back = bench.bus->health().changes;
        QVERIFY(back->size() == 3 && back->back().state == can::ErrorState::active && back->back().transmit == 0);
        QCOMPARE(back->back().time - asked, Time(128 * 11 * 2us));
        // In the middle of a frame: its sender and those who hear it break off.
        Bench middle({"A short at 100050us for 20us"});
        middle.run(105ms);
        QCOMPARE(middle.errors(), std::size_t{1});
        QVERIFY(middle.counters("Ten").transmit() >= 127 && middle.counters("Other").receive() >= 119);
        middle.run(100ms);
        QCOMPARE(middle.frames(0x100).size(), std::size_t{21});
    }

    void aWrongBitRateHarmsEachFrameUntilItsNodeIsPassive()
    {
        Bench bench({"A rate Other at 100ms for 60ms"});
        bench.run(105ms);
        // Nine for each error (rules a and b): behind the 15th it is passive, and the frame goes through.
        QCOMPARE(bench.errors(), std::size_t{15});
        QVERIFY(bench.counters("Other").receive() >= 128);
        QCOMPARE(bench.counters("Ten").transmit(), 119U);
        bench.run(50ms);
        QCOMPARE(bench.frames(0x100).size(), std::size_t{16});
        bench.run(100ms);  // it understands again, and comes back below 128
        QVERIFY(bench.counters("Other").receive() < 128);
    }

    void aConditionHasItBefall()
    {
        Bench bench({"A crc 0x100 when seen", "A babble Other 0x7FF when \"seen\" for 5 ms"});
        bench.run(300ms);
        QCOMPARE(bench.errors(), std::size_t{0});
        QVERIFY(!bench.fault().acts && !bench.fault().over);
        bench.run(200ms);  // 0x300 at 405 ms
        QCOMPARE(bench.errors(), std::size_t{1});
        const Time seen = bench.frames(0x300).back().time;
        QVERIFY(bench.frames(0, true).front().time > seen && bench.frames(0, true).front().time < seen + 10ms);
        QVERIFY(bench.fault(0).over && bench.fault(1).over && bench.fault(1).harmed > 10);
        QVERIFY(bench.frames(0x7FF).front().time > seen);
    }

    void theRigKeepsThem()
    {
        Bench bench({}, {{"manipulations", {{{"name", "noise"}, {"does", "wire A crc 0x100 2 times at 50ms"}, {"acts", true}},
                                               {{"name", "noise"}, {"does", "wire A short at 100ms for 1ms"}}}}});
        bench.run(95ms);
        QCOMPARE(bench.errors(), std::size_t{2});
        // How it ended is told to those who look.
        bool told = false;
        for (const drive::ActorReport& report : bench.session->reports())
            if (const auto* list = report.as<drive::WireFaultList>(); list != nullptr)
                told = list->rows.size() == 1 && list->rows[0].over && list->rows[0].harmed == 2
                       && list->rows[0].text == "wire A crc 0x100 2 times at 50ms";
        QVERIFY(told);
        const auto both = manipulationsOf(bench.session->rig(), "noise");
        QVERIFY(both && both->size() == 2 && (*both)[1].fault);
        QVERIFY(manipulate(*bench.session, (*both)[1]));
        lift(*bench.session, (*both)[1]);
        bench.run(20ms);
        QCOMPARE(bench.errors(), std::size_t{2});
        bench.session->wireFaults().setOn(false);
        QVERIFY(manipulate(*bench.session, *manipulationFrom("wire A crc 0x100")));
        bench.run(20ms);
        QCOMPARE(bench.errors(), std::size_t{2});
        bench.session->wireFaults().setOn(true);
        bench.run(20ms);
        QVERIFY(bench.errors() > 2);
    }

    void whatIsWrongIsSaid()
    {
        for (const auto& [text, words] : std::initializer_list<std::pair<const char*, const char*>>{{"A error", "whose"},
                 {"A counters Ten", "no count"}, {"A counters Ten 3", "no count"}, {"A counters Ten 3 x", "no count"},
                 {"A counters Ten 300 0", "no count"}, {"A babble Ten for 0 ms", "no time"}, {"A babble Ten for soon", "no length"},
                 {"A short 3 times", "not understood"}, {"A rate Ten 0x100", "not understood"}, {"A crc for 3 s", "not understood"},
                 {"A babbel Ten", "none of"}, {"A crc at", "no time of the run"}}) {
            const auto typed = bus::wireFaultFromText(text);
            QVERIFY2(!typed && typed.error().text().find(words) != std::string::npos, typed ? text : typed.error().text().c_str());
        }
        Bench bench;
        for (const auto& [text, words] : std::initializer_list<std::pair<const char*, const char*>>{
                 {"B crc", "no bus 'B'"}, {"A error Tne", "Ten"}, {"A crc when sene", "seen"}}) {
            const auto typed = bus::wireFaultFromText(text);
            QVERIFY2(typed, text);
            const auto done = bench.session->wireFaults().add(text, *typed);
            QVERIFY2(!done && done.error().text().find(words) != std::string::npos, text);
        }
    }
};

QTEST_APPLESS_MAIN(WireFaultsTest)
#include "wire_faults_test.moc"
