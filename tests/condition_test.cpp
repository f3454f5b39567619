// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions over a stream of frames, against a plain model that looks at all of them.
#include <QTest>

#include <memory>
#include <random>

#include "database/dbc_reader.h"
#include "filter/condition.h"

using namespace wavetrope;
using namespace wavetrope::filter;

namespace {

const char* const levels =
    "BU_: A\nBO_ 256 State: 1 A\n SG_ Level : 0|8@1+ (1,0) [0|0] \"\" A\nBO_ 257 Other: 1 A\n SG_ Else : 0|8@1+ (1,0) [0|0] \"\" A\n";

std::shared_ptr<const database::Catalog> catalog()
{
    auto made = std::make_shared<database::Catalog>();
    made->attach(made->addBus("Main"), std::make_shared<const database::Database>(database::readDbc(levels, "x").database));
    return made;
}

can::Frame frameOf(std::uint32_t id, std::uint8_t level, std::int64_t time)
{
    can::Frame frame;
    frame.id = {id, false};
    frame.length = frame.dlc = 1;
    frame.data[0] = level;
    frame.time = Time(time);
    return frame;
}

struct Watched {
    explicit Watched(const char* text, Time hold = Time{0}) : condition({"it", *Filter::compile(text, catalog()), hold}) {}
    ConditionStep next(const can::Frame& frame)
    {
        const trace::TraceKey key = trace::TraceKey::of(frame.view());
        return condition.next(frame.view(), frame.id.value - 256, key);
    }
    Condition condition;
};

}  // namespace

class ConditionTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void itBeginsHoldsAndEnds()
    {
        Watched watched("Level > 10");
        QVERIFY(!watched.next(frameOf(256, 10, 1)).holds);
        ConditionStep step = watched.next(frameOf(256, 11, 2));
        QVERIFY(step.says && step.began && step.holds && !step.ended);
        QCOMPARE(step.from, Time(2));
        // A frame that does not carry the signal says nothing.
        step = watched.next(frameOf(257, 0, 3));
        QVERIFY(!step.says && step.holds && !step.began && !step.ended);
        step = watched.next(frameOf(256, 12, 4));
        QVERIFY(step.says && step.holds && !step.began);
        step = watched.next(frameOf(256, 3, 5));
        QVERIFY(step.ended && !step.holds && !step.began);
        QVERIFY(!watched.next(frameOf(256, 3, 6)).ended);
    }

    void aHoldTimeIsOverUpToTheFrameThatSaysOtherwise()
    {
        Watched watched("Level > 10", Time(100));
        QVERIFY(!watched.next(frameOf(256, 20, 0)).began);
        QVERIFY(!watched.next(frameOf(256, 20, 99)).began);
        // It held from 0 to 150, which is longer than 100; this frame ends it.
        ConditionStep step = watched.next(frameOf(256, 0, 150));
        QVERIFY(step.began && step.ended && !step.holds);
        QCOMPARE(step.from, Time(100));
        QVERIFY(!watched.next(frameOf(256, 20, 160)).began);
        QVERIFY(!watched.next(frameOf(256, 0, 200)).began);     // not for as long as it has to
        QVERIFY(!watched.next(frameOf(256, 0, 400)).began);
    }

    void identifiersMayAppearInAnyOrder()
    {
        Watched watched("Level > 10");
        QVERIFY(!watched.next(frameOf(257, 99, 1)).says);       // its index is the higher one
        QVERIFY(watched.next(frameOf(256, 99, 2)).began);
        QVERIFY(!watched.next(frameOf(257, 0, 3)).says);
    }

    void stepsAgreeWithStretchesThatAModelFinds_data()
    {
        QTest::addColumn<int>("hold");
        QTest::newRow("at once") << 0;
        QTest::newRow("one") << 1;
        QTest::newRow("forty") << 40;
    }
    void stepsAgreeWithStretchesThatAModelFinds()
    {
        QFETCH(int, hold);
        std::mt19937 random(static_cast<unsigned>(7 + hold));
        for (int round = 0; round < 200; ++round) {
            Watched watched("Level > 10", Time(hold));
            std::vector<can::Frame> frames;
            std::int64_t time = 0;
            for (int i = 0; i < 80; ++i)
                frames.push_back(frameOf(256 + random() % 2, static_cast<std::uint8_t>(random() % 3 == 0 ? 5 : 15),
                    time += static_cast<std::int64_t>(random() % 30)));
            // The stretches of frames of the message that say true, one behind the other: the time up to the frame behind them counts.
            std::vector<std::pair<std::int64_t, std::size_t>> began, found;
            std::vector<std::size_t> ended, foundEnds;
            std::optional<std::int64_t> since;
            bool counts = false;
            for (std::size_t i = 0; i < frames.size(); ++i) {
                if (frames[i].id.value != 256)
                    continue;
                const bool now = frames[i].data[0] > 10;
                if (since && !counts && hold > 0 && frames[i].time.count() - *since >= hold) {
                    counts = true;
                    began.emplace_back(*since + hold, i);
                }
                if (now && !since)
                    since = frames[i].time.count();
                if (now && hold == 0 && !counts) {
                    counts = true;
                    began.emplace_back(frames[i].time.count(), i);
                }
                if (!now) {
                    if (counts)
                        ended.push_back(i);
                    counts = false;
                    since.reset();
                }
            }
            for (std::size_t i = 0; i < frames.size(); ++i) {
                const ConditionStep step = watched.next(frames[i]);
                if (step.began)
                    found.emplace_back(step.from.count(), i);
                if (step.ended)
                    foundEnds.push_back(i);
            }
            QVERIFY(found == began);
            QVERIFY(foundEnds == ended);
            QVERIFY(hold > 1 || began.size() > 3);
        }
    }
};

QTEST_APPLESS_MAIN(ConditionTest)
#include "condition_test.moc"
