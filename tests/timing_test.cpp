// SPDX-License-Identifier: GPL-3.0-or-later
// The longest frames and the response times of the worst case: the published example, a plain reference in whole numbers, and a
// simulated bus that never exceeds what was computed.
#include <QTest>

#include <algorithm>
#include <limits>
#include <map>
#include <random>

#include "base/csv_text.h"
#include "bus/simulated_bus.h"
#include "can/wire_bits.h"
#include "can/wire_length.h"
#include "sanitized.h"
#include "timing/response_times.h"

using namespace wavetrope;
using namespace wavetrope::timing;
using namespace std::chrono_literals;

namespace {

TimedMessage message(std::string name, std::uint32_t id, unsigned bytes, Time period, Time jitter = {}, std::optional<Time> deadline = {})
{
    TimedMessage out;
    out.name = std::move(name);
    out.head.id = {id, id > 0x7FF};
    out.head.dlc = can::dlcOfLength(bytes);
    out.head.length = static_cast<std::uint8_t>(bytes);
    out.bytes = bytes;
    out.period = period;
    out.jitter = jitter;
    out.deadline = deadline.value_or(period);
    return out;
}

// In whole nanoseconds, by equation after equation; the bits of classic frames as the paper has them.
std::optional<std::int64_t> plainResponse(const std::vector<TimedMessage>& all, std::size_t own, std::int64_t bit)
{
    const auto length = [&](const TimedMessage& m) {
        const int g = m.head.id.extended ? 54 : 34;
        const int s = m.head.length;
        return (g + 8 * s + 13 + (g + 8 * s - 1) / 4) * bit;
    };
    const auto ceiling = [](std::int64_t a, std::int64_t b) { return (a + b - 1) / b; };
    const auto key = [&](std::size_t i) { return can::arbitrationBits(all[i].head); };
    std::int64_t blocking = 0;
    std::vector<std::size_t> higher;
    double share = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (i != own && key(i) > key(own))
            blocking = std::max(blocking, length(all[i]));
        else if (all[i].period.count() > 0) {
            share += static_cast<double>(length(all[i])) / static_cast<double>(all[i].period.count());
            if (i != own)
                higher.push_back(i);
        }
    }
    if (share > 1)
        return std::nullopt;
    const std::int64_t c = length(all[own]);
    const std::int64_t t = all[own].period.count();
    const std::int64_t j = all[own].jitter.count();
    std::int64_t busy = c;
    for (;;) {
        std::int64_t next = blocking + ceiling(busy + j, t) * c;
        for (const std::size_t k : higher)
            next += ceiling(busy + all[k].jitter.count(), all[k].period.count()) * length(all[k]);
        if (next == busy)
            break;
        busy = next;
    }
    std::int64_t worst = 0;
    for (std::int64_t q = 0; q < ceiling(busy + j, t); ++q) {
        std::int64_t w = blocking + q * c;
        for (;;) {
            std::int64_t next = blocking + q * c;
            for (const std::size_t k : higher)
                next += ceiling(w + all[k].jitter.count() + bit, all[k].period.count()) * length(all[k]);
            if (next == w)
                break;
            w = next;
        }
        worst = std::max(worst, j + w - q * t + c);
    }
    return worst;
}

// Offers each message at its beats, late by as much as it may be, and keeps the longest time to the end of its frame.
struct Offering final : bus::Listener {
    clock::Scheduler scheduler;
    bus::SimulatedBus wire;
    const std::vector<TimedMessage>& messages;
    std::vector<bus::Port> ports;
    std::map<std::uint32_t, std::size_t> byId;
    std::vector<Time> beat;                     // of the newest offered
    std::vector<std::vector<Time>> open;        // beats of what has not been seen yet
    std::vector<Time> longest;
    std::uint64_t seen = 0;
    std::mt19937 random{5};

