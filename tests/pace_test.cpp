// SPDX-License-Identifier: GPL-3.0-or-later
// The time of a run: faster, slower, held, in steps, and stopped at a condition.
#include <QTest>

#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::rig;
using namespace std::chrono_literals;

namespace {

constexpr const char* twoBuses = R"j({"wavetrope": 1, "name": "Two", "begins": "2027-02-01T18:00:00Z",
  "buses": [{"name": "A", "rate": "500k"}],
  "nodes": [
    {"name": "Ten", "buses": ["A"], "sends": [{"id": "0x100", "length": 2, "every": "10 ms", "signals": {"0": "t * 10"}}]},
    {"name": "Seven", "buses": ["A"], "sends": [{"id": "0x200", "length": 1, "every": "70 ms", "phase": "3 ms"}]}],
  "events": [
    {"name": "seen", "when": "id 0x200 and time 1 s .. 9999 s", "stays": "1 ms"},
    {"name": "silent", "silent": "id 0x200", "for": "50 ms"},
    {"name": "never", "when": "id 0x400"}]
})j";

// A wall that a test moves on.
class StillWall final : public clock::WallClock {
public:
    Time now() override { return Time(now_.load()); }
    void waitFor(Time) override
    {
        ++waits_;
        std::this_thread::yield();
    }
    [[nodiscard]] std::uint64_t waits() const { return waits_; }
    void pass(Time span) { now_ += span.count(); }

private:
    std::atomic<std::int64_t> now_{1'000'000'000};
    std::atomic<std::uint64_t> waits_{0};
};

std::unique_ptr<Session> open(const std::string& text = twoBuses)
{
    const auto rig = rigFromText(text, "two.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    auto session = Session::create(*rig, loadDatabases(*rig));
    if (!session)
        qFatal("%s", session.error().text().c_str());
    return std::move(*session);
}

// Done, and the run goes on by it.
void ask(Session& session, const StillWall& wall, const std::function<void(Session&)>& request)
{
    session.call(request);
    session.call([](Session&) {});      // what it made of the pace has been told
    const std::uint64_t waits = wall.waits();
    while (session.running() && (session.pace().factor != 0 || session.pace().held) && wall.waits() < waits + 2)
        std::this_thread::yield();
}

Time ran(const Session& session) { return session.now() - session.begins(); }

}  // namespace

class PaceTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void timeGoesOnByItsFactor()
    {
        auto session = open();
        StillWall wall;
        QVERIFY(session->pace().factor == 1 && session->pace().bound.empty());
        session->start(wall);
        ask(*session, wall, [](Session&) {});
        wall.pass(100ms);
        QTRY_COMPARE(ran(*session), Time(100ms));
        ask(*session, wall, [](Session& run) { QVERIFY(run.setPace(10)); });
        wall.pass(100ms);
        QTRY_VERIFY(ran(*session) == Time(1100ms));
        ask(*session, wall, [](Session& run) { QVERIFY(run.setPace(0.1)); });
        wall.pass(100ms);
        QTRY_VERIFY(ran(*session) == Time(1110ms));
        ask(*session, wall, [](Session& run) {
            QVERIFY(!run.setPace(0.05) && !run.setPace(101) && !run.setPace(-1) && !run.setPace(std::nan("")));
            QVERIFY(run.setPace(0));
        });
        QTRY_VERIFY(ran(*session) > Time(60s));      // though the wall stands still
        ask(*session, wall, [](Session& run) { QVERIFY(run.setPace(1)); });
        const Time there = ran(*session);
        wall.pass(50ms);
        QTRY_VERIFY(ran(*session) == there + Time(50ms));
        session->stop();
    }

