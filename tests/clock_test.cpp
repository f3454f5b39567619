// SPDX-License-Identifier: GPL-3.0-or-later
// The event queue: its order, and timers that are set anew, stopped, moved and let go.
#include <QTest>

#include <algorithm>
#include <random>
#include <tuple>

#include "clock/timer.h"

using namespace wavetrope;
using namespace wavetrope::clock;

namespace {

struct Owner {
    explicit Owner(Scheduler& of)
        : scheduler(of),
          timer(Timer::calling<&Owner::tagged>(of, this)),
          plain(Timer::calling<&Owner::untagged>(of, this)),
          settling(Timer::calling<&Owner::tagged>(of, this, Phase::settle))
    {}
    void tagged(std::uint32_t tag) { came.emplace_back(scheduler.now().count(), tag); }
    void untagged() { came.emplace_back(scheduler.now().count(), 9999); }

    Scheduler& scheduler;
    std::vector<std::pair<std::int64_t, std::uint32_t>> came;
    Timer timer;
    Timer plain;
    Timer settling;
};

using Came = std::vector<std::pair<std::int64_t, std::uint32_t>>;

}  // namespace

class ClockTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void whatATimerWasSetForBeforeComesToNothing()
    {
        Scheduler scheduler;
        Owner owner(scheduler);
        owner.timer.at(Time(10), 1);
        owner.timer.at(Time(20), 2);
        owner.timer.also(Time(30), 3);
        owner.timer.also(Time(15), 4);
        scheduler.runUntil(Time(25));
        QVERIFY(owner.came == (Came{{15, 4}, {20, 2}}));
        owner.timer.stop();
        scheduler.runUntil(Time(100));
        QCOMPARE(owner.came.size(), std::size_t{2});
        owner.plain.at(Time(50));       // past: now
        scheduler.runUntil(Time(100));
        QVERIFY(owner.came.back() == (std::pair<std::int64_t, std::uint32_t>{100, 9999}));
    }

    void whatSettlesComesBehindWhatActsAtOneInstant()
    {
        Scheduler scheduler;
        Owner owner(scheduler);
        owner.settling.at(Time(5), 1);
        owner.timer.at(Time(5), 2);
        owner.timer.also(Time(5), 3);
        scheduler.runUntil(Time(5));
        QVERIFY(owner.came == (Came{{5, 2}, {5, 3}, {5, 1}}));
    }

    // A place that was given back is taken by the next one; what was asked for by the one before stays void.
    void aTimerThatIsGoneNeverComes()
    {
        Scheduler scheduler;
        Owner survivor(scheduler);
        {
            Owner gone(scheduler);
            gone.timer.at(Time(10), 1);
            gone.plain.at(Time(11));
        }
        Owner next(scheduler);
        next.timer.at(Time(12), 2);
        scheduler.runUntil(Time(20));
        QVERIFY(next.came == (Came{{12, 2}}));
        QVERIFY(survivor.came.empty());
    }

    void aTimerThatIsMovedComesOnce()
    {
        Scheduler scheduler;
        Owner owner(scheduler);
        std::vector<Timer> timers;
        for (std::uint32_t i = 0; i < 50; ++i) {    // the list grows, and moves them
            timers.push_back(Timer::calling<&Owner::tagged>(scheduler, &owner));
            timers.back().at(Time(100 - i), i);
        }
        timers[7] = std::move(timers[8]);           // what the seventh was set for is gone
        timers.erase(timers.begin() + 20, timers.begin() + 30);
        scheduler.runUntil(Time(200));
        QCOMPARE(owner.came.size(), std::size_t{50 - 10 - 1});
        QVERIFY(std::is_sorted(owner.came.begin(), owner.came.end()));
        for (const auto& [time, tag] : owner.came)
            QVERIFY(time == 100 - static_cast<std::int64_t>(tag) && tag != 7 && !(tag >= 20 && tag < 30));
    }

    // Against a list of what counts, which is searched for each step.
    void timersDoWhatAPlainListWouldDo()
    {
        std::mt19937 random(12);
        for (int round = 0; round < 200; ++round) {
            Scheduler scheduler;
            Owner owner(scheduler);
            std::vector<Timer> timers;
            for (int i = 0; i < 5; ++i)
                timers.push_back(Timer::calling<&Owner::tagged>(scheduler, &owner));
            struct Asked {
                std::int64_t when;
                std::uint64_t order;
                std::size_t timer;
                std::uint32_t tag;
            };
            std::vector<Asked> asked;
            std::uint64_t order = 0;
            Came expected;
            for (std::uint32_t step = 0; step < 60; ++step) {
                const std::size_t which = random() % timers.size();
                const auto when = std::max(
                    scheduler.now().count(), scheduler.now().count() + static_cast<std::int64_t>(random() % 50) - 10);
                const auto dropped = [&] { std::erase_if(asked, [&](const Asked& a) { return a.timer == which; }); };
                switch (random() % 5) {
                case 0:
                    dropped();
                    timers[which].at(Time(when), step);
                    asked.push_back({when, order++, which, step});
                    break;
                case 1:
                case 2:
                    timers[which].also(Time(when), step);
                    asked.push_back({when, order++, which, step});
                    break;
                case 3:
                    dropped();
                    if (random() % 2 == 0)
                        timers[which].stop();
                    else
                        timers[which] = Timer::calling<&Owner::tagged>(scheduler, &owner);
                    break;
                default: {
                    const std::int64_t until = scheduler.now().count() + static_cast<std::int64_t>(random() % 20);
                    std::sort(asked.begin(), asked.end(),
                        [](const Asked& a, const Asked& b) { return std::tie(a.when, a.order) < std::tie(b.when, b.order); });
                    std::erase_if(asked, [&](const Asked& a) {
                        if (a.when <= until)
                            expected.emplace_back(a.when, a.tag);
                        return a.when <= until;
                    });
                    scheduler.runUntil(Time(until));
                }
                }
                QVERIFY2(owner.came == expected, qPrintable(QStringLiteral("round %1, step %2").arg(round).arg(step)));
            }
        }
    }
};

QTEST_APPLESS_MAIN(ClockTest)
#include "clock_test.moc"