    Offering(const std::vector<TimedMessage>& all, can::BitRate rate)
        : wire(scheduler, {rate}), messages(all), open(all.size()), longest(all.size())
    {
        wire.listen(this);
        for (std::size_t i = 0; i < all.size(); ++i) {
            ports.push_back(wire.attach(all[i].name, can::Direction::sent));
            byId[all[i].head.id.key()] = i;
            beat.push_back(Time(static_cast<std::int64_t>(random() % 20'000'000)));
            next(i);
        }
    }
    void next(std::size_t i)
    {
        const TimedMessage& m = messages[i];
        const Time late = m.jitter.count() > 0
                              ? Time(static_cast<std::int64_t>(random() % static_cast<std::uint32_t>(m.jitter.count() + 1)))
                              : Time{0};
        scheduler.at(beat[i] + late, [](void* self, std::uint64_t which) { static_cast<Offering*>(self)->offer(which); }, this, i);
    }
    void offer(std::size_t i)
    {
        can::Frame frame;
        static_cast<can::FrameHead&>(frame) = messages[i].head;
        const unsigned style = random() % 3;    // long runs of one value are the longest on the wire
        for (auto& byte : frame.data)
            byte = style == 0 ? static_cast<std::uint8_t>(random()) : style == 1 ? std::uint8_t{0} : std::uint8_t{0x3C};
        QVERIFY(wire.offer(ports[i], frame));
        open[i].push_back(beat[i]);
        // What has no period comes seldom and irregularly.
        beat[i] += messages[i].period.count() > 0 ? messages[i].period
                                                  : Time(static_cast<std::int64_t>(20'000'000 + random() % 20'000'000));
        next(i);
    }
    void onFrame(const can::FrameView& frame, bus::Port) override
    {
        const std::size_t i = byId.at(frame.id.key());
        longest[i] = std::max(longest[i], frame.time - open[i].front());
        open[i].erase(open[i].begin());
        ++seen;
    }
};

}  // namespace

class TimingTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // Three messages of 7 bytes at 125 kbit/s, 1 ms each: that of the lowest priority misses its deadline with its second frame.
    void thePublishedExampleComesOutAsPublished()
    {
        const std::vector<TimedMessage> messages = {
            message("A", 0x10, 7, 2500us), message("B", 0x11, 7, 3500us, {}, 3250us), message("C", 0x12, 7, 3500us, {}, 3250us)};
        const auto answers = responseTimes(messages, {125'000, 0});
        QCOMPARE(answers.size(), std::size_t{3});
        const double expected[] = {2, 3, 3.5};
        for (std::size_t i = 0; i < 3; ++i) {
            QCOMPARE(answers[i].message, i);
            QCOMPARE(answers[i].bits, 125U);
            QCOMPARE(*answers[i].milliseconds, expected[i]);
            QCOMPARE(answers[i].meets, i < 2);
        }
        QCOMPARE(answers[2].instance, std::uint64_t{1});
    }

    void lateQueueingEqualDeadlinesAndFullBuses()
    {
        auto messages = std::vector<TimedMessage>{
            message("A", 0x10, 8, 10ms, 1ms), message("B", 0x20, 8, 10ms, 0ms, 1080us), message("rare", 0x30, 8, 0ms)};
        auto answers = responseTimes(messages, {500'000, 0});
        QCOMPARE(answers.size(), std::size_t{2});           // who has no period blocks, and is not listed
        QCOMPARE(*answers[0].milliseconds, 1.54);           // jitter, one frame that has begun, its own: 135 bits each
        QCOMPARE(*answers[1].milliseconds, 0.81);
        messages[1].deadline = 810us;
        QVERIFY(responseTimes(messages, {500'000, 0})[1].meets);
        messages[1].deadline = 810us - 1ns;
        QVERIFY(!responseTimes(messages, {500'000, 0})[1].meets);
        // Where those that go first take the whole bus there is no bound; at exactly all of it there is, if nothing blocks.
        messages = {message("A", 0x10, 8, 540us), message("B", 0x20, 8, 540us)};
        answers = responseTimes(messages, {500'000, 0});
        QCOMPARE(*answers[0].milliseconds, 0.54);
        QCOMPARE(*answers[1].milliseconds, 0.54);
        messages[1].period = 539us;
        answers = responseTimes(messages, {500'000, 0});
        QVERIFY(answers[0].milliseconds && !answers[1].milliseconds && !answers[1].meets && !answers[1].unfinished);
        messages[1].period = 540us;
        messages[1].jitter = 1ns;
        QVERIFY(!responseTimes(messages, {500'000, 0})[1].milliseconds);
    }

    void aRateWhoseBitIsNoWholeNumberOfNanosecondsIsExact()
    {
        // 135 bits at 83,333 bit/s are 1.62000648002592 ms.
        const auto answers = responseTimes({message("A", 0x10, 8, 100ms)}, {83'333, 0});
        QCOMPARE(*answers[0].milliseconds, 135.0 / 83.333);
        // One 30th of a microsecond too long is too long.
        auto late = message("A", 0x10, 8, 100ms, {}, Time(1'620'006));
        QVERIFY(!responseTimes({late}, {83'333, 0})[0].meets);
        late.deadline = Time(1'620'007);
        QVERIFY(responseTimes({late}, {83'333, 0})[0].meets);
    }

    void agreesWithAPlainReference()
    {
        std::mt19937 random(17);
        std::uint64_t bounded = 0;
        std::uint64_t later = 0;
        for (int round = 0; round < test::some(3000, 300); ++round) {
            std::vector<TimedMessage> messages;
            const unsigned count = 1 + random() % 12;
            for (unsigned i = 0; i < count; ++i) {
                const bool extended = random() % 4 == 0;
                const Time period(static_cast<std::int64_t>(random() % 8 == 0 ? 0 : 1 + random() % 40) * 250'000);
                const Time jitter(random() % 2 == 0 ? 0 : static_cast<std::int64_t>(random() % 3'000'000));
                messages.push_back(message("m", extended ? 0x800U + random() : random() % 0x800, random() % 9, period, jitter));
                messages.back().head.id.value &= extended ? 0x1FFFFFFFU : 0x7FFU;
                messages.back().head.id.extended = extended;
                messages.back().deadline = Time(static_cast<std::int64_t>(random() % 8'000'000));
                for (std::size_t k = 0; k + 1 < messages.size(); ++k)
                    if (messages[k].head.id == messages.back().head.id) {
                        messages.pop_back();
                        break;
                    }
            }
            const auto answers = responseTimes(messages, {500'000, 0});
            QCOMPARE(answers.size(), static_cast<std::size_t>(std::count_if(
                                         messages.begin(), messages.end(), [](const TimedMessage& m) { return m.period.count() > 0; })));
            for (const ResponseTime& answer : answers) {
                if (answer.unfinished)
                    continue;
                const auto plain = plainResponse(messages, answer.message, 2000);
                QCOMPARE(answer.milliseconds.has_value(), plain.has_value());
                if (!plain)
                    continue;
                // Frame by frame it takes as long.
                const auto frames = worstCase(messages, {500'000, 0}, answer, 100'000);
                QVERIFY(!frames.empty() && frames.back().message == answer.message && frames.back().role == WorstFrame::Role::own);
                const auto& own = messages[answer.message];
                const double took = frames.back().to
                                    + static_cast<double>((own.jitter - static_cast<std::int64_t>(answer.instance) * own.period).count())
                                          / 1e6;
                QVERIFY2(std::abs(took - *answer.milliseconds) < 1e-6,
                    qPrintable(QStringLiteral("%1 and not %2").arg(took).arg(*answer.milliseconds)));
                for (std::size_t i = 1; i < frames.size(); ++i)
                    QCOMPARE(frames[i].from, frames[i - 1].to);
                QCOMPARE(*answer.milliseconds, static_cast<double>(*plain) / 1e6);
                QCOMPARE(answer.meets, Time(*plain) <= messages[answer.message].deadline);
                ++bounded;
                later += answer.instance > 0 ? 1 : 0;
            }
        }
        QVERIFY2(bounded > static_cast<unsigned>(test::some(4000, 400)) && later > static_cast<unsigned>(test::some(20, 1)),
            qPrintable(QStringLiteral("%1, %2 of a later frame").arg(bounded).arg(later)));
    }

    void aSimulatedBusNeverExceedsWhatWasComputed_data()
    {
        QTest::addColumn<bool>("fd");
        QTest::newRow("classic") << false;
        QTest::newRow("FD") << true;
    }
    void aSimulatedBusNeverExceedsWhatWasComputed()
    {
        QFETCH(bool, fd);
        std::mt19937 random(23);
        const can::BitRate rate{500'000, fd ? 2'000'000U : 0U};
        std::uint64_t frames = 0;
        double nearest = 0;
        for (int round = 0; round < test::some(10, 1); ++round) {
            std::vector<TimedMessage> messages;
            for (unsigned i = 0; i < 12; ++i) {
                const Time period = 1ms * (5 + random() % 12);
                messages.push_back(
                    message("m" + std::to_string(i), 0x100 + i * 16 + random() % 16, random() % 9, period, 1us * (random() % 1500)));
                if (fd && random() % 2 == 0) {
                    can::FrameHead& head = messages.back().head;
                    head.kind = can::FrameKind::fd;
                    head.brs = random() % 4 != 0;
                    head.dlc = static_cast<std::uint8_t>(random() % 13);
                    head.length = static_cast<std::uint8_t>(can::lengthOfDlc(head.dlc));
                }
            }
            messages.push_back(message("rare", 0x700, 8, 0ms));
            Offering offering(messages, rate);
            while (offering.seen < 50'000)
                offering.scheduler.runUntil(offering.scheduler.now() + 1s);
            frames += offering.seen;
            for (const ResponseTime& answer : responseTimes(messages, rate)) {
                QVERIFY(answer.milliseconds);
                // Its stamp is that of its last bit, in front of the intermission.
                const double measured = static_cast<double>(offering.longest[answer.message].count()) / 1e6 + 3 * 0.002;
                QVERIFY2(measured <= *answer.milliseconds + 1e-9, qPrintable(QStringLiteral("%1: %2 ms measured, %3 computed")
                                                                          .arg(QString::fromStdString(messages[answer.message].name))
                                                                          .arg(measured)
                                                                          .arg(*answer.milliseconds)));
                nearest = std::max(nearest, measured / *answer.milliseconds);
            }
        }
        QVERIFY(frames >= static_cast<std::uint64_t>(test::some(500'000, 50'000)));
        QVERIFY2(nearest > 0.75, qPrintable(QString::number(nearest)));     // a bound that is far off would hold as well
    }

    void longestFdFramesAreThoseOfAllContents()
    {
        std::mt19937 random(31);
        for (int round = 0; round < 60; ++round) {
            can::Frame frame;
            frame.id.extended = random() % 2 == 0;
            frame.id.value = (random() % 3 == 0 ? 0U : random()) & (frame.id.extended ? 0x1FFFFFFFU : 0x7FFU);
            frame.kind = can::FrameKind::fd;
            frame.brs = random() % 2 == 0;
            frame.dlc = frame.length = static_cast<std::uint8_t>(round % 3);
            const can::WireLength longest = can::longestLength(frame);
            unsigned most = 0;
            for (unsigned content = 0; content < (1U << (8U * frame.length)); ++content)
                for (const bool esi : {false, true}) {
                    frame.data[0] = static_cast<std::uint8_t>(content);
                    frame.data[1] = static_cast<std::uint8_t>(content >> 8U);
                    frame.esi = esi;
                    const can::WireLength length = can::wireLength(frame.view());
                    most = std::max(most, unsigned{length.nominalBits} + length.dataBits);
                    QCOMPARE(length.nominalBits <= longest.nominalBits, true);
                    if (frame.brs)
                        QCOMPARE(length.nominalBits, longest.nominalBits);
                }
            QCOMPARE(unsigned{longest.nominalBits} + longest.dataBits, most);
        }
        // 64 bytes: no random content is longer, and one of long runs is as long.
        can::Frame frame;
        frame.id = {0x310, false};
        frame.kind = can::FrameKind::fd;
        frame.brs = true;
        frame.dlc = 15;
        frame.length = 64;
        const can::WireLength longest = can::longestLength(frame);
        for (int i = 0; i < 20'000; ++i) {
            for (auto& byte : frame.data)
                byte = static_cast<std::uint8_t>(i % 2 == 0 ? random() : random() % 2 == 0 ? 0x0F : 0xF0);
            QVERIFY(can::wireLength(frame.view()).dataBits <= longest.dataBits);
        }
    }

    void classicFramesAreNeverLongerThanThePaperSays()
    {
        std::mt19937 random(37);
        QCOMPARE(can::longestLength(message("m", 0x10, 7, 1ms).head).nominalBits + can::intermissionBits, 125U);
        for (int i = 0; i < test::some(200'000, 20'000); ++i) {
            can::Frame frame;
            frame.id.extended = random() % 2 == 0;
            frame.id.value = (random() % 2 == 0 ? 0x07C1F078U : random()) & (frame.id.extended ? 0x1FFFFFFFU : 0x7FFU);
            frame.dlc = frame.length = static_cast<std::uint8_t>(random() % 9);
            const unsigned style = random() % 3;
            for (auto& byte : frame.data)
                byte = style == 0 ? static_cast<std::uint8_t>(random()) : style == 1 ? std::uint8_t{0} : std::uint8_t{0x3C};
            QVERIFY(can::wireLength(frame.view()).nominalBits <= can::longestLength(frame).nominalBits);
        }
    }

    void aNearlyFullBusEndsTheWorkInWords()
    {
        // All but a ten-millionth of the bus, with late beats: the worst case lies in a busy period of years.
        std::vector<TimedMessage> messages;
        for (unsigned i = 0; i < 40; ++i)
            messages.push_back(message("m", 0x100 + i, 8, Time(40 * 270'000) + Time(1), 1ms));
        const auto answers = responseTimes(messages, {500'000, 0});
        QVERIFY(answers.front().milliseconds.has_value());
        QVERIFY(std::all_of(answers.begin(), answers.end(),
            [](const ResponseTime& answer) { return answer.milliseconds.has_value() != answer.unfinished; }));
    }

    void tablesAreReadWithTheirLines()
    {
        const auto rows = csvFromText("\xEF\xBB\xBFmessage,jitter_ms\r\n\r\n\"a \"\"b\"\"\n\",0.2\nlast,\n", "t");
        QVERIFY(rows);
        QCOMPARE(rows->size(), std::size_t{3});
        QCOMPARE((*rows)[0].fields, (std::vector<std::string>{"message", "jitter_ms"}));
        QCOMPARE((*rows)[1].fields, (std::vector<std::string>{"a \"b\"\n", "0.2"}));
        QCOMPARE((*rows)[1].line, 3);
        QCOMPARE((*rows)[2].fields, (std::vector<std::string>{"last", ""}));
        QCOMPARE((*rows)[2].line, 5);
        QVERIFY(!csvFromText("\"a", "t"));
        QVERIFY(!csvFromText("\"a\"b", "t"));
        QVERIFY(csvFromText("", "t")->empty());
    }
};

QTEST_APPLESS_MAIN(TimingTest)
#include "timing_test.moc"