    void heldItGoesOnByItsInstantsAlone()
    {
        auto session = open();
        StillWall wall;
        session->start(wall);
        ask(*session, wall, [](Session&) {});
        wall.pass(105ms);
        QTRY_VERIFY(ran(*session) == Time(105ms));
        ask(*session, wall, [](Session& run) { QVERIFY(run.holdTime(true)); });
        QTRY_VERIFY(session->pace().held);
        wall.pass(1s);
        const auto rows = session->trace().rows();
        ask(*session, wall, [](Session& run) {
            const auto gone = run.step();       // the next beat
            QVERIFY(gone && *gone == 1);
        });
        QCOMPARE(ran(*session), Time(110ms));
        QCOMPARE(session->trace().rows(), rows);
        ask(*session, wall, [](Session& run) {
            const auto frame = run.stepToFrame();
            QVERIFY(frame && *frame);
        });
        QCOMPARE(session->trace().rows(), rows + 1);
        QVERIFY(ran(*session) > Time(110ms) && ran(*session) < Time(111ms));
        QCOMPARE(session->trace().snapshot().time(rows) - session->begins(), ran(*session));
        // Each step is one instant, and all of them make the run that goes by itself.
        ask(*session, wall, [](Session& run) {
            for (int i = 0; i < 400; ++i)
                QVERIFY(run.step());
        });
        auto other = open();
        other->runFor(ran(*session), nullptr);
        QCOMPARE(other->trace().rows(), session->trace().rows());
        for (trace::Row row = 0; row < other->trace().rows(); ++row)
            QVERIFY(other->trace().snapshot().time(row) == session->trace().snapshot().time(row));
        ask(*session, wall, [](Session& run) { QVERIFY(run.holdTime(false)); });
        const Time there = ran(*session);
        wall.pass(20ms);
        QTRY_VERIFY(ran(*session) == there + Time(20ms));
        session->stop();
    }

    void timeIsHeldWhereAConditionBecomesTrue()
    {
        auto session = open();
        StillWall wall;
        session->start(wall);
        ask(*session, wall, [](Session&) {});
        ask(*session, wall, [](Session& run) {
            QVERIFY(run.stopAt("seen"));
            QVERIFY(run.setPace(0));
        });
        QTRY_VERIFY(session->pace().held);
        QCOMPARE(session->pace().stoppedBy, std::string("seen"));
        const trace::Snapshot snapshot = session->trace().snapshot();
        const can::FrameView last = snapshot.frame(snapshot.rows() - 1);
        QCOMPARE(last.id.value, 0x200U);
        QCOMPARE(last.time, session->now());
        QVERIFY(ran(*session) > Time(1s) && ran(*session) < Time(1100ms));
        // It goes on, and stops again.
        ask(*session, wall, [](Session& run) { QVERIFY(run.holdTime(false)); });
        QTRY_VERIFY(session->pace().held && ran(*session) > Time(1060ms));
        QVERIFY(ran(*session) < Time(1200ms));
        ask(*session, wall, [](Session& run) {
            const auto unknown = run.stopAt("seem");
            QVERIFY(!unknown && unknown.error().remedy.find("seen") != std::string::npos);
            QCOMPARE(run.pace().stopsAt, std::string("seen"));
            QVERIFY(run.stopAt(""));
            QVERIFY(run.holdTime(false));
        });
        QTRY_VERIFY(ran(*session) > Time(100s));
        session->stop();
    }

    // What time alone makes true holds it at that instant, however far a slice goes.
    void silenceStopsAtItsInstant()
    {
        auto session = open();
        QVERIFY(session->stopAt("silent"));
        session->runFor(10s, nullptr);
        const trace::Snapshot snapshot = session->trace().snapshot();
        trace::Row row = 0;
        while (row < snapshot.rows() && snapshot.frame(row).id.value != 0x200)
            ++row;
        QVERIFY(row < snapshot.rows());
        QCOMPARE(session->now(), snapshot.time(row) + 50ms);
        QVERIFY(session->pace().held && session->pace().stoppedBy == "silent");
    }

    void aBusOfTheWorldKeepsTheTimeOfTheWall()
    {
        auto session = open(R"j({"wavetrope": 1, "name": "Real", "buses": [{"name": "A", "interface": "nosuchbus0", "rate": "500k"}]})j");
        QVERIFY(!session->allSimulated());
        session->call([](Session& run) {
            QVERIFY(!run.setPace(2) && !run.holdTime(true) && !run.step() && !run.stepToFrame() && run.setPace(1) && run.holdTime(false));
        });
        QVERIFY(session->pace().bound.find("bus A") != std::string::npos);
    }
};

QTEST_APPLESS_MAIN(PaceTest)
#include "pace_test.moc"
